"""The mat on a washer: its load, how liquor goes through it, the vacuum that draws it, what a thickener takes out."""

import math
from typing import NamedTuple

from stock.errors import DomainError
from stock.steam import saturation_pressure_kpa_abs
from stock.working import Arg, Example, method, warn

FIBRE_T_PER_M3 = 1.5
P_SAT = saturation_pressure_kpa_abs.method.bare  # type: ignore[attr-defined]


class MatLoad(NamedTuple):
    """How heavy and thick a mat is, and how much pulp its drum takes."""

    mat_kg_per_m2: float
    thickness_mm: float
    specific_load_bdt_per_m2_d: float


@method(
    "mat_kg_per_m2 = production_bdt_per_h * 1000 / 60 / (pi * drum_diameter_m * drum_face_m * drum_speed_rpm)\n"
    "thickness_mm = mat_kg_per_m2 / (stock density * mat_consistency_pct / 100)\n"
    "specific_load_bdt_per_m2_d = 24 * production_bdt_per_h / (pi * drum_diameter_m * drum_face_m)",
    title="Mat on a drum",
    station="washing",
    source="geometry",
    aliases=("mat_load",),
    exact=False,
    results=MatLoad._fields,
    example=Example(
        {
            "production_bdt_per_h": 20, "drum_diameter_m": 3.5, "drum_face_m": 6.0, "drum_speed_rpm": 2.0,
            "mat_consistency_pct": 12, "gas_frac": 0.10,
        },
        {"mat_kg_per_m2": 2.526, "thickness_mm": 22.5, "specific_load_bdt_per_m2_d": 7.28},
        2e-3,
    ),
    production_bdt_per_h=Arg("pulp over the drum", 0, 1000, above=True),
    drum_diameter_m=Arg("its diameter", 0, 20, above=True),
    drum_face_m=Arg("its face", 0, 20, above=True),
    drum_speed_rpm=Arg("its speed", 0, 60, above=True),
    mat_consistency_pct=Arg("consistency of the mat", 0, 60, above=True),
    gas_frac=Arg("gas in the mat, by volume", 0, 0.9),
)  # fmt: skip
def mat_on_drum(
    *,
    production_bdt_per_h: float,
    drum_diameter_m: float,
    drum_face_m: float,
    drum_speed_rpm: float,
    mat_consistency_pct: float,
    gas_frac: float = 0.0,
) -> MatLoad:
    """Return how heavy and thick a mat is."""
    face_m2 = math.pi * drum_diameter_m * drum_face_m
    load = production_bdt_per_h * 1000 / 60 / (face_m2 * drum_speed_rpm)
    if not 1 <= load <= 5:
        warn(f"a mat of {load:.1f} kg/m² is not usual: 1 to 5")
    share = mat_consistency_pct / 100
    density = (1 - gas_frac) / (share / FIBRE_T_PER_M3 + 1 - share)
    return MatLoad(load, load / (density * share), 24 * production_bdt_per_h / face_m2)


@method(
    "1 - displacement_ratio = sum of Q(k, cells_count * liquor_ratio) for k from 1 to cells_count, over cells_count;"
    " Q the upper tail of a sum of k equal delays",
    title="Displacement against the shower",
    station="washing",
    source="equal mixed cells in a row; Brenner (1962) treats the continuous case",
    aliases=("mat_displacement_ratio",),
    exact=False,
    results=("displacement_ratio",),
    example=Example({"liquor_ratio": 1.30, "cells_count": 3}, {"displacement_ratio": 0.8758}),
    liquor_ratio=Arg("wash liquor over what leaves with the mat", 0, 5),
    cells_count=Arg("mixed cells the mat is worth", 1, 50),
)
def displacement_by_shower(*, liquor_ratio: float, cells_count: float) -> float:
    """Return the displacement a shower gives a mat of so many mixed cells."""
    from scipy.special import gammaincc

    cells = int(cells_count)
    return 1 - sum(float(gammaincc(k, cells * liquor_ratio)) for k in range(1, cells + 1)) / cells


