"""A value as last known, with where it came from."""

from dataclasses import dataclass, replace
from datetime import datetime

from stock.figure import Datum, Figure, Origin, given
from stock.judge.limits import Verdict
from stock.tag import Tag


@dataclass(frozen=True, slots=True)
class Reading:
    """A value as last known, with where it came from; `trouble` says what is wrong with its signal.

    `figure` is set where the desk worked the value out itself; `note` says what else is known of it,
    such as what a second witness says.
    """

    tag: Tag
    value: float
    at: datetime
    origin: Origin
    verdict: Verdict
    trouble: str = ""
    figure: Figure | None = None
    note: str = ""

    def as_datum(self) -> Datum:
        """Use it in a calculation."""
        return self.figure.as_datum() if self.figure else Datum(self.value, self.origin)

    def as_figure(self) -> Figure:
        """Show it with its origin, or its working."""
        if self.figure is not None:
            return replace(self.figure, decimals=self.tag.decimals, unit=self.tag.unit, key=f"reading:{self.tag.id}")
        shown = given(self.tag.name, self.value, self.tag.unit, self.origin, self.tag.decimals)
        return replace(shown, key=f"reading:{self.tag.id}")
