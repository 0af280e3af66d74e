"""Washing equipment: washers and presses."""

from typing import ClassVar, Final, Literal, Self

from pydantic import Field, model_validator

from stock.parts import Consistency, Fitted, Part, Point, Points, points
from stock.primitives import Separate, Wash

LOSS = Point("Wash loss, {of}", "Wash loss", "loss_kg_per_bdt", (0.5, 80), 1, ("wash", "loss", "salt"), told=True)


MachineType = Literal["drum", "press", "diffuser", "zone", "displacement drum", "belt", "line"]
CLOSE: Final = 0.05


class Machine(Part):
    """A machine of a washing line, told by its efficiency at 10 %."""

    name: str = Field(max_length=40)
    type: MachineType = "drum"
    e_std: float = Field(gt=0, le=60, description="standardised efficiency at 10 %")
    discharge_consistency_pct: Consistency
    vat_consistency_pct: Consistency | None = Field(None, description="in its vat, where it has one")
    tank_m3: float | None = Field(None, gt=0, le=1e5, description="its filtrate tank")
    drum_diameter_m: float | None = Field(None, gt=0, le=20)
    drum_face_m: float | None = Field(None, gt=0, le=20)
    drum_speed_rpm: float | None = Field(None, gt=0, le=60)


class Washer(Separate):
    """A washing line: liquor displaced counter-current, by one machine or several."""

    GATE: ClassVar[str] = "loss"
    POINTS: ClassVar[Points] = points(
        loss=LOSS,
        vacuum=Point("Vacuum of {of}", "Vacuum", "vacuum_kpa", (0, 80), 0, ("vacuum",)),
        vat=Point("Vat of {of}", "Vat", "vat_pct", (0, 110), 0, ("vat",)),
        strong_solids=Point("Solids of the strong liquor, {of}", "Strong", "solids_pct", (0.5, 40), 1, ("strong",)),
    )

    kind: Literal["washer"]
    wash: Wash
    feed_solids_kg_per_bdt: Fitted | None = Field(None, description="dissolved solids that come with the pulp")
    machines: list[Machine] = Field(default_factory=list, max_length=12, description="from the dirty end")
    evaporation_capacity_t_per_h: float | None = Field(
        None, gt=0, le=1e4, description="water the evaporators take of this line"
    )
    evaporation_cost_per_t: float | None = Field(
        None, ge=0, le=1e4, description="cost of a tonne of water to evaporate"
    )
    loss_cost_per_kg: float | None = Field(None, ge=0, le=1e4, description="cost of a kilogram of solids lost")

    @model_validator(mode="after")
    def _machines_are_the_line(self) -> Self:
        """See that the machines together are what the line is said to be."""
        if not self.machines:
            return self
        total = sum(one.e_std for one in self.machines)
        if abs(total - self.wash.e_std) > CLOSE:
            message = f"the machines' efficiencies add to {total:.2f}, the line's is {self.wash.e_std:g}"
            raise ValueError(message)
        last = self.machines[-1].discharge_consistency_pct
        if abs(last - self.consistency_pct) > CLOSE:
            message = f"the last machine leaves {last:g} %, the line {self.consistency_pct:g} %"
            raise ValueError(message)
        return self


class Press(Separate):
    """A press after a bleach, with wash liquor or without."""

    POINTS: ClassVar[Points] = points(loss=LOSS)

    kind: Literal["press"]
