"""What to do about a brightness that falls short."""

from stock.bleaching.unit import BleachStage
from stock.figure import Figure, figure
from stock.judge.here import Here
from stock.judge.rule import Rule


def _more(here: Here) -> Figure:
    return figure(
        "charge_for_brightness",
        "peroxide to add",
        {
            "start_brightness_pct": here.now,
            "target_brightness_pct": here.wanted,
            "response_per_kg": here.given("response_per_kg"),
            "ks_floor_ks": here.given("ks_floor"),
        },
        decimals=1,
    )


def _by_peroxide(here: Here) -> bool:
    return isinstance(here.unit, BleachStage) and here.unit.chemical == "peroxide"


ROWS: tuple[Rule, ...] = (
    Rule(
        "dull",
        "brightness",
        ("low",),
        ("short of peroxide", "carry-over from the washer", "cold or short tower"),
        "End pH 10.8 to 11.2, residual, solution strength.",
        _more,
        lambda size, here: f"Add {size.text} kg/BDt peroxide",
        at=("bleach_stage",),
        where=_by_peroxide,
    ),
)
