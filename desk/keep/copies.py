"""Copies of the database: taken while it runs, checked, packed, locked where asked, kept by a rule; and read again.

A copy is a gzip of the whole SQLite file; a locked one is parted into pieces, each sealed with AES-GCM
under a key made of the passphrase by scrypt.
"""

import gzip
import os
import shutil
import sqlite3
import struct
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import BinaryIO, Final

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

NAME: Final = "fox-%Y%m%dT%H%M%SZ"
OPEN_END, LOCKED_END = ".sqlite3.gz", ".sqlite3.gz.locked"
MAGIC: Final = b"FOXVAT1\n"
PIECE: Final = 1 << 20

ALL_FOR, DAILY_FOR = timedelta(days=2), timedelta(days=35)  # then one a month


class CopyError(RuntimeError):
    """A copy that is not good; the message says why."""


def take(database: Path, folder: Path, now: datetime, passphrase: str = "") -> Path:
    """Copy a running database into a folder, check the copy, pack it; return the file.

    Raises
    ------
    CopyError
        The copy is not whole; it is not kept.
    """
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    stem = folder / now.astimezone(UTC).strftime(NAME)
    raw = stem.with_suffix(".part")
    try:
        with closing(sqlite3.connect(database)) as source, closing(sqlite3.connect(raw)) as copy:
            source.backup(copy)  # at one go: a snapshot that stops no writer; in steps, each write would begin it anew
        check(raw)
        packed = stem.with_suffix(".gz.part")
        with raw.open("rb") as plain, gzip.open(packed, "wb", compresslevel=5) as out:
            shutil.copyfileobj(plain, out, PIECE)
        goal = Path(f"{stem}{LOCKED_END if passphrase else OPEN_END}")
        if passphrase:
            locked = stem.with_suffix(".locked.part")
            with packed.open("rb") as plain, locked.open("wb") as out:
                lock(plain, out, passphrase)
            packed.unlink()
            packed = locked
        with packed.open("rb+") as file:
            os.fsync(file.fileno())
        packed.replace(goal)
    finally:
        for rest in folder.glob(f"{stem.name}*.part*"):
            rest.unlink(missing_ok=True)
    return goal


def check(database: Path) -> None:
    """Refuse a database file that is not whole."""
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
            found = opened.execute("PRAGMA integrity_check").fetchone()[0]
            broken = opened.execute("PRAGMA foreign_key_check").fetchone()
    except sqlite3.DatabaseError as error:
        message = f"the copy is no database: {error}"
        raise CopyError(message) from None
    if found != "ok" or broken is not None:
        message = f"the copy is not whole: {found if found != 'ok' else f'a row of {broken[0]} points nowhere'}"
        raise CopyError(message)


def open_copy(path: Path, into: Path, passphrase: str = "") -> None:
    """Unpack a copy into a database file, and check it.

    Raises
    ------
    CopyError
        Not a copy, the wrong passphrase, not whole.
    """
    packed = into.with_suffix(".gz.part")
    try:
        source = path
        if path.name.endswith(LOCKED_END):
            if not passphrase:
                message = "the copy is locked; set FOX_BACKUP_PASSPHRASE"
                raise CopyError(message)
            with path.open("rb") as file, packed.open("wb") as out:
                unlock(file, out, passphrase)
            source = packed
        with gzip.open(source, "rb") as file, into.open("wb") as out:
            shutil.copyfileobj(file, out, PIECE)
    except (OSError, EOFError) as error:
        message = f"{path.name} cannot be unpacked: {error}"
        raise CopyError(message) from None
    finally:
        packed.unlink(missing_ok=True)
    check(into)


def _key(passphrase: str, salt: bytes) -> AESGCM:
    return AESGCM(Scrypt(salt=salt, length=32, n=2**15, r=8, p=1).derive(passphrase.encode()))


def lock(plain: BinaryIO, out: BinaryIO, passphrase: str) -> None:
    """Seal a stream piece by piece; a piece missing or moved is noticed."""
    salt = os.urandom(16)
    key = _key(passphrase, salt)
    out.write(MAGIC + salt)
    for index, (piece, last) in enumerate(_pieces(plain)):
        nonce = os.urandom(12)
        sealed = key.encrypt(nonce, piece, struct.pack(">Q?", index, last))
        out.write(struct.pack(">I", len(sealed)) + nonce + sealed)


def unlock(locked: BinaryIO, out: BinaryIO, passphrase: str) -> None:
    """Open what was locked; CopyError for the wrong passphrase or a file that was changed or cut."""
    if locked.read(len(MAGIC)) != MAGIC:
        message = "the file is not a locked copy"
        raise CopyError(message)
    key, index, last = _key(passphrase, locked.read(16)), 0, False
    while head := locked.read(4):
        (length,) = struct.unpack(">I", head)
        if length > PIECE + 64:
            message = "the copy was changed"
            raise CopyError(message)
        nonce, sealed = locked.read(12), locked.read(length)
        if len(nonce) < 12 or len(sealed) < length:
            break
        for last in (False, True):
            try:
                out.write(key.decrypt(nonce, sealed, struct.pack(">Q?", index, last)))
                break
            except InvalidTag:
                continue
        else:
            message = "the passphrase is wrong, or the copy was changed"
            raise CopyError(message)
        index += 1
        if last:
            return
    message = "the copy is cut off"
    raise CopyError(message)


def _pieces(stream: BinaryIO) -> Iterator[tuple[bytes, bool]]:
    piece = stream.read(PIECE)
    while True:
        following = stream.read(PIECE)
        yield piece, not following
        if not following:
            return
        piece = following


def copies(folder: Path) -> list[tuple[datetime, Path]]:
    """Return the copies of a folder with their moments, the oldest first."""
    found = []
    for path in folder.glob("fox-*Z.sqlite3.gz*"):
        if path.name.endswith((OPEN_END, LOCKED_END)):
            at = datetime.strptime(path.name.partition(".")[0], NAME).replace(tzinfo=UTC)
            found.append((at, path))
    return sorted(found)


def keep_by_rule(folder: Path, now: datetime) -> list[Path]:
    """Remove what the rule does not keep: all of two days, one a day of five weeks, one a month; return what went."""
    gone, days, months = [], set(), set()
    for at, path in reversed(copies(folder)):  # the newest of a day, of a month, stays
        age, day, month = now - at, at.date(), (at.year, at.month)
        stays = age <= ALL_FOR or (age <= DAILY_FOR and day not in days) or month not in months
        days.add(day)
        months.add(month)
        if not stays:
            path.unlink()
            gone.append(path)
    return gone
