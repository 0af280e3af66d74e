"""How brightness answers to a charge, in k/s, and the charge a brightness takes."""

import math

from stock.bleaching.colour import km_k_over_s, km_reflectance_frac
from stock.errors import DomainError
from stock.working import Arg, Example, method, note

_FLOOR = Arg("brightest this stage can reach, as k/s", 0, 1)
_RESPONSE = Arg("response of k/s per kg", 0, 10, above=True)
_CONDITION = Arg("effect of pH, temperature and time", 0, 3, above=True)


@method(
    "ks = ks_floor_ks + (ks_in_ks - ks_floor_ks) / (1 + response_per_kg * condition_factor * charge_kg_per_bdt)",
    title="Brightness response of a stage",
    station="bleaching",
    source="saturating form in k/s; response and floor are defaults to be fitted",
    aliases=("ks_after_stage",),
    exact=False,
    example=Example(
        {"ks_in_ks": 0.041667, "charge_kg_per_bdt": 15, "response_per_kg": 0.20, "ks_floor_ks": 0.020},
        {"ks": 0.02542},
    ),
    ks_in_ks=Arg("k/s before the stage", 0, 100),
    charge_kg_per_bdt=Arg("effective charge", 0, 200),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
    condition_factor=_CONDITION,
)
def ks_after(
    *,
    ks_in_ks: float,
    charge_kg_per_bdt: float,
    response_per_kg: float,
    ks_floor_ks: float,
    condition_factor: float = 1.0,
) -> float:
    """Return k/s after the stage; pulp already at the floor is left unchanged."""
    if ks_in_ks <= ks_floor_ks:
        return ks_in_ks
    return ks_floor_ks + (ks_in_ks - ks_floor_ks) / (1 + response_per_kg * condition_factor * charge_kg_per_bdt)


