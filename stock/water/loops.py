"""Loops of water: fresh water a tonne, what is used again, what builds up and what binds the closing."""

import math
from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, note, warn


@method(
    "fresh_l_per_kg = fresh_m3_per_h / production_bdt_per_h",
    title="Fresh water for the product",
    station="water",
    source="definition; state whether the tonnes are bone dry or as sold",
    aliases=("specific_fresh_water_L_per_kg",),
    example=Example({"fresh_m3_per_h": 210, "production_bdt_per_h": 14}, {"fresh_l_per_kg": 15.0}),
    fresh_m3_per_h=Arg("fresh water in", 0, 1e5),
    production_bdt_per_h=Arg("product", 0, 1000, above=True),
)
def fresh_water(*, fresh_m3_per_h: float, production_bdt_per_h: float) -> float:
    """Return the fresh water a kilogram of product takes."""
    return fresh_m3_per_h / production_bdt_per_h


@method(
    "reuse_pct = 100 * reused_m3_per_h / (fresh_m3_per_h + reused_m3_per_h)",
    title="Share of the water that is used again",
    station="water",
    source="definition; one litre used five times saves one, so fresh water a tonne stands beside it",
    aliases=("reuse_share_frac",),
    exact=False,
    results=("reuse_pct",),
    example=Example({"fresh_m3_per_h": 210, "reused_m3_per_h": 640}, {"reuse_pct": 75.29}),
    fresh_m3_per_h=Arg("fresh water used", 0, 1e6),
    reused_m3_per_h=Arg("water used again", 0, 1e6),
)
def reuse_share(*, fresh_m3_per_h: float, reused_m3_per_h: float) -> float:
    """Return what of the water used was used before."""
    if fresh_m3_per_h + reused_m3_per_h <= 0:
        raise DomainError("E_SINGULAR", "fresh_m3_per_h", "no water is used at all", "some water")
    return 100 * reused_m3_per_h / (fresh_m3_per_h + reused_m3_per_h)


@method(
    "conc_kg_per_m3 = (load_kg_per_t + fresh_m3_per_t * fresh_conc_kg_per_m3 - removed_kg_per_t)"
    " / (effluent_m3_per_t + product_water_m3_per_t)",
    title="What builds up in a loop",
    station="water",
    source="balance of a salt or of oxygen demand over every exit; what fibre takes up is left out",
    aliases=("loop_concentration_kg_per_m3",),
    exact=False,
    results=("conc_kg_per_m3",),
    example=Example(
        {
            "load_kg_per_t": 18,
            "fresh_m3_per_t": 9,
            "fresh_conc_kg_per_m3": 0.02,
            "effluent_m3_per_t": 7,
            "product_water_m3_per_t": 1.2,
        },
        {"conc_kg_per_m3": 2.217},
    ),
    load_kg_per_t=Arg("what comes in with pulp and chemicals", 0, 1e3),
    fresh_m3_per_t=Arg("fresh water", 0, 500),
    fresh_conc_kg_per_m3=Arg("what it brings", 0, 50),
    effluent_m3_per_t=Arg("what leaves to the drain", 0, 500),
    product_water_m3_per_t=Arg("what leaves with the product", 0, 100),
    removed_kg_per_t=Arg("what is taken out on the way", 0, 1e3),
)
def loop_conc(
    *,
    load_kg_per_t: float,
    fresh_m3_per_t: float,
    fresh_conc_kg_per_m3: float,
    effluent_m3_per_t: float,
    product_water_m3_per_t: float,
    removed_kg_per_t: float = 0.0,
) -> float:
    """Return the concentration a loop settles at."""
    leaves = effluent_m3_per_t + product_water_m3_per_t
    if leaves <= 0:
        raise DomainError(
            "E_SINGULAR", "effluent_m3_per_t", "nothing leaves the loop: it builds up without end", "an exit"
        )
    brought = load_kg_per_t + fresh_m3_per_t * fresh_conc_kg_per_m3 - removed_kg_per_t
    if brought < 0:
        raise DomainError(
            "E_BALANCE",
            "removed_kg_per_t",
            "more is taken out than comes in",
            f"{brought + removed_kg_per_t:g} kg/t or less",
        )
    return brought / leaves


