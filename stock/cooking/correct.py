"""Corrections to a cook under way: by time, by temperature, by liquor, each with its size."""

import math
from typing import NamedTuple

from stock.cooking.end_point import ALPHA, BETA, EFFECTIVE, EXPONENT, KELVIN, severity
from stock.errors import DomainError
from stock.working import Arg, Example, method

_H = Arg("H-factor at the blow", 1, 1e4, above=True)


@method(
    "relative_per_c = 16115 / (temperature_c + 273.15)**2",
    title="How much faster a degree makes it",
    station="cooking",
    source="slope of ln of the Vroom rate",
    example=Example({"temperature_c": 170}, {"relative_per_c": 0.0821}),
    temperature_c=Arg("cooking temperature", 20, 200),
)
def h_sensitivity(*, temperature_c: float) -> float:
    """Return the relative change of the rate for one degree."""
    return 16115 / (temperature_c + KELVIN) ** 2


@method(
    "temperature_c = 16115 / (43.2 - log(60 * h_wanted_h_factor / duration_min)) - 273.15",
    title="Temperature that makes an H-factor in a time",
    station="cooking",
    source="inverse of the Vroom rate",
    example=Example({"h_wanted_h_factor": 660, "duration_min": 42.6}, {"temperature_c": 170.0}),
    h_wanted_h_factor=Arg("H-factor still wanted before relief", 0, 1e4, above=True),
    duration_min=Arg("time there is", 0, 1440, above=True),
)
def temperature_for_time(*, h_wanted_h_factor: float, duration_min: float) -> float:
    """Return the temperature to hold so that the cook ends when it must; refused above 200 °C."""
    exponent = 43.2 - math.log(60 * h_wanted_h_factor / duration_min)
    found = 16115 / exponent - KELVIN if exponent > 0 else math.inf
    if found > 200:
        message = f"H {h_wanted_h_factor:.0f} cannot be gained in {duration_min:.0f} min at any cooking temperature"
        raise DomainError("E_INFEASIBLE", "duration_min", message, "more time")
    return found


class Slopes(NamedTuple):
    """What moves kappa, at a point of the fitted relation."""

    alkali_kappa_per_pct: float
    heat_kappa_per_c: float


@method(
    "alkali_kappa_per_pct = -beta * log10(h_factor) * n * effective_alkali_pct_na2o**(n - 1)\n"
    "heat_kappa_per_c = -beta * effective_alkali_pct_na2o**n / log(10) * 16115 / (temperature_c + 273.15)**2",
    title="What moves kappa: alkali and heat",
    station="cooking",
    source="derivatives of the fitted form; heat at unchanged time",
    results=Slopes._fields,
    example=Example(
        {
            "h_factor": 1600,
            "effective_alkali_pct_na2o": 15.0,
            "temperature_c": 170,
            "beta": 22.57,
            "n": 0.41,
        },
        {"alkali_kappa_per_pct": -6.00, "heat_kappa_per_c": -2.44},
        2e-3,
    ),
    h_factor=_H,
    effective_alkali_pct_na2o=EFFECTIVE,
    temperature_c=Arg("cooking temperature", 100, 200),
    beta=BETA,
    n=EXPONENT,
)
def kappa_slopes(
    *, h_factor: float, effective_alkali_pct_na2o: float, temperature_c: float, beta: float, n: float
) -> Slopes:
    """Return kappa for each per cent of Na2O on wood, and for each degree at the same time."""
    alkali = -beta * n * float(severity(h_factor, effective_alkali_pct_na2o, n - 1))
    heat = -beta * effective_alkali_pct_na2o**n / math.log(10) * h_sensitivity(temperature_c=temperature_c)
    return Slopes(alkali, heat)


@method(
    "effective_alkali_pct_na2o = ((alpha - kappa_target_kappa) / (beta * log10(h_factor)))**(1 / n)",
    title="Alkali that lands on a kappa target",
    station="cooking",
    source="inverse of the fitted form, H-factor given",
    exact=False,
    results=("alkali_pct_na2o",),
    example=Example(
        {"kappa_target_kappa": 38, "h_factor": 1700, "alpha": 259.3, "beta": 22.57, "n": 0.41},
        {"alkali_pct_na2o": 15.0},
        5e-3,
    ),
    kappa_target_kappa=Arg("kappa wanted", 0, 200, above=True),
    h_factor=_H,
    alpha=ALPHA,
    beta=BETA,
    n=EXPONENT,
)
def alkali_for_kappa(*, kappa_target_kappa: float, h_factor: float, alpha: float, beta: float, n: float) -> float:
    """Return the effective alkali on wood that gives a kappa at an H-factor; more than 30 % is refused."""
    if kappa_target_kappa >= alpha:
        message = f"kappa {kappa_target_kappa:g} is not below the relation's intercept {alpha:g}"
        raise DomainError("E_INFEASIBLE", "kappa_target_kappa", message, f"less than {alpha:g}")
    found: float = ((alpha - kappa_target_kappa) / (beta * math.log10(h_factor))) ** (1 / n)
    if found > 30:
        message = f"kappa {kappa_target_kappa:g} at H {h_factor:.0f} would take {found:.0f} % Na2O on wood"
        raise DomainError("E_INFEASIBLE", "kappa_target_kappa", message, "a longer cook")
    return found


@method(
    "temperature_new_c = 16115 / (16115 / (temperature_c + 273.15) - log(rate_new_over_old_ratio)) - 273.15",
    title="Temperature for a new rate",
    station="cooking",
    source="the same H-factor in another time",
    aliases=("temperature_for_rate_c",),
    results=("temperature_new_c",),
    example=Example({"temperature_c": 160, "rate_new_over_old_ratio": 1.08}, {"temperature_new_c": 160.90}),
    temperature_c=Arg("temperature now", 100, 200),
    rate_new_over_old_ratio=Arg("new rate over the old", 0.5, 1.5),
)
def temperature_for_rate(*, temperature_c: float, rate_new_over_old_ratio: float) -> float:
    """Return the temperature that keeps the H-factor when the time changes."""
    return 16115 / (16115 / (temperature_c + KELVIN) - math.log(rate_new_over_old_ratio)) - KELVIN
