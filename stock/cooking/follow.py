"""Following one batch cook: where it stands, when it ends, what kappa it will have.

Times are minutes since the cook was started; the caller knows the clock.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from stock.cooking.end_point import h_curve
from stock.figure import Datum, Figure, Origin, figure
from stock.line.definition import CookPlan

Phase = Literal["filling", "liquor", "heating", "at temperature", "past its end", "blown"]


@dataclass(frozen=True, slots=True)
class CookFacts:
    """What is known of a running cook, each number with its origin."""

    plan: CookPlan
    now_min: float
    times_min: np.ndarray
    temperatures_c: np.ndarray
    charge: Datum
    kappa_target: Datum
    temperature: Datum
    readings: Origin
    blown: bool = False


@dataclass(frozen=True, slots=True)
class CookState:
    """Where a cook stands."""

    phase: Phase
    h_now: Figure
    h_target: Figure
    minutes_left: Figure | None
    blow_min: float
    kappa: Figure
    kappa_half: float
    yield_pct: Figure
    behind_h: float
    correction: Figure | None


def planned_profile(plan: CookPlan, hold_min: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (minutes, °C) of the planned temperature, hold included."""
    start = plan.fill_min + plan.liquor_min
    times = np.array([0.0, start, start + plan.ramp_min, start + plan.ramp_min + hold_min])
    return times, np.array([plan.start_c, plan.start_c, plan.cook_c, plan.cook_c])


def _set(plan: CookPlan, name: str) -> Datum:
    return Datum(getattr(plan, name), Origin("set", f"cook plan {plan.name}"))


def fitted(plan: CookPlan) -> dict[str, Datum]:
    """Return the mill's own kappa relation as sourced arguments."""
    origin = Origin("set", f"kappa relation of {plan.name}")
    return {name: Datum(getattr(plan, name), origin) for name in ("alpha", "beta", "n")}


def target_h(facts: CookFacts) -> Figure:
    """Return the H-factor to blow at, for the alkali this cook actually got."""
    alkali = figure("charge_as_na2o", "charge as Na2O", {"charge_pct_naoh_on_wood": facts.charge}, decimals=2)
    return figure(
        "h_for_kappa",
        "H at the blow",
        {
            "kappa_target_kappa": facts.kappa_target,
            "effective_alkali_pct_na2o": alkali.as_datum(),
            **fitted(facts.plan),
        },
        decimals=0,
    )


def follow(facts: CookFacts) -> CookState:
    """Return where the cook stands, from its temperature record and its plan."""
    plan = facts.plan
    record = {
        "times_min": Datum(facts.times_min, facts.readings),
        "temperatures_c": Datum(facts.temperatures_c, facts.readings),
    }
    h_now = figure("h_factor", "H so far", record, decimals=0)
    h_target = target_h(facts)
    heat_from = plan.fill_min + plan.liquor_min
    at_temperature = heat_from + plan.ramp_min
    tail = _set(plan, "tail_h")
    behind = planned_h(plan, facts.now_min) - h_now.value
    left, blow_min = _time_left(facts, h_now, h_target, tail, at_temperature)
    phase = _phase(facts, left, heat_from, at_temperature)
    at_blow = max(h_target.value, h_now.value + plan.tail_h)
    arriving = Datum(at_blow, Origin("computed", "H so far plus what is still to come, tail included"))
    alkali = figure("charge_as_na2o", "charge as Na2O", {"charge_pct_naoh_on_wood": facts.charge}, decimals=2)
    kappa = figure(
        "kappa_hatton",
        "kappa at the blow",
        {"h_factor": arriving, "effective_alkali_pct_na2o": alkali.as_datum(), **fitted(plan)},
    )
    yield_pct = figure(
        "yield_from_kappa",
        "yield",
        {
            "kappa": kappa.as_datum(),
            "reference_yield_pct": _set(plan, "reference_yield_pct"),
            "reference_kappa": _set(plan, "reference_kappa"),
            "slope_pct": _set(plan, "slope_pct"),
        },
    )
    correction = None
    if phase in ("heating", "at temperature") and abs(behind) > 5:
        missed = Datum(behind, Origin("computed", "H planned by now less H so far"))
        correction = figure(
            "extra_min", "hold longer by", {"h_deficit": missed, "set_c": _set(plan, "cook_c")}, decimals=0
        )
    return CookState(phase, h_now, h_target, left, blow_min, kappa, 2 * plan.kappa_sd, yield_pct, behind, correction)


def planned_h(plan: CookPlan, now_min: float) -> float:
    """Return the H-factor the plan would have by now."""
    times, temperatures = planned_profile(plan, 600)
    grid, h = h_curve(times, temperatures)
    return float(np.interp(now_min, grid, h))


def planned_hold_min(plan: CookPlan, target: float) -> float:
    """Return the planned minutes at temperature that end at an H target, tail counted."""
    times, temperatures = planned_profile(plan, 600)
    grid, h = h_curve(times, temperatures)
    end = float(np.interp(target - plan.tail_h, h, grid))
    return max(0.0, end - (plan.fill_min + plan.liquor_min + plan.ramp_min))


def _time_left(
    facts: CookFacts, h_now: Figure, h_target: Figure, tail: Datum, at_temperature: float
) -> tuple[Figure | None, float]:
    """Return minutes to relief, marched through the rest of the ramp where it is still heating."""
    plan = facts.plan
    if facts.now_min >= at_temperature - 1:
        held = facts.temperature
        if held.value < 100:
            held = _set(plan, "cook_c")
        left = figure(
            "minutes_left_to_h",
            "to relief",
            {
                "h_now": h_now.as_datum(),
                "h_target": h_target.as_datum(),
                "tail_h": tail,
                "temperature_c": held,
            },
            decimals=0,
        )
        return left, facts.now_min + left.value
    times, temperatures = planned_profile(plan, 600)
    grid, h = h_curve(times, temperatures)
    planned = float(np.interp(facts.now_min, grid, h))
    need = h_target.value - plan.tail_h - h_now.value + planned
    return None, float(np.interp(need, h, grid))


def _phase(facts: CookFacts, left: Figure | None, heat_from: float, at_temperature: float) -> Phase:
    if facts.blown:
        return "blown"
    if facts.now_min < facts.plan.fill_min:
        return "filling"
    if facts.now_min < heat_from:
        return "liquor"
    if left is not None and left.value <= 0:
        return "past its end"
    return "heating" if facts.now_min < at_temperature else "at temperature"
