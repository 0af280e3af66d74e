"""What parts of the desk that stand on the floor add to it: readings, things due, rows of the hand-over.

The floor asks; a station's own app answers, without the floor knowing which there are.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from stock.figure import Datum

if TYPE_CHECKING:
    from desk.floor.next_up import Item
    from desk.floor.state import Reading, State


def _nothing(*_: Any) -> tuple[()]:
    return ()


def _none(*_: Any) -> None:
    return None


@dataclass(frozen=True, slots=True)
class Contribution:
    """What one app adds; each function takes the line's state."""

    readings: Callable[["State"], Iterable["Reading"]] = _nothing
    due: Callable[["State"], Iterable["Item"]] = _nothing
    sheet: Callable[["State"], Iterable[tuple[str, list[str]]]] = _nothing
    series: Callable[["State", str], Datum | None] = _none
    places: Callable[["State", str], Iterable[tuple[str, str, str]]] = _nothing


CONTRIBUTIONS: list[Contribution] = []


def contribute(contribution: Contribution) -> None:
    """Register what an app adds; called once, as the app is made ready."""
    CONTRIBUTIONS.append(contribution)
