"""What screens and cleaners add to the desk."""

from typing import Final

from django.urls import path

from desk.floor.station import Station
from desk.stations.screening import pages
from desk.stations.screening.fitting import COUNT_TABLES
from desk.stations.screening.history import load_traps
from desk.stations.screening.traps import TRAP_TABLES
from stock.line.definition import Definition
from stock.screening.unit import Staged


def _serves(line: Definition) -> bool:
    return any(isinstance(unit, Staged) and unit.stages for unit in line.units)


STATION: Final = Station(
    kind="screen",
    title="Screens and cleaners",
    serves=_serves,
    home=pages.home,
    tabs=pages.tabs,
    urls=lambda: [
        path("screens/<slug:unit_id>/", pages.page, name="screening"),
        path("screens/<slug:unit_id>/try/", pages.work_out, name="screening_try"),
        path("screens/<slug:unit_id>/dump/", pages.dump, name="screening_dump"),
        path("screens/<slug:unit_id>/count/", pages.count, name="screening_count"),
        path("screens/<slug:unit_id>/accept/", pages.accept, name="screening_accept"),
    ],
    tables={**TRAP_TABLES, **COUNT_TABLES},
    past=load_traps,
    pages=lambda state: [address for _, _, address in pages.tabs(state)],
)