@method(
    "vacuum_kpa = max(0, liquor_kg_per_m3 * 9.80665 * leg_m * (1 - gas_frac) / 1000 - friction_kpa)",
    title="Vacuum of a drop leg",
    station="washing",
    source="hydrostatics",
    aliases=("drop_leg_vacuum_kPa",),
    exact=False,
    results=("vacuum_kpa",),
    example=Example({"leg_m": 9, "liquor_kg_per_m3": 1010, "gas_frac": 0.15, "friction_kpa": 12}, {"vacuum_kpa": 63.8}),
    leg_m=Arg("height of the leg", 0, 30),
    liquor_kg_per_m3=Arg("density of the liquor", 800, 1300),
    gas_frac=Arg("gas in the leg, by volume", 0, 1, below=True),
    friction_kpa=Arg("lost in the pipe", 0, 200),
)
def drop_leg_vacuum(
    *, leg_m: float, liquor_kg_per_m3: float, gas_frac: float = 0.0, friction_kpa: float = 0.0
) -> float:
    """Return the vacuum a leg draws; nought where friction takes all of it."""
    found = liquor_kg_per_m3 * 9.80665 * leg_m * (1 - gas_frac) / 1000 - friction_kpa
    if found < 0:
        warn("the leg draws no vacuum: friction takes more than its height gives")
    return max(0.0, found)


@method(
    "vacuum_kpa = max(0, barometric_kpa - saturation pressure at filtrate_c - margin_kpa)",
    title="Most vacuum before the filtrate boils",
    station="washing",
    source="saturation of water; liquor boils a little above it, so the limit is on the safe side",
    aliases=("max_vacuum_kPa",),
    exact=False,
    results=("vacuum_kpa",),
    example=Example({"filtrate_c": 75}, {"vacuum_kpa": 52.7}, 2e-3),
    filtrate_c=Arg("warmth of the filtrate", 1, 100),
    barometric_kpa=Arg("pressure of the air", 60, 110),
    margin_kpa=Arg("kept away from boiling", 0, 60),
)
def most_vacuum(*, filtrate_c: float, barometric_kpa: float = 101.3, margin_kpa: float = 10.0) -> float:
    """Return the vacuum beyond which the filtrate would boil in the leg."""
    found = barometric_kpa - float(P_SAT(temperature_c=filtrate_c)) - margin_kpa
    if found < 0:
        warn("the filtrate is too hot for any vacuum")
    return max(0.0, found)


class Thickened(NamedTuple):
    """What a thickener takes out, and the fibre that goes with it."""

    filtrate_t_per_h: float
    fibre_loss_kg_per_h: float
    fibre_loss_pct: float


