"""The cascade: accepts rise to the main stream, rejects fall to the next stage, wide by their bone-dry flow."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

from stock.screening.system import Running, System

WIDTH: Final = 962.0
BOX_W, BOX_H = 190.0, 92.0
LEFT, TOP, RISE = 96.0, 34.0, 116.0
WIDEST_PX: Final = 22.0
LEAST_PX: Final = 1.5


@dataclass(frozen=True, slots=True)
class Stream:
    """A stream between stages: its path, how wide, what is written at it, what it is."""

    path: str
    width: float
    words: str
    x: float
    y: float
    anchor: str
    kind: str


@dataclass(frozen=True, slots=True)
class Box:
    """A stage at its place."""

    x: float
    y: float
    width: float
    height: float
    running: Running


@dataclass(frozen=True, slots=True)
class Cascade:
    """The whole drawing."""

    boxes: Sequence[Box]
    streams: Sequence[Stream]
    width: float
    height: float


def draw_cascade(system: System | None) -> Cascade | None:
    """Draw a system; None where it could not be worked out."""
    if system is None:
        return None
    count = len(system.stages)
    pitch = (WIDTH - LEFT - BOX_W - 150) / max(count - 1, 1)
    pitch = min(pitch, 270.0)
    drop = RISE * 0.62 if pitch > BOX_W else RISE  # many stages stand over each other, and each below the one before
    boxes = [Box(LEFT + pitch * at, TOP + drop * at, BOX_W, BOX_H, one) for at, one in enumerate(system.stages)]
    most = max(one.fed_bdt_per_h for one in system.stages)

    def wide(bd: float) -> float:
        return max(LEAST_PX, WIDEST_PX * bd / most)

    first = boxes[0]
    came = first.running.fed_bdt_per_h - sum(
        one.accept_bdt_per_h for one in system.stages if one.accept_to == 0
    ) - sum(one.reject_bdt_per_h for one in system.stages if one.reject_to == 0)  # fmt: skip
    mid = first.y + 30
    streams = [
        Stream(f"M4 {mid:.1f}L{first.x:.1f} {mid:.1f}", wide(came), f"{came:.2f} BDt/h →", 4, mid - 16, "start", "feed")
    ]
    for box in boxes:
        streams += [_accepts(box, boxes, wide), _rejects(box, boxes, wide)]
    height = boxes[-1].y + BOX_H + 58
    return Cascade(boxes, streams, WIDTH, height)


def _accepts(box: Box, boxes: Sequence[Box], wide: Callable[[float], float]) -> Stream:
    one = box.running
    words = f"{one.accept_bdt_per_h:.2f} BDt/h, {one.accept_consistency_pct:.2f} %"
    width = wide(one.accept_bdt_per_h)
    right = box.x + box.width
    if one.accept_to < 0:
        y = box.y + 26
        return Stream(
            f"M{right:.1f} {y:.1f}L{WIDTH - 4:.1f} {y:.1f}",
            width,
            f"accepts {words} →",
            WIDTH - 4,
            y - 16,
            "end",
            "accept",
        )
    goes = boxes[one.accept_to]
    x1, y1, x2, y2 = box.x, box.y + 24, goes.x + 0.72 * goes.width, goes.y + goes.height
    path = f"M{x1:.1f} {y1:.1f}C{x1 - 40:.1f} {y1:.1f} {x2:.1f} {y2 + 40:.1f} {x2:.1f} {y2:.1f}"
    return Stream(path, width, f"← {words}", x2 - 14, y2 + 34, "end", "accept")


def _rejects(box: Box, boxes: Sequence[Box], wide: Callable[[float], float]) -> Stream:
    one = box.running
    words = f"{one.reject_bdt_per_h:.2f} BDt/h, {one.reject_consistency_pct:.2f} %"
    width = wide(one.reject_bdt_per_h)
    if one.reject_to < 0:
        x, y = box.x + 0.5 * box.width, box.y + box.height
        return Stream(f"M{x:.1f} {y:.1f}L{x:.1f} {y + 40:.1f}", width, f"out {words}", x + 12, y + 34, "start", "lost")
    goes = boxes[one.reject_to]
    x1, y1, x2, y2 = box.x + box.width, box.y + 0.74 * box.height, goes.x + 0.3 * goes.width, goes.y
    path = f"M{x1:.1f} {y1:.1f}C{x2:.1f} {y1:.1f} {x2:.1f} {y1:.1f} {x2:.1f} {y2:.1f}"
    return Stream(path, width, words, x2 + 10, y1 - 6, "start", "reject")
