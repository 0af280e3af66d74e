"""Who sets which flow: every driven flow of a line once, by rules in the order of the work.

A dose follows its stream, wash liquor the pulp, a dilution its consistency; the furnish follows its
shares and the blend chest's level, the thick stock the order, the filler the ash; every other vessel
asks what feeds it, batch groups follow their own schedule. What no rule takes is left as it is, by hand.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final, Literal

from stock.errors import DomainError
from stock.primitives import Dose, Mix, React, Separate, Source, Store, Tank, Unit, Water
from stock.simulate.columns import MASSES, SOLIDS
from stock.simulate.layout import Layout
from stock.simulate.loops import averaging

PIPE_S, LAG_S = 8.0, 6.0  # of a consistency loop: to the transmitter, and its own
REEL_DEAD_S, REEL_LAMBDA_S, REEL_RESET_S = 20.0, 300.0, 60.0
ASH_LAMBDA_S, ASH_RESET_S = 900.0, 200.0
SHARE_S: Final = 12.0

Kind = Literal["consistency", "level", "total", "reel", "ash"]


@dataclass(frozen=True, slots=True)
class Loop:
    """A controller: what it measures, what it drives, its tuning, its set point. Flows in t/s, levels in t, consistency and ash in %."""

    id: str
    kind: Kind
    unit: str
    driven: int  # transfer it sets; -1 for the total of the furnish
    row: int  # holder whose content it measures; -1 where it measures a stream
    gain: float
    reset_s: float
    dead_s: float
    set_point: float


@dataclass(frozen=True, slots=True)
class Ratio:
    """A flow that follows the bone-dry flow of a stream: t of it per t bone-dry."""

    unit: str
    driven: int
    stream: str
    per_bd: float
    liquor_row: int = -1  # a batch group's liquor tank, which asks for more when it is low
    wash_of: str = ""


@dataclass(frozen=True, slots=True)
class Share:
    """A share of the furnish: the flow driven for it."""

    stream: str
    driven: int
    bd_frac: float


@dataclass(frozen=True, slots=True)
class Plan:
    """All of it."""

    loops: tuple[Loop, ...]
    ratios: tuple[Ratio, ...]
    shares: tuple[Share, ...]
    bins: tuple[tuple[int, int], ...]  # (group, transfer that fills its bin)
    drawn_by: tuple[tuple[int, int], ...]  # (group, transfer that draws what it blew)
    by_hand: tuple[int, ...]


def plan(layout: Layout) -> Plan:
    """Return who sets which flow.

    Raises
    ------
    DomainError
        E_INFEASIBLE, naming the unit, where a set consistency has no water of its own or two.
    """
    return _Planner(layout).plan()


def up_the_stock(layout: Layout, stream: str) -> Iterator[tuple[str, Unit]]:
    """Yield each stream up the stock's way with what it comes from; where streams meet, the one with most bone-dry in it."""
    line, seen = layout.line, set()
    while stream not in seen:
        seen.add(stream)
        unit = line.unit(line.stream(stream).source)
        yield stream, unit
        into = [
            one.id for one in line.graph.into(unit.id) if not isinstance(line.unit(one.source), (Tank, Water, Dose))
        ]
        if not into:
            return
        stream = max(into, key=lambda one: layout.result.streams[one].bdt_per_h)


