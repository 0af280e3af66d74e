"""Sulphite cooking: the acid, and the time-temperature-pressure integral its end point goes by."""

import math
from typing import Final, NamedTuple

import numpy as np

from stock.cooking.end_point import KELVIN, Curve, integral_curve, refuse_disorder
from stock.errors import DomainError
from stock.steam import ATMOSPHERE_KPA, saturation_pressure_kpa_abs
from stock.working import Arg, Choice, Example, method, warn

GAS_J_PER_MOL_K: Final = 8.314462
SO2_G_PER_EQUIVALENT_10: Final = 3.2033
_VOLUME: Final = Arg("titrant used", 0, 500)
_NORMAL: Final = Arg("its strength", 0, 12, above=True)
ACTIVATION: Final = Arg("activation energy", 60, 140, usual=(84, 105))
BASE_PER_SO2: Final = {"calcium": 56.077 / 64.066, "magnesium": 40.304 / 64.066, "sodium": 61.979 / 64.066}


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
    "over_kpa = pressure_kpa_g + 101.325 - p_saturation(temperature_c)",
    title="Gas over steam",
    station="cooking",
    source="total less steam, IAPWS-IF97",
    aliases=("gas_overpressure_kpa",),
    exact=False,
    results=("over_kpa",),
    notes="In an alkaline cook above 50 kPa says air or gas was not relieved; in sulphite it is what cooks.",
    example=Example({"pressure_kpa_g": 640, "temperature_c": 165}, {"over_kpa": 40.5}, 3e-3),
    pressure_kpa_g=Arg("gauge pressure", 0, 2000),
    temperature_c=Arg("temperature", 20, 200),
)
def gas_over_steam(*, pressure_kpa_g: float, temperature_c: float) -> float:
    """Return the pressure of gas in the head beside the steam's own; below 0 one of the two readings is wrong."""
    return pressure_kpa_g + ATMOSPHERE_KPA - saturation_pressure_kpa_abs(temperature_c=temperature_c)


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
    return max(0.0, gas_over_steam(pressure_kpa_g=pressure_kpa_g, temperature_c=temperature_c) / 100)


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
    activation_kj_per_mol=ACTIVATION,
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
    return float(s_curve(times_min, temperatures_c, pressures_kpa_g, activation_kj_per_mol)[1][-1])


def speed(celsius: "np.ndarray | float", activation_kj_per_mol: float) -> "np.ndarray | float":
    """Return how much faster than at 100 °C sulphite cooks."""
    found: np.ndarray | float = np.exp(
        1000 * activation_kj_per_mol / GAS_J_PER_MOL_K * (1 / 373.15 - 1 / (celsius + KELVIN))
    )
    return found


def s_curve(
    times_min: np.ndarray, temperatures_c: np.ndarray, pressures_kpa_g: np.ndarray, activation_kj_per_mol: float
) -> Curve:
    """Return (minutes, cumulative S) of a record."""
    grid = np.union1d(times_min, np.arange(times_min[0], times_min[-1], 0.5))
    celsius = np.interp(grid, times_min, temperatures_c)
    pressure = np.interp(grid, times_min, pressures_kpa_g)
    bare = saturation_pressure_kpa_abs.method.bare  # type: ignore[attr-defined]
    partial = np.maximum(0.0, (pressure + ATMOSPHERE_KPA - bare(temperature_c=celsius)) / 100)
    rate = partial * speed(celsius, activation_kj_per_mol)
    gained = np.diff(grid) / 120 * (rate[1:] + rate[:-1])
    return grid, np.concatenate(([0.0], np.cumsum(gained)))


