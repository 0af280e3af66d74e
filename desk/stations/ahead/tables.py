"""What is foretold now, and what was, with what was read then beside it, as files: out only."""

from collections.abc import Iterator, Mapping
from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.exchange.tables import Column, Table
from desk.floor.models import World
from desk.floor.state import State
from desk.people.models import Person
from desk.stations.ahead.looking import ahead_of, read_at
from desk.stations.ahead.models import Foretold

BACK: Final = timedelta(days=30)


def _keep(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    raise ValidationError({"unit": "what was foretold is the desk's own: it goes out, and is not brought in"})


def _rows(world: World) -> Iterator[dict[str, Any]]:
    state = State(world)
    tags = {unit: vessel.level for unit, vessel in state.vessels.items()}
    for row in Foretold.objects.filter(world=world, made_at__gt=state.now - BACK).order_by("made_at", "unit", "for_at"):
        found = read_at(state, tags.get(row.unit) or "", row.for_at) if row.for_at <= state.now else None
        yield {
            "unit": row.unit, "made_at": row.made_at.isoformat(), "for_at": row.for_at.isoformat(),
            "level_pct": row.level_pct, "sd_pct": row.sd_pct, "found_pct": None if found is None else round(found, 2),
        }  # fmt: skip


def _courses(world: World) -> Iterator[dict[str, Any]]:
    ahead = ahead_of(State(world))
    if ahead is None:
        return
    for unit, course in ahead.outlook.courses.items():
        for index, hours in enumerate(ahead.outlook.times_h):
            yield {
                "unit": unit, "for_at": ahead.at(hours).isoformat(), "level_pct": round(course.expected_pct[index], 2),
                "low_pct": round(course.low_pct[index], 2), "high_pct": round(course.high_pct[index], 2),
            }  # fmt: skip


AHEAD_TABLES: Final[dict[str, Table]] = {
    "foretold": Table(
        "foretold",
        "Levels foretold",
        (
            Column("unit", "id of the vessel", needed=True),
            Column("made_at", "when it was foretold", needed=True),
            Column("for_at", "for when", needed=True),
            Column("level_pct", "level foretold, %", needed=True),
            Column("sd_pct", "its standard deviation as said, points"),
            Column("found_pct", "level read then, %"),
        ),
        _keep,
        _rows,
    ),
    "ahead": Table(
        "ahead",
        "The next hours",
        (
            Column("unit", "id of the vessel", needed=True),
            Column("for_at", "for when", needed=True),
            Column("level_pct", "level foretold, %", needed=True),
            Column("low_pct", "lower end of the band that covers eight of ten, %"),
            Column("high_pct", "upper end, %"),
        ),
        _keep,
        _courses,
    ),
}
