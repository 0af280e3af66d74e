"""The page of water: used by station, loops and what binds them, drains against the permit."""

from datetime import date, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import NumberField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.stations.bleach.effluent import Month, month_of, take_day
from desk.stations.bleach.pages import has_water, tabs_context
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.water import Watered, bound, watered
from stock.errors import DomainError


@on_line
@alike
def water(request: HttpRequest, state: State) -> HttpResponse:
    """Show the water of a line."""
    return _page(request, state)


def _station(state: State) -> str:
    here = next(iter(bleaches(state)), None)
    return here.station if here is not None else state.line.stations[0].id


def _page(request: HttpRequest, state: State, refused: str = "") -> HttpResponse:
    if not has_water(state):
        message = f"{state.line.mill} lets no water in."
        raise Http404(message)
    found, month = watered(state), month_of(state)
    context: dict[str, Any] = {
        "water": found,
        "plan": state.line.water,
        "month": month,
        "bound": bound(state.line.water, {}),
        "day_key": new_key(),
        "yesterday": f"{timezone.localdate(state.now) - timedelta(days=1):%Y-%m-%d}",
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "sentence": _sentence(state, found, month),
        **tabs_context(state, "water"),
    }
    return render_page(
        request, state, "bleach/water.html", context, here=_station(state), status=422 if refused else 200
    )


def _sentence(state: State, found: Watered, month: Month | None) -> str:
    if month is not None and month.is_over and month.days:
        return f"Today makes {month.today_t:.1f} t COD, ESTIMATE; {max(month.left.value, 0.0):.1f} a day are left this month."
    over = next((one for one in found.loop if one.is_over), None)
    if over is not None:
        return f"{over.name.capitalize()} settles at {over.figure.text} kg/m³, above the {over.limit_kg_per_m3:g} the loop bears."
    named = {one.method.name: one for one in found.figures if one.method is not None}
    if "fresh_water" not in named:
        return "Nothing runs: no water is used."
    words = f"{named['fresh_water'].text} L of fresh water for each kilogram at the reel"
    if (target := state.line.water.fresh_target_l_per_kg) is not None:
        words += f", {target:g} wanted"
    if "reuse_share" in named:
        words += f"; {named['reuse_share'].text} % of what is used was used before"
    if found.drains:
        words += f". {found.drains[0].name.capitalize()} carries {found.drains[0].share_pct:.0f} % of what goes to the drains"
    return f"{words}."


@require_POST
@on_line
@asks
def bind(request: HttpRequest, state: State) -> HttpResponse:
    """Work out what binds the closing of a loop, for what was typed."""
    return render(
        request, "bleach/_bound.html", {"bound": bound(state.line.water, request.POST.dict()), "world": state.world}
    )


@require_POST
@on_line
def day(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a day's composite."""
    try:
        typed = read_form(
            request,
            day=WordsField("The day", 10, required=True),
            flow_m3=NumberField("Its flow", "m³", above=0, most=1e7),
            cod_t=NumberField("Its oxygen demand", "t", least=0, most=1e4),
            aox_kg=NumberField("Chlorinated organics", "kg", least=0, most=1e5, required=False),
            colour_t=NumberField("Colour", "t", least=0, most=1e5, required=False),
            text=WordsField("What made the day", 200),
        )
        take_day(
            state.world, signed_in(request), _station(state), _day(typed["day"]), typed["flow_m3"], typed["cod_t"],
            typed["aox_kg"], typed["colour_t"], typed["text"], form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("water", state.world.slug)


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise ValidationError({"day": f"{text!r} is no day: 2026-03-09"}) from None
