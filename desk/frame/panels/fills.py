"""Where a panel's fields come from."""

from desk.floor.state import State
from desk.frame.panels.attempt import Fill
from stock.figure import Datum, Figure, Origin


def reading(tag: str) -> Fill:
    """Fill from the last value of a tag."""
    return lambda state: state.reading(tag)


def target(tag: str) -> Fill:
    """Fill from a target."""
    return lambda state: state.target(tag)


def constant(name: str) -> Fill:
    """Fill from the mill's own figures."""
    return lambda state: state.constant(name)


def flow(stream: str) -> Fill:
    """Fill from the running balance, bone-dry."""

    def fill(state: State) -> Datum:
        datum = state.flow(stream)
        return Datum(round(datum.value, 3), datum.origin, datum.figure)

    return fill


def percent(tag: str) -> Fill:
    """Fill from a tag in per cent, as a fraction."""

    def fill(state: State) -> Datum:
        datum = state.reading(tag)
        return Datum(datum.value / 100, datum.origin)

    return fill


def step(size: Figure, noun: str, unit: str) -> str:
    """Say which way and how far to move something."""
    verb = "Raise" if size.value >= 0 else "Lower"
    return f"{verb} {noun} by {abs(size.value):.{size.decimals}f} {unit}."


def assumed(value: float, why: str) -> Fill:
    """Fill with a usual value, said to be assumed."""
    return lambda state: Datum(value, Origin("assumed", why))
