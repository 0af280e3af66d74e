"""What to do about a wash off its band."""

from collections.abc import Iterable

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here, Place, given
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, look_at, wash_flow
from stock.washing.stairs import answer_min
from stock.washing.unit import Washer

STEP_T_PER_ODT = 0.3  # of dilution factor, the most a first step moves it
WASHER_MIN = 12.0  # mean time of liquor in a drum and its filtrate tank


def shower(place: Place, wanted: Figure) -> Figure:
    """Return the shower flow of a washer for a dilution factor."""
    return figure(
        "shower_flow_l_per_min",
        "shower flow",
        {
            "production_bd_t_per_h": place.flow(),
            "dilution_factor_t_per_odt": wanted.as_datum(),
            "discharge_consistency_pct": place.given("consistency_pct"),
        },
        decimals=0,
    )


def _loss(here: Here) -> Figure:
    """Go by what the washer shows now: its efficiency by the loss found, then the dilution factor that needs."""
    wash = getattr(here.unit, "wash", None)
    shows = figure(
        "efficiency_from_loss",
        "efficiency now",
        {
            "loss_kg_per_odt": here.now,
            "dilution_factor_t_per_odt": given(here.facts, wash, "dilution_factor_t_per_odt", here.unit.name),
            "feed_consistency_pct": given(here.facts, wash, "feed_consistency_pct", here.unit.name),
            "feed_solids_kg_per_odt": here.given("feed_solids_kg_per_odt"),
        },
        decimals=1,
    )
    wanted = figure(
        "dilution_factor_for_loss",
        "dilution factor wanted",
        {
            "target_loss_kg_per_odt": here.wanted,
            "feed_consistency_pct": given(here.facts, wash, "feed_consistency_pct", here.unit.name),
            "feed_solids_kg_per_odt": here.given("feed_solids_kg_per_odt"),
            "e_std_total_ratio": shows.as_datum(),
        },
        decimals=2,
    )
    return shower(here, wanted)


def _present(here: Here) -> Datum:
    """Shower flow the washer is set for now."""
    wash = getattr(here.unit, "wash", None)
    data = {
        "production_bd_t_per_h": here.flow(),
        "dilution_factor_t_per_odt": given(here.facts, wash, "dilution_factor_t_per_odt", here.unit.name),
        "discharge_consistency_pct": here.given("consistency_pct"),
    }
    return figure("shower_flow_l_per_min", "shower flow now", data, decimals=0).as_datum()


def _by_factor(here: Here, size: Figure) -> Iterable[Most]:
    step = STEP_T_PER_ODT * here.flow().value * 1000 / 60
    yield Most(step, f"steps of {STEP_T_PER_ODT:g} t/BDt of dilution factor, {step:.0f} L/min here")


def _look(here: Here) -> Figure:
    unit = here.unit
    minutes = answer_min(unit) if isinstance(unit, Washer) else WASHER_MIN
    return look_at(here, mixed_min=Datum(round(minutes), Origin("computed", "what its vats and filtrate tanks hold")))


def _evaporators(here: Here, step: Figure) -> str:
    water = step.results["step_moved"] * 60 / 1000
    more, mind = ("more", "do they take it?") if water > 0 else ("less", "watch the loss, and foam")
    return f"The evaporators get {abs(water):.1f} m³/h {more}; {mind}"


ROWS: tuple[Rule, ...] = (
    Rule(
        "wash_loss_high",
        "loss",
        ("high",),
        ("dilution factor low after a rate rise", "plugged showers", "air in the mat"),
        "Shower flow and curtain; three pads across the face.",
        _loss,
        lambda size, here: f"Set the shower to {size.text} L/min",
        at=("washer",),
        handle=Handle(_look, present=_present, limits=_by_factor, also=_evaporators, moves=wash_flow),
    ),
    Rule(
        "wash_loss_low",
        "loss",
        ("low",),
        ("dilution factor above need after a rate cut", "sample washed out", "feed weaker than usual"),
        "Extract again before water is taken off; solids to the evaporators.",
        _loss,
        lambda size, here: (
            f"Set the shower to {size.text} L/min: it washes better than it needs, at the evaporators' cost"
        ),
        at=("washer",),
        handle=Handle(_look, present=_present, limits=_by_factor, also=_evaporators, moves=wash_flow),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "freeness",
        ("high",),
        "Freer than usual: fewer fines or pith, or undercooked; nothing to move at the washers. Look at kappa and at shives after the screens.",
        at=("washer",),
    ),
)
