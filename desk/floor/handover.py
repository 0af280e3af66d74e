"""The hand-over: composed from the shift, signed with the signer's own secret, kept as it stood."""

import hashlib
import json
from collections.abc import Collection
from datetime import datetime, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.floor import clock
from desk.floor.keeping import keep, line_key, sent_before
from desk.floor.models import HandOver, OpenPoint, Receipt, Record, World
from desk.floor.next_up import folded, next_up
from desk.floor.points import MUST_SAY, PLURAL, point_words, points_open
from desk.floor.services import record_event, require
from desk.floor.state import State
from desk.floor.station import stations
from desk.floor.totals import lost, totals
from desk.mill.selectors import line_of
from desk.people.clock import now as people_now
from desk.people.limits import TOLD_EVERY, TooManyTriesError, note_right, note_wrong, refuse_haste
from desk.people.models import Person
from desk.people.roles import SIGN
from stock.line.story import HandOverStory


class WrongSecretError(Exception):
    """The secret is not the signer's own, or too many wrong ones were tried."""


def clock_text(at: datetime) -> str:
    """Return a moment as the desk writes it."""
    return timezone.localtime(at).strftime("%H:%M")


def seen_text(at: datetime, now: datetime) -> str:
    """Return a moment as its time of day, or as its day where that time has come round again since."""
    local = timezone.localtime(at)
    return local.strftime("%H:%M") if now - at < timedelta(hours=20) else local.strftime("%-d\u00a0%b")


def compose(state: State) -> dict[str, Any]:
    """Return the sheet of the shift so far, as plain data: what is off, running, coming, recorded."""
    world = state.world
    start, end = clock.shift_of(state.now, state.line.shifts)
    order = state.order
    records = (
        Record.objects.filter(world=world, at__gte=start, at__lte=state.now, superseded_by=None)
        .exclude(kind=Record.Kind.READING)
        .select_related("by")
        .order_by("at")
    )
    return {
        "mill": state.line.mill,
        "shift": f"{timezone.localtime(start):%a %d %b %Y, %H:%M} to {clock_text(end)}",
        "composed": f"{timezone.localtime(state.now):%d %b %Y %H:%M}",
        "sections": [
            {"title": "Safety first", "rows": _safety(state)},
            *_points(state),
            {
                "title": "On the machine",
                "rows": [
                    f"{state.line.grade(order.grade).name}, {order.rate} since {clock_text(order.from_at)}",
                    *(
                        f"next: {state.line.grade(later.grade).name}, {later.rate} from {clock_text(later.from_at)}"
                        for later in state.orders[1:]
                    ),
                ],
            },
            {
                "title": "Out of band",
                "rows": [_off(reading, state.now) for reading in state.off] or ["Nothing is out of band."],
            },
            {"title": "Made this shift", "rows": _made(state, start)},
            {"title": "Time lost", "rows": [one.words for one in lost(state, start)] or ["No stop was logged."]},
            {"title": "Vessels", "rows": _vessels(state)},
            *({"title": title, "rows": rows} for station in stations() for title, rows in station.sheet(state)),
            {"title": "Coming up", "rows": [line.words for line in folded(next_up(state))]},
            {
                "title": "What happened",
                "rows": [f"{clock_text(row.at)} {row.text} ({row.by.short_name})" for row in records]
                or ["Nothing was logged but readings."],
            },
        ],
    }


def _safety(state: State) -> list[str]:
    troubled = [f"{one.tag.name} ({one.trouble})" for one in state.readings.values() if one.trouble]
    rows = ["The permit board rules, not this sheet: walk it together."]
    if troubled:
        rows.append(f"Signals not to be trusted: {', '.join(troubled)}.")
    return rows


def _points(state: State) -> list[dict[str, Any]]:
    """Return what is carried, by kind; the kinds that must be said also where none is open."""
    found = points_open(state.world, state.now)
    sections = []
    for kind in OpenPoint.Kind:
        rows = [point_words(one, state.now) for one in found if one.kind == kind]
        if rows or kind in MUST_SAY:
            sections.append({"title": PLURAL[kind], "rows": rows or ["None in the log."]})
    return sections


def _made(state: State, start: datetime) -> list[str]:
    rows = [one.words for one in totals(state, start)]
    rows += [words for one in stations() for words in one.made(state, start)]
    return rows or ["Nothing that is measured here counts tonnes."]


def missing_of(state: State, none: Collection[str]) -> list[str]:
    """Return what keeps a sheet from being signed: kinds neither open nor said to be none, and what has expired."""
    found = points_open(state.world, state.now)
    said = {one.kind for one in found} | set(none)
    missing = [f"{PLURAL[kind].lower()}: open ones, or that there is none" for kind in MUST_SAY if kind not in said]
    missing += [
        f"{one.get_kind_display().lower()} '{one.text}' expired {seen_text(one.until, state.now)}: close it or say it anew"
        for one in found
        if one.until is not None and one.until <= state.now
    ]
    wrong = [kind for kind in none if any(one.kind == kind for one in found)]
    missing += [f"{PLURAL[kind].lower()}: ticked as none, and there is one open" for kind in wrong]
    return missing


def _off(reading: Any, now: datetime) -> str:
    unit = f" {reading.tag.unit}" if reading.tag.unit else ""
    value = f"{reading.value:.{reading.tag.decimals}f}{unit}"
    return f"{reading.tag.name}: {value} at {seen_text(reading.at, now)}, {reading.verdict.words}"


def _vessels(state: State) -> list[str]:
    rows = []
    for unit_id, unit in state.vessels.items():
        reading = state.readings.get(unit.level or "")
        if reading is None:
            continue
        cover = state.cover(unit_id)
        words = f", {cover_text(cover.value)} of cover" if cover else ", not drawn"
        rows.append(f"{unit.name}: {reading.value:.0f} %{words}")
    return rows


