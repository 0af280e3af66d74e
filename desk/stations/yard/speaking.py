"""What quick entry understands of the yard: a metal trip typed in a line."""

import re
from collections.abc import Iterable
from datetime import datetime
from typing import Final

from desk.floor.state import State
from desk.floor.station import Spoken
from desk.people.models import Person
from desk.stations.yard.work import log_trip

_TRIP: Final = re.compile(r"(?:metal )?trip\b(.*)", re.IGNORECASE)
_MINUTES: Final = re.compile(r"(\d{1,3})\s*min\b", re.IGNORECASE)
_LOT: Final = re.compile(r"\blot\s+(\S+)|\b([A-Z]-\d{3,})\b", re.IGNORECASE)
NOT_FOUND: Final = "Nothing found yet"


def spoken(state: State, text: str) -> Spoken | None:
    """Read `metal trip chipper infeed bolt 6 min lot R-49137`; None where the line is something else."""
    typed = _TRIP.fullmatch(text.strip())
    if typed is None or state.line.yard is None:
        return None
    rest, detectors = typed[1].strip(" ,"), state.line.yard.detectors
    minutes, lot = _MINUTES.search(rest), _LOT.search(rest)
    number = (lot[1] or lot[2]).upper() if lot else ""
    for used in (minutes, lot):
        rest = rest.replace(used[0], " ") if used else rest
    detector = _detector(rest, detectors)
    if detector is None:
        return Spoken("", fault=f"say which detector: {', '.join(detectors)}")
    words = set(detector.lower().split())
    find = " ".join(word for word in rest.split() if word.lower() not in words).strip(" ,") or NOT_FOUND
    stopped = float(minutes[1]) if minutes else 0.0
    said = (
        f"Metal trip, {detector.lower()}: {find.lower()}, stopped {stopped:g} min{f', lot {number}' if number else ''}"
    )

    def do(person: Person, at: datetime, form_key: str) -> str:
        given = {"detector": detector, "find": find, "lot": number, "stopped_min": stopped}
        log_trip(state.world, person, **given, at=at, form_key=form_key)  # type: ignore[arg-type]
        return said

    return Spoken(said, do)


def _detector(text: str, detectors: Iterable[str]) -> str | None:
    """Return the detector whose words are among those typed: the only one where nothing is said of it."""
    named, typed = list(detectors), {word.lower() for word in text.split()}
    if len(named) == 1:
        return named[0]
    scored = [(len(typed & set(name.lower().split())), name) for name in named]
    best = max(scored, default=(0, ""))
    return best[1] if best[0] and [score for score, _ in scored].count(best[0]) == 1 else None


def in_view(state: State, rest: str) -> Iterable[str]:
    """Return the yard's tags on its own pages."""
    if not rest.startswith("yard/"):
        return ()
    station = state.line.stop_id("yard")
    return [tag.id for tag in state.line.tags if tag.station == station]
