"""Is the instrument right: signal health, and a transmitter against the laboratory."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from stock.consistency.dilution import same_length
from stock.working import Arg, Example, method

Health = Literal["missing", "out_of_range", "stale", "frozen", "spike", "ok"]


@dataclass(frozen=True, slots=True)
class Signal:
    """State of an instrument's signal, and why."""

    state: Health
    reason: str


def signal_health(
    *,
    times_s: Sequence[float],
    values: Sequence[float],
    now_s: float,
    span: tuple[float, float],
    expected_s: float,
    resolution: float,
    noise: float,
) -> Signal:
    """Judge a signal by its last readings, worst fault first.

    Parameters
    ----------
    times_s, values : sequence of float
        The last readings, oldest first; not finite where one failed.
    now_s : float
        The moment of judging, on the same clock.
    span : pair of float
        Range of the instrument.
    expected_s : float
        How often it sends.
    resolution, noise : float
        Smallest step and usual noise, in its unit.
    """
    if not values or any(not math.isfinite(value) for value in values):
        return Signal("missing", "a reading is missing")
    if not span[0] <= values[-1] <= span[1]:
        return Signal("out_of_range", f"{values[-1]:g} is outside the instrument's {span[0]:g} to {span[1]:g}")
    age_s = now_s - times_s[-1]
    if age_s > 3 * expected_s:
        return Signal("stale", f"no reading for {age_s / 60:.0f} min")
    if noise > 0 and len(values) >= 10 and max(values) - min(values) < max(resolution, 0.2 * noise):
        return Signal("frozen", f"the last {len(values)} readings do not move; its noise is {noise:g}")
    if noise > 0 and len(values) >= 2 and abs(values[-1] - values[-2]) > 8 * noise:
        return Signal("spike", f"it jumped by {abs(values[-1] - values[-2]):g}")
    return Signal("ok", "")


class TransmitterCheck(NamedTuple):
    """What paired samples say about a transmitter."""

    bias_pct: float
    half_width_pct: float
    pairs_count: int
    trim_pct: float


@method(
    "bias_pct = mean(transmitter_pct - lab_pct)\n"
    "half_width_pct = t(97.5 %, n - 1) * standard deviation of the differences / sqrt(n)\n"
    "trim_pct = -bias_pct where the bias exceeds both the tolerance and its half width, else 0",
    title="Transmitter against the laboratory",
    station="consistency",
    source="paired t-test; the decision rule is a house default",
    aliases=("transmitter_check",),
    exact=False,
    results=("bias_pct", "half_width_pct", "pairs_count", "trim_pct"),
    example=Example(
        {
            "transmitter_pct": [3.40, 3.52, 3.61, 3.38, 3.70, 3.45, 3.58, 3.66],
            "lab_pct": [3.33, 3.43, 3.56, 3.34, 3.61, 3.41, 3.48, 3.60],
            "tolerance_pct": 0.05,
        },
        {"bias_pct": 0.0675, "half_width_pct": 0.0199, "trim_pct": -0.0675},
        3e-3,
    ),
    transmitter_pct=Arg("transmitter, averaged over the sampling minute", 0, 100, series=True, count=5),
    lab_pct=Arg("laboratory, same moments", 0, 100, series=True, count=5),
    tolerance_pct=Arg("difference that matters", 0, 10, above=True),
)
def transmitter_bias(
    *, transmitter_pct: np.ndarray, lab_pct: np.ndarray, tolerance_pct: float = 0.05
) -> TransmitterCheck:
    """Return a transmitter's bias and the trim it deserves; five pairs or more, never one."""
    from scipy.stats import t

    same_length("lab_pct", transmitter_pct, lab_pct)
    difference = transmitter_pct - lab_pct
    n = len(difference)
    bias = float(difference.mean())
    half = float(t.ppf(0.975, n - 1) * difference.std(ddof=1) / math.sqrt(n))
    deserved = abs(bias) > tolerance_pct and abs(bias) > half
    return TransmitterCheck(bias, half, n, -bias if deserved else 0.0)
