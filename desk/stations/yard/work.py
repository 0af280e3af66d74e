"""The yard's day: metal trips, knives, chip samples, the blend."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Final

import numpy as np
from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, need_why, sent_before, verb
from desk.floor.models import Record, World
from desk.floor.services import check_moment, require
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import CORRECT, RECORD
from desk.stations.yard.book import tell, yard_part
from desk.stations.yard.knives import STEPS, knives_of
from desk.stations.yard.models import BlendPlan, Classification, KnifeStep, Lot, Release, Trip
from desk.stations.yard.samples import source_name
from desk.stations.yard.stock import yard_of
from stock.errors import DomainError
from stock.intake.blend import Blend
from stock.intake.chip_classes import chip_class_percent


@verb
def log_trip(
    world: World, person: Person, *, detector: str, find: str, lot: str, stopped_min: float, at: datetime, form_key: str
) -> Trip:
    """Log a trip of a metal detector: where, what, how long it stood, which lot."""
    require(person, RECORD)
    if (sent := sent_before(Trip, world, form_key)) is not None:
        return sent
    part = yard_part(world)
    if detector not in part.detectors:
        raise ValidationError({"detector": f"{detector[:40]!r} is no detector; one of {', '.join(part.detectors)}"})
    if not find.strip() or len(find) > 60:
        raise ValidationError({"find": "say in a few words what was found"})
    if not 0 <= stopped_min <= 720:
        raise DomainError("E_RANGE", "stopped_min", f"{stopped_min:g} min is no stop of a shift", "0 to 720 min")
    lot = lot.strip()
    if lot and not Lot.objects.filter(world=world, number=lot).exists():
        raise ValidationError({"lot": f"lot {lot[:20]} was never received"})
    check_moment(at)
    row = Trip(
        world=world, by=person, at=at, detector=detector, find=find.strip(), lot=lot, stopped_min=stopped_min,
        form_key=form_key,
    )  # fmt: skip
    return keep(
        row, lambda trip: tell(trip, person, trip_words(trip), at, "m", kind=Record.Kind.EVENT, tag="trip", subject=lot)
    )


@verb
def take_back_trip(trip: Trip, person: Person, *, why: str, form_key: str) -> Trip:
    """Say that a trip was none after all: counts, quarantine and the log follow.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, no reason, or one that was taken back already.
    """
    require(person, RECORD)
    row = Trip(
        world=trip.world, by=person, at=trip.at, detector=trip.detector, find=trip.find, lot=trip.lot,
        stopped_min=trip.stopped_min, undone=True, supersedes=trip, why=need_why(why), form_key=form_key,
    )  # fmt: skip
    words = f"No trip after all: {trip_words(trip)}. {row.why}"
    told = {"kind": Record.Kind.EVENT, "tag": "", "subject": trip.lot}
    return keep(row, lambda kept: tell(kept, person, words, clock.now(), "b", **told))


def trip_words(trip: Trip) -> str:
    """Say a trip in a line of the log."""
    words = f"Metal trip, {trip.detector.lower()}: {trip.find.lower()}; stopped {trip.stopped_min:g} min"
    return f"{words}; lot {trip.lot}" if trip.lot else words


@verb
def release_lot(world: World, person: Person, lot: str, reason: str, *, form_key: str) -> Release:
    """Take a lot out of quarantine, saying what was found."""
    require(person, CORRECT)
    if not reason.strip():
        raise ValidationError({"reason": "say what was found and mended"})
    if not Lot.objects.filter(world=world, number=lot).exists():
        raise ValidationError({"lot": f"lot {lot[:20]} was never received"})
    now = clock.now()
    row = Release(world=world, by=person, at=now, lot=lot, reason=reason.strip()[:300], form_key=form_key)
    words = f"Lot {lot} released from quarantine: {reason.strip()}"
    told = {"kind": Record.Kind.EVENT, "tag": "release", "subject": lot, "action": CORRECT}
    return keep(row, lambda kept: tell(kept, person, words, now, "q", **told))


@verb
def knife_step(
    world: World, person: Person, chipper_id: str, step: int, *, minded: Sequence[str], form_key: str
) -> KnifeStep:
    """Log one step of a knife change, in order; 'opened' needs the stand-still and lock-out step before it.

    Raises
    ------
    NotAllowedError, ValidationError
        Nothing is written: a step out of order, or a check not ticked.
    """
    require(person, RECORD)
    if (sent := sent_before(KnifeStep, world, form_key)) is not None:
        return sent
    part = yard_part(world)
    try:
        chipper = part.chipper(chipper_id)
    except LookupError:
        raise ValidationError({"chipper": f"there is no chipper {chipper_id[:40]!r}"}) from None
    state = State(world)
    last = next((one for one in knives_of(yard_of(state)) if one.chipper.id == chipper_id), None)
    done = last.last_index if last and last.last_index is not None else len(STEPS) - 1
    due = (done + 1) % len(STEPS)
    if step != due:
        raise ValidationError({"step": f"{chipper.name}: the next step is '{STEPS[due]}'; nothing was logged"})
    if step == LOCKING:
        missing = [words for name, words in LOCK_CHECKS if name not in minded]
        if missing:
            raise ValidationError({"minded": f"not ticked: {'; '.join(missing)}"})
        stopped = last.last_at if last and last.last_at else state.now
        coasted = (state.now - stopped).total_seconds() / 60
        if coasted < chipper.coast_min:
            message = f"{chipper.name} was stopped {coasted:.0f} min ago and coasts {chipper.coast_min:.0f} min: wait and look again"
            raise ValidationError({"minded": message})
    row = KnifeStep(world=world, by=person, at=state.now, chipper=chipper.id, step=step, form_key=form_key)
    told = {"kind": Record.Kind.EVENT, "tag": "knife", "subject": chipper.id}
    return keep(row, lambda kept: tell(kept, person, f"{chipper.name}: {STEPS[step]}", state.now, "k", **told))


LOCKING: Final = 1
LOCK_CHECKS: Final = (
    ("still", "the disc stands still, seen with my own eyes"),
    ("locked", "isolated, my lock and tag on"),
    ("tried", "start tried, nothing moves"),
)


@verb
def classify(
    world: World, person: Person, source: str, sample_g: float, masses_g: Sequence[float], *, at: datetime, form_key: str,
    quiet: bool = False,
) -> Classification:  # fmt: skip
    """Keep a chip classification; classes that do not add up to the sample are refused.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, RECORD)
    if (sent := sent_before(Classification, world, form_key)) is not None:
        return sent
    part = yard_part(world)
    if not quiet:
        check_moment(at)
    names = {"feed", *(one.id for one in part.chippers), *(one.id for one in part.materials if one.form == "chips")}
    if source not in names:
        raise ValidationError({"source": f"{source[:40]!r} is not sampled; one of {', '.join(sorted(names))}"})
    if Classification.objects.filter(world=world, source=source, at=at, superseded_by=None).exists():
        raise ValidationError({"at": f"{source_name(part, source)} was classified at {at:%d %b %H:%M} already"})
    shares = chip_class_percent(mass_by_class_g=np.array(masses_g), sample_mass_g=sample_g)
    row = Classification(
        world=world, source=source, at=at, sample_g=sample_g, masses_g=list(masses_g), by=person, form_key=form_key
    )
    words = (
        f"Chips classified, {source_name(part, source)}: overthick {shares.overthick_pct:.1f} %,"
        f" accepts {shares.accepts_pct:.1f} %, pins {shares.pins_pct:.1f} %, fines {shares.fines_pct:.2f} %"
    )
    return keep(row, None if quiet else lambda kept: tell(kept, person, words, at, "c", subject=source))


