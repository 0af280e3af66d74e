"""What comes to a bleach: pulp by cook through its blow tank, when each part reaches the first mixer, what it ends as."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.through import Run, ks_into, march, rows_of, start_of
from stock.bleaching.unit import BleachStage

USUAL_H: Final = 2.0


@dataclass(frozen=True, slots=True)
class Blown:
    """A batch as it was blown: hours from now (before it below nought), bone-dry tonnes, kappa."""

    label: str
    at_h: float
    bdt: float
    kappa: float
    measured: bool = True


@dataclass(frozen=True, slots=True)
class Coming:
    """Pulp that enters the first mixer between two moments, hours from now: mostly of a batch, its kappa as it comes."""

    label: str
    from_h: float
    to_h: float
    kappa: float
    measured: bool


def coming(
    blown: Sequence[Blown], tank_bdt: float, lag_h: float, first_kappa: float, rate_bdt_per_h: float = 0.0
) -> list[Coming]:
    """Return what comes to the first mixer, batch by batch.

    The blow tank is mixed: what is drawn after a blow holds it and what was there before. What is drawn
    reaches the mixer a fixed time later.

    Parameters
    ----------
    blown : sequence of Blown
        The oldest first.
    tank_bdt : float
        What the tank usually holds before a blow, BDt, 0 for none.
    lag_h : float
        Time from the tank to the first mixer.
    first_kappa : float
        Kappa of what was there before the first of them.
    rate_bdt_per_h : float
        What is drawn, by which the last of them lasts; without it, as long as the one before.
    """
    found: list[Coming] = []
    kappa = first_kappa
    for index, one in enumerate(blown):
        share = one.bdt / (one.bdt + tank_bdt) if one.bdt > 0 else 0.0
        kappa += share * (one.kappa - kappa)
        ends = blown[index + 1].at_h if index + 1 < len(blown) else one.at_h + _lasts_h(blown, rate_bdt_per_h)
        if ends > one.at_h:
            found.append(Coming(one.label, one.at_h + lag_h, ends + lag_h, kappa, one.measured))
    return found


def _lasts_h(blown: Sequence[Blown], rate_bdt_per_h: float) -> float:
    """Return how long the last batch lasts."""
    if rate_bdt_per_h > 0 and blown[-1].bdt > 0:
        return blown[-1].bdt / rate_bdt_per_h
    return blown[-1].at_h - blown[-2].at_h if len(blown) > 1 else USUAL_H


def kappa_at(parts: Sequence[Coming], hour: float, otherwise: float) -> float:
    """Return the kappa that enters the first mixer at an hour from now."""
    return next((one.kappa for one in parts if one.from_h <= hour < one.to_h), otherwise)


@dataclass(frozen=True, slots=True)
class Within:
    """Which batch lies where in a stage: from its top (just in) to its foot (just out), shares of it."""

    label: str
    top: float
    foot: float
    kappa: float


def within(parts: Sequence[Coming], before_h: float, takes_h: float) -> list[Within]:
    """Return what lies in a stage that pulp reaches so long after the first mixer and takes so long to pass."""
    found = []
    for one in parts:
        newest, oldest = -before_h - one.to_h, -before_h - one.from_h  # hours since it came into the stage
        top, foot = max(newest, 0.0) / takes_h, min(oldest / takes_h, 1.0)
        if foot > top:
            found.append(Within(one.label, top, foot, one.kappa))
    return found


@dataclass(frozen=True, slots=True)
class Ahead:
    """Brightness at the exit, by the hour from now, while nothing is changed."""

    hours: tuple[float, ...]
    brightness_pct: tuple[float, ...]

    def worst(self) -> tuple[float, float]:
        """Return the least of it: when, and what."""
        at = int(np.argmin(self.brightness_pct))
        return self.hours[at], self.brightness_pct[at]


def exit_ahead(
    unit: BleachStage,
    charge_at: Callable[[int, float], float],
    parts: Sequence[Coming],
    brightness_pct: float,
    base_kappa: float,
    minutes: Sequence[float],
    cod_kg_per_bdt: float | None = None,
    step_h: float = 0.25,
) -> Ahead:
    """Return the brightness at the exit while pulp that is known comes out, anchored at what is read there now.

    What comes in absorbs light as its kappa does: what is left of the lignin is what colours it. Each part by
    the charges that stood, or stand, as it passes each mixer: `charge_at` says them by stage and hour from now;
    `minutes` is the time in each stage.
    """
    hold_h = sum(minutes) / 60
    before_h = [sum(minutes[:at]) / 60 for at in range(len(minutes))]

    def runs_of(entered_h: float) -> tuple[float, ...]:
        return tuple(charge_at(at, entered_h + one) for at, one in enumerate(before_h))

    def rows_at(kappa: float, charges: tuple[float, ...]) -> list[dict[str, float]]:
        return rows_of(unit, kappa, {at: Run(charge_kg_per_bdt=one) for at, one in enumerate(charges)}, cod_kg_per_bdt)

    now_kappa = kappa_at(parts, -hold_h, base_kappa)
    rows = rows_at(now_kappa, runs_of(-hold_h))
    per_kappa = ks_into(rows, start_of(unit, now_kappa, cod_kg_per_bdt), ks_of(brightness_pct)) / now_kappa
    known_to = max((one.to_h for one in parts), default=-hold_h) + hold_h
    hours = np.arange(0.0, max(min(known_to, hold_h + 12.0), step_h) + 1e-9, step_h)
    ends: dict[tuple[float, tuple[float, ...]], float] = {}
    found = []
    for hour in hours:
        kappa = kappa_at(parts, float(hour) - hold_h, now_kappa)
        key = kappa, runs_of(float(hour) - hold_h)
        if key not in ends:
            start = start_of(unit, kappa, cod_kg_per_bdt)._replace(ks=per_kappa * kappa)
            ends[key] = brightness_of(march(rows_at(*key), start)[-1].ks)
        found.append(ends[key])
    return Ahead(tuple(map(float, hours)), tuple(found))
