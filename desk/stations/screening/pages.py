"""The page of a system of screens or cleaners, worked out as it is typed."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import MomentField, NumberField, WholeField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import MODEL
from desk.stations.plain.page import show, station_context
from desk.stations.screening.drawing import draw_cascade
from desk.stations.screening.fitting import NUMBERS, accept_quotient, fits_of, take_test
from desk.stations.screening.traps import MOST_KG, take_dump, traps_of
from desk.stations.screening.worked import Screened, screened, systems
from stock.errors import DomainError
from stock.screening.unit import Staged


def tabs(state: State) -> list[tuple[str, str, str]]:
    """Return the pages: a system each."""
    slug = state.world.slug
    return [(unit.id, unit.name, reverse("screening", args=[slug, unit.id])) for unit in systems(state)]


def home(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show the first system of a station; the plain page where it has none."""
    own = [unit for unit in systems(state) if unit.station == station_id]
    return _system(request, state, own[0]) if own else show(request, state, station_id)


@on_line
@alike
def page(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Show a system."""
    return _system(request, state, _unit(state, unit_id))


def _unit(state: State, unit_id: str) -> Staged:
    found = next((unit for unit in systems(state) if unit.id == unit_id), None)
    if found is None:
        message = f"{state.line.mill} has no screens or cleaners called {unit_id[:40]}."
        raise Http404(message)
    return found


def _system(request: HttpRequest, state: State, unit: Staged, refused: str = "") -> HttpResponse:
    shown = _shown(screened(state, unit, {}))
    context = station_context(state, unit.station)
    context |= {
        "unit": unit,
        **shown,
        "traps": traps_of(state, unit),
        "trap_key": new_key(),
        "fits": fits_of(state, unit),
        "count_key": new_key(),
        "accept_key": new_key(),
        "may_model": signed_in(request).may(MODEL),
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "sentence": _sentence(state, unit, shown["screened"]),
        "tabs": [(address, label, name == unit.id) for name, label, address in tabs(state)],
        "tabs_label": "Screens and cleaners",
    }
    status = 422 if refused else 200
    return render_page(request, state, "screening/page.html", context, here=unit.station, status=status)


def _shown(found: Screened) -> dict[str, Any]:
    return {"screened": found, "cascade": draw_cascade(found.system)}


def _sentence(state: State, unit: Staged, found: Screened) -> str:
    if found.system is None:
        return f"{unit.name}: as set, it cannot run. {found.fault}."
    system = found.system
    words = (
        f"{unit.name}: {system.lost_pct:.1f} % of the fibre leaves, {24 * system.lost_bdt_per_h:.1f} BDt/d;"
        f" {system.removed_pct:.0f} % of the debris is taken out."
    )
    tags = [one for one in state.off if one.tag.station == unit.station]
    if tags:
        return f"{words} {tags[0].tag.name} is {tags[0].verdict.words}."
    if found.doubts:
        return f"{words} {found.doubts[0][0]}: {found.doubts[0][1]}."
    return words


@require_POST
@on_line
def dump(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Keep a trap's weight."""
    unit = _unit(state, unit_id)
    try:
        typed = read_form(
            request,
            at=MomentField(state),
            wet_kg=NumberField("The weight", "kg", above=0, most=MOST_KG),
            lot=WordsField("The lot", 20),
            text=WordsField("What lay in it", 120),
        )
        take_dump(
            state.world, signed_in(request), unit.id, typed["wet_kg"], at=typed["at"], lot=typed["lot"],
            text=typed["text"], form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _system(request, state, unit, words_of(request, error))
    return redirect("screening", state.world.slug, unit.id)


@require_POST
@on_line
def count(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Keep counts before and after a stage."""
    unit = _unit(state, unit_id)
    try:
        typed = read_form(
            request,
            at=MomentField(state),
            stage=WholeField("The stage", least=1, most=len(unit.stages)),
            feed_count=WholeField("Pieces in the feed", least=1, most=1e6),
            feed_g=NumberField("Sample of the feed", "g", above=0, most=1e5),
            accept_count=WholeField("Pieces in the accepts", least=0, most=1e6),
            accept_g=NumberField("Sample of the accepts", "g", above=0, most=1e5),
            mass_reject_pct=NumberField("Rejects by mass", "%", above=0, below=100),
        )
        numbers = {name: typed[name] for name in NUMBERS}
        take_test(
            state.world, signed_in(request), unit.id, typed["stage"], numbers, at=typed["at"], form_key=key_of(request)
        )
    except (ValidationError, DomainError) as error:
        return _system(request, state, unit, words_of(request, error))
    return redirect("screening", state.world.slug, unit.id)


@require_POST
@on_line
def accept(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Accept a stage's quotient."""
    unit = _unit(state, unit_id)
    try:
        typed = read_form(request, stage=WholeField("The stage", least=1, most=len(unit.stages)))
        accept_quotient(state.world, signed_in(request), unit.id, typed["stage"], form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return _system(request, state, unit, words_of(request, error))
    return redirect("screening", state.world.slug, unit.id)


@require_POST
@on_line
@asks
def work_out(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Work a system out for what was typed; what was typed comes back, right or wrong."""
    found = screened(state, _unit(state, unit_id), request.POST.dict())
    return render(
        request, "screening/_worked.html", {**_shown(found), "world": state.world, "state": state, "typed": True}
    )
