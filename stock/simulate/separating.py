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
from stock.simulate.columns import DISSOLVED, FIBRE, MARKED, MASSES, SOLIDS
from stock.simulate.machines import Machines
from stock.washing.mat import drop_leg_vacuum
from stock.washing.stairs import USUAL_SOLIDS

if TYPE_CHECKING:
    from stock.primitives import Separate, Wash
    from stock.simulate.running import Running

FINES: Final = INDEX["fines"]
LEAST_T_PER_S: Final = 1e-6
LEG: Final = drop_leg_vacuum.method.bare  # type: ignore[attr-defined]
LEG_M, LEG_KG_PER_M3, LEG_LOSS_KPA, USUAL_GAS = 9.0, 1010.0, 8.0, 0.06  # a usual drop leg
BLIND_RAISES: Final = 0.5  # of the vacuum, by a wire wholly blinded; defaults to be fitted, as the next two
BLIND_TAKES: Final = 0.3  # of the efficiency
MOTOR_OF_BLIND: Final = 0.4  # of the load, for a basket blinded by half; a default to be fitted
VAT_PTS: Final = 60.0  # of level, for a feed as large again as what drains


@dataclass(slots=True)
class Washing:
    """A separation that is washed: which parting it is, what washes it, its machines, where it stands."""

    unit: "Separate"
    parting: int
    accepts: int
    liquor: int
    machines: Machines
    factor: float  # dilution factor now, t/BDt
    ratio: float = 1.0


