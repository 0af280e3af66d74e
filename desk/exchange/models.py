"""Files: those a person brought, which wait for their word, and those a device left."""

import hashlib

from django.conf import settings
from django.db import models
from django.utils import timezone

from desk.floor.appending import AppendOnly
from desk.floor.models import World


class Staged(models.Model):
    """The rows of an uploaded file as text, kept between its preview and its import."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    table = models.CharField(max_length=30)
    name = models.CharField(max_length=120)
    rows = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    checked = models.JSONField(default=list, help_text="faults of each row tried so far")
    kept_rows = models.PositiveIntegerField(default=0)
    kept_at = models.DateTimeField(null=True)

    @property
    def is_checked(self) -> bool:
        """Whether every row was tried."""
        return len(self.checked) >= len(self.rows)

    @property
    def is_sound(self) -> bool:
        """Whether every row was tried and can be kept."""
        return self.is_checked and not any(self.checked)

    def __str__(self) -> str:
        """Name of the file."""
        return self.name


class Dropped(AppendOnly):
    """A file a device left in the folder: taken in, or set aside with the reason."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10)
    reason = models.CharField(max_length=300, blank=True)
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        """The newest first; the table was made by the yard."""

        db_table = "yard_dropped"
        ordering = ["-id"]

    def __str__(self) -> str:
        """Name."""
        return self.name

    def key(self, number: int) -> str:
        """Return the form key of what one of its lines makes: long names must not come out alike."""
        return f"{hashlib.sha256(self.name.encode()).hexdigest()[:24]}-{number}"
