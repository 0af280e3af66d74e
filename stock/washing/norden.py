"""One washing machine by what it does: efficiency from samples, outlet from efficiency, drums compared at one standard."""

import math
from collections.abc import Callable, Mapping
from typing import Final, NamedTuple

from stock.consistency.basis import liquor_ratio_t_per_bdt
from stock.errors import DomainError
from stock.working import Arg, Example, method

CLOSES_FRAC: Final = 0.05
STD: Final = Arg("consistency the efficiency is stated at", 0, 100, above=True, below=True)
FEED: Final = Arg("consistency of the feed", 0, 100, above=True, below=True)
MAT: Final = Arg("consistency of the discharged mat", 0, 100, above=True, below=True)
FACTOR: Final = Arg("dilution factor", -20, 100, usual=(-1, 5))
L: Final[Callable[..., float]] = liquor_ratio_t_per_bdt.method.bare  # type: ignore[attr-defined]


@method(
    "e_ratio = log(L_feed / L_mat * (feed_conc_kg_per_t - filtrate_conc_kg_per_t)"
    " / (discharge_conc_kg_per_t - wash_conc_kg_per_t)) / log(1 + dilution_factor_t_per_bdt / L_std)",
    title="Norden efficiency from samples",
    station="washing",
    source="Norden (1966); at a standard consistency after Phillips and Nelson (1977)",
    aliases=("norden_efficiency",),
    exact=False,
    results=("e_ratio",),
    example=Example(
        {
            "feed_consistency_pct": 10, "discharge_consistency_pct": 12, "dilution_factor_t_per_bdt": 2.5,
            "feed_conc_kg_per_t": 120, "filtrate_conc_kg_per_t": 76.957, "discharge_conc_kg_per_t": 40,
            "wash_conc_kg_per_t": 10, "std_consistency_pct": 10,
        },
        {"e_ratio": 2.308},
    ),
    feed_consistency_pct=FEED,
    discharge_consistency_pct=MAT,
    dilution_factor_t_per_bdt=FACTOR,
    feed_conc_kg_per_t=Arg("solids in the liquor of the feed", 0, 1000),
    filtrate_conc_kg_per_t=Arg("solids in the filtrate that goes on", 0, 1000),
    discharge_conc_kg_per_t=Arg("solids in the liquor of the mat", 0, 1000),
    wash_conc_kg_per_t=Arg("solids in the wash liquor", 0, 1000),
    std_consistency_pct=STD,
)  # fmt: skip
def norden_efficiency_ratio(
    *,
    feed_consistency_pct: float,
    discharge_consistency_pct: float,
    dilution_factor_t_per_bdt: float,
    feed_conc_kg_per_t: float,
    filtrate_conc_kg_per_t: float,
    discharge_conc_kg_per_t: float,
    wash_conc_kg_per_t: float,
    std_consistency_pct: float | None = None,
) -> float:
    """Return how many ideal mixing stages do the same work; at the mat's own consistency where no standard is given.

    Raises
    ------
    DomainError
        E_RANGE for a dilution factor that leaves no liquor, E_BALANCE for samples that cannot belong together.
    """
    l0, l1 = L(consistency_pct=feed_consistency_pct), L(consistency_pct=discharge_consistency_pct)
    df = dilution_factor_t_per_bdt
    _refuse_no_liquor(l0, l1, df)
    if discharge_conc_kg_per_t <= wash_conc_kg_per_t:
        message = f"the mat, {discharge_conc_kg_per_t:g} kg/t, is no stronger than the wash liquor"
        raise DomainError("E_BALANCE", "discharge_conc_kg_per_t", message, f"more than {wash_conc_kg_per_t:g} kg/t")
    if filtrate_conc_kg_per_t >= feed_conc_kg_per_t:
        message = f"the filtrate, {filtrate_conc_kg_per_t:g} kg/t, is no weaker than the feed"
        raise DomainError("E_BALANCE", "filtrate_conc_kg_per_t", message, f"less than {feed_conc_kg_per_t:g} kg/t")
    came = l0 * feed_conc_kg_per_t + (l1 + df) * wash_conc_kg_per_t
    left = l1 * discharge_conc_kg_per_t + (l0 + df) * filtrate_conc_kg_per_t
    if abs(came - left) > CLOSES_FRAC * came:
        message = f"{came:.0f} kg/BDt came and {left:.0f} left: the samples do not close within {CLOSES_FRAC:.0%}"
        raise DomainError("E_BALANCE", "filtrate_conc_kg_per_t", message, "samples of the same hour")
    l_std = l1 if std_consistency_pct is None else L(consistency_pct=std_consistency_pct)
    if abs(df) < 1e-9:
        return (
            l_std / l1 * (filtrate_conc_kg_per_t - wash_conc_kg_per_t) / (discharge_conc_kg_per_t - wash_conc_kg_per_t)
        )
    gained = l0 / l1 * (feed_conc_kg_per_t - filtrate_conc_kg_per_t) / (discharge_conc_kg_per_t - wash_conc_kg_per_t)
    return math.log(gained) / math.log(1 + df / l_std)


