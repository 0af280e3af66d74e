"""Cooking liquor itself: its alkali on one basis or another, mixed, in tanks."""

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method, warn

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
    "active_kg_per_m3_as_naoh = effective_kg_per_m3_as_naoh / (1 - sulphidity_frac / 2)",
    title="Active from effective alkali",
    station="cooking",
    source="definition",
    aliases=("active_alkali_from_effective",),
    example=Example(
        {"effective_kg_per_m3_as_naoh": 113.52, "sulphidity_frac": 0.28}, {"active_kg_per_m3_as_naoh": 132.0}
    ),
    effective_kg_per_m3_as_naoh=Arg("effective alkali", 0, 300),
    sulphidity_frac=Arg("sulphidity on active alkali", 0, 1, usual=(0, 0.45)),
)
def active_alkali(*, effective_kg_per_m3_as_naoh: float, sulphidity_frac: float) -> float:
    """Return active alkali: all the NaOH and all the sulphide."""
    return effective_kg_per_m3_as_naoh / (1 - sulphidity_frac / 2)


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


@method(
    "mixed_frac = sum(volumes_m3 * each_kg_per_m3_as_naoh * each_frac) / sum(volumes_m3 * each_kg_per_m3_as_naoh)",
    title="Sulphidity of two liquors mixed",
    station="cooking",
    source="mass balance of sulphide; weighted by active alkali",
    aliases=("blend_sulphidity",),
    exact=False,
    example=Example(
        {"volumes_m3": [60, 25], "each_kg_per_m3_as_naoh": [123.6, 112.0], "each_frac": [0.29, 0.25]},
        {"mixed_frac": 0.2790},
    ),
    volumes_m3=Arg("volume of each", 0, 1e5, series=True),
    each_kg_per_m3_as_naoh=Arg("its active alkali", 0, 300, series=True),
    each_frac=Arg("its sulphidity", 0, 1, series=True),
)
def mixed_sulphidity(*, volumes_m3: np.ndarray, each_kg_per_m3_as_naoh: np.ndarray, each_frac: np.ndarray) -> float:
    """Return the sulphidity of a mix of liquors."""
    if not volumes_m3.size == each_kg_per_m3_as_naoh.size == each_frac.size:
        message = f"{volumes_m3.size} volumes, {each_kg_per_m3_as_naoh.size} strengths, {each_frac.size} sulphidities"
        raise DomainError("E_COUNT", "each_frac", message, f"{volumes_m3.size} of each")
    active = volumes_m3 * each_kg_per_m3_as_naoh
    if active.sum() <= 0:
        raise DomainError("E_RANGE", "volumes_m3", "there is no active alkali in the mix", "more than 0 together")
    return float(active @ each_frac / active.sum())


@method(
    "cover_h = volume_m3 * (level_pct - low_pct) / 100 / draw_m3_per_h",
    title="Hours a liquor tank lasts",
    station="cooking",
    source="volume balance",
    example=Example({"volume_m3": 320, "level_pct": 58, "low_pct": 12, "draw_m3_per_h": 23.4}, {"cover_h": 6.291}),
    volume_m3=Arg("volume of the tank", 0, 1e5, above=True),
    level_pct=Arg("its level", 0, 100),
    low_pct=Arg("level below which nothing can be pumped", 0, 100),
    draw_m3_per_h=Arg("what the cooks take, on average", 0, 1e4, above=True),
)
def liquor_cover(*, volume_m3: float, level_pct: float, low_pct: float, draw_m3_per_h: float) -> float:
    """Return how long the liquor in a tank lasts; below 0 where it is under its low level already."""
    if level_pct < low_pct:
        warn(f"the tank stands at {level_pct:g} %, under its low level of {low_pct:g} % already")
    return volume_m3 * (level_pct - low_pct) / 100 / draw_m3_per_h
