"""Keeping a round of the washers, or a mat judged by hand: one verb, one transaction each, with its line in the log."""

from collections.abc import Mapping
from datetime import datetime

from django.core.exceptions import ValidationError

from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import RECORD
from desk.stations.wash.models import BEST, MARKS, WORST, MatCheck, Round
from stock.washing.norden import stage_efficiency
from stock.washing.stairs import machines_of
from stock.washing.unit import Washer


def washer_of(world: World, unit_id: str) -> Washer:
    """Return a washing line.

    Raises
    ------
    ValidationError
        Where there is none of that name, with those there are.
    """
    units = [unit for unit in line_of(world.version).units if isinstance(unit, Washer)]
    found = next((unit for unit in units if unit.id == unit_id), None)
    if found is None:
        known = ", ".join(unit.id for unit in units) or "none"
        raise ValidationError({"unit": f"there is no washing line {unit_id[:40]!r}: {known}"})
    return found


def _station_of(unit: Washer, machine: int) -> str:
    machines = machines_of(unit)
    if not 1 <= machine <= len(machines):
        raise ValidationError({"machine": f"{unit.name} has no machine {machine}: 1 to {len(machines)}"})
    return machines[machine - 1].name


@verb
def take_round(
    world: World,
    person: Person,
    unit_id: str,
    machine: int,
    found: Mapping[str, float],
    *,
    at: datetime,
    form_key: str,
    by_system: bool = False,
) -> Round:
    """Keep the liquors of a machine; `by_system` where a meter left them and nobody is signed in.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a machine there is none of, a moment that cannot be, liquors that cannot belong together.
    """
    if not by_system:
        require(person, RECORD)
    check_moment(at)
    unit = washer_of(world, unit_id)
    name = _station_of(unit, machine)
    shown = stage_efficiency(
        dilution_factor_t_per_bdt=found["factor_t_per_bdt"], discharge_consistency_pct=found["discharge_pct"],
        filtrate_conc_kg_per_t=found["filtrate_ms_per_cm"], discharge_conc_kg_per_t=found["mat_ms_per_cm"],
        wash_conc_kg_per_t=found["wash_ms_per_cm"],
    )  # fmt: skip
    row = Round(world=world, by=person, form_key=form_key, unit=unit_id, machine=machine, at=at, **found)

    def tell(kept: Round) -> None:
        words = f"{unit.name}, {name}: efficiency {shown.e_std_ratio:.2f} ± {shown.u_e_std_ratio:.2f} by its liquors"
        record_event(
            world, person, words, station=unit.station, at=at, form_key=line_key("w", kept), action=RECORD, source=kept,
            by_system=by_system,
        )  # fmt: skip

    return keep(row, tell)


@verb
def take_mat(
    world: World, person: Person, unit_id: str, machine: int, marks: Mapping[str, int], *, at: datetime, form_key: str
) -> MatCheck:
    """Keep a mat as it was judged by hand.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a machine there is none of, a moment that cannot be, a mark outside 1 to 5.
    """
    require(person, RECORD)
    check_moment(at)
    unit = washer_of(world, unit_id)
    name = _station_of(unit, machine)
    for field, label, *_ in MARKS:
        if not BEST <= marks[field] <= WORST:
            raise ValidationError({field: f"{label} is {marks[field]}. Allowed: {BEST} to {WORST}"})
    row = MatCheck(world=world, by=person, form_key=form_key, unit=unit_id, machine=machine, at=at, **marks)

    def tell(kept: MatCheck) -> None:
        words = f"{unit.name}, {name}: mat {kept}"
        record_event(
            world, person, words, station=unit.station, at=at, form_key=line_key("w", kept), action=RECORD, source=kept
        )

    return keep(row, tell)
