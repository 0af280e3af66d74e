"""Blending equipment: the blend chest, where the furnish is set, and the filler that goes with it."""

from typing import Literal

from stock.primitives import Mix, Source


class BlendChest(Mix):
    """Where the shares of the furnish are set."""

    kind: Literal["blend_chest"]
    recipe: Literal[True] = True


class Filler(Source):
    """Filler slurry; it runs until the sheet holds the grade's ash."""

    kind: Literal["filler"]
