"""A file that was read and waits for its reader's word."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from desk.floor.models import World


class Staged(models.Model):
    """The rows of an uploaded file as text, kept between its preview and its import."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    table = models.CharField(max_length=30)
    name = models.CharField(max_length=120)
    rows = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    kept_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        """Name of the file."""
        return self.name
