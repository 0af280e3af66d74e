"""Standing at a stage of a bleach: which it is, what its pump reaches, what goes with its charge, when to look again."""

from collections.abc import Iterable

from stock.bleaching.charge import CLO2_ACTIVE_CL
from stock.bleaching.unit import BleachStage, Dosed, Stage
from stock.figure import Datum, Figure
from stock.judge.here import Here
from stock.judge.rule import Most, Moved, look_at

CAUSTIC_PER_ACTIVE_CL = 0.5  # kg of caustic a kilogram of active chlorine, so that a stage still ends at its pH


def bleach_at(here: Here) -> BleachStage:
    """Return the bleach something is read at; LookupError at what is none."""
    if not isinstance(here.unit, BleachStage):
        raise LookupError(here.unit.id)  # noqa: TRY004  what is not there is looked for in vain
    return here.unit


def told_of(here: Here, value: float) -> Datum:
    """Return a value of the mill's file with its origin."""
    return Datum(value, here.facts.set_origin(here.unit.name))


def reaches(most_l_per_min: float, g_per_l: float, bdt_per_h: float) -> float:
    """Return the charge a pump at its stop gives, kg/BDt."""
    return most_l_per_min * g_per_l * 60 / (1000 * bdt_per_h)


def pump_room(here: Here, dosed: Dosed) -> Iterable[Most]:
    """Yield how much more of something a stage can be given, by its pump; nothing where that is not told."""
    given = float(here.stands(dosed.point, told_of(here, dosed.charge_kg_per_bdt)).value)
    yield from _room(here, dosed, given, "its pump")


def stage_room(here: Here, stage: Stage, charge_kg_per_bdt: float, size: float) -> Iterable[Most]:
    """Yield how much more a stage's own pump can give; nothing for less of it, or where that is not told."""
    if size > 0:
        yield from _room(here, stage, charge_kg_per_bdt, "the pump")


def _room(here: Here, fed: Dosed | Stage, charge_kg_per_bdt: float, pump: str) -> Iterable[Most]:
    rate = here.flow_in().value
    if fed.most_l_per_min and fed.solution_g_per_l and rate > 0:
        most = reaches(fed.most_l_per_min, fed.solution_g_per_l, rate)
        yield Most(max(0.0, most - charge_kg_per_bdt), f"{pump} gives {fed.most_l_per_min:g} L/min, {most:.1f} kg/BDt")


def caustic_with(dioxide_kg_per_bdt: float) -> float:
    """Return the caustic that goes with so much more dioxide, kg/BDt."""
    return CAUSTIC_PER_ACTIVE_CL * CLO2_ACTIVE_CL * dioxide_kg_per_bdt


def dose_moved(here: Here, dosed: Dosed, words: str) -> Moved:
    """Return something a stage is given as what is moved."""
    unit = bleach_at(here)
    where = f"{unit.called(dosed.at)}, {unit.name[:1].lower() + unit.name[1:]}"
    return Moved(dosed.point, f"{words} to {where}", "kg/BDt")


def look_after_last(here: Here) -> Figure | str:
    """Return when to look again at what a move at the last stage does."""
    return look_at(here, plug_min=told_of(here, bleach_at(here).last.minutes(here.flow_in().value)))
