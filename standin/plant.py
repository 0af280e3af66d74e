"""The plant, thin: what every instrument would read at a moment, repeatable from a seed.

Levels follow the balance of the line (a vessel fed at other than its draw fills or
empties), digesters follow the cook plan, the rest stays near its mark with noise, and
one transmitter drifts. A value depends on the seed and the moment alone, so that
history and the live signal are one and the same curve.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from stock.cooking.end_point import h_curve, h_for_kappa
from stock.cooking.follow import planned_profile
from stock.cooking.liquor import charge_as_na2o
from stock.line.balance import LineBalance, Order
from stock.line.definition import Definition, Mix, Store, Tag

COOK_EVERY_S: Final = 84.4 * 60
FIRST_COOK: Final = 1187
FIRST_DIGESTER: Final = 3
TO_RELIEF_S: Final = 26 * 60  # the cook the demonstration opens on has this long to go
# Feed over draw, where a vessel is not simply kept level; the cane cook runs late.
FEED: Final = {"cane_tower": 0.5, "tower_a": 1.06, "tower_r": 0.94, "slush_chest": 1.04}


@dataclass(frozen=True, slots=True)
class CookRun:
    """One cook of the simulated digesters."""

    number: int
    digester: int
    started_s: float
    charge_pct_naoh_on_wood: float


class Plant:
    """The simulated plant of a line, anchored to the moment the demonstration opened."""

    def __init__(self, line: Definition, seed: int, anchor_s: float) -> None:
        """Solve the line once; everything else is a function of time."""
        self.line = line
        self.seed = seed
        self.anchor_s = anchor_s
        self.tags = [tag for tag in line.tags if tag.live]
        self._index = {tag.id: index for index, tag in enumerate(line.tags)}
        result = LineBalance(line).solve(Order.of(line.grades[0]))
        self._flows = {name: stream.bd_t_per_h for name, stream in result.streams.items()}
        self._slopes = self._level_slopes()
        plan = line.cook
        alkali = charge_as_na2o(charge_pct_naoh_on_wood=plan.charge_pct_naoh_on_wood)
        target = h_for_kappa(
            kappa_target_kappa=plan.kappa_target,
            effective_alkali_pct_na2o=alkali,
            alpha=plan.alpha,
            beta=plan.beta,
            n=plan.n,
        )
        times, temperatures = planned_profile(plan, 600)
        grid, h = h_curve(times, temperatures)
        self._relief_s = 60 * float(np.interp(target - plan.tail_h, h, grid))
        self._first_start_s = anchor_s + TO_RELIEF_S - self._relief_s

    def _level_slopes(self) -> dict[str, float]:
        """Per cent an hour at which each level moves, from feed, draw and size."""
        slopes = {}
        leaving = {stream.source: stream.id for stream in self.line.streams}
        for unit in self.line.units:
            if isinstance(unit, (Mix, Store)) and unit.level and unit.volume_m3:
                consistency = unit.consistency_pct or getattr(unit, "holds_consistency_pct", None) or 4.0
                full_bdt = unit.volume_m3 * consistency / 100
                draw = self._flows[leaving[unit.id]]
                slopes[unit.level] = 100 * draw * (FEED.get(unit.id, 1.01) - 1) / full_bdt
        return slopes

    def cooks(self, from_s: float, to_s: float) -> list[CookRun]:
        """Return the cooks started between two moments."""
        first = int(np.ceil((from_s - self._first_start_s) / COOK_EVERY_S))
        last = int(np.floor((to_s - self._first_start_s) / COOK_EVERY_S))
        return [self._cook(index) for index in range(first, last + 1)]

    def _cook(self, index: int) -> CookRun:
        rng = np.random.default_rng([self.seed, 7, index + 10_000])
        charge = self.line.cook.charge_pct_naoh_on_wood + (0.0 if index == 0 else float(rng.normal(0, 0.12)))
        return CookRun(
            FIRST_COOK + index,
            (FIRST_DIGESTER - 1 + index) % len(self.line.cook.digesters) + 1,
            self._first_start_s + index * COOK_EVERY_S,
            round(charge, 2),
        )

    def last_cook(self, digester: int, at_s: float) -> CookRun:
        """Return the cook that is, or was last, in a digester."""
        span = COOK_EVERY_S * (len(self.line.cook.digesters) + 1)
        return [cook for cook in self.cooks(at_s - span, at_s) if cook.digester == digester][-1]

    def value(self, tag: Tag, at_s: float) -> float:
        """Return what the tag's instrument reads at a moment."""
        noise = tag.noise * self._noise(tag.id, at_s)
        if tag.id.startswith("digester_") and tag.id.endswith("_temp"):
            true = self._digester_c(int(tag.id.split("_")[1]), at_s)
        elif tag.id == "blow_tank_level":
            true = self._blow_tank_pct(tag, at_s)
        elif tag.id in self._slopes:
            true = self._level_pct(tag, at_s)
        else:
            true = (tag.simulate or 0.0) + self._drift(tag, at_s)
        low, high = tag.plausible
        return round(min(high, max(low, true + noise)), 4)

    def _noise(self, tag_id: str, at_s: float) -> float:
        """Slow and fast noise of unit size, the same for the same moment."""
        rng = np.random.default_rng([self.seed, self._index[tag_id], int(at_s) // 5])
        slow = np.sin(at_s / 700 + 2.1 * self._index[tag_id]) + 0.6 * np.sin(at_s / 173 + self._index[tag_id])
        return float(0.5 * slow + 0.6 * rng.standard_normal())

    def _drift(self, tag: Tag, at_s: float) -> float:
        """A drifting transmitter wanders off for six hours, then holds its error."""
        hours = (at_s - self.anchor_s) / 3600
        return tag.drift_per_h * (min(max(hours, -5.0), 4.0) + 5.0)

    def _level_pct(self, tag: Tag, at_s: float) -> float:
        """A level that runs to one edge of its working range, then back."""
        low, high = (tag.band.action[0] + 1, tag.band.action[1] - 4) if tag.band else (10.0, 90.0)
        start = tag.simulate or 50.0
        moved = start - low + self._slopes[tag.id] * (at_s - self.anchor_s) / 3600
        span = high - low
        folded = moved % (2 * span)
        return float(low + (folded if folded <= span else 2 * span - folded))

    def _blow_tank_pct(self, tag: Tag, at_s: float) -> float:
        """Each blow fills it in a quarter of an hour; the washers draw all the time."""
        blow_s = self.line.cook.blow_min * 60
        since = (at_s - self._first_start_s - self._relief_s) % COOK_EVERY_S
        full_bdt = 230 * 0.11
        blow_bdt = self._flows["blown"] * COOK_EVERY_S / 3600
        level = blow_bdt * (min(since / blow_s, 1.0) - since / COOK_EVERY_S)
        return float((tag.simulate or 50) - 12 + 100 * level / full_bdt)

    def _digester_c(self, digester: int, at_s: float) -> float:
        """Temperature of a digester: its plan, a little late, then blown and cooling."""
        plan = self.line.cook
        cook = self.last_cook(digester, at_s)
        minutes = (at_s - cook.started_s) / 60
        relief = self._relief_s / 60
        if minutes <= relief:
            late = 2.0 if cook.number == FIRST_COOK else 0.8
            times, temperatures = planned_profile(plan, 600)
            rising = float(np.interp(minutes - late, times, temperatures))
            return rising - 0.2 if minutes > 5 else 78 + minutes * 0.36
        cooling = minutes - relief
        if cooling < plan.blow_min:
            return plan.cook_c - (plan.cook_c - 98) * cooling / plan.blow_min
        return 98 - min(cooling - plan.blow_min, 60) * 0.3

    def history(self, from_s: float, to_s: float, step_s: float = 60.0) -> Iterator[tuple[str, int, float]]:
        """Yield (tag, second, value) of every live tag over a span."""
        for tag in self.tags:
            for at_s in np.arange(from_s, to_s, step_s):
                yield tag.id, int(at_s), self.value(tag, float(at_s))

    def thinned(self, from_s: float, to_s: float, hours: float) -> Iterator[tuple[str, int, float]]:
        """Yield the past, thinned with age: a value a minute of late, ten minutes for three days, then an hour."""
        late, recent = to_s - hours * 3600, to_s - max(hours * 3600, 3 * 86_400)
        yield from self.history(from_s, min(recent, late), 3600.0)
        yield from self.history(max(from_s, recent), late, 600.0)
        yield from self.history(max(from_s, late), to_s)

    def laboratory(self, from_s: float, to_s: float) -> Iterator[tuple[str, int, float]]:
        """Yield (tag, second, value) of the laboratory's routine over a span, newest value as the line says."""
        for index, tag in enumerate(self.line.tags):
            if tag.every_h is None:
                continue
            every_s = tag.every_h * 3600
            last_s = to_s - (0.30 + 0.09 * (index % 8)) * every_s
            back = 0
            while (at_s := last_s - back * every_s) >= from_s:
                rng = np.random.default_rng([self.seed, 100 + index, back])
                mark = tag.simulate or 0.0
                if back and tag.band and not tag.band.control[0] <= mark <= tag.band.control[1]:
                    mark = tag.band.target  # what is off now was on before
                value = mark if back == 0 else mark + tag.noise * float(rng.standard_normal())
                yield tag.id, int(at_s), round(value, tag.decimals) + 0.0  # no minus before nothing
                # Of what is older than two days, one value a day is kept.
                back += 1 if to_s - at_s < 2 * 86_400 else max(1, round(24 / tag.every_h))
