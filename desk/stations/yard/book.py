"""The stock book as kept: operations, movements, and their running sums; what every writer of the yard shares."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from django.core.exceptions import ValidationError

from desk.floor.keeping import line_key
from desk.floor.models import Record, World
from desk.floor.services import record_event, stop_of
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.stations.yard.models import Holding, Lot, Movement, Op
from stock.intake.definition import PileDef, YardDef
from stock.intake.piles import Held, Move


def yard_part(world: World) -> YardDef:
    """Return the yard of a world's line; ValidationError where it has none."""
    part = line_of(world.version).yard
    if part is None:
        raise ValidationError({"yard": "this line has no yard"})
    return part


def new_op(
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
    """Return an operation, not yet kept."""
    span = {"from_at": from_at, "to_at": to_at, "source": source, "form_key": form_key[:60]}
    return Op(world=world, by=person, kind=kind, pile=pile, to_pile=to_pile, bdt=bdt, **span)


def held_in(world: World, pile: str) -> list[Held]:
    """Return what lies in a pile."""
    rows = Holding.objects.filter(world=world, pile=pile).values_list("lot__number", "bdt", "since_s", "settled_s")
    return [Held(*row) for row in rows]


def write_moves(op: Op, pile: str, moves: Iterable[Move]) -> None:
    """Keep an operation's movements in a pile."""
    Movement.objects.bulk_create(
        [Movement(op=op, pile=pile, lot_number=move.lot, kind=move.kind, bdt=move.bdt) for move in moves]
    )


def keep_held(world: World, pile: PileDef, held: Sequence[Held]) -> None:
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


def tell(row: Any, person: Person, words: str, at: datetime, prefix: str, **more: Any) -> Record:
    """Tell the log what was done, linked to the row that was kept."""
    given = {"kind": Record.Kind.BATCH, **more}
    station, key = stop_of(row.world, "yard"), line_key(prefix, row)
    return record_event(row.world, person, words[:500], station=station, at=at, form_key=key, source=row, **given)
