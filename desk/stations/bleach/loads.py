"""Keeping what a tank is given and what it holds: one verb, one transaction each, with its line in the log."""

from collections.abc import Mapping
from datetime import datetime

from django.core.exceptions import ValidationError

from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import check_moment, record_event, require
from desk.people.models import Person
from desk.people.roles import RECORD
from desk.stations.bleach.models import Delivery, Dip
from desk.stations.bleach.places import dose_of
from stock.bleaching.dosing import delivery_checked, tank_after_delivery
from stock.bleaching.unit import BleachStage

PRODUCT_OF: Mapping[str, str] = {
    "peroxide": "peroxide", "caustic": "caustic", "acid": "sulphuric_acid", "chelant": "dtpa", "silicate": "silicate",
    "sulphur_dioxide": "bisulphite",
}  # fmt: skip


def _tell(kept: Delivery | Dip, person: Person, unit: BleachStage, words: str) -> None:
    record_event(
        kept.world, person, f"{unit.name}, {words}"[:500], station=unit.station, at=kept.at,
        form_key=line_key("d", kept), action=RECORD, source=kept,
    )  # fmt: skip


@verb
def take_delivery(
    world: World, person: Person, unit_id: str, number: int, product: str, found: Mapping[str, float], *, second: str,
    at: datetime, form_key: str, chemical: str = "",
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
    unit, dose = dose_of(world, unit_id, number, chemical)
    if product != PRODUCT_OF.get(dose.chemical) or dose.tank_m3 is None:
        holds = dose.chemical.replace("_", " ") if dose.tank_m3 is not None else "nothing that is delivered"
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
        load_g_per_l=found["load_g_per_l"], capacity_m3=dose.tank_m3,
    )  # fmt: skip
    row = Delivery(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number,
        chemical=chemical, at=at, product=product, second=second.strip()[:80],
        strength_g_per_l=strength, **found,
    )  # fmt: skip

    return keep(
        row, lambda kept: _tell(kept, person, unit, f"tank of {unit.called(number - 1)}: {kept}; with {kept.second}")
    )


@verb
def take_dip(
    world: World, person: Person, unit_id: str, number: int, chemical: str, holds_m3: float,
    strength_g_per_l: float | None, *, at: datetime, form_key: str,
) -> Dip:  # fmt: skip
    """Keep what a tank holds, and its strength where it was titrated.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a tank there is none of, more than it holds.
    """
    require(person, RECORD)
    check_moment(at)
    unit, dose = dose_of(world, unit_id, number, chemical)
    if dose.tank_m3 is None:
        raise ValidationError({"place": f"{unit.called(number - 1)} has no tank of {dose.chemical}"})
    if holds_m3 > dose.tank_m3:
        raise ValidationError({"holds_m3": f"the tank holds {dose.tank_m3:g} m³ at most, not {holds_m3:g}"})
    row = Dip(
        world=world, by=person, form_key=form_key, unit=unit_id, stage=number, chemical=chemical, at=at,
        holds_m3=holds_m3, strength_g_per_l=strength_g_per_l,
    )  # fmt: skip
    name = dose.chemical.replace("_", " ")
    return keep(row, lambda kept: _tell(kept, person, unit, f"tank of {name}, {unit.called(number - 1)}: {kept}"))
