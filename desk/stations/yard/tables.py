"""The yard's records as files: lots, what was done to piles, classifications, trips."""

from collections.abc import Iterator, Mapping
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.exchange.tables import Column, Table, maybe_number, moment_in, number_in, numbers_in
from desk.floor.models import World
from desk.people.models import Person
from desk.stations.yard.lots import TESTED, Load, receive
from desk.stations.yard.models import Classification, Lot, Op, Trip
from desk.stations.yard.piles import chip_logs, draw_from, over_scale, survey
from desk.stations.yard.work import classify, log_trip
from stock.intake.chip_classes import CLASSES


def _refuse_future(at: Any) -> None:
    if at > timezone.now():
        raise ValidationError({"at": f"{at:%d %b %Y %H:%M} is in the future"})


def _keep_lot(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "received_at")
    _refuse_future(at)
    load = Load(
        number=row["number"].strip()[:20],
        material=row["material"].strip(),
        received_at=at,
        gross_t=number_in(row, "gross_t"),
        tare_t=number_in(row, "tare_t"),
        moistures_pct=numbers_in(row, "moistures_pct"),
        found={name: maybe_number(row, name) for name in TESTED},
        ticket=row.get("ticket", "").strip()[:20],
    )
    answer, pile = row.get("answer", "").strip(), row.get("pile", "").strip()
    return receive(world, person, load, answer=answer, pile=pile, form_key=key, quiet=True)


def _lots(world: World) -> Iterator[dict[str, Any]]:
    rows = Lot.objects.filter(world=world, superseded_by=None).order_by("received_at", "id")
    for lot in rows.iterator():
        yield {
            "number": lot.number,
            "ticket": lot.ticket,
            "material": lot.material,
            "received_at": lot.received_at.isoformat(),
            "gross_t": lot.gross_t,
            "tare_t": lot.tare_t,
            "moistures_pct": ";".join(f"{value:g}" for value in lot.moistures_pct),
            **{name: getattr(lot, name) for name in TESTED},
            "pile": lot.pile,
            "answer": lot.answer,
        }


def _keep_op(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    kind, pile = row["kind"].strip(), row["pile"].strip()
    bdt, weighed = _mass_of(row)
    span = {"from_at": moment_in(row, "from_at"), "to_at": moment_in(row, "to_at")}
    if kind == Op.Kind.DRAW:
        return draw_from(world, person, pile, bdt, form_key=key, source="imported", weighed=weighed, **span)
    if kind == Op.Kind.CHIP:
        return chip_logs(
            world, person, pile, row.get("to_pile", "").strip(), bdt, form_key=key, weighed=weighed, **span
        )
    if kind == Op.Kind.SURVEY:
        return survey(world, person, pile, bdt, how="imported", at=span["to_at"], form_key=key)
    raise ValidationError({"kind": f"kind is {kind[:20]!r}; draw, chip or survey"})


def _mass_of(row: Mapping[str, str]) -> tuple[float, str]:
    """Return the bone-dry mass of a row, and how it was weighed where it came over a scale."""
    if row.get("bdt", "").strip():
        return number_in(row, "bdt"), ""
    return over_scale(number_in(row, "green_t"), number_in(row, "moisture_pct"))


def _ops(world: World) -> Iterator[dict[str, Any]]:
    kinds = (Op.Kind.DRAW, Op.Kind.CHIP, Op.Kind.SURVEY)
    for op in Op.objects.filter(world=world, kind__in=kinds, undone_by=None).order_by("to_at", "id").iterator():
        span = {"from_at": op.from_at.isoformat(), "to_at": op.to_at.isoformat()}
        yield {"kind": op.kind, "pile": op.pile, "to_pile": op.to_pile, "bdt": op.bdt, **span}


def _keep_class(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "at")
    _refuse_future(at)
    masses = [number_in(row, f"{name}_g") for name in CLASSES]
    source = row["source"].strip()
    return classify(world, person, source, number_in(row, "sample_g"), masses, at=at, form_key=key, quiet=True)


def _classes(world: World) -> Iterator[dict[str, Any]]:
    for row in Classification.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        masses = {f"{name}_g": mass for name, mass in zip(CLASSES, row.masses_g, strict=True)}
        yield {"source": row.source, "at": row.at.isoformat(), "sample_g": row.sample_g, **masses}


def _keep_trip(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    return log_trip(
        world,
        person,
        detector=row["detector"].strip(),
        find=row["find"].strip(),
        lot=row.get("lot", ""),
        stopped_min=number_in(row, "stopped_min"),
        at=moment_in(row, "at"),
        form_key=key,
    )


def _trips(world: World) -> Iterator[dict[str, Any]]:
    for row in Trip.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        named = {"detector": row.detector, "find": row.find, "at": row.at.isoformat()}
        yield {**named, "lot": row.lot, "stopped_min": row.stopped_min}


YARD_TABLES: dict[str, Table] = {
    "lots": Table(
        "lots",
        "Lots",
        (
            Column("number", "lot number", needed=True),
            Column("ticket", "weighbridge ticket"),
            Column("material", "id of the material in the line definition", needed=True),
            Column("received_at", "moment, ISO 8601", needed=True),
            Column("gross_t", "full", needed=True),
            Column("tare_t", "empty", needed=True),
            Column("moistures_pct", "each sample, parted by semicolons", needed=True),
            *(Column(name, "test at the gate, where it was made") for name in TESTED),
            Column("pile", "where it was laid; the material's own pile if left out"),
            Column("answer", "accept, deduct or refuse; the tests' own if left out"),
        ),
        _keep_lot,
        _lots,
    ),
    "draws": Table(
        "draws",
        "Draws, chip runs, surveys",
        (
            Column("kind", "draw, chip or survey", needed=True),
            Column("pile", "id of the pile", needed=True),
            Column("to_pile", "for a chip run: where the chips went"),
            Column("bdt", "bone-dry tonnes; or leave it and give the two after it"),
            Column("green_t", "green tonnes over the scale"),
            Column("moisture_pct", "their moisture, %"),
            Column("from_at", "moment, ISO 8601", needed=True),
            Column("to_at", "moment, ISO 8601", needed=True),
        ),
        _keep_op,
        _ops,
    ),
    "classes": Table(
        "classes",
        "Chip classifications",
        (
            Column("source", "feed, a chipper's id or a chip material's id", needed=True),
            Column("at", "moment, ISO 8601", needed=True),
            Column("sample_g", "mass before classifying", needed=True),
            *(Column(f"{name}_g", f"{name.replace('_', ' ')}, mass", needed=True) for name in CLASSES),
        ),
        _keep_class,
        _classes,
    ),
    "trips": Table(
        "trips",
        "Metal trips",
        (
            Column("detector", "where", needed=True),
            Column("find", "what it was", needed=True),
            Column("lot", "lot number, where known"),
            Column("stopped_min", "minutes stopped", needed=True),
            Column("at", "moment, ISO 8601", needed=True),
        ),
        _keep_trip,
        _trips,
    ),
}
