"""The water of a washing line: how much is best, what the evaporators allow, what its tanks say."""

from typing import Final, NamedTuple

from stock.errors import DomainError
from stock.washing.norden import FACTOR, FEED, STD, L
from stock.washing.stage import washing_loss_frac
from stock.working import Arg, Example, method, note, warn

LOSS_SHARE: Final = washing_loss_frac.method.bare  # type: ignore[attr-defined]
SALT_PER_NA: Final = 142.04 / 45.98


@method(
    "flow_l_per_min = production_bdt_per_h * (L_vat - L_feed) / liquor_density_t_per_m3 * 1000 / 60",
    title="Liquor that dilutes a vat",
    station="washing",
    source="mass balance",
    aliases=("vat_dilution_flow_L_per_min",),
    exact=False,
    results=("flow_l_per_min",),
    example=Example(
        {
            "production_bdt_per_h": 25, "feed_consistency_pct": 10, "vat_consistency_pct": 1.1,
            "liquor_density_t_per_m3": 0.978,
        },
        {"flow_l_per_min": 34470},
    ),
    production_bdt_per_h=Arg("pulp over the washer", 0, 1000),
    feed_consistency_pct=FEED,
    vat_consistency_pct=Arg("consistency in the vat", 0, 100, above=True, below=True),
    liquor_density_t_per_m3=Arg("density of the liquor", 0.8, 1.3),
)  # fmt: skip
def vat_dilution(
    *,
    production_bdt_per_h: float,
    feed_consistency_pct: float,
    vat_consistency_pct: float,
    liquor_density_t_per_m3: float = 1.0,
) -> float:
    """Return the filtrate that dilutes a vat.

    Raises
    ------
    DomainError
        E_RANGE for a vat thicker than its feed.
    """
    more = L(consistency_pct=vat_consistency_pct) - L(consistency_pct=feed_consistency_pct)
    if more < 0:
        message = f"the vat, {vat_consistency_pct:g} %, is thicker than its feed"
        raise DomainError("E_RANGE", "vat_consistency_pct", message, f"{feed_consistency_pct:g} % or less")
    return production_bdt_per_h * more / liquor_density_t_per_m3 * 1000 / 60


class BestFactor(NamedTuple):
    """The dilution factor that costs least, with its cost and loss, and whether a bound is what decides (1) or not (0)."""

    dilution_factor_t_per_bdt: float
    cost_per_bdt: float
    loss_kg_per_bdt: float
    bound_count: float


@method(
    "least of evaporation_cost_per_t * DF + loss_cost_per_kg * feed_solids_kg_per_bdt * loss share at DF",
    title="Dilution factor that costs least",
    station="washing",
    source="the loss relation with two prices",
    aliases=("optimum_dilution_factor",),
    exact=False,
    results=BestFactor._fields,
    example=Example(
        {
            "feed_consistency_pct": 10, "feed_solids_kg_per_bdt": 1500, "e_std_total_ratio": 12,
            "evaporation_cost_per_t": 4.0, "loss_cost_per_kg": 0.30,
        },
        {"dilution_factor_t_per_bdt": 2.562, "cost_per_bdt": 15.38, "loss_kg_per_bdt": 17.11},
    ),
    feed_consistency_pct=FEED,
    feed_solids_kg_per_bdt=Arg("dissolved solids fed", 0, 5000, above=True),
    e_std_total_ratio=Arg("efficiency of the line", 0, 60, above=True),
    evaporation_cost_per_t=Arg("cost of a tonne of water to evaporate", 0, 1e4),
    loss_cost_per_kg=Arg("cost of a kilogram of solids lost", 0, 1e4),
    least_t_per_bdt=Arg("least factor", 0, 6),
    most_t_per_bdt=Arg("greatest factor", 0, 6),
    std_consistency_pct=STD,
)  # fmt: skip
def best_factor(
    *,
    feed_consistency_pct: float,
    feed_solids_kg_per_bdt: float,
    e_std_total_ratio: float,
    evaporation_cost_per_t: float,
    loss_cost_per_kg: float,
    least_t_per_bdt: float = 0.5,
    most_t_per_bdt: float = 6.0,
    std_consistency_pct: float = 10.0,
) -> BestFactor:
    """Return the dilution factor at which one more tonne of water costs what it saves.

    Raises
    ------
    DomainError
        E_ORDER for bounds the wrong way round.
    """
    from scipy.optimize import minimize_scalar

    if least_t_per_bdt >= most_t_per_bdt:
        message = f"the bounds go from {least_t_per_bdt:g} to {most_t_per_bdt:g} t/BDt"
        raise DomainError("E_ORDER", "least_t_per_bdt", message, f"less than {most_t_per_bdt:g} t/BDt")

    def loss(df: float) -> float:
        return feed_solids_kg_per_bdt * float(
            LOSS_SHARE(
                dilution_factor_t_per_bdt=df, feed_consistency_pct=feed_consistency_pct,
                e_std_total_ratio=e_std_total_ratio, std_consistency_pct=std_consistency_pct,
            )
        )  # fmt: skip

    def cost(df: float) -> float:
        return evaporation_cost_per_t * df + loss_cost_per_kg * loss(df)

    found = minimize_scalar(cost, bounds=(least_t_per_bdt, most_t_per_bdt), method="bounded", options={"xatol": 1e-6})
    ends = {least_t_per_bdt: cost(least_t_per_bdt), most_t_per_bdt: cost(most_t_per_bdt)}
    end = min(ends, key=lambda one: ends[one])
    at, bound = (end, 1.0) if ends[end] <= float(found.fun) + 1e-9 else (float(found.x), 0.0)
    if bound:
        warn(f"the bound of {at:g} t/BDt decides, not the prices")
    note("steps it took", found.nit)
    return BestFactor(at, cost(at), loss(at), bound)


