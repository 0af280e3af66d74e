"""Numbers of the yard found again by their key."""

from desk.floor.state import State
from desk.stations.yard.knives import knives_of
from desk.stations.yard.models import Lot
from desk.stations.yard.readings import lot_figure
from desk.stations.yard.stock import yard_of
from stock.figure import Figure


def yard_figure(state: State, rest: str) -> Figure:
    """Find a number of the yard: `part` or `part.name`."""
    yard = yard_of(state)
    part, _, name = rest.partition(".")
    of_pile = {
        "pile": yard.pile_figure,
        "loss": yard.loss_figure,
        "months": yard.months_figure,
        "cover": yard.cover_figure,
        "feeder": yard.running_feeder,
    }
    if part in of_pile:
        if (shown := of_pile[part](yard.piles[name])) is None:
            raise LookupError(rest)
        return shown
    if part == "need":
        return yard.need_figure(name)
    if part == "stock":
        return yard.stock_figure(name, "days of stock")
    if part == "class":
        number, _, of = name.partition(".")
        rows = (row for rows in yard.samples.values() for row in rows)
        return yard.class_figure(next(row for row in rows if row.pk == int(number)), of, f"{of}, % of the sample")
    if part == "lot":
        return lot_figure(Lot.objects.get(world=state.world, pk=int(name)))
    found = next((one.trend for one in knives_of(yard) if one.chipper.id == name), None) if part == "knife" else None
    found = yard.trips_figure() if part == "trips" else found
    if found is None:
        raise LookupError(rest)
    return found
