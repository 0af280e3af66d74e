"""Dilution, mixing, density and residence: what consistency does in pipes and chests."""

import math
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method


@method(
    "water_l_per_min = flow_l_per_min * (consistency_in_pct - consistency_out_pct)"
    " / (consistency_out_pct - water_consistency_pct)",
    title="Dilution water to a wanted consistency",
    station="consistency",
    source="mass balance of two streams at equal density",
    aliases=("dilution_water_l_min",),
    example=Example(
        {
            "flow_l_per_min": 2400,
            "consistency_in_pct": 4.2,
            "consistency_out_pct": 3.5,
            "water_consistency_pct": 0.05,
        },
        {"water_l_per_min": 486.96},
    ),
    flow_l_per_min=Arg("stock flow before the dilution", 0, 1e6),
    consistency_in_pct=Arg("consistency before", 0, 40, above=True),
    consistency_out_pct=Arg("consistency wanted", 0, 40, above=True),
    water_consistency_pct=Arg("solids in the dilution water", 0, 5),
)
def dilution_water_l_per_min(
    *, flow_l_per_min: float, consistency_in_pct: float, consistency_out_pct: float, water_consistency_pct: float = 0.0
) -> float:
    """Return the water that brings a stock flow down to the wanted consistency."""
    _refuse_thickening("consistency_out_pct", consistency_in_pct, consistency_out_pct, water_consistency_pct)
    return flow_l_per_min * (consistency_in_pct - consistency_out_pct) / (consistency_out_pct - water_consistency_pct)


@method(
    "liquor_t_per_h = od_flow_t_per_h * (1 - to_consistency_pct / from_consistency_pct)"
    " / ((to_consistency_pct - liquor_consistency_pct) / 100)",
    title="Dilution liquor by mass",
    station="consistency",
    source="mass balance of two streams",
    example=Example(
        {
            "od_flow_t_per_h": 12,
            "from_consistency_pct": 10,
            "to_consistency_pct": 3.5,
            "liquor_consistency_pct": 0.08,
        },
        {"liquor_t_per_h": 228.1},
    ),
    od_flow_t_per_h=Arg("bone-dry flow", 0, 1e4),
    from_consistency_pct=Arg("consistency before", 0, 100, above=True),
    to_consistency_pct=Arg("consistency wanted", 0, 100, above=True),
    liquor_consistency_pct=Arg("solids in the liquor", 0, 5),
)
def dilution_liquor_t_per_h(
    *,
    od_flow_t_per_h: float,
    from_consistency_pct: float,
    to_consistency_pct: float,
    liquor_consistency_pct: float = 0.0,
) -> float:
    """Return the liquor that thins a bone-dry flow from one consistency to another."""
    _refuse_thickening("to_consistency_pct", from_consistency_pct, to_consistency_pct, liquor_consistency_pct)
    return (
        od_flow_t_per_h
        * (1 - to_consistency_pct / from_consistency_pct)
        / ((to_consistency_pct - liquor_consistency_pct) / 100)
    )


def _refuse_thickening(argument: str, before_pct: float, after_pct: float, water_pct: float) -> None:
    """Refuse a target that water cannot reach."""
    if np.any(np.asarray(after_pct) > before_pct) or np.any(np.asarray(water_pct) >= after_pct):
        allowed = f"more than {np.max(water_pct):g} %, at most {np.min(before_pct):g} %"
        message = (
            f"water cannot bring stock from {np.min(before_pct):g} % to {np.max(after_pct):g} %; allowed is {allowed}"
        )
        raise DomainError("E_ORDER", argument, message, allowed)


class Blended(NamedTuple):
    """A mixed stock."""

    consistency_pct: float
    bdt_per_h: float
    total_t_per_h: float


@method(
    "consistency_pct = sum(mass_flow_t_per_h * consistency_each_pct) / sum(mass_flow_t_per_h)\n"
    "bdt_per_h = sum(mass_flow_t_per_h * consistency_each_pct) / 100\n"
    "total_t_per_h = sum(mass_flow_t_per_h)",
    title="Consistency of mixed stocks",
    station="consistency",
    source="mass balance",
    example=Example(
        {"mass_flow_t_per_h": [40, 65, 15], "consistency_each_pct": [3.8, 3.4, 2.9]},
        {"consistency_pct": 3.4708, "bdt_per_h": 4.165, "total_t_per_h": 120},
    ),
    mass_flow_t_per_h=Arg("stock flows", 0, 1e5, series=True),
    consistency_each_pct=Arg("their consistencies", 0, 100, series=True),
)
def blend_consistency(*, mass_flow_t_per_h: np.ndarray, consistency_each_pct: np.ndarray) -> Blended:
    """Return the consistency of stocks that run together, weighted by mass flow."""
    same_length("consistency_each_pct", mass_flow_t_per_h, consistency_each_pct)
    total = float(np.sum(mass_flow_t_per_h))
    if total <= 0:
        raise DomainError("E_RANGE", "mass_flow_t_per_h", "the flows add up to nothing", "a sum above 0 t/h")
    bd = float(np.sum(mass_flow_t_per_h * consistency_each_pct)) / 100
    return Blended(100 * bd / total, bd, total)


def same_length(argument: str, first: np.ndarray, *others: np.ndarray) -> None:
    """Refuse lists of unequal length."""
    for other in others:
        if len(other) != len(first):
            message = f"the lists differ in length: {len(first)} and {len(other)}"
            raise DomainError("E_COUNT", argument, message, f"{len(first)} values")


