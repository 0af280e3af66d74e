"""One bleaching stage: charge, dosing flow, time in the tower, brightness."""

import math
from typing import NamedTuple, TypeVar

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method, note

Number = TypeVar("Number", float, np.ndarray)

CLO2_ACTIVE_CL = 2.63
_ACTIVE_CL = {"clo2": 2.63, "cl2": 1.0, "naocl": 0.9525, "h2o2": 2.085, "o2": 4.432, "o3": 4.432}
_FLOOR = Arg("brightest this stage can reach, as k/s", 0, 1)
_RESPONSE = Arg("response of k/s per kg", 0, 10, above=True)


@method(
    "ks = (1 - reflectance_frac)**2 / (2 * reflectance_frac)",
    title="Absorption over scattering from reflectance",
    station="bleaching",
    source="Kubelka and Munk (1931); an opaque pad",
    example=Example({"reflectance_frac": 0.87}, {"ks": 0.009713}),
    reflectance_frac=Arg("reflectance of an opaque pad", 0, 1, above=True),
)
def km_k_over_s(*, reflectance_frac: Number) -> Number:
    """Return k/s, the quantity in which brightness adds up."""
    return (1 - reflectance_frac) ** 2 / (2 * reflectance_frac)  # type: ignore[no-any-return]


@method(
    "reflectance_frac = 1 + ks - sqrt(ks**2 + 2 * ks)",
    title="Reflectance from absorption over scattering",
    station="bleaching",
    source="Kubelka and Munk (1931)",
    example=Example({"ks": 0.030}, {"reflectance_frac": 0.7832}),
    ks=Arg("k/s", 0, 1e4),
)
def km_reflectance_frac(*, ks: Number) -> Number:
    """Return the reflectance that belongs to a k/s."""
    if isinstance(ks, np.ndarray):
        return 1 + ks - np.sqrt(ks**2 + 2 * ks)  # type: ignore[no-any-return]
    return 1 + ks - math.sqrt(ks**2 + 2 * ks)


@method(
    "active_cl_kg_per_odt = charge_kg_per_odt * active_chlorine_per_kg[chemical]",
    title="Charge as active chlorine",
    station="bleaching",
    source="stoichiometry; 5 electrons for chlorine dioxide",
    aliases=("active_chlorine_kg_per_odt",),
    exact=False,
    example=Example({"chemical": "clo2", "charge_kg_per_odt": 9.0}, {"active_cl_kg_per_odt": 23.67}),
    chemical=Choice("the chemical", tuple(_ACTIVE_CL)),
    charge_kg_per_odt=Arg("charge on pulp", 0, 200),
)
def active_chlorine(*, chemical: str, charge_kg_per_odt: float) -> float:
    """Return a charge counted as active chlorine."""
    return charge_kg_per_odt * _ACTIVE_CL[chemical]


class DioxideCharge(NamedTuple):
    """Charge of the first dioxide stage."""

    active_cl_kg_per_odt: float
    clo2_kg_per_odt: float


@method(
    "active_cl_kg_per_odt = 10 * kappa_factor * kappa + active_cl_per_cod_kg_per_kg * carryover_cod_kg_per_odt\n"
    "clo2_kg_per_odt = active_cl_kg_per_odt / 2.63",
    title="Dioxide charge from kappa and carry-over",
    station="bleaching",
    source="definition of the kappa factor; the carry-over coefficient is a default to be fitted",
    example=Example(
        {"kappa": 13, "kappa_factor": 0.22, "carryover_cod_kg_per_odt": 9, "active_cl_per_cod_kg_per_kg": 0.4},
        {"active_cl_kg_per_odt": 32.20, "clo2_kg_per_odt": 12.243},
    ),
    kappa=Arg("kappa into the stage", 0, 100, above=True),
    kappa_factor=Arg("kappa factor", 0, 0.6, above=True, usual=(0.12, 0.35)),
    carryover_cod_kg_per_odt=Arg("oxygen demand carried in", 0, 100),
    active_cl_per_cod_kg_per_kg=Arg("active chlorine it eats", 0, 2),
)
def d0_charge(
    *,
    kappa: float,
    kappa_factor: float,
    carryover_cod_kg_per_odt: float = 0.0,
    active_cl_per_cod_kg_per_kg: float = 0.0,
) -> DioxideCharge:
    """Return the active chlorine and the dioxide a first stage needs."""
    active = 10 * kappa_factor * kappa + active_cl_per_cod_kg_per_kg * carryover_cod_kg_per_odt
    return DioxideCharge(active, active / CLO2_ACTIVE_CL)