@method(
    "bleed_m3_per_t = max(0, (load_kg_per_t + evaporation_m3_per_t * makeup_conc_kg_per_m3)"
    " / (limit_kg_per_m3 - makeup_conc_kg_per_m3) - product_water_m3_per_t)",
    title="Bleed for a limit",
    station="water",
    source="the same balance, with make-up for all that leaves",
    aliases=("bleed_for_limit_m3_per_t",),
    exact=False,
    results=("bleed_m3_per_t",),
    example=Example(
        {
            "load_kg_per_t": 18,
            "limit_kg_per_m3": 2.0,
            "product_water_m3_per_t": 1.2,
            "makeup_conc_kg_per_m3": 0.02,
            "evaporation_m3_per_t": 0.8,
        },
        {"bleed_m3_per_t": 7.899},
    ),
    load_kg_per_t=Arg("what comes in with pulp and chemicals", 0, 1e3),
    limit_kg_per_m3=Arg("most there may be", 0, 100, above=True),
    product_water_m3_per_t=Arg("water with the product", 0, 100),
    makeup_conc_kg_per_m3=Arg("what make-up water brings", 0, 50),
    evaporation_m3_per_t=Arg("water that evaporates and leaves it behind", 0, 50),
)
def bleed_for_limit(
    *,
    load_kg_per_t: float,
    limit_kg_per_m3: float,
    product_water_m3_per_t: float,
    makeup_conc_kg_per_m3: float = 0.0,
    evaporation_m3_per_t: float = 0.0,
) -> float:
    """Return what must be bled so that a loop stays at its limit."""
    if limit_kg_per_m3 <= makeup_conc_kg_per_m3:
        message = f"make-up water itself holds {makeup_conc_kg_per_m3:g} kg/m³: no bleed keeps {limit_kg_per_m3:g}"
        raise DomainError("E_INFEASIBLE", "limit_kg_per_m3", message, f"more than {makeup_conc_kg_per_m3:g} kg/m³")
    brought = load_kg_per_t + evaporation_m3_per_t * makeup_conc_kg_per_m3
    return max(0.0, brought / (limit_kg_per_m3 - makeup_conc_kg_per_m3) - product_water_m3_per_t)


@method(
    "more_m3_per_h = leaves_m3_per_h * (now_kg_per_m3 - target_kg_per_m3) / (target_kg_per_m3 - makeup_conc_kg_per_m3)",
    title="More bleed for a loop that is too dirty",
    station="water",
    source="the same balance twice, at what it holds and at what it is to hold; what comes in stays as it is",
    example=Example(
        {"leaves_m3_per_h": 114.8, "now_kg_per_m3": 2.4, "target_kg_per_m3": 2.0, "makeup_conc_kg_per_m3": 0.02},
        {"more_m3_per_h": 23.19},
    ),
    notes="Cause upstream first. 63 % of the change is there after the loop's volume over what leaves it, 95 % after three times.",
    leaves_m3_per_h=Arg("what leaves the loop, with the product too", 0, 1e5),
    now_kg_per_m3=Arg("what it holds", 0, 500),
    target_kg_per_m3=Arg("what it is to hold", 0, 500, above=True),
    makeup_conc_kg_per_m3=Arg("what make-up water brings", 0, 50),
)
def more_bleed(
    *, leaves_m3_per_h: float, now_kg_per_m3: float, target_kg_per_m3: float, makeup_conc_kg_per_m3: float = 0.0
) -> float:
    """Return how much more must leave a loop, less below nought, to bring it to a target."""
    if target_kg_per_m3 <= makeup_conc_kg_per_m3:
        message = f"make-up water itself holds {makeup_conc_kg_per_m3:g} kg/m³: no bleed keeps {target_kg_per_m3:g}"
        raise DomainError("E_INFEASIBLE", "target_kg_per_m3", message, f"more than {makeup_conc_kg_per_m3:g} kg/m³")
    return leaves_m3_per_h * (now_kg_per_m3 - target_kg_per_m3) / (target_kg_per_m3 - makeup_conc_kg_per_m3)


@method(
    "conc_kg_per_m3 = steady_kg_per_m3 + (start_kg_per_m3 - steady_kg_per_m3) * exp(-purge_m3_per_h * time_h / loop_m3)",
    title="How a loop comes to its level",
    station="water",
    source="one mixed loop; 63 % of the way after V/Q, 95 % after three of them",
    aliases=("loop_transient_kg_per_m3",),
    example=Example(
        {"time_h": 10, "start_kg_per_m3": 0.9, "steady_kg_per_m3": 2.4, "loop_m3": 600, "purge_m3_per_h": 90},
        {"conc_kg_per_m3": 2.065},
    ),
    time_h=Arg("time since", 0, 1e4),
    start_kg_per_m3=Arg("what it was", 0, 100),
    steady_kg_per_m3=Arg("what it comes to", 0, 100),
    loop_m3=Arg("all the water in the loop", 0, 1e5, above=True),
    purge_m3_per_h=Arg("all that leaves and carries it", 0, 1e4),
)
def loop_at(
    *, time_h: float, start_kg_per_m3: float, steady_kg_per_m3: float, loop_m3: float, purge_m3_per_h: float
) -> float:
    """Return the concentration after a time."""
    return steady_kg_per_m3 + (start_kg_per_m3 - steady_kg_per_m3) * math.exp(-purge_m3_per_h * time_h / loop_m3)


