"""Refining: net power, specific energy, freeness and what moves it."""

import math
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

_CSF_NODES: Final = np.array([25, 50, 75, 100, 150, 200, 250, 300, 350, 400, 450, 500, 550, 600, 650, 700, 750, 800.0])
_SR_NODES: Final = np.array(
    [90.0, 80.0, 73.2, 68.0, 59.0, 51.5, 45.4, 40.3, 36.0, 32.0, 28.5, 25.3, 22.5, 20.0, 17.5, 15.5, 13.5, 11.5]
)


class RefinerPower(NamedTuple):
    """Where a refiner's power goes."""

    electrical_kw: float
    shaft_kw: float
    net_kw: float


@method(
    "electrical_kw = sqrt(3) * voltage_v * current_a * power_frac / 1000\n"
    "shaft_kw = motor_eff_frac * electrical_kw\n"
    "net_kw = shaft_kw - no_load_kw",
    title="Net refining power",
    station="refining",
    source="electrical definition; no-load taken with stock flowing and plates backed off",
    example=Example(
        {"voltage_v": 6600, "current_a": 62, "power_frac": 0.86, "motor_eff_frac": 0.955, "no_load_kw": 118},
        {"electrical_kw": 609.5, "shaft_kw": 582.1, "net_kw": 464.1},
    ),
    voltage_v=Arg("line voltage", 0, 20000),
    current_a=Arg("current", 0, 5000),
    power_frac=Arg("power factor", 0, 1, above=True),
    motor_eff_frac=Arg("motor efficiency", 0, 1, above=True),
    no_load_kw=Arg("no-load power on the shaft", 0, 20000),
)
def refiner_power(
    *, voltage_v: float, current_a: float, power_frac: float, motor_eff_frac: float, no_load_kw: float
) -> RefinerPower:
    """Return electrical, shaft and net power of a refiner."""
    electrical = math.sqrt(3) * voltage_v * current_a * power_frac / 1000
    shaft = motor_eff_frac * electrical
    if shaft < no_load_kw:
        message = f"the shaft gets {shaft:.0f} kW, less than the no-load {no_load_kw:g} kW: one of them is wrong or old"
        raise DomainError("E_ORDER", "no_load_kw", message, f"{shaft:.0f} kW or less")
    return RefinerPower(electrical, shaft, shaft - no_load_kw)


@method(
    "sre_kwh_per_t = net_kw / bdt_per_h",
    title="Specific refining energy",
    station="refining",
    source="definition, on net power",
    aliases=("specific_energy_kwh_t",),
    example=Example({"net_kw": 464.1, "bdt_per_h": 7.134}, {"sre_kwh_per_t": 65.05}),
    net_kw=Arg("net power", 0, 1e5),
    bdt_per_h=Arg("bone-dry flow", 0, 1000, above=True),
)
def specific_energy_kwh_per_t(*, net_kw: float, bdt_per_h: float) -> float:
    """Return net energy per bone-dry tonne."""
    return net_kw / bdt_per_h


@method(
    "sre_kwh_per_t = 19.7278 * energy_hp_day_per_short_ton",
    title="Refining energy from US units",
    station="refining",
    source="unit factors",
    aliases=("hp_day_short_ton_to_kwh_t",),
    example=Example({"energy_hp_day_per_short_ton": 5.0}, {"sre_kwh_per_t": 98.639}),
    energy_hp_day_per_short_ton=Arg("energy", 0, 1000),
)
def hp_day_to_kwh_per_t(*, energy_hp_day_per_short_ton: float) -> float:
    """Return kWh/t from horsepower-days per short ton."""
    return 19.7278 * energy_hp_day_per_short_ton


@method(
    "edge_load_j_per_m = 60 * net_kw / (rotor_rpm * edge_length_km_per_rev)",
    title="Specific edge load",
    station="refining",
    source="Brecht and Siewert (1966)",
    aliases=("specific_edge_load",),
    example=Example(
        {"net_kw": 464.1, "rotor_rpm": 590, "edge_length_km_per_rev": 33.823}, {"edge_load_j_per_m": 1.395}
    ),
    net_kw=Arg("net power", 0, 1e5),
    rotor_rpm=Arg("speed", 0, 3000, above=True),
    edge_length_km_per_rev=Arg("cutting edge length", 0, 1000, above=True),
)
def edge_load(*, net_kw: float, rotor_rpm: float, edge_length_km_per_rev: float) -> float:
    """Return the energy per metre of bar crossing: high cuts, low fibrillates."""
    return 60 * net_kw / (rotor_rpm * edge_length_km_per_rev)


@method(
    "off_kw = -net_kw",
    title="Load to take off plates that touch",
    station="refining",
    source="plates touch under load; with none they run apart",
    example=Example({"net_kw": 485}, {"off_kw": -485}),
    net_kw=Arg("net power", 0, 1e5),
)
def unload_kw(*, net_kw: float) -> float:
    """Return the change of net power that unloads a refiner."""
    return -net_kw


@method(
    "sr = straight line between the printed nodes of CSF and SR",
    title="Freeness to drainage resistance",
    station="refining",
    source="handbook conversion; printings differ by up to 1.5 SR, so a converted value is approximate",
    exact=False,
    results=("sr",),
    example=Example({"csf_ml": 430}, {"sr": 29.90}),
    csf_ml=Arg("freeness", 25, 800),
)
def csf_to_sr(*, csf_ml: float) -> float:
    """Return the Schopper-Riegler number of a Canadian freeness, give or take 1.5."""
    return float(np.interp(csf_ml, _CSF_NODES, _SR_NODES))


