"""How the running parts stand, and how old what a page shows may be: said on every page, and to whoever watches."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, Final

from django.conf import settings
from django.utils import timezone

from desk.floor.measured import STALE_S
from desk.floor.state import State

SILENT: Final = timedelta(seconds=STALE_S)
FORGOTTEN: Final = timedelta(minutes=2)  # a part that has said nothing for so long is not there
CLOCK_SLACK: Final = timedelta(minutes=2)


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that does not run: which part, in a sentence."""

    part: str
    words: str


def told(name: str, now: datetime) -> dict[str, Any]:
    """Return what a part told of itself, empty where it told nothing of late."""
    path: Path = settings.FOX_PARTS / f"{name}.json"
    try:
        found: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
        at = datetime.fromtimestamp(found["at_s"], UTC)
    except (OSError, ValueError, KeyError, TypeError, OverflowError):
        return {}
    return found if abs(now - at) < FORGOTTEN else {}


def running(now: datetime) -> list[dict[str, Any]]:
    """Return how the supervised parts stand; none where nobody supervises."""
    parts = told("parts", now).get("parts", [])
    return [one for one in parts if isinstance(one, dict)]


def troubles(state: State) -> list[Trouble]:
    """Return what does not run as it should, for a line's pages: the clock, old readings, ended parts."""
    found = []
    now = timezone.localtime(state.now)
    if state.behind > CLOCK_SLACK:
        words = (
            f"The server's clock is wrong: it shows {timezone.localtime(state.clock):%H:%M}, and entries were made at"
            f" {now:%H:%M}. Times go by the newest entry until it is put right."
        )
        found.append(Trouble("clock", words))
    ended = [one for one in running(state.clock) if not one.get("running")]
    why = _why(state, ended)
    if state.newest is not None and now - state.newest > SILENT:
        newest = timezone.localtime(state.newest)
        at = f"{newest:%H:%M}" if newest.date() == now.date() else f"{newest:%d %b %H:%M}"
        words = f"Readings are old, the newest from {at}, {_ago(now - state.newest)} ago.{why}"
        found.append(Trouble("readings", f"{words} Entries are kept; advice goes by the last values."))
    elif why:
        found.append(Trouble("readings", why.strip()))
    found += [
        Trouble(one["name"], f"{one['title']} has ended; it is started again by itself.")
        for one in ended
        if not str(one.get("name", "")).startswith(("plant", "collector"))
    ]
    return found


def _why(state: State, ended: list[dict[str, Any]]) -> str:
    """Say why no readings come, where a part says so."""
    slug = state.world.slug
    health = told(f"collector-{slug}", state.clock)
    if health.get("state") == "waiting to store":
        return f" The database takes nothing; {health.get('waiting', 0)} readings wait their turn."
    for name, words in (("plant", "The plant's server has ended"), ("collector", "The collector has ended")):
        if any(one.get("name") == f"{name}-{slug}" for one in ended):
            return f" {words}; it is started again by itself."
    if health.get("state") == "no plant":
        return " The plant's server does not answer."
    if health.get("dropped"):
        return f" {health['dropped']} readings had to be dropped: there was no room to keep them."
    return ""


def _ago(span: timedelta) -> str:
    minutes = int(span.total_seconds() // 60)
    if minutes < 2:
        return f"{int(span.total_seconds())} s"
    return f"{minutes} min" if minutes < 120 else f"{minutes // 60} h {minutes % 60} min"
