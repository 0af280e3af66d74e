"""The board: every digester against the clock, the steam they draw together, and who is waiting for what."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

import numpy as np

from desk.floor import clock
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, hold_min, recipe_of
from stock.cooking.recipe import Recipe
from stock.cooking.schedule import Draw, Leg, draw_of, earliest_steam, later_by, legs, steam_curve
from stock.errors import DomainError

BACK_MIN: Final = 180.0
AHEAD_MIN: Final = 330.0
STEP_MIN: Final = 2.0


@dataclass(frozen=True, slots=True)
class Bar:
    """A cook on the board, its legs in minutes from now; `planned` for one not started."""

    number: int
    digester: int
    recipe: Recipe
    legs: list[Leg]
    planned: bool
    projected: bool = False


@dataclass(frozen=True, slots=True)
class Waiting:
    """What a digester waits for, in words, until when; `level` says whether it holds the line up."""

    digester: int
    words: str
    until: datetime | None
    level: str


@dataclass(frozen=True, slots=True)
class Board:
    """All of it."""

    bars: list[Bar]
    grid_min: np.ndarray
    steam_t_per_h: np.ndarray
    limit_t_per_h: float
    waiting: list[Waiting]
    draws: list[tuple[Bar, Draw]]

    @property
    def over(self) -> tuple[float, float] | None:
        """Return (minutes from now, t/h) of the first moment ahead at which more steam is wanted than there is."""
        late = (self.grid_min >= 0) & (self.steam_t_per_h > self.limit_t_per_h + 1e-6)
        if not late.any():
            return None
        first = int(np.argmax(late))
        return float(self.grid_min[first]), float(self.steam_t_per_h[late].max())

    def stagger(self) -> tuple[Bar, float] | None:
        """Return the heat-up that makes the steam short and by how many minutes it must begin later.

        Of those not yet begun that is the one which has to wait least; None where none of them can help.
        """
        if self.over is None:
            return None
        at, found = self.over[0], []
        for bar, draw in self.draws:
            heat = next(leg for leg in bar.legs if leg.name == "heat")
            if not 0 < heat.from_min <= at + 1e-9:
                continue
            others = self.steam_t_per_h - steam_curve([draw], self.grid_min)
            ahead = self.grid_min >= 0
            minutes = later_by(draw, others[ahead], self.grid_min[ahead], self.limit_t_per_h)
            if minutes:
                found.append((bar, minutes))
        return min(found, key=lambda one: one[1], default=None)

    def steam_now(self) -> float:
        """Return the steam drawn now."""
        return float(np.interp(0.0, self.grid_min, self.steam_t_per_h))


def board_of(house: House) -> Board:
    """Lay the board out around now."""
    if "board" in house.state.kept:
        kept: Board = house.state.kept["board"]
        return kept
    bars = [*_cooks(house), *_planned(house)]
    bars += _projected(house, bars)
    grid = np.arange(-BACK_MIN, AHEAD_MIN + STEP_MIN, STEP_MIN)
    draws = [(bar, draw) for bar in bars if (draw := _draw(house, bar)) is not None]
    steam = steam_curve([draw for _, draw in draws], grid)
    board = Board(bars, grid, steam, house.part.steam_t_per_h, _waiting(house, bars, grid, steam), draws)
    house.state.kept["board"] = board
    return board


def _cooks(house: House) -> list[Bar]:
    house.all()  # so that what is running ends where it is forecast to
    found = []
    for cook in house.state.cooks:
        offset = (cook.started_at - house.state.now).total_seconds() / 60
        laid = [Leg(one.name, one.from_min + offset, one.to_min + offset) for one in house.legs(cook)]
        if laid[-1].to_min > -BACK_MIN:
            found.append(Bar(cook.number, cook.digester, recipe_of(house.state, cook), laid, planned=False))
    return found


def _planned(house: House) -> list[Bar]:
    """Charges planned and not yet begun."""
    begun = {cook.number for cook in house.state.cooks}
    found = []
    for one in house.news.charges.values():
        offset = (one.at - house.state.now).total_seconds() / 60
        if one.number in begun or not -60 < offset < AHEAD_MIN:
            continue
        recipe = house.part.recipe(one.recipe)
        found.append(Bar(one.number, one.digester, recipe, _usual_legs(house, recipe, max(offset, 0.0)), planned=True))
    return found


def _usual_legs(house: House, recipe: Recipe, start_min: float) -> list[Leg]:
    charge = recipe.usual_charge_pct
    hold = hold_min(recipe, house.relation(recipe), charge, recipe.kappa_target)
    return legs(recipe, hold, start_min)


def _projected(house: House, bars: list[Bar]) -> list[Bar]:
    """The next cook of each digester that has one running and none planned, in the rhythm of its recipe."""
    found = []
    for digester in house.part.digesters:
        own = [bar for bar in bars if bar.digester == digester.number]
        if not own or any(bar.planned for bar in own):
            continue
        last = max(own, key=lambda bar: bar.legs[0].from_min)
        start = max(next_start(house, last), 0.0)
        if start < AHEAD_MIN:
            laid = _usual_legs(house, last.recipe, start)
            found.append(Bar(0, digester.number, last.recipe, laid, planned=True, projected=True))
    return found


def next_start(house: House, last: Bar) -> float:
    """Return when a digester is filled again: an even turn after its last fill, or when it is clear."""
    turn = turn_min(house, last.recipe)
    clear = last.legs[-1].to_min
    return max(last.legs[0].from_min + turn, clear)


def turn_min(house: House, recipe: Recipe) -> float:
    """Return the minutes from fill to fill that the balance of the line asks of each digester of a recipe."""
    number = sum(recipe.id == one.recipes[0] for one in house.part.digesters)
    flow = house.state.flows.get(recipe.stream, 0.0)
    if flow <= 1e-9 or not number:
        return 0.0
    digester = next(one for one in house.part.digesters if one.recipes[0] == recipe.id)
    holds = (
        digester.volume_m3
        * recipe.basic_density_kg_per_m3
        * recipe.solid_volume_factor
        * (1 + recipe.packing_gain_frac)
        / 1000
    )
    return 60 * number * holds / flow


def _draw(house: House, bar: Bar) -> Draw | None:
    """Return the steam of a bar: what its charge sheet says it takes."""
    digester = house.part.digester(bar.digester)
    key = f"steam:{bar.recipe.id}:{digester.volume_m3}:{digester.steel_t}"
    kept = house.state.kept
    if key not in kept:
        try:
            sheet = house.sheet(bar.recipe, digester, {})
        except DomainError:
            kept[key] = None
        else:
            wood = sheet.figures["green"].data["bd_wood_t"].value
            kept[key] = (wood, sheet.value("steam") or 0.0)
    if kept[key] is None:
        return None
    wood, steam = kept[key]
    return draw_of(bar.recipe, bar.legs, wood, steam)


def _waiting(house: House, bars: list[Bar], grid: np.ndarray, steam: np.ndarray) -> list[Waiting]:
    found = []
    for digester in house.part.digesters:
        cook = next((one for one in house.state.cooks if one.digester == digester.number), None)
        followed = house.follow(cook) if cook is not None else None
        found.append(_waits(house, digester.number, followed, bars, grid, steam))
    return [one for one in found if one is not None]


def _waits(
    house: House,
    number: int,
    followed: Followed | None,
    bars: list[Bar],
    grid: np.ndarray,
    steam: np.ndarray,
) -> Waiting | None:
    now = house.state.now
    if followed is not None and followed.running:
        phase = followed.state.phase
        if phase == "past its end":
            room, needs = room_for(house, followed)
            if room is not None and room < needs:
                return Waiting(
                    number, f"past its end; waits for room in the tank, {100 * room:.0f} % free", None, "act"
                )
            return Waiting(number, "past its end: waits to be blown", now, "act")
        if phase == "charged":
            return _steam_wait(house, number, followed.recipe, grid, steam)
        if phase == "liquor" and house.step(followed.cook, "chips") and not house.step(followed.cook, "liquor"):
            return Waiting(number, "waits for its liquor", None, "outside")
        return None
    coming = next((bar for bar in bars if bar.digester == number and bar.planned), None)
    if coming is None:
        return Waiting(number, "empty; no charge is planned", None, "ok")
    at = now + timedelta(minutes=coming.legs[0].from_min)
    short = _liquor_short(house, coming.recipe, number)
    if short:
        return Waiting(number, f"empty; waits for {short}", at, "outside")
    what = f"cook {coming.number}" if coming.number else "the next charge"
    return Waiting(number, f"empty; {what} at {clock.local(at):%H:%M}", at, "ok")


def _steam_wait(house: House, number: int, recipe: Recipe, grid: np.ndarray, steam: np.ndarray) -> Waiting:
    """A charged digester: from when is there steam for its heating."""
    digester = house.part.digester(number)
    try:
        need = (house.sheet(recipe, digester, {}).value("steam") or 0.0) * 60 / recipe.ramp_min
    except DomainError:
        need = 0.0
    ahead = grid >= 0
    own = _own_heat(house, number, grid)
    start = earliest_steam((steam - own)[ahead], grid[ahead], need, recipe.ramp_min / 2, house.part.steam_t_per_h)
    if start is None:
        return Waiting(number, f"charged; {need:.1f} t/h of steam is not free for hours", None, "outside")
    at = house.state.now + timedelta(minutes=start)
    if start <= STEP_MIN:
        return Waiting(number, f"charged; steam is free now, {need:.1f} t/h", house.state.now, "outside")
    return Waiting(number, f"charged; waits for {need:.1f} t/h of steam until {clock.local(at):%H:%M}", at, "outside")


def _own_heat(house: House, number: int, grid: np.ndarray) -> np.ndarray:
    """What the board already counts for a digester's own coming heat."""
    cook = next(one for one in house.state.cooks if one.digester == number)
    offset = (cook.started_at - house.state.now).total_seconds() / 60
    laid = [Leg(one.name, one.from_min + offset, one.to_min + offset) for one in house.legs(cook)]
    draw = _draw(house, Bar(cook.number, number, recipe_of(house.state, cook), laid, planned=False))
    return steam_curve([draw], grid) if draw is not None else np.zeros_like(grid)