class Binding(NamedTuple):
    """Which substance binds the closing of a loop, and what the next one asks."""

    binding_count: int
    bleed_m3_per_t: float
    bleed_each_m3_per_t: list[float]
    next_m3_per_t: float


@method(
    "bleed of each substance by its limit; the largest binds\n"
    "binding_count = its place in the list, from 1\n"
    "next_m3_per_t = the bleed of the next, which treating the first would leave",
    title="What binds the closing of a loop",
    station="water",
    source="the bleed for each limit; heat, shower quality or evaporators may bind before any of them",
    exact=False,
    results=Binding._fields,
    example=Example(
        {
            "substances": [
                {"load_kg_per_t": 1.6, "limit_kg_per_m3": 0.30, "makeup_conc_kg_per_m3": 0.02},
                {"load_kg_per_t": 0.45, "limit_kg_per_m3": 0.10, "makeup_conc_kg_per_m3": 0.012},
                {"load_kg_per_t": 0.5, "limit_kg_per_m3": 0.20, "makeup_conc_kg_per_m3": 0.003},
            ],
            "product_water_m3_per_t": 1.2, "evaporation_m3_per_t": 0.8,
        },
        {"binding_count": 1, "bleed_m3_per_t": 4.57, "bleed_each_m3_per_t": [4.57, 4.02, 1.35], "next_m3_per_t": 4.02},
        3e-3,
    ),
    substances=Rows(
        "substances",
        {
            "load_kg_per_t": Arg("what comes in", 0, 1e3),
            "limit_kg_per_m3": Arg("most there may be", 0, 100, above=True),
            "makeup_conc_kg_per_m3": Arg("what make-up water brings", 0, 50),
        },
        {"makeup_conc_kg_per_m3": 0.0},
    ),
    product_water_m3_per_t=Arg("water with the product", 0, 100),
    evaporation_m3_per_t=Arg("water that evaporates", 0, 50),
)  # fmt: skip
def binding_bleed(
    *, substances: list[dict[str, float]], product_water_m3_per_t: float, evaporation_m3_per_t: float = 0.0
) -> Binding:
    """Return the bleed that every limit can live with."""
    if not substances:
        raise DomainError("E_COUNT", "substances", "no substance is given", "one or more")
    each = [
        BLEED(product_water_m3_per_t=product_water_m3_per_t, evaporation_m3_per_t=evaporation_m3_per_t, **one)
        for one in substances
    ]
    order = sorted(range(len(each)), key=lambda at: -each[at])
    after = each[order[1]] if len(order) > 1 else 0.0
    note("bleed saved by treating what binds", each[order[0]] - after, "m³/t")
    return Binding(order[0] + 1, each[order[0]], each, after)


@method(
    "enrichment_pct = 100 * input_kg_per_bdt / (solids_lost_kg_per_bdt + enrichment_ratio * ash_purged_kg_per_bdt)",
    title="Chloride or potassium in the recovery",
    station="water",
    source="balance over the two ways out: with the pulp, and with purged ash, which holds more of it",
    aliases=("recovery_enrichment_frac",),
    exact=False,
    results=("enrichment_pct",),
    example=Example(
        {"input_kg_per_bdt": 0.4, "solids_lost_kg_per_bdt": 17.1, "ash_purged_kg_per_bdt": 5},
        {"enrichment_pct": 1.25},
        4e-3,
    ),
    input_kg_per_bdt=Arg("what is sent in", 0, 100),
    solids_lost_kg_per_bdt=Arg("solids lost with the pulp", 0, 500),
    ash_purged_kg_per_bdt=Arg("ash purged", 0, 200),
    enrichment_ratio=Arg("how much richer the ash is", 1, 10),
)
def recovery_enrichment(
    *,
    input_kg_per_bdt: float,
    solids_lost_kg_per_bdt: float,
    ash_purged_kg_per_bdt: float,
    enrichment_ratio: float = 3.0,
) -> float:
    """Return the share of the recovery's solids that is chloride, or potassium."""
    leaves = solids_lost_kg_per_bdt + enrichment_ratio * ash_purged_kg_per_bdt
    if leaves <= 0:
        raise DomainError(
            "E_SINGULAR", "ash_purged_kg_per_bdt", "there is no way out: it builds up without end", "a purge"
        )
    share = input_kg_per_bdt / leaves
    if share >= 1:
        message = "more goes in than the solids that leave could hold"
        raise DomainError("E_BALANCE", "input_kg_per_bdt", message, f"less than {leaves:g} kg/BDt")
    if share > 0.05:
        warn("far above what a recovery boiler lives with: acid filtrate of dioxide stages stays out")
    return 100 * share


class WhiteWater(NamedTuple):
    """What goes round a machine and what is lost of it."""

    headbox_bdt_per_h: float
    white_water_bdt_per_h: float
    loss_bdt_per_h: float
    product_bdt_per_h: float


