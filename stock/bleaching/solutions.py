"""Which titrated solution a stage is given, and which tank it comes from."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Final, NamedTuple

from stock.bleaching.unit import BleachDose, BleachStage, Dosed

if TYPE_CHECKING:
    from stock.line.definition import Definition

SAME_SOLUTION: Final = 0.3  # of its strength, within which a stage's solution is the one that is titrated
SAME_STRENGTH: Final = 0.02


def titrated(line: "Definition", unit: BleachStage) -> dict[int, BleachDose]:
    """Return by stage the chemicals unit whose titrated solution it is given, as far as one is."""
    found: dict[int, BleachDose] = {}
    for stream in line.graph.into(unit.id):
        dose = line.unit(stream.source)
        if not isinstance(dose, BleachDose):
            continue
        tag_id = dose.tag_of("strength")
        band = line.tag(tag_id).band if tag_id else None
        if band is None:
            continue
        for at, stage in enumerate(unit.stages):
            if stage.solution_g_per_l and abs(stage.solution_g_per_l / band.target - 1) < SAME_SOLUTION:
                found[at] = dose
    return found


class Tank(NamedTuple):
    """A tank of a chemical: whose dose tells of it, and every pump that draws from it."""

    unit: BleachStage
    dose: Dosed
    draws: Sequence[tuple[BleachStage, Dosed]]


def tanks(units: Sequence[BleachStage]) -> list[Tank]:
    """Return the tanks of a line's bleaches.

    A dose without a tank of its own draws from the tank of the same chemical and strength at its station, the
    nearest told before it.
    """
    every = [(unit, one) for unit in units for at in range(len(unit.stages)) for one in unit.doses(at)]
    told = [(unit, one) for unit, one in every if one.tank_m3 is not None]
    drawn: dict[tuple[str, str], list[tuple[BleachStage, Dosed]]] = {(unit.id, one.point): [] for unit, one in told}
    for unit, one in every:
        owner = (unit, one) if one.tank_m3 is not None else _shared(told, unit, one)
        if owner is not None:
            drawn[owner[0].id, owner[1].point].append((unit, one))
    return [Tank(unit, one, drawn[unit.id, one.point]) for unit, one in told]


def _shared(
    told: Sequence[tuple[BleachStage, Dosed]], unit: BleachStage, one: Dosed
) -> tuple[BleachStage, Dosed] | None:
    if one.solution_g_per_l is None:
        return None
    alike = [
        (own, tank)
        for own, tank in told
        if own.station == unit.station
        and tank.chemical == one.chemical
        and tank.solution_g_per_l is not None
        and abs(tank.solution_g_per_l / one.solution_g_per_l - 1) < SAME_STRENGTH
    ]
    own = [pair for pair in alike if pair[0].id == unit.id]
    return next(iter(own or alike), None)
