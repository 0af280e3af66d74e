"""Following one batch cook: where it stands, when it ends, what it will be, what to do about it.

Times are minutes since the cook was started; the caller knows the clock.
"""

from dataclasses import replace
from typing import Final

import numpy as np

from stock.cooking.alkali import charge_as_na2o
from stock.cooking.end_point import h_rate
from stock.cooking.facts import LONGEST_HOLD_MIN, CookFacts, CookState, Kinetic, Phase
from stock.cooking.kinetics import at_switch
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.schedule import planned_pressure, planned_profile
from stock.cooking.steer import corrections
from stock.cooking.ways import WAYS, Held
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

SENSOR_C: Final = 0.5  # a good thermometer, and the vessel it stands for


def _set(recipe: Recipe, value: float) -> Datum:
    return Datum(value, Origin("set", f"recipe {recipe.name}"))


def target(facts: CookFacts) -> Figure:
    """Return the integral to blow at, for the alkali this cook actually got."""
    return facts.way.aim(facts.recipe, facts.relation, facts.charge, facts.kappa_target)


def _aim(facts: CookFacts) -> tuple[Figure, str]:
    """Return the integral to blow at; where the charge cannot reach the target, the planned charge's, and why."""
    try:
        return target(facts), ""
    except DomainError as error:
        alkali = facts.recipe.alkali
        return target(replace(facts, charge=_set(facts.recipe, alkali.charge_pct_naoh_on_wood))), error.message


def beyond(recipe: Recipe, relation: Relation, h_factor: float, charge_pct_naoh_on_wood: float) -> tuple[str, ...]:
    """Return what of a cook lies past what its relation was fitted on; nothing of acid."""
    if recipe.is_sulphite:
        return ()
    return relation.beyond(h_factor, charge_as_na2o(charge_pct_naoh_on_wood=charge_pct_naoh_on_wood))


def _kappa(facts: CookFacts, arriving: Datum, aim: Figure) -> Figure:
    """Return the kappa it will have; far past its end, where the relation says nothing, that of its end point, so marked."""
    try:
        return facts.way.kappa(facts.recipe, facts.relation, arriving, facts.charge)
    except DomainError as error:
        at_end = facts.way.kappa(facts.recipe, facts.relation, aim.as_datum(), facts.charge)
        return replace(at_end, warnings=(*at_end.warnings, f"{error.message}; shown is the kappa of its end point"))


def heating_from(facts: CookFacts) -> float:
    """Return when heating began, or begins by the recipe."""
    if facts.steam_min is not None:
        return facts.steam_min
    return max(facts.now_min, facts.recipe.fill_min + facts.recipe.liquor_min)


def follow(facts: CookFacts) -> CookState:
    """Return where the cook stands, from its record and its recipe."""
    recipe, way, relation = facts.recipe, facts.way, facts.relation
    done = way.done(recipe, facts.trace)
    aim, trouble = _aim(facts)
    tail = _set(recipe, recipe.tail)
    heat_from = heating_from(facts)
    top = heat_from + recipe.ramp_min
    plan = _planned_curve(facts, heat_from)
    behind = float(np.interp(facts.now_min, *plan)) - done.value if facts.steam_min is not None else 0.0
    planned_end = float(np.interp(aim.value - recipe.tail, plan[1], plan[0]))
    left, end = _time_left(facts, done, aim, tail, top, plan)
    arriving = _arriving(facts, done, aim)
    kappa = _kappa(facts, arriving, aim)
    phase = _phase(facts, left, heat_from, top)
    behind_min = end - planned_end
    state = CookState(
        phase=phase,
        done=done,
        aim=aim,
        minutes_left=left,
        blow_min=end,
        band_min=_band_min(facts, end),
        kappa=kappa,
        half=way.band(recipe, relation, arriving, facts.charge),
        yield_pct=_yield(relation, kappa.as_datum()),
        residual=_residual(facts),
        behind=behind,
        behind_min=behind_min,
        planned_end_min=planned_end,
        arriving=arriving.value,
        trouble=trouble,
        beyond=beyond(facts.recipe, relation, aim.value, facts.charge.value),
    )
    if phase not in ("heating", "at temperature"):
        return state
    return replace(state, corrections=corrections(facts, state))


