"""What every drawing needs: a scale from what is drawn to pixels, a line through points, round marks between two ends."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np


@dataclass(frozen=True, slots=True)
class Scale:
    """A straight scale: `low` is drawn at `from_px`, `high` at `to_px`. Takes numbers and arrays alike."""

    low: float
    high: float
    from_px: float
    to_px: float

    def __call__(self, value: Any) -> Any:
        """Return where a value is drawn, beyond the ends too."""
        return self.from_px + self.length(value - self.low)

    def length(self, value: Any) -> Any:
        """Return how many pixels a difference of values takes; negative where the scale runs upwards."""
        return (self.to_px - self.from_px) * value / (self.high - self.low)

    def held(self, value: float) -> float:
        """Return where a value is drawn, held between the ends."""
        first, last = sorted((self.from_px, self.to_px))
        return float(min(last, max(first, self(value))))


def padded(values: Iterable[float], share: float, from_px: float, to_px: float) -> Scale:
    """Return a scale over values with a share of their span left free at both ends."""
    held = list(values)
    low, high = min(held), max(held)
    pad = share * max(high - low, 1e-6)
    return Scale(low - pad, high + pad, from_px, to_px)


def line(xs: Iterable[float], ys: Iterable[float]) -> str:
    """Return the `points` of a polyline."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))


def round_marks(low: float, high: float) -> list[float]:
    """Return three to six round marks between two values."""
    span = max(high - low, 1e-9)
    step = 10.0 ** np.floor(np.log10(span / 3))
    step = next(float(step * by) for by in (1, 2, 5, 10) if span / (step * by) <= 6)
    first = float(np.ceil(low / step)) * step
    return [round(float(mark), 10) + 0.0 for mark in np.arange(first, high + 1e-9, step)]
