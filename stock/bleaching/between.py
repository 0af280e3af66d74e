"""Between stages: what a wash or a press lets through, what returned filtrate builds up, what goes to the drain."""

from stock.errors import DomainError
from stock.working import Arg, Example, method


@method(
    "mixed_conc = solute_kg_per_bdt / (100 / mixed_consistency_pct - 1)\n"
    "carry_kg_per_bdt = (100 / press_consistency_pct - 1)"
    " * (mixed_conc - displacement_ratio * (mixed_conc - wash_conc_kg_per_t))",
    title="Carried over from one stage to the next",
    station="bleaching",
    source="balance over a press or a washer",
    aliases=("interstage_carryover_kg_per_bdt",),
    results=("carry_kg_per_bdt",),
    example=Example(
        {"solute_kg_per_bdt": 24, "mixed_consistency_pct": 10, "press_consistency_pct": 30}, {"carry_kg_per_bdt": 6.22}
    ),
    solute_kg_per_bdt=Arg("what is dissolved with the pulp", 0, 1000),
    mixed_consistency_pct=Arg("consistency before", 0, 60, above=True),
    press_consistency_pct=Arg("consistency after", 0, 60, above=True),
    displacement_ratio=Arg("displacement by the shower, 0 for a plain press", 0, 1),
    wash_conc_kg_per_t=Arg("what the shower brings", 0, 200),
)
def carried_between(
    *,
    solute_kg_per_bdt: float,
    mixed_consistency_pct: float,
    press_consistency_pct: float,
    displacement_ratio: float = 0.0,
    wash_conc_kg_per_t: float = 0.0,
) -> float:
    """Return what goes on to the next stage."""
    if press_consistency_pct < mixed_consistency_pct:
        message = f"pulp leaves a press or washer thicker than it came: {press_consistency_pct:g} % after {mixed_consistency_pct:g} %"
        raise DomainError("E_RANGE", "press_consistency_pct", message, f"{mixed_consistency_pct:g} % or more")
    conc = solute_kg_per_bdt / (100 / mixed_consistency_pct - 1)
    return (100 / press_consistency_pct - 1) * (conc - displacement_ratio * (conc - wash_conc_kg_per_t))


@method(
    "buildup_factor = 1 / (1 - recycle_frac * to_filtrate_frac)",
    title="Build-up where filtrate comes back",
    station="bleaching",
    source="geometric loop; acid and alkaline filtrates stay apart: return between stages of like pH only",
    aliases=("recycle_buildup_factor",),
    exact=False,
    results=("buildup_factor",),
    example=Example({"recycle_frac": 0.6, "to_filtrate_frac": 0.8}, {"buildup_factor": 1.9231}),
    recycle_frac=Arg("share of the filtrate that comes back", 0, 1),
    to_filtrate_frac=Arg("share of the solute that leaves with filtrate", 0, 1),
)
def filtrate_buildup(*, recycle_frac: float, to_filtrate_frac: float) -> float:
    """Return by how much what is dissolved climbs in the end."""
    kept = recycle_frac * to_filtrate_frac
    if kept >= 1:
        raise DomainError("E_SINGULAR", "recycle_frac", "all of it comes back: the loop has no exit", "a share below 1")
    return 1 / (1 - kept)


@method(
    "aox_kg_per_bdt = coefficient_ratio * (cl2_active_kg_per_bdt + hypo_active_kg_per_bdt / 2 + clo2_active_kg_per_bdt / 5)",
    title="Chlorinated organics, an estimate",
    station="bleaching",
    source="Germgård and co-workers, 1980s; a fifth for dioxide by Earl and Reeve, about 1990. ESTIMATE, before treatment, not for compliance",
    aliases=("aox_estimate_kg_per_bdt",),
    example=Example({"clo2_active_kg_per_bdt": 35}, {"aox_kg_per_bdt": 0.84}),
    cl2_active_kg_per_bdt=Arg("active chlorine from chlorine", 0, 200),
    hypo_active_kg_per_bdt=Arg("from hypochlorite", 0, 200),
    clo2_active_kg_per_bdt=Arg("from dioxide", 0, 200),
    coefficient_ratio=Arg("organics for each, 0.10 to 0.12", 0, 0.5),
)
def aox_estimate(
    *,
    cl2_active_kg_per_bdt: float = 0.0,
    hypo_active_kg_per_bdt: float = 0.0,
    clo2_active_kg_per_bdt: float = 0.0,
    coefficient_ratio: float = 0.12,
) -> float:
    """Return an estimate of the chlorinated organics in the effluent."""
    return coefficient_ratio * (cl2_active_kg_per_bdt + hypo_active_kg_per_bdt / 2 + clo2_active_kg_per_bdt / 5)


@method(
    "cod_kg_per_bdt = cod_per_kappa_ratio * (kappa_in_kappa - kappa_out_kappa) + carryover_cod_kg_per_bdt",
    title="Oxygen demand of a bleach plant, an estimate",
    station="bleaching",
    source="two kilograms for each kappa is a default. ESTIMATE, before treatment, not for compliance",
    aliases=("bleach_cod_kg_per_bdt",),
    example=Example(
        {"kappa_in_kappa": 13, "kappa_out_kappa": 1, "carryover_cod_kg_per_bdt": 4}, {"cod_kg_per_bdt": 28}
    ),
    kappa_in_kappa=Arg("kappa before", 0, 150),
    kappa_out_kappa=Arg("kappa after", 0, 150),
    cod_per_kappa_ratio=Arg("kilograms for each kappa", 0, 10),
    carryover_cod_kg_per_bdt=Arg("what is carried in", 0, 100),
)
def bleach_cod(
    *,
    kappa_in_kappa: float,
    kappa_out_kappa: float,
    cod_per_kappa_ratio: float = 2.0,
    carryover_cod_kg_per_bdt: float = 0.0,
) -> float:
    """Return an estimate of the oxygen demand that goes to the effluent."""
    if kappa_out_kappa > kappa_in_kappa:
        message = f"kappa {kappa_out_kappa:g} after is above {kappa_in_kappa:g} before: nothing was dissolved"
        raise DomainError("E_RANGE", "kappa_out_kappa", message, f"{kappa_in_kappa:g} or less")
    return cod_per_kappa_ratio * (kappa_in_kappa - kappa_out_kappa) + carryover_cod_kg_per_bdt
