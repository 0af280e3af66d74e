"""What the yard adds to the desk."""

from collections.abc import Iterable
from typing import Final

from django.http import HttpRequest, HttpResponse
from django.urls import reverse

from desk.floor.state import State
from desk.floor.station import Station
from desk.stations.yard.devices import TAKERS
from desk.stations.yard.figures import yard_figure
from desk.stations.yard.history import load_yard
from desk.stations.yard.pages import overview
from desk.stations.yard.panels import SAMPLING, YARD_PANELS
from desk.stations.yard.readings import derived
from desk.stations.yard.speaking import in_view, spoken
from desk.stations.yard.stock import yard_of
from desk.stations.yard.tables import YARD_TABLES
from desk.stations.yard.telling import due, places, series, sheet, story
from desk.stations.yard.urls import urls


def _home(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    return overview.show(request, state)


def _pages(state: State) -> Iterable[str]:
    """Yield the address of each of its pages, one pile and one lot among them."""
    slug, yard = state.world.slug, yard_of(state)
    yield from (address for _, _, address in overview.tabs(state))
    for pile in yard.part.piles[:1]:
        yield reverse("yard_pile", args=[slug, pile.id])
    lots = [lot.number for pile in yard.piles.values() for lot in pile.lots]
    for number in lots[:1]:
        yield reverse("yard_lot", args=[slug, number])


STATION: Final = Station(
    kind="yard",
    title="Yard",
    serves=lambda line: line.yard is not None and bool(line.stop_id("yard")),
    home=_home,
    tabs=overview.tabs,
    urls=urls,
    panels=(*YARD_PANELS, *SAMPLING),
    tables=YARD_TABLES,
    takers=TAKERS,
    figures={"yard": yard_figure},
    readings=derived,
    due=due,
    sheet=sheet,
    series=series,
    places=places,
    spoken=spoken,
    in_view=in_view,
    story=story,
    past=load_yard,
    pages=_pages,
    pictures={
        "yard": ("at/yard/", "orr", "light"),
        "lots": ("yard/lots/", "orr", "light"),
        "blend": ("yard/blend/", "orr", "light"),
    },
)
