"""How long a change takes to arrive: a chain of mixed vessels and plugs, by bone-dry mass and by the clock."""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, warn

TAUS = Arg("mean time in each mixed vessel", 0, 1e5, series=True, count=0)
SHOWN = (0.05, 0.50, 0.95)
APART = 1e4  # the largest weight of a vessel's own decay, up to which their sum is good to 1e-11


def step_response(times: np.ndarray, taus: Sequence[float], dead: float) -> np.ndarray:
    """Return the share of a step that has come through mixed vessels and a plug, in one unit of time or mass."""
    at = np.asarray(times, dtype=float)
    known = np.array([float(tau) for tau in taus if tau > 0])
    if not known.size:
        return np.where(at >= dead, 1.0, 0.0)
    return mixed_response(known)(np.maximum(at - dead, 0.0))


def mixed_response(taus: np.ndarray) -> Callable[[np.ndarray], np.ndarray]:
    """Return what gives the share of a step that has come through mixed vessels, by the times since it began.

    By the partial fractions of the chain where its vessels differ, by the matrix exponential where some are alike.
    """
    if taus.size == 1:
        return lambda through: np.asarray(-np.expm1(-through / taus[0]))
    apart = np.subtract.outer(taus, taus)
    np.fill_diagonal(apart, taus)
    weights = np.prod(taus[:, None] / apart, axis=1) if apart.all() else np.array([math.inf])
    if np.abs(weights).max() <= APART:
        return lambda through: np.asarray(np.maximum(1 - np.exp(-through[:, None] / taus) @ weights, 0.0))
    from scipy.linalg import expm

    size = taus.size
    matrix = np.zeros((size + 1, size + 1))
    for index, tau in enumerate(taus):
        matrix[index, index] = -1 / tau
        matrix[index, index - 1 if index else size] = 1 / tau
    return lambda through: np.array([float(expm(matrix * one)[size - 1, size]) for one in through])


@method(
    "come_frac = 0 before dead_h; then the response of mixed vessels in a row to a step, at time_h - dead_h",
    title="Share of a change that has arrived",
    station="plan",
    source="residence-time theory; vessels mixed, pipes and towers' upper zones plug; by partial fractions or matrix exponential",
    exact=False,
    results=("come_frac",),
    example=Example(
        {"time_h": 8.1089, "taus_each_h": [30 / 9.5, 40 / 9.5, 12 / 9.5], "dead_h": 6 / 9.5}, {"come_frac": 0.5}, 1e-3
    ),
    time_h=Arg("since the change", 0, 1e5),
    taus_each_h=TAUS,
    dead_h=Arg("time in pipes and plugs", 0, 1e5),
)
def chain_step(*, time_h: float, taus_each_h: Sequence[float], dead_h: float = 0.0) -> float:
    """Return the share of a step that has come through a chain."""
    return float(step_response(np.array([time_h]), taus_each_h, dead_h)[0])


@method(
    "chain_step(time_h) = come_frac",
    title="When a share of a change has arrived",
    station="plan",
    source="inverse of the step response",
    exact=False,
    results=("time_h",),
    example=Example(
        {"come_frac": 0.95, "taus_each_h": [30 / 9.5, 40 / 9.5, 12 / 9.5], "dead_h": 6 / 9.5}, {"time_h": 19.677}, 1e-3
    ),
    come_frac=Arg("share of it", 0, 1, above=True, below=True),
    taus_each_h=TAUS,
    dead_h=Arg("time in pipes and plugs", 0, 1e5),
)
def chain_time(*, come_frac: float, taus_each_h: Sequence[float], dead_h: float = 0.0) -> float:
    """Return the time until a share of a step has come through a chain."""
    if come_frac > 0.999:
        warn("beyond 99.9 % the tail of a real vessel is longer than this")
    return _times([come_frac], taus_each_h, dead_h)[0]


def _times(shares: Sequence[float], taus: Sequence[float], dead: float) -> list[float]:
    """Return when each of some shares has come, in the unit of the times or masses given."""
    known = np.array([float(tau) for tau in taus if tau > 0])
    if not known.size:
        return [dead] * len(shares)
    from scipy.optimize import brentq

    come, most = mixed_response(known), 40 * float(known.sum())

    def lacks(time: float, share: float) -> float:
        return float(come(np.array([time]))[0]) - share

    return [dead + float(brentq(lacks, 0.0, most, args=(share,))) for share in shares]


class Arrival(NamedTuple):
    """When a change starts to show, when half of it is there, when nearly all."""

    start_h: float
    half_h: float
    nearly_h: float


@method(
    "step response of taus_each_bdt after plug_bdt, over the bone-dry mass drawn since; then back to the clock by the rates",
    title="When a change arrives",
    station="plan",
    source="residence-time theory with mass for time: exact while contents hold and one rate runs through all",
    exact=False,
    results=Arrival._fields,
    example=Example(
        {
            "segments": [{"from_h": 0, "draw_bdt_per_h": 9.5}, {"from_h": 3, "draw_bdt_per_h": 6.0}],
            "taus_each_bdt": [30, 40, 12],
            "plug_bdt": 6,
        },
        {"start_h": 2.788, "half_h": 11.089, "nearly_h": 29.406},
        1e-3,
    ),
    segments=Rows(
        "rates ahead, the last goes on",
        {"from_h": Arg("from when", 0, 1000), "draw_bdt_per_h": Arg("drawn", 0, 1e5)},
    ),
    taus_each_bdt=Arg("content of each mixed vessel on the way", 0, 1e6, series=True, count=0),
    plug_bdt=Arg("content of pipes and plugs on the way", 0, 1e6),
)
def arrival_h(*, segments: list[dict[str, float]], taus_each_bdt: Sequence[float], plug_bdt: float = 0.0) -> Arrival:
    """Return when a change starts to show, when half and when nearly all of it is there: 5, 50, 95 %.

    Raises
    ------
    DomainError
        E_ORDER for rates out of order, E_INFEASIBLE where nothing is drawn for good before it arrives.
    """
    starts = [segment["from_h"] for segment in segments]
    if not segments or starts[0] != 0 or any(later <= earlier for earlier, later in pairwise(starts)):
        raise DomainError("E_ORDER", "segments", "the rates begin at 0 h and follow each other", "rising hours from 0")
    return Arrival(*(_clock(mass, segments) for mass in _times(SHOWN, taus_each_bdt, plug_bdt)))


def _clock(mass_bdt: float, segments: list[dict[str, float]]) -> float:
    """Return the hour by which so much has been drawn."""
    drawn = 0.0
    for index, segment in enumerate(segments):
        rate = segment["draw_bdt_per_h"]
        end = segments[index + 1]["from_h"] if index + 1 < len(segments) else math.inf
        span = end - segment["from_h"]
        if rate > 0 and drawn + rate * span >= mass_bdt:
            return segment["from_h"] + (mass_bdt - drawn) / rate
        if math.isinf(end):
            message = "nothing is drawn any more before it arrives"
            raise DomainError("E_INFEASIBLE", "segments", message, "a draw above 0 at the end")
        drawn += rate * span
    return math.inf
