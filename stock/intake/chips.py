"""Chips: density, classes, knives, and what goes into the digester with them."""

from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.lot import MOISTURE, moisture_ratio_kg_per_kg, shares_add_up
from stock.steam import (
    ICE_KJ_PER_KG_K,
    MELTING_KJ_PER_KG,
    WATER_KJ_PER_KG_K,
    dry_wood_cp_kj_per_kg_k,
    latent_heat_kj_per_kg,
)
from stock.working import Arg, Example, method, warn

CLASSES: Final = ("oversize", "overthick", "large_accepts", "small_accepts", "pins", "fines")
_DENSITY: Final = Arg("basic density", 200, 1000, usual=(300, 750))
_EACH_DENSITY: Final = Arg("its basic density", 200, 1000, series=True)
_SVF: Final = Arg("solid share of the loose volume", 0, 0.74, above=True, below=True, usual=(0.32, 0.45))


# ---- density


@method(
    "mix_basic_density_kg_per_m3 = 1 / sum(bd_mass_each_frac / basic_density_each_kg_per_m3)",
    title="Basic density of a species mix",
    station="intake",
    source="additive volumes; TAPPI T 258 for each species",
    example=Example(
        {"bd_mass_each_frac": [0.6, 0.3, 0.1], "basic_density_each_kg_per_m3": [395, 415, 495]},
        {"mix_basic_density_kg_per_m3": 409.2},
    ),
    bd_mass_each_frac=Arg("bone-dry share of each species", 0, 1, series=True),
    basic_density_each_kg_per_m3=_EACH_DENSITY,
)
def mix_basic_density_kg_per_m3(*, bd_mass_each_frac: np.ndarray, basic_density_each_kg_per_m3: np.ndarray) -> float:
    """Return the basic density of a mix given by bone-dry mass shares."""
    same_length(bd_mass_each_frac=bd_mass_each_frac, basic_density_each_kg_per_m3=basic_density_each_kg_per_m3)
    shares_add_up("bd_mass_each_frac", bd_mass_each_frac, 0.005)
    return 1 / float(np.sum(bd_mass_each_frac / basic_density_each_kg_per_m3))


@method(
    "mix_basic_density_kg_per_m3 = sum(volume_each_frac * basic_density_each_kg_per_m3)",
    title="Basic density of a mix given by volume",
    station="intake",
    source="additive volumes",
    aliases=("mix_basic_density_from_volume_kg_per_m3",),
    example=Example(
        {"volume_each_frac": [0.6215, 0.2958, 0.0827], "basic_density_each_kg_per_m3": [395, 415, 495]},
        {"mix_basic_density_kg_per_m3": 409.2},
    ),
    volume_each_frac=Arg("solid-volume share of each species", 0, 1, series=True),
    basic_density_each_kg_per_m3=_EACH_DENSITY,
)
def mix_density_from_volume(*, volume_each_frac: np.ndarray, basic_density_each_kg_per_m3: np.ndarray) -> float:
    """Return the basic density of a mix given by solid-volume shares."""
    same_length(volume_each_frac=volume_each_frac, basic_density_each_kg_per_m3=basic_density_each_kg_per_m3)
    shares_add_up("volume_each_frac", volume_each_frac, 0.005)
    return float(np.sum(volume_each_frac * basic_density_each_kg_per_m3))


def same_length(**series: np.ndarray) -> None:
    """Refuse lists that belong together and are not as long as each other."""
    (first, one), *others = series.items()
    for name, other in others:
        if other.size != one.size:
            message = f"{name} has {other.size} values where {first} has {one.size}; there must be as many"
            raise DomainError("E_COUNT", name, message, f"{one.size} values")


