"""Screens or cleaners in cascade: what every stage is fed and what is lost, for each component at once.

Accepts and rejects of a stage go to another, to the accepts or out. Usual: rejects go on to the next stage,
accepts come back to the feed of the one before, the last rejects leave.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, warn

OUT: Final = -1.0  # accepts: of the system; rejects: lost
GOES_ROUND: Final = 1e9  # times what is fed: it has no way out


class Cascade(NamedTuple):
    """What a cascade comes to, for one component: kg/h fed to each stage, accepted, lost."""

    stage_feed_each_kg_per_h: np.ndarray
    accept_kg_per_h: float
    reject_kg_per_h: float
    overall_reject_frac: float
    closure_frac: float


def usual_routes(count: int) -> tuple[list[float], list[float]]:
    """Return where accepts and rejects go where nothing else is said."""
    accepts = [OUT, *(float(at - 1) for at in range(1, count))]
    rejects = [*(float(at + 1) for at in range(count - 1)), OUT]
    return accepts, rejects


def _routed(name: str, given: Sequence[float] | None, usual: list[float], count: int) -> np.ndarray:
    routes = np.asarray(usual if given is None else given, dtype=float)
    if len(routes) != count:
        raise DomainError("E_COUNT", name, f"{len(routes)} routes for {count} stages", f"{count}")
    bad = [at for at, one in enumerate(routes) if one != OUT and not (0 <= one < count and one == int(one))]
    if bad:
        message = f"stage {bad[0] + 1} goes to {routes[bad[0]]:g}: there is no such stage"
        raise DomainError("E_RANGE", f"{name}[{bad[0]}]", message, f"0 to {count - 1}, or -1 for out")
    return routes.astype(int)


def fed(rejected: np.ndarray, accept_to: np.ndarray, reject_to: np.ndarray, feed: np.ndarray) -> np.ndarray:
    """Return what every stage is fed, for each component at once.

    Parameters
    ----------
    rejected : ndarray
        Share each stage rejects, (components, stages), 0 to 1.
    accept_to, reject_to : ndarray of int
        Where each stage's accepts and rejects go; -1 for out.
    feed : ndarray
        What comes in from outside, (components, stages).

    Raises
    ------
    DomainError
        E_SINGULAR where a component has no way out.
    """
    components, count = rejected.shape
    matrix = np.zeros((components, count, count))
    every = np.arange(count)
    matrix[:, every, every] = 1.0
    for routes, shares in ((accept_to, 1 - rejected), (reject_to, rejected)):
        for stage, goes in enumerate(routes.tolist()):
            if goes >= 0:
                matrix[:, goes, stage] -= shares[:, stage]
    try:
        found: np.ndarray = np.linalg.solve(matrix, feed[:, :, None])[:, :, 0]
    except np.linalg.LinAlgError:
        found = np.full_like(feed, np.inf)
    most = GOES_ROUND * max(feed.ravel().tolist())
    if not all(-1e-6 <= one <= most for one in found.ravel().tolist()):
        raise DomainError("E_SINGULAR", "reject_each_frac", "something goes round and has no way out", "an exit")
    return found


@method(
    "fed to a stage = what comes from outside + accepts and rejects that other stages send it",
    title="A cascade with feed-back",
    station="screening",
    source="linear mass balance; two stages: r1 r2 / (1 - r1 (1 - r2))",
    exact=False,
    results=Cascade._fields,
    example=Example(
        {"reject_each_frac": [0.25, 0.30, 0.35], "feed_kg_per_h": 20_000},
        {
            "stage_feed_each_kg_per_h": [25555.6, 7936.5, 2381.0], "reject_kg_per_h": 833.3,
            "overall_reject_frac": 0.04167,
        },
    ),
    reject_each_frac=Arg("share each stage rejects", 0, 1, series=True, count=1),
    feed_kg_per_h=Arg("fed to the first stage", 0, 1e9, above=True),
    accept_to_each_count=Arg("stage each stage's accepts go to, counted from 0; -1 the accepts", -1, 99, series=True),
    reject_to_each_count=Arg("stage each stage's rejects go to, counted from 0; -1 out", -1, 99, series=True),
)  # fmt: skip
def cascade_balance(
    *,
    reject_each_frac: Sequence[float],
    feed_kg_per_h: float,
    accept_to_each_count: Sequence[float] | None = None,
    reject_to_each_count: Sequence[float] | None = None,
) -> Cascade:
    """Return what a cascade makes of one component.

    Raises
    ------
    DomainError
        E_COUNT for routes of other stages, E_RANGE for one to nowhere, E_SINGULAR where nothing gets out.
    """
    shares = np.asarray(reject_each_frac, dtype=float)
    count = len(shares)
    accepts, rejects = usual_routes(count)
    accept_to = _routed("accept_to_each_count", accept_to_each_count, accepts, count)
    reject_to = _routed("reject_to_each_count", reject_to_each_count, rejects, count)
    feed = np.zeros((1, count))
    feed[0, 0] = feed_kg_per_h
    found = fed(shares[None, :], accept_to, reject_to, feed)[0]
    accepted = float(((1 - shares) * found)[accept_to < 0].sum())
    lost = float((shares * found)[reject_to < 0].sum())
    closure = abs(feed_kg_per_h - accepted - lost) / feed_kg_per_h
    return Cascade(found, accepted, lost, lost / feed_kg_per_h, closure)


class Hydraulics(NamedTuple):
    """What a cascade of cleaners asks for: stock, flow, cleaners and make-up liquor of each stage."""

    stage_each_t_per_h: np.ndarray
    flow_each_l_per_min: np.ndarray
    cleaners_each_count: np.ndarray
    makeup_each_t_per_h: np.ndarray
    fibre_loss_frac: float
    final_consistency_pct: float


STAGES: Final = Rows(
    "stages, from the main stream",
    {
        "feed_consistency_pct": Arg("consistency of its feed", 0, 20, above=True),
        "mass_reject_frac": Arg("mass reject rate", 0, 1, above=True, below=True),
        "volumetric_reject_frac": Arg("reject rate by volume", 0, 1, above=True, below=True),
        "each_l_per_min": Arg("flow of one cleaner", 0, 1e5, above=True),
    },
)


@method(
    "flow_each_l_per_min = 1000 / 60 * 100 * stage_each_t_per_h / feed_consistency_pct\n"
    "cleaners_each_count = ceil(flow_each_l_per_min / each_l_per_min)\n"
    "makeup_each_t_per_h = its own flow - rejects of the stage before - accepts of the stage after",
    title="A cascade of cleaners: flows and how many",
    station="screening",
    source="linear mass balance",
    exact=False,
    results=Hydraulics._fields,
    example=Example(
        {
            "feed_od_t_per_h": 10,
            "stages": [
                {"feed_consistency_pct": c, "mass_reject_frac": m, "volumetric_reject_frac": v, "each_l_per_min": 400}
                for c, m, v in ((0.70, 0.20, 0.09), (0.60, 0.25, 0.10), (0.50, 0.30, 0.11))
            ],
        },
        {
            "stage_each_t_per_h": [12.222, 2.963, 0.741], "cleaners_each_count": [73, 21, 7],
            "fibre_loss_frac": 0.02222,
        },
    ),
    feed_od_t_per_h=Arg("bone-dry stock that comes in", 0, 1000, above=True),
    stages=STAGES,
)  # fmt: skip
def cascade_hydraulics(*, feed_od_t_per_h: float, stages: Sequence[Mapping[str, float]]) -> Hydraulics:
    """Return what a cascade of cleaners asks for.

    Raises
    ------
    DomainError
        E_COUNT for no stage, E_INFEASIBLE for a stage set thicker than its own inflows.
    """
    if not stages:
        raise DomainError("E_COUNT", "stages", "a cascade has at least one stage", "one or more")
    names = ("feed_consistency_pct", "mass_reject_frac", "volumetric_reject_frac", "each_l_per_min")
    thick, by_mass, by_volume, each = np.array([[one[name] for name in names] for one in stages], dtype=float).T
    balance = cascade_balance.method.bare(reject_each_frac=by_mass, feed_kg_per_h=1000 * feed_od_t_per_h)  # type: ignore[attr-defined]
    stock = balance.stage_feed_each_kg_per_h / 1000
    total = 100 * stock / thick
    came = np.zeros(len(stages))
    came[1:] += (by_volume * total)[:-1]
    came[:-1] += ((1 - by_volume) * total)[1:]
    makeup = total - came
    short = np.flatnonzero(makeup < -1e-9)
    if short.size:
        at = int(short[0])
        most = 100 * float(stock[at] / came[at])
        message = f"stage {at + 1} at {thick[at]:g} % is thicker than what comes to it"
        raise DomainError("E_INFEASIBLE", f"stages[{at}].feed_consistency_pct", message, f"{most:.2f} % or less")
    ratio = by_mass / by_volume
    if (ratio > 3).any():
        warn(f"a reject thickens {ratio.max():.1f} times; above 3 tips plug")
    flow = total * 1000 / 60
    cleaners = np.array([math.ceil(one - 1e-9) for one in flow / each], dtype=float)
    return Hydraulics(
        stock, flow, cleaners, makeup, balance.overall_reject_frac, float(thick[-1] * ratio[-1])
    )  # fmt: skip
