"""One washing stage: dilution factor, displacement, and the loss that follows."""

import math
from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, method, note, warn

_USUAL_DF = (-1.0, 5.0)
_DF = Arg("dilution factor", -100, 100, usual=_USUAL_DF)
_DISCHARGE = Arg("consistency of the discharged mat", 0, 100, above=True, below=True)
_E_TOTAL = Arg("standardised efficiency of the line (E10)", 0, 60, above=True)
_STD = Arg("consistency the efficiency is stated at", 0, 100, above=True, below=True)


@method(
    "dilution_factor_t_per_bdt = wash_liquor_t_per_bdt - (100 - discharge_consistency_pct) / discharge_consistency_pct",
    title="Dilution factor",
    station="washing",
    source="Perkins, Welsh and Mappus (1954)",
    example=Example(
        {"wash_liquor_t_per_bdt": 9.80, "discharge_consistency_pct": 12}, {"dilution_factor_t_per_bdt": 2.467}
    ),
    wash_liquor_t_per_bdt=Arg("wash liquor", 0, 100),
    discharge_consistency_pct=_DISCHARGE,
)
def dilution_factor_t_per_bdt(*, wash_liquor_t_per_bdt: float, discharge_consistency_pct: float) -> float:
    """Return the wash liquor beyond what leaves with the mat."""
    factor = wash_liquor_t_per_bdt - (100 - discharge_consistency_pct) / discharge_consistency_pct
    if not _USUAL_DF[0] <= factor <= _USUAL_DF[1]:
        warn(f"a dilution factor of {factor:.1f} t/BDt is not usual: {_USUAL_DF[0]:g} to {_USUAL_DF[1]:g}")
    return factor


@method(
    "shower_flow_l_per_min = production_bdt_per_h * (dilution_factor_t_per_bdt"
    " + (100 - discharge_consistency_pct) / discharge_consistency_pct) / liquor_density_t_per_m3 * 1000 / 60",
    title="Shower flow for a dilution factor",
    station="washing",
    source="mass balance",
    results=("shower_flow_l_per_min",),
    example=Example(
        {
            "production_bdt_per_h": 25,
            "dilution_factor_t_per_bdt": 2.5,
            "discharge_consistency_pct": 12.5,
            "liquor_density_t_per_m3": 0.978,
        },
        {"shower_flow_l_per_min": 4047},
    ),
    production_bdt_per_h=Arg("pulp over the washer", 0, 1000),
    dilution_factor_t_per_bdt=_DF,
    discharge_consistency_pct=_DISCHARGE,
    liquor_density_t_per_m3=Arg("density of the wash liquor", 0.8, 1.3),
)
def shower_flow_l_per_min(
    *,
    production_bdt_per_h: float,
    dilution_factor_t_per_bdt: float,
    discharge_consistency_pct: float,
    liquor_density_t_per_m3: float = 1.0,
) -> float:
    """Return the shower flow that gives a dilution factor."""
    with_mat = (100 - discharge_consistency_pct) / discharge_consistency_pct
    if dilution_factor_t_per_bdt + with_mat < 0:
        message = f"a dilution factor of {dilution_factor_t_per_bdt:g} t/BDt would need less than no water"
        raise DomainError("E_RANGE", "dilution_factor_t_per_bdt", message, f"{-with_mat:.2f} t/BDt or more")
    return production_bdt_per_h * (dilution_factor_t_per_bdt + with_mat) / liquor_density_t_per_m3 * 1000 / 60


