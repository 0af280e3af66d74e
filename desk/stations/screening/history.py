"""Bring the dumps of a past into an empty line, each with its line in the log."""

import csv
from collections.abc import Iterator
from datetime import UTC, datetime

from desk.floor.keeping import line_key, source_of
from desk.floor.models import Record, World
from desk.floor.station import Past
from desk.mill.selectors import line_of
from desk.stations.screening.models import Dump


def load_traps(world: World, past: Past) -> Iterator[Record]:
    """Keep what lies in a folder; yield the lines of the log, not yet sealed."""
    path = past.folder / "traps.csv"
    if not path.exists():
        return
    with path.open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    line = line_of(world.version)
    for index, row in enumerate(rows):
        at, person = datetime.fromtimestamp(int(row["at_s"]), UTC), past.people[row["who"]]
        kept = Dump(
            world=world, by=person, form_key=f"demo-{world.pk}-trap-{index}", unit=row["unit"], at=at, entered_at=at,
            wet_kg=float(row["wet_kg"]), lot=row["lot"], text=row["text"],
        )  # fmt: skip
        kept.save()
        unit = line.unit(kept.unit)
        yield Record(
            world=world, by=person, at=at, entered_at=at, form_key=line_key("t", kept), kind=Record.Kind.EVENT,
            station=unit.station, text=f"{unit.name}: trap dumped, {kept.wet_kg:g} kg. {kept.text}",
            source=source_of(kept),
        )  # fmt: skip