@method(
    "bulk_density_bd_kg_per_m3 = basic_density_kg_per_m3 * solid_volume_factor",
    title="Bulk density of chips, bone-dry",
    station="intake",
    source="definition of the solid-volume factor",
    aliases=("chip_bulk_density_bd_kg_per_m3",),
    example=Example(
        {"basic_density_kg_per_m3": 402, "solid_volume_factor": 0.375}, {"bulk_density_bd_kg_per_m3": 150.75}
    ),
    basic_density_kg_per_m3=_DENSITY,
    solid_volume_factor=_SVF,
)
def chip_bulk_density(*, basic_density_kg_per_m3: float, solid_volume_factor: float) -> float:
    """Return the bone-dry wood in a cubic metre of loose chips."""
    return basic_density_kg_per_m3 * solid_volume_factor


@method(
    "solid_volume_factor = green_bulk_density_kg_per_m3 * (1 - moisture_wet_frac) / basic_density_kg_per_m3",
    title="Solid-volume factor from a weighed bucket",
    station="intake",
    source="definition",
    aliases=("solid_volume_factor",),
    example=Example(
        {"green_bulk_density_kg_per_m3": 352, "moisture_wet_frac": 0.53, "basic_density_kg_per_m3": 410},
        {"solid_volume_factor": 0.4035},
    ),
    green_bulk_density_kg_per_m3=Arg("green chips in a cubic metre", 0, 1200, above=True),
    moisture_wet_frac=MOISTURE,
    basic_density_kg_per_m3=_DENSITY,
)
def solid_volume_share(
    *, green_bulk_density_kg_per_m3: float, moisture_wet_frac: float, basic_density_kg_per_m3: float
) -> float:
    """Return the solid share of loose chips."""
    share = green_bulk_density_kg_per_m3 * (1 - moisture_wet_frac) / basic_density_kg_per_m3
    if share >= 0.74:
        message = f"the solid share comes out at {share:.2f}, more than chips can pack: check the bucket's volume"
        raise DomainError("E_RANGE", "green_bulk_density_kg_per_m3", message, "a solid share below 0.74")
    return share


@method(
    "production_bdt_per_h = metered_bdt_per_h * bulk_density_now_kg_per_m3 / bulk_density_set_kg_per_m3",
    title="Chip-meter rate put right",
    station="intake",
    source="the meter passes a volume; its mass follows the bulk density",
    example=Example(
        {"metered_bdt_per_h": 11.1, "bulk_density_now_kg_per_m3": 161.0, "bulk_density_set_kg_per_m3": 156.6},
        {"production_bdt_per_h": 11.41},
    ),
    metered_bdt_per_h=Arg("rate the meter shows", 0, 1e4),
    bulk_density_now_kg_per_m3=Arg("bulk density weighed now, bone-dry", 50, 400),
    bulk_density_set_kg_per_m3=Arg("bulk density the meter is set for", 50, 400),
)
def metered_production(
    *, metered_bdt_per_h: float, bulk_density_now_kg_per_m3: float, bulk_density_set_kg_per_m3: float
) -> float:
    """Return what a volumetric chip meter really passes."""
    return metered_bdt_per_h * bulk_density_now_kg_per_m3 / bulk_density_set_kg_per_m3


# ---- what a tonne of pulp takes


@method(
    "wood_m3_solid = 900 / (yield_frac * prod(1 - loss_each_frac) * basic_density_kg_per_m3)",
    title="Solid wood per air-dry tonne of pulp",
    station="intake",
    source="closed form of the yields in series",
    aliases=("wood_per_adt_m3_solid",),
    example=Example(
        {"yield_frac": 0.462, "basic_density_kg_per_m3": 402, "loss_each_frac": [0.012, 0.025]},
        {"wood_m3_solid": 5.031},
    ),
    yield_frac=Arg("screened pulp per bone-dry chips", 0, 1, above=True, usual=(0.35, 0.97)),
    basic_density_kg_per_m3=_DENSITY,
    loss_each_frac=Arg("losses before the digester, in series", 0, 1, below=True, series=True, count=0),
)
def wood_per_adt(*, yield_frac: float, basic_density_kg_per_m3: float, loss_each_frac: np.ndarray) -> float:
    """Return cubic metres of solid wood under bark for one air-dry tonne of pulp."""
    return 900 / (yield_frac * float(np.prod(1 - loss_each_frac)) * basic_density_kg_per_m3)


