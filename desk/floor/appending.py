"""Rows that are written once: no change, no removal, not even by accident."""

from typing import Any, NoReturn

from django.db import models


class AppendOnlyError(RuntimeError):
    """Somebody tried to change or remove a record; a correction is a new record."""


class AppendOnlyQuerySet(models.QuerySet[Any]):
    """Refuses bulk changes."""

    def update(self, **kwargs: Any) -> NoReturn:
        """Refuse."""
        raise AppendOnlyError(self.model.__name__)

    def delete(self) -> NoReturn:
        """Refuse."""
        raise AppendOnlyError(self.model.__name__)


class AppendOnly(models.Model):
    """A model whose rows can be added and read."""

    objects = AppendOnlyQuerySet.as_manager()

    class Meta:
        """Not a table of its own."""

        abstract = True

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Add the row; refuse to change one."""
        if self.pk is not None and not self._state.adding:
            raise AppendOnlyError(type(self).__name__)
        kwargs["force_insert"] = True
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> NoReturn:
        """Refuse."""
        raise AppendOnlyError(type(self).__name__)
