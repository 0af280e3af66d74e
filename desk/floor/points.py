"""What is carried from shift to shift until it is closed, and the time that was lost: one verb, one transaction each."""

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Final

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.floor import clock
from desk.floor.keeping import keep, line_key, need_why, verb
from desk.floor.models import HandOver, OpenPoint, Stop, World
from desk.floor.services import check_moment, record_event, require
from desk.floor.state import State
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import RECORD

Kind = OpenPoint.Kind
MUST_SAY: Final = (Kind.PERMIT, Kind.ISOLATION, Kind.GAS_TEST, Kind.INTERLOCK)  # open ones, or that there is none
NEEDS_UNTIL: Final = frozenset({Kind.PERMIT, Kind.GAS_TEST, Kind.INTERLOCK})
NEEDS_OWNER: Final = frozenset({Kind.PERMIT, Kind.ISOLATION, Kind.INTERLOCK, Kind.DEFECT, Kind.PROMISED})
LONGEST: Final = timedelta(days=14)
LONGEST_STOP: Final = timedelta(days=3)
PLURAL: Final[Mapping[str, str]] = {
    Kind.PERMIT: "Permits", Kind.ISOLATION: "Isolations", Kind.GAS_TEST: "Gas tests",
    Kind.INTERLOCK: "Interlocks bypassed", Kind.DEFECT: "Defects", Kind.WATCH: "To watch", Kind.PROMISED: "Promised",
}  # fmt: skip


def points_open(world: World, now: datetime) -> list[OpenPoint]:
    """Return what is open, in the order a giver says it, what expires first before the rest."""
    rows = OpenPoint.objects.filter(world=world, closed=False, superseded_by=None, begun_at__lte=now)
    order = {kind: place for place, kind in enumerate(Kind.values)}
    latest = now + timedelta(days=365)
    return sorted(rows.select_related("by"), key=lambda row: (order[row.kind], row.until or latest, row.pk))


def point_words(point: OpenPoint, now: datetime) -> str:
    """Say an open point in a line: what, whose, until when, since when."""
    parts = [point.text]
    if point.owner:
        parts.append(point.owner)
    if point.until is not None:
        local = timezone.localtime(point.until)
        parts.append(f"{'EXPIRED' if point.until <= now else 'until'} {local:%d %b %H:%M}")
    return f"{', '.join(parts)} (open since {timezone.localtime(point.begun_at):%d %b %H:%M})"


def keep_point(
    state: State,
    person: Person,
    *,
    kind: str,
    text: str,
    station: str = "",
    owner: str = "",
    until: datetime | None = None,
    form_key: str,
    renews: OpenPoint | None = None,
) -> OpenPoint:
    """Open a point, or say it anew: another expiry, another owner.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, or what a point of its kind must have and has not.
    """
    require(person, RECORD)
    _refuse(kind, text, owner, until, state.now)
    row = OpenPoint(
        world=state.world,
        by=person,
        kind=kind,
        station=station,
        text=text.strip(),
        owner=owner.strip(),
        until=until,
        begun_at=renews.begun_at if renews is not None else clock.now(),
        supersedes=renews,
        why="said anew" if renews is not None else "",
        form_key=form_key,
    )
    word = "said anew" if renews is not None else "opened"
    return _kept(row, person, f"{row.get_kind_display()} {word}: {point_words(row, state.now)}")


def _refuse(kind: str, text: str, owner: str, until: datetime | None, now: datetime) -> None:
    if kind not in Kind.values:
        raise ValidationError({"kind": f"{kind[:20]!r} is nothing that is carried; choose one of the list"})
    label = Kind(kind).label.lower()
    if not text.strip():
        raise ValidationError({"text": f"say what the {label} is, and where"})
    if kind in NEEDS_OWNER and not owner.strip():
        raise ValidationError({"owner": f"{label}: say whose it is; somebody must be asked"})
    if kind in NEEDS_UNTIL and until is None:
        raise ValidationError({"until": f"{label}: say until when it holds"})
    if until is not None and not now < until <= now + LONGEST:
        allowed = f"after now, within {LONGEST.days} days"
        raise ValidationError(
            {"until": f"{timezone.localtime(until):%d %b %H:%M} is no time it can hold until: {allowed}"}
        )


