"""Lots: a load weighed and decided, received, corrected."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Final

import numpy as np
from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, need_why, sent_before, verb
from desk.floor.models import World, epoch
from desk.floor.services import check_moment, require
from desk.people.models import Person
from desk.people.roles import CORRECT, RECORD
from desk.stations.yard.book import held_in, keep_held, new_op, tell, write_moves, yard_part
from desk.stations.yard.models import Holding, Lot, Movement, Op
from stock.errors import DomainError
from stock.intake.definition import Material, PileDef, YardDef
from stock.intake.lot import Decision, bone_dry_mass_t, decide, moisture_of_replicates, net_mass_t
from stock.intake.piles import Held, Move
from stock.material import refuse_moisture
from stock.working import recording

TESTED: Final = ("bark_pct", "fines_pct", "overthick_pct", "pith_pct", "grit_pct")


@dataclass(frozen=True, slots=True)
class Load:
    """A load as typed, imported or weighed: what is known before anything is decided."""

    number: str
    material: str
    received_at: datetime
    gross_t: float
    tare_t: float
    moistures_pct: Sequence[float]
    found: Mapping[str, float | None] = field(default_factory=dict)
    ticket: str = ""


@dataclass(frozen=True, slots=True)
class Weighed:
    """A load worked out: bone-dry mass, moisture with its spread, what the tests say."""

    load: Load
    material: Material
    net_t: float
    moisture_frac: float
    spread_frac: float
    bdt: float
    decision: Decision
    warnings: tuple[str, ...]


def weigh(part: YardDef, load: Load) -> Weighed:
    """Work a load out: net, moisture, bone-dry, and the decision of its tests.

    Raises
    ------
    DomainError
        Naming the field: tare not below gross, a moisture that cannot be, no sample at all.
    """
    try:
        material = part.material(load.material)
    except LookupError:
        allowed = ", ".join(one.id for one in part.materials)
        raise DomainError("E_UNIT", "material", f"{load.material[:40]!r} is not bought here", allowed) from None
    with recording() as record:
        net = net_mass_t(gross_t=load.gross_t, tare_t=load.tare_t)
        if not load.moistures_pct:
            raise DomainError("E_COUNT", "moistures_pct", "no moisture sample was given", "one to ten values, in %")
        _refuse_shares(load)
        samples = moisture_of_replicates(
            each_moisture_frac=np.array(load.moistures_pct, dtype=float) / 100,
            repeatability_sd_frac=material.repeatability_pct / 100,
        )
        bdt = bone_dry_mass_t(green_mass_t=net, moisture_wet_frac=samples.moisture_wet_frac)
    found = {name.removesuffix("_pct"): value for name, value in load.found.items() if value is not None}
    tests = tuple(test.as_test() for test in material.tests)
    decision = decide({"moisture": 100 * samples.moisture_wet_frac, **found}, tests)
    warnings = tuple(dict.fromkeys(record.warnings))
    return Weighed(load, material, net, samples.moisture_wet_frac, samples.spread_frac, bdt, decision, warnings)


def _refuse_shares(load: Load) -> None:
    """Refuse a share outside 0 to 100 by its own name."""
    for name, value in load.found.items():
        if value is not None and not 0 <= value <= 100:
            label = name.removesuffix("_pct")
            raise DomainError("E_RANGE", name, f"{label} is {value:g} %, outside 0 to 100 %", "0 to 100 %")
    for value in load.moistures_pct:
        refuse_moisture("moistures_pct", "a moisture", value)
    if len(load.moistures_pct) > 10:
        raise DomainError(
            "E_COUNT", "moistures_pct", f"{len(load.moistures_pct)} moistures are too many", "ten at most"
        )


@verb
def receive(
    world: World, person: Person, load: Load, *, answer: str = "", pile: str = "", form_key: str, quiet: bool = False
) -> Lot:
    """Receive a load, or refuse it, and lay it on its pile.

    Parameters
    ----------
    answer : str
        What the person decides; the tests' own answer where empty. A lot the tests refuse can
        only be refused; one they accept may still be refused, never the other way round.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: wrong role, a number received before, a load that cannot be.
    """
    require(person, RECORD)
    if (sent := sent_before(Lot, world, form_key)) is not None:
        return sent
    part = yard_part(world)
    if not quiet:
        check_moment(load.received_at)
    if not load.number.strip():
        raise ValidationError({"number": "give the lot its number"})
    weighed = weigh(part, load)
    if (known := Lot.objects.filter(world=world, number=load.number).order_by("-version").first()) is not None:
        message = (
            f"lot {load.number} was received {known.received_at:%d %b %H:%M} by {known.by.short_name}: correct it there"
        )
        raise ValidationError({"number": message})
    if load.ticket and (twin := Lot.objects.filter(world=world, ticket=load.ticket).first()) is not None:
        raise ValidationError({"ticket": f"ticket {load.ticket} is lot {twin.number} already"})
    given = _answer(weighed.decision, answer)
    laid = _pile_for(part, weighed.material, pile) if given != Lot.Answer.REFUSE else None

    def lay_down(lot: Lot) -> None:
        at = load.received_at
        if laid is not None:
            op = new_op(world, person, Op.Kind.RECEIVE, laid.id, weighed.bdt, at, at, form_key=f"lot-{form_key}")
            op.save()
            write_moves(op, laid.id, [Move(lot.number, "in", weighed.bdt)])
            place = {"bdt": weighed.bdt, "since_s": epoch(at), "settled_s": epoch(at)}
            Holding.objects.create(world=world, pile=laid.id, lot=lot, **place)
        if not quiet:
            tell(lot, person, _lot_words(lot, weighed, laid), at, "l", subject=lot.number)

    return keep(lot_row(world, person, weighed, given, laid.id if laid else "", form_key), lay_down)


def _answer(decision: Decision, answer: str) -> str:
    if answer in ("", decision.answer):
        return decision.answer
    if decision.answer == "refuse":
        raise ValidationError({"answer": f"the tests refuse it: {decision.reason}"})
    if answer == "accept" and decision.answer == "deduct":
        raise ValidationError({"answer": f"the tests ask for a deduction: {decision.reason}"})
    if answer not in Lot.Answer.values:
        raise ValidationError({"answer": f"{answer!r} is no decision; accept, deduct or refuse"})
    return answer


def _pile_for(part: YardDef, material: Material, pile: str) -> PileDef:
    """Return the pile a material goes on: the one named where it holds that form and species, else its own."""
    wanted = pile or material.pile
    try:
        found = part.pile(wanted)
    except LookupError:
        raise ValidationError({"pile": f"there is no pile {wanted[:40]!r}"}) from None
    if found.form != material.form or found.species != material.species:
        raise ValidationError({"pile": f"{found.name} holds {found.species} {found.form}, not {material.name.lower()}"})
    return found


def lot_row(world: World, person: Person, weighed: Weighed, answer: str, pile: str, form_key: str, **more: Any) -> Lot:
    """Return a lot as it would be kept."""
    load, decision = weighed.load, weighed.decision
    reason = decision.reason if answer == decision.answer else f"{decision.reason}; decided at the gate"
    return Lot(
        world=world,
        number=load.number.strip(),
        ticket=load.ticket,
        material=weighed.material.id,
        received_at=load.received_at,
        gross_t=load.gross_t,
        tare_t=load.tare_t,
        moistures_pct=list(load.moistures_pct),
        moisture_frac=weighed.moisture_frac,
        bdt=weighed.bdt,
        pile=pile,
        answer=answer,
        deduction_pct=decision.deduction_pct if answer == Lot.Answer.DEDUCT else 0.0,
        reason=reason[:400],
        warning="; ".join(weighed.warnings)[:300],
        by=person,
        form_key=form_key,
        **{name: load.found.get(name) for name in TESTED},
        **more,
    )


def _lot_words(lot: Lot, weighed: Weighed, pile: PileDef | None) -> str:
    what = (
        f"Lot {lot.number}, {weighed.material.name.lower()}, {weighed.net_t:.1f} t at {100 * lot.moisture_frac:.1f} %"
    )
    if pile is None:
        return f"{what}: refused, {lot.reason}"[:500]
    off = f", {lot.deduction_pct:.1f} % off: {lot.reason}" if lot.answer == Lot.Answer.DEDUCT else ""
    return f"{what}: {lot.bdt:.2f} BDt to {pile.name}{off}"[:500]


@verb
def correct_lot(world: World, person: Person, lot: Lot, load: Load, *, why: str, form_key: str) -> Lot:
    """Supersede a lot; the mass it has in its first pile moves by the difference.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: wrong role, no reason, already corrected, a load that cannot be, or
        more taken away than still lies there.
    """
    require(person, CORRECT)
    if (sent := sent_before(Lot, world, form_key)) is not None:
        return sent
    why = need_why(why)
    part = yard_part(world)
    weighed = weigh(part, load)
    answer = Lot.Answer.REFUSE if lot.answer == Lot.Answer.REFUSE else _answer(weighed.decision, "")
    if answer == Lot.Answer.REFUSE and lot.answer != Lot.Answer.REFUSE:
        raise ValidationError(
            {"why": f"the tests now refuse it ({weighed.decision.reason}): draw it from its pile first"}
        )
    new = lot_row(
        world,
        person,
        weighed,
        answer,
        lot.pile,
        form_key,
        version=lot.version + 1,
        supersedes=lot,
        why=why,
    )
    now = clock.now()

    def move(new: Lot) -> None:
        Holding.objects.filter(lot=lot).update(lot=new)
        difference = weighed.bdt - lot.bdt
        if lot.pile and abs(difference) > 1e-9:
            _move_by(world, person, part.pile(lot.pile), new, difference, now, form_key)
        words = f"Lot {lot.number} corrected: {lot.bdt:.2f} BDt is {weighed.bdt:.2f} BDt; {why}"
        tell(new, person, words, now, "l", subject=lot.number)

    return keep(new, move)


def _move_by(
    world: World, person: Person, pile: PileDef, lot: Lot, difference: float, now: datetime, form_key: str
) -> None:
    held = held_in(world, pile.id)
    there = next((one for one in held if one.lot == lot.number), None)
    if there is None or there.bdt + difference < -1e-9:
        left = there.bdt if there else 0.0
        message = (
            f"{-difference:.2f} BDt would be taken off lot {lot.number}, {left:.2f} BDt of it still lies in {pile.name}"
        )
        raise ValidationError({"gross_t": message})
    op = new_op(world, person, Op.Kind.CORRECT, pile.id, difference, now, now, form_key=f"fix-{form_key}")
    op.save()
    Movement.objects.create(op=op, pile=pile.id, lot_number=lot.number, kind="correct", bdt=difference)
    changed = [Held(one.lot, one.bdt + difference, one.since_s, one.settled_s) if one is there else one for one in held]
    keep_held(world, pile, changed)
