"""What a cook is filled with: liquor for a charge, the fill, the ratio, what is used and left, corrections."""

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn


@method(
    "white_liquor_volume_m3 = 10 * bd_wood_t * effective_alkali_pct_naoh_on_wood / effective_alkali_kg_per_m3_as_naoh",
    title="White liquor for a charge",
    station="cooking",
    source="definition",
    example=Example(
        {
            "bd_wood_t": 21.5,
            "effective_alkali_pct_naoh_on_wood": 18.5,
            "effective_alkali_kg_per_m3_as_naoh": 105.6,
        },
        {"white_liquor_volume_m3": 37.67},
    ),
    bd_wood_t=Arg("bone-dry wood in the digester", 0, 1e4),
    effective_alkali_pct_naoh_on_wood=Arg("effective alkali charge", 0, 40, usual=(10, 25)),
    effective_alkali_kg_per_m3_as_naoh=Arg("cooking liquor strength", 0, 800, above=True, usual=(70, 140)),
)
def white_liquor_volume_m3(
    *, bd_wood_t: float, effective_alkali_pct_naoh_on_wood: float, effective_alkali_kg_per_m3_as_naoh: float
) -> float:
    """Return the white liquor that carries a charge on bone-dry wood."""
    return 10 * bd_wood_t * effective_alkali_pct_naoh_on_wood / effective_alkali_kg_per_m3_as_naoh


_BD_WOOD = Arg("bone-dry wood", 0, 1e4, above=True)
_RATIO = Arg("liquor to wood", 2, 10, usual=(3, 7))
_MOISTURE = Arg("chip moisture, wet basis", 0, 1, below=True)
_CONDENSATE = Arg("condensate from steaming", 0, 2)


@method(
    "liquor_m3 = bd_wood_t * (liquor_to_wood - moisture_wet_frac / (1 - moisture_wet_frac) - steam_condensate_t_per_bdt)",
    title="Liquor that makes up the ratio",
    station="cooking",
    source="volume balance; chip water and condensate count as liquor",
    exact=False,
    example=Example(
        {"bd_wood_t": 21.5, "liquor_to_wood": 4.0, "moisture_wet_frac": 0.5, "steam_condensate_t_per_bdt": 0.14},
        {"liquor_m3": 61.49},
    ),
    bd_wood_t=_BD_WOOD,
    liquor_to_wood=_RATIO,
    moisture_wet_frac=_MOISTURE,
    steam_condensate_t_per_bdt=_CONDENSATE,
)
def liquor_fill(
    *, bd_wood_t: float, liquor_to_wood: float, moisture_wet_frac: float, steam_condensate_t_per_bdt: float = 0.0
) -> float:
    """Return all the liquor to be pumped in, beside the water that comes with the chips."""
    chip_water = moisture_wet_frac / (1 - moisture_wet_frac) + steam_condensate_t_per_bdt
    if chip_water > liquor_to_wood:
        message = (
            f"the chips alone bring {chip_water:.2f} m³/BDt of water, more than a liquor to wood of {liquor_to_wood:g}"
        )
        raise DomainError("E_INFEASIBLE", "liquor_to_wood", message, f"{chip_water:.2f} m³/BDt or more")
    return bd_wood_t * (liquor_to_wood - chip_water)


