"""The staircase: pulp down one way, liquor up the other, wide by their flow, dark by their solids; the curve of water."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from desk.frame.plot import Scale, line, padded, round_marks
from desk.stations.wash.shown import Shows
from desk.stations.wash.worked import Curve
from stock.washing.stairs import Step

WIDTH, HEIGHT = 962.0, 268.0
SIDE, TOP, BOX_H = 112.0, 30.0, 86.0
WIDEST_PX: Final = 20.0
PALEST: Final = 0.14
CURVE_W, CURVE_H = 462.0, 190.0
CURVE_LEFT, CURVE_FOOT = 44.0, 28.0


@dataclass(frozen=True, slots=True)
class Flow:
    """A stream between two machines: from where to where, how wide, how dark, what is written at it."""

    x1: float
    x2: float
    y1: float
    y2: float
    width: float
    dark: float
    words: str
    text_x: float
    text_y: float
    anchor: str

    @property
    def path(self) -> str:
        """Return its path: level, then over an edge."""
        middle = (self.x1 + self.x2) / 2
        return f"M{self.x1:.1f} {self.y1:.1f}C{middle:.1f} {self.y1:.1f} {middle:.1f} {self.y2:.1f} {self.x2:.1f} {self.y2:.1f}"


@dataclass(frozen=True, slots=True)
class Box:
    """A machine at its place."""

    x: float
    y: float
    width: float
    height: float
    step: Step
    shows: Shows | None
    drop: float

    @property
    def middle(self) -> float:
        """Its middle."""
        return self.x + self.width / 2


@dataclass(frozen=True, slots=True)
class Stairs:
    """The whole drawing."""

    boxes: Sequence[Box]
    pulp: Sequence[Flow]
    liquor: Sequence[Flow]
    width: float = WIDTH
    height: float = HEIGHT


def draw_stairs(steps: Sequence[Step], shows: Sequence[Shows]) -> Stairs | None:
    """Draw a line; None where it could not be worked out."""
    if not steps:
        return None
    count = len(steps)
    pitch = (WIDTH - 2 * SIDE) / count
    box_w = min(190.0, 0.64 * pitch)
    rise = min(44.0, (HEIGHT - TOP - BOX_H - 40) / max(count - 1, 1)) if count > 1 else 0.0
    by_number = {one.number: one for one in shows}
    boxes = [
        Box(
            SIDE + pitch * index + (pitch - box_w) / 2, TOP + rise * index, box_w, BOX_H, step, by_number.get(step.number),
            rise,
        )
        for index, step in enumerate(steps)
    ]  # fmt: skip
    most_t = max(max(one.fed_t_per_bdt, one.filtrate_t_per_bdt, one.wash_t_per_bdt) for one in steps)
    most_kg = max(*(one.fed_kg_per_t for one in steps), 1e-09)

    def flow(
        x1: float, y1: float, x2: float, y2: float, t_per_bdt: float, kg_per_t: float, text: tuple[float, float, str],
        *, pulp: bool,
    ) -> Flow:  # fmt: skip
        dark = PALEST + (1 - PALEST) * (kg_per_t / most_kg) ** 0.5
        words = f"{kg_per_t:.1f} kg/t" if pulp else f"{kg_per_t:.1f} kg/t, {t_per_bdt:.1f} t/BDt"
        return Flow(x1, x2, y1, y2, max(2.0, WIDEST_PX * t_per_bdt / most_t), min(dark, 1.0), words, *text)

    pulp, liquor = [], []
    first, last = boxes[0], boxes[-1]
    upper, lower = 0.28 * BOX_H, 0.76 * BOX_H
    pulp.append(
        flow(6, first.y + upper, first.x, first.y + upper, first.step.fed_t_per_bdt, first.step.fed_kg_per_t,
             (6, first.y + upper - 14, "start"), pulp=True)
    )  # fmt: skip
    liquor.append(
        flow(first.x, first.y + lower, 6, first.y + lower, first.step.filtrate_t_per_bdt, first.step.filtrate_kg_per_t,
             (6, first.y + lower + 22, "start"), pulp=False)
    )  # fmt: skip
    for one, other in itertools.pairwise(boxes):
        pulp.append(
            flow(one.x + one.width, one.y + upper, other.x, other.y + upper, one.step.mat_t_per_bdt, one.step.mat_kg_per_t,
                 (one.x + one.width + 6, one.y + upper - 14, "start"), pulp=True)
        )  # fmt: skip
        liquor.append(
            flow(other.x, other.y + lower, one.x + one.width, one.y + lower, one.step.wash_t_per_bdt, one.step.wash_kg_per_t,
                 (other.x - 8, other.y + lower + 24, "end"), pulp=False)
        )  # fmt: skip
    end = WIDTH - 6
    pulp.append(
        flow(last.x + last.width, last.y + upper, end, last.y + upper, last.step.mat_t_per_bdt, last.step.mat_kg_per_t,
             (end, last.y + upper - 14, "end"), pulp=True)
    )  # fmt: skip
    liquor.append(
        flow(end, last.y + lower, last.x + last.width, last.y + lower, last.step.wash_t_per_bdt, last.step.wash_kg_per_t,
             (end, last.y + lower + 22, "end"), pulp=False)
    )  # fmt: skip
    height = last.y + BOX_H + 34
    return Stairs(boxes, pulp, liquor, height=height)


@dataclass(frozen=True, slots=True)
class Plot:
    """Loss and cost over the dilution factor."""

    loss: str
    cost: str
    now_x: float
    best_x: float | None
    most_x: float | None
    across: Sequence[tuple[float, str]]
    up: Sequence[tuple[float, str]]
    foot: float = CURVE_H - CURVE_FOOT
    left: float = CURVE_LEFT
    width: float = CURVE_W
    height: float = CURVE_H


def draw_curve(curve: Curve | None) -> Plot | None:
    """Draw it; None where there is none."""
    if curve is None:
        return None
    x = Scale(curve.factors[0], curve.factors[-1], CURVE_LEFT, CURVE_W - 8)
    shown = [loss for df, loss in zip(curve.factors, curve.losses, strict=True) if df >= 1.0]
    y = Scale(0.0, 1.08 * max(shown), CURVE_H - CURVE_FOOT, 8)
    xs = [float(x(df)) for df in curve.factors]
    cost = ""
    if curve.costs:
        scale = padded(curve.costs, 0.15, CURVE_H - CURVE_FOOT, 8)
        cost = line(xs, [float(scale.held(one)) for one in curve.costs])

    def place(factor: float | None) -> float | None:
        inside = factor is not None and curve.factors[0] <= factor <= curve.factors[-1]
        return float(x(factor)) if inside else None

    return Plot(
        line(xs, [float(y.held(one)) for one in curve.losses]),
        cost,
        float(x.held(curve.now)),
        place(curve.best),
        place(curve.most),
        [(float(x(mark)), f"{mark:g}") for mark in (1, 2, 3, 4)],
        [(float(y(mark)) + 4, f"{mark:g}") for mark in round_marks(0.0, max(shown))],
    )