@method(
    "equivalent_h = integral of exp(activation / R * (1 / 373.15 - 1 / T)) over hours",
    title="Heat factor of a bisulphite cook",
    station="cooking",
    source="the exponential of the S-factor alone, where the gas pressure is small; fit separately for each pH",
    exact=False,
    results=("equivalent_h",),
    example=Example({"times_min": [0, 60], "temperatures_c": [138, 138]}, {"equivalent_h": 14.60}),
    times_min=Arg("times of the readings", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures read", 20, 200, series=True, count=2),
    activation_kj_per_mol=ACTIVATION,
)
def heat_factor(*, times_min: np.ndarray, temperatures_c: np.ndarray, activation_kj_per_mol: float = 90.0) -> float:
    """Return the hours at 100 °C a record is worth."""
    refuse_disorder(times_min, temperatures_c)
    return float(heat_curve(times_min, temperatures_c, activation_kj_per_mol)[1][-1])


def heat_curve(times_min: np.ndarray, temperatures_c: np.ndarray, activation_kj_per_mol: float) -> Curve:
    """Return (minutes, cumulative hours at 100 °C) of a record."""
    return integral_curve(times_min, temperatures_c, lambda celsius: np.asarray(speed(celsius, activation_kj_per_mol)))


@method(
    "left_min = 60 * (target - now - tail) / (partial * exp(activation / R * (1 / 373.15 - 1 / T)))",
    title="Time left to a sulphite end point",
    station="cooking",
    source="temperature and pressure held; with a partial pressure of 1 bar the heat factor alone",
    exact=False,
    results=("left_min",),
    example=Example(
        {"now_bar_h": 180.0, "target_bar_h": 234.6, "tail_bar_h": 10.0, "temperature_c": 138, "partial_bar": 3.598},
        {"left_min": 50.9},
        2e-3,
    ),
    now_bar_h=Arg("factor so far", 0, 1e5),
    target_bar_h=Arg("factor wanted at the blow", 0, 1e5),
    tail_bar_h=Arg("factor still gained while letting down", 0, 1e4),
    temperature_c=Arg("temperature held", 60, 200),
    partial_bar=Arg("partial pressure of sulphur dioxide", 0, 20, above=True),
    activation_kj_per_mol=ACTIVATION,
)
def minutes_left_to_s(
    *,
    now_bar_h: float,
    target_bar_h: float,
    temperature_c: float,
    partial_bar: float,
    tail_bar_h: float = 0.0,
    activation_kj_per_mol: float = 90.0,
) -> float:
    """Return the minutes until relief; 0 with a warning when overdue."""
    need = target_bar_h - now_bar_h - tail_bar_h
    if need <= 0:
        warn(f"the cook is past its end point by {-need:.0f}")
        return 0.0
    return float(60 * need / (partial_bar * speed(temperature_c, activation_kj_per_mol)))


@method(
    "kappa = zero_kappa * (reference_kappa / zero_kappa)**(factor_bar_h / reference_bar_h)",
    title="Kappa from a sulphite factor",
    station="cooking",
    source="first-order delignification from the mill's own normal cook",
    example=Example(
        {"factor_bar_h": 254.0, "reference_bar_h": 234.6, "reference_kappa": 28, "zero_kappa": 180}, {"kappa": 24.0}
    ),
    factor_bar_h=Arg("factor of the cook", 0, 1e5),
    reference_bar_h=Arg("factor of the normal cook", 0, 1e5, above=True),
    reference_kappa=Arg("kappa that gave", 0, 200, above=True),
    zero_kappa=Arg("kappa before the cook", 50, 400),
)
def sulphite_kappa(
    *, factor_bar_h: float, reference_bar_h: float, reference_kappa: float, zero_kappa: float = 180.0
) -> float:
    """Return the kappa a factor leaves."""
    if reference_kappa >= zero_kappa:
        message = f"the normal cook's kappa {reference_kappa:g} is not below the {zero_kappa:g} it starts from"
        raise DomainError("E_INFEASIBLE", "reference_kappa", message, f"less than {zero_kappa:g}")
    return zero_kappa * math.pow(reference_kappa / zero_kappa, factor_bar_h / reference_bar_h)


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


class So2Charge(NamedTuple):
    """What an acid fill brings to the wood."""

    so2_pct: float
    base_kg_per_t: float


@method(
    "so2_pct = acid_m3 * total_pct / bd_wood_t; base_kg_per_t = 10 * acid_m3 * combined_pct / bd_wood_t * M(oxide) / M(SO2)",
    title="Sulphur dioxide and base on wood",
    station="cooking",
    source="mass balance; a per cent of SO2 in the acid is 10 kg/m³, combined counted as the neutral sulphite",
    exact=False,
    results=So2Charge._fields,
    example=Example(
        {"acid_m3": 0.075, "bd_wood_t": 0.021, "total_pct": 6.2, "combined_pct": 1.1, "base": "calcium"},
        {"so2_pct": 22.14, "base_kg_per_t": 34.39},
    ),
    acid_m3=Arg("acid filled", 0, 1e4),
    bd_wood_t=Arg("bone-dry wood", 0, 1e4, above=True),
    total_pct=Arg("total SO2 of the acid", 0, 20),
    combined_pct=Arg("combined SO2 of the acid", 0, 10),
    base=Choice("base", tuple(BASE_PER_SO2)),
)
def so2_charge(*, acid_m3: float, bd_wood_t: float, total_pct: float, combined_pct: float, base: str) -> So2Charge:
    """Return total SO2 on wood in per cent, and base as its oxide."""
    if combined_pct > total_pct:
        message = f"combined {combined_pct:g} % is more than total {total_pct:g} %"
        raise DomainError("E_ORDER", "combined_pct", message, f"{total_pct:g} % or less")
    combined_kg = 10 * acid_m3 * combined_pct / bd_wood_t
    return So2Charge(acid_m3 * total_pct / bd_wood_t, combined_kg * BASE_PER_SO2[base])


@method(
    "so2_kg = 10 * acid_m3 * (wanted_pct - total_pct)",
    title="Sulphur dioxide to fortify an acid",
    station="cooking",
    source="mass balance; a per cent of SO2 in the acid is 10 kg/m³",
    example=Example({"acid_m3": 40, "total_pct": 5.4, "wanted_pct": 6.2}, {"so2_kg": 320}),
    acid_m3=Arg("acid to be fortified", 0, 1e5),
    total_pct=Arg("total SO2 now", 0, 20),
    wanted_pct=Arg("total SO2 wanted", 0, 20),
)
def so2_to_fortify(*, acid_m3: float, total_pct: float, wanted_pct: float) -> float:
    """Return the gas to absorb; below 0 the acid is stronger than wanted."""
    if wanted_pct < total_pct:
        warn(f"the acid has {total_pct:g} % already: nothing to absorb, it is to be thinned")
    return 10 * acid_m3 * (wanted_pct - total_pct)


@method(
    "below_min = minutes of the record, temperature straight between readings, spent below a limit",
    title="Time of penetration",
    station="cooking",
    source="count along the record; acid must reach the middle of the chip before it gets hot",
    exact=False,
    results=("below_min",),
    example=Example(
        {"times_min": [0, 60, 150, 200], "temperatures_c": [70, 100, 108, 138], "limit_c": 110}, {"below_min": 153.3}
    ),
    times_min=Arg("times of the readings", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures read", 20, 200, series=True, count=2),
    limit_c=Arg("temperature above which chips blacken if not penetrated", 60, 130),
)
def penetration_min(*, times_min: np.ndarray, temperatures_c: np.ndarray, limit_c: float = 110.0) -> float:
    """Return how long the acid had before it got hot."""
    refuse_disorder(times_min, temperatures_c)
    grid = np.union1d(times_min, np.arange(times_min[0], times_min[-1], 0.5))
    celsius = np.interp(grid, times_min, temperatures_c)
    low, high = np.minimum(celsius[:-1], celsius[1:]), np.maximum(celsius[:-1], celsius[1:])
    part = np.clip((limit_c - low) / np.maximum(high - low, 1e-9), 0, 1)
    return float(np.sum(np.diff(grid) * part))


@method(
    "time_ratio = normal_bar / actual_bar",
    title="How much longer at a lower gas pressure",
    station="cooking",
    source="the S-factor gained an hour is in proportion to the partial pressure",
    example=Example({"normal_bar": 3.6, "actual_bar": 3.1}, {"time_ratio": 1.161}),
    normal_bar=Arg("partial pressure of the normal cook", 0, 20),
    actual_bar=Arg("partial pressure now", 0, 20, above=True),
)
def time_for_pressure(*, normal_bar: float, actual_bar: float) -> float:
    """Return by how much the time at temperature stretches."""
    return normal_bar / actual_bar
