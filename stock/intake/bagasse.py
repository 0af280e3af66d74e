"""Bagasse: what it is made of, depithing, washing, storing it wet."""

from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.lot import MOISTURE, shares_add_up
from stock.working import Arg, Example, method, warn

_FIBRE = Arg("fibre share", 0, 1)
_PITH = Arg("pith share", 0, 1, above=True)
_LOSS = Arg("fibre lost with it", 0, 1)

# Removals of a stage before the mill has its own: pith, fibre, solubles, dirt.
STAGES: dict[str, tuple[float, float, float, float]] = {
    "dry": (0.40, 0.05, 0.05, 0.30),
    "moist": (0.55, 0.06, 0.35, 0.40),
    "wet": (0.45, 0.04, 0.50, 0.50),
}


class Composition(NamedTuple):
    """Bagasse by what it is made of, adding to one."""

    fibre_frac: float
    pith_frac: float
    solubles_frac: float
    dirt_frac: float


@method(
    "each share divided by the sum of the four",
    title="Make-up of bagasse",
    station="intake",
    source="closure of a fractionation",
    exact=False,
    results=Composition._fields,
    example=Example(
        {"fibre_frac": 0.622, "pith_frac": 0.281, "solubles_frac": 0.060, "dirt_frac": 0.040},
        {"fibre_frac": 0.6201, "pith_frac": 0.2802, "solubles_frac": 0.0598, "dirt_frac": 0.0399},
    ),
    fibre_frac=_FIBRE,
    pith_frac=Arg("pith share", 0, 1),
    solubles_frac=Arg("solubles share", 0, 1),
    dirt_frac=Arg("dirt share", 0, 1),
)
def check_bagasse_composition(
    *, fibre_frac: float, pith_frac: float, solubles_frac: float, dirt_frac: float
) -> Composition:
    """Return the make-up brought to a sum of one; shares more than a point apart are refused."""
    shares = np.array([fibre_frac, pith_frac, solubles_frac, dirt_frac])
    shares_add_up("fibre_frac", shares, 0.01)
    return Composition(*(float(share) for share in shares / shares.sum()))


class Depithed(NamedTuple):
    """What a depithing stage passes on, and what it takes out."""

    accepts_bdt: float
    rejects_bdt: float
    stage_yield_frac: float
    fibre_to_pith_ratio: float
    fibre_bdt: float
    pith_bdt: float
    solubles_bdt: float
    dirt_bdt: float


@method(
    "fibre_bdt = feed_bdt * fibre_frac * (1 - fibre_loss_frac)\n"
    "pith_bdt = feed_bdt * pith_frac * (1 - pith_removal_frac)\n"
    "solubles_bdt = feed_bdt * solubles_frac * (1 - solubles_removal_frac)\n"
    "dirt_bdt = feed_bdt * dirt_frac * (1 - dirt_removal_frac)\n"
    "accepts_bdt = fibre_bdt + pith_bdt + solubles_bdt + dirt_bdt\n"
    "rejects_bdt = feed_bdt * (fibre_frac + pith_frac + solubles_frac + dirt_frac) - accepts_bdt\n"
    "stage_yield_frac = accepts_bdt / feed_bdt\n"
    "fibre_to_pith_ratio = fibre_bdt / pith_bdt",
    title="Depithing stage",
    station="intake",
    source="component balance; removals are defaults to be fitted",
    results=Depithed._fields,
    example=Example(
        {"feed_bdt": 100, "fibre_frac": 0.62, "pith_frac": 0.28, "solubles_frac": 0.06, "dirt_frac": 0.04},
        {"accepts_bdt": 77.18, "rejects_bdt": 22.82, "stage_yield_frac": 0.7718, "fibre_to_pith_ratio": 4.63},
    ),
    feed_bdt=Arg("bagasse in", 0, 1e6, above=True),
    fibre_frac=_FIBRE,
    pith_frac=_PITH,
    solubles_frac=Arg("solubles share", 0, 1),
    dirt_frac=Arg("dirt share", 0, 1),
    pith_removal_frac=Arg("pith removed", 0, 1, below=True),
    fibre_loss_frac=_LOSS,
    solubles_removal_frac=Arg("solubles removed", 0, 1),
    dirt_removal_frac=Arg("dirt removed", 0, 1),
)
def depith_stage(
    *,
    feed_bdt: float,
    fibre_frac: float,
    pith_frac: float,
    solubles_frac: float,
    dirt_frac: float,
    pith_removal_frac: float = 0.55,
    fibre_loss_frac: float = 0.06,
    solubles_removal_frac: float = 0.35,
    dirt_removal_frac: float = 0.40,
) -> Depithed:
    """Return accepts and rejects of one depithing stage (defaults: a moist stage)."""
    shares_add_up("fibre_frac", np.array([fibre_frac, pith_frac, solubles_frac, dirt_frac]), 0.01)
    if fibre_loss_frac >= pith_removal_frac:
        warn("the stage loses fibre as readily as pith: look at beaters and screen plate")
    fibre = feed_bdt * fibre_frac * (1 - fibre_loss_frac)
    pith = feed_bdt * pith_frac * (1 - pith_removal_frac)
    solubles = feed_bdt * solubles_frac * (1 - solubles_removal_frac)
    dirt = feed_bdt * dirt_frac * (1 - dirt_removal_frac)
    accepts = fibre + pith + solubles + dirt
    rejects = feed_bdt * (fibre_frac + pith_frac + solubles_frac + dirt_frac) - accepts
    return Depithed(accepts, rejects, accepts / feed_bdt, fibre / pith, fibre, pith, solubles, dirt)