@verb
def correct_class(
    world: World,
    person: Person,
    row: Classification,
    sample_g: float,
    masses_g: Sequence[float],
    *,
    why: str,
    form_key: str,
) -> Classification:
    """Supersede a classification; the old one stays readable.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, CORRECT)
    if (sent := sent_before(Classification, world, form_key)) is not None:
        return sent
    why = need_why(why)
    chip_class_percent(mass_by_class_g=np.array(masses_g), sample_mass_g=sample_g)
    new = Classification(
        world=world, source=row.source, at=row.at, sample_g=sample_g, masses_g=list(masses_g), by=person, supersedes=row,
        form_key=form_key,
    )  # fmt: skip
    name = source_name(yard_part(world), row.source)
    words = f"Chip classes of {name}, {clock.local(row.at):%d %b %H:%M}, corrected: {why}"
    return keep(new, lambda kept: tell(kept, person, words, clock.now(), "c", subject=row.source))


@verb
def accept_blend(
    world: World,
    person: Person,
    blend: Blend,
    lots: Sequence[tuple[str, str]],
    *,
    hours: float,
    total_bdt_per_h: float,
    form_key: str,
) -> BlendPlan:
    """Keep a blend for the next hours; `lots` are (lot, pile) in the blend's order."""
    require(person, RECORD)
    if (sent := sent_before(BlendPlan, world, form_key)) is not None:
        return sent
    part, now = yard_part(world), clock.now()
    parts = [
        {"lot": lot, "pile": pile, "share": round(share, 6)}
        for (lot, pile), share in zip(lots, blend.share_frac, strict=True)
        if share > 0
    ]
    by_pile: dict[str, float] = {}
    for one in parts:
        by_pile[str(one["pile"])] = by_pile.get(str(one["pile"]), 0.0) + float(str(one["share"]))
    said = ", ".join(f"{part.pile(name).name} {100 * share:.0f} %" for name, share in by_pile.items())
    plan = BlendPlan(
        world=world,
        from_at=now,
        hours=hours,
        total_bdt_per_h=total_bdt_per_h,
        aim=blend.aim,
        parts=parts,
        moisture_frac=blend.moisture_frac,
        by=person,
        form_key=form_key,
    )
    until = now + timedelta(hours=hours)
    words = f"Chip blend until {clock.local(until):%H:%M}: {said}; moisture {100 * blend.moisture_frac:.1f} %"
    return keep(plan, lambda kept: tell(kept, person, words, now, "b", subject="blend"))
