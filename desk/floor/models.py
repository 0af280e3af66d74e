"""The floor as it is lived: worlds, readings, records, orders, cooks, hand-overs."""

import hashlib
import json
from datetime import datetime

from django.conf import settings
from django.db import models
from django.utils import timezone

from desk.floor.appending import AppendOnly
from desk.floor.sealing import canonical
from desk.mill.models import DefinitionVersion
from stock.units import said

SEALED_WHOLE = 2


class World(models.Model):
    """One line being lived: the live line, or a practice session."""

    class Kind(models.TextChoices):
        """What is at stake."""

        LIVE = "live", "Live line"
        PRACTICE = "practice", "Practice"

    slug = models.SlugField(unique=True)
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=10, choices=Kind, default=Kind.LIVE)
    version = models.ForeignKey(DefinitionVersion, on_delete=models.PROTECT)
    simulated = models.BooleanField(default=False, help_text="its plant is a simulated one, that moves may reach")

    def __str__(self) -> str:
        """Name of the line."""
        return self.name


class Beat(models.Model):
    """How often something was kept of a line: it goes up by itself (`desk.floor.guard`)."""

    world = models.OneToOneField(World, on_delete=models.CASCADE, primary_key=True, related_name="pulse")
    beat = models.BigIntegerField(default=0)

    def __str__(self) -> str:
        """Count."""
        return str(self.beat)


class Sample(models.Model):
    """One value sent by an instrument. The table has no row id: its key is its order."""

    pk = models.CompositePrimaryKey("world_id", "tag", "at_s")
    world = models.ForeignKey(World, on_delete=models.PROTECT, db_index=False)
    tag = models.CharField(max_length=40)
    at_s = models.BigIntegerField()
    value = models.FloatField(null=True, help_text="none where the quality is bad")
    quality = models.BigIntegerField(default=0, help_text="status as the server said it, 0 for good")

    class Meta:
        """Made and altered by hand: see the migrations."""

        db_table = "floor_sample"

    def __str__(self) -> str:
        """Tag and value."""
        return f"{self.tag} {'bad' if self.value is None else format(self.value, 'g')}"


class Record(AppendOnly):
    """Something a person said happened. A correction is a record that supersedes another."""

    class Kind(models.TextChoices):
        """What sort of entry."""

        READING = "reading", "Reading"
        EVENT = "event", "Event"
        BATCH = "batch", "Batch"
        ORDER = "order", "Order"
        SIGNED = "signed", "Hand-over"
        TRIM = "trim", "Trim of an instrument"

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    kind = models.CharField(max_length=10, choices=Kind)
    station = models.CharField(max_length=40, blank=True)
    tag = models.CharField(max_length=40, blank=True)
    value = models.FloatField(null=True, blank=True)
    unit = models.CharField(max_length=20, blank=True)
    level = models.CharField(max_length=10, blank=True)
    text = models.CharField(max_length=500, blank=True)
    subject = models.CharField(max_length=40, blank=True)
    at = models.DateTimeField()
    entered_at = models.DateTimeField(default=timezone.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="records")
    supersedes = models.OneToOneField(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="superseded_by"
    )
    reason = models.CharField(max_length=200, blank=True)
    source = models.CharField(max_length=60, blank=True, help_text="model and key of the row it was made from")
    source_digest = models.CharField(max_length=64, null=True, help_text="of the row it was made from")  # noqa: DJ001  added to a log that is never remade
    form_key = models.CharField(max_length=40)
    sealed_as = models.PositiveSmallIntegerField(null=True, help_text="how its digest is made; none for the first way")
    digest = models.CharField(max_length=64)

    class Meta:
        """Read by time, by tag, and by what it was made from."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="record_form_once")]
        indexes = [
            models.Index(fields=["world", "source"], name="record_by_source", condition=~models.Q(source="")),
            models.Index(fields=["world", "-at"], name="record_by_time"),
            models.Index(fields=["world", "tag", "-at"], name="record_by_tag"),
        ]
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        """What it says."""
        return self.text or f"{self.tag} {self.value}"

    @property
    def corrected_here(self) -> bool:
        """Whether the log is where it is corrected: a reading, or the words of an event; else where it was made."""
        return self.kind in (self.Kind.READING, self.Kind.EVENT)

    def content(self) -> str:
        """Return what the digest seals: every column; of an entry sealed the first way, those that were sealed then."""
        if self.sealed_as == SEALED_WHOLE:
            return canonical(self)
        fields = [self.kind, self.tag, self.value, self.unit, self.text, self.subject, self.at.isoformat(), self.by_id]
        made = [self.source] if self.source else []
        return json.dumps([*fields, self.supersedes_id, self.reason, *made])

    def seal(self, previous: str) -> None:
        """Chain this record to the one before it."""
        self.sealed_as = SEALED_WHOLE
        self.digest = self.sealed_after(previous)

    def sealed_after(self, previous: str) -> str:
        """Return the digest it has after the entry whose digest is given."""
        return hashlib.sha256((previous + self.content()).encode()).hexdigest()


class Order(AppendOnly):
    """What the machine asked for, from when."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    grade = models.CharField(max_length=40)
    reel_t_per_h = models.FloatField()
    shares = models.JSONField()
    from_at = models.DateTimeField(db_index=True)
    accepted_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    accepted_at = models.DateTimeField(default=timezone.now)
    form_key = models.CharField(max_length=40)

    class Meta:
        """A form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="order_form_once")]

    def __str__(self) -> str:
        """Grade and tonnes."""
        return f"{self.grade} {self.rate}"

    @property
    def rate(self) -> str:
        """What the reel makes, as it is said."""
        return said(self.reel_t_per_h, "t/h")


class Withdrawal(AppendOnly):
    """An order that was withdrawn before it began, by whom and why."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    order = models.OneToOneField(Order, on_delete=models.PROTECT, related_name="withdrawal")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    why = models.CharField(max_length=200)
    form_key = models.CharField(max_length=60)

    class Meta:
        """A form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="withdrawal_form_once")]

    def __str__(self) -> str:
        """What was withdrawn."""
        return f"withdrawn: {self.order}"


class Cook(AppendOnly):
    """A batch cook as it was started: its first chips are in."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    number = models.PositiveIntegerField()
    digester = models.PositiveSmallIntegerField()
    recipe = models.CharField(max_length=40, blank=True, help_text="empty: the usual one of its digester")
    started_at = models.DateTimeField()
    charge_pct_naoh_on_wood = models.FloatField(null=True, help_text="reported at the start; none for acid")
    kappa_target = models.FloatField()

    class Meta:
        """A number is given once."""

        constraints = [models.UniqueConstraint(fields=["world", "number"], name="cook_number_once")]
        indexes = [models.Index(fields=["world", "-started_at"], name="cook_by_start")]

    def __str__(self) -> str:
        """Number and digester."""
        return f"cook {self.number}, digester {self.digester}"


