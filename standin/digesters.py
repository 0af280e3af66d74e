"""The simulated digesters: cooks in their rhythm, charged a little off, heated a little late, tested after the blow.

Every cook is a function of seed and number alone. Its kappa follows a relation of its own,
near the recipe's but not the recipe's, with what the desk does not know of on top: chips
wetter than booked, sulphidity, a bad circulation, the laboratory's scatter.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any, Final

import numpy as np

from stock.cooking.alkali import charge_as_na2o
from stock.cooking.end_point import h_curve, h_for_kappa, severity
from stock.cooking.recipe import Digester, Recipe
from stock.cooking.schedule import planned_profile
from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.line.story import CookStory, Story
from stock.steam import saturation_pressure_kpa_abs

RESULT_AFTER_S: Final = 40 * 60
CHANGED_D: Final = 38  # days ago the wood changed; relations fitted before are a little off since
APART_C: Final = 0.3  # how much colder the bottom usually is; the desk counts by the colder
STRENGTH_OF_USUAL: Final = 0.998
STRENGTH_SPREAD: Final = 0.0105  # of the usual strength
FIRST_NUMBER: Final = 2001  # where no story tells


@dataclass(frozen=True, slots=True)
class CookRun:
    """One cook of the simulated digesters: what it was given, how it ran, what it gave."""

    number: int
    digester: int
    recipe: str
    started_s: float
    charge_pct_naoh_on_wood: float
    chips_t: float
    moisture_frac: float
    liquor_m3: float
    strength: float
    sulphidity: float
    fill_m3: float
    late_min: float
    dip_min: float
    dip_long_min: float
    dip_c: float
    apart_c: float
    relief_min: float
    factor: float
    kappa: float
    yield_pct: float
    residual: float
    rejects_pct: float
    flag: str

    @property
    def relief_s(self) -> float:
        """When relief begins."""
        return self.started_s + 60 * self.relief_min


class Rhythm:
    """Digesters that cook one recipe in turn."""

    def __init__(self, recipe: Recipe, digesters: list[Digester], told: CookStory, seed: int) -> None:
        """Know the recipe and its planned end, and what is told of its cooks."""
        self.recipe, self.digesters, self.told, self.seed = recipe, digesters, told, seed
        self.first = told.number
        numbers = [one.number for one in digesters]
        self.turn = numbers.index(told.digester) if told.digester in numbers else 0
        self.every_s = 60 * (told.every_min or 120.0)
        self._grid, self._temperature = planned_profile(recipe, 600.0)
        self.planned_min = self._end(recipe.alkali.charge_pct_naoh_on_wood, 0.0, APART_C)
        self.first_start_s = 0.0
        self.cook = cache(self._cook)

    def _end(self, charge_pct: float, late_min: float, apart_c: float) -> float:
        alkali = self.recipe.alkali
        target = h_for_kappa(
            kappa_target_kappa=self.recipe.kappa_target,
            effective_alkali_pct_na2o=charge_as_na2o(charge_pct_naoh_on_wood=charge_pct),
            alpha=alkali.alpha,
            beta=alkali.beta,
            n=alkali.n,
        )
        grid, h = h_curve(self._grid, self._temperature - apart_c)
        return late_min + float(np.interp(target - self.recipe.tail, h, grid))

    def started(self, from_s: float, to_s: float) -> list[CookRun]:
        """Return the cooks started between two moments."""
        first = int(np.ceil((from_s - self.first_start_s) / self.every_s))
        last = int(np.floor((to_s - self.first_start_s) / self.every_s))
        return [self.cook(index) for index in range(max(first, 1 - self.first), last + 1)]  # numbers begin at 1

    def last(self, digester: int, at_s: float) -> CookRun:
        """Return the cook that is, or was last, in a digester."""
        span = self.every_s * (len(self.digesters) + 1)
        return [cook for cook in self.started(at_s - span, at_s) if cook.digester == digester][-1]

    def _cook(self, index: int) -> CookRun:
        rng = np.random.default_rng([self.seed, 7, index + 100_000])
        recipe, alkali = self.recipe, self.recipe.alkali
        opening = index == 0
        moisture = recipe.chip_moisture_frac + (0.0 if opening else float(rng.normal(0, 0.006)))
        wood_t = self.wood_t * (1.0 if opening else float(rng.normal(1, 0.012)))
        usual = alkali.liquor_kg_per_m3_as_naoh
        strength = usual * STRENGTH_OF_USUAL + usual * STRENGTH_SPREAD * float(
            np.sin(index / 9) * 0.7 + rng.normal(0, 0.6)
        )
        wanted = alkali.charge_pct_naoh_on_wood * (1.0 if opening else float(rng.normal(1, 0.011)))
        liquor = 10 * wood_t * wanted / strength
        ratio = recipe.liquor_to_wood + float(rng.normal(0, 0.04))
        water = moisture / (1 - moisture) + recipe.condensate_t_per_bdt
        fill = max(wood_t * (ratio - water) - liquor, 0.0)
        sulphidity = alkali.sulphidity_frac + float(rng.normal(0, 0.008)) if recipe.practice.has_sulphide else 0.0
        late = self._late(index, rng)
        dips = (not opening) and rng.random() < 0.14
        dip_c, dip_long = (float(rng.uniform(2, 5)), float(rng.uniform(10, 25))) if dips else (0.0, 0.0)
        low = (not opening) and recipe.practice.has_sulphide and rng.random() < 0.015
        apart = float(rng.uniform(6, 9)) if low else float(abs(rng.normal(APART_C, 0.15)))
        charge = round(10 * liquor / wood_t * strength / 100, 2)
        heat_from = recipe.fill_min + recipe.liquor_min
        dip_at = heat_from + recipe.ramp_min + 12
        slip = 0.0 if opening else float(rng.normal(0, 3.4 if recipe.practice.has_sulphide else 0.8))
        relief = self._end(charge, late, APART_C if low else apart) + dip_long * (1 - np.exp(-0.082 * dip_c)) + slip
        run: dict[str, Any] = {
            "number": self.first + index,
            "digester": self.digesters[(self.turn + index) % len(self.digesters)].number,
            "recipe": recipe.id,
            "started_s": self.first_start_s + index * self.every_s,
            "charge_pct_naoh_on_wood": charge,
            "chips_t": round(wood_t / (1 - moisture), 2),
            "moisture_frac": round(moisture, 4),
            "liquor_m3": round(liquor, 2),
            "strength": round(strength, 2),
            "sulphidity": round(sulphidity, 4),
            "fill_m3": round(fill, 2),
            "late_min": late,
            "dip_min": dip_at,
            "dip_long_min": dip_long,
            "dip_c": dip_c,
            "apart_c": apart,
            "relief_min": float(relief),
            "flag": "low circulation" if low and rng.random() < 0.6 else "",
        }
        return CookRun(**run, **self._outcome(index, run, ratio, low, rng))

    @property
    def wood_t(self) -> float:
        """Bone-dry wood a digester of it holds."""
        recipe, digester = self.recipe, self.digesters[0]
        return (
            digester.volume_m3
            * recipe.basic_density_kg_per_m3
            * recipe.solid_volume_factor
            * (1 + recipe.packing_gain_frac)
            / 1000
        )

    def _late(self, index: int, rng: np.random.Generator) -> float:
        if index == 0:
            return self.told.late_min
        return float(rng.gamma(2.0, 0.6))

    def _outcome(
        self, index: int, run: dict[str, Any], ratio: float, low: bool, rng: np.random.Generator
    ) -> dict[str, Any]:
        """What the cook gave: by a relation of its own, and what the desk does not know of."""
        recipe, alkali = self.recipe, self.recipe.alkali
        times = np.arange(0.0, run["relief_min"], 2.0)
        celsius = self.profile(times, run["late_min"], run["dip_min"], run["dip_long_min"], run["dip_c"])
        factor = float(h_curve(times, celsius - (APART_C if low else run["apart_c"]))[1][-1]) + recipe.tail
        wetter = float(rng.normal(0, 0.0035))
        true_charge = run["charge_pct_naoh_on_wood"] * (1 - run["moisture_frac"]) / (1 - run["moisture_frac"] - wetter)
        na2o = charge_as_na2o(charge_pct_naoh_on_wood=true_charge)
        since = index * self.every_s > -CHANGED_D * 86_400
        alpha = alkali.alpha + (0.55 if since else -0.25)
        kappa = alpha - alkali.beta * float(severity(max(factor, 2.0), na2o, alkali.n))
        kappa -= 16 * (run["sulphidity"] - alkali.sulphidity_frac) if recipe.practice.has_sulphide else 0.0
        kappa += float(rng.normal(0, 0.33)) + (float(rng.normal(4.5, 1.0)) if low else 0.0)
        kappa = round(max(float(kappa), 6.0), 1)
        found = recipe.reference_yield_pct + 0.17 * (kappa - recipe.reference_kappa) + float(rng.normal(0, 0.25))
        used = 0.1 * recipe.liquor_to_wood * sum(alkali.residual_kg_per_m3_as_naoh) / 2
        residual = 10 * (run["charge_pct_naoh_on_wood"] - alkali.charge_pct_naoh_on_wood + used) / ratio
        residual += 0.25 * (kappa - recipe.kappa_target) + float(rng.normal(0, 0.35))
        rejects = sum(recipe.rejects_pct) / 2 * float(rng.normal(1, 0.12)) + (2.6 if low else 0.0)
        return {
            "factor": round(factor, 1),
            "kappa": kappa,
            "yield_pct": round(found, 1),
            "residual": round(max(residual, 0.5), 1),
            "rejects_pct": round(max(rejects, 0.1), 1),
        }

    def profile(self, minutes: np.ndarray, late: float, dip_at: float, dip_long: float, dip_c: float) -> np.ndarray:
        """Return the temperatures of a cook: its plan, so late, with its dip."""
        rising = np.interp(minutes - late, self._grid, self._temperature)
        dipping = (minutes > dip_at) & (minutes < dip_at + dip_long)
        celsius: np.ndarray = np.clip(rising - np.where(dipping, dip_c, 0.0), 20, 200)
        return celsius


class Digesters:
    """All of them, anchored to the moment the demonstration opened."""

    def __init__(
        self, line: Definition, seed: int, anchor_s: float, result: LineResult, story: Story | None = None
    ) -> None:
        """Set each alkaline recipe's rhythm by what the line asks of it; an acid cook is run by hand (`workshop`)."""
        house = line.cook
        self.line = line
        self.rhythms: dict[str, Rhythm] = {}
        told = {one.recipe: one for one in story.cooks} if story is not None else {}
        for index, recipe in enumerate(house.recipes):
            own = [one for one in house.digesters if one.recipes[0] == recipe.id]
            if recipe.is_sulphite or not own:
                continue
            usual = CookStory(recipe=recipe.id, number=FIRST_NUMBER + 5000 * index, digester=own[0].number)
            rhythm = Rhythm(recipe, own, told.get(recipe.id, usual), seed + 500 * index)
            if rhythm.told.every_min is None:
                flow = result.streams[recipe.stream].bdt_per_h
                rhythm.every_s = 3600 * rhythm.wood_t / max(flow, 1e-6)
            to_relief = rhythm.told.to_relief_min
            opened = -rhythm.told.in_for_min if to_relief is None else to_relief - rhythm.planned_min
            rhythm.first_start_s = anchor_s + 60 * opened
            self.rhythms[recipe.id] = rhythm
        self._by_digester = {
            one.number: self.rhythms[one.recipes[0]] for one in house.digesters if one.recipes[0] in self.rhythms
        }

    @property
    def numbers(self) -> frozenset[int]:
        """The digesters whose cooks are simulated here."""
        return frozenset(self._by_digester)

    @property
    def tested(self) -> frozenset[str]:
        """The tags that read what is found of each cook."""
        recipes = [rhythm.recipe for rhythm in self.rhythms.values()]
        tags = {tag for one in recipes for tag in (one.kappa_tag, one.residual_tag, one.rejects_tag)}
        return frozenset(tag for tag in tags if tag)

    def cooks(self, from_s: float, to_s: float) -> list[CookRun]:
        """Return the cooks started between two moments, in the order of their start."""
        found = [cook for rhythm in self.rhythms.values() for cook in rhythm.started(from_s, to_s)]
        return sorted(found, key=lambda cook: cook.started_s)

    def last(self, digester: int, at_s: float) -> CookRun:
        """Return the cook that is, or was last, in a digester."""
        return self._by_digester[digester].last(digester, at_s)

    def celsius(self, digester: int, at_s: float, *, bottom: bool = False) -> float:
        """Temperature of a digester: its plan, a little late, then blown and cooling."""
        rhythm = self._by_digester[digester]
        cook, recipe = rhythm.last(digester, at_s), rhythm.recipe
        minutes = (at_s - cook.started_s) / 60
        if minutes <= cook.relief_min:
            rising = float(
                rhythm.profile(np.array([minutes]), cook.late_min, cook.dip_min, cook.dip_long_min, cook.dip_c)[0]
            )
            found = rising if minutes > 5 else recipe.start_c - 2 + minutes * 0.36
            heating = minutes > recipe.fill_min + recipe.liquor_min + 5
            return found - (cook.apart_c if bottom and heating else 0.0)
        cooling = minutes - cook.relief_min
        if cooling < recipe.blow_min:
            return recipe.cook_c - (recipe.cook_c - 98) * cooling / recipe.blow_min
        return 98 - min(cooling - recipe.blow_min, 60) * 0.3

    def kpa_g(self, digester: int, at_s: float) -> float:
        """Pressure of a digester: its steam, and a little gas."""
        celsius = self.celsius(digester, at_s)
        gas = 14 + 8 * np.sin(at_s / 1300 + digester)
        steam = saturation_pressure_kpa_abs(temperature_c=max(celsius, 20.0)) - 101.325
        return max(0.0, float(steam + gas)) if celsius > 99 else 6.0

    def batch(self, digester: int, at_s: float) -> list[float]:
        """Return what a digester's counter says: nought for what has not happened yet."""
        cook = self.last(digester, at_s)
        recipe = self._by_digester[digester].recipe
        minutes = (at_s - cook.started_s) / 60
        filled = minutes >= recipe.fill_min
        charged = minutes >= recipe.fill_min + recipe.liquor_min
        return [
            float(cook.number),
            float(int(cook.started_s)),
            cook.charge_pct_naoh_on_wood,
            cook.chips_t if filled else 0.0,
            cook.moisture_frac,
            cook.liquor_m3 if charged else 0.0,
            cook.strength,
            cook.sulphidity,
            cook.fill_m3 if charged else 0.0,
            cook.started_s + 60 * (recipe.fill_min + recipe.liquor_min) if charged else 0.0,
            cook.relief_s if minutes > cook.relief_min + 2 else 0.0,
        ]

    def history(self, from_s: float, to_s: float) -> Iterator[dict[str, Any]]:
        """Yield every cook of a span as a row, with what was found of it where that was known by its end."""
        for cook in self.cooks(from_s, to_s):
            row = {name: getattr(cook, name) for name in HISTORY}
            row["started_s"] = int(cook.started_s)
            blown = cook.relief_s < to_s
            row |= {"blown_s": int(cook.relief_s) if blown else "", "tested_s": ""}
            tested = cook.relief_s + RESULT_AFTER_S
            if tested < to_s:
                row |= {"tested_s": int(tested), **{name: getattr(cook, name) for name in FOUND}}
            yield row


COUNTED: Final = 11  # numbers a digester's counter gives
HISTORY: Final = (
    "number", "digester", "recipe", "started_s", "charge_pct_naoh_on_wood", "chips_t", "moisture_frac", "liquor_m3",
    "strength", "sulphidity", "fill_m3", "factor", "apart_c",
)  # fmt: skip
FOUND: Final = ("kappa", "yield_pct", "residual", "rejects_pct", "flag")
COLUMNS: Final = (*HISTORY, "blown_s", "tested_s", *FOUND)
