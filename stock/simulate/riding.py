"""What travels with mass besides quality: its warmth, which cook, lot or feed its fibre comes from, what its water holds.

All are shares of what holds them, carried by what moved in a minute: exact in what is carried, since
every holder's share solves one linear balance at once. A tower counts as mixed here. What reacts loses
the same part of every origin. What builds up in the water comes in with the fibre, as the mill's file says
of each tonne, and with fresh water.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.material import COMPONENTS, FILTERABLE
from stock.primitives import Water
from stock.simulate.columns import COLUMNS, FIBRE, MASSES, SOLIDS, WATER
from stock.simulate.house import BLOWN_C
from stock.simulate.loops import merge_origins

if TYPE_CHECKING:
    from stock.simulate.running import Running

EVERY_S: Final = 60.0
MERGED_EVERY_S: Final = 1800.0
AIR_C: Final = 20.0
COOLS_PER_H: Final = 0.03  # of what it is warmer than the air: 1.5 °C an hour at 70 °C
FEED_C: Final = 20.0
WATER_C: Final = 15.0
MINOR: Final = "minor"
KJ: Final = {"water": 4.19, "organics": 1.5, "inorganics": 1.5}  # kJ/(kg K); solids 1.34
BY_FIBRE, BY_HEAT, BY_WATER = range(3)
CARRY: Final = np.zeros((len(COLUMNS), 3))  # fibre, heat capacity and water of a row
CARRY[FIBRE, BY_FIBRE] = CARRY[WATER, BY_WATER] = 1.0
CARRY[:MASSES, BY_HEAT] = [KJ.get(name, 1.34 if name in FILTERABLE else 1.5) for name in COMPONENTS]


class Brought(NamedTuple):
    """What a digester gave to a holder: what of it carries, how warm it was, whose it is, what its water holds."""

    row: int
    carries: tuple[float, ...]
    celsius: float
    origin: str
    salts: tuple[float, ...]


class Riding:
    """Warmth and origin of what every holder of a plant holds, and what builds up in its water."""

    def __init__(self, plant: "Running") -> None:
        """Begin with everything as warm as what feeds it, its fibre of no known origin."""
        self.plant = plant
        layout = plant.layout
        count = len(layout.holders)
        self.place = np.arange(count)  # a tower's head counts with its foot
        for tower in layout.towers:
            self.place[tower.head] = tower.foot
        self.donor = np.where(plant.donor >= 0, self.place[plant.donor], -1)
        ends = layout.incidence > 0
        self.into = np.where(ends.any(axis=0), self.place[ends.argmax(axis=0)], -1)
        self.moved = np.zeros((len(layout.transfers), CARRY.shape[1]))
        self.brought: list[Brought] = []
        self.lot_t, self.opened_t = self._lots(), np.zeros(len(layout.transfers))  # fibre of a lot, and fed so far
        self.feed_origin = [self._feed_origin(index) for index in range(len(layout.transfers))]
        self.origins = ["before", *dict.fromkeys(name for name in self.feed_origin if name)]
        self.share = np.zeros((count, len(self.origins)))
        self.share[:, 0] = 1.0
        self.feed_c = np.array([self._feed_c(index) for index in range(len(layout.transfers))])
        self.celsius = np.full(count, AIR_C)
        self.salts = [one.name for one in plant.line.water.loop]
        self.feed_salt = np.array([self._feed_salt(index) for index in range(len(layout.transfers))])
        self.spilled = np.zeros((count, len(self.salts)))  # t an hour that runs in unasked, with no water to speak of
        self.salt = np.zeros((count, len(self.salts)))  # kg/t of water
        self.held = self._held()
        self.carried_s = self.merged_s = plant.now_s
        self._settle()

    def _feed_c(self, index: int) -> float:
        line = self.plant.line
        transfer = self.plant.layout.transfers[index]
        if transfer.way == "makeup":
            return WATER_C
        unit = line.unit(line.stream(transfer.id).source)
        told = getattr(unit, "temperature_c", None)
        usual = WATER_C if isinstance(unit, Water) else FEED_C
        return usual if told is None else float(told)

    def _feed_origin(self, index: int) -> str:
        """Return what fibre that comes in by a transfer is called after: its source; '' where none comes."""
        transfer = self.plant.layout.transfers[index]
        if transfer.way != "feed" or transfer.make_up[FIBRE] <= 0:
            return ""
        source = self.plant.line.stream(transfer.id).source
        lot_t = self.lot_t[index]
        return f"{source} {1 + int(self.opened_t[index] / lot_t)}" if lot_t > 0 else source

    def _lots(self) -> np.ndarray:
        """Return the fibre of a lot for each transfer that feeds from lots, t; nought for the others."""
        found = np.zeros(len(self.plant.layout.transfers))
        for index, transfer in enumerate(self.plant.layout.transfers):
            if transfer.way == "feed" and transfer.make_up[FIBRE] > 0:
                source = self.plant.line.unit(self.plant.line.stream(transfer.id).source)
                share = float(transfer.make_up[FIBRE] / transfer.make_up[SOLIDS].sum())
                found[index] = (getattr(source, "lot_bdt", None) or 0.0) * share
        return found

    def _open_lots(self) -> None:
        """Open the next lot where one is used up: what is fed from now on is its."""
        self.opened_t += np.where(self.lot_t > 0, self.moved[:, BY_FIBRE], 0.0)
        for index in np.flatnonzero(self.lot_t > 0):
            self.feed_origin[index] = self._feed_origin(int(index))

    def _feed_salt(self, index: int) -> list[float]:
        """Return what builds up as a transfer from outside brings it, kg/t of its water: with its pulp, or fresh."""
        made = self.plant.layout.transfers[index].make_up
        return self._salts_in(float(made[SOLIDS].sum()), float(made[WATER])) if made[FIBRE] > 0 else self._fresh()

    def _salts_in(self, solids: float, water: float) -> list[float]:
        """Return what comes in with so much pulp, in so much water."""
        fresh = self._fresh()
        if water <= 0:
            return fresh
        loads = [one.load_kg_per_t for one in self.plant.line.water.loop]
        return [one + load * solids / water for one, load in zip(fresh, loads, strict=True)]

    def _fresh(self) -> list[float]:
        return [one.makeup_kg_per_m3 for one in self.plant.line.water.loop]

    def _settle(self) -> None:
        """Give every holder the warmth and the salts it comes to when the line stands as it is at rest."""
        rest = np.array([one.design_t_per_s * one.make_up for one in self.plant.layout.transfers]) @ CARRY * 1e7
        self.moved[:] = rest
        for group, target in zip(self.plant.batches.groups, self.plant.batches.targets, strict=True):
            out = self.plant.result.streams[self.plant.line.graph.out(group.unit)[0].id].flows_t_per_h / 3600
            row = np.concatenate([out, np.zeros(len(COLUMNS) - MASSES)])
            self._bring(target, row * 1e7, BLOWN_C, "before")
        self.celsius = self._warmed()
        self.salt = self._salted()
        self.moved[:] = 0.0
        self.brought.clear()

    def _held(self) -> np.ndarray:
        """Return fibre, heat capacity and water of every place, (holders, 3)."""
        plant = self.plant
        rows = plant.mass @ CARRY
        found = np.zeros_like(rows)
        np.add.at(found, self.place, rows)
        for tower, parcels in zip(plant.layout.towers, plant.parcels, strict=True):
            if parcels:
                found[tower.foot] += np.add.reduce(parcels) @ CARRY
        return found

    # ---- what happens

    def blown(self, row: int, moved: np.ndarray, celsius: float, origin: str) -> None:
        """Note what a digester gave to a holder."""
        if not self.plant.rides:
            return
        self._bring(row, moved, celsius, origin)

    def _bring(self, row: int, moved: np.ndarray, celsius: float, origin: str) -> None:
        salts = self._salts_in(float(moved[SOLIDS].sum()), float(moved[WATER]))
        self.brought.append(
            Brought(int(self.place[row]), tuple(map(float, moved @ CARRY)), celsius, origin, tuple(salts))
        )

    def carry(self) -> None:
        """Carry warmth and origin along with what moved since they were carried last."""
        plant = self.plant
        passed_s = plant.now_s - self.carried_s
        self.carried_s = plant.now_s
        for name in dict.fromkeys([*(one.origin for one in self.brought), *filter(None, self.feed_origin)]):
            if name not in self.origins:
                self.origins.append(name)
                self.share = np.hstack([self.share, np.zeros((len(self.share), 1))])
        place = {name: at for at, name in enumerate(self.origins)}
        each = np.eye(len(self.origins))
        feeds = each[[place[own or "before"] for own in self.feed_origin]]
        came = [each[place[one.origin]] for one in self.brought]
        self.share = self._solved(BY_FIBRE, self.share, feeds, self.held, came)
        warm = self._warmed()
        self.celsius = warm + (AIR_C - warm) * (1 - np.exp(-COOLS_PER_H * passed_s / 3600))
        self.salt = self._salted(passed_s / 3600)
        self._open_lots()
        self.moved[:] = 0.0
        self.brought.clear()
        self.held = self._held()
        if plant.now_s - self.merged_s >= MERGED_EVERY_S:
            self.merged_s = plant.now_s
            self._merge()

    def _warmed(self) -> np.ndarray:
        came = [[one.celsius] for one in self.brought]
        return self._solved(BY_HEAT, self.celsius[:, None], self.feed_c[:, None], self.held, came)[:, 0]

    def _salted(self, hours: float = 0.0) -> np.ndarray:
        """Return what the water of every place holds after what moved, and after what was spilled in so many hours."""
        came = [list(one.salts) for one in self.brought]
        held = self.held[:, BY_WATER, None]
        begun = self.salt + np.where(held > 0, 1000 * self.spilled * hours / np.maximum(held, 1e-9), 0.0)
        return self._solved(BY_WATER, begun, self.feed_salt, self.held, came)

    def _solved(
        self, carrier: int, share: np.ndarray, feeds: np.ndarray, held: np.ndarray, came: Sequence[Sequence[float]]
    ) -> np.ndarray:
        """Return the share of every holder after what moved: all of them at once, (holders, what rides)."""
        from stock.simulate.mixing import mixed  # with the compiler, which who steps no plant does not load

        return mixed(
            np.ascontiguousarray(self.moved[:, carrier]), self.donor, self.into, feeds,
            np.ascontiguousarray(held[:, carrier]), share,
            np.array([one.row for one in self.brought], dtype=int),
            np.array([one.carries[carrier] for one in self.brought], dtype=float),
            np.array(came, dtype=float).reshape(len(self.brought), share.shape[1]),
        )  # fmt: skip

    def _merge(self) -> None:
        """Merge the origins of which hardly anything is left."""
        fibre = self.held[:, 0] @ self.share
        kept, _ = merge_origins.method.bare(origins_each_bdt=list(map(float, fibre)))  # type: ignore[attr-defined]
        small = [index for index, one in enumerate(kept) if one == 0.0 and self._may_go(self.origins[index])]
        if not small:
            return
        if MINOR not in self.origins:
            self.origins.append(MINOR)
            self.share = np.hstack([self.share, np.zeros((len(self.share), 1))])
        self.share[:, self.origins.index(MINOR)] += self.share[:, small].sum(axis=1)
        self.share = np.delete(self.share, small, axis=1)
        self.origins = [name for index, name in enumerate(self.origins) if index not in small]

    def _may_go(self, origin: str) -> bool:
        return origin not in ("before", MINOR, *self.feed_origin)

    def recount(self) -> None:
        """Count what is held anew, after a vessel was filled or emptied from outside; its shares stay."""
        self.held = self._held()

    # ---- what is asked of it

    def of(self, unit: str) -> dict[str, float]:
        """Return the share of the fibre in a unit that comes from each origin.

        Raises
        ------
        DomainError
            E_RANGE where the unit holds nothing here.
        """
        row = self.plant.layout.row.get(unit)
        if row is None:
            raise DomainError("E_RANGE", "unit", f"{unit[:40]} holds nothing here", "a unit that holds stock")
        found = self.share[self.place[row]]
        return {name: float(one) for name, one in zip(self.origins, found, strict=True) if one > 1e-6}

    def celsius_at(self, row: int) -> float:
        """Return how warm a holder is."""
        return float(self.celsius[self.place[row]])

    def celsius_in(self, passes: np.ndarray) -> float | None:
        """Return how warm a stream is, by the transfers that run in it; none where nothing does."""
        capacity = passes * (self.plant.flows @ CARRY[:, 1])
        total = float(capacity.sum())
        warm = np.where(self.donor >= 0, self.celsius[self.donor], self.feed_c)
        return float(capacity @ warm) / total if total > 1e-12 else None

    def salt_at(self, row: int, name: str) -> float:
        """Return what the water of a holder holds of something that builds up, kg/t."""
        return float(self.salt[self.place[row], self.salts.index(name)])

    # ---- as plain data

    def state(self) -> dict[str, Any]:
        """Return all that changes, as plain data."""
        return {
            "moved": self.moved.tolist(), "brought": [list(one) for one in self.brought], "origins": list(self.origins),
            "share": self.share.tolist(), "celsius": self.celsius.tolist(), "held": self.held.tolist(),
            "salts": list(self.salts), "salt": self.salt.tolist(),
            "carried_s": self.carried_s, "merged_s": self.merged_s, "opened_t": self.opened_t.tolist(),
        }  # fmt: skip

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put plain data back."""
        for name in ("share", "celsius"):
            setattr(self, name, np.array(state[name]))
        self.origins = list(map(str, state["origins"]))
        self.opened_t = np.array(state.get("opened_t", np.zeros(len(self.lot_t))))
        self.feed_origin = [self._feed_origin(index) for index in range(len(self.lot_t))]
        self.carried_s, self.merged_s = float(state["carried_s"]), float(state["merged_s"])
        if state.get("salts") != self.salts:  # kept before its water was followed, or of another file: begin at rest
            self.moved[:] = 0.0
            self.recount()
            return
        for name in ("moved", "held", "salt"):
            setattr(self, name, np.array(state[name]))
        self.brought = [
            Brought(int(row), tuple(map(float, carries)), float(celsius), str(origin), tuple(map(float, salts)))
            for row, carries, celsius, origin, salts in state["brought"]
        ]
