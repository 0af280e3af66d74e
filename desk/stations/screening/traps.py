"""Traps: dumps kept with their line in the log, and what they say: so much a day, more than usual or not."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from statistics import mean, stdev
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.exchange.tables import Column, Table, moment_in, number_in
from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.floor.state import State
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import RECORD
from desk.stations.screening.models import Dump
from stock.screening.unit import Staged

MOST_KG: Final = 5000.0
BACK: Final = timedelta(days=60)
ENOUGH: Final = 4  # spans between dumps before a usual rate is known


@verb
def take_dump(
    world: World, person: Person, unit_id: str, wet_kg: float, *, at: datetime, lot: str, text: str, form_key: str
) -> Dump:
    """Keep a trap's weight.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, screens there are none of, a weight or a moment that cannot be.
    """
    require(person, RECORD)
    check_moment(at)
    unit = next((one for one in line_of(world.version).units if isinstance(one, Staged) and one.id == unit_id), None)
    if unit is None:
        raise ValidationError({"unit": f"there are no screens or cleaners {unit_id[:40]!r} on this line"})
    if not 0 < wet_kg <= MOST_KG:
        raise ValidationError({"wet_kg": f"The weight is {wet_kg:g} kg. Allowed: more than 0, up to {MOST_KG:g} kg"})
    row = Dump(
        world=world, by=person, form_key=form_key, unit=unit_id, at=at, wet_kg=wet_kg, lot=lot[:20], text=text[:120]
    )

    def tell(kept: Dump) -> None:
        of = f" of lot {lot}" if lot else ""
        words = f"{unit.name}: trap dumped, {wet_kg:g} kg{of}{'. ' + text if text else ''}"
        record_event(
            world, person, words[:500], station=unit.station, at=at, form_key=line_key("t", kept), action=RECORD,
            source=kept,
        )  # fmt: skip

    return keep(row, tell)


@dataclass(frozen=True, slots=True)
class Traps:
    """What a system's traps gave: the dumps, the newest first, with kg a day since the one before; the word on them."""

    dumps: list[tuple[Dump, float | None]]
    words: str
    level: str


def traps_of(state: State, unit: Staged) -> Traps:
    """Return what a system's traps say."""
    rows = list(
        Dump.objects.filter(
            world=state.world, unit=unit.id, superseded_by=None, at__gt=state.now - BACK, at__lte=state.now
        ).select_related("by")[:40]
    )
    rates: list[float | None] = []
    for row, before in pairwise(rows):
        days = (row.at - before.at).total_seconds() / 86_400
        rates.append(row.wet_kg / days if days > 0 else None)
    rates += [None] * (len(rows) - len(rates))
    known = [one for one in rates if one is not None]
    return Traps(list(zip(rows, rates, strict=True))[:8], *_word(known))


def _word(rates: list[float]) -> tuple[str, str]:
    if not rates:
        return "Two dumps tell how much comes a day.", "ok"
    newest, before = rates[0], rates[1:]
    if len(before) < ENOUGH:
        return f"{newest:.1f} kg a day; {ENOUGH + 1} spans tell what is usual, {len(rates)} are known.", "ok"
    usual, spread = mean(before), max(stdev(before), 0.05 * mean(before))
    if newest > usual + 2 * spread:
        words = "more than usual: look at the yard, the deck and the lot before the cleaners"
        return f"{newest:.1f} kg a day against {usual:.1f} ± {spread:.1f}: {words}.", "outside"
    if newest < usual - 2 * spread:
        words = "less than usual: is the trap passed by, or a tip plugged?"
        return f"{newest:.1f} kg a day against {usual:.1f} ± {spread:.1f}: {words}", "outside"
    return f"{newest:.1f} kg a day, as usual ({usual:.1f} ± {spread:.1f}).", "ok"


def _keep(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    return take_dump(
        world, person, row["unit"].strip(), number_in(row, "wet_kg"), at=moment_in(row, "at"),
        lot=row.get("lot", "").strip(), text=row.get("text", "").strip(), form_key=key,
    )  # fmt: skip


def _rows(world: World) -> Iterator[dict[str, Any]]:
    for row in Dump.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        yield {"unit": row.unit, "at": row.at.isoformat(), "wet_kg": row.wet_kg, "lot": row.lot, "text": row.text}


TRAP_TABLES: Final[dict[str, Table]] = {
    "traps": Table(
        "traps",
        "Traps dumped",
        (
            Column("unit", "id of the screens or cleaners", needed=True),
            Column("at", "moment, ISO 8601", needed=True),
            Column("wet_kg", "weight as dumped, kg", needed=True),
            Column("lot", "lot it came of"),
            Column("text", "what lay in it"),
        ),
        _keep,
        _rows,
    )
}
