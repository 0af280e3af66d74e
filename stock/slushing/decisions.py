"""What to do about a pulper batch off its consistency."""

from collections.abc import Iterable

from stock.figure import Figure, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, by_step

CAP_FRAC = 0.10  # of a batch's water, the most a step moves it


def _water(here: Here) -> Figure:
    return figure(
        "batch_water_correction",
        "water in the next batch",
        {"bdt": here.given("batch_bdt"), "consistency_pct": here.now, "target_consistency_pct": here.wanted},
        decimals=1,
    )


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    water = here.given("batch_bdt").value * (100 / here.now.value - 1)
    yield Most(CAP_FRAC * water, f"a tenth of the {water:.1f} t of water in a batch")


ROWS: tuple[Rule, ...] = (
    Rule(
        "pulper_off",
        "consistency",
        ("low", "high"),
        ("bale dryness wrong", "water meter", "heel left in the vat"),
        "Re-weigh three bales and dry a core.",
        _water,
        by_step("water to the next batch", "t"),
        at=("pulper",),
        handle=Handle(lambda here: "at the next batch, and leave one between two moves", limits=_limits),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "swing",
        ("high",),
        "A rope or a bale hangs: stop it, isolate, lock out, and let who is trained for it take it off. No reaching in, no poking, no cutting while it turns.",
        at=("pulper",),
    ),
    Quiet("swing", ("low",), "It turns on water alone, or not at all: look whether it is fed.", at=("pulper",)),
)
