"""What is kept of a bleach: loads of chemicals as they were checked in, rungs of charge ladders, responses accepted from them."""

from django.db import models

from desk.floor.models import Kept


class Delivery(Kept):
    """A load as it was checked and let into its tank, and the strength the tank has since."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="whose tank, counted from 1 at the first")
    at = models.DateTimeField()
    product = models.CharField(max_length=20)
    density_t_per_m3 = models.FloatField(help_text="of the sample, at 20 °C")
    ph = models.FloatField(help_text="of the sample, by strip")
    load_m3 = models.FloatField()
    load_g_per_l = models.FloatField(help_text="titrated, not the papers'")
    heel_m3 = models.FloatField()
    heel_g_per_l = models.FloatField()
    strength_g_per_l = models.FloatField(help_text="of the tank after it")
    second = models.CharField(max_length=80, help_text="who stood by at sign and coupling")

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="bleach_load_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What came."""
        return f"{self.load_m3:g} m³ of {self.product.replace('_', ' ')}, the tank at {self.strength_g_per_l:.1f} g/L"


class Rung(Kept):
    """One rung of a charge ladder: pulp of a brightness, a charge, what it ended at."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    at = models.DateTimeField()
    charge_kg_per_odt = models.FloatField()
    came_brightness_pct = models.FloatField()
    ended_brightness_pct = models.FloatField()
    text = models.CharField(max_length=120, blank=True)

    class Meta(Kept.Meta):
        """Read by stage and time."""

        indexes = [models.Index(fields=["world", "unit", "stage", "-at"], name="bleach_rung_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What it was."""
        return f"{self.charge_kg_per_odt:g} kg/BDt, {self.came_brightness_pct:.1f} to {self.ended_brightness_pct:.1f} % ISO"


class Response(Kept):
    """How a stage answers to its charge, fitted to rungs and accepted: advice and pages go by it from then on."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    response_per_kg = models.FloatField()
    low_per_kg = models.FloatField()
    high_per_kg = models.FloatField()
    ks_floor = models.FloatField()
    least_charge = models.FloatField(help_text="kg/BDt, the least charge it was fitted over")
    most_charge = models.FloatField()
    rungs = models.JSONField(help_text="the rungs it was fitted to")

    class Meta(Kept.Meta):
        """The newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        """What it says."""
        return f"{self.response_per_kg:.3f} per kg ({self.low_per_kg:.3f} to {self.high_per_kg:.3f}), {len(self.rungs)} rungs"
