"""The lots in a cook: the one thing the cook house asks of the yard."""

from typing import Final

from desk.floor.models import Cook
from desk.stations.yard.trace import Part, lots_of_cook

LEAST_SHOWN: Final = 0.005  # of a cook: less of a lot would be said as 0 %


def lots_shown(cook: Cook) -> list[Part]:
    """Return the lots a cook was made of, the largest first, as far as half a per cent of it is of them."""
    return [part for part in lots_of_cook(cook) if part.share >= LEAST_SHOWN]
