"""The set panels of washers and thickeners: mat and vacuum, witnesses of the dilution factor, gas, stray water, a vat's liquor."""

from collections.abc import Callable, Sequence
from typing import Final

from desk.frame.panels.attempt import Panel
from desk.frame.panels.fills import Fill, assumed, flow, flow_in, given
from stock.figure import Datum, Origin
from stock.judge.here import Place
from stock.parts import Fitted
from stock.washing.stairs import USUAL_SOLIDS
from stock.washing.unit import Machine, Washer


def _washer(place: Place) -> Washer:
    if not isinstance(place.unit, Washer):
        raise LookupError(place.name)  # noqa: TRY004  what is not there is looked for in vain
    return place.unit


def _machines(place: Place) -> Sequence[Machine]:
    return place.unit.machines if isinstance(place.unit, Washer) else []


def _drum(place: Place) -> Machine | None:
    found = _machines(place)
    return next((one for one in found if one.drum_diameter_m and one.drum_face_m and one.drum_speed_rpm), None)


def _sucks(place: Place) -> Machine | None:
    """Return a machine whose liquor is drawn through the wire by a vacuum; None where none is told."""
    return next((one for one in _machines(place) if one.type in ("drum", "displacement drum", "belt")), None)


def _told(field: str) -> Callable[[Place], Machine | None]:
    """Return what finds the first machine that tells a field of its own."""
    return lambda place: next((one for one in _machines(place) if getattr(one, field) is not None), None)


def _of_machine(field: str, usual: float, words: str) -> Fill:
    """Fill from the first machine that tells it, else by what is usual."""

    def fill(place: Place) -> Datum:
        machine = _told(field)(place)
        if machine is None:
            return Datum(usual, Origin("assumed", words))
        return Datum(getattr(machine, field), place.facts.set_origin(machine.name))

    return fill


def _of_drum(field: str) -> Fill:
    def fill(place: Place) -> Datum:
        drum = _drum(place)
        if drum is None:
            raise LookupError(place.name)
        return Datum(getattr(drum, field), place.facts.set_origin(drum.name))

    return fill


def _of_wash(field: str) -> Fill:
    return lambda place: Datum(getattr(_washer(place).wash, field), place.facts.set_origin(place.name))


def _liquor(place: Place) -> Datum:
    """Return the wash liquor the line is given, t/BDt: its dilution factor and what the mat takes along."""
    unit = _washer(place)
    found = unit.wash.dilution_factor_t_per_bdt + 100 / unit.consistency_pct - 1
    return Datum(round(found, 3), Origin("computed", "dilution factor by the mill's file and the mat's liquor"))


def _came(place: Place) -> Datum:
    """Return how strong the liquor is that comes with the pulp, kg/t."""
    unit = _washer(place)
    solids: Fitted | None = unit.feed_solids_kg_per_bdt
    value = USUAL_SOLIDS if solids is None else solids.value
    liquor = 100 / unit.wash.feed_consistency_pct - 1
    return Datum(round(value / liquor, 1), Origin("computed", "solids that come with the pulp over its liquor"))


def _strong(place: Place) -> Datum:
    """Return how strong the filtrate is, kg/t, as the balance of the line has it."""
    unit = _washer(place)
    liquor = 100 / unit.wash.feed_consistency_pct - 1
    told = _came(place).value * liquor / (liquor + unit.wash.dilution_factor_t_per_bdt)
    return Datum(round(told, 1), Origin("computed", "by the balance; type what the sample found"))


def _is(kind: Callable[[Place], object]) -> Callable[[Place], bool]:
    return lambda place: kind(place) is not None


