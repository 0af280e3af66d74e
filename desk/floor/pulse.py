"""The pulse of a line: its state worked out once after each change, and shared by every page of a process.

A line's `beat` goes up with each row that is kept, by triggers in the database, whichever process
keeps it. Pages that only show ask for the state of the present beat; whoever writes works on a state of
their own. What a page needs always is worked out in order by whoever comes first: what is measured,
what the stations work out from it, what is off, what to do, what is next.
"""

from dataclasses import dataclass, field
from threading import Lock
from typing import Any, Final

from desk.floor import clock
from desk.floor.models import Beat, World
from desk.floor.next_up import next_up
from desk.floor.state import State

LIVES_S: Final = 60  # how long a state is shown where nothing is measured or written


@dataclass(frozen=True, slots=True)
class Pulse:
    """A state worth sharing, what it is known by, and the pages already made of it."""

    tag: str
    state: State
    pages: dict[Any, Any] = field(default_factory=dict)
    lock: Any = field(default_factory=Lock)


_taken: dict[int, Pulse] = {}
_lock = Lock()


def tag_of(world: World) -> str:
    """Return what changes when a page of the line would: its beat, its definition, and the minute."""
    beat: Beat | None = getattr(world, "pulse", None)
    count = beat.beat if beat is not None else 0
    return f"{world.pk}.{count}.{world.version_id}.{int(clock.now().timestamp()) // LIVES_S}"


def take(world: World) -> Pulse:
    """Return the pulse of a line as it was just read from the database."""
    tag = tag_of(world)
    taken = _taken.get(world.pk)
    if taken is not None and taken.tag == tag:
        return taken
    with _lock:
        taken = _taken.get(world.pk)
        if taken is None or taken.tag != tag:
            state = State(world)
            _work_out(state)
            taken = Pulse(tag, state)
            _taken[world.pk] = taken
    return taken


def _work_out(state: State) -> None:
    """Work out what every page shows, in order."""
    for part in ("measured", "readings", "off", "advice", "flows"):
        getattr(state, part)
    next_up(state)


def forget() -> None:
    """Forget every pulse: for a database that was put back to an earlier day."""
    _taken.clear()