@method(
    "black_liquor_fill_m3 = liquor_to_wood * bd_wood_t - white_liquor_m3"
    " - bd_wood_t * moisture_wet_frac / (1 - moisture_wet_frac) - bd_wood_t * steam_condensate_t_per_bdt",
    title="Black-liquor fill",
    station="cooking",
    source="volume balance; chip water and condensate count as liquor",
    exact=False,
    example=Example(
        {
            "bd_wood_t": 21.5,
            "liquor_to_wood": 4.0,
            "white_liquor_m3": 37.67,
            "moisture_wet_frac": 0.5,
            "steam_condensate_t_per_bdt": 0.14,
        },
        {"black_liquor_fill_m3": 23.82},
    ),
    notes="A soda cook fills with water or weak liquor by the same balance.",
    bd_wood_t=_BD_WOOD,
    liquor_to_wood=_RATIO,
    white_liquor_m3=Arg("white liquor, or caustic", 0, 1e4),
    moisture_wet_frac=_MOISTURE,
    steam_condensate_t_per_bdt=_CONDENSATE,
)
def black_liquor_fill_m3(
    *,
    bd_wood_t: float,
    liquor_to_wood: float,
    white_liquor_m3: float,
    moisture_wet_frac: float,
    steam_condensate_t_per_bdt: float = 0.0,
) -> float:
    """Return the black liquor that makes up the wanted liquor-to-wood ratio."""
    chip_water = bd_wood_t * (moisture_wet_frac / (1 - moisture_wet_frac) + steam_condensate_t_per_bdt)
    fill = liquor_to_wood * bd_wood_t - white_liquor_m3 - chip_water
    if fill < 0:
        least = (white_liquor_m3 + chip_water) / bd_wood_t
        message = f"liquor to wood of {liquor_to_wood:g} leaves no room; the least that fits is {least:.2f} m³/BDt"
        raise DomainError("E_INFEASIBLE", "liquor_to_wood", message, f"{least:.2f} m³/BDt or more")
    return fill


@method(
    "weak_kg_per_m3_as_naoh = residual_kg_per_m3_as_naoh * liquor_to_wood"
    " / (liquor_to_wood + yield_frac * dilution_factor_t_per_bdt)",
    title="Alkali of weak black liquor",
    station="cooking",
    source="mass balance: the liquor of the cook leaves the washers with their dilution factor",
    example=Example(
        {
            "residual_kg_per_m3_as_naoh": 8.9,
            "liquor_to_wood": 4.0,
            "yield_frac": 0.522,
            "dilution_factor_t_per_bdt": 2.5,
        },
        {"weak_kg_per_m3_as_naoh": 6.711},
    ),
    residual_kg_per_m3_as_naoh=Arg("residual alkali of the cooks", 0, 100),
    liquor_to_wood=Arg("liquor to wood of a cook", 2, 10),
    yield_frac=Arg("pulp on wood", 0, 1, above=True),
    dilution_factor_t_per_bdt=Arg("dilution factor of the washers", -1, 10, usual=(0, 5)),
)
def weak_black(
    *,
    residual_kg_per_m3_as_naoh: float,
    liquor_to_wood: float,
    yield_frac: float,
    dilution_factor_t_per_bdt: float,
) -> float:
    """Return what is left of the alkali in the liquor that fills cooks, once wash water has come to it."""
    washed = liquor_to_wood + yield_frac * dilution_factor_t_per_bdt
    return residual_kg_per_m3_as_naoh * liquor_to_wood / washed


@method(
    "liquor_to_wood = (liquor_m3 + bd_wood_t * moisture_wet_frac / (1 - moisture_wet_frac)"
    " + bd_wood_t * steam_condensate_t_per_bdt) / bd_wood_t",
    title="Liquor to wood as filled",
    station="cooking",
    source="volume balance; chip water and condensate count as liquor",
    example=Example(
        {"bd_wood_t": 21.5, "liquor_m3": 61.49, "moisture_wet_frac": 0.5, "steam_condensate_t_per_bdt": 0.14},
        {"liquor_to_wood": 4.0},
    ),
    bd_wood_t=_BD_WOOD,
    liquor_m3=Arg("all liquor pumped in", 0, 1e5),
    moisture_wet_frac=_MOISTURE,
    steam_condensate_t_per_bdt=_CONDENSATE,
)
def liquor_ratio(
    *, bd_wood_t: float, liquor_m3: float, moisture_wet_frac: float, steam_condensate_t_per_bdt: float = 0.0
) -> float:
    """Return the liquor-to-wood ratio that was really reached."""
    water = bd_wood_t * moisture_wet_frac / (1 - moisture_wet_frac) + bd_wood_t * steam_condensate_t_per_bdt
    return (liquor_m3 + water) / bd_wood_t


