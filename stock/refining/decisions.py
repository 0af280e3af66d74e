"""What to do about a freeness off its band."""

from stock.figure import Figure, figure
from stock.judge.here import Here
from stock.judge.rule import Rule, by_step


def _power(here: Here) -> Figure:
    return figure(
        "power_step",
        "net power",
        {
            "now_csf_ml": here.now,
            "target_csf_ml": here.wanted,
            "bd_t_per_h": here.flow_in(),
            "slope_ratio": here.given("slope"),
        },
        decimals=0,
    )


ROWS: tuple[Rule, ...] = (
    Rule(
        "freeness",
        "freeness",
        ("low", "high"),
        ("flow changed at constant power", "plates", "incoming freeness"),
        "kWh per tonne first, then plate hours.",
        _power,
        by_step(lambda here: here.unit.name[:1].lower() + here.unit.name[1:], "kW net"),
        at=("refiner", "beater"),
    ),
)
