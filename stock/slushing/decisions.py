"""What to do about a pulper batch off its consistency."""

from stock.figure import Figure, figure
from stock.judge.here import Here
from stock.judge.rule import Rule, by_step


def _water(here: Here) -> Figure:
    return figure(
        "batch_water_correction",
        "water in the next batch",
        {"od_t": here.given("batch_odt"), "consistency_pct": here.now, "target_consistency_pct": here.wanted},
        decimals=1,
    )


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
    ),
)
