"""A cook whose liquor is renewed all the while: what the wood itself does, with the alkali held."""

from typing import NamedTuple

import numpy as np

from stock.cooking.end_point import h_curve, refuse_disorder
from stock.cooking.kinetics import LEASTALKALI, TEMPERATURES, TIMES, WOODS, kappa_of, march_from, wood_of
from stock.working import Arg, Choice, Example, method


class Held(NamedTuple):
    """Where a cook at constant liquor ends."""

    kappa: float
    total_yield_pct: float
    lignin_pct: float
    h_factor: float


@method(
    "the kraft cook with hydroxide and hydrosulphide held at what they are",
    title="Kraft cook at constant liquor",
    station="cooking",
    source="Gustafson et al. (1983) with no uptake from the liquor: laboratory flow-through, or a circulation held by feed",
    exact=False,
    results=Held._fields,
    example=Example(
        {"times_min": [0, 100], "temperatures_c": [170, 170], "oh_mol_per_l": 0.6, "hs_mol_per_l": 0.2},
        {"kappa": 28.448, "total_yield_pct": 47.319, "lignin_pct": 2.0192, "h_factor": 1550},
        1e-3,
    ),
    notes="A batch cook eats its alkali; this bounds from below the kappa any feeding of liquor can reach in that time.",
    times_min=TIMES,
    temperatures_c=TEMPERATURES,
    oh_mol_per_l=Arg("hydroxide held", LEASTALKALI, 5),
    hs_mol_per_l=Arg("hydrosulphide held", 0, 3),
    species=Choice("raw material", tuple(WOODS)),
    bulk_ratio=Arg("multiplier of the bulk rate, fitted", 0.2, 4),
)
def simulate_constant_liquor(
    *,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    oh_mol_per_l: float,
    hs_mol_per_l: float,
    species: str = "softwood",
    bulk_ratio: float = 1.0,
) -> Held:
    """Return where a cook ends whose liquor never weakens."""
    refuse_disorder(times_min, temperatures_c)
    wood = wood_of(species, bulk_ratio)
    *_, last = march_from(times_min, temperatures_c, (oh_mol_per_l, hs_mol_per_l), 0.0, wood)
    _, h = h_curve(times_min, temperatures_c)
    return Held(
        kappa_of(last.lignin_pct, last.carbohydrate_pct, wood),
        last.lignin_pct + last.carbohydrate_pct,
        last.lignin_pct,
        float(h[-1]),
    )
