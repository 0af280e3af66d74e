"""The pages of bleaching and water."""

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.page import asks, on_line
from desk.frame.page import page as render_page
from desk.stations.bleach.again import used_again
from desk.stations.bleach.back import traced_back
from desk.stations.bleach.coming import Outlook, brightness_tag, coming_to, rate_of, warning
from desk.stations.bleach.drawing import draw_ahead, draw_towers
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.tracking import flow_tag
from desk.stations.bleach.worked import Worked, worked
from desk.stations.plain.page import panels_of, panels_shown, show, station_context
from stock.bleaching.sequences import SEQUENCES
from stock.bleaching.symbols import SYMBOLS
from stock.bleaching.unit import BleachStage
from stock.primitives import Tank, Water
from stock.units import said


def tabs(state: State) -> list[tuple[str, str, str]]:
    """Return the pages: a bleach each, and the water where there is any."""
    slug = state.world.slug
    found = [(unit.id, unit.name, reverse("bleach", args=[slug, unit.id])) for unit in bleaches(state)]
    if found:
        found.append(("tanks", "Pumps and tanks", reverse("bleach_tanks", args=[slug])))
        found.append(("kept", "Ladders and checks", reverse("bleach_kept", args=[slug])))
    if has_water(state):
        found.append(("water", "Water", reverse("water", args=[slug])))
    return found


def has_water(state: State) -> bool:
    """Whether a line lets water in or uses it again."""
    return any(isinstance(unit, (Water, Tank)) for unit in state.line.units)


def tabs_context(state: State, here: str) -> dict[str, Any]:
    """Return what the tabs of the pages need."""
    return {"tabs": [(address, label, name == here) for name, label, address in tabs(state)], "tabs_label": "Bleaching"}


def home(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show the first bleach of a station; the plain page where it has none."""
    own = [unit for unit in bleaches(state) if unit.station == station_id]
    return _bleach(request, state, own[0]) if own else show(request, state, station_id)


@on_line
@alike
def page(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Show a bleach."""
    return _bleach(request, state, _unit(state, unit_id))


def _unit(state: State, unit_id: str) -> BleachStage:
    found = next((unit for unit in bleaches(state) if unit.id == unit_id), None)
    if found is None:
        message = f"{state.line.mill} has no bleach called {unit_id[:40]}."
        raise Http404(message)
    return found


def _bleach(request: HttpRequest, state: State, unit: BleachStage) -> HttpResponse:
    outlook = coming_to(state, unit)
    tag = brightness_tag(state, unit)
    context = station_context(state, unit.station)
    panels = panels_of(state, unit.station)
    own = next((one.id for one in panels if one.place.part.id == unit.id), "")
    context |= {
        "unit": unit,
        **panels_shown(state, panels, own),
        **_shown(state, worked(state, unit, {})),
        "outlook": outlook,
        "plot": draw_ahead(state, outlook, tag.band if tag is not None else None),
        "symbols": [(one.symbol, one.words) for one in SYMBOLS.values()],
        "sequences": SEQUENCES,
        "sentence": sentence(state, unit, outlook),
        "flow_tag": flow_tag(state, unit),
        "back": traced_back(state, unit, outlook),
        "again": used_again(state, unit, {}),
        "move_key": new_key(),
        **tabs_context(state, unit.id),
    }
    return render_page(request, state, "bleach/page.html", context, here=unit.station)


def _shown(state: State, found: Worked) -> dict[str, Any]:
    return {"worked": found, "row": draw_towers(found, coming_to(state, found.unit))}


def sentence(state: State, unit: BleachStage, outlook: Outlook) -> str:
    """Say how a bleach runs, and what comes that will take it out of its band."""
    tag = brightness_tag(state, unit)
    reading = state.readings.get(tag.id) if tag is not None else None
    running = f"{unit.name} at {said(float(rate_of(state, unit).value), 'BDt/h', 1)}"
    if outlook.standing is not None:
        found = outlook.standing
        since, until = (f"{timezone.localtime(one):%H:%M}" for one in (found.since, found.until))
        return f"{unit.name} stands since {since}. Chemicals off first; {found.stage} holds its pulp until {until} at most."
    if reading is None:
        return f"{running}. No brightness was measured yet."
    words = f"{running} to {reading.value:.1f} % ISO, {reading.verdict.words}."
    coming = warning(state, unit, outlook)
    if coming is not None:
        at, value, kappa = coming
        verb = "falls" if value < reading.value else "rises"
        clock = f"{timezone.localtime(at):%H:%M}"
        return f"{words} Kappa {kappa:.1f} comes: without a change the exit {verb} to {value:.1f} % at {clock}."
    return words


@require_POST
@on_line
@asks
def work_out(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Work a sequence out for what was typed; what was typed comes back, right or wrong."""
    found = worked(state, _unit(state, unit_id), request.POST.dict())
    context = {**_shown(state, found), "world": state.world, "state": state, "typed": True}
    return render(
        request, "bleach/_worked.html", context | {"symbols": [(one.symbol, one.words) for one in SYMBOLS.values()]}
    )


@require_POST
@on_line
@asks
def again(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Work out peroxide liquor used again, for what was typed."""
    found = used_again(state, _unit(state, unit_id), request.POST.dict())
    if found is None:
        raise Http404(f"{unit_id[:40]} has no peroxide stage.")
    return render(request, "bleach/_again.html", {"again": found, "world": state.world, "state": state})
