"""What a freeness tester measures: the resistance of a cake of fibres, and the standard condition it is read at."""

import math
from typing import Final, NamedTuple

from stock.working import Arg, Example, method

HELD_ML: Final = 23.5  # held between the overflow and the bottom orifice
STANDARD_PCT, STANDARD_C = 0.30, 20.0
LEAST, MOST = 1e-4, 1e3  # of resistance; 0.01 to 0.97 L of the litre leaves by the side
CSF: Final = Arg("freeness", 25, 800)


@method(
    "csf_ml = 1000 * (1 - cake_ratio * log((1 + cake_ratio) / cake_ratio)) - 23.5",
    title="Freeness of a cake resistance",
    station="refining",
    source="cake filtration, worked out for the tester; same approach as El-Hosseiny and Yan (1980)",
    example=Example({"cake_ratio": 0.5365}, {"csf_ml": 412.0}, 1e-3),
    cake_ratio=Arg("cake resistance times the bottom orifice's flow", LEAST, MOST),
)
def csf_of_cake_ml(*, cake_ratio: float) -> float:
    """Return the freeness a cake shows; more resistance leaves less by the side."""
    return 1000 * (1 - cake_ratio * math.log1p(1 / cake_ratio)) - HELD_ML


CSF_OF_CAKE: Final = csf_of_cake_ml.method.bare  # type: ignore[attr-defined]


@method(
    "cake_ratio solves csf_ml = 1000 * (1 - cake_ratio * log((1 + cake_ratio) / cake_ratio)) - 23.5",
    title="Cake resistance of a freeness",
    station="refining",
    source="inverse of the cake's freeness; it falls all the way, so there is one answer",
    exact=False,
    results=("cake_ratio",),
    example=Example({"csf_ml": 412.0}, {"cake_ratio": 0.5365}, 1e-3),
    csf_ml=CSF,
)
def cake_of_csf_ratio(*, csf_ml: float) -> float:
    """Return the resistance of the cake; resistances of what is blended add by mass, freenesses do not."""
    from scipy.optimize import brentq

    return float(brentq(lambda cake: CSF_OF_CAKE(cake_ratio=cake) - csf_ml, LEAST, MOST, xtol=1e-12))


CAKE_OF_CSF: Final = cake_of_csf_ratio.method.bare  # type: ignore[attr-defined]


class Standard(NamedTuple):
    """A freeness as it would read at the standard condition, and what that changed."""

    csf_ml: float
    correction_ml: float
    doubt_ml: float


@method(
    "cake = cake of csf_ml * (0.30 / tested_consistency_pct) * viscosity at 20 / viscosity at temperature_c\n"
    "viscosity goes with 10^(247.8 / (temperature_c + 133.15))\n"
    "correction_ml = csf of cake - csf_ml; doubt_ml = 0.25 * abs(correction_ml)",
    title="Freeness at 0.30 % and 20 degrees",
    station="refining",
    source="cake filtration and the viscosity of water; the printed tables of T 227 or ISO 5267-2 win where a mill has them",
    exact=False,
    aliases=("csf_standard",),
    results=Standard._fields,
    example=Example(
        {"read_csf_ml": 412, "tested_consistency_pct": 0.318, "temperature_c": 24.5},
        {"csf_ml": 401.7, "correction_ml": -10.3, "doubt_ml": 2.6},
        8e-3,
    ),
    notes="Thicker stock reads low, warmer stock reads high.",
    read_csf_ml=Arg("freeness as read", 50, 750),
    tested_consistency_pct=Arg("consistency it was tested at", 0.20, 0.40),
    temperature_c=Arg("temperature it was tested at", 10, 30),
)
def csf_at_standard(*, read_csf_ml: float, tested_consistency_pct: float, temperature_c: float) -> Standard:
    """Return what a test would have read at the standard consistency and temperature."""

    def thick(celsius: float) -> float:
        return float(10 ** (247.8 / (celsius + 133.15)))

    seen = CAKE_OF_CSF(csf_ml=read_csf_ml)
    cake = seen * STANDARD_PCT / tested_consistency_pct * thick(STANDARD_C) / thick(temperature_c)
    found = CSF_OF_CAKE(cake_ratio=cake)
    return Standard(found, found - read_csf_ml, 0.25 * abs(found - read_csf_ml))
