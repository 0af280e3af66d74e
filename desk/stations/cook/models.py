"""The cook house as recorded: what was planned and done to a cook, what it became, liquor tests, relations."""

from django.conf import settings
from django.db import models

from desk.floor.appending import AppendOnly
from desk.floor.models import Kept, World
from desk.stations.cook.amounts import MEANS, Amounts


class Charge(Kept):
    """A charge sheet as planned: what was put in, and what came out of it."""

    number = models.PositiveIntegerField()
    digester = models.PositiveSmallIntegerField()
    recipe = models.CharField(max_length=40)
    planned_at = models.DateTimeField(help_text="when its first chips are due")
    given = models.JSONField(help_text="what the sheet was worked out from")
    planned = models.JSONField(help_text="what it came to")
    warnings = models.JSONField(default=list)

    class Meta(Kept.Meta):
        """Read by cook."""

        indexes = [models.Index(fields=["world", "number"], name="charge_by_cook")]

    def __str__(self) -> str:
        """Cook and digester."""
        return f"charge of cook {self.number}, digester {self.digester}"


class Step(Kept):
    """Something done to a cook, with the numbers it has."""

    class Kind(models.TextChoices):
        """What was done, in the order of the work."""

        CHIPS = "chips", "chips in"
        LIQUOR = "liquor", "cooking liquor in"
        FILL = "fill", "fill in"
        STEAM = "steam", "steam on"
        SAMPLE = "sample", "liquor sampled"
        RELIEF = "relief", "relief begun"
        BLOW = "blow", "blown"
        EMPTY = "empty", "found empty"
        NOTE = "note", "corrected on the way"

    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=10, choices=Kind)
    at = models.DateTimeField()
    green_t = models.FloatField(null=True, help_text=MEANS["green_t"])
    moisture_pct = models.FloatField(null=True, help_text=MEANS["moisture_pct"])
    liquor_m3 = models.FloatField(null=True, help_text=MEANS["liquor_m3"])
    strength_kg_per_m3_as_naoh = models.FloatField(null=True, help_text=MEANS["strength_kg_per_m3_as_naoh"])
    sulphidity_pct = models.FloatField(null=True, help_text=MEANS["sulphidity_pct"])
    total_so2_pct = models.FloatField(null=True, help_text=MEANS["total_so2_pct"])
    combined_so2_pct = models.FloatField(null=True, help_text=MEANS["combined_so2_pct"])
    fill_m3 = models.FloatField(null=True, help_text=MEANS["fill_m3"])
    residual_kg_per_m3_as_naoh = models.FloatField(null=True, help_text=MEANS["residual_kg_per_m3_as_naoh"])
    text = models.CharField(max_length=300, blank=True)

    class Meta(Kept.Meta):
        """Read by cook, in time order."""

        indexes = [models.Index(fields=["world", "number", "at"], name="step_by_cook")]
        ordering = ["at", "id"]

    @property
    def amounts(self) -> Amounts:
        """Its numbers."""
        return Amounts.of(self)

    def __str__(self) -> str:
        """What, when."""
        return f"cook {self.number}: {self.get_kind_display()}"


