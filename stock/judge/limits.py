"""What a reading means against its limits: quiet, outside its band, or act now."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from stock.errors import DomainError
from stock.judge.charts import held
from stock.tag import Band, Tag

Level = Literal["ok", "outside", "act"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """The judgement of one value."""

    level: Level
    side: Literal["", "low", "high"]
    by: float
    words: str


def refuse_impossible(tag: Tag, value: float) -> None:
    """Refuse a value this measurement cannot have.

    Raises
    ------
    DomainError
        E_RANGE, naming the tag, the value and its plausible span.
    """
    low, high = tag.plausible
    if not low <= value <= high:
        unit = f" {tag.unit}" if tag.unit else ""
        message = f"{tag.name} cannot be {value:g}{unit}; it lies between {low:g} and {high:g}{unit}"
        raise DomainError("E_RANGE", tag.id, message, f"{low:g} to {high:g}{unit}")


def judge(tag: Tag, value: float) -> Verdict:
    """Judge a value against the tag's control and action limits."""
    band = tag.band
    if band is None:
        return Verdict("ok", "", 0.0, "no limits set")
    low, high = band.control
    if low <= value <= high:
        return Verdict("ok", "", 0.0, "in its band")
    level: Level = "outside" if band.action[0] <= value <= band.action[1] else "act"
    if value < low:
        return Verdict(level, "low", low - value, _words(tag, level, low - value, "below"))
    return Verdict(level, "high", value - high, _words(tag, level, value - high, "above"))


DEAD_BAND = 0.05  # of the control band: so far inside it must come back before it counts as in
IN_A_ROW = 2  # values that say the same before it counts


def judge_course(tag: Tag, values: Sequence[float]) -> Verdict:
    """Judge the last of a row of an instrument's values; one that sits on a limit does not flicker.

    Parameters
    ----------
    tag : Tag
        With its limits.
    values : sequence of float
        In order of time, the newest last; one at least.
    """
    newest, band = values[-1], tag.band
    plain = judge(tag, newest)
    if band is None or len(values) <= IN_A_ROW:
        return plain
    dead = DEAD_BAND * (band.control[1] - band.control[0])
    outside = _beyond(values, band.control, dead)
    if outside == 0:
        return Verdict("ok", "", 0.0, "in its band" if plain.level == "ok" else "on the edge of its band")
    limit = band.control[1] if outside > 0 else band.control[0]
    side: Literal["low", "high"] = "high" if outside > 0 else "low"
    level: Level = "act" if _beyond(values, band.action, dead) == outside else "outside"
    by = max(0.0, outside * (newest - limit))
    if by == 0:
        return Verdict(level, side, 0.0, "on the edge of its band")
    return Verdict(level, side, by, _words(tag, level, by, "above" if outside > 0 else "below"))


def _beyond(values: Sequence[float], limits: tuple[float, float], dead: float) -> int:
    """Return 1 above the limits, -1 below, 0 within."""
    low, high = limits
    for side, limit in ((1, high), (-1, -low)):
        course = [side * value for value in values]
        if held(values=course, high=limit, dead_band=dead, on_delay=IN_A_ROW)[-1]:
            return side
    return 0


def _words(tag: Tag, level: Level, by: float, side: str) -> str:
    """Say how far outside the band, in the tag's own unit."""
    decimals = tag.decimals if round(by, tag.decimals) else tag.decimals + 1
    past = ", past its action limit" if level == "act" else ""
    return f"{by:.{decimals}f} {side} its band{past}"


def share_of_band(band: Band, plausible: tuple[float, float], value: float) -> tuple[float, float, float]:
    """Return (low, high, value) of the control band on a 0 to 1 scale a little wider than the action limits."""
    span = band.action[1] - band.action[0]
    start = max(plausible[0], band.action[0] - 0.25 * span)
    end = min(plausible[1], band.action[1] + 0.25 * span)

    def place(x: float) -> float:
        return min(1.0, max(0.0, (x - start) / (end - start)))

    return place(band.control[0]), place(band.control[1]), place(value)