class Zone(NamedTuple):
    """Time in a digester's wash zone, and the efficiency it gives."""

    time_h: float
    e_std_ratio: float


@method(
    "time_h = zone_m3 * packing_bdt_per_m3 / production_bdt_per_h\n"
    "e_std_ratio = e_usual_ratio * (time_h / usual_h)**power_ratio",
    title="Wash zone of a digester",
    station="washing",
    source="time of plug flow; the efficiency's law is a default to be fitted",
    aliases=("digester_wash_zone",),
    example=Example(
        {"zone_m3": 420, "packing_bdt_per_m3": 0.115, "production_bdt_per_h": 22},
        {"time_h": 2.195, "e_std_ratio": 5.22},
        2e-3,
    ),
    zone_m3=Arg("volume of the zone", 0, 1e4, above=True),
    packing_bdt_per_m3=Arg("how densely it is packed", 0, 1, above=True),
    production_bdt_per_h=Arg("pulp through it", 0, 1000, above=True),
    e_usual_ratio=Arg("efficiency at the usual time", 0, 60, above=True),
    usual_h=Arg("the usual time", 0, 24, above=True),
    power_ratio=Arg("how it grows with time", 0, 2),
)
def wash_zone(
    *,
    zone_m3: float,
    packing_bdt_per_m3: float,
    production_bdt_per_h: float,
    e_usual_ratio: float = 4.0,
    usual_h: float = 1.5,
    power_ratio: float = 0.7,
) -> Zone:
    """Return what a digester's wash zone does at a rate."""
    hours = zone_m3 * packing_bdt_per_m3 / production_bdt_per_h
    if not 0.5 <= hours <= 6:
        warn(f"{hours:.1f} h in the zone is not usual: 0.5 to 6 h")
    return Zone(hours, e_usual_ratio * (hours / usual_h) ** power_ratio)


class WeakLiquor(NamedTuple):
    """What goes to the evaporators, and the water in it that is to go."""

    liquor_t_per_bdt: float
    solids_pct: float
    evaporation_t_per_bdt: float


_SOLIDS = Arg("dissolved solids fed", 0, 5000, above=True)
_LOSS = Arg("solids lost with the pulp", 0, 1000)
_STRONG = Arg("solids in the strong liquor", 0, 1, above=True, below=True)
_STRAY = Arg("stray water", 0, 50)


