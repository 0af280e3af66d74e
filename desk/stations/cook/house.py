"""The cook house as it stands: every cook followed from what was read and logged, the digesters, the liquor."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from functools import cached_property, lru_cache
from typing import Any, Final

import numpy as np

from desk.floor.models import Cook, epoch
from desk.floor.state import COOKS_BACK, State
from desk.stations.cook.charged import charged
from desk.stations.cook.followed import Followed, kept_figures
from desk.stations.cook.known import fill_pct, known
from desk.stations.cook.models import Charge, Forecast, LiquorTest, RelationVersion, Result, Step
from desk.stations.cook.news import Done, News, read_news
from desk.stations.cook.samples import Samples, samples_of
from stock.cooking.charge import Sheet, charge_sheet, usual
from stock.cooking.facts import CookFacts, Kinetic
from stock.cooking.follow import follow, kinetic, planned_hold_min
from stock.cooking.kappa_decisions import aim_point, kappa_aimed
from stock.cooking.recipe import Digester, Recipe
from stock.cooking.relation import Relation
from stock.cooking.schedule import Leg, legs
from stock.cooking.titration import white_liquor_from_abc
from stock.cooking.ways import Trace
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin

COOLED_C: Final = 25.0  # a digester that fell so far from cooking temperature has been blown
SILENT_MIN: Final = 3.0
NEWS_S: Final = 10  # what was logged for a moment ahead is news so soon after it
MARKS: Final = {"liquor": "liquor", "steam": "heat", "relief": "relief", "blow": "blow", "empty": "clear"}


def recipe_of(state: State, cook: Cook) -> Recipe:
    """Return a cook's recipe; the usual one of its digester where it names none."""
    house = state.line.cook
    return house.recipe(cook.recipe or house.digester(cook.digester).recipes[0])


