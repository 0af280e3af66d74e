"""The plant of the demonstration from the moment it opens: it runs, and answers what is set and done.

What lies before that moment is the past the history tells; the plant takes over where it ends: levels,
the cooks that are in, what instruments read wrong, what is left to run fuller or emptier by hand. What
the plant does not carry (piles, liquors, probes) is told on as before.
"""

import json
import math
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np

from standin.bench import Bench
from standin.crew import feed_by_hand, make_wrong, put_cooks, take_unbelieved
from standin.digesters import RESULT_AFTER_S
from standin.plant import Plant as Told
from stock.errors import DomainError
from stock.line.order import Order
from stock.simulate.house import Vessel
from stock.simulate.plant import Plant
from stock.tag import Tag

WARM_S: Final = 1800  # run before it opens, for the loops to stand
MOST_AT_ONCE: Final = 1500  # steps, so that it answers while it catches up
BREAKS_PER_D: Final = 2.0
KEPT_EVERY_S: Final = 60.0
CREW_WAITS_PCT: Final = 4.0  # past the span a vessel is worked in, before the plant's own crew does what nobody did


@dataclass(frozen=True, slots=True)
class Tested:
    """A cook of the plant as the laboratory finds it, some time after its blow."""

    number: int
    at_s: float
    kappa: float
    rejects_pct: float
    residual: float