@method(
    "pith_removal_frac = 1 - fibre_frac * (1 - fibre_loss_frac) / (target_ratio * pith_frac), and nil where it is met",
    title="Pith to remove for a fibre-to-pith ratio",
    station="intake",
    source="component balance, turned round",
    exact=False,
    results=("pith_removal_frac",),
    example=Example(
        {"fibre_frac": 0.62, "pith_frac": 0.28, "fibre_loss_frac": 0.06, "target_ratio": 5.5},
        {"pith_removal_frac": 0.6216},
    ),
    fibre_frac=_FIBRE,
    pith_frac=_PITH,
    fibre_loss_frac=_LOSS,
    target_ratio=Arg("fibre to pith wanted", 0, 100, above=True),
)
def pith_removal_for_ratio(
    *, fibre_frac: float, pith_frac: float, fibre_loss_frac: float, target_ratio: float
) -> float:
    """Return the pith a stage must take out."""
    removal = 1 - fibre_frac * (1 - fibre_loss_frac) / (target_ratio * pith_frac)
    if removal > 0.9:
        message = f"{100 * removal:.0f} % of the pith would have to go in one stage; 90 % is the most: add a stage"
        raise DomainError("E_INFEASIBLE", "target_ratio", message, "a ratio one stage can reach")
    return max(0.0, removal)


@method(
    "bagasse_t = 0.900 / (yield_frac * depithing_yield_frac * (1 - storage_loss_frac) * (1 - moisture_wet_frac))",
    title="Bagasse as received per air-dry tonne of pulp",
    station="intake",
    source="closed form of the yields in series",
    aliases=("bagasse_per_adt_t",),
    example=Example(
        {"yield_frac": 0.50, "depithing_yield_frac": 0.66, "storage_loss_frac": 0.07, "moisture_wet_frac": 0.50},
        {"bagasse_t": 5.87},
    ),
    yield_frac=Arg("pulp per bone-dry bagasse cooked", 0, 1, above=True),
    depithing_yield_frac=Arg("yield of depithing", 0, 1, above=True),
    storage_loss_frac=Arg("loss in storage", 0, 1, below=True),
    moisture_wet_frac=MOISTURE,
)
def bagasse_per_adt(
    *, yield_frac: float, depithing_yield_frac: float, storage_loss_frac: float, moisture_wet_frac: float
) -> float:
    """Return tonnes of bagasse as received for one air-dry tonne of pulp."""
    return 0.900 / (yield_frac * depithing_yield_frac * (1 - storage_loss_frac) * (1 - moisture_wet_frac))


class Stored(NamedTuple):
    """Room, remaining mass and water of a wet pile."""

    volume_m3: float
    left_bdt: float
    water_m3: float


@method(
    "volume_m3 = bdt / pile_density_bdt_per_m3\n"
    "left_bdt = bdt * (1 - loss_per_month)**storage_month\n"
    "water_m3 = bdt * (moisture_pile_frac / (1 - moisture_pile_frac) - moisture_in_frac / (1 - moisture_in_frac))",
    title="Wet bulk storage",
    station="intake",
    source="mass balance; density and loss are defaults to be fitted",
    example=Example(
        {
            "bdt": 24000,
            "pile_density_bdt_per_m3": 0.150,
            "loss_per_month": 0.010,
            "storage_month": 4,
            "moisture_in_frac": 0.50,
            "moisture_pile_frac": 0.78,
        },
        {"volume_m3": 160000, "left_bdt": 23054, "water_m3": 61091},
    ),
    bdt=Arg("bagasse stored", 0, 1e7),
    moisture_in_frac=MOISTURE,
    moisture_pile_frac=Arg("moisture of the pile", 0, 1, below=True, usual=(0.70, 0.85)),
    storage_month=Arg("months stored", 0, 60),
    pile_density_bdt_per_m3=Arg("bone-dry mass in the pile's volume", 0.05, 0.30),
    loss_per_month=Arg("loss each month", 0, 0.2),
)
def wet_bulk_storage(
    *,
    bdt: float,
    moisture_in_frac: float,
    moisture_pile_frac: float,
    storage_month: float,
    pile_density_bdt_per_m3: float = 0.150,
    loss_per_month: float = 0.010,
) -> Stored:
    """Return room taken, mass left and water put in; most of the water goes round."""
    if moisture_pile_frac < moisture_in_frac:
        message = f"the pile at {moisture_pile_frac:g} would be drier than what comes at {moisture_in_frac:g}"
        raise DomainError("E_RANGE", "moisture_pile_frac", message, f"{moisture_in_frac:g} or more")
    water = bdt * (moisture_pile_frac / (1 - moisture_pile_frac) - moisture_in_frac / (1 - moisture_in_frac))
    return Stored(bdt / pile_density_bdt_per_m3, bdt * (1 - loss_per_month) ** storage_month, water)


