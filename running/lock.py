"""One running desk a folder: a lock that the system lets go of when its holder dies, however it dies."""

import fcntl
import os
from pathlib import Path
from types import TracebackType
from typing import Self


class AlreadyRunningError(RuntimeError):
    """The folder is in use; the message says by which process."""


class FolderLock:
    """A lock beside a folder, so that the folder itself may be made anew under it."""

    def __init__(self, folder: Path) -> None:
        """Bind to a folder, which need not exist."""
        self.path = folder.with_name(f"{folder.name}.lock")
        self._file: int | None = None

    def __enter__(self) -> Self:
        """Take the lock, or say who has it."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self._file = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            holder = self.path.read_text(encoding="ascii", errors="replace").strip() or "another process"
            os.close(self._file)
            self._file = None
            message = f"a desk already runs in {self.path.with_suffix('')} (process {holder}); end it first"
            raise AlreadyRunningError(message) from None
        os.ftruncate(self._file, 0)
        os.pwrite(self._file, str(os.getpid()).encode(), 0)
        return self

    def __exit__(self, kind: type[BaseException] | None, value: BaseException | None, at: TracebackType | None) -> None:
        """Let it go."""
        if self._file is not None:
            os.close(self._file)
            self._file = None
