"""Numbers of a cook found again by their key."""

from desk.floor.models import Cook
from desk.floor.state import State
from desk.floor.text import whole
from desk.stations.cook.house import house_of
from stock.figure import Figure


def cook_figure(state: State, rest: str) -> Figure:
    """Find a number of a cook: `number:name`."""
    number, _, name = rest.partition(":")
    cook = Cook.objects.filter(world=state.world, number=whole(number)).first()
    house = house_of(state)
    followed = house.follow(cook) if cook else None
    if followed is None:
        raise LookupError(rest)
    return house.figures(followed)[name]
