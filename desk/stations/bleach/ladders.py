"""Keeping a rung, a response: one verb, one transaction each, with its line in the log."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.people.models import Person
from desk.people.roles import MODEL, RECORD
from desk.stations.bleach.answers import LEAST_RUNGS, refuse_odd, shown_by
from desk.stations.bleach.models import Response, Rung
from desk.stations.bleach.places import stage_of
from stock.bleaching.colour import ks_of
from stock.bleaching.ladder import Fit, response_fit
from stock.bleaching.symbols import Symbol
from stock.errors import DomainError


@verb
def take_rung(
    world: World, person: Person, unit_id: str, number: int, found: Mapping[str, float | None], *, text: str, at: datetime,
    form_key: str,
) -> Rung:  # fmt: skip
    """Keep one rung of a charge ladder.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a stage there is none of, pulp that came out darker than it went in, one side only.
    """
    require(person, RECORD)
    check_moment(at)
    unit, _ = stage_of(world, unit_id, number)
    if (found["ended_brightness_pct"] or 0.0) < (found["came_brightness_pct"] or 0.0):
        raise ValidationError(
            {"ended_brightness_pct": "it ended darker than it came: the two pads may have been exchanged"}
        )
    refuse_odd(found)
    row = Rung(world=world, by=person, form_key=form_key, unit=unit_id, stage=number, at=at, text=text[:120], **found)

    def tell(kept: Rung) -> None:
        words = f"{unit.name}, {unit.called(number - 1)}: ladder, {kept}{'. ' + text if text else ''}"
        record_event(
            world,
            person,
            words[:500],
            station=unit.station,
            at=at,
            form_key=line_key("r", kept),
            action=RECORD,
            source=kept,
        )

    return keep(row, tell)


def fitted(rungs: Sequence[Rung], ks_floor: float) -> Fit:
    """Return the response rungs show.

    Raises
    ------
    DomainError
        As `response_fit` does.
    """
    return response_fit(
        charge_each_kg_per_bdt=[one.charge_kg_per_bdt for one in rungs],  # type: ignore[arg-type]
        ks_in_each_ks=[ks_of(one.came_brightness_pct) for one in rungs],  # type: ignore[arg-type]
        ks_out_each_ks=[ks_of(one.ended_brightness_pct) for one in rungs],  # type: ignore[arg-type]
        ks_floor_ks=ks_floor,
    )


def rungs_of(world: World, unit_id: str, number: int) -> list[Rung]:
    """Return the rungs that stand of a stage, the newest first, at most forty."""
    rows = Rung.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None)
    return list(rows.select_related("by")[:40])


def _besides(rungs: Sequence[Rung], symbol: Symbol) -> dict[str, float]:
    """Return the columns of what is known well enough besides brightness."""
    found: dict[str, float] = {}
    for one in shown_by(rungs, symbol):
        if one.ready and one.value is not None and one.low is not None and one.high is not None:
            name = one.answer.name
            found |= {name: one.value, f"{name}_low": one.low, f"{name}_high": one.high}
    return found


@verb
def accept_response(
    world: World, person: Person, unit_id: str, number: int, ks_floor: float, *, form_key: str
) -> Response:
    """Accept what a ladder shows, of kappa, viscosity and dirt too where they are known; advice and pages go by it.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, fewer than six rungs, a slope whose band reaches nought.
    """
    require(person, MODEL)
    unit, _ = stage_of(world, unit_id, number)
    rungs = rungs_of(world, unit_id, number)
    if len(rungs) < LEAST_RUNGS:
        raise ValidationError({"stage": f"{len(rungs)} rungs only hint: {LEAST_RUNGS} or more on one pulp"})
    found = fitted(rungs, ks_floor)
    if found.low_response_per_kg <= 0:
        raise DomainError("E_OBSERV", "stage", "the band of the response reaches nought: more rungs, further apart")
    charges = [one.charge_kg_per_bdt for one in rungs]
    standing = Response.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None)
    before = standing.exclude(form_key=form_key).first()  # sent twice, it does not supersede itself
    row = Response(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, response_per_kg=found.response_per_kg,
        low_per_kg=found.low_response_per_kg, high_per_kg=found.high_response_per_kg, ks_floor=ks_floor,
        least_charge=min(charges), most_charge=max(charges), rungs=[one.pk for one in rungs], supersedes=before,
        **_besides(rungs, unit.symbol(number - 1)),
    )  # fmt: skip

    def tell(kept: Response) -> None:
        words = f"{unit.name}, {unit.called(number - 1)}: response accepted, {kept}"
        record_event(
            world,
            person,
            words,
            station=unit.station,
            at=clock.now(),
            form_key=line_key("a", kept),
            action=MODEL,
            source=kept,
        )

    return keep(row, tell)
