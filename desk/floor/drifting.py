"""Slow drifts and shifts of what the laboratory finds, caught before a limit is passed."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Final

from django.utils import timezone

from desk.floor.remembered import remembered
from stock.figure import Datum, Figure, Origin, figure
from stock.line.definition import Definition
from stock.tag import Tag

LEAST: Final = 5
SIGMAS_TO_CONTROL: Final = 3  # a control limit is three standard deviations from the target
WAYS: Final = (("drift", "drifted"), ("shift", "shifted"))


@dataclass(frozen=True, slots=True)
class Drifting:
    """A measurement that runs off its target by more than chance, still inside its band."""

    tag: Tag
    figure: Figure
    words: str


def drifting(
    line: Definition, version_id: int, found: Mapping[str, list[tuple[datetime, float]]]
) -> Mapping[str, Drifting]:
    """Return what runs off its target, by tag: the weighted mean is asked first, then the cumulative sum.

    A run is judged once in a version of its line: an entry makes one of all the runs another.
    """
    tested = {tag.id: tag for tag in line.tags if tag.band is not None and tag.every_h is not None and not tag.computed}
    runs = {name: run for name, run in found.items() if name in tested and len(run) >= LEAST}
    judged = {
        name: remembered((name, version_id, *run), partial(_judged, tested[name], run)) for name, run in runs.items()
    }
    return {name: one for name, one in judged.items() if one is not None}


def _judged(tag: Tag, run: list[tuple[datetime, float]]) -> Drifting | None:
    assert tag.band is not None
    low, high = tag.band.control
    target, newest = tag.band.target, run[-1][1]
    if not low <= newest <= high:
        return None  # it is off, which is said already
    side = 1 if newest > target else -1
    reach = high - target if side > 0 else target - low
    sigma = max(reach / SIGMAS_TO_CONTROL, tag.uncertainty, tag.noise)
    first, last = (timezone.localtime(at) for at, _ in (run[0], run[-1]))
    taken = Origin("entered", f"{len(run)} results, {first:%d %b %H:%M} to {last:%d %b %H:%M}")
    data = {
        "values_each_read": Datum([value for _, value in run], taken),
        "target_read": Datum(target, Origin("set", "its target")),
        "sigma_read": Datum(sigma, Origin("set", "a third of the way to its control limit, its test's error at least")),
    }
    for name, verb in WAYS:
        shown = figure(name, f"{tag.name}, run of results", data, unit=tag.unit, decimals=tag.decimals)
        count = int(shown.results["signal_count"])
        recent = [value for _, value in run[count - 1 :]] if count else []
        if not count or any(side * (value - target) < 0 for value in recent):
            continue  # quiet, or it has come back since
        mean = sum(recent) / len(recent)
        value = f"{mean:.{tag.decimals}f} {tag.unit}".strip()
        since = timezone.localtime(run[count - 1][0])
        words = (
            f"It has {verb} {'up' if side > 0 else 'down'}: {value} in the mean since {since:%d %b %H:%M},"
            f" target {target:g}. Still in its band; find the cause before it passes."
        )
        return Drifting(tag, replace(shown, key=f"drift:{tag.id}"), words)
    return None