def _refuse_no_liquor(l0: float, l1: float, df: float) -> None:
    if l0 + df <= 0 or l1 + df <= 0:
        message = f"a dilution factor of {df:g} t/BDt leaves no liquor to wash with"
        raise DomainError("E_RANGE", "dilution_factor_t_per_bdt", message, f"more than {-min(l0, l1):.2f} t/BDt")


class Outlet(NamedTuple):
    """What leaves a machine: strength of mat and filtrate, how much filtrate, what is lost with the pulp."""

    discharge_conc_kg_per_t: float
    filtrate_conc_kg_per_t: float
    filtrate_t_per_bdt: float
    loss_kg_per_bdt: float


@method(
    "L_feed * (feed_conc_kg_per_t - filtrate_conc_kg_per_t)"
    " = (1 + dilution_factor_t_per_bdt / L_std)**e_ratio * L_mat * (discharge_conc_kg_per_t - wash_conc_kg_per_t),"
    " with the balance of the machine",
    title="What leaves a washer of known efficiency",
    station="washing",
    source="Norden (1966), solved for the outlet",
    aliases=("norden_stage_outlet",),
    exact=False,
    results=Outlet._fields,
    example=Example(
        {
            "feed_consistency_pct": 8, "discharge_consistency_pct": 12, "dilution_factor_t_per_bdt": 2.0,
            "feed_conc_kg_per_t": 110, "wash_conc_kg_per_t": 5, "e_ratio": 3.2, "std_consistency_pct": 10,
        },
        {"discharge_conc_kg_per_t": 28.26, "filtrate_conc_kg_per_t": 81.81},
    ),
    feed_consistency_pct=FEED,
    discharge_consistency_pct=MAT,
    dilution_factor_t_per_bdt=FACTOR,
    feed_conc_kg_per_t=Arg("solids in the liquor of the feed", 0, 1000),
    wash_conc_kg_per_t=Arg("solids in the wash liquor", 0, 1000),
    e_ratio=Arg("efficiency", 0, 60, above=True),
    std_consistency_pct=STD,
)  # fmt: skip
def norden_outlet(
    *,
    feed_consistency_pct: float,
    discharge_consistency_pct: float,
    dilution_factor_t_per_bdt: float,
    feed_conc_kg_per_t: float,
    wash_conc_kg_per_t: float,
    e_ratio: float,
    std_consistency_pct: float | None = None,
) -> Outlet:
    """Return what leaves a machine.

    Raises
    ------
    DomainError
        E_RANGE for a dilution factor that leaves no liquor.
    """
    l0, l1 = L(consistency_pct=feed_consistency_pct), L(consistency_pct=discharge_consistency_pct)
    df, x0, y2 = dilution_factor_t_per_bdt, feed_conc_kg_per_t, wash_conc_kg_per_t
    _refuse_no_liquor(l0, l1, df)
    l_std = l1 if std_consistency_pct is None else L(consistency_pct=std_consistency_pct)
    if abs(df) < 1e-9:  # the limit: (y1 - y2) = e * L1 / L_std * (x1 - y2)
        times = e_ratio * l1 / l_std
        x1 = (l0 * x0 + l0 * times * y2 + (l1 - l0) * y2) / (l1 + l0 * times)
        y1 = y2 + times * (x1 - y2)
    else:
        gain = (1 + df / l_std) ** e_ratio
        y1 = (l0 * x0 * (1 - 1 / gain) + df * y2) / (l0 + df - l0 / gain)
        x1 = y2 + l0 * (x0 - y1) / (gain * l1)
    return Outlet(x1, y1, l0 + df, l1 * x1)


