"""Washing and steaming chips."""

from typing import NamedTuple

from stock.errors import DomainError
from stock.intake.lot import MOISTURE, moisture_ratio_kg_per_kg
from stock.steam import (
    ICE_KJ_PER_KG_K,
    MELTING_KJ_PER_KG,
    WATER_KJ_PER_KG_K,
    dry_wood_cp_kj_per_kg_k,
    latent_heat_kj_per_kg,
)
from stock.working import Arg, Example, method, warn


@method(
    "load_pct = 100 * (1000 * bdt_per_h / bulk_density_bd_kg_per_m3) / washer_limit_m3_per_h",
    title="Loading of the chip washer",
    station="intake",
    source="loose volume against the washer's limit",
    example=Example(
        {"bdt_per_h": 11.14, "bulk_density_bd_kg_per_m3": 156.6, "washer_limit_m3_per_h": 95}, {"load_pct": 74.88}
    ),
    bdt_per_h=Arg("chips fed, bone-dry", 0, 1e4),
    bulk_density_bd_kg_per_m3=Arg("bulk density, bone-dry", 50, 400),
    washer_limit_m3_per_h=Arg("most loose chips the washer takes", 0, 1e4, above=True),
)
def chip_wash_load_pct(*, bdt_per_h: float, bulk_density_bd_kg_per_m3: float, washer_limit_m3_per_h: float) -> float:
    """Return how full the chip washer is run; above 100 stones and sand go through."""
    load = 100 * (1000 * bdt_per_h / bulk_density_bd_kg_per_m3) / washer_limit_m3_per_h
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
    "rate_bdt_per_h = 1000 * steam_t_per_h / steam_kg_per_bdt",
    title="Chip rate the steam can heat",
    station="intake",
    source="steam available over steam needed",
    example=Example({"steam_t_per_h": 2.6, "steam_kg_per_bdt": 267}, {"rate_bdt_per_h": 9.738}),
    steam_t_per_h=Arg("steam available", 0, 1e4),
    steam_kg_per_bdt=Arg("steam needed", 0, 3000, above=True),
)
def steamed_rate(*, steam_t_per_h: float, steam_kg_per_bdt: float) -> float:
    """Return the most chips that leave the bin hot through."""
    return 1000 * steam_t_per_h / steam_kg_per_bdt
