"""What bleaching and water add to the desk."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Final

from django.urls import path, reverse
from django.utils import timezone

from desk.floor.due import Item
from desk.floor.state import State
from desk.floor.station import Station
from desk.stations.bleach import kept, pages, tank_page, water_page
from desk.stations.bleach.coming import coming_to, warning
from desk.stations.bleach.effluent import over_today
from desk.stations.bleach.responses import bleaches, response_stands
from desk.stations.bleach.tables import BLEACH_TABLES
from desk.stations.bleach.tanks import runs_out
from stock.bleaching.unit import BleachStage
from stock.line.definition import Definition

STEP_KG: Final = 0.3  # of the first stage's charge, below which nobody moves it


def _serves(line: Definition) -> bool:
    return any(isinstance(unit, BleachStage) for unit in line.units)


def _due(state: State) -> Iterable[Item]:
    """Yield what a bleach asks for: to be emptied where it stands, a load, another charge for another kappa."""
    yield from _stands_or_changes(state)
    if (over := over_today(state)) is not None:
        station = next(one.station for one in state.line.units if isinstance(one, BleachStage))
        yield Item(state.now, "Effluent over what is left", over[1], "outside", station, now=True)
    for one in runs_out(state):
        if one.cover is not None and one.empty_at is not None:
            words = f"{one.cover.value:.0f} h left at what its pumps draw; dipped or filled {timezone.localtime(one.at):%H:%M}."
            yield Item(one.empty_at, f"{one.words}: {one.formula} runs out", words, "outside", one.tank.unit.station)


def _stands_or_changes(state: State) -> Iterable[Item]:
    """Yield a bleach that stands, and each change of kappa that will take an exit out of its band."""
    for told in state.line.units:
        if not isinstance(told, BleachStage):
            continue
        if (stood := coming_to(state, told).standing) is not None:
            words = f"Chemicals off first; {stood.stage} holds its pulp until {timezone.localtime(stood.until):%H:%M} at most."
            yield Item(stood.until, f"{told.name} stands: {stood.stage}", words, "outside", told.station)
            continue
        if warning(state, told, coming_to(state, told)) is None:
            continue  # most pages ask no more than this
        unit = next(one for one in bleaches(state) if one.id == told.id)
        outlook = coming_to(state, unit)
        found = warning(state, unit, outlook)
        if found is None:
            continue
        at, value, kappa = found
        enters = at - timedelta(hours=outlook.hold_h)
        words = (
            f"Kappa {kappa:.1f}; without a change the exit shows {value:.1f} % ISO at {timezone.localtime(at):%H:%M}."
        )
        part = next((one for one in outlook.told if abs(one.kappa - kappa) < 0.01 and one.figure is not None), None)
        if part is not None and part.figure is not None and enters > state.now:
            words += f" First stage at {part.figure.text} kg/BDt as it comes."
        elif enters <= state.now:
            words += " It is past the first mixer: meet it in the last stage."
        yield Item(max(enters, state.now), f"{unit.name}: another kappa comes", words, "outside", unit.station)


STATION: Final = Station(
    kind="bleach",
    title="Bleaching and water",
    serves=_serves,
    home=pages.home,
    tabs=pages.tabs,
    urls=lambda: [
        path("bleach/kept/", kept.page, name="bleach_kept"),
        path("bleach/tanks/", tank_page.page, name="bleach_tanks"),
        path("bleach/tanks/load/", tank_page.load, name="bleach_load"),
        path("bleach/tanks/dip/", tank_page.dip, name="bleach_dip"),
        path("bleach/kept/tracer/", kept.tracer, name="bleach_tracer"),
        path("bleach/kept/control/", kept.control, name="bleach_control"),
        path("bleach/kept/rung/", kept.rung, name="bleach_rung"),
        path("bleach/kept/accept/", kept.accept, name="bleach_accept"),
        path("bleach/<slug:unit_id>/", pages.page, name="bleach"),
        path("bleach/<slug:unit_id>/try/", pages.work_out, name="bleach_try"),
        path("bleach/<slug:unit_id>/again/", pages.again, name="bleach_again"),
        path("water/", water_page.water, name="water"),
        path("water/try/", water_page.bind, name="water_try"),
        path("water/day/", water_page.day, name="water_day"),
    ],
    tables=BLEACH_TABLES,
    stands=response_stands,
    due=_due,
    places=lambda state, text: (
        [("Water", "fresh, used again, drains", reverse("water", args=[state.world.slug]))]
        if text and "water".startswith(text[:5].lower()) and pages.has_water(state)
        else []
    ),
    pictures={"bleach": ("bleach/wood_bleach/", "orr", "light")},
    pages=lambda state: [address for _, _, address in pages.tabs(state)],
)