@method(
    "liquor_ratio = (1 - moisture_now_frac) / (1 - moisture_booked_frac)",
    title="Liquor for chips wetter or drier than booked",
    station="intake",
    source="at constant green weight the bone-dry wood follows the dryness",
    example=Example({"moisture_now_frac": 0.52, "moisture_booked_frac": 0.48}, {"liquor_ratio": 0.9231}),
    moisture_now_frac=MOISTURE,
    moisture_booked_frac=MOISTURE,
)
def liquor_for_moisture(*, moisture_now_frac: float, moisture_booked_frac: float) -> float:
    """Return by what white liquor is to be multiplied at constant chip weight."""
    return (1 - moisture_now_frac) / (1 - moisture_booked_frac)


# ---- classes


class Shares(NamedTuple):
    """Chip classes as shares of what was caught."""

    oversize_pct: float
    overthick_pct: float
    large_accepts_pct: float
    small_accepts_pct: float
    pins_pct: float
    fines_pct: float
    accepts_pct: float
    closure_loss_frac: float


@method(
    "each_pct = 100 * mass_by_class_g / sum(mass_by_class_g);"
    " closure_loss_frac = (sample_mass_g - sum(mass_by_class_g)) / sample_mass_g",
    title="Chip classes",
    station="intake",
    source="SCAN-CM 40: 45 mm holes, 8 mm bars, 13, 7 and 3 mm holes, pan",
    exact=False,
    results=Shares._fields,
    example=Example(
        {"mass_by_class_g": [31, 402, 2986, 1105, 318, 71], "sample_mass_g": 4960},
        {"oversize_pct": 0.631, "overthick_pct": 8.183, "accepts_pct": 83.27, "pins_pct": 6.473, "fines_pct": 1.445},
    ),
    mass_by_class_g=Arg(
        "oversize, overthick, large accepts, small accepts, pins, fines", 0, 1e5, series=True, count=len(CLASSES)
    ),
    sample_mass_g=Arg("mass before classifying", 0, 1e6, above=True),
)
def chip_class_percent(*, mass_by_class_g: np.ndarray, sample_mass_g: float) -> Shares:
    """Return the share of each class; masses that do not add up to the sample are refused."""
    total = float(mass_by_class_g.sum())
    if mass_by_class_g.size != len(CLASSES):
        message = f"there are {mass_by_class_g.size} masses; give one for each of {', '.join(CLASSES)}"
        raise DomainError("E_COUNT", "mass_by_class_g", message, f"{len(CLASSES)} masses")
    loss = (sample_mass_g - total) / sample_mass_g
    if abs(loss) > 0.02 or total <= 0:
        message = f"the classes add to {total:.0f} g of a {sample_mass_g:.0f} g sample, {100 * abs(loss):.1f} % apart"
        raise DomainError("E_SUM", "mass_by_class_g", message, "within 2 % of the sample")
    if abs(loss) > 0.01:
        warn(f"the classes add to {100 * (1 - loss):.1f} % of the sample: something was spilt or counted twice")
    shares = 100 * mass_by_class_g / total
    accepts = float(shares[2] + shares[3])
    coarse, thick, large, small, pins, fines = shares.tolist()
    return Shares(coarse, thick, large, small, pins, fines, accepts, float(loss))


# Mean thickness of each class, and mean kappa of a chip of that thickness where thin chips
# come out at 29.8: what simulate_chip_slab gives for softwood, 170 °C for 100 min or 155 °C for 360.
CLASS_MM: Final = (11.5, 9.5, 6.0, 4.5, 2.5, 1.5)
_SLAB_MM: Final = (2, 4, 6, 8, 10, 12)
_SLAB_KAPPA: Final = {"hot": (29.8, 29.9, 30.0, 30.4, 32.9, 37.2), "cool": (29.8, 29.8, 29.8, 29.8, 30.1, 31.2)}


