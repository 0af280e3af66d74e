"""What the machine asks for: production, thick stock, head box, cover."""

from typing import NamedTuple

from stock.checking import LEAST
from stock.errors import DomainError
from stock.working import Arg, Example, method, warn


class Reel(NamedTuple):
    """Production at the reel."""

    reel_t_per_h: float
    bdt_per_h: float


@method(
    "reel_t_per_h = speed_m_per_min * width_m * grammage_g_per_m2 * 60 / 1e6\n"
    "bdt_per_h = reel_t_per_h * (1 - moisture_pct / 100)",
    title="Production at the reel",
    station="delivery",
    source="definition; grammage at reel moisture",
    example=Example(
        {"speed_m_per_min": 650, "width_m": 4.20, "grammage_g_per_m2": 80, "moisture_pct": 5.5},
        {"reel_t_per_h": 13.104, "bdt_per_h": 12.3833},
    ),
    speed_m_per_min=Arg("machine speed", 0, 3000),
    width_m=Arg("trimmed width", 0, 15),
    grammage_g_per_m2=Arg("basis weight", 0, 2000),
    moisture_pct=Arg("moisture at the reel", 0, 100, below=True),
)
def reel_production(*, speed_m_per_min: float, width_m: float, grammage_g_per_m2: float, moisture_pct: float) -> Reel:
    """Return paper made and its bone-dry part."""
    reel = speed_m_per_min * width_m * grammage_g_per_m2 * 60 / 1e6
    return Reel(reel, reel * (1 - moisture_pct / 100))


@method(
    "speed_m_per_min = reel_t_per_h * 1e6 / (60 * width_m * grammage_g_per_m2)",
    title="Machine speed for a tonnage",
    station="delivery",
    source="inverse of the production at the reel",
    example=Example({"reel_t_per_h": 13.104, "width_m": 4.20, "grammage_g_per_m2": 80}, {"speed_m_per_min": 650}),
    reel_t_per_h=Arg("paper wanted", 0, 1000),
    width_m=Arg("trimmed width", 0, 15, above=True),
    grammage_g_per_m2=Arg("basis weight", 0, 2000, above=True),
)
def speed_for_tonnes(*, reel_t_per_h: float, width_m: float, grammage_g_per_m2: float) -> float:
    """Return the speed that makes a tonnage."""
    return reel_t_per_h * 1e6 / (60 * width_m * grammage_g_per_m2)


class ThickStock(NamedTuple):
    """What the machine chest must deliver."""

    fibre_t_per_h: float
    thick_bdt_per_h: float
    thick_l_per_min: float


@method(
    "fibre_t_per_h = sheet_bdt_per_h * (1 - filler_frac - additive_frac)\n"
    "thick_bdt_per_h = fibre_t_per_h * (1 - recirculated_frac * (1 - first_pass_fibre_frac)) / first_pass_fibre_frac\n"
    "thick_l_per_min = 1000 * thick_bdt_per_h / 60 / (chest_consistency_pct / 100)",
    title="Thick-stock demand",
    station="delivery",
    source="mass balance; filler and additives join after the chest",
    example=Example(
        {
            "sheet_bdt_per_h": 12.3833,
            "filler_frac": 0.14,
            "additive_frac": 0.012,
            "first_pass_fibre_frac": 0.93,
            "recirculated_frac": 0.97,
            "chest_consistency_pct": 3.2,
        },
        {"fibre_t_per_h": 10.5010, "thick_bdt_per_h": 10.5247, "thick_l_per_min": 5481.6},
    ),
    sheet_bdt_per_h=Arg("sheet formed", 0, 1000),
    filler_frac=Arg("filler in the sheet", 0, 0.6),
    additive_frac=Arg("additives in the sheet", 0, 0.6),
    first_pass_fibre_frac=Arg("first-pass retention of fibre", 0, 1, above=True),
    recirculated_frac=Arg("share of white water that returns", 0, 1),
    chest_consistency_pct=Arg("machine-chest consistency", 0, 15, above=True),
)
def thick_stock_demand(
    *,
    sheet_bdt_per_h: float,
    filler_frac: float,
    additive_frac: float,
    first_pass_fibre_frac: float,
    recirculated_frac: float,
    chest_consistency_pct: float,
) -> ThickStock:
    """Return fibre, bone-dry thick stock and its flow."""
    if filler_frac + additive_frac > 1:
        message = f"filler and additives are {100 * (filler_frac + additive_frac):.0f} % of the sheet together"
        raise DomainError("E_ORDER", "additive_frac", message, f"{1 - filler_frac:g} or less beside that filler")
    fibre = sheet_bdt_per_h * (1 - filler_frac - additive_frac)
    thick = fibre * (1 - recirculated_frac * (1 - first_pass_fibre_frac)) / first_pass_fibre_frac
    return ThickStock(fibre, thick, 1000 * thick / 60 / (chest_consistency_pct / 100))