@method(
    "water_kg_per_m3 = (999.83952 + 16.945176 * temperature_c - 7.9870401e-3 * temperature_c**2"
    " - 46.170461e-6 * temperature_c**3 + 105.56302e-9 * temperature_c**4 - 280.54253e-12 * temperature_c**5)"
    " / (1 + 16.87985e-3 * temperature_c)\n"
    "density_kg_per_m3 = (1 - gas_vol_pct / 100) / (consistency_pct / 100 * (1 - filler_of_solids_frac)"
    " / fibre_density_kg_per_m3 + consistency_pct / 100 * filler_of_solids_frac / filler_density_kg_per_m3"
    " + (1 - consistency_pct / 100) / water_kg_per_m3)",
    title="Density of stock",
    station="consistency",
    source="Kell, J. Chem. Eng. Data 20, 97 (1975) for water; additive volumes",
    aliases=("stock_density_kg_m3",),
    results=("density_kg_per_m3",),
    example=Example(
        {"consistency_pct": 3.6, "temperature_c": 45, "filler_of_solids_frac": 0.10, "gas_vol_pct": 1.0},
        {"density_kg_per_m3": 993.94},
    ),
    consistency_pct=Arg("consistency", 0, 40),
    temperature_c=Arg("temperature", 0, 100),
    filler_of_solids_frac=Arg("filler share of the solids", 0, 1, below=True),
    gas_vol_pct=Arg("gas by volume", 0, 20),
    fibre_density_kg_per_m3=Arg("density of the fibre wall", 1300, 1700),
    filler_density_kg_per_m3=Arg("density of the filler", 1500, 4500),
)
def stock_density_kg_per_m3(
    *,
    consistency_pct: float,
    temperature_c: float,
    filler_of_solids_frac: float = 0.0,
    gas_vol_pct: float = 0.0,
    fibre_density_kg_per_m3: float = 1530.0,
    filler_density_kg_per_m3: float = 2700.0,
) -> float:
    """Return the density of stock; entrained gas moves it more than fibre does."""
    t = temperature_c
    water = (
        999.83952
        + 16.945176 * t
        - 7.9870401e-3 * t**2
        - 46.170461e-6 * t**3
        + 105.56302e-9 * t**4
        - 280.54253e-12 * t**5
    ) / (1 + 16.87985e-3 * t)
    x = consistency_pct / 100
    fibre = x * (1 - filler_of_solids_frac) / fibre_density_kg_per_m3
    filler = x * filler_of_solids_frac / filler_density_kg_per_m3
    return (1 - gas_vol_pct / 100) / (fibre + filler + (1 - x) / water)


@method(
    "residence_min = 1000 * active_frac * volume_m3 / flow_l_per_min",
    title="Residence time of a vessel",
    station="consistency",
    source="definition; poorly stirred chests behave as 0.5 to 0.8 active",
    example=Example({"volume_m3": 186, "flow_l_per_min": 5200}, {"residence_min": 35.77}),
    volume_m3=Arg("stock volume", 0, 1e5),
    flow_l_per_min=Arg("flow through", 0, 1e6, above=True),
    active_frac=Arg("active share of the volume", 0, 1, above=True),
)
def residence_time_min(*, volume_m3: float, flow_l_per_min: float, active_frac: float = 1.0) -> float:
    """Return the mean time stock spends in a vessel."""
    return 1000 * active_frac * volume_m3 / flow_l_per_min


@method(
    "bdt = volume_m3 * level_pct / 100 * consistency_pct / 100 * density_t_per_m3",
    title="Bone-dry contents of a chest",
    station="consistency",
    source="geometry of a straight-sided chest; a mill's own strapping table replaces it",
    example=Example({"volume_m3": 300, "level_pct": 62, "consistency_pct": 3.6}, {"bdt": 6.696}),
    volume_m3=Arg("volume of the chest when full", 0, 1e5),
    level_pct=Arg("level", 0, 100),
    consistency_pct=Arg("consistency", 0, 40),
    density_t_per_m3=Arg("stock density", 0.8, 1.3),
)
def chest_bdt(*, volume_m3: float, level_pct: float, consistency_pct: float, density_t_per_m3: float = 1.0) -> float:
    """Return the bone-dry stock in a chest from its level and consistency."""
    return volume_m3 * level_pct / 100 * consistency_pct / 100 * density_t_per_m3


@method(
    "u_relative_pct = 100 * sqrt((u_flow_pct / 100)**2 + (u_consistency_pct / consistency_pct)**2"
    " + (u_density_pct / 100)**2)",
    title="Uncertainty of a computed tonnage",
    station="consistency",
    source="GUM, uncorrelated inputs",
    example=Example(
        {"consistency_pct": 3.60, "u_consistency_pct": 0.04, "u_flow_pct": 1.0, "u_density_pct": 0.3},
        {"u_relative_pct": 1.525},
    ),
    consistency_pct=Arg("consistency", 0, 40, above=True),
    u_consistency_pct=Arg("its standard uncertainty", 0, 10),
    u_flow_pct=Arg("relative standard uncertainty of flow", 0, 50),
    u_density_pct=Arg("relative standard uncertainty of density", 0, 50),
)
def tonnage_uncertainty(
    *, consistency_pct: float, u_consistency_pct: float, u_flow_pct: float, u_density_pct: float = 0.0
) -> float:
    """Return the relative standard uncertainty of flow times consistency times density."""
    parts = (u_flow_pct / 100, u_consistency_pct / consistency_pct, u_density_pct / 100)
    return 100 * math.hypot(*parts)