class Forecast(AppendOnly):
    """What was forecast when a cook was blown, and with which version of which relation. Kept as it was made."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    number = models.PositiveIntegerField()
    at = models.DateTimeField()
    blow = models.OneToOneField(
        Step, null=True, on_delete=models.PROTECT, related_name="+", help_text="the step it was made at"
    )
    relation_version = models.PositiveSmallIntegerField()
    relation_words = models.CharField(max_length=200)
    factor = models.FloatField(help_text="H, bar·h or hours at 100 °C at the blow")
    charge_pct_naoh_on_wood = models.FloatField(null=True)
    sulphidity_frac = models.FloatField(null=True)
    liquor_to_wood = models.FloatField(null=True)
    kappa = models.FloatField()
    half_kappa = models.FloatField()
    yield_pct = models.FloatField()
    residual_kg_per_m3_as_naoh = models.FloatField(null=True)
    kinetic_kappa = models.FloatField(null=True)
    kinetic_yield_pct = models.FloatField(null=True)
    kinetic_residual_kg_per_m3_as_naoh = models.FloatField(null=True)
    apart_c = models.FloatField(null=True, help_text="most that top and bottom parted")

    class Meta:
        """A cook is blown once, unless the blow was taken back."""

        constraints = [
            models.UniqueConstraint(
                fields=["world", "number"], condition=models.Q(blow=None), name="forecast_of_history_once"
            )
        ]
        indexes = [models.Index(fields=["world", "number"], name="forecast_by_cook")]

    @classmethod
    def standing(cls, world: World) -> "models.QuerySet[Forecast]":
        """Return a world's forecasts whose blow stands: one taken back takes its forecast with it."""
        stands = models.Q(blow=None) | models.Q(blow__superseded_by=None) | models.Q(blow__superseded_by__kind="blow")
        found: models.QuerySet[Forecast] = cls.objects.filter(stands, world=world)
        return found

    def __str__(self) -> str:
        """Cook and kappa."""
        return f"cook {self.number}: kappa {self.kappa:.1f}"


class Result(Kept):
    """What the laboratory found of a cook."""

    number = models.PositiveIntegerField()
    at = models.DateTimeField()
    kappa = models.FloatField()
    rejects_pct = models.FloatField(null=True)
    yield_pct = models.FloatField(null=True, help_text="total, on bone-dry wood")
    residual_kg_per_m3_as_naoh = models.FloatField(null=True)
    flag = models.CharField(max_length=120, blank=True, help_text="why it is not to be learned from")

    class Meta(Kept.Meta):
        """Read by cook and by time."""

        indexes = [
            models.Index(fields=["world", "number"], name="result_by_cook"),
            models.Index(fields=["world", "-at"], name="result_by_time"),
        ]

    def __str__(self) -> str:
        """Cook and kappa."""
        return f"cook {self.number}: kappa {self.kappa:.1f} found"


class LiquorTest(Kept):
    """A titration, by its burette readings; what follows from them is worked out, not kept."""

    class Kind(models.TextChoices):
        """Which liquor."""

        WHITE = "white", "White liquor"
        GREEN = "green", "Green liquor"
        BLACK = "black", "Black liquor"
        CAUSTIC = "caustic", "Caustic"
        ACID = "acid", "Cooking acid"

    kind = models.CharField(max_length=10, choices=Kind)
    at = models.DateTimeField()
    volumes = models.JSONField()
    number = models.PositiveIntegerField(null=True, help_text="the cook it was taken from, for black liquor")

    class Meta(Kept.Meta):
        """Read by kind and time."""

        indexes = [models.Index(fields=["world", "kind", "-at"], name="liquor_by_kind")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """Liquor."""
        return f"{self.get_kind_display()} {self.at:%d %b %H:%M}"


class RelationVersion(AppendOnly):
    """A version of a recipe's relation, as accepted. Forecasts name the version that made them."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    recipe = models.CharField(max_length=40)
    version = models.PositiveSmallIntegerField()
    figures = models.JSONField()
    left_out = models.JSONField(default=list)
    causes = models.JSONField(default=dict, help_text="why each that bears no flag was left out, by number")
    first_cook = models.PositiveIntegerField(null=True)
    last_cook = models.PositiveIntegerField(null=True)
    accepted_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    why = models.CharField(max_length=200)
    form_key = models.CharField(max_length=60)

    class Meta:
        """A version is given once; a form makes one."""

        constraints = [
            models.UniqueConstraint(fields=["world", "recipe", "version"], name="relation_once"),
            models.UniqueConstraint(fields=["world", "form_key"], name="relation_form_once"),
        ]
        ordering = ["-version"]

    def __str__(self) -> str:
        """Recipe and version."""
        return f"{self.recipe} {self.version}"