@method(
    "1 - displacement_equivalent_ratio = (1 - displacement_ratio) * L_mat / 7.333 * 99 * (L_vat + dilution_factor_t_per_bdt)"
    " / (L_vat * (99 + dilution_factor_t_per_bdt) - L_mat * (99 - L_vat) * (1 - displacement_ratio))",
    title="Drum compared at inlet 1 %, discharge 12 %",
    station="washing",
    source="Luthi (1983), derived anew from the drum's own equations",
    aliases=("equivalent_displacement_ratio",),
    exact=False,
    results=("displacement_equivalent_ratio",),
    example=Example(
        {
            "displacement_ratio": 0.80, "inlet_consistency_pct": 1.2, "discharge_consistency_pct": 11,
            "dilution_factor_t_per_bdt": 2.5,
        },
        {"displacement_equivalent_ratio": 0.7775},
    ),
    displacement_ratio=Arg("share of the solids that displacement removed", 0, 1),
    inlet_consistency_pct=Arg("consistency in the vat", 0, 20, above=True),
    discharge_consistency_pct=MAT,
    dilution_factor_t_per_bdt=FACTOR,
)  # fmt: skip
def displacement_equivalent(
    *,
    displacement_ratio: float,
    inlet_consistency_pct: float,
    discharge_consistency_pct: float,
    dilution_factor_t_per_bdt: float,
) -> float:
    """Return the displacement a standard drum would need for the same loss."""
    li, ld = L(consistency_pct=inlet_consistency_pct), L(consistency_pct=discharge_consistency_pct)
    missed, df = 1 - displacement_ratio, dilution_factor_t_per_bdt
    return 1 - missed * ld / (88 / 12) * 99 * (li + df) / (li * (99 + df) - ld * (99 - li) * missed)


class Shown(NamedTuple):
    """Efficiency a machine shows, how well it is known, and what most of the doubt comes from."""

    e_std_ratio: float
    u_e_std_ratio: float
    doubt_word: str


