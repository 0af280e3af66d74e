"""What is kept of a bleach: loads of chemicals as they were checked in, rungs of charge ladders, responses accepted from them."""

from django.db import models

from desk.floor.models import Kept
from stock.bleaching.tower import Traced, channelled


class Delivery(Kept):
    """A load as it was checked and let into its tank, and the strength the tank has since."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="whose tank, counted from 1 at the first")
    chemical = models.CharField(max_length=20, blank=True, help_text="none for the stage's own chemical")
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


class Dip(Kept):
    """What a tank of chemical holds, as it was dipped, and its strength where it was titrated."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="whose tank, counted from 1 at the first")
    chemical = models.CharField(max_length=20, blank=True, help_text="none for the stage's own chemical")
    at = models.DateTimeField()
    holds_m3 = models.FloatField()
    strength_g_per_l = models.FloatField(null=True)

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="bleach_dip_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What it holds."""
        strength = "" if self.strength_g_per_l is None else f" at {self.strength_g_per_l:g} g/L"
        return f"{self.holds_m3:g} m³{strength}"


class Tracer(Kept):
    """A tracer sent through a stage's tower: what came out when, and what it says of the tower."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    at = models.DateTimeField(help_text="when it went in at the mixer")
    found = models.JSONField(help_text="minutes since it went in, tracer found over what was there before")
    full_min = models.FloatField(help_text="time of the tower were all of it at work")
    mean_min = models.FloatField()
    active_frac = models.FloatField()
    cells = models.FloatField()
    t10_min = models.FloatField()

    class Meta(Kept.Meta):
        """The newest first."""

        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What it says."""
        return f"mean {self.mean_min:.0f} min, {100 * self.active_frac:.0f} % at work, a tenth out by {self.t10_min:.0f} min"

    @property
    def is_channelled(self) -> bool:
        """Whether pulp goes round a part of the tower."""
        return channelled(Traced(self.mean_min, self.active_frac, self.cells, self.t10_min))


class Control(Kept):
    """A reagent set against a standard, or a sample whose value is known, tested like any other."""

    class Kind(models.TextChoices):
        """What was checked."""

        REAGENT = "reagent", "a reagent against its standard"
        CONTROL = "control", "a control sample"

    kind = models.CharField(max_length=8, choices=Kind.choices)
    what = models.CharField(max_length=60)
    at = models.DateTimeField()
    should = models.FloatField()
    found = models.FloatField()
    allowed = models.FloatField(help_text="how far it may lie off")

    class Meta(Kept.Meta):
        """The newest first."""

        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What was found."""
        return f"{self.what}: {self.found:g} found, {self.should:g} ± {self.allowed:g} should be"

    @property
    def is_off(self) -> bool:
        """Whether it lies further off than it may."""
        return abs(self.found - self.should) > self.allowed


class EffluentDay(Kept):
    """What a day sent to the drain, by its composite sample; the newest of a day stands."""

    day = models.DateField()
    flow_m3 = models.FloatField()
    cod_t = models.FloatField()
    aox_kg = models.FloatField(null=True)
    colour_t = models.FloatField(null=True)
    text = models.CharField(max_length=200, blank=True, help_text="what made the day")

    class Meta(Kept.Meta):
        """Read by day."""

        indexes = [models.Index(fields=["world", "-day"], name="bleach_effluent_by_day")]
        ordering = ["-day", "-id"]

    def __str__(self) -> str:
        """What it was."""
        return f"{self.flow_m3:.0f} m³, {self.cod_t:g} t COD"


class Rung(Kept):
    """One rung of a charge ladder: pulp of a brightness, a charge, what it ended at."""

    unit = models.CharField(max_length=40)
    stage = models.PositiveSmallIntegerField(help_text="counted from 1 at the first")
    at = models.DateTimeField()
    charge_kg_per_bdt = models.FloatField(db_column="charge_kg_per_odt")  # named so when the first was sealed
    came_brightness_pct = models.FloatField()
    ended_brightness_pct = models.FloatField()
    came_kappa = models.FloatField(null=True)
    ended_kappa = models.FloatField(null=True)
    came_viscosity_ml_per_g = models.FloatField(null=True)
    ended_viscosity_ml_per_g = models.FloatField(null=True)
    came_dirt_per_kg = models.FloatField(null=True)
    ended_dirt_per_kg = models.FloatField(null=True)
    text = models.CharField(max_length=120, blank=True)

    class Meta(Kept.Meta):
        """Read by stage and time."""

        indexes = [models.Index(fields=["world", "unit", "stage", "-at"], name="bleach_rung_by_time")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What it was."""
        return f"{self.charge_kg_per_bdt:g} kg/BDt, {self.came_brightness_pct:.1f} to {self.ended_brightness_pct:.1f} % ISO"


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
    kappa_rate = models.FloatField(null=True, help_text="none where too few rungs had a kappa on both sides")
    kappa_rate_low = models.FloatField(null=True)
    kappa_rate_high = models.FloatField(null=True)
    scission = models.FloatField(null=True, help_text="none where too few had a viscosity")
    scission_low = models.FloatField(null=True)
    scission_high = models.FloatField(null=True)
    dirt_rate = models.FloatField(null=True, help_text="none where too few had counts")
    dirt_rate_low = models.FloatField(null=True)
    dirt_rate_high = models.FloatField(null=True)

    class Meta(Kept.Meta):
        """The newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        """What it says."""
        return f"{self.response_per_kg:.3f} per kg ({self.low_per_kg:.3f} to {self.high_per_kg:.3f}), {len(self.rungs)} rungs"
