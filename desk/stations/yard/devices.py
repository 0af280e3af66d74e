"""What the yard's devices report: weighbridge, moisture probe, belt scales."""

from datetime import datetime
from typing import Final

from desk.exchange.models import Dropped
from desk.exchange.pick_up import BrokenFileError, Taker, at_in, number_of, text_in
from desk.floor.models import World
from desk.stations.yard.book import yard_part
from desk.stations.yard.models import Ticket
from desk.stations.yard.piles import draw_from
from stock.intake.lot import net_mass_t


def _scale(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    part = yard_part(world)
    for number, row in enumerate(rows, 2):
        material = text_in(row, "material", number)
        if material not in {one.id for one in part.materials}:
            raise BrokenFileError(f"line {number}: {material[:40]!r} is not bought here")
        gross, tare = number_of(row, "gross_t", number), number_of(row, "tare_t", number)
        net_mass_t(gross_t=gross, tare_t=tare)
        weighed = {"material": material, "gross_t": gross, "tare_t": tare}
        Ticket.objects.create(
            world=world,
            dropped=dropped,
            kind="scale",
            ticket=text_in(row, "ticket", number),
            at=at_in(row, "at_s", number),
            **weighed,
        )


def _probe(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    each: dict[str, list[float]] = {}
    at: dict[str, datetime] = {}
    for number, row in enumerate(rows, 2):
        ticket, value = text_in(row, "ticket", number), number_of(row, "moisture_pct", number)
        if not 0 <= value < 100:
            raise BrokenFileError(f"line {number}: moisture_pct is {value:g}, outside 0 to 100")
        each.setdefault(ticket, []).append(value)
        at[ticket] = at_in(row, "at_s", number)
    for ticket, values in each.items():
        Ticket.objects.create(
            world=world, dropped=dropped, kind="probe", ticket=ticket, at=at[ticket], moistures_pct=values[:10]
        )


def _belt(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    for number, row in enumerate(rows, 2):
        draw_from(
            world,
            None,
            text_in(row, "pile", number),
            number_of(row, "bdt", number),
            from_at=at_in(row, "from_s", number),
            to_at=at_in(row, "to_s", number),
            source=f"belt scale, {dropped.name}"[:60],
            form_key=dropped.key(number),
        )


TAKERS: Final[dict[str, Taker]] = {"scale": _scale, "probe": _probe, "belt": _belt}
