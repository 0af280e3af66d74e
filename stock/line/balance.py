"""The steady balance of the whole line: one sparse linear system over all streams.

Unknowns are the component flows of every stream, and one scalar for each stream that
runs as much as it is needed (sources, fresh water, draws from a tank). Every unit
writes one row for each component of what leaves it; consistencies, dilution factors,
furnish shares, ash and the order close the scalars. Recycle loops are columns like any
other. Only the composition of the water tanks is not linear: it is taken from the
last solution and repeated until it stands, which the next order usually inherits.
Mass closes at every pass, whatever the tanks hold.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from stock.errors import DomainError
from stock.line.definition import (
    Definition,
    DefinitionError,
    Dose,
    Grade,
    Mix,
    React,
    Separate,
    Sink,
    Source,
    Split,
    Store,
    Tank,
    Water,
)
from stock.material import COMPONENTS, FILTERABLE_MASK, INDEX, Stream
from stock.washing.stage import washing_loss_frac

_N = len(COMPONENTS)
_FILT = [i for i in range(_N) if FILTERABLE_MASK[i]]
_WATER = INDEX["water"]
CLOSURE = 1e-9
_SETTLED = 1e-9
_MOST_PASSES = 60
_MEMORY = 6


@dataclass(frozen=True, slots=True)
class Order:
    """What the machine asks for."""

    grade: Grade
    reel_t_per_h: float
    shares: Mapping[str, float]

    @classmethod
    def of(cls, grade: Grade, reel_t_per_h: float | None = None, shares: Mapping[str, float] | None = None) -> "Order":
        """Make an order, by default the grade's own tonnes and recipe.

        Raises
        ------
        DomainError
            E_RANGE for tonnes outside 0 to 200, E_SUM for shares that do not add to 1.
        """
        tonnes = grade.tonnes_per_h if reel_t_per_h is None else reel_t_per_h
        if not (np.isfinite(tonnes) and 0 < tonnes <= 200):
            raise DomainError(
                "E_RANGE",
                "reel_t_per_h",
                f"the order is {tonnes:g} t/h, outside 0 to 200 t/h",
                "more than 0, to 200 t/h",
            )
        recipe = dict(grade.shares if shares is None else shares)
        for name, share in recipe.items():
            if not 0 <= share <= 1:
                raise DomainError(
                    "E_RANGE", name, f"the share of {name} is {100 * share:g} %, outside 0 to 100 %", "0 to 100 %"
                )
        total = sum(recipe.values())
        if abs(total - 1) > 1e-6:
            raise DomainError(
                "E_SUM", "shares", f"the shares add to {100 * total:.1f} %; they must add to 100 %", "100 %"
            )
        return cls(grade, tonnes, recipe)


@dataclass(frozen=True, slots=True)
class Load:
    """How hard a unit runs against what it can do."""

    unit: str
    station: str
    stream: str
    bd_t_per_h: float
    capacity_bd_t_per_h: float

    @property
    def used_frac(self) -> float:
        """Share of the capacity in use."""
        return self.bd_t_per_h / self.capacity_bd_t_per_h


@dataclass(frozen=True, slots=True)
class LineResult:
    """The whole line at rest, for one order."""

    order: Order
    streams: Mapping[str, Stream]
    stores_t_per_h: Mapping[str, float]
    loads: tuple[Load, ...]
    shortages: tuple[str, ...]
    closure_frac: float
    passes: int

    @property
    def binding(self) -> Load:
        """The unit that would stop a larger order first."""
        return max(self.loads, key=lambda load: load.used_frac)

    @property
    def most_t_per_h(self) -> float:
        """The largest order of this grade and recipe that every unit can carry."""
        return self.order.reel_t_per_h / self.binding.used_frac

    @property
    def feasible(self) -> bool:
        """Whether every unit can carry the order and no tank runs short."""
        return self.binding.used_frac <= 1 + 1e-9 and not self.shortages

    def require_feasible(self) -> None:
        """Refuse an order the line cannot meet, naming what binds.

        Raises
        ------
        DomainError
            E_INFEASIBLE, with the station, its limit and the largest order that fits.
        """
        if self.shortages:
            raise DomainError(
                "E_INFEASIBLE", "reel_t_per_h", "; ".join(self.shortages), "an order the water loops can feed"
            )
        if not self.feasible:
            load = self.binding
            message = (
                f"{load.unit} would have to carry {load.bd_t_per_h:.2f} BDt/h and can carry"
                f" {load.capacity_bd_t_per_h:g}; this recipe can run at {self.most_t_per_h:.2f} t/h at most"
            )
            raise DomainError("E_INFEASIBLE", "reel_t_per_h", message, f"{self.most_t_per_h:.2f} t/h or less")


def _share(shares: Mapping[Any, float], component: str, otherwise: float = 0.0) -> float:
    """Return a component's share, or what holds where it is not named."""
    return shares.get(component, otherwise)


