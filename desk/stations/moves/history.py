"""Bring the crew's moves of a past into an empty line, each with what was expected of it and its line in the log."""

import csv
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from desk.floor.keeping import line_key, source_of
from desk.floor.models import Record, World
from desk.floor.state import State
from desk.floor.station import Past
from desk.people.models import Person
from desk.stations.moves.models import Move, Setting
from desk.stations.moves.reckoning import reckoned


def load_moves(world: World, past: Past) -> Iterator[Record]:
    """Keep the moves of a folder; yield their lines of the log, not yet sealed."""
    path = past.folder / "moves.csv"
    if not path.exists():
        return
    with path.open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    state = State(world, past.opened)
    for index, row in enumerate(rows):
        yield _move(state, past.people[row["who"]], row, f"demo-{world.pk}-move-{index}")


def _move(state: State, person: Person, row: dict[str, str], key: str) -> Record:
    at = datetime.fromtimestamp(int(row["at_s"]), UTC)
    given: dict[str, Any] = {name: row[name] for name in ("point", "words", "unit", "station")}
    stood, to = float(row["from"]), float(row["to"])
    setting = Setting(world=state.world, low=float(row["low"]), high=float(row["high"]), value=stood, at=at, **given)
    tag, expected = reckoned(state, setting, to)
    move = Move(
        world=state.world, by=person, form_key=key, from_value=stood, to_value=to, at=at, entered_at=at, tag=tag,
        text=row["text"], expected=expected, **given,
    )  # fmt: skip
    move.save()
    text = f"{move.words[:1].upper()}{move.words[1:]} set {move.said}. {move.text}"
    return Record(
        world=state.world, by=person, at=at, entered_at=at, form_key=line_key("m", move), kind=Record.Kind.EVENT,
        station=move.station, tag=tag, text=text[:500], source=source_of(move),
    )  # fmt: skip