@method(
    "filtrate_t_per_h = (production_bdt_per_h / c_in * c_out - production_bdt_per_h) / (c_out - c_filtrate)\n"
    "fibre_loss_kg_per_h = filtrate_t_per_h * filtrate_g_per_m3 / 1000\n"
    "fibre_loss_pct = 100 * fibre_loss_kg_per_h / (1000 * production_bdt_per_h)",
    title="Thickener balance",
    station="washing",
    source="balance of fibre and of all",
    aliases=("thickener_balance",),
    exact=False,
    results=Thickened._fields,
    example=Example(
        {
            "production_bdt_per_h": 15, "inlet_consistency_pct": 1.0, "outlet_consistency_pct": 10,
            "filtrate_kg_per_m3": 0.120,
        },
        {"filtrate_t_per_h": 1351.6, "fibre_loss_kg_per_h": 162.2, "fibre_loss_pct": 1.08},
        2e-3,
    ),
    production_bdt_per_h=Arg("pulp fed", 0, 1000, above=True),
    inlet_consistency_pct=Arg("consistency in", 0, 60, above=True),
    outlet_consistency_pct=Arg("consistency out", 0, 60, above=True),
    filtrate_kg_per_m3=Arg("fibre in the filtrate", 0, 20),
)  # fmt: skip
def thickener(
    *,
    production_bdt_per_h: float,
    inlet_consistency_pct: float,
    outlet_consistency_pct: float,
    filtrate_kg_per_m3: float = 0.0,
) -> Thickened:
    """Return what a thickener takes out.

    Raises
    ------
    DomainError
        E_RANGE where it does not thicken, or its filtrate is thicker than its feed.
    """
    came, out, lost = inlet_consistency_pct / 100, outlet_consistency_pct / 100, filtrate_kg_per_m3 / 1000
    if out <= came:
        message = f"the outlet, {outlet_consistency_pct:g} %, is no thicker than the inlet"
        raise DomainError("E_RANGE", "outlet_consistency_pct", message, f"more than {inlet_consistency_pct:g} %")
    if lost >= came:
        message = f"the filtrate, {filtrate_kg_per_m3:g} kg/m³, is no thinner than the inlet"
        raise DomainError("E_RANGE", "filtrate_kg_per_m3", message, f"less than {1000 * came:g} kg/m³")
    filtrate = (production_bdt_per_h / came * out - production_bdt_per_h) / (out - lost)
    fibre = 1000 * filtrate * lost
    return Thickened(filtrate, fibre, fibre / (10 * production_bdt_per_h))


@method(
    "gas_frac = (volume_before_ml - volume_after_ml)"
    " / (volume_before_ml * (1 - (pressure_before_kpa_abs - p_s) / (pressure_after_kpa_abs - p_s)))",
    title="Gas in liquor, by compression",
    station="washing",
    source="Boyle; p_s is the vapour pressure at temperature_c",
    aliases=("gas_by_compression_frac",),
    exact=False,
    results=("gas_frac",),
    example=Example(
        {
            "volume_before_ml": 1000, "volume_after_ml": 968, "pressure_before_kpa_abs": 101.3,
            "pressure_after_kpa_abs": 301.3, "temperature_c": 20,
        },
        {"gas_frac": 0.048},
        0.01,
    ),
    volume_before_ml=Arg("closed sample as taken", 0, 1e5, above=True),
    volume_after_ml=Arg("the same, compressed", 0, 1e5, above=True),
    pressure_before_kpa_abs=Arg("pressure as taken", 0, 2000, above=True),
    pressure_after_kpa_abs=Arg("pressure compressed", 0, 2000, above=True),
    temperature_c=Arg("warmth of the sample", 1, 100),
)  # fmt: skip
def gas_by_compression(
    *,
    volume_before_ml: float,
    volume_after_ml: float,
    pressure_before_kpa_abs: float,
    pressure_after_kpa_abs: float,
    temperature_c: float,
) -> float:
    """Return the share of gas in a sample; above about 0.03 pumps hunt.

    Raises
    ------
    DomainError
        E_ORDER for pressures that do not rise above the vapour's, E_BALANCE for a share that cannot be.
    """
    vapour = float(P_SAT(temperature_c=temperature_c))
    if not vapour < pressure_before_kpa_abs < pressure_after_kpa_abs:
        message = f"pressures go from {pressure_before_kpa_abs:g} to {pressure_after_kpa_abs:g} kPa abs"
        raise DomainError("E_ORDER", "pressure_after_kpa_abs", message, f"rising, above {vapour:.1f} kPa abs")
    left = (pressure_before_kpa_abs - vapour) / (pressure_after_kpa_abs - vapour)
    found = (volume_before_ml - volume_after_ml) / (volume_before_ml * (1 - left))
    if not 0 <= found < 1:
        message = f"these volumes give a share of gas of {found:.2f}"
        raise DomainError("E_BALANCE", "volume_after_ml", message, f"up to {volume_before_ml:g} mL")
    return found
