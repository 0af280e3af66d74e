"""What the cook pages draw: the board with its steam, a cook against its plan, trends, errors and residuals of a fit."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np
from django.utils import timezone

from desk.floor.state import State
from desk.stations.cook.board import AHEAD_MIN, BACK_MIN, Bar, Board
from desk.stations.cook.house import Followed, House
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


def draw_board(house: House, board: Board, open_number: int) -> dict[str, Any]:
    """Lay the digesters out against the clock, with the steam they draw stacked under them."""
    state = house.state
    per_min = (BOARD_W - BOARD_X) / (BACK_MIN + AHEAD_MIN)

    def place(minutes: float) -> float:
        return min(BOARD_W, max(BOARD_X, BOARD_X + (minutes + BACK_MIN) * per_min))

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
            bars.append(Drawn(bar, left, right - left, y, blocks, bar.number == open_number and not bar.projected))
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


def _steam(board: Board, place: Any, top: float) -> dict[str, Any]:
    """Draw the steam wanted against the steam there is, with its numbers as a table."""
    bottom = top + STEAM_H
    limit, unit = readable(board.limit_t_per_h, "t/h")
    scale = limit / board.limit_t_per_h
    most = 1.15 * max(float(board.steam_t_per_h.max()), board.limit_t_per_h)

    def y(steam: float) -> float:
        return bottom - (STEAM_H - 4) * steam / most

    points = [f"{place(board.grid_min[0]):.1f},{bottom:.1f}"]
    over = []
    before = None
    for minute, steam in zip(board.grid_min, board.steam_t_per_h, strict=True):
        x = place(float(minute))
        if before is not None and before != steam:
            points.append(f"{x:.1f},{y(before):.1f}")
        points.append(f"{x:.1f},{y(float(steam)):.1f}")
        before = float(steam)
        if steam > board.limit_t_per_h + 1e-6:
            over.append(x)
    points.append(f"{place(float(board.grid_min[-1])):.1f},{bottom:.1f}")
    return {
        "points": " ".join(points),
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

    def x(minutes: Any) -> Any:
        return left + (right - left) * minutes / end

    def y_c(celsius: Any) -> Any:
        return bottom - (bottom - top) * (celsius - low) / (plan_c.max() - low)

    target = now.aim.value

    def y_h(value: Any) -> Any:
        return bottom - (bottom - top - 8) * value / target

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
        "plan": _points(x(plan_t), y_c(plan_c)),
        "measured": _points(x(times), y_c(np.clip(values, low, None))),
        "h": _points(x(grid[::every]), y_h(gained[::every])),
        "ahead": _points(x(ahead_t), y_h(ahead_h)),
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


def _points(xs: np.ndarray, ys: np.ndarray) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))


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
    pad = 0.08 * max(high - low, 1e-6)

    def x(at: datetime) -> float:
        return float(left + (right - left) * (at - first).total_seconds() / span)

    def y(value: float) -> float:
        return float(bottom - (bottom - top) * (value - low + pad) / (high - low + 2 * pad))

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
        "line": " ".join(f"{x(at):.1f},{y(value):.1f}" for at, value in points),
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
    for _, line in lines:
        ys += [y for _, y in line]
    if level is not None:
        ys.append(level)
    low_x, high_x, low_y, high_y = min(xs), max(xs), min(ys), max(ys)
    pad_x, pad_y = 0.04 * max(high_x - low_x, 1e-6), 0.06 * max(high_y - low_y, 1e-6)

    def x(value: float) -> float:
        return left + (right - left) * (value - low_x + pad_x) / (high_x - low_x + 2 * pad_x)

    def y(value: float) -> float:
        return bottom - (bottom - top) * (value - low_y + pad_y) / (high_y - low_y + 2 * pad_y)

    return {
        "width": FIT_W,
        "height": FIT_H,
        "left": left,
        "right": right,
        "top": top,
        "bottom": bottom,
        "points": [(x(one), y(other), kind) for one, other, kind in points],
        "lines": [(kind, " ".join(f"{x(one):.1f},{y(other):.1f}" for one, other in line)) for kind, line in lines],
        "y_marks": [(y(mark), f"{mark:g}") for mark in _marks(low_y, high_y)],
        "x_marks": [(x(mark), f"{mark:g}") for mark in _marks(low_x, high_x)],
        "level_y": y(level) if level is not None else None,
        "x_name": x_name,
        "y_name": y_name,
    }


def _marks(low: float, high: float) -> list[float]:
    """Return three to six round marks between two values."""
    span = max(high - low, 1e-9)
    step = 10.0 ** np.floor(np.log10(span / 3))
    step = next(float(step * by) for by in (1, 2, 5, 10) if span / (step * by) <= 6)
    first = float(np.ceil(low / step)) * step
    return [round(float(mark), 10) + 0.0 for mark in np.arange(first, high + 1e-9, step)]
