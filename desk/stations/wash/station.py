"""What washing adds to the desk."""

from collections.abc import Iterable
from typing import Final

from django.urls import reverse

from desk.floor.due import Item
from desk.floor.state import State
from desk.floor.station import Station
from desk.stations.wash.devices import TAKERS
from desk.stations.wash.history import load_washing
from desk.stations.wash.pages import home, tabs
from desk.stations.wash.shown import CAUSES, seen_of, shows_of, washers
from desk.stations.wash.tables import WASH_TABLES
from desk.stations.wash.urls import urls
from stock.line.definition import Definition
from stock.washing.signs import likeliest, weighed
from stock.washing.unit import Washer


def _serves(line: Definition) -> bool:
    return any(isinstance(unit, Washer) for unit in line.units)


def _due(state: State) -> Iterable[Item]:
    """Yield each machine that fell behind."""
    for unit in washers(state):
        for one in shows_of(state, unit):
            if one.behind and one.row is not None and one.last is not None:
                likely = likeliest(weighed(seen_of(state, unit, one)))
                cause = f"Look in order at {CAUSES}" if likely is None else f"Likeliest: {likely.words}"
                words = f"{one.last.value:.1f} against {one.mean:.1f}. {cause}."
                yield Item(one.row.at, f"{one.machine.name} washes less", words, "outside", unit.station, now=True)


def _pages(state: State) -> list[str]:
    slug = state.world.slug
    machines = [reverse("wash_machine", args=[slug, unit.id, 1]) for unit in washers(state)]
    return [*(address for _, _, address in tabs(state)), *machines]


STATION: Final = Station(
    kind="wash",
    title="Washing",
    serves=_serves,
    home=home,
    tabs=tabs,
    urls=urls,
    tables=WASH_TABLES,
    takers=TAKERS,
    due=_due,
    past=load_washing,
    places=lambda state, text: (
        [("Rounds and mats", "liquors of the washers, mats by hand", reverse("wash_rounds", args=[state.world.slug]))]
        if washers(state) and text and "rounds and mats".startswith(text[:15].lower())
        else []
    ),
    pages=_pages,
)
