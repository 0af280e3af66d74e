"""Writing in the yard: one verb, one transaction each."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from desk.floor import clock
from desk.floor.models import Record, World, epoch
from desk.floor.services import check_moment, record_event, require
from desk.floor.state import State
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import CORRECT, RECORD
from desk.yard.models import BlendPlan, Classification, Holding, Lot, Movement, Op
from desk.yard.stock import STEPS, YardNow, source_name, yard_of
from stock.errors import DomainError
from stock.intake.blend import Blend
from stock.intake.chips import chip_class_percent
from stock.intake.lot import Decision, bone_dry_mass_t, decide, moisture_of_replicates, net_mass_t
from stock.intake.piles import DUST_BDT, Held, Move, chip, correct_to, draw, lay, settle
from stock.line.yard import Material, PileDef, YardDef
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


def yard_part(world: World) -> YardDef:
    """Return the yard of a world's line; ValidationError where it has none."""
    part = line_of(world.version).yard
    if part is None:
        raise ValidationError({"yard": "this line has no yard"})
    return part


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
        if not 0 <= value < 100:
            raise DomainError(
                "E_RANGE", "moistures_pct", f"a moisture is {value:g} %, outside 0 to 100 %", "0 to 100 %"
            )
    if len(load.moistures_pct) > 10:
        raise DomainError(
            "E_COUNT", "moistures_pct", f"{len(load.moistures_pct)} moistures are too many", "ten at most"
        )


# ---- lots


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
    if (sent := Lot.objects.filter(form_key=form_key).first()) is not None:
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
    lot = _lot_row(world, person, weighed, given, laid.id if laid else "", form_key)
    with transaction.atomic():
        lot.save()
        if laid is not None:
            at = load.received_at
            op = _op(world, person, Op.Kind.RECEIVE, laid.id, weighed.bdt, at, at, form_key=f"lot-{form_key}")
            op.save()
            _write(op, laid.id, [Move(lot.number, "in", weighed.bdt)])
            place = {"bdt": weighed.bdt, "since_s": epoch(at), "settled_s": epoch(at)}
            Holding.objects.create(world=world, pile=laid.id, lot=lot, **place)
        if not quiet:
            _tell(world, person, _lot_words(lot, weighed, laid), load.received_at, f"l-{form_key}", subject=lot.number)
    return lot


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


def _lot_row(world: World, person: Person, weighed: Weighed, answer: str, pile: str, form_key: str, **more: Any) -> Lot:
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


def correct_lot(world: World, person: Person, lot: Lot, load: Load, *, why: str, form_key: str) -> Lot:
    """Supersede a lot; the mass it has in its first pile moves by the difference.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: wrong role, no reason, already corrected, a load that cannot be, or
        more taken away than still lies there.
    """
    require(person, CORRECT)
    if (sent := Lot.objects.filter(form_key=form_key).first()) is not None:
        return sent
    if not why.strip():
        raise ValidationError({"why": "say why, so that the next shift understands"})
    part = yard_part(world)
    weighed = weigh(part, load)
    answer = Lot.Answer.REFUSE if lot.answer == Lot.Answer.REFUSE else _answer(weighed.decision, "")
    if answer == Lot.Answer.REFUSE and lot.answer != Lot.Answer.REFUSE:
        raise ValidationError(
            {"why": f"the tests now refuse it ({weighed.decision.reason}): draw it from its pile first"}
        )
    new = _lot_row(
        world,
        person,
        weighed,
        answer,
        lot.pile,
        form_key,
        version=lot.version + 1,
        supersedes=lot,
        why=why.strip()[:200],
    )
    now = clock.now()
    with transaction.atomic():
        try:
            new.save()
        except IntegrityError:
            raise ValidationError({"number": f"lot {lot.number} was corrected by somebody else meanwhile"}) from None
        Holding.objects.filter(lot=lot).update(lot=new)
        difference = weighed.bdt - lot.bdt
        if lot.pile and abs(difference) > 1e-9:
            _move_by(world, person, part.pile(lot.pile), new, difference, now, form_key)
        words = f"Lot {lot.number} corrected: {lot.bdt:.2f} BDt is {weighed.bdt:.2f} BDt; {why.strip()}"
        _tell(world, person, words[:500], now, f"l-{form_key}", subject=lot.number)
    return new


