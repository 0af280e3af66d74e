"""The day's effluent against the permit: how much, how sure, what is left, what made it.

Every figure is a guide: the permit, its own basis and method, and the local code rule.
"""

import math
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn


class Day(NamedTuple):
    """A day's effluent."""

    volume_m3_per_d: float
    load_kg_per_d: float
    doubt_kg_per_d: float


@method(
    "volume_m3_per_d = 24 * sum(flow_each_m3_per_h)\n"
    "load_kg_per_d = 24 * sum(flow_each_m3_per_h * conc_each_kg_per_m3)\n"
    "doubt_kg_per_d = 24 * sqrt(sum((flow_each_m3_per_h * conc_each_kg_per_m3)**2)) * sqrt(flow_doubt_frac**2 + conc_doubt_frac**2)",
    title="The day's effluent",
    station="water",
    source="sum over streams of flow-weighted composites; the permit's own basis and method rule",
    results=Day._fields,
    example=Example(
        {"flow_each_m3_per_h": [210, 95, 40], "conc_each_kg_per_m3": [0.95, 2.6, 0.35]},
        {"volume_m3_per_d": 8280, "load_kg_per_d": 11052, "doubt_kg_per_d": 596},
        5e-3,
    ),
    flow_each_m3_per_h=Arg("streams to the drain", 0, 1e5, series=True),
    conc_each_kg_per_m3=Arg("what each holds", 0, 500, series=True),
    flow_doubt_frac=Arg("standard deviation of a flow", 0, 1),
    conc_doubt_frac=Arg("standard deviation of a test", 0, 1),
)
def effluent_day(
    *,
    flow_each_m3_per_h: np.ndarray,
    conc_each_kg_per_m3: np.ndarray,
    flow_doubt_frac: float = 0.05,
    conc_doubt_frac: float = 0.06,
) -> Day:
    """Return what a day sends to the drain."""
    if len(flow_each_m3_per_h) != len(conc_each_kg_per_m3):
        raise DomainError("E_COUNT", "conc_each_kg_per_m3", "one for each stream", f"{len(flow_each_m3_per_h)} numbers")
    each = 24 * np.asarray(flow_each_m3_per_h, float) * np.asarray(conc_each_kg_per_m3, float)
    doubt = math.sqrt(float((each**2).sum()) * (flow_doubt_frac**2 + conc_doubt_frac**2))
    return Day(24 * float(np.sum(flow_each_m3_per_h)), float(each.sum()), doubt)


@method(
    "left_t_per_d = (days_count * limit_t_per_d - so_far_t) / (days_count - day_count)",
    title="What the permit leaves a day",
    station="water",
    source="the month's sum; the permit's own rule goes before it",
    aliases=("permit_left_per_day",),
    exact=False,
    results=("left_t_per_d",),
    example=Example({"limit_t_per_d": 12, "days_count": 30, "day_count": 18, "so_far_t": 225}, {"left_t_per_d": 11.25}),
    limit_t_per_d=Arg("limit, mean of the month", 0, 1e5, above=True),
    days_count=Arg("days of the month", 1, 31),
    day_count=Arg("days gone", 0, 31),
    so_far_t=Arg("load so far", 0, 1e6),
)
def permit_left(*, limit_t_per_d: float, days_count: float, day_count: float, so_far_t: float) -> float:
    """Return what each day that is left may send."""
    if day_count >= days_count:
        raise DomainError("E_SINGULAR", "day_count", "the month is over", f"less than {days_count:g}")
    found = (days_count * limit_t_per_d - so_far_t) / (days_count - day_count)
    if found < 0:
        warn("the month is over its figure: tell the effluent plant and who holds the permit, today")
    return found
