"""Equipment that makes stock of dry fibre: pulpers for lots, bales and broke, and the chests of broke."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Point, Points, points
from stock.primitives import Mix, Store


class Pulper(Mix):
    """A pulper, drum or vat; a batch where it has one."""

    GATE: ClassVar[str] = "consistency"
    POINTS: ClassVar[Points] = points(
        swing=Point("Swing of the motor, {of}", "Swing", "swing_pct", (0, 100), 0, ("swing", "motor", "amps")),
    )

    kind: Literal["pulper"]
    batch_bdt: float | None = Field(
        None, gt=0, le=100, description="bone-dry fibre of a batch, where it runs in batches"
    )


class BrokeChest(Store):
    """Broke of one family, kept until it may be used."""

    HORIZON_H: ClassVar[float] = 8.0  # a shift: the furnish takes it back by points

    kind: Literal["broke_chest"]
