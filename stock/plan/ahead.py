"""How far a forecast of a level may be off, and how good the forecasts were."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

USUAL_COVER = 0.8


def normal_below(z: float) -> float:
    """Return the share of a normal distribution below so many standard deviations."""
    return 0.5 * math.erfc(-z / math.sqrt(2))


class Spread(NamedTuple):
    """Uncertainty of a level ahead, and its parts."""

    sd_bdt: float
    level_bdt: float
    bias_bdt: float
    flow_bdt: float


@method(
    "level_bdt = level_sd_bdt\n"
    "bias_bdt = rate_bias_sd_bdt_per_h * time_h\n"
    "flow_bdt = sqrt(2 * flow_sd_bdt_per_h**2 * flow_correlation_h"
    " * (time_h - flow_correlation_h * (1 - exp(-time_h / flow_correlation_h))))\n"
    "sd_bdt = sqrt(level_bdt**2 + bias_bdt**2 + flow_bdt**2)",
    title="How far a level ahead may be off",
    station="plan",
    source="level, meters and wandering flows in quadrature; integral of a first-order autoregressive flow",
    aliases=("level_forecast_sd",),
    exact=False,
    results=Spread._fields,
    example=Example(
        {
            "time_h": 12,
            "level_sd_bdt": 0.4,
            "rate_bias_sd_bdt_per_h": 0.10,
            "flow_sd_bdt_per_h": 0.35,
            "flow_correlation_h": 0.5,
        },
        {"sd_bdt": 1.735, "bias_bdt": 1.20, "flow_bdt": 1.187},
        2e-3,
    ),
    time_h=Arg("how far ahead", 0, 1000),
    level_sd_bdt=Arg("uncertainty of the level now", 0, 1e5),
    rate_bias_sd_bdt_per_h=Arg("what feed less draw may be off for good", 0, 1e4),
    flow_sd_bdt_per_h=Arg("what the flows wander by", 0, 1e4),
    flow_correlation_h=Arg("how long they stay off", 0, 1000, above=True),
)
def level_ahead_sd(
    *,
    time_h: float,
    level_sd_bdt: float,
    rate_bias_sd_bdt_per_h: float,
    flow_sd_bdt_per_h: float,
    flow_correlation_h: float,
) -> Spread:
    """Return the uncertainty of a level ahead, with what makes it."""
    bias = rate_bias_sd_bdt_per_h * time_h
    t, span = flow_correlation_h, time_h
    flow = math.sqrt(max(0.0, 2 * flow_sd_bdt_per_h**2 * t * (span - t * (1 - math.exp(-span / t)))))
    return Spread(math.hypot(level_sd_bdt, bias, flow), level_sd_bdt, bias, flow)


@method(
    "sd_bdt = flow_sd_bdt_per_h * arrest_h * sqrt(flow_correlation_h / (flow_correlation_h + arrest_h))",
    title="How far a controlled level wanders",
    station="plan",
    source="first-order return of a level under control to flows that wander",
    aliases=("controlled_level_sd",),
    example=Example({"flow_sd_bdt_per_h": 0.35, "flow_correlation_h": 0.5, "arrest_h": 2}, {"sd_bdt": 0.313}, 2e-3),
    flow_sd_bdt_per_h=Arg("what the flows wander by", 0, 1e4),
    flow_correlation_h=Arg("how long they stay off", 0, 1000, above=True),
    arrest_h=Arg("how slowly the level is brought back", 0, 1000, above=True),
)
def held_level_sd(*, flow_sd_bdt_per_h: float, flow_correlation_h: float, arrest_h: float) -> float:
    """Return how far a level under control wanders."""
    return flow_sd_bdt_per_h * arrest_h * math.sqrt(flow_correlation_h / (flow_correlation_h + arrest_h))


class Blown(NamedTuple):
    """What a blow has brought by an hour, on the whole, and its spread."""

    mean_bdt: float
    sd_bdt: float


@method(
    "share = normal distribution at (time_h - due_h) / due_sd_h\n"
    "mean_bdt = blow_bdt * share\n"
    "sd_bdt = blow_bdt * sqrt(share * (1 - share))",
    title="A blow ahead",
    station="plan",
    source="a batch whose hour is not quite known: near it the level is one of two, not something between",
    aliases=("batch_forecast",),
    exact=False,
    results=Blown._fields,
    example=Example(
        {"time_h": 1.0, "due_h": 1.25, "due_sd_h": 0.15, "blow_bdt": 8.3}, {"mean_bdt": 0.397, "sd_bdt": 1.771}, 2e-3
    ),
    time_h=Arg("hour looked at", 0, 1000),
    due_h=Arg("hour it is due", 0, 1000),
    due_sd_h=Arg("how far off that may be", 0, 100, above=True),
    blow_bdt=Arg("what it brings", 0, 1e4),
)
def batch_ahead(*, time_h: float, due_h: float, due_sd_h: float, blow_bdt: float) -> Blown:
    """Return what a batch to come has brought by an hour."""
    share = normal_below((time_h - due_h) / due_sd_h)
    return Blown(blow_bdt * share, blow_bdt * math.sqrt(share * (1 - share)))


class Score(NamedTuple):
    """How good forecasts were."""

    bias_bdt: float
    mae_bdt: float
    rmse_bdt: float
    covered_frac: float
    crps_bdt: float
    drift_bdt_per_h: float


@method(
    "error = found_each_bdt - said_each_bdt\n"
    "bias_bdt = mean(error); mae_bdt = mean(abs(error)); rmse_bdt = sqrt(mean(error**2))\n"
    "covered_frac = share of errors inside the band of coverage_frac\n"
    "crps_bdt = mean of the continuous ranked probability score of a normal forecast\n"
    "drift_bdt_per_h = sum(times * error) / sum(times**2)",
    title="How good forecasts were",
    station="plan",
    source="Gneiting and Raftery, J. Am. Stat. Assoc. 102, 359 (2007), for the score of a normal forecast",
    exact=False,
    results=Score._fields,
    example=Example(
        {
            "times_each_h": [1, 2, 3, 4, 5, 6],
            "found_each_bdt": [41.2, 39.8, 37.1, 36.0, 33.2, 31.9],
            "said_each_bdt": [41.0, 39.4, 37.8, 36.2, 34.6, 33.0],
            "sd_each_bdt": [0.5, 0.7, 0.9, 1.1, 1.3, 1.5],
        },
        {
            "bias_bdt": -0.467,
            "mae_bdt": 0.667,
            "rmse_bdt": 0.806,
            "covered_frac": 1.0,
            "crps_bdt": 0.434,
            "drift_bdt_per_h": -0.170,
        },
        5e-3,
    ),
    times_each_h=Arg("how far ahead each spoke", 0, 1000, series=True, count=1),
    found_each_bdt=Arg("what was found", series=True, count=1),
    said_each_bdt=Arg("what was said", series=True, count=1),
    sd_each_bdt=Arg("its standard deviation as said", 0, 1e6, above=True, series=True, count=1),
    coverage_frac=Arg("share its band was to cover", 0, 1, above=True, below=True),
)
def forecast_score(
    *,
    times_each_h: Sequence[float],
    found_each_bdt: Sequence[float],
    said_each_bdt: Sequence[float],
    sd_each_bdt: Sequence[float],
    coverage_frac: float = USUAL_COVER,
) -> Score:
    """Return how good forecasts were.

    Raises
    ------
    DomainError
        E_COUNT where there are not as many of one as of another.
    """
    counts = {len(one) for one in (times_each_h, found_each_bdt, said_each_bdt, sd_each_bdt)}
    if len(counts) > 1:
        raise DomainError(
            "E_COUNT", "found_each_bdt", "hours, values found and said are not as many", "as many of each"
        )
    times, sd = np.asarray(times_each_h, float), np.asarray(sd_each_bdt, float)
    error = np.asarray(found_each_bdt, float) - np.asarray(said_each_bdt, float)
    z = error / sd
    density = np.exp(-(z**2) / 2) / math.sqrt(2 * math.pi)
    below = np.array([normal_below(one) for one in z])
    crps = sd * (z * (2 * below - 1) + 2 * density - 1 / math.sqrt(math.pi))
    reach = band_reach(coverage_frac)
    drift = float((times * error).sum() / max(float((times**2).sum()), 1e-12))
    return Score(
        float(error.mean()),
        float(np.abs(error).mean()),
        float(np.sqrt((error**2).mean())),
        float((np.abs(z) <= reach).mean()),
        float(crps.mean()),
        drift,
    )


def band_reach(coverage_frac: float) -> float:
    """Return how many standard deviations a band reaches to cover a share."""
    from scipy.special import ndtri

    return float(ndtri(0.5 + coverage_frac / 2))
