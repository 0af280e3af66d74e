"""Screening equipment: screens, cleaners, thickeners."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Fitted, Point, Points, points
from stock.primitives import Separate

REJECT_RATE = Point("Reject rate by mass, {of}", "Rejects", "rate_pct", (0, 60), 1, ("reject", "rate", "mass"))


class Screen(Separate):
    """Pressure screens in their stages."""

    GATE: ClassVar[str] = "shives"
    POINTS: ClassVar[Points] = points(reject_rate=REJECT_RATE)

    kind: Literal["screen"]
    quotient: Fitted | None = Field(None, description="screening quotient of its debris")


class Cleaner(Separate):
    """Cleaners in their stages."""

    GATE: ClassVar[str] = "yield"
    POINTS: ClassVar[Points] = points(
        **{"yield": Point("Yield of {of}", "Yield", "yield_pct", (50, 100), 1, ("yield", "cleaner"))},
        reject_rate=REJECT_RATE,
    )

    kind: Literal["cleaner"]


class Thickener(Separate):
    """A thickener: most of the water, and what is dissolved, goes back."""

    kind: Literal["thickener"]
