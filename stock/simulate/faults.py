"""Faults of the plant that runs: each changes a cause, never a reading, except where the instrument is what is sick.

A fault is plain data. What all that are on together make of the plant is worked out anew whenever one
comes or goes, so that mending leaves nothing behind, and a saved plant comes back as it was.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from stock.delivery.unit import SaveAll, Wire
from stock.errors import DomainError
from stock.material import FILTERABLE, INDEX
from stock.primitives import Mix, Tank
from stock.screening.unit import Cleaner
from stock.simulate.columns import MASSES, SOLIDS, WATER
from stock.simulate.reading import Sick

if TYPE_CHECKING:
    from stock.simulate.house import House
    from stock.simulate.plant import Plant


@dataclass(frozen=True, slots=True)
class Fault:
    """A fault that is on: of which kind, where, how bad, since when."""

    id: int
    kind: str
    unit: str
    since_s: float
    params: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of fault: in words, where it can be, its parameters with default and limits, what it does."""

    words: str
    places: Callable[["Plant"], list[str]]
    params: Mapping[str, tuple[float, float, float]]
    does: Callable[["Plant", Fault], None]


def _live(plant: "Plant") -> list[str]:
    return [tag.id for tag in plant.line.tags if tag.live and tag.id in plant.readings.truths]


def _driven(plant: "Plant") -> list[str]:
    return [plant.layout.transfers[index].id for index in plant.driven]


def _tanks(plant: "Plant") -> list[str]:
    return [unit.id for unit in plant.line.units if isinstance(unit, Tank)]


def _wires(plant: "Plant") -> list[str]:
    return [unit.id for unit in plant.line.units if isinstance(unit, Wire)]


def _washers(plant: "Plant") -> list[str]:
    return [unit.id for unit in plant.line.units if getattr(unit, "wash", None) is not None]


def _thick_feeds(plant: "Plant") -> list[str]:
    feeds = [plant.layout.transfers[index] for index in plant.feeds]
    return [one.id for one in feeds if one.way == "feed" and one.make_up[SOLIDS].sum() > 0]


def _house(plant: "Plant") -> list[str]:
    return [group.unit for group in plant.layout.groups]


def _reel(plant: "Plant") -> list[str]:
    return [unit.id for unit in plant.line.units if getattr(unit, "order", False)]


def _stirred(plant: "Plant") -> list[str]:
    towers = {tower.unit for tower in plant.layout.towers}
    return [unit.id for unit in plant.line.units if isinstance(unit, Mix) and unit.volume_m3 and unit.id not in towers]


def _towers(plant: "Plant") -> list[str]:
    return [tower.unit for tower in plant.layout.towers]


# ---- what each does


def _drifts(plant: "Plant", fault: Fault) -> None:
    sick = plant.readings.sick.setdefault(fault.unit, Sick())
    sick.drift_per_h, sick.most = fault.params["per_h"], fault.params["most"]
    sick.drift_from_s = fault.since_s


def _sticks(plant: "Plant", fault: Fault) -> None:
    plant.readings.sick.setdefault(fault.unit, Sick()).stuck = fault.params["at"]


def _dies(plant: "Plant", fault: Fault) -> None:
    plant.readings.sick.setdefault(fault.unit, Sick()).dead = True


def _water_low(plant: "Plant", fault: Fault) -> None:
    row = plant.layout.row[fault.unit]
    draws = np.array([index for index in plant.pumped if plant.donor[index] == row], dtype=int)
    plant.headers.append((draws, fault.params["frac"] * float(plant.design[draws].sum())))


def _valve(plant: "Plant", fault: Fault) -> None:
    plant.stuck[plant.layout.at[fault.unit]] = True


def _valve_worn(plant: "Plant", fault: Fault) -> None:
    at = plant.layout.at[fault.unit]
    plant.sticks[at] = plant.range[at] * fault.params["stick_pct"] / 100