class Uneven(NamedTuple):
    """What the thick chips do to a cook."""

    kappa_rise_kappa: float
    spread_kappa: float


@method(
    "each class cooks to the kappa of its thickness; mean and standard deviation over the classes",
    title="Kappa spread from thick chips",
    station="intake",
    source="alkali diffusion into a slab with bulk kinetics, tabulated; real beds are worse",
    exact=False,
    results=("kappa_rise_kappa", "spread_kappa"),
    example=Example(
        {"class_each_frac": [0.0063, 0.0818, 0.6080, 0.2247, 0.0647, 0.0145], "thin_kappa": 29.8, "hot_frac": 1.0},
        {"kappa_rise_kappa": 0.3936, "spread_kappa": 0.7912},
    ),
    notes="Scaled from thin chips at kappa 29.8; hot_frac 1 is 170 °C for 100 min, 0 is 155 °C for 360 min.",
    class_each_frac=Arg("share of each class, coarse to fine", 0, 1, series=True, count=len(CLASSES)),
    thin_kappa=Arg("kappa of thin chips", 5, 120),
    hot_frac=Arg("how hot and short the cook is", 0, 1),
)
def kappa_spread(*, class_each_frac: np.ndarray, thin_kappa: float, hot_frac: float = 1.0) -> Uneven:
    """Return how far thick chips lift the mean kappa, and the spread they bring."""
    shares_add_up("class_each_frac", class_each_frac, 0.02)
    slab = hot_frac * np.array(_SLAB_KAPPA["hot"]) + (1 - hot_frac) * np.array(_SLAB_KAPPA["cool"])
    each = thin_kappa * np.interp(CLASS_MM, _SLAB_MM, slab) / slab[0]
    share = class_each_frac / class_each_frac.sum()
    mean = float(share @ each)
    return Uneven(mean - thin_kappa, float(np.sqrt(share @ (each - mean) ** 2)))


@method(
    "rejects_pct = oversize_pct * oversize_rejects_frac + overthick_pct * overthick_rejects_frac",
    title="Knots to expect from coarse chips",
    station="intake",
    source="shares that stay uncooked; defaults to be fitted on the knotter's tonnes",
    example=Example({"oversize_pct": 0.63, "overthick_pct": 8.18}, {"rejects_pct": 1.202}),
    oversize_pct=Arg("oversize", 0, 100),
    overthick_pct=Arg("overthick", 0, 100),
    oversize_rejects_frac=Arg("share of oversize that stays uncooked", 0, 1),
    overthick_rejects_frac=Arg("share of overthick that stays uncooked", 0, 1),
)
def coarse_rejects_pct(
    *,
    oversize_pct: float,
    overthick_pct: float,
    oversize_rejects_frac: float = 0.35,
    overthick_rejects_frac: float = 0.12,
) -> float:
    """Return the rejects that oversize and overthick chips bring, % on chips."""
    return oversize_pct * oversize_rejects_frac + overthick_pct * overthick_rejects_frac


@method(
    "extra_pct_naoh_on_wood = pins_pct * pins_frac + fines_pct * fines_frac + bark_pct * bark_frac",
    title="Alkali taken by fines and bark",
    station="intake",
    source="extra consumption for each point; defaults to be fitted on residuals",
    example=Example({"pins_pct": 6.47, "fines_pct": 1.45, "bark_pct": 0.5}, {"extra_pct_naoh_on_wood": 0.2326}),
    pins_pct=Arg("pins", 0, 100),
    fines_pct=Arg("fines", 0, 100),
    bark_pct=Arg("bark", 0, 100),
    pins_frac=Arg("for each point of pins", 0, 1),
    fines_frac=Arg("for each point of fines", 0, 1),
    bark_frac=Arg("for each point of bark", 0, 1),
)
def fines_alkali(
    *,
    pins_pct: float,
    fines_pct: float,
    bark_pct: float,
    pins_frac: float = 0.015,
    fines_frac: float = 0.059,
    bark_frac: float = 0.10,
) -> float:
    """Return the alkali charge that small and barky material takes before the accepts get theirs."""
    return pins_pct * pins_frac + fines_pct * fines_frac + bark_pct * bark_frac


