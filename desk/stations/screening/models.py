"""What traps gave when they were dumped; counts before and after a stage, and the quotient accepted from them."""

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


class CountTest(Kept):
    """Pieces counted before and after a stage, at the reject rate it then had."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    at = models.DateTimeField()
    feed_count = models.PositiveIntegerField()
    feed_g = models.FloatField(help_text="bone-dry sample of the feed")
    accept_count = models.PositiveIntegerField()
    accept_g = models.FloatField(help_text="bone-dry sample of the accepts")
    mass_reject_pct = models.FloatField()

    class Meta(Kept.Meta):
        """Read by stage and time."""

        indexes = [models.Index(fields=["world", "unit", "stage", "-at"], name="screening_count_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What was counted."""
        return f"{self.feed_count} in {self.feed_g:g} g of feed, {self.accept_count} in {self.accept_g:g} g of accepts"


class Accepted(Kept):
    """A stage's quotient as it was accepted from counts: pages and working go by it from then on."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    quotient = models.FloatField()
    low = models.FloatField()
    high = models.FloatField()
    tests = models.JSONField(help_text="the tests it was fitted to")

    class Meta(Kept.Meta):
        """The newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        """What it says."""
        return f"{self.quotient:.3f} ({self.low:.3f} to {self.high:.3f}), {len(self.tests)} tests"
