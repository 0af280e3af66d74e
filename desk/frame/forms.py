"""What typed forms share: numbers and moments read, fields as shown, refusals in words, a key that counts once."""

import re
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest
from django.utils import timezone

from desk.floor.state import State
from desk.frame.alike import new_key
from stock.errors import DomainError


@dataclass(frozen=True, slots=True)
class Field:
    """A field as shown."""

    name: str
    label: str
    text: str
    unit: str = ""
    wide: bool = False
    origin: str = ""
    allowed: str = ""


def words_of(error: Exception) -> str:
    """Return a refusal as one sentence."""
    if isinstance(error, ValidationError):
        return "; ".join(error.messages)
    if isinstance(error, DomainError) and error.allowed:
        return f"{error.message}. Allowed: {error.allowed}"
    return str(error)


def number(text: Any, name: str, label: str) -> float:
    """Read a number as typed, a comma or a point.

    Raises
    ------
    DomainError
        E_TYPE, naming the field.
    """
    try:
        value = float(str(text).strip().replace(",", "."))
    except ValueError:
        shown = f"is {str(text)[:20]!r}, which is not a number" if str(text).strip() else "is missing"
        raise DomainError("E_TYPE", name, f"{label} {shown}", "a number") from None
    if value != value or abs(value) > 1e12:  # noqa: PLR0124  not-a-number differs from itself
        raise DomainError("E_TYPE", name, f"{label} is not a finite number", "a number")
    return value


def maybe(text: Any, name: str, label: str) -> float | None:
    """Read a number that may be left out."""
    return number(text, name, label) if str(text).strip() else None


def time_of_day(state: State, text: str) -> datetime:
    """Read a time of day as typed, of today; now where none was typed.

    Raises
    ------
    DomainError
        E_TYPE, for what is no time of day.
    """
    local = timezone.localtime(state.now)
    text = text.strip()
    if not text:
        return local
    found = re.fullmatch(r"(\d{1,2})[:.](\d{2})", text)
    if found is None or int(found[1]) > 23 or int(found[2]) > 59:
        raise DomainError("E_TYPE", "at", f"{text[:20]!r} is no time of day", "a time such as 14:05")
    return local.replace(hour=int(found[1]), minute=int(found[2]), second=0, microsecond=0)


def moment(state: State, text: str) -> datetime:
    """Read a time of day that was: the last one, never ahead of now."""
    local, at = timezone.localtime(state.now), time_of_day(state, text)
    if at > local + timedelta(minutes=2):
        at -= timedelta(days=1)
    return min(at, local)


def moment_ahead(state: State, text: str) -> datetime:
    """Read a time of day that is to come; up to three hours ago is taken as late, not as tomorrow."""
    at = time_of_day(state, text)
    return at + timedelta(days=1) if timezone.localtime(state.now) - at > timedelta(hours=3) else at


def key_of(request: HttpRequest) -> str:
    """Return the form's key, so that a form sent twice counts once."""
    return request.POST.get("form_key", "")[:36] or new_key()
