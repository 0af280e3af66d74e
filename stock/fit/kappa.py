"""Kappa from H-factor and alkali, fitted to a mill's own cooks."""

from collections.abc import Sequence
from typing import Any, Final, NamedTuple

import numpy as np

from stock.cooking.end_point import severity
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


EXPONENTS: Final = np.round(np.arange(0.30, 0.805, 0.02), 2)


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
    x, _ = _table(cooks, n)
    fitted = fit_kappa_model(cooks=cooks, n=n)
    place = float(severity(h_factor, effective_alkali_pct_na2o, n))
    reach = REACH * float(np.ptp(x))
    if not x.min() - reach <= place <= x.max() + reach:
        message = (
            f"H {h_factor:g} at {effective_alkali_pct_na2o:g} % Na2O lies outside the cooks the relation was fitted to"
        )
        raise DomainError("E_EXTRAP", "h_factor", message, "a cook like those it knows")
    if not x.min() <= place <= x.max():
        warn("a little outside the cooks the relation was fitted to")
    half = float(half_band(place, fitted.spread_kappa, len(x), x.mean(), np.sum((x - x.mean()) ** 2)))
    return Forecast(fitted.alpha - fitted.beta * place, half)


@method(
    "half_kappa = t(0.975, N - 2) * s * sqrt(1 + 1 / N + (x - mean(x))^2 / sum((x - mean(x))^2)),"
    " x = log10(h_factor) * effective_alkali_pct_na2o**n",
    title="Band of a kappa forecast",
    station="cooking",
    source="prediction interval of a straight line, 95 %",
    exact=False,
    results=("half_kappa",),
    example=Example(
        {
            "h_factor": 1700,
            "effective_alkali_pct_na2o": 14.8,
            "n": 0.41,
            "spread_kappa": 0.89,
            "cooks_count": 8,
            "mean_x_ratio": 9.7327,
            "sum_squares_ratio": 0.19229,
        },
        {"half_kappa": 2.32},
        4e-3,
    ),
    h_factor=Arg("H-factor of the cook", 1, 10_000, above=True),
    effective_alkali_pct_na2o=Arg("its effective alkali", 0, 30, above=True),
    n=_N,
    spread_kappa=Arg("spread of the cooks about the line", 0, 50),
    cooks_count=Arg("cooks it was fitted to", 3, 1e6),
    mean_x_ratio=Arg("mean of x over them", 0, 1e3),
    sum_squares_ratio=Arg("sum of squares of x about its mean", 0, 1e6, above=True),
)
def kappa_band(
    *,
    h_factor: float,
    effective_alkali_pct_na2o: float,
    n: float,
    spread_kappa: float,
    cooks_count: float,
    mean_x_ratio: float,
    sum_squares_ratio: float,
) -> float:
    """Return the half-width of the band around a forecast, from what is kept of a fit."""
    place = float(severity(h_factor, effective_alkali_pct_na2o, n))
    return float(half_band(place, spread_kappa, cooks_count, mean_x_ratio, sum_squares_ratio))


def half_band(place: Any, spread_kappa: float, cooks_count: float, mean_x: float, sum_squares: float) -> Any:
    """Return the half-width of a straight line's prediction band, 95 %; takes numbers and arrays."""
    width = 1 + 1 / cooks_count + (place - mean_x) ** 2 / sum_squares
    return _student(cooks_count - 2) * spread_kappa * np.sqrt(width)


@method(
    "half_kappa = 2 * spread_kappa",
    title="Band of a default relation",
    station="cooking",
    source="twice the spread the recipe states; a fitted relation has a band of its own",
    example=Example({"spread_kappa": 0.55}, {"half_kappa": 1.1}),
    spread_kappa=Arg("spread stated in the recipe", 0, 50),
)
def default_band(*, spread_kappa: float) -> float:
    """Return the half-width to put on a forecast while no fit exists."""
    return 2 * spread_kappa


def _student(freedom: float) -> float:
    """Return Student's t at 97.5 %."""
    from scipy.special import stdtrit

    return float(stdtrit(freedom, 0.975))


class Chosen(NamedTuple):
    """An exponent, and the error of cooks forecast from all the others."""

    n: float
    error_kappa: float


