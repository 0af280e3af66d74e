"""Writing to the floor: one verb, one transaction each."""

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.db import IntegrityError, connection, transaction
from django.db.models import Model

from desk.floor import clock
from desk.floor.keeping import WHY_WANTED, digest_at, keep, line_key, need_why, same, sent_before, source_of, verb
from desk.floor.models import Order, Record, Withdrawal, World
from desk.floor.station import Correction, stations
from desk.mill.selectors import line_of, solve
from desk.people.models import Person
from desk.people.roles import ACTIONS, CORRECT, ORDER, RECORD, who_may
from stock.judge.limits import judge, refuse_impossible
from stock.units import said

LATEST = timedelta(minutes=2)  # clocks differ a little; the future is refused beyond this
EARLIEST = timedelta(days=3)


class NotAllowedError(Exception):
    """A role that may not do this; the message says which may."""


class AlreadyCorrectedError(Exception):
    """Somebody else has corrected the entry meanwhile; `by` is theirs."""

    def __init__(self, by: Record) -> None:
        """Keep the correction that came first."""
        super().__init__(f"{by.by.short_name} corrected this entry at {by.entered_at:%H:%M} to {by.text or by.value}")
        self.by = by


def require(person: Person, action: str) -> None:
    """Refuse a person whose role does not carry an action."""
    if not person.may(action):
        message = f"As {person.role_title} you may look but not {ACTIONS[action]}; that takes a {who_may(action)}."
        raise NotAllowedError(message)


def check_moment(at: datetime) -> None:
    """Refuse a moment in the future, or too long ago to be a slip of memory."""
    now = clock.now()
    if at > now + LATEST:
        raise ValidationError({"at": f"{at:%d %b %H:%M} is in the future; now is {now:%H:%M}"})
    if at < now - EARLIEST:
        raise ValidationError({"at": f"{at:%d %b %H:%M} is more than {EARLIEST.days} days ago"})


def _append(record: Record) -> Record:
    """Seal a record to the one before it and keep it; a form sent twice gives the first record back."""
    with transaction.atomic():
        if (sent := sent_before(Record, record.world, record.form_key)) is not None:
            return same(sent, record)
        previous = Record.objects.filter(world=record.world).order_by("-id").values_list("digest", flat=True).first()
        if record.source and record.source_digest is None:
            record.source_digest = digest_at(record.source)
        record.seal(previous or "")
        record.save()
    return record


def record_reading(
    world: World,
    person: Person,
    tag_id: str,
    value: float,
    *,
    at: datetime,
    form_key: str,
    source: Model | None = None,
    supersedes: Record | None = None,
    why: str = "",
    by_system: bool = False,
) -> Record:
    """Record a value somebody read, with the row it was made from where there is one.

    `by_system` says that a laboratory's own system brought it: it has no role to ask for.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a moment that cannot be, a value that cannot be.
    """
    if not by_system:
        require(person, RECORD)
    if supersedes is None:
        check_moment(at)
    tag = line_of(world.version).tag(tag_id)
    if tag.computed:
        raise ValidationError({"tag": f"{tag.name} is worked out by the desk ({tag.instrument}); it is not entered"})
    refuse_impossible(tag, value)
    return _append(
        Record(
            world=world,
            kind=Record.Kind.READING,
            station=tag.station,
            tag=tag.id,
            value=value,
            unit=tag.unit,
            level=judge(tag, value).level,
            at=at,
            by=person,
            form_key=form_key,
            source=source_of(source) if source is not None else "",
            supersedes=supersedes,
            reason=why[:200],
        )
    )


def record_event(
    world: World,
    person: Person,
    text: str,
    *,
    station: str,
    at: datetime,
    form_key: str,
    kind: str = Record.Kind.EVENT,
    tag: str = "",
    subject: str = "",
    action: str = RECORD,
    value: float | None = None,
    unit: str = "",
    source: Model | None = None,
    by_system: bool = False,
) -> Record:
    """Record something that happened, in words, with a number where one belongs to it and the row it was made from.

    `by_system` says that an instrument brought it: it has no role to ask for.
    """
    if not by_system:
        require(person, action)
    check_moment(at)
    if not text.strip():
        raise ValidationError({"text": "say what happened, in up to 500 characters"})
    if len(text) > 500:
        raise ValidationError({"text": f"the note is {len(text)} characters long; 500 is the most"})
    fields: dict[str, Any] = {"kind": kind, "station": station, "tag": tag, "subject": subject, "text": text.strip()}
    fields |= {"value": value, "unit": unit, "source": source_of(source) if source is not None else ""}
    return _append(Record(world=world, at=at, by=person, form_key=form_key, **fields))


@verb
def correct(record: Record, person: Person, *, value: float | None, text: str, reason: str, form_key: str) -> Record:
    """Supersede a record; the old one stays readable.

    Raises
    ------
    AlreadyCorrectedError
        If somebody else corrected it first.
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a missing reason, a value that cannot be.
    """
    require(person, CORRECT)
    if not record.corrected_here:
        raise ValidationError({"reason": "this entry is corrected where it was made, not in the log"})
    if not reason.strip():
        raise ValidationError({"reason": WHY_WANTED})
    if record.kind == Record.Kind.READING and value is not None and (made := _corrected_at_its_source(record)):
        return made(record, person, value, reason.strip(), form_key)
    level = record.level
    if record.kind == Record.Kind.READING:
        if value is None:
            raise ValidationError({"value": "give the right value, as a number"})
        tag = line_of(record.world.version).tag(record.tag)
        refuse_impossible(tag, value)
        level = judge(tag, value).level
    changed = {"value": value if record.kind == Record.Kind.READING else record.value, "level": level, "text": text}
    return _supersede(record, person, reason, form_key, changed)


