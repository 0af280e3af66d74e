"""Keeping a load, a rung, a response: one verb, one transaction each, with its line in the log."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.core.exceptions import ValidationError

from desk.floor import clock
from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.people.roles import MODEL, RECORD
from desk.stations.bleach.models import Delivery, Response, Rung
from stock.bleaching.colour import ks_of
from stock.bleaching.dosing import delivery_checked, tank_after_delivery
from stock.bleaching.response import Fit, response_fit
from stock.bleaching.unit import BleachStage, Stage
from stock.errors import DomainError

PRODUCT_OF: Mapping[str, str] = {
    "peroxide": "peroxide", "caustic": "caustic", "acid": "sulphuric_acid", "chelant": "dtpa",
}  # fmt: skip
LEAST_RUNGS = 6


def stage_of(world: World, unit_id: str, number: int) -> tuple[BleachStage, Stage]:
    """Return a bleach and one of its stages, counted from 1.

    Raises
    ------
    ValidationError
        Where there is none, with those there are.
    """
    units = [unit for unit in line_of(world.version).units if isinstance(unit, BleachStage)]
    unit = next((one for one in units if one.id == unit_id), None)
    if unit is None:
        raise ValidationError(
            {"unit": f"there is no bleach {unit_id[:40]!r}: {', '.join(one.id for one in units) or 'none'}"}
        )
    if not 1 <= number <= len(unit.stages):
        raise ValidationError({"stage": f"{unit.name} has no stage {number}: 1 to {len(unit.stages)}"})
    return unit, unit.stages[number - 1]


@verb
def take_delivery(
    world: World, person: Person, unit_id: str, number: int, product: str, found: Mapping[str, float], *, second: str,
    at: datetime, form_key: str,
) -> Delivery:  # fmt: skip
    """Keep a load that was checked, and the strength of its tank.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        For a wrong role, a tank of another chemical, a sample that is not what the papers say, one person alone,
        no room.
    """
    require(person, RECORD)
    check_moment(at)
    unit, stage = stage_of(world, unit_id, number)
    chemical = unit.symbol(number - 1).chemical
    wanted = PRODUCT_OF.get(chemical)
    if product != wanted or stage.solution_tank_m3 is None:
        holds = chemical if stage.solution_tank_m3 is not None else "nothing that is delivered"
        message = f"the tank of {unit.called(number - 1)} holds {holds}: {product.replace('_', ' ')} does not go there. No hose"
        raise ValidationError({"product": message})
    if not second.strip() or second.strip().lower() in {person.short_name.lower(), person.get_full_name().lower()}:
        raise ValidationError({"second": "two people at papers, sign and coupling: who was the other?"})
    checked = delivery_checked(product=product, density_t_per_m3=found["density_t_per_m3"], ph=found["ph"])
    if not checked.fits_count:
        message = f"the sample is not {product.replace('_', ' ')}: density {found['density_t_per_m3']:g} t/m³, pH {found['ph']:g}. No hose; papers, sign, coupling again"
        raise ValidationError({"density_t_per_m3": message})
    strength = tank_after_delivery(
        heel_m3=found["heel_m3"], heel_g_per_l=found["heel_g_per_l"], load_m3=found["load_m3"],
        load_g_per_l=found["load_g_per_l"], capacity_m3=stage.solution_tank_m3,
    )  # fmt: skip
    row = Delivery(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, at=at, product=product, second=second.strip()[:80],
        strength_g_per_l=strength, **found,
    )  # fmt: skip

    def tell(kept: Delivery) -> None:
        words = f"{unit.name}, tank of {unit.called(number - 1)}: {kept}; with {kept.second}"
        record_event(
            world,
            person,
            words[:500],
            station=unit.station,
            at=at,
            form_key=line_key("d", kept),
            action=RECORD,
            source=kept,
        )

    return keep(row, tell)


@verb
def take_rung(
    world: World, person: Person, unit_id: str, number: int, found: Mapping[str, float], *, text: str, at: datetime,
    form_key: str,
) -> Rung:  # fmt: skip
    """Keep one rung of a charge ladder.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a stage there is none of, pulp that came out darker than it went in.
    """
    require(person, RECORD)
    check_moment(at)
    unit, _ = stage_of(world, unit_id, number)
    if found["ended_brightness_pct"] < found["came_brightness_pct"]:
        raise ValidationError(
            {"ended_brightness_pct": "it ended darker than it came: the two pads may have been exchanged"}
        )
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
        charge_each_kg_per_odt=[one.charge_kg_per_odt for one in rungs],  # type: ignore[arg-type]
        ks_in_each_ks=[ks_of(one.came_brightness_pct) for one in rungs],  # type: ignore[arg-type]
        ks_out_each_ks=[ks_of(one.ended_brightness_pct) for one in rungs],  # type: ignore[arg-type]
        ks_floor_ks=ks_floor,
    )


def rungs_of(world: World, unit_id: str, number: int) -> list[Rung]:
    """Return the rungs that stand of a stage, the newest first, at most forty."""
    rows = Rung.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None)
    return list(rows.select_related("by")[:40])


@verb
def accept_response(
    world: World, person: Person, unit_id: str, number: int, ks_floor: float, *, form_key: str
) -> Response:
    """Accept what a ladder shows; advice and pages go by it from now on.

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
    charges = [one.charge_kg_per_odt for one in rungs]
    before = Response.objects.filter(world=world, unit=unit_id, stage=number, superseded_by=None).first()
    row = Response(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, response_per_kg=found.response_per_kg,
        low_per_kg=found.low_response_per_kg, high_per_kg=found.high_response_per_kg, ks_floor=ks_floor,
        least_charge=min(charges), most_charge=max(charges), rungs=[one.pk for one in rungs], supersedes=before,
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
