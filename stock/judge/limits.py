"""What a reading means against its limits: quiet, outside its band, or act now."""

from dataclasses import dataclass
from typing import Literal

from stock.errors import DomainError
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
