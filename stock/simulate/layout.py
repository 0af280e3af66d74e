"""What each unit of a line becomes in the plant: what holds something, what only passes it on.

One rule: only sums are algebraic, and whatever changes composition holds something. So no
algebraic loop can remain, and every step is explicit. Holders are rows of one array (a row a
vessel, a column a carried quantity); what leaves a holder, or comes from outside, is a transfer;
every stream of the line is a sum of transfers, found once.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Final

import numpy as np

from stock.bleaching.unit import BleachStage, Tower
from stock.errors import DomainError
from stock.intake.chips import packed_bdt
from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.material import COMPONENTS, FILTERABLE_MASK, INDEX
from stock.primitives import Dose, Mix, React, Separate, Sink, Source, Split, Store, Tank, Unit, Water
from stock.screening.unit import Staged, passed_of
from stock.simulate.columns import COLUMNS, FIBRE, MARKED, MARKERS, MASSES, SOLIDS, WATER
from stock.simulate.pieces import LIP_S, WAYS, GroupPlan, Holder, Parting, TowerPlan, Transfer, Way

UNIT_S: Final = 10.0  # how long a separation holds what it parts
MAKEUP_S: Final = 120.0
MAKEUP_BELOW: Final = 0.6  # of its usual content a water tank is made up
VESSEL_FRAC: Final = 0.60
STORE_FRAC: Final = 0.55
TANK_MIN, LARGE_TANK_MIN, LARGE_T_PER_H = 15.0, 6.0, 1000.0
PARCELS: Final = 50
BIN_CHARGES, LIQUOR_CHARGES, DISCHARGE_BLOWS = 2.0, 6.0, 2.5
SMEARED_MIN: Final = 120.0  # a batch group run as one vessel, where only means are asked for


class Layout:
    """A line as rows and transfers.

    Parameters
    ----------
    line : Definition
        The line.
    result : LineResult
        Its balance at the order it is built for: what every flow and make-up is at rest.
    dt_s : float
        The step; whatever would hold less than five steps is made to hold five, and said.
    smeared : bool
        Whether batch groups run as one vessel, for comparing with the steady balance.

    Raises
    ------
    DomainError
        E_SINGULAR where streams run in a ring through nothing that holds, named.
    """

    def __init__(
        self,
        line: Definition,
        result: LineResult,
        *,
        dt_s: float = 1.0,
        smeared: bool = False,
        marks: Mapping[str, Mapping[str, float]] | None = None,
    ) -> None:
        """Lay it out."""
        self.line, self.result, self.dt_s, self.smeared = line, result, dt_s, smeared
        self.marks = marks or {}
        self.holders: list[Holder] = []
        self.transfers: list[Transfer] = []
        self.towers: list[TowerPlan] = []
        self.groups: list[GroupPlan] = []
        self.partings: list[Parting] = []
        self.said: list[str] = []
        self.content: dict[str, float] = {}  # of each tower, all of it, t
        self.row: dict[str, int] = {}  # what a unit's outlet is drawn from
        self.row_in: dict[str, int] = {}  # where a unit's inlets go
        self.at: dict[str, int] = {}  # transfer by stream
        self._design = {  # with its quality, so that whatever is made of streams has theirs
            name: self._marked(np.concatenate([stream.flows_t_per_h / 3600, np.zeros(len(MARKERS))]), name)
            for name, stream in result.streams.items()
        }
        for unit in line.units:
            self._lay(unit)
        self._in_order()
        self.streams = [stream.id for stream in line.streams]
        self.stream_at = {name: index for index, name in enumerate(self.streams)}
        self.passes = self._passes()
        self.incidence = self._incidence()

    def _in_order(self) -> None:
        """Put transfers of a way side by side, so that a step takes each way at one stroke."""
        order = sorted(range(len(self.transfers)), key=lambda index: WAYS.index(self.transfers[index].way))
        self.transfers = [self.transfers[index] for index in order]
        place = {index: at for at, index in enumerate(order)}
        self.at = {name: place[index] for name, index in self.at.items()}
        self.partings = [replace(one, accepts=place[one.accepts], rest=place[one.rest]) for one in self.partings]

    # ---- one writer for each kind of unit

    def _lay(self, unit: Unit) -> None:
        group = bool(self.line.cook.at(unit.id)) and any(
            one.recipes and unit.id in {recipe.unit for recipe in self.line.cook.recipes if recipe.id in one.recipes}
            for one in self.line.cook.digesters
        )
        if isinstance(unit, (Source, Dose, Water)):
            for stream in self.line.graph.out(unit.id):
                self._transfer(stream.id, "feed", -1)
        elif isinstance(unit, Store):
            self._vessel(unit, unit.volume_m3 * STORE_FRAC)
        elif isinstance(unit, Tower):
            self._tower(unit, unit.volume_m3 * VESSEL_FRAC, full=False)
        elif isinstance(unit, Mix) and unit.volume_m3:
            self._vessel(unit, unit.volume_m3 * VESSEL_FRAC)
        elif isinstance(unit, Tank):
            self._water_tank(unit)
        elif isinstance(unit, React) and group and not self.smeared:
            self._group(unit)
        elif isinstance(unit, React):
            minutes = unit.hold_min(self._bd_out(unit)) if isinstance(unit, BleachStage) else SMEARED_MIN
            self._tower(unit, self._fed_t_per_s(unit) * 60 * minutes, full=True)
        elif isinstance(unit, (Separate, Split)):
            self._parting(unit)

    def _holder(self, name: str, unit: Unit, content_t: float, make_up: np.ndarray, flow_t_per_s: float) -> int:
        least = 5 * self.dt_s * flow_t_per_s
        if content_t < least:
            self.said.append(
                f"{name} holds {least:.2f} t instead of {content_t:.2f}: five steps of what runs through it"
            )
            content_t = least
        self.holders.append(Holder(name, unit.id, max(content_t, 1e-9), make_up))
        return len(self.holders) - 1

    def _transfer(self, stream: str, way: Way, donor: int, lip_t: float = 0.0, over_s: float = LIP_S) -> int:
        flow = self._design[stream]
        total = float(flow[:MASSES].sum())
        make_up = self._made_of(stream)
        self.transfers.append(Transfer(stream, way, donor, total, make_up, lip_t, over_s))
        self.at[stream] = len(self.transfers) - 1
        return self.at[stream]

    def _made_of(self, stream: str) -> np.ndarray:
        """Return what a tonne of a stream is made of at rest; of what does not run, what its source is."""
        flow = self._design[stream]
        total = float(flow[:MASSES].sum())
        if total > 1e-12:
            return flow / total
        unit = self.line.unit(self.line.stream(stream).source)
        made = np.zeros(len(COLUMNS))
        if isinstance(unit, (Source, Store)):
            for name, share in unit.solids.items():
                made[INDEX[name]] = share * unit.consistency_pct / 100
            made[WATER] = 1 - unit.consistency_pct / 100
        else:
            made[WATER] = 1.0
        return self._marked(made, stream)

    def _marked(self, made: np.ndarray, stream: str) -> np.ndarray:
        marked = made.copy()
        for name, value in self.marks.get(stream, {}).items():
            marked[MARKED[name]] = value * made[FIBRE]
        return marked

    def _fed_t_per_s(self, unit: Unit) -> float:
        return float(sum(self._design[stream.id][:MASSES].sum() for stream in self.line.graph.into(unit.id)))

    def _bd_out(self, unit: Unit) -> float:
        onward = self.line.graph.onward(unit.id)
        return self.result.streams[onward.id].bdt_per_h if onward is not None else 0.0

    def _vessel(self, unit: Mix | Store, content_t: float) -> None:
        (out,) = self.line.graph.out(unit.id)
        flow = self._design[out.id][:MASSES].sum()
        row = self._holder(unit.id, unit, content_t, self._made_of(out.id), float(flow))
        self.row[unit.id] = self.row_in[unit.id] = row
        self._transfer(out.id, "pumped", row)

    def _water_tank(self, unit: Tank) -> None:
        fed = self._fed_t_per_s(unit)
        minutes = LARGE_TANK_MIN if fed * 3600 > LARGE_T_PER_H else TANK_MIN
        inlets = sum(self._design[stream.id] for stream in self.line.graph.into(unit.id))
        made = np.asarray(inlets) / max(fed, 1e-12)
        row = self._holder(unit.id, unit, 60 * minutes * fed, made, fed)
        self.row[unit.id] = self.row_in[unit.id] = row
        content = self.holders[row].content_t
        for stream in self.line.graph.out(unit.id):
            if stream.id == unit.overflow:
                flow = max(float(self._design[stream.id][:MASSES].sum()), 0.0)
                over_s = max(LIP_S, 5 * self.dt_s)
                self._transfer(stream.id, "lip", row, content - flow * over_s, over_s)
            else:
                self._transfer(stream.id, "pumped", row)
        fresh = np.zeros(len(COLUMNS))
        fresh[WATER] = 1.0
        self.transfers.append(
            Transfer(f"{unit.id} made up", "makeup", -1, 0.0, fresh, MAKEUP_BELOW * content, MAKEUP_S)
        )
        self.at[f"{unit.id} made up"] = len(self.transfers) - 1

    def _tower(self, unit: Mix | React, content_t: float, *, full: bool) -> None:
        (out,) = self.line.graph.out(unit.id)
        flow = self._fed_t_per_s(unit)
        inlets = np.asarray(sum(self._design[stream.id] for stream in self.line.graph.into(unit.id)))
        over_s = max(LIP_S, 5 * self.dt_s)
        foot_t = content_t / np.sqrt(PARCELS)
        foot_t = max(foot_t, 10 * self.dt_s * flow, flow * 60)
        content_t = max(content_t, 1.5 * foot_t)
        head = self._holder(f"{unit.id} head", unit, 0.0, inlets / max(flow, 1e-12), 0.0)
        foot = self._holder(unit.id, unit, foot_t, self._made_of(out.id), 0.0)
        self.row[unit.id], self.row_in[unit.id] = foot, head
        parcel = max(content_t / PARCELS, 10 * self.dt_s * flow)
        made = unit.yield_frac if isinstance(unit, React) else 1.0
        self.towers.append(TowerPlan(unit.id, head, foot, parcel, foot_t, made))
        self.content[unit.id] = content_t
        if full:
            self._transfer(out.id, "full", foot, content_t - flow * over_s, over_s)
        else:
            self._transfer(out.id, "pumped", foot)

    def _group(self, unit: React) -> None:
        recipe = self.line.cook.at(unit.id)[0]
        digester = next(one for one in self.line.cook.digesters if recipe.id in one.recipes)
        chips = self._design[recipe.stream]
        others = [one for one in self.line.graph.into(unit.id) if one.id != recipe.stream]
        liquor = np.asarray(sum((self._design[one.id] for one in others), np.zeros(len(COLUMNS))))
        charge = packed_bdt(
            digester.volume_m3, recipe.basic_density_kg_per_m3, recipe.solid_volume_factor, recipe.packing_gain_frac
        )
        per_bd = 1 / max(float(chips[SOLIDS].sum()), 1e-12)
        chips_t = charge * per_bd * float(chips[:MASSES].sum())
        liquor_t = charge * per_bd * float(liquor[:MASSES].sum())
        bin_row = self._holder(
            f"{unit.id} bin", unit, BIN_CHARGES * chips_t, chips / max(chips[:MASSES].sum(), 1e-12), 0.0
        )
        made = liquor / max(liquor[:MASSES].sum(), 1e-12)
        liquor_row = self._holder(f"{unit.id} liquor", unit, LIQUOR_CHARGES * liquor_t, made, 0.0)
        (out,) = self.line.graph.out(unit.id)
        self.row_in |= {f"{unit.id} {recipe.stream}": bin_row} | {f"{unit.id} {one.id}": liquor_row for one in others}
        target = self.line.unit(out.target)
        if isinstance(target, Mix) and target.volume_m3:
            into = -1  # found once its vessel is laid
        else:
            into = self._holder(
                f"{unit.id} discharge", unit, DISCHARGE_BLOWS * (chips_t + liquor_t), self._made_of(out.id), 0.0
            )
            self.row[unit.id] = into
            self._transfer(out.id, "pumped", into)
            self.said.append(f"{unit.name} is blown into a tank the definition does not name")
        self.groups.append(
            GroupPlan(
                unit.id,
                recipe.stream,
                bin_row,
                liquor_row,
                into,
                unit.yield_frac,
                liquor_t / max(chips_t, 1e-12),
                charge,
            )
        )

    def _parting(self, unit: Separate | Split) -> None:
        fed = np.asarray(sum(self._design[one.id] for one in self.line.graph.into(unit.id)))
        flow = float(fed[:MASSES].sum())
        hold_s = max(UNIT_S, 5 * self.dt_s)
        made = fed / flow if flow > 1e-12 else self._made_of(unit.accept)
        row = self._holder(unit.id, unit, hold_s * flow, made, flow)
        self.row[unit.id] = self.row_in[unit.id] = row
        accepts = self._transfer(unit.accept, "accepts", row)
        rest = self._transfer(unit.rest, "rest", row)
        shares = np.ones(len(COLUMNS))
        consistency = 0.0
        if isinstance(unit, Split):
            branches = self.result.order.grade.branches
            goes_on = (
                unit.accept_frac if not unit.by_grade else float(branches.get(unit.id, unit.accept) == unit.accept)
            )
            shares *= goes_on
        else:
            accepted = self._design[unit.accept]
            shares[:MASSES] = np.divide(
                accepted[:MASSES], fed[:MASSES], out=np.zeros(MASSES), where=fed[:MASSES] > 1e-15
            )
            for index, name in enumerate(COMPONENTS):  # what does not run now still has its share
                if fed[index] <= 1e-15:
                    usual = 1.0 if FILTERABLE_MASK[index] else 0.0
                    shares[index] = unit.accept_frac.get(name, usual)  # type: ignore[call-overload]
            shares[MASSES:] = shares[FIBRE]
            if isinstance(unit, Staged) and unit.stages:
                shares[MARKED["shives"]] = passed_of(unit.stages)[1]
            consistency = unit.consistency_pct
        self.partings.append(Parting(unit.id, row, accepts, rest, shares, consistency))

    # ---- how it hangs together

    def _passes(self) -> np.ndarray:
        """Return which transfers run in each stream, (streams, transfers)."""
        found: dict[str, np.ndarray] = {}
        open_: list[str] = []

        def of(name: str) -> np.ndarray:
            if name in found:
                return found[name]
            if name in self.at:
                one = np.zeros(len(self.transfers))
                one[self.at[name]] = 1.0
            else:
                if name in open_:
                    ring = ", ".join(open_[open_.index(name) :])
                    raise DomainError(
                        "E_SINGULAR", "streams", f"{ring} run in a ring through nothing that holds anything"
                    )
                open_.append(name)
                unit = self.line.unit(self.line.stream(name).source)
                one = np.zeros(len(self.transfers))
                if not isinstance(unit, React):  # a batch group gives in blows, never all the time
                    for into in self.line.graph.into(unit.id):
                        one = one + of(into.id)
                open_.pop()
            found[name] = one
            return one

        return np.array([of(name) for name in self.streams])

    def _incidence(self) -> np.ndarray:
        """Return what each transfer adds to each holder, (holders, transfers): 1 into, -1 out of."""
        found = np.zeros((len(self.holders), len(self.transfers)))
        for stream in self.line.streams:
            row = self.into(stream.id)
            if row is not None:
                found[row] += self.passes[self.stream_at[stream.id]]
        for index, transfer in enumerate(self.transfers):
            if transfer.donor >= 0:
                found[transfer.donor, index] -= 1.0
            if transfer.way == "makeup":
                found[self.row[transfer.id.removesuffix(" made up")], index] += 1.0
        return found

    def into(self, stream: str) -> int | None:
        """Return the holder a stream runs into; None where it runs on in a sum, or leaves the line."""
        target = self.line.stream(stream).target
        return self.row_in.get(f"{target} {stream}", self.row_in.get(target))

    def leaves(self) -> np.ndarray:
        """Return how often each transfer leaves the line."""
        found = np.zeros(len(self.transfers))
        for stream in self.line.streams:
            if isinstance(self.line.unit(stream.target), Sink):
                found += self.passes[self.stream_at[stream.id]]
        return found

    def target_of(self, group: GroupPlan) -> int:
        """Return the row a group is blown into."""
        if group.target >= 0:
            return group.target
        (out,) = self.line.graph.out(group.unit)
        return self.row_in[out.target]
