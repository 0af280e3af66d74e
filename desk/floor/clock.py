"""What time it is at the desk, and which shift. Pictures and tests may hold it still."""

import os
from datetime import UTC, datetime, timedelta
from typing import Any

from django.utils import timezone

from stock.line.definition import Shifts


def now() -> datetime:
    """Return the present, or the moment in FOX_NOW (ISO) where one is set."""
    if held := os.environ.get("FOX_NOW"):
        return datetime.fromisoformat(held).astimezone(UTC)
    return timezone.now()


def as_stored(at: datetime) -> str:
    """Write a moment as the database keeps it, for queries in SQL."""
    return at.astimezone(UTC).replace(tzinfo=None).isoformat(sep=" ")


def as_read(at: Any) -> datetime:
    """Read a moment the database kept."""
    moment = at if isinstance(at, datetime) else datetime.fromisoformat(at)
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


def local(at: datetime) -> datetime:
    """Return a moment in the mill's zone."""
    return timezone.localtime(at)


def shift_of(at: datetime, shifts: Shifts) -> tuple[datetime, datetime]:
    """Return the start and the end of the shift that holds a moment, as a mill parts its day."""
    local = timezone.localtime(at)
    span = timedelta(hours=shifts.hours)
    start = local.replace(hour=shifts.first_h, minute=0, second=0, microsecond=0)
    while start > local:
        start -= span
    while start + span <= local:
        start += span
    return start, start + span
