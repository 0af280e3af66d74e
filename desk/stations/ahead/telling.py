"""What the look ahead adds to the rail: what runs low, fills up, has no room for a blow."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Final

from desk.floor.due import Item
from desk.floor.state import State
from desk.stations.ahead.looking import Ahead, kept_ahead
from stock.primitives import Vessel
from stock.simulate.outlook import ALERT, WARN, Course

AHEAD: Final = "ahead"
LAST_H: Final = 11  # hour of the look ahead that its end counts with
SOON: Final = timedelta(hours=4)


def due(state: State) -> Iterable[Item]:
    """Yield each vessel that meets a limit in the hours ahead, and the blows there may be no room for."""
    ahead = kept_ahead(state)
    if ahead is None:
        return
    full = set()
    for hour, vessel, chance in _without_room(ahead, state):
        full.add(vessel.id)
        name = f"{vessel.name[:1].lower()}{vessel.name[1:]}"
        words = (
            f"One in {max(1, round(1 / chance))} that the level is too high for it. Draw {name} down, or hold the cook."
        )
        what = f"No room for the blow, {name}"
        yield Item(ahead.at(hour), what, words, "outside", vessel.station, page=AHEAD, hurts=chance > WARN)
    for unit_id, course in ahead.outlook.courses.items():
        if unit_id not in full and (found := _meets(state, ahead, course)) is not None:
            yield found


def _meets(state: State, ahead: Ahead, course: Course) -> Item | None:
    """Return what a vessel meets first; None where nothing, or where it is past it already."""
    unit = state.line.unit(course.unit)
    met = course.first(ahead.outlook.times_h, WARN) or course.first(ahead.outlook.times_h, ALERT)
    if met is None or not isinstance(unit, Vessel):
        return None
    which, hour, chance = met
    reading = state.readings.get(unit.level or "")
    if reading is not None and (reading.value <= unit.low_pct if which == "low" else reading.value >= unit.high_pct):
        return None  # the station says what to do
    at = ahead.at(hour)
    sure = "Likely" if chance > WARN else f"One in {round(1 / chance)}"
    words = f"{'' if reading is None else f'{reading.value:.0f} % now. '}{sure}, by the look ahead{ahead.then(course)}."
    level = "outside" if at - state.now < SOON and chance > WARN else "ok"
    return Item(
        at, f"{unit.name} {'runs low' if which == 'low' else 'fills up'}", words, level, unit.station, page=AHEAD
    )


def _without_room(ahead: Ahead, state: State) -> Iterable[tuple[float, Vessel, float]]:
    """Yield the first blow of each vessel whose level may then be too high for it: hour, vessel, chance."""
    told = set()
    for blow in ahead.outlook.blows:
        unit = state.line.graph.units.get(blow.unit)
        course = ahead.outlook.courses.get(blow.unit)
        if not isinstance(unit, Vessel) or course is None or blow.unit in told:
            continue
        after = next((i for i, at in enumerate(ahead.outlook.times_h) if at >= blow.at_h + blow.long_h), None)
        chance = course.chance_over[after] if after is not None else 0.0
        if chance > ALERT:
            told.add(blow.unit)
            yield blow.at_h, unit, chance


def courses(state: State) -> dict[str, list[tuple[float, float]]]:
    """Return where each vessel's level goes, of the look ahead that is kept: hours on from now, mean per cent of each."""
    ahead = kept_ahead(state)
    if ahead is None:
        return {}
    passed = (state.now - ahead.made_at).total_seconds() / 3600
    hours = ahead.outlook.times_h
    found: dict[str, list[tuple[float, float]]] = {}
    for unit, course in ahead.outlook.courses.items():
        by_hour: dict[int, list[float]] = {}
        for at, level in zip(hours, course.expected_pct, strict=True):
            if at >= passed:
                by_hour.setdefault(min(int(at - passed), LAST_H), []).append(
                    level
                )  # blows and draws of an hour are one point
        found[unit] = [(hour + 0.5, sum(levels) / len(levels)) for hour, levels in by_hour.items()]
    return found
