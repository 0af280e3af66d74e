"""What to do about a brightness, a residual or a kappa off its band, and a solution off its strength.

A size is for the pulp still to come; pulp past a mixer is treated in the next stage. A charge is corrected
through its own stage's inlet, a pump by what the titration says.
"""

from collections.abc import Iterable

from stock.bleaching.aftermath import AFTERMATH_QUIET, AFTERMATH_ROWS, REDUCING, reduces_last
from stock.bleaching.conditions import CONDITION_QUIET, CONDITION_ROWS
from stock.bleaching.first_decisions import FIRST_QUIET, FIRST_ROWS
from stock.bleaching.last_stage import bleach_at, caustic_with, look_after_last, reaches, stage_room, told_of
from stock.bleaching.residual import residual_share
from stock.bleaching.symbols import middle
from stock.bleaching.unit import BleachDose, BleachStage
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule, stage_charge
from stock.parts import Fitted

CAP_FRAC = 0.20  # of the present charge, the most a first step moves it
REDUCING_STEP = 1.0  # kg/BDt, of dithionite or FAS


def _charge(here: Here) -> Datum:
    return here.stands(f"charge:{here.unit.id}", here.given("charge_kg_per_bdt"))


def _known(here: Here, kind: str, field: str) -> Datum:
    """Return what the mill accepted of the last stage, else what its file says; LookupError where neither does."""
    found = here.facts.stands(f"{kind}:{here.unit.id}:{len(bleach_at(here).stages)}")
    return here.given(field) if found is None else found


# ---- brightness, by the last stage


def _change(here: Here) -> Figure:
    """Change of the stage's charge, through what came into it: what it has had already counts."""
    return figure(
        "charge_correction",
        bleach_at(here).chemical,
        {
            "now_brightness_pct": here.now,
            "target_brightness_pct": here.wanted,
            "charge_kg_per_bdt": _charge(here),
            "response_per_kg": _known(here, "response", "response_per_kg"),
            "ks_floor_ks": _known(here, "floor", "ks_floor"),
        },
        decimals=1,
    )


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    charge, last = _charge(here).value, bleach_at(here).last
    yield Most(CAP_FRAC * charge, f"a first step of {100 * CAP_FRAC:.0f} % of {charge:g} kg/BDt at most")
    if bleach_at(here).chemical in REDUCING:
        yield Most(REDUCING_STEP, f"a first step of {REDUCING_STEP:g} kg/BDt of a reducing chemical at most")
    yield from _held(last.response_per_kg, charge, size.value)
    yield from stage_room(here, last, charge, size.value)


def _held(response: Fitted | None, charge: float, size: float) -> Iterable[Most]:
    if response is not None and response.holds is not None:
        low, high = response.holds
        room = high - charge if size > 0 else charge - low
        yield Most(max(0.0, room), f"the response is known from {low:g} to {high:g} kg/BDt only")


def _pump(here: Here, step: Figure) -> str:
    """Say what else moves with the charge: the pump, and the alkali."""
    unit = bleach_at(here)
    moved = step.results["step_moved"]
    words = "Move the caustic with it so that the stage still ends at its pH"
    if unit.chemical == "dioxide":
        words = f"Caustic with it, {caustic_with(moved):+.1f} kg/BDt, so that it still ends at its pH"
    if unit.solution_g_per_l is None:
        return words
    data = {
        "charge_kg_per_bdt": Datum(_charge(here).value + moved, Origin("computed", "present charge and the step")),
        "production_bdt_per_h": here.flow_in(),
        "solution_g_per_l": here.given("solution_g_per_l"),
    }
    try:
        pump = figure("dosing_flow", "pump", data)
    except DomainError:
        return words
    return f"Pump at {pump.text} L/min at the present rate. {words}"


def _say(step: Figure, here: Here) -> str:
    verb = "Add" if step.value > 0 else "Cut"
    return f"{verb} {abs(step.value):.1f} kg/BDt {bleach_at(here).chemical}"


def _answers(here: Here) -> bool:
    """Whether the mill knows how brightness answers to the last stage's charge."""
    if not isinstance(here.unit, BleachStage) or here.unit.charge_kg_per_bdt is None:
        return False
    try:
        return all(_known(here, *one) for one in (("response", "response_per_kg"), ("floor", "ks_floor")))
    except LookupError:
        return False


# ---- residual


def _last_liquor(here: Here) -> tuple[float, float]:
    """Return the consistency of the last stage, and what a kilogram of its charge counts for in a residual."""
    unit = bleach_at(here)
    symbol = unit.symbol(len(unit.stages) - 1)
    return unit.last.consistency_pct or middle(symbol.consistency_pct), symbol.per_kg


def _unused(here: Here) -> Figure:
    """What leaves unused, taken off the last stage's charge."""
    thick, counts = _last_liquor(here)
    return figure(
        "residual_trim",
        "surely unused",
        {
            "residual_g_per_l": here.now,
            "target_g_per_l": here.wanted,
            "stage_consistency_pct": told_of(here, thick),
            "counts_ratio": Datum(counts, Origin("assumed", "a dioxide residual is told as active chlorine")),
        },
        decimals=2,
    )


def _left_share(here: Here) -> float:
    """Return the share of a charge that leaves unused: of a cut no more of it goes from what is left."""
    thick, counts = _last_liquor(here)
    charged = float(_charge(here).value) * counts
    try:
        left = residual_share(
            residual_g_per_l=float(here.now.value), stage_consistency_pct=thick, charge_kg_per_bdt=charged
        )
    except DomainError:  # as much as was charged, or more: all of a cut is left out
        return 1.0
    return left / 100


