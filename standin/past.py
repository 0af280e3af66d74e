"""The past of the demonstration as the plant made it, with its crew: coarsely of old, a minute a step for a day and a half.

What the story tells is given to the plant, not drawn on its readings: orders, faults, vessels fed by hand,
instruments that wander, cooks and what they were given. Of old the sheet is lost now and then, and the crew
keeps by the furnish what no controller holds. A level that nothing holds begins its last day and a half where
it must so that it ends as told. What the plant does not carry is told as it is.
"""

from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from standin.crew import (
    PADS_EVERY_S,
    SHIFT_S,
    Tries,
    feed_by_hand,
    go_by_pads,
    make_wrong,
    put_cooks,
    run_cooks,
    take_unbelieved,
    trim_shares,
    unheld,
)
from standin.plant import Plant as Told
from standin.plant import spans
from stock.cooking.recipe import Digester
from stock.line.order import Order
from stock.line.story import Happened
from stock.primitives import Vessel
from stock.simulate.disturbing import SLOW_S
from stock.simulate.plant import Plant
from stock.simulate.reading import ANCHORED

NEAR_H: Final = 36.0  # what is told of in hours lies in it
STEP_S: Final = 60.0
FAR_S: Final = 300.0  # how often what is slow is run before that, where a value an hour is kept
WARM_S: Final = 3600.0
BREAKS_PER_D: Final = 2.0
MEET_H: Final = 24.0  # over how long a level of old comes to where the last day and a half begins
FED_BY_HAND_H: Final = 6.0  # how long before it opens a vessel is first fed by hand
KEPT_PCT: Final = (25.0, 88.0)  # levels a crew keeps a vessel between, where it has a choice
MOVES: Final = ("at_s", "who", "point", "words", "unit", "station", "low", "high", "from", "to", "text")


