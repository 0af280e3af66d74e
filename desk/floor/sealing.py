"""What a row says, written the same way whoever writes it and wherever it is read again: the text that is sealed."""

import hashlib
import json
from datetime import UTC, date, datetime
from typing import Any, Final

from django.db import models

UNSEALED: Final = frozenset({"id", "digest"})


def canonical(row: models.Model, without: frozenset[str] = UNSEALED) -> str:
    """Return every column of a row as one text: moments in UTC, whole numbers of a float column as floats, no minus nought."""
    said = {}
    for field in row._meta.concrete_fields:
        if field.attname in without:
            continue
        value = getattr(row, field.attname)
        said[field.column] = _plain(value if field.is_relation else field.to_python(value))
    return json.dumps(said, sort_keys=True, ensure_ascii=True, separators=(",", ":"))


def _plain(value: Any) -> Any:
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat(timespec="microseconds")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float):
        return repr(value + 0.0)
    return value


def digest_of(row: models.Model) -> str:
    """Return the digest of a row as it stands."""
    return hashlib.sha256(canonical(row).encode()).hexdigest()