@method(
    "liquor_t_per_bdt = L_feed + dilution_factor_t_per_bdt + stray_t_per_bdt\n"
    "solids_pct = (feed_solids_kg_per_bdt - loss_kg_per_bdt) / liquor_t_per_bdt / 10\n"
    "evaporation_t_per_bdt = liquor_t_per_bdt - (feed_solids_kg_per_bdt - loss_kg_per_bdt) / (1000 * strong_solids_frac)",
    title="Weak liquor to the evaporators",
    station="washing",
    source="mass balance",
    aliases=("weak_liquor",),
    exact=False,
    results=WeakLiquor._fields,
    example=Example(
        {
            "feed_consistency_pct": 10, "dilution_factor_t_per_bdt": 2.562, "feed_solids_kg_per_bdt": 1500,
            "loss_kg_per_bdt": 17.11,
        },
        {"liquor_t_per_bdt": 11.56, "solids_pct": 12.83, "evaporation_t_per_bdt": 9.56},
    ),
    feed_consistency_pct=FEED,
    dilution_factor_t_per_bdt=FACTOR,
    feed_solids_kg_per_bdt=_SOLIDS,
    loss_kg_per_bdt=_LOSS,
    strong_solids_frac=_STRONG,
    stray_t_per_bdt=_STRAY,
)  # fmt: skip
def weak_liquor_made(
    *,
    feed_consistency_pct: float,
    dilution_factor_t_per_bdt: float,
    feed_solids_kg_per_bdt: float,
    loss_kg_per_bdt: float,
    strong_solids_frac: float = 0.74,
    stray_t_per_bdt: float = 0.0,
) -> WeakLiquor:
    """Return what a washing line sends to the evaporators."""
    liquor = L(consistency_pct=feed_consistency_pct) + dilution_factor_t_per_bdt + stray_t_per_bdt
    kept = feed_solids_kg_per_bdt - loss_kg_per_bdt
    return WeakLiquor(liquor, kept / liquor / 10, liquor - kept / (1000 * strong_solids_frac))


@method(
    "most_t_per_bdt = evaporation_capacity_t_per_h / production_bdt_per_h - L_feed - stray_t_per_bdt"
    " + (feed_solids_kg_per_bdt - loss_kg_per_bdt) / (1000 * strong_solids_frac)",
    title="Most dilution the evaporators allow",
    station="washing",
    source="mass balance",
    aliases=("dilution_factor_limit_t_per_bdt",),
    exact=False,
    results=("most_t_per_bdt",),
    example=Example(
        {
            "evaporation_capacity_t_per_h": 190, "production_bdt_per_h": 20, "feed_consistency_pct": 10,
            "feed_solids_kg_per_bdt": 1500, "loss_kg_per_bdt": 17.11,
        },
        {"most_t_per_bdt": 2.50},
        2e-3,
    ),
    evaporation_capacity_t_per_h=Arg("water the evaporators take of this line", 0, 1e4),
    production_bdt_per_h=Arg("pulp over the line", 0, 1000, above=True),
    feed_consistency_pct=FEED,
    feed_solids_kg_per_bdt=_SOLIDS,
    loss_kg_per_bdt=_LOSS,
    strong_solids_frac=_STRONG,
    stray_t_per_bdt=_STRAY,
)  # fmt: skip
def most_factor(
    *,
    evaporation_capacity_t_per_h: float,
    production_bdt_per_h: float,
    feed_consistency_pct: float,
    feed_solids_kg_per_bdt: float,
    loss_kg_per_bdt: float,
    strong_solids_frac: float = 0.74,
    stray_t_per_bdt: float = 0.0,
) -> float:
    """Return the dilution factor beyond which the evaporators cannot follow at this rate."""
    kept = (feed_solids_kg_per_bdt - loss_kg_per_bdt) / (1000 * strong_solids_frac)
    return (
        evaporation_capacity_t_per_h / production_bdt_per_h - L(consistency_pct=feed_consistency_pct)
        - stray_t_per_bdt + kept
    )  # fmt: skip


class Species(NamedTuple):
    """A loss of solids, told as salt cake and as oxygen demand."""

    saltcake_kg_per_bdt: float
    cod_kg_per_bdt: float


@method(
    "saltcake_kg_per_bdt = 142.04 / 45.98 * sodium_per_solids_ratio * solids_kg_per_bdt\n"
    "cod_kg_per_bdt = cod_per_solids_ratio * solids_kg_per_bdt",
    title="A loss of solids, by species",
    station="washing",
    source="stoichiometry; the two ratios belong to the point where they were measured",
    aliases=("loss_species",),
    example=Example({"solids_kg_per_bdt": 17.11}, {"saltcake_kg_per_bdt": 10.04, "cod_kg_per_bdt": 17.11}),
    solids_kg_per_bdt=Arg("solids lost", 0, 1000),
    sodium_per_solids_ratio=Arg("sodium in the solids", 0, 0.5),
    cod_per_solids_ratio=Arg("oxygen demand of the solids", 0, 3),
)
def loss_by_species(
    *, solids_kg_per_bdt: float, sodium_per_solids_ratio: float = 0.19, cod_per_solids_ratio: float = 1.0
) -> Species:
    """Return a loss as salt cake and as oxygen demand: a loss without its species says little."""
    return Species(SALT_PER_NA * sodium_per_solids_ratio * solids_kg_per_bdt, cod_per_solids_ratio * solids_kg_per_bdt)


