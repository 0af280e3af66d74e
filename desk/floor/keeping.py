"""Keeping a row: one transaction, its line in the log linked to it, the same answer to a form sent twice everywhere."""

from collections.abc import Callable
from typing import Any, Final, TypeVar

from django.apps import apps
from django.core.exceptions import ValidationError
from django.db import IntegrityError, models, transaction
from django.utils import timezone

from desk.floor.models import Record, World
from desk.floor.sealing import digest_of

KEY_LONGEST = 40
NOT_COMPARED: Final = frozenset(
    {"digest", "source", "source_digest", "sealed_as", "form_key", "level", "sha256", "sheet"}
)
verb = transaction.atomic  # one verb, one transaction: what it looks at cannot change before it writes
R = TypeVar("R", bound=models.Model)


def sent_before(row_type: type[R], world: World, form_key: str) -> R | None:
    """Return the row a form made when it was sent before, where it was."""
    found: R | None = row_type._default_manager.filter(world=world, form_key=form_key).first()
    return found


def keep(row: R, then: Callable[[R], object] | None = None) -> R:
    """Keep a row, and what belongs to it, whole or not at all.

    Parameters
    ----------
    row : Model
        With its `world` and `form_key`, not saved yet; what it supersedes stays readable.
    then : callable, optional
        Writes what goes with it: its effects, its line in the log.

    Returns
    -------
    Model
        The row; the first one where the form was sent before, also where two were sent at once.

    Raises
    ------
    ValidationError
        If somebody else corrected the same entry meanwhile.
    """
    asked: Any = row
    try:
        with transaction.atomic():
            if (sent := sent_before(type(row), asked.world, asked.form_key)) is not None:
                return same(sent, row)
            row.save()
            if then is not None:
                then(row)
    except IntegrityError:
        if (sent := sent_before(type(row), asked.world, asked.form_key)) is not None:
            return same(sent, row)
        _say_who_was_first(asked)
        raise
    return row


def same(sent: R, asked: R) -> R:
    """Return the row a form made before; ValidationError where the form now says something else.

    Moments are not compared: a form sent again is sent later.
    """
    for field in sent._meta.concrete_fields:
        if field.primary_key or isinstance(field, models.DateTimeField) or field.name in NOT_COMPARED:
            continue
        kept, said = getattr(sent, field.attname), getattr(asked, field.attname)
        if not field.is_relation and said is not None:
            said = field.to_python(said)
        if kept != said:
            at = timezone.localtime(getattr(sent, "entered_at", None) or timezone.now())
            message = (
                f"this form was sent at {at:%H:%M} already, with {field.verbose_name} {kept}; the second was not kept."
                " Load the page again to enter another"
            )
            raise ValidationError({field.name: message})
    return sent


def _say_who_was_first(row: Any) -> None:
    for field, did in (("supersedes", "corrected this entry"), ("undoes", "took this back")):
        old = getattr(row, field, None)
        first = type(row).objects.select_related("by").filter(**{field: old}).first() if old is not None else None
        if first is not None:
            at = timezone.localtime(first.entered_at)
            raise ValidationError({"why": f"{first.by.short_name} {did} at {at:%d %b %H:%M} already; look again"})


def source_of(row: models.Model) -> str:
    """Return how the log names the row a line was made from."""
    return f"{row._meta.label_lower}:{row.pk}"


def digest_at(source: str) -> str | None:
    """Return the digest of the row a line of the log was made from; None where it is not there."""
    label, _, key = source.partition(":")
    row = apps.get_model(label)._default_manager.filter(pk=key).first()
    return digest_of(row) if row is not None else None


def made_from(row: Any) -> "models.QuerySet[Record]":
    """Return the entries of the log made from a row, those that stand."""
    found: models.QuerySet[Record] = Record.objects.filter(world=row.world, source=source_of(row), superseded_by=None)
    return found


WHY_WANTED: Final = "say why, so that the next shift understands"


def need_why(why: str) -> str:
    """Return the reason of a correction; ValidationError where none is given."""
    if not why.strip():
        raise ValidationError({"why": WHY_WANTED})
    return why.strip()[:200]


def line_key(prefix: str, row: Any) -> str:
    """Return the form key of the line in the log that goes with a row."""
    return f"{prefix}-{row.form_key}"[:KEY_LONGEST]
