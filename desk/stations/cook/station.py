"""What the cook house adds to the desk."""

from collections.abc import Iterable
from typing import Final

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse

from desk.floor.state import State
from desk.floor.station import Station
from desk.stations.cook.bench import correct_reading_of_result, correct_reading_of_test
from desk.stations.cook.devices import TAKERS, acts, counters
from desk.stations.cook.figures import cook_figure
from desk.stations.cook.history import load_past
from desk.stations.cook.house import house_of
from desk.stations.cook.judgement import card_figure
from desk.stations.cook.pages import overview
from desk.stations.cook.pages.charge import charge_figure
from desk.stations.cook.speaking import in_view, spoken
from desk.stations.cook.tables import COOK_TABLES
from desk.stations.cook.tanks import liquor_figure, strength_figure
from desk.stations.cook.telling import blown_since, blows, due, in_flight, leads, made, places, readings, sheet, urgent
from desk.stations.cook.urls import urls


def _home(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    return redirect("cook_house", world_slug=state.world.slug)


def _pages(state: State) -> Iterable[str]:
    """Yield the address of each of its pages, one cook and its sheet among them."""
    slug = state.world.slug
    yield from (address for name, _, address in overview.tabs(state) if name != "cook_house")
    for cook in state.cooks[:1]:
        yield reverse("cook", args=[slug, cook.number])
        yield reverse("cook_sheet", args=[slug, cook.number])


STATION: Final = Station(
    kind="cook",
    title="Cook house",
    serves=lambda line: bool(line.cook.recipes) and bool(line.stop_id("cook")),
    home=_home,
    tabs=overview.tabs,
    urls=urls,
    tables=COOK_TABLES,
    takers=TAKERS,
    figures={
        "cook": cook_figure,
        "charge": charge_figure,
        "liquor": liquor_figure,
        "strength": strength_figure,
        "card": card_figure,
    },
    readings=readings,
    fitted=lambda state, recipe_id: house_of(state).fitted(recipe_id),
    due=due,
    in_flight=in_flight,
    blows=blows,
    blown_since=blown_since,
    sheet=sheet,
    made=made,
    places=places,
    spoken=spoken,
    in_view=in_view,
    leads=leads,
    urgent=urgent,
    acts=acts,
    counters=counters,
    corrections={
        "cooking.result": correct_reading_of_result,
        "cooking.liquortest": correct_reading_of_test,
    },
    past=load_past,
    pages=_pages,
    pictures={
        "cook": ("cook/1187/", "brandt", "light"),
        "charge": ("cook/charge/", "brandt", "light"),
        "liquor": ("cook/liquor/", "vale", "light"),
    },
)
