"""Charts of a run of values: is it still the same process, or has it drifted or shifted."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

_FALLING = [82.1, 81.6, 82.0, 81.4, 81.5, 81.2, 81.6, 81.1, 81.3, 81.0]
_VALUES = Arg("values in order of time, the oldest first", series=True, count=1)
_TARGET = Arg("what they should be")
_SIGMA = Arg("standard deviation of one value while nothing is wrong", 0, above=True)
MOVING_RANGE = 1.128  # expected range of two normal values, in standard deviations


class Individuals(NamedTuple):
    """A chart of single values: its mean and limits."""

    mean_read: float
    sigma_read: float
    lower_read: float
    upper_read: float


@method(
    "sigma_read = mean of the moving ranges / 1.128\nlower_read, upper_read = mean(values_each_read) ∓ 3 * sigma_read",
    title="Limits of single values",
    station="judge",
    source="individuals chart, ISO 7870-2",
    aliases=("individuals_limits",),
    exact=False,
    results=Individuals._fields,
    example=Example(
        {"values_each_read": [3.51, 3.48, 3.55, 3.50, 3.46, 3.52, 3.49, 3.57, 3.53, 3.50, 3.47, 3.51]},
        {"mean_read": 3.5075, "sigma_read": 0.0403, "lower_read": 3.3866, "upper_read": 3.6284},
        2e-3,
    ),
    values_each_read=Arg("values in order of time, the oldest first", series=True, count=10),
)
def individuals(*, values_each_read: np.ndarray) -> Individuals:
    """Return the limits within which a process of its own kind stays; ten values or more."""
    sigma = float(np.abs(np.diff(values_each_read)).mean() / MOVING_RANGE)
    mean = float(values_each_read.mean())
    return Individuals(mean, sigma, mean - 3 * sigma, mean + 3 * sigma)


class Run(NamedTuple):
    """Where a chart signals first, counted from 1 (0: nowhere), and what it stands at there or at the end."""

    signal_count: int
    stands_read: float
    last_read: float


@method(
    "z = weight_frac * value + (1 - weight_frac) * z before, from the target\n"
    "signal where abs(z - target_read)"
    " > reach_ratio * sigma_read * sqrt(weight_frac / (2 - weight_frac) * (1 - (1 - weight_frac)**(2 * t)))",
    title="Slow drift: weighted mean",
    station="judge",
    source="exponentially weighted moving average; Lucas and Saccucci (1990)",
    aliases=("ewma_signal",),
    exact=False,
    results=Run._fields,
    example=Example(
        {"values_each_read": _FALLING, "target_read": 82, "sigma_read": 0.5},
        {"signal_count": 9, "stands_read": 81.489},
    ),
    values_each_read=_VALUES,
    target_read=_TARGET,
    sigma_read=_SIGMA,
    weight_frac=Arg("weight of the newest value", 0, 1, above=True),
    reach_ratio=Arg("width of the limits, in standard deviations", 0, 10, above=True),
)
def drift(
    *,
    values_each_read: np.ndarray,
    target_read: float,
    sigma_read: float,
    weight_frac: float = 0.2,
    reach_ratio: float = 2.86,
) -> Run:
    """Return where a run of values has drifted off its target by more than chance."""
    z, at, stands = target_read, 0, target_read
    for index, value in enumerate(values_each_read.tolist(), start=1):
        z = weight_frac * value + (1 - weight_frac) * z
        spread = math.sqrt(weight_frac / (2 - weight_frac) * (1 - (1 - weight_frac) ** (2 * index)))
        if not at and abs(z - target_read) > reach_ratio * sigma_read * spread:
            at, stands = index, z
    return Run(at, float(stands if at else z), float(z))


class Sums(NamedTuple):
    """Where the sum signals first, counted from 1 (0: nowhere), and what it stands at there or at the end."""

    signal_count: int
    stands_ratio: float
    last_ratio: float


@method(
    "high = max(0, high before + (value - target_read) / sigma_read - slack_ratio), low likewise\n"
    "signal where either is over limit_ratio",
    title="Shift: cumulative sum",
    station="judge",
    source="Page (1954); two-sided, from nought",
    aliases=("cusum_signal",),
    exact=False,
    results=Sums._fields,
    example=Example(
        {"values_each_read": _FALLING, "target_read": 82, "sigma_read": 0.5, "limit_ratio": 4}, {"signal_count": 9}
    ),
    values_each_read=_VALUES,
    target_read=_TARGET,
    sigma_read=_SIGMA,
    slack_ratio=Arg("half of the shift looked for, in standard deviations", 0, 5),
    limit_ratio=Arg("limit of the sum, in standard deviations", 0, 50, above=True),
)
def shift(
    *,
    values_each_read: np.ndarray,
    target_read: float,
    sigma_read: float,
    slack_ratio: float = 0.5,
    limit_ratio: float = 5.0,
) -> Sums:
    """Return where a run of values has shifted, and the greater sum, minus where it is the low one."""
    high = low = 0.0
    at, stands = 0, 0.0
    for index, value in enumerate(values_each_read.tolist(), start=1):
        off = (value - target_read) / sigma_read
        high, low = max(0.0, high + off - slack_ratio), max(0.0, low - off - slack_ratio)
        if not at and max(high, low) > limit_ratio:
            at, stands = index, high if high >= low else -low
    last = high if high >= low else -low
    return Sums(at, float(stands if at else last), float(last))


@method(
    "d = shift_ratio - slack_ratio; b = limit_ratio + 1.166\n"
    "one side: (exp(-2 * d * b) + 2 * d * b - 1) / (2 * d**2), b**2 where d is nought\n"
    "run_count = 1 / (1 / one side + 1 / the other)",
    title="Values until a cumulative sum signals",
    station="judge",
    source="Siegmund (1985)",
    aliases=("cusum_arl",),
    exact=False,
    results=("run_count",),
    example=Example({"slack_ratio": 0.5, "limit_ratio": 5, "shift_ratio": 0}, {"run_count": 469.1}),
    slack_ratio=Arg("half of the shift looked for, in standard deviations", 0, 5),
    limit_ratio=Arg("limit of the sum, in standard deviations", 0, 50, above=True),
    shift_ratio=Arg("shift there is, in standard deviations", -10, 10),
)
def run_to_signal(*, slack_ratio: float, limit_ratio: float, shift_ratio: float) -> float:
    """Return the mean number of values until the chart signals a shift of a size."""

    def one_side(moved: float) -> float:
        d, b = moved - slack_ratio, limit_ratio + 1.166
        return b * b if abs(d) < 1e-9 else (math.exp(-2 * d * b) + 2 * d * b - 1) / (2 * d * d)

    return 1 / (1 / one_side(shift_ratio) + 1 / one_side(-shift_ratio))


def held(
    *,
    values: Sequence[float],
    high: float,
    dead_band: float,
    on_delay: int = 2,
    off_delay: int = 2,
    begins: bool = False,
) -> list[bool]:
    """Return at each value whether it counts as above a limit: set and reset after a few in a row, reset lower than set.

    Parameters
    ----------
    values : sequence of float
        In order of time, evenly spaced.
    high : float
        The limit; for a low limit give minus values and minus the limit.
    dead_band : float
        How far below the limit it must fall to count as back, 0 or more.
    on_delay, off_delay : int
        Values in a row that set and reset it, 1 or more.
    begins : bool
        Whether it counted as above before the first.

    Raises
    ------
    DomainError
        E_RANGE for a dead-band less than nought or a delay less than one value.
    """
    if dead_band < 0:
        raise DomainError("E_RANGE", "dead_band", f"a dead-band of {dead_band:g} is less than nought", "0 or more")
    for name, delay in (("on_delay", on_delay), ("off_delay", off_delay)):
        if delay < 1:
            raise DomainError("E_RANGE", name, f"a delay of {delay} values is no delay", "1 or more")
    active, found, over, under = begins, [], 0, 0
    for value in values:
        over = over + 1 if value > high else 0
        under = under + 1 if value < high - dead_band else 0
        if not active and over >= on_delay:
            active = True
        elif active and under >= off_delay:
            active = False
        found.append(active)
    return found
