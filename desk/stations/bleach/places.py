"""A stage, or a dose of it, as a form or a file names it."""

from django.core.exceptions import ValidationError

from desk.floor.models import World
from desk.mill.selectors import line_of
from stock.bleaching.unit import BleachStage, Dosed, Stage


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


def dose_of(world: World, unit_id: str, number: int, chemical: str) -> tuple[BleachStage, Dosed]:
    """Return a bleach and one of the doses of a stage, its own where no chemical is named.

    Raises
    ------
    ValidationError
        Where there is none, with those there are.
    """
    unit, _ = stage_of(world, unit_id, number)
    doses = unit.doses(number - 1)
    found = next((one for one in doses if (one.is_own if not chemical else one.chemical == chemical)), None)
    if found is None:
        given = ", ".join(one.chemical for one in doses)
        message = f"{unit.called(number - 1)} is given no {chemical[:20]}: {given}"
        raise ValidationError({"chemical": message})
    return unit, found
