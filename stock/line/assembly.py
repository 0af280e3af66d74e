"""The sparse system of a line: unknowns, and the rows each kind of unit writes.

Unknowns are the component flows of every stream, and one scalar for each stream that
runs as much as it is needed (sources, fresh water, draws from a tank). Every unit
writes one row for each component of what leaves it; consistencies, dilution factors,
furnish shares, ash and the order close the scalars. Recycle loops are columns like any
other. Assembled once; what an order changes are values at known places.
"""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from scipy.sparse import csc_matrix

from stock.line.definition import Definition, DefinitionError
from stock.line.order import Order
from stock.material import COMPONENTS, FILTERABLE_MASK, INDEX
from stock.primitives import Dose, Mix, React, Separate, Sink, Source, Split, Store, Tank, Water, gives_water
from stock.washing.stage import washing_loss_frac

N = len(COMPONENTS)
WATER = INDEX["water"]
_FILT = [i for i in range(N) if FILTERABLE_MASK[i]]


def _share(shares: Mapping[Any, float], component: str, otherwise: float = 0.0) -> float:
    """Return a component's share, or what holds where it is not named."""
    return shares.get(component, otherwise)


class Assembly:
    """The system of one line.

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
        self.at = {name: index * N for index, name in enumerate(self.streams)}
        self.ins: dict[str, list[str]] = {unit.id: [] for unit in line.units}
        self.outs: dict[str, list[str]] = {unit.id: [] for unit in line.units}
        for stream in line.streams:
            self.outs[stream.source].append(stream.id)
            self.ins[stream.target].append(stream.id)
        self.units: dict[str, Any] = {unit.id: unit for unit in line.units}
        self._rows: list[int] = []
        self._cols: list[int] = []
        self._vals: list[float] = []
        self._row = 0
        self._scalars: dict[str, int] = {}
        self._tank_slots: dict[str, tuple[list[int], list[int]]] = {}
        self._share_slots: dict[str, list[int]] = {}
        self._ash_slots: list[int] = []
        self._split_slots: dict[str, list[int]] = {}
        self._order_row = -1
        self._assemble()
        self._freeze()

    # ---- one writer for each kind of unit

    def _assemble(self) -> None:
        for stream in self.line.streams:
            unit = self.units[stream.source]
            if isinstance(unit, (Source, Store)) or gives_water(unit, stream.id):
                self._scalars[stream.id] = len(self.streams) * N + len(self._scalars)
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
            next(write for primitive, write in writers.items() if isinstance(unit, primitive))(unit)
        self._close_ash()
        size = len(self.streams) * N + len(self._scalars)
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
        (stream,) = self.outs[unit.id]
        water_per_bd = 100 / unit.consistency_pct - 1
        for c, name in enumerate(COMPONENTS):
            share = water_per_bd if name == "water" else _share(unit.solids, name)
            self._put(self.at[stream] + c, 1.0)
            if share:
                self._put(self._scalars[stream], -share)
            self._next()

    def _dose(self, unit: Dose) -> None:
        (stream,) = self.outs[unit.id]
        for c, name in enumerate(COMPONENTS):
            ratio = unit.water_t_per_t if name == "water" else _share(unit.solids, name) * unit.kg_per_t / 1000
            self._put(self.at[stream] + c, 1.0)
            if ratio:
                for f in _FILT:
                    self._put(self.at[unit.of_stream] + f, -ratio)
            self._next()

    def _water(self, unit: Water) -> None:
        for stream in self.outs[unit.id]:
            for c in range(N):
                self._put(self.at[stream] + c, 1.0)
                if c == WATER:
                    self._put(self._scalars[stream], -1.0)
                self._next()

    def _sum_in(self, unit_id: str, component: int, sign: float = -1.0) -> None:
        for stream in self.ins[unit_id]:
            self._put(self.at[stream] + component, sign)

    def _mix(self, unit: Mix) -> None:
        (out,) = self.outs[unit.id]
        for c in range(N):
            self._put(self.at[out] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()
        if unit.consistency_pct is not None:
            self._consistency(out, unit.consistency_pct)
        if unit.recipe:
            self._recipe(unit)

    def _consistency(self, stream: str, consistency_pct: float) -> None:
        for c in range(N):
            value = 1.0 - (100 / consistency_pct if c in _FILT else 0.0)
            self._put(self.at[stream] + c, value)
        self._next()

    def _recipe(self, unit: Mix) -> None:
        """Share of each fibre stream: all but one, since shares add to one."""
        fibre = [name for name in self.ins[unit.id] if any(name in grade.shares for grade in self.line.grades)]
        self.recipe_streams = fibre
        for name in fibre[:-1]:
            self._share_slots[name] = []
            for other in fibre:
                for f in _FILT:
                    slot = self._put(self.at[other] + f, 1.0 if other == name else 0.0)
                    self._share_slots[name].append(slot)
            self._next()

    def _react(self, unit: React) -> None:
        (out,) = self.outs[unit.id]
        for c, name in enumerate(COMPONENTS):
            self._put(self.at[out] + c, 1.0)
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
                dilution_factor_t_per_bdt=unit.wash.dilution_factor_t_per_bdt,
                feed_consistency_pct=unit.wash.feed_consistency_pct,
                e_std_total_ratio=unit.wash.e_std,
            )
        for c, name in enumerate(COMPONENTS):
            if c == WATER:
                continue
            share = _share(unit.accept_frac, name, 1.0 if c in _FILT else dissolved)
            self._put(self.at[unit.accept] + c, 1.0)
            if share:
                self._sum_in(unit.id, c, -share)
            self._next()
        self._consistency(unit.accept, unit.consistency_pct)
        for c in range(N):
            self._put(self.at[unit.rest] + c, 1.0)
            self._put(self.at[unit.accept] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()
        if unit.wash:
            liquor = unit.wash.dilution_factor_t_per_bdt + 100 / unit.consistency_pct - 1
            self._put(self._scalars[unit.wash.stream], 1.0)
            for f in _FILT:
                self._put(self.at[unit.accept] + f, -liquor)
            self._next()

    def _split(self, unit: Split) -> None:
        slots = []
        for c in range(N):
            self._put(self.at[unit.accept] + c, 1.0)
            for stream in self.ins[unit.id]:
                slots.append(self._put(self.at[stream] + c, -unit.accept_frac))  # noqa: PERF401  one row at a time
            self._next()
        if unit.by_grade:
            self._split_slots[unit.id] = slots
        for c in range(N):
            self._put(self.at[unit.rest] + c, 1.0)
            self._put(self.at[unit.accept] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()

    def _tank(self, unit: Tank) -> None:
        slots, components = self._tank_slots.setdefault(unit.id, ([], []))
        drawn = [name for name in self.outs[unit.id] if name != unit.overflow]
        for stream in drawn:
            for c in range(N):
                self._put(self.at[stream] + c, 1.0)
                slot = self._put(self._scalars[stream], -1.0 if c == WATER else 0.0)
                if c != WATER:
                    slots.append(slot)
                    components.append(c)
                self._next()
        for c in range(N):
            self._put(self.at[unit.overflow] + c, 1.0)
            for stream in drawn:
                self._put(self.at[stream] + c, 1.0)
            self._sum_in(unit.id, c)
            self._next()

    def _sink(self, unit: Sink) -> None:
        if not unit.order:
            return
        (reel,) = self.ins[unit.id]
        self._reel = reel
        self._order_row = self._row
        for c in range(N):
            self._put(self.at[reel] + c, 1.0)
        self._next()

    def _close_ash(self) -> None:
        """The filler source runs until the sheet holds the grade's ash."""
        if any(isinstance(unit, Source) and unit.family is None for unit in self.line.units):
            for f in _FILT:
                slot = self._put(self.at[self._reel] + f, 1.0 if f == INDEX["filler"] else 0.0)
                self._ash_slots.append(slot)
            self._next()

    def _freeze(self) -> None:
        """Turn the lists into a compressed matrix whose values can be set in place."""
        size = self._row
        self.size = size
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

    def matrix(self, order: Order, tanks: Mapping[str, np.ndarray]) -> tuple[csc_matrix, np.ndarray]:
        """Return the system (matrix, right-hand side) for an order.

        Parameters
        ----------
        order : Order
            What the machine asks for.
        tanks : mapping
            What each tank holds, t of each component per t of water.
        """
        values = self._base.copy()
        for tank, (slots, components) in self._tank_slots.items():
            values[slots] = -tanks[tank][components]
        for name, share_slots in self._share_slots.items():
            share = order.shares.get(name, 0.0)
            for index, slot in enumerate(share_slots):
                other = self.recipe_streams[index // len(_FILT)]
                values[slot] = (1.0 if other == name else 0.0) - share
        for f, slot in zip(_FILT, self._ash_slots, strict=False):
            values[slot] = (1.0 if f == INDEX["filler"] else 0.0) - order.grade.ash_frac
        for unit_id, columns in self._split_slots.items():
            unit = self.units[unit_id]
            values[columns] = -1.0 if order.grade.branches.get(unit_id, unit.accept) == unit.accept else 0.0
        data = np.bincount(self._slot_of, weights=values, minlength=self._entries)
        right = np.zeros(self.size)
        right[self._order_row] = order.reel_t_per_h
        return csc_matrix((data, self._indices, self._indptr), shape=(self.size, self.size)), right
