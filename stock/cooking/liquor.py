"""Liquor arithmetic: bases, titration, charge, fill, residual."""

from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method

NA2O_PER_NAOH = 61.979 / 79.994
NAOH_G_PER_MOL = 39.997
_TO_NA2O = {"naoh": NA2O_PER_NAOH, "na2o": 1.0, "na2s": 61.979 / 78.045, "na2co3": 61.979 / 105.988}


@method(
    "alkali_kg_per_m3_as_naoh = value_kg_per_m3 * to_na2o[basis] / 0.774796",
    title="Alkali expressed as NaOH",
    station="cooking",
    source="stoichiometry",
    exact=False,
    example=Example({"value_kg_per_m3": 92.98, "basis": "na2o"}, {"alkali_kg_per_m3_as_naoh": 120.0}),
    value_kg_per_m3=Arg("alkali on the basis named", 0, 1000),
    basis=Choice("what the figure counts as", ("naoh", "na2o", "na2s", "na2co3")),
)
def alkali_as_naoh(*, value_kg_per_m3: float, basis: str) -> float:
    """Return an alkali figure as NaOH."""
    return value_kg_per_m3 * _TO_NA2O[basis] / NA2O_PER_NAOH


@method(
    "alkali_kg_per_m3 = value_kg_per_m3 * to_na2o[basis]",
    title="Alkali expressed as Na2O",
    station="cooking",
    source="stoichiometry",
    exact=False,
    example=Example({"value_kg_per_m3": 120, "basis": "naoh"}, {"alkali_kg_per_m3": 92.98}),
    value_kg_per_m3=Arg("alkali on the basis named", 0, 1000),
    basis=Choice("what the figure counts as", ("naoh", "na2o", "na2s", "na2co3")),
)
def alkali_as_na2o(*, value_kg_per_m3: float, basis: str) -> float:
    """Return an alkali figure as Na2O."""
    return value_kg_per_m3 * _TO_NA2O[basis]


@method(
    "charge_pct_na2o = charge_pct_naoh_on_wood * 61.979 / 79.994",
    title="Charge on wood from NaOH to Na2O",
    station="cooking",
    source="stoichiometry",
    example=Example({"charge_pct_naoh_on_wood": 18.5}, {"charge_pct_na2o": 14.334}),
    charge_pct_naoh_on_wood=Arg("effective alkali charge", 0, 40),
)
def charge_as_na2o(*, charge_pct_naoh_on_wood: float) -> float:
    """Return a charge on wood as Na2O."""
    return charge_pct_naoh_on_wood * 61.979 / 79.994


class WhiteLiquor(NamedTuple):
    """What an A/B/C titration says about white liquor."""

    effective_kg_per_m3_as_naoh: float
    active_kg_per_m3_as_naoh: float
    titratable_kg_per_m3_as_naoh: float
    sulphidity_frac: float
    causticity_frac: float
    activity_frac: float


