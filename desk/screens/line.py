"""Line: the whole of it, large, with one sentence a tributary."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from desk.floor.next_up import pressing
from desk.floor.parts import SILENT
from desk.floor.state import State
from desk.floor.station import Told, stations
from desk.frame.alike import alike
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from desk.frame.words import lower_first, number_word, rate_text
from stock.figure import Figure
from stock.line.drawing import Lane, Node, draw_line
from stock.primitives import Source, Store
from stock.tag import Tag

WIDTH, HEIGHT = 962, 518
VAT_H, VAT_HALF = 48.0, 24.0
COURSE_X, COURSE_PX_PER_H = 26.0, 1.4  # where the hours to come are drawn beside a vat


@dataclass(frozen=True, slots=True)
class Mark:
    """A node with what is written at it."""

    node: Node
    figure: Figure | None
    level: str
    fill: str = ""
    rule: tuple[float, float] | None = None
    old: bool = False  # its signal is not to be trusted: shown grey
    course: str = ""  # where its level goes in the hours to come
    course_words: str = ""
    gathers: Figure | None = None  # what runs on from where a stream has grown

    @property
    def above(self) -> float:
        """How far over the stream the number stands."""
        return max(29.0, self.node.half_width + 6)

    @property
    def said(self) -> str:
        """Its state in words, after its name."""
        return {"act": ", act now", "outside": ", outside its band"}.get(self.level, "")

    @property
    def below(self) -> float:
        """How far under the stream the name stands."""
        return max(37.0, self.node.half_width + 13)


@on_line
@alike
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the line."""
    drawing = draw_line(state.line, state.flows, width=WIDTH, height=HEIGHT)
    context = {
        "drawing": drawing,
        "nodes": [replace(mark(state, node), gathers=_gathers(state, node, drawing.nodes)) for node in drawing.nodes],
        "arrow": f"M{drawing.end_x:.1f} {drawing.end_y - drawing.end_half - 9:.1f}"
        f"L{drawing.end_x + 24:.1f} {drawing.end_y:.1f}L{drawing.end_x:.1f} {drawing.end_y + drawing.end_half + 9:.1f}Z",
        "lanes": [_lane(state, lane) for lane in drawing.lanes],
        "sentence": sentence(state),
        "stories": stories(state),
        "grade": state.line.grade(state.order.grade),
    }
    return render_page(request, state, "line/page.html", context, here="line")


GROWN: Final = 1.05  # a stream so much wider than at its source is told anew


def _gathers(state: State, node: Node, drawn: Sequence[Node]) -> Figure | None:
    """Return what runs on from the first gate at which a stream is wider than it began; None elsewhere."""
    graph, gates = state.line.graph, {one.unit for one in drawn}

    def grown(unit_id: str) -> bool:
        onward, way = graph.onward(unit_id), list(graph.upstream(unit_id))
        begins = graph.onward(way[-1].id) if way else None
        if onward is None or begins is None or not isinstance(way[-1], (Source, Store)):
            return False
        return state.flows.get(onward.id, 0.0) > GROWN * state.flows.get(begins.id, 0.0) > 0

    if node.kind != "gate" or not grown(node.unit):
        return None
    if any(one.id in gates and grown(one.id) for one in graph.upstream(node.unit)):
        return None
    onward = graph.onward(node.unit)
    return None if onward is None else state.flow_figure(onward.id, f"after {lower_first(node.name)}")


def mark(state: State, node: Node) -> Mark:
    """Return what is written at a gate or a vat: one number, or the cover."""
    reading = state.readings.get(node.tag)
    level = reading.verdict.level if reading else "ok"
    if node.kind == "gate":
        shown = reading.as_figure() if reading else None
        if shown is not None and reading is not None and not shown.unit:  # a bare number says what it is of
            shown = replace(shown, unit=lower_first(reading.tag.short))
        return Mark(node, shown, level, old=bool(reading and reading.trouble))
    unit = state.vessels[node.unit]
    band = (unit.low_pct / 100, unit.high_pct / 100)
    if reading is not None and reading.tag.band is not None:
        low, high = reading.tag.band.control
        band = (low / 100, high / 100)
    cover = state.cover(node.unit)
    filled = (reading.value if reading else 0.0) / 100
    rule = (VAT_HALF - VAT_H * band[1], VAT_H * (band[1] - band[0]))
    old = bool(reading and reading.trouble)
    course = [] if old else _courses(state).get(node.unit, [])
    return Mark(node, cover, level, vat_fill(filled), rule, old, course_path(course), _course_words(course))


def _courses(state: State) -> Mapping[str, Sequence[tuple[float, float]]]:
    if "courses" not in state.kept:
        state.kept["courses"] = {unit: told for one in stations() for unit, told in one.courses(state).items()}
    found: Mapping[str, Sequence[tuple[float, float]]] = state.kept["courses"]
    return found


