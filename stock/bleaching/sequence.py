"""Pulp through a sequence: kappa, light absorbed, viscosity, yield and what is dissolved, stage by stage; what it costs."""

import math
from typing import NamedTuple

import numpy as np

from stock.bleaching.colour import KS, REFLECTANCE
from stock.bleaching.scission import LENGTH, VISCOSITY
from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, note, warn

COD_PER_LOSS = 1.3  # kg oxygen demand a kg of pulp dissolved
LEAST_YIELD = 0.85


class Pulp(NamedTuple):
    """Pulp between two stages."""

    kappa: float
    ks: float
    dp: float
    yield_frac: float
    cod_kg_per_bdt: float
    dirt_frac: float = 1.0  # of what came in


def stage_end(row: dict[str, float], pulp: Pulp) -> tuple[float, Pulp]:
    """Return the charge that works and the pulp after one stage and its wash.

    Parameters
    ----------
    row : dict
        The columns of `STAGES`.
    pulp : Pulp
        As it comes into the stage.
    """
    effective = max(0.0, row["charge_kg_per_bdt"] - row["cod_demand_kg_per_kg"] * pulp.cod_kg_per_bdt)
    works = row["condition_factor"] * effective
    kappa, floor = pulp.kappa, row["kappa_floor_kappa"]
    if kappa > floor:
        kappa = floor + (kappa - floor) * math.exp(-row["rate_factor"] * works / (10 * kappa))
    ks, ks_floor = pulp.ks, row["ks_floor_ks"]
    if ks > ks_floor:
        ks = ks_floor + (ks - ks_floor) / (1 + row["response_per_kg"] * works)
    loss_pct = row["loss_per_kappa_pct"] * (pulp.kappa - kappa) + row["loss_pct"]
    cod = (pulp.cod_kg_per_bdt + 10 * row["cod_per_loss_kg_per_kg"] * loss_pct) * (1 - row["wash_removal_frac"])
    dp = 1 / (1 / pulp.dp + 1e-4 * row["cut_scission"])
    dirt = pulp.dirt_frac * math.exp(-row["dirt_factor"] * works)
    return effective, Pulp(kappa, ks, dp, pulp.yield_frac * (1 - loss_pct / 100), cod, dirt)


STAGES = Rows(
    "stages, in the order of the pulp",
    {
        "charge_kg_per_bdt": Arg("what is charged, in the measure of its response", 0, 200),
        "response_per_kg": Arg("response of k/s per kg", 0, 10),
        "ks_floor_ks": Arg("k/s no charge goes below", 0, 1),
        "rate_factor": Arg("rate of the kappa", 0, 100),
        "kappa_floor_kappa": Arg("kappa no charge goes below", 0, 50),
        "cut_scission": Arg("chains it cuts", 0, 20),
        "loss_per_kappa_pct": Arg("pulp lost for each kappa", 0, 5),
        "loss_pct": Arg("pulp lost besides", 0, 20),
        "cod_demand_kg_per_kg": Arg("charge eaten by what is carried in", 0, 5),
        "cod_per_loss_kg_per_kg": Arg("oxygen demand of what is lost", 0, 5),
        "wash_removal_frac": Arg("what the wash after it takes out", 0, 1),
        "condition_factor": Arg("effect of warmth, time and pH", 0, 3),
        "dirt_factor": Arg("rate at which dirt and shives fade, per kg", 0, 1),
    },
    {
        "rate_factor": 0.0, "kappa_floor_kappa": 0.0, "cut_scission": 0.0, "loss_per_kappa_pct": 0.0, "loss_pct": 0.0,
        "cod_demand_kg_per_kg": 0.0, "cod_per_loss_kg_per_kg": COD_PER_LOSS, "wash_removal_frac": 0.0, "condition_factor": 1.0,
        "dirt_factor": 0.0,
    },
)  # fmt: skip


class Bleached(NamedTuple):
    """Pulp at the end, and after each stage."""

    end_brightness_pct: float
    effective_each_kg_per_bdt: list[float]
    each_kappa: list[float]
    each_ks: list[float]
    each_brightness_pct: list[float]
    viscosity_each_ml_per_g: list[float]
    yield_each_frac: list[float]
    cod_each_kg_per_bdt: list[float]
    dirt_each_frac: list[float]


