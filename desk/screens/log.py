"""Log: one stream of entries, filtered, corrected by superseding."""

from datetime import datetime
from typing import Any, Final
from urllib.parse import urlencode

from django.core.exceptions import ValidationError
from django.core.paginator import Paginator
from django.db.models import Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.faults import fault
from desk.floor.models import HandOver, Record
from desk.floor.services import AlreadyCorrectedError, NotAllowedError, correct, record_event
from desk.floor.state import State
from desk.frame.alike import new_key
from desk.frame.fields import ChoiceField, NumberField, WhyField, WordsField, read_form
from desk.frame.forms import key_of, moment, remember_fault, words_of
from desk.frame.page import named, on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import CORRECT, RECORD
from stock.errors import DomainError

MOST_NOTE: Final = 500
PAGE = 40


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the stream."""
    return _page(request, state, {})


def _page(request: HttpRequest, state: State, extra: dict[str, Any], status: int = 200) -> HttpResponse:
    kind, station, words = (request.GET.get(name, "")[:60] for name in ("kind", "station", "words"))
    records = Record.objects.filter(world=state.world, at__lte=state.now).select_related(
        "by", "supersedes__by", "superseded_by"
    )
    if kind in Record.Kind.values:
        records = records.filter(kind=kind)
    if station:
        records = records.filter(station=station)
    if words:
        tags = [tag.id for tag in state.line.tags if words.lower() in tag.name.lower()]
        records = records.filter(Q(text__icontains=words) | Q(tag__in=tags) | Q(by__last_name__icontains=words))
    span, span_fault = _span(request, state)
    if span[0] is not None:
        records = records.filter(at__gte=span[0])
    if span[1] is not None:
        records = records.filter(at__lte=span[1])
    shown = Paginator(records, PAGE).get_page(request.GET.get("page"))
    person = signed_in(request)
    named(state, shown.object_list)
    context = {
        "records": shown,
        "kind": kind,
        "station_filter": station,
        "words": words,
        "from_text": request.GET.get("from", "")[:20],
        "to_text": request.GET.get("to", "")[:20],
        "span_fault": span_fault,
        "asked": urlencode(
            {"kind": kind, "station": station, "words": words}
            | {name: request.GET.get(name, "")[:20] for name in ("from", "to")}
        ),
        "kinds": Record.Kind.choices,
        "sheets": HandOver.objects.filter(world=state.world).select_related("signed_by")[:4],
        "note_key": new_key(),
        "may_record": person.may(RECORD),
        "may_correct": person.may(CORRECT),
        "sentence": _sentence(shown.paginator.count, bool(kind or station or words or any(span))),
        **extra,
    }
    return render_page(request, state, "log/page.html", context, here="log", status=status)


def _span(request: HttpRequest, state: State) -> tuple[tuple[datetime | None, datetime | None], str]:
    """Return the moments the stream is kept between, and what is wrong with what was typed."""
    found: list[datetime | None] = []
    for name in ("from", "to"):
        text = request.GET.get(name, "").strip()[:20]
        try:
            found.append(moment(state, text) if text else None)
        except DomainError as error:
            return (None, None), f"{error.message}; allowed is {error.allowed}"
    return (found[0], found[1]), ""


def _sentence(count: int, filtered: bool) -> str:
    noun = "entry" if count == 1 else "entries"
    return f"{count} {noun}{' found' if filtered else ''}, the newest first."


@on_line
@require_POST
def note(request: HttpRequest, state: State) -> HttpResponse:
    """Log a note."""
    stops = ChoiceField("The station", (one.id for one in state.line.stations), required=False)
    try:
        typed = read_form(request, text=WordsField("The note", MOST_NOTE), station=stops)
        record_event(state.world, signed_in(request), **typed, at=clock.now(), form_key=key_of(request))
    except ValidationError as error:
        context = {"note_text": request.POST.get("text", ""), "note_fault": words_of(request, error)}
        return _page(request, state, context, status=422)
    if typed["station"] and request.POST.get("back") == "station":
        return redirect("station", world_slug=state.world.slug, station_id=typed["station"])
    return redirect("log", world_slug=state.world.slug)


@on_line
def correct_entry(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Correct an entry: the right value or words, and why."""
    record = get_object_or_404(Record.objects.select_related("by", "superseded_by__by"), pk=pk, world=state.world)
    typed = {
        "value": request.POST.get("value", ""),
        "text": request.POST.get("text", record.text),
        "reason": request.POST.get("reason", ""),
    }
    if not record.corrected_here:
        words = "An order, a signature and what was made from a record of its own are corrected where they were made."
        return fault(request, 403, "Not corrected here", words)
    faults: dict[str, str] = {}
    status = 200
    taken = getattr(record, "superseded_by", None)
    if request.method == "POST":
        try:
            correct(
                record,
                signed_in(request),
                **_corrected(request, record),
                form_key=key_of(request),
            )
            return redirect("log", world_slug=state.world.slug)
        except ValidationError as error:
            faults = {field: "; ".join(messages) for field, messages in error.message_dict.items()}
        except DomainError as error:
            faults = {"value": error.message}
        except AlreadyCorrectedError as error:
            faults, taken = {"": f"{error}. Yours was not written; look at theirs first."}, error.by
        except NotAllowedError as error:
            faults = {"": str(error)}
        status = 422
        remember_fault(request, next(iter(faults), ""))
    context = {
        "record": record,
        "tag": state.line.tag(record.tag) if record.kind == Record.Kind.READING else None,
        "typed": typed,
        "faults": faults,
        "taken": taken,
        "form_key": request.POST.get("form_key") or new_key(),
        "sentence": f"Correct an entry of {record.by.short_name}. The old one stays readable.",
    }
    return render_page(request, state, "log/correct.html", context, here="log", status=status)


def _corrected(request: HttpRequest, record: Record) -> dict[str, Any]:
    """Return what is right instead: a reading's value, or the words of any other entry; and why."""
    if record.kind == Record.Kind.READING:
        return {"text": "", **read_form(request, value=NumberField("The value"), reason=WhyField())}
    return {"value": None, **read_form(request, text=WordsField("The entry", MOST_NOTE), reason=WhyField())}