WASH_PANELS: Final[tuple[Panel, ...]] = (
    Panel(
        "mat_load",
        "Mat on the drum, {of}",
        "mat_on_drum",
        {
            "production_bdt_per_h": ("Pulp over the drum", flow()),
            "drum_diameter_m": ("Drum, diameter", _of_drum("drum_diameter_m")),
            "drum_face_m": ("Its face", _of_drum("drum_face_m")),
            "drum_speed_rpm": ("Its speed", _of_drum("drum_speed_rpm")),
            "mat_consistency_pct": ("Mat consistency", _of_drum("discharge_consistency_pct")),
        },
        lambda size: f"{size.text} kg/m² on the wire: thin draws air, thick drains badly; speed in steps of a tenth.",
        decimals=2,
        at=("washer",),
        where=_is(_drum),
    ),
    Panel(
        "vacuum_limit",
        "Most vacuum before the filtrate boils, {of}",
        "most_vacuum",
        {
            "filtrate_c": ("Filtrate", assumed(75.0, "a usual filtrate; type the reading")),
            "barometric_kpa": ("Barometer", assumed(101.3, "at sea level")),
        },
        lambda size: (
            f"Vacuum up to {size.text} kPa: above it the leg gases and the mat comes off wet. Hotter shower, less."
        ),
        decimals=0,
        at=("washer",),
        where=_is(_sucks),
    ),
    Panel(
        "leg_vacuum",
        "Vacuum its drop leg makes, {of}",
        "drop_leg_vacuum",
        {
            "leg_m": ("Drop leg", assumed(9.0, "a usual leg")),
            "liquor_kg_per_m3": ("Liquor", assumed(1010.0, "weak liquor")),
            "gas_frac": ("Gas in it", assumed(0.08, "usual; type what the jar found")),
            "friction_kpa": ("Lost in the leg", assumed(8.0, "usual")),
        },
        lambda size: (
            f"{size.text} kPa is all it can make with this gas: less read than that, look at the valve and the seal."
        ),
        decimals=0,
        at=("washer",),
        where=_is(_sucks),
    ),
    Panel(
        "gas_in_liquor",
        "Gas in a filtrate, {of}",
        "gas_by_compression",
        {
            "volume_before_ml": ("Jar before", assumed(1000.0, "a litre")),
            "volume_after_ml": ("Jar after", assumed(945.0, "type the reading")),
            "pressure_before_kpa_abs": ("Pressure before", assumed(101.3, "open")),
            "pressure_after_kpa_abs": ("Pressure after", assumed(400.0, "three bar over")),
            "temperature_c": ("Temperature", assumed(70.0, "type the reading")),
        },
        lambda size: (
            f"{100 * size.value:.1f} % gas by volume: returns above the level, soap, a low vat come first; defoamer last."
        ),
        decimals=3,
        at=("washer",),
    ),
    Panel(
        "factor_by_three",
        "Dilution factor by flow, solids and warmth, {of}",
        "factor_witnesses",
        {
            "wash_liquor_t_per_bdt": ("Wash liquor, by its meter", _liquor),
            "feed_consistency_pct": ("Feed consistency", _of_wash("feed_consistency_pct")),
            "discharge_consistency_pct": ("Mat consistency", given("consistency_pct")),
            "feed_conc_kg_per_t": ("Solids with the pulp, kg/t", _came),
            "filtrate_conc_kg_per_t": ("Strong filtrate, kg/t", _strong),
            "discharge_conc_kg_per_t": ("Mat liquor, kg/t", assumed(4.0, "type what the sample found")),
            "wash_conc_kg_per_t": ("Wash liquor, kg/t", assumed(0.3, "clean hot water")),
            "feed_c": ("Pulp", assumed(85.0, "type the reading")),
            "filtrate_c": ("Strong filtrate", assumed(78.0, "type the reading")),
            "discharge_c": ("Mat", assumed(66.0, "type the reading")),
            "wash_c": ("Wash liquor", assumed(62.0, "type the reading")),
        },
        lambda size: (
            f"By flow {size.text} t/BDt; the others stand in the working. Where solids say more than the flow, stray water runs in."
        ),
        decimals=2,
        at=("washer",),
    ),
    Panel(
        "stray_by_tank",
        "Stray water, by a tank that creeps, {of}",
        "tank_gap",
        {
            "level_pct_per_h": ("Level, points an hour", assumed(2.0, "type the trend")),
            "tank_m3": ("Tank", _of_machine("tank_m3", 60.0, "a usual filtrate tank")),
            "production_bdt_per_h": ("Pulp over the line", flow()),
        },
        lambda size: f"{size.text} t/BDt runs in unasked: seals, hoses, wash-ups, before the shower is touched.",
        decimals=2,
        at=("washer",),
        where=_is(_told("tank_m3")),
    ),
    Panel(
        "vat_liquor",
        "Liquor that thins a vat, {of}",
        "vat_dilution",
        {
            "production_bdt_per_h": ("Pulp over the drum", flow()),
            "feed_consistency_pct": ("As it comes", _of_wash("feed_consistency_pct")),
            "vat_consistency_pct": ("Wanted in the vat", _of_machine("vat_consistency_pct", 1.2, "a usual vat")),
        },
        lambda size: f"{size.text} L/min of its own filtrate to the vat.",
        decimals=0,
        at=("washer",),
        where=_is(_told("vat_consistency_pct")),
    ),
)

THICKENER_PANEL: Final = Panel(
    "thickened",
    "What a thickener gives off, {of}",
    "thickener",
    {
        "production_bdt_per_h": ("Pulp through it", flow_in()),
        "inlet_consistency_pct": ("As it comes", assumed(1.8, "type the sample")),
        "outlet_consistency_pct": ("As it leaves", given("consistency_pct")),
        "filtrate_kg_per_m3": ("Fibre in its filtrate", assumed(0.25, "type the test")),
    },
    lambda size: (
        f"{size.text} t/h of filtrate; the fibre it loses stands in the working. Twice the usual: a torn wire."
    ),
    decimals=0,
    at=("thickener",),
)
