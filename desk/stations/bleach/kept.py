"""The page of ladders with what they show, responses accepted, tracers through towers, reagents and control samples."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import ChoiceField, MomentField, NumberField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import MODEL
from desk.stations.bleach.answers import ANSWERS, LEAST_RUNGS, SIDES, Shown, shown_by
from desk.stations.bleach.lab import take_control, take_tracer
from desk.stations.bleach.ladders import accept_response, fitted, rungs_of, take_rung
from desk.stations.bleach.models import Control, Response, Rung, Tracer
from desk.stations.bleach.pages import tabs_context
from desk.stations.bleach.responses import bleaches
from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.ladder import Fit
from stock.bleaching.response import ks_after
from stock.bleaching.unit import BleachStage, Stage
from stock.errors import DomainError


@dataclass(frozen=True, slots=True)
class Place:
    """A stage that can be chosen."""

    key: str
    words: str
    unit: BleachStage
    number: int
    stage: Stage


@dataclass(frozen=True, slots=True)
class Ladder:
    """What the rungs of a stage show: rung by rung with what it leaves over, the fit, what is in force."""

    place: Place
    rungs: list[tuple[Rung, float | None, list[str]]]
    fit: Fit | None
    besides: list[Shown]
    words: str
    in_force: Response | None
    ready: bool


def places(state: State) -> list[Place]:
    """Return every stage with a response or a tank."""
    return [
        Place(f"{unit.id}:{at + 1}", f"{unit.name}: {unit.called(at)}", unit, at + 1, stage)
        for unit in bleaches(state)
        for at, stage in enumerate(unit.stages)
    ]


def floor_of(place: Place) -> float:
    """Return the floor a stage's response is fitted on: the mill's, else what is usual for its kind."""
    told = place.stage.ks_floor
    return told.value if told is not None else place.unit.symbol(place.number - 1).floor


def ladders_of(state: State) -> list[Ladder]:
    """Return the ladder of every stage that has rungs, or a response in force."""
    responses = Response.objects.filter(world=state.world, superseded_by=None).select_related("by").order_by("id")
    in_force = {(one.unit, one.stage): one for one in responses}
    climbed = set(
        Rung.objects.filter(world=state.world, superseded_by=None).order_by().values_list("unit", "stage").distinct()
    )
    return [
        _ladder(state, place, in_force.get(stage))
        for place in places(state)
        if (stage := (place.unit.id, place.number)) in climbed or stage in in_force
    ]


def _ladder(state: State, place: Place, in_force: Response | None) -> Ladder:
    """Return what a stage's rungs show."""
    rungs = rungs_of(state.world, place.unit.id, place.number)
    try:
        fit = fitted(rungs, floor_of(place)) if len(rungs) >= 3 else None
        words = "" if fit is not None else f"{len(rungs)} rungs; three begin to tell, {LEAST_RUNGS} can be accepted."
    except DomainError as error:
        fit, words = None, f"{error.message}."
    rows = [(one, _over(one, fit, floor_of(place)), _sides(one)) for one in rungs]
    besides = shown_by(rungs, place.unit.symbol(place.number - 1))
    ready = fit is not None and len(rungs) >= LEAST_RUNGS
    return Ladder(place, rows, fit, besides, words, in_force, ready=ready)


def _sides(one: Rung) -> list[str]:
    """Return what else was taken before and after a rung, in words."""
    found = ((answer, getattr(one, answer.came), getattr(one, answer.ended)) for answer in ANSWERS)
    return [
        f"{answer.quantity.lower()} {came:g} to {ended:g} {answer.unit}".strip()
        for answer, came, ended in found
        if came is not None and ended is not None
    ]


def _over(one: Rung, fit: Fit | None, ks_floor: float) -> float | None:
    """Return how much brighter a rung ended than the fit says."""
    if fit is None:
        return None
    told = ks_after(
        ks_in_ks=ks_of(one.came_brightness_pct), charge_kg_per_bdt=one.charge_kg_per_bdt,
        response_per_kg=max(fit.response_per_kg, 1e-6), ks_floor_ks=ks_floor,
    )  # fmt: skip
    return one.ended_brightness_pct - brightness_of(float(told))


# ---- the page


