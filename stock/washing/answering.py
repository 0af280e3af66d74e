"""How slowly washers answer: one by itself, and a line of them, with what their vats and tanks hold."""

from collections.abc import Mapping, Sequence
from typing import Any, Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.washing.line import (
    CLEAN,
    CONC,
    DRUMS,
    FACTOR,
    FEED,
    STAGES,
    Coefficients,
    coefficients,
    mats_of,
    rates_of,
    rest_of,
)  # fmt: skip
from stock.working import Arg, Choice, Example, method

SHARES: Final = (0.50, 0.63, 0.95)
STEPS: Final = 4000
LEAPS: Final = 14  # 2**14 steps, four times as far as a change takes to come


@method(
    "tau_min = ((L_vat + dilution_factor_t_per_bdt) * tank_min + L_vat * vat_min)"
    " / (L_feed + dilution_factor_t_per_bdt + (1 - displacement_ratio) * L_mat)",
    title="How slowly a washer answers",
    station="washing",
    source="the drum's own balance with what it holds, as one mixed volume",
    aliases=("washer_time_constant_min",),
    exact=False,
    results=("tau_min",),
    example=Example(
        {
            "feed_consistency_pct": 10, "vat_consistency_pct": 1.2, "discharge_consistency_pct": 12,
            "dilution_factor_t_per_bdt": 2.5, "displacement_ratio": 0.80, "tank_min": 5, "vat_min": 1,
        },
        {"tau_min": 39},
        0.02,
    ),
    feed_consistency_pct=FEED,
    vat_consistency_pct=Arg("consistency in the vat", 0, 100, above=True, below=True),
    discharge_consistency_pct=Arg("consistency of the mat", 0, 100, above=True, below=True),
    dilution_factor_t_per_bdt=FACTOR,
    displacement_ratio=Arg("displacement", 0, 1),
    tank_min=Arg("time in the filtrate tank on its own flow", 0, 600),
    vat_min=Arg("time in the vat on its own flow", 0, 600),
)  # fmt: skip
def washer_tau(
    *,
    feed_consistency_pct: float,
    vat_consistency_pct: float,
    discharge_consistency_pct: float,
    dilution_factor_t_per_bdt: float,
    displacement_ratio: float,
    tank_min: float,
    vat_min: float,
) -> float:
    """Return the time constant of one washer: far longer than V/Q, for the loop through the vat carries the most."""
    l0, lv, ld = ((100 - one) / one for one in (feed_consistency_pct, vat_consistency_pct, discharge_consistency_pct))
    df = dilution_factor_t_per_bdt
    return ((lv + df) * tank_min + lv * vat_min) / (l0 + df + (1 - displacement_ratio) * ld)


class Answered(NamedTuple):
    """When half, 63 % and 95 % of a change have come."""

    half_min: float
    t63_min: float
    t95_min: float


@method(
    "vat and tank of each drum two mixed volumes, as large as at the flows before; integrated after one change",
    title="How slowly a line of washers answers",
    station="washing",
    source="the line's balance with what its vats and tanks hold",
    aliases=("washing_line_step",),
    exact=False,
    results=Answered._fields,
    example=Example(
        {
            "stages": DRUMS, "feed_consistency_pct": 10, "feed_conc_kg_per_t": 150, "dilution_factor_t_per_bdt": 2.5,
            "changed_word": "dilution factor", "to_read": 3.0, "tank_min": 5, "vat_min": 1, "of_word": "mat",
        },
        {"half_min": 132, "t63_min": 182, "t95_min": 517},
        0.04,
    ),
    stages=STAGES,
    feed_consistency_pct=FEED,
    feed_conc_kg_per_t=CONC,
    dilution_factor_t_per_bdt=FACTOR,
    wash_conc_kg_per_t=CLEAN,
    changed_word=Choice("what changes", ("dilution factor", "feed", "wash liquor")),
    to_read=Arg("what it changes to, in its own unit", -20, 1000),
    tank_min=Arg("time in each filtrate tank on its own flow", 0, 600, above=True),
    vat_min=Arg("time in each vat on its own flow", 0, 600, above=True),
    of_word=Choice("where it is looked at", ("mat", "strong liquor")),
)  # fmt: skip
def line_answers(
    *,
    stages: Sequence[Mapping[str, float]],
    feed_consistency_pct: float,
    feed_conc_kg_per_t: float,
    dilution_factor_t_per_bdt: float,
    changed_word: str,
    to_read: float,
    tank_min: float,
    vat_min: float,
    of_word: str = "mat",
    wash_conc_kg_per_t: float = 0.0,
) -> Answered:
    """Return when a change has come to the last mat, or to the strong liquor.

    Raises
    ------
    DomainError
        As `washed_line`; E_RANGE for a change to what it is already.
    """
    old = {"dilution factor": dilution_factor_t_per_bdt, "feed": feed_conc_kg_per_t, "wash liquor": wash_conc_kg_per_t}
    if to_read == old[changed_word]:
        raise DomainError("E_RANGE", "to_read", f"the {changed_word} is {to_read:g} already", "another value")
    new = {**old, changed_word: to_read}
    before = coefficients(stages, feed_consistency_pct, dilution_factor_t_per_bdt)
    after = coefficients(stages, feed_consistency_pct, new["dilution factor"])
    held = np.empty(2 * len(before.l_out))
    held[0::2] = before.l_vat * vat_min
    held[1::2] = (before.l_vat + before.factor) * tank_min
    start = rest_of(before, old["feed"], old["wash liquor"])
    rates, fed = rates_of(after, new["feed"], new["wash liquor"])
    rates, fed = rates / held[:, None], fed / held
    end = -np.linalg.solve(rates, fed)
    return _times(after, rates, start, end, new, of_word)


def _times(
    line: Coefficients, rates: np.ndarray, start: np.ndarray, end: np.ndarray, new: Mapping[str, Any], of: str
) -> Answered:
    """Return when shares of the change have come, by the step's own matrix, halved until it is fine enough."""
    mats, _ = mats_of(line, new["feed"], new["wash liquor"])
    row = mats[-1] if of == "mat" else np.eye(len(start))[1]
    whole = float(row @ (end - start))
    slowest = 1 / max(float(np.abs(np.linalg.eigvals(rates).real).min()), 1e-9)
    step_min = 6 * slowest / STEPS
    once = np.linalg.solve(np.eye(len(start)) - 0.5 * step_min * rates, np.eye(len(start)) + 0.5 * step_min * rates)
    leaps = [
        once
    ]  # one step, two, four and so on: a change only comes nearer, so the last step before it is found by halves
    for _ in range(LEAPS - 1):
        leaps.append(leaps[-1] @ leaps[-1])
    times = []
    for share in SHARES:
        off, passed = start - end, 0
        for power in range(LEAPS - 1, -1, -1):
            after = leaps[power] @ off
            come = 1 + float(row @ after) / whole if abs(whole) > 1e-12 else 1.0
            if come < share:
                off, passed = after, passed + 2**power
        times.append((passed + 1) * step_min)
    return Answered(*times)
