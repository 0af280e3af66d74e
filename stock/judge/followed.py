"""What a move did: the course expected of it, what the readings say of its size, and the plain word on it."""

import math
from collections.abc import Sequence
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.plan.chain import step_response
from stock.working import Arg, Example, method

TOLERANCE: Final = 0.25
COVERAGE: Final = 1.96
POWER: Final = 2.80  # 5 % and 80 % power
PRIOR_SD: Final = 0.3
BETWEEN_FLOOR: Final = 0.1
READY_COUNT, READY_HALF = 5, 0.25
TELLS_FROM = 0.8  # of the step come before a move is judged
WORTH_READINGS = 2

Verdict = Literal["worked", "less", "more", "no_effect", "wrong_way", "unclear"]

TAUS = Arg("mean time in each mixed vessel on the way", 0, 1e5, series=True, count=0)
DEAD = Arg("pipe, plug, sampling", 0, 1e5)


@method(
    "value_each_read = before_read + effect_read * share of a step come through dead_min and taus_each_min",
    title="Course expected of a move",
    station="judge",
    source="response of mixed vessels after a dead time",
    exact=False,
    results=("value_each_read",),
    example=Example(
        {
            "before_read": 3.64,
            "effect_read": -0.14,
            "dead_min": 0.5,
            "taus_each_min": [3],
            "times_each_min": [1, 2, 4, 6, 9],
        },
        {"value_each_read": [3.619, 3.585, 3.544, 3.522, 3.508]},
        1e-3,
    ),
    before_read=Arg("what was read before"),
    effect_read=Arg("what it should do in the end"),
    dead_min=DEAD,
    taus_each_min=TAUS,
    times_each_min=Arg("minutes since the move", 0, 1e6, series=True, count=1),
)
def move_course(
    *,
    before_read: float,
    effect_read: float,
    dead_min: float,
    taus_each_min: Sequence[float],
    times_each_min: Sequence[float],
) -> list[float]:
    """Return what is to be read after a move."""
    come = step_response(np.asarray(times_each_min, float), taus_each_min, dead_min)
    return [float(one) for one in before_read + effect_read * come]


class Estimate(NamedTuple):
    """What a move did, by the readings: what stood before, the effect, its share of what was expected."""

    before_read: float
    effect_read: float
    effect_sd_read: float
    did_ratio: float
    did_sd_ratio: float