class House:
    """The cook house at a moment; nothing is read before it is asked for."""

    BACK = COOKS_BACK

    def __init__(self, state: State) -> None:
        """Bind to a line's state."""
        self.state = state
        self.part = state.line.cook
        self.station = state.line.stop_id("cook")
        self._followed: dict[int, Followed | None] = {}
        self._seconds: dict[int, Kinetic | None] = {}
        self.trouble: dict[int, str] = {}  # why a cook cannot be followed

    @cached_property
    def news(self) -> News:
        """Charges, steps, forecasts, results, tests, relations of late."""
        if not self.part.recipes:
            return News()
        kept_in = [Charge, Step, Forecast, Result, LiquorTest, RelationVersion]
        return self.state.of_records("cook news", lambda: read_news(self.state), NEWS_S, kept_in)

    def relation(self, recipe: Recipe) -> Relation:
        """Return the relation in force for a recipe."""
        return self.fitted(recipe.id) or Relation.of(recipe)

    def fitted(self, recipe_id: str) -> Relation | None:
        """Return the relation accepted of a recipe; None where it still goes by the recipe's own."""
        version, figures = self.news.relations.get(recipe_id, (0, {}))
        return Relation(**figures) if version else None

    # ---- what was read

    @cached_property
    def _newest(self) -> dict[str, Samples]:
        """Samples of every digester's tags since its newest cook began."""
        return samples_of(self.state, {cook.digester: cook.started_at for cook in self.in_digesters()})

    @cached_property
    def _older(self) -> dict[str, Samples]:
        """Samples of every digester's tags since its oldest cook of late; only who opens a blown cook asks."""
        return samples_of(self.state, {cook.digester: cook.started_at for cook in self.state.cooks})

    def read(self, tag: str | None, cook: Cook) -> Samples:
        """Return (minutes since its start, values) of a tag over a cook, up to the next cook in its digester."""
        samples = self._newest if cook in self.in_digesters() else self._older
        if tag is None or tag not in samples:
            return np.array([]), np.array([])
        seconds, values = samples[tag]
        start = epoch(cook.started_at)
        later = [epoch(one.started_at) for one in self.state.cooks if one.digester == cook.digester]
        until = min([epoch(self.state.now), *(at_s - 1 for at_s in later if at_s > start)])
        kept = (seconds >= start) & (seconds <= until)
        minutes, values = (seconds[kept] - start) / 60, values[kept]
        rising = np.concatenate(([True], np.diff(minutes) > 0)) if len(minutes) else np.array([], dtype=bool)
        return minutes[rising], values[rising]

    def last_read_s(self, cook: Cook) -> float:
        """Return the second of the last temperature of a cook, 0 without one."""
        minutes, _ = self.read(self.part.digester(cook.digester).temperature, cook)
        return epoch(cook.started_at) + 60 * float(minutes[-1]) if len(minutes) else 0.0

    def steps(self, cook: Cook) -> Sequence[Done]:
        """Return what was done to a cook."""
        return self.news.steps.get(cook.number, [])

    def step(self, cook: Cook, kind: str) -> Done | None:
        """Return the newest step of a kind."""
        return next((one for one in reversed(self.steps(cook)) if one.kind == kind), None)

    def marks(self, cook: Cook) -> dict[str, float]:
        """Return the minutes since its start at which logged legs began."""
        found: dict[str, float] = {}
        for one in self.steps(cook):
            minutes = (one.at - cook.started_at).total_seconds() / 60
            if one.kind == "chips":
                found["liquor"] = max(minutes, 0.1)
            elif one.kind in MARKS and one.kind != "liquor":
                found[MARKS[one.kind]] = minutes
        return found

    # ---- a cook followed

    def follow(self, cook: Cook) -> Followed | None:
        """Return where a cook stands, or None while its digester has sent fewer than two readings."""
        if cook.number not in self._followed:
            self._followed[cook.number] = self._follow(cook)
        return self._followed[cook.number]

    def second(self, followed: Followed) -> Kinetic | None:
        """Return what the kinetics make of a cook; worked out only for who asks, since it takes some milliseconds."""
        number = followed.cook.number
        if number not in self._seconds:
            try:
                self._seconds[number] = kinetic(followed.facts, followed.state)
            except DomainError as error:  # outside what the kinetics describe
                self.trouble[number] = error.message
                self._seconds[number] = None
        return self._seconds[number]

    def figures(self, followed: Followed) -> dict[str, Figure]:
        """Return a cook's figures by name; of a blown one, the forecast as it was kept at the blow."""
        own = followed.figures() | followed.second_figures(self.second(followed))
        if followed.running or followed.cook.number not in self.news.forecasts:
            return own
        kept = Forecast.standing(self.state.world).get(number=followed.cook.number)
        return own | kept_figures(kept, own)

    def _follow(self, cook: Cook) -> Followed | None:
        digester, recipe = self.part.digester(cook.digester), recipe_of(self.state, cook)
        times, values = self.read(digester.temperature, cook)
        marks = self.marks(cook)
        by_hand = bool(self.step(cook, "chips")) or bool(self.step(cook, "liquor"))
        if len(times) < 2 and not by_hand:
            return None
        blown = "blow" in marks or (len(values) > 0 and _is_down(values, recipe.cook_c))
        end = marks.get("blow") if blown else None
        try:
            facts = replace(self._facts(cook, digester, recipe, times, values, marks, end, by_hand), blown=blown)
            state = follow(facts)
        except DomainError as error:  # what was logged of it cannot be: said on its page, where it can be corrected
            self.trouble[cook.number] = error.message
            return None
        return Followed(cook, recipe, state, facts, cook.started_at + timedelta(minutes=state.blow_min))

    def _aimed(self, cook: Cook, recipe: Recipe, *, running: bool) -> Datum:
        """Return the kappa a cook is ended for: where its end point was moved to, else what it was charged for."""
        aimed = self.aimed(recipe) if running and cook.kappa_target == recipe.kappa_target else None
        return aimed or Datum(cook.kappa_target, self.state.set_origin(f"recipe {recipe.name}"))

    def aimed(self, recipe: Recipe) -> Datum | None:
        """Return the kappa the end point of a recipe was moved to give; None where it stands as the relation asks."""
        stands = self.state.stands(aim_point(recipe.unit))
        if stands is None:
            return None
        try:
            found = kappa_aimed(recipe, self.relation(recipe), stands)
        except DomainError:  # an end point at which the relation says nothing
            return None
        return None if found.value == recipe.kappa_target else found

    def _facts(
        self,
        cook: Cook,
        digester: Digester,
        recipe: Recipe,
        times: np.ndarray,
        values: np.ndarray,
        marks: dict[str, float],
        end: float | None,
        by_hand: bool,
    ) -> CookFacts:
        now_min = (self.state.now - cook.started_at).total_seconds() / 60
        last = min(now_min, end) if end is not None else now_min
        trace = self._trace(cook, digester, recipe, times, values, last)
        reading = self.state.readings.get(digester.temperature)
        charge = self.charge(cook, recipe)
        steam = marks.get("heat") if by_hand else recipe.fill_min + recipe.liquor_min
        gauge = self.state.readings.get(digester.pressure or "")
        pressure = gauge.as_datum() if gauge is not None and end is None and gauge.at >= cook.started_at else None
        temperature = Datum(float(trace.temperatures_c[-1]), trace.readings)
        if reading is not None and end is None and len(values):
            temperature = reading.as_datum()
        return CookFacts(
            recipe=recipe,
            relation=self.relation(recipe),
            now_min=last,
            trace=trace,
            charge=charge["charge"],
            kappa_target=self._aimed(cook, recipe, running=end is None),
            temperature=temperature,
            bd_wood=charge["wood"],
            sulphidity=charge["sulphidity"],
            liquor_to_wood=charge["ratio"],
            liquor_strength=charge["strength"],
            fill_pct=fill_pct(self, cook, recipe, charge),
            pressure=pressure,
            steam_min=steam,
            liquor_at_min=marks.get("liquor"),
            relief_min=marks.get("relief"),
            charged=self._charged(cook, recipe, now_min - (marks.get("liquor") or 0.0)),
        )

    def _charged(self, cook: Cook, recipe: Recipe, since_chips_min: float) -> bool:
        """Whether all its liquor is in: cooking liquor, and the fill or the time for it."""
        if self.step(cook, "liquor") is None:
            return False
        return recipe.is_sulphite or self.step(cook, "fill") is not None or since_chips_min > 2 * recipe.liquor_min

    def _trace(
        self, cook: Cook, digester: Digester, recipe: Recipe, times: np.ndarray, values: np.ndarray, last: float
    ) -> Trace:
        """Return what H is counted on: the coldest valid sensor, held on while an instrument is silent."""
        tag = self.state.line.tag(digester.temperature)
        low_t, low_c = self.read(digester.bottom, cook)
        words = f"{tag.name}, {tag.instrument}, {len(times)} readings"
        if len(low_t) > 5 and len(times):
            lower = np.minimum(values, np.interp(times, low_t, low_c))
            if float(np.max(values - lower)) > 0.5:
                words += "; the colder of top and bottom at each"
            values = lower
        if len(times) and times[-1] > last:
            kept = times <= last
            times, values = times[kept], values[kept]
        if not len(times):
            times, values = np.array([0.0]), np.array([recipe.start_c])
            words = "no reading yet; the recipe's start temperature"
        silent = last - float(times[-1])
        if silent > 0.5:  # count on at the last temperature rather than stand still
            times, values = np.append(times, last), np.append(values, values[-1])
            if silent > SILENT_MIN:
                words += f", the last {silent:.0f} min ago and held since"
        if len(times) < 2:
            times, values = np.append(times, times[-1] + 0.5), np.append(values, values[-1])
        pressures = None
        if recipe.is_sulphite:
            at, kpa = self.read(digester.pressure, cook)
            pressures = np.interp(times, at, kpa) if len(at) else np.full(len(times), recipe.start_kpa_g)
            pressures = np.clip(pressures, 0, 2000)
        return Trace(times, np.clip(values, 20, 200), Origin("measured", words, self.state.now), pressures)

    def apart_c(self, cook: Cook) -> float | None:
        """Return how far top and bottom part now, None without a lower thermometer."""
        digester = self.part.digester(cook.digester)
        _, top = self.read(digester.temperature, cook)
        _, low = self.read(digester.bottom, cook)
        if not len(top) or not len(low):
            return None
        return abs(float(top[-1] - low[-1]))

    # ---- what it was charged with

    def charge(self, cook: Cook, recipe: Recipe) -> dict[str, Datum]:
        """Return what a cook got: by what was logged, else what the plant reported, else the sheet or recipe."""
        planned = self.news.charges.get(cook.number)
        number = planned.digester if planned else next(d.number for d in self.part.digesters if recipe.id in d.recipes)
        return charged(cook, recipe, self.part.digester(number), planned, self.steps(cook))

    # ---- liquor

    @cached_property
    def white(self) -> dict[str, Datum]:
        """Return strength and sulphidity of white liquor by its last titration, empty without one."""
        test = next((one for one in reversed(self.news.tests) if one.kind == "white"), None)
        if test is None:
            return {}
        said = Origin("measured", f"A/B/C titration by {test.by}", test.at)
        found = white_liquor_from_abc(**test.volumes)
        return {
            "strength_kg_per_m3_as_naoh": Datum(found.effective_kg_per_m3_as_naoh, said),
            "sulphidity_frac": Datum(found.sulphidity_frac, said),
        }

    # ---- the board

    def all(self) -> list[Followed]:
        """Return every cook of late that can be followed, the nearest to its end first, what is blown last."""
        found = [one for cook in self.in_digesters() if (one := self.follow(cook)) is not None]
        return sorted(found, key=lambda one: (not one.running, one.blow_at))

    def in_digesters(self) -> list[Cook]:
        """Return the newest cook of each digester."""
        newest: dict[int, Cook] = {}
        for cook in self.state.cooks:
            newest.setdefault(cook.digester, cook)
        return list(newest.values())

    def legs(self, cook: Cook) -> list[Leg]:
        """Return a cook's legs in minutes from its start; those of a followed one end when it is forecast to."""
        recipe = recipe_of(self.state, cook)
        marks = self.marks(cook)
        followed = self._followed.get(cook.number)
        if followed is not None and followed.running:
            facts = followed.facts
            steam = (
                facts.steam_min
                if facts.steam_min is not None
                else max(facts.now_min, recipe.fill_min + recipe.liquor_min)
            )
            hold = max(0.0, followed.state.blow_min - steam - recipe.ramp_min)
            marks = {"heat": steam, **marks}
            return legs(recipe, hold, 0.0, marks)
        try:
            charge = self.charge(cook, recipe)["charge"].value
        except DomainError:
            charge = recipe.usual_charge_pct
        return legs(recipe, hold_min(recipe, self.relation(recipe), round(charge, 3), cook.kappa_target), 0.0, marks)

    def sheet(self, recipe: Recipe, digester: Digester, typed: dict[str, Datum]) -> Sheet:
        """Work a charge sheet out for a digester, from what was typed over what is usual and known."""
        data = usual(recipe, digester) | known(self, recipe)
        if (aimed := self.aimed(recipe)) is not None:  # what is charged next ends where the end point was moved to
            data["kappa_target_kappa"] = aimed
        data |= typed
        return charge_sheet(recipe, self.relation(recipe), data)


