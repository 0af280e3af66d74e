"""The plant, thin: what every instrument would read at a moment, repeatable from a seed.

Levels follow the balance of the line (a vessel fed at other than its draw fills or
empties), digesters follow the cook plan, the rest stays near its mark with noise, and
what the story says drifts, drifts. A value depends on the seed and the moment alone, so
that history and the live signal are one and the same curve.
"""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from standin.digesters import CookRun, Digesters, Rhythm
from stock.cooking.recipe import Tank
from stock.cooking.school import drawing_from
from stock.cooking.unit import BlowTank
from stock.line.balance import LineBalance, Order
from stock.line.definition import Definition
from stock.line.story import Story
from stock.primitives import Mix, Store, Vessel
from stock.simulate.chance import normal_of
from stock.tag import Tag

if TYPE_CHECKING:
    from standin.past import Past

KEPT_LEVEL = 1.01  # feed over draw of a vessel that nothing is told of
Span = tuple[float, float, float]


def spans(from_s: float, to_s: float, hours: float) -> tuple[Span, Span, Span]:
    """Return (from, to, step) of a past thinned with age: an hour, ten minutes for three days, of late a minute."""
    late, recent = to_s - hours * 3600, to_s - max(hours * 3600, 3 * 86_400)
    return (from_s, recent, 3600.0), (max(from_s, recent), late, 600.0), (max(from_s, late), to_s, 60.0)


