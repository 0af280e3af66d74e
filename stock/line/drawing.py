"""The line drawn from its own graph: streams that join, gates across them, vats on them.

Nothing is placed by hand. Each fibre source is followed to the blend; the steps on the
way are layered by their distance to it (the large drawing) or by their station (the
ribbon). Widths are bone-dry tonnes an hour on one scale.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stock.line.definition import Definition
from stock.primitives import Mark, Mix, Source, Split, Store


@dataclass(frozen=True, slots=True)
class Node:
    """A gate or a vat, at its place on a stream."""

    unit: str
    name: str
    station: str
    kind: Mark
    tag: str
    x: float
    y: float
    half_width: float


@dataclass(frozen=True, slots=True)
class Ribbon:
    """A filled stream of one family, in its tone."""

    tone: str
    path: str


@dataclass(frozen=True, slots=True)
class Lane:
    """The label of a tributary, with the streams at its start and where it joins the blend."""

    family: str
    name: str
    x: float
    y: float
    half: float
    source_stream: str
    last_stream: str
    last_x: float
    last_half: float


@dataclass(frozen=True, slots=True)
class Drawing:
    """Everything to draw, in user units of a width x height box."""

    width: float
    height: float
    ribbons: tuple[Ribbon, ...]
    nodes: tuple[Node, ...]
    lanes: tuple[Lane, ...]
    end_x: float
    end_y: float
    end_half: float


@dataclass(frozen=True, slots=True)
class _Step:
    unit: Any
    stream: str  # what leaves it
    beside: bool = False  # on the other branch of a split that comes together again


def _walks(line: Definition) -> tuple[list[list[_Step]], list[_Step]]:
    """Return each source's steps up to the blend, and the steps from the blend to the reel."""
    units = {unit.id: unit for unit in line.units}
    leaving: dict[str, list[str]] = {}
    for stream in line.streams:
        leaving.setdefault(stream.source, []).append(stream.id)

    def onward(start: Any) -> list[_Step]:
        steps: list[_Step] = []
        unit = start
        while True:
            out = unit.fibre_leaves_by(leaving.get(unit.id, []))
            if out is None:
                return steps
            steps.append(_Step(unit, out))
            unit = units[line.graph.streams[out].target]
            if isinstance(unit, Mix) and unit.recipe and unit is not start:
                return steps

    def with_branches(steps: list[_Step]) -> list[_Step]:
        places = {step.unit.id: index for index, step in enumerate(steps)}
        for index, step in reversed(list(enumerate(steps))):
            rest = line.graph.streams.get(step.unit.rest) if isinstance(step.unit, Split) else None
            branch = onward(units[rest.target]) if rest is not None else []
            joins = next((at for at, other in enumerate(branch) if places.get(other.unit.id, 0) > index), None)
            if joins is not None:
                at = places[branch[joins].unit.id]
                steps[at:at] = [_Step(one.unit, one.stream, beside=True) for one in branch[:joins]]
        return steps

    sources = [unit for unit in line.units if isinstance(unit, (Source, Store)) and unit.family]
    order = {family.id: index for index, family in enumerate(line.families)}
    sources.sort(key=lambda unit: order[unit.family or ""])
    blend = next(unit for unit in line.units if isinstance(unit, Mix) and unit.recipe)
    return [with_branches(onward(source)) for source in sources], onward(blend)


def _drawn(steps: Sequence[_Step]) -> list[_Step]:
    return [step for step in steps if step.unit.mark]


def draw_line(line: Definition, flows_bdt_per_h: Mapping[str, float], *, width: float, height: float) -> Drawing:
    """Return the large drawing: steps layered by distance to the blend.

    Parameters
    ----------
    flows_bdt_per_h : mapping
        Bone-dry flow of each stream, from the balance.
    width, height : float
        The box to fill.
    """
    walks, trunk = _walks(line)
    longest = max(len(_drawn(steps)) for steps in walks)
    left, join = 80.0, width - 232.0
    pitch = (join - left) / (longest + 0.4)

    def place(steps: Sequence[_Step]) -> list[float]:
        count = len(steps)
        return [join - pitch * (count - index - 0.15) for index in range(count)]

    trunk_nodes = [step for step in _drawn(trunk) if step.unit.mark == "vat"]
    trunk_x = [join + 88 + index * 74 for index in range(len(trunk_nodes))]
    return _compose(
        line, flows_bdt_per_h, walks, trunk_nodes, place, trunk_x, width, height, left=36, join=join, end=width - 36
    )


def draw_ribbon(line: Definition, flows_bdt_per_h: Mapping[str, float], *, width: float, height: float) -> Drawing:
    """Return the small drawing: steps under their stations, evenly spaced."""
    walks, trunk = _walks(line)
    columns = ribbon_columns(line, width)

    def place(steps: Sequence[_Step]) -> list[float]:
        totals: dict[str, int] = {}
        for step in steps:
            totals[step.unit.station] = totals.get(step.unit.station, 0) + 1
        seen: dict[str, int] = {}
        xs = []
        for step in steps:
            station = step.unit.station
            index = seen.get(station, 0)
            seen[station] = index + 1
            xs.append(columns[station] + 26 * (index - (totals[station] - 1) / 2))
        return xs

    trunk_nodes = [step for step in _drawn(trunk) if step.unit.mark == "vat"]
    trunk_x = [columns[step.unit.station] for step in trunk_nodes]
    blend = next(unit.station for unit in line.units if isinstance(unit, Mix) and unit.recipe)
    before = width / len(columns)
    join = max(0.3 * width, columns[blend] - before + 34) if blend in columns else width * 0.7
    return _compose(
        line, flows_bdt_per_h, walks, trunk_nodes, place, trunk_x, width, height, left=8, join=join, end=width - 8
    )


