"""The look ahead as it was last made, and what was foretold, to be judged by what came."""

from django.db import models

from desk.floor.appending import AppendOnly
from desk.floor.models import World


class Lookout(models.Model):
    """The newest look ahead of a line: no record, made anew by the part that looks ahead."""

    world = models.OneToOneField(World, on_delete=models.CASCADE, primary_key=True, related_name="+")
    made_at = models.DateTimeField()
    told = models.JSONField()

    def __str__(self) -> str:
        """When it was made."""
        return f"{self.world} looked ahead at {self.made_at:%H:%M}"


class Foretold(AppendOnly):
    """A level foretold: of which vessel, when, for when, with its standard deviation."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    unit = models.CharField(max_length=40)
    made_at = models.DateTimeField()
    for_at = models.DateTimeField()
    level_pct = models.FloatField()
    sd_pct = models.FloatField()

    class Meta:
        """Once a vessel, hour and lead; read by what it speaks of."""

        constraints = [models.UniqueConstraint(fields=["world", "unit", "made_at", "for_at"], name="foretold_once")]
        indexes = [models.Index(fields=["world", "-for_at"], name="foretold_by_time")]

    def __str__(self) -> str:
        """What was said."""
        return f"{self.unit} {self.level_pct:.0f} % at {self.for_at:%d %b %H:%M}"