@method(
    "effective_kg_per_m3_as_naoh = a_ml * acid_normality * 39.997 / sample_ml\n"
    "active_kg_per_m3_as_naoh = b_ml * acid_normality * 39.997 / sample_ml\n"
    "titratable_kg_per_m3_as_naoh = c_ml * acid_normality * 39.997 / sample_ml\n"
    "sulphidity_frac = 2 * (b_ml - a_ml) / b_ml\n"
    "causticity_frac = (2 * a_ml - b_ml) / (2 * a_ml - b_ml + c_ml - b_ml)\n"
    "activity_frac = b_ml / c_ml",
    title="White liquor from an A/B/C titration",
    station="cooking",
    source="TAPPI T 624, SCAN-N 30; volumes are cumulative",
    exact=False,
    example=Example(
        {"a_ml": 26.40, "b_ml": 30.90, "c_ml": 36.10, "acid_normality": 0.5, "sample_ml": 5.0},
        {"effective_kg_per_m3_as_naoh": 105.59, "sulphidity_frac": 0.2913, "causticity_frac": 0.8081},
    ),
    a_ml=Arg("acid to the hydroxide end point", 0, 200),
    b_ml=Arg("acid to the hydrosulphide end point", 0, 200, above=True),
    c_ml=Arg("acid to the carbonate end point", 0, 200, above=True),
    acid_normality=Arg("strength of the acid", 0, 12, above=True),
    sample_ml=Arg("sample", 0, 200, above=True),
)
def white_liquor_from_abc(
    *, a_ml: float, b_ml: float, c_ml: float, acid_normality: float, sample_ml: float
) -> WhiteLiquor:
    """Return alkali strengths and ratios from cumulative burette readings."""
    if not a_ml <= b_ml <= c_ml:
        raise DomainError(
            "E_ORDER", "b_ml", f"A, B, C are {a_ml:g}, {b_ml:g}, {c_ml:g} mL; they must not fall", "A ≤ B ≤ C"
        )
    if 2 * a_ml < b_ml:
        raise DomainError(
            "E_RANGE", "a_ml", f"A {a_ml:g} mL with B {b_ml:g} mL means less than no NaOH", "2A at least B"
        )
    g = acid_normality * NAOH_G_PER_MOL / sample_ml
    naoh = 2 * a_ml - b_ml
    return WhiteLiquor(a_ml * g, b_ml * g, c_ml * g, 2 * (b_ml - a_ml) / b_ml, naoh / (naoh + c_ml - b_ml), b_ml / c_ml)


@method(
    "effective_kg_per_m3_as_naoh = active_kg_per_m3_as_naoh * (1 - sulphidity_frac / 2)",
    title="Effective from active alkali",
    station="cooking",
    source="definition",
    aliases=("effective_alkali_from_active",),
    example=Example(
        {"active_kg_per_m3_as_naoh": 132, "sulphidity_frac": 0.28}, {"effective_kg_per_m3_as_naoh": 113.52}
    ),
    active_kg_per_m3_as_naoh=Arg("active alkali", 0, 300),
    sulphidity_frac=Arg("sulphidity on active alkali", 0, 1, usual=(0, 0.45)),
)
def effective_alkali(*, active_kg_per_m3_as_naoh: float, sulphidity_frac: float) -> float:
    """Return effective alkali: all the NaOH and half the sulphide."""
    return active_kg_per_m3_as_naoh * (1 - sulphidity_frac / 2)


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
    effective_alkali_kg_per_m3_as_naoh=Arg("white liquor strength", 0, 300, above=True, usual=(70, 140)),
)
def white_liquor_volume_m3(
    *, bd_wood_t: float, effective_alkali_pct_naoh_on_wood: float, effective_alkali_kg_per_m3_as_naoh: float
) -> float:
    """Return the white liquor that carries a charge on bone-dry wood."""
    return 10 * bd_wood_t * effective_alkali_pct_naoh_on_wood / effective_alkali_kg_per_m3_as_naoh


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
    bd_wood_t=Arg("bone-dry wood", 0, 1e4, above=True),
    liquor_to_wood=Arg("liquor to wood", 2, 10, usual=(3, 7)),
    white_liquor_m3=Arg("white liquor", 0, 1e4),
    moisture_wet_frac=Arg("chip moisture, wet basis", 0, 1, below=True),
    steam_condensate_t_per_bdt=Arg("condensate from steaming", 0, 2),
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
    "oh_mol_per_l = effective_kg_per_m3_as_naoh / 39.997",
    title="Hydroxide of a liquor",
    station="cooking",
    source="effective alkali is hydroxide",
    aliases=("hydroxide_mol_per_l",),
    example=Example({"effective_kg_per_m3_as_naoh": 105.59}, {"oh_mol_per_l": 2.640}),
    effective_kg_per_m3_as_naoh=Arg("effective alkali", 0, 300),
)
def hydroxide(*, effective_kg_per_m3_as_naoh: float) -> float:
    """Return the hydroxide in a liquor."""
    return effective_kg_per_m3_as_naoh / NAOH_G_PER_MOL


