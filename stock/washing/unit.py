"""Washing equipment: washers and presses."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Fitted, Point, Points, points
from stock.primitives import Separate, Wash

LOSS = Point("Wash loss, {of}", "Wash loss", "loss_kg_per_odt", (0.5, 80), 1, ("wash", "loss", "salt"), told=True)


class Washer(Separate):
    """A washing line: liquor displaced counter-current."""

    GATE: ClassVar[str] = "loss"
    POINTS: ClassVar[Points] = points(loss=LOSS)

    kind: Literal["washer"]
    wash: Wash
    feed_solids_kg_per_odt: Fitted | None = Field(None, description="dissolved solids that come with the pulp")


class Press(Separate):
    """A press after a bleach, with wash liquor or without."""

    POINTS: ClassVar[Points] = points(loss=LOSS)

    kind: Literal["press"]
