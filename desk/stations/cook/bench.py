"""Results of cooks and titrations of liquors, as the laboratory enters them."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, line_key, made_from, need_why, sent_before, source_of, verb
from desk.floor.models import Cook, Record
from desk.floor.services import AlreadyCorrectedError, check_moment, record_event, record_reading, require, stop_of
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import CORRECT, RECORD
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.models import Forecast, LiquorTest, Result, Step
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

ABC: Final = ("a_ml", "b_ml", "c_ml", "acid_normality", "sample_ml")
ONE: Final = ("acid_ml", "acid_normality", "sample_ml")
TWO: Final = ("iodate_ml", "iodate_normality", "naoh_ml", "naoh_normality", "sample_ml")
METHODS: Final = {
    "white": ("white_liquor_from_abc", ABC),
    "green": ("green_liquor_from_abc", ABC),
    "black": ("residual_alkali", ONE),
    "caustic": ("caustic_by_acid", ONE),
    "acid": ("sulphite_acid", TWO),
}
LIMITS: Final = {
    "kappa": (1.0, 200.0, "kappa"),
    "rejects_pct": (0.0, 60.0, "knots and rejects, %"),
    "yield_pct": (20.0, 100.0, "yield, %"),
    "residual_kg_per_m3_as_naoh": (0.0, 60.0, "residual alkali, g/L NaOH"),
}


@verb
def take_result(
    state: State,
    person: Person,
    number: int,
    found: Mapping[str, float | None],
    *,
    at: datetime,
    flag: str = "",
    form_key: str,
    quiet: bool = False,
) -> Result:
    """Keep what the laboratory found of a cook.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: a cook not blown, one that has its result, a value that cannot be.
    """
    require(person, RECORD)
    world = state.world
    if (sent := sent_before(Result, world, form_key)) is not None:
        return sent
    cook = Cook.objects.filter(world=world, number=number).first()
    if cook is None:
        raise ValidationError({"number": f"there is no cook {number}"})
    if not quiet:
        check_moment(at)
        followed = House(state).follow(cook)
        blown = Step.objects.filter(world=world, number=number, kind="blow", superseded_by=None).exists()
        if not blown and (followed is None or followed.running):
            raise ValidationError({"number": f"cook {number} is not blown yet: there is nothing to test"})
    if Result.objects.filter(world=world, number=number, superseded_by=None).exists():
        raise ValidationError({"number": f"cook {number} has its result; correct that one"})
    _refuse_impossible(found)
    row = Result(world=world, by=person, number=number, at=at, flag=flag.strip()[:120], form_key=form_key, **found)

    def tell(row: Result) -> None:
        _tell(state, person, row)
        _keep_readings(state, person, row, result_tags(state, cook, row))

    return keep(row, None if quiet else tell)


def _refuse_impossible(found: Mapping[str, float | None]) -> None:
    if found.get("kappa") is None:
        raise DomainError("E_TYPE", "kappa", "kappa is missing", "1 to 200")
    for name, value in found.items():
        low, high, words = LIMITS[name]
        if value is not None and not low <= value <= high:
            raise DomainError(
                "E_RANGE", name, f"{words} is {value:g}, outside {low:g} to {high:g}", f"{low:g} to {high:g}"
            )


def _tell(state: State, person: Person, row: Result) -> None:
    words = f"Cook {row.number}: kappa {row.kappa:.1f} found"
    forecast = Forecast.standing(state.world).filter(number=row.number).first()
    if forecast is not None:
        words += (
            f", forecast {forecast.kappa:.1f} ± {forecast.half_kappa:.1f}: {error_words(row.kappa - forecast.kappa)}"
        )
    _line(state, person, row, words, row.at, kind=Record.Kind.BATCH, subject=f"cook {row.number}")


def _line(state: State, person: Person, row: Result | LiquorTest, words: str, at: datetime, **more: Any) -> None:
    station, key = stop_of(state.world, "cook"), line_key("b", row)
    record_event(state.world, person, words[:500], station=station, at=at, form_key=key, source=row, **more)


def error_words(error: float) -> str:
    """Say how far a result lies from its forecast."""
    if abs(error) < 0.05:
        return "as forecast"
    return f"{abs(error):.1f} {'above' if error > 0 else 'below'}"


RESULT_TAGS: Final = {  # column of a result: which tag of the recipe is another view of it
    "kappa": "kappa_tag",
    "rejects_pct": "rejects_tag",
    "residual_kg_per_m3_as_naoh": "residual_tag",
}


def result_tags(state: State, cook: Cook, row: Result) -> list[tuple[str, float]]:
    """Return the line's tags a result speaks for, with what it says."""
    recipe = recipe_of(state, cook)
    said = [(getattr(recipe, named), getattr(row, column)) for column, named in RESULT_TAGS.items()]
    return [(tag, value) for tag, value in said if tag is not None and value is not None]