def room_for(house: House, followed: Followed) -> tuple[float | None, float]:
    """Return (free share of the vessel it is blown into, share the cook needs); None where its level is not known."""
    recipe = followed.recipe
    if recipe.blow_to is None or recipe.blow_to not in house.state.vessels:
        return None, 0.0
    unit = house.state.vessels[recipe.blow_to]
    reading = house.state.readings.get(unit.level or "")
    if reading is None or not unit.volume_m3:
        return None, 0.0
    holds = unit.holds_pct or 10.0
    pulp = followed.facts.bd_wood.value * followed.state.yield_pct.value / 100
    needs = pulp / (unit.volume_m3 * holds / 100)
    return max(0.0, (unit.high_pct - reading.value) / 100), needs


def _liquor_short(house: House, recipe: Recipe, number: int) -> str:
    """Say which liquor is short for the next charge, '' where there is enough or nobody knows."""
    tank = house.part.tank(recipe.practice.tank)
    reading = house.state.readings.get(tank.level) if tank else None
    if tank is None or reading is None:
        return ""
    try:
        wanted = house.sheet(recipe, house.part.digester(number), {}).value("liquor") or 0.0
    except DomainError:
        return ""
    there = tank.volume_m3 * max(reading.value - tank.low_pct, 0) / 100
    return f"{tank.name.lower()}: {there:.0f} of {wanted:.0f} m³" if there < wanted else ""