def _move_by(
    world: World, person: Person, pile: PileDef, lot: Lot, difference: float, now: datetime, form_key: str
) -> None:
    held = _held(world, pile.id)
    there = next((one for one in held if one.lot == lot.number), None)
    if there is None or there.bdt + difference < -1e-9:
        left = there.bdt if there else 0.0
        message = (
            f"{-difference:.2f} BDt would be taken off lot {lot.number}, {left:.2f} BDt of it still lies in {pile.name}"
        )
        raise ValidationError({"gross_t": message})
    op = _op(world, person, Op.Kind.CORRECT, pile.id, difference, now, now, form_key=f"fix-{form_key}")
    op.save()
    Movement.objects.create(op=op, pile=pile.id, lot_number=lot.number, kind="correct", bdt=difference)
    changed = [Held(one.lot, one.bdt + difference, one.since_s, one.settled_s) if one is there else one for one in held]
    _keep(world, pile, changed)


# ---- piles


def draw_from(
    world: World,
    person: Person | None,
    pile_id: str,
    bdt: float,
    *,
    from_at: datetime,
    to_at: datetime,
    source: str = "entered",
    form_key: str,
) -> Op:
    """Draw from a pile, oldest lot first; lots set aside are passed over.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: wrong role, no such pile, less there than is drawn.
    """
    yard, pile = _ready(world, person, pile_id)
    if not pile.feeds:
        raise ValidationError({"pile": f"{pile.name} holds logs: chip them onto a pile"})
    return _draw(world, person, yard, pile, bdt, from_at, to_at, source, form_key)


def _ready(world: World, person: Person | None, pile_id: str) -> tuple[YardNow, PileDef]:
    if person is not None:
        require(person, RECORD)
    yard_part(world)
    yard = yard_of(State(world))
    try:
        return yard, yard.part.pile(pile_id)
    except LookupError:
        raise ValidationError({"pile": f"there is no pile {pile_id[:40]!r}"}) from None


def _check_span(from_at: datetime, to_at: datetime) -> None:
    check_moment(to_at)
    if to_at < from_at:
        raise ValidationError({"from_at": f"it ends {to_at:%H:%M}, before it begins {from_at:%H:%M}"})


def _check_mass(bdt: float) -> None:
    if not 0 < bdt <= 20_000:
        raise DomainError("E_RANGE", "bdt", f"{bdt:g} BDt cannot be drawn", "more than 0, up to 20 000 BDt")


def _draw(
    world: World,
    person: Person | None,
    yard: YardNow,
    pile: PileDef,
    bdt: float,
    from_at: datetime,
    to_at: datetime,
    source: str,
    form_key: str,
) -> Op:
    if (sent := Op.objects.filter(form_key=form_key).first()) is not None:
        return sent
    _check_span(from_at, to_at)
    _check_mass(bdt)
    with transaction.atomic():
        moves, left = draw(_held(world, pile.id), bdt, epoch(to_at), yard.piles[pile.id].loss_per_month, yard.aside)
        op = _op(world, person, Op.Kind.DRAW, pile.id, bdt, from_at, to_at, source=source, form_key=form_key)
        op.save()
        _write(op, pile.id, moves)
        _keep(world, pile, left)
        if person is not None:
            lots = ", ".join(move.lot for move in moves if move.kind == "out")
            words = f"{pile.name}: {bdt:.1f} BDt drawn, lots {lots}"[:500]
            _tell(world, person, words, to_at, f"d-{form_key}", subject=pile.id)
    return op


