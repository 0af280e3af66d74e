"""Wood and bagasse from the gate to the digester feed."""

from typing import NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

_MOISTURE = Arg("moisture of the wet mass", 0, 1, below=True, usual=(0.15, 0.70))


@method(
    "bone_dry_mass_t = green_mass_t * (1 - moisture_wet_frac)",
    title="Bone-dry wood from green mass",
    station="intake",
    source="definition; moisture by oven drying at 105 °C (ISO 18134)",
    example=Example({"green_mass_t": 38.6, "moisture_wet_frac": 0.525}, {"bone_dry_mass_t": 18.335}),
    green_mass_t=Arg("mass as weighed", 0, 1e6),
    moisture_wet_frac=_MOISTURE,
)
def bone_dry_mass_t(*, green_mass_t: float, moisture_wet_frac: float) -> float:
    """Return the bone-dry mass of a green lot."""
    return green_mass_t * (1 - moisture_wet_frac)


@method(
    "moisture_ratio_kg_per_kg = moisture_wet_frac / (1 - moisture_wet_frac)",
    title="Moisture ratio",
    station="intake",
    source="definition",
    example=Example({"moisture_wet_frac": 0.525}, {"moisture_ratio_kg_per_kg": 1.1053}),
    moisture_wet_frac=_MOISTURE,
)
def moisture_ratio_kg_per_kg(*, moisture_wet_frac: float) -> float:
    """Return kilograms of water per bone-dry kilogram."""
    return moisture_wet_frac / (1 - moisture_wet_frac)


@method(
    "mix_basic_density_kg_per_m3 = 1 / sum(bd_mass_each_frac / basic_density_each_kg_per_m3)",
    title="Basic density of a species mix",
    station="intake",
    source="additive volumes; TAPPI T 258 for each species",
    example=Example(
        {"bd_mass_each_frac": [0.6, 0.3, 0.1], "basic_density_each_kg_per_m3": [395, 415, 495]},
        {"mix_basic_density_kg_per_m3": 409.2},
    ),
    bd_mass_each_frac=Arg("bone-dry share of each species", 0, 1, series=True),
    basic_density_each_kg_per_m3=Arg("its basic density", 200, 1000, series=True),
)
def mix_basic_density_kg_per_m3(*, bd_mass_each_frac: np.ndarray, basic_density_each_kg_per_m3: np.ndarray) -> float:
    """Return the basic density of a mix given by bone-dry mass shares."""
    shares_add_up("bd_mass_each_frac", bd_mass_each_frac, 0.005)
    return 1 / float(np.sum(bd_mass_each_frac / basic_density_each_kg_per_m3))


def shares_add_up(argument: str, shares: np.ndarray, tolerance: float) -> None:
    """Refuse shares that do not add to one."""
    total = float(np.sum(shares))
    if abs(total - 1) > tolerance:
        message = f"the shares add to {total:.4g}; they must add to 1 within {tolerance:g}"
        raise DomainError("E_SUM", argument, message, f"a sum of 1 ± {tolerance:g}")


@method(
    "wood_m3_solid = 900 / (yield_frac * prod(1 - loss_each_frac) * basic_density_kg_per_m3)",
    title="Solid wood per air-dry tonne of pulp",
    station="intake",
    source="closed form of the yields in series",
    aliases=("wood_per_adt_m3_solid",),
    example=Example(
        {"yield_frac": 0.462, "basic_density_kg_per_m3": 402, "loss_each_frac": [0.012, 0.025]},
        {"wood_m3_solid": 5.031},
    ),
    yield_frac=Arg("screened pulp per bone-dry chips", 0, 1, above=True, usual=(0.35, 0.97)),
    basic_density_kg_per_m3=Arg("basic density", 200, 1000, usual=(300, 750)),
    loss_each_frac=Arg("losses before the digester, in series", 0, 1, below=True, series=True, count=0),
)
def wood_per_adt(*, yield_frac: float, basic_density_kg_per_m3: float, loss_each_frac: np.ndarray) -> float:
    """Return cubic metres of solid wood under bark for one air-dry tonne of pulp."""
    return 900 / (yield_frac * float(np.prod(1 - loss_each_frac)) * basic_density_kg_per_m3)


class Depithed(NamedTuple):
    """What a depithing stage passes on."""

    accepts_bdt: float
    stage_yield_frac: float
    fibre_to_pith_ratio: float


@method(
    "accepts_bdt = feed_bdt * (fibre_frac * (1 - fibre_loss_frac) + pith_frac * (1 - pith_removal_frac)"
    " + solubles_frac * (1 - solubles_removal_frac) + dirt_frac * (1 - dirt_removal_frac))\n"
    "stage_yield_frac = accepts_bdt / feed_bdt\n"
    "fibre_to_pith_ratio = fibre_frac * (1 - fibre_loss_frac) / (pith_frac * (1 - pith_removal_frac))",
    title="Depithing stage",
    station="intake",
    source="component balance; removals are defaults to be fitted",
    example=Example(
        {"feed_bdt": 100, "fibre_frac": 0.62, "pith_frac": 0.28, "solubles_frac": 0.06, "dirt_frac": 0.04},
        {"accepts_bdt": 77.18, "stage_yield_frac": 0.7718, "fibre_to_pith_ratio": 4.63},
    ),
    feed_bdt=Arg("bagasse in", 0, 1e6, above=True),
    fibre_frac=Arg("fibre share", 0, 1),
    pith_frac=Arg("pith share", 0, 1, above=True),
    solubles_frac=Arg("solubles share", 0, 1),
    dirt_frac=Arg("dirt share", 0, 1),
    pith_removal_frac=Arg("pith removed", 0, 1, below=True),
    fibre_loss_frac=Arg("fibre lost with it", 0, 1),
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
    """Return the accepts of one depithing stage (defaults: a moist stage)."""
    shares_add_up("fibre_frac", np.array([fibre_frac, pith_frac, solubles_frac, dirt_frac]), 0.01)
    fibre = fibre_frac * (1 - fibre_loss_frac)
    pith = pith_frac * (1 - pith_removal_frac)
    kept = fibre + pith + solubles_frac * (1 - solubles_removal_frac) + dirt_frac * (1 - dirt_removal_frac)
    return Depithed(feed_bdt * kept, kept, fibre / pith)


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
    moisture_wet_frac=_MOISTURE,
)
def bagasse_per_adt(
    *, yield_frac: float, depithing_yield_frac: float, storage_loss_frac: float, moisture_wet_frac: float
) -> float:
    """Return tonnes of bagasse as received for one air-dry tonne of pulp."""
    return 0.900 / (yield_frac * depithing_yield_frac * (1 - storage_loss_frac) * (1 - moisture_wet_frac))
