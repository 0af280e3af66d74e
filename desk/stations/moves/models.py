"""A move as it was made, what came of sending it, and what a plant says can be set."""

from datetime import datetime, timedelta
from typing import Any

from django.db import models

from desk.floor.appending import AppendOnly
from desk.floor.models import Kept, World


class Move(Kept):
    """What was set, from, to, when, because of what, and what was expected of it."""

    class Because(models.TextChoices):
        """What it was made for."""

        CARD = "card", "advice"
        PANEL = "panel", "a set panel"
        PLAN = "plan", "the plan"
        OWN = "own", "own judgement"

    point = models.CharField(max_length=80, blank=True, help_text="its point in the plant; empty where it has none")
    words = models.CharField(max_length=120, help_text="what was set")
    unit = models.CharField(max_length=20, blank=True)
    station = models.CharField(max_length=40)
    tag = models.CharField(max_length=40, blank=True, help_text="what is to change by it")
    from_value = models.FloatField(null=True)
    to_value = models.FloatField()
    at = models.DateTimeField()
    because = models.CharField(max_length=10, choices=Because, default=Because.OWN)
    rule = models.CharField(max_length=60, blank=True)
    text = models.CharField(max_length=200, blank=True, help_text="why, in words")
    expected = models.JSONField(
        default=dict, help_text="effect, dead time, mixing times, when to look; empty: not said"
    )
    to_plant = models.BooleanField(default=False, help_text="whether it is to reach a simulated plant")
    void = models.BooleanField(default=False, help_text="it was not made after all")

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="move_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What was set to what."""
        return f"{self.words}: {self.said}"

    @property
    def step(self) -> float | None:
        """By how much; none where it is not known what it stood at."""
        return None if self.from_value is None else self.to_value - self.from_value

    @property
    def said(self) -> str:
        """From what to what, in words."""
        unit = f" {self.unit}".rstrip()
        if self.from_value is None:
            return f"to {number(self.to_value)}{unit}"
        return f"{number(self.from_value)} to {number(self.to_value)}{unit}"

    @property
    def effect(self) -> float:
        """What it should change in what is read, in the end; 0 where nothing was said."""
        return float(self.expected.get("effect", 0.0))

    @property
    def look_at(self) -> datetime:
        """When to look first."""
        return self.at + timedelta(minutes=float(self.expected.get("first_min", 0.0)))

    @property
    def settled_at(self) -> datetime:
        """When all of it is there."""
        return self.at + timedelta(minutes=float(self.expected.get("settled_min", 0.0)))

    @property
    def undo_form(self) -> str:
        """What the form that takes it back is called."""
        return f"undo-{self.pk}"


class Made(AppendOnly):
    """What came of sending a move to a simulated plant."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    move = models.OneToOneField(Move, on_delete=models.PROTECT, related_name="made")
    at = models.DateTimeField()
    reached = models.BooleanField()
    value = models.FloatField(null=True, help_text="as read back")
    words = models.CharField(max_length=300, blank=True)

    def __str__(self) -> str:
        """Whether it was made."""
        return f"{self.move}: {'made' if self.reached else 'not made'}"


class Gain(Kept):
    """What a kind of move does at this mill, of what is computed, as an engineer accepted it."""

    point = models.CharField(max_length=80)
    tag = models.CharField(max_length=40)
    gain_ratio = models.FloatField()
    gain_sd_ratio = models.FloatField()
    next_sd_ratio = models.FloatField()
    moves = models.JSONField(help_text="the moves it was learned from")

    class Meta(Kept.Meta):
        """Read by point and tag."""

        indexes = [models.Index(fields=["world", "point", "tag"], name="gain_by_point")]

    def __str__(self) -> str:
        """What of what."""
        return f"{self.point} on {self.tag}: {self.gain_ratio:.2f}"


class Setting(models.Model):
    """What a simulated plant says can be set, and where it stands: no record, kept up by who talks to the plant."""

    pk = models.CompositePrimaryKey("world_id", "point")
    world = models.ForeignKey(World, on_delete=models.CASCADE, related_name="+", db_index=False)
    point = models.CharField(max_length=80)
    words = models.CharField(max_length=120)
    unit = models.CharField(max_length=20, blank=True)
    low = models.FloatField()
    high = models.FloatField()
    decimals = models.PositiveSmallIntegerField(default=1)
    station = models.CharField(max_length=40)
    value = models.FloatField()
    at = models.DateTimeField()

    def __str__(self) -> str:
        """Where it stands."""
        return f"{self.words} {self.value:g} {self.unit}".rstrip()

    def is_same(self, told: dict[str, Any]) -> bool:
        """Whether what a plant tells now is what is kept, near enough to see."""
        fields = ("words", "unit", "low", "high", "decimals", "station")
        return all(getattr(self, name) == told[name] for name in fields) and (
            abs(self.value - float(told["value"])) < 0.5 * 10.0**-self.decimals
        )


def number(value: float, decimals: int = 0) -> str:
    """Write a number as people say it; of a hundred and more with some decimals where it has them."""
    if abs(value) < 100:
        return f"{value:.3g}"
    text = f"{value:.{decimals}f}"
    return text.rstrip("0").rstrip(".") if decimals else text