@method(
    "charge_pct_naoh_on_wood = 0.1 * liquor_m3 * effective_kg_per_m3_as_naoh / bd_wood_t",
    title="Charge from what was pumped",
    station="cooking",
    source="mass balance of alkali",
    example=Example(
        {"liquor_m3": 37.67, "effective_kg_per_m3_as_naoh": 105.6, "bd_wood_t": 21.5}, {"charge_pct_naoh_on_wood": 18.5}
    ),
    liquor_m3=Arg("cooking liquor pumped in", 0, 1e5),
    effective_kg_per_m3_as_naoh=Arg("its effective alkali", 0, 800),
    bd_wood_t=_BD_WOOD,
)
def charge_from_volume(*, liquor_m3: float, effective_kg_per_m3_as_naoh: float, bd_wood_t: float) -> float:
    """Return the charge on bone-dry wood that a volume of liquor is."""
    return 0.1 * liquor_m3 * effective_kg_per_m3_as_naoh / bd_wood_t


@method(
    "used_pct_naoh_on_wood = charge_pct_naoh_on_wood - 0.1 * residual_kg_per_m3_as_naoh * liquor_to_wood",
    title="Alkali used in the cook",
    station="cooking",
    source="TAPPI T 625, SCAN-N 33",
    aliases=("alkali_consumed_percent_naoh_on_wood",),
    exact=False,
    example=Example(
        {"charge_pct_naoh_on_wood": 18.5, "residual_kg_per_m3_as_naoh": 9.6, "liquor_to_wood": 4.0},
        {"used_pct_naoh_on_wood": 14.66},
    ),
    charge_pct_naoh_on_wood=Arg("effective alkali charged", 0, 40),
    residual_kg_per_m3_as_naoh=Arg("residual effective alkali", 0, 100),
    liquor_to_wood=Arg("liquor to wood", 2, 10),
)
def alkali_consumed_pct(
    *, charge_pct_naoh_on_wood: float, residual_kg_per_m3_as_naoh: float, liquor_to_wood: float
) -> float:
    """Return the charge used up, from the residual."""
    used = charge_pct_naoh_on_wood - 0.1 * residual_kg_per_m3_as_naoh * liquor_to_wood
    if used < 0:
        message = f"a residual of {residual_kg_per_m3_as_naoh:g} g/L is more than was charged: sample, basis or ratio is wrong"
        raise DomainError("E_ORDER", "residual_kg_per_m3_as_naoh", message, "a residual below the charge")
    return used


@method(
    "residual_kg_per_m3_as_naoh = 10 * (charge_pct_naoh_on_wood - used_pct_naoh_on_wood) / liquor_to_wood",
    title="Residual alkali to expect",
    station="cooking",
    source="mass balance of alkali, with what the mill's cooks use",
    exact=False,
    example=Example(
        {"charge_pct_naoh_on_wood": 18.5, "used_pct_naoh_on_wood": 14.66, "liquor_to_wood": 4.0},
        {"residual_kg_per_m3_as_naoh": 9.6},
    ),
    charge_pct_naoh_on_wood=Arg("effective alkali charged", 0, 40),
    used_pct_naoh_on_wood=Arg("what a cook like it uses", 0, 40),
    liquor_to_wood=Arg("liquor to wood", 2, 10),
)
def residual_from_use(*, charge_pct_naoh_on_wood: float, used_pct_naoh_on_wood: float, liquor_to_wood: float) -> float:
    """Return the alkali left in the liquor; nought, with a warning, where the charge will not last."""
    left = 10 * (charge_pct_naoh_on_wood - used_pct_naoh_on_wood) / liquor_to_wood
    if left < 0:
        warn("the charge is less than a cook like it uses: the alkali will be spent before the end")
        return 0.0
    return left


