"""One screening stage: reject rates, removal, cleanliness."""

from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn


class ScreenRates(NamedTuple):
    """How a screen splits its feed."""

    volumetric_reject_frac: float
    mass_reject_frac: float
    thickening_ratio: float
    accept_consistency_pct: float


@method(
    "volumetric_reject_frac = reject_flow_l_per_min / feed_flow_l_per_min\n"
    "thickening_ratio = reject_consistency_pct / feed_consistency_pct\n"
    "mass_reject_frac = volumetric_reject_frac * thickening_ratio\n"
    "accept_consistency_pct = feed_consistency_pct * (1 - mass_reject_frac) / (1 - volumetric_reject_frac)",
    title="Screen reject balance",
    station="screening",
    source="mass balance",
    exact=False,
    example=Example(
        {
            "feed_flow_l_per_min": 6000,
            "feed_consistency_pct": 2.0,
            "reject_flow_l_per_min": 1200,
            "reject_consistency_pct": 2.6,
        },
        {
            "volumetric_reject_frac": 0.2,
            "mass_reject_frac": 0.26,
            "thickening_ratio": 1.3,
            "accept_consistency_pct": 1.85,
        },
    ),
    feed_flow_l_per_min=Arg("feed", 0, 1e6, above=True),
    feed_consistency_pct=Arg("its consistency", 0, 20, above=True),
    reject_flow_l_per_min=Arg("reject", 0, 1e6, above=True),
    reject_consistency_pct=Arg("its consistency", 0, 40, above=True),
)
def screen_rates(
    *,
    feed_flow_l_per_min: float,
    feed_consistency_pct: float,
    reject_flow_l_per_min: float,
    reject_consistency_pct: float,
) -> ScreenRates:
    """Return reject rates by volume and by mass, thickening, and the accept consistency."""
    if reject_flow_l_per_min >= feed_flow_l_per_min:
        message = (
            f"the reject flow {reject_flow_l_per_min:g} L/min is not less than the feed {feed_flow_l_per_min:g} L/min"
        )
        raise DomainError("E_RANGE", "reject_flow_l_per_min", message, f"less than {feed_flow_l_per_min:g} L/min")
    by_volume = reject_flow_l_per_min / feed_flow_l_per_min
    thickening = reject_consistency_pct / feed_consistency_pct
    by_mass = by_volume * thickening
    if by_mass >= 1:
        message = "more fibre leaves with the reject than comes in: check the samples"
        raise DomainError(
            "E_BALANCE", "reject_consistency_pct", message, f"below {feed_consistency_pct / by_volume:.2f} %"
        )
    if thickening > 2:
        warn(f"the reject thickens {thickening:.1f} times; above 2 expect plugging")
    return ScreenRates(by_volume, by_mass, thickening, feed_consistency_pct * (1 - by_mass) / (1 - by_volume))


@method(
    "quotient_ratio = 1 - accept_debris_per_kg / reject_debris_per_kg",
    title="Screening quotient",
    station="screening",
    source="Nelson (1981)",
    aliases=("screening_quotient",),
    example=Example({"accept_debris_per_kg": 40, "reject_debris_per_kg": 320}, {"quotient_ratio": 0.875}),
    accept_debris_per_kg=Arg("debris in the accepts", 0, 1e6),
    reject_debris_per_kg=Arg("debris in the rejects", 0, 1e6, above=True),
)
def screen_quotient(*, accept_debris_per_kg: float, reject_debris_per_kg: float) -> float:
    """Return Nelson's quotient; below zero the samples were probably swapped."""
    return 1 - accept_debris_per_kg / reject_debris_per_kg


@method(
    "removal_frac = mass_reject_frac / (1 - quotient_ratio + quotient_ratio * mass_reject_frac)",
    title="Debris removed by a screen",
    station="screening",
    source="Nelson (1981)",
    aliases=("debris_removal_frac",),
    example=Example({"mass_reject_frac": 0.22, "quotient_ratio": 0.875}, {"removal_frac": 0.6929}),
    mass_reject_frac=Arg("mass reject rate", 0, 1, above=True, below=True),
    quotient_ratio=Arg("screening quotient", -1, 1, usual=(0, 1)),
)
def debris_removed(*, mass_reject_frac: float, quotient_ratio: float) -> float:
    """Return the share of debris a screen takes out."""
    return mass_reject_frac / (1 - quotient_ratio + quotient_ratio * mass_reject_frac)


@method(
    "mass_reject_frac = removal_frac * (1 - quotient_ratio) / (1 - removal_frac * quotient_ratio)",
    title="Reject rate for a wanted removal",
    station="screening",
    source="inverse of Nelson (1981)",
    aliases=("mass_reject_for_removal_frac",),
    example=Example({"removal_frac": 0.80, "quotient_ratio": 0.875}, {"mass_reject_frac": 0.3333}),
    removal_frac=Arg("removal wanted", 0, 1, above=True, below=True),
    quotient_ratio=Arg("screening quotient", -1, 1, below=True, usual=(0, 1)),
)
def mass_reject_for_removal(*, removal_frac: float, quotient_ratio: float) -> float:
    """Return the mass reject rate that takes out a wanted share of the debris."""
    return removal_frac * (1 - quotient_ratio) / (1 - removal_frac * quotient_ratio)


@method(
    "gain_frac = 1 - (1 - removal_frac) / (1 - mass_reject_frac)",
    title="Cleanliness gain of the accepts",
    station="screening",
    source="mass balance",
    aliases=("cleanliness_gain_frac",),
    example=Example({"removal_frac": 0.69, "mass_reject_frac": 0.22}, {"gain_frac": 0.6026}),
    removal_frac=Arg("debris removed", 0, 1),
    mass_reject_frac=Arg("mass reject rate", 0, 1, below=True),
)
def cleanliness_gain(*, removal_frac: float, mass_reject_frac: float) -> float:
    """Return how much cleaner a kilogram of accepts is than a kilogram of feed."""
    return 1 - (1 - removal_frac) / (1 - mass_reject_frac)


@method(
    "lost_bdt_per_d = 24 * feed_bdt_per_h * (usual_pct - now_pct) / 100",
    title="Stock lost by a fallen yield",
    station="screening",
    source="definition",
    example=Example({"feed_bdt_per_h": 2.8, "usual_pct": 98, "now_pct": 97}, {"lost_bdt_per_d": 0.672}),
    feed_bdt_per_h=Arg("stock that comes in", 0, 1000),
    usual_pct=Arg("usual yield", 0, 100),
    now_pct=Arg("yield found", 0, 100),
)
def fibre_lost(*, feed_bdt_per_h: float, usual_pct: float, now_pct: float) -> float:
    """Return what goes out with the rejects a day more than is usual; negative where less does."""
    return 24 * feed_bdt_per_h * (usual_pct - now_pct) / 100
