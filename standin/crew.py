"""What the simulated crew does at the plant: runs the cooks the story tells, works by hand where it must, moves things.

The crew is of a simple kind. It keeps the story's rhythm at the digesters, takes by hand what an instrument
it does not believe controls, feeds a vessel as the story says, and now and then tries a setting and puts it
back: of a rounded size, most of it written down, now and then with the wrong hour. It obeys the plant's limits
and never acts for a person of the desk.
"""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from standin.digesters import CookRun, Digesters
from stock.errors import DomainError
from stock.line.story import Story
from stock.primitives import Store
from stock.simulate.control import up_the_stock
from stock.simulate.handles import Setting
from stock.simulate.plant import Plant
from stock.simulate.reading import Sick
from stock.simulate.wiring import GRAPH

WOOD_CHANGED_KAPPA: Final = 0.55  # what the wood of late gives above the recipe's relation
WRITES_FRAC: Final = 0.9  # of its moves, that it writes down
WRONG_HOUR_FRAC: Final = 0.03
TRIES: Final = {"consistency": (0.05, 0.01), "charge": (0.8, 0.1), "power": (18.0, 5.0)}  # usual step, rounded to
FIRST_TRY_H, TRY_EVERY_H, BACK_AFTER_H = 3.0, 5.0, 2.5
CREWS: Final = ("orr", "sundby", "brandt")
CREW_BIAS: Final = (0.9, 1.15, 1.0)  # how large one crew's steps are against another's
PADS_EVERY_S: Final = 2 * 3600
BY_PADS_FRAC: Final = 0.7
SHIFT_S: Final = 8 * 3600
TRIMS: Final = 0.5  # of a share, for a whole vessel off its middle: a blow tank is some eight hours of draw
TRIMS_STORE: Final = 3.0  # what stands beside the blend chest answers at once


@dataclass(frozen=True, slots=True)
class Tried:
    """A move the crew made: when, who, what from what to what, why, and whether it is in the log."""

    at_s: float
    who: str
    setting: Setting
    from_value: float
    to_value: float
    text: str
    written: bool


# ---- at the digesters


def known_of(run: CookRun) -> dict[str, Any]:
    """Return what is known of a cook, as a vessel of the plant keeps it."""
    return {
        "cook": run.number, "charge_pct": run.charge_pct_naoh_on_wood, "chips_t": run.chips_t,
        "moisture_frac": run.moisture_frac, "liquor_m3": run.liquor_m3, "strength": run.strength,
        "sulphidity": run.sulphidity, "fill_m3": run.fill_m3, "late_s": 60 * run.late_min, "apart_c": run.apart_c,
    }  # fmt: skip


def put_cooks(plant: Plant, digesters: Digesters, zero_s: float) -> None:
    """Put the cooks the story tells into the digesters, as they are at the plant's moment; `zero_s` is its nought."""
    now = zero_s + plant.now_s
    for index, house in enumerate(plant.batches.houses):
        rhythm = digesters.rhythms.get(house.recipe.id)
        house.bias = WOOD_CHANGED_KAPPA if rhythm is not None else 0.0
        if rhythm is None:
            continue
        last = 0
        for at, vessel in enumerate(house.vessels):
            run = digesters.last(vessel.number, now)
            plant.batches.put(index, at, now - run.started_s, **known_of(run))
            vessel.wanted_h = run.factor
            vessel.started_s = run.started_s - zero_s
            last = max(last, run.number)
        house.next_cook = last + 1
        opened = digesters.rhythms[house.recipe.id].cook(last - rhythm.first).started_s
        house.next_start_s = opened + rhythm.every_s - zero_s


def run_cooks(plant: Plant, digesters: Digesters, zero_s: float) -> None:
    """Let the next cooks begin when the story says, with what it says they were given and came to."""
    for house in plant.batches.houses:
        rhythm = digesters.rhythms.get(house.recipe.id)
        if rhythm is None:
            continue
        for vessel in house.vessels:
            run = rhythm.cook(vessel.cook - rhythm.first)
            if vessel.phase == "fill" and vessel.heat_s == 0.0:
                for name, value in known_of(run).items():
                    setattr(vessel, name, value)
                vessel.heat_s = max(60 * (run.relief_min - house.heat_from_min), 60.0)
            elif vessel.phase == "relief":  # it comes out as it is told, so that what follows it is of that kappa
                vessel.scatter += run.kappa - house.kappa_of(vessel)
        house.next_start_s = rhythm.cook(house.next_cook - rhythm.first).started_s - zero_s


# ---- by hand


def make_wrong(plant: Plant, story: Story, hours: float) -> None:
    """Let instruments read as wrong as the story says they came to, and wander on; the plant's nought is so many hours from its opening."""
    for tag_id, told in story.instruments.items():
        if not told.drift_per_h or tag_id not in plant.readings.truths:
            continue
        error = story.drift(tag_id, hours)
        plant.born_sick[tag_id] = Sick(
            bias=error, drift_per_h=told.drift_per_h,
            drift_from_s=max(0.0, 3600 * (told.drift_from_h - hours)),
            most=max(0.0, abs(told.drift_per_h) * told.drift_for_h - abs(error)),
        )  # fmt: skip
    plant.refit()


def take_unbelieved(plant: Plant) -> None:
    """Take what stands in a loop whose instrument is not believed by hand."""
    for loop, tag_id in plant.instruments:
        if tag_id in plant.born_sick:
            driven = int(plant.loop_driven[loop])
            plant.take_by_hand(driven, float(plant.flow[driven]))