class Living:
    """The plant, by the clock of the wall.

    Parameters
    ----------
    told : standin.plant.Plant
        The story, and what it tells of the past.
    kept : Path, optional
        Where its state is kept, to go on from after a restart.
    """

    def __init__(self, told: Told, kept: Path | None = None) -> None:
        """Open it where the past ends, or where it was left."""
        self.told, self.kept = told, kept
        grade = told.line.grades[0]
        begun = next((one for one in sorted(told.story.orders, key=lambda one: -one.from_h) if one.from_h <= 0), None)
        order = Order.of(told.line.grade(begun.grade) if begun is not None else grade)
        self.plant = Plant(told.line, order, seed=told.seed, disturbed=True, starts=self._starts)
        self.tested: list[Tested] = []
        if (kept_bench := self._resumed()) is None:
            self._open()
        self.bench = Bench(self)
        if kept_bench:
            self.bench.restore(kept_bench)
        self._kept_s = self.plant.now_s
        self.plant.breaks_per_d = BREAKS_PER_D

    def _starts(self, tag_id: str) -> float:
        return self.told.story.starts(self.told.line, tag_id)

    # ---- where the past ends

    def _open(self) -> None:
        plant, story = self.plant, self.told.story
        for unit_id, over in story.feed_over_draw.items():
            feed_by_hand(plant, unit_id, over)
        for loop, tag_id in plant.instruments:
            plant.set_point[loop] = self._starts(tag_id)
        for one in story.washers_behind:
            plant.fault("lanes_blocked", one.unit, health_frac=one.part_frac, machine=one.machine)
        plant.separating.settle()
        plant.step(WARM_S)
        plant.start_clock()
        for unit in plant.line.units:
            if (tag := getattr(unit, "level", None)) and unit.id in plant.layout.row:
                plant.set_level(unit.id, min(max(self._starts(tag), 2.0), 98.0))
        put_cooks(plant, self.told.digesters, self.told.anchor_s)
        plant.readings.rest()
        make_wrong(plant, story, 0.0)
        take_unbelieved(plant)
        for event in story.happened:
            if event.until_h is None:
                plant.fault(event.kind, event.unit, **event.params)

    # ---- the clock

    @property
    def now_s(self) -> float:
        """The plant's moment, epoch seconds."""
        return self.told.anchor_s + self.plant.now_s

    def advance(self, to_s: float) -> bool:
        """Run on towards a moment; say whether it is there."""
        left = int(to_s - self.now_s)
        self.plant.step(max(0, min(left, MOST_AT_ONCE)))
        self._look_in()
        self._crew()
        self.bench.look()
        if self.plant.now_s - self._kept_s >= KEPT_EVERY_S:
            self.keep()
        return left <= MOST_AT_ONCE

    def _crew(self) -> None:
        """Let the plant's own crew give a level that ran out of its vessel's span back to its controller."""
        plant = self.plant
        for unit in plant.line.units:
            at = plant.loop_at.get(f"level:{unit.id}")
            volume = getattr(unit, "volume_m3", None)
            if at is None or plant.auto[at] or not volume:
                continue
            level = 100 * plant.content(plant.layout.row[unit.id]) / volume
            low, high = getattr(unit, "low_pct", 10.0), getattr(unit, "high_pct", 95.0)
            if not low - CREW_WAITS_PCT <= level <= min(high + CREW_WAITS_PCT, 99.0):
                plant.give_back(at, volume * (low + high) / 200)

    def _look_in(self) -> None:
        """Note the cooks blown since it was last looked, for the laboratory."""
        for house in self.plant.batches.houses:
            for vessel in house.vessels:
                done = vessel.phase in ("blow", "clear", "empty") and vessel.kappa > 0
                if done and all(one.number != vessel.cook for one in self.tested):
                    self.tested.append(self._found(house.recipe, vessel))
        del self.tested[:-60]

    def _found(self, recipe: Any, vessel: Vessel) -> Tested:
        alkali = recipe.alkaline
        rng = np.random.default_rng([self.told.seed, 9, vessel.cook])
        residual = 0.0
        if alkali is not None:
            used = 0.1 * recipe.liquor_to_wood * sum(alkali.residual_kg_per_m3_as_naoh) / 2
            residual = 10 * (vessel.charge_pct - alkali.charge_pct_naoh_on_wood + used) / recipe.liquor_to_wood
            residual += 0.25 * (vessel.kappa - recipe.kappa_target) + float(rng.normal(0, 0.35))
        rejects = sum(recipe.rejects_pct) / 2 * float(rng.normal(1, 0.12))
        at_s = self.told.anchor_s + vessel.relief_s + RESULT_AFTER_S
        return Tested(
            vessel.cook, at_s, round(vessel.kappa, 1), round(max(rejects, 0.1), 1), round(max(residual, 0.5), 1)
        )

    def known_between(self, from_s: float, to_s: float) -> Iterator[Tested]:
        """Yield the cooks whose results came in a span."""
        for run in self.told.digesters.cooks(self.told.anchor_s - 14 * 3600, self.told.anchor_s):
            tested = run.relief_s + RESULT_AFTER_S
            if run.relief_s <= self.told.anchor_s and from_s < tested <= to_s:
                yield Tested(run.number, tested, run.kappa, run.rejects_pct, run.residual)
        yield from (
            one for one in self.tested if from_s < one.at_s <= to_s and one.at_s - RESULT_AFTER_S > self.told.anchor_s
        )

    # ---- what is read there

    def value(self, tag: Tag) -> tuple[float | None, int]:
        """Return what a tag's instrument says, with its status."""
        if tag.id in self.plant.readings.truths:
            return self.plant.read(tag.id)
        return self.told.value(tag, self.now_s), 0

    def batch(self, number: int) -> list[float]:
        """Return what a digester's counter says: nought for what has not happened yet."""
        index, at = self.plant.batches.find(number)
        vessel = self.plant.batches.houses[index].vessels[at]
        anchor = self.told.anchor_s
        filled = vessel.phase not in ("fill", "empty") or vessel.charged_s != 0
        charged = vessel.charged_s != 0
        relieved = vessel.relief_s != 0 and vessel.phase in ("waits", "blow", "clear", "empty")
        return [
            float(vessel.cook),
            float(int(anchor + vessel.started_s)),
            vessel.charge_pct,
            vessel.chips_t if filled else 0.0,
            vessel.moisture_frac,
            vessel.liquor_m3 if charged else 0.0,
            vessel.strength,
            vessel.sulphidity,
            vessel.fill_m3 if charged else 0.0,
            anchor + vessel.charged_s if charged else 0.0,
            anchor + vessel.relief_s if relieved else 0.0,
        ]

    # ---- what is done there

    def set(self, point: str, value: float) -> float:
        """Set something; DomainError where it cannot be."""
        if not math.isfinite(value):
            raise DomainError("E_RANGE", "value", "that is no number", "a number")
        found = self.plant.write(point, value)
        self.keep()
        return found

    def ask(self, grade: str, rate: float, shares: dict[str, float]) -> str:
        """Ask for an order, and say it; DomainError or LookupError where there is none such."""
        wanted = Order.of(self.told.line.grade(grade), rate, shares)
        now = self.plant.order
        if (now.grade.id, now.reel_t_per_h, dict(now.shares)) != (
            wanted.grade.id,
            wanted.reel_t_per_h,
            dict(wanted.shares),
        ):
            self.plant.set_order(wanted)
            self.keep()
        return f"{rate:g} t/h of {wanted.grade.name}"

    def fault(self, kind: str, unit: str, params: dict[str, float]) -> int:
        """Switch a fault on and return its number; DomainError where it cannot be."""
        number = self.plant.fault(kind, unit, **params)
        self.keep()
        return number

    def mend(self, number: int) -> str:
        """Switch a fault off; DomainError where none of that number is on."""
        self.plant.mend(number)
        self.keep()
        return f"fault {number} is mended"

    def settings(self) -> list[dict[str, Any]]:
        """Return all that can be set, with where it stands."""
        return [
            {**asdict(one.setting), "value": round(one.read(), one.setting.decimals + 1)}
            for one in self.plant.handles.values()
        ]

    # ---- kept over a restart

    def keep(self) -> None:
        """Keep its state where it is found again."""
        self._kept_s = self.plant.now_s
        if self.kept is None:
            return
        state = {
            "anchor_s": self.told.anchor_s,
            "plant": self.plant.state(),
            "tested": [asdict(one) for one in self.tested],
            "bench": self.bench.state(),
        }
        self.kept.parent.mkdir(parents=True, exist_ok=True)
        part = self.kept.with_suffix(".part")
        part.write_text(json.dumps(state), encoding="utf-8")
        part.replace(self.kept)

    def _resumed(self) -> dict[str, Any] | None:
        """Go on from a kept state, and return what its laboratory had taken; None where there was none that fits."""
        if self.kept is None or not self.kept.exists():
            return None
        try:
            state = json.loads(self.kept.read_text(encoding="utf-8"))
            if state["anchor_s"] != self.told.anchor_s:
                return None
            make_wrong(self.plant, self.told.story, 0.0)
            self.plant.restore(state["plant"])
            self.tested = [Tested(**one) for one in state["tested"]]
        except (OSError, ValueError, KeyError, TypeError, DomainError):
            return None
        return dict(state["bench"])