def ribbon_columns(line: Definition, width: float) -> dict[str, float]:
    """Return the centre of each station's column on the ribbon."""
    step = width / len(line.stations)
    return {station.id: step * (index + 0.5) for index, station in enumerate(line.stations)}


def _compose(
    line: Definition,
    flows: Mapping[str, float],
    walks: Sequence[Sequence[_Step]],
    trunk: Sequence[_Step],
    place: Any,
    trunk_x: Sequence[float],
    width: float,
    height: float,
    *,
    left: float,
    join: float,
    end: float,
) -> Drawing:
    finals = [flows.get(steps[-1].stream, 0.0) for steps in walks]
    widest = max(max(flows.get(step.stream, 0.0) for step in steps) for steps in walks)
    scale = min(0.115 * height / max(widest, 1e-9), 0.15 * height / max(sum(finals), 1e-9))
    lanes_y = _lane_heights(walks, height)
    middle = height * 0.46
    top = middle - sum(finals) * scale / 2
    tones = {one.id: one.tone for one in line.families}
    ribbons, nodes, lanes = [], [], []
    for steps, y, final in zip(walks, lanes_y, finals, strict=True):
        family = steps[0].unit.family
        shown = _drawn(steps)
        xs = place(shown)
        way = [step for step in steps if not step.beside]
        on_way = [step for step in shown if not step.beside]
        way_xs = [x for step, x in zip(shown, xs, strict=True) if not step.beside]
        start = left if len(shown) > 1 else max(left, xs[0] - 0.24 * width)
        half_end = final * scale / 2
        ribbons.append(
            Ribbon(
                tones[family],
                _lane_path(way, on_way, way_xs, flows, scale, start, y, join, end, top + half_end, half_end),
            )
        )
        top += 2 * half_end
        for step, x in zip(shown, xs, strict=True):
            nodes.append(_node(step, x, y, flows.get(step.stream, 0.0) * scale / 2))
        name = next(f.name for f in line.families if f.id == family)
        same = [other for other in walks if other[0].unit.family == family]
        half_start = flows.get(steps[0].stream, 0.0) * scale / 2
        label = name if len(same) == 1 else steps[0].unit.name
        lanes.append(Lane(family, label, start, y, half_start, steps[0].stream, steps[-1].stream, join, half_end))
    half = sum(finals) * scale / 2
    nodes += [_node(step, x, middle, half) for step, x in zip(trunk, trunk_x, strict=True)]
    return Drawing(width, height, tuple(ribbons), tuple(nodes), tuple(lanes), end, middle, half)


def _lane_heights(walks: Sequence[Sequence[_Step]], height: float) -> list[float]:
    """Share the height out: lanes with more on them get more room."""
    weights = [1.12 if index == 0 else 1.0 for index in range(len(walks))]
    unit = height / sum(weights)
    ys, y = [], 0.0
    for weight in weights:
        ys.append(y + unit * weight * 0.5)
        y += unit * weight
    return ys


def _node(step: _Step, x: float, y: float, half: float) -> Node:
    unit = step.unit
    return Node(unit.id, unit.label or unit.name, unit.station, unit.mark, unit.mark_tag or "", x, y, half)


def _lane_path(
    steps: Sequence[_Step],
    shown: Sequence[_Step],
    xs: Sequence[float],
    flows: Mapping[str, float],
    scale: float,
    start: float,
    y: float,
    join: float,
    end: float,
    end_y: float,
    end_half: float,
) -> str:
    """Trace a stream: along its lane, narrowing where fibre is lost, then into the trunk."""
    halves = [flows.get(steps[0].stream, 0.0) * scale / 2]
    halves += [flows.get(step.stream, 0.0) * scale / 2 for step in shown]
    ease = 12.0
    upper = f"M{start:.1f},{y - halves[0]:.1f}"
    lower = ""
    for x, before, after in zip(xs, halves, halves[1:], strict=False):
        upper += _ease(x - ease, y - before, x + ease, y - after)
        lower = _ease(x + ease, y + after, x - ease, y + before, first=f"L{x + ease:.1f},{y + after:.1f}") + lower
    last = halves[-1]
    bend = (join + 66 - join) / 2
    upper += f"L{join:.1f},{y - last:.1f}C{join + bend:.1f},{y - last:.1f} {join + bend:.1f},{end_y - end_half:.1f} {join + 66:.1f},{end_y - end_half:.1f}"
    upper += (
        f"L{end:.1f},{end_y - end_half:.1f}L{end:.1f},{end_y + end_half:.1f}L{join + 66:.1f},{end_y + end_half:.1f}"
    )
    back = f"C{join + bend:.1f},{end_y + end_half:.1f} {join + bend:.1f},{y + last:.1f} {join:.1f},{y + last:.1f}"
    return f"{upper}{back}{lower}L{start:.1f},{y + halves[0]:.1f}Z"


def _ease(x1: float, y1: float, x2: float, y2: float, first: str = "") -> str:
    middle = (x1 + x2) / 2
    head = first or f"L{x1:.1f},{y1:.1f}"
    return f"{head}C{middle:.1f},{y1:.1f} {middle:.1f},{y2:.1f} {x2:.1f},{y2:.1f}"
