"""Keeping what the laboratory did besides samples: tracers through towers, reagents and control samples checked."""

from collections.abc import Sequence
from datetime import datetime
from typing import Final

from django.core.exceptions import ValidationError

from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.people.models import Person
from desk.people.roles import RECORD
from desk.stations.bleach.models import Control, Tracer
from desk.stations.bleach.places import stage_of
from stock.bleaching.tower import tower_tracer
from stock.errors import DomainError

FOUND_MOST: Final = 60


@verb
def take_tracer(
    world: World, person: Person, unit_id: str, number: int, found: Sequence[tuple[float, float]], full_min: float, *,
    at: datetime, form_key: str,
) -> Tracer:  # fmt: skip
    """Keep a tracer and what it says of the tower.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a stage there is none of, fewer than six readings or out of order, no tracer found.
    """
    require(person, RECORD)
    check_moment(at)
    unit, _ = stage_of(world, unit_id, number)
    if len(found) > FOUND_MOST:
        raise ValidationError({"found": f"{len(found)} readings; {FOUND_MOST} tell as much"})
    traced = tower_tracer(
        times_min=[one for one, _ in found],  # type: ignore[arg-type]
        tracer_ratio=[one for _, one in found],  # type: ignore[arg-type]
        full_time_min=full_min,
    )
    if traced.active_frac > 1:
        message = f"it took {traced.mean_min:.0f} min, the whole tower only {full_min:.0f}: rate or readings are wrong"
        raise DomainError("E_BALANCE", "full_min", message, f"{traced.mean_min:.0f} min or more")
    row = Tracer(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, at=at, found=[list(one) for one in found],
        full_min=full_min, mean_min=traced.mean_min, active_frac=traced.active_frac, cells=traced.cells_count,
        t10_min=traced.t10_min,
    )  # fmt: skip

    def tell(kept: Tracer) -> None:
        record_event(
            world, person, f"{unit.name}, tracer through {unit.called(number - 1)}: {kept}", station=unit.station, at=at,
            form_key=line_key("t", kept), action=RECORD, source=kept,
        )  # fmt: skip

    return keep(row, tell)


@verb
def take_control(
    world: World, person: Person, station: str, kind: str, what: str, should: float, found: float, allowed: float, *,
    at: datetime, form_key: str,
) -> Control:  # fmt: skip
    """Keep a reagent or a control sample as it was checked.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a check of nothing.
    """
    require(person, RECORD)
    check_moment(at)
    if not what.strip():
        raise ValidationError({"what": "which reagent, or which control sample?"})
    row = Control(
        world=world, by=person, form_key=form_key, kind=kind, what=what.strip()[:60], at=at, should=should, found=found,
        allowed=allowed,
    )  # fmt: skip

    def tell(kept: Control) -> None:
        verdict = "off: set aside what was titrated since the last good one" if kept.is_off else "in order"
        record_event(
            world, person, f"{kept.get_kind_display().capitalize()}, {kept}; {verdict}", station=station, at=at,
            form_key=line_key("c", kept), action=RECORD, source=kept,
        )  # fmt: skip

    return keep(row, tell)