class Separating:
    """The washers and screens of a plant."""

    def __init__(self, plant: "Running") -> None:
        """Find them."""
        self.plant = plant
        self.health: dict[str, dict[int, float]] = {}  # of a machine's efficiency, what faults leave; 0 for all
        self.gas: dict[str, float] = {}  # in a washer's liquor over the usual, share by volume
        self.wires: dict[str, float] = {}  # share of a washer's wire that is blinded
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

    def healthy(self) -> None:
        """Forget what faults made of it."""
        for one in (self.health, self.gas, self.wires, self.leaks, self.plugged, self.blinded):
            one.clear()

    def vacuum_ratio(self, unit_id: str) -> float:
        """Return a washer's vacuum over its usual: gas in the leg takes it, a blinded wire raises it."""
        gas = min(USUAL_GAS + self.gas.get(unit_id, 0.0), 0.9)
        column = LEG(leg_m=LEG_M, liquor_kg_per_m3=LEG_KG_PER_M3, gas_frac=gas, friction_kpa=LEG_LOSS_KPA)
        usual = LEG(leg_m=LEG_M, liquor_kg_per_m3=LEG_KG_PER_M3, gas_frac=USUAL_GAS, friction_kpa=LEG_LOSS_KPA)
        return float(column / usual) * (1 + BLIND_RAISES * self.wires.get(unit_id, 0.0))

    def vat_over(self, unit_id: str) -> float:
        """Return by how many points a washer's vat stands over the usual: what is fed over what its wire drains."""
        washer = next(one for one in self.washers if one.unit.id == unit_id)
        solids = 3600 * float(self.plant.flows[washer.accepts][SOLIDS].sum())
        usual = self.plant.result.streams[washer.unit.accept].bdt_per_h
        drains = math.sqrt(max(self.vacuum_ratio(unit_id), 0.0)) * (1 - self.wires.get(unit_id, 0.0))
        return VAT_PTS * (solids / usual - drains) if usual > 0 else 0.0

    def strong_solids_pct(self, unit_id: str) -> float | None:
        """Return what is dissolved in the liquor a washer sends off, %; None where none runs."""
        index = next(one.parting for one in self.washers if one.unit.id == unit_id)
        row = self.plant.flows[self.plant.layout.partings[index].rest]
        total = float(row[:MASSES].sum())
        return 100 * float(row[DISSOLVED].sum()) / total if total > LEAST_T_PER_S else None

    def liquors(self, unit_id: str) -> list[tuple[float, float, float]]:
        """Return filtrate, mat and wash liquor of each machine of a washer, kg/t, for the solids that come now."""
        washer = next(one for one in self.washers if one.unit.id == unit_id)
        fitted = getattr(washer.unit, "feed_solids_kg_per_bdt", None)
        usual = USUAL_SOLIDS if fitted is None else fitted.value
        row = self.plant.mass[self.plant.layout.partings[washer.parting].row]
        inlets = [self.plant.result.streams[one.id] for one in self.plant.line.graph.into(unit_id)]
        rest = sum(float(one.flows_t_per_h[DISSOLVED].sum()) for one in inlets) / sum(one.bdt_per_h for one in inlets)
        solids = float(row[SOLIDS].sum())
        ratio = float(row[DISSOLVED].sum()) / solids / rest if solids > LEAST_T_PER_S and rest > 0 else 1.0
        return washer.machines.strengths(usual * ratio)

    def _usual_flow(self, unit_id: str) -> tuple[float, float]:
        """Return a system's first stage's flow at rest, L/min, and what comes to the system then, t/s."""
        if unit_id not in self._flows:
            unit = self.plant.line.unit(unit_id)
            assert isinstance(unit, Staged)
            inlets = [self.plant.result.streams[one.id] for one in self.plant.line.graph.into(unit_id)]
            bd, total = sum(one.bdt_per_h for one in inlets), sum(one.total_t_per_h for one in inlets)
            share = fibre_fed(unit.stages)
            flow = 100 * bd * share / unit.stages[0].feed_consistency_pct * 1000 / 60
            self._flows[unit_id] = (flow, max(total / 3600, 1e-9))
        return self._flows[unit_id]

    def drop_kpa(self, unit_id: str) -> float | None:
        """Return the pressure drop over a system's first stage, at what comes to it now; None where it is not told."""
        unit = self.plant.line.unit(unit_id)
        assert isinstance(unit, Staged)
        usual, _ = self._usual_flow(unit_id)
        flow = usual * self.flow_ratio(unit_id)
        drop = clean_drop_kpa(unit.stages[0], flow, self.plugged.get(unit_id, 0.0))
        return None if drop is None else drop / self.blinded.get(unit_id, 1.0) ** 2

    def flow_ratio(self, unit_id: str) -> float:
        """Return what runs to a system's first stage over the usual."""
        _, came = self._usual_flow(unit_id)
        row = self.plant.layout.partings[self.screens[unit_id]].row
        return float(self.plant.mass[row, :MASSES].sum()) / self.plant.part_hold_s / came

    def reject_flow_ratio(self, unit_id: str) -> float:
        """Return the first stage's reject flow over the usual: by its rate, by what runs, less where the basket blinds."""
        unit = self.plant.line.unit(unit_id)
        assert isinstance(unit, Staged)
        rate = self.reject_frac(unit_id) / unit.stages[0].mass_reject_frac
        return self.flow_ratio(unit_id) * rate * self.blinded.get(unit_id, 1.0)

    def motor_ratio(self, unit_id: str) -> float:
        """Return the first stage's motor load over the usual: more as its basket blinds and what it holds thickens."""
        return 1 + MOTOR_OF_BLIND * (1 / self.blinded.get(unit_id, 1.0) - 1)

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
        usual = self.plant.result.streams[unit.accept].bdt_per_h
        machines, liquor = Machines(unit, wash, usual), self.plant.layout.at[wash.stream]
        return Washing(unit, index, parting.accepts, liquor, machines, wash.dilution_factor_t_per_bdt)

    def run(self, passed_s: float) -> None:
        """Let every washer come to what its water and its health make of it."""
        plant = self.plant
        for one in self.washers:
            solids = float(plant.rows[one.accepts, 0])
            if solids < LEAST_T_PER_S:
                continue
            one.factor = float(plant.flow[one.liquor]) / solids - (100 / one.unit.consistency_pct - 1)
            one.ratio = one.machines.run(passed_s, one.factor, 3600 * solids, self._health_of(one.unit.id))
            for column in DISSOLVED:
                share = float(plant.part_base[one.parting, column]) * one.ratio
                plant.part_share[one.parting, column] = min(max(share, 0.0), 1.0)

    def _health_of(self, unit_id: str) -> dict[int, float]:
        """Return what is left of the efficiency of each machine of a line; 0 for all of them."""
        health = dict(self.health.get(unit_id, {}))
        health[0] = health.get(0, 1.0) * (1 - BLIND_TAKES * self.wires.get(unit_id, 0.0))
        return health

    def settle(self) -> None:
        """Let every washer be as it comes to be with what is wrong with it now: as if it were so for a day."""
        for one in self.washers:
            one.ratio = one.machines.settle(self._health_of(one.unit.id))

    def state(self) -> dict[str, Any]:
        """Return all that changes, but for what faults make of it."""
        return {
            "washers": [one.ratio for one in self.washers],
            "machines": [one.machines.state() for one in self.washers],
            "rejects": dict(self.rejects),
        }

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put it back."""
        for one, ratio in zip(self.washers, state["washers"], strict=True):
            one.ratio = float(ratio)
        for one, kept in zip(self.washers, state.get("machines", []), strict=False):
            one.machines.restore(kept)
        self.rejects = {str(name): float(value) for name, value in state["rejects"].items()}
