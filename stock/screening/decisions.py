"""What to do about shives that come through."""

from stock.figure import Datum, Figure, figure
from stock.judge.here import Here
from stock.judge.rule import Rule


def _reject(here: Here) -> Figure:
    """Reject rate that removes the share of shives the target asks for, feed unchanged."""
    now, target = here.now, here.wanted
    rate, quotient = here.reading("reject_rate"), here.given("quotient")
    removed = figure(
        "debris_removed",
        "removal now",
        {"mass_reject_frac": Datum(rate.value / 100, rate.origin), "quotient_ratio": quotient},
        decimals=3,
    )
    wanted = 1 - (1 - removed.value) * target.value / now.value
    return figure(
        "mass_reject_for_removal",
        "mass reject rate",
        {"removal_frac": Datum(wanted, removed.as_datum().origin, removed), "quotient_ratio": quotient},
        decimals=2,
    )


ROWS: tuple[Rule, ...] = (
    Rule(
        "shives_high",
        "shives",
        ("high",),
        ("reject rate low", "basket damaged", "cook uneven"),
        "Reject flow and consistency; feed count before moving a valve.",
        _reject,
        lambda size, here: f"Set the reject rate to {100 * size.value:.0f} % by mass",
        at=("screen",),
    ),
)