@method(
    "naoh_kg_per_odt = base_kg_per_odt + slope_kg_per_kg * active_cl_kg_per_odt",
    title="Alkali for extraction",
    station="bleaching",
    source="rule of thumb, to be fitted so that the stage ends at pH 10.8 to 11.3",
    aliases=("extraction_alkali_kg_per_odt",),
    example=Example({"active_cl_kg_per_odt": 32.2}, {"naoh_kg_per_odt": 19.1}),
    active_cl_kg_per_odt=Arg("active chlorine before it", 0, 200),
    slope_kg_per_kg=Arg("alkali per active chlorine", 0, 2),
    base_kg_per_odt=Arg("alkali without any", 0, 20),
)
def extraction_alkali(
    *, active_cl_kg_per_odt: float, slope_kg_per_kg: float = 0.5, base_kg_per_odt: float = 3.0
) -> float:
    """Return the caustic an extraction stage needs."""
    return base_kg_per_odt + slope_kg_per_kg * active_cl_kg_per_odt


@method(
    "flow_l_per_min = charge_kg_per_odt * production_bd_t_per_h / solution_g_per_l * 1000 / 60",
    title="Charge to dosing flow",
    station="bleaching",
    source="definition; charge and strength both as 100 % chemical",
    aliases=("dosing_flow_l_per_min",),
    example=Example(
        {"charge_kg_per_odt": 7.5, "production_bd_t_per_h": 20, "solution_g_per_l": 8.8}, {"flow_l_per_min": 284.1}
    ),
    charge_kg_per_odt=Arg("charge on pulp", 0, 200),
    production_bd_t_per_h=Arg("pulp through the stage", 0, 1000),
    solution_g_per_l=Arg("strength of the solution", 0, 1600, above=True),
)
def dosing_flow(*, charge_kg_per_odt: float, production_bd_t_per_h: float, solution_g_per_l: float) -> float:
    """Return the pump flow that gives a charge."""
    return charge_kg_per_odt * production_bd_t_per_h / solution_g_per_l * 1000 / 60


@method(
    "retention_min = 60 * volume_m3 * fill_frac * active_frac * density_t_per_m3 * consistency_pct / 100"
    " / production_bd_t_per_h",
    title="Time in a tower",
    station="bleaching",
    source="hold-up over throughput; a tracer is the check",
    aliases=("tower_retention_min",),
    example=Example(
        {
            "volume_m3": 260,
            "fill_frac": 0.85,
            "production_bd_t_per_h": 18,
            "consistency_pct": 10,
            "active_frac": 0.85,
            "density_t_per_m3": 0.9932,
        },
        {"retention_min": 62.2},
    ),
    volume_m3=Arg("tower volume", 0, 1e4, above=True),
    fill_frac=Arg("filled share", 0, 1),
    production_bd_t_per_h=Arg("pulp through the tower", 0, 1000, above=True),
    consistency_pct=Arg("consistency", 0, 40, above=True),
    active_frac=Arg("share that takes part", 0, 1, above=True, usual=(0.7, 1)),
    density_t_per_m3=Arg("stock density", 0.7, 1.3),
)
def tower_retention(
    *,
    volume_m3: float,
    fill_frac: float,
    production_bd_t_per_h: float,
    consistency_pct: float,
    active_frac: float = 1.0,
    density_t_per_m3: float = 1.0,
) -> float:
    """Return the mean time pulp spends in a tower."""
    return 60 * volume_m3 * fill_frac * active_frac * density_t_per_m3 * consistency_pct / 100 / production_bd_t_per_h


@method(
    "ks = ks_floor_ks + (ks_in_ks - ks_floor_ks) / (1 + response_per_kg * condition_factor * charge_kg_per_odt)",
    title="Brightness response of a stage",
    station="bleaching",
    source="saturating form in k/s; response and floor are defaults to be fitted",
    aliases=("ks_after_stage",),
    exact=False,
    example=Example(
        {"ks_in_ks": 0.041667, "charge_kg_per_odt": 15, "response_per_kg": 0.20, "ks_floor_ks": 0.020},
        {"ks": 0.02542},
    ),
    ks_in_ks=Arg("k/s before the stage", 0, 100),
    charge_kg_per_odt=Arg("effective charge", 0, 200),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
    condition_factor=Arg("effect of pH, temperature and time", 0, 3, above=True),
)
def ks_after(
    *,
    ks_in_ks: float,
    charge_kg_per_odt: float,
    response_per_kg: float,
    ks_floor_ks: float,
    condition_factor: float = 1.0,
) -> float:
    """Return k/s after the stage; pulp already at the floor is left unchanged."""
    if ks_in_ks <= ks_floor_ks:
        return ks_in_ks
    return ks_floor_ks + (ks_in_ks - ks_floor_ks) / (1 + response_per_kg * condition_factor * charge_kg_per_odt)


