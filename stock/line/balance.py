"""The steady balance of the whole line, solved for any order.

The system (see `assembly`) is linear, recycle loops included, but for one thing: streams
drawn from one water tank in unknown amounts share its unknown composition. So the tanks
are taken as they were in the last solution and repeated until they stand, which the
next order usually inherits. Mass closes at every pass, whatever the tanks hold.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from stock.errors import DomainError
from stock.line.assembly import WATER, Assembly, N
from stock.line.closing import Closing
from stock.line.definition import Definition
from stock.line.order import Order
from stock.material import Stream
from stock.primitives import Separate, Store, Tank, gives_water

__all__ = ["CLOSURE", "LineBalance", "LineResult", "Load", "Order"]

CLOSURE = 1e-9
_RUNS = 1e-9  # t/h; less is what a solved matrix leaves of nothing
_SETTLED = 1e-9
_BOUND = 1e12  # of what answers to a unit; a loop that lets out a millionth of what runs stays far below
_MOST_PASSES = 60
_MEMORY = 6


@dataclass(frozen=True, slots=True)
class Load:
    """How hard a unit runs against what it can do."""

    unit: str
    station: str
    stream: str
    bdt_per_h: float
    capacity_bdt_per_h: float

    @property
    def used_frac(self) -> float:
        """Share of the capacity in use."""
        return self.bdt_per_h / self.capacity_bdt_per_h


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
        """Whether every unit can carry the order, no tank runs short and no water would have to be taken out."""
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
                f"{load.unit} would have to carry {load.bdt_per_h:.2f} BDt/h and can carry"
                f" {load.capacity_bdt_per_h:g}; this recipe can run at {self.most_t_per_h:.2f} t/h at most"
            )
            raise DomainError("E_INFEASIBLE", "reel_t_per_h", message, f"{self.most_t_per_h:.2f} t/h or less")


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
        """Assemble the system, with its tanks full of clean water."""
        self.line = line
        self.system = Assembly(line)
        self._closing = Closing(line, self.system)
        self._probe = np.cos(np.arange(self.system.size))  # of no pattern that a line may have
        units = {unit.id: unit for unit in line.units}
        self._drawn = [
            (units[stream.target].name, stream.id)
            for stream in line.streams
            if gives_water(units[stream.source], stream.id)
        ]
        clean = np.zeros(N)
        clean[WATER] = 1.0
        self._tanks = {unit.id: clean for unit in line.units if isinstance(unit, Tank)}

    def matrix(self, order: Order) -> tuple[csc_matrix, np.ndarray]:
        """Return the system (matrix, right-hand side) for an order, with the tanks as last known."""
        return self.system.matrix(order, self._tanks)

    def solve(self, order: Order) -> LineResult:
        """Return every stream of the line for an order.

        Raises
        ------
        DomainError
            E_SINGULAR if the line has a loop with no exit, E_BALANCE if mass does not
            close within 1e-9, E_RANGE for shares of streams that do not exist.
        """
        unknown = set(order.shares) - set(self.system.recipe_streams)
        if unknown:
            name = min(unknown)
            allowed = ", ".join(self.system.recipe_streams)
            raise DomainError("E_RANGE", name, f"no stream {name} runs into the blend; allowed: {allowed}", allowed)
        guesses: list[np.ndarray] = []
        answers: list[np.ndarray] = []
        for passes in range(1, _MOST_PASSES + 1):
            matrix, right = self.matrix(order)
            x = self._solved(matrix, right)
            flows = x[: len(self.system.streams) * N].reshape(-1, N)
            guess = np.concatenate([np.zeros(0), *self._tanks.values()])
            answer = np.concatenate([np.zeros(0), *(self._strength(tank, flows) for tank in self._tanks)])
            if np.abs(answer - guess).max(initial=0.0) < _SETTLED:
                return self._result(order, flows, passes)
            guesses, answers = [*guesses, guess][-_MEMORY:], [*answers, answer][-_MEMORY:]
            self._carry_over(_accelerated(guesses, answers))
        message = f"the water tanks did not settle in {_MOST_PASSES} passes"
        raise DomainError("E_BALANCE", "tanks", message)

    def _solved(self, matrix: csc_matrix, right: np.ndarray) -> np.ndarray:
        """Return what solves the system; E_SINGULAR where that is not one thing.

        Rounding may leave a little of a pivot that is nought: what answers to the probe then has no bounds.
        """
        both = np.column_stack([right, self._probe])
        try:
            x, probed = splu(matrix, permc_spec="NATURAL").solve(both).T  # units stand along the line: little fills in
        except RuntimeError:
            probed = np.array([np.inf])
        if not np.abs(probed).max() < _BOUND:
            message = "the line has a loop with no exit, or a stream nothing determines"
            raise DomainError("E_SINGULAR", "streams", message)
        return np.asarray(x)

    def _strength(self, tank: str, flows: np.ndarray) -> np.ndarray:
        """Return what a tank holds of each component, t per t of water."""
        fed = sum((flows[self.system.at[name] // N] for name in self.system.ins[tank]), np.zeros(N))
        strength = fed / fed[WATER] if fed[WATER] > _RUNS else np.zeros(N)
        strength[WATER] = 1.0
        return strength

    def _carry_over(self, strengths: np.ndarray) -> None:
        for index, tank in enumerate(self._tanks):
            self._tanks[tank] = np.maximum(strengths[index * N : (index + 1) * N], 0.0)

    def _result(self, order: Order, flows: np.ndarray, passes: int) -> LineResult:
        clean = np.where(np.abs(flows) < 1e-9, 0.0, flows)
        streams = {name: Stream(clean[index]) for index, name in enumerate(self.system.streams)}
        closure = self._closing.worst(flows)
        if closure > CLOSURE:
            raise DomainError("E_BALANCE", "streams", f"mass closes to {closure:.1e} only, and {CLOSURE:g} is wanted")
        stores = {}
        for unit in self.line.units:
            if isinstance(unit, Store):
                fed = sum((streams[name].bdt_per_h for name in self.system.ins[unit.id]), 0.0)
                stores[unit.id] = fed - sum(streams[name].bdt_per_h for name in self.system.outs[unit.id])
        return LineResult(order, streams, stores, self._loads(streams), self._shortages(streams), closure, passes)

    def _loads(self, streams: Mapping[str, Stream]) -> tuple[Load, ...]:
        loads = []
        for unit in self.line.units:
            if unit.capacity_bdt_per_h is None:
                continue
            stream = getattr(unit, "accept", None) or (self.system.outs[unit.id] or self.system.ins[unit.id])[0]
            loads.append(Load(unit.name, unit.station, stream, streams[stream].bdt_per_h, unit.capacity_bdt_per_h))
        return tuple(loads)

    def _shortages(self, streams: Mapping[str, Stream]) -> tuple[str, ...]:
        found = []
        for unit in self.line.units:
            if isinstance(unit, Tank) and streams[unit.overflow]["water"] < -1e-6:
                short = -streams[unit.overflow]["water"]
                found.append(f"{unit.name} runs short of water by {short:.1f} t/h; add fresh water or dilute less")
            elif isinstance(unit, Separate) and streams[unit.rest]["water"] < -1e-6:
                found.append(f"{unit.name} would pass on more water than it is fed; its accepts are set too thin")
        for fed, stream in self._drawn:
            if (taken := -streams[stream]["water"]) > 1e-6:
                found.append(
                    f"{fed} is set thicker than what comes to it: {taken:.1f} t/h of water would have to be"
                    " taken out; set it thinner, or thicken before it"
                )
        return tuple(found)
