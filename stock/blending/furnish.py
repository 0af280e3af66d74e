"""Furnish: recipe to flows, brightness and freeness of a blend, filler, dosing."""

from typing import Literal, NamedTuple

import numpy as np

from stock.bleaching.colour import km_k_over_s, km_reflectance_frac
from stock.consistency.dilution import same_length
from stock.errors import DomainError
from stock.intake.lot import shares_add_up
from stock.refining.freeness import CAKE_OF_CSF, CSF_OF_CAKE
from stock.working import Arg, Choice, Example, method, warn

LOW_STROKE_PCT = 10.0
_SHARES = Arg("bone-dry share of each component", 0, 1, series=True)


class RecipeFlows(NamedTuple):
    """Set points of a recipe, one entry a component."""

    each_bdt_per_h: list[float]
    each_l_per_min: list[float]
    total_l_per_min: float
    mixed_consistency_pct: float


@method(
    "each_bdt_per_h = total_bdt_per_h * shares_frac\n"
    "each_l_per_min = total_bdt_per_h * shares_frac * 1000 / 60 / (consistency_each_pct / 100 * density_kg_per_l)\n"
    "total_l_per_min = sum(each_l_per_min)\n"
    "mixed_consistency_pct = total_bdt_per_h * 1000 / 60 / (total_l_per_min * density_kg_per_l) * 100",
    title="Recipe to component flows",
    station="blending",
    source="mass balance; shares on bone-dry total",
    aliases=("recipe_flows",),
    exact=False,
    results=("each_bdt_per_h", "each_l_per_min", "total_l_per_min", "mixed_consistency_pct"),
    example=Example(
        {"total_bdt_per_h": 10.0, "shares_frac": [0.25, 0.60, 0.15], "consistency_each_pct": [3.9, 4.1, 3.2]},
        {"total_l_per_min": 4288.7, "mixed_consistency_pct": 3.8862},
    ),
    total_bdt_per_h=Arg("blend wanted", 0, 1000),
    shares_frac=_SHARES,
    consistency_each_pct=Arg("consistency of each component", 0, 40, above=True, series=True),
    density_kg_per_l=Arg("stock density", 0.8, 1.3),
)
def recipe_set_points(
    *,
    total_bdt_per_h: float,
    shares_frac: np.ndarray,
    consistency_each_pct: np.ndarray,
    density_kg_per_l: float = 1.0,
) -> RecipeFlows:
    """Return the flow of each component; correct them when a chest's consistency changes."""
    same_length("consistency_each_pct", shares_frac, consistency_each_pct)
    shares_add_up("shares_frac", shares_frac, 1e-6)
    mass = total_bdt_per_h * shares_frac
    flow = mass * 1000 / 60 / (consistency_each_pct / 100 * density_kg_per_l)
    total = float(flow.sum())
    mixed = total_bdt_per_h * 1000 / 60 / (total * density_kg_per_l) * 100 if total else 0.0
    return RecipeFlows(mass.tolist(), flow.tolist(), total, mixed)


class BlendOptics(NamedTuple):
    """Brightness of a blend, with what it was made of."""

    brightness_frac: float
    k_m2_per_kg: float
    s_m2_per_kg: float


@method(
    "k_m2_per_kg = sum(shares_frac * scattering_m2_per_kg * (1 - brightness_each_frac)**2 / (2 * brightness_each_frac))\n"
    "s_m2_per_kg = sum(shares_frac * scattering_m2_per_kg)\n"
    "brightness_frac = 1 + k_m2_per_kg / s_m2_per_kg - sqrt((k_m2_per_kg / s_m2_per_kg)**2"
    " + 2 * k_m2_per_kg / s_m2_per_kg)",
    title="Brightness of a blend",
    station="blending",
    source="Kubelka and Munk (1931); k and s add by mass, brightness does not",
    aliases=("blend_brightness", "blend_reflectance_frac"),
    exact=False,
    example=Example(
        {"shares_frac": [0.7, 0.3], "brightness_each_frac": [0.88, 0.62], "scattering_m2_per_kg": [32, 48]},
        {"brightness_frac": 0.7286, "k_m2_per_kg": 1.8602, "s_m2_per_kg": 36.8},
    ),
    shares_frac=_SHARES,
    brightness_each_frac=Arg("brightness of each component, as a fraction", 0.05, 1, below=True, series=True),
    scattering_m2_per_kg=Arg("scattering of each component", 0, 500, above=True, series=True),
)
def blend_optics(
    *, shares_frac: np.ndarray, brightness_each_frac: np.ndarray, scattering_m2_per_kg: np.ndarray
) -> BlendOptics:
    """Return the brightness of a blend from the brightness and scattering of its parts."""
    same_length("brightness_each_frac", shares_frac, brightness_each_frac, scattering_m2_per_kg)
    shares_add_up("shares_frac", shares_frac, 1e-6)
    k = float(np.sum(shares_frac * scattering_m2_per_kg * km_k_over_s(reflectance_frac=brightness_each_frac)))
    s = float(np.sum(shares_frac * scattering_m2_per_kg))
    return BlendOptics(float(km_reflectance_frac(ks=k / s)), k, s)