@method(
    "dirt_removal_frac = 1 - ash_out_frac * bd_out_t / (ash_in_frac * bd_in_t)",
    title="Dirt washed out",
    station="intake",
    source="ash balance; TAPPI T 211 for the ash",
    aliases=("dirt_removal_fraction",),
    exact=False,
    example=Example(
        {"ash_in_frac": 0.042, "bd_in_t": 100, "ash_out_frac": 0.018, "bd_out_t": 82}, {"dirt_removal_frac": 0.6486}
    ),
    ash_in_frac=Arg("ash in what goes in", 0, 1, above=True),
    bd_in_t=Arg("bone-dry in", 0, 1e7, above=True),
    ash_out_frac=Arg("ash in what comes out", 0, 1),
    bd_out_t=Arg("bone-dry out", 0, 1e7),
)
def dirt_removal(*, ash_in_frac: float, bd_in_t: float, ash_out_frac: float, bd_out_t: float) -> float:
    """Return the share of the dirt a wash takes out."""
    removal = 1 - ash_out_frac * bd_out_t / (ash_in_frac * bd_in_t)
    if removal < 0:
        message = f"{ash_out_frac * bd_out_t:.3g} t of dirt out, {ash_in_frac * bd_in_t:.3g} t in: check the samples"
        raise DomainError("E_RANGE", "ash_out_frac", message, "no more dirt out than in")
    return removal


@method(
    "wash_m3_per_h = water_m3_per_t * bdt_per_h",
    title="Water for the bagasse wash",
    station="intake",
    source="usual 10 to 20 m³ for each bone-dry tonne",
    example=Example({"water_m3_per_t": 15, "bdt_per_h": 5.9}, {"wash_m3_per_h": 88.5}),
    water_m3_per_t=Arg("water for each bone-dry tonne", 0, 100, usual=(10, 20)),
    bdt_per_h=Arg("bagasse washed", 0, 1e4),
)
def bagasse_wash_water(*, water_m3_per_t: float, bdt_per_h: float) -> float:
    """Return the water the wash must have."""
    return water_m3_per_t * bdt_per_h


@method(
    "pulp_adt_per_d = (fibre_loss_now_frac - fibre_loss_usual_frac) * bdt_per_d * fibre_frac * yield_frac / 0.9",
    title="Pulp lost in the pith",
    station="intake",
    source="component balance of the depithers",
    example=Example(
        {
            "fibre_loss_now_frac": 0.12,
            "fibre_loss_usual_frac": 0.10,
            "bdt_per_d": 142,
            "fibre_frac": 0.62,
            "yield_frac": 0.575,
        },
        {"pulp_adt_per_d": 1.125},
    ),
    fibre_loss_now_frac=Arg("fibre lost now", 0, 1),
    fibre_loss_usual_frac=Arg("fibre lost as usual", 0, 1),
    bdt_per_d=Arg("bagasse depithed", 0, 1e6),
    fibre_frac=_FIBRE,
    yield_frac=Arg("pulp from it", 0, 1),
)
def pulp_lost_in_pith(
    *,
    fibre_loss_now_frac: float,
    fibre_loss_usual_frac: float,
    bdt_per_d: float,
    fibre_frac: float,
    yield_frac: float,
) -> float:
    """Return the air-dry pulp that goes to the boiler with the pith."""
    return (fibre_loss_now_frac - fibre_loss_usual_frac) * bdt_per_d * fibre_frac * yield_frac / 0.9


@method(
    "water_t_per_bdt = 100 / solids_now_pct - 100 / solids_wanted_pct",
    title="Water to press out of a feed plug",
    station="intake",
    source="mass balance of a press",
    example=Example({"solids_now_pct": 22, "solids_wanted_pct": 28}, {"water_t_per_bdt": 0.974}),
    solids_now_pct=Arg("solids of the plug now", 5, 90),
    solids_wanted_pct=Arg("solids wanted", 5, 90, usual=(25, 40)),
)
def water_to_press(*, solids_now_pct: float, solids_wanted_pct: float) -> float:
    """Return the water to take out of each bone-dry tonne; below nil it is to be added."""
    return 100 / solids_now_pct - 100 / solids_wanted_pct
