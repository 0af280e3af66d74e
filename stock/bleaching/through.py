"""A bleach of the line worked through: its stages as rows, the pulp that must have come in, what each stage makes of it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from stock.bleaching.oxygen import oxygen_kappa
from stock.bleaching.response import conditions
from stock.bleaching.scission import LENGTH
from stock.bleaching.sequence import STAGES, Pulp, stage_end
from stock.bleaching.symbols import Symbol, middle, symbol_of
from stock.bleaching.unit import BleachStage, Stage

OXYGEN = oxygen_kappa.method.bare  # type: ignore[attr-defined]
CONDITIONS = conditions.method.bare  # type: ignore[attr-defined]
OXYGEN_RATE: Final = 5.679e-4  # kappa 25 to 13.5 in an hour at 95 °C, 20 kg alkali, 500 kPa
OXYGEN_KPA: Final = 500.0
FACTOR_SPAN: Final = (0.05, 3.0)


@dataclass(frozen=True, slots=True)
class Run:
    """How a stage is run; what is left out is as usual."""

    charge_kg_per_bdt: float | None = None
    temperature_c: float | None = None
    minutes: float | None = None
    end_ph: float | None = None
    pressure_kpa_abs: float | None = None


USUAL: Final = Run()


def usual_charge(stage: Stage, symbol: Symbol) -> float:
    """Return the charge a stage usually has: what the file says, or the middle of what is usual for its kind."""
    return middle(symbol.charge) if stage.charge_kg_per_bdt is None else stage.charge_kg_per_bdt


def factor_of(stage: Stage, symbol: Symbol, run: Run = USUAL) -> float:
    """Return what warmth, time and pH make of a charge, 1 as the stage is usually run."""
    if run.temperature_c is None and run.minutes is None and run.end_ph is None:
        return 1.0
    warmth = stage.temperature_c if stage.temperature_c is not None else middle(symbol.temperature_c)
    minutes, ph = stage.minutes(), stage.end_ph if stage.end_ph is not None else middle(symbol.ph)
    found = CONDITIONS(
        temperature_c=warmth if run.temperature_c is None else run.temperature_c,
        time_min=minutes if run.minutes is None else run.minutes,
        end_ph=ph if run.end_ph is None else run.end_ph,
        reference_c=warmth, reference_min=minutes, best_ph=ph,
    )  # fmt: skip
    return float(min(max(found, FACTOR_SPAN[0]), FACTOR_SPAN[1]))


def row_of(stage: Stage, symbol: Symbol, run: Run = USUAL) -> dict[str, float]:
    """Return a stage as `bleached` takes it."""
    charge = usual_charge(stage, symbol) if run.charge_kg_per_bdt is None else run.charge_kg_per_bdt
    fitted = stage.response_per_kg
    return {
        "charge_kg_per_bdt": charge * symbol.per_kg,
        "response_per_kg": symbol.response if fitted is None else fitted.value / symbol.per_kg,
        "ks_floor_ks": symbol.floor if stage.ks_floor is None else stage.ks_floor.value,
        "rate_factor": symbol.kappa_rate if stage.kappa_rate is None else stage.kappa_rate.value,
        "kappa_floor_kappa": symbol.kappa_floor,
        "cut_scission": symbol.scission if stage.scission is None else stage.scission.value,
        "loss_per_kappa_pct": symbol.yield_per_kappa,
        "loss_pct": symbol.yield_base,
        "cod_demand_kg_per_kg": symbol.cod_demand,
        "wash_removal_frac": symbol.wash_removal if stage.wash_removal_frac is None else stage.wash_removal_frac,
        "condition_factor": factor_of(stage, symbol, run),
        "dirt_factor": symbol.dirt_rate if stage.dirt_rate is None else stage.dirt_rate.value,
    }


def _oxygen(row: dict[str, float], stage: Stage, symbol: Symbol, run: Run, kappa: float) -> dict[str, float]:
    """Return an oxygen stage's row with the rate at which its own law ends at its kappa."""
    charge = row["charge_kg_per_bdt"]
    if charge <= 0 or kappa <= symbol.kappa_floor:
        return row
    ends = float(
        OXYGEN(
            kappa_in_kappa=kappa,
            time_min=stage.minutes() if run.minutes is None else run.minutes,
            temperature_c=min(max(run.temperature_c or stage.temperature_c or middle(symbol.temperature_c), 60.0), 120.0),
            naoh_kg_per_bdt=charge, oxygen_kpa_abs=run.pressure_kpa_abs or stage.pressure_kpa_abs or OXYGEN_KPA, rate_per_min=OXYGEN_RATE,
        )
    )  # fmt: skip
    way = (max(ends, symbol.kappa_floor * 1.001) - symbol.kappa_floor) / (kappa - symbol.kappa_floor)
    return row | {"rate_factor": -math.log(way) * 10 * kappa / (charge * row["condition_factor"])}