def _keep_readings(
    state: State, person: Person, row: Result | LiquorTest, said: Sequence[tuple[str, float]], why: str = ""
) -> None:
    """Let the line's tags know what a row says; what the row it supersedes said of them is superseded with it."""
    old = row.supersedes
    before = {one.tag: one for one in made_from(old).filter(kind=Record.Kind.READING)} if old is not None else {}
    for index, (tag, value) in enumerate(said):
        record_reading(
            state.world, person, tag, value, at=row.at, form_key=line_key(f"r{index}", row), source=row,
            supersedes=before.get(tag), why=why,
        )  # fmt: skip


@verb
def correct_result(
    state: State, person: Person, old: Result, found: Mapping[str, float | None], *, flag: str, why: str, form_key: str
) -> Result:
    """Supersede a result, and the readings made from it; the old ones stay readable.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, CORRECT)
    why = need_why(why)
    _refuse_impossible(found)
    row = Result(
        world=state.world, by=person, number=old.number, at=old.at, flag=flag.strip()[:120], supersedes=old, why=why,
        form_key=form_key, **found,
    )  # fmt: skip

    def tell(row: Result) -> None:
        words = f"Cook {row.number}: kappa {row.kappa:.1f}, corrected from {old.kappa:.1f}: {why}"
        more = {"kind": Record.Kind.BATCH, "subject": f"cook {row.number}", "action": CORRECT}
        _line(state, person, row, words, clock.now(), **more)
        cook = Cook.objects.get(world=state.world, number=row.number)
        _keep_readings(state, person, row, result_tags(state, cook, row), why)

    return keep(row, tell)


def correct_reading_of_result(record: Record, person: Person, value: float, why: str, form_key: str) -> Record:
    """Correct a reading that is another view of a result: the result is corrected, and the reading with it."""
    if (sent := sent_before(Result, record.world, form_key)) is not None:
        return Record.objects.get(world=record.world, source=source_of(sent), tag=record.tag)
    if (first := Record.objects.select_related("by").filter(supersedes=record).first()) is not None:
        raise AlreadyCorrectedError(first)
    old = Result.objects.get(pk=int(record.source.partition(":")[2]))
    state = State(record.world)
    recipe = recipe_of(state, Cook.objects.get(world=record.world, number=old.number))
    column = next(column for column, named in RESULT_TAGS.items() if getattr(recipe, named) == record.tag)
    found = {name: getattr(old, name) for name in LIMITS} | {column: value}
    row = correct_result(state, person, old, found, flag=old.flag, why=why, form_key=form_key)
    return made_from(row).get(tag=record.tag)


def correct_reading_of_test(record: Record, person: Person, value: float, why: str, form_key: str) -> Record:
    """Refuse to correct what a titration came to: its burette readings are what was read."""
    message = "this was worked out from a titration; correct its burette readings on the liquor page"
    raise ValidationError({"value": message})


# ---- titrations


def titrated(kind: str, volumes: Mapping[str, float], by: str, at: datetime | None) -> Figure:
    """Return a titration worked out, every result reachable.

    Raises
    ------
    DomainError, ValidationError
        Volumes out of order, a reading missing, a kind that is not titrated here.
    """
    if kind not in METHODS:
        raise ValidationError({"kind": f"{kind[:20]!r} is not titrated; one of {', '.join(METHODS)}"})
    name, fields = METHODS[kind]
    origin = Origin("entered", f"burette read by {by}", at)
    data = {field: Datum(volumes.get(field), origin) for field in fields}
    return figure(name, f"{LiquorTest.Kind(kind).label.lower()}", data)


@verb
def record_test(
    state: State,
    person: Person,
    kind: str,
    volumes: Mapping[str, float],
    *,
    at: datetime,
    number: int | None = None,
    form_key: str,
    quiet: bool = False,
) -> LiquorTest:
    """Keep a titration by its readings, and let the line's tags know what it came to.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, RECORD)
    if (sent := sent_before(LiquorTest, state.world, form_key)) is not None:
        return sent
    if not quiet:
        check_moment(at)
    worked = titrated(kind, volumes, person.short_name, at)
    if number is not None and not Cook.objects.filter(world=state.world, number=number).exists():
        raise ValidationError({"number": f"there is no cook {number}"})
    row = LiquorTest(
        world=state.world, by=person, kind=kind, at=at, volumes={name: volumes[name] for name in METHODS[kind][1]},
        number=number, form_key=form_key,
    )  # fmt: skip

    def tell(row: LiquorTest) -> None:
        subject = f"cook {number}" if number else ""
        _line(state, person, row, test_words(kind, worked, number), at, kind=Record.Kind.EVENT, subject=subject)
        _keep_readings(state, person, row, tags_of(state, kind, worked, number))

    return keep(row, None if quiet else tell)


