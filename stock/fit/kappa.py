"""Kappa from H-factor and alkali, fitted to a mill's own cooks."""

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, warn

LEAST_COOKS: Final = 8
LEAST_SPREAD: Final = 0.02
REACH: Final = 0.10  # how far past the range of the cooks a forecast may go, of that range
_N: Final = Arg("exponent of alkali", 0.1, 1.5)
_COOKS: Final = Rows(
    "good cooks: H-factor, effective alkali % Na2O on wood, kappa",
    {
        "h_factor": Arg("H-factor", 1, 10_000, above=True),
        "effective_alkali_pct_na2o": Arg("effective alkali", 0, 30, above=True),
        "kappa": Arg("kappa measured", 0, 200),
    },
)
_EXAMPLE: Final = [
    {"h_factor": h, "effective_alkali_pct_na2o": alkali, "kappa": kappa}
    for h, alkali, kappa in zip(
        (1480, 1550, 1610, 1650, 1700, 1740, 1820, 1900),
        (14.6, 15.0, 14.2, 14.9, 15.3, 14.5, 14.8, 15.1),
        (43.0, 39.6, 42.7, 36.9, 34.1, 37.7, 35.8, 34.2),
        strict=True,
    )
]


class Fitted(NamedTuple):
    """A fitted relation: intercept, slope, the slope's standard error, the spread about the line."""

    alpha: float
    beta: float
    error_beta: float
    spread_kappa: float


@method(
    "kappa = alpha - beta * log10(h_factor) * effective_alkali_pct_na2o**n, least squares over the cooks",
    title="Kappa relation from the mill's cooks",
    station="cooking",
    source="form of Hatton, Tappi 56(7) (1973); ordinary least squares",
    exact=False,
    results=Fitted._fields,
    example=Example(
        {"cooks": _EXAMPLE, "n": 0.41}, {"alpha": 237.3, "beta": 20.48, "error_beta": 2.04, "spread_kappa": 0.89}, 4e-3
    ),
    cooks=_COOKS,
    n=_N,
)
def fit_kappa_model(*, cooks: Sequence[dict[str, float]], n: float = 0.41) -> Fitted:
    """Return the relation that fits best; flagged cooks are left out by the caller, and listed there."""
    x, kappa = _table(cooks, n)
    design = np.column_stack((np.ones_like(x), -x))
    (alpha, beta), *_ = np.linalg.lstsq(design, kappa, rcond=None)
    spread = _spread(x, kappa, float(alpha), float(beta))
    error = spread / np.sqrt(np.sum((x - x.mean()) ** 2))
    return Fitted(float(alpha), float(beta), float(error), spread)


class Forecast(NamedTuple):
    """A kappa with the half-width of its 95 % band."""

    kappa: float
    half_kappa: float


@method(
    "kappa = alpha - beta * x; half_kappa = t(0.975, N - 2) * s * sqrt(1 + 1 / N + (x - mean(x))^2 / sum((x - mean(x))^2))",
    title="Kappa forecast from the mill's cooks",
    station="cooking",
    source="prediction interval of a straight line",
    exact=False,
    results=Forecast._fields,
    example=Example(
        {"cooks": _EXAMPLE, "n": 0.41, "h_factor": 1700, "effective_alkali_pct_na2o": 14.8},
        {"kappa": 37.6, "half_kappa": 2.32},
        4e-3,
    ),
    cooks=_COOKS,
    n=_N,
    h_factor=Arg("H-factor of the cook", 1, 10_000, above=True),
    effective_alkali_pct_na2o=Arg("its effective alkali", 0, 30, above=True),
)
def predict_kappa(
    *, cooks: Sequence[dict[str, float]], h_factor: float, effective_alkali_pct_na2o: float, n: float = 0.41
) -> Forecast:
    """Return the kappa to expect; far outside what was cooked it is refused."""
    from scipy.stats import t as student

    x, _ = _table(cooks, n)
    fitted = fit_kappa_model(cooks=cooks, n=n)
    place = float(np.log10(h_factor) * effective_alkali_pct_na2o**n)
    reach = REACH * float(np.ptp(x))
    if not x.min() - reach <= place <= x.max() + reach:
        message = (
            f"H {h_factor:g} at {effective_alkali_pct_na2o:g} % Na2O lies outside the cooks the relation was fitted to"
        )
        raise DomainError("E_EXTRAP", "h_factor", message, "a cook like those it knows")
    if not x.min() <= place <= x.max():
        warn("a little outside the cooks the relation was fitted to")
    count = len(x)
    width = 1 + 1 / count + (place - x.mean()) ** 2 / np.sum((x - x.mean()) ** 2)
    half = float(student.ppf(0.975, count - 2) * fitted.spread_kappa * np.sqrt(width))
    return Forecast(fitted.alpha - fitted.beta * place, half)


def _table(cooks: Sequence[dict[str, float]], n: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (log10 H times alkali to the n, kappa); too few or too alike are refused."""
    if len(cooks) < LEAST_COOKS:
        message = f"{len(cooks)} cooks are too few; {LEAST_COOKS} good ones are needed"
        raise DomainError("E_COUNT", "cooks", message, f"{LEAST_COOKS} cooks or more")
    h, alkali, kappa = (
        np.array([cook[name] for cook in cooks]) for name in ("h_factor", "effective_alkali_pct_na2o", "kappa")
    )
    x = np.log10(h) * alkali**n
    if float(np.ptp(x)) < LEAST_SPREAD * float(x.mean()):
        message = "the cooks are too alike: nothing can be learned from them about a change"
        raise DomainError("E_OBSERV", "cooks", message, "cooks that differ by 2 % or more")
    return x, kappa


def _spread(x: np.ndarray, kappa: np.ndarray, alpha: float, beta: float) -> float:
    rest = kappa - alpha + beta * x
    return float(np.sqrt(np.sum(rest**2) / (len(x) - 2)))