_D0 = {
    "charge_kg_per_bdt": 26.4, "response_per_kg": 0.18, "ks_floor_ks": 0.006, "rate_factor": 11, "kappa_floor_kappa": 2.0,
    "cut_scission": 0.1, "loss_per_kappa_pct": 0.2, "loss_pct": 0.1, "cod_demand_kg_per_kg": 0.4, "wash_removal_frac": 0.8,
}  # fmt: skip
_EP = {
    "charge_kg_per_bdt": 5, "response_per_kg": 0.27, "ks_floor_ks": 0.006, "rate_factor": 5, "kappa_floor_kappa": 1.0,
    "cut_scission": 0.4, "loss_per_kappa_pct": 0.2, "loss_pct": 0.6, "cod_demand_kg_per_kg": 0.05, "wash_removal_frac": 0.85,
}  # fmt: skip
_P = {
    "charge_kg_per_bdt": 12, "response_per_kg": 0.25, "ks_floor_ks": 0.006, "rate_factor": 2, "kappa_floor_kappa": 0.5,
    "cut_scission": 1.0, "loss_per_kappa_pct": 0.2, "loss_pct": 0.4, "cod_demand_kg_per_kg": 0.05, "wash_removal_frac": 0.8,
}  # fmt: skip


@method(
    "c_eff = max(0, charge - cod_demand * cod_in)\n"
    "kappa_out = kappa_floor + (kappa_in - kappa_floor) * exp(-rate * condition * c_eff / (10 * kappa_in))\n"
    "ks_out = ks_floor + (ks_in - ks_floor) / (1 + response * condition * c_eff)\n"
    "1 / dp_out = 1 / dp_in + cut * 1e-4\n"
    "loss = loss_per_kappa * (kappa_in - kappa_out) + loss\n"
    "cod_out = (cod_in + 13 * loss) * (1 - wash_removal)\n"
    "dirt_out = dirt_in * exp(-dirt * condition * c_eff)",
    title="Pulp through a sequence",
    station="bleaching",
    source="composite of the stage responses, all defaults to be fitted; the first dioxide stage holds what its extraction dissolves",
    aliases=("bleach_sequence",),
    exact=False,
    results=Bleached._fields,
    example=Example(
        {"stages": [_D0, _EP, _P], "kappa_in_kappa": 12, "in_brightness_pct": 42, "viscosity_ml_per_g": 900, "carryover_cod_kg_per_bdt": 8},
        {
            "end_brightness_pct": 84.37,
            "each_brightness_pct": [66.85, 75.52, 84.37], "each_kappa": [3.19, 2.05, 0.99],
            "viscosity_each_ml_per_g": [889, 849, 763], "yield_each_frac": [0.98138, 0.97326, 0.9673],
        },
        2e-3,
    ),
    stages=STAGES,
    kappa_in_kappa=Arg("kappa that comes in", 0, 150, above=True),
    in_brightness_pct=Arg("brightness that comes in", 0, 100, above=True, below=True),
    viscosity_ml_per_g=Arg("viscosity that comes in", 0, 3000, above=True),
    carryover_cod_kg_per_bdt=Arg("oxygen demand carried in", 0, 200),
)  # fmt: skip
def bleached(
    *,
    stages: list[dict[str, float]],
    kappa_in_kappa: float,
    in_brightness_pct: float,
    viscosity_ml_per_g: float,
    carryover_cod_kg_per_bdt: float = 0.0,
) -> Bleached:
    """Return the pulp after each stage of a sequence."""
    if not stages:
        raise DomainError("E_COUNT", "stages", "there is no stage to go through", "one stage or more")
    ks = float(KS(reflectance_frac=in_brightness_pct / 100))
    pulp = Pulp(kappa_in_kappa, ks, float(LENGTH(viscosity_ml_per_g=viscosity_ml_per_g)), 1.0, carryover_cod_kg_per_bdt)
    ends = []
    for index, row in enumerate(stages):
        effective, pulp = stage_end({**STAGES.defaults, **row}, pulp)
        if not pulp.yield_frac > 0:
            raise DomainError("E_RANGE", f"stages[{index}].loss_pct", "more is lost than there is", "a smaller loss")
        ends.append((effective, pulp))
        note(f"charge that works in stage {index + 1}", effective, "kg/BDt")
    if pulp.yield_frac < LEAST_YIELD:
        warn(f"a yield of {100 * pulp.yield_frac:.0f} % is not usual: above {100 * LEAST_YIELD:.0f} %")
    return Bleached(
        100 * float(REFLECTANCE(ks=pulp.ks)),
        [one for one, _ in ends],
        [one.kappa for _, one in ends],
        [one.ks for _, one in ends],
        [100 * float(REFLECTANCE(ks=one.ks)) for _, one in ends],
        [float(VISCOSITY(chain_dp=one.dp)) for _, one in ends],
        [one.yield_frac for _, one in ends],
        [one.cod_kg_per_bdt for _, one in ends],
        [one.dirt_frac for _, one in ends],
    )