def cover_text(minutes: float) -> str:
    """Return a cover as people say it."""
    if minutes < 90:
        return f"{minutes:.0f} min"
    return f"{minutes / 60:.1f} h"


def new_digest(guard: str, at: datetime) -> str:
    """Return a key for the line about wrong tries."""
    return hashlib.sha256(f"{guard} {at.isoformat()}".encode()).hexdigest()[:32]


def sign(
    world: World, person: Person, secret: str, *, none: Collection[str] = (), form_key: str, address: str = ""
) -> HandOver:
    """Sign the sheet of the shift so far; it is frozen as composed now.

    `none` are the kinds of open points the giver says there are none of.

    Raises
    ------
    NotAllowedError, ValidationError, WrongSecretError
        Nothing is kept: a wrong role, a part that must be said and is not, a wrong secret.
    """
    require(person, SIGN)
    if missing := missing_of(State(world, clock.now()), none):
        raise ValidationError({"none": f"not signed, since it does not say: {'; '.join(missing)}"})
    _prove(world, person, secret, address)
    now = clock.now()

    def tell(signed: HandOver) -> None:
        record_event(
            world, person, f"Hand-over signed by {person.short_name}", station="", at=now, form_key=line_key("h", signed),
            kind=Record.Kind.SIGNED, subject=f"sheet {signed.pk}", action=SIGN, source=signed,
        )  # fmt: skip

    begun = clock.shift_of(now, line_of(world.version).shifts)[0]
    sheet = compose(State(world, now))
    sheet["none"] = [PLURAL[kind].lower() for kind in MUST_SAY if kind in none]
    return keep(_frozen(world, person, sheet, begun, now, form_key), tell)


def take_over(
    sheet: HandOver, person: Person, secret: str, *, words: str = "", form_key: str, address: str = ""
) -> Receipt:
    """Sign that a hand-over was read and taken over, by another than who gave it.

    Raises
    ------
    NotAllowedError, ValidationError, WrongSecretError
        Nothing is kept: a wrong role, the giver's own sheet, taken over already, a wrong secret.
    """
    require(person, SIGN)
    if (sent := sent_before(Receipt, sheet.world, form_key)) is not None:
        return sent
    if person == sheet.signed_by:
        raise ValidationError({"secret": "you gave it; the one who takes over signs that it was read"})
    if (first := Receipt.objects.select_related("by").filter(handover=sheet).first()) is not None:
        raise ValidationError({"secret": f"{first.by.short_name} took it over at {clock_text(first.at)} already"})
    _prove(sheet.world, person, secret, address)
    row = Receipt(
        world=sheet.world, handover=sheet, by=person, at=clock.now(), words=words.strip()[:300], form_key=form_key
    )

    def tell(kept: Receipt) -> None:
        said = f"Hand-over of {sheet.signed_by.short_name} read and taken over by {person.short_name}"
        record_event(
            sheet.world, person, f"{said}: {kept.words}" if kept.words else said, station="", at=kept.at,
            form_key=line_key("t", kept), kind=Record.Kind.SIGNED, subject=f"sheet {sheet.pk}", action=SIGN, source=kept,
        )  # fmt: skip

    return keep(row, tell)


def _prove(world: World, person: Person, secret: str, address: str) -> None:
    """Refuse a secret that is not the person's own; count the wrong ones, and tell the log of many."""
    guard, tried_at = f"sign {person.username}", people_now()
    try:
        refuse_haste(guard, address, tried_at)
    except TooManyTriesError as error:
        raise WrongSecretError(str(error)) from None
    if not person.check_signing_secret(secret):
        wrong = note_wrong(guard, address, tried_at)
        if wrong % TOLD_EVERY == 0:
            words = f"{wrong} wrong signing secrets were tried as {person.short_name}"
            record_event(
                world,
                person,
                words,
                station="",
                at=clock.now(),
                form_key=f"w-{new_digest(guard, tried_at)}",
                action=SIGN,
            )
        message = "That is not your signing secret. Nothing was signed; the sheet is unchanged."
        raise WrongSecretError(message)
    note_right(guard, address)


def _frozen(
    world: World, person: Person, sheet: dict[str, Any], shift_start: datetime, at: datetime, form_key: str
) -> HandOver:
    last = Record.objects.filter(world=world).order_by("-id").values_list("id", "digest").first()
    sheet = {
        **sheet,
        "chain": {"entry": last[0], "head": last[1]} if last else None,
        "signed": f"{person.first_name} {person.last_name}, {person.role_title}, {timezone.localtime(at):%d %b %Y %H:%M}",
    }
    text = json.dumps(sheet, sort_keys=True, ensure_ascii=False)
    return HandOver(
        world=world,
        shift_start=shift_start,
        sheet=sheet,
        sha256=hashlib.sha256(text.encode()).hexdigest(),
        signed_by=person,
        signed_at=at,
        form_key=form_key,
    )


def keep_told(world: World, person: Person, story: HandOverStory, opened: datetime) -> HandOver:
    """Keep the hand-over a demonstration opens with: that of the shift before, in short."""
    shifts = line_of(world.version).shifts
    end, _ = clock.shift_of(opened, shifts)
    begun = end - timedelta(hours=shifts.hours)
    sheet = {
        "mill": world.name,
        "shift": f"{timezone.localtime(begun):%a %d %b %Y, %H:%M} to {clock_text(end)}",
        "composed": f"{timezone.localtime(end):%d %b %Y %H:%M}",
        "sections": [{"title": one.title, "rows": one.rows} for one in story.parts],
    }
    return keep(_frozen(world, person, sheet, begun, end, f"demo-handover-{world.pk}"))
