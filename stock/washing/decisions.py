"""What to do about a wash off its band."""

from collections.abc import Iterable

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here, Place, given
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, look_at, wash_flow
from stock.washing.stairs import answer_min
from stock.washing.unit import Machine, Washer

STEP_T_PER_ODT = 0.3  # of dilution factor, the most a first step moves it
SPEED_FRAC = FEED_FRAC = 0.10  # the most a first step moves a drum's speed or a feed
WASHER_MIN = 12.0  # mean time of liquor in a drum and its filtrate tank


def shower(place: Place, wanted: Figure) -> Figure:
    """Return the shower flow of a washer for a dilution factor."""
    return figure(
        "shower_flow_l_per_min",
        "shower flow",
        {
            "production_bdt_per_h": place.flow(),
            "dilution_factor_t_per_bdt": wanted.as_datum(),
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
            "loss_kg_per_bdt": here.now,
            "dilution_factor_t_per_bdt": given(here.facts, wash, "dilution_factor_t_per_bdt", here.unit.name),
            "feed_consistency_pct": given(here.facts, wash, "feed_consistency_pct", here.unit.name),
            "feed_solids_kg_per_bdt": here.given("feed_solids_kg_per_bdt"),
        },
        decimals=1,
    )
    wanted = figure(
        "dilution_factor_for_loss",
        "dilution factor wanted",
        {
            "target_loss_kg_per_bdt": here.wanted,
            "feed_consistency_pct": given(here.facts, wash, "feed_consistency_pct", here.unit.name),
            "feed_solids_kg_per_bdt": here.given("feed_solids_kg_per_bdt"),
            "e_std_total_ratio": shows.as_datum(),
        },
        decimals=2,
    )
    return shower(here, wanted)


def _present(here: Here) -> Datum:
    """Shower flow the washer is set for now."""
    wash = getattr(here.unit, "wash", None)
    data = {
        "production_bdt_per_h": here.flow(),
        "dilution_factor_t_per_bdt": given(here.facts, wash, "dilution_factor_t_per_bdt", here.unit.name),
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


# ---- vacuum and vat


def _drum(here: Here) -> Machine | None:
    found = here.unit.machines if isinstance(here.unit, Washer) else []
    return next((one for one in found if one.drum_diameter_m and one.drum_face_m and one.drum_speed_rpm), None)


def _heavier_mat(here: Here) -> Figure:
    """The mat with the drum a tenth slower: less air is drawn through it."""
    drum = _drum(here)
    if drum is None:
        raise LookupError(here.unit.id)
    told = here.facts.set_origin(drum.name)
    slower = Datum(
        round((1 - SPEED_FRAC) * (drum.drum_speed_rpm or 0.0), 3), Origin("computed", "a tenth below its usual speed")
    )
    data = {
        "production_bdt_per_h": here.flow(), "drum_diameter_m": Datum(drum.drum_diameter_m, told),
        "drum_face_m": Datum(drum.drum_face_m, told), "drum_speed_rpm": slower,
        "mat_consistency_pct": Datum(drum.discharge_consistency_pct, told),
    }  # fmt: skip
    return figure("mat_on_drum", "mat at that speed", data, decimals=2)


def _say_slower(size: Figure, here: Here) -> str:
    drum = _drum(here)
    speed = size.data["drum_speed_rpm"].value
    name = drum.name if drum is not None else "the drum"
    return f"Slow {name} to {speed:.2f} rpm, a tenth: {size.text} kg/m² on the wire; look in 15 min"


def _less_feed(here: Here) -> Figure:
    """The feed a tenth down, so that the vat holds."""
    fed = here.line.graph.fed_by(here.unit.id)
    if fed is None:
        raise LookupError(here.unit.id)
    now = here.facts.flow(fed.id)
    data = {
        "bdt_per_h": Datum(round((1 - FEED_FRAC) * float(now.value), 3), Origin("computed", "a tenth less than runs")),
        "consistency_pct": here.facts.thickness(fed.id),
    }
    return figure("stock_flow_l_per_min", "feed", data, decimals=0)


def _fed(here: Here) -> bool:
    return here.line.graph.fed_by(here.unit.id) is not None


ROWS: tuple[Rule, ...] = (
    Rule(
        "vacuum_low",
        "vacuum",
        ("low",),
        (
            "mat thin or cracked: air goes through",
            "foam, or the leg's end exposed",
            "filtrate near boiling",
            "valve worn",
        ),
        "Walk the face for cracks; gas in the filtrate by the jar; level over the leg's end; the filtrate's temperature against its limit.",
        _heavier_mat,
        _say_slower,
        at=("washer",),
        where=lambda here: _drum(here) is not None,
    ),
    Rule(
        "vat_high",
        "vat",
        ("high",),
        ("wire blinded by pitch, scale or fines", "freeness low or liquor cold", "vat thick", "rate above what drains"),
        "Vacuum up with it: the wire. Vacuum down with it: air. A vat sample, freeness, the liquor's temperature.",
        _less_feed,
        lambda size, here: (
            f"Feed down to {size.text} L/min, a tenth, till the vat holds; look in 10 min; wire wash at the next stop"
        ),
        at=("washer",),
        where=_fed,
    ),
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
        "vacuum",
        ("low",),
        "No drum is told of, so no speed to size: foam and the leg's end, the filtrate's temperature, the valve, the mat's cracks, in this order.",
        at=("washer",),
    ),
    Quiet(
        "vacuum",
        ("high",),
        "Liquor does not come through: wire blinded, freeness low, liquor cold. With the vat rising the feed comes down first; wire wash at the next stop, drum a tenth faster meanwhile.",
        at=("washer",),
    ),
    Quiet(
        "vat",
        ("low",),
        "Thin or starved: rate below what drains, vat too thin, drum fast. Slow the drum a tenth and thin the vat less before anything else.",
        at=("washer",),
    ),
    Quiet(
        "vat",
        ("high",),
        "Nothing on this line feeds it, so no rate to size: less to it by hand till the vat holds.",
        at=("washer",),
    ),
    Quiet(
        "strong_solids",
        ("low",),
        "Thin liquor for the evaporators: stray water first, from seals, hoses, wash-ups (flow against solids in the panel), then a dilution factor above need. Shut the stray water; the shower only as far as the loss allows.",
        at=("washer",),
    ),
    Quiet(
        "strong_solids",
        ("high",),
        "Strong liquor and thick: less wash water reaches it than is set, or more comes with the pulp. Watch the loss; the cook's yield and the blow tank's liquor.",
        at=("washer",),
    ),
    Quiet(
        "freeness",
        ("high",),
        "Freer than usual: fewer fines or pith, or undercooked; nothing to move at the washers. Look at kappa and at shives after the screens.",
        at=("washer",),
    ),
)
