"""Debarking: time in the drum, bark left on, wood lost, bark to the boiler."""

from math import exp, log

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

_FILL = Arg("share of the drum that is filled", 0, 0.8, above=True, usual=(0.4, 0.6))
_LOG_SOLID = Arg("solid share of the log charge", 0.3, 0.75, usual=(0.5, 0.65))
_RATE = Arg("rate at which bark comes off", 0, 2, above=True)


@method(
    "bark_bdt = wood_bdt * bark_of_total_frac / (1 - bark_of_total_frac)",
    title="Bark on a mass of wood",
    station="intake",
    source="definition, bark as a share of wood and bark, bone-dry",
    aliases=("bark_mass_bdt",),
    example=Example({"wood_bdt": 1000, "bark_of_total_frac": 0.11}, {"bark_bdt": 123.6}),
    wood_bdt=Arg("wood without bark", 0, 1e7),
    bark_of_total_frac=Arg("bark share of wood and bark", 0, 0.5, below=True, usual=(0, 0.25)),
)
def bark_mass(*, wood_bdt: float, bark_of_total_frac: float) -> float:
    """Return the bark that comes with a mass of wood."""
    return wood_bdt * bark_of_total_frac / (1 - bark_of_total_frac)


@method(
    "residence_min = 60 * drum_volume_m3 * fill_frac * log_solid_frac / throughput_m3_solid_per_h",
    title="Residence in the debarking drum",
    station="intake",
    source="plug-flow mean; confirm with marked logs",
    aliases=("drum_residence_min",),
    example=Example(
        {"drum_volume_m3": 506.7, "fill_frac": 0.50, "log_solid_frac": 0.60, "throughput_m3_solid_per_h": 285},
        {"residence_min": 32.0},
    ),
    drum_volume_m3=Arg("volume of the drum", 0, 5000, above=True),
    fill_frac=_FILL,
    throughput_m3_solid_per_h=Arg("logs fed, solid on bark", 0, 5000, above=True),
    log_solid_frac=_LOG_SOLID,
)
def drum_residence(
    *, drum_volume_m3: float, fill_frac: float, throughput_m3_solid_per_h: float, log_solid_frac: float = 0.60
) -> float:
    """Return how long a log is in the drum."""
    minutes = 60 * drum_volume_m3 * fill_frac * log_solid_frac / throughput_m3_solid_per_h
    if not 15 <= minutes <= 60:
        warn(f"residence is {minutes:.0f} min; usual is 15 to 60 min")
    return minutes


@method(
    "throughput_m3_solid_per_h = 60 * drum_volume_m3 * fill_frac * log_solid_frac / residence_min",
    title="Log feed for a residence",
    station="intake",
    source="plug-flow mean, turned round",
    example=Example(
        {"drum_volume_m3": 506.7, "fill_frac": 0.50, "log_solid_frac": 0.60, "residence_min": 26.65},
        {"throughput_m3_solid_per_h": 342.2},
    ),
    drum_volume_m3=Arg("volume of the drum", 0, 5000, above=True),
    fill_frac=_FILL,
    residence_min=Arg("residence wanted", 0, 600, above=True),
    log_solid_frac=_LOG_SOLID,
)
def drum_throughput(
    *, drum_volume_m3: float, fill_frac: float, residence_min: float, log_solid_frac: float = 0.60
) -> float:
    """Return the feed at which logs stay as long as wanted."""
    return 60 * drum_volume_m3 * fill_frac * log_solid_frac / residence_min


@method(
    "residual_bark_frac = bark_in_frac * exp(-rate_per_min * residence_min)",
    title="Bark left after the drum",
    station="intake",
    source="first-order removal; the rate is a default to be fitted",
    notes="Rates to begin with: 0.10 thawed softwood, 0.05 frozen, 0.06 stored dry, each 1/min.",
    example=Example(
        {"bark_in_frac": 0.115, "rate_per_min": 0.10, "residence_min": 32.0}, {"residual_bark_frac": 0.0047}, 3e-3
    ),
    bark_in_frac=Arg("bark on the logs", 0, 1, above=True),
    rate_per_min=_RATE,
    residence_min=Arg("residence", 0, 600),
)
def residual_bark_fraction(*, bark_in_frac: float, rate_per_min: float, residence_min: float) -> float:
    """Return the bark still on after a time in the drum."""
    return bark_in_frac * exp(-rate_per_min * residence_min)