def _agitator(plant: "Plant", fault: Fault) -> None:
    plant.swings.append((plant.layout.row[fault.unit], fault.params["swing_pct"] / 100))


def _stray(plant: "Plant", fault: Fault) -> None:
    plant.strays[plant.layout.at[f"{fault.unit} made up"]] = fault.params["t_per_h"] / 3600


def _spills(plant: "Plant", fault: Fault) -> None:
    row = plant.riding.place[plant.layout.row[fault.unit]]
    plant.riding.spilled[row, 0 if DIRTIES not in plant.riding.salts else plant.riding.salts.index(DIRTIES)] += (
        fault.params["kg_per_h"] / 1000
    )


def _mat_lost(plant: "Plant", fault: Fault) -> None:
    at = next(index for index, one in enumerate(plant.layout.partings) if one.unit == fault.unit)
    plant.part_share[at, [INDEX[name] for name in FILTERABLE]] *= fault.params["share"]


def _save_alls(plant: "Plant") -> list[str]:
    return [unit.id for unit in plant.line.units if isinstance(unit, SaveAll)]


def _shower(plant: "Plant", fault: Fault) -> None:
    wash = plant.line.unit(fault.unit).wash  # type: ignore[attr-defined]
    plant.stuck[plant.layout.at[wash.stream]] = True


def _lanes(plant: "Plant", fault: Fault) -> None:
    machine = int(fault.params["machine"])
    health = plant.separating.health.setdefault(fault.unit, {})
    health[machine] = min(health.get(machine, 1.0), fault.params["health_frac"])


def _foams(plant: "Plant", fault: Fault) -> None:
    _lanes(plant, fault)
    plant.separating.gas[fault.unit] = (1 - fault.params["health_frac"]) * GAS_OF_FOAM


def _wire(plant: "Plant", fault: Fault) -> None:
    plant.separating.wires[fault.unit] = fault.params["share"]


def _holed(plant: "Plant", fault: Fault) -> None:
    plant.separating.leaks[fault.unit] = fault.params["leak_frac"]


def _tips(plant: "Plant", fault: Fault) -> None:
    plant.separating.plugged[fault.unit] = fault.params["count"]


def _blinds(plant: "Plant", fault: Fault) -> None:
    plant.separating.blinded[fault.unit] = fault.params["open_frac"]


def _of_cleaners(plant: "Plant") -> list[str]:
    units = ((name, plant.line.unit(name)) for name in plant.separating.screens)
    return [name for name, unit in units if isinstance(unit, Cleaner)]


def _of_screens(plant: "Plant") -> list[str]:
    return [name for name in plant.separating.screens if name not in _of_cleaners(plant)]


def _screens(plant: "Plant") -> list[str]:
    return list(plant.separating.screens)


def _channels(plant: "Plant", fault: Fault) -> None:
    plant.channels[fault.unit] = fault.params["active_frac"]


def _less(plant: "Plant", fault: Fault) -> None:
    at = plant.layout.at[fault.unit]
    plant.most[at] = min(plant.most[at], fault.params["frac"] * plant.design[at])


def _retention(plant: "Plant", fault: Fault) -> None:
    at = next(index for index, one in enumerate(plant.layout.partings) if one.unit == fault.unit)
    worse = {"fibre": 0.03, "fines": 0.16, "filler": 0.15}
    for name, less in worse.items():
        plant.part_share[at, INDEX[name]] = max(0.0, plant.part_share[at, INDEX[name]] - less * fault.params["part"])


def _thin(plant: "Plant", fault: Fault) -> None:
    at = int(np.flatnonzero(plant.feeds == plant.layout.at[fault.unit])[0])
    made = plant.feed_made[at]
    lost = made[SOLIDS] * (1 - fault.params["frac"])
    made[SOLIDS] -= lost
    made[WATER] += float(lost.sum())
    made[MASSES:] *= fault.params["frac"]  # what rides on the fibre keeps its value


