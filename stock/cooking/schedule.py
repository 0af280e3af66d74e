"""A cook's schedule: its planned temperature and pressure, its legs, the steam it draws, when there is steam for the next."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from stock.cooking.end_point import Curve, h_curve
from stock.cooking.recipe import Recipe

LegName = Literal["fill", "liquor", "heat", "hold", "relief", "blow", "clear"]
LEGS: Final[tuple[LegName, ...]] = ("fill", "liquor", "heat", "hold", "relief", "blow", "clear")


def charged_min(recipe: Recipe) -> float:
    """Return the planned minutes from the first chips to the start of heating."""
    return recipe.fill_min + recipe.liquor_min


def planned_profile(recipe: Recipe, hold_min: float, steam_min: float | None = None) -> Curve:
    """Return (minutes, °C) of the planned temperature, hold included; `steam_min` is when heating begins."""
    start = charged_min(recipe) if steam_min is None else steam_min
    times, temperatures = [0.0], [recipe.start_c]
    if start > 0:
        times.append(start)
        temperatures.append(recipe.start_c)
    for stage in recipe.stages:
        times.append(times[-1] + stage.over_min)
        temperatures.append(stage.to_c)
    if hold_min > 0:
        times.append(times[-1] + hold_min)
        temperatures.append(temperatures[-1])
    return np.array(times), np.array(temperatures)


def planned_pressure(recipe: Recipe, times_min: np.ndarray, steam_min: float | None = None) -> np.ndarray:
    """Return the planned gauge pressure at some times; a stage that states none keeps the last."""
    start = charged_min(recipe) if steam_min is None else steam_min
    at, kpa = [start], [recipe.start_kpa_g]
    for stage in recipe.stages:
        at.append(at[-1] + stage.over_min)
        kpa.append(kpa[-1] if stage.to_kpa_g is None else stage.to_kpa_g)
    found: np.ndarray = np.interp(times_min, at, kpa)
    return found


def profile_to_h(profile: Curve, h_factor: float) -> Curve:
    """Return a profile cut off, or left as it is, where its H-factor is reached."""
    times, temperatures = profile
    grid, h = h_curve(times, temperatures)
    end = float(np.interp(h_factor, h, grid))
    kept = times[times < end]
    return np.append(kept, end), np.append(temperatures[: len(kept)], np.interp(end, times, temperatures))


@dataclass(frozen=True, slots=True)
class Leg:
    """One leg of a cook on the clock, in minutes from any moment."""

    name: LegName
    from_min: float
    to_min: float

    @property
    def minutes(self) -> float:
        """How long it lasts."""
        return self.to_min - self.from_min


def legs(recipe: Recipe, hold_min: float, start_min: float, marks: Mapping[str, float] | None = None) -> list[Leg]:
    """Lay a cook's legs end to end from its start.

    `marks` are minutes since the start at which a leg was seen to begin; what comes after
    moves with it, so that a late start of heating makes everything later.
    """
    marks = marks or {}
    lengths = {
        "fill": recipe.fill_min,
        "liquor": recipe.liquor_min,
        "heat": recipe.ramp_min,
        "hold": hold_min,
        "relief": recipe.relief_min,
        "blow": recipe.blow_min,
        "clear": recipe.clear_min,
    }
    begins, at = {}, 0.0
    for name in LEGS:
        at = max(at, 0.0) if name not in marks else marks[name]
        begins[name] = at
        at += lengths[name]
    ends = [*(begins[name] for name in LEGS[1:]), at]
    return [
        Leg(name, start_min + begins[name], start_min + max(end, begins[name]))
        for name, end in zip(LEGS, ends, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class Draw:
    """What one cook draws: steam while it is filled, while it heats, and to hold it warm."""

    legs: Sequence[Leg]
    stages: Sequence[tuple[float, float]]
    fill_t: float
    heat_t: float
    hold_t_per_h: float


def draw_of(recipe: Recipe, laid: Sequence[Leg], bd_wood_t: float, heat_t: float, loss_frac: float = 0.05) -> Draw:
    """Return a cook's draw, its heat parted over the legs of heating by the degrees each makes."""
    rises, low = [], recipe.start_c
    for stage in recipe.stages:
        rises.append((stage.over_min, max(stage.to_c - low, 0.0)))
        low = stage.to_c
    return Draw(laid, rises, bd_wood_t * recipe.condensate_t_per_bdt, heat_t, loss_frac * heat_t / 2)


def steam_curve(draws: Iterable[Draw], grid_min: np.ndarray) -> np.ndarray:
    """Return the steam all the cooks draw together at each moment of a grid, t/h."""
    total = np.zeros_like(grid_min)
    for one in draws:
        total += _steam(one, grid_min)
    return total


def _steam(one: Draw, grid: np.ndarray) -> np.ndarray:
    by = {leg.name: leg for leg in one.legs}
    rate = np.zeros_like(grid)
    fill, heat, hold = by["fill"], by["heat"], by["hold"]
    if fill.minutes > 0:
        rate[(grid >= fill.from_min) & (grid < fill.to_min)] += 60 * one.fill_t / fill.minutes
    planned = sum(minutes for minutes, _ in one.stages)
    degrees = sum(rise for _, rise in one.stages)
    stretch = heat.minutes / planned if planned else 1.0
    at = heat.from_min
    for minutes, rise in one.stages:
        until = at + minutes * stretch
        if degrees > 0 and until > at:
            rate[(grid >= at) & (grid < until)] += 60 * one.heat_t * rise / degrees / (until - at)
        at = until
    rate[(grid >= hold.from_min) & (grid < hold.to_min)] += one.hold_t_per_h
    return rate


STEP_LATER_MIN: Final = 2.0
LATEST_MIN: Final = 240.0


def later_by(one: Draw, others_t_per_h: np.ndarray, grid_min: np.ndarray, limit_t_per_h: float) -> float | None:
    """Return by how many minutes a cook's heating must begin later for all together to stay under the limit.

    `others_t_per_h` is what every other cook draws over the grid. The fill stays where it is; None where
    four hours later would still be too soon.
    """
    for minutes in np.arange(0.0, LATEST_MIN + STEP_LATER_MIN, STEP_LATER_MIN):
        own = _steam(_begun_later(one, float(minutes)), grid_min)
        if not (others_t_per_h + own > limit_t_per_h + 1e-6)[own > 0].any():
            return float(minutes)
    return None


def _begun_later(one: Draw, minutes: float) -> Draw:
    moved = [
        leg if leg.name in ("fill", "liquor") else Leg(leg.name, leg.from_min + minutes, leg.to_min + minutes)
        for leg in one.legs
    ]
    return replace(one, legs=moved)


def earliest_steam(
    curve_t_per_h: np.ndarray, grid_min: np.ndarray, need_t_per_h: float, need_min: float, limit_t_per_h: float
) -> float | None:
    """Return the first moment from which a need fits under the limit for as long as it lasts, None within the grid."""
    fits = curve_t_per_h + need_t_per_h <= limit_t_per_h + 1e-9
    step = float(grid_min[1] - grid_min[0])
    length = max(1, int(np.ceil(need_min / step)))
    for index in range(len(grid_min) - length + 1):
        if fits[index : index + length].all():
            return float(grid_min[index])
    return None
