"""Cane: depithing, washing, storing wet, and what leaves on the way."""

from typing import Final

from django.http import HttpRequest, HttpResponse

from desk.floor.state import State
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import attempt
from desk.stations.yard.pages.overview import in_band, yard_context
from desk.stations.yard.panels import YARD_PANELS

TAGS: Final = ("fibre_to_pith", "cane_dirt", "pith_fibre", "cane_stock", "cane_pile_temp", "cane_pile_ph", "cane_residual", "cane_plug", "cane_freeness")  # fmt: skip
STREAMS: Final = (
    ("bagasse_in", "Bagasse in"),
    ("cane_fibre", "Fibre to the cook"),
    ("pith", "Pith and dirt out"),
)
BALANCE_W, BALANCE_H = 462, 150


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the cane side of the yard."""
    tags = [state.line.tag(name) for name in TAGS]
    context = yard_context(state, "yard_cane")
    context |= {
        "sentence": in_band(
            state,
            f"Bagasse {state.flows['bagasse_in']:.1f} BDt/h in, {state.flows['cane_fibre']:.1f} to the cook.",
            tags,
        ),
        "readings": [state.readings[tag.id] for tag in tags if tag.id in state.readings],
        "advice": [(card, card.size) for card in state.advice_for(tags)],
        "flows": [state.flow_figure(stream, label) for stream, label in STREAMS],
        "balance": balance(state),
        "panels": [
            (name, attempt(state, YARD_PANELS[name], {}))
            for name in ("depith", "pith_target", "cane_wash", "cane_store")
        ],
        "cane_cautions": CAUTIONS,
    }
    return render_page(request, state, "yard/cane.html", context, here="yard")


def balance(state: State) -> dict[str, object]:
    """Draw what comes and what leaves, by what it is made of, from the running balance."""
    rows = []
    top = 20.0
    whole = state.result.streams["bagasse_in"].bd_t_per_h or 1.0
    for stream, label in STREAMS:
        flow = state.result.streams[stream]
        parts, x = [], 120.0
        for component, name in (("fibre", "fibre"), ("fines", "pith"), ("grit", "dirt")):
            width = flow[component] / whole * (BALANCE_W - 190)
            parts.append((component, name, x, width, flow[component]))
            x += width
        rows.append(
            {"label": label, "y": top, "parts": parts, "end": x + 6, "figure": state.flow_figure(stream, label)}
        )
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
