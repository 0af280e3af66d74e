"""What to do about a freeness off its band."""

from collections.abc import Iterable

from stock.figure import Figure, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, by_step, look_soon, net_power
from stock.parts import Fitted

CAP_FRAC = 0.20  # of the present net power, the most a first step moves it


def _power(here: Here) -> Figure:
    return figure(
        "power_step",
        "net power",
        {
            "now_csf_ml": here.now,
            "target_csf_ml": here.wanted,
            "bdt_per_h": here.flow_in(),
            "slope_ratio": here.given("slope"),
        },
        decimals=0,
    )


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    try:
        net = here.reading("net_power").value
    except LookupError:
        return
    yield Most(CAP_FRAC * net, f"a fifth of the {net:.0f} kW it takes")
    slope, flow = getattr(here.unit, "slope", None), here.flow_in().value
    if isinstance(slope, Fitted) and slope.holds is not None and flow > 0:
        low, high = (flow * edge for edge in slope.holds)
        room = high - net if size.value > 0 else net - low
        yield Most(max(0.0, room), f"the slope is known from {slope.holds[0]:g} to {slope.holds[1]:g} kWh/BDt only")


def _edge_load(here: Here, step: Figure) -> str:
    return "Flow at constant power first: a tonne that gets less energy stays free. Watch the edge load and the plates' gap"


def _all_of_it(here: Here) -> Figure:
    return figure("unload_kw", "net power to take off", {"net_kw": here.reading("net_power")}, decimals=0)


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
        handle=Handle(look_soon, limits=_limits, also=_edge_load, moves=net_power),
    ),
    Rule(
        "plates_touch",
        "vibration",
        ("high",),
        ("flow too low for the load", "plates worn or misaligned", "metal between them"),
        "Flow through the refiner; temperature rise; what was set last.",
        _all_of_it,
        lambda step, here: (
            f"Back off at once: {abs(step.value):.0f} kW, all of it. Restore the flow, then load again by steps"
        ),
        at=("refiner", "beater"),
        handle=Handle(look_soon, gain_frac=1.0, moves=net_power),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "vibration",
        ("high",),
        "Back off the load at once, all of it; then see that the flow is there, and load again by steps. More load on plates that touch ruins them.",
        at=("refiner", "beater"),
    ),
    Quiet(
        "vibration",
        ("low",),
        "Nothing shakes: whether it turns, and whether the probe is on.",
        at=("refiner", "beater"),
    ),
    Quiet(
        "freeness",
        ("low", "high"),
        "No slope is fitted here, so no size: under its band beat less, over it more, a tenth of the work at a time and a test after each. Eight steps of power fit the slope.",
        at=("refiner", "beater"),
    ),
    Quiet(
        "freeness",
        ("low", "high"),
        "It is made by its parts: correct the refiner whose own freeness is off, not the blend; the chest takes its time to mix.",
        at=("blend_chest", "machine_chest", "chest"),
    ),
)
