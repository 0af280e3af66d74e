"""Towers in a row, filled with pulp of its own colour, the cooks written where they are; the brightness ahead."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Final

from django.utils import timezone

from desk.floor.state import State
from desk.frame.forms import number
from desk.frame.plot import Scale, line, round_marks
from desk.stations.bleach.coming import Outlook
from desk.stations.bleach.worked import Ended, Worked
from stock.bleaching.forward import Within
from stock.tag import Band

WIDTH: Final = 962.0
TOWER_W, TOWER_H, TOP, LEFT = 60.0, 168.0, 12.0, 92.0
LABEL_PX: Final = 17.0
DARK: Final = (30.0, (139, 107, 62))  # brightness, colour: pulp as it leaves the cook
PALE: Final = (90.0, (245, 241, 230))
PLOT_W, PLOT_H, PLOT_LEFT, PLOT_FOOT = 460.0, 150.0, 34.0, 24.0


def colour_of(brightness_pct: float) -> str:
    """Return how pulp of a brightness looks, as a colour."""
    share = min(max((brightness_pct - DARK[0]) / (PALE[0] - DARK[0]), 0.0), 1.0)
    red, green, blue = (round(a + share * (b - a)) for a, b in zip(DARK[1], PALE[1], strict=True))
    return f"rgb({red},{green},{blue})"


@dataclass(frozen=True, slots=True)
class Lying:
    """Pulp of one cook in a tower: where, and the number written there."""

    y: float
    height: float
    label: str
    text_y: float


@dataclass(frozen=True, slots=True)
class Tower:
    """A stage drawn as a tower."""

    x: float
    top_colour: str
    foot_colour: str
    gradient: str
    bands: Sequence[Lying]
    ended: Ended
    facts: Sequence[str]


@dataclass(frozen=True, slots=True)
class Row:
    """All of them."""

    towers: Sequence[Tower]
    came: Sequence[str]
    width: float = WIDTH
    height: float = TOP + TOWER_H + 12
    tower_w: float = TOWER_W
    tower_h: float = TOWER_H
    top: float = TOP


def draw_towers(found: Worked, outlook: Outlook) -> Row | None:
    """Draw a sequence; None where it could not be worked out."""
    if not found.ends:
        return None
    pitch = (WIDTH - LEFT) / len(found.ends)
    before = number(found.values["came"], "came", "Brightness that comes in", "% ISO")
    towers = []
    for at, one in enumerate(found.ends):
        lies = (
            outlook.stages[at] if at < len(outlook.stages) and found.unit.stages[at].symbol == one.symbol.symbol else ()
        )
        beside = "".join(f", {charge:.3g} {formula}" for charge, formula in one.beside[:1])
        facts = [f"{one.charge:.3g} kg/BDt {one.formula}{beside}", f"{one.celsius:g} °C", f"{one.minutes:.0f} min"]
        if one.pump is not None:
            facts.insert(1, f"{one.pump.text} L/min")
        towers.append(
            Tower(
                LEFT + pitch * at, colour_of(before), colour_of(one.brightness), f"pulp-{at}", _bands(lies), one, facts
            )
        )
        before = one.brightness
    came = [f"κ {found.values['kappa']}"] if found.unit.furnish == "chemical" else []
    return Row(towers, [*came, f"{found.values['came']} % ISO"])


def _bands(lies: Sequence[Within]) -> list[Lying]:
    found = []
    for one in lies:
        y, height = TOP + TOWER_H * one.top, TOWER_H * (one.foot - one.top)
        label = one.label if height >= LABEL_PX else ""
        found.append(Lying(y, height, label, y + height / 2 + 5))
    return found


@dataclass(frozen=True, slots=True)
class Plot:
    """Brightness at the exit, by the hour ahead."""

    course: str
    band_y: float
    band_h: float
    across: Sequence[tuple[float, str]]
    up: Sequence[tuple[float, str]]
    last: str
    last_x: float
    last_y: float
    width: float = PLOT_W
    height: float = PLOT_H
    left: float = PLOT_LEFT
    foot: float = PLOT_H - PLOT_FOOT


def draw_ahead(state: State, outlook: Outlook, band: Band | None) -> Plot | None:
    """Draw it; None where nothing is known of what comes."""
    ahead = outlook.ahead
    if ahead is None or band is None or len(ahead.hours) < 2:
        return None
    low, high = band.control
    low, high = min(low, *ahead.brightness_pct) - 0.5, max(high, *ahead.brightness_pct) + 0.5
    x, y = Scale(0.0, ahead.hours[-1], PLOT_LEFT, PLOT_W - 12), Scale(low, high, PLOT_H - PLOT_FOOT, 8)
    across = []
    for hour in range(0, int(ahead.hours[-1]) + 1, 2 if ahead.hours[-1] > 7 else 1):
        when = timezone.localtime(state.now + timedelta(hours=hour))
        across.append((float(x(hour)), f"{when:%H:%M}"))
    return Plot(
        line(map(float, (x(one) for one in ahead.hours)), map(float, (y(one) for one in ahead.brightness_pct))),
        float(y(band.control[1])), float(y(band.control[0]) - y(band.control[1])), across,
        [(float(y(mark)) + 4, f"{mark:g}") for mark in round_marks(low, high)],
        f"{ahead.brightness_pct[-1]:.1f}", PLOT_W - 12, float(y(ahead.brightness_pct[-1])) - 8,
    )  # fmt: skip