@method(
    "value = before + did_ratio * effect_expected_read * come(time - move_min) + noise, by generalised least squares;"
    " covariance of two readings = process_sd_read**2 * exp(-apart / process_correlation_min), and value_sd_read**2 of each",
    title="What a move did",
    station="judge",
    source="generalised least squares with a first-order autoregressive process; before known also from the long run, where given",
    exact=False,
    results=Estimate._fields,
    example=Example(
        {
            "times_each_min": [-10, -8, -6, -4, -2, 2, 4, 6, 8, 9],
            "values_each_read": [3.648, 3.636, 3.643, 3.634, 3.645, 3.588, 3.549, 3.525, 3.514, 3.511],
            "value_sd_read": 0.008, "move_min": 0, "effect_expected_read": -0.14, "dead_min": 0.5, "taus_each_min": [3],
            "process_sd_read": 0.012, "process_correlation_min": 6,
        },
        {"before_read": 3.6424, "effect_read": -0.1391, "effect_sd_read": 0.0156, "did_ratio": 0.993, "did_sd_ratio": 0.112},
        6e-3,
    ),
    times_each_min=Arg("when each was read", -1e6, 1e6, series=True, count=4),
    values_each_read=Arg("what was read", series=True, count=4),
    value_sd_read=Arg("spread of one reading of the same", 0, above=True),
    move_min=Arg("when it was made", -1e6, 1e6),
    effect_expected_read=Arg("what it should do in the end"),
    dead_min=DEAD,
    taus_each_min=TAUS,
    process_sd_read=Arg("what it wanders by of itself", 0, above=True),
    process_correlation_min=Arg("how long it stays off", 0, 1e6, above=True),
    level_read=Arg("where it stands in the long run"),
    level_sd_read=Arg("how well that is known", 0, above=True),
)  # fmt: skip
def move_estimate(
    *,
    times_each_min: Sequence[float],
    values_each_read: Sequence[float],
    value_sd_read: float,
    move_min: float,
    effect_expected_read: float,
    dead_min: float,
    taus_each_min: Sequence[float],
    process_sd_read: float,
    process_correlation_min: float,
    level_read: float | None = None,
    level_sd_read: float | None = None,
) -> Estimate:
    """Return what a move did.

    Raises
    ------
    DomainError
        E_COUNT for too few readings before or after, E_RANGE for an effect of nought, E_OBSERV where nothing of it can show.
    """
    times, values = np.asarray(times_each_min, float), np.asarray(values_each_read, float)
    if len(times) != len(values):
        raise DomainError(
            "E_COUNT", "values_each_read", f"{len(times)} times for {len(values)} values", f"{len(times)}"
        )
    if effect_expected_read == 0:
        raise DomainError("E_RANGE", "effect_expected_read", "a move of no effect cannot be judged", "any but 0")
    come = step_response(times - move_min, taus_each_min, dead_min)
    if int((times <= move_min).sum()) < WORTH_READINGS or int((come > 0).sum()) < WORTH_READINGS:
        message = "it takes two readings before a move and two after it began to show"
        raise DomainError("E_COUNT", "times_each_min", message, "2 before, 2 after")
    column = effect_expected_read * come
    if float(np.ptp(come)) < 0.05:
        raise DomainError("E_OBSERV", "times_each_min", "nothing of it has come yet", "later readings")
    apart = np.abs(times[:, None] - times[None, :])
    covariance = process_sd_read**2 * np.exp(-apart / process_correlation_min) + value_sd_read**2 * np.eye(len(times))
    design = np.column_stack([np.ones(len(times)), column])
    with np.errstate(all="ignore"):  # what overflows has no result, and is refused as that
        return _fitted(covariance, design, values, effect_expected_read, level_read, level_sd_read)


def _fitted(
    covariance: np.ndarray,
    design: np.ndarray,
    values: np.ndarray,
    expected: float,
    level: float | None,
    level_sd: float | None,
) -> Estimate:
    weighted = np.linalg.solve(covariance, design)
    normal, right = design.T @ weighted, weighted.T @ values
    if level is not None and level_sd is not None:
        normal[0, 0] += 1 / level_sd**2
        right[0] += level / level_sd**2
    spread = np.linalg.inv(normal)
    before, ratio = spread @ right
    sd = math.sqrt(float(spread[1, 1]))
    return Estimate(float(before), float(ratio) * expected, sd * abs(expected), float(ratio), sd)


class Judged(NamedTuple):
    """The word on a move, and the band its share lies in."""

    verdict_word: Verdict
    low_ratio: float
    high_ratio: float


@method(
    "low_ratio, high_ratio = did_ratio -+ coverage_k_ratio * did_sd_ratio; the first that holds:"
    " wrong_way high < 0; worked low > 0 and the band meets 1 -+ tolerance_frac; less, more; no_effect high < 0.5; unclear",
    title="The word on a move",
    station="judge",
    source="house rule",
    exact=False,
    results=Judged._fields,
    example=Example(
        {"did_ratio": 0.99, "did_sd_ratio": 0.11},
        {"low_ratio": 0.774, "high_ratio": 1.206},
        2e-3,
    ),
    did_ratio=Arg("what it did, of what was expected"),
    did_sd_ratio=Arg("how well that is known", 0, above=True),
    tolerance_frac=Arg("how far from 1 still counts as worked", 0, 1, above=True),
    coverage_k_ratio=Arg("standard deviations of the band", 0, 5, above=True),
)
def move_verdict(
    *, did_ratio: float, did_sd_ratio: float, tolerance_frac: float = TOLERANCE, coverage_k_ratio: float = COVERAGE
) -> Judged:
    """Return the plain word on a move."""
    low, high = did_ratio - coverage_k_ratio * did_sd_ratio, did_ratio + coverage_k_ratio * did_sd_ratio
    word: Verdict = "unclear"
    if high < 0:
        word = "wrong_way"
    elif low > 0 and low <= 1 + tolerance_frac and high >= 1 - tolerance_frac:
        word = "worked"
    elif low > 0:
        word = "less" if high < 1 - tolerance_frac else "more"
    elif high < 0.5:
        word = "no_effect"
    return Judged(word, low, high)