def chip_logs(
    world: World,
    person: Person,
    deck_id: str,
    pile_id: str,
    bdt: float,
    *,
    from_at: datetime,
    to_at: datetime,
    form_key: str,
) -> Op:
    """Run logs through drum and chippers onto a pile; bark and screenings go to the boiler.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    yard, deck = _ready(world, person, deck_id)
    if deck.form != "logs":
        raise ValidationError({"deck": f"{deck.name} holds no logs"})
    pile = _ready(world, person, pile_id)[1]
    if pile.form != "chips" or pile.species != deck.species:
        raise ValidationError(
            {"pile": f"{pile.name} holds {pile.species} {pile.form}; {deck.name} gives {deck.species} chips"}
        )
    if (sent := Op.objects.filter(form_key=form_key).first()) is not None:
        return sent
    _check_span(from_at, to_at)
    _check_mass(bdt)
    bark = {lot.number: lot.bark_pct / 100 for lot in yard.piles[deck.id].lots}
    at_s = epoch(to_at)
    with transaction.atomic():
        moves, left = draw(_held(world, deck.id), bdt, at_s, yard.piles[deck.id].loss_per_month, yard.aside)
        op = _op(world, person, Op.Kind.CHIP, deck.id, bdt, from_at, to_at, to_pile=pile.id, form_key=form_key)
        op.save()
        held = _held(world, pile.id)
        made = chip(moves, bark, yard.part.chip_yield_frac)
        _write(op, deck.id, moves)
        for one in made:
            laid, held = lay(held, one.lot, one.chips_bdt, at_s, at_s, yard.piles[pile.id].loss_per_month)
            _write(op, pile.id, laid)
            _write(op, "boiler", [Move(one.lot, "boiler", one.boiler_bdt)])
        _keep(world, deck, left)
        _keep(world, pile, held)
        chips = sum(one.chips_bdt for one in made)
        words = f"{bdt:.1f} BDt of logs chipped: {chips:.1f} BDt to {pile.name}, {bdt - chips:.1f} BDt to the boiler"
        _tell(world, person, words, to_at, f"d-{form_key}", subject=pile.id)
    return op


def survey(
    world: World, person: Person, pile_id: str, measured_bdt: float, *, how: str, at: datetime, form_key: str
) -> Op:
    """Bring a pile's book to what a survey found.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    yard, pile = _ready(world, person, pile_id)
    check_moment(at)
    if (sent := Op.objects.filter(form_key=form_key).first()) is not None:
        return sent
    if not 0 <= measured_bdt <= 3 * pile.capacity_bdt:
        allowed = f"0 to {3 * pile.capacity_bdt:.0f} BDt"
        raise DomainError("E_RANGE", "measured_bdt", f"{measured_bdt:.0f} BDt cannot lie in {pile.name}", allowed)
    before = yard.piles[pile.id].bdt
    with transaction.atomic():
        moves, held = correct_to(_held(world, pile.id), measured_bdt, epoch(at), yard.piles[pile.id].loss_per_month)
        op = _op(world, person, Op.Kind.SURVEY, pile.id, measured_bdt, at, at, form_key=form_key)
        op.save()
        _write(op, pile.id, moves)
        _keep(world, pile, held)
        words = f"{pile.name} surveyed ({how}): {measured_bdt:.0f} BDt, the book said {before:.0f}"[:500]
        _tell(world, person, words, at, f"d-{form_key}", subject=pile.id)
    return op


def take_back(world: World, person: Person, op: Op, *, why: str, form_key: str) -> Op:
    """Take back a draw or a chip run that was booked wrongly; both stay readable.

    Raises
    ------
    NotAllowedError, ValidationError
        Nothing is written: wrong role, no reason, taken back before, chips already drawn on.
    """
    require(person, CORRECT)
    if (sent := Op.objects.filter(form_key=form_key).first()) is not None:
        return sent
    if not why.strip():
        raise ValidationError({"why": "say why, so that the next shift understands"})
    if op.kind not in (Op.Kind.DRAW, Op.Kind.CHIP):
        raise ValidationError({"op": f"what was {op.get_kind_display()} is not taken back here"})
    now, part = clock.now(), yard_part(world)
    undo = _op(world, person, Op.Kind.UNDO, op.pile, op.bdt, now, now, to_pile=op.to_pile, form_key=form_key)
    undo.undoes = op
    with transaction.atomic():
        try:
            undo.save()
        except IntegrityError:
            raise ValidationError({"op": "it was taken back before"}) from None
        aged: dict[str, float] = {}
        if op.to_pile:
            aged = _put_back(world, undo, op, part.pile(op.to_pile), {})
        _put_back(world, undo, op, part.pile(op.pile), aged)
        _write(undo, "boiler", [Move(m.lot_number, "boiler", -m.bdt) for m in op.movements.filter(kind="boiler")])
        words = f"{part.pile(op.pile).name}: {op.bdt:.1f} BDt {op.get_kind_display()} taken back; {why.strip()}"[:500]
        _tell(world, person, words, now, f"d-{form_key}", subject=op.pile)
    return undo


