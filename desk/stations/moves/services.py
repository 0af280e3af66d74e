"""Making a move, taking one back, accepting a gain: one verb, one transaction each."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from difflib import get_close_matches
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, line_key, need_why, sent_before, verb
from desk.floor.models import World
from desk.floor.services import LATEST, check_moment, record_event, require
from desk.people.models import Person
from desk.people.roles import MODEL, MOVE
from desk.stations.moves.models import Gain, Move, Setting
from stock.errors import DomainError
from stock.judge.followed import Learned

TWICE: Final = timedelta(seconds=60)  # the same again so soon is a press too many
MOST: Final = 1e6


@dataclass(frozen=True, slots=True)
class Wish:
    """A move as it is wished: what is set to what, because of what, what is expected."""

    to: float
    words: str = ""
    unit: str = ""
    station: str = ""
    point: str = ""
    tag: str = ""
    from_value: float | None = None
    because: str = Move.Because.OWN
    rule: str = ""
    text: str = ""
    expected: Mapping[str, Any] = field(default_factory=dict)


def setting_of(world: World, point: str) -> Setting:
    """Return what can be set at a point.

    Raises
    ------
    ValidationError
        Where the plant has nothing to set there, with the nearest names.
    """
    found = Setting.objects.filter(world=world, point=point).first()
    if found is None:
        known = list(Setting.objects.filter(world=world).values_list("point", flat=True))
        near = ", ".join(get_close_matches(point, known, n=3, cutoff=0.4)) or "what the list names"
        raise ValidationError({"point": f"there is nothing to set at {point[:60]!r}. Allowed: {near}"})
    return found


@verb
def make_move(world: World, person: Person, wish: Wish, *, at: datetime, form_key: str) -> Move:
    """Keep a move, with its line in the log; in a simulated plant it is made there.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a point there is none of, a value beyond its limits, a moment that cannot be.
    """
    require(person, MOVE)
    if (sent := sent_before(Move, world, form_key)) is not None:
        return _as_sent(sent, wish)
    check_moment(at)
    if not abs(wish.to) <= MOST:
        raise ValidationError({"to": f"{wish.to:g} is no setting"})
    setting = _setting(world, wish)
    if setting is not None and not setting.low <= wish.to <= setting.high:
        allowed = f"{setting.low:g} to {setting.high:g} {setting.unit}".strip()
        said = f"{setting.words} cannot be {wish.to:g} {setting.unit}".strip()
        raise DomainError("E_RANGE", "to", said, allowed)
    if (same := _same_just_now(world, wish, at)) is not None:
        return same
    move = Move(
        world=world,
        by=person,
        form_key=form_key,
        point=wish.point,
        words=(setting.words if setting is not None else wish.words)[:120],
        unit=setting.unit if setting is not None else wish.unit,
        station=wish.station or (setting.station if setting is not None else ""),
        tag=wish.tag,
        from_value=setting.value if setting is not None else wish.from_value,
        to_value=wish.to,
        at=at,
        because=wish.because,
        rule=wish.rule,
        text=wish.text[:200],
        expected=dict(wish.expected),
        to_plant=setting is not None and clock.now() - at <= LATEST,
    )
    if not move.words.strip():
        raise ValidationError({"words": "say what was set"})
    return keep(move, lambda kept: _tell(kept, person))


def _as_sent(sent: Move, wish: Wish) -> Move:
    """Return the move a form made before; ValidationError where the form says something else now."""
    if (sent.point, sent.to_value) != (wish.point, wish.to):
        at = clock.local(sent.entered_at)
        message = f"this form was sent at {at:%H:%M} already: {sent}. The second was not kept; load the page again to make another"
        raise ValidationError({"to": message})
    return sent


def _setting(world: World, wish: Wish) -> Setting | None:
    """Return what is set, where a simulated plant has it; a real mill's points are not known here."""
    return setting_of(world, wish.point) if world.simulated and wish.point else None


def _same_just_now(world: World, wish: Wish, at: datetime) -> Move | None:
    recent = Move.objects.filter(world=world, at__gt=at - TWICE, superseded_by=None, void=False)
    return recent.filter(point=wish.point, words__startswith=wish.words[:40], to_value=wish.to).first()


def _tell(move: Move, person: Person) -> None:
    why = f" for {move.get_because_display()}" if move.because != Move.Because.OWN else ""
    said = f"{move.words[:1].upper()}{move.words[1:]} set {move.said}{why}"
    text = f"{said}. {move.text}" if move.text else said
    record_event(
        move.world, person, text[:500], station=move.station, at=move.at, form_key=line_key("m", move),
        tag=move.tag, action=MOVE, source=move,
    )  # fmt: skip


@verb
def take_back_move(move: Move, person: Person, *, why: str, form_key: str) -> Move:
    """Say that a move was not made after all, with why; what was expected of it is expected no more.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, no reason, a move that a simulated plant has made already.
    """
    require(person, MOVE)
    if (sent := sent_before(Move, move.world, form_key)) is not None:
        return sent
    if move.to_plant and getattr(move, "made", None) is not None and move.made.reached:
        raise ValidationError({"why": "the plant has made it: set it back by another move"})
    now = clock.now()
    fields = {one.attname: getattr(move, one.attname) for one in Move._meta.concrete_fields}
    for name in ("id", "entered_at", "supersedes_id", "form_key", "why", "void", "by_id"):
        fields.pop(name)
    row = Move(**fields, by=person, supersedes=move, why=need_why(why), void=True, form_key=form_key)

    def tell(kept: Move) -> None:
        words = f"Not done: {move.words}, {move.said}. {kept.why}"
        record_event(
            move.world, person, words[:500], station=move.station, at=now, form_key=line_key("m", kept), action=MOVE,
            source=kept,
        )  # fmt: skip

    return keep(row, tell)


@verb
def accept_gain(
    world: World, person: Person, *, point: str, tag: str, learned: Learned, moves: list[int], form_key: str
) -> Gain:
    """Accept what the mill's own moves teach of a kind of move; advice goes by it from now on.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, or a gain that is not known well enough yet.
    """
    require(person, MODEL)
    if not learned.ready_count:
        raise ValidationError(
            {"gain": "it is not known well enough yet: five moves, and apart from 1 by more than its band"}
        )
    row = Gain(
        world=world, by=person, form_key=form_key, point=point, tag=tag, gain_ratio=learned.gain_ratio,
        gain_sd_ratio=learned.gain_sd_ratio, next_sd_ratio=learned.next_sd_ratio, moves=moves,
        supersedes=Gain.objects.filter(world=world, point=point, tag=tag, superseded_by=None).first(),
    )  # fmt: skip

    def tell(kept: Gain) -> None:
        words = f"Gain of {point} on {tag} accepted: {kept.gain_ratio:.2f}, from {len(moves)} moves"
        record_event(
            world, person, words, station="", at=clock.now(), form_key=line_key("g", kept), action=MODEL, source=kept
        )

    return keep(row, tell)
