"""One thing that is due, and what it needs."""

from dataclasses import dataclass
from datetime import datetime

from django.utils import timezone


@dataclass(frozen=True, slots=True)
class Item:
    """One line of the rail."""

    at: datetime
    what: str
    size: str
    level: str
    station: str
    now: bool = False

    @property
    def clock(self) -> str:
        """When, as shown."""
        return "now" if self.now else timezone.localtime(self.at).strftime("%H:%M")
