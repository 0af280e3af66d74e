"""Time in a tower: by its volume, by what went in, by a tracer."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, warn

SOUND_ACTIVE, SOUND_CELLS, SOUND_T10 = 0.85, 5.0, 0.5


@method(
    "retention_min = 60 * volume_m3 * fill_frac * active_frac * (1 - gas_frac) * density_t_per_m3 * consistency_pct / 100"
    " / production_bdt_per_h",
    title="Time in a tower",
    station="bleaching",
    source="hold-up over throughput; a tracer is the check",
    aliases=("tower_retention_min",),
    example=Example(
        {
            "volume_m3": 260,
            "fill_frac": 0.85,
            "production_bdt_per_h": 18,
            "consistency_pct": 10,
            "active_frac": 0.85,
            "density_t_per_m3": 1.0345,
            "gas_frac": 0.04,
        },
        {"retention_min": 62.2},
    ),
    volume_m3=Arg("tower volume", 0, 1e4, above=True),
    fill_frac=Arg("filled share", 0, 1),
    production_bdt_per_h=Arg("pulp through the tower", 0, 1000, above=True),
    consistency_pct=Arg("consistency", 0, 40, above=True),
    active_frac=Arg("share that takes part", 0, 1, above=True, usual=(0.7, 1)),
    density_t_per_m3=Arg("density of the stock without its gas", 0.7, 1.3),
    gas_frac=Arg("gas in it, by volume", 0, 0.6),
)
def tower_retention(
    *,
    volume_m3: float,
    fill_frac: float,
    production_bdt_per_h: float,
    consistency_pct: float,
    active_frac: float = 1.0,
    density_t_per_m3: float = 1.0,
    gas_frac: float = 0.0,
) -> float:
    """Return the mean time pulp spends in a tower."""
    held = volume_m3 * fill_frac * active_frac * (1 - gas_frac) * density_t_per_m3 * consistency_pct / 100
    return 60 * held / production_bdt_per_h


@method(
    "hold_up_bdt = integral of the feed from then to now, for the pulp that leaves now",
    title="Age of the pulp that leaves a tower",
    station="bleaching",
    source="plug flow: what went in since is what the tower holds; stops and rates are in the record",
    aliases=("tower_exit_age_min",),
    exact=False,
    results=("age_min",),
    example=Example(
        {
            "feed_history": [{"ago_min": 200, "feed_bdt_per_h": 18}, {"ago_min": 40, "feed_bdt_per_h": 12}],
            "hold_up_bdt": 18.66,
        },
        {"age_min": 75.5},
    ),
    feed_history=Rows(
        "rates of the feed, each from then to the next",
        {"ago_min": Arg("how long ago it began", 0, 1e5), "feed_bdt_per_h": Arg("feed since", 0, 1000)},
    ),
    hold_up_bdt=Arg("what the tower holds", 0, 1e5, above=True),
)
def tower_exit_age(*, feed_history: list[dict[str, float]], hold_up_bdt: float) -> float:
    """Return how long ago the pulp that leaves now went in."""
    begun = np.array([one["ago_min"] for one in feed_history])
    if len(begun) < 1 or (np.diff(begun) >= 0).any():
        message = "the record of the feed must run from the longest ago to now"
        raise DomainError("E_ORDER", "feed_history", message, "ago_min falling from row to row")
    rates = np.array([one["feed_bdt_per_h"] for one in feed_history]) / 60
    spans = -np.diff(np.append(begun, 0.0))
    held = np.cumsum((rates * spans)[::-1])[::-1]  # what went in since each row began
    if held[0] < hold_up_bdt:
        message = f"the record holds {held[0]:.1f} BDt; the tower {hold_up_bdt:g}: it does not reach back to the pulp that leaves"
        raise DomainError("E_COUNT", "feed_history", message, "a longer record")
    at = int(np.flatnonzero(held >= hold_up_bdt)[-1])
    after = held[at + 1] if at + 1 < len(held) else 0.0
    return float((begun[at + 1] if at + 1 < len(begun) else 0.0) + (hold_up_bdt - after) / rates[at])


class Traced(NamedTuple):
    """What a tracer says about a tower."""

    mean_min: float
    active_frac: float
    cells_count: float
    t10_min: float


@method(
    "mean_min = integral(t * c) / integral(c)\n"
    "active_frac = mean_min / full_time_min\n"
    "cells_count = mean_min**2 / variance of the time\n"
    "t10_min = time by which a tenth of it has left",
    title="Tower by a tracer",
    station="bleaching",
    source="moments of the residence time (Levenspiel); trapezoids",
    exact=False,
    results=Traced._fields,
    example=Example(
        {
            "times_min": [30, 40, 50, 60, 70, 80, 90, 100, 110, 120],
            "tracer_ratio": [0, 6, 19, 24, 20, 13, 8, 5, 3, 2],
            "full_time_min": 73.2,
        },
        {"mean_min": 68.1, "active_frac": 0.93, "cells_count": 14.6, "t10_min": 45.5},
        5e-3,
    ),
    times_min=Arg("time since the tracer went in", 0, 1e4, series=True, count=6),
    tracer_ratio=Arg("tracer found, less what was there before", 0, 1e9, series=True, count=6),
    full_time_min=Arg("time of the tower were all of it at work", 0, 1e4, above=True),
)
def tower_tracer(*, times_min: np.ndarray, tracer_ratio: np.ndarray, full_time_min: float) -> Traced:
    """Return the mean time, the share at work and how well mixed a tower is."""
    if len(times_min) != len(tracer_ratio):
        raise DomainError("E_COUNT", "tracer_ratio", "one reading for each time", f"{len(times_min)} readings")
    if (np.diff(times_min) <= 0).any():
        raise DomainError("E_ORDER", "times_min", "the times must rise", "each later than the one before")
    total = float(np.trapezoid(tracer_ratio, times_min))
    if total <= 0:
        raise DomainError("E_SINGULAR", "tracer_ratio", "no tracer came out", "at least one reading above nought")
    mean = float(np.trapezoid(times_min * tracer_ratio, times_min)) / total
    variance = float(np.trapezoid((times_min - mean) ** 2 * tracer_ratio, times_min)) / total
    out = np.append(0.0, np.cumsum((tracer_ratio[1:] + tracer_ratio[:-1]) / 2 * np.diff(times_min)))
    t10 = float(np.interp(0.1 * out[-1], out, times_min))
    if variance <= 0:
        raise DomainError(
            "E_SINGULAR", "tracer_ratio", "all the tracer came out at one moment", "readings through the tail"
        )
    found = Traced(mean, mean / full_time_min, mean**2 / variance, t10)
    if channelled(found):
        warn("channelled by this tracer: level up, consistency and warmth steady, dilution nozzles at the next stop")
    if tracer_ratio[-1] > 0.2 * tracer_ratio.max():
        warn("the last reading is still high: the tail was missed, and the mean time with it")
    return found


def channelled(found: Traced) -> bool:
    """Whether a tracer shows pulp that goes round the tower's volume."""
    return (
        found.t10_min / found.mean_min < SOUND_T10
        or found.active_frac < SOUND_ACTIVE
        or found.cells_count < SOUND_CELLS
    )


def ages_min(minutes: np.ndarray, feed_bdt_per_h: np.ndarray, hold_up_bdt: np.ndarray | Sequence[float]) -> np.ndarray:
    """Return for each moment how long ago the pulp that then leaves went in, NaN while the record is too short.

    Parameters
    ----------
    minutes : ndarray, shape (n,)
        Moments, rising.
    feed_bdt_per_h : ndarray, shape (n,)
        Feed from each moment to the next, 0 or more.
    hold_up_bdt : array_like, shape (n,)
        What the tower holds at each moment.
    """
    fed = np.append(0.0, np.cumsum(feed_bdt_per_h[:-1] / 60 * np.diff(minutes)))
    wanted = fed - np.asarray(hold_up_bdt, dtype=float)
    went = np.interp(wanted, fed, minutes, left=np.nan)
    found: np.ndarray = minutes - went
    return found
