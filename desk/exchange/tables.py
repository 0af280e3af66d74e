"""What a kind of record looks like in a file, and how a file of it is checked and kept."""

import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from desk.floor.models import World
from desk.floor.services import NotAllowedError
from desk.people.models import Person
from desk.people.roles import RECORD
from stock.errors import DomainError
from stock.typed import typed_number


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its name with its unit, and whether a row must have it."""

    name: str
    meaning: str
    needed: bool = False


@dataclass(frozen=True, slots=True)
class Table:
    """A kind of record: its columns, how one row is kept, how all are read, and which actions, each alone, let a person bring it in."""

    id: str
    title: str
    columns: Sequence[Column]
    keep: Callable[[World, Person, Mapping[str, str], str], object]
    rows: Callable[[World], Iterable[Mapping[str, Any]]]
    actions: tuple[str, ...] = (RECORD,)

    def may_bring(self, person: Person) -> bool:
        """Say whether a person may bring in such records."""
        return any(person.may(action) for action in self.actions)

    @property
    def names(self) -> list[str]:
        """Names of the columns."""
        return [column.name for column in self.columns]


@dataclass(frozen=True, slots=True)
class Checked:
    """One row of a file with what is wrong with it."""

    number: int
    cells: Sequence[str]
    faults: Sequence[str]


WHOLE: Final = 150  # rows that are kept all or none
PIECE_S: Final = 0.7  # how long a piece of a file may hold the write lock
OVERLAP: Final = 60  # rows tried again before a piece, since rows may rest on those just before them


def check(
    table: Table, world: World, person: Person, rows: Sequence[Mapping[str, str]], key: str, start: int = 0
) -> list[Checked]:
    """Try rows in order from one on, as the import would, and keep none of it; stop where a piece's time is up.

    Returns
    -------
    list of Checked
        At least one row, fewer than there are where the time was up: the caller goes on after them.
    """
    found: list[Checked] = []
    began = time.monotonic()
    with transaction.atomic():
        for index in range(max(0, start - OVERLAP), len(rows)):
            if index == start:
                began = time.monotonic()
            faults = _try(table, world, person, rows[index], f"{key}-{index}")
            if index >= start:
                found.append(Checked(index + 2, [rows[index].get(name, "") for name in table.names], faults))
                if time.monotonic() - began > PIECE_S:
                    break
        transaction.set_rollback(True)
    return found


def _try(table: Table, world: World, person: Person, row: Mapping[str, str], key: str) -> list[str]:
    unknown = [name for name in row if name not in table.names]
    faults = [f"there is no column {name[:40]!r}" for name in unknown]
    faults += [f"{column.name} is missing" for column in table.columns if column.needed and not row.get(column.name)]
    if faults:
        return faults
    try:
        with transaction.atomic():
            table.keep(world, person, row, key)
    except ValidationError as error:
        return list(error.messages)
    except DomainError as error:
        return [error.message + (f"; allowed: {error.allowed}" if error.allowed else "")]
    except NotAllowedError as error:
        return [str(error)]
    except IntegrityError:
        return ["it repeats a record that is there already"]
    return []


def keep_some(
    table: Table, world: World, person: Person, rows: Sequence[Mapping[str, str]], key: str, start: int
) -> int:
    """Keep rows from one on, until a piece's time is up; a short file is kept whole. Return the row after the last kept.

    Raises
    ------
    ValidationError
        With the number of the first row at fault; nothing of this piece is kept.
    """
    began = time.monotonic()
    with transaction.atomic():
        for index in range(start, len(rows)):
            if faults := _try(table, world, person, rows[index], f"{key}-{index}"):
                before = f"rows up to {start + 1} were kept before" if start else "nothing was imported"
                raise ValidationError({"file": f"row {index + 2}: {faults[0]}; {before}"})
            if len(rows) > WHOLE and time.monotonic() - began > PIECE_S:
                return index + 1
    return len(rows)


def number_in(row: Mapping[str, str], name: str) -> float:
    """Read a number of a row.

    Raises
    ------
    DomainError
        E_TYPE, naming the column.
    """
    return typed_number(row.get(name, ""), name, name)


def maybe_number(row: Mapping[str, str], name: str) -> float | None:
    """Read a number that may be left out."""
    return number_in(row, name) if row.get(name, "").strip() else None


def numbers_in(row: Mapping[str, str], name: str) -> list[float]:
    """Read numbers parted by semicolons or spaces."""
    parts = row.get(name, "").replace(";", " ").split()
    return [number_in({name: part}, name) for part in parts]


def moment_in(row: Mapping[str, str], name: str) -> datetime:
    """Read a moment, ISO 8601; without a zone it is UTC.

    Raises
    ------
    DomainError
        E_TYPE, naming the column.
    """
    text = row.get(name, "").strip()
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise DomainError(
            "E_TYPE", name, f"{name} is {text[:30]!r}, not a moment as 2026-03-10T14:05", "a moment"
        ) from None
    return at if at.tzinfo else at.replace(tzinfo=UTC)
