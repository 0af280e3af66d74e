"""Whose pulp is where: every vessel after a cook house, by the cooks whose pulp it holds now."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Final

from desk.floor.state import State
from desk.floor.station import Blow, stations
from desk.frame.plot import Scale
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.plan.arriving import Stretch, way_to_machine
from stock.plan.whence import held_after

WIDTH: Final = 420.0
LEAST_FRAC: Final = 0.02  # of a place, that is drawn and told; the rest is told together
TEXT_FITS: Final = 38.0
BACK: Final = timedelta(hours=72)
FADED: Final = 6.0  # times what mixes, after which a blow is no more than a trace
TOLD: Final = 3


@dataclass(frozen=True, slots=True)
class Piece:
    """A cook's part of a place, as drawn."""

    label: str
    share_frac: float
    x: float
    width: float
    odd: bool

    @property
    def fits(self) -> bool:
        """Whether its number can stand on it."""
        return self.width >= TEXT_FITS


@dataclass(frozen=True, slots=True)
class Place:
    """A vessel, whose pulp it holds, and how that was worked out."""

    name: str
    pieces: Sequence[Piece]
    others_frac: float
    figure: Figure

    @property
    def most(self) -> list[Piece]:
        """The cooks most of it is of, the most first."""
        return sorted(self.pieces, key=lambda one: -one.share_frac)[:TOLD]


@dataclass(frozen=True, slots=True)
class House:
    """A cook house and the places its pulp comes to, in order."""

    name: str
    places: Sequence[Place]

    @property
    def last(self) -> Place:
        """The place nearest to the machine."""
        return self.places[-1]


def whence(state: State) -> list[House]:
    """Return every cook house whose blows are known, with whose pulp is where on the way to the machine chest."""
    found = []
    blown = [one for station in stations() for one in station.blown_since(state, state.now - BACK) if one.bdt > 0]
    for unit in state.line.units:
        recipes, own = state.line.cook.at(unit.id), [one for one in blown if one.unit == unit.id]
        places = _places(state, recipes[0], own) if recipes and own else []
        if places:
            found.append(House(unit.name, places))
    return found


def _places(state: State, recipe: Recipe, blows: Sequence[Blow]) -> list[Place]:
    tank_id = recipe.blow_to or ""
    onward = state.line.graph.onward(tank_id) if tank_id in state.vessels else None
    if onward is None or (state.vessels[tank_id].level or "") not in state.readings:
        return []
    levels = {
        name: state.readings[one.level].value for name, one in state.vessels.items() if one.level in state.readings
    }
    way = way_to_machine(state.line, state.result, levels, tank_id)
    drawn = state.result.streams[onward.id].bdt_per_h
    turns_h = float(state.contents(tank_id).value) / drawn if drawn > 1e-6 else 0.0  # how long the tank holds pulp
    rows = _rows(state, tank_id, drawn, blows)
    found = []
    for upto in range(len(way) + 1):
        name = way[upto - 1].name if upto else state.line.unit(tank_id).name
        mixed_h, plug_h = turns_h + sum(one.mixed_h for one in way[:upto]), sum(one.plug_h for one in way[:upto])
        lasts_h = plug_h + FADED * mixed_h
        told = [index for index, row in enumerate(rows.value) if row["ago_h"] <= lasts_h]
        own = Datum([rows.value[index] for index in told], rows.origin)
        try:
            found.append(_place(name, own, [str(blows[index].number) for index in told], way[:upto]))
        except DomainError:
            return found
    return found


def _rows(state: State, tank_id: str, draw_bdt_per_h: float, blows: Sequence[Blow]) -> Datum:
    """Return the blows as the method takes them: how long ago, what each brought, what the tank held just after."""
    held_now = float(state.contents(tank_id).value)
    ages = [(state.now - one.at).total_seconds() / 3600 for one in blows]
    held = held_after([(age, one.bdt) for age, one in zip(ages, blows, strict=True)], held_now, draw_bdt_per_h)
    rows = [
        {"ago_h": age, "bdt": one.bdt, "held_bdt": after} for age, one, after in zip(ages, blows, held, strict=True)
    ]
    tank = state.line.unit(tank_id).name
    return Datum(rows, Origin("computed", f"cooks blown, {tank} as it is read, what is drawn from it now"))


def _place(name: str, rows: Datum, names: Sequence[str], way: Sequence[Stretch]) -> Place:
    words = ", ".join(f"{one.name} {one.mixed_h + one.plug_h:.1f}" for one in way) or "nothing lies between"
    data = {
        "blows": rows,
        "taus_each_h": Datum(
            [one.mixed_h for one in way if one.mixed_h > 0], Origin("computed", f"content over draw, h: {words}")
        ),
        "dead_h": Datum(sum(one.plug_h for one in way), Origin("computed", "as a plug, h at the present draw")),
    }
    shown = figure("origin_shares", f"whose pulp is in {name}", data, result="before_frac", decimals=2)
    pieces, x = [], Scale(0.0, 1.0, 0.0, WIDTH)
    begun = told = 0.0
    for index, (label, share) in enumerate(zip(names, shown.results["shares_frac"], strict=True)):
        if share >= LEAST_FRAC:
            pieces.append(Piece(label, share, float(x(begun)), float(x(begun + share) - x(begun)), bool(index % 2)))
            begun, told = begun + share, told + share
    return Place(name, pieces, max(1.0 - told, 0.0), shown)