@method(
    "residence_min = log(bark_in_frac / bark_target_frac) / rate_per_min, and nil where it is there already",
    title="Residence for a bark target",
    station="intake",
    source="first-order removal, turned round",
    exact=False,
    results=("residence_min",),
    example=Example({"bark_in_frac": 0.115, "bark_target_frac": 0.008, "rate_per_min": 0.10}, {"residence_min": 26.65}),
    bark_in_frac=Arg("bark on the logs", 0, 1, above=True),
    bark_target_frac=Arg("bark allowed", 0, 1, above=True),
    rate_per_min=_RATE,
)
def residence_for_bark_target_min(*, bark_in_frac: float, bark_target_frac: float, rate_per_min: float) -> float:
    """Return how long logs must stay to come down to a bark target."""
    return max(0.0, log(bark_in_frac / bark_target_frac) / rate_per_min)


@method(
    "wood_loss_frac = base_frac + slope_per_min * residence_min",
    title="Wood lost in debarking",
    station="intake",
    source="straight line in residence; both figures are defaults to be fitted",
    example=Example({"residence_min": 32.0}, {"wood_loss_frac": 0.0210}),
    residence_min=Arg("residence", 0, 600),
    base_frac=Arg("loss at once", 0, 0.2),
    slope_per_min=Arg("loss for each minute", 0, 0.02),
)
def debarking_wood_loss_fraction(
    *, residence_min: float, base_frac: float = 0.005, slope_per_min: float = 0.0005
) -> float:
    """Return the share of the wood that leaves with the bark."""
    return base_frac + slope_per_min * residence_min


@method(
    "log_m3_solid_per_h = wood_bdt_per_h * 1000 / basic_density_kg_per_m3 / (1 - bark_of_total_frac)",
    title="Solid logs on bark for a wood rate",
    station="intake",
    source="volume from basic density, bark taken as dense as the wood",
    example=Example(
        {"wood_bdt_per_h": 7.24, "basic_density_kg_per_m3": 412, "bark_of_total_frac": 0.11},
        {"log_m3_solid_per_h": 19.74},
    ),
    wood_bdt_per_h=Arg("wood without bark", 0, 1e4),
    basic_density_kg_per_m3=Arg("basic density", 200, 1000, usual=(300, 750)),
    bark_of_total_frac=Arg("bark share", 0, 0.5, below=True),
)
def log_rate(*, wood_bdt_per_h: float, basic_density_kg_per_m3: float, bark_of_total_frac: float) -> float:
    """Return the logs on bark that carry a wood rate."""
    return wood_bdt_per_h * 1000 / basic_density_kg_per_m3 / (1 - bark_of_total_frac)


@method(
    "wood_in_bark_pct = 100 * wood_loss_frac * (1 - bark_in_frac)"
    " / (wood_loss_frac * (1 - bark_in_frac) + bark_in_frac - residual_bark_frac)",
    title="Wood in the bark stream",
    station="intake",
    source="mass balance of the drum",
    exact=False,
    example=Example(
        {"wood_loss_frac": 0.021, "bark_in_frac": 0.115, "residual_bark_frac": 0.0047}, {"wood_in_bark_pct": 14.42}
    ),
    wood_loss_frac=Arg("wood lost", 0, 1),
    bark_in_frac=Arg("bark on the logs", 0, 0.5, above=True),
    residual_bark_frac=Arg("bark left on", 0, 0.5),
)
def wood_in_bark_pct(*, wood_loss_frac: float, bark_in_frac: float, residual_bark_frac: float) -> float:
    """Return the share of wood in what goes to the boiler, bone-dry."""
    if residual_bark_frac >= bark_in_frac:
        message = f"bark left {residual_bark_frac:g} is not below bark in {bark_in_frac:g}: check the two samples"
        raise DomainError("E_ORDER", "residual_bark_frac", message, f"less than {bark_in_frac:g}")
    wood = wood_loss_frac * (1 - bark_in_frac)
    return 100 * wood / (wood + bark_in_frac - residual_bark_frac)
