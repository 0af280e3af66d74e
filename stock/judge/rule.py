"""A row of a decision table, and what it may ask for.

A row goes by what is measured at what kind of part, never by an id: `reads` names the point,
`at` the kinds it is known at. What else it needs it finds from where it stands (`Here`).
"""

from collections.abc import Callable
from dataclasses import dataclass, field

from stock.figure import Figure
from stock.judge.here import Here


def _anywhere(here: Here) -> bool:
    return True


@dataclass(frozen=True, slots=True)
class Rule:
    """One row of a decision table. `say` turns the sized figure, and where it stands, into an instruction."""

    id: str
    reads: str
    sides: tuple[str, ...]
    causes: tuple[str, ...]
    check: str
    size: Callable[[Here], Figure]
    say: Callable[[Figure, Here], str]
    at: tuple[str, ...] = ()
    where: Callable[[Here], bool] = field(default=_anywhere)

    def fits(self, here: Here) -> bool:
        """Whether the row is about what is measured there."""
        return self.reads == here.tag.reads and not here.kinds.isdisjoint(self.at) and self.where(here)


def by_step(noun: str | Callable[[Here], str], unit: str) -> Callable[[Figure, Here], str]:
    """Return a wording that raises or lowers something by the size."""

    def say(size: Figure, here: Here) -> str:
        verb = "Raise" if size.value >= 0 else "Lower"
        what = noun if isinstance(noun, str) else noun(here)
        return f"{verb} {what} by {abs(size.value):.{size.decimals}f} {unit}"

    return say