@method(
    "gap_t_per_bdt = level_pct_per_h * tank_m3 * liquor_density_t_per_m3 / (100 * production_bdt_per_h)",
    title="What a creeping filtrate tank says",
    station="washing",
    source="a drum puts in as much as it takes out, so a level that moves by itself is an error of flow",
    aliases=("filtrate_level_gap_t_per_bdt",),
    example=Example({"level_pct_per_h": 10, "tank_m3": 150, "production_bdt_per_h": 20}, {"gap_t_per_bdt": 0.75}),
    level_pct_per_h=Arg("how fast the level moves", -500, 500),
    tank_m3=Arg("volume of the tank", 0, 1e5, above=True),
    production_bdt_per_h=Arg("pulp over the line", 0, 1000, above=True),
    liquor_density_t_per_m3=Arg("density of the liquor", 0.8, 1.3),
)
def tank_gap(
    *, level_pct_per_h: float, tank_m3: float, production_bdt_per_h: float, liquor_density_t_per_m3: float = 1.0
) -> float:
    """Return the error of flow a filtrate tank's level shows: up is a drier mat, a low meter or stray water."""
    return level_pct_per_h * tank_m3 * liquor_density_t_per_m3 / (100 * production_bdt_per_h)


@method(
    "cover_min = 60 * volume_m3 * (level_pct - limit_pct) / (100 * net_m3_per_h)",
    title="Cover of a tank",
    station="washing",
    source="definition",
    aliases=("tank_cover_min",),
    example=Example({"volume_m3": 150, "level_pct": 62, "limit_pct": 20, "net_m3_per_h": 90}, {"cover_min": 42}),
    volume_m3=Arg("volume of the tank", 0, 1e6, above=True),
    level_pct=Arg("its level", 0, 100),
    limit_pct=Arg("the limit it runs to", 0, 100),
    net_m3_per_h=Arg("drawn off more than comes; below nought it fills"),
)
def tank_cover(*, volume_m3: float, level_pct: float, limit_pct: float, net_m3_per_h: float) -> float:
    """Return the time until a tank is at its limit.

    Raises
    ------
    DomainError
        E_SINGULAR for a tank that stands, E_RANGE for one that runs away from its limit.
    """
    if net_m3_per_h == 0:
        raise DomainError("E_SINGULAR", "net_m3_per_h", "the tank neither fills nor empties", "other than 0 m³/h")
    found = 60 * volume_m3 * (level_pct - limit_pct) / (100 * net_m3_per_h)
    if found < 0:
        way = "falls" if net_m3_per_h > 0 else "rises"
        message = f"the level {way} and the limit of {limit_pct:g} % lies the other way"
        raise DomainError(
            "E_RANGE", "limit_pct", message, f"{'below' if net_m3_per_h > 0 else 'above'} {level_pct:g} %"
        )
    return found


@method(
    "read_ratio = 1 + L_pad * liquor_kg_per_t / 1000",
    title="What an unwashed pad reads high",
    station="washing",
    source="balance: the liquor's solids stay in the pad as it dries",
    aliases=("unwashed_pad_error_frac",),
    exact=False,
    results=("read_ratio",),
    example=Example({"pad_consistency_pct": 30, "liquor_kg_per_t": 84}, {"read_ratio": 1.196}),
    pad_consistency_pct=Arg("consistency the pad is pressed to", 0, 100, above=True, below=True),
    liquor_kg_per_t=Arg("dissolved solids of its liquor", 0, 600),
)
def unwashed_pad(*, pad_consistency_pct: float, liquor_kg_per_t: float) -> float:
    """Return by what ratio a pad dried with its liquor reads high: wash it with hot water first."""
    return 1 + L(consistency_pct=pad_consistency_pct) * liquor_kg_per_t / 1000
