"""Which order a plant is built for: its sizes come of what runs through it at rest."""

from typing import Final

from stock.line.balance import LineBalance, LineResult
from stock.line.definition import Definition
from stock.line.order import Order
from stock.primitives import React

LITTLE: Final = 0.02  # share of a furnish with which a plant is built for what an order leaves out


def built_for(line: Definition, wanted: Order) -> tuple[Order, LineResult]:
    """Return the order a plant is built for, and its balance: the one wanted, or, where that leaves a stage standing, a little of all.

    A stage nothing runs through has no size, its pumps no range: the plant is built with every pulp of the line
    in it, and then asked for what is wanted.
    """
    result = LineBalance(line).solve(wanted)
    stands = any(
        isinstance(unit, React) and all(result.streams[one.id].total_t_per_h <= 0 for one in line.graph.into(unit.id))
        for unit in line.units
    )
    if not stands:
        return wanted, result
    every = {name for grade in line.grades for name, share in grade.shares.items() if share > 0}
    shares = {name: max(wanted.shares.get(name, 0.0), LITTLE) for name in sorted(every | set(wanted.shares))}
    total = sum(shares.values())
    built = Order.of(wanted.grade, wanted.reel_t_per_h, {name: share / total for name, share in shares.items()})
    return built, LineBalance(line).solve(built)
