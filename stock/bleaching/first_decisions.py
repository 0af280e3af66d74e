"""What to do about kappa and brightness after extraction, by the first stage: everything after it feels it."""

from collections.abc import Iterable

from stock.bleaching.last_stage import bleach_at, caustic_with, stage_room, told_of
from stock.bleaching.symbols import FORMULA
from stock.bleaching.through import extracted, usual_charge
from stock.bleaching.unit import BleachStage
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule, look_at

CAP_FRAC = 0.10  # of the present charge, the most a first step moves it


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
    yield Most(CAP_FRAC * charge, f"a first step of {100 * CAP_FRAC:.0f} % of {charge:g} kg/BDt at most")
    yield from stage_room(here, unit.stages[0], charge, size.value)


def _look_through(here: Here) -> Figure | str:
    """From the first mixer to where the extracted pulp is taken."""
    unit, rate = bleach_at(here), here.flow_in().value
    at = extracted([one.symbol for one in unit.stages]) or 0
    return look_at(here, plug_min=told_of(here, sum(one.minutes(rate) for one in unit.stages[: at + 1])))


def _say_first(step: Figure, here: Here) -> str:
    verb = "Add" if step.value > 0 else "Cut"
    return f"{verb} {abs(step.value):.1f} kg/BDt {FORMULA['dioxide']} in the first stage"


def _first_charge(here: Here) -> Moved:
    unit = bleach_at(here)
    words = f"charge, {unit.called(0)} of {unit.name[:1].lower() + unit.name[1:]}"
    return Moved(f"charge:{unit.id}:1", words, "kg/BDt")


def _extraction_too(here: Here, step: Figure) -> str:
    alkali = caustic_with(step.results["step_moved"])
    return f"Extraction's caustic with it, {alkali:+.1f} kg/BDt. Pulp past the first stage is met in the last"


FIRST_ROWS: tuple[Rule, ...] = (
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
)

FIRST_QUIET: tuple[Quiet, ...] = (
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