@lru_cache(maxsize=512)
def _hold(recipe_json: str, relation: Relation, charge_pct: float, kappa_target: float) -> float:
    origin = Origin("set", "recipe")
    recipe = Recipe.model_validate_json(recipe_json)
    return planned_hold_min(recipe, relation, Datum(charge_pct, origin), Datum(kappa_target, origin))


def hold_min(recipe: Recipe, relation: Relation, charge_pct: float, kappa_target: float) -> float:
    """Return the planned minutes at temperature, the same for every cook charged alike; of a charge out of reach, the recipe's."""
    text = recipe.model_dump_json()
    try:
        return _hold(text, relation, charge_pct, kappa_target)
    except DomainError:
        own = recipe.usual_charge_pct
        return _hold(text, Relation.of(recipe), own, recipe.kappa_target)


def _is_down(values: np.ndarray, cook_c: float) -> bool:
    """A digester that was at temperature and is far below it has been blown."""
    top = float(values.max())
    return bool(top > cook_c - 8 and values[-1] < cook_c - COOLED_C and values[-1] < top - COOLED_C)


def house_of(state: State) -> House:
    """Return the house of a state, made once a page."""
    if "cooking" not in state.kept:
        state.kept["cooking"] = House(state)
    house: House = state.kept["cooking"]
    return house


def as_json(values: dict[str, Any]) -> dict[str, Any]:
    """Return numbers as they are kept: rounded to what a sheet shows, none left out."""
    return {name: round(float(value), 6) for name, value in values.items() if value is not None}
