"""What to do about sizing and shade off their band at the reel, and about gas over a vessel."""

from typing import Final

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Rule, look_at

LOOP_MIN: Final = 20.0  # dye and size turn with the water of the wire
VESSELS: Final = (
    "chest", "blend_chest", "machine_chest", "broke_chest", "blow_tank", "tower", "pulper", "head_box", "water_tank",
)  # fmt: skip


def _dye(here: Here) -> Figure:
    return figure("dye_trim_pct", "the dye", {"now_ks": here.now, "wanted_ks": here.wanted}, decimals=0)


def _look(here: Here) -> Figure:
    return look_at(here, mixed_min=Datum(LOOP_MIN, Origin("assumed", "the wire loop's turn")))


def _say_dye(step: Figure, here: Here) -> str:
    return f"{'Raise' if step.value > 0 else 'Cut'} the dye by {abs(step.value):.0f} %, the one pump alone"


def _hold_it(here: Here, step: Figure) -> str:
    return (
        f"Hold what was made since the last good test, about {_held(here).text} t; no second step before this one shows"
    )


def _held(here: Here) -> Figure:
    order = here.facts.result.order
    said = Origin("set", "order that runs")
    every = Datum(here.tag.every_h or 1.0, Origin("set", "a test every so many hours"))
    return figure(
        "paper_held_t", "paper to hold", {"reel_t_per_h": Datum(order.reel_t_per_h, said), "since_h": every}, decimals=0
    )


ROWS: tuple[Rule, ...] = (
    Rule(
        "shade_off",
        "shade",
        ("low", "high"),
        ("a dye pump gives more or less than it says", "another lot of dye or broke", "retention moved"),
        "Draw down each dye pump; which band moved, and whether the test before moved already.",
        _dye,
        _say_dye,
        at=("reel",),
        handle=Handle(_look, also=_hold_it),
    ),
    Rule(
        "sizing_weak",
        "sizing",
        ("high",),
        ("the emulsion has aged", "alkalinity or temperature moved", "a size pump gives less"),
        "Age and temperature of the emulsion; draw down the pump.",
        _held,
        lambda size, here: (
            f"Hold {size.text} t; make size down fresh and discard the aged. Do not double the dose: it deposits"
        ),
        at=("reel",),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "weight",
        ("low", "high"),
        "Weight is the stock that goes to the sheet: its consistency and its flow, or the measure of a hand sheet, before anything else. Weigh a second one, conditioned alike.",
        at=("reel",),
    ),
    Quiet(
        "sizing",
        ("low",),
        "More size than it needs costs money and slips: look at the pump's draw-down, then take it off in steps of a tenth, each after the wire loop has turned.",
        at=("reel",),
    ),
    Quiet(
        "gas",
        ("high",),
        "Leave at once, across the wind, and give the alarm; nobody looks for the source or goes back. Acid and reducing streams are shut from afar. Entry is a permit job with a gas test and an attendant, by local code.",
        at=VESSELS,
    ),
    Quiet(
        "gas",
        ("low",),
        "A detector below its nought is a sick detector: take another, and test this one with gas.",
        at=VESSELS,
    ),
)
