"""Chips: their density, how much a volume holds, meters put right."""

from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.lot import MOISTURE, shares_add_up
from stock.working import Arg, Example, method

_DENSITY: Final = Arg("basic density", 200, 1000, usual=(300, 750))
_EACH_DENSITY: Final = Arg("its basic density", 200, 1000, series=True)
_SVF: Final = Arg("solid share of the loose volume", 0, 0.74, above=True, below=True, usual=(0.32, 0.45))


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
    basic_density_each_kg_per_m3=_EACH_DENSITY,
)
def mix_basic_density_kg_per_m3(*, bd_mass_each_frac: np.ndarray, basic_density_each_kg_per_m3: np.ndarray) -> float:
    """Return the basic density of a mix given by bone-dry mass shares."""
    same_length(bd_mass_each_frac=bd_mass_each_frac, basic_density_each_kg_per_m3=basic_density_each_kg_per_m3)
    shares_add_up("bd_mass_each_frac", bd_mass_each_frac, 0.005)
    return 1 / float(np.sum(bd_mass_each_frac / basic_density_each_kg_per_m3))


@method(
    "mix_basic_density_kg_per_m3 = sum(volume_each_frac * basic_density_each_kg_per_m3)",
    title="Basic density of a mix given by volume",
    station="intake",
    source="additive volumes",
    aliases=("mix_basic_density_from_volume_kg_per_m3",),
    example=Example(
        {"volume_each_frac": [0.6215, 0.2958, 0.0827], "basic_density_each_kg_per_m3": [395, 415, 495]},
        {"mix_basic_density_kg_per_m3": 409.2},
    ),
    volume_each_frac=Arg("solid-volume share of each species", 0, 1, series=True),
    basic_density_each_kg_per_m3=_EACH_DENSITY,
)
def mix_density_from_volume(*, volume_each_frac: np.ndarray, basic_density_each_kg_per_m3: np.ndarray) -> float:
    """Return the basic density of a mix given by solid-volume shares."""
    same_length(volume_each_frac=volume_each_frac, basic_density_each_kg_per_m3=basic_density_each_kg_per_m3)
    shares_add_up("volume_each_frac", volume_each_frac, 0.005)
    return float(np.sum(volume_each_frac * basic_density_each_kg_per_m3))


def same_length(**series: np.ndarray) -> None:
    """Refuse lists that belong together and are not as long as each other."""
    (first, one), *others = series.items()
    for name, other in others:
        if other.size != one.size:
            message = f"{name} has {other.size} values where {first} has {one.size}; there must be as many"
            raise DomainError("E_COUNT", name, message, f"{one.size} values")


@method(
    "bulk_density_bd_kg_per_m3 = basic_density_kg_per_m3 * solid_volume_factor",
    title="Bulk density of chips, bone-dry",
    station="intake",
    source="definition of the solid-volume factor",
    aliases=("chip_bulk_density_bd_kg_per_m3",),
    example=Example(
        {"basic_density_kg_per_m3": 402, "solid_volume_factor": 0.375}, {"bulk_density_bd_kg_per_m3": 150.75}
    ),
    basic_density_kg_per_m3=_DENSITY,
    solid_volume_factor=_SVF,
)
def chip_bulk_density(*, basic_density_kg_per_m3: float, solid_volume_factor: float) -> float:
    """Return the bone-dry wood in a cubic metre of loose chips."""
    return basic_density_kg_per_m3 * solid_volume_factor


def packed_bdt(
    volume_m3: float, basic_density_kg_per_m3: float, solid_volume_factor: float, packing_frac: float = 0.0
) -> float:
    """Return the bone-dry tonnes in a volume of chips, packed closer than they fall by a share."""
    return volume_m3 * basic_density_kg_per_m3 * solid_volume_factor * (1 + packing_frac) / 1000