def go_by_pads(plant: Plant, story: Story) -> None:
    """Set dilutions worked by hand by what pads say: most of the way to where the stock should be."""
    rows = plant.flows @ GRAPH
    for loop, tag_id in plant.instruments:
        true = plant.readings.truth(tag_id) if tag_id in plant.born_sick else None
        if true is None:
            continue
        total = float(plant.signals[loop] @ rows[:, 1])
        driven = int(plant.loop_driven[loop])
        more = BY_PADS_FRAC * total * (true / story.starts(plant.line, tag_id) - 1)
        plant.take_by_hand(driven, max(float(plant.flow[driven]) + more, 0.0))


def feed_by_hand(plant: Plant, unit_id: str, over: float) -> None:
    """Feed a vessel at so many times what is usually drawn of it, by hand."""
    at = plant.loop_at.get(f"level:{unit_id}")
    if at is not None and (driven := int(plant.loop_driven[at])) >= 0:
        plant.take_by_hand(driven, over * float(plant.design[driven]))


# ---- what no controller holds


def unheld(plant: Plant) -> list[tuple[int, str]]:
    """Return (place among the shares of the furnish, vessel) for each part of it that comes from a vessel no controller holds."""
    found = []
    for index, share in enumerate(plant.plan.shares):
        for _, unit in up_the_stock(plant.layout, share.stream):
            is_held = f"level:{unit.id}" in plant.loop_at
            if unit.id in plant.layout.row and getattr(unit, "volume_m3", None) and not is_held:
                found.append((index, unit.id))
                break
    return found


def trim_shares(plant: Plant, vessels: list[tuple[int, str]]) -> None:
    """Take more into the furnish of what runs full and less of what runs empty, of an order's shares."""
    shares = np.array([plant.order.shares.get(one.stream, 0.0) for one in plant.plan.shares])
    asked = float(shares.sum())
    for index, unit_id in vessels:
        unit: Any = plant.line.unit(unit_id)
        middle = (getattr(unit, "low_pct", 10.0) + getattr(unit, "high_pct", 95.0)) / 200
        held = plant.content(plant.layout.row[unit_id]) / unit.volume_m3
        trims = TRIMS_STORE if isinstance(unit, Store) else TRIMS
        shares[index] *= max(1 + trims * (held - middle), 0.2)
    if shares.sum() > 0:
        plant.shares = shares * asked / shares.sum()


# ---- what it tries


class Tries:
    """The settings a crew tries and puts back, over a span of hours."""

    def __init__(self, plant: Plant, seed: int, zero_s: float, hours: float) -> None:
        """Plan them from now on: of those that are read live and not held by hand, a few of each kind, in turn."""
        self.plant, self.zero_s = plant, zero_s
        self.rng = np.random.default_rng([seed, 31])
        self.made: list[Tried] = []
        points = self._points()
        self.planned: list[tuple[float, str, bool]] = []
        count = int((hours - FIRST_TRY_H - BACK_AFTER_H - 2.0) / TRY_EVERY_H) + 1  # all is put back before the end
        for index in range(count if points else 0):
            at_h = plant.now_s / 3600 + FIRST_TRY_H + index * TRY_EVERY_H + float(self.rng.uniform(-0.6, 0.6))
            point = points[index % len(points)]
            self.planned += [(3600 * at_h, point, True), (3600 * (at_h + BACK_AFTER_H), point, False)]
        self.planned.sort()
        self._usual: dict[str, float] = {}

    def _points(self) -> list[str]:
        plant = self.plant
        eyes = {f"consistency:{plant.plan.loops[loop].unit}": tag for loop, tag in plant.instruments}
        good = [
            point for point in plant.handles
            if point in eyes and eyes[point] not in plant.born_sick
        ]  # fmt: skip
        others = [point for point in plant.handles if point.partition(":")[0] in ("charge", "power")]
        return [*good[:2], *others[:1]]

    def run(self) -> None:
        """Make what is due by now."""
        while self.planned and self.planned[0][0] <= self.plant.now_s:
            at_s, point, away = self.planned.pop(0)
            self._make(at_s, point, away)

    def _make(self, at_s: float, point: str, away: bool) -> None:
        handle = self.plant.handles[point]
        stood = handle.read()
        if away:
            self._usual[point] = stood
            usual, rounded = TRIES[point.partition(":")[0]]
            crew = int((self.zero_s + at_s) // SHIFT_S) % len(CREWS)
            size = usual * CREW_BIAS[crew] * float(self.rng.normal(1, 0.25)) * (1 if self.rng.random() < 0.5 else -1)
            step = max(abs(round(size / rounded)), 1) * rounded * (1 if size > 0 else -1)
            to, text = stood + step, "a trial"
        else:
            to, text = self._usual[point], "the trial is over"
        wrote, wrong = float(self.rng.random()) < WRITES_FRAC, float(self.rng.random()) < WRONG_HOUR_FRAC
        try:
            self.plant.write(point, to)
        except DomainError:  # beyond what can be set there: it stays where it is
            return
        noted = at_s - 3600 if wrong else at_s
        who = CREWS[int((self.zero_s + at_s) // SHIFT_S) % len(CREWS)]
        found = Tried(self.zero_s + noted, who, handle.setting, round(stood, 4), round(to, 4), text, wrote)
        self.made.append(found)
