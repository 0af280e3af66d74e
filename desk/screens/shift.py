"""What is carried from shift to shift, and time lost: opened, said anew, closed, on the hand-over's page."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from desk.floor.models import OpenPoint, Stop
from desk.floor.points import close_point, keep_point, keep_stop
from desk.floor.state import State
from desk.frame.fields import ChoiceField, MomentField, WhyField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.screens.handover import back, show


def _refused(request: HttpRequest, state: State, error: ValidationError, form: str) -> HttpResponse:
    return show(request, state, fault=words_of(request, error), form=form, status=422)


@on_line
@require_POST
def open_one(request: HttpRequest, state: State) -> HttpResponse:
    """Open a point."""
    stops = ChoiceField("The station", (one.id for one in state.line.stations), required=False)
    try:
        typed = read_form(
            request,
            kind=ChoiceField("What it is", OpenPoint.Kind.values),
            text=WordsField("What and where", 300),
            owner=WordsField("Whose", 80, required=False),
            station=stops,
            until=MomentField(state, ahead=True),
        )
        if not request.POST.get("until", "").strip():
            typed["until"] = None
        keep_point(state, signed_in(request), **typed, form_key=key_of(request))
    except ValidationError as error:
        return _refused(request, state, error, "point")
    return back(state)


@on_line
@require_POST
def renew_one(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Say a point anew: until when it holds now, and whose it is."""
    old = get_object_or_404(OpenPoint, world=state.world, pk=pk)
    try:
        typed = read_form(request, owner=WordsField("Whose", 80, required=False), until=MomentField(state, ahead=True))
        if not request.POST.get("until", "").strip():
            typed["until"] = None
        typed |= {"kind": old.kind, "text": old.text, "station": old.station}
        keep_point(state, signed_in(request), **typed, renews=old, form_key=key_of(request))
    except ValidationError as error:
        return _refused(request, state, error, old.renew_form)
    return back(state)


@on_line
@require_POST
def close_one(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Close a point."""
    point = get_object_or_404(OpenPoint, world=state.world, pk=pk)
    try:
        close_point(point, signed_in(request), **read_form(request, why=WhyField()), form_key=key_of(request))
    except ValidationError as error:
        return _refused(request, state, error, f"close-{pk}")
    return back(state)


@on_line
@require_POST
def stop(request: HttpRequest, state: State) -> HttpResponse:
    """Log a stop."""
    try:
        typed: dict[str, Any] = read_form(
            request,
            station=ChoiceField("The station", (one.id for one in state.line.stations)),
            cause=WordsField("Why it stood", 200),
            from_at=MomentField(state),
            to_at=MomentField(state),
        )
        if not request.POST.get("to_at", "").strip():
            typed["to_at"] = None
        keep_stop(state, signed_in(request), **typed, form_key=key_of(request))
    except ValidationError as error:
        return _refused(request, state, error, "stop")
    return back(state)


@on_line
@require_POST
def end_stop(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Say when a stop ended, or that it was none."""
    old = get_object_or_404(Stop, world=state.world, pk=pk)
    void = "void" in request.POST
    try:
        typed = read_form(request, to_at=MomentField(state), why=WordsField("Why", 200, required=False))
        keep_stop(
            state,
            signed_in(request),
            station=old.station,
            cause=old.cause,
            from_at=old.from_at,
            to_at=old.to_at if void else typed["to_at"],
            form_key=key_of(request),
            instead_of=old,
            void=void,
            why=typed["why"],
        )
    except ValidationError as error:
        return _refused(request, state, error, f"stop-{pk}")
    return back(state)