@method(
    "brightness_pct = 100 * brightness of blend_optics at each_brightness_pct / 100",
    title="Brightness of a blend, in % ISO",
    station="blending",
    source="Kubelka and Munk (1931); k and s add by mass, brightness does not",
    exact=False,
    results=("brightness_pct",),
    example=Example(
        {"shares_frac": [0.7, 0.3], "each_brightness_pct": [88, 62], "scattering_m2_per_kg": [32, 48]},
        {"brightness_pct": 72.86},
    ),
    shares_frac=_SHARES,
    each_brightness_pct=Arg("brightness of each component", 5, 100, below=True, series=True),
    scattering_m2_per_kg=Arg("scattering of each component", 0, 500, above=True, series=True),
)
def blend_brightness_iso(
    *, shares_frac: np.ndarray, each_brightness_pct: np.ndarray, scattering_m2_per_kg: np.ndarray
) -> float:
    """Return the brightness of a blend from brightnesses as the laboratory gives them."""
    optics = blend_optics(
        shares_frac=shares_frac,
        brightness_each_frac=each_brightness_pct / 100,
        scattering_m2_per_kg=scattering_m2_per_kg,
    )
    return 100 * optics.brightness_frac


@method(
    "logarithm: csf_ml = exp(sum(shares_frac * log(each_csf_ml)))\n"
    "resistance: csf_ml = csf of the cake sum(shares_frac * cake of each_csf_ml)\n"
    "mean: csf_ml = sum(shares_frac * each_csf_ml)",
    title="Freeness of a blend",
    station="blending",
    source="logarithmic rule, a default; cake resistances add by mass; add a bias fitted to laboratory blends",
    aliases=("blend_freeness",),
    exact=False,
    results=("csf_ml",),
    example=Example({"shares_frac": [0.3, 0.7], "each_csf_ml": [500, 300]}, {"csf_ml": 349.7}),
    notes="Freeness does not add up; the three rules lie tens of mL apart and the truth between them.",
    shares_frac=_SHARES,
    each_csf_ml=Arg("freeness of each component", 25, 800, series=True),
    rule=Choice("rule", ("logarithm", "resistance", "mean")),
)
def blend_freeness_ml(
    *,
    shares_frac: np.ndarray,
    each_csf_ml: np.ndarray,
    rule: Literal["logarithm", "resistance", "mean"] = "logarithm",
) -> float:
    """Return the freeness of a blend; rules differ by tens of mL."""
    same_length("each_csf_ml", shares_frac, each_csf_ml)
    shares_add_up("shares_frac", shares_frac, 1e-6)
    if rule == "mean":
        return float(shares_frac @ each_csf_ml)
    if rule == "resistance":
        cakes = [CAKE_OF_CSF(csf_ml=float(one)) for one in each_csf_ml]
        return float(CSF_OF_CAKE(cake_ratio=float(shares_frac @ cakes)))
    return float(np.exp(shares_frac @ np.log(each_csf_ml)))


@method(
    "overall_frac = first_pass_frac / (1 - recirculated_frac * (1 - first_pass_frac))",
    title="Overall retention",
    station="blending",
    source="geometric series of recirculation",
    aliases=("overall_retention",),
    example=Example({"first_pass_frac": 0.55, "recirculated_frac": 0.95}, {"overall_frac": 0.9607}),
    first_pass_frac=Arg("first-pass retention", 0, 1, above=True),
    recirculated_frac=Arg("share of white-water solids that returns", 0, 1),
)
def retention_overall(*, first_pass_frac: float, recirculated_frac: float) -> float:
    """Return the share that ends in the sheet after every pass."""
    return first_pass_frac / (1 - recirculated_frac * (1 - first_pass_frac))


@method(
    "overall_frac = sheet_filler_t_per_h / (fed_filler_t_per_h + broke_filler_t_per_h)",
    title="Overall retention of a running line",
    station="blending",
    source="mass balance over wire, press and white water: what comes in anew, against what leaves in the sheet",
    example=Example(
        {"sheet_filler_t_per_h": 2.339, "fed_filler_t_per_h": 2.072, "broke_filler_t_per_h": 0.315},
        {"overall_frac": 0.9799},
    ),
    sheet_filler_t_per_h=Arg("filler in the sheet", 0, 1000),
    fed_filler_t_per_h=Arg("filler fed", 0, 1000),
    broke_filler_t_per_h=Arg("filler that comes with broke", 0, 1000),
)
def retention_of_balance(
    *, sheet_filler_t_per_h: float, fed_filler_t_per_h: float, broke_filler_t_per_h: float = 0.0
) -> float:
    """Return the share of the filler come anew that ends in the sheet; what white water brings back is not new."""
    anew = fed_filler_t_per_h + broke_filler_t_per_h
    if anew <= 0:
        raise DomainError(
            "E_SINGULAR", "fed_filler_t_per_h", "no filler comes to the machine", "more than 0 with broke"
        )
    kept = sheet_filler_t_per_h / anew
    if kept > 1 + 1e-6:
        message = f"the sheet holds {sheet_filler_t_per_h:g} t/h of filler, {anew:g} came"
        raise DomainError("E_BALANCE", "sheet_filler_t_per_h", message, f"up to {anew:g} t/h")
    return min(kept, 1.0)