@on_line
@alike
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show loads and ladders."""
    return _page(request, state)


def _page(request: HttpRequest, state: State, refused: str = "") -> HttpResponse:
    found = places(state)
    here = bleaches(state)
    ladders = ladders_of(state)
    context: dict[str, Any] = {
        "places": found,
        "answers": _answers(request.POST.dict() if refused else {}),
        "ladders": ladders,
        "tracers": Tracer.objects.filter(world=state.world, superseded_by=None).select_related("by")[:8],
        "controls": Control.objects.filter(world=state.world, superseded_by=None).select_related("by")[:12],
        "kinds": Control.Kind.choices,
        "tracer_key": new_key(),
        "control_key": new_key(),
        "rung_key": new_key(),
        "accept_key": new_key(),
        "may_model": signed_in(request).may(MODEL),
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "sentence": _sentence(ladders),
        **tabs_context(state, "kept"),
    }
    station = here[0].station if here else state.line.stations[0].id
    return render_page(request, state, "bleach/kept.html", context, here=station, status=422 if refused else 200)


def _answers(typed: Mapping[str, str]) -> list[tuple[str, str, str]]:
    """Return the fields of what may be taken besides: name, words, what was typed."""
    return [
        (name, f"{words}{', ' + one.unit if one.unit else ''}", typed.get(name, ""))
        for name, (one, words) in SIDES.items()
    ]


def _sentence(ladders: list[Ladder]) -> str:
    waiting = [one for one in ladders if one.ready and one.in_force is None]
    if waiting:
        return f"{waiting[0].place.words}: a response is known well enough to be accepted."
    if not ladders:
        return "No charge ladder was kept yet: pulp of one brightness, several charges, what each ended at."
    return f"{len(ladders)} stages have ladders; responses accepted from them size the advice."


def _place(state: State, text: str) -> Place:
    found = next((one for one in places(state) if one.key == text), None)
    if found is None:
        raise ValidationError({"place": "which stage? Choose one of the list"})
    return found


BESIDES = {
    name: NumberField(words, one.unit, least=one.least, most=one.most, required=False)
    for name, (one, words) in SIDES.items()
}


@require_POST
@on_line
def rung(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a rung."""
    try:
        place = _place(state, request.POST.get("place", ""))
        typed = read_form(
            request,
            at=MomentField(state),
            charge_kg_per_bdt=NumberField("The charge", "kg/BDt", least=0, most=100),
            came_brightness_pct=NumberField("Brightness before", "% ISO", least=10, most=95),
            ended_brightness_pct=NumberField("Brightness after", "% ISO", least=10, most=95),
            text=WordsField("A note", 120),
            **BESIDES,
        )
        names = ("charge_kg_per_bdt", "came_brightness_pct", "ended_brightness_pct", *BESIDES)
        numbers = {name: typed[name] for name in names}
        take_rung(
            state.world, signed_in(request), place.unit.id, place.number, numbers, text=typed["text"], at=typed["at"],
            form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_kept", state.world.slug)


@require_POST
@on_line
def accept(request: HttpRequest, state: State) -> HttpResponse:
    """Accept a response."""
    try:
        place = _place(state, request.POST.get("place", ""))
        accept_response(
            state.world, signed_in(request), place.unit.id, place.number, floor_of(place), form_key=key_of(request)
        )
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_kept", state.world.slug)


@require_POST
@on_line
def tracer(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a tracer through a tower."""
    try:
        place = _place(state, request.POST.get("place", ""))
        typed = read_form(
            request,
            at=MomentField(state),
            full_min=NumberField("Time of the whole tower", "min", above=0, most=2000),
            found=WordsField("What was found", 600, required=True),
        )
        take_tracer(
            state.world, signed_in(request), place.unit.id, place.number, _found(typed["found"]), typed["full_min"],
            at=typed["at"], form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_kept", state.world.slug)


def _found(text: str) -> list[tuple[float, float]]:
    """Read what was found: minutes and reading, pair by pair, semicolons or lines between."""
    pairs = [one.split() for one in re.split(r"[;\n]", text) if one.strip()]
    if any(len(one) != 2 for one in pairs):
        raise ValidationError({"found": "each pair is minutes and reading: 30 0; 40 6; 50 19"})
    minutes, reading = NumberField("Minutes", "min", least=0, most=1e4), NumberField("The reading", least=0, most=1e9)
    try:
        return [(minutes.clean(first), reading.clean(second)) for first, second in pairs]
    except ValidationError as error:
        raise ValidationError({"found": error.messages[0]}) from error


@require_POST
@on_line
def control(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a reagent or a control sample as it was checked."""
    try:
        typed = read_form(
            request,
            at=MomentField(state),
            kind=ChoiceField("What was checked", list(Control.Kind.values)),
            what=WordsField("Which one", 60, required=True),
            should=NumberField("What it should be", least=0, most=1e6),
            found=NumberField("What was found", least=0, most=1e6),
            allowed=NumberField("How far it may lie off", above=0, most=1e6),
        )
        here = bleaches(state)
        take_control(
            state.world, signed_in(request), here[0].station if here else state.line.stations[0].id, typed["kind"],
            typed["what"], typed["should"], typed["found"], typed["allowed"], at=typed["at"], form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_kept", state.world.slug)
