"""What the cook pages draw: the board with its steam, a cook against its plan, trends, errors and residuals of a fit."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np
from django.urls import reverse
from django.utils import timezone

from desk.floor.state import State
from desk.frame.plot import Scale, line, padded, round_marks
from desk.stations.cook.board import AHEAD_MIN, BACK_MIN, Bar, Board
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House
from stock.cooking.follow import heating_from
from stock.cooking.schedule import LegName, planned_pressure, planned_profile
from stock.units import readable

BOARD_W, BOARD_X, ROW_H, BAR_H, TOP = 962, 84, 21, 17, 17
STEAM_H: Final = 36
CHART_W, CHART_H = 520, 146
PHASES: Final[dict[LegName, str]] = {
    "fill": "fill",
    "liquor": "liquor",
    "heat": "heat",
    "hold": "hold",
    "relief": "relief",
    "blow": "blow",
}


@dataclass(frozen=True, slots=True)
class Block:
    """One leg of a cook on the board."""

    x: float
    width: float
    phase: str


@dataclass(frozen=True, slots=True)
class Drawn:
    """A cook on the board."""

    bar: Bar
    x: float
    width: float
    y: float
    blocks: tuple[Block, ...]
    open: bool
    url: str

    @property
    def planned(self) -> str:
        """Said after its name when it is not begun."""
        return ", planned" if self.bar.planned else ""


def draw_board(house: House, board: Board, open_number: int) -> dict[str, Any]:
    """Lay the digesters out against the clock, with the steam they draw stacked under them."""
    state = house.state
    place = Scale(-BACK_MIN, AHEAD_MIN, BOARD_X, BOARD_W).held
    rows = [one.number for one in house.part.digesters]
    bars = []
    for bar in board.bars:
        blocks = tuple(
            Block(place(leg.from_min), place(leg.to_min) - place(leg.from_min), PHASES[leg.name])
            for leg in bar.legs
            if leg.name in PHASES and place(leg.to_min) > place(leg.from_min)
        )
        if blocks:
            left, right = blocks[0].x, blocks[-1].x + blocks[-1].width
            y = TOP + rows.index(bar.digester) * ROW_H
            shown = bar.number == open_number and not bar.projected
            url = reverse("cook_sheet" if bar.planned else "cook", args=[state.world.slug, bar.number])
            bars.append(Drawn(bar, left, right - left, y, blocks, shown, url))
    bottom = TOP + ROW_H * len(rows)
    first = timezone.localtime(state.now - timedelta(minutes=BACK_MIN)).replace(minute=0, second=0, microsecond=0)
    hours = [first + timedelta(hours=hour) for hour in range(1, int((BACK_MIN + AHEAD_MIN) // 60) + 1)]
    ticks = [(place((hour - state.now).total_seconds() / 60), hour.strftime("%H:%M")) for hour in hours]
    return {
        "bars": bars,
        "ticks": [(x, text) for x, text in ticks if BOARD_X + 16 < x < BOARD_W - 18],
        "now_x": place(0.0),
        "rows": [(number, TOP + index * ROW_H) for index, number in enumerate(rows)],
        "width": BOARD_W,
        "height": bottom + STEAM_H + 8,
        "left": BOARD_X,
        "bar_h": BAR_H,
        "steam": _steam(board, place, bottom),
    }


def _steam(board: Board, place: Callable[[float], float], top: float) -> dict[str, Any]:
    """Draw the steam wanted against the steam there is, with its numbers as a table."""
    bottom = top + STEAM_H
    limit, unit = readable(board.limit_t_per_h, "t/h")
    scale = limit / board.limit_t_per_h
    most = 1.15 * max(float(board.steam_t_per_h.max()), board.limit_t_per_h)
    y = Scale(0.0, most, bottom, top + 4)
    corners = [(place(board.grid_min[0]), bottom)]
    over = []
    before = None
    for minute, steam in zip(board.grid_min, board.steam_t_per_h, strict=True):
        x = place(float(minute))
        if before is not None and before != steam:
            corners.append((x, y(before)))
        corners.append((x, y(float(steam))))
        before = float(steam)
        if steam > board.limit_t_per_h + 1e-6:
            over.append(x)
    corners.append((place(float(board.grid_min[-1])), bottom))
    return {
        "points": line(*zip(*corners, strict=True)),
        "limit_y": y(board.limit_t_per_h),
        "limit_words": f"{limit:.4g} {unit}",
        "bottom": bottom,
        "label_y": top + STEAM_H / 2 + 6,
        "over": _runs(over),
        "now_words": f"{board.steam_now() * scale:.1f} {unit}",
        "unit": unit,
        "rows": [
            (int(minute), float(steam) * scale)
            for minute, steam in zip(board.grid_min, board.steam_t_per_h, strict=True)
            if minute % 30 == 0
        ],
    }


def _runs(xs: Sequence[float]) -> list[tuple[float, float]]:
    """Return (x, width) of stretches of neighbouring places."""
    runs: list[list[float]] = []
    for x in xs:
        if runs and x - runs[-1][1] < 8:
            runs[-1][1] = x
        else:
            runs.append([x, x + 2])
    return [(left, right - left) for left, right in runs]


def draw_cook(state: State, followed: Followed) -> dict[str, Any]:
    """Draw temperature and integral against plan, with the numbers as a table."""
    facts, recipe, now = followed.facts, followed.recipe, followed.state
    heat_from = heating_from(facts)
    hold = max(now.planned_end_min - heat_from - recipe.ramp_min, 10.0)
    plan_t, plan_c = planned_profile(recipe, hold, heat_from)
    end = max(float(plan_t[-1]), now.blow_min, facts.now_min) + 14
    left, right, top, bottom = 40, CHART_W - 12, 22, CHART_H - 26
    low = min(70.0, float(plan_c.min()) - 5)
    target = now.aim.value
    x = Scale(0.0, end, left, right)
    y_c = Scale(low, float(plan_c.max()), bottom, top)
    y_h = Scale(0.0, target, bottom, top + 8)
    times, values = facts.trace.times_min, facts.trace.temperatures_c
    kpa = facts.trace.pressures_kpa_g
    grid, gained = facts.way.curve(recipe, times, values, kpa if kpa is not None else np.zeros_like(times))
    every = max(1, len(grid) // 120)
    ahead_t = np.array([grid[-1], max(now.blow_min, grid[-1])]) if followed.running else np.array([])
    ahead_h = np.array([gained[-1], min(target, max(target - recipe.tail, gained[-1]))])[: len(ahead_t)]
    marks = sorted({round(low / 10) * 10 + 10, 110, 140, round(float(plan_c.max()))})
    marks = [mark for mark in marks if low < mark <= plan_c.max()]
    hour = timezone.localtime(followed.cook.started_at)
    step = 60 if end < 400 else 120
    stamps = [
        (x(minute), (hour + timedelta(minutes=minute)).strftime("%H:%M")) for minute in range(0, int(end) - 20, step)
    ]
    planned_kpa = planned_pressure(recipe, times, heat_from) if recipe.is_sulphite else None
    rows = [
        (
            (hour + timedelta(minutes=float(t))).strftime("%H:%M"),
            float(np.interp(t, plan_t, plan_c)),
            float(np.interp(t, times, values)),
            float(np.interp(t, grid, gained)),
            float(np.interp(t, times, kpa)) if kpa is not None else None,
            float(np.interp(t, times, planned_kpa)) if planned_kpa is not None else None,
        )
        for t in np.arange(0, times[-1], 15)
    ]
    return {
        "width": CHART_W,
        "height": CHART_H,
        "left": left,
        "right": right,
        "bottom": bottom,
        "plan": line(x(plan_t), y_c(plan_c)),
        "measured": line(x(times), y_c(np.clip(values, low, None))),
        "h": line(x(grid[::every]), y_h(gained[::every])),
        "ahead": line(x(ahead_t), y_h(ahead_h)),
        "target_y": y_h(target),
        "target": now.aim.text,
        "letter": facts.way.letter,
        "name": facts.way.name,
        "dot": (x(times[-1]), y_c(max(values[-1], low))),
        "marks": [(y_c(mark), mark) for mark in marks],
        "stamps": stamps,
        "rows": rows,
        "pressure": kpa is not None,
        "blow_x": x(now.blow_min),
        "unit": facts.way.unit,
    }


SPARK_W, SPARK_H = 520, 120


def draw_trend(
    points: Sequence[tuple[datetime, float]], band: tuple[float, float] | None, unit: str, now: datetime
) -> dict[str, Any] | None:
    """Draw values over the last days against their band; None for fewer than two."""
    if len(points) < 2:
        return None
    left, right, top, bottom = 44, SPARK_W - 10, 14, SPARK_H - 22
    first = points[0][0]
    span = max((now - first).total_seconds(), 1.0)
    values = [value for _, value in points]
    low, high = min([*values, *(band or ())]), max([*values, *(band or ())])
    y = padded((low, high), 0.08, bottom, top)
    along = Scale(0.0, span, left, right)

    def x(at: datetime) -> float:
        return float(along((at - first).total_seconds()))

    days = int(span // 86_400)
    every = max(1, days // 6)
    stamps = [
        (x(at), timezone.localtime(at).strftime("%d %b"))
        for day in range(every, days + 1, every)
        if (at := now - timedelta(days=days - day + 0.001)) >= first
    ]
    return {
        "width": SPARK_W,
        "height": SPARK_H,
        "left": left,
        "right": right,
        "line": line((x(at) for at, _ in points), (y(value) for value in values)),
        "dots": [(x(at), y(value)) for at, value in points[-40:]],
        "band": (y(band[1]), y(band[0]) - y(band[1])) if band else None,
        "marks": [(y(mark), f"{mark:g}") for mark in (band or (round(low, 1), round(high, 1)))],
        "stamps": stamps,
        "unit": unit,
    }


FIT_W, FIT_H = 470, 220


def draw_scatter(
    points: Sequence[tuple[float, float, str]],
    lines: Sequence[tuple[str, Sequence[tuple[float, float]]]],
    x_name: str,
    y_name: str,
    *,
    level: float | None = None,
) -> dict[str, Any] | None:
    """Draw points (x, y, kind) with lines over them; None for fewer than three points."""
    if len(points) < 3:
        return None
    left, right, top, bottom = 44, FIT_W - 10, 16, FIT_H - 32
    xs, ys = [one[0] for one in points], [one[1] for one in points]
    for _, ends in lines:
        ys += [other for _, other in ends]
    if level is not None:
        ys.append(level)
    x, y = padded(xs, 0.04, left, right), padded(ys, 0.06, bottom, top)
    return {
        "width": FIT_W,
        "height": FIT_H,
        "left": left,
        "right": right,
        "top": top,
        "bottom": bottom,
        "points": [(x(one), y(other), kind) for one, other, kind in points],
        "lines": [(kind, line((x(one) for one, _ in ends), (y(other) for _, other in ends))) for kind, ends in lines],
        "y_marks": [(y(mark), f"{mark:g}") for mark in round_marks(min(ys), max(ys))],
        "x_marks": [(x(mark), f"{mark:g}") for mark in round_marks(min(xs), max(xs))],
        "level_y": y(level) if level is not None else None,
        "x_name": x_name,
        "y_name": y_name,
    }
