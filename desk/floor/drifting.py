"""Slow drifts and shifts of what the laboratory finds, caught before a limit is passed."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final

from django.db import connection
from django.utils import timezone

from desk.floor import clock
from desk.floor.models import World
from stock.figure import Datum, Figure, Origin, figure
from stock.line.definition import Definition
from stock.tag import Tag

LOOKS_BACK: Final = timedelta(days=3)
MOST: Final = 12
LEAST: Final = 5
SIGMAS_TO_CONTROL: Final = 3  # a control limit is three standard deviations from the target
WAYS: Final = (("drift", "drifted"), ("shift", "shifted"))


@dataclass(frozen=True, slots=True)
class Drifting:
    """A measurement that runs off its target by more than chance, still inside its band."""

    tag: Tag
    figure: Figure
    words: str


def drifting(line: Definition, found: Mapping[str, list[tuple[datetime, float]]]) -> Mapping[str, Drifting]:
    """Return what runs off its target, by tag: the weighted mean is asked first, then the cumulative sum."""
    judged = {name: _judged(line.tag(name), run) for name, run in found.items() if len(run) >= LEAST}
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


def runs(line: Definition, world: World, now: datetime) -> dict[str, list[tuple[datetime, float]]]:
    """Return the last results of each tag the laboratory tests, the oldest first."""
    tags = [tag.id for tag in line.tags if tag.band is not None and tag.every_h is not None and not tag.computed]
    if not tags:
        return {}
    marks = ", ".join(["%s"] * len(tags))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT tag, at, value FROM (SELECT r.tag AS tag, r.at AS at, r.value AS value, r.id AS id,"  # noqa: S608
            " row_number() OVER (PARTITION BY r.tag ORDER BY r.at DESC, r.id DESC) AS place"
            " FROM floor_record r LEFT JOIN floor_record later ON later.supersedes_id = r.id"
            f" WHERE r.world_id = %s AND r.kind = 'reading' AND r.tag IN ({marks})"
            " AND r.at <= %s AND r.at >= %s AND later.id IS NULL) WHERE place <= %s ORDER BY at, id",
            [world.pk, *tags, clock.as_stored(now), clock.as_stored(now - LOOKS_BACK), MOST],
        )
        rows = cursor.fetchall()
    found: dict[str, list[tuple[datetime, float]]] = defaultdict(list)
    for tag, at, value in rows:
        found[tag].append((clock.as_read(at), float(value)))
    return found
