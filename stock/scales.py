"""Other scales for the same thing: drainage by another vessel, lignin by permanganate number, density by the hydrometer.

A scale is not a unit: a method turns it, and is only as good as its source.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from stock.refining.energy import csf_to_sr, sr_to_csf
from stock.working import Arg, Example, method

RATIO: Final = Arg("kappa for one permanganate number", 1.2, 1.8)


@method(
    "kappa = ratio * permanganate_ml",
    title="Permanganate number to kappa",
    station="cooking",
    source="both are permanganate taken up; the ratio is a default to be fitted on pairs of the mill's own pulp",
    example=Example({"permanganate_ml": 12.0, "ratio": 1.5}, {"kappa": 18.0}),
    permanganate_ml=Arg("permanganate number, 25 mL", 0.5, 24, usual=(2, 20)),
    ratio=RATIO,
)
def kappa_from_permanganate(*, permanganate_ml: float, ratio: float = 1.5) -> float:
    """Return the kappa of a permanganate number; above 24 of 25 mL hardly any is left to titrate."""
    return ratio * permanganate_ml


@method(
    "permanganate_ml = kappa / ratio",
    title="Kappa to permanganate number",
    station="cooking",
    source="as the other way; approximate",
    example=Example({"kappa": 18.0, "ratio": 1.5}, {"permanganate_ml": 12.0}),
    kappa=Arg("kappa", 0.75, 36),
    ratio=RATIO,
)
def permanganate_from_kappa(*, kappa: float, ratio: float = 1.5) -> float:
    """Return the permanganate number, 25 mL, that a kappa is about."""
    return kappa / ratio


@method(
    "density_t_per_m3 = 145 / (145 - baume)",
    title="Density of a heavy liquor by the hydrometer",
    station="bleaching",
    source="definition of the scale for liquids heavier than water, 15.6 °C",
    example=Example({"baume": 43.0}, {"density_t_per_m3": 1.4216}),
    baume=Arg("degrees Baumé", 0, 72),
)
def density_from_baume(*, baume: float) -> float:
    """Return the density of a liquid heavier than water."""
    return 145 / (145 - baume)


@dataclass(frozen=True, slots=True)
class Scale:
    """A scale people read something on: how it is typed, what it reads, and the way there and back."""

    name: str
    typed: frozenset[str]
    quantity: str
    into: Callable[[float], float]
    out_of: Callable[[float], float] | None = None

    def reads(self, quantity: str) -> bool:
        """Whether it is a scale of a quantity, such as `freeness_csf_ml`."""
        return quantity == self.quantity or quantity.endswith(f"_{self.quantity}")


SCALES: Final = (
    Scale("°SR", frozenset({"°sr", "sr"}), "csf_ml", lambda x: sr_to_csf(sr=x), lambda x: csf_to_sr(csf_ml=x)),
    Scale(
        "permanganate number",
        frozenset({"perm", "permanganate", "k-no"}),
        "kappa",
        lambda x: kappa_from_permanganate(permanganate_ml=x),
        lambda x: permanganate_from_kappa(kappa=x),
    ),
    Scale(
        "°Bé",
        frozenset({"°bé", "°be", "bé", "be", "baumé", "baume"}),
        "density_t_per_m3",
        lambda x: density_from_baume(baume=x),
    ),
)


def scale_typed(word: str) -> Scale | None:
    """Return the scale a typed word means."""
    return next((one for one in SCALES if word.lower() in one.typed), None)


def scale_beside(quantity: str) -> Scale | None:
    """Return the scale a quantity is also read on and can be shown on."""
    return next((one for one in SCALES if one.reads(quantity) and one.out_of is not None), None)