class Past:
    """What a plant did before its anchor.

    Parameters
    ----------
    told : standin.plant.Plant
        The story, and the cooks as they were.
    hours : float
        How far back it goes.
    minutes_h : float
        For how many hours before the anchor a value a minute is kept; before that it is thinned with age.
    """

    def __init__(self, told: Told, hours: float = NEAR_H, minutes_h: float = NEAR_H) -> None:
        """Run it."""
        self.told, self.hours = told, hours
        self.from_s = told.anchor_s - 3600 * hours
        self.near_s = max(0.0, 3600 * (hours - NEAR_H))
        line, story = told.line, told.story
        self._orders = sorted((one for one in story.orders if one.from_h <= 0), key=lambda one: one.from_h)
        first = line.grade(self._orders[0].grade) if self._orders else line.grades[0]
        self.plant = Plant(
            line, Order.of(first), seed=told.seed + 1, dt_s=STEP_S, disturbed=True, rides=False,
            starts=lambda tag_id: story.starts(line, tag_id),
        )  # fmt: skip
        carried = self.plant.readings.truths
        self.carried = {
            tag.id: index
            for index, tag in enumerate(
                one for one in line.tags if one.id in carried and not isinstance(line.part(one.of), Digester)
            )
        }
        kept = [np.arange(*span) for span in spans(0.0, 3600 * hours, min(minutes_h, hours))]
        self.kept_s = np.concatenate([*kept, [3600 * hours]])
        self.truth = np.full((len(self.kept_s), len(self.carried)), np.nan)
        self.error = np.zeros_like(self.truth)
        self._begin()
        self._run_far()
        self._come_near()
        self._run_near()
        self._end_as_told()

    # ---- of old

    def _begin(self) -> None:
        plant, story = self.plant, self.told.story
        for loop, tag_id in plant.instruments:
            plant.set_point[loop] = story.starts(self.told.line, tag_id)
        plant.step(int(WARM_S / STEP_S))
        plant.start_clock()
        for unit in plant.line.units:
            is_held = f"level:{unit.id}" in plant.loop_at and unit.id not in story.feed_over_draw
            if is_held and (tag := getattr(unit, "level", None)):
                plant.set_level(unit.id, float(np.clip(story.starts(plant.line, tag), *KEPT_PCT)))
        put_cooks(plant, self.told.digesters, self.from_s)
        plant.readings.rest()
        make_wrong(plant, story, -self.hours)
        self._kept = 0

    def _run_far(self) -> None:
        """Run the old of it: what is slow now and then, the sheet lost of itself, levels kept by the furnish."""
        plant, vessels = self.plant, unheld(self.plant)
        plant.slow_s = FAR_S
        plant.breaks_per_d = BREAKS_PER_D
        while plant.now_s < self.near_s:
            self._keep()
            if plant.now_s % SHIFT_S == 0:
                trim_shares(plant, vessels)
            run_cooks(plant, self.told.digesters, self.from_s)
            plant.step(int(FAR_S / STEP_S))
        plant.slow_s, plant.breaks_per_d, plant.breaks_until_s = SLOW_S, 0.0, 0.0
        plant.set_order(plant.order)

    # ---- the last day and a half

    def _come_near(self) -> None:
        """Put what nothing holds where it must begin to end as told, and have the story ready."""
        plant, story = self.plant, self.told.story
        self._leapt: dict[str, float] = {}
        for unit in plant.line.units:
            if (tag := getattr(unit, "level", None)) and unit.id in plant.layout.row:
                begins = self._begins(unit.id, tag)
                self._leapt[tag] = begins - (plant.readings.truth(tag) or begins)
                plant.set_level(unit.id, begins)
        self._hand = {
            unit: (3600 * (self.hours - FED_BY_HAND_H), over) for unit, over in story.feed_over_draw.items()
        }  # fmt: skip
        self._distrusted_h = min((one.drift_from_s for one in plant.born_sick.values()), default=np.inf) / 3600
        self._is_distrusted = False
        self._on: dict[int, Happened] = {}
        self._happens = sorted(story.happened, key=lambda one: one.from_h)
        self.tries = Tries(plant, self.told.seed, self.from_s, self.hours - plant.now_s / 3600)

    def _begins(self, unit_id: str, tag_id: str) -> float:
        ends = self.told.story.starts(self.told.line, tag_id)
        if unit_id in self.told.story.feed_over_draw:
            ends -= self.told.slope_pct_per_h(tag_id) * FED_BY_HAND_H
        return float(np.clip(ends, *KEPT_PCT))

    def _run_near(self) -> None:
        plant = self.plant
        while self._kept < len(self.kept_s):
            self._keep()
            self._orders_and_faults()
            for unit in [unit for unit, (from_s, _) in self._hand.items() if plant.now_s >= from_s]:
                feed_by_hand(plant, unit, self._hand.pop(unit)[1])
            if not self._is_distrusted and plant.now_s >= 3600 * self._distrusted_h:
                self._is_distrusted = True
                take_unbelieved(plant)
            if self._is_distrusted and plant.now_s % PADS_EVERY_S == 0:
                go_by_pads(plant, self.told.story)
            run_cooks(plant, self.told.digesters, self.from_s)
            self.tries.run()
            plant.step()

    def _orders_and_faults(self) -> None:
        plant, hours = self.plant, self.plant.now_s / 3600 - self.hours
        while self._orders and self._orders[0].from_h <= hours:
            grade = plant.line.grade(self._orders.pop(0).grade)
            if grade.id != plant.order.grade.id:
                plant.set_order(Order.of(grade))
        while self._happens and self._happens[0].from_h <= hours:
            one = self._happens.pop(0)
            self._on[plant.fault(one.kind, one.unit, **one.params)] = one
        for number in [number for number, one in self._on.items() if one.until_h is not None and one.until_h <= hours]:
            del self._on[number]
            plant.mend(number)

    def _keep(self) -> None:
        readings = self.plant.readings
        if self.plant.now_s < self.kept_s[self._kept]:
            return
        for tag_id, index in self.carried.items():
            value = readings.truth(tag_id)
            self.truth[self._kept, index] = np.nan if value is None else value
            self.error[self._kept, index] = readings.error(tag_id)
        self._kept += 1

    def _end_as_told(self) -> None:
        """Let what nothing holds end as the story says: levels, what is told as a change, what is worked by hand."""
        line, late = self.told.line, self.truth[-30:]
        is_near = self.kept_s >= self.near_s
        by_hand = np.clip(self.kept_s / 3600 - self._distrusted_h, 0.0, None)
        met = np.clip(1 - (self.near_s - self.kept_s) / (3600 * MEET_H), 0.0, 1.0)
        for tag_id, index in self.carried.items():
            tag = line.tag(tag_id)
            is_level = tag.reads == "level" and isinstance(line.part(tag.of), Vessel)
            ends = self.truth[-1, index] if is_level else float(np.nanmean(late[:, index]))
            short = self.told.story.starts(line, tag_id) - ends
            if is_level:
                way = np.where(is_near, short, met * (self._leapt.get(tag_id, 0.0) + short))
                self.truth[:, index] += way
            elif tag.reads in ANCHORED:
                self.truth[:, index] += short
            elif tag_id in self.plant.born_sick and by_hand[-1] > 0:
                self.truth[:, index] += short * by_hand / by_hand[-1]

    # ---- what is known of it

    def _at(self, tag_id: str, at_s: float) -> tuple[int, int] | None:
        """Return where the value kept last at a moment stands; None where there is none."""
        index = self.carried.get(tag_id)
        at = int(np.searchsorted(self.kept_s, at_s - self.from_s + STEP_S / 2)) - 1
        found = index is not None and at >= 0 and bool(np.isfinite(self.truth[at, index]))
        return (at, index) if found and index is not None else None

    def read(self, tag_id: str, at_s: float) -> float | None:
        """Return what a tag's instrument stood at, without its noise; None where the plant does not know."""
        found = self._at(tag_id, at_s)
        return None if found is None else float(self.truth[found] + self.error[found])

    def course(self, tag_id: str, at_s: np.ndarray) -> np.ndarray | None:
        """Return what a tag's instrument stood at at many moments, without its noise; None where the plant has no such tag."""
        index = self.carried.get(tag_id)
        if index is None:
            return None
        at = np.searchsorted(self.kept_s, at_s - self.from_s + STEP_S / 2) - 1
        found: np.ndarray = np.where(at >= 0, self.truth[at, index] + self.error[at, index], np.nan)
        return found

    def change(self, tag_id: str, at_s: float) -> float:
        """Return by how much a tag's truth stood off what it comes to at the end, for what the laboratory found."""
        found = self._at(tag_id, at_s)
        return 0.0 if found is None else float(self.truth[found] - np.nanmean(self.truth[-30:, found[1]]))

    def moves(self) -> Iterator[dict[str, Any]]:
        """Yield the crew's moves that it wrote down, as rows."""
        for one in self.tries.made:
            if one.written:
                setting = one.setting
                yield {
                    "at_s": int(one.at_s), "who": one.who, "point": setting.point, "words": setting.words,
                    "unit": setting.unit, "station": setting.station, "low": setting.low, "high": setting.high,
                    "from": one.from_value, "to": one.to_value, "text": one.text,
                }  # fmt: skip