class ScreenedOut(NamedTuple):
    """Share rejected besides, and wood lost by it."""

    extra_reject_frac: float
    wood_m3_per_adt: float


@method(
    "extra_reject_frac = (fines_pct - fines_wanted_pct) / 100\nwood_m3_per_adt = wood_m3_solid * extra_reject_frac",
    title="Screening the fines out, and what it costs",
    station="intake",
    source="mass balance of the bottom screen",
    example=Example(
        {"fines_pct": 2.3, "fines_wanted_pct": 1.5, "wood_m3_solid": 4.2},
        {"extra_reject_frac": 0.008, "wood_m3_per_adt": 0.0336},
    ),
    fines_pct=Arg("fines now", 0, 100),
    fines_wanted_pct=Arg("fines wanted", 0, 100),
    wood_m3_solid=Arg("solid wood per air-dry tonne", 0, 20),
)
def screen_out_fines(*, fines_pct: float, fines_wanted_pct: float, wood_m3_solid: float) -> ScreenedOut:
    """Return the share to reject besides, and the wood it takes from a tonne of pulp."""
    extra = (fines_pct - fines_wanted_pct) / 100
    return ScreenedOut(extra, wood_m3_solid * extra)


class Wear(NamedTuple):
    """How chips coarsen with the hours on the knives."""

    slope_pct_per_h: float
    start_pct: float
    limit_h: float
    left_h: float


@method(
    "straight line of overthick over hours since the knives were changed; limit_h is where it meets the limit",
    title="When to change knives",
    station="intake",
    source="least squares",
    exact=False,
    results=("left_h", "slope_pct_per_h", "start_pct", "limit_h"),
    example=Example(
        {"since_change_h": [1, 5, 9, 13], "overthick_each_pct": [3.0, 3.5, 3.9, 4.5], "limit_pct": 5.0},
        {"slope_pct_per_h": 0.1225, "start_pct": 2.8675, "limit_h": 17.41, "left_h": 4.41},
        2e-3,
    ),
    since_change_h=Arg("hours on the knives at each sample", 0, 1000, series=True, count=3),
    overthick_each_pct=Arg("overthick in each sample", 0, 100, series=True, count=3),
    limit_pct=Arg("most overthick allowed", 0, 100, above=True),
)
def knife_hours_left(*, since_change_h: np.ndarray, overthick_each_pct: np.ndarray, limit_pct: float) -> Wear:
    """Return how many hours the knives still have, from the last sample on; nil when they are past it."""
    same_length(since_change_h=since_change_h, overthick_each_pct=overthick_each_pct)
    if float(np.ptp(since_change_h)) <= 0:
        message = "every sample has the same hours on the knives: no trend can be drawn"
        raise DomainError("E_OBSERV", "since_change_h", message, "samples at different hours")
    slope, start = (float(value) for value in np.polyfit(since_change_h, overthick_each_pct, 1))
    if slope <= 0:
        message = f"overthick does not rise with the hours ({slope:+.3f} %/h): the knives are not the cause yet"
        raise DomainError("E_OBSERV", "overthick_each_pct", message, "a share that rises")
    limit = (limit_pct - start) / slope
    return Wear(slope, start, limit, max(0.0, limit - float(since_change_h.max())))


# ---- washing and steaming