AGED_MOST: Final = 0.02  # of what was laid down; less than that is missing because it aged, not because it was drawn


def _put_back(world: World, undo: Op, op: Op, pile: PileDef, aged: Mapping[str, float]) -> dict[str, float]:
    """Turn what an operation moved in one pile round, lot by lot; return what had aged away of each meanwhile.

    What aged stays aged: `aged` is taken off what goes back, so that mass closes.
    """
    loss, at_s = yard_of(State(world)).piles[pile.id].loss_per_month, epoch(undo.to_at)
    held = {one.lot: one for one in _held(world, pile.id)}
    moves: list[Move] = []
    short: dict[str, float] = {}
    for row in op.movements.filter(pile=pile.id, kind__in=("in", "out")):
        there = held.get(row.lot_number)
        if there is not None:
            there, losses = settle(there, at_s, loss)
            moves += losses
        lying = there.bdt if there else 0.0
        back = -row.bdt - aged.get(row.lot_number, 0.0)
        if lying + back < -AGED_MOST * row.bdt:
            message = (
                f"{row.bdt:.2f} BDt of lot {row.lot_number} went onto {pile.name}, {lying:.2f} BDt still lies there"
            )
            raise ValidationError({"op": message})
        short[row.lot_number] = max(0.0, -(lying + back))
        back += short[row.lot_number]
        since = there.since_s if there else _since(world, pile, row.lot_number)
        held[row.lot_number] = Held(row.lot_number, lying + back, since, at_s)
        moves.append(Move(row.lot_number, "correct", back))
    _write(undo, pile.id, moves)
    _keep(world, pile, [one for one in held.values() if one.bdt > DUST_BDT])
    return short


def _since(world: World, pile: PileDef, lot: str) -> float:
    """Return when a lot was first laid on a pile."""
    first = (
        Movement.objects.filter(op__world=world, pile=pile.id, lot_number=lot, kind="in").order_by("op__to_at").first()
    )
    return float(epoch(first.op.to_at)) if first else float(epoch(clock.now()))


def _op(
    world: World,
    person: Person | None,
    kind: str,
    pile: str,
    bdt: float,
    from_at: datetime,
    to_at: datetime,
    *,
    to_pile: str = "",
    source: str = "entered",
    form_key: str,
) -> Op:
    span = {"from_at": from_at, "to_at": to_at, "source": source, "form_key": form_key[:60]}
    return Op(world=world, by=person, kind=kind, pile=pile, to_pile=to_pile, bdt=bdt, **span)


def _held(world: World, pile: str) -> list[Held]:
    rows = Holding.objects.filter(world=world, pile=pile).values_list("lot__number", "bdt", "since_s", "settled_s")
    return [Held(*row) for row in rows]


def _write(op: Op, pile: str, moves: Iterable[Move]) -> None:
    Movement.objects.bulk_create(
        [Movement(op=op, pile=pile, lot_number=move.lot, kind=move.kind, bdt=move.bdt) for move in moves]
    )


def _keep(world: World, pile: PileDef, held: Sequence[Held]) -> None:
    """Bring the running sums of a pile to what it holds now."""
    rows = {row.lot.number: row for row in Holding.objects.filter(world=world, pile=pile.id).select_related("lot")}
    kept = {one.lot for one in held}
    Holding.objects.filter(pk__in=[row.pk for number, row in rows.items() if number not in kept]).delete()
    changed, new = [], []
    for one in held:
        row = rows.get(one.lot)
        if row is None:
            lot = Lot.objects.filter(world=world, number=one.lot).order_by("-version").first()
            new.append(
                Holding(world=world, pile=pile.id, lot=lot, bdt=one.bdt, since_s=one.since_s, settled_s=one.settled_s)
            )
        elif (row.bdt, row.settled_s) != (one.bdt, one.settled_s):
            row.bdt, row.settled_s = one.bdt, one.settled_s
            changed.append(row)
    Holding.objects.bulk_update(changed, ["bdt", "settled_s"])
    Holding.objects.bulk_create(new)


# ---- metal, knives


def log_trip(
    world: World, person: Person, *, detector: str, find: str, lot: str, stopped_min: float, at: datetime, form_key: str
) -> Record:
    """Log a trip of a metal detector: where, what, how long it stood, which lot."""
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
    words = f"Metal trip, {detector.lower()}: {find.strip().lower()}; stopped {stopped_min:g} min"
    words += f"; lot {lot}" if lot else ""
    return record_event(
        world,
        person,
        words,
        station="yard",
        at=at,
        form_key=form_key,
        tag="trip",
        subject=lot,
        value=stopped_min,
        unit="min",
    )


