"""What people can move in the plant that runs, each by its point: `flow:<stream>`, `consistency:<unit>` and their like.

A point has a unit, limits and words; writing one that is not there, or beyond its limits, is refused by name.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from typing import TYPE_CHECKING, Final

from stock.errors import DomainError
from stock.primitives import Dose, Source, Store
from stock.simulate.heating import RISE_C, Heater
from stock.simulate.reading import L_PER_MIN

if TYPE_CHECKING:
    from stock.line.definition import Definition
    from stock.simulate.house import House
    from stock.simulate.plant import Plant


@dataclass(frozen=True, slots=True)
class Setting:
    """Something that can be set: how it is called, in what unit, between what."""

    point: str
    words: str
    unit: str
    low: float
    high: float
    decimals: int
    station: str


@dataclass(frozen=True, slots=True)
class Handle:
    """A setting with how it is read and written in a plant."""

    setting: Setting
    read: Callable[[], float]
    write: Callable[[float], None]


KINDS: Final[Mapping[str, str]] = {
    "flow": "flow of a stream that is pumped or let in, L/min; it stays by hand until a set point is given",
    "consistency": "set point of a dilution, %",
    "level": "set point of a level, %",
    "charge": "charge of a bleach stage, kg a bone-dry tonne; the last stage where no number follows",
    "warmth": "set point of the warmth after the mixer of a bleach stage, °C",
    "steam": "steam valve of a bleach stage, % open; it stays by hand until a warmth is asked for",
    "strength": "strength that dosing pumps are set for, g/L",
    "power": "net power of a refiner, kW",
    "dose": "what is dosed, kg a bone-dry tonne",
    "wash": "dilution factor of a washer, t a bone-dry tonne",
    "reject": "mass reject rate of the first screens of a system, %",
    "cook": "temperature the digesters of a batch group are held at, °C",
    "aim": "end point the cooks of a batch group are relieved for, % of what their relation asks",
    "offset": "what is taken off an instrument's reading, in its unit",
}


def handles_of(plant: "Plant") -> dict[str, Handle]:
    """Return all that can be moved in a plant, by point."""
    found: dict[str, Handle] = {}
    for make in (
        _flows,
        _loops,
        _stages,
        _besides,
        _warmths,
        _solutions,
        _refiners,
        _ratios,
        _screens,
        _holds,
        _aims,
        _offsets,
    ):
        found |= {one.setting.point: one for one in make(plant)}
    return found


def find_handle(handles: Mapping[str, Handle], point: str) -> Handle:
    """Return the handle of a point.

    Raises
    ------
    DomainError
        E_RANGE where there is nothing to set there, with the nearest names.
    """
    found = handles.get(point)
    if found is None:
        near = get_close_matches(point, handles, n=3, cutoff=0.4)
        message = f"there is nothing to set at {point[:60]}"
        raise DomainError("E_RANGE", "point", message, ", ".join(near) or "a setting of this plant")
    return found


def refuse_beyond(setting: Setting, value: float) -> None:
    """Refuse a value outside a setting's limits.

    Raises
    ------
    DomainError
        E_RANGE, naming the setting and what is allowed.
    """
    if not setting.low <= value <= setting.high:
        allowed = f"{setting.low:g} to {setting.high:g} {setting.unit}".strip()
        raise DomainError("E_RANGE", "value", f"{setting.words} cannot be {value:g} {setting.unit}".strip(), allowed)


def _lower(name: str) -> str:
    return name[:1].lower() + name[1:]


def _called(line: "Definition", stream: str) -> str:
    return line.stream(stream).called


def _flows(plant: "Plant") -> list[Handle]:
    found = []
    layout, line = plant.layout, plant.line
    for index in plant.driven:
        transfer = layout.transfers[index]
        stream = line.stream(transfer.id)
        source = line.unit(stream.source)
        station = source.station if isinstance(source, (Source, Store)) else line.unit(stream.target).station
        most = float(plant.range[index]) * L_PER_MIN
        words = f"flow of {_called(line, transfer.id)}"
        setting = Setting(f"flow:{transfer.id}", words, "L/min", 0.0, round(most, 1), 0, station)

        def read(at: int = int(index)) -> float:
            return float(plant.flow[at]) * L_PER_MIN

        def write(value: float, at: int = int(index)) -> None:
            plant.take_by_hand(at, value / L_PER_MIN)

        found.append(Handle(setting, read, write))
    return found


def _loops(plant: "Plant") -> list[Handle]:
    found = []
    for index, loop in enumerate(plant.plan.loops):
        unit = plant.line.unit(loop.unit)
        if loop.kind == "consistency":
            setting = Setting(loop.id, f"consistency set point, {_lower(unit.name)}", "%", 0.1, 20.0, 2, unit.station)
            scale = 1.0
        elif loop.kind in ("level", "total"):
            volume = getattr(unit, "volume_m3", None)
            if not volume:
                continue
            setting = Setting(loop.id, f"level set point, {_lower(unit.name)}", "%", 10.0, 90.0, 0, unit.station)
            scale = 100 / volume
        else:
            continue

        def read(at: int = index, by: float = scale) -> float:
            return float(plant.set_point[at]) * by

        def write(value: float, at: int = index, by: float = scale) -> None:
            plant.give_back(at, value / by)

        found.append(Handle(setting, read, write))
    return found


def _stages(plant: "Plant") -> list[Handle]:
    found = []
    for unit_id, usual in plant.bleaching.usual.items():
        unit, last = usual.unit, len(usual.charges) - 1
        for index in range(last + 1):
            name = _lower(unit.name) if not last else f"{unit.called(index)}, {_lower(unit.name)}"
            most = max(60.0, 2.0 * usual.charges[index])
            setting = Setting(unit.charge_point(index), f"charge of {name}", "kg/BDt", 0.0, most, 1, unit.station)

            def read(of: str = unit_id, at: int = index) -> float:
                return plant.bleaching.charge(of, at)

            def write(value: float, of: str = unit_id, at: int = index) -> None:
                plant.bleaching.set_charge(of, value, at)

            found.append(Handle(setting, read, write))
    return found


def _besides(plant: "Plant") -> list[Handle]:
    found = []
    for usual in plant.bleaching.usual.values():
        unit = usual.unit
        for one in [one for at in range(len(usual.charges)) for one in unit.doses(at)[1:]]:
            words = f"{one.chemical.replace('_', ' ')} to {unit.called(one.at)}, {_lower(unit.name)}"
            most = max(5.0, 2.0 * one.charge_kg_per_bdt)
            setting = Setting(one.point, words, "kg/BDt", 0.0, most, 2, unit.station)

            def read(of: str = one.point) -> float:
                return plant.bleaching.beside[of]

            def write(value: float, of: str = one.point) -> None:
                plant.bleaching.beside[of] = value

            found.append(Handle(setting, read, write))
    return found


HIGHEST_C: Final = 98.0  # of a tower that is open


def _warmths(plant: "Plant") -> list[Handle]:
    found = []
    for key, one in plant.heating.heaters.items():
        unit = one.unit
        name = _lower(unit.name) if len(unit.stages) == 1 else f"{unit.called(one.at)}, {_lower(unit.name)}"
        high = max(HIGHEST_C, one.usual_c + RISE_C)
        warmth = Setting(f"warmth:{key}", f"warmth of {name}", "°C", 20.0, round(high), 1, unit.station)
        valve = Setting(f"steam:{key}", f"steam valve of {name}", "%", 0.0, 100.0, 1, unit.station)

        def reads(of: Heater = one) -> float:
            return of.set_c

        def writes(value: float, of: str = key) -> None:
            plant.heating.set_warmth(of, value)

        def stands(of: Heater = one) -> float:
            return of.valve_pct

        def opens(value: float, of: str = key) -> None:
            plant.heating.open_valve(of, value)

        found += [Handle(warmth, reads, writes), Handle(valve, stands, opens)]
    return found


def _solutions(plant: "Plant") -> list[Handle]:
    found = []
    for dose_id in sorted({dose for doses in plant.bleaching.doses.values() for dose in doses.values()}):
        dose = plant.line.unit(dose_id)
        target = plant.line.tag(dose.tag_of("strength") or "").band.target  # type: ignore[union-attr]
        words = f"strength the pumps are set for, {_lower(dose.name)}"
        setting = Setting(
            f"strength:{dose_id}", words, "g/L", round(target / 3, 1), round(3 * target, 1), 2, dose.station
        )

        def read(of: str = dose_id, by: float = target) -> float:
            return plant.bleaching.set_for.get(of, 1.0) * by

        def write(value: float, of: str = dose_id, by: float = target) -> None:
            plant.bleaching.set_for[of] = value / by

        found.append(Handle(setting, read, write))
    return found


def _refiners(plant: "Plant") -> list[Handle]:
    found = []
    for unit_id, one in plant.quality.beating.items():
        unit = plant.line.unit(unit_id)
        most = max(100.0, 2.5 * one.net_kw)
        setting = Setting(
            f"power:{unit_id}", f"net power of {_lower(unit.name)}", "kW", 0.0, round(most), 0, unit.station
        )

        def read(at: str = unit_id) -> float:
            return plant.powers[at]

        def write(value: float, at: str = unit_id) -> None:
            plant.powers[at] = value

        found.append(Handle(setting, read, write))
    return found


def _ratios(plant: "Plant") -> list[Handle]:
    found = []
    for index, ratio in enumerate(plant.plan.ratios):
        unit = plant.line.unit(ratio.unit)
        if ratio.wash_of:
            thick = 100 / unit.consistency_pct - 1  # type: ignore[attr-defined]
            setting = Setting(
                f"wash:{unit.id}", f"dilution factor, {_lower(unit.name)}", "t/BDt", -1.0, 8.0, 2, unit.station
            )
            found.append(Handle(setting, _reader(plant, index, 1.0, thick), _writer(plant, index, 1.0, thick)))
        elif isinstance(unit, Dose) and unit.kg_per_t:
            usual = ratio.per_bd / unit.kg_per_t
            setting = Setting(
                f"dose:{unit.id}", f"dose of {_lower(unit.name)}", "kg/BDt", 0.0, 3 * unit.kg_per_t, 1, unit.station
            )
            found.append(Handle(setting, _reader(plant, index, usual, 0.0), _writer(plant, index, usual, 0.0)))
    return found


def _reader(plant: "Plant", index: int, scale: float, less: float) -> Callable[[], float]:
    return lambda: float(plant.ratio_per_bd[index]) / scale - less


def _writer(plant: "Plant", index: int, scale: float, less: float) -> Callable[[float], None]:
    def write(value: float) -> None:
        plant.ratio_per_bd[index] = max(0.0, (value + less) * scale)
        plant.by_hand[plant.ratio_driven[index]] = False

    return write


def _screens(plant: "Plant") -> list[Handle]:
    found = []
    for unit_id in plant.separating.screens:
        unit = plant.line.unit(unit_id)
        words = f"reject rate by mass, {_lower(unit.name)}"
        setting = Setting(f"reject:{unit_id}", words, "%", 3.0, 45.0, 1, unit.station)

        def read(at: str = unit_id) -> float:
            return 100 * plant.separating.reject_frac(at)

        def write(value: float, at: str = unit_id) -> None:
            plant.separating.rejects[at] = value / 100
            plant.refit()

        found.append(Handle(setting, read, write))
    return found


HELD_LOWER_C, HELD_HIGHER_C = 15.0, 8.0  # so far from its recipe's a cook may be held


def _holds(plant: "Plant") -> list[Handle]:
    """Return the temperatures digesters are held at; no recipe lets its cooks be hotter than its most."""
    found = []
    for group, house in zip(plant.batches.groups, plant.batches.houses, strict=True):
        unit, usual = plant.line.unit(group.unit), house.recipe.cook_c
        high = min(usual + HELD_HIGHER_C, house.recipe.most_c)
        words = f"cooking temperature, {_lower(unit.name)}"
        setting = Setting(f"cook:{unit.id}", words, "°C", usual - HELD_LOWER_C, high, 1, unit.station)

        def read(of: "House" = house) -> float:
            return of.cook_c

        def write(value: float, of: "House" = house) -> None:
            of.cook_c = value

        found.append(Handle(setting, read, write))
    return found


AIM_APART: Final = 0.3  # so far from what its relation asks an end point may be moved


def _aims(plant: "Plant") -> list[Handle]:
    """Return the end points of the batch groups that go by H."""
    found = []
    for group, house in zip(plant.batches.groups, plant.batches.houses, strict=True):
        if house.recipe.alkaline is None:
            continue
        unit = plant.line.unit(group.unit)
        words = f"end point, {_lower(unit.name)}, of what the relation asks"
        low, high = 100 * (1 - AIM_APART), 100 * (1 + AIM_APART)
        setting = Setting(f"aim:{unit.id}", words, "%", low, high, 1, unit.station)

        def read(of: "House" = house) -> float:
            return 100 * of.aim_frac

        def write(value: float, of: "House" = house) -> None:
            of.aim_frac = value / 100

        found.append(Handle(setting, read, write))
    return found


def _offsets(plant: "Plant") -> list[Handle]:
    found = []
    for tag in plant.line.tags:
        if not tag.live or tag.id not in plant.readings.truths:
            continue
        span = tag.plausible[1] - tag.plausible[0]
        setting = Setting(
            f"offset:{tag.id}",
            f"offset of {_lower(tag.name)}",
            tag.unit,
            -span / 4,
            span / 4,
            tag.decimals,
            tag.station,
        )

        def read(at: str = tag.id) -> float:
            return plant.offset_of(at)

        def write(value: float, at: str = tag.id) -> None:
            plant.set_offset(at, value)

        found.append(Handle(setting, read, write))
    return found