@method(
    "k/s after charge_kg_per_odt = k/s of the target brightness",
    title="Charge for a brightness",
    station="bleaching",
    source="inverse of the saturating form",
    aliases=("charge_for_brightness_kg_per_odt",),
    exact=False,
    results=("charge_kg_per_odt",),
    example=Example(
        {"start_brightness_pct": 75, "target_brightness_pct": 78, "response_per_kg": 0.20, "ks_floor_ks": 0.020},
        {"charge_kg_per_odt": 4.83},
        2e-3,
    ),
    start_brightness_pct=Arg("brightness before the stage", 0, 100, above=True, below=True),
    target_brightness_pct=Arg("brightness wanted", 0, 100, above=True, below=True),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
)
def charge_for_brightness(
    *, start_brightness_pct: float, target_brightness_pct: float, response_per_kg: float, ks_floor_ks: float
) -> float:
    """Return the charge that takes pulp from one brightness to another; 0 if it is there already."""
    start = km_k_over_s(reflectance_frac=start_brightness_pct / 100)
    target = km_k_over_s(reflectance_frac=target_brightness_pct / 100)
    if target >= start:
        return 0.0
    if target <= ks_floor_ks:
        ceiling = 100 * km_reflectance_frac(ks=ks_floor_ks)
        message = f"{target_brightness_pct:g} % ISO is beyond this stage, which ends at {ceiling:.1f} % however much is charged"
        raise DomainError("E_INFEASIBLE", "target_brightness_pct", message, f"below {ceiling:.1f} % ISO")
    return ((start - ks_floor_ks) / (target - ks_floor_ks) - 1) / response_per_kg


@method(
    "ks_in = ks_floor_ks + (ks_now - ks_floor_ks) * (1 + response_per_kg * charge_kg_per_odt)\n"
    "change = ((ks_in - ks_floor_ks) / (ks_target - ks_floor_ks) - 1) / response_per_kg - charge_kg_per_odt",
    title="Change of a charge for a brightness",
    station="bleaching",
    source="the saturating form, through the stage's inlet: what the pulp has had already counts",
    exact=False,
    results=("change_kg_per_odt",),
    example=Example(
        {
            "now_brightness_pct": 81.9,
            "target_brightness_pct": 83.5,
            "charge_kg_per_odt": 12,
            "response_per_kg": 0.25,
            "ks_floor_ks": 0.006,
        },
        {"change_kg_per_odt": 5.74},
        5e-3,
    ),
    now_brightness_pct=Arg("brightness after the stage", 0, 100, above=True, below=True),
    target_brightness_pct=Arg("brightness wanted", 0, 100, above=True, below=True),
    charge_kg_per_odt=Arg("charge it has had", 0, 200),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
)
def charge_correction(
    *,
    now_brightness_pct: float,
    target_brightness_pct: float,
    charge_kg_per_odt: float,
    response_per_kg: float,
    ks_floor_ks: float,
) -> float:
    """Return what to add to a stage's charge (negative: take off) to end at a brightness."""
    now = km_k_over_s(reflectance_frac=now_brightness_pct / 100)
    target = km_k_over_s(reflectance_frac=target_brightness_pct / 100)
    for name, ks, value in (
        ("now_brightness_pct", now, now_brightness_pct),
        ("target_brightness_pct", target, target_brightness_pct),
    ):
        if ks <= ks_floor_ks:
            ceiling = 100 * km_reflectance_frac(ks=ks_floor_ks)
            message = f"{value:g} % ISO is beyond this stage, which ends at {ceiling:.1f} % however much is charged"
            raise DomainError("E_INFEASIBLE", name, message, f"below {ceiling:.1f} % ISO")
    came = (now - ks_floor_ks) * (1 + response_per_kg * charge_kg_per_odt)
    note("k/s that came into the stage, by what the charge has done", came + ks_floor_ks)
    note("charge that ends at the target", (came / (target - ks_floor_ks) - 1) / response_per_kg, "kg/BDt")
    change = (came / (target - ks_floor_ks) - 1) / response_per_kg - charge_kg_per_odt
    return max(change, -charge_kg_per_odt)


@method(
    "pump_ratio = strength_set_g_per_l / strength_now_g_per_l",
    title="Pump for another strength",
    station="bleaching",
    source="the same charge: flow goes with one over the strength",
    example=Example({"strength_now_g_per_l": 8.0, "strength_set_g_per_l": 8.8}, {"pump_ratio": 1.1}),
    strength_now_g_per_l=Arg("strength found", 0, 1600, above=True),
    strength_set_g_per_l=Arg("strength the pump is set for", 0, 1600, above=True),
)
def pump_for_strength(*, strength_now_g_per_l: float, strength_set_g_per_l: float) -> float:
    """Return what to multiply a pump by so that the charge stays as it is."""
    return strength_set_g_per_l / strength_now_g_per_l
