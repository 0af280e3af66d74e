"""Cooks in progress, followed from the readings of their digester."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import lru_cache

import numpy as np
from django.db import connection

from desk.floor.models import Cook, epoch
from desk.floor.state import State
from stock.cooking.follow import CookFacts, CookState, follow, planned_hold_min, planned_profile, target_h
from stock.figure import Datum, Figure, Origin, given
from stock.line.definition import CookPlan
from stock.names import unit_of

LONGEST_COOK = timedelta(hours=5)


@dataclass(frozen=True, slots=True)
class Followed:
    """A cook with where it stands."""

    cook: Cook
    state: CookState
    facts: CookFacts
    blow_at: datetime

    @property
    def running(self) -> bool:
        """Whether it is still in the digester, uncooked or unblown."""
        return self.state.phase != "blown"

    def figures(self) -> dict[str, Figure]:
        """Return the cook's figures by name, each with its key."""
        state = self.state
        named = {"h_now": state.h_now, "h_target": state.h_target, "kappa": state.kappa, "yield": state.yield_pct}
        charge = self.facts.charge
        named["charge"] = given("charge", charge.value, unit_of("charge_pct_naoh_on_wood"), charge.origin, 2)
        if state.minutes_left is not None:
            named["left"] = state.minutes_left
        if state.correction is not None:
            named["correction"] = state.correction
        return {name: replace(shown, key=f"cook:{self.cook.number}:{name}") for name, shown in named.items()}


def temperatures(state: State, cook: Cook) -> tuple[np.ndarray, np.ndarray]:
    """Return (minutes since the start, °C) of a cook's digester, thinned to one a minute, up to the next cook in it."""
    start = epoch(cook.started_at)
    later = [epoch(other.started_at) for other in state.cooks if other.digester == cook.digester]
    until = min([epoch(state.now), *(at_s for at_s in later if at_s > start)])
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT min(at_s), avg(value) FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s >= %s AND at_s <= %s"
            " GROUP BY at_s / 60 ORDER BY 1",
            [state.world.pk, f"digester_{cook.digester}_temp", start, until],
        )
        rows = cursor.fetchall()
    seconds = np.array([row[0] for row in rows], dtype=float)
    return (seconds - start) / 60, np.array([row[1] for row in rows], dtype=float)


def follow_cook(state: State, cook: Cook) -> Followed | None:
    """Return where a cook stands, or None while its digester has sent fewer than two readings."""
    if cook.number not in state.followed:
        state.followed[cook.number] = _follow(state, cook)
    found: Followed | None = state.followed[cook.number]
    return found


def _follow(state: State, cook: Cook) -> Followed | None:
    times, values = temperatures(state, cook)
    if len(times) < 2:
        return None
    tag = state.line.tag(f"digester_{cook.digester}_temp")
    reading = state.readings.get(tag.id)
    now_min = (state.now - cook.started_at).total_seconds() / 60
    blown = cook.number in state.blown or _is_down(values, state.line.cook.cook_c)
    words = f"{tag.name}, {tag.instrument}, {len(times)} readings"
    silent_min = now_min - times[-1]
    if not blown and silent_min > 0.5:  # count on at the last temperature rather than stand still
        times, values = np.append(times, now_min), np.append(values, values[-1])
        if silent_min > 3:
            words += f", the last {silent_min:.0f} min ago and held since"
    measured = Origin("measured", words, state.now)
    logged = Origin("entered", f"charge sheet of cook {cook.number}", cook.started_at)
    facts = CookFacts(
        plan=state.line.cook,
        now_min=now_min,
        times_min=times,
        temperatures_c=np.clip(values, 20, 200),
        charge=Datum(cook.charge_pct_naoh_on_wood, logged),
        kappa_target=Datum(cook.kappa_target, state.set_origin("cook plan")),
        temperature=reading.as_datum() if reading else Datum(float(values[-1]), measured),
        readings=measured,
        blown=blown,
    )
    followed = follow(facts)
    return Followed(cook, followed, facts, cook.started_at + timedelta(minutes=followed.blow_min))


def _is_down(values: np.ndarray, cook_c: float) -> bool:
    """A digester that was at temperature and is far below it has been blown."""
    return bool(values.max() > cook_c - 8 and values[-1] < cook_c - 25 and values[-1] < values.max() - 25)


def follow_all(state: State) -> list[Followed]:
    """Return every cook that may still be in its digester, the nearest to its end first."""
    since = state.now - LONGEST_COOK
    recent = [cook for cook in state.cooks if cook.started_at >= since]
    followed = [found for cook in recent if (found := follow_cook(state, cook)) is not None]
    return sorted(followed, key=lambda one: (not one.running, one.blow_at))


def plan_minutes(state: State, cook: Cook) -> tuple[float, float, float, float, float]:
    """Return the planned minutes of fill, liquor, heat, hold and blow of a cook."""
    plan = state.line.cook
    hold = _hold_min(plan.model_dump_json(), cook.charge_pct_naoh_on_wood, cook.kappa_target)
    return plan.fill_min, plan.liquor_min, plan.ramp_min, hold, plan.blow_min


@lru_cache(maxsize=256)
def _hold_min(plan_json: str, charge_pct: float, kappa_target: float) -> float:
    """Return the planned minutes at temperature; the same for every cook charged alike."""
    plan = CookPlan.model_validate_json(plan_json)
    origin = Origin("set", "cook plan")
    unread = np.array([0.0, 1.0])
    facts = CookFacts(
        plan=plan,
        now_min=0.0,
        times_min=unread,
        temperatures_c=unread + plan.start_c,
        charge=Datum(charge_pct, origin),
        kappa_target=Datum(kappa_target, origin),
        temperature=Datum(plan.start_c, origin),
        readings=origin,
    )
    return planned_hold_min(plan, target_h(facts).value)


def planned_curve(state: State, cook: Cook) -> tuple[np.ndarray, np.ndarray]:
    """Return (minutes, °C) of a cook's planned temperature up to its relief."""
    hold = plan_minutes(state, cook)[3]
    return planned_profile(state.line.cook, hold)
