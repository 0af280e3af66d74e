"""A row of a decision table, and what it may ask for."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from stock.figure import Datum, Figure


class Facts(Protocol):
    """Where a rule gets its numbers, each with its origin."""

    def reading(self, tag_id: str) -> Datum:
        """Return the last value of a tag."""

    def target(self, tag_id: str) -> Datum:
        """Return a tag's target."""

    def constant(self, name: str) -> Datum:
        """Return a fitted figure of the mill."""

    def flow(self, stream_id: str) -> Datum:
        """Return the bone-dry flow of a stream in the balance, BDt/h."""

    def series(self, name: str) -> Datum:
        """Return a list the line keeps, such as the counts of past shifts."""


@dataclass(frozen=True, slots=True)
class Rule:
    """One row of a decision table. `say` turns the sized figure and the side into an instruction."""

    id: str
    tag: str
    sides: tuple[str, ...]
    causes: tuple[str, ...]
    check: str
    size: Callable[[Facts], Figure]
    say: Callable[[Figure, str], str]


def by_step(noun: str, unit: str) -> Callable[[Figure, str], str]:
    """Return a wording that raises or lowers something by the size."""

    def say(size: Figure, side: str) -> str:
        verb = "Raise" if size.value >= 0 else "Lower"
        return f"{verb} {noun} by {abs(size.value):.{size.decimals}f} {unit}"

    return say
