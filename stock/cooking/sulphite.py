"""Sulphite cooking: the acid, and the time-temperature-pressure integral its end point goes by."""

import math
from typing import Final, NamedTuple

import numpy as np

from stock.cooking.end_point import refuse_disorder
from stock.errors import DomainError
from stock.steam import saturation_pressure_kpa_abs
from stock.working import Arg, Example, method

KELVIN: Final = 273.15
GAS_J_PER_MOL_K: Final = 8.314462
ATMOSPHERE_KPA: Final = 101.325
SO2_G_PER_EQUIVALENT_10: Final = 3.2033
_VOLUME: Final = Arg("titrant used", 0, 500)
_NORMAL: Final = Arg("its strength", 0, 12, above=True)


class Acid(NamedTuple):
    """Sulphur dioxide in a cooking acid, g in 100 mL."""

    total_pct: float
    free_pct: float
    combined_pct: float
    true_free_pct: float


@method(
    "total_pct = iodate_ml * iodate_normality * 3.2033 / sample_ml\n"
    "free_pct = naoh_ml * naoh_normality * 3.2033 / sample_ml\n"
    "combined_pct = total_pct - free_pct\n"
    "true_free_pct = total_pct - 2 * combined_pct",
    title="Sulphite acid from two titrations",
    station="cooking",
    source="TAPPI T 604",
    aliases=("sulphite_acid_percent",),
    notes="True free above nil is acid sulphite, near nil bisulphite, below nil monosulphite.",
    example=Example(
        {"iodate_ml": 24.6, "iodate_normality": 0.1, "naoh_ml": 19.1, "naoh_normality": 0.1, "sample_ml": 1.0},
        {"total_pct": 7.880, "free_pct": 6.118, "combined_pct": 1.762, "true_free_pct": 4.356},
    ),
    iodate_ml=_VOLUME,
    iodate_normality=_NORMAL,
    naoh_ml=_VOLUME,
    naoh_normality=_NORMAL,
    sample_ml=Arg("sample", 0, 500, above=True),
)
def sulphite_acid(
    *, iodate_ml: float, iodate_normality: float, naoh_ml: float, naoh_normality: float, sample_ml: float
) -> Acid:
    """Return total, free, combined and true free sulphur dioxide."""
    total = iodate_ml * iodate_normality * SO2_G_PER_EQUIVALENT_10 / sample_ml
    free = naoh_ml * naoh_normality * SO2_G_PER_EQUIVALENT_10 / sample_ml
    if free > total:
        message = f"free {free:.3f} % is more than total {total:.3f} %: the two titrations are swapped or stale"
        raise DomainError("E_ORDER", "naoh_ml", message, "free no more than total")
    combined = total - free
    return Acid(total, free, combined, total - 2 * combined)


@method(
    "partial_bar = max(0, (pressure_kpa_g + 101.325 - p_saturation(temperature_c)) / 100)",
    title="Partial pressure of sulphur dioxide",
    station="cooking",
    source="total less steam; air in the head inflates it, so vent first",
    aliases=("so2_partial_pressure_bar",),
    exact=False,
    example=Example({"pressure_kpa_g": 600, "temperature_c": 138}, {"partial_bar": 3.598}),
    pressure_kpa_g=Arg("gauge pressure", 0, 2000),
    temperature_c=Arg("temperature", 20, 200),
)
def so2_pressure(*, pressure_kpa_g: float, temperature_c: float) -> float:
    """Return what sulphur dioxide contributes to the pressure, bar."""
    steam = saturation_pressure_kpa_abs(temperature_c=temperature_c)
    return max(0.0, (pressure_kpa_g + ATMOSPHERE_KPA - steam) / 100)


@method(
    "s_bar_h = integral of partial pressure * exp(activation / R * (1 / 373.15 - 1 / T)) over hours",
    title="S-factor of a sulphite cook",
    station="cooking",
    source="after Yorston and Liebergott, Pulp Paper Mag. Can. 66, T272 (1965); activation energy is a default",
    aliases=("s_factor",),
    exact=False,
    results=("s_bar_h",),
    example=Example(
        {
            "times_min": [0, 60, 120, 300, 330],
            "temperatures_c": [110, 125, 138, 138, 132],
            "pressures_kpa_g": [480, 600, 600, 600, 450],
        },
        {"s_bar_h": 234.6},
    ),
    times_min=Arg("times of the readings", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures read", 20, 200, series=True, count=2),
    pressures_kpa_g=Arg("gauge pressures read", 0, 2000, series=True, count=2),
    activation_kj_per_mol=Arg("activation energy", 60, 140, usual=(84, 105)),
)
def sulphite_factor(
    *,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    pressures_kpa_g: np.ndarray,
    activation_kj_per_mol: float = 90.0,
) -> float:
    """Return the sulphite factor of a record, temperature and pressure straight between readings."""
    refuse_disorder(times_min, temperatures_c)
    if len(pressures_kpa_g) != len(times_min):
        message = f"{len(times_min)} times but {len(pressures_kpa_g)} pressures"
        raise DomainError("E_COUNT", "pressures_kpa_g", message, f"{len(times_min)} pressures")
    grid = np.unique(np.concatenate((np.arange(times_min[0], times_min[-1], 0.5), times_min)))
    celsius = np.interp(grid, times_min, temperatures_c)
    pressure = np.interp(grid, times_min, pressures_kpa_g)
    bare = saturation_pressure_kpa_abs.method.bare  # type: ignore[attr-defined]
    partial = np.maximum(0.0, (pressure + ATMOSPHERE_KPA - bare(temperature_c=celsius)) / 100)
    speed = np.exp(1000 * activation_kj_per_mol / GAS_J_PER_MOL_K * (1 / 373.15 - 1 / (celsius + KELVIN)))
    return float(np.trapezoid(partial * speed, grid) / 60)


@method(
    "s_bar_h = s_reference_bar_h * log(zero_kappa / target_kappa) / log(zero_kappa / reference_kappa)",
    title="S-factor for a kappa",
    station="cooking",
    source="first-order delignification from the mill's own normal cook",
    aliases=("s_factor_for_kappa",),
    exact=False,
    results=("s_bar_h",),
    example=Example({"s_reference_bar_h": 234.6, "reference_kappa": 28, "target_kappa": 24}, {"s_bar_h": 254.0}),
    s_reference_bar_h=Arg("factor of the normal cook", 0, 1e5, above=True),
    reference_kappa=Arg("kappa it gave", 0, 200, above=True),
    target_kappa=Arg("kappa wanted", 0, 200, above=True),
    zero_kappa=Arg("kappa before the cook", 50, 400),
)
def sulphite_factor_for_kappa(
    *, s_reference_bar_h: float, reference_kappa: float, target_kappa: float, zero_kappa: float = 180.0
) -> float:
    """Return the factor that lands on a kappa."""
    for name, value in (("reference_kappa", reference_kappa), ("target_kappa", target_kappa)):
        if value >= zero_kappa:
            message = f"kappa {value:g} is not below the {zero_kappa:g} it starts from"
            raise DomainError("E_INFEASIBLE", name, message, f"less than {zero_kappa:g}")
    return s_reference_bar_h * math.log(zero_kappa / target_kappa) / math.log(zero_kappa / reference_kappa)