class _Planner:
    def __init__(self, layout: Layout) -> None:
        self.layout, self.line = layout, layout.line
        self.taken: set[int] = set()
        self.loops: list[Loop] = []

    def plan(self) -> Plan:
        ratios = self._ratios()
        self._consistencies()
        shares = self._shares()
        self._order_and_ash(recipe_by_order=bool(shares) and not self._recipe_has_volume())
        bins, drawn = self._levels()
        ratios += self._meetings()
        driven = [index for index, one in enumerate(self.layout.transfers) if one.way in ("pumped", "feed")]
        by_hand = tuple(index for index in driven if index not in self.taken)
        return Plan(tuple(self.loops), tuple(ratios), tuple(shares), tuple(bins), tuple(drawn), by_hand)

    def _take(self, driven: int) -> int:
        self.taken.add(driven)
        return driven

    def _bd(self, stream: str) -> float:
        return float(self.layout.result.streams[stream].flows_t_per_h[SOLIDS].sum()) / 3600

    def _total(self, stream: str) -> float:
        return float(self.layout.result.streams[stream].flows_t_per_h[:MASSES].sum()) / 3600

    def driven_upstream(self, stream: str) -> int | str | None:
        """Return the first driven flow up the stock's way, or the batch group that stands in it."""
        for one, unit in up_the_stock(self.layout, stream):
            at = self.layout.at.get(one)
            if at is not None and self.layout.transfers[at].way in ("pumped", "feed"):
                return at if isinstance(unit, (Source, Store)) or self.layout.transfers[at].way == "pumped" else None
            if isinstance(unit, React) and unit.id in {group.unit for group in self.layout.groups}:
                return unit.id
        return None

    # ---- the rules, in their order

    def _ratios(self) -> list[Ratio]:
        found = []
        for unit in self.line.units:
            if isinstance(unit, Dose):
                (out,) = self.line.graph.out(unit.id)
                per_bd = unit.kg_per_t / 1000 * sum(unit.solids.values()) + unit.water_t_per_t
                row = self.layout.into(out.id)
                liquor = row if row is not None and any(row == one.liquor for one in self.layout.groups) else -1
                found.append(Ratio(unit.id, self._take(self.layout.at[out.id]), unit.of_stream, per_bd, liquor))
            elif isinstance(unit, Separate) and unit.wash is not None and unit.wash.stream in self.layout.at:
                per_bd = unit.wash.dilution_factor_t_per_bdt + 100 / unit.consistency_pct - 1
                driven = self._take(self.layout.at[unit.wash.stream])
                found.append(Ratio(unit.id, driven, unit.accept, per_bd, wash_of=unit.id))
        return found

    def _consistencies(self) -> None:
        for unit in self.line.units:
            if not isinstance(unit, Mix) or unit.consistency_pct is None:
                continue
            free = [
                one.id for one in self.line.graph.into(unit.id)
                if isinstance(self.line.unit(one.source), (Tank, Water)) and self.layout.at[one.id] not in self.taken
            ]  # fmt: skip
            if len(free) != 1:
                message = f"{unit.name} has {len(free)} waters for its one consistency: {', '.join(free) or 'none'}"
                raise DomainError("E_INFEASIBLE", unit.id, message, "one")
            inlets = [one.id for one in self.line.graph.into(unit.id)]
            total, bd = sum(map(self._total, inlets)), sum(map(self._bd, inlets))
            thin = 100 * self._bd(free[0]) / max(self._total(free[0]), 1e-12)
            answers = -(100 * bd / max(total, 1e-12) - thin) / max(total, 1e-12)  # % for each t/s of water
            dt = self.layout.dt_s
            reset, dead = max(LAG_S, 4 * dt), max(PIPE_S, dt)
            gain = reset / (answers * 3 * max(dead, 2 * dt)) if answers < 0 else 0.0
            driven = self._take(self.layout.at[free[0]])
            self.loops.append(
                Loop(
                    f"consistency:{unit.id}",
                    "consistency",
                    unit.id,
                    driven,
                    -1,
                    gain,
                    reset,
                    dead,
                    unit.consistency_pct,
                )
            )

    def _recipe(self) -> Mix | None:
        return next((one for one in self.line.units if isinstance(one, Mix) and one.recipe), None)

    def _recipe_has_volume(self) -> bool:
        unit = self._recipe()
        return unit is not None and unit.id in self.layout.row

    def _shares(self) -> list[Share]:
        unit = self._recipe()
        if unit is None:
            return []
        found = []
        for stream in self.line.graph.into(unit.id):
            if not any(stream.id in grade.shares for grade in self.line.grades):
                continue
            driven = self.driven_upstream(stream.id)
            if isinstance(driven, int) and driven not in self.taken:
                made = self.layout.transfers[driven].make_up
                found.append(Share(stream.id, self._take(driven), float(made[SOLIDS].sum())))
        if unit.id in self.layout.row:
            row = self.layout.row[unit.id]
            (out,) = self.line.graph.out(unit.id)
            furnish = sum(self._bd(one.id) for one in self.line.graph.into(unit.id))
            self.loops.append(self._level(unit.id, row, -1, self._total(out.id), furnish))
        return found

    def _order_and_ash(self, *, recipe_by_order: bool) -> None:
        reel = next((one for one in self.line.units if getattr(one, "order", False)), None)
        if reel is None:
            return
        (stream,) = self.line.graph.into(reel.id)
        made = self._total(stream.id)
        recipe = self._recipe()
        driven = -1 if recipe_by_order else self.driven_upstream(stream.id)
        if isinstance(driven, int) and driven not in self.taken:
            present = self.layout.transfers[driven].design_t_per_s if driven >= 0 else 0.0
            if driven < 0 and recipe is not None:
                present = sum(self._bd(one.id) for one in self.line.graph.into(recipe.id))
            dt = self.layout.dt_s
            gain = REEL_RESET_S / (made / max(present, 1e-12) * (REEL_LAMBDA_S + REEL_DEAD_S))
            if driven >= 0:
                self._take(driven)
            self.loops.append(
                Loop(
                    f"reel:{reel.id}",
                    "reel",
                    reel.id,
                    driven,
                    -1,
                    gain,
                    max(REEL_RESET_S, 4 * dt),
                    max(REEL_DEAD_S, dt),
                    made,
                )
            )
        self._ash(reel.id)

    def _ash(self, reel: str) -> None:
        filler = [one for one in self.line.units if isinstance(one, Source) and one.family is None]
        if not filler:
            return
        (out,) = self.line.graph.out(filler[0].id)
        ash_pct = 100 * self.layout.result.order.grade.ash_frac
        present = max(self._total(out.id), 1e-12)
        answers = ash_pct * (1 - ash_pct / 100) / present
        dt = self.layout.dt_s
        gain = ASH_RESET_S / (max(answers, 1e-9) * (ASH_LAMBDA_S + REEL_DEAD_S))
        driven = self._take(self.layout.at[out.id])
        self.loops.append(
            Loop(f"ash:{reel}", "ash", reel, driven, -1, gain, max(ASH_RESET_S, 4 * dt), max(REEL_DEAD_S, dt), ash_pct)
        )

    def _levels(self) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
        bins, drawn = [], []
        by_unit = {group.unit: index for index, group in enumerate(self.layout.groups)}
        vessels = [
            one for one in self.line.units if isinstance(one, Mix) and one.id in self.layout.row and not one.recipe
        ]
        for unit in vessels:
            (out,) = self.line.graph.out(unit.id)
            fed = self.line.graph.fed_by(unit.id)
            found = None if fed is None else self.driven_upstream(fed.id)
            if isinstance(found, str):
                drawn.append((by_unit[found], self.layout.at[out.id]))
            elif found is not None and found not in self.taken:
                design = self.layout.transfers[found].design_t_per_s
                self.loops.append(
                    self._level(unit.id, self.layout.row[unit.id], self._take(found), self._total(out.id), design)
                )
        for index, group in enumerate(self.layout.groups):
            if group.target >= 0:
                (out,) = self.line.graph.out(group.unit)
                drawn.append((index, self.layout.at[out.id]))
            found = self.driven_upstream(group.stream_in)
            if isinstance(found, int) and found not in self.taken:
                bins.append((index, self._take(found)))
        return bins, drawn

    def _meetings(self) -> list[Ratio]:
        """Where the stock of several pumps meets, let what nobody sets follow what is set beside it, as at rest."""
        found = []
        for unit in self.line.units:
            if not isinstance(unit, Mix):
                continue
            stock = [
                one.id for one in self.line.graph.into(unit.id)
                if one.id in self.layout.at and not isinstance(self.line.unit(one.source), (Tank, Water, Dose))
            ]  # fmt: skip
            pumped = [one for one in stock if self.layout.transfers[self.layout.at[one]].way == "pumped"]
            led = [one for one in pumped if self.layout.at[one] in self.taken and self._bd(one) > 0]
            for one in pumped if led else ():
                if self.layout.at[one] not in self.taken:
                    leads = max(led, key=self._bd)
                    per_bd = self._total(one) / self._bd(leads)
                    found.append(Ratio(unit.id, self._take(self.layout.at[one]), leads, per_bd))
        return found

    def _level(self, unit: str, row: int, driven: int, out_t_per_s: float, driven_t_per_s: float) -> Loop:
        content = self.layout.content.get(unit, self.layout.holders[row].content_t)
        volume = getattr(self.line.unit(unit), "volume_m3", None) or content / 0.6
        out = max(out_t_per_s, 1e-9)
        tuned = averaging(volume, out * 3600)
        scale = driven_t_per_s / out / 3600
        reset_s = max(tuned.reset_h * 3600, 4 * self.layout.dt_s)
        return Loop(
            f"level:{unit}",
            "total" if driven < 0 else "level",
            unit,
            driven,
            row,
            tuned.gain_per_h * scale,
            reset_s,
            0.0,
            content,
        )