class Plant:
    """The simulated plant of a line, anchored to the moment the demonstration opened."""

    def __init__(self, line: Definition, seed: int, anchor_s: float, story: Story | None = None) -> None:
        """Solve the line once; everything else is a function of time."""
        self.line = line
        self.seed = seed
        self.anchor_s = anchor_s
        self.story = story or Story()
        self.tags = [tag for tag in line.tags if tag.live]
        self._index = {tag.id: index for index, tag in enumerate(line.tags)}
        result = LineBalance(line).solve(Order.of(line.grades[0]))
        self._flows = {name: stream.bdt_per_h for name, stream in result.streams.items()}
        self._slopes = self._level_slopes()
        self.digesters = Digesters(line, seed, anchor_s, result, self.story)
        self._house = {
            tag: (one.number, kind)
            for one in line.cook.digesters
            if one.number in self.digesters.numbers
            for kind, tag in (("top", one.temperature), ("bottom", one.bottom), ("pressure", one.pressure))
            if tag
        }
        self._tanks = {tank.level: tank for tank in line.cook.tanks if self._rhythm_of(tank) is not None}
        self._blow_tanks = {
            unit.level: unit
            for unit in line.units
            if isinstance(unit, BlowTank) and unit.level and unit.volume_m3 and self._blown_into(unit) is not None
        }

    def starts(self, tag: Tag) -> float:
        """Return where a tag stands as the demonstration opens."""
        return self.story.starts(self.line, tag.id)

    def _level_slopes(self) -> dict[str, float]:
        """Per cent an hour at which each level moves, from feed, draw and size."""
        slopes = {}
        for unit in self.line.units:
            onward = self.line.graph.onward(unit.id)
            if isinstance(unit, (Mix, Store)) and unit.level and unit.volume_m3 and onward is not None:
                full_bdt = unit.volume_m3 * (unit.holds_pct or 4.0) / 100
                over = self.story.feed_over_draw.get(unit.id, KEPT_LEVEL)
                slopes[unit.level] = 100 * self._flows[onward.id] * (over - 1) / full_bdt
        return slopes

    def _rhythm_of(self, tank: Tank) -> Rhythm | None:
        rhythms = self.digesters.rhythms.values()
        return next((one for one in rhythms if one.recipe.school in drawing_from(tank.liquor)), None)

    def _blown_into(self, unit: Vessel) -> Rhythm | None:
        return next((one for one in self.digesters.rhythms.values() if one.recipe.blow_to == unit.id), None)

    def cooks(self, from_s: float, to_s: float) -> list[CookRun]:
        """Return the cooks started between two moments."""
        return self.digesters.cooks(from_s, to_s)

    def last_cook(self, digester: int, at_s: float) -> CookRun:
        """Return the cook that is, or was last, in a digester."""
        return self.digesters.last(digester, at_s)

    def value(self, tag: Tag, at_s: float) -> float:
        """Return what the tag's instrument reads at a moment."""
        if tag.id in self._house:
            true = self._digester(*self._house[tag.id], at_s)
        elif tag.id in self._tanks:
            true = self._tank_pct(tag, at_s)
        elif tag.id in self._blow_tanks:
            true = self._blow_tank_pct(tag, at_s)
        elif tag.id in self._slopes:
            true = self._level_pct(tag, at_s)
        else:
            true = self.starts(tag) + self.story.drift(tag.id, (at_s - self.anchor_s) / 3600)
        return self._noisy(tag, true, at_s)

    def _noise(self, tag_id: str, at_s: float) -> float:
        """Slow and fast noise of unit size, the same for the same moment."""
        fast = normal_of(self.seed, self._index[tag_id], int(at_s) // 5)
        return float(0.5 * self._wave(tag_id, at_s) + 0.6 * fast)

    def _wave(self, tag_id: str, at_s: Any) -> Any:
        """Return the slow part of noise at a moment, or at each of many."""
        return np.sin(at_s / 700 + 2.1 * self._index[tag_id]) + 0.6 * np.sin(at_s / 173 + self._index[tag_id])

    def _level_pct(self, tag: Tag, at_s: float) -> float:
        """A level that runs to one edge of its working range, then back."""
        low, high = (tag.band.action[0] + 1, tag.band.action[1] - 4) if tag.band else (10.0, 90.0)
        moved = self.starts(tag) - low + self._slopes[tag.id] * (at_s - self.anchor_s) / 3600
        span = high - low
        folded = moved % (2 * span)
        return float(low + (folded if folded <= span else 2 * span - folded))

    def _blow_tank_pct(self, tag: Tag, at_s: float) -> float:
        """Each blow fills it in a quarter of an hour; the washers draw all the time."""
        unit = self._blow_tanks[tag.id]
        rhythm = self._blown_into(unit)
        fed = self.line.graph.fed_by(unit.id)
        assert rhythm is not None
        assert fed is not None
        blow_s = rhythm.recipe.blow_min * 60
        since = (at_s - rhythm.first_start_s - 60 * rhythm.planned_min) % rhythm.every_s
        full_bdt = (unit.volume_m3 or 1.0) * (unit.holds_pct or 11.0) / 100
        blow_bdt = self._flows[fed.id] * rhythm.every_s / 3600
        level = blow_bdt * (min(since / blow_s, 1.0) - since / rhythm.every_s)
        return float(self.starts(tag) - 12 + 100 * level / full_bdt)

    def _tank_pct(self, tag: Tag, at_s: float) -> float:
        """A liquor tank, made up all the time and drawn at each charge."""
        tank = self._tanks[tag.id]
        rhythm = self._rhythm_of(tank)
        assert rhythm is not None
        cook = rhythm.cook(0)
        drawn = cook.fill_m3 if tank.liquor == "black" else cook.liquor_m3
        charged = 60 * (rhythm.recipe.fill_min + rhythm.recipe.liquor_min)
        since = (at_s - rhythm.first_start_s - charged) % rhythm.every_s / rhythm.every_s
        swing = 100 * drawn / tank.volume_m3
        slow = 5 * np.sin((at_s - self.anchor_s) / 40_000)
        return float(self.starts(tag) + swing * (since - 0.5) + slow)

    def _digester(self, number: int, kind: str, at_s: float) -> float:
        """What one of a digester's own instruments stands at."""
        if kind == "pressure":
            return self.digesters.kpa_g(number, at_s)
        return self.digesters.celsius(number, at_s, bottom=kind == "bottom")

    @property
    def flows(self) -> dict[str, float]:
        """Bone-dry flow of every stream at rest, t/h."""
        return self._flows

    def slope_pct_per_h(self, tag_id: str) -> float:
        """Return by how much an hour a level moves, as the story feeds its vessel; nought where nothing is told."""
        return self._slopes.get(tag_id, 0.0)

    def history(self, from_s: float, to_s: float, step_s: float = 60.0) -> Iterator[tuple[str, int, float]]:
        """Yield (tag, second, value) of every live tag over a span."""
        for tag in self.tags:
            for at_s in np.arange(from_s, to_s, step_s):
                yield tag.id, int(at_s), self.value(tag, float(at_s))

    def thinned(
        self, from_s: float, to_s: float, hours: float, past: "Past | None" = None
    ) -> Iterator[tuple[str, int, float]]:
        """Yield the past, thinned with age: a value a minute of late, ten minutes for three days, then an hour."""
        times = np.concatenate([np.arange(*span) for span in spans(from_s, to_s, hours)])
        for tag in self.tags:
            made = None if past is None else past.course(tag.id, times)
            if made is None:
                yield from ((tag.id, int(at_s), self.value(tag, at_s)) for at_s in times.tolist())
            else:
                noise = np.random.default_rng([self.seed, self._index[tag.id], 97]).standard_normal(len(times))
                seen = np.clip(made + tag.noise * (0.5 * self._wave(tag.id, times) + 0.6 * noise), *tag.plausible)
                yield from (
                    (tag.id, int(at_s), round(value, 4) if np.isfinite(value) else self.value(tag, at_s))
                    for at_s, value in zip(times.tolist(), seen.tolist(), strict=True)
                )

    def _noisy(self, tag: Tag, true: float, at_s: float) -> float:
        low, high = tag.plausible
        return round(min(high, max(low, true + tag.noise * self._noise(tag.id, at_s))), 4)

    def laboratory(self, from_s: float, to_s: float, past: "Past | None" = None) -> Iterator[tuple[str, int, float]]:
        """Yield (tag, second, value) of the laboratory's routine over a span, newest value as the story says."""
        of_cooks = self.digesters.tested
        for index, tag in enumerate(self.line.tags):
            if tag.every_h is None or tag.id in of_cooks:  # what is tested of each cook comes with the cook
                continue
            every_s = tag.every_h * 3600
            last_s = self.last_sampled_s(tag, to_s)
            back = 0
            while (at_s := last_s - back * every_s) >= from_s:
                rng = np.random.default_rng([self.seed, 100 + index, back])
                mark = self.starts(tag)
                if back and tag.band and not tag.band.control[0] <= mark <= tag.band.control[1]:
                    mark = tag.band.target  # what is off now was on before
                if back and past is not None:
                    mark += past.change(tag.id, at_s)
                value = mark if back == 0 else mark + tag.noise * float(rng.standard_normal())
                yield tag.id, int(at_s), round(value, tag.decimals) + 0.0  # no minus before nothing
                # Of what is older than two days, one value a day is kept.
                back += 1 if to_s - at_s < 2 * 86_400 else max(1, round(24 / tag.every_h))

    def last_sampled_s(self, tag: Tag, to_s: float) -> float:
        """Return when a routine test was last sampled before a moment."""
        return to_s - (0.30 + 0.09 * (self._taken_with(tag) % 8)) * (tag.every_h or 1.0) * 3600

    def _taken_with(self, tag: Tag) -> int:
        """Return the place of the tag its sample is taken with: a liquor is titrated once for all it is read for."""
        part = self.line.part(tag.of)
        strength = part.tag_of("strength") if isinstance(part, Tank) else None
        return self._index[strength or tag.id]
