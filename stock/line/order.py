"""What the machine asks for."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from stock.errors import DomainError
from stock.line.definition import Grade


@dataclass(frozen=True, slots=True)
class Order:
    """What the machine asks for."""

    grade: Grade
    reel_t_per_h: float
    shares: Mapping[str, float]

    @classmethod
    def of(cls, grade: Grade, reel_t_per_h: float | None = None, shares: Mapping[str, float] | None = None) -> "Order":
        """Make an order, by default the grade's own tonnes and recipe.

        Raises
        ------
        DomainError
            E_RANGE for tonnes outside 0 to 200, E_SUM for shares that do not add to 1.
        """
        tonnes = grade.tonnes_per_h if reel_t_per_h is None else reel_t_per_h
        if not (np.isfinite(tonnes) and 0 < tonnes <= 200):
            raise DomainError(
                "E_RANGE",
                "reel_t_per_h",
                f"the order is {tonnes:g} t/h, outside 0 to 200 t/h",
                "more than 0, to 200 t/h",
            )
        recipe = dict(grade.shares if shares is None else shares)
        for name, share in recipe.items():
            if not 0 <= share <= 1:
                raise DomainError(
                    "E_RANGE", name, f"the share of {name} is {100 * share:g} %, outside 0 to 100 %", "0 to 100 %"
                )
        total = sum(recipe.values())
        if abs(total - 1) > 1e-6:
            raise DomainError(
                "E_SUM", "shares", f"the shares add to {100 * total:.1f} %; they must add to 100 %", "100 %"
            )
        return cls(grade, tonnes, recipe)