@method(
    "displacement_ratio = (vat_conc_g_per_l - discharge_conc_g_per_l) / (vat_conc_g_per_l - shower_conc_g_per_l)",
    title="Displacement ratio",
    station="washing",
    source="Perkins, Welsh and Mappus (1954)",
    exact=False,
    example=Example(
        {"vat_conc_g_per_l": 45, "discharge_conc_g_per_l": 13, "shower_conc_g_per_l": 5}, {"displacement_ratio": 0.8}
    ),
    vat_conc_g_per_l=Arg("solute in the vat", 0, 1000),
    discharge_conc_g_per_l=Arg("solute in the discharged mat", 0, 1000),
    shower_conc_g_per_l=Arg("solute in the shower", 0, 1000),
)
def displacement_ratio(*, vat_conc_g_per_l: float, discharge_conc_g_per_l: float, shower_conc_g_per_l: float) -> float:
    """Return the share of solute that displacement removed."""
    if vat_conc_g_per_l == shower_conc_g_per_l:
        message = "the shower is as strong as the vat: displacement is undefined"
        raise DomainError("E_SINGULAR", "shower_conc_g_per_l", message, "a shower weaker than the vat")
    ratio = (vat_conc_g_per_l - discharge_conc_g_per_l) / (vat_conc_g_per_l - shower_conc_g_per_l)
    if not 0 <= ratio <= 1:
        message = f"the samples give a displacement of {ratio:.2f}, outside 0 to 1: check them"
        raise DomainError("E_BALANCE", "discharge_conc_g_per_l", message, "between shower and vat strength")
    return ratio


@method(
    "washing_loss_frac = dilution_factor_t_per_bdt / ((1 + dilution_factor_t_per_bdt / L_std)**e_std_total_ratio"
    " * (L_feed + dilution_factor_t_per_bdt) - L_feed)",
    title="Share of the solids lost with washed pulp",
    station="washing",
    source="Norden (1966) with the balance; exact for machines in series at equal dilution factor and clean wash liquor",
    aliases=("washing_loss_fraction",),
    exact=False,
    results=("washing_loss_frac",),
    example=Example(
        {"dilution_factor_t_per_bdt": 2.5, "feed_consistency_pct": 10, "e_std_total_ratio": 12},
        {"washing_loss_frac": 0.011973},
    ),
    dilution_factor_t_per_bdt=Arg("dilution factor", 0, 6),
    feed_consistency_pct=Arg("consistency of the feed", 0, 100, above=True, below=True),
    e_std_total_ratio=_E_TOTAL,
    std_consistency_pct=_STD,
)
def washing_loss_frac(
    *,
    dilution_factor_t_per_bdt: float,
    feed_consistency_pct: float,
    e_std_total_ratio: float,
    std_consistency_pct: float = 10.0,
) -> float:
    """Return the share of dissolved solids that stays with the pulp."""
    l_feed = (100 - feed_consistency_pct) / feed_consistency_pct
    l_std = (100 - std_consistency_pct) / std_consistency_pct
    df = dilution_factor_t_per_bdt
    if df < 1e-9:
        return 1 / (1 + e_std_total_ratio * l_feed / l_std)
    return df / (math.pow(1 + df / l_std, e_std_total_ratio) * (l_feed + df) - l_feed)