def release_lot(world: World, person: Person, lot: str, reason: str, *, form_key: str) -> Record:
    """Take a lot out of quarantine, saying what was found."""
    if not reason.strip():
        raise ValidationError({"reason": "say what was found and mended"})
    if not Lot.objects.filter(world=world, number=lot).exists():
        raise ValidationError({"lot": f"lot {lot[:20]} was never received"})
    words = f"Lot {lot} released from quarantine: {reason.strip()}"[:500]
    return record_event(
        world,
        person,
        words,
        station="yard",
        at=clock.now(),
        form_key=form_key,
        tag="release",
        subject=lot,
        action=CORRECT,
    )


def knife_step(
    world: World, person: Person, chipper_id: str, step: int, *, minded: Sequence[str], form_key: str
) -> Record:
    """Log one step of a knife change, in order; 'opened' needs the stand-still and lock-out step before it.

    Raises
    ------
    NotAllowedError, ValidationError
        Nothing is written: a step out of order, or a check not ticked.
    """
    part = yard_part(world)
    try:
        chipper = part.chipper(chipper_id)
    except LookupError:
        raise ValidationError({"chipper": f"there is no chipper {chipper_id[:40]!r}"}) from None
    state = State(world)
    last = next((one for one in yard_of(state).knives() if one.chipper.id == chipper_id), None)
    done = STEPS.index(last.last_step) if last and last.last_step in STEPS else len(STEPS) - 1
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
    return record_event(
        world, person, f"{chipper.name}: {STEPS[step]}", station="yard", at=state.now, form_key=form_key, tag="knife",
        subject=chipper.id,
    )  # fmt: skip


LOCKING: Final = 1
LOCK_CHECKS: Final = (
    ("still", "the disc stands still, seen with my own eyes"),
    ("locked", "isolated, my lock and tag on"),
    ("tried", "start tried, nothing moves"),
)


# ---- chips, blend


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
    if (sent := Classification.objects.filter(form_key=form_key).first()) is not None:
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
    with transaction.atomic():
        row.save()
        if not quiet:
            words = (
                f"Chips classified, {source_name(part, source)}: overthick {shares.overthick_pct:.1f} %,"
                f" accepts {shares.accepts_pct:.1f} %, pins {shares.pins_pct:.1f} %, fines {shares.fines_pct:.2f} %"
            )
            _tell(world, person, words, at, f"c-{form_key}", subject=source)
    return row


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
    if (sent := Classification.objects.filter(form_key=form_key).first()) is not None:
        return sent
    if not why.strip():
        raise ValidationError({"why": "say why, so that the next shift understands"})
    chip_class_percent(mass_by_class_g=np.array(masses_g), sample_mass_g=sample_g)
    new = Classification(
        world=world, source=row.source, at=row.at, sample_g=sample_g, masses_g=list(masses_g), by=person, supersedes=row,
        form_key=form_key,
    )  # fmt: skip
    with transaction.atomic():
        try:
            new.save()
        except IntegrityError:
            raise ValidationError({"why": "somebody else corrected it meanwhile"}) from None
        name = source_name(yard_part(world), row.source)
        words = f"Chip classes of {name}, {clock.local(row.at):%d %b %H:%M}, corrected: {why.strip()}"[:500]
        _tell(world, person, words, clock.now(), f"c-{form_key}", subject=row.source)
    return new


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
    if (sent := BlendPlan.objects.filter(form_key=form_key).first()) is not None:
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
    with transaction.atomic():
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
        plan.save()
        until = now + timedelta(hours=hours)
        words = f"Chip blend until {clock.local(until):%H:%M}: {said}; moisture {100 * blend.moisture_frac:.1f} %"
        _tell(world, person, words, now, f"b-{form_key}", subject="blend")
    return plan


def _tell(world: World, person: Person, words: str, at: datetime, form_key: str, *, subject: str = "") -> None:
    record_event(
        world, person, words, station="yard", at=at, form_key=form_key[:40], kind=Record.Kind.BATCH, subject=subject
    )
