"""What washers and screens part by how they are run: a washer by its water and its health, a screen by its rejects.

Anchored, so that at the definition's own settings each parts as the balance says. A washing line answers as
slowly as its vats and tanks make it, a screen at once.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from stock.material import INDEX
from stock.screening.unit import Staged, clean_drop_kpa, fibre_fed, passed_of
from stock.simulate.layout import DISSOLVED, FIBRE, MARKED, MASSES, SOLIDS
from stock.washing.stage import washing_loss_frac
from stock.washing.stairs import answer_min
from stock.washing.unit import Washer

if TYPE_CHECKING:
    from stock.primitives import Separate, Wash
    from stock.simulate.running import Running

SHARE: Final = washing_loss_frac.method.bare  # type: ignore[attr-defined]
FINES: Final = INDEX["fines"]
LEAST_T_PER_S: Final = 1e-6
SPAN: Final = (-0.5, 8.0)  # t/BDt, beyond which the relation says nothing


@dataclass(slots=True)
class Washing:
    """A separation that is washed: which parting it is, what washes it, where it stands."""

    unit: "Separate"
    wash: "Wash"
    parting: int
    accepts: int
    liquor: int
    tau_s: float
    usual_share: float
    ratio: float = 1.0


class Separating:
    """The washers and screens of a plant."""

    def __init__(self, plant: "Running") -> None:
        """Find them."""
        self.plant = plant
        self.health: dict[str, float] = {}  # of their efficiency, what faults leave
        self.washers = [
            self._washing(index)
            for index, one in enumerate(plant.layout.partings)
            if self._wash_of(one.unit) is not None
        ]

        self._flows: dict[str, tuple[float, float]] = {}
        self.rejects: dict[str, float] = {}  # mass reject rate of the first stage, where people set another
        self.leaks: dict[str, float] = {}  # share of accepts never screened, what faults make of it
        self.plugged: dict[str, float] = {}  # cleaners of the first stage that pass nothing
        self.blinded: dict[str, float] = {}  # share of the first basket that is open still
        self.screens = {
            one.unit: index
            for index, one in enumerate(plant.layout.partings)
            if isinstance(unit := plant.line.unit(one.unit), Staged) and unit.stages
        }

    def _usual_flow(self, unit_id: str) -> tuple[float, float]:
        """Return a system's first stage's flow at rest, L/min, and what comes to the system then, t/s."""
        if unit_id not in self._flows:
            unit = self.plant.line.unit(unit_id)
            assert isinstance(unit, Staged)
            inlets = [self.plant.result.streams[one.id] for one in self.plant.line.graph.into(unit_id)]
            bd, total = sum(one.bd_t_per_h for one in inlets), sum(one.total_t_per_h for one in inlets)
            share = fibre_fed(unit.stages)
            flow = 100 * bd * share / unit.stages[0].feed_consistency_pct * 1000 / 60
            self._flows[unit_id] = (flow, max(total / 3600, 1e-9))
        return self._flows[unit_id]

    def drop_kpa(self, unit_id: str) -> float | None:
        """Return the pressure drop over a system's first stage, at what comes to it now; None where it is not told."""
        unit = self.plant.line.unit(unit_id)
        assert isinstance(unit, Staged)
        usual, came = self._usual_flow(unit_id)
        row = self.plant.layout.partings[self.screens[unit_id]].row
        held = float(self.plant.mass[row, :MASSES].sum()) / self.plant.part_hold_s
        flow = usual * held / came
        drop = clean_drop_kpa(unit.stages[0], flow, self.plugged.get(unit_id, 0.0))
        return None if drop is None else drop / self.blinded.get(unit_id, 1.0) ** 2

    def reject_frac(self, unit_id: str) -> float:
        """Return the mass reject rate of a system's first stage."""
        unit = self.plant.line.unit(unit_id)
        assert isinstance(unit, Staged)
        return self.rejects.get(unit_id, unit.stages[0].mass_reject_frac)

    def screen(self) -> None:
        """Let every system of screens part as it is set, and as it leaks."""
        shares = self.plant.part_share
        for unit_id, index in self.screens.items():
            rate, leak = self.rejects.get(unit_id), self.leaks.get(unit_id, 0.0)
            plugged = self.plugged.get(unit_id, 0.0)
            if rate is None and not leak and not plugged:
                continue
            unit = self.plant.line.unit(unit_id)
            assert isinstance(unit, Staged)
            usual = unit.stages[0].mass_reject_frac
            open_frac = max(1 - plugged / (unit.stages[0].installed or 1), 0.05)  # a plugged tip rejects nothing
            fibre, debris = passed_of(unit.stages, (rate or usual) / usual * open_frac, leak)
            was_fibre, _ = passed_of(unit.stages)
            ratio = (1 - fibre) / max(1 - was_fibre, 1e-9)
            for column in (FIBRE, FINES):
                shares[index, column] = 1 - min(ratio * (1 - shares[index, column]), 1.0)
            shares[index, MASSES:] = shares[index, FIBRE]
            shares[index, MARKED["shives"]] = debris

    def _wash_of(self, unit_id: str) -> "Wash | None":
        wash: Wash | None = getattr(self.plant.line.unit(unit_id), "wash", None)
        return wash if wash is not None and wash.stream in self.plant.layout.at else None

    def _washing(self, index: int) -> Washing:
        parting = self.plant.layout.partings[index]
        unit: Separate = self.plant.line.unit(parting.unit)  # type: ignore[assignment]
        wash = self._wash_of(parting.unit)
        assert wash is not None
        tau_s = 60 * (answer_min(unit) if isinstance(unit, Washer) else 1.0)
        usual = self._share(wash, wash.dilution_factor_t_per_odt, wash.e_std)
        return Washing(unit, wash, index, parting.accepts, self.plant.layout.at[wash.stream], tau_s, usual)

    @staticmethod
    def _share(wash: "Wash", factor: float, e_std: float) -> float:
        """Return the share of the solids that a factor and an efficiency leave with the pulp."""
        return float(
            SHARE(
                dilution_factor_t_per_odt=min(max(factor, SPAN[0]), SPAN[1]),
                feed_consistency_pct=wash.feed_consistency_pct, e_std_total_ratio=e_std, std_consistency_pct=10.0,
            )
        )  # fmt: skip

    def run(self, passed_s: float) -> None:
        """Let every washer come to what its water and its health make of it."""
        plant = self.plant
        for one in self.washers:
            solids = float(plant.flows[one.accepts][SOLIDS].sum())
            if solids < LEAST_T_PER_S:
                continue
            factor = float(plant.flow[one.liquor]) / solids - (100 / one.unit.consistency_pct - 1)
            wanted = self._share(one.wash, factor, one.wash.e_std * self.health.get(one.unit.id, 1.0)) / one.usual_share
            one.ratio += (1 - math.exp(-passed_s / one.tau_s)) * (wanted - one.ratio)
            base = plant.part_base[one.parting, DISSOLVED]
            plant.part_share[one.parting, DISSOLVED] = (base * one.ratio).clip(0.0, 1.0)

    def state(self) -> dict[str, Any]:
        """Return all that changes, but for what faults make of it."""
        return {"washers": [one.ratio for one in self.washers], "rejects": dict(self.rejects)}

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put it back."""
        for one, ratio in zip(self.washers, state["washers"], strict=True):
            one.ratio = float(ratio)
        self.rejects = {str(name): float(value) for name, value in state["rejects"].items()}
