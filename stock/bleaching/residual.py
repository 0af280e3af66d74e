"""What is left of a chemical: found by titration, foretold through the tower, killed where it may not go on."""

import math

from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method, note

EQUIVALENT_G_PER_MOL = {"cl2": 35.453, "clo2": 13.490, "h2o2": 17.007, "naoh": 39.997, "so2": 32.032}
SO2_KG_PER_KG = {"cl2": 0.9035, "h2o2": 1.883, "clo2": 2.374}
INSTANT_FRAC = {"dioxide": 0.7, "peroxide": 0.4}
DOUBLES_EVERY_C = 10.0


@method(
    "strength_g_per_l = titrant_ml * titrant_normality * equivalent / sample_ml",
    title="Strength by titration",
    station="bleaching",
    source="stoichiometry; dioxide in acid iodometry, 5 electrons (in neutral medium 1 only: state the method)",
    aliases=("titrated_g_per_L",),
    exact=False,
    results=("strength_g_per_l",),
    example=Example(
        {"titrant_ml": 2.35, "titrant_normality": 0.100, "sample_ml": 50, "chemical": "h2o2"},
        {"strength_g_per_l": 0.0799},
    ),
    titrant_ml=Arg("titrant used", 0, 200),
    titrant_normality=Arg("strength of the titrant", 0, 10, above=True),
    sample_ml=Arg("sample titrated", 0, 1000, above=True),
    chemical=Choice("what is looked for", tuple(EQUIVALENT_G_PER_MOL)),
)
def titrated(*, titrant_ml: float, titrant_normality: float, sample_ml: float, chemical: str) -> float:
    """Return the strength of a solution or of a stage's liquor."""
    return titrant_ml * titrant_normality * EQUIVALENT_G_PER_MOL[chemical] / sample_ml


@method(
    "residual_pct = 100 * residual_g_per_l * (100 / stage_consistency_pct - 1) / charge_kg_per_bdt",
    title="Residual as a share of the charge",
    station="bleaching",
    source="balance over the liquor of the stage, at 1 t/m³",
    aliases=("residual_pct_of_charge",),
    example=Example(
        {"residual_g_per_l": 0.0799, "stage_consistency_pct": 10, "charge_kg_per_bdt": 5.0},
        {"residual_pct": 14.4},
        2e-3,
    ),
    residual_g_per_l=Arg("residual in the liquor", 0, 100),
    stage_consistency_pct=Arg("consistency of the stage", 0, 40, above=True),
    charge_kg_per_bdt=Arg("what was charged", 0, 200, above=True),
)
def residual_share(*, residual_g_per_l: float, stage_consistency_pct: float, charge_kg_per_bdt: float) -> float:
    """Return what share of a charge is left."""
    left = residual_g_per_l * (100 / stage_consistency_pct - 1)
    if left > charge_kg_per_bdt * (1 + 1e-9):
        message = f"{left:.2f} kg/BDt would be left of {charge_kg_per_bdt:g}: more than was charged"
        raise DomainError(
            "E_BALANCE",
            "residual_g_per_l",
            message,
            f"{charge_kg_per_bdt / (100 / stage_consistency_pct - 1):.3g} g/L or less",
        )
    return 100 * left / charge_kg_per_bdt


@method(
    "k = log((1 - instant_frac) * reference_charge_kg_per_bdt / reference_residual_kg_per_bdt) / reference_min"
    " * 2**((temperature_c - reference_c) / 10) * (1 + metals_ratio)\n"
    "residual_kg_per_bdt = max(0, charge_kg_per_bdt - instant_frac * reference_charge_kg_per_bdt * demand_ratio)"
    " * exp(-k * time_min)",
    title="Residual through a tower",
    station="bleaching",
    source="consumed in two steps, at once and slowly; default form to be fitted",
    aliases=("residual_kg_per_bdt",),
    exact=False,
    results=("residual_kg_per_bdt",),
    example=Example(
        {
            "charge_kg_per_bdt": 11,
            "time_min": 150,
            "temperature_c": 70,
            "reference_charge_kg_per_bdt": 10,
            "reference_residual_kg_per_bdt": 0.5,
            "reference_min": 150,
            "reference_c": 70,
        },
        {"residual_kg_per_bdt": 0.67},
        6e-3,
    ),
    charge_kg_per_bdt=Arg("what is charged", 0, 200),
    time_min=Arg("time since", 0, 1440),
    temperature_c=Arg("warmth of the stage", 0, 130),
    reference_charge_kg_per_bdt=Arg("usual charge", 0, 200, above=True),
    reference_residual_kg_per_bdt=Arg("what it usually leaves", 0, 200, above=True),
    reference_min=Arg("after how long", 0, 1440, above=True),
    reference_c=Arg("at what warmth", 0, 130),
    instant_frac=Arg("share eaten at once: dioxide 0.7, peroxide 0.4", 0, 1, below=True),
    demand_ratio=Arg("demand of this pulp over the usual one's, as its kappa", 0, 10),
    metals_ratio=Arg("loss to metals over what bleaches", 0, 20),
)
def residual_left(
    *,
    charge_kg_per_bdt: float,
    time_min: float,
    temperature_c: float,
    reference_charge_kg_per_bdt: float,
    reference_residual_kg_per_bdt: float,
    reference_min: float,
    reference_c: float,
    instant_frac: float = 0.7,
    demand_ratio: float = 1.0,
    metals_ratio: float = 0.0,
) -> float:
    """Return what is left of a charge; colder pulp looks over-charged."""
    slow = (1 - instant_frac) * reference_charge_kg_per_bdt
    if reference_residual_kg_per_bdt >= slow:
        message = f"{reference_residual_kg_per_bdt:g} kg/BDt left of {reference_charge_kg_per_bdt:g}, {slow:g} of which reacts slowly"
        raise DomainError("E_RANGE", "reference_residual_kg_per_bdt", message, f"less than {slow:g} kg/BDt")
    rate = math.log(slow / reference_residual_kg_per_bdt) / reference_min
    rate *= 2 ** ((temperature_c - reference_c) / DOUBLES_EVERY_C) * (1 + metals_ratio)
    at_once = instant_frac * reference_charge_kg_per_bdt * demand_ratio
    note("eaten at once", min(at_once, charge_kg_per_bdt), "kg/BDt")
    return max(0.0, charge_kg_per_bdt - at_once) * math.exp(-rate * time_min)