@verb
def close_point(point: OpenPoint, person: Person, *, why: str, form_key: str) -> OpenPoint:
    """Close a point, with what was done; it is carried no further.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, or no word of what was done.
    """
    require(person, RECORD)
    row = OpenPoint(
        world=point.world,
        by=person,
        kind=point.kind,
        station=point.station,
        text=point.text,
        owner=point.owner,
        until=point.until,
        begun_at=point.begun_at,
        closed=True,
        supersedes=point,
        why=need_why(why),
        form_key=form_key,
    )
    return _kept(row, person, f"{row.get_kind_display()} closed: {row.text}. {row.why}")


def _kept(row: OpenPoint, person: Person, words: str) -> OpenPoint:
    def tell(kept: OpenPoint) -> None:
        record_event(
            row.world, person, words[:500], station=row.station, at=clock.now(), form_key=line_key("o", kept), source=kept
        )  # fmt: skip

    return keep(row, tell)


# ---- time lost


def keep_stop(
    state: State,
    person: Person,
    *,
    station: str,
    cause: str,
    from_at: datetime,
    to_at: datetime | None,
    form_key: str,
    instead_of: Stop | None = None,
    void: bool = False,
    why: str = "",
) -> Stop:
    """Keep a stop, its end, or that it was none; what it stood instead of stays readable.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a station that is not there, no cause, or times that cannot be.
    """
    require(person, RECORD)
    line = line_of(state.world.version)
    if station not in {one.id for one in line.stations}:
        raise ValidationError({"station": f"{line.mill} has no station {station[:40]!r}"})
    if not cause.strip():
        raise ValidationError({"cause": "say why it stood"})
    check_moment(from_at)
    if to_at is not None and not from_at < to_at <= min(from_at + LONGEST_STOP, clock.now() + timedelta(minutes=2)):
        raise ValidationError(
            {"to_at": f"{timezone.localtime(to_at):%d %b %H:%M} is no end of it: after its beginning, not to come"}
        )
    row = Stop(
        world=state.world,
        by=person,
        station=station,
        from_at=from_at,
        to_at=to_at,
        cause=cause.strip()[:200],
        void=void,
        supersedes=instead_of,
        why=need_why(why) if void else why[:200],
        form_key=form_key,
    )
    words = _stop_words(row, line.station(station).name)

    def tell(kept: Stop) -> None:
        record_event(
            row.world, person, words, station=station, at=from_at, form_key=line_key("d", kept), source=kept
        )  # fmt: skip

    return keep(row, tell)


def _stop_words(row: Stop, name: str) -> str:
    if row.void:
        return f"{name}: no stop after all, {row.why}"
    begun = f"{timezone.localtime(row.from_at):%H:%M}"
    if row.to_at is None:
        return f"{name} stands since {begun}: {row.cause}"
    minutes = (row.to_at - row.from_at).total_seconds() / 60
    return f"{name} stood {minutes:.0f} min from {begun}: {row.cause}"


def stops_of(world: World, start: datetime, end: datetime) -> list[Stop]:
    """Return the stops that touch a span, in order."""
    rows = Stop.objects.filter(world=world, superseded_by=None, void=False, from_at__lt=end).exclude(to_at__lte=start)
    return list(rows.select_related("by").order_by("from_at", "pk"))


# ---- the other side


def waiting(state: State) -> HandOver | None:
    """Return the newest hand-over where it is of this shift or the one before and nobody has taken it over."""
    since = clock.shift_of(state.now, state.line.shifts)[0] - timedelta(hours=state.line.shifts.hours)
    rows = HandOver.objects.filter(world=state.world, signed_at__lte=state.now)
    newest = rows.select_related("signed_by", "receipt").first()
    if newest is None or newest.signed_at < since or getattr(newest, "receipt", None) is not None:
        return None
    return newest
