"""What the files of a past hold: rows, moments, titrations."""

import csv
from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path

from desk.floor.models import World
from desk.people.models import Person
from desk.stations.cook.bench import METHODS
from desk.stations.cook.models import LiquorTest


def load_titrations(world: World, path: Path, tester: Person) -> None:
    """Keep the titrations of a file."""
    LiquorTest.objects.bulk_create(
        [
            LiquorTest(
                world=world,
                by=tester,
                kind=row["liquor"],
                at=at_of(row["at_s"]),
                entered_at=at_of(row["at_s"]),
                volumes={name: float(row[name]) for name in METHODS[row["liquor"]][1]},
                form_key=f"demo-test-{world.pk}-{path.stem}-{index}",
            )
            for index, row in enumerate(rows_of(path))
        ],
        batch_size=500,
    )


def rows_of(path: Path) -> Iterable[dict[str, str]]:
    """Yield the rows of a file."""
    with path.open(encoding="utf-8") as file:
        yield from csv.DictReader(file)


def at_of(text: str | float) -> datetime:
    """Return a moment told in seconds since 1970."""
    return datetime.fromtimestamp(int(float(text)), UTC)


def maybe_of(text: str) -> float | None:
    """Return a number, None where nothing stands."""
    return float(text) if text else None