@verb
def take_back(record: Record, person: Person, *, text: str, why: str, form_key: str) -> Record:
    """Supersede an entry of something that was not done after all, by the words that say so.

    Raises
    ------
    AlreadyCorrectedError
        If somebody else took it back first.
    NotAllowedError, ValidationError
        For a wrong role, or no reason.
    """
    require(person, RECORD)
    changed = {"kind": Record.Kind.EVENT, "value": None, "unit": "", "tag": "", "level": "", "text": text}
    return _supersede(record, person, need_why(why), form_key, changed)


def _supersede(record: Record, person: Person, reason: str, form_key: str, changed: dict[str, Any]) -> Record:
    """Append what stands instead of an entry, at its moment."""
    kept = ("kind", "station", "tag", "value", "unit", "level", "text", "subject", "source")
    fields = {name: getattr(record, name) for name in kept} | changed
    fields["text"] = fields["text"].strip()[:500]
    new = Record(
        world=record.world,
        at=record.at,
        by=person,
        supersedes=record,
        reason=reason.strip()[:200],
        form_key=form_key,
        **fields,
    )
    try:
        return _append(new)
    except IntegrityError:
        first = Record.objects.select_related("by").get(supersedes=record)
        raise AlreadyCorrectedError(first) from None


def _corrected_at_its_source(record: Record) -> Correction | None:
    """Return how the row a reading was made from is corrected, where it was made from one."""
    label = record.source.partition(":")[0]
    return next((one.corrections[label] for one in stations() if label in one.corrections), None)


@verb
def accept_order(
    world: World,
    person: Person,
    *,
    grade: str,
    reel_t_per_h: float,
    shares: dict[str, float],
    from_at: datetime,
    form_key: str,
) -> Order:
    """Accept an order the line can meet, and log it.

    Raises
    ------
    NotAllowedError, DomainError
        For a wrong role, or an order that cannot be met: nothing is written.
    """
    require(person, ORDER)
    result = solve(world.version, grade, reel_t_per_h, shares)
    result.require_feasible()
    name = line_of(world.version).grade(grade).name
    words = f"Order accepted: {said(reel_t_per_h, 't/h')} of {name}, from {from_at:%H:%M}"

    def tell(order: Order) -> None:
        record_event(
            world, person, words, station=stop_of(world, "deliver"), at=clock.now(), form_key=line_key("o", order),
            kind=Record.Kind.ORDER, action=ORDER, source=order,
        )  # fmt: skip

    asked = Order(
        world=world, grade=grade, reel_t_per_h=reel_t_per_h, shares=shares, from_at=from_at, accepted_by=person,
        form_key=form_key,
    )  # fmt: skip
    return keep(asked, tell)


@verb
def withdraw_order(order: Order, person: Person, *, why: str, form_key: str) -> Withdrawal:
    """Withdraw an order that has not begun, with why; what comes before it runs on.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, no reason, an order that runs already or was withdrawn.
    """
    require(person, ORDER)
    if (sent := sent_before(Withdrawal, order.world, form_key)) is not None:
        return sent
    now = clock.now()
    if order.from_at <= now:
        began = f"{clock.local(order.from_at):%d %b %H:%M}"
        raise ValidationError({"why": f"it runs since {began}; accept another order in its place"})
    if (first := Withdrawal.objects.select_related("by").filter(order=order).first()) is not None:
        raise ValidationError({"why": f"{first.by.short_name} withdrew it at {clock.local(first.at):%H:%M} already"})
    row = Withdrawal(world=order.world, order=order, by=person, at=now, why=need_why(why), form_key=form_key)
    name = line_of(order.world.version).grade(order.grade).name
    words = f"Order withdrawn: {order.rate} of {name} from {clock.local(order.from_at):%d %b %H:%M}. {row.why}"

    def tell(kept: Withdrawal) -> None:
        record_event(
            order.world, person, words, station="", at=now, form_key=line_key("w", kept), kind=Record.Kind.ORDER,
            action=ORDER, source=kept,
        )  # fmt: skip

    return keep(row, tell)


def stop_of(world: World, kind: str) -> str:
    """Return the id of the first station of a kind on a world's line; '' where there is none."""
    return line_of(world.version).stop_id(kind)


def store_samples(world_id: int, rows: Iterable[Sequence[Any]]) -> int:
    """Keep instrument values, (tag, second, value[, quality]) each; a second value for the same second is left out."""
    values = [(world_id, *row, *([0] if len(row) == 3 else [])) for row in rows]
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.executemany(
            "INSERT OR IGNORE INTO floor_sample (world_id, tag, at_s, value, quality) VALUES (%s, %s, %s, %s, %s)",
            values,
        )
        cursor.execute("UPDATE floor_beat SET beat = beat + 1 WHERE world_id = %s", [world_id])
    return len(values)
