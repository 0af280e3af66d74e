"""The oxygen stage: how fast it takes the kappa down, by one trusted run of its own."""

import math

from stock.errors import DomainError
from stock.working import Arg, Example, method, note, warn

GAS_KJ_PER_MOL_K = 8.314462e-3
STRENGTH_LIMIT_FRAC = 0.60

_ORDER = Arg("order of the law, 1 for an exponential", 1, 8)


@method(
    "k = (kappa_out_kappa**(1 - q) - kappa_in_kappa**(1 - q)) / ((q - 1) * time_min); log(kappa_in / kappa_out) / time where q is 1",
    title="Rate of an oxygen stage from one run",
    station="bleaching",
    source="power law dK/dt = -k K**q, as is usual in the literature; published orders run from 1 to above 5",
    aliases=("oxygen_rate_ref",),
    exact=False,
    results=("rate_per_min",),
    example=Example({"kappa_in_kappa": 25, "kappa_out_kappa": 13.5, "time_min": 60}, {"rate_per_min": 5.679e-4}),
    kappa_in_kappa=Arg("kappa before", 0, 120, above=True),
    kappa_out_kappa=Arg("kappa after", 0, 120, above=True),
    time_min=Arg("time in the stage", 0, 300, above=True),
    order_n=_ORDER,
)
def oxygen_rate(*, kappa_in_kappa: float, kappa_out_kappa: float, time_min: float, order_n: float = 2.0) -> float:
    """Return the rate one run shows, in units of its order."""
    if kappa_out_kappa >= kappa_in_kappa:
        message = f"kappa {kappa_out_kappa:g} after is not below {kappa_in_kappa:g} before"
        raise DomainError("E_ORDER", "kappa_out_kappa", message, f"less than {kappa_in_kappa:g}")
    if abs(order_n - 1) < 1e-9:
        return math.log(kappa_in_kappa / kappa_out_kappa) / time_min
    return (kappa_out_kappa ** (1 - order_n) - kappa_in_kappa ** (1 - order_n)) / ((order_n - 1) * time_min)  # type: ignore[no-any-return]


@method(
    "k = rate_per_min * exp(-(activation_kj_per_mol / R) * (1 / T - 1 / T_ref))"
    " * (naoh_kg_per_bdt / reference_naoh_kg_per_bdt)**m * (oxygen_kpa_abs / reference_kpa_abs)**n\n"
    "kappa = (kappa_in_kappa**(1 - q) + (q - 1) * k * time_min)**(1 / (1 - q)); kappa_in * exp(-k * time) where q is 1",
    title="Kappa after an oxygen stage",
    station="bleaching",
    source="power law; activation and exponents are defaults to be fitted",
    aliases=("oxygen_stage_kappa",),
    exact=False,
    results=("kappa",),
    example=Example(
        {
            "kappa_in_kappa": 26,
            "time_min": 55,
            "temperature_c": 98,
            "naoh_kg_per_bdt": 22,
            "oxygen_kpa_abs": 480,
            "rate_per_min": 5.679e-4,
        },
        {"kappa": 13.12},
    ),
    kappa_in_kappa=Arg("kappa before", 0, 120, above=True),
    time_min=Arg("time in the stage", 0, 300),
    temperature_c=Arg("its warmth", 60, 120),
    naoh_kg_per_bdt=Arg("alkali charged", 0, 80, above=True),
    oxygen_kpa_abs=Arg("pressure of the oxygen", 0, 2000, above=True),
    rate_per_min=Arg("rate from a run, in units of its order", 0, 1, above=True),
    order_n=_ORDER,
    reference_c=Arg("warmth of that run", 60, 120),
    reference_naoh_kg_per_bdt=Arg("alkali of that run", 0, 80, above=True),
    reference_kpa_abs=Arg("pressure of that run", 0, 2000, above=True),
    activation_kj_per_mol=Arg("activation energy", 0, 200),
    alkali_n=Arg("exponent of alkali", 0, 2),
    oxygen_n=Arg("exponent of oxygen", 0, 2),
)
def oxygen_kappa(
    *,
    kappa_in_kappa: float,
    time_min: float,
    temperature_c: float,
    naoh_kg_per_bdt: float,
    oxygen_kpa_abs: float,
    rate_per_min: float,
    order_n: float = 2.0,
    reference_c: float = 95.0,
    reference_naoh_kg_per_bdt: float = 20.0,
    reference_kpa_abs: float = 500.0,
    activation_kj_per_mol: float = 60.0,
    alkali_n: float = 0.5,
    oxygen_n: float = 0.4,
) -> float:
    """Return the kappa an oxygen stage ends at."""
    warmth = math.exp(
        -activation_kj_per_mol / GAS_KJ_PER_MOL_K * (1 / (temperature_c + 273.15) - 1 / (reference_c + 273.15))
    )
    rate = (
        rate_per_min * warmth * (naoh_kg_per_bdt / reference_naoh_kg_per_bdt) ** alkali_n
        * (oxygen_kpa_abs / reference_kpa_abs) ** oxygen_n
    )  # fmt: skip
    note("rate at these conditions", rate)
    if abs(order_n - 1) < 1e-9:
        kappa = kappa_in_kappa * math.exp(-rate * time_min)
    else:
        kappa = (kappa_in_kappa ** (1 - order_n) + (order_n - 1) * rate * time_min) ** (1 / (1 - order_n))
    if kappa < (1 - STRENGTH_LIMIT_FRAC) * kappa_in_kappa:
        warn(f"{100 * (1 - kappa / kappa_in_kappa):.0f} % off in one stage costs strength: 60 % is the usual limit")
    return kappa
