"""Loads and rungs as files."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

from desk.exchange.tables import Column, Table, moment_in, number_in
from desk.floor.models import World
from desk.people.models import Person
from desk.stations.bleach.answers import SIDES
from desk.stations.bleach.ladders import take_rung
from desk.stations.bleach.loads import PRODUCT_OF, take_delivery, take_dip
from desk.stations.bleach.models import Delivery, Dip, Rung

PLACE: Final = (
    Column("unit", "id of the bleach", needed=True),
    Column("stage", "stage, counted from 1 at the first", needed=True),
    Column("at", "moment, ISO 8601", needed=True),
)
CHEMICAL: Final = Column("chemical", "which chemical of the stage, none for its own")
LOAD_NUMBERS: Final = {
    "density_t_per_m3": "density of the sample at 20 °C, t/m³",
    "ph": "pH of the sample",
    "load_m3": "load, m³",
    "load_g_per_l": "strength of the load, titrated, g/L",
    "heel_m3": "what was in the tank, m³",
    "heel_g_per_l": "its strength, g/L",
}
RUNG_NUMBERS: Final = {
    "charge_kg_per_bdt": "charge, kg/BDt",
    "came_brightness_pct": "brightness before, % ISO",
    "ended_brightness_pct": "brightness after, % ISO",
}

RUNG_BESIDES: Final = {
    name: f"{words[:1].lower()}{words[1:]}{', ' + one.unit if one.unit else ''}" for name, (one, words) in SIDES.items()
}


def _keep_load(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    found = {name: number_in(row, name) for name in LOAD_NUMBERS}
    return take_delivery(
        world, person, row["unit"].strip(), int(number_in(row, "stage")), row["product"].strip(), found,
        second=row.get("second", ""), at=moment_in(row, "at"), form_key=key, chemical=row.get("chemical", "").strip(),
    )  # fmt: skip


def _loads(world: World) -> Iterator[dict[str, Any]]:
    for row in Delivery.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        numbers = {name: getattr(row, name) for name in LOAD_NUMBERS}
        place = {"unit": row.unit, "stage": row.stage, "at": row.at.isoformat()}
        yield {**place, "chemical": row.chemical, "product": row.product, **numbers, "second": row.second}


def _keep_dip(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    strength = number_in(row, "strength_g_per_l") if row.get("strength_g_per_l", "").strip() else None
    return take_dip(
        world, person, row["unit"].strip(), int(number_in(row, "stage")), row.get("chemical", "").strip(),
        number_in(row, "holds_m3"), strength, at=moment_in(row, "at"), form_key=key,
    )  # fmt: skip


def _dips(world: World) -> Iterator[dict[str, Any]]:
    for row in Dip.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        place = {"unit": row.unit, "stage": row.stage, "at": row.at.isoformat(), "chemical": row.chemical}
        yield {**place, "holds_m3": row.holds_m3, "strength_g_per_l": row.strength_g_per_l}


def _keep_rung(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    found: dict[str, float | None] = {name: number_in(row, name) for name in RUNG_NUMBERS}
    found |= {name: number_in(row, name) for name in RUNG_BESIDES if row.get(name, "").strip()}
    return take_rung(
        world, person, row["unit"].strip(), int(number_in(row, "stage")), found, text=row.get("text", "").strip(),
        at=moment_in(row, "at"), form_key=key,
    )  # fmt: skip


def _rungs(world: World) -> Iterator[dict[str, Any]]:
    for row in Rung.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        numbers = {name: getattr(row, name) for name in (*RUNG_NUMBERS, *RUNG_BESIDES)}
        yield {"unit": row.unit, "stage": row.stage, "at": row.at.isoformat(), **numbers, "text": row.text}


BLEACH_TABLES: Final[dict[str, Table]] = {
    "loads": Table(
        "loads",
        "Loads of bleaching chemicals",
        (
            *PLACE,
            CHEMICAL,
            Column("product", ", ".join(sorted(set(PRODUCT_OF.values()))), needed=True),
            *(Column(name, words, needed=True) for name, words in LOAD_NUMBERS.items()),
            Column("second", "who stood by", needed=True),
        ),
        _keep_load,
        _loads,
    ),
    "dips": Table(
        "dips",
        "Dips of bleaching tanks",
        (
            *PLACE,
            CHEMICAL,
            Column("holds_m3", "what it holds, m³", needed=True),
            Column("strength_g_per_l", "its strength where it was titrated, g/L"),
        ),
        _keep_dip,
        _dips,
    ),
    "ladders": Table(
        "ladders",
        "Charge ladders",
        (
            *PLACE,
            *(Column(name, words, needed=True) for name, words in RUNG_NUMBERS.items()),
            *(Column(name, words) for name, words in RUNG_BESIDES.items()),
            Column("text", "note"),
        ),
        _keep_rung,
        _rungs,
    ),
}
