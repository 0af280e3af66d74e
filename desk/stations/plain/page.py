"""A station: the state sentence, now, set, log, cautions. One shape for all of them."""

from dataclasses import replace
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from desk.floor.models import Record
from desk.floor.state import State
from desk.frame.page import named, new_key, on_line
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import attempt
from desk.frame.words import lower_first
from desk.stations.panels import PANELS
from stock.line.definition import Tag


@on_line
def page(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show a station; the yard and the cook house have pages of their own."""
    if station_id not in {station.id for station in state.line.stations}:
        raise Http404
    if station_id == "cook" and state.line.cook.recipes:
        return redirect("cook_house", world_slug=state.world.slug)
    if station_id == "yard" and state.line.yard is not None:
        from desk.stations.yard.pages import overview

        return overview.show(request, state)
    return render_page(request, state, "station/page.html", station_context(state, station_id), here=station_id)


def station_context(state: State, station_id: str) -> dict[str, Any]:
    """Return what a station page shows."""
    tags = [tag for tag in state.tags_of(station_id) if tag.id not in state.line.cook.sensors]
    readings = [state.readings[tag.id] for tag in tags if tag.id in state.readings]
    advice = state.advice_for(tags)
    return {
        "station": state.line.station(station_id),
        "readings": readings,
        "missing": [tag for tag in tags if tag.id not in state.readings],
        "advice": [(card, replace(card.size, key=f"advice:{card.rule}")) for card in advice],
        "sentence": station_sentence(state, station_id, tags),
        "panel": attempt(state, PANELS[station_id], {}) if station_id in PANELS else None,
        "records": recent(state, station_id),
        "trend_tag": _trend_tag(state, tags),
        "loads": [load for load in state.result.loads if load.station == station_id],
        "note_key": new_key(),
    }


def _trend_tag(state: State, tags: list[Tag]) -> Tag | None:
    """The tag worth a chart: the one that is off, else the first that is live."""
    off = [reading.tag for reading in state.off if reading.tag in tags]
    live = [tag for tag in tags if tag.live]
    return next(iter([*off, *live, *tags]), None)


def station_sentence(state: State, station_id: str, tags: list[Tag]) -> str:
    """Say how the station is in one or two sentences."""
    off = [reading for reading in state.off if reading.tag in tags]
    station = state.line.station(station_id)
    loads = [load for load in state.result.loads if load.station == station_id]
    running = f"{loads[0].unit} at {loads[0].bd_t_per_h:.1f} BDt/h" if loads else station.name
    for load in loads[1:3]:
        running += f", {lower_first(load.unit)} at {load.bd_t_per_h:.1f}"
    if not off:
        return f"{running}. Everything is in its band."
    worst = off[0]
    value = f"{worst.value:.{worst.tag.decimals}f} {worst.tag.unit}".strip()
    more = f" {len(off) - 1} more out of band." if len(off) > 1 else ""
    return f"{running}. {worst.tag.name} is {value}, {worst.verdict.words}.{more}"


def recent(state: State, station_id: str, most: int = 6) -> list[Record]:
    """Return the newest entries of a station."""
    rows = Record.objects.filter(world=state.world, station=station_id, at__lte=state.now, superseded_by=None)
    return named(state, rows.select_related("by").order_by("-at", "-id")[:most])


@on_line
def set_points(request: HttpRequest, state: State, station_id: str, panel_id: str = "") -> HttpResponse:
    """Work out a panel for what was typed; what was typed comes back, right or wrong."""
    name = panel_id or station_id
    if name not in PANELS:
        raise Http404
    context = {"panel": attempt(state, PANELS[name], request.POST), "panel_id": panel_id}
    return render(request, "station/_set_result.html", {**context, "world": state.world, "state": state})
