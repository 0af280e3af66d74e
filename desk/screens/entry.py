"""Quick entry: read the line as it is typed, record it on Enter, find what is not a reading."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final
from urllib.parse import urlsplit

from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.models import Record
from desk.floor.services import NotAllowedError, record_event, record_reading
from desk.floor.state import State
from desk.floor.station import Spoken, stations
from desk.frame.alike import new_key
from desk.frame.forms import key_of, moment, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.people.models import Person
from desk.people.roles import RECORD
from stock.book import METHODS
from stock.decisions import RULES
from stock.entry import LONGEST, MOST_AT_ONCE, Understood, parted, typed_in, understand, without_time
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.judge.advice import Advice, advise
from stock.tag import Tag

NOTE: Final = "note"
APART_SD: Final = 2.0  # of the scatter of honest pairs: further apart, a sample and its instrument contradict


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


@dataclass(frozen=True, slots=True)
class Line:
    """One reading of what was typed: what it means, how it would be judged, what stands beside it."""

    found: Understood
    advice: Advice | None = None
    transmitter: Any = None
    apart: str = ""

    @property
    def units(self) -> tuple[str, ...]:
        """The units and scales it may be typed in."""
        return typed_in(self.found.tag) if self.found.tag is not None else ()


@dataclass(frozen=True, slots=True)
class Kept:
    """A reading that was recorded."""

    record: Record
    tag: Tag
    advice: Advice | None


@on_line
@require_POST
@asks
def read(request: HttpRequest, state: State) -> HttpResponse:
    """Say what the line would mean, and how it would be judged."""
    return _answer(request, state)


@on_line
@require_POST
def record(request: HttpRequest, state: State) -> HttpResponse:
    """Record the line if all of it is complete; otherwise say what it lacks, and keep it."""
    person, said = signed_in(request), _spoken(request, state)
    lines = [] if said is not None else _lines(request, state)
    if said is None and not (lines and all(one.found.complete for one in lines)):
        return _answer(request, state, status=422)
    try:
        if said is not None:
            done = _do(request, state, person, said)
            return _kept(request, state, [], done)
        kept = _record_all(request, state, person, lines)
    except (ValidationError, DomainError, NotAllowedError) as error:
        return _answer(request, state, refused=f"{words_of(request, error).removesuffix('.')}.", status=422)
    return _kept(request, state, kept, "")


def _do(request: HttpRequest, state: State, person: Person, said: Spoken) -> str:
    if said.do is None:
        raise ValidationError({"line": said.fault})
    _, at = without_time(request.POST.get("line", "")[:LONGEST])
    return said.do(person, moment(state, at), key_of(request))


def _record_all(request: HttpRequest, state: State, person: Person, lines: list[Line]) -> list[Kept]:
    """Record every reading of the line, or none."""
    key, kept = key_of(request), []
    with transaction.atomic():
        for index, one in enumerate(lines):
            found = one.found
            assert found.tag is not None
            assert found.value is not None
            row = record_reading(
                state.world,
                person,
                found.tag.id,
                found.value,
                at=_moment(state, lines, found),
                form_key=key if index == 0 else f"{key[:30]}-{index}",
            )
            kept.append(Kept(row, found.tag, one.advice))
    return kept


def _moment(state: State, lines: list[Line], found: Understood) -> datetime:
    """Return when a reading was taken: its own time, else the one time typed in the whole line."""
    typed = {one.found.at for one in lines if one.found.at}
    return moment(state, found.at or (typed.pop() if len(typed) == 1 else ""))


def _kept(request: HttpRequest, state: State, kept: list[Kept], done: str) -> HttpResponse:
    context = {"kept": kept, "done": done, "world": state.world, "state": state, "form_key": new_key()}
    return render(request, "components/_entry_kept.html", context)


# ---- what is understood


def _lines(request: HttpRequest, state: State) -> list[Line]:
    text, chosen = request.POST.get("line", "")[:4000], request.POST.get("chosen", "")[:40]
    tags, near = [tag for tag in state.line.tags if not tag.computed], _in_view(request, state)
    found: list[Understood] = []
    for part in parted(text) or [text]:
        one = understand(part, tags, "", near)
        if chosen and (one.choices or one.fault.startswith("nothing")):  # the one picked is for the first in doubt
            one, chosen = understand(part, tags, chosen, near), ""
        found.append(one)
    if len(found) > MOST_AT_ONCE:
        found = [
            Understood(text, fault=f"more than {MOST_AT_ONCE} readings in a line; enter them in two", code="E_COUNT")
        ]
    who = signed_in(request).short_name
    return [_line(state, one, who) for one in found]


def _line(state: State, found: Understood, who: str) -> Line:
    """Return a reading as shown; one that its instrument contradicts sizes nothing before a second sample."""
    beside, tag = _beside(state, found), found.tag
    if found.complete and tag is not None and found.value is not None and beside is not None and not beside.trouble:
        apart = found.value - beside.value
        if abs(apart) > APART_SD * tag.pairs_sd:
            size = f"{abs(apart):.{tag.decimals}f} {tag.unit}".strip()
            side = "over" if apart > 0 else "under"
            words = (
                f"It lies {size} {side} what the instrument stands for: take a second sample before anything is moved"
            )
            return Line(found, None, beside, words)
    return Line(found, _advice(state, found, who), beside)


def _in_view(request: HttpRequest, state: State) -> frozenset[str]:
    """Return the tags of the page the line was typed on: what is meant where words fit several."""
    path = urlsplit(request.headers.get("Referer", "")).path
    _, _, rest = path.partition(f"/{state.world.slug}/")
    found = {tag for one in stations() for tag in one.in_view(state, rest)}
    name = rest.removeprefix("at/").partition("/")[0]
    return frozenset(found or {tag.id for tag in state.line.tags if tag.station == name})


def _advice(state: State, found: Understood, who: str) -> Advice | None:
    if not found.complete or found.tag is None or found.value is None or found.verdict is None:
        return None
    facts = _Supposed(state, found.tag.id, found.value, who)
    return advise(RULES, found.tag, found.verdict, facts)  # type: ignore[arg-type]


def _beside(state: State, found: Understood) -> Any:
    return state.readings.get(found.tag.id) if found.tag is not None and found.tag.live else None


def _spoken(request: HttpRequest, state: State) -> Spoken | None:
    """Return what a line that is no reading would do: a note, or what a station understands."""
    text, _ = without_time(request.POST.get("line", "")[:LONGEST].strip())
    word, _, rest = text.partition(" ")
    if word.lower() == NOTE and rest.strip():
        return _note(state, rest.strip(), _station_of(request, state))
    return next((said for one in stations() if (said := one.spoken(state, text)) is not None), None)


def _note(state: State, words: str, station: str) -> Spoken:
    name = state.line.station(station).name if station else "the log"

    def do(person: Person, at: datetime, form_key: str) -> str:
        record_event(state.world, person, words, station=station, at=at, form_key=form_key)
        return f"Noted: {words}"

    return Spoken(f"A note for {name}: {words}", do)


def _station_of(request: HttpRequest, state: State) -> str:
    tags = _in_view(request, state)
    return next((tag.station for tag in state.line.tags if tag.id in tags), "")


# ---- answered


def _answer(request: HttpRequest, state: State, *, refused: str = "", status: int = 200) -> HttpResponse:
    said = _spoken(request, state)
    lines = [] if said is not None else _lines(request, state)
    complete = bool(lines) and all(one.found.complete for one in lines)
    places = [] if complete or said is not None else _places(state, request.POST.get("line", "")[:60])
    context = {
        "lines": lines,
        "text": request.POST.get("line", "").strip(),
        "said": said,
        "complete": complete or (said is not None and said.do is not None),
        "refused": refused,
        "may_record": signed_in(request).may(RECORD),
        "places": places,
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
    served = [one for one in stations() if one.serves(state.line)]
    places += [(label, one.title, address) for one in served for _, label, address in one.tabs(state)]
    places += [
        ("Log", "what was recorded", reverse("log", args=[slug])),
        ("Hand-over", "the sheet of the shift, what is carried, time lost", reverse("handover", args=[slug])),
    ]
    places += [("Methods", "the book", reverse("methods", args=[slug]))]
    places += [(method.title, "method", reverse("method", args=[slug, method.name])) for method in METHODS.values()]
    found = [place for place in places if all(word in f"{place[0]} {place[1]}".lower() for word in words)]
    return found[:5]
