"""What to do about what bleaching leaves behind: oxidant before a reducing stage, pulp that yellows, pulp dissolved."""

from collections.abc import Iterable
from typing import Final

from stock.bleaching.last_stage import bleach_at, dose_moved, look_after_last, pump_room, told_of
from stock.bleaching.symbols import FORMULA, middle
from stock.bleaching.unit import BleachStage, Dosed
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule

REDUCING: Final = ("dithionite", "FAS")
KILL_STEP: Final = 0.5  # kg/BDt, the most a first step of sulphur dioxide
COUNTED_AS: Final = {"dioxide": "cl2", "peroxide": "h2o2", "peracid": "h2o2", "hypochlorite": "cl2"}


def reduces_last(here: Here) -> bool:
    """Whether the last stage there is a reducing one."""
    return isinstance(here.unit, BleachStage) and here.unit.chemical in REDUCING


def _killer(here: Here) -> Dosed | None:
    """Return the sulphur dioxide nearest the end of a bleach; None where it is given none."""
    unit = bleach_at(here)
    given = (one for at in reversed(range(len(unit.stages))) for one in unit.doses(at))
    return next((one for one in given if one.chemical == "sulphur_dioxide"), None)


def _kills(here: Here, residual: Datum, stage: int) -> Figure:
    """Return the sulphur dioxide that leaves nothing of a residual told at a stage, kg/BDt."""
    unit = bleach_at(here)
    symbol = unit.symbol(stage)
    thick = unit.stages[stage].consistency_pct or middle(symbol.consistency_pct)
    counted = COUNTED_AS.get(symbol.chemical, "h2o2")
    return figure(
        "so2_kills",
        "sulphur dioxide",
        {
            "residual_g_per_l": residual,
            "stage_consistency_pct": told_of(here, thick),
            "chemical": Datum(counted, Origin("assumed", "what the residual is titrated as")),
        },
        decimals=2,
    )


def _before_last(here: Here) -> Figure:
    return _kills(here, here.now, max(len(bleach_at(here).stages) - 2, 0))


def _left_in(here: Here) -> Figure:
    return _kills(here, here.reading("residual"), len(bleach_at(here).stages) - 1)


def _kill_limits(here: Here, size: Figure) -> Iterable[Most]:
    yield Most(KILL_STEP, f"a first step of {KILL_STEP:g} kg/BDt at most")
    if (found := _killer(here)) is not None:
        yield from pump_room(here, found)


def _kill_moved(here: Here) -> Moved | None:
    found = _killer(here)
    return None if found is None else dose_moved(here, found, "sulphur dioxide")


def _say_kill(step: Figure, here: Here) -> str:
    return f"Add {step.value:.2f} kg/BDt {FORMULA['sulphur_dioxide']}, then titrate until nothing is left"


def _residual_left(here: Here) -> bool:
    """Whether a residual is read there that sulphur dioxide would kill."""
    try:
        value = float(here.reading("residual").value)
    except LookupError:
        return False
    return isinstance(here.unit, BleachStage) and here.unit.chemical in COUNTED_AS and value > 0.01


def _dissolved(here: Here) -> Figure:
    """What is dissolved over what is wanted, as pulp."""
    more = Datum(float(here.now.value) - float(here.wanted.value), Origin("computed", "read less wanted"))
    return figure("pulp_dissolved", "pulp lost", {"dissolved_cod_kg_per_bdt": more}, decimals=1)


def _say_dissolved(size: Figure, here: Here) -> str:
    rate = float(here.flow_in().value)
    lost = size.value / 100 * rate * 24
    return (
        f"{size.text} % more of the pulp is dissolved than wanted, {lost:.1f} BDt a day at the present rate: alkali of the"
        " extraction down by 1 kg/BDt a step, its end pH not below 10.8; then the charges back to the cheapest"
    )


AFTERMATH_ROWS: Final[tuple[Rule, ...]] = (
    Rule(
        "oxidant_left",
        "oxidant",
        ("high",),
        ("charge of the stage before is high", "cold or short stage before", "wash or press before it poor"),
        "Titrate it at once, within minutes. Dithionite and FAS are eaten by it before they reach the pulp.",
        _before_last,
        _say_kill,
        at=("bleach_stage",),
        where=reduces_last,
        handle=Handle(look_after_last, limits=_kill_limits, moves=_kill_moved),
        mind=lambda here, size: (
            "Sulphur dioxide is a gas from its solution: the monitor judges, never the nose; never with acid"
        ),
    ),
    Rule(
        "reverts",
        "post_colour",
        ("high",),
        (
            "residual left in",
            "pH of storage off 5 to 6",
            "metals",
            "hexenuronic acid, or carbonyls from over-oxidation",
        ),
        "Residual at the chest, titrated at once; pH and warmth of storage; metals. The ageing of the pad, as it is always done.",
        _left_in,
        _say_kill,
        at=("bleach_stage",),
        where=_residual_left,
        handle=Handle(look_after_last, limits=_kill_limits, moves=_kill_moved),
        mind=lambda here, size: "Store at pH 5 to 6. The slower cure is a last stage of peroxide, or hot acid before",
    ),
    Rule(
        "dissolves",
        "dissolved",
        ("high",),
        ("extraction over-alkaline", "hot peroxide on mechanical pulp", "bleached further than asked"),
        "End pH of the extraction at 25 °C; brightness against its target; carry-over of the washers taken off.",
        _dissolved,
        _say_dissolved,
        at=("bleach_stage",),
    ),
)

AFTERMATH_QUIET: Final[tuple[Quiet, ...]] = (
    Quiet(
        "oxidant",
        ("high",),
        "The stage after is not a reducing one: it does no harm there. None of it may reach storage or an alkaline stage.",
        at=("bleach_stage",),
    ),
    Quiet(
        "oxidant",
        ("low",),
        "Nothing is left: as it should be before a reducing stage.",
        at=("bleach_stage",),
    ),
    Quiet(
        "post_colour",
        ("high",),
        "No residual is read, so nothing to kill: metals by a chelant stage, storage at pH 5 to 6 and cool; then a last stage of peroxide or hot acid before, which is for the engineer.",
        at=("bleach_stage",),
    ),
    Quiet(
        "post_colour", ("low",), "It keeps its colour better than asked: nothing to move for it.", at=("bleach_stage",)
    ),
    Quiet(
        "dissolved",
        ("low",),
        "Less is dissolved than usual: good, where kappa after extraction and brightness hold; else the extraction's alkali is short.",
        at=("bleach_stage",),
    ),
)
