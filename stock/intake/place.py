"""What the rows of wood and bagasse ask of where they stand: a number of the recipe, of the feed, of the yard."""

from stock.figure import Datum
from stock.intake.unit import Bagasse
from stock.judge.here import Place, given

TO_COOK = ("to:batch_digesters",)


def share(datum: Datum) -> Datum:
    """Turn a value in per cent into a fraction, origin kept."""
    return Datum(datum.value / 100, datum.origin, datum.figure)


def of_recipe(place: Place, field: str) -> Datum:
    """Return a number of the recipe cooked there."""
    return given(place.facts, place.recipe, field, f"recipe {place.recipe.name}")


def of_feed(place: Place, field: str) -> Datum:
    """Return a number of what chips pass on their way into the stream; LookupError where nothing is said of it."""
    yard = place.line.yard
    if yard is None:
        raise LookupError(place.name)
    return given(place.facts, yard.feed(place.stream.id), field, f"feed of {place.stream.called}")


def of_yard(place: Place, field: str) -> Datum:
    """Return a number of the yard."""
    return given(place.facts, place.line.yard, field, "yard")


def is_bagasse(place: Place) -> bool:
    """Whether its fibre is bagasse."""
    return isinstance(place.source, Bagasse)


def is_wood(place: Place) -> bool:
    """Whether its fibre is wood."""
    return not is_bagasse(place)
