"""Whether judgement by hand goes with what is measured: ranks against ranks."""

import math
from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

ENOUGH: Final = 5


class Agreement(NamedTuple):
    """Rank correlation, its lower limit of nine in ten, and how many pairs it rests on."""

    rank_ratio: float
    low_ratio: float
    pairs_count: float


@method(
    "rank_ratio = correlation of the ranks, ties shared\n"
    "low_ratio = tanh(atanh(rank_ratio) - 1.645 * 1.03 / sqrt(pairs_count - 3))",
    title="Does the hand agree with the laboratory?",
    station="judge",
    source="Spearman (1904); limits after Fieller, Hartley and Pearson (1957)",
    exact=False,
    results=Agreement._fields,
    example=Example(
        {"judged_each_count": [1, 1.4, 2, 2.6, 3, 4], "found_each_read": [12, 14, 13, 19, 22, 30]},
        {"rank_ratio": 0.9429, "low_ratio": 0.654, "pairs_count": 6},
        5e-3,
    ),
    judged_each_count=Arg("marks given by hand", 0, 100, series=True, count=ENOUGH),
    found_each_read=Arg("what was measured beside them", series=True, count=ENOUGH),
)
def hand_agrees(*, judged_each_count: Sequence[float], found_each_read: Sequence[float]) -> Agreement:
    """Return how far hand and laboratory put things in the same order.

    Raises
    ------
    DomainError
        E_COUNT for lists of other lengths, E_SINGULAR where either never changed.
    """
    judged, found = (_ranks(np.asarray(one, dtype=float)) for one in (judged_each_count, found_each_read))
    if len(judged) != len(found):
        message = f"{len(judged)} marks and {len(found)} results"
        raise DomainError("E_COUNT", "found_each_read", message, "one for each mark")
    if judged.std() == 0 or found.std() == 0:
        raise DomainError("E_SINGULAR", "judged_each_count", "the marks, or the results, were all the same", "a spread")
    ratio = float(np.corrcoef(judged, found)[0, 1])
    held = min(max(ratio, -0.9999), 0.9999)
    low = math.tanh(math.atanh(held) - 1.645 * 1.03 / math.sqrt(len(judged) - 3))
    return Agreement(ratio, low, float(len(judged)))


def _ranks(values: np.ndarray) -> np.ndarray:
    """Return ranks, those alike sharing theirs."""
    order = np.argsort(values, kind="stable")
    ranks = np.empty(len(values))
    ranks[order] = np.arange(1, len(values) + 1)
    for value in np.unique(values):
        alike = values == value
        ranks[alike] = ranks[alike].mean()
    return ranks
