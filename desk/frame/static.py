"""Static files by an address that changes with what is in them, so that a browser may keep them for good."""

import hashlib
from functools import cache
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from django.contrib.staticfiles.storage import StaticFilesStorage


@cache
def _version(name: str) -> str:
    """Return the first letters of a file's fingerprint, '' where there is no such file."""
    found: Any = finders.find(name)
    return hashlib.sha256(Path(found).read_bytes()).hexdigest()[:10] if found else ""


class VersionedStorage(StaticFilesStorage):
    """Adds its version to the address of each file; nothing is collected."""

    def url(self, name: str | None) -> str:
        """Return a file's address with its version."""
        address: str = super().url(name)
        version = _version(name or "")
        return f"{address}?v={version}" if version else address