class HeadBox(NamedTuple):
    """Head-box dilution."""

    headbox_t_per_h: float
    white_water_pct: float
    thick_t_per_h: float
    recirculated_t_per_h: float
    water_share_frac: float
    surplus_t_per_h: float


@method(
    "headbox_t_per_h = sheet_bdt_per_h / retention_frac / (headbox_pct / 100)\n"
    "white_water_pct = 100 * (sheet_bdt_per_h / retention_frac - sheet_bdt_per_h)"
    " / (headbox_t_per_h - sheet_bdt_per_h / (couch_solids_pct / 100))\n"
    "thick_t_per_h = headbox_t_per_h * (headbox_pct - white_water_pct) / (thick_pct - white_water_pct)\n"
    "recirculated_t_per_h = headbox_t_per_h - thick_t_per_h\n"
    "water_share_frac = recirculated_t_per_h / headbox_t_per_h\n"
    "surplus_t_per_h = headbox_t_per_h - sheet_bdt_per_h / (couch_solids_pct / 100) - recirculated_t_per_h",
    title="Head-box dilution by white water",
    station="delivery",
    source="mass balance",
    exact=False,
    example=Example(
        {
            "sheet_bdt_per_h": 12.3833,
            "retention_frac": 0.82,
            "headbox_pct": 0.75,
            "thick_pct": 3.2,
            "couch_solids_pct": 19,
        },
        {"headbox_t_per_h": 2013.5, "white_water_pct": 0.1395, "thick_t_per_h": 401.6, "water_share_frac": 0.801},
    ),
    sheet_bdt_per_h=Arg("sheet formed", 0, 1000, above=True),
    retention_frac=Arg("first-pass retention", 0, 1, above=True),
    headbox_pct=Arg("head-box consistency", 0, 5, above=True),
    thick_pct=Arg("thick-stock consistency", 0, 15, above=True),
    couch_solids_pct=Arg("solids after the couch", 5, 50),
)
def headbox_balance(
    *, sheet_bdt_per_h: float, retention_frac: float, headbox_pct: float, thick_pct: float, couch_solids_pct: float
) -> HeadBox:
    """Return the flows that bring thick stock down to the head box."""
    on_wire = sheet_bdt_per_h / retention_frac
    headbox = on_wire / (headbox_pct / 100)
    white_water = headbox - sheet_bdt_per_h / (couch_solids_pct / 100)
    white_pct = 100 * (on_wire - sheet_bdt_per_h) / white_water if white_water > 0 else float("inf")
    if not white_pct < headbox_pct < thick_pct:
        message = (
            f"head box {headbox_pct:g} % must lie between white water {white_pct:.3g} % and thick stock {thick_pct:g} %"
        )
        raise DomainError("E_ORDER", "headbox_pct", message, f"{white_pct:.3g} to {thick_pct:g} %")
    thick = headbox * (headbox_pct - white_pct) / (thick_pct - white_pct)
    again = headbox - thick
    return HeadBox(headbox, white_pct, thick, again, again / headbox, white_water - again)


@method(
    "cover_min = 60 * (level_bdt - min_bdt) / demand_bdt_per_h",
    title="Cover of a chest",
    station="delivery",
    source="definition",
    aliases=("cover_min",),
    example=Example({"level_bdt": 5.76, "min_bdt": 1.2, "demand_bdt_per_h": 10.525}, {"cover_min": 26.00}),
    level_bdt=Arg("stock in the chest", 0, 1e5),
    min_bdt=Arg("stock that cannot be used", 0, 1e5),
    demand_bdt_per_h=Arg("draw", 0, 1000),
)
def chest_cover(*, level_bdt: float, min_bdt: float, demand_bdt_per_h: float) -> float | None:
    """Return how long a chest lasts with no feed; below 0 where it is under its least level already, no time undrawn."""
    if level_bdt < min_bdt:
        warn(f"the chest holds {level_bdt:.3g} BDt, under its least level of {min_bdt:.3g} BDt already")
    if demand_bdt_per_h < LEAST:
        warn("nothing is drawn: it does not run empty")
        return None
    return 60 * (level_bdt - min_bdt) / demand_bdt_per_h


@method(
    "change_bdt_per_h = (wanted_bdt - level_bdt) / horizon_h",
    title="Feed change that restores a level",
    station="delivery",
    source="mass balance of the chest",
    example=Example({"wanted_bdt": 5.0, "level_bdt": 3.8, "horizon_h": 1.0}, {"change_bdt_per_h": 1.2}),
    wanted_bdt=Arg("stock wanted in the chest", 0, 1e5),
    level_bdt=Arg("stock there now", 0, 1e5),
    horizon_h=Arg("in how long", 0, 240, above=True),
)
def feed_change(*, wanted_bdt: float, level_bdt: float, horizon_h: float) -> float:
    """Return how much more to feed than is drawn."""
    return (wanted_bdt - level_bdt) / horizon_h
