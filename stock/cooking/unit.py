"""The cook house's equipment in the balance: a group of batch digesters, the blow tank, the liquor charged."""

from typing import ClassVar, Literal

from stock.parts import Point, Points, points
from stock.primitives import Dose, Mix, React

STRENGTH = Point(
    "{of}, effective alkali", "Strength", "kg_per_m3_as_naoh", (20, 300), 1, ("strength", "effective", "alkali")
)
LIQUOR_POINTS: Points = points(
    strength=STRENGTH,
    sulphidity=Point("{of}, sulphidity", "Sulphidity", "sulphidity_pct", (0, 60), 1, ("sulphidity",)),
    causticity=Point("{of}, causticity", "Causticity", "causticity_pct", (30, 100), 1, ("causticity", "causticizing")),
    total_so2=Point("{of}, total SO2", "Total SO2", "total_pct", (0, 15), 2, ("total", "so2")),
    combined_so2=Point("{of}, combined SO2", "Combined", "combined_pct", (0, 8), 2, ("combined", "so2")),
)


class BatchDigesters(React):
    """A group of batch digesters that cook one material."""

    GATE: ClassVar[str] = "kappa"
    POINTS: ClassVar[Points] = points(
        plug=Point("Solids of the feed plug, {of}", "Plug", "consistency_pct", (5, 70), 1, ("plug", "solids", "feed")),
    )

    kind: Literal["batch_digesters"]


class LiquorDose(Dose):
    """Cooking liquor or acid, in proportion to the wood."""

    POINTS: ClassVar[Points] = LIQUOR_POINTS

    kind: Literal["cooking_liquor"]


class BlowTank(Mix):
    """The tank digesters are blown into; it fills at each blow, whatever its trend says."""

    BATCHWISE: ClassVar[bool] = True
    HORIZON_H: ClassVar[float] = 4.0  # a cook or two

    kind: Literal["blow_tank"]