class Tell(NamedTuple):
    """When the readings can tell what a move did; minutes and readings nought where they never can."""

    tell_min: float
    after_count: float
    detectable_read: float


@method(
    "tell_min = first reading after the move at which 0.8 of it has come and power_k_ratio * sd of the effect <= abs(effect_expected_read),"
    " and report_min more; detectable_read = power_k_ratio * sd of the effect there",
    title="When readings can tell what a move did",
    station="judge",
    source="design of the estimate of a move before its readings are there",
    exact=False,
    results=Tell._fields,
    example=Example(
        {
            "effect_expected_read": 1.2, "dead_min": 120, "taus_each_min": [40], "value_sd_read": 0.2, "sample_min": 120,
            "process_sd_read": 0.35, "process_correlation_min": 240, "before_count": 12, "report_min": 30,
        },
        {"tell_min": 270, "after_count": 2, "detectable_read": 1.09},
        1e-2,
    ),
    effect_expected_read=Arg("what it should do in the end"),
    dead_min=DEAD,
    taus_each_min=TAUS,
    value_sd_read=Arg("spread of one reading of the same", 0, above=True),
    sample_min=Arg("time between two readings", 0, 1e5, above=True),
    process_sd_read=Arg("what it wanders by of itself", 0, above=True),
    process_correlation_min=Arg("how long it stays off", 0, 1e6, above=True),
    before_count=Arg("readings before it", 2, 1000),
    report_min=Arg("until a reading is known", 0, 1e5),
    power_k_ratio=Arg("standard deviations an effect must stand out by", 0, 10, above=True),
    most_count=Arg("readings waited for at most", 1, 400),
)  # fmt: skip
def move_tell(
    *,
    effect_expected_read: float,
    dead_min: float,
    taus_each_min: Sequence[float],
    value_sd_read: float,
    sample_min: float,
    process_sd_read: float,
    process_correlation_min: float,
    before_count: float,
    report_min: float = 0.0,
    power_k_ratio: float = POWER,
    most_count: float = 40,
) -> Tell:
    """Return when, and after how many readings, what a move did can be told; what could be at the last of them."""
    before = -sample_min * np.arange(int(before_count) - 1, -1, -1.0)
    smallest = math.inf
    for count in range(1, int(most_count) + 1):
        times = np.concatenate([before, sample_min * np.arange(1, count + 1)])
        come = step_response(times, taus_each_min, dead_min)
        if come[-1] <= 0:
            continue
        apart = np.abs(times[:, None] - times[None, :])
        covariance = process_sd_read**2 * np.exp(-apart / process_correlation_min) + value_sd_read**2 * np.eye(
            len(times)
        )
        design = np.column_stack([np.ones(len(times)), come])
        spread = np.linalg.inv(design.T @ np.linalg.solve(covariance, design))
        smallest = power_k_ratio * math.sqrt(float(spread[1, 1]))
        if come[-1] >= TELLS_FROM and smallest <= abs(effect_expected_read):
            return Tell(sample_min * count + report_min, count, smallest)
    return Tell(0.0, 0.0, smallest if math.isfinite(smallest) else 0.0)


class Learned(NamedTuple):
    """A gain learned from moves: what a move does of what is computed, its band, what the next may do."""

    gain_ratio: float
    gain_sd_ratio: float
    low_ratio: float
    high_ratio: float
    between_sd_ratio: float
    next_sd_ratio: float
    moves_count: float
    ready_count: float