def course_path(course: Sequence[tuple[float, float]]) -> str:
    """Return the path of a level's hours to come, beside its vat and to the same scale."""
    points = [
        f"{COURSE_X + COURSE_PX_PER_H * max(at, 0.0):.1f} {VAT_HALF - VAT_H * min(max(level, 0.0), 100.0) / 100:.1f}"
        for at, level in course
    ]
    return "M" + "L".join(points) if len(points) > 1 else ""


def _course_words(course: Sequence[tuple[float, float]]) -> str:
    return f"in {course[-1][0] + 0.5:.0f} h {course[-1][1]:.0f} %" if len(course) > 1 else ""


def vat_fill(filled_frac: float) -> str:
    """Return the path of a vat's contents: the tub cut off at its level."""
    y = VAT_HALF - VAT_H * min(1.0, max(0.0, filled_frac))
    half = 17 - 4.5 * (y + VAT_HALF) / VAT_H
    if y > VAT_HALF - 4:
        return f"M-10 {y:.1f}L10 {y:.1f}L8 24L-8 24Z"
    return f"M{-half:.1f} {y:.1f}L{half:.1f} {y:.1f}L12.7 20Q12.2 24 8 24L-8 24Q-12.2 24 -12.7 20Z"


def _lane(state: State, lane: Lane) -> dict[str, Any]:
    """Return a tributary with its flow at the start, and where it joins if much was lost between."""
    start = state.flow_figure(lane.source_stream, f"{lane.name}, from the source")
    joined = state.flow_figure(lane.last_stream, f"{lane.name} to the blend")
    lost = joined.value < 0.9 * start.value
    source = state.line.unit(state.line.stream(lane.source_stream).source)
    words = lower_first(source.label or source.name)
    of = "" if lane.name.lower() in words.lower() else words
    return {"lane": lane, "of": of, "start": start, "joined": joined if lost else None}


def sentence(state: State) -> str:
    """Say how the line is, and the one thing that needs a person."""
    order = state.order
    grade = state.line.grade(order.grade)
    opening = f"{rate_text(order.reel_t_per_h)} of {grade.name} to the machine."
    needing = [reading for reading, _ in pressing(state)]
    for station in stations():
        if words := station.urgent(state):
            return f"{opening} {words}"
    if state.newest is not None and state.now - state.newest > SILENT:
        at = timezone.localtime(state.newest)
        return f"{opening} No reading has come since {at:%H:%M}: what is shown is as it was then."
    if not state.readings:
        return f"{opening} Nothing has been measured yet."
    if not needing and not state.off:
        return f"{opening} Nothing needs you now."
    if len(needing) == 1:
        return f"{opening} One thing needs you: {lower_first(needing[0].tag.name)} is {needing[0].verdict.words}."
    if needing:
        first = needing[0]
        return f"{opening} {number_word(len(needing))} things need you, first {lower_first(first.tag.name)}: {first.verdict.words}."
    return f"{opening} {state.off[0].tag.name} is {state.off[0].verdict.words}; nothing to move yet."


def stories(state: State) -> list[Told]:
    """Return a line of words for each part of the line: the stations that tell themselves, then each family, then the blend."""
    told = [found for station in stations() if (found := station.story(state)) is not None]
    own = {tag.id for tag in state.line.tags if any(station_tells(state, tag, one) for one in told)}
    leads = {family: words for station in stations() for family, words in station.leads(state).items()}
    blend = state.line.graph.blend
    for family in state.line.families:
        parts: set[str] = set()
        for unit in state.line.units:
            if isinstance(unit, (Source, Store)) and unit.family == family.id:
                parts |= _on_the_way(state, unit.id, blend.id)
        told.append(_told(state, family.name, parts, leads.get(family.id, ""), own))
    told.append(_told(state, blend.label or "Blend", _on_the_way(state, blend.id, ""), "", own))
    return [one for one in told if one.lead or one.readings or one.off]


def station_tells(state: State, tag: Tag, told: Told) -> bool:
    """Whether a station that tells itself has told this tag."""
    return state.line.station(tag.station).name == told.name


def _on_the_way(state: State, start: str, end: str) -> set[str]:
    """Return the parts from one unit to another: units, and the streams stock goes on in."""
    graph = state.line.graph
    parts = {start}
    onward = graph.onward(start)
    parts |= {onward.id} if onward else set()
    for unit in graph.downstream(start):
        if unit.id == end:
            break
        onward = graph.onward(unit.id)
        parts |= {unit.id} | ({onward.id} if onward else set())
    return parts


def _told(state: State, name: str, parts: set[str], lead: str, told: set[str]) -> Told:
    """Tell what is read on a way: what is off, and of the rest what is always told."""
    readings = [
        state.readings[tag.id]
        for tag in state.line.tags
        if tag.of in parts and tag.id in state.readings and tag.id not in told
    ]
    off = [one for one in readings if one.verdict.level != "ok"]
    quiet = [one for one in readings if one not in off and is_told(state, one.tag)]
    return Told(name, lead, quiet, off)


def is_told(state: State, tag: Tag) -> bool:
    """Whether the stories tell a tag that is in its band."""
    point = state.line.part(tag.of).points_of_kind().get(tag.reads)
    return point is not None and point.told
