"""One thing that is due, and what it needs."""

from dataclasses import dataclass
from datetime import datetime

from django.utils import timezone


@dataclass(frozen=True, slots=True)
class Item:
    """One line of the rail.

    `now` says that it needs a person already, `hurts` that it can hurt somebody or be lost by waiting;
    what `repeats` is folded with others of the same word; `witness` is the instrument it is about,
    `page` the address on the line it belongs to, where that is no station.
    """

    at: datetime
    what: str
    size: str
    level: str
    station: str
    now: bool = False
    hurts: bool = False
    repeats: str = ""
    witness: str = ""
    page: str = ""

    @property
    def clock(self) -> str:
        """When, as shown."""
        return "now" if self.now else timezone.localtime(self.at).strftime("%H:%M")


@dataclass(frozen=True, slots=True)
class Folded:
    """A line of the rail as shown: one thing, or several that repeat, the first of them standing for all."""

    first: Item
    all: tuple[Item, ...]

    @property
    def what(self) -> str:
        """What is due."""
        return self.first.what if len(self.all) == 1 else f"{len(self.all)} {self.first.repeats} due"

    @property
    def size(self) -> str:
        """Its size; of several, which comes first."""
        if len(self.all) == 1:
            return self.first.size
        name = self.first.what.partition(": ")[2] or self.first.what
        return f"First {name}."

    @property
    def words(self) -> str:
        """The whole line, as a sheet has it: of several, also until when."""
        last = "" if len(self.all) == 1 else f", the last {self.all[-1].clock}"
        return f"{self.first.clock} {self.what}{last}. {self.size}"
