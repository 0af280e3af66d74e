"""Bleaching equipment: stages, the chemicals to them, towers."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Consistency, Fitted, Point, Points, points
from stock.primitives import Dose, Mix, React

Chemical = Literal["dioxide", "oxygen", "peroxide", "dithionite", "hypochlorite"]


class BleachStage(React):
    """The bleaching of a line, told by its last stage: its chemical, its charge, how brightness answers to it."""

    GATE: ClassVar[str] = "brightness"

    kind: Literal["bleach_stage"]
    chemical: Chemical = Field(description="of its last stage")
    charge_kg_per_odt: float | None = Field(None, ge=0, le=100, description="usual charge of that stage")
    solution_g_per_l: float | None = Field(None, gt=0, le=600, description="strength of its solution as it is dosed")
    retention_min: float | None = Field(
        None, gt=0, le=1440, description="time of pulp in the stage, from mixer to test"
    )
    response_per_kg: Fitted | None = Field(None, description="how the light absorbed answers to a kilogram a tonne")
    ks_floor: Fitted | None = Field(None, description="light absorbed that no charge takes away, k over s")


class BleachDose(Dose):
    """Bleaching chemicals, in proportion to the pulp."""

    POINTS: ClassVar[Points] = points(
        strength=Point("Strength of {of}", "Strength", "conc_g_per_l", (0.5, 600), 1, ("solution", "strength")),
    )

    kind: Literal["bleach_chemicals"]


class Tower(Mix):
    """A tower: hours of pulp."""

    HORIZON_H: ClassVar[float] = 4.0

    kind: Literal["tower"]
    volume_m3: float = Field(gt=0)
    holds_consistency_pct: Consistency
