"""The set panels of a bleach: its last pump, steam, pH, what a solution brings along, gas over dioxide, liquor used again."""

from collections.abc import Callable
from typing import Final

from desk.frame.panels.attempt import Panel, Sets
from desk.frame.panels.fills import Fill, assumed, flow_in, given
from stock.bleaching.ph import BUFFER_ACID, BUFFER_ALKALINE
from stock.bleaching.symbols import middle
from stock.bleaching.unit import BleachStage
from stock.figure import Datum, Figure, Origin
from stock.judge.here import Place

COOLED_C: Final = 8.0
MOST_THICK_PCT: Final = 40.0


def _bleach(place: Place) -> BleachStage:
    if not isinstance(place.unit, BleachStage):
        raise LookupError(place.name)  # noqa: TRY004  what is not there is looked for in vain
    return place.unit


def _doses(place: Place) -> bool:
    return isinstance(place.unit, BleachStage) and place.unit.charge_kg_per_bdt is not None


def _gives(chemical: str) -> Callable[[Place], bool]:
    return lambda place: (
        isinstance(place.unit, BleachStage)
        and any(place.unit.symbol(at).chemical == chemical for at in range(len(place.unit.stages)))
    )


def _charge(place: Place) -> Datum:
    return place.stands(f"charge:{place.unit.id}", place.given("charge_kg_per_bdt"))


def _of_last(field: str) -> Fill:
    """Fill from the last stage as it is told, else from the middle of what is usual for its kind."""

    def fill(place: Place) -> Datum:
        unit = _bleach(place)
        told = getattr(unit.last, field)
        if told is not None:
            return Datum(told, place.facts.set_origin(unit.name))
        window = {"consistency_pct": "consistency_pct", "temperature_c": "temperature_c", "end_ph": "ph"}[field]
        usual = middle(getattr(unit.symbol(len(unit.stages) - 1), window))
        return Datum(usual, Origin("assumed", "the middle of what is usual for such a stage"))

    return fill


def _before_steam(place: Place) -> Datum:
    warm = float(_of_last("temperature_c")(place).value)
    return Datum(max(warm - COOLED_C, 0.0), Origin("assumed", f"{COOLED_C:g} °C lost in washing, as is usual"))


def _before_solution(place: Place) -> Datum:
    """Return the consistency of the stock that a solution brings to the stage's own."""
    in_stage = float(_of_last("consistency_pct")(place).value)
    water = float(_charge(place).value) / float(place.given("solution_g_per_l").value)
    thick = 100 / max(100 / in_stage - water, 100 / MOST_THICK_PCT)
    return Datum(round(thick, 2), Origin("computed", f"the stage's {in_stage:g} % less the water of the solution"))


def _say_solution(brought: Figure) -> str:
    after = brought.results
    return f"The stock stands at {after['consistency_pct']:.1f} % and {after['temperature_c']:.0f} °C after it: {brought.text} m³/BDt come along."


def _buffer(place: Place) -> Datum:
    unit = _bleach(place)
    acid = middle(unit.symbol(len(unit.stages) - 1).ph) < 7
    return Datum(
        BUFFER_ACID if acid else BUFFER_ALKALINE, Origin("assumed", "usual of such a stage; titrate its own liquor")
    )


