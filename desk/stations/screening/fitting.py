"""Quotients fitted to the mill's own counts: tests kept, what they say together, accepted in versions."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.exchange.tables import Column, Table, moment_in, number_in
from desk.floor import clock
from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.floor.state import State
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import MODEL, RECORD
from desk.stations.screening.models import Accepted, CountTest
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.screening.unit import Staged

ENOUGH_TESTS: Final = 3
LATEST: Final = 12  # tests that are taken together
OFTEN_S: Final = 3600
NUMBERS: Final = {
    "feed_count": "pieces in the feed", "feed_g": "bone-dry sample of the feed, g", "accept_count": "pieces in the accepts",
    "accept_g": "bone-dry sample of the accepts, g", "mass_reject_pct": "rejects by mass then, %",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Fitted:
    """What a stage's tests say together, and what is in force."""

    number: int
    name: str
    tests: Sequence[CountTest]
    figure: Figure | None
    words: str
    in_force: Accepted | None

    @property
    def is_ready(self) -> bool:
        """Whether there are tests enough to accept it."""
        return self.figure is not None and len(self.tests) >= ENOUGH_TESTS

    @property
    def low(self) -> float:
        """The lower limit of the quotient."""
        return float(self.figure.results["low_ratio"]) if self.figure is not None else 0.0

    @property
    def high(self) -> float:
        """The upper limit of it."""
        return float(self.figure.results["high_ratio"]) if self.figure is not None else 0.0


def _stage(world: World, unit_id: str, number: int) -> Staged:
    unit = next((one for one in line_of(world.version).units if isinstance(one, Staged) and one.id == unit_id), None)
    if unit is None:
        raise ValidationError({"unit": f"there are no screens or cleaners {unit_id[:40]!r} on this line"})
    if not 1 <= number <= len(unit.stages):
        raise ValidationError({"stage": f"{unit.name} has no stage {number}: 1 to {len(unit.stages)}"})
    return unit


def told_together(tests: Sequence[CountTest]) -> Figure:
    """Return the quotient tests say together, their counts and samples added up, at their mean reject rate.

    Raises
    ------
    DomainError
        As `quotient_by_counts` does.
    """
    said = Origin("entered", f"{len(tests)} tests together")
    reject = sum(one.mass_reject_pct for one in tests) / len(tests) / 100
    data = {name: Datum(sum(getattr(one, name) for one in tests), said) for name in list(NUMBERS)[:4]}
    return figure(
        "quotient_by_counts",
        "quotient by counts",
        {**data, "mass_reject_frac": Datum(round(reject, 5), said)},
        decimals=3,
    )


def tests_of(world: World, unit_id: str, number: int) -> list[CountTest]:
    """Return the newest tests of a stage that stand."""
    rows = CountTest.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None)
    return list(rows.select_related("by")[:LATEST])


def in_force(state: State) -> dict[str, Accepted]:
    """Return the accepted quotients by `<unit>:<stage>`."""
    rows: dict[str, Accepted] = state.of_records("quotients", lambda: _read(state), OFTEN_S, [Accepted])
    return rows


def _read(state: State) -> dict[str, Accepted]:
    rows = Accepted.objects.filter(world=state.world, superseded_by=None).select_related("by")
    return {f"{one.unit}:{one.stage}": one for one in rows}


def as_accepted(state: State, unit: Staged) -> Staged:
    """Return a system with the quotients that were accepted in place of those of its file."""
    found = in_force(state)
    stages = [
        stage.model_copy(update={"quotient": one.quotient})
        if (one := found.get(f"{unit.id}:{number}")) is not None
        else stage
        for number, stage in enumerate(unit.stages, 1)
    ]
    return unit if stages == list(unit.stages) else unit.model_copy(update={"stages": stages})


def fits_of(state: State, unit: Staged) -> list[Fitted]:
    """Return what the tests of each stage say."""
    accepted = in_force(state)
    found = []
    for number, stage in enumerate(unit.stages, 1):
        tests = tests_of(state.world, unit.id, number)
        shown, words = None, ""
        try:
            shown = told_together(tests) if tests else None
        except DomainError as error:
            words = error.message
        found.append(Fitted(number, stage.name, tests, shown, words, accepted.get(f"{unit.id}:{number}")))
    return found


@verb
def take_test(
    world: World, person: Person, unit_id: str, number: int, found: Mapping[str, float], *, at: datetime, form_key: str
) -> CountTest:
    """Keep a test of a stage.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a stage there is none of, counts that cannot be, accepts dirtier than the feed.
    """
    require(person, RECORD)
    check_moment(at)
    unit = _stage(world, unit_id, number)
    if not 0 < found["mass_reject_pct"] < 100:
        raise ValidationError(
            {"mass_reject_pct": f"Rejects by mass are {found['mass_reject_pct']:g} %. Allowed: 0 to 100 %"}
        )
    row = CountTest(world=world, by=person, form_key=form_key, unit=unit_id, stage=number, at=at, **found)
    told_together([row])  # refused where it says nothing

    def tell(kept: CountTest) -> None:
        record_event(
            world, person, f"{unit.name}, {unit.stages[number - 1].name}: {kept}", station=unit.station, at=at,
            form_key=line_key("q", kept), action=RECORD, source=kept,
        )  # fmt: skip

    return keep(row, tell)


@verb
def accept_quotient(world: World, person: Person, unit_id: str, number: int, *, form_key: str) -> Accepted:
    """Accept what a stage's tests say; pages go by it from now on.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, fewer than three tests, tests that say nothing.
    """
    require(person, MODEL)
    unit = _stage(world, unit_id, number)
    tests = tests_of(world, unit_id, number)
    if len(tests) < ENOUGH_TESTS:
        raise ValidationError({"stage": f"{len(tests)} tests only hint: {ENOUGH_TESTS} or more"})
    shown = told_together(tests)
    standing = Accepted.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None)
    row = Accepted(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, quotient=shown.value,
        low=shown.results["low_ratio"], high=shown.results["high_ratio"], tests=[one.pk for one in tests],
        supersedes=standing.exclude(form_key=form_key).first(),
    )  # fmt: skip

    def tell(kept: Accepted) -> None:
        record_event(
            world, person, f"{unit.name}, {unit.stages[number - 1].name}: quotient accepted, {kept}", station=unit.station,
            at=clock.now(), form_key=line_key("k", kept), action=MODEL, source=kept,
        )  # fmt: skip

    return keep(row, tell)


def _keep_row(world: World, person: Person, row: Mapping[str, str], key: str) -> object:
    found = {name: number_in(row, name) for name in NUMBERS}
    return take_test(
        world, person, row["unit"].strip(), int(number_in(row, "stage")), found, at=moment_in(row, "at"), form_key=key
    )


def _rows(world: World) -> Iterator[dict[str, Any]]:
    for row in CountTest.objects.filter(world=world, superseded_by=None).order_by("at", "id").iterator():
        numbers = {name: getattr(row, name) for name in NUMBERS}
        yield {"unit": row.unit, "stage": row.stage, "at": row.at.isoformat(), **numbers}


COUNT_TABLES: Final[dict[str, Table]] = {
    "counts": Table(
        "counts",
        "Counts before and after a stage",
        (
            Column("unit", "id of the screens or cleaners", needed=True),
            Column("stage", "stage, counted from 1 at the first", needed=True),
            Column("at", "moment, ISO 8601", needed=True),
            *(Column(name, words, needed=True) for name, words in NUMBERS.items()),
        ),
        _keep_row,
        _rows,
    )
}
