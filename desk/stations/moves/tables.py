"""Moves as files."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.exchange.tables import Column, Table, maybe_number, moment_in, number_in
from desk.floor.models import World
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import MOVE
from desk.stations.moves.course import said
from desk.stations.moves.models import Move
from desk.stations.moves.services import Wish, make_move


def _keep(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "at")
    if at > timezone.now():
        raise ValidationError({"at": f"{at:%d %b %Y %H:%M} is in the future"})
    line = line_of(world.version)
    tag, station = row.get("tag", "").strip(), row["station"].strip()
    if tag and all(one.id != tag for one in line.tags):
        raise ValidationError({"tag": f"there is no tag {tag[:40]!r} on this line"})
    if all(one.id != station for one in line.stations):
        raise ValidationError(
            {"station": f"there is no station {station[:40]!r}: {', '.join(one.id for one in line.stations)}"}
        )
    effect = maybe_number(row, "effect")
    expected = said(effect, maybe_number(row, "settled_min")) if effect is not None and tag else {}
    wish = Wish(
        to=number_in(row, "to_value"), words=row["words"].strip(), unit=row.get("unit", "").strip(), station=station,
        tag=tag if expected else "", from_value=maybe_number(row, "from_value"), text=row.get("text", "").strip(),
        expected=expected,
    )  # fmt: skip
    return make_move(world, person, wish, at=at, form_key=key)


def _rows(world: World) -> Iterator[dict[str, Any]]:
    for row in Move.objects.filter(world=world, superseded_by=None, void=False).order_by("at", "id").iterator():
        yield {
            "at": row.at.isoformat(), "words": row.words, "station": row.station, "to_value": row.to_value,
            "from_value": row.from_value, "unit": row.unit, "tag": row.tag, "effect": row.expected.get("effect"),
            "settled_min": row.expected.get("settled_min"), "text": row.text,
        }  # fmt: skip


MOVE_TABLES: Final[dict[str, Table]] = {
    "moves": Table(
        "moves",
        "Moves",
        (
            Column("at", "moment, ISO 8601", needed=True),
            Column("words", "what was set", needed=True),
            Column("station", "id of the station", needed=True),
            Column("to_value", "what it was set to", needed=True),
            Column("from_value", "what it stood at"),
            Column("unit", "unit of both"),
            Column("tag", "id of what is to change by it"),
            Column("effect", "what it is to change by"),
            Column("settled_min", "minutes until all of it is there"),
            Column("text", "why"),
        ),
        _keep,
        _rows,
        (MOVE,),
    )
}
