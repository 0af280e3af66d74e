"""What a station is to the rest of the desk: one object that says all it adds, and the list of them.

The floor, the frame and the screens ask; which stations there are they learn from the settings.
Adding a station touches its own folder and that list.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

from django.conf import settings

from stock.figure import Datum, Figure
from stock.line.definition import Definition

if TYPE_CHECKING:
    from datetime import datetime

    from django.http import HttpRequest, HttpResponse
    from django.urls import URLPattern

    from desk.exchange.pick_up import Taker
    from desk.exchange.tables import Table
    from desk.floor.due import Item
    from desk.floor.models import Record, World
    from desk.floor.reading import Reading
    from desk.floor.state import State
    from desk.frame.panels.attempt import Attempt, Panel
    from desk.people.models import Person
    from stock.cooking.relation import Relation
    from stock.judge.advice import Advice
    from stock.line.story import Story


Correction = Callable[["Record", "Person", float, str, str], "Record"]  # reading, who, value, why, form key


def _nothing(*_: Any) -> tuple[()]:
    return ()


def _none(*_: Any) -> None:
    return None


def _no_words(*_: Any) -> dict[Any, Any]:
    return {}


def _no_word(*_: Any) -> str:
    return ""


def _always(line: Definition) -> bool:  # noqa: ARG001  the shape of every test
    return True


@dataclass(frozen=True, slots=True)
class Told:
    """A line of words on the Line: the lead, what is quiet, what is off."""

    name: str
    lead: str
    readings: Sequence["Reading"]
    off: Sequence["Reading"]

    @property
    def labelled(self) -> list[tuple[str, "Reading"]]:
        """Each quiet reading under its short name, or its whole name where two would be called alike."""
        shorts = Counter(one.tag.short.lower() for one in self.readings)
        return [(one.tag.short if shorts[one.tag.short.lower()] == 1 else one.tag.name, one) for one in self.readings]


@dataclass(frozen=True, slots=True)
class Spoken:
    """A line of quick entry that is no reading: what it would do, in words, and the doing of it.

    `do` takes who, when and the form's key, and says what was done; `fault` says why it cannot be.
    """

    words: str
    do: "Callable[[Person, datetime, str], str] | None" = None
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Flying:
    """A batch that is in: in which digester, since when, until when."""

    digester: int
    started_at: "datetime"
    blow_at: "datetime"


@dataclass(frozen=True, slots=True)
class Blow:
    """A batch that was blown, or is to be: where it was cooked, its pulp and its kappa, measured or foretold."""

    unit: str
    number: int
    at: "datetime"
    bdt: float
    kappa: float
    measured: bool


@dataclass(frozen=True, slots=True)
class Past:
    """What a demonstration brings of the days before it opens."""

    folder: Path
    people: Mapping[str, "Person"]
    opened: "datetime"
    story: "Story"


@dataclass(frozen=True, slots=True)
class Station:
    """One station of the desk.

    `kind` is the kind of stop on the ribbon it is for, '' for what serves them all. Functions
    take the line's state; `readings` the measured part of it, and none of what they feed.
    `counters` names what a plant's server counts for it besides the tags, and who takes it.
    """

    kind: str
    title: str
    serves: Callable[[Definition], bool] = _always
    home: "Callable[[HttpRequest, State, str], HttpResponse] | None" = None
    tabs: "Callable[[State], Sequence[tuple[str, str, str]]]" = _nothing  # name, label, address of each of its pages
    urls: "Callable[[], Sequence[URLPattern]]" = tuple
    panels: "Sequence[Panel]" = ()
    tables: "Mapping[str, Table]" = field(default_factory=dict)
    takers: "Mapping[str, Taker]" = field(default_factory=dict)
    figures: "Mapping[str, Callable[[State, str], Figure]]" = field(default_factory=dict)
    readings: "Callable[[State], Iterable[Reading]]" = _nothing
    due: "Callable[[State], Iterable[Item]]" = _nothing
    in_flight: "Callable[[State], Iterable[Flying]]" = _nothing
    blows: "Callable[[State], Iterable[Blow]]" = _nothing  # of late and to come, the oldest first
    blown_since: "Callable[[State, datetime], Iterable[Blow]]" = _nothing  # however long ago, the oldest first
    learned: "Callable[[State], Mapping[tuple[str, str], Datum]]" = (
        _no_words  # by point and tag: what moves do of what is computed
    )
    stands: "Callable[[State, str], Datum | None]" = _none  # where a point people move stands, by what was set last
    fitted: "Callable[[State, str], Relation | None]" = _none  # the relation accepted of a recipe, by its id
    moved: "Callable[[State, str], Sequence[tuple[datetime, float]]]" = _nothing  # when a point was moved, from what
    held: "Callable[[State], Mapping[str, str]]" = _no_words  # tag: why nothing more is advised of it yet
    made: "Callable[[State, datetime], Iterable[str]]" = _nothing  # what it made since a moment, a line each
    sheet: "Callable[[State], Iterable[tuple[str, list[str]]]]" = _nothing
    series: "Callable[[State, str], Datum | None]" = _none
    spoken: "Callable[[State, str], Spoken | None]" = _none  # a line of quick entry it understands
    in_view: "Callable[[State, str], Iterable[str]]" = _nothing  # tags meant first on a page, by its address
    under_card: "Callable[[State, Advice], tuple[str, Mapping[str, Any]] | None]" = _none  # template and context
    under_panel: "Callable[[State, Attempt], tuple[str, Mapping[str, Any]] | None]" = _none
    places: "Callable[[State, str], Iterable[tuple[str, str, str]]]" = _nothing
    story: "Callable[[State], Told | None]" = _none
    leads: "Callable[[State], Mapping[str, str]]" = _no_words  # family: what is worth saying first of it
    urgent: "Callable[[State], str]" = _no_word  # what cannot wait, for the Line's sentence
    acts: "Callable[[World, datetime], Iterable[tuple[str, int, str]]]" = (
        _nothing  # key, digester, what was done by hand since
    )
    courses: "Callable[[State], Mapping[str, Sequence[tuple[float, float]]]]" = (
        _no_words  # by vessel: hours on, and the level then, for the drawing
    )
    counters: "Callable[[Definition], Mapping[str, Callable[[World, Sequence[float]], None]]]" = _no_words
    corrections: "Mapping[str, Correction]" = field(default_factory=dict)  # by the model readings were made from
    past: "Callable[[World, Past], Iterable[Record]]" = _nothing
    pages: "Callable[[State], Iterable[str]]" = _nothing  # addresses on the line, for tests
    pictures: Mapping[str, tuple[str, str, str]] = field(default_factory=dict)  # name: address, person, theme


@cache
def stations() -> tuple[Station, ...]:
    """Return every station there is, in the order of the settings."""
    return tuple(import_module(f"desk.stations.{name}.station").STATION for name in settings.FOX_STATIONS)


def station_for(line: Definition, kind: str) -> Station:
    """Return the station that serves a kind of stop on a line: its own, else the plain one."""
    own = next((one for one in stations() if one.kind == kind and one.serves(line)), None)
    return own or next(one for one in stations() if one.kind == "")
