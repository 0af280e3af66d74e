"""Metal and stones: how many trips are usual, and when a run of them means something."""

from collections import Counter
from collections.abc import Iterable
from math import sqrt
from typing import Final, NamedTuple

import numpy as np

from stock.working import Arg, Example, method

QUARANTINE_TRIPS: Final = 2  # this many in one lot set the lot aside


class CountLimits(NamedTuple):
    """A count chart: its mean and its limits."""

    mean_count: float
    upper_count: float
    lower_count: float


@method(
    "mean_count = mean(trips_each_count)\n"
    "upper_count = mean_count + 3 * sqrt(mean_count)\n"
    "lower_count = max(0, mean_count - 3 * sqrt(mean_count))",
    title="Limits of a count chart",
    station="intake",
    source="Shewhart count chart",
    aliases=("c_chart_limits",),
    exact=False,
    example=Example(
        {"trips_each_count": [3, 1, 4, 2, 2, 5, 3, 1, 2, 4]},
        {"mean_count": 2.7, "upper_count": 7.63, "lower_count": 0},
    ),
    trips_each_count=Arg("trips in each shift", 0, 10_000, series=True, count=8),
)
def count_chart(*, trips_each_count: np.ndarray) -> CountLimits:
    """Return what is usual in a shift; a count above the upper limit is a real change."""
    mean = float(trips_each_count.mean())
    reach = 3 * sqrt(mean)
    return CountLimits(mean, mean + reach, max(0.0, mean - reach))


def lots_to_quarantine(lots_tripped: Iterable[str]) -> list[str]:
    """Return the lots that tripped the detectors often enough to be set aside, in order of trips."""
    counts = Counter(lot for lot in lots_tripped if lot)
    return [lot for lot, count in counts.most_common() if count >= QUARANTINE_TRIPS]
