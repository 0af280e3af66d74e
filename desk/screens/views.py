"""Small answers shared by the screens: home, the working, a trend."""

import math
from datetime import timedelta

from django.db import connection
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from desk.floor.models import World, epoch
from desk.floor.state import State
from desk.frame.page import on_line, page
from desk.frame.units import as_read
from desk.screens.working import find
from stock.figure import Figure

BUCKETS = 240


def home(request: HttpRequest) -> HttpResponse:
    """Go to the live line."""
    world = World.objects.filter(kind=World.Kind.LIVE).order_by("pk").first()
    if world is None:
        raise Http404
    return redirect("line", world_slug=world.slug)


def lines(request: HttpRequest) -> HttpResponse:
    """Show the lines there are, to go to one."""
    return render(request, "people/lines.html", {"worlds": World.objects.order_by("pk")})


def _deeper(shown: Figure, name: str) -> Figure:
    """Return the computed number an argument came from."""
    figure = shown.data[name].figure
    if figure is None:
        raise LookupError(name)
    return figure


@on_line
def working(request: HttpRequest, state: State) -> HttpResponse:
    """Show the working of one number; `path` walks into the computed numbers it was made from."""
    try:
        shown = find(state, request.GET.get("of", ""))
        trail = [shown]
        for name in filter(None, request.GET.get("path", "").split("/")):
            trail.append(_deeper(trail[-1], name))
    except LookupError:
        raise Http404 from None
    context = {"figure": trail[-1], "root": shown, "trail": trail, "path": request.GET.get("path", "").strip("/")}
    if getattr(request, "htmx", False):
        return render(request, "components/_working.html", {**context, "world": state.world, "state": state})
    context["sentence"] = f"{shown.label[:1].upper()}{shown.label[1:]}: how it was worked out."
    return page(request, state, "components/_working.html", context)


@on_line
def trend(request: HttpRequest, state: State, tag_id: str) -> HttpResponse:
    """Return a tag's last hours as JSON for a chart, thinned, with the laboratory's points beside it."""
    try:
        tag = state.line.tag(tag_id)
    except LookupError:
        raise Http404 from None
    try:
        asked = float(request.GET.get("hours", "8"))
    except ValueError:
        asked = 8.0
    hours = min(336.0, max(0.5, asked)) if math.isfinite(asked) else 8.0
    since = epoch(state.now - timedelta(hours=hours))
    width = max(1, int(hours * 3600 / BUCKETS))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT at_s / %s * %s, avg(value) FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s > %s AND at_s <= %s AND value IS NOT NULL"
            " GROUP BY 1 ORDER BY 1",
            [width, width, state.world.pk, tag.id, since, epoch(state.now)],
        )
        live = cursor.fetchall()
    lab = [
        (int(at.timestamp()), value)
        for at, value in state.world.record_set.filter(
            tag=tag.id, kind="reading", superseded_by=None, at__gt=state.now - timedelta(hours=hours), at__lte=state.now
        )
        .order_by("at")
        .values_list("at", "value")
    ]

    def turned(value: float | None) -> tuple[float, str]:
        return as_read(request, value or 0.0, tag.unit)

    band = None
    if tag.band is not None:
        control = [turned(edge)[0] for edge in tag.band.control]
        band = {"control": control, "target": turned(tag.band.target)[0]}
    offset = timezone.localtime(state.now).utcoffset()
    return JsonResponse(
        {
            "name": tag.name,
            "unit": turned(0.0)[1],
            "decimals": tag.decimals,
            "live": [[at for at, _ in live], [round(turned(value)[0], 4) for _, value in live]],
            "lab": [[at for at, _ in lab], [round(turned(value)[0], 4) for _, value in lab]],
            "band": band,
            "offset_s": int(offset.total_seconds()) if offset else 0,
        }
    )