@method(
    "solid_volume_factor = green_bulk_density_kg_per_m3 * (1 - moisture_wet_frac) / basic_density_kg_per_m3",
    title="Solid-volume factor from a weighed bucket",
    station="intake",
    source="definition",
    aliases=("solid_volume_factor",),
    example=Example(
        {"green_bulk_density_kg_per_m3": 352, "moisture_wet_frac": 0.53, "basic_density_kg_per_m3": 410},
        {"solid_volume_factor": 0.4035},
    ),
    green_bulk_density_kg_per_m3=Arg("green chips in a cubic metre", 0, 1200, above=True),
    moisture_wet_frac=MOISTURE,
    basic_density_kg_per_m3=_DENSITY,
)
def solid_volume_share(
    *, green_bulk_density_kg_per_m3: float, moisture_wet_frac: float, basic_density_kg_per_m3: float
) -> float:
    """Return the solid share of loose chips."""
    share = green_bulk_density_kg_per_m3 * (1 - moisture_wet_frac) / basic_density_kg_per_m3
    if share >= 0.74:
        message = f"the solid share comes out at {share:.2f}, more than chips can pack: check the bucket's volume"
        raise DomainError("E_RANGE", "green_bulk_density_kg_per_m3", message, "a solid share below 0.74")
    return share


@method(
    "production_bdt_per_h = metered_bdt_per_h * bulk_density_now_kg_per_m3 / bulk_density_set_kg_per_m3",
    title="Chip-meter rate put right",
    station="intake",
    source="the meter passes a volume; its mass follows the bulk density",
    example=Example(
        {"metered_bdt_per_h": 11.1, "bulk_density_now_kg_per_m3": 161.0, "bulk_density_set_kg_per_m3": 156.6},
        {"production_bdt_per_h": 11.41},
    ),
    metered_bdt_per_h=Arg("rate the meter shows", 0, 1e4),
    bulk_density_now_kg_per_m3=Arg("bulk density weighed now, bone-dry", 50, 400),
    bulk_density_set_kg_per_m3=Arg("bulk density the meter is set for", 50, 400),
)
def metered_production(
    *, metered_bdt_per_h: float, bulk_density_now_kg_per_m3: float, bulk_density_set_kg_per_m3: float
) -> float:
    """Return what a volumetric chip meter really passes."""
    return metered_bdt_per_h * bulk_density_now_kg_per_m3 / bulk_density_set_kg_per_m3


class WoodPerTonne(NamedTuple):
    """Wood for an air-dry tonne of pulp, by volume and by bone-dry mass."""

    wood_m3_solid: float
    wood_bdt: float


@method(
    "wood_m3_solid = 900 / (yield_frac * prod(1 - loss_each_frac) * basic_density_kg_per_m3)\n"
    "wood_bdt = 0.9 / (yield_frac * prod(1 - loss_each_frac))",
    title="Solid wood per air-dry tonne of pulp",
    station="intake",
    source="closed form of the yields in series",
    aliases=("wood_per_adt_m3_solid",),
    example=Example(
        {"yield_frac": 0.462, "basic_density_kg_per_m3": 402, "loss_each_frac": [0.012, 0.025]},
        {"wood_m3_solid": 5.031, "wood_bdt": 2.022},
    ),
    yield_frac=Arg("screened pulp per bone-dry chips", 0, 1, above=True, usual=(0.35, 0.97)),
    basic_density_kg_per_m3=_DENSITY,
    loss_each_frac=Arg("losses before the digester, in series", 0, 1, below=True, series=True, count=0),
)
def wood_per_adt(*, yield_frac: float, basic_density_kg_per_m3: float, loss_each_frac: np.ndarray) -> WoodPerTonne:
    """Return solid wood under bark, and its bone-dry mass, for one air-dry tonne of pulp."""
    bdt = 0.9 / (yield_frac * float(np.prod(1 - loss_each_frac)))
    return WoodPerTonne(1000 * bdt / basic_density_kg_per_m3, bdt)


@method(
    "liquor_ratio = (1 - moisture_now_frac) / (1 - moisture_booked_frac)",
    title="Liquor for chips wetter or drier than booked",
    station="intake",
    source="at constant green weight the bone-dry wood follows the dryness",
    example=Example({"moisture_now_frac": 0.52, "moisture_booked_frac": 0.48}, {"liquor_ratio": 0.9231}),
    moisture_now_frac=MOISTURE,
    moisture_booked_frac=MOISTURE,
)
def liquor_for_moisture(*, moisture_now_frac: float, moisture_booked_frac: float) -> float:
    """Return by what white liquor is to be multiplied at constant chip weight."""
    return (1 - moisture_now_frac) / (1 - moisture_booked_frac)
