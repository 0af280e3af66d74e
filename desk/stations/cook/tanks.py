"""Liquor in its tanks: how strong it is, how long it lasts at what the cooks take, how much was causticized."""

from dataclasses import replace
from typing import Final

from desk.floor.state import State
from desk.stations.cook.bench import titrated
from desk.stations.cook.board import turn_min
from desk.stations.cook.house import House, house_of
from desk.stations.cook.known import strength_of
from stock.cooking.recipe import Tank
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

CAUSTICIZING: Final = "causticizing"


def cover_of(house: House, tank: Tank) -> Figure | None:
    """Return how long a tank lasts at what the cooks take, None where nothing is known."""
    state = house.state
    level = state.readings.get(tank.level)
    draw = draw_of(house, tank)
    if level is None or draw is None or draw.value <= 0:
        return None
    set_by = state.set_origin(f"tank {tank.name}")
    found = figure(
        "liquor_cover",
        f"cover in {tank.name.lower()}",
        {
            "volume_m3": Datum(tank.volume_m3, set_by),
            "level_pct": level.as_datum(),
            "low_pct": Datum(tank.low_pct, set_by),
            "draw_m3_per_h": draw,
        },
    )
    return replace(found, key=f"liquor:{tank.id}")


def causticizing(house: House) -> Figure | None:
    """Return how much of the carbonate was made hydroxide, by the last white and green liquor; None without both."""
    last = {test.kind: test for test in house.news.tests}
    if "white" not in last or "green" not in last:
        return None
    data: dict[str, Datum] = {}
    for kind, names in (("white", ("naoh", "na2co3")), ("green", ("naoh",))):
        test = last[kind]
        result = dict(titrated(kind, test.volumes, by=test.by, at=test.at).results)
        origin = Origin("measured", f"{kind} liquor, A/B/C titration by {test.by}", test.at)
        data |= {
            f"{kind}_{name}_kg_per_m3_as_naoh": Datum(result[f"{name}_kg_per_m3_as_naoh"], origin) for name in names
        }
    try:
        found = figure("causticizing_efficiency", "causticizing efficiency", data, decimals=3)
    except DomainError:  # samples swapped: the titrations listed below show it
        return None
    return replace(found, key=f"liquor:{CAUSTICIZING}")


def draw_of(house: House, tank: Tank) -> Datum | None:
    """Return what the cooks take of a tank's liquor on average: the sheet of each recipe over its rhythm."""
    total, words = 0.0, []
    name = {"white": "liquor", "caustic": "liquor", "acid": "liquor", "black": "fill"}[tank.liquor]
    for recipe in house.part.recipes:
        if tank.liquor not in recipe.practice.tanks:
            continue
        own = [one for one in house.part.digesters if one.recipes[0] == recipe.id]
        turn = turn_min(house, recipe)
        if not own or turn <= 0:
            continue
        try:
            volume = house.sheet(recipe, own[0], {}).value(name) or 0.0
        except DomainError:
            return None
        total += volume * 60 * len(own) / turn
        words.append(f"{volume:.1f} m³ each {turn / len(own):.0f} min, {recipe.name.split(',')[0].lower()}")
    return Datum(total, Origin("computed", "; ".join(words))) if words else None


def liquor_figure(state: State, rest: str) -> Figure:
    """Find the cover of a tank by its id, or the causticizing efficiency."""
    house = house_of(state)
    if rest == CAUSTICIZING:
        found = causticizing(house)
    else:
        found = cover_of(house, next(one for one in house.part.tanks if one.id == rest))
    if found is None:
        raise LookupError(rest)
    return found


def strength_figure(state: State, rest: str) -> Figure:
    """Find the strength of a tank by its id."""
    house = house_of(state)
    found = strength_of(house, next(one for one in house.part.tanks if one.id == rest))
    if found is None:
        raise LookupError(rest)
    return found
