"""Cook: the board of digesters against the clock, and one cook followed to its end point."""

from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

import numpy as np
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.cooks import Followed, follow_all, follow_cook, plan_minutes, planned_curve
from desk.floor.faults import fault
from desk.floor.models import Cook, Record
from desk.floor.services import record_event
from desk.floor.state import State
from desk.people.roles import COOK
from desk.stations.frame import new_key, on_line, signed_in
from desk.stations.frame import page as render_page
from desk.stations.pages.station import station_context
from desk.yard.trace import fed
from stock.cooking.end_point import h_curve
from stock.cooking.follow import target_h
from stock.figure import Datum, Origin

BOARD_W, BOARD_X, ROW_H = 962, 84, 26
BACK_H, AHEAD_H = 3.5, 4.5
CHART_W, CHART_H = 520, 190


@dataclass(frozen=True, slots=True)
class Block:
    """One phase of a cook on the board."""

    x: float
    width: float
    y: float
    phase: str


@dataclass(frozen=True, slots=True)
class Bar:
    """A cook on the board."""

    cook: Cook
    x: float
    width: float
    y: float
    blocks: tuple[Block, ...]
    open: bool


def nearest(state: State) -> int | None:
    """Return the number of the running cook nearest its end."""
    running = [one for one in follow_all(state) if one.running]
    if running:
        return running[0].cook.number
    return state.cooks[0].number if state.cooks else None


