"""What traps and reject boxes gave when they were dumped."""

from django.db import models

from desk.floor.models import Kept


class Dump(Kept):
    """A trap dumped: where, when, how heavy, and of which lot where that is known."""

    unit = models.CharField(max_length=40)
    at = models.DateTimeField()
    wet_kg = models.FloatField()
    lot = models.CharField(max_length=20, blank=True)
    text = models.CharField(max_length=120, blank=True, help_text="what lay in it")

    class Meta(Kept.Meta):
        """Read by place and time."""

        indexes = [models.Index(fields=["world", "unit", "-at"], name="screening_dump_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """How heavy, when."""
        return f"{self.unit} {self.wet_kg:g} kg, {self.at:%d %b %H:%M}"