@method(
    "cost_per_bdt = (sum(charge_each_kg_per_bdt * price_each_cost_per_kg * yield_to_each_frac)"
    " + steam_t_per_bdt * steam_cost_per_t + power_kwh_per_t * power_cost_per_kwh) / yield_total_frac",
    title="Cost of bleaching, per tonne out",
    station="bleaching",
    source="book-keeping: a charge is per tonne at its stage, steam and power per tonne fed",
    aliases=("bleach_cost_per_bdt_out",),
    example=Example(
        {
            "charge_each_kg_per_bdt": [9, 12, 6], "price_each_cost_per_kg": [1.40, 0.45, 0.85],
            "yield_to_each_frac": [1.0, 0.985, 0.975], "yield_total_frac": 0.965, "steam_t_per_bdt": 0.35,
            "steam_cost_per_t": 22, "power_kwh_per_t": 90, "power_cost_per_kwh": 0.08,
        },
        {"cost_per_bdt": 39.16},
    ),
    charge_each_kg_per_bdt=Arg("charges", 0, 200, series=True),
    price_each_cost_per_kg=Arg("price of each", 0, 1e4, series=True),
    yield_to_each_frac=Arg("yield up to each stage", 0, 1, above=True, series=True),
    yield_total_frac=Arg("yield of all", 0, 1, above=True),
    steam_t_per_bdt=Arg("steam", 0, 20),
    steam_cost_per_t=Arg("price of steam", 0, 1e4),
    power_kwh_per_t=Arg("power", 0, 5000),
    power_cost_per_kwh=Arg("price of power", 0, 100),
)  # fmt: skip
def bleach_cost(
    *,
    charge_each_kg_per_bdt: np.ndarray,
    price_each_cost_per_kg: np.ndarray,
    yield_to_each_frac: np.ndarray,
    yield_total_frac: float,
    steam_t_per_bdt: float = 0.0,
    steam_cost_per_t: float = 0.0,
    power_kwh_per_t: float = 0.0,
    power_cost_per_kwh: float = 0.0,
) -> float:
    """Return what a tonne of bleached pulp costs in chemicals, steam and power."""
    for name, one in (("price_each_cost_per_kg", price_each_cost_per_kg), ("yield_to_each_frac", yield_to_each_frac)):
        if len(one) != len(charge_each_kg_per_bdt):
            raise DomainError("E_COUNT", name, "one for each charge", f"{len(charge_each_kg_per_bdt)} numbers")
    chemicals = float(np.sum(charge_each_kg_per_bdt * price_each_cost_per_kg * yield_to_each_frac))
    steam, power = steam_t_per_bdt * steam_cost_per_t, power_kwh_per_t * power_cost_per_kwh
    return (chemicals + steam + power) / yield_total_frac


@method(
    "lost_pct = 100 * dissolved_cod_kg_per_bdt / (cod_per_loss_kg_per_kg * 1000)",
    title="Pulp lost, by the oxygen demand it dissolves into",
    station="bleaching",
    source="1.3 kg of oxygen demand a kilogram of pulp, as in a sequence worked through",
    exact=False,
    results=("lost_pct",),
    example=Example({"dissolved_cod_kg_per_bdt": 52}, {"lost_pct": 4.0}),
    dissolved_cod_kg_per_bdt=Arg("oxygen demand in all filtrates, what was carried in taken off", -200, 1000),
    cod_per_loss_kg_per_kg=Arg("oxygen demand of what is lost", 0.5, 3),
)
def pulp_dissolved(*, dissolved_cod_kg_per_bdt: float, cod_per_loss_kg_per_kg: float = COD_PER_LOSS) -> float:
    """Return the share of the pulp that went into its filtrates; below nought for less than is compared with."""
    return 100 * dissolved_cod_kg_per_bdt / (cod_per_loss_kg_per_kg * 1000)
