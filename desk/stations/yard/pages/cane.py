"""Cane: depithing, washing, storing wet, and what leaves on the way."""

from collections.abc import Sequence
from typing import Final

from django.http import Http404, HttpRequest, HttpResponse

from desk.floor.state import State
from desk.frame.cards import size_of
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import attempt, stand
from desk.stations.yard.pages.overview import in_band, yard_context
from desk.stations.yard.panels import YARD_PANELS
from desk.stations.yard.stock import YardNow, yard_of
from stock.intake.unit import Bagasse, Depither
from stock.judge.here import Place
from stock.tag import Tag
from stock.washing.unit import Washer

READ: Final = ("fibre_to_pith", "ash", "fibre_in_pith", "stock", "temperature", "ph", "residual", "plug", "freeness")
BALANCE_W, BALANCE_H = 462, 150


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the cane side of the yard."""
    yard = yard_of(state)
    source = next((unit for unit in state.line.units if isinstance(unit, Bagasse)), None)
    if source is None:
        raise Http404(NO_CANE)
    place = Place(state, source)
    streams = streams_of(place)
    tags = read_here(place, yard)
    to_cook = state.flow(streams[1][0]).value if len(streams) > 1 else place.flow().value
    piles = [pile for pile in yard.part.piles if pile.form == "bagasse"]
    parts = [source, *state.line.graph.downstream(source.id), *piles]
    context = yard_context(state, "yard_cane")
    context |= {
        "sentence": in_band(
            state,
            f"Bagasse {yard.needs_bdt_per_h(place.stream.id):.1f} BDt/h in, sugar in it; {to_cook:.1f} of fibre and pith to the cook.",
            tags,
        ),
        "readings": [state.readings[tag.id] for tag in tags if tag.id in state.readings],
        "advice": [(card, size_of(card)) for card in state.advice_for(tags)],
        "flows": [state.flow_figure(stream, label) for stream, label in streams],
        "balance": balance(yard, streams),
        "panels": [attempt(one, {}) for one in stand(state, YARD_PANELS, parts)],
        "cane_cautions": CAUTIONS,
    }
    return render_page(request, state, "yard/cane.html", context, here=yard.station)


NO_CANE: Final = "No bagasse comes to this line."


def streams_of(place: Place) -> list[tuple[str, str]]:
    """Return what comes and what leaves: the bagasse, the fibre to the cook, the pith, each with its name."""
    found = [(place.stream.id, "Bagasse in")]
    depither = place.line.graph.nearest(place.unit.id, Depither)
    if depither is not None:
        found += [(depither.accept, "Fibre to the cook"), (depither.rest, "Pith and dirt out")]
    return found


def read_here(place: Place, yard: YardNow) -> list[Tag]:
    """Return the tags of bagasse from the pile to the washed pulp, in the order people look at them."""
    line = place.line
    parts = {place.unit.id, place.stream.id, *(pile.id for pile in yard.part.piles if pile.form == "bagasse")}
    for unit in line.graph.downstream(place.unit.id):
        onward = line.graph.onward(unit.id)
        parts |= {unit.id, onward.id if onward else ""}
        if isinstance(unit, Washer):
            break
    tags = [tag for tag in line.tags if tag.of in parts and tag.reads in READ]
    return sorted(tags, key=lambda tag: READ.index(tag.reads))


def balance(yard: YardNow, streams: Sequence[tuple[str, str]]) -> dict[str, object]:
    """Draw what comes, its sugar in it as lots are weighed, and what leaves; the sugar goes with the water."""
    state = yard.state
    rows = []
    top = 20.0
    comes = streams[0][0]
    whole = yard.needs_bdt_per_h(comes) or 1.0
    for stream, label in streams:
        flow = state.result.streams[stream]
        parts, x = [], 120.0
        made_of = [("fibre", "fibre"), ("fines", "pith"), ("grit", "dirt")]
        for component, name in [*made_of, ("organics", "sugar")] if stream == comes else made_of:
            width = flow[component] / whole * (BALANCE_W - 190)
            parts.append((component, name, x, width, flow[component]))
            x += width
        shown = yard.need_figure(stream) if stream == comes else state.flow_figure(stream, label)
        rows.append({"label": label, "y": top, "parts": parts, "end": x + 6, "figure": shown})
        top += 42
    return {"rows": rows, "width": BALANCE_W, "height": BALANCE_H}


CAUTIONS: Final = (
    (
        "Before handling dry bagasse",
        "Its dust harms the lungs and burns readily: respirator on, wet it down, no sparks.",
    ),
    (
        "Before entering a pile pit or drain",
        "Pile liquor gives off carbon dioxide and acids: confined space, by local code.",
    ),
    ("Before freeing a screw feeder", "A lost plug blows back: the interlock closes the valve, not a person."),
)