def test_words(kind: str, worked: Figure, number: int | None) -> str:
    """Say a titration in a line of the log."""
    got = worked.results
    name = LiquorTest.Kind(kind).label
    if kind in ("white", "green"):
        return (
            f"{name} titrated: EA {got['effective_kg_per_m3_as_naoh']:.1f}, AA {got['active_kg_per_m3_as_naoh']:.1f},"
            f" TTA {got['titratable_kg_per_m3_as_naoh']:.1f} g/L NaOH, sulphidity {100 * got['sulphidity_frac']:.1f} %,"
            f" causticity {100 * got['causticity_frac']:.1f} %"
        )
    if kind == "acid":
        return f"{name} titrated: total SO2 {got['total_pct']:.2f} %, combined {got['combined_pct']:.2f} %, true free {got['true_free_pct']:.2f} %"
    of = f", cook {number}" if number else ""
    return f"{name} titrated{of}: {worked.value:.1f} g/L NaOH"


def tags_of(state: State, kind: str, worked: Figure, number: int | None) -> list[tuple[str, float]]:
    """Return the line's tags a titration speaks for, with what it says."""
    cook, got = house_of(state).part, dict(worked.results)
    found: list[tuple[str | None, float]] = []
    if kind in ("white", "caustic"):
        tank = cook.tank("white" if kind == "white" else "caustic")
        reads = tank.is_read if tank is not None else {}
        if kind == "white":
            found = [
                (reads.get("strength"), got["effective_kg_per_m3_as_naoh"]),
                (reads.get("sulphidity"), 100 * got["sulphidity_frac"]),
                (reads.get("causticity"), 100 * got["causticity_frac"]),
            ]
        else:
            found = [(reads.get("strength"), got["effective_kg_per_m3_as_naoh"])]
    elif kind == "black":
        tested = Cook.objects.filter(world=state.world, number=number).first() if number else None
        tag = recipe_of(state, tested).residual_tag if tested else None
        found = [(tag, got["residual_kg_per_m3_as_naoh"])]
    elif kind == "acid":
        for point, name in (("total_so2", "total_pct"), ("combined_so2", "combined_pct")):
            found += [(one.id, got[name]) for one in state.line.tags_reading(point)[:1]]
    return [(tag, round(value, 3)) for tag, value in found if tag is not None]


@verb
def correct_test(
    state: State, person: Person, old: LiquorTest, volumes: Mapping[str, float], *, why: str, form_key: str
) -> LiquorTest:
    """Supersede a titration, and what the line's tags knew of it; the old readings stay readable.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, CORRECT)
    why = need_why(why)
    worked = titrated(old.kind, volumes, person.short_name, old.at)
    row = LiquorTest(
        world=state.world, by=person, kind=old.kind, at=old.at, volumes=dict(volumes), number=old.number, supersedes=old,
        why=why, form_key=form_key,
    )  # fmt: skip

    def tell(row: LiquorTest) -> None:
        words = f"{test_words(old.kind, worked, old.number)}, corrected: {why}"
        _line(state, person, row, words, clock.now(), kind=Record.Kind.EVENT, action=CORRECT)
        _keep_readings(state, person, row, tags_of(state, old.kind, worked, old.number), why)

    return keep(row, tell)
