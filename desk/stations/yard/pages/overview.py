"""The Yard page: piles as they lie, what is off, trips logged in seconds, what feeds the digesters."""

from collections.abc import Callable, Sequence
from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.faults import fault
from desk.floor.state import State
from desk.frame.alike import new_key
from desk.frame.fields import MOST_REASON, MomentField, NumberField, WhyField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.stations.plain.page import quiet_words, station_context
from desk.stations.yard.models import Trip
from desk.stations.yard.pages.drawing import BAND_NAMES, draw_yard
from desk.stations.yard.stock import YardNow, yard_of
from desk.stations.yard.work import log_trip, release_lot, take_back_trip
from stock.errors import DomainError
from stock.intake.definition import PileDef
from stock.judge.here import Place
from stock.tag import Tag

# What the eye needs at the yard, of what is read at streams and units; what is read in piles is drawn there.
SHOWN = frozenset({"moisture", "bark", "overthick", "fines", "temperature", "trips", "stock", "fibre_to_pith"})


def tabs(state: State) -> list[tuple[str, str, str]]:
    """Return the yard's pages: those of wood where there are chips, that of cane where there is bagasse."""
    forms = {pile.form for pile in yard_of(state).part.piles}
    named = [("yard_lots", "Lots")]
    if "chips" in forms:
        named += [("yard_chips", "Logs and chips")]
    if "bagasse" in forms:
        named += [("yard_cane", "Cane")]
    if "chips" in forms:
        named += [("yard_blend", "Blend")]
    named += [("yard_files", "Files")]
    slug = state.world.slug
    return [("yard", "Piles", home(state)), *((name, label, reverse(name, args=[slug])) for name, label in named)]


def of_eye(state: State, tag: Tag) -> bool:
    """Whether a tag is shown on the yard's first page though nothing is off."""
    return tag.reads in SHOWN and not isinstance(state.line.part(tag.of), PileDef)


def acting(done: str, back: Callable[..., HttpResponse]) -> Callable[..., Any]:
    """Turn a refused form into words; `done` heads the page that says so."""

    def wrap(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
        def inner(request: HttpRequest, state: State, **kwargs: Any) -> HttpResponse:
            try:
                return view(request, state, **kwargs)
            except (ValidationError, DomainError) as error:
                return back(
                    request,
                    state,
                    refused=f"{done}: {words_of(request, error)}. What you typed is still here.",
                    **kwargs,
                )

        return inner

    return wrap


def home(state: State) -> str:
    """Return the address of the yard's first page."""
    return reverse("station", args=[state.world.slug, yard_of(state).station])


def yard_context(state: State, tab: str) -> dict[str, Any]:
    """Return what every page of the yard shows."""
    return {
        "yard": yard_of(state),
        "station": state.line.stop("yard"),
        "tabs": [(address, label, name == tab) for name, label, address in tabs(state)],
        "tab": tab,
        "tabs_label": "Yard",
        "form_key": new_key(),
        "typed": {},
        "refused": "",
    }


def show(request: HttpRequest, state: State, *, refused: str = "", status: int = 200) -> HttpResponse:
    """Show the piles."""
    yard = yard_of(state)
    context = station_context(state, yard.station)
    readings = [one for one in context["readings"] if of_eye(state, one.tag) or one.verdict.level != "ok"]
    rates = yard.rates()
    context |= yard_context(state, "yard")
    context |= {
        "readings": sorted(readings, key=lambda one: one.verdict.level == "ok"),
        "quiet": [one for one in context["readings"] if one not in readings],
        "sentence": sentence(yard),
        "drawing": draw_yard(yard, rates),
        "bands": BAND_NAMES,
        "feeding": [
            (pile.part.name, speed, rates[pile.part.id])
            for pile in yard.piles.values()
            if pile.part.id in rates and (speed := yard.running_feeder(pile)) is not None
        ],
        "trips": list(reversed(yard.trips))[:3],
        "trip_limit": yard.trips_figure(),
        "trip_count": yard.trip_counts[1],
        "log_lots": [
            lot.number for pile in yard.piles.values() if pile.part.form == "logs" for lot in reversed(pile.lots)
        ][:12],
        "drawn_lot": _drawn_lot(yard),
        "typed": request.POST if refused else {},
        "refused": refused,
    }
    return render_page(request, state, "yard/piles.html", context, here=yard.station, status=422 if refused else status)


def sentence(yard: YardNow) -> str:
    """Say how the yard is, and the one thing that needs a person."""
    state = yard.state
    days = [
        f"{Place(state, state.line.part(tag.of)).family} for {state.readings[tag.id].value:.0f} days"
        for tag in state.line.tags_reading("stock")
        if tag.id in state.readings
    ]
    stock = f"{', '.join(days)}." if days else "no stock is booked."
    stock = stock[:1].upper() + stock[1:]
    lying = {one.number for pile in yard.piles.values() for one in pile.lots}
    aside = [lot for lot in yard.aside if lot in lying]
    if aside:
        stock += f" Lot {aside[0]} is set aside: two metal trips."
    tags = state.tags_of(yard.station)
    if yard.news.gate and not any(one.tag in tags for one in state.off):
        count = len(yard.news.gate)
        return f"{stock} {count} load{'s wait' if count > 1 else ' waits'} at the gate."
    return in_band(state, stock, tags)


def _drawn_lot(yard: YardNow) -> str:
    """Return the lot logs are drawn from, where it is one: a trip is its until somebody says otherwise."""
    lots = {pile.lots[0].number for pile in yard.piles.values() if pile.part.form == "logs" and pile.lots}
    return lots.pop() if len(lots) == 1 else ""


def in_band(state: State, opening: str, tags: Sequence[Tag]) -> str:
    """Follow an opening with the worst of some tags, or that nothing is off."""
    off = [one for one in state.off if one.tag in tags]
    if not off:
        return f"{opening} {quiet_words(state, tags)}"
    worst = off[0]
    value = f"{worst.value:.{worst.tag.decimals}f} {worst.tag.unit}".strip()
    more = f" {len(off) - 1} more out of band." if len(off) > 1 else ""
    return f"{opening} {worst.tag.name} is {value}, {worst.verdict.words}.{more}"


@on_line
@require_POST
@acting("The trip was not logged", show)
def trip(request: HttpRequest, state: State) -> HttpResponse:
    """Log a metal trip."""
    typed = read_form(
        request,
        detector=WordsField("The detector", 40),
        find=WordsField("What was found", 200),
        lot=WordsField("The lot", 20),
        stopped_min=NumberField("Minutes stopped", "min", least=0, most=1440),
        at=MomentField(state),
    )
    log_trip(state.world, signed_in(request), **typed, form_key=key_of(request))
    return redirect(home(state))


@on_line
@require_POST
@acting("The trip was not taken back", lambda request, state, refused, pk: show(request, state, refused=refused))
def trip_back(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Take a trip back that was none."""
    row = get_object_or_404(Trip, world=state.world, pk=pk)
    take_back_trip(row, signed_in(request), **read_form(request, why=WhyField()), form_key=key_of(request))
    return redirect(home(state))


@on_line
@require_POST
def release(request: HttpRequest, state: State) -> HttpResponse:
    """Take a lot out of quarantine."""
    try:
        typed = read_form(request, lot=WordsField("The lot", 20, required=True), reason=WordsField("Why", MOST_REASON))
        lot = typed["lot"]
        release_lot(state.world, signed_in(request), lot, typed["reason"], form_key=key_of(request))
    except ValidationError as error:
        return fault(request, 422, "Not released", words_of(request, error))
    return redirect("yard_lot", world_slug=state.world.slug, number=lot)