@method(
    "csf_ml = straight line between the printed nodes of SR and CSF",
    title="Drainage resistance to freeness",
    station="refining",
    source="handbook conversion; approximate, about 20 mL",
    exact=False,
    results=("csf_ml",),
    example=Example({"sr": 27.0}, {"csf_ml": 473.4}),
    sr=Arg("drainage resistance", 11.5, 90),
)
def sr_to_csf(*, sr: float) -> float:
    """Return the Canadian freeness of a Schopper-Riegler number, give or take 20 mL."""
    return float(np.interp(sr, _SR_NODES[::-1], _CSF_NODES[::-1]))


@method(
    "csf_ml = unrefined_csf_ml * exp(-slope_ratio * sre_kwh_per_t)",
    title="Freeness after refining",
    station="refining",
    source="logarithmic form; slope fitted to the mill's own curve",
    example=Example(
        {"unrefined_csf_ml": 662.7, "sre_kwh_per_t": 114.78, "slope_ratio": 0.003372}, {"csf_ml": 450.0}, 1e-3
    ),
    unrefined_csf_ml=Arg("freeness before the refiner", 25, 800),
    sre_kwh_per_t=Arg("net specific energy", 0, 600),
    slope_ratio=Arg("slope per kWh/BDt", 0, 0.1, above=True),
)
def freeness_after(*, unrefined_csf_ml: float, sre_kwh_per_t: float, slope_ratio: float) -> float:
    """Return the freeness a specific energy gives."""
    return unrefined_csf_ml * math.exp(-slope_ratio * sre_kwh_per_t)


@method(
    "sre_kwh_per_t = log(unrefined_csf_ml / target_csf_ml) / slope_ratio",
    title="Energy for a freeness",
    station="refining",
    source="inverse of the logarithmic form",
    example=Example(
        {"unrefined_csf_ml": 662.7, "target_csf_ml": 450, "slope_ratio": 0.003372}, {"sre_kwh_per_t": 114.8}, 1e-3
    ),
    unrefined_csf_ml=Arg("freeness before the refiner", 25, 800),
    target_csf_ml=Arg("freeness wanted", 25, 800),
    slope_ratio=Arg("slope per kWh/BDt", 0, 0.1, above=True),
)
def energy_for_freeness(*, unrefined_csf_ml: float, target_csf_ml: float, slope_ratio: float) -> float:
    """Return the net specific energy that brings stock to a freeness."""
    if target_csf_ml > unrefined_csf_ml:
        message = f"{target_csf_ml:g} mL is above the {unrefined_csf_ml:g} mL it has: refining only lowers freeness"
        raise DomainError("E_ORDER", "target_csf_ml", message, f"{unrefined_csf_ml:g} mL or less")
    return math.log(unrefined_csf_ml / target_csf_ml) / slope_ratio


@method(
    "change_kw = bdt_per_h * log(now_csf_ml / target_csf_ml) / slope_ratio",
    title="Power step for a freeness",
    station="refining",
    source="difference of two points on the logarithmic form",
    example=Example(
        {"now_csf_ml": 480, "target_csf_ml": 450, "bdt_per_h": 8.6, "slope_ratio": 0.003372}, {"change_kw": 164.6}
    ),
    now_csf_ml=Arg("freeness now", 25, 800),
    target_csf_ml=Arg("freeness wanted", 25, 800),
    bdt_per_h=Arg("bone-dry flow", 0, 1000),
    slope_ratio=Arg("slope per kWh/BDt", 0, 0.1, above=True),
)
def power_step(*, now_csf_ml: float, target_csf_ml: float, bdt_per_h: float, slope_ratio: float) -> float:
    """Return how much net power to add (negative: take off)."""
    return bdt_per_h * math.log(now_csf_ml / target_csf_ml) / slope_ratio


@method(
    "total_each_kw = (net_kw + refiners_count * no_load_each_kw) / refiners_count",
    title="Motor power for a net power",
    station="refining",
    source="definition of net power",
    exact=False,
    example=Example(
        {"net_kw": 987.1, "refiners_count": 2, "no_load_each_kw": 118, "max_motor_each_kw": 900},
        {"total_each_kw": 611.55},
    ),
    net_kw=Arg("net power wanted", 0, 1e5),
    refiners_count=Arg("refiners on line", 1, 50),
    no_load_each_kw=Arg("no-load of each", 0, 20000),
    max_motor_each_kw=Arg("motor limit of each", 0, 20000, above=True),
)
def motor_power(*, net_kw: float, refiners_count: float, no_load_each_kw: float, max_motor_each_kw: float) -> float:
    """Return the load of each motor; refuses a load above its limit."""
    each = net_kw / refiners_count + no_load_each_kw
    if each > max_motor_each_kw:
        most = refiners_count * (max_motor_each_kw - no_load_each_kw)
        message = (
            f"each motor would take {each:.0f} kW and may take {max_motor_each_kw:g}; {most:.0f} kW net is the most"
        )
        raise DomainError("E_LIMIT", "net_kw", message, f"{most:.0f} kW net or less")
    return each
