"""Whose pulp is where: the share of each batch in what a place down its way holds now."""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.plan.chain import TAUS, step_response
from stock.working import Arg, Example, Rows, method


class Whence(NamedTuple):
    """The share of each batch, in the order given, and of all that was there before the first of them."""

    shares_frac: list[float]
    before_frac: float


@method(
    "after a blow the tank is bdt / held_bdt of it, and (1 - bdt / held_bdt) of what it was\n"
    "shares_frac = sum over the spans between blows of the tank's shares then, times what of that span has come and"
    " not gone on: F(since its begin) - F(since its end)\n"
    "F(t) = step response of taus_each_h after dead_h",
    title="Whose pulp is at a place",
    station="plan",
    source="residence-time theory; between blows what is drawn changes how much the tank holds, not whose it is",
    exact=False,
    results=Whence._fields,
    example=Example(
        {
            "blows": [
                {"ago_h": 6.0, "bdt": 9.0, "held_bdt": 30.0},
                {"ago_h": 3.0, "bdt": 9.0, "held_bdt": 30.0},
                {"ago_h": 1.0, "bdt": 9.0, "held_bdt": 30.0},
            ],
            "taus_each_h": [2.0],
            "dead_h": 0.5,
        },
        {"shares_frac": [0.2027, 0.1941, 0.0664], "before_frac": 0.5368},
        2e-3,
    ),
    blows=Rows(
        "batches blown into the tank, the oldest first",
        {
            "ago_h": Arg("how long ago", 0, 1e4),
            "bdt": Arg("pulp it brought", 0, 1e5),
            "held_bdt": Arg("what the tank held just after", 0, 1e6, above=True),
        },
    ),
    taus_each_h=TAUS,
    dead_h=Arg("time in pipes and plugs", 0, 1e5),
)
def origin_shares(*, blows: list[dict[str, float]], taus_each_h: Sequence[float], dead_h: float = 0.0) -> Whence:
    """Return the share of each batch in what is at a place now.

    Raises
    ------
    DomainError
        E_ORDER for blows that are not the oldest first, E_RANGE for one that brought more than the tank held after it.
    """
    ages = [one["ago_h"] for one in blows]
    if any(later > earlier for earlier, later in pairwise(ages)):
        raise DomainError("E_ORDER", "blows", "the blows are not the oldest first", "falling hours")
    if any(one["bdt"] > one["held_bdt"] * (1 + 1e-9) for one in blows):
        raise DomainError("E_RANGE", "held_bdt", "a blow brought more than the tank held after it", "no less than bdt")
    begun = step_response(np.array(ages), taus_each_h, dead_h)
    come = np.maximum(begun - np.append(begun[1:], 0.0), 0.0)  # of each span between blows, the last until now
    in_tank, shares = np.zeros(len(blows)), np.zeros(len(blows))
    for index, one in enumerate(blows):
        fresh = min(one["bdt"] / one["held_bdt"], 1.0)
        in_tank *= 1 - fresh
        in_tank[index] = fresh
        shares += come[index] * in_tank
    found = [float(one) for one in shares]
    return Whence(found, max(1.0 - math.fsum(found), 0.0))


def held_after(blows: Sequence[tuple[float, float]], now_bdt: float, draw_bdt_per_h: float) -> list[float]:
    """Return what a tank held just after each blow, by what it holds now and what is drawn, BDt; no less than the blow.

    `blows` are (hours ago, BDt), the oldest first.
    """
    found = []
    for index, (ago_h, bdt) in enumerate(blows):
        since = math.fsum(later for _, later in blows[index + 1 :])
        found.append(max(now_bdt + draw_bdt_per_h * ago_h - since, bdt))
    return found
