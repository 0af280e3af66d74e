"""Components in every state, for those who build screens."""

from dataclasses import replace
from datetime import UTC, datetime

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404

from desk.floor.models import World
from desk.floor.state import Reading, State
from desk.stations.frame import named
from desk.stations.frame import page as render_page
from stock.figure import Origin
from stock.judge.limits import judge


def page(request: HttpRequest) -> HttpResponse:
    """Show each component quiet, outside its band and past its action limit."""
    if not settings.FOX_GALLERY:
        raise Http404
    world = get_object_or_404(World.objects.select_related("version"), slug="live")
    state = State(world)
    tag = state.line.tag("brown_cons")
    at = datetime(2026, 1, 1, 14, 5, tzinfo=UTC)
    origin = Origin("measured", "shear transmitter", at)
    readings = [
        Reading(tag, value, at, origin, judge(tag, value), "no reading for 7 min" if value == 3.95 else "")
        for value in (3.5, 3.64, 3.9, 3.95)
    ]
    context = {
        "readings": readings,
        "advice": [(card, replace(card.size, key=f"advice:{card.rule}")) for card in state.advice[:2]],
        "station": state.line.stations[1],
        "sentence": "Every component, in every state.",
        "records": named(state, world.record_set.select_related("by").order_by("-at")[:3]),
        "tag": tag,
    }
    return render_page(request, state, "gallery/page.html", context)
