"""What to do about a brightness off its band, and a solution off its strength."""

from collections.abc import Iterable

from stock.bleaching.unit import BleachStage
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, look_at, stage_charge
from stock.parts import Fitted

CAP_FRAC = 0.20  # of the present charge, the most a first step moves it


def _charge(here: Here) -> Datum:
    return here.given("charge_kg_per_odt")


def _change(here: Here) -> Figure:
    """Change of the stage's charge, through what came into it: what it has had already counts."""
    return figure(
        "charge_correction",
        "peroxide",
        {
            "now_brightness_pct": here.now,
            "target_brightness_pct": here.wanted,
            "charge_kg_per_odt": _charge(here),
            "response_per_kg": here.given("response_per_kg"),
            "ks_floor_ks": here.given("ks_floor"),
        },
        decimals=1,
    )


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    charge = _charge(here).value
    yield Most(CAP_FRAC * charge, f"a first step of {100 * CAP_FRAC:.0f} % of {charge:g} kg/BDt at most")
    response = getattr(here.unit, "response_per_kg", None)
    if isinstance(response, Fitted) and response.holds is not None:
        low, high = response.holds
        room = high - charge if size.value > 0 else charge - low
        yield Most(max(0.0, room), f"the response is known from {low:g} to {high:g} kg/BDt only")


def _look(here: Here) -> Figure | str:
    minutes = getattr(here.unit, "retention_min", None)
    if minutes is None:
        return "after the stage's own time, and the test's"
    return look_at(here, plug_min=Datum(minutes, here.facts.set_origin(here.unit.name)))


def _pump(here: Here, step: Figure) -> str:
    """Say what else moves with the charge: the pump, and the alkali."""
    unit = here.unit
    words = "Move the caustic with it so that the stage still ends at its pH"
    if not isinstance(unit, BleachStage) or unit.solution_g_per_l is None:
        return words
    charge = _charge(here).value + step.results["step_moved"]
    data = {
        "charge_kg_per_odt": Datum(charge, Origin("computed", "present charge and the step")),
        "production_bd_t_per_h": here.flow_in(),
        "solution_g_per_l": here.given("solution_g_per_l"),
    }
    try:
        pump = figure("dosing_flow", "pump", data)
    except DomainError:
        return words
    return f"Pump at {pump.text} L/min at the present rate. {words}"


def _say(step: Figure, here: Here) -> str:
    verb = "Add" if step.value > 0 else "Cut"
    return f"{verb} {abs(step.value):.1f} kg/BDt peroxide"


def _by_peroxide(here: Here) -> bool:
    return isinstance(here.unit, BleachStage) and here.unit.chemical == "peroxide"


def _scale(here: Here) -> Figure:
    """What to multiply the pump by, so that the charge stays."""
    return figure(
        "pump_for_strength",
        "pump, times what it runs",
        {"strength_now_g_per_l": here.now, "strength_set_g_per_l": here.wanted},
        decimals=3,
    )


ROWS: tuple[Rule, ...] = (
    Rule(
        "dull",
        "brightness",
        ("low", "high"),
        ("short of peroxide, or over", "carry-over from the washer", "cold or short tower", "kappa of the pulp"),
        "End pH 10.8 to 11.2, residual, solution strength; the pump, and whether it was moved.",
        _change,
        _say,
        at=("bleach_stage",),
        where=_by_peroxide,
        handle=Handle(_look, limits=_limits, also=_pump, moves=stage_charge),
    ),
    Rule(
        "solution_off",
        "strength",
        ("low", "high"),
        ("generator or dilution", "warm or old solution: it decomposes", "sample lost gas"),
        "Titrate again, cold and at once; the temperature of the tank. Vapour: monitor and mask, never by smell.",
        _scale,
        lambda size, here: f"Multiply the pump by {size.text} for the same charge, at once",
        at=("bleach_chemicals",),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "brightness",
        ("low",),
        "No response of this stage is fitted, so no size: strength and pump first, then end pH, residual and temperature, then the kappa that comes in; one ladder of charges fits it.",
        at=("bleach_stage",),
    ),
    Quiet(
        "brightness",
        ("high",),
        "Brighter than asked costs chemicals. No response of this stage is fitted, so no size: take charge off in steps of a tenth, a stage's time apart.",
        at=("bleach_stage",),
    ),
)
