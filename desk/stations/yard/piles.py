"""Piles: drawing, chipping, surveying, taking back."""

from collections.abc import Mapping
from datetime import datetime
from typing import Final

from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, need_why, sent_before, verb
from desk.floor.models import World, epoch
from desk.floor.services import check_moment, require
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import CORRECT, RECORD
from desk.stations.yard.book import held_in, keep_held, new_op, tell, write_moves, yard_part
from desk.stations.yard.models import Movement, Op
from desk.stations.yard.stock import YardNow, yard_of
from stock.errors import DomainError
from stock.intake.definition import PileDef
from stock.intake.lot import bone_dry_mass_t
from stock.intake.piles import DUST_BDT, Held, Move, chip, correct_to, draw, lay, settle
from stock.material import refuse_moisture


@verb
def draw_from(
    world: World,
    person: Person | None,
    pile_id: str,
    bdt: float,
    *,
    from_at: datetime,
    to_at: datetime,
    source: str = "entered",
    weighed: str = "",
    form_key: str,
) -> Op:
    """Draw from a pile, oldest lot first; lots set aside are passed over.

    `weighed` says, for the log, what the scale showed where the mass was reckoned from it.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: wrong role, no such pile, less there than is drawn.
    """
    yard, pile = _ready(world, person, pile_id)
    if not pile.feeds:
        raise ValidationError({"pile": f"{pile.name} holds logs: chip them onto a pile"})
    return _draw(world, person, yard, pile, bdt, from_at, to_at, source, weighed, form_key)


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
    weighed: str,
    form_key: str,
) -> Op:
    if (sent := sent_before(Op, world, form_key)) is not None:
        return sent
    _check_span(from_at, to_at)
    _check_mass(bdt)

    def take(op: Op) -> None:
        moves, left = draw(held_in(world, pile.id), bdt, epoch(to_at), yard.piles[pile.id].loss_per_month, yard.aside)
        write_moves(op, pile.id, moves)
        keep_held(world, pile, left)
        if person is not None:
            lots = ", ".join(move.lot for move in moves if move.kind == "out")
            scale = f" ({weighed})" if weighed else ""
            tell(op, person, f"{pile.name}: {bdt:.1f} BDt drawn{scale}, lots {lots}", to_at, "d", subject=pile.id)

    return keep(
        new_op(world, person, Op.Kind.DRAW, pile.id, bdt, from_at, to_at, source=source, form_key=form_key), take
    )


def over_scale(green_t: float, moisture_pct: float) -> tuple[float, str]:
    """Return the bone-dry mass of what went over a scale, and how it was weighed in words.

    Raises
    ------
    DomainError
        Naming the field: a moisture typed as a fraction, or one that cannot be.
    """
    refuse_moisture("moisture_pct", "moisture", moisture_pct)
    bdt: float = bone_dry_mass_t(green_mass_t=green_t, moisture_wet_frac=moisture_pct / 100)
    return bdt, f"{green_t:g} t at {moisture_pct:g} %"


