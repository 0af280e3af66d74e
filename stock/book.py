"""The book of methods, in the order of the work. Importing this module fills the registry."""

from typing import Final

from stock import scales, steam
from stock.bleaching import (
    between,
    charge,
    cheapest,
    colour,
    dosing,
    gas,
    heating,
    ladder,
    oxygen,
    peroxide,
    ph,
    proof,
    residual,
    response,
    scission,
    sequence,
    tower,
)
from stock.blending import furnish
from stock.consistency import basis, dilution
from stock.cooking import alkali, correct, end_point, kinetics, liquor, renewed, slab, sulphite, titration, vessel
from stock.delivery import held, machine
from stock.fit import kappa as kappa_fit
from stock.intake import bagasse, chip_classes, chip_steaming, chips, debarking, lot, metal, piles
from stock.intake import blend as chip_blend
from stock.judge import charts, followed, hand, move, witness
from stock.plan import ahead, chain, cover, whence
from stock.refining import curve, energy, freeness
from stock.screening import cascade, cleaner, counting, passage
from stock.screening import stage as screening
from stock.simulate import loops
from stock.slushing import batch
from stock.washing import answering as washing_answering
from stock.washing import line as washing_line
from stock.washing import mat, norden, water, witnesses
from stock.washing import stage as washing
from stock.water import day, meters
from stock.water import loops as water_loops
from stock.working import METHODS, Method

__all__ = ["CHAPTERS", "METHODS", "MODULES", "chapters"]

CHAPTERS: Final[dict[str, str]] = {
    "intake": "Fibre in",
    "steam": "Steam and heat",
    "cooking": "Cooking",
    "washing": "Washing",
    "screening": "Screening",
    "bleaching": "Bleaching",
    "water": "Water",
    "slushing": "Slushing",
    "refining": "Refining",
    "consistency": "Consistency and flow",
    "blending": "Blending",
    "delivery": "Delivery",
    "plan": "Looking ahead",
    "judge": "Judging readings, sizing moves",
    "simulate": "The plant that runs",
}
MODULES: Final = (
    lot,
    debarking,
    metal,
    chips,
    chip_classes,
    chip_steaming,
    piles,
    chip_blend,
    bagasse,
    steam,
    alkali,
    liquor,
    titration,
    end_point,
    correct,
    kinetics,
    renewed,
    slab,
    vessel,
    sulphite,
    kappa_fit,
    washing,
    norden,
    washing_line,
    washing_answering,
    mat,
    water,
    witnesses,
    screening,
    passage,
    counting,
    cascade,
    cleaner,
    colour,
    charge,
    dosing,
    heating,
    proof,
    oxygen,
    tower,
    response,
    ladder,
    scission,
    sequence,
    cheapest,
    residual,
    peroxide,
    ph,
    gas,
    between,
    water_loops,
    meters,
    day,
    batch,
    energy,
    curve,
    freeness,
    basis,
    dilution,
    witness,
    furnish,
    machine,
    held,
    cover,
    move,
    charts,
    followed,
    hand,
    chain,
    whence,
    ahead,
    loops,
    scales,
)


def chapters() -> dict[str, list[Method]]:
    """Return the methods by chapter title, in the order of the work."""
    return {
        title: [method for method in METHODS.values() if method.station == station]
        for station, title in CHAPTERS.items()
    }
