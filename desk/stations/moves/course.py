"""What is expected of a move, as it is kept with it: by how much, when it begins, its lags, when to look, when all is there."""

from collections.abc import Sequence
from typing import Any


def course(
    effect: float, *, first_min: float, settled_min: float, dead_min: float = 0.0, taus_min: Sequence[float] = ()
) -> dict[str, Any]:
    """Return an expectation; without lags it comes evenly, as a level does."""
    return {
        "effect": effect, "dead_min": dead_min, "taus_min": list(taus_min), "first_min": first_min,
        "settled_min": settled_min,
    }  # fmt: skip


def said(effect: float, settled_min: float | None) -> dict[str, Any]:
    """Return what a person expects of a move of their own: all of it in so many minutes, ten where none are told."""
    minutes = settled_min or 10.0
    return course(
        effect, first_min=0.6 * minutes, settled_min=minutes, dead_min=0.1 * minutes, taus_min=[0.3 * minutes]
    )
