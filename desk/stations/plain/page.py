"""A station: the state sentence, now, set, log, cautions. One shape for all of them."""

from collections.abc import Sequence
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from desk.floor.models import Record
from desk.floor.state import State
from desk.floor.station import station_for, stations
from desk.frame.alike import alike, new_key
from desk.frame.cards import size_of
from desk.frame.page import asks, named, on_line
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import Stood, attempt, picks_of, stand
from desk.frame.words import lower_first
from desk.stations.plain.panels import PROCESS_PANELS
from stock.tag import Tag
from stock.units import said


@on_line
@alike
def page(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show a station: its own first page where its kind has one on this line, else the plain one."""
    stop = next((one for one in state.line.stations if one.id == station_id), None)
    if stop is None:
        message = f"{state.line.mill} has no station {station_id}."
        raise Http404(message)
    home = station_for(state.line, stop.kind).home
    return home(request, state, station_id) if home is not None else show(request, state, station_id)


def show(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show a station that has nothing of its own."""
    context = station_context(state, station_id)
    return render_page(request, state, "station/page.html", context, here=station_id)


def station_context(state: State, station_id: str, chosen: str = "") -> dict[str, Any]:
    """Return what a station page shows; `chosen` is the panel asked for, where it has several."""
    tags = [tag for tag in state.tags_of(station_id) if tag.id not in state.line.cook.sensors]
    readings = [state.readings[tag.id] for tag in tags if tag.id in state.readings]
    advice = state.advice_for(tags)
    panels = panels_of(state, station_id)
    return {
        "station": state.line.station(station_id),
        "readings": readings,
        "missing": [tag for tag in tags if tag.id not in state.readings],
        "advice": [(card, size_of(card)) for card in advice],
        "quiet": state.quiet_for(tags),
        "drifting": [state.drifting[tag.id] for tag in tags if tag.id in state.drifting],
        "sentence": station_sentence(state, station_id, tags),
        **panels_shown(state, panels, chosen),
        "records": recent(state, station_id),
        "trend_tag": _trend_tag(state, tags),
        "loads": [load for load in state.result.loads if load.station == station_id],
        "note_key": new_key(),
    }


def panels_shown(state: State, panels: Sequence[Stood], chosen: str = "") -> dict[str, Any]:
    """Return the panel that is open, and what can be picked instead of it."""
    if not panels:
        return {"picks": [], "panel": None}
    open_ = _chosen(state, panels, chosen)
    return {"picks": picks_of(panels, open_), "panel": attempt(open_, {})}


def panels_of(state: State, station_id: str) -> list[Stood]:
    """Return the set panels of the plain stations that belong to a station's units."""
    units = [unit for unit in state.line.units if unit.station == station_id]
    return stand(state, PROCESS_PANELS, units)


def _chosen(state: State, panels: Sequence[Stood], chosen: str) -> Stood:
    """Return the panel asked for, else that of a unit that is off, else the first."""
    off = {state.line.part(reading.tag.of).id for reading in state.off}
    return next(
        (one for one in panels if one.id == chosen),
        next((one for one in panels if one.place.part.id in off), panels[0]),
    )


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
    running = f"{loads[0].unit} at {said(loads[0].bdt_per_h, 'BDt/h', 1)}" if loads else station.name
    for load in loads[1:3]:
        running += f", {lower_first(load.unit)} at {said(load.bdt_per_h, 'BDt/h', 1)}"
    if not off:
        return f"{running}. {quiet_words(state, tags)}"
    worst = off[0]
    value = f"{worst.value:.{worst.tag.decimals}f} {worst.tag.unit}".strip()
    more = f" {len(off) - 1} more out of band." if len(off) > 1 else ""
    return f"{running}. {worst.tag.name} is {value}, {worst.verdict.words}.{more}"


def quiet_words(state: State, tags: Sequence[Tag]) -> str:
    """Say that nothing is off, as far as anything is measured."""
    seen = [tag for tag in tags if tag.id in state.readings]
    if not tags:
        return "Nothing is measured here."
    if not seen:
        return "Nothing was measured yet."
    missing = len(tags) - len(seen)
    words = "Everything is in its band" if not missing else "What is measured is in its band"
    return f"{words}." if not missing else f"{words}; {missing} of {len(tags)} were not measured yet."


def recent(state: State, station_id: str, most: int = 6) -> list[Record]:
    """Return the newest entries of a station."""
    rows = Record.objects.filter(world=state.world, station=station_id, at__lte=state.now, superseded_by=None)
    return named(state, rows.select_related("by").order_by("-at", "-id")[:most])


@on_line
@asks
def set_points(request: HttpRequest, state: State, station_id: str, panel_id: str) -> HttpResponse:
    """Work out a panel for what was typed; what was typed comes back, right or wrong."""
    panel_name, _, part_id = panel_id.partition("-")
    part = state.line.parts.get(part_id)
    offered = [panel for station in stations() for panel in station.panels if panel.id == panel_name]
    stood = stand(state, offered, [part]) if part is not None else []
    if not stood:
        raise Http404
    context = {"panel": attempt(stood[0], request.POST), "station": state.line.station(station_id), "typed": True}
    return render(request, "station/_set_result.html", {**context, "world": state.world, "state": state})


@on_line
def panel(request: HttpRequest, state: State, station_id: str, panel_id: str) -> HttpResponse:
    """Answer with one panel of a station that has several."""
    panels = panels_of(state, station_id)
    if all(one.id != panel_id for one in panels):
        raise Http404
    context = panels_shown(state, panels, panel_id)
    context |= {"station": state.line.station(station_id), "world": state.world, "state": state, "picked": True}
    return render(request, "station/_panels.html", context)