@method(
    "cut_kg_per_bdt = max(0, residual_g_per_l - target_g_per_l) * (100 / stage_consistency_pct - 1) / counts_ratio",
    title="Charge that is surely unused",
    station="bleaching",
    source="balance: what leaves with the liquor did nothing",
    aliases=("residual_trim_kg_per_bdt",),
    exact=False,
    results=("cut_kg_per_bdt",),
    example=Example(
        {"residual_g_per_l": 0.12, "target_g_per_l": 0.05, "stage_consistency_pct": 10}, {"cut_kg_per_bdt": 0.63}
    ),
    residual_g_per_l=Arg("residual found", 0, 100),
    target_g_per_l=Arg("residual wanted", 0, 100),
    stage_consistency_pct=Arg("consistency of the stage", 0, 40, above=True),
    counts_ratio=Arg(
        "what a kilogram of the chemical counts as in the residual: dioxide 2.63 as active chlorine", 0, 5, above=True
    ),
)
def residual_trim(
    *, residual_g_per_l: float, target_g_per_l: float, stage_consistency_pct: float, counts_ratio: float = 1.0
) -> float:
    """Return what a charge may be cut by where brightness is good; 0 at or below the target."""
    return max(0.0, residual_g_per_l - target_g_per_l) * (100 / stage_consistency_pct - 1) / counts_ratio


@method(
    "so2_kg_per_h = so2_per_kg[chemical] * residual_g_per_l * liquor_m3_per_h * (1 + excess_frac)",
    title="Sulphur dioxide to kill a residual",
    station="bleaching",
    source="stoichiometry; the residual as the same species as the factor: dioxide as dioxide",
    aliases=("so2_for_residual_kg_per_h",),
    exact=False,
    results=("so2_kg_per_h",),
    example=Example({"residual_g_per_l": 0.06, "liquor_m3_per_h": 180, "chemical": "cl2"}, {"so2_kg_per_h": 10.73}),
    residual_g_per_l=Arg("residual in the liquor", 0, 100),
    liquor_m3_per_h=Arg("liquor that carries it", 0, 1e5),
    chemical=Choice("counted as", tuple(SO2_KG_PER_KG)),
    excess_frac=Arg("more than the sum asks", 0, 1),
)
def so2_to_kill(*, residual_g_per_l: float, liquor_m3_per_h: float, chemical: str, excess_frac: float = 0.1) -> float:
    """Return the sulphur dioxide that leaves nothing of a residual."""
    return SO2_KG_PER_KG[chemical] * residual_g_per_l * liquor_m3_per_h * (1 + excess_frac)


@method(
    "so2_kg_per_bdt = so2_per_kg[chemical] * residual_g_per_l * (100 / stage_consistency_pct - 1) * (1 + excess_frac)",
    title="Sulphur dioxide to kill a residual, a tonne",
    station="bleaching",
    source="as by the hour, for the liquor of a bone-dry tonne",
    exact=False,
    results=("so2_kg_per_bdt",),
    example=Example(
        {"residual_g_per_l": 0.06, "stage_consistency_pct": 10, "chemical": "cl2"}, {"so2_kg_per_bdt": 0.5367}
    ),
    residual_g_per_l=Arg("residual in the liquor", 0, 100),
    stage_consistency_pct=Arg("consistency of the stage", 0.1, 50),
    chemical=Choice("counted as", tuple(SO2_KG_PER_KG)),
    excess_frac=Arg("more than the sum asks", 0, 1),
)
def so2_kills(
    *, residual_g_per_l: float, stage_consistency_pct: float, chemical: str, excess_frac: float = 0.1
) -> float:
    """Return the sulphur dioxide a tonne that leaves nothing of a residual."""
    liquor_m3_per_h = 100 / stage_consistency_pct - 1  # at a tonne an hour
    return so2_to_kill.method.bare(  # type: ignore[attr-defined,no-any-return]
        residual_g_per_l=residual_g_per_l, liquor_m3_per_h=liquor_m3_per_h, chemical=chemical, excess_frac=excess_frac
    )


@method(
    "gas_nm3 = peroxide_kg / 34.015 * 0.5 * 22.414",
    title="Gas from peroxide that decomposes",
    station="bleaching",
    source="stoichiometry, at 0 °C and 101.325 kPa; a hint for caution, not a design basis",
    aliases=("peroxide_gas_Nm3",),
    example=Example({"peroxide_kg": 1.5}, {"gas_nm3": 0.494}),
    peroxide_kg=Arg("peroxide, 100 %", 0, 1e6),
)
def peroxide_gas(*, peroxide_kg: float) -> float:
    """Return the oxygen that trapped peroxide gives off."""
    return peroxide_kg / 34.015 * 0.5 * 22.414
