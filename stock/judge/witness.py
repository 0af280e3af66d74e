"""Two witnesses of one value: an instrument against the laboratory, by pairs taken at the same moment."""

import math
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.consistency.dilution import same_length
from stock.working import Arg, Example, method

Decision = Literal["investigate", "span", "offset", "leave", "more_samples"]
LEAST_PAIRS: Final = 5
_SLOPE_KNOWN: Final = 0.10  # a slope less well known than this is no ground for a span correction
_SCATTER: Final = 0.99  # probability that honest pairs scatter less


class PairsCheck(NamedTuple):
    """What paired samples say about an instrument, in its own unit."""

    bias_read: float
    sd_read: float
    half_width_read: float
    slope_ratio: float | None
    slope_low_ratio: float | None
    slope_high_ratio: float | None
    intercept_read: float | None
    pairs_count: int
    pairs_needed_count: int
    trim_read: float
    decision_word: Decision


_EQUATION = (
    "bias = mean(instrument - lab); half_width = t(97.5 %, n - 1) * sd / sqrt(n); lab = intercept + slope * instrument\n"
    "investigate where (n - 2) * residual sd**2 / pair_sd**2 is beyond chance (99 %)\n"
    "span where the slope is known to 0.10, is not 1, and matters over the range seen\n"
    "offset where the bias is over the tolerance and over its half width: trim = -bias\n"
    "leave where both are within the tolerance, else more_samples"
)
_SOURCE = "paired t-test and least squares; the order of decisions is a house default"
_TRANSMITTER = [3.40, 3.52, 3.61, 3.38, 3.70, 3.45, 3.58, 3.66]
_LAB = [3.33, 3.43, 3.56, 3.34, 3.61, 3.41, 3.48, 3.60]


def judge_pairs(instrument: np.ndarray, lab: np.ndarray, pair_sd: float, tolerance: float) -> PairsCheck:
    """Return what pairs say, in any unit: arrays of one length, at least `LEAST_PAIRS`."""
    from scipy.special import chdtri, stdtrit

    difference = instrument - lab
    n = len(difference)
    bias, sd = float(difference.mean()), float(difference.std(ddof=1))
    half = float(stdtrit(n - 1, 0.975)) * sd / math.sqrt(n)
    needed = max(LEAST_PAIRS, math.ceil((2 * sd / tolerance) ** 2))
    centred = instrument - instrument.mean()
    spread = float(centred @ centred)
    slope = low = high = intercept = None
    scatter_sd, freedom, error = sd, n - 1, math.inf
    if spread > 1e-12:
        slope = float(centred @ lab) / spread
        intercept = float(lab.mean() - slope * instrument.mean())
        residuals = lab - intercept - slope * instrument
        scatter_sd, freedom = math.sqrt(float(residuals @ residuals) / (n - 2)), n - 2
        error = scatter_sd / math.sqrt(spread)
        reach = float(stdtrit(n - 2, 0.975)) * error
        low, high = slope - reach, slope + reach
    decision: Decision
    if freedom * scatter_sd**2 / pair_sd**2 > float(chdtri(freedom, 1 - _SCATTER)):
        decision = "investigate"
    elif _is_span(slope, low, high, error, float(np.ptp(instrument)) / 2, tolerance):
        decision = "span"
    elif abs(bias) > tolerance and abs(bias) > half:
        decision = "offset"
    elif abs(bias) <= tolerance and half <= tolerance:
        decision = "leave"
    else:
        decision = "more_samples"
    trim = -bias if decision == "offset" else 0.0
    return PairsCheck(bias, sd, half, slope, low, high, intercept, n, needed, trim, decision)


def _is_span(
    slope: float | None, low: float | None, high: float | None, error: float, reach: float, tolerance: float
) -> bool:
    """Say whether the slope is known, is not 1, and matters over half of the range seen."""
    if slope is None or low is None or high is None or error > _SLOPE_KNOWN:
        return False
    return not low <= 1 <= high and abs(slope - 1) * reach > tolerance


