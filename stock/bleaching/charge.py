"""What a stage is given, by what comes in: active chlorine, the first dioxide stage, the alkali after it."""

import math
from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method

CLO2_ACTIVE_CL = 2.63
_ACTIVE_CL = {"clo2": CLO2_ACTIVE_CL, "cl2": 1.0, "naocl": 0.9525, "h2o2": 2.085, "o2": 4.432, "o3": 4.432}
_ELECTRONS = {"clo2": (5, 67.452), "h2o2": (2, 34.015), "o2": (4, 31.999), "o3": (6, 47.998), "cl2": (2, 70.906)}
FORWARD_GAIN = 0.8  # of a change of kappa, followed by the charge: the kappa that comes is an estimate


@method(
    "active_cl_kg_per_bdt = charge_kg_per_bdt * active_chlorine_per_kg[chemical]",
    title="Charge as active chlorine",
    station="bleaching",
    source="stoichiometry; 5 electrons for chlorine dioxide",
    aliases=("active_chlorine_kg_per_bdt",),
    exact=False,
    example=Example({"chemical": "clo2", "charge_kg_per_bdt": 9.0}, {"active_cl_kg_per_bdt": 23.67}),
    chemical=Choice("the chemical", tuple(_ACTIVE_CL)),
    charge_kg_per_bdt=Arg("charge on pulp", 0, 200),
)
def active_chlorine(*, chemical: str, charge_kg_per_bdt: float) -> float:
    """Return a charge counted as active chlorine."""
    return charge_kg_per_bdt * _ACTIVE_CL[chemical]


class DioxideCharge(NamedTuple):
    """Charge of the first dioxide stage."""

    active_cl_kg_per_bdt: float
    clo2_kg_per_bdt: float


@method(
    "active_cl_kg_per_bdt = 10 * kappa_factor * kappa + active_cl_per_cod_kg_per_kg * carryover_cod_kg_per_bdt\n"
    "clo2_kg_per_bdt = active_cl_kg_per_bdt / 2.63",
    title="Dioxide charge from kappa and carry-over",
    station="bleaching",
    source="definition of the kappa factor; the carry-over coefficient is a default to be fitted",
    example=Example(
        {"kappa": 13, "kappa_factor": 0.22, "carryover_cod_kg_per_bdt": 9, "active_cl_per_cod_kg_per_kg": 0.4},
        {"active_cl_kg_per_bdt": 32.20, "clo2_kg_per_bdt": 12.243},
    ),
    kappa=Arg("kappa into the stage", 0, 100, above=True),
    kappa_factor=Arg("kappa factor", 0, 0.6, above=True, usual=(0.12, 0.35)),
    carryover_cod_kg_per_bdt=Arg("oxygen demand carried in", 0, 100),
    active_cl_per_cod_kg_per_kg=Arg("active chlorine it eats", 0, 2),
)
def d0_charge(
    *,
    kappa: float,
    kappa_factor: float,
    carryover_cod_kg_per_bdt: float = 0.0,
    active_cl_per_cod_kg_per_kg: float = 0.0,
) -> DioxideCharge:
    """Return the active chlorine and the dioxide a first stage needs."""
    active = 10 * kappa_factor * kappa + active_cl_per_cod_kg_per_kg * carryover_cod_kg_per_bdt
    return DioxideCharge(active, active / CLO2_ACTIVE_CL)


@method(
    "naoh_kg_per_bdt = base_kg_per_bdt + slope_kg_per_kg * active_cl_kg_per_bdt",
    title="Alkali for extraction",
    station="bleaching",
    source="rule of thumb, to be fitted so that the stage ends at pH 10.8 to 11.3",
    aliases=("extraction_alkali_kg_per_bdt",),
    example=Example({"active_cl_kg_per_bdt": 32.2}, {"naoh_kg_per_bdt": 19.1}),
    active_cl_kg_per_bdt=Arg("active chlorine before it", 0, 200),
    slope_kg_per_kg=Arg("alkali per active chlorine", 0, 2),
    base_kg_per_bdt=Arg("alkali without any", 0, 20),
)
def extraction_alkali(
    *, active_cl_kg_per_bdt: float, slope_kg_per_kg: float = 0.5, base_kg_per_bdt: float = 3.0
) -> float:
    """Return the caustic an extraction stage needs."""
    return base_kg_per_bdt + slope_kg_per_kg * active_cl_kg_per_bdt


@method(
    "oxidation_mol_per_bdt = 1000 * charge_kg_per_bdt * electrons / molar_mass",
    title="Charge as oxidation equivalents",
    station="bleaching",
    source="Grundelius (1993); electrons taken up: ClO2 5, H2O2 2, O2 4, O3 6, Cl2 2",
    aliases=("oxidation_equivalents_mol_per_bdt",),
    exact=False,
    results=("oxidation_mol_per_bdt",),
    example=Example({"chemical": "clo2", "charge_kg_per_bdt": 9.0}, {"oxidation_mol_per_bdt": 667.1}),
    chemical=Choice("the chemical", tuple(_ELECTRONS)),
    charge_kg_per_bdt=Arg("charge on pulp", 0, 200),
)
def oxidation_equivalents(*, chemical: str, charge_kg_per_bdt: float) -> float:
    """Return the electrons a charge can take up, by which different oxidants compare."""
    electrons, molar = _ELECTRONS[chemical]
    return 1000 * charge_kg_per_bdt * electrons / molar


