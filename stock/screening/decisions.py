"""What to do about shives that come through."""

import math
from collections.abc import Iterable

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, look_soon, reject_rate
from stock.screening.unit import Stage, Staged, clean_drop_kpa, fibre_fed

STEP_POINTS = 3.0  # of mass reject rate, the most a first step moves it


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


def _fibre_lost(here: Here) -> Figure:
    """Bone-dry stock a day that leaves with the rejects more than is usual."""
    data = {"feed_bdt_per_h": here.flow_in(), "usual_pct": here.wanted, "now_pct": here.now}
    return figure("fibre_lost", "stock lost more than usual", data, decimals=2)


def _rate(here: Here) -> Datum:
    """Reject rate as it is, as a fraction."""
    rate = here.reading("reject_rate")
    return Datum(rate.value / 100, rate.origin, rate.figure)


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    yield Most(STEP_POINTS / 100, f"steps of {STEP_POINTS:g} points")
    name = here.part.tag_of("reject_rate")
    band = here.line.tag(name).band if name else None
    if band is not None:
        now = _rate(here).value
        low, high = band.control[0] / 100, band.control[1] / 100
        room = high - now if size.value > now else now - low
        yield Most(max(0.0, room), f"the reject rate's own band is {100 * low:g} to {100 * high:g} %")


def _basket_first(here: Here, step: Figure) -> str:
    full = step.data["full_correction_moved"].value + step.data["present_moved"].value
    words = "Fibre lost goes up with it; thickened rejects plug: watch their flow"
    if full > 0.28:
        return f"In full it would take {100 * full:.0f} %: look at the basket and at the cook before the valve. {words}"
    return words if step.results["step_moved"] > 0 else ""


def _stage(here: Here) -> Stage:
    """First stage of the system something is read at; LookupError where its stages are not told."""
    unit = here.unit
    if not isinstance(unit, Staged) or not unit.stages:
        raise LookupError(unit.id)
    return unit.stages[0]


def _clean(here: Here) -> Datum:
    """Pressure drop the first stage should have at what comes to the system now."""
    unit, stage = here.unit, _stage(here)
    assert isinstance(unit, Staged)
    flow = 100 * here.flow_in().value * fibre_fed(unit.stages) / stage.feed_consistency_pct * 1000 / 60
    drop = clean_drop_kpa(stage, flow)
    if drop is None:
        raise LookupError(unit.id)
    return Datum(round(drop, 1), Origin("computed", f"{stage.name}, clean, at {flow:.0f} L/min"))


def _open_share(here: Here) -> Figure:
    """Share of the first basket that is open still."""
    return figure(
        "open_share", "open share of the basket", {"clean_kpa": _clean(here), "drop_kpa": here.now}, decimals=2
    )


def _plugged(here: Here) -> Figure:
    """Cleaners of the first stage that are plugged."""
    stage = _stage(here)
    if stage.installed is None:
        raise LookupError(here.unit.id)
    data = {
        "open_count": Datum(float(stage.installed), Origin("set", stage.name)), "drop_kpa": here.now,
        "clean_kpa": _clean(here),
    }  # fmt: skip
    return figure("cleaners_plugged", "cleaners plugged", data, decimals=1)


ROWS: tuple[Rule, ...] = (
    Rule(
        "screen_pressure_high",
        "pressure_drop",
        ("high",),
        (
            "rejects thicken: reject line choking, feed thick",
            "foils worn or belt slack",
            "basket blinded by pitch or scale",
        ),
        "Reject flow and thickening first; power against the clean curve; then the deposit on the plate.",
        _open_share,
        lambda size, here: (
            f"Open the reject 3 points and look in 5 min; the basket is {100 * size.value:.0f} % open by its pressure,"
            " wash it hot at the stop, change it below 75 %"
        ),
        at=("screen",),
    ),
    Rule(
        "cleaner_pressure_high",
        "pressure_drop",
        ("high",),
        ("tips plugged", "cleaners shut", "flow up"),
        "Feel every tip: each must flow; guards on.",
        _plugged,
        lambda size, here: f"Rod out the tips: about {math.ceil(size.value)} plugged by the pressure, one at a time",
        at=("cleaner",),
    ),
    Rule(
        "shives_high",
        "shives",
        ("high",),
        ("reject rate low", "basket damaged", "cook uneven"),
        "Reject flow and consistency; feed count before moving a valve.",
        _reject,
        lambda size, here: f"Set the reject rate to {100 * size.value:.0f} % by mass",
        at=("screen",),
        handle=Handle(look_soon, present=_rate, limits=_limits, also=_basket_first, moves=reject_rate),
    ),
    Rule(
        "shives_low",
        "shives",
        ("low",),
        ("reject rate above need", "clean cook", "count too small to tell"),
        "Count a second sheet: few shives are counted badly.",
        _reject,
        lambda size, here: f"Set the reject rate to {100 * size.value:.0f} % by mass: fibre is lost for nothing",
        at=("screen",),
        handle=Handle(look_soon, present=_rate, limits=_limits, moves=reject_rate),
    ),
    Rule(
        "yield_off",
        "yield",
        ("low",),
        ("worn or plugged cones", "reject orifice worn", "feed too thick", "air"),
        "Pressure difference, reject flow; cones by hand for heat and sound, guards on.",
        _fibre_lost,
        lambda size, here: f"Mend the cones stage by stage: {size.text} BDt/d goes out more than usual",
        at=("cleaner",),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "reject_flow",
        ("low",),
        "Rejects thicken or their line chokes: open the reject 3 points, flush where the flow is under half, feed thinner; look in 5 min. No change: flow down a fifth, then stop, isolate, open.",
        at=("screen",),
    ),
    Quiet(
        "reject_flow",
        ("high",),
        "More is rejected than set: a valve that passes, or a reject pipe flushed and left so. Fibre lost goes up with it; bring it back in steps of 3 points.",
        at=("screen",),
    ),
    Quiet(
        "motor",
        ("high",),
        "With the pressure up and rejects falling it thickens: open the reject first. By itself: thick feed, or something caught; never reach in before it is isolated and coasted.",
        at=("screen",),
    ),
    Quiet(
        "motor",
        ("low",),
        "At the same flow and consistency: foils worn, belt slack, speed down. Speed back, foils at the next stop; meanwhile less flow.",
        at=("screen",),
    ),
    Quiet(
        "pressure_drop",
        ("low",),
        "Less than when clean: a cracked basket or a seal off, thin or short feed, air; at cleaners cones worn, or one open to drain. Count accepts and look for wide pieces before anything is moved.",
        at=("screen", "cleaner"),
    ),
    Quiet(
        "yield",
        ("high",),
        "More goes through than usual: rejects may be plugged and dirt passed on. Look at the reject flow and the dirt count before thinking it a gain.",
        at=("cleaner",),
    ),
    Quiet(
        "reject_rate",
        ("low", "high"),
        "It is a setting: bring it back into its band in steps of 3 points and watch shives and fibre loss; too low plugs, too high thins what is recovered.",
        at=("screen", "cleaner"),
    ),
)