@method(
    _EQUATION,
    title="Instrument against the laboratory",
    station="judge",
    source=_SOURCE,
    exact=False,
    results=PairsCheck._fields,
    example=Example(
        {"instrument_each_read": _TRANSMITTER, "lab_each_read": _LAB, "pair_sd_read": 0.035, "tolerance_read": 0.05},
        {"bias_read": 0.0675, "half_width_read": 0.0199, "slope_ratio": 0.912, "trim_read": -0.0675},
        3e-3,
    ),
    instrument_each_read=Arg("the instrument, averaged over the sampling minute", series=True, count=LEAST_PAIRS),
    lab_each_read=Arg("the laboratory, same moments", series=True, count=LEAST_PAIRS),
    pair_sd_read=Arg("scatter of honest pairs: laboratory, sampling and the minute together", 0, above=True),
    tolerance_read=Arg("difference that matters", 0, above=True),
)
def pairs_check(
    *, instrument_each_read: np.ndarray, lab_each_read: np.ndarray, pair_sd_read: float, tolerance_read: float
) -> PairsCheck:
    """Return what pairs say about an instrument, in its own unit; never by fewer than five."""
    same_length("lab_each_read", instrument_each_read, lab_each_read)
    return judge_pairs(instrument_each_read, lab_each_read, pair_sd_read, tolerance_read)


class TransmitterCheck(NamedTuple):
    """What paired samples say about a consistency transmitter."""

    bias_pct: float
    sd_pct: float
    half_width_pct: float
    slope_ratio: float | None
    slope_low_ratio: float | None
    slope_high_ratio: float | None
    intercept_pct: float | None
    pairs_count: int
    pairs_needed_count: int
    trim_pct: float
    decision_word: Decision


@method(
    _EQUATION,
    title="Transmitter against the laboratory",
    station="consistency",
    source=_SOURCE,
    aliases=("transmitter_check",),
    exact=False,
    results=TransmitterCheck._fields,
    example=Example(
        {"transmitter_pct": _TRANSMITTER, "lab_pct": _LAB, "pair_sd_pct": 0.035, "tolerance_pct": 0.05},
        {"bias_pct": 0.0675, "half_width_pct": 0.0199, "slope_ratio": 0.912, "trim_pct": -0.0675},
        3e-3,
    ),
    transmitter_pct=Arg("transmitter, averaged over the sampling minute", 0, 100, series=True, count=LEAST_PAIRS),
    lab_pct=Arg("laboratory, same moments", 0, 100, series=True, count=LEAST_PAIRS),
    pair_sd_pct=Arg("scatter of honest pairs: laboratory, sampling and the minute together", 0, 10, above=True),
    tolerance_pct=Arg("difference that matters", 0, 10, above=True),
)
def transmitter_bias(
    *, transmitter_pct: np.ndarray, lab_pct: np.ndarray, pair_sd_pct: float = 0.045, tolerance_pct: float = 0.05
) -> TransmitterCheck:
    """Return what pairs say about a transmitter and the trim it deserves; five pairs or more, never one."""
    same_length("lab_pct", transmitter_pct, lab_pct)
    return TransmitterCheck(*judge_pairs(transmitter_pct, lab_pct, pair_sd_pct, tolerance_pct))


@method(
    "value_read = instrument_read - bias_read",
    title="Reading less its bias",
    station="judge",
    source="definition; the bias is that of the pairs since the last trim",
    example=Example({"instrument_read": 3.64, "bias_read": 0.09}, {"value_read": 3.55}),
    instrument_read=Arg("what the instrument reads"),
    bias_read=Arg("by how much it reads too high"),
)
def less_bias(*, instrument_read: float, bias_read: float) -> float:
    """Return what a reading stands for once the bias its pairs showed is taken off."""
    return instrument_read - bias_read