def _carries_over(plant: "Plant", fault: Fault) -> None:
    at = next(index for index, one in enumerate(plant.layout.partings) if one.unit == fault.unit)
    for name in ("organics", "inorganics"):
        plant.part_share[at, INDEX[name]] = min(1.0, plant.part_share[at, INDEX[name]] * fault.params["times"])


def _worn(plant: "Plant", fault: Fault) -> None:
    plant.worn[fault.unit] = fault.params["frac"]


def _slips(plant: "Plant", fault: Fault) -> None:
    plant.slips[fault.unit] = fault.params["frac"]


def _bleaches(plant: "Plant") -> list[str]:
    return list(plant.bleaching.usual)


def _solutions(plant: "Plant") -> list[str]:
    return sorted({dose for doses in plant.bleaching.doses.values() for dose in doses.values()})


def _weak(plant: "Plant", fault: Fault) -> None:
    plant.bleaching.strength[fault.unit] = fault.params["frac"]


def _cold(plant: "Plant", fault: Fault) -> None:
    plant.heating.lost_c[fault.unit] = fault.params["c"]


def _caustic(plant: "Plant", fault: Fault) -> None:
    plant.bleaching.caustic_lost[fault.unit] = fault.params["frac"]


def _caustic_fed(plant: "Plant") -> list[str]:
    fed = plant.bleaching.usual.items()
    return [unit_id for unit_id, one in fed if any(stage.alkali_kg_per_bdt for stage in one.unit.stages)]


def _metals(plant: "Plant", fault: Fault) -> None:
    plant.bleaching.metals[fault.unit] = fault.params["ratio"]


def _steam(plant: "Plant", fault: Fault) -> None:
    plant.batches.steam_frac = min(plant.batches.steam_frac, fault.params["frac"])


def _houses_at(plant: "Plant", unit: str) -> "list[House]":
    groups = zip(plant.layout.groups, plant.batches.houses, strict=True)
    return [house for group, house in groups if group.unit == unit]


def _kappa_wave(plant: "Plant", fault: Fault) -> None:
    for house in _houses_at(plant, fault.unit):
        house.wave_kappa += fault.params["kappa"]


def _wetter(plant: "Plant", fault: Fault) -> None:
    for house in _houses_at(plant, fault.unit):
        house.wet_over += fault.params["points"] / 100


def _circulates(plant: "Plant", fault: Fault) -> None:
    for house in _houses_at(plant, fault.unit):
        house.apart_over_c = max(house.apart_over_c, fault.params["apart_c"])


def _contaminated(plant: "Plant", fault: Fault) -> None:
    plant.breaks_times = max(plant.breaks_times, fault.params["times"])


def _break(plant: "Plant", fault: Fault) -> None:
    plant.breaks_until_s = max(plant.breaks_until_s, fault.since_s + 60 * fault.params["minutes"])


def _asks(point: str, param: str) -> Callable[["Plant", Fault], None]:
    """Return what moves a point that is watched by so much."""

    def does(plant: "Plant", fault: Fault) -> None:
        plant.watched.ask(fault.unit, point, fault.params[param])

    return does


def _watched(point: str) -> Callable[["Plant"], list[str]]:
    """Return the units a point of theirs is watched at."""
    return lambda plant: [tag.of for tag in plant.line.tags if tag.reads == point and tag.id in plant.readings.truths]