@method(
    "mean of did_each_ratio weighted by 1 / (sd**2 + between**2), pulled to 1 by prior_sd_ratio;"
    " between_sd_ratio by moments, at least 0.1; next_sd_ratio = sqrt(gain_sd_ratio**2 + between_sd_ratio**2)",
    title="Gain learned from moves",
    station="judge",
    source="random effects by moments, DerSimonian and Laird, Controlled Clin. Trials 7, 177 (1986), with a prior at 1",
    exact=False,
    results=Learned._fields,
    example=Example(
        {
            "did_each_ratio": [0.72, 0.85, 0.64, 0.91, 0.78, 0.70, 0.95],
            "did_sd_each_ratio": [0.15, 0.20, 0.12, 0.25, 0.18, 0.14, 0.30],
        },
        {"gain_ratio": 0.764, "low_ratio": 0.619, "high_ratio": 0.908, "next_sd_ratio": 0.124, "ready_count": 1},
        4e-3,
    ),
    did_each_ratio=Arg("what each move did, of what was expected", series=True, count=1),
    did_sd_each_ratio=Arg("how well that is known", 0, above=True, series=True, count=1),
    prior_sd_ratio=Arg("how far from 1 a gain may well be", 0, 10, above=True),
)
def learned_gain(
    *, did_each_ratio: Sequence[float], did_sd_each_ratio: Sequence[float], prior_sd_ratio: float = PRIOR_SD
) -> Learned:
    """Return the gain the mill's own moves teach; ready where there are five and it differs from 1 by more than its band.

    Raises
    ------
    DomainError
        E_COUNT where there are not as many of one as of the other.
    """
    did, sd = np.asarray(did_each_ratio, float), np.asarray(did_sd_each_ratio, float)
    if len(did) != len(sd):
        raise DomainError("E_COUNT", "did_sd_each_ratio", f"{len(did)} moves, {len(sd)} spreads", f"{len(did)}")
    weight = 1 / sd**2
    between2 = 0.0
    if len(did) > 1:
        mean = float((weight * did).sum() / weight.sum())
        excess = float((weight * (did - mean) ** 2).sum()) - (len(did) - 1)
        between2 = max(0.0, excess / float(weight.sum() - (weight**2).sum() / weight.sum()))
    between2 = max(between2, BETWEEN_FLOOR**2)
    own = 1 / (sd**2 + between2)
    precision = 1 / prior_sd_ratio**2 + float(own.sum())
    mean = (1 / prior_sd_ratio**2 + float((own * did).sum())) / precision
    mean_sd = 1 / math.sqrt(precision)
    half = COVERAGE * mean_sd
    ready = len(did) >= READY_COUNT and half <= READY_HALF and abs(mean - 1) > half
    return Learned(
        mean,
        mean_sd,
        mean - half,
        mean + half,
        math.sqrt(between2),
        math.sqrt(mean_sd**2 + between2),
        len(did),
        float(ready),
    )


class Returned(NamedTuple):
    """How far off a reading would still be untouched, and the share of it that returns by itself."""

    expected_deviation_read: float
    returned_frac: float


@method(
    "expected_deviation_read = deviation_read * process_sd_read**2 / (process_sd_read**2 + value_sd_read**2)"
    " * exp(-after_min / process_correlation_min)\n"
    "returned_frac = 1 - expected_deviation_read / deviation_read",
    title="What comes back by itself",
    station="judge",
    source="regression to the mean of a first-order autoregressive process read with an error",
    exact=False,
    results=Returned._fields,
    example=Example(
        {
            "deviation_read": -0.8,
            "value_sd_read": 0.2,
            "process_sd_read": 0.35,
            "process_correlation_min": 240,
            "after_min": 270,
        },
        {"expected_deviation_read": -0.196, "returned_frac": 0.755},
        4e-3,
    ),
    deviation_read=Arg("how far off it was read"),
    value_sd_read=Arg("spread of one reading of the same", 0),
    process_sd_read=Arg("what it wanders by of itself", 0, above=True),
    process_correlation_min=Arg("how long it stays off", 0, 1e6, above=True),
    after_min=Arg("how long after", 0, 1e6),
)
def natural_return(
    *,
    deviation_read: float,
    value_sd_read: float,
    process_sd_read: float,
    process_correlation_min: float,
    after_min: float,
) -> Returned:
    """Return what of a deviation is left if nobody does anything."""
    rho = process_sd_read**2 / (process_sd_read**2 + value_sd_read**2)
    left = rho * math.exp(-after_min / process_correlation_min)
    return Returned(deviation_read * left, 1 - left)
