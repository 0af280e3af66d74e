"""The end point of a batch cook: H-factor, time to a target, kappa and yield."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from stock.errors import DomainError
from stock.intake.chips import packed_bdt
from stock.working import Arg, Example, method, warn

KELVIN = 273.15
GAP_MIN = 10.0
ALPHA = Arg("fitted intercept", 0, 1000)
BETA = Arg("fitted slope", 0, 1000, above=True)
EXPONENT = Arg("fitted exponent of alkali", 0, 2, above=True)
EFFECTIVE = Arg("effective alkali charge", 0, 30, above=True, usual=(9, 20))


@method(
    "h_per_h = exp(43.2 - 16115 / (temperature_c + 273.15))",
    title="Relative rate of cooking",
    station="cooking",
    source="Vroom, Pulp Paper Mag. Can. 58(C), 228 (1957); 1 at 100 °C within rounding",
    example=Example({"temperature_c": 170.0}, {"h_per_h": 930.14}),
    temperature_c=Arg("cooking temperature", 20, 200),
)
def h_rate(*, temperature_c: float) -> float:
    """Return the H-factor gained per hour at a temperature."""
    if isinstance(temperature_c, np.ndarray):
        return np.exp(43.2 - 16115 / (temperature_c + KELVIN))
    return math.exp(43.2 - 16115 / (temperature_c + KELVIN))


@method(
    "h_factor = integral of h_rate(temperature) over hours",
    title="H-factor of a temperature record",
    station="cooking",
    source="Vroom (1957); temperature taken as straight between readings, Simpson's rule on half-minute steps",
    exact=False,
    results=("h_factor",),
    example=Example(
        {"times_min": [0, 30, 60, 90, 100, 150, 160], "temperatures_c": [80, 108, 139, 168, 170, 170, 169]},
        {"h_factor": 1222.1},
    ),
    times_min=Arg("times of the readings", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures read", 20, 200, series=True, count=2),
)
def h_factor(*, times_min: np.ndarray, temperatures_c: np.ndarray) -> float:
    """Return the H-factor collected over a record; readings apart by more than 10 min warn."""
    refuse_disorder(times_min, temperatures_c)
    if float(np.max(np.diff(times_min))) > GAP_MIN:
        warn(f"a gap of more than {GAP_MIN:g} min between temperature readings; the line between them is a guess")
    return float(h_curve(times_min, temperatures_c)[1][-1])


def refuse_disorder(times_min: np.ndarray, temperatures_c: np.ndarray) -> None:
    """Refuse a temperature record whose lists differ in length or whose times do not rise."""
    if len(times_min) != len(temperatures_c):
        message = f"{len(times_min)} times but {len(temperatures_c)} temperatures"
        raise DomainError("E_COUNT", "temperatures_c", message, f"{len(times_min)} temperatures")
    if np.any(np.diff(times_min) <= 0):
        raise DomainError("E_ORDER", "times_min", "the times must rise from reading to reading", "rising times")


Curve = tuple[np.ndarray, np.ndarray]


def _h_rates(celsius: np.ndarray) -> np.ndarray:
    rates: np.ndarray = h_rate.method.bare(temperature_c=celsius)  # type: ignore[attr-defined]
    return rates


def integral_curve(
    times_min: np.ndarray, temperatures_c: np.ndarray, rate: Callable[[np.ndarray], np.ndarray]
) -> Curve:
    """Return (minutes, integral of an hourly rate) on a grid that holds every reading and steps of half a minute or less."""
    grid = np.union1d(times_min, np.arange(times_min[0], times_min[-1], 0.5))
    temperature = np.interp(grid, times_min, temperatures_c)
    middle = rate((temperature[1:] + temperature[:-1]) / 2)
    ends = rate(temperature)
    gained = np.diff(grid) / 360 * (ends[:-1] + 4 * middle + ends[1:])
    return grid, np.concatenate(([0.0], np.cumsum(gained)))


def h_curve(times_min: np.ndarray, temperatures_c: np.ndarray) -> Curve:
    """Return (minutes, cumulative H) of a record."""
    return integral_curve(times_min, temperatures_c, _h_rates)


@method(
    "left_min = 60 * (h_target - h_now - tail_h) / h_rate(temperature)",
    title="Time left to a target H-factor",
    station="cooking",
    source="constant temperature; the tail is what relief and blow still add",
    exact=False,
    results=("left_min",),
    aliases=("minutes_left_to_h_target",),
    example=Example({"h_now": 950, "h_target": 1700, "tail_h": 90.0, "temperature_c": 170}, {"left_min": 42.6}),
    h_now=Arg("H-factor so far", 0, 1e5),
    h_target=Arg("H-factor wanted at the blow", 0, 1e5),
    tail_h=Arg("H-factor still gained in relief and blow", 0, 1000),
    temperature_c=Arg("temperature held", 100, 200),
)
def minutes_left_to_h(*, h_now: float, h_target: float, temperature_c: float, tail_h: float = 0.0) -> float:
    """Return the minutes at temperature until relief; 0 with a warning when overdue."""
    need = h_target - h_now - tail_h
    if need <= 0:
        warn(f"the cook is past its end point by {-need:.0f} H")
        return 0.0
    return 60 * need / h_rate(temperature_c=temperature_c)


@method(
    "left_min = time at which H on the planned profile, from now on, has grown by what is still wanted, less now",
    title="Time left along the planned profile",
    station="cooking",
    source="march in steps of half a minute or less; the tail is what relief and blow still add",
    exact=False,
    results=("left_min",),
    example=Example(
        {
            "now_min": 60,
            "h_now": 10,
            "h_target": 700,
            "tail_h": 20,
            "times_min": [0, 90, 300],
            "temperatures_c": [80, 170, 170],
        },
        {"left_min": 62.37},
    ),
    now_min=Arg("now, on the profile's clock", 0, 1e5),
    h_now=Arg("H-factor so far", 0, 1e5),
    h_target=Arg("H-factor wanted at the blow", 0, 1e5),
    tail_h=Arg("H-factor still gained in relief and blow", 0, 1000),
    times_min=Arg("times of the planned temperatures", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures planned, straight between", 20, 200, series=True, count=2),
)
def minutes_left_on_profile(
    *,
    now_min: float,
    h_now: float,
    h_target: float,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    tail_h: float = 0.0,
) -> float:
    """Return the minutes until relief while the plan is still heating; refused where the plan ends too soon."""
    refuse_disorder(times_min, temperatures_c)
    need = h_target - h_now - tail_h
    if need <= 0:
        warn(f"the cook is past its end point by {-need:.0f} H")
        return 0.0
    grid, h = h_curve(times_min, temperatures_c)
    want = need + float(np.interp(now_min, grid, h))
    if want > float(h[-1]):
        message = f"the profile ends at H {h[-1]:.0f}, before the {want:.0f} that is wanted"
        raise DomainError("E_INFEASIBLE", "h_target", message, f"{h_target - (want - float(h[-1])):.0f} or less")
    return float(np.interp(want, h, grid)) - now_min


@method(
    "h_deficit = duration_min / 60 * (exp(43.2 - 16115 / (set_c + 273.15)) - exp(43.2 - 16115 / (actual_c + 273.15)))",
    title="H-factor missed while off temperature",
    station="cooking",
    source="difference of two Vroom rates",
    aliases=("h_deficit",),
    example=Example({"set_c": 170, "actual_c": 167, "duration_min": 20}, {"h_deficit": 68.1}),
    set_c=Arg("temperature planned", 100, 200),
    actual_c=Arg("temperature held", 20, 200),
    duration_min=Arg("how long", 0, 1440),
)
def h_missed(*, set_c: float, actual_c: float, duration_min: float) -> float:
    """Return the H-factor lost by holding a lower temperature than planned."""
    return duration_min / 60 * (h_rate(temperature_c=set_c) - h_rate(temperature_c=actual_c))


@method(
    "extra_min = 60 * h_deficit / exp(43.2 - 16115 / (set_c + 273.15))",
    title="Minutes that make up a missed H-factor",
    station="cooking",
    source="Vroom rate at the temperature set",
    aliases=("extra_minutes",),
    example=Example({"h_deficit": 68.1, "set_c": 170}, {"extra_min": 4.393}),
    h_deficit=Arg("H-factor missed", -1e5, 1e5),
    set_c=Arg("temperature held from here on", 100, 200),
)
def extra_min(*, h_deficit: float, set_c: float) -> float:
    """Return how much longer to hold (negative: shorter)."""
    return 60 * h_deficit / h_rate(temperature_c=set_c)


@method(
    "longer_min = now_min + left_min - planned_end_min",
    title="Minutes longer than planned",
    station="cooking",
    source="definition",
    example=Example({"now_min": 165, "left_min": 48, "planned_end_min": 191}, {"longer_min": 22}),
    now_min=Arg("minutes since its start", 0, 1e4),
    left_min=Arg("minutes to relief as it is", -1e4, 1e4),
    planned_end_min=Arg("end of the cook as it was planned", 0, 1e4),
)
def longer_than_planned(*, now_min: float, left_min: float, planned_end_min: float) -> float:
    """Return how much longer a cook is held than was planned (negative: shorter)."""
    return now_min + left_min - planned_end_min


def severity(h_factor: Any, effective_alkali_pct_na2o: Any, n: float) -> Any:
    """Return what kappa falls straight with: log10 of H, times alkali to the n. Takes numbers and arrays."""
    return np.log10(h_factor) * effective_alkali_pct_na2o**n


@method(
    "kappa = alpha - beta * log10(h_factor) * effective_alkali_pct_na2o**n",
    title="Kappa from H-factor and alkali, fitted form",
    station="cooking",
    source="form after Hatton, Tappi 56(7) (1973); coefficients are the mill's own fit, or defaults until 8 good cooks exist",
    exact=False,
    example=Example(
        {"h_factor": 1600, "effective_alkali_pct_na2o": 15.0, "alpha": 259.3, "beta": 22.57, "n": 0.41},
        {"kappa": 39.8},
        2e-3,
    ),
    h_factor=Arg("H-factor at the blow", 1, 1e4, above=True, usual=(300, 3000)),
    effective_alkali_pct_na2o=EFFECTIVE,
    alpha=ALPHA,
    beta=BETA,
    n=EXPONENT,
)
def kappa_hatton(*, h_factor: float, effective_alkali_pct_na2o: float, alpha: float, beta: float, n: float) -> float:
    """Return the kappa number a cook will have at its blow."""
    kappa = alpha - beta * float(severity(h_factor, effective_alkali_pct_na2o, n))
    if kappa < 0:
        message = f"the relation gives kappa {kappa:.1f} at H {h_factor:.0f}: far outside the cooks it was made from"
        raise DomainError("E_RANGE", "h_factor", message, "an H-factor that leaves kappa above 0")
    if kappa < 12:
        warn(f"kappa {kappa:.1f} lies in the residual phase, where this form fails")
    return kappa


@method(
    "h_target = 10**((alpha - kappa_target_kappa) / (beta * effective_alkali_pct_na2o**n))",
    title="H-factor that lands on a kappa target",
    station="cooking",
    source="inverse of the fitted form",
    aliases=("h_target_for_kappa",),
    exact=False,
    example=Example(
        {"kappa_target_kappa": 38, "effective_alkali_pct_na2o": 15.0, "alpha": 259.3, "beta": 22.57, "n": 0.41},
        {"h_target": 1700},
        5e-3,
    ),
    kappa_target_kappa=Arg("kappa wanted", 0, 200, above=True),
    effective_alkali_pct_na2o=EFFECTIVE,
    alpha=ALPHA,
    beta=BETA,
    n=EXPONENT,
)
def h_for_kappa(
    *, kappa_target_kappa: float, effective_alkali_pct_na2o: float, alpha: float, beta: float, n: float
) -> float:
    """Return the H-factor to blow at, for the alkali actually charged."""
    if kappa_target_kappa >= alpha:
        message = f"kappa {kappa_target_kappa:g} is where this relation begins, {alpha:g}, or above it: nothing to cook"
        raise DomainError("E_INFEASIBLE", "kappa_target_kappa", message, f"less than {alpha:g}")
    exponent = (alpha - kappa_target_kappa) / (beta * math.pow(effective_alkali_pct_na2o, n))
    if exponent > math.log10(5000):
        message = (
            f"kappa {kappa_target_kappa:g} cannot be reached with {effective_alkali_pct_na2o:.1f} % Na2O on wood"
            " within H 5000; charge more alkali"
        )
        raise DomainError("E_INFEASIBLE", "kappa_target_kappa", message, "a kappa that an H-factor of 5000 reaches")
    return math.pow(10, exponent)


@method(
    "yield_pct = reference_yield_pct + slope_pct * (kappa - reference_kappa)",
    title="Yield from kappa",
    station="cooking",
    source="straight line; default to be fitted (hardwood 52.0 at 18, 0.15 per kappa; softwood 46.5 at 30, 0.13)",
    example=Example(
        {"kappa": 35, "reference_yield_pct": 46.5, "reference_kappa": 30, "slope_pct": 0.13}, {"yield_pct": 47.15}
    ),
    kappa=Arg("kappa at the blow", 0, 200),
    reference_yield_pct=Arg("yield at the reference kappa", 20, 100),
    reference_kappa=Arg("reference kappa", 0, 200),
    slope_pct=Arg("yield per unit of kappa", 0, 1),
)
def yield_from_kappa(
    *, kappa: float, reference_yield_pct: float = 52.0, reference_kappa: float = 18.0, slope_pct: float = 0.15
) -> float:
    """Return total yield on bone-dry wood."""
    return reference_yield_pct + slope_pct * (kappa - reference_kappa)


@method(
    "digester_chip_charge_bdt = digester_volume_m3 * basic_density_kg_per_m3 * solid_volume_factor"
    " * (1 + packing_gain_frac) / 1000",
    title="Chips a digester holds",
    station="cooking",
    source="volume balance; packing gains are defaults",
    example=Example(
        {
            "digester_volume_m3": 200,
            "basic_density_kg_per_m3": 402,
            "solid_volume_factor": 0.375,
            "packing_gain_frac": 0.15,
        },
        {"digester_chip_charge_bdt": 34.67},
    ),
    digester_volume_m3=Arg("digester volume", 0, 2000, above=True),
    basic_density_kg_per_m3=Arg("basic density of the chips", 200, 1000, usual=(300, 750)),
    solid_volume_factor=Arg("solid share of loose chips", 0, 0.74, above=True, below=True, usual=(0.32, 0.45)),
    packing_gain_frac=Arg("gain by steam or liquor packing", -0.05, 0.40),
)
def digester_chip_charge_bdt(
    *,
    digester_volume_m3: float,
    basic_density_kg_per_m3: float,
    solid_volume_factor: float,
    packing_gain_frac: float = 0.0,
) -> float:
    """Return the bone-dry chips that fill a digester."""
    return packed_bdt(digester_volume_m3, basic_density_kg_per_m3, solid_volume_factor, packing_gain_frac)


@method(
    "pulp_adt = bd_wood_t * screened_yield_frac / 0.9",
    title="Pulp per cook",
    station="cooking",
    source="definition",
    aliases=("pulp_per_cook_adt",),
    example=Example({"bd_wood_t": 34.72, "screened_yield_frac": 0.462}, {"pulp_adt": 17.823}),
    notes="34.72 BDt at 0.462 is 17.823 ADt; 17.80, as sometimes printed, belongs to 34.67 BDt.",
    bd_wood_t=Arg("bone-dry wood charged", 0, 1e4),
    screened_yield_frac=Arg("screened yield", 0, 1),
)
def pulp_per_cook(*, bd_wood_t: float, screened_yield_frac: float) -> float:
    """Return the air-dry pulp one cook gives."""
    return bd_wood_t * screened_yield_frac / 0.9


@method(
    "g_per_h = exp(179000 / 8.314 * (1 / 373.15 - 1 / (temperature_c + 273.15)))",
    title="Relative rate of cellulose damage",
    station="cooking",
    source="Kubes et al., J. Wood Chem. Technol. 3, 313 (1983); 179 kJ/mol",
    aliases=("g_rate",),
    notes="It rises faster with temperature than the H-factor: hotter at the same H costs viscosity.",
    example=Example({"temperature_c": 170}, {"g_per_h": 9081}),
    temperature_c=Arg("cooking temperature", 20, 200),
)
def cellulose_damage_rate(*, temperature_c: float) -> float:
    """Return the G-factor gained per hour at a temperature."""
    return math.exp(179_000 / 8.314 * (1 / 373.15 - 1 / (temperature_c + KELVIN)))


@method(
    "g_factor = integral of cellulose_damage_rate(temperature) over hours",
    title="G-factor of a temperature record",
    station="cooking",
    source="Kubes et al. (1983); temperature straight between readings, Simpson's rule on half-minute steps",
    exact=False,
    results=("g_factor",),
    example=Example({"times_min": [0, 60], "temperatures_c": [170, 170]}, {"g_factor": 9081}),
    times_min=Arg("times of the readings", 0, 1e5, series=True, count=2),
    temperatures_c=Arg("temperatures read", 20, 200, series=True, count=2),
)
def g_factor(*, times_min: np.ndarray, temperatures_c: np.ndarray) -> float:
    """Return how much chain damage a record has done."""
    refuse_disorder(times_min, temperatures_c)

    def rate(celsius: np.ndarray) -> np.ndarray:
        return np.exp(179_000 / 8.314 * (1 / 373.15 - 1 / (celsius + KELVIN)))

    return float(integral_curve(times_min, temperatures_c, rate)[1][-1])
