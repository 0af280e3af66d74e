"""Readings that could not be stored yet: kept on disk in their order, bounded, and counted where some had to go."""

import sqlite3
from collections import deque
from collections.abc import Callable, Sequence
from contextlib import closing
from pathlib import Path
from typing import Final

Row = tuple[str, int, float | None, int]  # tag, second, value, quality

MOST_ROWS: Final = 400_000  # two hundred tags every 5 s for almost three hours
MOST_IN_MEMORY: Final = 20_000
AT_ONCE: Final = 2_000


class Buffer:
    """A queue of readings: on disk where there is a disk, in memory while there is none."""

    def __init__(self, path: Path, most_rows: int = MOST_ROWS, most_in_memory: int = MOST_IN_MEMORY) -> None:
        """Bind to a file, which is made when it is first needed."""
        self.path, self.most_rows = path, most_rows
        self.memory: deque[Row] = deque(maxlen=most_in_memory)
        self.dropped = 0
        self.waiting = self._count()

    def add(self, rows: Sequence[Row]) -> None:
        """Keep rows for later; the oldest go where there is no room, and are counted."""
        try:
            with closing(self._open()) as file, file:
                file.executemany("INSERT INTO waiting (tag, at_s, value, quality) VALUES (?, ?, ?, ?)", rows)
                over = max(0, self.waiting + len(rows) - self.most_rows)
                file.execute("DELETE FROM waiting WHERE id IN (SELECT id FROM waiting ORDER BY id LIMIT ?)", (over,))
            self.dropped += over
            self.waiting += len(rows) - over
        except (sqlite3.Error, OSError):  # the disk is full or gone
            room = (self.memory.maxlen or 0) - len(self.memory)
            self.dropped += max(0, len(rows) - room)
            self.memory.extend(rows)

    def empty_into(self, store: Callable[[Sequence[Row]], object]) -> int:
        """Store what waits, oldest first, some at a time; what cannot be stored goes on waiting."""
        stored = 0
        while self.waiting:
            with closing(self._open()) as file:
                found = file.execute(
                    "SELECT id, tag, at_s, value, quality FROM waiting ORDER BY id LIMIT ?", (AT_ONCE,)
                ).fetchall()
                if not found:
                    self.waiting = 0
                    break
                store([tuple(row[1:]) for row in found])
                with file:
                    file.execute("DELETE FROM waiting WHERE id <= ?", (found[-1][0],))
            stored += len(found)
            self.waiting = max(0, self.waiting - len(found))
        while self.memory:
            rows = list(self.memory)[:AT_ONCE]
            store(rows)
            for _ in rows:
                self.memory.popleft()
            stored += len(rows)
        return stored

    @property
    def held(self) -> int:
        """How many rows wait."""
        return self.waiting + len(self.memory)

    def _open(self) -> sqlite3.Connection:
        self.path.parent.mkdir(parents=True, exist_ok=True)
        file = sqlite3.connect(self.path, timeout=2)
        file.execute("PRAGMA journal_mode=WAL")
        file.execute(
            "CREATE TABLE IF NOT EXISTS waiting (id INTEGER PRIMARY KEY, tag TEXT, at_s INTEGER, value REAL, quality INTEGER)"
        )
        return file

    def _count(self) -> int:
        if not self.path.exists():
            return 0
        try:
            with closing(self._open()) as file:
                return int(file.execute("SELECT count(*) FROM waiting").fetchone()[0])
        except sqlite3.Error:  # a file nobody can read: set aside, not lost
            self.path.replace(self.path.with_suffix(".unreadable"))
            return 0
