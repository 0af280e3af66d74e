"""What to do about a wash off its band."""

from stock.figure import Figure, figure
from stock.judge.here import Here, Place, given
from stock.judge.rule import Rule


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
    wash = getattr(here.unit, "wash", None)
    wanted = figure(
        "dilution_factor_for_loss",
        "dilution factor wanted",
        {
            "target_loss_kg_per_odt": here.wanted,
            "feed_consistency_pct": given(here.facts, wash, "feed_consistency_pct", here.unit.name),
            "feed_solids_kg_per_odt": here.given("feed_solids_kg_per_odt"),
            "e_std_total_ratio": given(here.facts, wash, "e_std", here.unit.name),
        },
        decimals=2,
    )
    return shower(here, wanted)


ROWS: tuple[Rule, ...] = (
    Rule(
        "wash_loss_high",
        "loss",
        ("high",),
        ("dilution factor low after a rate rise", "plugged showers", "air in the mat"),
        "Shower flow and curtain; three pads across the face.",
        _loss,
        lambda size, here: f"Set the shower to {size.text} L/min, in steps of 0.3 t/BDt",
        at=("washer",),
    ),
)
