"""The pulse of a line: its state worked out once after each change, and shared by every page of a process.

A line's `beat` goes up with each row that is kept, by triggers in the database, whichever process
keeps it. Pages that only show ask for the state of the present beat; whoever writes works on a state of
their own. What a page needs always is worked out in order by whoever comes first: what is measured,
what the stations work out from it, what is off, what to do, what is next.
"""

from dataclasses import dataclass, field
from threading import Lock
from typing import Any, Final

from django.db import connection

from desk.floor import clock, remembered
from desk.floor.models import World
from desk.floor.next_up import next_up
from desk.floor.state import State

LIVES_S: Final = 60  # how long a state is shown where nothing is measured or written


@dataclass(frozen=True, slots=True)
class Now:
    """A line as it stands at this moment: which, how often something was kept of it, in which definition."""

    world_id: int
    version_id: int
    beat: int

    @property
    def tag(self) -> str:
        """What changes when a page of the line would: its beat, its definition, and the minute."""
        return f"{self.world_id}.{self.beat}.{self.version_id}.{int(clock.now().timestamp()) // LIVES_S}"


@dataclass(frozen=True, slots=True)
class Pulse:
    """A state worth sharing, what it is known by, and the pages already made of it."""

    tag: str
    state: State
    pages: dict[Any, Any] = field(default_factory=dict)
    lock: Any = field(default_factory=Lock)


_taken: dict[int, Pulse] = {}
_lock = Lock()


def now_of(slug: str) -> Now | None:
    """Return how a line stands, None where there is none. In SQL, since every answer begins with it."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT w.id, w.version_id, coalesce(b.beat, 0) FROM floor_world w"
            " LEFT JOIN floor_beat b ON b.world_id = w.id WHERE w.slug = %s",
            [slug],
        )
        row = cursor.fetchone()
    return Now(*row) if row is not None else None


def take(now: Now) -> Pulse:
    """Return the pulse of a line as it stands."""
    tag = now.tag
    taken = _taken.get(now.world_id)
    if taken is not None and taken.tag == tag:
        return taken
    with _lock:
        taken = _taken.get(now.world_id)
        if taken is None or taken.tag != tag:
            state = State(World.objects.select_related("version").defer("version__text").get(pk=now.world_id))
            _work_out(state)
            state.kept["tag"] = tag
            taken = Pulse(tag, state)
            _taken[now.world_id] = taken
    return taken


def _work_out(state: State) -> None:
    """Work out what every page shows, in order."""
    for part in ("measured", "readings", "off", "advice", "flows"):
        getattr(state, part)
    next_up(state)


def forget() -> None:
    """Forget every pulse: for a database that was put back to an earlier day."""
    _taken.clear()
    remembered.forget()