@method(
    "headbox_bdt_per_h = feed_bdt_per_h / (1 - (1 - retention_frac) * (1 - overflow_frac * (1 - recovery_frac)))\n"
    "white_water_bdt_per_h = headbox_bdt_per_h * (1 - retention_frac)\n"
    "loss_bdt_per_h = white_water_bdt_per_h * overflow_frac * (1 - recovery_frac)\n"
    "product_bdt_per_h = headbox_bdt_per_h * retention_frac",
    title="White-water loop",
    station="water",
    source="loop balance",
    aliases=("white_water_loop",),
    results=WhiteWater._fields,
    example=Example(
        {"feed_bdt_per_h": 5.0, "retention_frac": 0.55, "recovery_frac": 0.90, "overflow_frac": 0.20},
        {"headbox_bdt_per_h": 8.945, "white_water_bdt_per_h": 4.025, "loss_bdt_per_h": 0.0805},
    ),
    feed_bdt_per_h=Arg("fresh stock to the machine", 0, 1000),
    retention_frac=Arg("first-pass retention", 0, 1, above=True),
    recovery_frac=Arg("what the save-all recovers", 0, 1),
    overflow_frac=Arg("share of the white water that goes to it", 0, 1),
)
def white_water(
    *, feed_bdt_per_h: float, retention_frac: float, recovery_frac: float = 1.0, overflow_frac: float = 0.0
) -> WhiteWater:
    """Return what the headbox carries, what goes round and what is lost."""
    lost = overflow_frac * (1 - recovery_frac)
    headbox = feed_bdt_per_h / (1 - (1 - retention_frac) * (1 - lost))
    round_ = headbox * (1 - retention_frac)
    return WhiteWater(headbox, round_, round_ * lost, headbox * retention_frac)


@method(
    "lost_kg_per_h = 1000 * fed_bdt_per_h * (wanted_pct - recovery_pct) / 100",
    title="Fibre a save-all lets go on",
    station="water",
    source="loop balance: what is fed to it and not won back",
    exact=False,
    results=("lost_kg_per_h",),
    example=Example({"fed_bdt_per_h": 0.805, "recovery_pct": 82, "wanted_pct": 90}, {"lost_kg_per_h": 64.4}),
    fed_bdt_per_h=Arg("solids in the white water fed to it", 0, 1000),
    recovery_pct=Arg("what it wins back", 0, 100),
    wanted_pct=Arg("what it is to win back", 0, 100),
)
def saveall_lost(*, fed_bdt_per_h: float, recovery_pct: float, wanted_pct: float) -> float:
    """Return the solids that go on over what should; below nought where it wins back more."""
    return 1000 * fed_bdt_per_h * (wanted_pct - recovery_pct) / 100


class Chain(NamedTuple):
    """Fresh water into each tank, what each spills to the next, what leaves the last."""

    fresh_each_m3_per_h: list[float]
    overflow_each_m3_per_h: list[float]
    effluent_m3_per_h: float
    saving_m3_per_h: float


@method(
    "net = inflow + overflow of the tank before - demand\n"
    "overflow = max(0, net); fresh = max(0, -net)\n"
    "saving_m3_per_h = min(sum of fresh, effluent)",
    title="Water tanks in a row",
    station="water",
    source="balance, from the cleanest to the dirtiest, each spilling to the next",
    exact=False,
    results=Chain._fields,
    example=Example(
        {"inflow_each_m3_per_h": [120, 260, 90], "demand_each_m3_per_h": [180, 210, 110]},
        {"fresh_each_m3_per_h": [60, 0, 0], "effluent_m3_per_h": 30, "saving_m3_per_h": 30},
    ),
    inflow_each_m3_per_h=Arg("what comes to each tank, cleanest first", 0, 1e5, series=True),
    demand_each_m3_per_h=Arg("what is drawn from each", 0, 1e5, series=True),
)
def tank_chain(*, inflow_each_m3_per_h: list[float], demand_each_m3_per_h: list[float]) -> Chain:
    """Return where fresh water goes in while other water leaves."""
    if len(inflow_each_m3_per_h) != len(demand_each_m3_per_h):
        raise DomainError(
            "E_COUNT", "demand_each_m3_per_h", "one for each tank", f"{len(inflow_each_m3_per_h)} numbers"
        )
    fresh, spilt, before = [], [], 0.0
    for inflow, demand in zip(inflow_each_m3_per_h, demand_each_m3_per_h, strict=True):
        net = float(inflow) + before - float(demand)
        before = max(0.0, net)
        fresh.append(max(0.0, -net))
        spilt.append(before)
    return Chain(fresh, spilt, before, min(sum(fresh), before))


BLEED = bleed_for_limit.method.bare  # type: ignore[attr-defined]
