"""Quick entry: read the line as it is typed, record it on Enter, find what is not a reading."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.services import NotAllowedError, record_reading
from desk.floor.state import State
from desk.floor.station import stations
from desk.frame.alike import new_key
from desk.frame.forms import key_of, moment, words_of
from desk.frame.page import on_line, signed_in
from desk.people.roles import RECORD
from stock.book import METHODS
from stock.decisions import RULES
from stock.entry import Understood, understand
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.judge.advice import Advice, advise


class _Supposed:
    """The line's facts with one value replaced by the one being typed."""

    def __init__(self, state: State, tag_id: str, value: float, who: str) -> None:
        self._state = state
        self._tag_id = tag_id
        self._datum = Datum(value, Origin("entered", f"{who}, just now"))

    def reading(self, tag_id: str) -> Datum:
        return self._datum if tag_id == self._tag_id else self._state.reading(tag_id)

    def recent(self, tag_id: str, count: int) -> list[float]:
        found = self._state.recent(tag_id, count)
        return [*found, float(self._datum.value)][-count:] if tag_id == self._tag_id else found

    def __getattr__(self, name: str) -> Any:
        return getattr(self._state, name)


@on_line
@require_POST
def read(request: HttpRequest, state: State) -> HttpResponse:
    """Say what the line would mean, and how it would be judged."""
    return _answer(request, state)


@on_line
@require_POST
def record(request: HttpRequest, state: State) -> HttpResponse:
    """Record the line if it is complete; otherwise say what it lacks, and keep it."""
    understood = _understood(request, state)
    if not understood.complete or understood.tag is None or understood.value is None:
        return _answer(request, state, status=422)
    person = signed_in(request)
    try:
        at = moment(state, understood.at)
        kept = record_reading(
            state.world,
            person,
            understood.tag.id,
            understood.value,
            at=at,
            form_key=key_of(request),
        )
    except (ValidationError, DomainError, NotAllowedError) as error:
        return _answer(request, state, refused=f"{words_of(request, error).removesuffix('.')}.", status=422)
    context = {
        "kept": kept,
        "tag": understood.tag,
        "advice": _advice(request, state, understood),
        "world": state.world,
        "state": state,
    }
    return render(request, "components/_entry_kept.html", {**context, "form_key": new_key()})


def _understood(request: HttpRequest, state: State) -> Understood:
    text = request.POST.get("line", "")
    chosen = request.POST.get("chosen", "")[:40]
    tags = [tag for tag in state.line.tags if not tag.computed]
    found = understand(text[:4000], tags, chosen)
    if chosen and found.fault.startswith("nothing"):
        found = understand(text[:4000], tags)
    return found


def _advice(request: HttpRequest, state: State, understood: Understood) -> Advice | None:
    if understood.tag is None or understood.value is None or understood.verdict is None:
        return None
    facts = _Supposed(state, understood.tag.id, understood.value, signed_in(request).short_name)
    return advise(RULES, understood.tag, understood.verdict, facts)  # type: ignore[arg-type]


def _answer(request: HttpRequest, state: State, *, refused: str = "", status: int = 200) -> HttpResponse:
    understood = _understood(request, state)
    context = {
        "found": understood,
        "advice": _advice(request, state, understood) if understood.complete else None,
        "transmitter": state.readings.get(understood.tag.id) if understood.tag and understood.tag.live else None,
        "refused": refused,
        "may_record": signed_in(request).may(RECORD),
        "places": _places(state, request.POST.get("line", "")[:60]) if not understood.complete else [],
        "world": state.world,
        "state": state,
    }
    return render(request, "components/_entry.html", context, status=status)


def _places(state: State, text: str) -> list[tuple[str, str, str]]:
    """Find pages and methods by the words typed."""
    words = text.lower().split()
    found = [place for station in stations() for place in station.places(state, text)]
    if found or not words or any(any(letter.isdigit() for letter in word) for word in words):
        return found
    slug = state.world.slug
    places = [
        ("Line", "the whole line", reverse("line", args=[slug])),
        ("Order", "what the machine asks for", reverse("order", args=[slug])),
    ]
    places += [(one.name, one.purpose, reverse("station", args=[slug, one.id])) for one in state.line.stations]
    places += [
        ("Log", "what was recorded", reverse("log", args=[slug])),
        ("Hand-over", "the sheet of the shift", reverse("handover", args=[slug])),
    ]
    places += [("Methods", "the book", reverse("methods", args=[slug]))]
    places += [(method.title, "method", reverse("method", args=[slug, method.name])) for method in METHODS.values()]
    found = [place for place in places if all(word in f"{place[0]} {place[1]}".lower() for word in words)]
    return found[:5]
