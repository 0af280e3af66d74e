"""The folder where devices leave their files; what each holds is for the station that knows the device.

A file is taken in whole or not at all. One that cannot be read is moved to `aside`, with
its reason beside it and on the page; one that was is moved to `taken`.
"""

import csv
import io
import logging
import os
import stat
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.db import IntegrityError, OperationalError, transaction

from desk.exchange.models import Dropped
from desk.floor import clock
from desk.floor.models import World
from desk.floor.station import stations
from stock.errors import DomainError

log = logging.getLogger(__name__)

MOST_BYTES: Final = 200_000
MOST_ROWS: Final = 500
SETTLED_S: Final = 2.0  # a file that did not change for so long is whole
OLDEST: Final = timedelta(days=400)
AHEAD: Final = timedelta(minutes=10)

Taker = Callable[[World, Dropped, list[dict[str, str]]], None]


class BrokenFileError(Exception):
    """A file that cannot be taken in; the message says why and where."""


class Folder:
    """A line's folder, looked at again and again; a file is taken once it has lain unchanged for two looks."""

    def __init__(self, world: World, path: Path, settled_s: float = SETTLED_S) -> None:
        """Bind to a folder, which need not be there yet; `settled_s` of 0 takes files at once."""
        self.world, self.path, self.settled_s = world, path, settled_s
        self._seen: dict[str, tuple[int, int, float]] = {}  # size, changed, first seen so

    def pick_up(self) -> list[Dropped]:
        """Take in every file that is whole, oldest name first; nothing that lies there stops the others."""
        found = []
        for path in sorted(self._lying(), key=lambda one: os.fsencode(one.name)):
            try:
                if self._is_whole(path):
                    found.append(_take(self.world, path))
                    self._seen.pop(path.name, None)
            except FileNotFoundError:  # somebody took it back
                continue
            except OperationalError as error:  # the database is busy or the disk full: the file waits
                log.warning("%s waits: %s", shown(path), error)
            except OSError as error:
                log.warning("%s cannot be taken: %s", shown(path), error)
        return found

    def _lying(self) -> list[Path]:
        with suppress(OSError):
            return [path for path in self.path.iterdir() if path.name.endswith(".csv")]
        return []

    def _is_whole(self, path: Path) -> bool:
        if not self.settled_s:
            return True
        status = path.lstat()
        now = (status.st_size, status.st_mtime_ns)
        size, changed, since = self._seen.get(path.name, (-1, -1, 0.0))
        if (size, changed) != now:
            self._seen[path.name] = (*now, time.monotonic())
            return False
        return time.monotonic() - since >= self.settled_s


def pick_up(world: World, folder: Path) -> list[Dropped]:
    """Take in every file that lies in a folder nobody writes to any more."""
    return Folder(world, folder, settled_s=0).pick_up()


def shown(path: Path) -> str:
    """Return a file's name as it can be kept and shown, whatever its bytes are."""
    return os.fsencode(path.name).decode("utf-8", "replace")[:120]


def _take(world: World, path: Path) -> Dropped:
    name = shown(path)
    kind = name.partition("_")[0][:10]
    try:
        rows = _read(path)
        with transaction.atomic():
            dropped = Dropped.objects.create(world=world, name=name, kind=kind, at=clock.now())
            _taker(kind)(world, dropped, rows)
    except (OperationalError, FileNotFoundError):
        raise
    except Exception as error:
        expected = isinstance(error, (BrokenFileError, DomainError, ValidationError, IntegrityError))
        if not expected:
            log.exception("%s could not be taken in", name)
        reason = _words(error) if expected else f"it could not be taken in: {type(error).__name__}"
        dropped = Dropped.objects.create(world=world, name=name, kind=kind, reason=reason[:300], at=clock.now())
        moved = _move(path, "aside")
        moved.with_suffix(".reason.txt").write_text(reason + "\n", encoding="utf-8")
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
    """Move a file to its place, beside others of its name."""
    target = path.parent / place
    target.mkdir(exist_ok=True)
    goal = target / path.name
    count = 1
    while os.path.lexists(goal):
        count += 1
        goal = target / f"{path.stem}.{count}{path.suffix}"
    return path.rename(goal)


def _read(path: Path) -> list[dict[str, str]]:
    """Read a regular file, never more than may be in it; a link, a pipe or a folder is refused unopened."""
    if not stat.S_ISREG(path.lstat().st_mode):
        raise BrokenFileError("it is no file: a folder, a link or a pipe")
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    with os.fdopen(handle, "rb") as file:
        data = file.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise BrokenFileError(f"the file is larger than {MOST_BYTES // 1000} kB")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BrokenFileError(f"not text in UTF-8: byte {error.start}") from None
    try:
        rows = list(csv.DictReader(io.StringIO(text), restkey="", restval=""))
    except csv.Error as error:
        raise BrokenFileError(f"not readable as CSV: {error}") from None
    if not rows:
        raise BrokenFileError("the file holds no rows")
    if len(rows) > MOST_ROWS:
        raise BrokenFileError(f"{len(rows)} rows are more than {MOST_ROWS}")
    if any("" in row for row in rows):
        raise BrokenFileError("a line has more fields than the first")
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
        at = datetime.fromtimestamp(int(number_of(row, name, number)), UTC)
    except (OverflowError, ValueError, OSError):
        raise BrokenFileError(f"line {number}: {name} is no moment in seconds") from None
    if not clock.now() - OLDEST < at < clock.now() + AHEAD:
        raise BrokenFileError(f"line {number}: {name} is {at:%d %b %Y}, too long ago or still to come")
    return at
