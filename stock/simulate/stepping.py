"""A plant's steps: what it is made of, put before the compiled stroke; it stops where mass does not close."""

from abc import abstractmethod
from typing import Final

import numpy as np

from stock.errors import DomainError
from stock.simulate.arrays import Beating, Eyes, Followers, Loops, Moving, Parts, Sparse, Valves
from stock.simulate.batches import Batches
from stock.simulate.columns import MASSES
from stock.simulate.riding import Riding
from stock.simulate.wiring import Wired

CLOSES: Final = 1e-9
NOTHING: Final = np.empty(0)
NOWHERE: Final = np.empty(0, dtype=int)
FROM_NOTHING: Final = np.zeros(1, dtype=int)


class Stepping(Wired):
    """What a plant does in a step."""

    mass: np.ndarray
    flow: np.ndarray
    flows: np.ndarray
    rows: np.ndarray  # bone-dry, total and filler of each flow, as it is now
    wanted: np.ndarray
    filtered: np.ndarray
    error: np.ndarray
    shares: np.ndarray
    most: np.ndarray
    stuck: np.ndarray
    sticks: np.ndarray
    keeps: np.ndarray  # water a mat keeps for its solids, as it wanders
    in_parcels: np.ndarray
    tower_of: dict[int, int]  # by the row of its foot
    headers: list[tuple[np.ndarray, float]]
    swings: list[tuple[int, float]]
    strays: dict[int, float]
    refiners: list[str]
    beaten: Sparse  # what runs through each of them
    beaten_into: np.ndarray  # the holder behind it
    batches: Batches
    riding: Riding
    total_bd: float
    now_s: float
    steps: int
    worst_closure: float
    broken: bool
    has_sticking: bool
    rides: bool

    def held_in(self) -> np.ndarray:
        """Return what every row holds, t."""
        found: np.ndarray = self.mass[:, :MASSES].sum(axis=1)
        return found

    def contents(self) -> np.ndarray:
        """Return what every holder holds, t; a tower's foot stands for the whole of it."""
        held = self.held_in()
        found = held.copy()
        if len(self.ways.tower_foot):
            found[self.ways.tower_foot] += held[self.ways.tower_head] + self.in_parcels
        return found

    def content(self, row: int) -> float:
        """Return what a holder holds, t."""
        found = float(self.mass[row, :MASSES].sum())
        if (tower := self.tower_of.get(row)) is not None:
            found += float(self.mass[self.ways.tower_head[tower], :MASSES].sum() + self.in_parcels[tower])
        return found

    def true_signals(self) -> np.ndarray:
        """Return what each loop's instrument stands in."""
        from stock.simulate.stroke import true_signals  # with the compiler, which who steps no plant does not load

        return true_signals(*self._eyes(), *self.ways.sense, self.rows, self.contents())

    def stroke_on(self, count: int) -> None:
        """Run so many steps, with nothing that is slow.

        Raises
        ------
        DomainError
            E_BALANCE where mass does not close, with the moment; the plant is not to be run on.
        """
        from stock.simulate.stroke import run_steps

        total, ways = np.array([self.total_bd]), self.ways
        moving = Moving(
            self.mass, self.flow, self.flows, self.rows, self.wanted, self.filtered, self.error, self.ring,
            self.in_parcels, total, self.riding.moved,
        )  # fmt: skip
        done, closure = run_steps(
            count, self.steps, CLOSES, self.now_s, self.dt_s, self.broken, self.rides,
            *moving, *self._eyes(), *self._loops(), *self._followers(), *self._valves(),
            *ways.balance, ways.coming, *ways.sense, *ways[3:], *self._parts(), *self._beating(),
        )  # fmt: skip
        self.total_bd = float(total[0])
        self.steps += done
        for _ in range(done):
            self.now_s += self.dt_s
        self.worst_closure = max(self.worst_closure, closure)
        if not closure <= CLOSES:
            raise DomainError(
                "E_BALANCE", "plant", f"mass closes to {closure:.1e} only, {self.now_s:.0f} s after it began"
            )

    # ---- what it is made of now

    def _loops(self) -> Loops:
        return Loops(
            self.offset, self.late_at, self.lag, self.least_t, self.set_point, self.reset_gain, self.gain,
            self.per_rest, self.auto, self.at_rest, self.drives, self.driven_by_loops, self.total_loop,
        )  # fmt: skip

    def _eyes(self) -> Eyes:
        return Eyes(self.eye, self.eye_over, self.eye_times)

    def _followers(self) -> Followers:
        return Followers(
            self.ratio_driven, self.ratio_per_bd, self.ratio_low, self.low_held, self.low_half,
            self.share_driven, self.shares, self.share_gain,
            self.bin_driven, self.bin_rows, self.batches.asked[self.bin_groups], self.by_hand, self.design, self.usual,
        )  # fmt: skip

    def _valves(self) -> Valves:
        sticks = self.sticks if self.has_sticking else NOTHING
        if not self.headers:
            return Valves(self.range, self.most, self.stroke, sticks, FROM_NOTHING, NOWHERE, NOTHING)
        draws = [at for at, _ in self.headers]
        starts = np.cumsum([0, *(len(at) for at in draws)])
        caps = np.array([cap for _, cap in self.headers], dtype=float)
        return Valves(self.range, self.most, self.stroke, sticks, starts, np.concatenate([NOWHERE, *draws]), caps)

    def _parts(self) -> Parts:
        return Parts(
            self.part_row, self.part_share, self.part_hold_s, self.part_wet, self.keeps, self.feed_made,
            np.array([row for row, _ in self.swings], dtype=int), np.array([by for _, by in self.swings], dtype=float),
            np.array([*self.strays], dtype=int), np.array([*self.strays.values()], dtype=float),
        )  # fmt: skip

    def _beating(self) -> Beating:
        falls = np.array([self.beats(one) for one in self.refiners])
        return Beating(*self.beaten, self.beaten_into, falls, self.least_flow)

    @abstractmethod
    def beats(self, refiner: str) -> float:
        """Return by how much a refiner takes the logarithm of freeness down, for each t/s of bone-dry."""
