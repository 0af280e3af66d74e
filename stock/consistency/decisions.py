"""What to do about stock off its consistency, and a vessel off its level."""

from stock.figure import Datum, Figure, figure
from stock.judge.here import Here
from stock.judge.rule import Rule
from stock.primitives import Vessel


def _water(here: Here) -> Figure:
    """Dilution to let in: from what it is to the target."""
    return _dilution(here, here.now, here.wanted, "dilution water")


def _thin(here: Here) -> Figure:
    """How much dilution to take off: the water that would thin target stock to what it is now."""
    return _dilution(here, here.wanted, here.now, "dilution water to take off")


def _dilution(here: Here, before: Datum, after: Datum, label: str) -> Figure:
    return figure(
        "dilution_water_l_per_min",
        label,
        {
            "flow_l_per_min": here.flow_l_per_min(),
            "consistency_in_pct": before,
            "consistency_out_pct": after,
            "water_consistency_pct": here.dilution_pct(),
        },
        decimals=0,
    )


def _feed(here: Here) -> Figure:
    unit = here.unit
    hours = unit.horizon_h or unit.HORIZON_H if isinstance(unit, Vessel) else 1.0
    return figure(
        "feed_change",
        "feed above the draw",
        {
            "wanted_bd_t": here.contents(here.wanted, "stock at target level").as_datum(),
            "level_bd_t": here.contents(here.now, "stock now").as_datum(),
            "horizon_h": Datum(hours, here.facts.set_origin(here.unit.name)),
        },
        decimals=2,
    )


def _say_feed(size: Figure, here: Here) -> str:
    hours = size.data["horizon_h"].value
    span = "for an hour" if hours == 1 else f"for {hours:g} h"
    return f"Feed {size.text} BDt/h more than is drawn, {span}"


def _is_diluted(here: Here) -> bool:
    return here.line.graph.dilution(here.unit.id) is not None


DILUTED = ("dilution", "refiner")
CHESTS = ("chest", "blend_chest", "machine_chest")

ROWS: tuple[Rule, ...] = (
    Rule(
        "thick",
        "consistency",
        ("high",),
        ("transmitter drift", "thicker mat after a rate change", "dilution valve stuck"),
        "Is the transmitter right? Take a pad; trim only on five pairs.",
        _water,
        lambda size, here: f"Open the dilution {size.text} L/min",
        at=DILUTED,
    ),
    Rule(
        "thin",
        "consistency",
        ("low",),
        ("transmitter drift", "wet mat, low vacuum", "dilution valve stuck open"),
        "Is the transmitter right? Take a pad; look at the mat.",
        _thin,
        lambda size, here: f"Close the dilution {size.text} L/min",
        at=DILUTED,
    ),
    Rule(
        "chest_thick",
        "consistency",
        ("high",),
        ("transmitter drift", "dilution valve stuck", "a thick component"),
        "Is the transmitter right? Take a pad; look at what runs in.",
        _water,
        lambda size, here: f"Open the dilution {size.text} L/min",
        at=CHESTS,
        where=_is_diluted,
    ),
    Rule(
        "chest_thin",
        "consistency",
        ("low",),
        ("transmitter drift", "dilution valve stuck open", "a thin component, wash-up water"),
        "Is the transmitter right? Take a pad; look at what runs in.",
        _thin,
        lambda size, here: f"Close the dilution {size.text} L/min",
        at=CHESTS,
        where=_is_diluted,
    ),
    Rule(
        "chest_low",
        "level",
        ("low",),
        ("demand up", "feed limited", "broke cut"),
        "What is fed against what is drawn.",
        _feed,
        _say_feed,
        at=CHESTS,
    ),
    Rule(
        "tower_low",
        "level",
        ("low",),
        ("what feeds it runs late", "draw above plan", "washer slow"),
        "The next cook, and this share of the blend.",
        _feed,
        lambda size, here: f"Feed {size.text} BDt/h more than is drawn, or cut the {here.family} share",
        at=("tower",),
    ),
)