@method(
    "load_pct = 100 * (1000 * bd_t_per_h / bulk_density_bd_kg_per_m3) / washer_limit_m3_per_h",
    title="Loading of the chip washer",
    station="intake",
    source="loose volume against the washer's limit",
    example=Example(
        {"bd_t_per_h": 11.14, "bulk_density_bd_kg_per_m3": 156.6, "washer_limit_m3_per_h": 95}, {"load_pct": 74.88}
    ),
    bd_t_per_h=Arg("chips fed, bone-dry", 0, 1e4),
    bulk_density_bd_kg_per_m3=Arg("bulk density, bone-dry", 50, 400),
    washer_limit_m3_per_h=Arg("most loose chips the washer takes", 0, 1e4, above=True),
)
def chip_wash_load_pct(*, bd_t_per_h: float, bulk_density_bd_kg_per_m3: float, washer_limit_m3_per_h: float) -> float:
    """Return how full the chip washer is run; above 100 stones and sand go through."""
    load = 100 * (1000 * bd_t_per_h / bulk_density_bd_kg_per_m3) / washer_limit_m3_per_h
    if load > 100:
        warn(f"the washer is asked for {load:.0f} % of its limit: stones and sand will pass")
    return load


class Steaming(NamedTuple):
    """Heat and steam to warm chips, and their moisture after."""

    heat_kj_per_kg: float
    steam_kg_per_bdt: float
    moisture_after_ratio: float


@method(
    "heat = (wood + water) * rise, ice melted first; steam_kg_per_bdt = 1000 * heat / (efficiency * latent heat)",
    title="Steaming chips",
    station="intake",
    source="heat balance; heat capacity after the USDA Wood Handbook",
    exact=False,
    results=("heat_kj_per_kg", "steam_kg_per_bdt", "moisture_after_ratio"),
    example=Example(
        {"t_in_c": 8, "t_out_c": 100, "moisture_wet_frac": 0.5, "efficiency_frac": 0.85},
        {"heat_kj_per_kg": 511.4, "steam_kg_per_bdt": 266.6},
    ),
    t_in_c=Arg("chips come at", -50, 100),
    t_out_c=Arg("chips leave at", 0, 130),
    moisture_wet_frac=MOISTURE,
    efficiency_frac=Arg("share of the steam that stays in the chips", 0, 1, above=True),
)
def chip_steaming(
    *, t_in_c: float, t_out_c: float, moisture_wet_frac: float, efficiency_frac: float = 0.85
) -> Steaming:
    """Return the heat and steam that bring chips to a temperature, thawing them on the way."""
    if t_out_c <= t_in_c:
        message = f"chips come at {t_in_c:g} °C and would leave at {t_out_c:g} °C: nothing is to be heated"
        raise DomainError("E_ORDER", "t_out_c", message, f"more than {t_in_c:g} °C")
    u = moisture_ratio_kg_per_kg(moisture_wet_frac=moisture_wet_frac)
    heat = dry_wood_cp_kj_per_kg_k(t1_c=t_in_c, t2_c=t_out_c) * (t_out_c - t_in_c)
    if t_in_c >= 0:
        heat += WATER_KJ_PER_KG_K * u * (t_out_c - t_in_c)
    else:
        heat += u * (ICE_KJ_PER_KG_K * -t_in_c + MELTING_KJ_PER_KG + WATER_KJ_PER_KG_K * t_out_c)
    steam = 1000 * heat / (efficiency_frac * latent_heat_kj_per_kg(temperature_c=t_out_c))
    return Steaming(heat, steam, u + steam * efficiency_frac / 1000)


@method(
    "rate_bdt_per_h = min(bdt_per_h, 1000 * steam_t_per_h / steam_kg_per_bdt)",
    title="Chip rate the steam can heat",
    station="intake",
    source="cut in proportion to steam available over steam needed",
    exact=False,
    example=Example({"bdt_per_h": 11.1, "steam_t_per_h": 2.6, "steam_kg_per_bdt": 267}, {"rate_bdt_per_h": 9.738}),
    bdt_per_h=Arg("chips fed", 0, 1e4),
    steam_t_per_h=Arg("steam available", 0, 1e4),
    steam_kg_per_bdt=Arg("steam needed", 0, 3000, above=True),
)
def steamed_rate(*, bdt_per_h: float, steam_t_per_h: float, steam_kg_per_bdt: float) -> float:
    """Return the chip rate that still leaves the bin hot through."""
    return min(bdt_per_h, 1000 * steam_t_per_h / steam_kg_per_bdt)
