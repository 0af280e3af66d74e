"""Equipment of recovered paper: flotation."""

from typing import ClassVar, Literal

from stock.primitives import Separate


class Flotation(Separate):
    """Flotation cells in their stages: ink goes with the froth."""

    GATE: ClassVar[str] = "ink"

    kind: Literal["flotation"]
