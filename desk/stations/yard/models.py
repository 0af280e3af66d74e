"""The yard as recorded: lots, movements between piles, classifications, plans, files from devices."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from desk.exchange.models import Dropped
from desk.floor.appending import AppendOnly
from desk.floor.models import Kept, World


class Lot(AppendOnly):
    """A load as received. A correction is the next version of the same number."""

    class Answer(models.TextChoices):
        """What was done with it."""

        ACCEPT = "accept", "accepted"
        DEDUCT = "deduct", "accepted at a deduction"
        REFUSE = "refuse", "refused"

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    number = models.CharField(max_length=20)
    version = models.PositiveSmallIntegerField(default=1)
    ticket = models.CharField(max_length=20, blank=True)
    material = models.CharField(max_length=40)
    received_at = models.DateTimeField()
    gross_t = models.FloatField()
    tare_t = models.FloatField()
    moistures_pct = models.JSONField()
    moisture_frac = models.FloatField()
    bark_pct = models.FloatField(null=True)
    fines_pct = models.FloatField(null=True)
    overthick_pct = models.FloatField(null=True)
    pith_pct = models.FloatField(null=True)
    grit_pct = models.FloatField(null=True)
    bdt = models.FloatField()
    pile = models.CharField(max_length=40, blank=True)
    answer = models.CharField(max_length=10, choices=Answer)
    deduction_pct = models.FloatField(default=0)
    reason = models.CharField(max_length=400)
    warning = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="lots")
    entered_at = models.DateTimeField(default=timezone.now)
    supersedes = models.OneToOneField(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="superseded_by"
    )
    why = models.CharField(max_length=200, blank=True)
    form_key = models.CharField(max_length=60)

    class Meta:
        """A number is received once; a correction is its next version; a form makes one."""

        constraints = [
            models.UniqueConstraint(fields=["world", "number", "version"], name="lot_once"),
            models.UniqueConstraint(fields=["world", "form_key"], name="lot_form_once"),
        ]
        indexes = [
            models.Index(fields=["world", "-received_at"], name="lot_by_time"),
            models.Index(fields=["world", "ticket"], name="lot_by_ticket"),
        ]

    def __str__(self) -> str:
        """Number."""
        return self.number

    @property
    def net_t(self) -> float:
        """What was brought."""
        return self.gross_t - self.tare_t

    @property
    def paid_bdt(self) -> float:
        """What is paid for."""
        return self.bdt * (1 - self.deduction_pct / 100)


class Op(AppendOnly):
    """Something done to a pile: wood laid down, chipped, drawn, surveyed, a lot corrected."""

    class Kind(models.TextChoices):
        """What was done."""

        RECEIVE = "receive", "laid down"
        CHIP = "chip", "chipped"
        DRAW = "draw", "drawn"
        SURVEY = "survey", "surveyed"
        CORRECT = "correct", "lot corrected"
        UNDO = "undo", "taken back"

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    kind = models.CharField(max_length=10, choices=Kind)
    pile = models.CharField(max_length=40)
    to_pile = models.CharField(max_length=40, blank=True)
    bdt = models.FloatField()
    from_at = models.DateTimeField()
    to_at = models.DateTimeField()
    source = models.CharField(max_length=60)
    undoes = models.OneToOneField("self", on_delete=models.PROTECT, null=True, blank=True, related_name="undone_by")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    entered_at = models.DateTimeField(default=timezone.now)
    form_key = models.CharField(max_length=60)

    class Meta:
        """Read by when it was done; a form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="op_form_once")]
        indexes = [models.Index(fields=["world", "-to_at"], name="op_by_time")]
        ordering = ["-to_at", "-id"]

    def __str__(self) -> str:
        """What, how much."""
        return f"{self.get_kind_display()} {self.bdt:.1f} BDt"


class Movement(AppendOnly):
    """A change of what one lot holds in one pile: positive in, negative out."""

    op = models.ForeignKey(Op, on_delete=models.PROTECT, related_name="movements")
    pile = models.CharField(max_length=40)
    lot_number = models.CharField(max_length=20, db_index=True)
    kind = models.CharField(max_length=10)
    bdt = models.FloatField()

    def __str__(self) -> str:
        """Lot and mass."""
        return f"{self.lot_number} {self.bdt:+.2f} BDt"


