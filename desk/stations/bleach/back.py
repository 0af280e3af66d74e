"""Brightness off at the exit, traced back: to what came in, to the first stages, to the last one's conditions or charge."""

from typing import Final

from desk.floor.reading import Reading
from desk.floor.state import State
from desk.stations.bleach.coming import Outlook, brightness_tag
from stock.bleaching.unit import BleachStage

SAME_KAPPA: Final = 0.5
NIL_G_PER_L: Final = 0.02


def traced_back(state: State, unit: BleachStage, outlook: Outlook) -> list[str]:
    """Return where an exit that is off its band went off, in the order of the pulp; nothing while it is in its band."""
    tag = brightness_tag(state, unit)
    ended = state.readings.get(tag.id) if tag is not None else None
    if tag is None or tag.band is None or ended is None or ended.verdict.level == "ok":
        return []
    short = tag.band.target - ended.value
    found = [_came(outlook), _extracted(state, unit), _last(state, unit, is_short=short > 0)]
    words = "short of" if short > 0 else "above"
    told = "; ".join(one for one in found if one)
    return [f"Traced back, {abs(short):.1f} points {words} {tag.band.target:g}: {told}."] if told else []


def _came(outlook: Outlook) -> str:
    one = outlook.at_exit
    if one is None:
        return ""
    apart = one.kappa - outlook.base_kappa
    if abs(apart) < SAME_KAPPA:
        return f"cook {one.label} came as usual, kappa {one.kappa:.1f}"
    more = "harder" if apart > 0 else "softer"
    return f"cook {one.label} came {more}, kappa {one.kappa:.1f} against {outlook.base_kappa:.1f}"


def _reading(state: State, unit: BleachStage, point: str) -> Reading | None:
    return state.readings.get(unit.tag_of(point) or "")


def _extracted(state: State, unit: BleachStage) -> str:
    found = _reading(state, unit, "extracted_kappa")
    if found is None:
        return ""
    if found.verdict.level == "ok":
        return f"after extraction it is as it should be, kappa {found.value:.1f}: look behind it"
    return f"after extraction kappa {found.value:.1f} is {found.verdict.words}: the first stages"


def _last(state: State, unit: BleachStage, *, is_short: bool) -> str:
    name = unit.called(len(unit.stages) - 1)
    off = [
        f"{label} {one.value:g} is {one.verdict.words}"
        for point, label in (("mixed", "its warmth"), ("end_ph", "its end pH"))
        if (one := _reading(state, unit, point)) is not None and one.verdict.level != "ok"
    ]
    left = _reading(state, unit, "residual")
    if off:
        return f"{name}: " + ", ".join(off)
    if left is None or not is_short:
        return f"{name} by its charge" if is_short else ""
    if left.value <= NIL_G_PER_L:
        return f"{name} ran out of chemical, {left.value:g} g/L left: strength, pump, then its charge"
    return f"{name} has {left.value:g} g/L left: conditions before charge"
