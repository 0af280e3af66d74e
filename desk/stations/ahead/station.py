"""What the look ahead adds to the desk."""

from typing import Final

from django.urls import path, reverse

from desk.floor.station import Station
from desk.stations.ahead import pages
from desk.stations.ahead.tables import AHEAD_TABLES
from desk.stations.ahead.telling import courses, due

STATION: Final = Station(
    kind="ahead",
    title="Look ahead",
    urls=lambda: [
        path("ahead/", pages.page, name="ahead"),
        path("ahead/what-if/", pages.what_if, name="ahead_what_if"),
    ],
    tables=AHEAD_TABLES,
    due=due,
    courses=courses,
    pages=lambda state: [reverse("ahead", args=[state.world.slug])],
    pictures={"ahead": ("ahead/", "sundby", "light")},
)