@method(
    "filler_t_per_h = sheet_bdt_per_h * sheet_filler_frac / overall_frac - broke_filler_t_per_h",
    title="Filler feed for a sheet",
    station="blending",
    source="mass balance; what broke and recovered paper bring need not be fed, what white water brings back is in the retention",
    aliases=("filler_feed",),
    example=Example(
        {"sheet_bdt_per_h": 9.0, "sheet_filler_frac": 0.18, "overall_frac": 0.9607}, {"filler_t_per_h": 1.6863}
    ),
    sheet_bdt_per_h=Arg("sheet made", 0, 1000),
    sheet_filler_frac=Arg("filler in the bone-dry sheet", 0, 0.6),
    overall_frac=Arg("overall retention of filler", 0, 1, above=True),
    broke_filler_t_per_h=Arg("filler that comes with broke", 0, 1000),
)
def filler_feed_t_per_h(
    *, sheet_bdt_per_h: float, sheet_filler_frac: float, overall_frac: float, broke_filler_t_per_h: float = 0.0
) -> float:
    """Return the filler to feed for a filler share in the sheet; negative where broke brings more than is wanted."""
    return sheet_bdt_per_h * sheet_filler_frac / overall_frac - broke_filler_t_per_h


@method(
    "change_t_per_h = filler_wanted_t_per_h - filler_now_t_per_h",
    title="Change of the filler",
    station="blending",
    source="difference of two feeds at the same retention; what broke brings is in both",
    example=Example({"filler_wanted_t_per_h": 2.45, "filler_now_t_per_h": 2.37}, {"change_t_per_h": 0.08}),
    filler_wanted_t_per_h=Arg("filler for the ash wanted", 0, 1000),
    filler_now_t_per_h=Arg("filler for the ash found", 0, 1000),
)
def filler_change(*, filler_wanted_t_per_h: float, filler_now_t_per_h: float) -> float:
    """Return what to add to the filler (negative: take off)."""
    return filler_wanted_t_per_h - filler_now_t_per_h


class Pumped(NamedTuple):
    """A dose at its pump."""

    pump_l_per_h: float
    stroke_pct: float


@method(
    "pump_l_per_h = bdt_per_h * dose_kg_per_t / (active_pct / 100 * density_kg_per_l)\n"
    "stroke_pct = 100 * pump_l_per_h / pump_max_l_per_h",
    title="Dose to pump flow",
    station="blending",
    source="mass balance; dose counted as active",
    aliases=("dose_pump",),
    exact=False,
    example=Example(
        {
            "bdt_per_h": 9.5,
            "dose_kg_per_t": 6.0,
            "active_pct": 1.0,
            "density_kg_per_l": 1.01,
            "pump_max_l_per_h": 8000,
        },
        {"pump_l_per_h": 5643.6, "stroke_pct": 70.54},
    ),
    bdt_per_h=Arg("stock to be dosed", 0, 1000),
    dose_kg_per_t=Arg("dose", 0, 200),
    active_pct=Arg("strength as delivered", 0, 100, above=True),
    density_kg_per_l=Arg("density of the product", 0.7, 2.0),
    pump_max_l_per_h=Arg("what the pump can do", 0, 1e6, above=True),
)
def dose_to_pump(
    *,
    bdt_per_h: float,
    dose_kg_per_t: float,
    active_pct: float,
    pump_max_l_per_h: float,
    density_kg_per_l: float = 1.0,
) -> Pumped:
    """Return the pump flow for a dose and its stroke; refuses one beyond the pump."""
    flow = bdt_per_h * dose_kg_per_t / (active_pct / 100 * density_kg_per_l)
    if flow > pump_max_l_per_h:
        message = f"the dose needs {flow:.0f} L/h and the pump gives {pump_max_l_per_h:g} L/h"
        raise DomainError(
            "E_LIMIT", "dose_kg_per_t", message, f"{dose_kg_per_t * pump_max_l_per_h / flow:.2f} kg/t or less"
        )
    stroke = 100 * flow / pump_max_l_per_h
    if 0 < stroke < LOW_STROKE_PCT:
        warn(f"a stroke of {stroke:.0f} % doses unevenly: dilute to {active_pct * stroke / 50:.3g} % active")
    return Pumped(flow, stroke)