class Forward(NamedTuple):
    """The kappa that comes, and what the first dioxide stage should be given for it."""

    kappa_hat_kappa: float
    clo2_kg_per_bdt: float
    change_kg_per_bdt: float


@method(
    "kappa_hat_kappa = sum(shares_frac * kappa_each_kappa)\n"
    "clo2_kg_per_bdt = (10 * kappa_factor * (base_kappa + gain_frac * (kappa_hat_kappa - base_kappa))"
    " + active_cl_per_cod_kg_per_kg * carryover_cod_kg_per_bdt) / 2.63\n"
    "change_kg_per_bdt = 10 * kappa_factor * gain_frac * (kappa_hat_kappa - base_kappa) / 2.63",
    title="Kappa fed forward",
    station="bleaching",
    source="a mixture by shares, the kappa factor, and a part gain since the kappa that comes is an estimate",
    aliases=("kappa_feedforward",),
    example=Example(
        {"shares_frac": [0.6, 0.4], "kappa_each_kappa": [18.0, 20.3], "base_kappa": 18, "kappa_factor": 0.22},
        {"kappa_hat_kappa": 18.92, "change_kg_per_bdt": 0.616},
    ),
    shares_frac=Arg("share of each cook at the mixer", 0, 1, series=True),
    kappa_each_kappa=Arg("kappa of each", 0, 100, above=True, series=True),
    base_kappa=Arg("kappa the charge is set for", 0, 100, above=True),
    kappa_factor=Arg("kappa factor", 0, 0.6, above=True, usual=(0.12, 0.35)),
    gain_frac=Arg("share of the change that is followed", 0, 1),
    carryover_cod_kg_per_bdt=Arg("oxygen demand carried in", 0, 100),
    active_cl_per_cod_kg_per_kg=Arg("active chlorine it eats", 0, 2),
)
def kappa_forward(
    *,
    shares_frac: np.ndarray,
    kappa_each_kappa: np.ndarray,
    base_kappa: float,
    kappa_factor: float,
    gain_frac: float = FORWARD_GAIN,
    carryover_cod_kg_per_bdt: float = 0.0,
    active_cl_per_cod_kg_per_kg: float = 0.0,
) -> Forward:
    """Return the kappa of the mixture that comes, and the charge that follows it in part."""
    if len(shares_frac) != len(kappa_each_kappa):
        message = f"{len(shares_frac)} shares and {len(kappa_each_kappa)} kappa numbers: one of each for every cook"
        raise DomainError("E_COUNT", "kappa_each_kappa", message, f"{len(shares_frac)} numbers")
    if abs(float(np.sum(shares_frac)) - 1) > 1e-6:
        message = f"the shares add to {float(np.sum(shares_frac)):g}; together they are the pulp that comes"
        raise DomainError("E_SUM", "shares_frac", message, "shares that add to 1")
    kappa = float(np.dot(shares_frac, kappa_each_kappa))
    asked = d0_charge.method.bare(  # type: ignore[attr-defined]
        kappa=base_kappa + gain_frac * (kappa - base_kappa), kappa_factor=kappa_factor,
        carryover_cod_kg_per_bdt=carryover_cod_kg_per_bdt, active_cl_per_cod_kg_per_kg=active_cl_per_cod_kg_per_kg,
    )  # fmt: skip
    return Forward(kappa, asked.clo2_kg_per_bdt, 10 * kappa_factor * gain_frac * (kappa - base_kappa) / CLO2_ACTIVE_CL)


@method(
    "change_kg_per_bdt = 10 * kappa_in_kappa / (rate_factor * 2.63)"
    " * log((extracted_kappa - floor_kappa) / (target_kappa - floor_kappa))",
    title="First dioxide stage by the kappa after extraction",
    station="bleaching",
    source="the kappa law of the first stage; its rate is a default to be fitted",
    exact=False,
    results=("change_kg_per_bdt",),
    example=Example(
        {"extracted_kappa": 3.8, "target_kappa": 3.2, "kappa_in_kappa": 18}, {"change_kg_per_bdt": 1.5}, 2e-2
    ),
    extracted_kappa=Arg("kappa after extraction", 0, 60, above=True),
    target_kappa=Arg("kappa wanted there", 0, 60, above=True),
    kappa_in_kappa=Arg("kappa into the first stage", 0, 150, above=True),
    rate_factor=Arg("rate of the kappa in the first stage", 0, 100, above=True),
    floor_kappa=Arg("kappa no charge goes below", 0, 20),
)
def first_stage_trim(
    *,
    extracted_kappa: float,
    target_kappa: float,
    kappa_in_kappa: float,
    rate_factor: float = 11.0,
    floor_kappa: float = 1.0,
) -> float:
    """Return what to add to the first stage's dioxide so that pulp to come leaves extraction at a kappa."""
    for name, kappa in (("extracted_kappa", extracted_kappa), ("target_kappa", target_kappa)):
        if kappa <= floor_kappa:
            message = f"kappa {kappa:g} is at or below {floor_kappa:g}, which no charge of the first stage reaches"
            raise DomainError("E_INFEASIBLE", name, message, f"more than {floor_kappa:g}")
    way = math.log((extracted_kappa - floor_kappa) / (target_kappa - floor_kappa))
    return 10 * kappa_in_kappa / (rate_factor * CLO2_ACTIVE_CL) * way
