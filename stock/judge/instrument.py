"""Is the instrument alive: its signal judged by its last readings."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

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
