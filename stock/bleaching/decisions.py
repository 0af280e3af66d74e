"""What to do about a brightness, a residual or a kappa off its band, and a solution off its strength.

A size is for the pulp still to come; pulp past a mixer is treated in the next stage. A charge is corrected
through its own stage's inlet, a pump by what the titration says.
"""

from collections.abc import Iterable

from stock.bleaching.aftermath import AFTERMATH_QUIET, AFTERMATH_ROWS, REDUCING, reduces_last
from stock.bleaching.conditions import CONDITION_QUIET, CONDITION_ROWS
from stock.bleaching.last_stage import bleach_at, look_after_last, reaches, told_of
from stock.bleaching.residual import residual_share
from stock.bleaching.symbols import FORMULA, middle
from stock.bleaching.through import extracted, usual_charge
from stock.bleaching.unit import BleachDose, BleachStage, Stage
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule, look_at, stage_charge
from stock.parts import Fitted

CAP_FRAC = 0.20  # of the present charge, the most a first step moves it
FIRST_CAP_FRAC = 0.10  # of the first stage's, which everything after it feels
REDUCING_STEP = 1.0  # kg/BDt, of dithionite or FAS
ALKALI_PER_ACTIVE_CL = 0.5


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
    yield from _pump_room(here, last, charge, size.value)


def _held(response: Fitted | None, charge: float, size: float) -> Iterable[Most]:
    if response is not None and response.holds is not None:
        low, high = response.holds
        room = high - charge if size > 0 else charge - low
        yield Most(max(0.0, room), f"the response is known from {low:g} to {high:g} kg/BDt only")


def _pump_room(here: Here, stage: Stage, charge: float, size: float) -> Iterable[Most]:
    rate = here.flow_in().value
    if size > 0 and stage.most_l_per_min and stage.solution_g_per_l and rate > 0:
        most = reaches(stage.most_l_per_min, stage.solution_g_per_l, rate)
        yield Most(max(0.0, most - charge), f"the pump gives {stage.most_l_per_min:g} L/min, {most:.1f} kg/BDt")


def _look_through(here: Here) -> Figure | str:
    """From the first mixer to where the extracted pulp is taken."""
    unit, rate = bleach_at(here), here.flow_in().value
    at = extracted([one.symbol for one in unit.stages]) or 0
    return look_at(here, plug_min=told_of(here, sum(one.minutes(rate) for one in unit.stages[: at + 1])))


def _pump(here: Here, step: Figure) -> str:
    """Say what else moves with the charge: the pump, and the alkali."""
    unit = bleach_at(here)
    moved = step.results["step_moved"]
    words = "Move the caustic with it so that the stage still ends at its pH"
    if unit.chemical == "dioxide":
        words = f"Caustic with it, {ALKALI_PER_ACTIVE_CL * 2.63 * moved:+.1f} kg/BDt, so that it still ends at its pH"
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


# ---- kappa and brightness after extraction, by the first stage


def _first(here: Here) -> Figure:
    unit = bleach_at(here)
    at = extracted([one.symbol for one in unit.stages]) or 0
    return figure(
        "first_stage_trim",
        "dioxide to the first stage",
        {
            "extracted_kappa": here.now,
            "target_kappa": here.wanted,
            "kappa_in_kappa": Datum(_kappa_in(here), Origin("computed", "kappa of the cook it comes from")),
            "rate_factor": _kappa_rate(here),
            "floor_kappa": Datum(unit.symbol(at).kappa_floor, Origin("assumed", "what extraction leaves of the least")),
        },
        decimals=1,
    )


def _kappa_rate(here: Here) -> Datum:
    """Return the rate of the first stage: as accepted, else as the file fits it, else as is usual."""
    unit = bleach_at(here)
    found = here.facts.stands(f"kappa_rate:{unit.id}:1")
    if found is not None:
        return found
    told = unit.stages[0].kappa_rate
    if told is not None:
        return told_of(here, told.value)
    return Datum(unit.symbol(0).kappa_rate, Origin("assumed", "usual rate of such a stage"))


def _kappa_in(here: Here) -> float:
    for one in here.line.graph.upstream(here.unit.id):
        recipes = here.line.cook.at(one.id)
        if recipes:
            try:
                return float(here.facts.reading(recipes[0].kappa_tag or "").value)
            except LookupError:  # none was measured yet: what it is cooked to
                return recipes[0].kappa_target
    kappa = bleach_at(here).kappa
    if kappa is None:
        raise LookupError(here.unit.id)
    return kappa


def _first_is_dioxide(here: Here) -> bool:
    unit = here.unit
    return isinstance(unit, BleachStage) and len(unit.stages) > 1 and unit.symbol(0).chemical == "dioxide"


def _first_limits(here: Here, size: Figure) -> Iterable[Most]:
    unit = bleach_at(here)
    usual = told_of(here, usual_charge(unit.stages[0], unit.symbol(0)))
    charge = float(here.stands(f"charge:{unit.id}:1", usual).value)
    yield Most(FIRST_CAP_FRAC * charge, f"a first step of {100 * FIRST_CAP_FRAC:.0f} % of {charge:g} kg/BDt at most")
    yield from _pump_room(here, unit.stages[0], charge, size.value)


def _say_first(step: Figure, here: Here) -> str:
    verb = "Add" if step.value > 0 else "Cut"
    return f"{verb} {abs(step.value):.1f} kg/BDt {FORMULA['dioxide']} in the first stage"


def _first_charge(here: Here) -> Moved:
    unit = bleach_at(here)
    words = f"charge, {unit.called(0)} of {unit.name[:1].lower() + unit.name[1:]}"
    return Moved(f"charge:{unit.id}:1", words, "kg/BDt")


def _extraction_too(here: Here, step: Figure) -> str:
    alkali = ALKALI_PER_ACTIVE_CL * 2.63 * step.results["step_moved"]
    return f"Extraction's caustic with it, {alkali:+.1f} kg/BDt. Pulp past the first stage is met in the last"


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
        "extracted_kappa_off",
        "extracted_kappa",
        ("low", "high"),
        (
            "dioxide solution off its strength",
            "kappa of the cooks",
            "carry-over from the washers",
            "rate or consistency read wrong",
        ),
        "Titrate the solution, pump by a drawdown, a pad, oxygen demand of the mat: in this order, before the recipe.",
        _first,
        _say_first,
        at=("bleach_stage",),
        where=_first_is_dioxide,
        handle=Handle(_look_through, limits=_first_limits, also=_extraction_too, moves=_first_charge),
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
    Quiet(
        "extracted_kappa",
        ("low", "high"),
        "The first stage is not dioxide here, so no size: the stage before it by its own law, a tenth a step.",
        at=("bleach_stage",),
    ),
    Quiet(
        "extracted_brightness",
        ("low",),
        "Dull after extraction: strength and pump of the first stage, kappa in, carry-over, in this order; size it by the kappa after extraction. Pulp already past is met in the last stage.",
        at=("bleach_stage",),
    ),
    Quiet(
        "extracted_brightness",
        ("high",),
        "Brighter after extraction than asked: let the last stage have less, by its own brightness.",
        at=("bleach_stage",),
    ),
)
