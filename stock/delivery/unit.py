"""The machine end as the balance sees it: head box, wire, save-all, dryer, reel, effluent."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Point, Points, points
from stock.primitives import MOST_M3, Mix, Separate, Sink


class MachineChest(Mix):
    """The chest the machine draws from."""

    kind: Literal["machine_chest"]
    volume_m3: float = Field(gt=0, le=MOST_M3)


class HeadBox(Mix):
    """Stock thinned for the wire."""

    GATE: ClassVar[str] = "consistency"

    kind: Literal["head_box"]


class Wire(Separate):
    """Wire and press: what stays in the sheet, what goes through."""

    kind: Literal["wire"]


class SaveAll(Separate):
    """Fibre won back from white water."""

    POINTS: ClassVar[Points] = points(
        recovery=Point("Recovery of {of}", "Recovery", "recovery_pct", (0, 100), 1, ("recovery",), told=True),
    )

    kind: Literal["save_all"]


class Dryer(Separate):
    """Where the sheet is dried."""

    kind: Literal["dryer"]


class Reel(Sink):
    """The reel: the order is counted here."""

    POINTS: ClassVar[Points] = points(
        sizing=Point("Water the sheet takes up", "Cobb", "cobb_g_per_m2", (5, 200), 1, ("cobb", "sizing", "size")),
        shade=Point("Depth of the dyed band", "Shade", "shade_ks", (0, 5), 4, ("shade", "dye", "colour")),
    )

    kind: Literal["reel"]
    order: Literal[True] = True


class Effluent(Sink):
    """What leaves for the sewer."""

    kind: Literal["effluent"]
