"""What to do about what lies in the yard: a hot pile, metal in a shift, stock that runs short."""

from stock.figure import Datum, Figure, Origin, figure
from stock.intake.definition import PileDef
from stock.intake.place import TO_COOK, is_wood, of_yard
from stock.judge.here import Here, given
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule

LOSS_KNOWN_C = 50.0  # above it the loss by temperature is not known: it stands for the loss at this
PILE_STOP_C, PILE_EMERGENCY_C = 60.0, 65.0  # stop and call; fire brigade


def _say_pile(size: Figure, here: Here) -> str:
    """Grade what to do by how hot it is."""
    at_c, name = here.now.value, here.name[:1].lower() + here.name[1:]
    if at_c >= PILE_EMERGENCY_C:
        return f"Emergency at {name}: call the fire brigade, clear and close it, no digging, nothing into bin or silo"
    if at_c >= PILE_STOP_C:
        return f"Stop at {name}: lay nothing on it, draw nothing from it; call the shift lead and fire duty"
    return f"Watch {name}: probe every four hours, lay nothing more on it, take the hot part first in its usual share"


def _mind_pile(here: Here, size: Figure) -> str:
    if here.now.value >= PILE_STOP_C:
        return "Carbon monoxide and a thermal camera from outside, before anybody goes near"
    return f"It loses {100 * size.value:.1f} % a month so. Fire duty stands by; never dig alone"


def _pile_loss(here: Here) -> Figure:
    """Loss of the whole pile: at its mean, which stands below the hottest probe, and at its own wood's rate."""
    pile = here.part
    below = pile.hot_over_mean_c if isinstance(pile, PileDef) else 0.0
    words = f"{here.now.origin.text}, less {below:g} °C to the pile's mean"
    data = {"temperature_c": Datum(min(here.now.value - below, LOSS_KNOWN_C), Origin("computed", words))}
    if isinstance(pile, PileDef) and here.line.yard is not None:
        data["ref_loss_per_month"] = given(
            here.facts, here.line.yard.of_species(pile.species), "loss_per_month", f"species {pile.species}"
        )
    return figure("pile_loss", "loss a month", data, decimals=4)


def _usual_trips(here: Here) -> Figure:
    data = {"trips_each_count": here.facts.series("trips")}
    return figure("count_chart", "most trips that are still usual", data, result="upper_count")


def stretch(here: Here) -> Figure:
    """Return the daily use at which what lies there lasts to the next delivery."""
    days, use = here.now, here.flow()
    stock = Datum(days.value * use.value * 24, Origin("computed", "days of stock at the present use"), days.figure)
    data = {"stock_bdt": stock, "lead_d": of_yard(here, "lead_d")}
    return figure("rate_for_lead", "daily use that lasts", data, decimals=0)


def say_stretch(size: Figure, here: Here, comes: str) -> str:
    """Say what to cut to, where what lies there is used up before the next comes; else how long there is to order it."""
    use, lasts, lead = 24 * here.flow().value, float(here.now.value), float(size.data["lead_d"].value)
    if size.value < use:
        return f"Plan for {size.text} BDt/d, in place of {use:.0f}, until the next {comes} is sure"
    in_hand = lasts - lead - 1
    return (
        f"Nothing to cut yet: at {use:.0f} BDt/d it lasts {lasts:.1f} d, a {comes} takes {lead:g} d and a day is kept in"
        f" hand; have it sure within {in_hand:.1f} d"
    )


PILE_ROWS: tuple[Rule, ...] = (
    Rule(
        "pile_hot",
        "temperature",
        ("high",),
        ("too old", "compacted", "a layer of fines", "wet on dry"),
        "Probe grid and smell: smoke or acid at any temperature counts.",
        _pile_loss,
        _say_pile,
        at=("pile:chips", "pile:logs"),
        mind=_mind_pile,
    ),
    Rule(
        "trips_run",
        "trips",
        ("high",),
        ("one supplier", "a broken chain, tooth or bolt", "detector gain"),
        "The last pieces, kept and tagged.",
        _usual_trips,
        lambda size, here: (
            f"Quarantine the lot and find the broken part before restart: up to {int(size.value)} in a shift is usual."
            " Do not lower the gain"
        ),
        at=("station",),
    ),
    Rule(
        "wood_short",
        "stock",
        ("low",),
        ("late delivery", "chipper down"),
        "What lies in the piles, by survey.",
        stretch,
        lambda size, here: say_stretch(size, here, "delivery"),
        at=TO_COOK,
        where=is_wood,
    ),
)

PILE_QUIET: tuple[Quiet, ...] = (
    Quiet(
        "stock",
        ("high",),
        "More lies there than is used in time: take less in, the oldest goes first, and look at the piles' temperatures.",
        at=TO_COOK,
    ),
    Quiet(
        "temperature",
        ("low",),
        "A cold pile keeps. If the probe stands in the open face it reads the air: set it deeper.",
        at=("pile",),
    ),
)
