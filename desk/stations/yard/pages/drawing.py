"""The piles drawn as they lie: to scale on one ground line, cut by age, feeding the stream to the digesters."""

from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from desk.stations.yard.stock import Pile, YardNow
from stock.figure import Figure
from stock.intake.definition import PileDef
from stock.intake.piles import AGE_BANDS_D
from stock.judge.here import Place

WIDTH, HEIGHT = 962, 222
GROUND_Y: Final = 108.0
GAP: Final = 22.0
LEAST_WIDE: Final = 96.0
LAST_WORDS: Final = 60.0  # what is written at the last of many narrow piles is wider than it
M_HIGH: Final = 8.0  # user units a metre of height
STREAM: Final = 2.1  # user units a BDt/h
BELT_Y: Final = GROUND_Y + 62


@dataclass(frozen=True, slots=True)
class Slice:
    """One band of age in a pile."""

    path: str
    band: int


@dataclass(frozen=True, slots=True)
class Drawn:
    """A pile as drawn, with what is written at it."""

    pile: Pile
    outline: str
    full: str
    slices: tuple[Slice, ...]
    x: float
    top: float
    level: str
    stock: Figure | None
    rate: float
    feed: str
    full_pct: float
    cover: Figure | None
    tone: str
    second: bool

    @property
    def said(self) -> str:
        """What it holds, said after its name."""
        return f"{self.pile.bdt:.0f} BDt, {self.full_pct:.0f} % full"


@dataclass(frozen=True, slots=True)
class Belt:
    """What runs from the piles to a cook, with where its number stands."""

    tone: str
    path: str
    x: float
    y: float
    flow: Figure


@dataclass(frozen=True, slots=True)
class YardDrawing:
    """The whole yard."""

    piles: tuple[Drawn, ...]
    belts: tuple[Belt, ...]
    width: float = WIDTH
    height: float = HEIGHT
    ground: float = GROUND_Y


def draw_yard(yard: YardNow, rates: dict[str, float]) -> YardDrawing:
    """Lay the piles out side by side; heights are on one scale, widths on another from a least width on."""
    streams = list(dict.fromkeys(pile.part.stream for pile in yard.piles.values()))
    piles = sorted(yard.piles.values(), key=lambda pile: streams.index(pile.part.stream))
    parts = [pile.part for pile in piles]
    gap = min(GAP, WIDTH / (4 * len(parts) + 2))  # a yard of many piles stands closer
    ground = WIDTH - gap * (len(parts) + 0.5)
    if ground < LEAST_WIDE * len(parts):
        ground -= LAST_WORDS
    least = min(LEAST_WIDE, ground / len(parts))
    scale = (ground - least * len(parts)) / sum(part.length_m for part in parts)
    left = gap / 2
    drawn = []
    for pile in piles:
        wide = least + pile.part.length_m * scale
        drawn.append(_pile(yard, pile, left, wide, rates.get(pile.part.id, 0.0)))
        left += wide + gap
    return YardDrawing(tuple(drawn), _belts(yard, drawn))


def _shape(part_form: str, left: float, wide: float, high: float, filled: float) -> list[tuple[float, float]]:
    """Return the outline of a pile filled to a share: a ridge, or a stack of logs with straight ends."""
    if part_form == "logs":
        wide, high = wide * max(filled, 0.02) ** 0.5, high * max(filled, 0.02) ** 0.5
        slope = 3.0
    else:
        wide, high = wide * max(filled, 0.02) ** (1 / 3), high * max(filled, 0.02) ** (1 / 3)
        slope = min(0.34 * wide, 1.35 * high)
    right = left + wide
    return [(left, GROUND_Y), (left + slope, GROUND_Y - high), (right - slope, GROUND_Y - high), (right, GROUND_Y)]


