"""Whether flows, solids and warmth agree on the dilution factor a washer has."""

import math
from collections.abc import Mapping
from typing import Final, NamedTuple

from stock.errors import DomainError
from stock.washing.norden import FEED, MAT, L, spread_parts
from stock.working import Arg, Example, method

FIBRE_HEAT: Final = 1.34 / 4.19  # t of water that holds as much heat as a tonne of fibre


class Witnesses(NamedTuple):
    """The dilution factor by flows, solids and warmth, each with its doubt; 1 where two disagree."""

    by_flow_t_per_bdt: float
    by_solids_t_per_bdt: float
    by_warmth_t_per_bdt: float
    u_flow_t_per_bdt: float
    u_solids_t_per_bdt: float
    u_warmth_t_per_bdt: float
    flow_solids_count: float
    flow_warmth_count: float
    solids_warmth_count: float


@method(
    "by_flow_t_per_bdt = wash_liquor_t_per_bdt - L_mat\n"
    "by_solids_t_per_bdt = (L_feed * (x_feed - y) - L_mat * (x_mat - y_wash)) / (y - y_wash)\n"
    "by_warmth_t_per_bdt = (L_feed * (T_feed - T_y) + L_mat * (T_wash - T_mat) + 0.32 * (T_feed - T_mat)) / (T_y - T_wash)",
    title="Dilution factor by three witnesses",
    station="washing",
    source="balances of liquor, of solids, of heat; uncertainty by differences, JCGM 100",
    notes="Solids above flows: stray water joins. Flows above solids: the meter reads high, or the shower misses the mat.",
    aliases=("dilution_factor_checks",),
    exact=False,
    results=Witnesses._fields,
    example=Example(
        {
            "wash_liquor_t_per_bdt": 9.833, "feed_consistency_pct": 10, "discharge_consistency_pct": 12,
            "feed_conc_kg_per_t": 120, "filtrate_conc_kg_per_t": 76.957, "discharge_conc_kg_per_t": 40,
            "wash_conc_kg_per_t": 10, "feed_c": 85, "filtrate_c": 77.9, "discharge_c": 70, "wash_c": 65,
        },
        {
            "by_flow_t_per_bdt": 2.50, "by_solids_t_per_bdt": 2.50, "by_warmth_t_per_bdt": 2.48,
            "u_flow_t_per_bdt": 0.29, "u_solids_t_per_bdt": 0.68, "u_warmth_t_per_bdt": 0.77,
        },
        0.02,
    ),
    wash_liquor_t_per_bdt=Arg("wash liquor", 0, 100),
    feed_consistency_pct=FEED,
    discharge_consistency_pct=MAT,
    feed_conc_kg_per_t=Arg("solids in the liquor of the feed", 0, 1000),
    filtrate_conc_kg_per_t=Arg("solids in the filtrate that goes on", 0, 1000),
    discharge_conc_kg_per_t=Arg("solids in the liquor of the mat", 0, 1000),
    wash_conc_kg_per_t=Arg("solids in the wash liquor", 0, 1000),
    feed_c=Arg("warmth of the feed", 0, 110),
    filtrate_c=Arg("warmth of the filtrate", 0, 110),
    discharge_c=Arg("warmth of the mat", 0, 110),
    wash_c=Arg("warmth of the wash liquor", 0, 110),
    conc_rel_sd_frac=Arg("spread of a strength, in ratio", 0, 0.5),
    flow_rel_sd_frac=Arg("spread of the shower's flow, in ratio", 0, 0.5),
    consistency_sd_pct=Arg("spread of a consistency", 0, 10),
    warmth_sd_c=Arg("spread of a temperature", 0, 10),
)  # fmt: skip
def factor_witnesses(
    *,
    wash_liquor_t_per_bdt: float,
    feed_consistency_pct: float,
    discharge_consistency_pct: float,
    feed_conc_kg_per_t: float,
    filtrate_conc_kg_per_t: float,
    discharge_conc_kg_per_t: float,
    wash_conc_kg_per_t: float,
    feed_c: float,
    filtrate_c: float,
    discharge_c: float,
    wash_c: float,
    conc_rel_sd_frac: float = 0.03,
    flow_rel_sd_frac: float = 0.02,
    consistency_sd_pct: float = 0.3,
    warmth_sd_c: float = 0.5,
) -> Witnesses:
    """Return the dilution factor three ways.

    Raises
    ------
    DomainError
        E_SINGULAR for a filtrate no stronger, or no warmer or colder, than the wash liquor.
    """
    if filtrate_conc_kg_per_t <= wash_conc_kg_per_t:
        message = "the filtrate is no stronger than the wash liquor: solids say nothing of the factor"
        raise DomainError("E_SINGULAR", "filtrate_conc_kg_per_t", message, f"more than {wash_conc_kg_per_t:g} kg/t")
    if filtrate_c == wash_c:
        message = "the filtrate is as warm as the wash liquor: warmth says nothing of the factor"
        raise DomainError("E_SINGULAR", "filtrate_c", message, f"other than {wash_c:g} °C")
    given = {
        "v": wash_liquor_t_per_bdt, "c0": feed_consistency_pct, "c1": discharge_consistency_pct, "x0": feed_conc_kg_per_t,
        "y1": filtrate_conc_kg_per_t, "x1": discharge_conc_kg_per_t, "y2": wash_conc_kg_per_t, "t0": feed_c,
        "tf": filtrate_c, "t1": discharge_c, "tw": wash_c,
    }  # fmt: skip
    spreads = {
        "v": flow_rel_sd_frac * wash_liquor_t_per_bdt,
        "c0": consistency_sd_pct,
        "c1": consistency_sd_pct,
        **{name: conc_rel_sd_frac * given[name] for name in ("x0", "y1", "x1", "y2")},
        **dict.fromkeys(("t0", "tf", "t1", "tw"), warmth_sd_c),
    }
    ways = (_by_flow, _by_solids, _by_warmth)
    found = [way(given) for way in ways]
    doubt = [math.hypot(*spread_parts(way, given, spreads).values()) for way in ways]
    apart = [
        float(abs(found[one] - found[other]) > 2 * math.hypot(doubt[one], doubt[other]))
        for one, other in ((0, 1), (0, 2), (1, 2))
    ]
    return Witnesses(*found, *doubt, *apart)


def _by_flow(one: Mapping[str, float]) -> float:
    return one["v"] - L(consistency_pct=one["c1"])


def _by_solids(one: Mapping[str, float]) -> float:
    l0, l1 = L(consistency_pct=one["c0"]), L(consistency_pct=one["c1"])
    return (l0 * (one["x0"] - one["y1"]) - l1 * (one["x1"] - one["y2"])) / (one["y1"] - one["y2"])


def _by_warmth(one: Mapping[str, float]) -> float:
    l0, l1 = L(consistency_pct=one["c0"]), L(consistency_pct=one["c1"])
    fibre = FIBRE_HEAT * (one["t0"] - one["t1"])
    return (l0 * (one["t0"] - one["tf"]) + l1 * (one["tw"] - one["t1"]) + fibre) / (one["tf"] - one["tw"])