@method(
    "k/s after charge_kg_per_bdt = k/s of the target brightness",
    title="Charge for a brightness",
    station="bleaching",
    source="inverse of the saturating form",
    aliases=("charge_for_brightness_kg_per_bdt",),
    exact=False,
    results=("charge_kg_per_bdt",),
    example=Example(
        {"start_brightness_pct": 75, "target_brightness_pct": 78, "response_per_kg": 0.20, "ks_floor_ks": 0.020},
        {"charge_kg_per_bdt": 4.83},
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
    "ks_in = ks_floor_ks + (ks_now - ks_floor_ks) * (1 + response_per_kg * condition_factor * charge_kg_per_bdt)\n"
    "change = ((ks_in - ks_floor_ks) / (ks_target - ks_floor_ks) - 1) / (response_per_kg * condition_factor)"
    " - charge_kg_per_bdt",
    title="Change of a charge for a brightness",
    station="bleaching",
    source="the saturating form, through the stage's inlet: what the pulp has had already counts",
    exact=False,
    results=("change_kg_per_bdt",),
    example=Example(
        {
            "now_brightness_pct": 81.9,
            "target_brightness_pct": 83.5,
            "charge_kg_per_bdt": 12,
            "response_per_kg": 0.25,
            "ks_floor_ks": 0.006,
        },
        {"change_kg_per_bdt": 5.74},
        5e-3,
    ),
    now_brightness_pct=Arg("brightness after the stage", 0, 100, above=True, below=True),
    target_brightness_pct=Arg("brightness wanted", 0, 100, above=True, below=True),
    charge_kg_per_bdt=Arg("charge it has had", 0, 200),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
    condition_factor=_CONDITION,
)
def charge_correction(
    *,
    now_brightness_pct: float,
    target_brightness_pct: float,
    charge_kg_per_bdt: float,
    response_per_kg: float,
    ks_floor_ks: float,
    condition_factor: float = 1.0,
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
    each = response_per_kg * condition_factor
    came = (now - ks_floor_ks) * (1 + each * charge_kg_per_bdt)
    wanted = (came / (target - ks_floor_ks) - 1) / each
    note("k/s that came into the stage, by what the charge has done", came + ks_floor_ks)
    note("charge that ends at the target", wanted, "kg/BDt")
    return max(wanted - charge_kg_per_bdt, -charge_kg_per_bdt)


@method(
    "ks_now = (1 - now_brightness_pct / 100)**2 / (2 * now_brightness_pct / 100)\n"
    "each = response_per_kg * condition_factor\n"
    "ks = ks_floor_ks + (ks_now - ks_floor_ks) * (1 + each * charge_kg_per_bdt)"
    " / (1 + each * (charge_kg_per_bdt + step_kg_per_bdt))\n"
    "brightness_pct = 100 * (1 + ks - sqrt(ks**2 + 2 * ks))",
    title="Brightness after a step of the charge",
    station="bleaching",
    source="the saturating form, through the stage's inlet",
    aliases=("brightness_after_step_pct",),
    exact=False,
    results=("brightness_pct",),
    example=Example(
        {
            "now_brightness_pct": 81.9,
            "step_kg_per_bdt": 2.4,
            "charge_kg_per_bdt": 12,
            "response_per_kg": 0.25,
            "ks_floor_ks": 0.006,
        },
        {"brightness_pct": 82.67},
    ),
    now_brightness_pct=Arg("brightness after the stage", 0, 100, above=True, below=True),
    step_kg_per_bdt=Arg("what the charge moves by", -200, 200),
    charge_kg_per_bdt=Arg("charge it has had", 0, 200),
    response_per_kg=_RESPONSE,
    ks_floor_ks=_FLOOR,
    condition_factor=_CONDITION,
)
def brightness_after_step(
    *,
    now_brightness_pct: float,
    step_kg_per_bdt: float,
    charge_kg_per_bdt: float,
    response_per_kg: float,
    ks_floor_ks: float,
    condition_factor: float = 1.0,
) -> float:
    """Return the brightness a stage ends at once its charge has moved."""
    if charge_kg_per_bdt + step_kg_per_bdt < 0:
        message = f"a charge of {charge_kg_per_bdt:g} kg/BDt cannot be cut by {-step_kg_per_bdt:g}"
        raise DomainError("E_RANGE", "step_kg_per_bdt", message, f"{-charge_kg_per_bdt:g} kg/BDt or more")
    now = float(km_k_over_s(reflectance_frac=now_brightness_pct / 100))
    if now <= ks_floor_ks:
        return now_brightness_pct
    each = response_per_kg * condition_factor
    after = ks_floor_ks + (now - ks_floor_ks) * (1 + each * charge_kg_per_bdt) / (
        1 + each * (charge_kg_per_bdt + step_kg_per_bdt)
    )
    return 100 * float(km_reflectance_frac(ks=after))


@method(
    "condition_factor = theta_ratio**((temperature_c - reference_c) / 10) * (time_min / reference_min)**time_exponent_n"
    " * exp(-((end_ph - best_ph) / width_ph)**2)",
    title="Effect of warmth, time and pH on a stage",
    station="bleaching",
    source="default form; all three to be fitted",
    aliases=("condition_factor",),
    results=("condition_factor",),
    example=Example(
        {
            "temperature_c": 65,
            "time_min": 150,
            "end_ph": 10.4,
            "reference_c": 70,
            "reference_min": 120,
            "best_ph": 10.8,
        },
        {"condition_factor": 0.8910},
    ),
    temperature_c=Arg("warmth of the stage", 0, 130),
    time_min=Arg("time in it", 0, 1440, above=True),
    end_ph=Arg("pH at its end", 0, 14),
    reference_c=Arg("warmth the response holds at", 0, 130),
    reference_min=Arg("time it holds at", 0, 1440, above=True),
    best_ph=Arg("pH it holds at", 0, 14),
    theta_ratio=Arg("times faster for ten degrees", 0.5, 4),
    time_exponent_n=Arg("exponent of time", 0, 1),
    width_ph=Arg("how wide of the pH", 0.1, 10),
)
def conditions(
    *,
    temperature_c: float,
    time_min: float,
    end_ph: float,
    reference_c: float,
    reference_min: float,
    best_ph: float,
    theta_ratio: float = 1.3,
    time_exponent_n: float = 0.25,
    width_ph: float = 2.0,
) -> float:
    """Return what the conditions make of a charge: 1 in the middle of the stage's window."""
    return float(
        theta_ratio ** ((temperature_c - reference_c) / 10)
        * (time_min / reference_min) ** time_exponent_n
        * math.exp(-(((end_ph - best_ph) / width_ph) ** 2))
    )