@verb
def chip_logs(
    world: World,
    person: Person,
    deck_id: str,
    pile_id: str,
    bdt: float,
    *,
    from_at: datetime,
    to_at: datetime,
    weighed: str = "",
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
    if (sent := sent_before(Op, world, form_key)) is not None:
        return sent
    _check_span(from_at, to_at)
    _check_mass(bdt)
    bark = {lot.number: lot.bark_pct / 100 for lot in yard.piles[deck.id].lots}
    at_s = epoch(to_at)

    def run(op: Op) -> None:
        moves, left = draw(held_in(world, deck.id), bdt, at_s, yard.piles[deck.id].loss_per_month, yard.aside)
        held = held_in(world, pile.id)
        made = chip(moves, bark, yard.part.chip_yield_frac)
        write_moves(op, deck.id, moves)
        for one in made:
            laid, held = lay(held, one.lot, one.chips_bdt, at_s, at_s, yard.piles[pile.id].loss_per_month)
            write_moves(op, pile.id, laid)
            write_moves(op, "boiler", [Move(one.lot, "boiler", one.boiler_bdt)])
        keep_held(world, deck, left)
        keep_held(world, pile, held)
        chips = sum(one.chips_bdt for one in made)
        scale = f" ({weighed})" if weighed else ""
        words = (
            f"{bdt:.1f} BDt of logs chipped{scale}: {chips:.1f} BDt to {pile.name}, {bdt - chips:.1f} BDt to the boiler"
        )
        tell(op, person, words, to_at, "d", subject=pile.id)

    return keep(
        new_op(world, person, Op.Kind.CHIP, deck.id, bdt, from_at, to_at, to_pile=pile.id, form_key=form_key), run
    )


@verb
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
    if (sent := sent_before(Op, world, form_key)) is not None:
        return sent
    if not 0 <= measured_bdt <= 3 * pile.capacity_bdt:
        allowed = f"0 to {3 * pile.capacity_bdt:.0f} BDt"
        raise DomainError("E_RANGE", "measured_bdt", f"{measured_bdt:.0f} BDt cannot lie in {pile.name}", allowed)
    before = yard.piles[pile.id].bdt

    def bring(op: Op) -> None:
        moves, held = correct_to(held_in(world, pile.id), measured_bdt, epoch(at), yard.piles[pile.id].loss_per_month)
        write_moves(op, pile.id, moves)
        keep_held(world, pile, held)
        words = f"{pile.name} surveyed ({how}): {measured_bdt:.0f} BDt, the book said {before:.0f}"
        tell(op, person, words, at, "d", subject=pile.id)

    return keep(new_op(world, person, Op.Kind.SURVEY, pile.id, measured_bdt, at, at, form_key=form_key), bring)


@verb
def take_back(world: World, person: Person, op: Op, *, why: str, form_key: str) -> Op:
    """Take back a draw or a chip run that was booked wrongly; both stay readable.

    Raises
    ------
    NotAllowedError, ValidationError
        Nothing is written: wrong role, no reason, taken back before, chips already drawn on.
    """
    require(person, CORRECT)
    if (sent := sent_before(Op, world, form_key)) is not None:
        return sent
    why = need_why(why)
    if op.kind not in (Op.Kind.DRAW, Op.Kind.CHIP):
        raise ValidationError({"op": f"what was {op.get_kind_display()} is not taken back here"})
    now, part = clock.now(), yard_part(world)
    undo = new_op(world, person, Op.Kind.UNDO, op.pile, op.bdt, now, now, to_pile=op.to_pile, form_key=form_key)
    undo.undoes = op

    def turn_round(undo: Op) -> None:
        aged: dict[str, float] = {}
        if op.to_pile:
            aged = _put_back(world, undo, op, part.pile(op.to_pile), {})
        _put_back(world, undo, op, part.pile(op.pile), aged)
        write_moves(undo, "boiler", [Move(m.lot_number, "boiler", -m.bdt) for m in op.movements.filter(kind="boiler")])
        words = f"{part.pile(op.pile).name}: {op.bdt:.1f} BDt {op.get_kind_display()} taken back; {why}"
        tell(undo, person, words, now, "d", subject=op.pile)

    return keep(undo, turn_round)


AGED_MOST: Final = 0.02  # of what was laid down; less than that is missing because it aged, not because it was drawn


def _put_back(world: World, undo: Op, op: Op, pile: PileDef, aged: Mapping[str, float]) -> dict[str, float]:
    """Turn what an operation moved in one pile round, lot by lot; return what had aged away of each meanwhile.

    What aged stays aged: `aged` is taken off what goes back, so that mass closes.
    """
    loss, at_s = yard_of(State(world)).piles[pile.id].loss_per_month, epoch(undo.to_at)
    held = {one.lot: one for one in held_in(world, pile.id)}
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
    write_moves(undo, pile.id, moves)
    keep_held(world, pile, [one for one in held.values() if one.bdt > DUST_BDT])
    return short


def _since(world: World, pile: PileDef, lot: str) -> float:
    """Return when a lot was first laid on a pile."""
    first = (
        Movement.objects.filter(op__world=world, pile=pile.id, lot_number=lot, kind="in").order_by("op__to_at").first()
    )
    return float(epoch(first.op.to_at)) if first else float(epoch(clock.now()))
