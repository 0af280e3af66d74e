"""What was logged at a station since something was last in order there: what an advice card is read beside."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from desk.floor.models import Record
from desk.floor.state import State
from stock.tag import Tag

BACK: Final = timedelta(hours=12)
LIVE_BACK: Final = timedelta(hours=2)  # of what nobody tests
SHOWN: Final = 3
EVERY_S: Final = 60
KINDS: Final = (Record.Kind.EVENT, Record.Kind.TRIM, Record.Kind.ORDER)


@dataclass(frozen=True, slots=True)
class Logged:
    """An entry of the log."""

    at: datetime
    text: str
    by: str
    station: str


def logged_since(state: State, tag: Tag) -> list[Logged]:
    """Return the newest entries at a tag's station since the test before its last, the oldest first."""
    run = state.entered.get(tag.id, [])
    since = run[-2].at if len(run) > 1 else run[-1].at if run else state.now - LIVE_BACK
    rows = state.of_records("logged of late", lambda: _of_late(state), EVERY_S)
    return [one for one in rows if one.station == tag.station and since < one.at <= state.now][-SHOWN:]


def _of_late(state: State) -> list[Logged]:
    rows = Record.objects.filter(
        world=state.world, kind__in=KINDS, superseded_by=None, at__gt=state.now - BACK, at__lte=state.now
    ).select_related("by")
    return [Logged(one.at, one.text, one.by.short_name, one.station) for one in rows.order_by("at", "id")]
