"""The mill's own curve of freeness against energy, fitted, and read backwards with its doubt."""

import math
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, note

LEAST_POINTS, LEAST_ENERGIES = 4, 3
AS_GOOD = 1.10  # within a tenth, the logarithm is taken
BEYOND = 0.10  # of the span, that a target may lie outside


class Curve(NamedTuple):
    """A fitted curve, the energy a freeness takes by it, and what one test there would show."""

    intercept_n: float
    slope_n: float
    is_log_count: int
    sre_kwh_per_t: float
    doubt_kwh_per_t: float
    low_csf_ml: float
    high_csf_ml: float


def _line(x: np.ndarray, y: np.ndarray) -> tuple[float, float]:
    slope, intercept = np.polyfit(x, y, 1)
    return float(intercept), float(slope)


def _left_out(x: np.ndarray, csf: np.ndarray, *, log: bool) -> float:
    """Return the root mean square error in mL of each point foretold by the others."""
    errors = []
    for at in range(len(x)):
        kept = np.arange(len(x)) != at
        a, b = _line(x[kept], np.log(csf[kept]) if log else csf[kept])
        told = a + b * x[at]
        errors.append(csf[at] - (math.exp(told) if log else told))
    return float(np.sqrt(np.mean(np.square(errors))))


@method(
    "log(csf) or csf = intercept + slope * energy, by least squares; whichever foretells points left out better\n"
    "sre_kwh_per_t = (log(target) or target - intercept) / slope",
    title="Freeness against energy, fitted",
    station="refining",
    source="regression, inverse prediction by the delta form; every coefficient belongs to its furnish, plates and pH",
    aliases=("fit_freeness_energy",),
    exact=False,
    results=Curve._fields,
    example=Example(
        {
            "energy_each_kwh_per_t": [0, 40, 80, 120, 160, 200], "freeness_each_csf_ml": [660, 585, 502, 446, 381, 340],
            "target_csf_ml": 450,
        },
        {
            "intercept_n": 6.49631, "slope_n": -0.003372, "is_log_count": 1, "sre_kwh_per_t": 114.78, "doubt_kwh_per_t": 1.39,
            "low_csf_ml": 435, "high_csf_ml": 465,
        },
        3e-3,
    ),
    energy_each_kwh_per_t=Arg("net energy of each test", 0, 2000, series=True, count=LEAST_POINTS),
    freeness_each_csf_ml=Arg("freeness found", 10, 900, series=True, count=LEAST_POINTS),
    target_csf_ml=Arg("freeness wanted", 10, 900),
)  # fmt: skip
def freeness_curve(
    *, energy_each_kwh_per_t: np.ndarray, freeness_each_csf_ml: np.ndarray, target_csf_ml: float
) -> Curve:
    """Return the curve that tests show, and the energy it asks for a freeness."""
    from scipy.special import stdtrit

    x, csf = np.asarray(energy_each_kwh_per_t, float), np.asarray(freeness_each_csf_ml, float)
    if len(x) != len(csf):
        raise DomainError("E_COUNT", "freeness_each_csf_ml", "one freeness for each energy", f"{len(x)} numbers")
    if len(np.unique(x)) < LEAST_ENERGIES:
        raise DomainError("E_COUNT", "energy_each_kwh_per_t", "fewer than three different energies", "three or more")
    by_log, by_line = (_left_out(x, csf, log=one) for one in (True, False))
    note("points left out, foretold by the logarithm", by_log, "mL CSF")
    note("points left out, foretold by a straight line", by_line, "mL CSF")
    log = by_log <= AS_GOOD * by_line
    y = np.log(csf) if log else csf
    a, b = _line(x, y)
    if b >= 0:
        raise DomainError(
            "E_OBSERV",
            "freeness_each_csf_ml",
            "freeness does not fall with energy in these tests",
            "tests over a wider span",
        )
    wanted = math.log(target_csf_ml) if log else target_csf_ml
    energy = (wanted - a) / b
    span = float(x.max() - x.min())
    if not x.min() - BEYOND * span <= energy <= x.max() + BEYOND * span:
        message = f"{target_csf_ml:g} mL would take {energy:.0f} kWh/BDt; the tests run from {x.min():g} to {x.max():g}"
        raise DomainError("E_EXTRAP", "target_csf_ml", message, "a freeness inside what was tested")
    count = len(x)
    s = math.sqrt(float(np.sum((y - a - b * x) ** 2)) / (count - 2))
    off = (energy - float(x.mean())) ** 2 / float(np.sum((x - x.mean()) ** 2))
    doubt = s / abs(b) * math.sqrt(1 / count + off)
    half = float(stdtrit(count - 2, 0.975)) * s * math.sqrt(1 + 1 / count + off)
    low, high = (math.exp(wanted - half), math.exp(wanted + half)) if log else (wanted - half, wanted + half)
    return Curve(a, b, int(log), energy, doubt, low, high)
