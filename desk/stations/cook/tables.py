"""The cook house's records as files: charges, cooks and steps, results, titrations, hand-read gauges."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.exchange.tables import Column, Table, maybe_number, moment_in, number_in
from desk.floor.models import Cook, Record, World
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import COOK, SAMPLE
from desk.stations.cook.amounts import MEANS, NAMES, Amounts
from desk.stations.cook.bench import LIMITS, METHODS, record_test, take_result
from desk.stations.cook.house import house_of
from desk.stations.cook.models import Charge, LiquorTest, Result, Step
from desk.stations.cook.planning import plan_charge
from desk.stations.cook.steps import log_step, read_gauges

GIVEN: Final = (
    "bd_wood_t",
    "moisture_wet_frac",
    "packing_gain_frac",
    "charge_pct_naoh_on_wood",
    "strength_kg_per_m3_as_naoh",
    "sulphidity_frac",
    "total_pct",
    "combined_pct",
    "liquor_to_wood",
    "fill_kg_per_m3_as_naoh",
    "kappa_target_kappa",
)
VOLUMES: Final = tuple(dict.fromkeys(name for _, names in METHODS.values() for name in names))


def _refuse_future(at: Any) -> None:
    if at > timezone.now():
        raise ValidationError({"at": f"{at:%d %b %Y %H:%M} is in the future"})


def _number(row: Mapping[str, str]) -> int:
    value = number_in(row, "number")
    if value != int(value):
        raise ValidationError({"number": f"number is {row['number'][:20]!r}, not a whole number"})
    return int(value)


def _keep_charge(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    house = house_of(State(world))
    try:
        digester, recipe = (
            house.part.digester(int(number_in(row, "digester"))),
            house.part.recipe(row["recipe"].strip()),
        )
    except LookupError as error:
        raise ValidationError({"recipe": str(error)}) from None
    typed = {name: value for name in GIVEN if (value := maybe_number(row, name)) is not None}
    return plan_charge(
        State(world), person, number=_number(row), digester=digester, recipe=recipe,
        planned_at=moment_in(row, "planned_at"), typed=typed, form_key=key,
    )  # fmt: skip


def _charges(world: World) -> Iterator[dict[str, Any]]:
    for row in Charge.objects.filter(world=world, superseded_by=None).order_by("planned_at", "id").iterator():
        given = {name: row.given.get(name) for name in GIVEN}
        yield {
            "number": row.number, "digester": row.digester, "recipe": row.recipe,
            "planned_at": row.planned_at.isoformat(), **given,
        }  # fmt: skip


def _keep_step(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "at")
    _refuse_future(at)
    amounts = Amounts(**{name: maybe_number(row, name) for name in NAMES})
    return log_step(
        State(world), person, _number(row), row["kind"].strip(), amounts,
        at=at, text=row.get("text", ""), form_key=key, quiet=True,
    )  # fmt: skip


def _steps(world: World) -> Iterator[dict[str, Any]]:
    for row in Step.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        yield {
            "number": row.number, "kind": row.kind, "at": row.at.isoformat(), **row.amounts.columns(), "text": row.text
        }  # fmt: skip


def _keep_result(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "at")
    _refuse_future(at)
    found = {name: maybe_number(row, name) for name in LIMITS}
    return take_result(
        State(world), person, _number(row), found, at=at, flag=row.get("flag", ""), form_key=key, quiet=True
    )


def _results(world: World) -> Iterator[dict[str, Any]]:
    for row in Result.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        found = {name: getattr(row, name) for name in LIMITS}
        yield {"number": row.number, "at": row.at.isoformat(), **found, "flag": row.flag}


def _keep_test(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    at = moment_in(row, "at")
    _refuse_future(at)
    kind = row["liquor"].strip()
    if kind not in METHODS:
        raise ValidationError({"liquor": f"liquor is {kind[:20]!r}; one of {', '.join(METHODS)}"})
    volumes = {name: number_in(row, name) for name in METHODS[kind][1]}
    number = _number(row) if row.get("number", "").strip() else None
    return record_test(State(world), person, kind, volumes, at=at, number=number, form_key=key, quiet=True)


def _tests(world: World) -> Iterator[dict[str, Any]]:
    for row in LiquorTest.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        volumes = {name: row.volumes.get(name) for name in VOLUMES}
        yield {"liquor": row.kind, "at": row.at.isoformat(), "number": row.number, **volumes}


def _keep_gauge(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    cook = Cook.objects.filter(world=world, number=_number(row)).first()
    if cook is None:
        raise ValidationError({"number": f"there is no cook {row['number'][:20]}"})
    return read_gauges(
        State(world), person, cook, temperature_c=number_in(row, "temperature_c"),
        pressure_kpa_g=maybe_number(row, "pressure_kpa_g"), at=moment_in(row, "at"), form_key=key,
    )  # fmt: skip


def _gauges(world: World) -> Iterator[dict[str, Any]]:
    """Yield hand-read temperatures of the newest cooks, each with the pressure read at the same moment."""
    house = house_of(State(world)).part
    cooks = list(Cook.objects.filter(world=world).order_by("-started_at")[:40])
    for index, cook in enumerate(reversed(cooks)):
        digester = house.digester(cook.digester)
        later = [one.started_at for one in list(reversed(cooks))[index + 1 :] if one.digester == cook.digester]
        rows = Record.objects.filter(world=world, kind="reading", superseded_by=None, at__gte=cook.started_at)
        if later:
            rows = rows.filter(at__lt=later[0])
        pressures = dict(rows.filter(tag=digester.pressure or "").values_list("at", "value"))
        for at, value in rows.filter(tag=digester.temperature).order_by("at").values_list("at", "value"):
            yield {
                "number": cook.number, "at": at.isoformat(), "temperature_c": value, "pressure_kpa_g": pressures.get(at)
            }  # fmt: skip


_WHICH: Final = Column("number", "number of the cook", needed=True)
_WHEN: Final = Column("at", "moment, ISO 8601", needed=True)
COOK_TABLES: Final[dict[str, Table]] = {
    "charges": Table(
        "charges",
        "Charge sheets",
        (
            _WHICH,
            Column("digester", "number of the digester", needed=True),
            Column("recipe", "id of the recipe", needed=True),
            Column("planned_at", "moment, ISO 8601", needed=True),
            *(Column(name, "as on the sheet; the line's own if left out") for name in GIVEN),
        ),
        _keep_charge,
        _charges,
        (COOK,),
    ),
    "steps": Table(
        "steps",
        "Steps of cooks",
        (
            _WHICH,
            Column("kind", "chips, liquor, fill, steam, sample, relief, blow, empty or note", needed=True),
            _WHEN,
            *(Column(name, MEANS[name]) for name in NAMES),
            Column("text", "a note"),
        ),
        _keep_step,
        _steps,
        (COOK, SAMPLE),
    ),
    "results": Table(
        "results",
        "Results of cooks",
        (_WHICH, _WHEN, Column("kappa", "kappa number", needed=True), *(Column(name, LIMITS[name][2]) for name in LIMITS if name != "kappa"), Column("flag", "why it is not to be learned from")),
        _keep_result,
        _results,
    ),
    "titrations": Table(
        "titrations",
        "Titrations",
        (
            Column("liquor", ", ".join(METHODS), needed=True),
            _WHEN,
            Column("number", "the cook it was taken from"),
            *(Column(name, "burette reading, strength or sample") for name in VOLUMES),
        ),
        _keep_test,
        _tests,
    ),
    "gauges": Table(
        "gauges",
        "Gauges read by hand",
        (_WHICH, _WHEN, Column("temperature_c", "digester, °C", needed=True), Column("pressure_kpa_g", "digester, kPa gauge")),
        _keep_gauge,
        _gauges,
    ),
}  # fmt: skip
