"""What typed forms share: numbers and moments read, fields as shown, refusals in words, a key that counts once."""

import hashlib
import re
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest
from django.utils import timezone

from desk.floor.state import State
from desk.frame.alike import new_key
from stock.errors import DomainError
from stock.typed import typed_number


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


def words_of(request: HttpRequest, error: Exception) -> str:
    """Return a refusal as one sentence, and remember which field it is about for the page that shows it."""
    remember_fault(request, field_of(error))
    if isinstance(error, ValidationError):
        return "; ".join(error.messages)
    if isinstance(error, DomainError) and error.allowed:
        return f"{error.message}. Allowed: {error.allowed}"
    return str(error)


def remember_fault(request: HttpRequest, field: str) -> None:
    """Remember the field a refusal is about: the page marks it and puts the focus there."""
    request.fox_fault = field  # type: ignore[attr-defined]


def field_of(error: Exception) -> str:
    """Return the field a refusal is about, '' where it is about none."""
    if isinstance(error, ValidationError):
        return next(iter(error.message_dict), "") if hasattr(error, "error_dict") else ""
    return error.argument if isinstance(error, DomainError) else ""


def number(text: Any, name: str, label: str, unit: str | None = None) -> float:
    """Read a number as typed, with its unit where the field has one.

    Raises
    ------
    DomainError
        E_TYPE or E_UNIT, naming the field.
    """
    return typed_number(str(text), name, label, unit)


def number_within(text: Any, name: str, label: str, low: float, high: float, unit: str = "") -> float:
    """Read a number that lies between two.

    Raises
    ------
    DomainError
        As `number`; E_RANGE outside, with what is allowed.
    """
    value = number(text, name, label, unit)
    if not low <= value <= high:
        said, allowed = f"{label} is {value:g} {unit}".strip(), f"{low:g} to {high:g} {unit}".strip()
        raise DomainError("E_RANGE", name, said, allowed)
    return value


def maybe(text: Any, name: str, label: str) -> float | None:
    """Read a number that may be left out."""
    return number(text, name, label) if str(text).strip() else None


_MOMENT = re.compile(
    r"(?:(?P<day>yesterday|today|tomorrow|\d{4}-\d{2}-\d{2}|\d{1,2} [a-z]{3,9})[ ,]+)?(?:at )?(?P<h>\d{1,2})[:.](?P<m>\d{2})",
    re.IGNORECASE,
)
AS_TYPED = "a time such as 14:05, or with its day: yesterday 22:10, 25 Nov 22:10"


def _moment_of(state: State, text: str, *, ahead: bool = False) -> tuple[datetime, bool]:
    """Read a moment as typed, was or to come, and whether its day was said; now where nothing was typed.

    Raises
    ------
    DomainError
        E_TYPE, for what is no moment.
    """
    local = timezone.localtime(state.now)
    text = text.strip()
    if not text:
        return local, False
    found = _MOMENT.fullmatch(text)
    wrong = DomainError("E_TYPE", "at", f"{text[:20]!r} is no time of day", AS_TYPED)
    if found is None or int(found["h"]) > 23 or int(found["m"]) > 59:
        raise wrong
    at = local.replace(hour=int(found["h"]), minute=int(found["m"]), second=0, microsecond=0)
    day = (found["day"] or "").lower()
    if day == "yesterday":
        at -= timedelta(days=1)
    elif day == "tomorrow":
        at += timedelta(days=1)
    elif day not in ("", "today"):
        try:
            said = date.fromisoformat(day) if "-" in day else _day_of(day, local.date(), ahead=ahead)
            at = at.replace(year=said.year, month=said.month, day=said.day)
        except ValueError:
            raise wrong from None
    return at, bool(day)


def _day_of(text: str, today: date, *, ahead: bool) -> date:
    """Return the day a month's day stands for, 25 Nov: the last such day, or where it is to come the next; each with a day's grace."""
    number, _, month = text.partition(" ")
    found = datetime.strptime(f"{number} {month[:3]} {today.year}", "%d %b %Y").date()  # noqa: DTZ007  a day alone
    if ahead:
        return found if found >= today - timedelta(days=1) else found.replace(year=today.year + 1)
    return found if found <= today + timedelta(days=1) else found.replace(year=today.year - 1)


def moment(state: State, text: str) -> datetime:
    """Read a moment that was: a time of day more than half a day ahead was yesterday's; one less ahead is refused as to come."""
    local, (at, dated) = timezone.localtime(state.now), _moment_of(state, text)
    if not dated and at - local > timedelta(hours=12):
        at -= timedelta(days=1)
    return local if timedelta(0) < at - local < timedelta(minutes=2) else at


def moment_ahead(state: State, text: str) -> datetime:
    """Read a moment that is to come; a time of day up to three hours ago is taken as late, not as tomorrow."""
    at, dated = _moment_of(state, text, ahead=True)
    if dated:
        return at
    return at + timedelta(days=1) if timezone.localtime(state.now) - at > timedelta(hours=3) else at


def key_of(request: HttpRequest) -> str:
    """Return the form's key, so that a form sent twice counts once.

    It is bound to the person, the line and the form: what somebody else's form was sent with, or
    another form of one's own, is another key.
    """
    typed = request.POST.get("form_key", "")[:60] or new_key()
    return hashlib.sha256(f"{request.user.pk} {request.path} {typed}".encode()).hexdigest()[:32]