def _accelerated(guesses: list[np.ndarray], answers: list[np.ndarray]) -> np.ndarray:
    """Return the next guess of a fixed point from the last few (Anderson's mixing)."""
    residuals = [answer - guess for guess, answer in zip(guesses, answers, strict=True)]
    if len(residuals) == 1:
        return answers[0]
    steps = np.column_stack([later - earlier for earlier, later in pairwise(residuals)])
    weights, *_ = np.linalg.lstsq(steps, residuals[-1], rcond=1e-12)
    moved = np.column_stack([later - earlier for earlier, later in pairwise(answers)])
    return np.asarray(answers[-1] - moved @ weights)


class LineBalance:
    """The balance of one line, assembled once and solved for any order.

    Parameters
    ----------
    line : Definition
        The line.

    Raises
    ------
    DefinitionError
        If the line leaves a flow undetermined, or determines one twice; names the stream.
    """

    def __init__(self, line: Definition) -> None:
        """Assemble the system."""
        self.line = line
        self.streams = [stream.id for stream in line.streams]
        self._at = {name: index * _N for index, name in enumerate(self.streams)}
        self._ins: dict[str, list[str]] = {unit.id: [] for unit in line.units}
        self._outs: dict[str, list[str]] = {unit.id: [] for unit in line.units}
        for stream in line.streams:
            self._outs[stream.source].append(stream.id)
            self._ins[stream.target].append(stream.id)
        self._units: dict[str, Any] = {unit.id: unit for unit in line.units}
        self._rows: list[int] = []
        self._cols: list[int] = []
        self._vals: list[float] = []
        self._row = 0
        self._scalars: dict[str, int] = {}
        self._tank_slots: dict[str, list[tuple[int, int]]] = {}
        self._share_slots: dict[str, list[int]] = {}
        self._ash_slots: list[int] = []
        self._split_slots: dict[str, list[int]] = {}
        self._order_row = -1
        self._assemble()
        self._freeze()
        empty = np.zeros(_N)
        empty[_WATER] = 1.0
        self._tanks = {unit.id: empty for unit in line.units if isinstance(unit, Tank)}

    # ---- assembly, one writer for each kind of unit

    def _assemble(self) -> None:
        for stream in self.line.streams:
            unit = self._units[stream.source]
            drawn = isinstance(unit, (Source, Store, Water)) or (isinstance(unit, Tank) and stream.id != unit.overflow)
            if drawn:
                self._scalars[stream.id] = len(self.streams) * _N + len(self._scalars)
        writers: dict[type, Callable[[Any], None]] = {
            Source: self._source,
            Store: self._source,
            Dose: self._dose,
            Water: self._water,
            Mix: self._mix,
            React: self._react,
            Separate: self._separate,
            Split: self._split,
            Tank: self._tank,
            Sink: self._sink,
        }
        for unit in self.line.units:
            writers[type(unit)](unit)
        self._close_ash()
        size = len(self.streams) * _N + len(self._scalars)
        if self._row != size:
            free = ", ".join(self._scalars)
            message = (
                f"streams: {size} unknown flows but {self._row} conditions; one of {free} is set twice or not at all"
            )
            raise DefinitionError([message])

    def _put(self, column: int, value: float) -> int:
        self._rows.append(self._row)
        self._cols.append(column)
        self._vals.append(value)
        return len(self._vals) - 1

    def _next(self) -> None:
        self._row += 1

    def _source(self, unit: Source | Store) -> None:
        (stream,) = self._outs[unit.id]
        water_per_bd = 100 / unit.consistency_pct - 1
        for c, name in enumerate(COMPONENTS):
            share = water_per_bd if name == "water" else _share(unit.solids, name)
            self._put(self._at[stream] + c, 1.0)
            if share:
                self._put(self._scalars[stream], -share)
            self._next()

    def _dose(self, unit: Dose) -> None:
        (stream,) = self._outs[unit.id]
        for c, name in enumerate(COMPONENTS):
            ratio = unit.water_t_per_t if name == "water" else _share(unit.solids, name) * unit.kg_per_t / 1000
            self._put(self._at[stream] + c, 1.0)
            if ratio:
                for f in _FILT:
                    self._put(self._at[unit.of_stream] + f, -ratio)
            self._next()

    def _water(self, unit: Water) -> None:
        for stream in self._outs[unit.id]:
            for c in range(_N):
                self._put(self._at[stream] + c, 1.0)
                if c == _WATER:
                    self._put(self._scalars[stream], -1.0)
                self._next()

    def _sum_in(self, unit_id: str, component: int, sign: float = -1.0) -> None:
        for stream in self._ins[unit_id]:
            self._put(self._at[stream] + component, sign)

    def _mix(self, unit: Mix) -> None:
        (out,) = self._outs[unit.id]
        for c in range(_N):
            self._put(self._at[out] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()
        if unit.consistency_pct is not None:
            self._consistency(out, unit.consistency_pct)
        if unit.recipe:
            self._recipe(unit)

    def _consistency(self, stream: str, consistency_pct: float) -> None:
        for c in range(_N):
            value = 1.0 - (100 / consistency_pct if c in _FILT else 0.0)
            self._put(self._at[stream] + c, value)
        self._next()

    def _recipe(self, unit: Mix) -> None:
        """Share of each fibre stream: all but one, since shares add to one."""
        fibre = [name for name in self._ins[unit.id] if any(name in grade.shares for grade in self.line.grades)]
        self._recipe_streams = fibre
        for name in fibre[:-1]:
            self._share_slots[name] = []
            for other in fibre:
                for f in _FILT:
                    slot = self._put(self._at[other] + f, 1.0 if other == name else 0.0)
                    self._share_slots[name].append(slot)
            self._next()

    def _react(self, unit: React) -> None:
        (out,) = self._outs[unit.id]
        for c, name in enumerate(COMPONENTS):
            self._put(self._at[out] + c, 1.0)
            if name in ("fibre", "fines"):
                self._sum_in(unit.id, c, -unit.yield_frac)
            else:
                self._sum_in(unit.id, c)
            if name == "organics":
                for part in ("fibre", "fines"):
                    self._sum_in(unit.id, INDEX[part], -(1 - unit.yield_frac))
            self._next()

    def _separate(self, unit: Separate) -> None:
        dissolved = 0.0
        if unit.wash:
            dissolved = washing_loss_frac(
                dilution_factor_t_per_odt=unit.wash.dilution_factor_t_per_odt,
                feed_consistency_pct=unit.wash.feed_consistency_pct,
                e_std_total_ratio=unit.wash.e_std,
            )
        for c, name in enumerate(COMPONENTS):
            if c == _WATER:
                continue
            share = _share(unit.accept_frac, name, 1.0 if c in _FILT else dissolved)
            self._put(self._at[unit.accept] + c, 1.0)
            if share:
                self._sum_in(unit.id, c, -share)
            self._next()
        self._consistency(unit.accept, unit.consistency_pct)
        for c in range(_N):
            self._put(self._at[unit.rest] + c, 1.0)
            self._put(self._at[unit.accept] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()
        if unit.wash:
            liquor = unit.wash.dilution_factor_t_per_odt + 100 / unit.consistency_pct - 1
            self._put(self._scalars[unit.wash.stream], 1.0)
            for f in _FILT:
                self._put(self._at[unit.accept] + f, -liquor)
            self._next()

    def _split(self, unit: Split) -> None:
        slots = []
        for c in range(_N):
            self._put(self._at[unit.accept] + c, 1.0)
            for stream in self._ins[unit.id]:
                slots.append(self._put(self._at[stream] + c, -unit.accept_frac))  # noqa: PERF401  one row at a time
            self._next()
        if unit.by_grade:
            self._split_slots[unit.id] = slots
        for c in range(_N):
            self._put(self._at[unit.rest] + c, 1.0)
            self._put(self._at[unit.accept] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()

    def _tank(self, unit: Tank) -> None:
        slots = self._tank_slots.setdefault(unit.id, [])
        drawn = [name for name in self._outs[unit.id] if name != unit.overflow]
        for stream in drawn:
            for c in range(_N):
                self._put(self._at[stream] + c, 1.0)
                slot = self._put(self._scalars[stream], -1.0 if c == _WATER else 0.0)
                if c != _WATER:
                    slots.append((slot, c))
                self._next()
        for c in range(_N):
            self._put(self._at[unit.overflow] + c, 1.0)
            for stream in drawn:
                self._put(self._at[stream] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()

    def _sink(self, unit: Sink) -> None:
        if not unit.order:
            return
        (reel,) = self._ins[unit.id]
        self._reel = reel
        self._order_row = self._row
        for c in range(_N):
            self._put(self._at[reel] + c, 1.0)
        self._next()

    def _close_ash(self) -> None:
        """The filler source runs until the sheet holds the grade's ash."""
        if any(isinstance(unit, Source) and unit.family is None for unit in self.line.units):
            for f in _FILT:
                slot = self._put(self._at[self._reel] + f, 1.0 if f == INDEX["filler"] else 0.0)
                self._ash_slots.append(slot)
            self._next()

    def _freeze(self) -> None:
        """Turn the lists into a compressed matrix whose values can be set in place."""
        size = self._row
        self._size = size
        rows, cols = np.array(self._rows), np.array(self._cols)
        self._base = np.array(self._vals)
        order = np.lexsort((rows, cols))
        keys = cols[order].astype(np.int64) * size + rows[order]
        starts = np.concatenate(([True], np.diff(keys) > 0))
        self._slot_of = np.empty(len(order), dtype=np.int64)
        self._slot_of[order] = np.cumsum(starts) - 1
        self._indices = rows[order][starts].astype(np.int32)
        counts = np.bincount(cols[order][starts], minlength=size)
        self._indptr = np.concatenate(([0], np.cumsum(counts))).astype(np.int32)
        self._entries = int(starts.sum())

    # ---- solving

    def matrix(self, order: Order) -> tuple[csc_matrix, np.ndarray]:
        """Return the system (matrix, right-hand side) for an order, with the tanks as last known."""
        values = self._base.copy()
        for tank, slots in self._tank_slots.items():
            strength = self._tanks[tank]
            for slot, c in slots:
                values[slot] = -strength[c]
        for name, share_slots in self._share_slots.items():
            share = order.shares.get(name, 0.0)
            for index, slot in enumerate(share_slots):
                other = self._recipe_streams[index // len(_FILT)]
                values[slot] = (1.0 if other == name else 0.0) - share
        for f, slot in zip(_FILT, self._ash_slots, strict=False):
            values[slot] = (1.0 if f == INDEX["filler"] else 0.0) - order.grade.ash_frac
        for unit_id, columns in self._split_slots.items():
            unit = self._units[unit_id]
            values[columns] = -1.0 if order.grade.branches.get(unit_id, unit.accept) == unit.accept else 0.0
        data = np.bincount(self._slot_of, weights=values, minlength=self._entries)
        right = np.zeros(self._size)
        right[self._order_row] = order.reel_t_per_h
        return csc_matrix((data, self._indices, self._indptr), shape=(self._size, self._size)), right

    def solve(self, order: Order) -> LineResult:
        """Return every stream of the line for an order.

        Raises
        ------
        DomainError
            E_SINGULAR if the line has a loop with no exit, E_BALANCE if mass does not
            close within 1e-9, E_RANGE for shares of streams that do not exist.
        """
        unknown = set(order.shares) - set(self._recipe_streams)
        if unknown:
            name = min(unknown)
            allowed = ", ".join(self._recipe_streams)
            raise DomainError("E_RANGE", name, f"no stream {name} runs into the blend; allowed: {allowed}", allowed)
        guesses: list[np.ndarray] = []
        answers: list[np.ndarray] = []
        for passes in range(1, _MOST_PASSES + 1):
            matrix, right = self.matrix(order)
            try:
                x = splu(matrix).solve(right)
            except RuntimeError:
                message = "the line has a loop with no exit, or a stream nothing determines"
                raise DomainError("E_SINGULAR", "streams", message) from None
            flows = x[: len(self.streams) * _N].reshape(-1, _N)
            guess = np.concatenate([np.zeros(0), *self._tanks.values()])
            answer = np.concatenate([np.zeros(0), *(self._strength(tank, flows) for tank in self._tanks)])
            if np.abs(answer - guess).max(initial=0.0) < _SETTLED:
                return self._result(order, flows, passes)
            guesses, answers = [*guesses, guess][-_MEMORY:], [*answers, answer][-_MEMORY:]
            self._carry_over(_accelerated(guesses, answers))
        message = f"the water tanks did not settle in {_MOST_PASSES} passes"
        raise DomainError("E_BALANCE", "tanks", message)

    def _strength(self, tank: str, flows: np.ndarray) -> np.ndarray:
        """Return what a tank holds of each component, t per t of water."""
        fed = sum((flows[self._at[name] // _N] for name in self._ins[tank]), np.zeros(_N))
        strength = fed / fed[_WATER] if fed[_WATER] > 0 else np.zeros(_N)
        strength[_WATER] = 1.0
        return strength

    def _carry_over(self, strengths: np.ndarray) -> None:
        for index, tank in enumerate(self._tanks):
            self._tanks[tank] = np.maximum(strengths[index * _N : (index + 1) * _N], 0.0)

    def _result(self, order: Order, flows: np.ndarray, passes: int) -> LineResult:
        clean = np.where(np.abs(flows) < 1e-9, 0.0, flows)
        streams = {name: Stream(clean[index]) for index, name in enumerate(self.streams)}
        closure = self.closure(flows)
        if closure > CLOSURE:
            raise DomainError("E_BALANCE", "streams", f"mass closes to {closure:.1e} only, and {CLOSURE:g} is wanted")
        stores = {}
        for unit in self.line.units:
            if isinstance(unit, Store):
                fed = sum((streams[name].bd_t_per_h for name in self._ins[unit.id]), 0.0)
                stores[unit.id] = fed - sum(streams[name].bd_t_per_h for name in self._outs[unit.id])
        return LineResult(order, streams, stores, self._loads(streams), self._shortages(streams), closure, passes)

    def closure(self, flows: np.ndarray) -> float:
        """Return the worst relative imbalance over every unit and component, and over the whole line.

        A reaction turns fibre into dissolved organics, so its fibre, fines and organics
        are counted together.
        """
        scale = max(float(np.abs(flows).max()), 1e-12)
        worst = 0.0
        whole = np.zeros(_N)
        for unit in self.line.units:
            fed = sum((flows[self._at[name] // _N] for name in self._ins[unit.id]), np.zeros(_N))
            left = sum((flows[self._at[name] // _N] for name in self._outs[unit.id]), np.zeros(_N))
            difference = fed - left
            if isinstance(unit, (Source, Store, Dose, Water, Sink)):
                whole += difference
                continue
            if isinstance(unit, React):
                together = [INDEX[name] for name in ("fibre", "fines", "organics")]
                difference = np.append(np.delete(difference, together), difference[together].sum())
            worst = max(worst, float(np.abs(difference).max()) / scale)
        return max(worst, abs(float(whole.sum())) / scale)

    def _loads(self, streams: Mapping[str, Stream]) -> tuple[Load, ...]:
        loads = []
        for unit in self.line.units:
            if unit.capacity_bd_t_per_h is None:
                continue
            stream = getattr(unit, "accept", None) or (self._outs[unit.id] or self._ins[unit.id])[0]
            loads.append(Load(unit.name, unit.station, stream, streams[stream].bd_t_per_h, unit.capacity_bd_t_per_h))
        return tuple(loads)

    def _shortages(self, streams: Mapping[str, Stream]) -> tuple[str, ...]:
        found = []
        for unit in self.line.units:
            if isinstance(unit, Tank) and streams[unit.overflow]["water"] < -1e-6:
                short = -streams[unit.overflow]["water"]
                found.append(f"{unit.name} runs short of water by {short:.1f} t/h; add fresh water or dilute less")
            elif isinstance(unit, Separate) and streams[unit.rest]["water"] < -1e-6:
                found.append(f"{unit.name} would pass on more water than it is fed; its accepts are set too thin")
        return tuple(found)