class Holding(models.Model):
    """The running sum of the movements: what of a lot lies in a pile. Can be built again from them."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    pile = models.CharField(max_length=40)
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT)
    bdt = models.FloatField()
    since_s = models.FloatField()
    settled_s = models.FloatField()

    class Meta:
        """One row for a lot in a pile."""

        constraints = [models.UniqueConstraint(fields=["world", "pile", "lot"], name="holding_once")]

    def __str__(self) -> str:
        """Lot and mass."""
        return f"{self.lot} in {self.pile}: {self.bdt:.1f} BDt"


class Trip(Kept):
    """A trip of a metal detector: where, what was found, how long it stood, in which lot."""

    at = models.DateTimeField()
    detector = models.CharField(max_length=60)
    find = models.CharField(max_length=60)
    lot = models.CharField(max_length=20, blank=True)
    stopped_min = models.FloatField()
    undone = models.BooleanField(default=False, help_text="it was none after all")

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="trip_by_time")]

    def __str__(self) -> str:
        """Where and what."""
        return f"{self.detector}: {self.find}"


class Release(Kept):
    """A lot taken out of quarantine, with what was found and mended."""

    at = models.DateTimeField()
    lot = models.CharField(max_length=20)
    reason = models.CharField(max_length=300)

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="release_by_time")]

    def __str__(self) -> str:
        """Lot."""
        return f"{self.lot} released"


class KnifeStep(Kept):
    """A step of a knife change, by its place in the order."""

    at = models.DateTimeField()
    chipper = models.CharField(max_length=40)
    step = models.PositiveSmallIntegerField()

    class Meta(Kept.Meta):
        """Read by time."""

        indexes = [models.Index(fields=["world", "-at"], name="knife_by_time")]

    def __str__(self) -> str:
        """Chipper and step."""
        return f"{self.chipper}, step {self.step}"


class Classification(AppendOnly):
    """A chip sample parted by class: masses in grams, coarse to fine."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    source = models.CharField(max_length=40)
    at = models.DateTimeField()
    sample_g = models.FloatField()
    masses_g = models.JSONField()
    knife_h = models.FloatField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    entered_at = models.DateTimeField(default=timezone.now)
    supersedes = models.OneToOneField(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="superseded_by"
    )
    form_key = models.CharField(max_length=60)

    class Meta:
        """Read by source and time; a source is classified once a moment; a form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="class_form_once")]
        indexes = [models.Index(fields=["world", "source", "-at"], name="class_by_source")]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """Source."""
        return f"{self.source} {self.at:%d %b %H:%M}"


class BlendPlan(AppendOnly):
    """A blend of piles accepted for the next hours."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    from_at = models.DateTimeField()
    hours = models.FloatField()
    total_bdt_per_h = models.FloatField()
    aim = models.CharField(max_length=10)
    parts = models.JSONField()
    moisture_frac = models.FloatField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    form_key = models.CharField(max_length=60)

    class Meta:
        """The newest first; a form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="blend_form_once")]
        ordering = ["-from_at", "-id"]

    def __str__(self) -> str:
        """Rate and hours."""
        return f"{self.total_bdt_per_h:.1f} BDt/h for {self.hours:g} h"


class Ticket(AppendOnly):
    """What the weighbridge, or the moisture probe, said of a load."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    dropped = models.ForeignKey(Dropped, on_delete=models.PROTECT)
    kind = models.CharField(max_length=10)
    ticket = models.CharField(max_length=20)
    at = models.DateTimeField()
    material = models.CharField(max_length=40, blank=True)
    gross_t = models.FloatField(null=True)
    tare_t = models.FloatField(null=True)
    moistures_pct = models.JSONField(default=list)

    class Meta:
        """A device weighs, or dries, a ticket once."""

        constraints = [models.UniqueConstraint(fields=["world", "kind", "ticket"], name="ticket_once")]

    def __str__(self) -> str:
        """Ticket."""
        return f"{self.kind} {self.ticket}"
