"""Where stock is diluted and kept: dilution points, chests, water tanks."""

from typing import Literal

from stock.parts import Consistency
from stock.primitives import Mix, Tank


class Dilution(Mix):
    """A point where water is let in to a consistency."""

    kind: Literal["dilution"]
    consistency_pct: Consistency


class Chest(Mix):
    """A chest of stock."""

    kind: Literal["chest"]


class WaterTank(Tank):
    """A tank of white water or filtrate: users draw what they need, the rest overflows."""

    kind: Literal["water_tank"]