@method(
    "e_std_total_ratio = log((dilution_factor_t_per_bdt * feed_solids_kg_per_bdt / loss_kg_per_bdt + L_feed)"
    " / (L_feed + dilution_factor_t_per_bdt)) / log(1 + dilution_factor_t_per_bdt / L_std)",
    title="Efficiency a measured loss shows",
    station="washing",
    source="the loss relation, solved for the efficiency",
    exact=False,
    results=("e_std_total_ratio",),
    example=Example(
        {
            "loss_kg_per_bdt": 17.9595,
            "dilution_factor_t_per_bdt": 2.5,
            "feed_consistency_pct": 10,
            "feed_solids_kg_per_bdt": 1500,
        },
        {"e_std_total_ratio": 12.0},
        1e-3,
    ),
    loss_kg_per_bdt=Arg("loss found", 0, 1000, above=True),
    dilution_factor_t_per_bdt=Arg("dilution factor it was found at", 0, 6, above=True),
    feed_consistency_pct=Arg("consistency of the feed", 0, 100, above=True, below=True),
    feed_solids_kg_per_bdt=Arg("dissolved solids fed", 0, 5000, above=True),
    std_consistency_pct=_STD,
)
def efficiency_from_loss(
    *,
    loss_kg_per_bdt: float,
    dilution_factor_t_per_bdt: float,
    feed_consistency_pct: float,
    feed_solids_kg_per_bdt: float,
    std_consistency_pct: float = 10.0,
) -> float:
    """Return the standardised efficiency that a washer shows by what it leaves behind.

    Raises
    ------
    DomainError
        E_RANGE for a loss at which nothing was washed.
    """
    l_feed = (100 - feed_consistency_pct) / feed_consistency_pct
    l_std = (100 - std_consistency_pct) / std_consistency_pct
    df = dilution_factor_t_per_bdt
    if loss_kg_per_bdt >= feed_solids_kg_per_bdt:
        message = f"a loss of {loss_kg_per_bdt:g} kg/BDt is all that was fed: nothing was washed"
        raise DomainError("E_RANGE", "loss_kg_per_bdt", message, f"less than {feed_solids_kg_per_bdt:g} kg/BDt")
    return math.log((df * feed_solids_kg_per_bdt / loss_kg_per_bdt + l_feed) / (l_feed + df)) / math.log(1 + df / l_std)


@method(
    "washing loss at dilution_factor_t_per_bdt = target_loss_kg_per_bdt",
    title="Dilution factor for a wanted loss",
    station="washing",
    source="inverse of the loss relation, by bracketing",
    exact=False,
    results=("dilution_factor_t_per_bdt",),
    aliases=("dilution_factor_for_loss_t_per_bdt",),
    example=Example(
        {
            "target_loss_kg_per_bdt": 15,
            "feed_consistency_pct": 10,
            "feed_solids_kg_per_bdt": 1500,
            "e_std_total_ratio": 12,
        },
        {"dilution_factor_t_per_bdt": 2.731},
    ),
    target_loss_kg_per_bdt=Arg("loss wanted", 0, 1000, above=True),
    feed_consistency_pct=Arg("consistency of the feed", 0, 100, above=True, below=True),
    feed_solids_kg_per_bdt=Arg("dissolved solids fed", 0, 5000, above=True),
    e_std_total_ratio=_E_TOTAL,
    std_consistency_pct=_STD,
)
def dilution_factor_for_loss(
    *,
    target_loss_kg_per_bdt: float,
    feed_consistency_pct: float,
    feed_solids_kg_per_bdt: float,
    e_std_total_ratio: float,
    std_consistency_pct: float = 10.0,
) -> float:
    """Return the dilution factor that brings the loss to the target."""
    from scipy.optimize import brentq

    def excess(df: float) -> float:
        share = washing_loss_frac.__wrapped__(  # type: ignore[attr-defined]  # checked once, above
            dilution_factor_t_per_bdt=df,
            feed_consistency_pct=feed_consistency_pct,
            e_std_total_ratio=e_std_total_ratio,
            std_consistency_pct=std_consistency_pct,
        )
        return float(feed_solids_kg_per_bdt * share - target_loss_kg_per_bdt)

    if excess(0.0) < 0 or excess(6.0) > 0:
        least, most = excess(6.0) + target_loss_kg_per_bdt, excess(0.0) + target_loss_kg_per_bdt
        message = (
            f"a loss of {target_loss_kg_per_bdt:g} kg/BDt is out of reach; the line gives {least:.1f} to {most:.1f}"
        )
        raise DomainError("E_INFEASIBLE", "target_loss_kg_per_bdt", message, f"{least:.1f} to {most:.1f} kg/BDt")
    found, told = brentq(excess, 0.0, 6.0, xtol=1e-9, full_output=True)
    note("searched from", 0.0, "t/BDt")
    note("to", 6.0, "t/BDt")
    note("loss at where it ended", target_loss_kg_per_bdt + excess(found), "kg/BDt")
    note("steps it took", told.iterations)
    return float(found)