def _dull(here: Here) -> bool:
    """Whether the brightness read there is below its band."""
    try:
        now, band = here.reading("brightness").value, here.line.tag(here.part.tag_of("brightness") or "").band
    except LookupError:
        return False
    return band is not None and now < band.control[0]


def _bright_enough(here: Here) -> bool:
    return isinstance(here.unit, BleachStage) and here.unit.charge_kg_per_bdt is not None and not _dull(here)


def _less_charge(here: Here) -> Moved:
    moved = stage_charge(here)
    return Moved(moved.point, moved.words, moved.unit, per_step=-1.0)


def _cut_limits(here: Here, size: Figure) -> Iterable[Most]:
    charge = _charge(here).value
    yield Most(CAP_FRAC * charge, f"a first step of {100 * CAP_FRAC:.0f} % of {charge:g} kg/BDt at most")


# ---- a solution off its strength


def _scale(here: Here) -> Figure:
    """What to multiply the pump by, so that the charge stays."""
    return figure(
        "pump_for_strength",
        "pump, times what it runs",
        {"strength_now_g_per_l": here.now, "strength_set_g_per_l": here.wanted},
        decimals=3,
    )


def _say_scale(size: Figure, here: Here) -> str:
    found = f"Multiply the pump by {size.text} for the same charge, at once"
    if abs(size.value - 1) > 0.15:
        return f"Titrate again, then: {found[:1].lower()}{found[1:]}"
    return found


def _stop_of_pump(here: Here, size: Figure) -> str:
    """Say which stage's pump comes to its stop, and what charge that leaves."""
    if not isinstance(here.unit, BleachDose):
        return ""
    words = []
    for stream in here.line.graph.out(here.unit.id):
        unit = here.line.unit(stream.target)
        if not isinstance(unit, BleachStage):
            continue
        rate = here.at(unit).flow_in().value
        for at, stage in enumerate(unit.stages):
            if not (stage.solution_g_per_l and stage.most_l_per_min and stage.charge_kg_per_bdt):
                continue
            if abs(stage.solution_g_per_l / here.wanted.value - 1) > 0.3:
                continue
            most = reaches(stage.most_l_per_min, here.now.value, rate) if rate > 0 else stage.charge_kg_per_bdt
            if most < stage.charge_kg_per_bdt:
                words.append(
                    f"{unit.called(at)} reaches {most:.1f} of {stage.charge_kg_per_bdt:g} kg/BDt at its pump's stop"
                )
    return "; ".join(words)


ROWS: tuple[Rule, ...] = (
    *CONDITION_ROWS,
    *AFTERMATH_ROWS,
    *FIRST_ROWS,
    Rule(
        "dull_reduced",
        "brightness",
        ("low",),
        ("air in the stock", "oxidant left before it", "pH above 6.5", "old solution", "charge short"),
        "Titrate the solution and what oxidant is left before the stage; pH 5 to 6.5; the feed under the surface. More of it does nothing until these are right.",
        _change,
        _say,
        at=("bleach_stage",),
        where=lambda here: _answers(here) and reduces_last(here),
        handle=Handle(look_after_last, limits=_limits, also=_pump, moves=stage_charge),
    ),
    Rule(
        "dull",
        "brightness",
        ("low", "high"),
        ("short of chemical, or over", "carry-over from the washer", "cold or short tower", "kappa of the pulp"),
        "End pH, residual, solution strength; the pump, and whether it was moved. With residual left it is conditions, not charge.",
        _change,
        _say,
        at=("bleach_stage",),
        where=_answers,
        handle=Handle(look_after_last, limits=_limits, also=_pump, moves=stage_charge),
    ),
    Rule(
        "residual_over",
        "residual",
        ("high",),
        ("charge high for this pulp", "kappa fell", "cold: it looks over-charged"),
        "Temperature and kappa first; titrate within minutes of the sample. None of it may reach a reducing stage, an alkaline one or storage.",
        _unused,
        lambda step, here: f"Cut {abs(step.value):.1f} kg/BDt {bleach_at(here).chemical}: it leaves unused",
        at=("bleach_stage",),
        where=_bright_enough,
        handle=Handle(look_after_last, limits=_cut_limits, moves=_less_charge, comes=_left_share),
    ),
    Rule(
        "solution_off",
        "strength",
        ("low", "high"),
        ("generator or dilution", "warm or old solution: it decomposes", "sample lost gas"),
        "Titrate again, cold and at once; the temperature of the tank. Vapour: monitor and mask, never by smell.",
        _scale,
        _say_scale,
        at=("bleach_chemicals",),
        mind=_stop_of_pump,
    ),
)

QUIET: tuple[Quiet, ...] = (
    *CONDITION_QUIET,
    *AFTERMATH_QUIET,
    *FIRST_QUIET,
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
    Quiet(
        "residual",
        ("low",),
        "Little or nothing is left: strength and pump first. The brightness decides the charge; a nil residual hides an under-charge and darkens at an alkaline end.",
        at=("bleach_stage",),
    ),
    Quiet(
        "residual",
        ("high",),
        "Residual is left and the brightness is low: conditions, not charge. End pH into its window, three degrees more, level up for time; then look again.",
        at=("bleach_stage",),
    ),
)