@on_line
def page(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Show one cook on its board."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    followed = follow_cook(state, cook)
    context = station_context(state, "cook")
    context |= {
        "cook": cook,
        "followed": followed,
        "sentence": sentence(state, cook, followed),
        "board": board(state, cook.number),
        "chart": chart(state, cook, followed) if followed else None,
        "figures": followed.figures() if followed else {},
        "plan_charge": state.line.cook.charge_pct_naoh_on_wood,
        "charge_moved": charge_moved(state, followed),
        "blow_key": new_key(),
        "blow_at": followed.blow_at if followed else None,
        "chips": fed(state.world, cook.started_at, cook.started_at + timedelta(minutes=state.line.cook.fill_min)),
    }
    return render_page(request, state, "station/cook.html", context, here="cook")


def sentence(state: State, cook: Cook, followed: Followed | None) -> str:
    """Say where the cook stands, when it ends and what it will be."""
    if followed is None:
        return f"Cook {cook.number} in digester {cook.digester} has sent no temperatures yet."
    now = followed.state
    left = max(now.h_target.value - now.h_now.value, 0)
    name = f"Cook {cook.number} in digester {cook.digester}"
    if now.phase == "blown":
        return f"{name} is blown, at H {now.h_now.value:.0f}. Kappa forecast {now.kappa.value:.1f}, give or take {now.kappa_half:.1f}."
    end = timezone.localtime(followed.blow_at).strftime("%H:%M")
    kappa = f"Kappa forecast {now.kappa.value:.1f}, target {cook.kappa_target:g}."
    if now.phase == "past its end":
        return f"{name} is past its end point by {now.h_now.value + state.line.cook.tail_h - now.h_target.value:.0f} H. Blow it now. {kappa}"
    if now.phase in ("filling", "liquor"):
        words = "is filling" if now.phase == "filling" else "takes its liquor"
        return f"{name} {words}. Blow about {end}. {kappa}"
    where = "is at temperature" if now.phase == "at temperature" else "is heating"
    return f"{name} {where}, {left:.0f} H to go. Blow at {end}, give or take {_give_or_take(followed)} min. {kappa}"


def charge_moved(state: State, followed: Followed | None) -> str:
    """Say how far a charge that strayed from its plan moved the H target, where it matters."""
    if followed is None:
        return ""
    planned = Datum(state.line.cook.charge_pct_naoh_on_wood, Origin("set", "cook plan"))
    moved = followed.state.h_target.value - target_h(replace(followed.facts, charge=planned)).value
    if abs(moved) < 3:
        return ""
    return f"{'up' if moved > 0 else 'down'} {abs(moved):.0f}"


def _give_or_take(followed: Followed) -> int:
    """Half a degree either way over the rest of the cook, in minutes, two at least."""
    left = followed.blow_at - followed.cook.started_at - timedelta(minutes=followed.facts.now_min)
    return max(2, round(left.total_seconds() / 60 * 0.04))


def board(state: State, open_number: int) -> dict[str, Any]:
    """Lay the digesters out against the clock."""
    start = state.now - timedelta(hours=BACK_H)
    per_min = (BOARD_W - BOARD_X) / ((BACK_H + AHEAD_H) * 60)

    def place(minutes: float) -> float:
        return min(BOARD_W, max(BOARD_X, BOARD_X + minutes * per_min))

    bars = []
    for cook in state.cooks:
        row = state.line.cook.digesters.index(cook.digester)
        begun = (cook.started_at - start).total_seconds() / 60
        y = 22 + row * ROW_H
        blocks, at = [], begun
        for phase, minutes in zip(("fill", "liquor", "heat", "hold", "blow"), plan_minutes(state, cook), strict=True):
            left, right = place(at), place(at + minutes)
            if right > left:
                blocks.append(Block(left, right - left, y, phase))
            at += minutes
        if blocks:
            bars.append(Bar(cook, place(begun), place(at) - place(begun), y, tuple(blocks), cook.number == open_number))
    first = timezone.localtime(start).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    hours = [first + timedelta(hours=hour) for hour in range(int(BACK_H + AHEAD_H) - 1)]
    ticks = [(place((hour - start).total_seconds() / 60), hour.strftime("%H:%M")) for hour in hours]
    return {
        "bars": bars,
        "ticks": ticks,
        "now_x": place(BACK_H * 60),
        "rows": [(digester, 22 + index * ROW_H) for index, digester in enumerate(state.line.cook.digesters)],
        "width": BOARD_W,
        "height": 22 + ROW_H * len(state.line.cook.digesters) + 4,
        "left": BOARD_X,
    }


def chart(state: State, cook: Cook, followed: Followed) -> dict[str, Any]:
    """Draw temperature and H-factor against plan, with the numbers as a table."""
    plan_t, plan_c = planned_curve(state, cook)
    end = max(float(plan_t[-1]), followed.state.blow_min) + 14
    left, right, top, bottom = 40, CHART_W - 12, 22, CHART_H - 26

    def x(minutes: Any) -> Any:
        return left + (right - left) * minutes / end

    def y_c(celsius: Any) -> Any:
        return bottom - (bottom - top) * (celsius - 70) / (plan_c.max() - 70)

    target = followed.state.h_target.value

    def y_h(h: Any) -> Any:
        return bottom - (bottom - top - 8) * h / target

    times, values = followed.facts.times_min, followed.facts.temperatures_c
    grid, h = h_curve(times, values)
    thin = slice(None, None, 4)
    ahead_t = np.array([grid[-1], followed.state.blow_min])
    ahead_h = np.array([h[-1], min(target, max(target - state.line.cook.tail_h, h[-1]))])
    marks = [80, 110, 140, round(float(plan_c.max()))]
    hour = timezone.localtime(cook.started_at)
    stamps = [(x(minute), (hour + timedelta(minutes=minute)).strftime("%H:%M")) for minute in range(0, int(end), 60)]
    rows = [
        (
            (hour + timedelta(minutes=float(t))).strftime("%H:%M"),
            float(np.interp(t, plan_t, plan_c)),
            float(np.interp(t, times, values)),
            float(np.interp(t, grid, h)),
        )
        for t in np.arange(0, times[-1], 15)
    ]
    return {
        "width": CHART_W,
        "height": CHART_H,
        "left": left,
        "right": right,
        "bottom": bottom,
        "plan": _points(x(plan_t), y_c(plan_c)),
        "measured": _points(x(times[::2]), y_c(values[::2])),
        "h": _points(x(grid[thin]), y_h(h[thin])),
        "ahead": _points(x(ahead_t), y_h(ahead_h)),
        "target_y": y_h(target),
        "target": target,
        "dot": (x(times[-1]), y_c(values[-1])),
        "marks": [(y_c(mark), mark) for mark in marks],
        "stamps": stamps,
        "rows": rows,
        "blow_x": x(followed.state.blow_min),
    }


def _points(xs: np.ndarray, ys: np.ndarray) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))


@on_line
@require_POST
def blow(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Log the blow of a cook, after its cautions were ticked."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    if cook.number in state.blown:
        return fault(
            request,
            409,
            "Logged already",
            f"The blow of cook {cook.number} is in the log. Correct it there if it is wrong.",
        )
    if request.POST.get("minded") != "on":
        return fault(
            request, 422, "Not logged", "Tick that deck, vent, alarm and tank room were checked, then log the blow."
        )
    followed = follow_cook(state, cook)
    words = f" at H {followed.state.h_now.value:.0f}" if followed else ""
    try:
        record_event(
            state.world,
            signed_in(request),
            f"Cook {cook.number}, digester {cook.digester} blown{words}",
            station="cook",
            at=clock.now(),
            form_key=request.POST.get("form_key", "")[:40] or new_key(),
            kind=Record.Kind.BATCH,
            tag="blow",
            subject=f"cook {cook.number}",
            action=COOK,
        )
    except ValidationError as error:
        return fault(request, 422, "Not logged", "; ".join(error.messages))
    return redirect("cook", world_slug=state.world.slug, number=number)
