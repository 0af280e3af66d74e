"""What is found at the machines of a washing line: liquors measured, mats judged by hand."""

from typing import Any, Final

from django.db import models

from desk.floor.models import Kept

MARKS: Final = (
    ("firmness", "Firmness", "firm", "soft and wet"),
    ("colour", "Squeezed liquor", "pale straw", "dark"),
    ("foam", "Foam", "none", "over the edge"),
    ("evenness", "Evenness", "even", "furrows or bald wire"),
    ("release", "Release", "clean off the wire", "sticks"),
)
BEST, WORST = 1, 5


class Round(Kept):
    """The liquors of one machine, as conductivities at 25 °C, with the dilution factor they were taken at."""

    unit = models.CharField(max_length=40)
    machine = models.PositiveSmallIntegerField(help_text="counted from 1 at the dirty end")
    at = models.DateTimeField()
    filtrate_ms_per_cm = models.FloatField()
    mat_ms_per_cm = models.FloatField()
    wash_ms_per_cm = models.FloatField()
    factor_t_per_bdt = models.FloatField(
        db_column="factor_t_per_odt", help_text="dilution factor then"
    )  # named so when the first was sealed
    discharge_pct = models.FloatField(help_text="consistency of its mat then")

    class Meta(Kept.Meta):
        """Read by machine and time."""

        indexes = [models.Index(fields=["world", "unit", "-at"], name="wash_round_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """Which machine, when."""
        return f"{self.unit}, machine {self.machine}, {self.at:%d %b %H:%M}"


class MatCheck(Kept):
    """A mat judged by hand: five marks from 1, as it should be, to 5."""

    unit = models.CharField(max_length=40)
    machine = models.PositiveSmallIntegerField(help_text="counted from 1 at the dirty end")
    at = models.DateTimeField()
    firmness = models.PositiveSmallIntegerField()
    colour = models.PositiveSmallIntegerField()
    foam = models.PositiveSmallIntegerField()
    evenness = models.PositiveSmallIntegerField()
    release = models.PositiveSmallIntegerField()

    class Meta(Kept.Meta):
        """Read by machine and time."""

        indexes = [models.Index(fields=["world", "unit", "-at"], name="wash_mat_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What was found, in words."""
        off = [f"{label.lower()} {getattr(self, name)}" for name, label, _, _ in MARKS if getattr(self, name) > BEST]
        return ", ".join(off) if off else "as it should be"

    @property
    def score(self) -> float:
        """Mean of its marks."""
        marks: list[Any] = [getattr(self, name) for name, *_ in MARKS]
        return float(sum(marks)) / len(marks)