DIRTIES: Final = "oxygen demand"  # what a spill brings, where the file follows it
GAS_OF_FOAM: Final = 0.6  # by volume, of liquor that washes nothing any more
MACHINE: Final = {"machine": (0.0, 0.0, 12.0)}  # which of the line, from the dirty end; 0 for all of them
LESS: Final = {"frac": (0.6, 0.0, 1.0)}
FAULTS: Final[Mapping[str, Kind]] = {
    "transmitter_drifts": Kind("an instrument wanders off", _live, {"per_h": (0.02, -50.0, 50.0), "most": (0.25, 0.0, 500.0)}, _drifts),
    "reading_sticks": Kind("a reading stands still", _live, {"at": (0.0, -1e6, 1e6)}, _sticks),
    "transmitter_dies": Kind("an instrument gives nothing", _live, {}, _dies),
    "water_low": Kind("a water tank's header gives less", _tanks, LESS, _water_low),
    "valve_sticks": Kind("a valve stands where it is", _driven, {}, _valve),
    "flow_limited": Kind("no more than a part of a flow can be had", _driven, LESS, _less),
    "retention_lost": Kind("the wire holds less", _wires, {"part": (1.0, 0.0, 1.0)}, _retention),
    "feed_thin": Kind("a feed has fewer solids than it should", _thick_feeds, {"frac": (0.7, 0.05, 1.0)}, _thin),
    "carries_over": Kind("a washer leaves more behind", _washers, {"times": (2.0, 1.0, 10.0)}, _carries_over),
    "plates_worn": Kind("a refiner's plates are worn", lambda plant: list(plant.quality.beating), {"frac": (0.8, 0.1, 1.0)}, _worn),
    "pump_slips": Kind("a dosing pump gives less than it says", _bleaches, {"frac": (0.8, 0.0, 1.0)}, _slips),
    "solution_weak": Kind("a bleaching solution is weaker, or stronger, than it was", _solutions, {"frac": (0.84, 0.2, 1.6)}, _weak),
    "bleach_cold": Kind("steam to a bleach is lost", _bleaches, {"c": (12.0, 0.5, 50.0)}, _cold),
    "metals_in_pulp": Kind("metals in the pulp waste peroxide", _bleaches, {"ratio": (1.5, 0.05, 10.0)}, _metals),
    "caustic_lost": Kind("the caustic of a bleach is weak, or its pump slips", _caustic_fed, {"frac": (0.7, 0.0, 1.0)}, _caustic),
    "valve_worn": Kind("a valve moves by jerks", _driven, {"stick_pct": (2.0, 0.1, 20.0)}, _valve_worn),
    "agitator_trips": Kind("a chest is not stirred", _stirred, {"swing_pct": (4.5, 0.5, 30.0)}, _agitator),
    "stray_water": Kind("water runs into a filtrate tank unasked", _tanks, {"t_per_h": (10.0, 0.1, 500.0)}, _stray),
    "spills": Kind("something dirty runs into a water tank", _tanks, {"kg_per_h": (150.0, 1.0, 5000.0)}, _spills),
    "mat_lost": Kind("the mat of the save-all breaks", _save_alls, {"share": (0.5, 0.0, 1.0)}, _mat_lost),
    "shower_fixed": Kind("a washer's shower stays where it is, whatever comes", _washers, {}, _shower),
    "lanes_blocked": Kind("a washer's shower has dry lanes", _washers, {"health_frac": (0.7, 0.1, 1.0), **MACHINE}, _lanes),
    "foams": Kind("air and foam in a washer's liquor", _washers, {"health_frac": (0.75, 0.1, 1.0), **MACHINE}, _foams),
    "wire_blinds": Kind("pitch, scale or fines on a washer's wire", _washers, {"share": (0.3, 0.05, 0.9)}, _wire),
    "tips_plug": Kind("cleaners of the first stage are plugged", _of_cleaners, {"count": (1.0, 0.1, 200.0)}, _tips),
    "screen_blinds": Kind("a part of the first basket is blinded", _of_screens, {"open_frac": (0.7, 0.05, 1.0)}, _blinds),
    "basket_holed": Kind("a part of the accepts is never screened", _screens, {"leak_frac": (0.3, 0.01, 1.0)}, _holed),
    "tower_channels": Kind("stock runs through a part of a tower alone", _towers, {"active_frac": (0.7, 0.05, 0.95)}, _channels),
    "steam_short": Kind("the cook house is short of steam", _house, {"frac": (0.7, 0.0, 1.0)}, _steam),
    "kappa_wave": Kind("the next cooks end at another kappa", _house, {"kappa": (4.0, -8.0, 12.0)}, _kappa_wave),
    "chips_wetter": Kind("chips are wetter than they are booked", _house, {"points": (2.0, -8.0, 12.0)}, _wetter),
    "circulates_badly": Kind("a cook is colder at its bottom", _house, {"apart_c": (7.0, 1.0, 20.0)}, _circulates),
    "contaminants": Kind("stickies in the furnish lose the sheet", _reel, {"times": (3.0, 1.0, 50.0)}, _contaminated),
    "gas_rises": Kind("hydrogen sulphide stands over a vessel", _watched("gas"), {"ppm": (30.0, 1.0, 400.0)}, _asks("gas", "ppm")),
    "rope_wraps": Kind("a rope or a bale hangs in a pulper", _watched("swing"), {"points": (30.0, 2.0, 90.0)}, _asks("swing", "points")),
    "plates_touch": Kind("plates of a refiner touch", _watched("vibration"), {"mm_per_s": (9.0, 1.0, 50.0)}, _asks("vibration", "mm_per_s")),
    "size_ages": Kind("the size has aged, and sizes less", _watched("sizing"), {"g_per_m2": (9.0, 1.0, 100.0)}, _asks("sizing", "g_per_m2")),
    "dye_overfed": Kind("a dye pump gives more than it says", _watched("shade"), {"ks": (0.02, 0.001, 1.0)}, _asks("shade", "ks")),
    "sheet_break": Kind("the sheet is lost behind the couch", _reel, {"minutes": (15.0, 0.5, 180.0)}, _break),
}  # fmt: skip


