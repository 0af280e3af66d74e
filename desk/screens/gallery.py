"""Components in every state, for those who build screens."""

from datetime import UTC, datetime

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse

from desk.floor.models import World
from desk.floor.reading import Reading
from desk.floor.state import State
from desk.frame.cards import size_of
from desk.frame.page import named
from desk.frame.page import page as render_page
from desk.screens.line import Mark, vat_fill
from stock.figure import Origin
from stock.judge.limits import judge
from stock.line.drawing import Node


def _marks() -> list[Mark]:
    """Return a gate and a vat in each state, at levels of their own."""
    marks = []
    for index, (level, filled) in enumerate((("ok", 0.7), ("outside", 0.3), ("act", 0.1))):
        gate = Node("gate", "Gate", "wash", "gate", "", 50 + 70 * index, 36, 0)
        vat = Node("vat", "Vat", "wash", "vat", "", 270 + 70 * index, 36, 0)
        marks += [Mark(gate, None, level), Mark(vat, None, level, vat_fill(filled), (-12.0, 24.0))]
    return marks


def page(request: HttpRequest) -> HttpResponse:
    """Show each component quiet, outside its band and past its action limit."""
    if not settings.FOX_GALLERY:
        raise Http404
    world = World.objects.select_related("version").order_by("pk").first()
    if world is None:
        raise Http404
    state = State(world)
    tag = next(tag for tag in state.line.tags if tag.band is not None and tag.live)
    vessel = next(iter(state.vessels))
    at = datetime(2026, 1, 1, 14, 5, tzinfo=UTC)
    origin = Origin("measured", "shear transmitter", at)
    band = tag.band
    assert band is not None
    high, act = band.control[1], band.action[1]
    values = (band.target, (high + act) / 2, act + (act - high), act + 1.2 * (act - high))
    readings = [
        Reading(tag, value, at, origin, judge(tag, value), "no reading for 7 min" if value == values[-1] else "")
        for value in values
    ]
    context = {
        "readings": readings,
        "advice": [(card, size_of(card)) for card in state.advice[:2]],
        "station": state.line.stations[1],
        "sentence": "Every component, in every state.",
        "marks_shown": _marks(),
        "figure": state.cover(vessel),
        "root": state.cover(vessel),
        "trail": [state.cover(vessel)],
        "path": "",
        "records": named(state, world.record_set.select_related("by").order_by("-at")[:3]),
        "tag": tag,
    }
    return render_page(request, state, "gallery/page.html", context)
