"""Rounds and mats as files."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

from desk.exchange.tables import Column, Table, moment_in, number_in
from desk.floor.models import World
from desk.people.models import Person
from desk.stations.wash.models import MARKS, MatCheck, Round
from desk.stations.wash.services import take_mat, take_round

ROUND_NUMBERS: Final = {
    "filtrate_ms_per_cm": "filtrate at 25 °C, mS/cm",
    "mat_ms_per_cm": "liquor of the mat at 25 °C, mS/cm",
    "wash_ms_per_cm": "wash liquor at 25 °C, mS/cm",
    "factor_t_per_bdt": "dilution factor then, t/BDt",
    "discharge_pct": "consistency of the mat then, %",
}
PLACE: Final = (
    Column("unit", "id of the washing line", needed=True),
    Column("machine", "machine, counted from 1 at the dirty end", needed=True),
    Column("at", "moment, ISO 8601", needed=True),
)


def _keep_round(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    found = {name: number_in(row, name) for name in ROUND_NUMBERS}
    machine = int(number_in(row, "machine"))
    return take_round(world, person, row["unit"].strip(), machine, found, at=moment_in(row, "at"), form_key=key)


def _rounds(world: World) -> Iterator[dict[str, Any]]:
    for row in Round.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        numbers = {name: getattr(row, name) for name in ROUND_NUMBERS}
        yield {"unit": row.unit, "machine": row.machine, "at": row.at.isoformat(), **numbers}


def _keep_mat(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    marks = {name: int(number_in(row, name)) for name, *_ in MARKS}
    machine = int(number_in(row, "machine"))
    return take_mat(world, person, row["unit"].strip(), machine, marks, at=moment_in(row, "at"), form_key=key)


def _mats(world: World) -> Iterator[dict[str, Any]]:
    for row in MatCheck.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        marks = {name: getattr(row, name) for name, *_ in MARKS}
        yield {"unit": row.unit, "machine": row.machine, "at": row.at.isoformat(), **marks}


WASH_TABLES: Final[dict[str, Table]] = {
    "rounds": Table(
        "rounds",
        "Rounds of the washers",
        (*PLACE, *(Column(name, words, needed=True) for name, words in ROUND_NUMBERS.items())),
        _keep_round,
        _rounds,
    ),
    "mats": Table(
        "mats",
        "Mats judged by hand",
        (*PLACE, *(Column(name, f"{label}, 1 to 5", needed=True) for name, label, *_ in MARKS)),
        _keep_mat,
        _mats,
    ),
}