def new_fault(plant: "Plant", number: int, kind: str, unit: str, params: Mapping[str, Any]) -> Fault:
    """Return a fault that can be.

    Raises
    ------
    DomainError
        E_RANGE for a kind there is none of, a place that has no such part, a parameter beyond its limits.
    """
    known = FAULTS.get(kind)
    if known is None:
        raise DomainError("E_RANGE", "kind", f"there is no fault {kind[:40]}", ", ".join(FAULTS))
    places = known.places(plant)
    if unit not in places:
        allowed = ", ".join(places) or "nowhere on this line"
        raise DomainError("E_RANGE", "unit", f"{known.words}: not at {unit[:40]}", allowed)
    if unknown := sorted(set(params) - set(known.params)):
        raise DomainError("E_RANGE", unknown[0], f"{kind} has no {unknown[0][:40]}", ", ".join(known.params) or "none")
    given = {}
    for name, (usual, low, high) in known.params.items():
        value = float(params.get(name, usual))
        if not low <= value <= high:
            raise DomainError("E_RANGE", name, f"{name} of {kind} is {value:g}", f"{low:g} to {high:g}")
        given[name] = value
    if "machine" in given:
        most = max(len(getattr(plant.line.unit(unit), "machines", ())), 1)
        if given["machine"] > most or given["machine"] % 1:
            raise DomainError(
                "E_RANGE", "machine", f"{unit} has no machine {given['machine']:g}", f"0 to {most}, whole"
            )
    if "count" in given:
        first = plant.line.unit(unit).stages[0]  # type: ignore[attr-defined]
        if first.installed and given["count"] >= first.installed:
            message = f"{first.name} of {unit} has {first.installed:g} cleaners: {given['count']:g} plugged leaves none"
            raise DomainError("E_RANGE", "count", message, f"0.1 to {first.installed - 1:g}")
    if kind == "reading_sticks" and "at" not in params:
        given["at"] = plant.readings.read(unit)[0] or 0.0
    return Fault(number, kind, unit, plant.now_s, given)


def apply_faults(plant: "Plant", faults: list[Fault]) -> None:
    """Make of the plant what the faults that are on make of it, from its healthy self."""
    for fault in faults:
        FAULTS[fault.kind].does(plant, fault)
