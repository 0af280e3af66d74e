"""A line that runs: built from its definition, and stepped.

It knows no clock and no luck but its own seed. Nothing in a step depends on what the same step
finds further down; mass closes at each step, or it stops and says where. A simulator is not the
plant: no figure of it goes into a mill's own fit.
"""

import hashlib
import math
from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Final

import numpy as np

from stock.errors import DomainError
from stock.line.definition import Definition
from stock.line.order import Order
from stock.simulate.arrays import DRY, TOTAL, sparse_of
from stock.simulate.batches import Batches
from stock.simulate.bleaching import Bleaching
from stock.simulate.built import built_for
from stock.simulate.columns import COLUMNS, FIBRE, MARKED, MASSES, SOLIDS, WATER
from stock.simulate.control import Plan, plan
from stock.simulate.disturbing import SLOW_S, may_break, wander
from stock.simulate.faults import Fault
from stock.simulate.heating import Heating
from stock.simulate.layout import Layout
from stock.simulate.quality import Quality, Starts
from stock.simulate.reading import Readings, Sick
from stock.simulate.riding import EVERY_S, Riding
from stock.simulate.separating import Separating
from stock.simulate.stepping import CLOSES, Stepping
from stock.simulate.watched import Watched
from stock.simulate.wiring import GRAPH

FORMAT: Final = 2
LEAST_FRAC: Final = 0.03  # of its usual flow, below which a consistency cannot be measured


@dataclass(frozen=True, slots=True)
class Event:
    """Something the plant did of itself: when, where, what."""

    at_s: float
    unit: str
    words: str


