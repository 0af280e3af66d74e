"""Where a panel's fields come from: the place the panel stands at, and what can be seen from there."""

from collections.abc import Callable

from stock.figure import Datum, Figure, Origin
from stock.intake.place import of_feed, of_recipe
from stock.judge.here import Place

Fill = Callable[[Place], Datum]


def _rounded(datum: Datum) -> Datum:
    """Round a flow to three places, and one of a workshop's to four digits."""
    value = float(datum.value)
    return Datum(round(value, 3) if abs(value) >= 1 else float(f"{value:.4g}"), datum.origin, datum.figure)


def reading(point: str) -> Fill:
    """Fill from the last value read at a point there, to the decimals it is shown with."""

    def fill(place: Place) -> Datum:
        datum, tag_id = place.reading(point), place.part.tag_of(point)
        decimals = place.line.tag(tag_id).decimals if tag_id is not None else None
        return Datum(round(datum.value, decimals), datum.origin, datum.figure) if decimals is not None else datum

    return fill


def target(point: str) -> Fill:
    """Fill from a target there."""
    return lambda place: place.target(point)


def given(field: str) -> Fill:
    """Fill from a parameter of the part."""
    return lambda place: place.given(field)


def feed(field: str) -> Fill:
    """Fill from what chips pass on their way into the stream."""
    return lambda place: of_feed(place, field)


def recipe(field: str) -> Fill:
    """Fill from the recipe cooked there."""
    return lambda place: of_recipe(place, field)


def flow() -> Fill:
    """Fill from the running balance: what goes on from there, bone-dry."""
    return lambda place: _rounded(place.flow())


def flow_in() -> Fill:
    """Fill from the running balance: the stock that comes in there, bone-dry."""
    return lambda place: _rounded(place.flow_in())


def percent(point: str) -> Fill:
    """Fill from a value in per cent read there, as a fraction."""
    read = reading(point)

    def fill(place: Place) -> Datum:
        datum = read(place)
        return Datum(datum.value / 100, datum.origin)

    return fill


def step(size: Figure, noun: str, unit: str) -> str:
    """Say which way and how far to move something."""
    verb = "Raise" if size.value >= 0 else "Lower"
    return f"{verb} {noun} by {abs(size.value):.{size.decimals}f} {unit}."


def assumed(value: float, why: str) -> Fill:
    """Fill with a usual value, said to be assumed."""
    return lambda place: Datum(value, Origin("assumed", why))