@method(
    "n between 0.30 and 0.80 with the least error, each cook forecast from all the others",
    title="Exponent of alkali, by cross-validation",
    station="cooking",
    source="leave-one-out residuals of ordinary least squares",
    exact=False,
    results=Chosen._fields,
    example=Example({"cooks": _EXAMPLE}, {"n": 0.46, "error_kappa": 1.1002}),
    cooks=_COOKS,
)
def choose_exponent(*, cooks: Sequence[dict[str, float]]) -> Chosen:
    """Return the exponent that forecasts best; ties go to the smaller."""
    best = Chosen(0.0, np.inf)
    for n in EXPONENTS:
        x, kappa = _table(cooks, float(n))
        left_out = _left_out(x, kappa)
        error = float(np.sqrt(np.mean(left_out**2)))
        if error < best.error_kappa - 1e-9:
            best = Chosen(float(n), error)
    return best


def _left_out(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Return each point less its forecast from all the others, by the hat matrix of a straight line."""
    centred = x - x.mean()
    leverage = 1 / len(x) + centred**2 / np.sum(centred**2)
    slope = float(centred @ y / np.sum(centred**2))
    rest: np.ndarray = (y - y.mean() - slope * centred) / (1 - leverage)
    return rest


FAR: Final = 3.5  # robust spreads from the line


def outliers(cooks: Sequence[dict[str, float]], n: float) -> list[bool]:
    """Say which cooks lie far from the others' line: over 3.5 times the median deviation, scaled to a spread.

    The line is the one through the middle of the cooks (Theil's slopes of a sample of pairs),
    so that what is far does not pull it along.
    """
    x, kappa = _table(cooks, n)
    rng = np.random.default_rng(7)
    one, other = rng.integers(0, len(x), (2, 4000))
    apart = np.abs(x[one] - x[other]) > 1e-9
    slope = float(np.median((kappa[one] - kappa[other])[apart] / (x[one] - x[other])[apart]))
    rest = kappa - slope * x
    rest -= np.median(rest)
    scale = 1.4826 * float(np.median(np.abs(rest)))
    return [bool(abs(one) > FAR * max(scale, 1e-9)) for one in rest]


class YieldFit(NamedTuple):
    """A straight line of yield over kappa."""

    at_reference_pct: float
    slope_pct: float
    spread_pct: float


_YIELDS: Final = Rows(
    "cooks with both measured",
    {"kappa": Arg("kappa measured", 0, 200), "yield_pct": Arg("total yield on bone-dry wood", 20, 100)},
)


@method(
    "yield_pct = at_reference_pct + slope_pct * (kappa - reference_kappa), least squares over the cooks",
    title="Yield relation from the mill's cooks",
    station="cooking",
    source="ordinary least squares",
    exact=False,
    results=YieldFit._fields,
    example=Example(
        {
            "cooks": [
                {"kappa": k, "yield_pct": y}
                for k, y in zip(
                    (16.5, 17.2, 17.8, 18.1, 18.6, 19.2, 19.9, 20.4),
                    (51.7, 52.0, 51.9, 52.2, 52.1, 52.3, 52.2, 52.5),
                    strict=True,
                )
            ],
            "reference_kappa": 18.0,
        },
        {"at_reference_pct": 52.035, "slope_pct": 0.1673},
        5e-3,
    ),
    cooks=_YIELDS,
    reference_kappa=Arg("kappa the yield is stated at", 0, 200),
)
def fit_yield_model(*, cooks: Sequence[dict[str, float]], reference_kappa: float) -> YieldFit:
    """Return yield at a kappa and for each kappa."""
    if len(cooks) < LEAST_COOKS:
        message = f"{len(cooks)} cooks with a yield are too few; {LEAST_COOKS} are needed"
        raise DomainError("E_COUNT", "cooks", message, f"{LEAST_COOKS} cooks or more")
    kappa = np.array([cook["kappa"] for cook in cooks]) - reference_kappa
    found = np.array([cook["yield_pct"] for cook in cooks])
    if float(np.ptp(kappa)) < LEAST_SPREAD * reference_kappa:
        raise DomainError("E_OBSERV", "cooks", "the cooks are too alike in kappa", "cooks that differ by 2 % or more")
    slope, start = np.polyfit(kappa, found, 1)
    spread = float(np.sqrt(np.sum((found - start - slope * kappa) ** 2) / (len(found) - 2)))
    return YieldFit(float(start), float(slope), spread)


class SulphiteFit(NamedTuple):
    """The normal sulphite cook: how fast lignin goes with the factor, and the spread in kappa."""

    rate_ratio: float
    reference_bar_h: float
    spread_kappa: float


@method(
    "log(zero_kappa / kappa) = rate_ratio * factor_bar_h, least squares through nought;"
    " reference_bar_h = log(zero_kappa / reference_kappa) / rate_ratio",
    title="Sulphite relation from the mill's cooks",
    station="cooking",
    source="first-order delignification over the factor",
    exact=False,
    results=SulphiteFit._fields,
    example=Example(
        {
            "cooks": [
                {"factor_bar_h": f, "kappa": k}
                for f, k in zip(
                    (210, 222, 231, 238, 245, 250, 262, 270),
                    (34.2, 30.6, 29.1, 27.0, 25.6, 25.1, 22.3, 21.2),
                    strict=True,
                )
            ],
            "reference_kappa": 28.0,
            "zero_kappa": 180.0,
        },
        {"rate_ratio": 0.007936, "reference_bar_h": 234.48},
        5e-3,
    ),
    cooks=Rows(
        "good cooks", {"factor_bar_h": Arg("factor", 0, 1e5, above=True), "kappa": Arg("kappa", 0, 200, above=True)}
    ),
    reference_kappa=Arg("kappa of the normal cook", 0, 200, above=True),
    zero_kappa=Arg("kappa before the cook", 50, 400),
)
def fit_sulphite_model(
    *, cooks: Sequence[dict[str, float]], reference_kappa: float, zero_kappa: float = 180.0
) -> SulphiteFit:
    """Return how the factor takes lignin, from the mill's own cooks."""
    if len(cooks) < LEAST_COOKS:
        message = f"{len(cooks)} cooks are too few; {LEAST_COOKS} good ones are needed"
        raise DomainError("E_COUNT", "cooks", message, f"{LEAST_COOKS} cooks or more")
    factor = np.array([cook["factor_bar_h"] for cook in cooks])
    kappa = np.array([cook["kappa"] for cook in cooks])
    if float(kappa.max()) >= zero_kappa or reference_kappa >= zero_kappa:
        message = f"a kappa is not below the {zero_kappa:g} it starts from"
        raise DomainError("E_RANGE", "cooks", message, f"less than {zero_kappa:g}")
    rate = float(factor @ np.log(zero_kappa / kappa) / (factor @ factor))
    rest = kappa - zero_kappa * np.exp(-rate * factor)
    spread = float(np.sqrt(np.sum(rest**2) / (len(kappa) - 1)))
    return SulphiteFit(rate, float(np.log(zero_kappa / reference_kappa) / rate), spread)


def _table(cooks: Sequence[dict[str, float]], n: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (log10 H times alkali to the n, kappa); too few or too alike are refused."""
    if len(cooks) < LEAST_COOKS:
        message = f"{len(cooks)} cooks are too few; {LEAST_COOKS} good ones are needed"
        raise DomainError("E_COUNT", "cooks", message, f"{LEAST_COOKS} cooks or more")
    h, alkali, kappa = (
        np.array([cook[name] for cook in cooks]) for name in ("h_factor", "effective_alkali_pct_na2o", "kappa")
    )
    x = severity(h, alkali, n)
    if float(np.ptp(x)) < LEAST_SPREAD * float(x.mean()):
        message = "the cooks are too alike: nothing can be learned from them about a change"
        raise DomainError("E_OBSERV", "cooks", message, "cooks that differ by 2 % or more")
    return x, kappa


def _spread(x: np.ndarray, kappa: np.ndarray, alpha: float, beta: float) -> float:
    rest = kappa - alpha + beta * x
    return float(np.sqrt(np.sum(rest**2) / (len(x) - 2)))