class Running(Stepping, ABC):
    """The plant of a line.

    Parameters
    ----------
    line : Definition
        The line.
    order : Order, optional
        What the machine asks for; the line's first grade where left out.
    seed : int
        Of everything that is not known beforehand.
    dt_s : float
        The step, 0.5 to 60 s. Longer steps have slower loops, so that the same plant can be run ahead.
    smeared : bool
        Whether batch groups run all the time, for comparing with the steady balance.
    disturbed : bool
        Whether mats, feeds and chests wander as they do: from the seed, never of themselves.
    starts : callable, optional
        What a tag reads to begin with, for the quality of fibre; its target where left out.
    rides : bool
        Whether warmth and origin are carried along; not where nobody asks for them, since it takes its time.

    Raises
    ------
    DomainError
        E_INFEASIBLE where a flow is set by nothing, or twice; E_SINGULAR for a ring with nothing that
        holds; E_RANGE for the step.
    """

    def __init__(
        self,
        line: Definition,
        order: Order | None = None,
        *,
        seed: int = 1,
        dt_s: float = 1.0,
        smeared: bool = False,
        disturbed: bool = False,
        starts: Starts | None = None,
        rides: bool = True,
    ) -> None:
        """Build it at rest."""
        if not 0.5 <= dt_s <= 60:
            raise DomainError("E_RANGE", "dt_s", f"the step is {dt_s:g} s", "0.5 to 60 s")
        self.line, self.seed, self.dt_s = line, seed, float(dt_s)
        self.disturbed, self.rides = disturbed, rides
        self.slow_s = SLOW_S  # how often what is slow is run; raised where hours are asked for, not minutes
        wanted = order or Order.of(line.grades[0])
        self.order, self.result = built_for(line, wanted)
        self.quality: Quality = Quality(line, self.result, starts)
        self.layout = Layout(line, self.result, dt_s=dt_s, smeared=smeared, marks=self.quality.marks)
        self.plan: Plan = plan(self.layout)
        self.now_s = 0.0
        self.steps = 0
        self.events: list[Event] = []
        self.worst_closure = 0.0
        self.breaks_until_s = 0.0
        self.broken = False
        self.spilled = np.zeros(MASSES)  # what ran over, t
        self._wire()
        self._wire_refiners()
        self.tower_of = {tower.foot: index for index, tower in enumerate(self.layout.towers)}
        self._fill()
        self._check_rest()
        self.faults: list[Fault] = []
        self.last_fault = 0
        self.trims: dict[str, float] = {}
        self.born_sick: dict[str, Sick] = {}  # instruments that were wrong before it began, and stay so
        self.most = self.range.copy()  # what faults leave of it
        self.stuck = np.zeros(len(self.range), dtype=bool)
        self.has_sticking = False
        self.headers: list[tuple[np.ndarray, float]] = []
        self.sticks = np.zeros(len(self.range))  # how far a valve must be sent before it moves, t/s
        self.swings: list[tuple[int, float]] = []  # vessels not mixed: the row, how far its outlet swings
        self.strays: dict[int, float] = {}  # water that runs into a tank unasked, t/s, by its make-up
        self.breaks_per_d = 0.0  # the sheet is lost so often of itself
        self.breaks_times = 1.0  # what faults make of that
        self.worn: dict[str, float] = {}
        self.slips: dict[str, float] = {}
        self.channels: dict[str, float] = {}  # towers of which a part alone is passed through
        self.part_base = self.part_share.copy()  # what faults make of it, before how the washers are run
        self.separating = Separating(self)
        self.heating = Heating(self)
        self.bleaching = Bleaching(self)
        self.riding = Riding(self)
        self.watched = Watched(self)
        self.readings = Readings(self)
        self.instruments = self._loop_instruments()
        self.refit()
        if self.order is not wanted:
            self.set_order(wanted)

    def _wire_refiners(self) -> None:
        layout, beating = self.layout, self.quality.beating
        into = {unit: row for unit, one in beating.items() if (row := layout.into(one.stream)) is not None}
        self.refiners = list(into)
        passes = [layout.passes[layout.stream_at[beating[unit].stream]] for unit in into]
        self.beaten = sparse_of(np.array(passes).reshape(-1, len(layout.transfers)))
        self.beaten_into = np.array([*into.values()], dtype=int)

    def _fill(self) -> None:
        """Fill every holder as it is at rest."""
        layout = self.layout
        self.mass = np.array([one.content_t * one.make_up for one in layout.holders])
        self.mass[[tower.head for tower in layout.towers]] = 0.0
        self.parcels: list[list[np.ndarray]] = []
        self.powers = {unit: one.net_kw for unit, one in self.quality.beating.items()}
        for tower in layout.towers:
            content = layout.content[tower.unit]
            made = layout.holders[tower.head].make_up if tower.yield_frac < 1 else layout.holders[tower.foot].make_up
            count = max(0, round((content - tower.foot_t) / tower.parcel_t))
            size = (content - tower.foot_t) / count if count else 0.0
            self.parcels.append([size * made for _ in range(count)])
            if not count:
                self.mass[tower.head] = (content - tower.foot_t) * made
        self.entered = [self._spread(index) for index in range(len(layout.towers))]
        self.weigh_parcels()
        self.flow = self.design.copy()
        self.flow[self.makeups] = 0.0
        self.wanted = self.flow.copy()
        self.flows = np.array([one.design_t_per_s * one.make_up for one in layout.transfers])
        self.total_bd = sum(self.result.streams[name].bdt_per_h for name in self._recipe_streams()) / 3600
        self.shares = np.array([self.order.shares.get(one.stream, 0.0) for one in self.plan.shares])
        self.batches = Batches(self)
        self.error = np.zeros(len(self.plan.loops))
        self.see()
        start = self.true_signals()
        self.ring[:] = start
        self.least_t = LEAST_FRAC * (self.signals @ self.rows[:, TOTAL])
        self.least_t[self.levels] = -1.0  # a level can always be seen
        self.per_rest[self.cons] = 1 / np.maximum((self.signals @ self.rows[:, DRY])[self.cons], 1e-12)
        self.filtered = start.copy()
        self.slow_at_s = 0.0

    def weigh_parcels(self) -> None:
        """Weigh what is on its way through each tower."""
        self.in_parcels = np.array(
            [sum((float(one[:MASSES].sum()) for one in parcels), 0.0) for parcels in self.parcels]
        )

    def _check_rest(self) -> None:
        """See that what leaves every unit at rest is what the balance says: conservation finds no stream sent astray."""
        streams = self.layout.passes @ self.flows[:, :MASSES]
        for index, name in enumerate(self.layout.streams):
            source = self.line.stream(name).source
            if any(group.unit == source and group.target < 0 for group in self.layout.groups):
                continue
            wanted = self.result.streams[name].flows_t_per_h / 3600
            if np.abs(streams[index] - wanted).max() > CLOSES * max(float(wanted.sum()), 1e-6):
                short = "; ".join(self.result.shortages)  # a line that its own first order cannot run
                raise DomainError(
                    "E_BALANCE", name, short or f"{name} is not what the balance says as the plant is built"
                )

    # ---- a step

    def step(self, count: int = 1) -> None:
        """Run on by some steps.

        Raises
        ------
        DomainError
            E_BALANCE where mass does not close, with the group and the moment; the plant is not to be run on.
        """
        while count > 0:
            until_slow = math.ceil((self.slow_s - 1e-9 - (self.now_s - self.slow_at_s)) / self.dt_s)
            steps = min(count, max(1, until_slow))
            self.stroke_on(steps)
            count -= steps
            if self.now_s - self.slow_at_s >= self.slow_s - 1e-9:
                self._slow(self.now_s - self.slow_at_s)
                self.slow_at_s = self.now_s

    def run(self, until_s: float) -> None:
        """Run on to a moment."""
        self.step(max(0, round((until_s - self.now_s) / self.dt_s)))

    # ---- what is slow

    def _slow(self, passed_s: float) -> None:
        """Move towers' parcels, run the digesters."""
        if self.disturbed:
            wander(self, passed_s)
        self._towers()
        if self.steps % 3600 == 0:
            self.weigh_parcels()  # so that rounding does not add up
        if self.breaks_per_d and self.now_s >= self.breaks_until_s:
            may_break(self, passed_s)
        if self.broken != (self.now_s < self.breaks_until_s):
            self.refit()
        for loop, tag in self.instruments:
            self.offset[loop] = self.readings.error(tag)
        self.separating.run(passed_s)
        self.heating.run(passed_s)
        self.batches.run(passed_s)
        self.watched.run(passed_s)
        self._spill()
        if self.rides and self.now_s - self.riding.carried_s >= EVERY_S - 1e-9:
            self.riding.carry()

    def _spill(self) -> None:
        """Let what is more than a vessel holds run over; it is lost, and counted."""
        held_in = self.held_in().tolist()
        for row, volume, unit in self.brims:
            held = held_in[row]
            if held > volume:
                over = self.mass[row] * (1 - volume / held)
                self.mass[row] -= over
                self.spilled += over[:MASSES]
                self.tell(unit, f"runs over, {held - volume:.1f} t lost")

    def see(self) -> None:
        """Work out what follows from what is kept: the sums of the flows, the water of the mats."""
        self.rows = self.flows @ GRAPH
        self.wet()

    def wet(self) -> None:
        """Give every mat the water it keeps now."""
        self.keeps = (self.part_water * self.wetter)[self.part_wet]

    def enrich(self) -> None:
        """Give every feed the solids it has now, of those it should have, and what they carry."""
        made = self.feed_base.copy()
        changed = np.minimum(self.feed_solids * self.richer[:, None], 0.999)
        made[:, WATER] -= (changed - self.feed_solids).sum(axis=1)
        made[:, SOLIDS] = changed
        came = np.maximum(self.feed_solids.sum(axis=1), 1e-12)
        made[:, MASSES:] *= (changed.sum(axis=1) / came)[:, None]  # what rides on the fibre keeps its value
        self.feed_made = made

    def start_clock(self) -> None:
        """Count the plant's time from here on."""
        self.entered = [[at - self.now_s for at in one] for one in self.entered]
        self.bleaching.since(self.now_s)
        self.now_s, self.steps, self.slow_at_s = 0.0, 0, 0.0
        self.riding.carried_s = self.riding.merged_s = 0.0

    def _spread(self, index: int) -> list[float]:
        """Return when what a tower holds went in, the first out first, were it all fed as at rest."""
        tower = self.layout.towers[index]
        count = len(self.parcels[index])
        fed = sum(self.result.streams[one.id].total_t_per_h for one in self.line.graph.into(tower.unit)) / 3600
        passes_s = tower.parcel_t / fed if fed > 1e-12 else 60.0
        return [self.now_s - (count - at) * passes_s for at in range(count)]

    def _towers(self) -> None:
        held_in = self.held_in().tolist()
        for index, tower in enumerate(self.layout.towers):
            if held_in[tower.head] < tower.parcel_t and held_in[tower.foot] >= tower.foot_t:
                continue
            parcels, mass = self.parcels[index], self.mass
            if held_in[tower.head] >= tower.parcel_t:
                at = round(self.channels.get(tower.unit, 1.0) * len(parcels))  # the rest of it stands still
                parcels.insert(at, mass[tower.head].copy())
                self.entered[index].insert(at, self.now_s)
                self.bleaching.note(tower.unit)
                self.in_parcels[index] += float(mass[tower.head, :MASSES].sum())
                mass[tower.head] = 0.0
            while float(mass[tower.foot, :MASSES].sum()) < tower.foot_t:
                if parcels:
                    out = parcels.pop(0)
                    self.in_parcels[index] -= float(out[:MASSES].sum())
                else:
                    out, mass[tower.head] = mass[tower.head].copy(), 0.0
                if not out.any():
                    break
                mass[tower.foot] += self._left(index, out)

    def _left(self, index: int, parcel: np.ndarray) -> np.ndarray:
        """Return a parcel as it leaves a tower: reacted, bleached by the charges it met on its way."""
        tower = self.layout.towers[index]
        entered = self.entered[index].pop(0) if self.entered[index] else self.now_s
        found = self.reacted(parcel, tower.yield_frac)
        scattered, fibre = found[MARKED["light_scattered"]], found[FIBRE]
        if tower.unit in self.bleaching.usual and scattered > 0 and fibre > 0:
            kappa, ks = self.bleaching.leaves(
                tower.unit, entered, found[MARKED["kappa"]] / fibre, found[MARKED["light_absorbed"]] / scattered
            )
            found[MARKED["light_absorbed"]] = ks * scattered
            if found[MARKED["kappa"]] > 0:
                found[MARKED["kappa"]] = kappa * fibre
        return found

    def beats(self, refiner: str) -> float:
        """Return by how much a refiner takes the logarithm of freeness down, for each t/s of bone-dry."""
        return self.quality.beating[refiner].slope * self.worn.get(refiner, 1.0) * self.powers[refiner] / 3600

    def falls_by(self, refiner: str, row: np.ndarray) -> float:
        """Return by how much a refiner takes the logarithm of freeness of a stream down, its row in t/s."""
        bdt_per_s = float(row[SOLIDS].sum())
        return self.beats(refiner) / bdt_per_s if bdt_per_s > 0 else 0.0

    @staticmethod
    def reacted(row: np.ndarray, yield_frac: float) -> np.ndarray:
        """Return a row with part of its fibre dissolved; what rides on the fibre keeps its value."""
        if yield_frac >= 1:
            return row
        found = row.copy()
        gone = (1 - yield_frac) * (row[FIBRE] + row[FIBRE + 1])
        found[[FIBRE, FIBRE + 1]] *= yield_frac
        found[MASSES:] *= yield_frac
        found[COLUMNS.index("organics")] += gone
        return found

    @abstractmethod
    def set_order(self, order: Order) -> None:
        """Ask for another order."""

    @abstractmethod
    def refit(self) -> None:
        """Make the plant what its order and the faults that are on make of it."""

    def offset_of(self, tag_id: str) -> float:
        """Return what is added to what an instrument reads."""
        return self.trims.get(tag_id, 0.0)

    def _loop_instruments(self) -> list[tuple[int, str]]:
        """Return which tag is the eye of which loop: it is as wrong as the tag is."""
        found = []
        for index, loop in enumerate(self.plan.loops):
            if loop.kind != "consistency":
                continue
            onward = self.line.graph.onward(loop.unit)
            parts = [self.line.unit(loop.unit), *([self.line.stream(onward.id)] if onward is not None else [])]
            tags = [tag for part in parts if (tag := part.tag_of("consistency")) and self.line.tag(tag).live]
            if tags:
                found.append((index, tags[0]))
        return found

    def tell(self, unit: str, words: str) -> None:
        """Keep what the plant did of itself; the last of it."""
        self.events.append(Event(self.now_s, unit, words))
        del self.events[:-400]

    # ---- what it holds altogether

    def holdings(self) -> np.ndarray:
        """Return the mass of each component in the plant, t, (components): vessels, towers, digesters."""
        found = self.mass[:, :MASSES].sum(axis=0)
        for parcels in self.parcels:
            for one in parcels:
                found = found + one[:MASSES]
        for rows in self.batches.rows:
            found = found + rows[:, :MASSES].sum(axis=0)
        return np.asarray(found)

    def fingerprint(self) -> str:
        """Return what the definition and the way it was built come to: a state fits no other."""
        said = f"{self.line.model_dump_json()}|{self.dt_s}|{FORMAT}"
        return hashlib.sha256(said.encode()).hexdigest()[:16]
