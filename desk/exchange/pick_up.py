"""The folder where devices leave their files; what each holds is for the station that knows the device.

A file is taken in whole or not at all. One that cannot be read is moved to `aside`, with
its reason beside it and on the page; one that was is moved to `taken`.
"""

import csv
import io
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from desk.exchange.models import Dropped
from desk.floor import clock
from desk.floor.models import World
from desk.floor.station import stations
from stock.errors import DomainError

MOST_BYTES: Final = 200_000
MOST_ROWS: Final = 500


Taker = Callable[[World, Dropped, list[dict[str, str]]], None]


class BrokenFileError(Exception):
    """A file that cannot be taken in; the message says why and where."""


def pick_up(world: World, folder: Path) -> list[Dropped]:
    """Take in every file that lies in the folder, oldest name first."""
    if not folder.is_dir():
        return []
    return [_take(world, path) for path in sorted(folder.glob("*.csv"))]


def _take(world: World, path: Path) -> Dropped:
    kind = path.name.partition("_")[0]
    try:
        rows = _read(path)
        with transaction.atomic():
            dropped = Dropped.objects.create(world=world, name=path.name[:120], kind=kind[:10], at=clock.now())
            _taker(kind)(world, dropped, rows)
    except (BrokenFileError, DomainError, ValidationError, IntegrityError) as error:
        reason = _words(error)
        dropped = Dropped.objects.create(
            world=world, name=path.name[:120], kind=kind[:10], reason=reason[:300], at=clock.now()
        )
        _move(path, "aside").with_suffix(".reason.txt").write_text(reason + "\n", encoding="utf-8")
        return dropped
    _move(path, "taken")
    return dropped


def _words(error: Exception) -> str:
    if isinstance(error, ValidationError):
        return "; ".join(error.messages)
    if isinstance(error, IntegrityError):
        return "it repeats a ticket that was taken in before"
    return str(error)


def _move(path: Path, place: str) -> Path:
    target = path.parent / place
    target.mkdir(exist_ok=True)
    return path.replace(target / path.name)


def _read(path: Path) -> list[dict[str, str]]:
    if path.stat().st_size > MOST_BYTES:
        raise BrokenFileError(f"the file is larger than {MOST_BYTES // 1000} kB")
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise BrokenFileError(f"not text in UTF-8: byte {error.start}") from None
    rows = list(csv.DictReader(io.StringIO(text)))
    if not rows:
        raise BrokenFileError("the file holds no rows")
    if len(rows) > MOST_ROWS:
        raise BrokenFileError(f"{len(rows)} rows are more than {MOST_ROWS}")
    return rows


def _taker(kind: str) -> Taker:
    takers = {name: take for station in stations() for name, take in station.takers.items()}
    if kind not in takers:
        names = ", ".join(f"{name}_" for name in takers)
        raise BrokenFileError(f"no device is called {kind[:20]!r}; a name begins with one of {names}")
    return takers[kind]


def text_in(row: dict[str, Any], name: str, number: int) -> str:
    """Return a text of a line; BrokenFileError where it is missing or too long."""
    value = (row.get(name) or "").strip()
    if not value or len(value) > 20 + 20 * (name == "material"):
        raise BrokenFileError(f"line {number}: {name} is missing or too long")
    return value


def number_of(row: dict[str, Any], name: str, number: int) -> float:
    """Return a number of a line; BrokenFileError where it is none."""
    try:
        value = float(text_in(row, name, number))
    except ValueError:
        raise BrokenFileError(f"line {number}: {name} is {row[name][:20]!r}, which is not a number") from None
    if abs(value) > 1e12 or value != value:  # noqa: PLR0124  not-a-number differs from itself
        raise BrokenFileError(f"line {number}: {name} is not a finite number")
    return value


def at_in(row: dict[str, Any], name: str, number: int) -> datetime:
    """Return a moment of a line, seconds since 1970; BrokenFileError where it is none."""
    try:
        return datetime.fromtimestamp(int(number_of(row, name, number)), UTC)
    except (OverflowError, ValueError, OSError):
        raise BrokenFileError(f"line {number}: {name} is no moment in seconds") from None