BLEACH_PANELS: Final[tuple[Panel, ...]] = (
    Panel(
        "dosing",
        "Dosing flow of the last stage, {of}",
        "dosing_flow",
        {
            "charge_kg_per_bdt": ("Charge", _charge),
            "production_bdt_per_h": ("Pulp through the stage", flow_in()),
            "solution_g_per_l": ("Solution strength", given("solution_g_per_l")),
        },
        lambda size: f"Set the dosing pump to {size.text} L/min.",
        decimals=1,
        at=("bleach_stage",),
        where=_doses,
        sets=Sets(lambda place: f"charge:{place.unit.id}", field="charge_kg_per_bdt"),
    ),
    Panel(
        "bleach_steam",
        "Steam straight into the stock, {of}",
        "direct_steam",
        {
            "production_bdt_per_h": ("Pulp", flow_in()),
            "stock_consistency_pct": ("Its consistency", _of_last("consistency_pct")),
            "in_c": ("As it comes", _before_steam),
            "out_c": ("As it is to be", _of_last("temperature_c")),
        },
        lambda size: f"Let in {size.text} t/h of steam.",
        decimals=2,
        at=("bleach_stage",),
    ),
    Panel(
        "bleach_heater",
        "Steam through a wall, {of}",
        "indirect_steam",
        {
            "production_bdt_per_h": ("Pulp", flow_in()),
            "stock_consistency_pct": ("Its consistency", _of_last("consistency_pct")),
            "in_c": ("As it comes", _before_steam),
            "out_c": ("As it is to be", _of_last("temperature_c")),
            "condensate_c": ("Condensate", assumed(90.0, "a usual condensate")),
        },
        lambda size: f"{size.text} t/h of steam; the stock stays as thick as it came.",
        decimals=2,
        at=("bleach_stage",),
    ),
    Panel(
        "bleach_ph",
        "Caustic for the last stage's pH, {of}",
        "ph_dose",
        {
            "now_ph": ("pH found", _of_last("end_ph")),
            "target_ph": ("pH wanted", _of_last("end_ph")),
            "stage_consistency_pct": ("Consistency of the stage", _of_last("consistency_pct")),
            "buffer_mmol_per_l_ph": ("Buffer of its liquor", _buffer),
        },
        lambda size: f"Move the caustic by {size.value:+.2f} kg/BDt.",
        decimals=2,
        at=("bleach_stage",),
    ),
    Panel(
        "solution",
        "What the solution does to the stock, {of}",
        "after_solution",
        {
            "charge_kg_per_bdt": ("Charge", _charge),
            "solution_g_per_l": ("Solution strength", given("solution_g_per_l")),
            "stock_consistency_pct": ("Stock before it", _before_solution),
            "stock_temperature_c": ("Its warmth", _of_last("temperature_c")),
            "solution_temperature_c": ("Warmth of the solution", assumed(10.0, "a chilled solution")),
        },
        _say_solution,
        decimals=2,
        at=("bleach_stage",),
        where=_doses,
    ),
    Panel(
        "make_down",
        "Two strengths into one, {of}",
        "mix_strengths",
        {
            "target_m3": ("Volume wanted", assumed(40.0, "a usual make-down")),
            "target_g_per_l": ("Strength wanted", _of_last("solution_g_per_l")),
            "strong_g_per_l": ("The stronger", assumed(60.0, "type the titration")),
            "weak_g_per_l": ("The weaker, 0 for water", assumed(0.0, "water")),
        },
        lambda size: (
            f"{size.text} m³ of the stronger, the rest of the weaker; titrate it before a pump draws. Caustic and acid into water."
        ),
        decimals=1,
        at=("bleach_stage",),
        where=_doses,
    ),
    Panel(
        "dioxide_gas",
        "Gas above the dioxide solution, {of}",
        "dioxide_gas",
        {
            "strength_g_per_l": ("Strength", assumed(8.8, "a usual strength; type the titration")),
            "temperature_c": ("Its warmth", assumed(10.0, "a chilled solution; type the reading")),
        },
        lambda size: f"{size.text} kPa of dioxide: watch at 8, stop at 10; the site's own limit rules.",
        decimals=1,
        at=("bleach_stage",),
        where=_gives("dioxide"),
    ),
    Panel(
        "fresh_peroxide",
        "Fresh peroxide where liquor is used again, {of}",
        "fresh_peroxide",
        {
            "charge_kg_per_bdt": ("Charge the stage is to have", _charge),
            "residual_frac": ("Share left at the press", assumed(0.2, "a usual residual")),
            "mixed_consistency_pct": ("Consistency before the press", _of_last("consistency_pct")),
            "press_consistency_pct": ("Consistency after it", assumed(30.0, "a press")),
        },
        lambda size: f"Buy {size.text} kg/BDt; metals and oxygen demand climb with what comes back.",
        decimals=1,
        at=("bleach_stage",),
        where=lambda place: isinstance(place.unit, BleachStage) and place.unit.chemical == "peroxide",
    ),
)