@method(
    "alkali_kg_per_m3_as_naoh = 10 * charge_pct_naoh_on_wood / liquor_to_wood",
    title="Alkali in the digester at the start",
    station="cooking",
    source="the charge in all the liquor there is; 32 to 56 g/L (0.8 to 1.4 mol/L) is usual for kraft",
    example=Example({"charge_pct_naoh_on_wood": 18.5, "liquor_to_wood": 4.0}, {"alkali_kg_per_m3_as_naoh": 46.25}),
    charge_pct_naoh_on_wood=Arg("effective alkali charged", 0, 40),
    liquor_to_wood=Arg("liquor to wood", 2, 10),
)
def alkali_at_start(*, charge_pct_naoh_on_wood: float, liquor_to_wood: float) -> float:
    """Return the strength of the liquor the chips stand in."""
    return 10 * charge_pct_naoh_on_wood / liquor_to_wood


@method(
    "change_pct_naoh_on_wood = 0.1 * (residual_wanted_kg_per_m3_as_naoh - residual_kg_per_m3_as_naoh) * liquor_to_wood",
    title="Charge correction from the residual",
    station="cooking",
    source="mass balance of alkali in the liquor",
    example=Example(
        {"residual_kg_per_m3_as_naoh": 6.5, "residual_wanted_kg_per_m3_as_naoh": 9.0, "liquor_to_wood": 4.0},
        {"change_pct_naoh_on_wood": 1.0},
    ),
    residual_kg_per_m3_as_naoh=Arg("residual now", 0, 100),
    residual_wanted_kg_per_m3_as_naoh=Arg("residual wanted", 0, 100),
    liquor_to_wood=Arg("liquor to wood", 2, 10),
)
def alkali_correction_pct(
    *, residual_kg_per_m3_as_naoh: float, residual_wanted_kg_per_m3_as_naoh: float, liquor_to_wood: float
) -> float:
    """Return how much to change the charge so that the residual lands where wanted."""
    return 0.1 * (residual_wanted_kg_per_m3_as_naoh - residual_kg_per_m3_as_naoh) * liquor_to_wood


@method(
    "effective_pct_naoh_on_wood = charge_pct_naoh_on_wood"
    " + 0.1 * black_liquor_m3 * black_liquor_kg_per_m3_as_naoh / bd_wood_t",
    title="Charge with what the black liquor brings",
    station="cooking",
    source="mass balance of alkali",
    aliases=("effective_charge_percent",),
    example=Example(
        {
            "charge_pct_naoh_on_wood": 18.5,
            "black_liquor_m3": 23.82,
            "black_liquor_kg_per_m3_as_naoh": 9.0,
            "bd_wood_t": 21.5,
        },
        {"effective_pct_naoh_on_wood": 19.50},
    ),
    charge_pct_naoh_on_wood=Arg("effective alkali charged", 0, 40),
    black_liquor_m3=Arg("black liquor filled", 0, 1e4),
    black_liquor_kg_per_m3_as_naoh=Arg("its residual", 0, 100),
    bd_wood_t=Arg("bone-dry wood", 0, 1e4, above=True),
)
def charge_with_black_liquor(
    *,
    charge_pct_naoh_on_wood: float,
    black_liquor_m3: float,
    black_liquor_kg_per_m3_as_naoh: float,
    bd_wood_t: float,
) -> float:
    """Return the alkali the wood meets."""
    return charge_pct_naoh_on_wood + 0.1 * black_liquor_m3 * black_liquor_kg_per_m3_as_naoh / bd_wood_t


@method(
    "left_count = volume_m3 * max(0, level_pct - low_pct) / 100 / charge_m3",
    title="Charges left in a tank",
    station="cooking",
    source="definition, above what its pump can draw down to",
    exact=False,
    example=Example({"volume_m3": 180, "level_pct": 40, "low_pct": 10, "charge_m3": 24}, {"left_count": 2.25}),
    volume_m3=Arg("volume of the tank", 0, 1e5, above=True),
    level_pct=Arg("its level", 0, 100),
    low_pct=Arg("level the pump draws down to", 0, 100),
    charge_m3=Arg("liquor of a charge", 0, 1e4, above=True),
)
def charges_left(*, volume_m3: float, level_pct: float, low_pct: float, charge_m3: float) -> float:
    """Return how many charges can be drawn from a liquor tank."""
    return volume_m3 * max(0.0, level_pct - low_pct) / 100 / charge_m3