def _planned_curve(facts: CookFacts, heat_from: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (minutes, integral) of the plan as it was meant, from when heating began."""
    times, temperatures = planned_profile(facts.recipe, LONGEST_HOLD_MIN, heat_from)
    grid = np.union1d(times, np.arange(times[0], times[-1], 5.0))
    celsius = np.interp(grid, times, temperatures)
    return facts.way.curve(facts.recipe, grid, celsius, planned_pressure(facts.recipe, grid, heat_from))


def planned_hold_min(recipe: Recipe, relation: Relation, charge: Datum, kappa_target: Datum) -> float:
    """Return the planned minutes at temperature of a cook charged so, tail counted."""
    way = WAYS[recipe.school]
    aim = way.aim(recipe, relation, charge, kappa_target)
    times, temperatures = planned_profile(recipe, LONGEST_HOLD_MIN)
    grid = np.union1d(times, np.arange(times[0], times[-1], 5.0))
    celsius = np.interp(grid, times, temperatures)
    minutes, gained = way.curve(recipe, grid, celsius, planned_pressure(recipe, grid))
    end = float(np.interp(aim.value - recipe.tail, gained, minutes))
    return max(0.0, end - (recipe.fill_min + recipe.liquor_min + recipe.ramp_min))


def _time_left(
    facts: CookFacts, done: Figure, aim: Figure, tail: Datum, top: float, plan: tuple[np.ndarray, np.ndarray]
) -> tuple[Figure | None, float]:
    """Return minutes to relief: at what is held now, or marched through the rest of the ramp."""
    recipe = facts.recipe
    if facts.steam_min is not None and facts.now_min >= top - 1:
        held = facts.temperature if facts.temperature.value >= recipe.cook_c - 25 else _set(recipe, recipe.cook_c)
        pressure = facts.pressure or _set(recipe, recipe.stages[-1].to_kpa_g or recipe.start_kpa_g)
        try:
            left = facts.way.left(recipe, done, aim, tail, Held(held, pressure))
        except DomainError:  # no gas pressure at all: nothing cooks, the plan's is the best guess
            pressure = _set(recipe, recipe.stages[-1].to_kpa_g or recipe.start_kpa_g)
            left = facts.way.left(recipe, done, aim, tail, Held(_set(recipe, recipe.cook_c), pressure))
        return left, facts.now_min + left.value
    grid, gained = plan
    late = lateness(facts, heating_from(facts))
    need = aim.value - recipe.tail - done.value + float(np.interp(facts.now_min - late, grid, gained))
    return None, late + float(np.interp(need, gained, grid))


SLOW_C_PER_MIN: Final = 0.3  # a leg that rises so slowly tells nothing of how late a cook is


def lateness(facts: CookFacts, heat_from: float) -> float:
    """Return by how many minutes the record's rise is behind the plan's, 0 before heating and at temperature.

    It is read where the record last crossed a temperature of a leg that rises fast enough to tell.
    """
    times, values = facts.trace.times_min, facts.trace.temperatures_c
    if facts.steam_min is None or facts.now_min <= heat_from:
        return 0.0
    plan_t, plan_c = planned_profile(facts.recipe, 0.0, heat_from)
    if plan_t[0] < heat_from:
        plan_t, plan_c = plan_t[1:], plan_c[1:]
    celsius = float(values[-1])
    if celsius >= plan_c[-1] - 2:
        return 0.0
    leg = int(np.clip(np.searchsorted(plan_c, celsius) - 1, 0, len(plan_c) - 2))
    while leg > 0 and plan_c[leg + 1] - plan_c[leg] < SLOW_C_PER_MIN * (plan_t[leg + 1] - plan_t[leg]):
        celsius, leg = float(plan_c[leg]), leg - 1
    planned = float(np.interp(celsius, plan_c, plan_t))
    below = np.flatnonzero(values < celsius)
    last = int(below[-1]) if len(below) else 0
    if last + 1 >= len(times):
        return float(times[-1]) - planned
    rise = values[last + 1] - values[last]
    part = (celsius - values[last]) / rise if rise > 0 else 0.0
    return float(times[last] + part * (times[last + 1] - times[last])) - planned


def _arriving(facts: CookFacts, done: Figure, aim: Figure) -> Datum:
    if facts.blown:  # where relief was logged, what it adds was read; else the tail stands for it
        at = done.value + (0.0 if facts.relief_min is not None else facts.recipe.tail)
        return Datum(max(at, 2.0), Origin("computed", f"{done.text} at the blow, tail counted"), done)
    at = max(aim.value, done.value + facts.recipe.tail)
    return Datum(max(at, 2.0), Origin("computed", "what it has and what is still to come, tail included"))


def _band_min(facts: CookFacts, end: float) -> float:
    """Return how far the end may move if the vessel is half a degree from its thermometer."""
    left = max(end - facts.now_min, 0.0)
    warm, cold = (facts.way.rate(facts.recipe, facts.recipe.cook_c + by, _kpa(facts)) for by in (SENSOR_C, -SENSOR_C))
    share = (warm - cold) / (warm + cold) if warm + cold > 0 else 0.0
    return max(1.0, left * abs(share))


def _kpa(facts: CookFacts) -> float:
    return facts.pressure.value if facts.pressure else facts.recipe.stages[-1].to_kpa_g or facts.recipe.start_kpa_g


def _yield(relation: Relation, kappa: Datum) -> Figure:
    data = relation.data("reference_yield_pct", "reference_kappa", "slope_pct")
    return figure("yield_from_kappa", "yield", {"kappa": kappa, **data})


def _residual(facts: CookFacts) -> Figure | None:
    """Return the residual alkali to expect from what the mill's cooks use; None for acid."""
    if facts.recipe.is_sulphite:
        return None
    data = {
        "charge_pct_naoh_on_wood": facts.charge,
        "used_pct_naoh_on_wood": Datum(facts.relation.used_pct, facts.relation.origin),
        "liquor_to_wood": facts.liquor_to_wood,
    }
    return figure("residual_from_use", "residual alkali", data)


def _phase(facts: CookFacts, left: Figure | None, heat_from: float, top: float) -> Phase:
    if facts.blown:
        return "blown"
    if facts.relief_min is not None:
        return "relief"
    filled = facts.recipe.fill_min if facts.liquor_at_min is None else facts.liquor_at_min
    if facts.now_min < filled:
        return "filling"
    if facts.steam_min is None:
        return "charged" if facts.charged else "liquor"
    if facts.now_min < heat_from:
        return "liquor"
    if left is not None and left.value <= 0:
        return "past its end"
    warm = facts.temperature.value >= facts.recipe.cook_c - 2
    return "at temperature" if facts.now_min >= top or (warm and facts.now_min > heat_from) else "heating"


# ---- the second way


def kinetic(facts: CookFacts, state: CookState) -> Kinetic | None:
    """Return what the published kinetics make of the same cook, and how far the two ways part; None for acid."""
    if facts.recipe.is_sulphite:
        return None
    times, temperatures = with_tail(facts, *whole_record(facts, state.blow_min))
    readings = Origin("computed", f"{facts.trace.readings.text}, then the plan to its end and its tail")
    data = {
        "times_min": Datum(times, readings),
        "temperatures_c": Datum(temperatures, readings),
        "effective_alkali_pct_naoh_on_wood": facts.met,
        "liquor_to_wood": facts.liquor_to_wood,
        "species": Datum(facts.recipe.wood, Origin("set", f"recipe {facts.recipe.name}")),
        "bulk_ratio": Datum(facts.relation.bulk_ratio, facts.relation.origin),
    }
    name = "simulate_soda"
    if facts.recipe.practice.has_sulphide:
        name, data["sulphidity_frac"] = "simulate_kraft", facts.sulphidity
    kappa = figure(name, "kappa by the kinetics", data)
    apart = kappa.value - state.kappa.value
    deaf = at_switch(facts.recipe.wood, kappa.value, kappa.results["total_yield_pct"])
    return Kinetic(
        kappa,
        kappa.other("total_yield_pct", "yield by the kinetics"),
        kappa.other("residual_kg_per_m3_as_naoh", "residual by the kinetics"),
        apart,
        DEAF if deaf else _agreement(apart, state.kappa_half),
        deaf,
    )


def with_tail(facts: CookFacts, times: np.ndarray, temperatures: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return a record held on at its last temperature for as long as relief and blow are worth; as it is where they were read."""
    worth = facts.recipe.tail if facts.relief_min is None else 0.0
    last = max(float(temperatures[-1]), facts.recipe.cook_c - 10.0)
    minutes = 60 * worth / h_rate(temperature_c=last)
    if minutes <= 0:
        return times, temperatures
    return np.append(times, times[-1] + minutes), np.append(temperatures, last)


DEAF: Final = (
    "No second opinion here: the kinetics stand at their switch to the last phase, where alkali, heat and sulphidity"
    " hardly move what they say."
)


def _agreement(apart: float, half: float) -> str:
    if abs(apart) < 0.05:
        return "The two ways agree."
    side = "above" if apart > 0 else "below"
    if abs(apart) <= half:
        return f"The kinetics lie {abs(apart):.1f} {side}, inside the band."
    return f"The kinetics lie {abs(apart):.1f} {side}, outside the band of {half:.1f}: check charge, moisture and sulphidity."


def whole_record(facts: CookFacts, end_min: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (minutes, °C) of what was read, then the plan from what was last read to the end, within 60 to 185 °C."""
    times, values = facts.trace.times_min, facts.trace.temperatures_c
    start = 0.0
    if facts.steam_min is not None:  # before steam nothing happens that the kinetics know of
        start = min(facts.steam_min, float(times[-1]) - 1e-3)
    kept = times >= start
    times, values = times[kept], values[kept]
    if not facts.blown and end_min > times[-1] + 0.5:
        plan_t, plan_c = planned_profile(facts.recipe, LONGEST_HOLD_MIN, heating_from(facts))
        late = lateness(facts, heating_from(facts))
        ahead = plan_t[(plan_t + late > times[-1] + 0.5) & (plan_t + late < end_min)] + late
        ahead = np.append(ahead, end_min)
        times = np.append(times, ahead)
        values = np.append(values, np.interp(ahead - late, plan_t, plan_c))
    if len(times) < 2:
        times, values = np.append(times, times[-1] + 1.0), np.append(values, values[-1])
    return times, np.clip(values, 60.0, 185.0)