class HandOver(AppendOnly):
    """A signed hand-over: the sheet as it stood when it was signed."""

    world = models.ForeignKey(World, on_delete=models.PROTECT)
    shift_start = models.DateTimeField()
    sheet = models.JSONField()
    sha256 = models.CharField(max_length=64)
    signed_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    signed_at = models.DateTimeField()
    form_key = models.CharField(max_length=40)

    class Meta:
        """The newest first; a form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="handover_form_once")]
        ordering = ["-signed_at"]

    def __str__(self) -> str:
        """Shift and signer."""
        return f"hand-over of {self.shift_start:%d %b %H:%M} by {self.signed_by}"


def epoch(at: datetime) -> int:
    """Return whole seconds, as samples are keyed."""
    return int(at.timestamp())


class Kept(AppendOnly):
    """What every record of a station carries: who, when it was entered, what it supersedes and why."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    entered_at = models.DateTimeField(default=timezone.now)
    supersedes = models.OneToOneField(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="superseded_by"
    )
    why = models.CharField(max_length=200, blank=True)
    form_key = models.CharField(max_length=60)

    class Meta:
        """Not a table of its own; a form makes one row."""

        abstract = True
        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="%(class)s_form_once")]


class OpenPoint(Kept):
    """Something carried from shift to shift until it is closed: to watch, promised, a permit, a lock, a defect."""

    class Kind(models.TextChoices):
        """What sort of thing, in the order a giver says them."""

        PERMIT = "permit", "Permit"
        ISOLATION = "isolation", "Isolation"
        GAS_TEST = "gas_test", "Gas test"
        INTERLOCK = "interlock", "Interlock bypassed"
        DEFECT = "defect", "Defect"
        WATCH = "watch", "To watch"
        PROMISED = "promised", "Promised"

    kind = models.CharField(max_length=10, choices=Kind)
    station = models.CharField(max_length=40, blank=True)
    text = models.CharField(max_length=300)
    owner = models.CharField(max_length=80, blank=True, help_text="who holds it, or mends it")
    until = models.DateTimeField(null=True, blank=True, help_text="when it expires")
    begun_at = models.DateTimeField(help_text="when it was first opened")
    closed = models.BooleanField(default=False)

    class Meta(Kept.Meta):
        """Asked for by what is open."""

        indexes = [models.Index(fields=["world", "-entered_at"], name="point_by_entry")]

    def __str__(self) -> str:
        """Kind and words."""
        return f"{self.get_kind_display()}: {self.text}"

    @property
    def close_form(self) -> str:
        """What the form that closes it is called."""
        return f"close-{self.pk}"

    @property
    def renew_form(self) -> str:
        """What the form that says it anew is called."""
        return f"renew-{self.pk}"


class Stop(Kept):
    """A stop, or time lost: where, from when, until when, why."""

    station = models.CharField(max_length=40)
    from_at = models.DateTimeField()
    to_at = models.DateTimeField(null=True, blank=True, help_text="none while it stands")
    cause = models.CharField(max_length=200)
    void = models.BooleanField(default=False, help_text="it was none after all")

    class Meta(Kept.Meta):
        """Asked for by shift."""

        indexes = [models.Index(fields=["world", "-from_at"], name="stop_by_time")]

    def __str__(self) -> str:
        """Station and cause."""
        return f"{self.station}: {self.cause}"

    @property
    def end_form(self) -> str:
        """What the form that ends it is called."""
        return f"stop-{self.pk}"


class Receipt(AppendOnly):
    """A hand-over read and taken over, by whom and when."""

    world = models.ForeignKey(World, on_delete=models.PROTECT, related_name="+")
    handover = models.OneToOneField(HandOver, on_delete=models.PROTECT, related_name="receipt")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    words = models.CharField(max_length=300, blank=True, help_text="what was asked or added")
    form_key = models.CharField(max_length=60)

    class Meta:
        """A form makes one."""

        constraints = [models.UniqueConstraint(fields=["world", "form_key"], name="receipt_form_once")]

    def __str__(self) -> str:
        """Who took over."""
        return f"taken over by {self.by}"