def rows_of(
    unit: BleachStage, kappa: float, runs: Mapping[int, Run] | None = None, cod_kg_per_bdt: float | None = None
) -> list[dict[str, float]]:
    """Return the stages of a bleach as rows, for pulp of a kappa, some of them run otherwise than usual."""
    return rows_for(
        unit.stages, [unit.symbol(at) for at in range(len(unit.stages))], kappa,
        unit.carryover_cod_kg_per_bdt if cod_kg_per_bdt is None else cod_kg_per_bdt, runs,
    )  # fmt: skip


def rows_for(
    stages: Sequence[Stage],
    symbols: Sequence[Symbol],
    kappa: float,
    cod_kg_per_bdt: float,
    runs: Mapping[int, Run] | None = None,
) -> list[dict[str, float]]:
    """Return stages as rows; an oxygen stage's rate is that of its own law at the kappa it is given."""
    found = []
    pulp = Pulp(kappa, 0.2, 1500.0, 1.0, cod_kg_per_bdt)
    for at, (stage, symbol) in enumerate(zip(stages, symbols, strict=True)):
        run = (runs or {}).get(at, USUAL)
        row = row_of(stage, symbol, run)
        if symbol.symbol == "O" and stage.kappa_rate is None:
            row = _oxygen(row, stage, symbol, run, pulp.kappa)
        found.append(row)
        _, pulp = stage_end({**STAGES.defaults, **row}, pulp)
    return found


def start_of(unit: BleachStage, kappa: float, cod_kg_per_bdt: float | None = None) -> Pulp:
    """Return the pulp that comes into a bleach, its light absorbed still to be found."""
    cod = unit.carryover_cod_kg_per_bdt if cod_kg_per_bdt is None else cod_kg_per_bdt
    return Pulp(kappa, 0.0, float(LENGTH(viscosity_ml_per_g=unit.viscosity_ml_per_g)), 1.0, cod)


def ks_into(rows: Sequence[Mapping[str, float]], start: Pulp, ks_out: float) -> float:
    """Return the k/s that must have come in for the stages to end at one.

    Each stage is undone: what it works with does not hang on the light absorbed. Where the end lies below a
    stage's floor, that stage did nothing.
    """
    worked, pulp = [], start
    for row in rows:
        full = {**STAGES.defaults, **row}
        effective, pulp = stage_end(full, pulp)
        worked.append(full["response_per_kg"] * full["condition_factor"] * effective)
    ks = ks_out
    for row, works in zip(reversed(rows), reversed(worked), strict=True):
        floor = row["ks_floor_ks"]
        if ks > floor:
            ks = floor + (ks - floor) * (1 + works)
    return ks


def march(rows: Sequence[Mapping[str, float]], pulp: Pulp) -> list[Pulp]:
    """Return the pulp after each stage."""
    found = []
    for row in rows:
        _, pulp = stage_end({**STAGES.defaults, **row}, pulp)
        found.append(pulp)
    return found


def extracted(symbols: Sequence[str]) -> int | None:
    """Return at which stage the pulp is first extracted after an acid one; None where it never is."""
    return next((at for at, one in enumerate(symbols) if at and one in {"E", "EO", "EP", "EOP"}), None)


__all__ = [
    "USUAL",
    "Run",
    "extracted",
    "factor_of",
    "ks_into",
    "march",
    "row_of",
    "rows_for",
    "rows_of",
    "start_of",
    "symbol_of",
    "usual_charge",
]