@method(
    "hs_mol_per_l = (active_kg_per_m3_as_naoh - effective_kg_per_m3_as_naoh) / 39.997",
    title="Hydrosulphide of a liquor",
    station="cooking",
    source="sulphide hydrolyses to hydroxide and hydrosulphide",
    aliases=("hydrosulphide_mol_per_l",),
    exact=False,
    example=Example(
        {"active_kg_per_m3_as_naoh": 123.59, "effective_kg_per_m3_as_naoh": 105.59}, {"hs_mol_per_l": 0.450}
    ),
    active_kg_per_m3_as_naoh=Arg("active alkali", 0, 300),
    effective_kg_per_m3_as_naoh=Arg("effective alkali", 0, 300),
)
def hydrosulphide(*, active_kg_per_m3_as_naoh: float, effective_kg_per_m3_as_naoh: float) -> float:
    """Return the hydrosulphide in a liquor."""
    if active_kg_per_m3_as_naoh < effective_kg_per_m3_as_naoh:
        message = f"active {active_kg_per_m3_as_naoh:g} g/L is less than effective {effective_kg_per_m3_as_naoh:g} g/L"
        raise DomainError("E_ORDER", "active_kg_per_m3_as_naoh", message, "no less than the effective")
    return (active_kg_per_m3_as_naoh - effective_kg_per_m3_as_naoh) / NAOH_G_PER_MOL


@method(
    "caustic_m3 = naoh_kg / (strength_frac * density_kg_per_m3)",
    title="Strong caustic for a soda cook",
    station="cooking",
    source="definition; 50 % caustic near 20 °C is about 1525 kg/m³",
    aliases=("caustic_volume_m3",),
    example=Example({"naoh_kg": 12000, "strength_frac": 0.50, "density_kg_per_m3": 1525}, {"caustic_m3": 15.74}),
    naoh_kg=Arg("caustic wanted", 0, 1e7),
    strength_frac=Arg("strength by mass", 0.05, 0.52),
    density_kg_per_m3=Arg("density", 1000, 1600),
)
def caustic_volume(*, naoh_kg: float, strength_frac: float, density_kg_per_m3: float) -> float:
    """Return the volume that carries an amount of caustic."""
    return naoh_kg / (strength_frac * density_kg_per_m3)


@method(
    "mixed_kg_per_m3_as_naoh = sum(volumes_m3 * each_kg_per_m3_as_naoh) / sum(volumes_m3)",
    title="Two liquors mixed",
    station="cooking",
    source="mass balance of alkali",
    aliases=("blend_alkali",),
    exact=False,
    example=Example(
        {"volumes_m3": [60, 25], "each_kg_per_m3_as_naoh": [105.6, 96.0]}, {"mixed_kg_per_m3_as_naoh": 102.78}
    ),
    volumes_m3=Arg("volume of each", 0, 1e5, series=True),
    each_kg_per_m3_as_naoh=Arg("its alkali", 0, 300, series=True),
)
def mixed_liquor(*, volumes_m3: np.ndarray, each_kg_per_m3_as_naoh: np.ndarray) -> float:
    """Return the strength of a mix of liquors."""
    if volumes_m3.size != each_kg_per_m3_as_naoh.size:
        message = f"{volumes_m3.size} volumes but {each_kg_per_m3_as_naoh.size} strengths"
        raise DomainError("E_COUNT", "each_kg_per_m3_as_naoh", message, f"{volumes_m3.size} strengths")
    if volumes_m3.sum() <= 0:
        raise DomainError("E_RANGE", "volumes_m3", "the volumes add to nothing", "more than 0 together")
    return float(volumes_m3 @ each_kg_per_m3_as_naoh / volumes_m3.sum())
