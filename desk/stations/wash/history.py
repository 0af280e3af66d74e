"""Bring rounds and mats of a past into an empty line, each with its line in the log."""

import csv
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from desk.floor.keeping import line_key, source_of
from desk.floor.models import Record, World
from desk.floor.station import Past
from desk.mill.selectors import line_of
from desk.stations.wash.models import MARKS, MatCheck, Round
from desk.stations.wash.shown import figure_of
from desk.stations.wash.tables import ROUND_NUMBERS
from stock.washing.stairs import machines_of
from stock.washing.unit import Washer


def load_washing(world: World, past: Past) -> Iterator[Record]:
    """Keep what lies in a folder; yield the lines of the log, not yet sealed."""
    units = {unit.id: unit for unit in line_of(world.version).units if isinstance(unit, Washer)}
    for index, row in enumerate(_rows(past, "wash_rounds")):
        numbers = {name: float(row[name]) for name in ROUND_NUMBERS}
        kept = Round(**_shared(world, past, row, f"demo-{world.pk}-round-{index}"), **numbers)
        kept.save()
        shown = figure_of(kept)
        if shown is not None:
            doubt = shown.results["u_e_std_ratio"]
            yield _record(kept, units[kept.unit], f"efficiency {shown.value:.2f} ± {doubt:.2f} by its liquors")
    for index, row in enumerate(_rows(past, "wash_mats")):
        marks = {name: int(row[name]) for name, *_ in MARKS}
        mat = MatCheck(**_shared(world, past, row, f"demo-{world.pk}-mat-{index}"), **marks)
        mat.save()
        yield _record(mat, units[mat.unit], f"mat {mat}")


def _rows(past: Past, name: str) -> list[dict[str, str]]:
    path = past.folder / f"{name}.csv"
    if not path.exists():
        return []
    with path.open(encoding="utf-8") as file:
        return list(csv.DictReader(file))


def _shared(world: World, past: Past, row: dict[str, str], key: str) -> dict[str, Any]:
    at = datetime.fromtimestamp(int(row["at_s"]), UTC)
    return {
        "world": world, "by": past.people[row["who"]], "form_key": key, "unit": row["unit"],
        "machine": int(row["machine"]), "at": at, "entered_at": at,
    }  # fmt: skip


def _record(row: Round | MatCheck, unit: Washer, words: str) -> Record:
    name = machines_of(unit)[row.machine - 1].name
    return Record(
        world=row.world, by=row.by, at=row.at, entered_at=row.at, form_key=line_key("w", row), kind=Record.Kind.EVENT,
        station=unit.station, text=f"{unit.name}, {name}: {words}", source=source_of(row),
    )  # fmt: skip