def _path(points: list[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points) + "Z"


def _top(points: list[tuple[float, float]], x: float) -> float:
    """Return the height of a trapezoid's outline at a place."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = points
    if x <= x1:
        return y0 + (y1 - y0) * (x - x0) / max(x1 - x0, 1e-9)
    if x >= x2:
        return y2 + (y3 - y2) * (x - x2) / max(x3 - x2, 1e-9)
    return y1


def _cuts(points: list[tuple[float, float]], shares: list[float]) -> list[float]:
    """Return where to cut a shape so that each part has its share of the area, from the left."""
    left, right = points[0][0], points[3][0]
    steps = 120
    xs = [left + (right - left) * index / steps for index in range(steps + 1)]
    areas = [0.0]
    for before, after in pairwise(xs):
        areas.append(areas[-1] + (after - before) * (2 * GROUND_Y - _top(points, before) - _top(points, after)) / 2)
    cuts, gone = [left], 0.0
    for share in shares:
        gone += share
        wanted = gone * areas[-1]
        index = next((i for i, area in enumerate(areas) if area >= wanted - 1e-6), steps)
        cuts.append(xs[index])
    cuts[-1] = right
    return cuts


def _slices(points: list[tuple[float, float]], bands: list[float]) -> tuple[Slice, ...]:
    """Cut a pile by age, the oldest at the face it is reclaimed from, on the left."""
    total = sum(bands)
    if total <= 0:
        return ()
    old_first = [(index, mass / total) for index, mass in reversed(list(enumerate(bands))) if mass / total > 0.004]
    cuts = _cuts(points, [share for _, share in old_first])
    slices = []
    for (band, _), x0, x1 in zip(old_first, cuts, cuts[1:], strict=False):
        edge = [(x0, GROUND_Y), (x0, _top(points, x0))]
        edge += [(x, y) for x, y in points[1:3] if x0 < x < x1]
        edge += [(x1, _top(points, x1)), (x1, GROUND_Y)]
        slices.append(Slice(_path(edge), band))
    return tuple(slices)


def _pile(yard: YardNow, pile: Pile, left: float, wide: float, rate: float) -> Drawn:
    part, now = pile.part, yard.state.now
    high = part.height_m * M_HIGH
    filled = min(1.0, pile.bdt / part.capacity_bdt)
    points = _shape(part.form, left, wide, high, filled)
    full = _shape(part.form, left, wide, high, 1.0)
    reading = yard.state.readings.get(part.probe or "")
    level = reading.verdict.level if reading else "ok"
    stock = yard.pile_figure(pile) if pile.lots else None
    x = left + 14
    feed = ""
    if rate > 0 and part.feeds:
        half = max(0.8, rate * STREAM / 2)
        feed = f"M{x - half:.1f} {GROUND_Y:.1f}L{x - half:.1f} {BELT_Y:.1f}L{x + half:.1f} {BELT_Y:.1f}L{x + half:.1f} {GROUND_Y:.1f}Z"
    return Drawn(
        pile, _path(points), _path(full), _slices(points, pile.bands(now)), left, GROUND_Y - high, level, stock, rate, feed,
        100 * filled,
        yard.cover_figure(pile) if part.feeds else None,
        tone_of(yard, part.stream),
        second_species(yard, part),
    )  # fmt: skip


def tone_of(yard: YardNow, stream: str) -> str:
    """Return the tone of the family a stream belongs to."""
    line = yard.state.line
    family = Place(yard.state, line.stream(stream)).source.family
    return next((one.tone for one in line.families if one.id == family), "wood")


def second_species(yard: YardNow, part: PileDef) -> bool:
    """Whether a pile holds another species than the first of its stream."""
    return part.species != next(one.species for one in yard.part.piles if one.stream == part.stream)


def _belts(yard: YardNow, drawn: list[Drawn]) -> tuple[Belt, ...]:
    """Trace the belts: each grows where a pile feeds it, and runs on to the cook."""
    belts = []
    y = BELT_Y
    for stream in dict.fromkeys(one.pile.part.stream for one in drawn):
        fed = [one for one in drawn if one.pile.part.stream == stream and one.feed]
        if not fed:
            continue
        total, upper, lower = 0.0, [], []
        end = min((one.x for one in drawn if one.x > fed[-1].x), default=WIDTH - 6.0) - GAP / 2
        end = WIDTH - 8.0 if end <= fed[-1].x else end
        for one, after in zip(fed, [*fed[1:], None], strict=True):
            total += one.rate * STREAM
            stop = after.x + 14 if after else end
            for x in (one.x + 14 - one.rate * STREAM / 2, stop):
                upper.append((x, y))
                lower.append((x, y + total))
        points = upper + lower[::-1]
        arrow = f"M{end:.1f} {y - 3:.1f}L{end + 9:.1f} {y + total / 2:.1f}L{end:.1f} {y + total + 3:.1f}Z"
        flow = yard.need_figure(stream)
        belts.append(Belt(fed[0].tone, _path(points) + arrow, fed[0].x + 24, y + total + 18, flow))
    return tuple(belts)


BAND_NAMES: Final = tuple(
    f"{low} to {high} d" if high else f"over {low} d"
    for low, high in zip((0, *AGE_BANDS_D), (*AGE_BANDS_D, 0), strict=True)
)
