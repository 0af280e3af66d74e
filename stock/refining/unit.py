"""Refining equipment."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import FittedAbove, Point, Points, points
from stock.primitives import Mix


class Refiner(Mix):
    """A refiner line, diluted after it; how freeness answers to its net energy."""

    GATE: ClassVar[str] = "freeness"
    POINTS: ClassVar[Points] = points(
        net_power=Point("Net power, {of}", "Net power", "net_kw", (0, 20_000), 0, ("refiner", "power", "net", "kw")),
        vibration=Point(
            "Vibration, {of}", "Vibration", "vibration_mm_per_s", (0, 60), 1, ("refiner", "vibration", "shakes")
        ),
    )

    kind: Literal["refiner", "beater"]
    slope: FittedAbove | None = Field(None, description="fall of the logarithm of freeness for each kWh a tonne")
    unrefined_csf_ml: FittedAbove | None = Field(None, description="freeness at no net power")
