"""Meters that should close: the smallest corrections by which they do, and whether one of them is wrong."""

from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, note, warn


class Reconciled(NamedTuple):
    """Flows that close, how far the meters were from it, and whether that can be chance."""

    flow_each_m3_per_h: list[float]
    imbalance_m3_per_h: float
    misfit_ratio: float
    limit_ratio: float
    worst_count: int


@method(
    "minimise sum(((x - measured) / deviation)**2) where what goes into each node leaves it\n"
    "x = m - V A' (A V A')^-1 A m; misfit = r' (A V A')^-1 r against chi-square at 95 %",
    title="Meters made to close",
    station="water",
    source="weighted least squares",
    notes="`node` +k is into node k, -k is out of it; a stream between two nodes has both. Beyond the limit nothing is spread: find the meter.",
    aliases=("reconcile_flows",),
    exact=False,
    results=Reconciled._fields,
    example=Example(
        {
            "meters": [
                {"flow_m3_per_h": 100, "deviation_m3_per_h": 4, "into_count": 1},
                {"flow_m3_per_h": 22, "deviation_m3_per_h": 2, "into_count": 1},
                {"flow_m3_per_h": 64, "deviation_m3_per_h": 3, "out_of_count": 1},
                {"flow_m3_per_h": 55, "deviation_m3_per_h": 3, "out_of_count": 1},
            ]
        },
        {"flow_each_m3_per_h": [98.74, 21.68, 64.71, 55.71], "misfit_ratio": 0.237, "limit_ratio": 3.84, "imbalance_m3_per_h": 3},
        2e-3,
    ),
    meters=Rows(
        "meters",
        {
            "flow_m3_per_h": Arg("flow read", 0, 1e6),
            "deviation_m3_per_h": Arg("its standard deviation", 0, 1e6, above=True),
            "into_count": Arg("node it goes into, 0 for outside", 0, 50),
            "out_of_count": Arg("node it comes out of, 0 for outside", 0, 50),
        },
        {"into_count": 0, "out_of_count": 0},
    ),
)  # fmt: skip
def reconciled(*, meters: list[dict[str, float]]) -> Reconciled:
    """Return the flows that close, and which meter stands out most."""
    from scipy.special import chdtri

    nodes = sorted({int(one[name]) for one in meters for name in ("into_count", "out_of_count")} - {0})
    if not nodes:
        raise DomainError("E_COUNT", "meters", "no meter is at any node, so nothing can close", "nodes counted from 1")
    incidence = np.zeros((len(nodes), len(meters)))
    for column, one in enumerate(meters):
        for name, sign in (("into_count", 1.0), ("out_of_count", -1.0)):
            if (node := int(one[name])) in nodes:
                incidence[nodes.index(node), column] += sign
    flows = np.array([one["flow_m3_per_h"] for one in meters])
    variance = np.array([one["deviation_m3_per_h"] for one in meters]) ** 2
    inner = incidence * variance @ incidence.T
    if np.linalg.matrix_rank(inner) < len(nodes):
        raise DomainError(
            "E_SINGULAR", "meters", "one node says what others say already, or has no meter", "nodes that differ"
        )
    gap = incidence @ flows
    weights = np.linalg.solve(inner, gap)
    moved = variance * (incidence.T @ weights)
    found = flows - moved
    misfit, limit = float(gap @ weights), float(chdtri(len(nodes), 0.05))
    spread = np.sqrt(
        np.maximum(variance**2 * np.einsum("ji,jk,ki->i", incidence, np.linalg.inv(inner), incidence), 1e-300)
    )
    worst = int(np.argmax(np.abs(moved) / spread)) + 1
    if misfit > limit:
        warn(
            f"they do not close by chance: misfit {misfit:.1f} against {limit:.2f}. Nothing is spread; look at meter {worst} first"
        )
    if (found < 0).any():
        warn("a flow would have to run backwards: one meter is far off")
    note("largest correction over its own deviation", float(np.max(np.abs(moved) / spread)))
    return Reconciled([float(one) for one in found], float(np.abs(gap).max()), misfit, limit, worst)