@method(
    "e_std_ratio = log(1 + dilution_factor_t_per_bdt * (filtrate_conc_kg_per_t - wash_conc_kg_per_t)"
    " / (L_mat * (discharge_conc_kg_per_t - wash_conc_kg_per_t))) / log(1 + dilution_factor_t_per_bdt / L_std)",
    title="Stage efficiency without a feed sample",
    station="washing",
    source="Norden (1966) with the balance put in; uncertainty by differences, JCGM 100",
    notes="Conductivities at 25 °C serve as strengths below about 30 kg/t: a straight calibration cancels.",
    aliases=("wash_stage_efficiency",),
    exact=False,
    results=Shown._fields,
    example=Example(
        {
            "dilution_factor_t_per_bdt": 2.5, "discharge_consistency_pct": 12, "filtrate_conc_kg_per_t": 76.957,
            "discharge_conc_kg_per_t": 40, "wash_conc_kg_per_t": 10,
        },
        {"e_std_ratio": 2.308, "u_e_std_ratio": 0.10},
        0.06,
    ),
    dilution_factor_t_per_bdt=Arg("dilution factor", -20, 100, usual=(-1, 5)),
    discharge_consistency_pct=MAT,
    filtrate_conc_kg_per_t=Arg("strength of the filtrate", 0, 1000, above=True),
    discharge_conc_kg_per_t=Arg("strength of the liquor in the mat", 0, 1000, above=True),
    wash_conc_kg_per_t=Arg("strength of the wash liquor", 0, 1000),
    conc_rel_sd_frac=Arg("spread of a strength, in ratio", 0, 0.5),
    flow_rel_sd_frac=Arg("spread of the shower's flow, in ratio", 0, 0.5),
    consistency_sd_pct=Arg("spread of the mat's consistency", 0, 10),
    std_consistency_pct=STD,
)  # fmt: skip
def stage_efficiency(
    *,
    dilution_factor_t_per_bdt: float,
    discharge_consistency_pct: float,
    filtrate_conc_kg_per_t: float,
    discharge_conc_kg_per_t: float,
    wash_conc_kg_per_t: float,
    conc_rel_sd_frac: float = 0.03,
    flow_rel_sd_frac: float = 0.02,
    consistency_sd_pct: float = 0.3,
    std_consistency_pct: float = 10.0,
) -> Shown:
    """Return the efficiency a machine shows by its own liquors.

    Raises
    ------
    DomainError
        E_BALANCE for a mat no stronger than its wash liquor, or a filtrate weaker than that.
    """
    if discharge_conc_kg_per_t <= wash_conc_kg_per_t:
        message = f"the mat, {discharge_conc_kg_per_t:g}, is no stronger than the wash liquor, {wash_conc_kg_per_t:g}"
        raise DomainError("E_BALANCE", "discharge_conc_kg_per_t", message, f"more than {wash_conc_kg_per_t:g}")
    if filtrate_conc_kg_per_t <= wash_conc_kg_per_t:
        message = f"the filtrate, {filtrate_conc_kg_per_t:g}, is no stronger than the wash liquor"
        raise DomainError("E_BALANCE", "filtrate_conc_kg_per_t", message, f"more than {wash_conc_kg_per_t:g}")
    l1 = L(consistency_pct=discharge_consistency_pct)
    given = {
        "liquor": dilution_factor_t_per_bdt + l1, "consistency": discharge_consistency_pct,
        "filtrate": filtrate_conc_kg_per_t, "mat": discharge_conc_kg_per_t, "wash": wash_conc_kg_per_t,
    }  # fmt: skip
    l_std = L(consistency_pct=std_consistency_pct)

    def shown(one: Mapping[str, float]) -> float:
        mat = L(consistency_pct=one["consistency"])
        df = one["liquor"] - mat
        gained = (one["filtrate"] - one["wash"]) / (mat * max(one["mat"] - one["wash"], 1e-9))
        if abs(df) < 1e-9:
            return gained * l_std
        return math.log(max(1 + df * gained, 1e-12)) / math.log(1 + df / l_std)

    spreads = {
        "liquor": flow_rel_sd_frac * given["liquor"], "consistency": consistency_sd_pct,
        **{name: conc_rel_sd_frac * given[name] for name in ("filtrate", "mat", "wash")},
    }  # fmt: skip
    parts = spread_parts(shown, given, spreads)
    words = {
        "liquor": "shower flow",
        "consistency": "mat consistency",
        "filtrate": "filtrate strength",
        "mat": "mat liquor",
    }
    worst = max(parts, key=lambda name: abs(parts[name]), default="wash")
    return Shown(shown(given), math.hypot(*parts.values()), words.get(worst, "wash liquor"))


def spread_parts(
    of: Callable[[Mapping[str, float]], float], given: Mapping[str, float], spreads: Mapping[str, float]
) -> dict[str, float]:
    """Return what the spread of each input does to a result, by central differences of half of it."""
    return {
        name: of({**given, name: given[name] + sd / 2}) - of({**given, name: given[name] - sd / 2})
        for name, sd in spreads.items()
        if sd > 0
    }