class WashLoss(NamedTuple):
    """Washable solids leaving with the pulp."""

    washable_na_kg_per_bdt: float
    saltcake_kg_per_bdt: float
    cod_kg_per_bdt: float
    total_na_kg_per_bdt: float
    total_saltcake_kg_per_bdt: float


@method(
    "washable_na_kg_per_bdt = (100 - discharge_consistency_pct) / discharge_consistency_pct"
    " / liquor_density_t_per_m3 * sodium_g_per_l\n"
    "saltcake_kg_per_bdt = washable_na_kg_per_bdt * 142.04 / 45.98\n"
    "cod_kg_per_bdt = (100 - discharge_consistency_pct) / discharge_consistency_pct / liquor_density_t_per_m3 * cod_g_per_l\n"
    "total_na_kg_per_bdt = washable_na_kg_per_bdt + sorbed_na_kg_per_bdt\n"
    "total_saltcake_kg_per_bdt = (washable_na_kg_per_bdt + sorbed_na_kg_per_bdt) * 142.04 / 45.98",
    title="Wash loss from a mat sample",
    station="washing",
    source="stoichiometry; sorbed sodium rises with pH, 2 to 6 kg to be fitted",
    example=Example(
        {
            "discharge_consistency_pct": 12,
            "liquor_density_t_per_m3": 0.985,
            "sodium_g_per_l": 0.45,
            "cod_g_per_l": 1.10,
            "sorbed_na_kg_per_bdt": 3.0,
        },
        {
            "washable_na_kg_per_bdt": 3.350,
            "saltcake_kg_per_bdt": 10.35,
            "cod_kg_per_bdt": 8.19,
            "total_saltcake_kg_per_bdt": 19.62,
        },
    ),
    discharge_consistency_pct=_DISCHARGE,
    liquor_density_t_per_m3=Arg("liquor density", 0.8, 1.3),
    sodium_g_per_l=Arg("sodium in the squeezed liquor", 0, 100),
    cod_g_per_l=Arg("oxygen demand of the squeezed liquor", 0, 500),
    sorbed_na_kg_per_bdt=Arg("sodium sorbed on the fibre", 0, 20),
)
def wash_loss(
    *,
    discharge_consistency_pct: float,
    sodium_g_per_l: float,
    cod_g_per_l: float = 0.0,
    liquor_density_t_per_m3: float = 1.0,
    sorbed_na_kg_per_bdt: float = 0.0,
) -> WashLoss:
    """Return sodium, salt cake and oxygen demand carried on with the pulp."""
    liquor_m3 = (100 - discharge_consistency_pct) / discharge_consistency_pct / liquor_density_t_per_m3
    sodium = liquor_m3 * sodium_g_per_l
    total = sodium + sorbed_na_kg_per_bdt
    return WashLoss(sodium, sodium * 142.04 / 45.98, liquor_m3 * cod_g_per_l, total, total * 142.04 / 45.98)


@method(
    "k25_ms_per_cm = conductivity_ms_per_cm / (1 + coefficient_ratio * (temperature_c - 25))",
    title="Conductivity at 25 °C",
    station="washing",
    source="linear compensation",
    aliases=("conductivity_25c_ms_per_cm",),
    example=Example({"conductivity_ms_per_cm": 3.90, "temperature_c": 58}, {"k25_ms_per_cm": 2.349}),
    conductivity_ms_per_cm=Arg("conductivity as read", 0, 500),
    temperature_c=Arg("temperature of the sample", 0, 100),
    coefficient_ratio=Arg("change per °C", 0.01, 0.03),
)
def conductivity_25c(*, conductivity_ms_per_cm: float, temperature_c: float, coefficient_ratio: float = 0.02) -> float:
    """Return a conductivity brought to 25 °C."""
    return conductivity_ms_per_cm / (1 + coefficient_ratio * (temperature_c - 25))
