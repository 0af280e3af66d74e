"""Making a look ahead of a line as it stands, keeping it, judging those of before."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any, Final

from django.db import connection, transaction
from django.utils import timezone

from desk.floor.models import Order as Accepted
from desk.floor.models import epoch
from desk.floor.remembered import remembered
from desk.floor.state import State
from desk.floor.station import stations
from desk.stations.ahead.models import Foretold, Lookout
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.line.order import Order
from stock.simulate.outlook import Blow, Change, Course, InFlight, Outlook, Stands, look_ahead

HOURS: Final = 12.0
GOOD_FOR: Final = timedelta(minutes=11)
LEADS_H: Final = (1, 2, 4, 8, 12)
BACK: Final = timedelta(days=3)
SLOPE_SD: Final = (
    3.8  # a slope of half an hour, in the noise of its level, that is no accident: three of its own deviations
)
REACH_OF_BAND = 1.2816  # standard deviations of the band that covers eight of ten


@dataclass(frozen=True, slots=True)
class Ahead:
    """A look ahead and when it was made."""

    made_at: datetime
    outlook: Outlook

    def at(self, hours: float) -> datetime:
        """Return the moment some hours on."""
        return self.made_at + timedelta(hours=hours)

    def then(self, course: Course) -> str:
        """Say where a level leads in the end and when, behind what it meets first; empty where to neither."""
        ends = course.ends(self.outlook.times_h)
        return "" if ends is None else f"; {ends[0]} {timezone.localtime(self.at(ends[1])):%H:%M}"


def stands_of(state: State) -> Stands:
    """Return where a line stands: levels read, how fast they run, orders, cooks that are in."""
    levels, slopes = {}, {}
    for unit_id, unit in state.vessels.items():
        reading = state.readings.get(unit.level or "")
        if reading is None or reading.trouble:
            continue
        levels[unit_id] = reading.value
        slope = state.slopes.get(unit.level or "")
        if not unit.BATCHWISE and slope is not None and abs(slope) > SLOPE_SD * reading.tag.noise:
            slopes[unit_id] = slope
    to_come = [((one.from_at - state.now).total_seconds() / 3600, _order(state, one)) for one in state.orders[1:]]
    cooks = []
    for station in stations():
        for one in station.in_flight(state):
            age = (state.now - one.started_at).total_seconds() / 60
            left = (one.blow_at - state.now).total_seconds() / 60
            cooks.append(InFlight(one.digester, max(age, 0.0), max(left, 0.0)))
    return Stands(levels, slopes, _order(state, state.order), to_come, cooks)


def _order(state: State, row: Accepted) -> Order:
    return Order.of(state.line.grade(row.grade), row.reel_t_per_h, row.shares)


def make(state: State, changes: Sequence[Change] = ()) -> Outlook:
    """Return the next hours of a line as it stands, or as it would with changes; nothing is written.

    Raises
    ------
    DomainError
        Where no level is known, or a change cannot be.
    """
    return look_ahead(state.line, stands_of(state), hours=HOURS, changes=changes)


def kept_ahead(state: State) -> Ahead | None:
    """Return the newest look ahead that was kept and is not old, for what every page shows; None where there is none."""
    if "ahead" not in state.kept:
        row = Lookout.objects.filter(world=state.world).first() if state.vessels else None
        fresh = row is not None and timedelta(0) <= state.now - row.made_at <= GOOD_FOR
        state.kept["ahead"] = Ahead(row.made_at, read_back(row.told)) if fresh and row is not None else None
    found: Ahead | None = state.kept["ahead"]
    return found


def ahead_of(state: State) -> Ahead | None:
    """Return the newest look ahead: the one kept, else one made now; None where nothing is known to look from."""
    return kept_ahead(state) or (_made_now(state) if state.vessels else None)


def _made_now(state: State) -> Ahead | None:
    """Make one where the part that looks ahead is not there; once in five minutes a process."""
    key = ("ahead", state.world.pk, state.world.version_id, epoch(state.now) // 300)

    def made() -> Ahead | None:
        try:
            return Ahead(state.now, make(state))
        except DomainError:
            return None

    return remembered(key, made)


def keep(state: State) -> Ahead | None:
    """Make a look ahead and keep it for every page; each hour what it foretells is kept to be judged."""
    try:
        found = Ahead(state.now, make(state))
    except DomainError:
        return None
    with transaction.atomic():
        Lookout.objects.update_or_create(
            world=state.world, defaults={"made_at": found.made_at, "told": as_json(found.outlook)}
        )
        hour = state.now.replace(minute=0, second=0, microsecond=0)
        if not Foretold.objects.filter(world=state.world, made_at__gte=hour).exists():
            for row in _foretold(state, found):
                row.save()
    return found


def _foretold(state: State, found: Ahead) -> list[Foretold]:
    rows = []
    for unit, course in found.outlook.courses.items():
        for lead in LEADS_H:
            at = min(range(len(found.outlook.times_h)), key=lambda one: abs(found.outlook.times_h[one] - lead))
            half = (course.high_pct[at] - course.low_pct[at]) / 2
            rows.append(
                Foretold(
                    world=state.world, unit=unit, made_at=found.made_at, for_at=found.at(lead),
                    level_pct=round((course.high_pct[at] + course.low_pct[at]) / 2, 2),
                    sd_pct=round(max(half / REACH_OF_BAND, 0.1), 3),
                )
            )  # fmt: skip
    return rows


def as_json(outlook: Outlook) -> dict[str, Any]:
    """Return a look ahead as plain data."""
    return {
        "times_h": [round(at, 4) for at in outlook.times_h],
        "courses": {
            unit: {
                name: value if name == "unit" else [round(one, 3) for one in value]
                for name, value in asdict(course).items()
            }
            for unit, course in outlook.courses.items()
        },
        "blows": [asdict(one) for one in outlook.blows],
        "orders": [list(one) for one in outlook.orders],
    }


def read_back(told: Mapping[str, Any]) -> Outlook:
    """Return a look ahead from plain data."""
    return Outlook(
        list(told["times_h"]),
        {unit: Course(**course) for unit, course in told["courses"].items()},
        [Blow(**one) for one in told["blows"]],
        [(float(at), str(name)) for at, name in told["orders"]],
    )


def judged(state: State) -> dict[str, Figure]:
    """Return how good the look ahead was of late, by vessel: what was foretold against what was read."""
    rows = list(Foretold.objects.filter(world=state.world, for_at__gt=state.now - BACK, for_at__lte=state.now))
    tags = {unit: vessel.level for unit, vessel in state.vessels.items() if vessel.level}
    groups: dict[str, list[tuple[float, float, float, float]]] = {}
    for row in rows:
        read = read_at(state, tags.get(row.unit, ""), row.for_at)
        if read is not None:
            lead = (row.for_at - row.made_at).total_seconds() / 3600
            groups.setdefault(row.unit, []).append((lead, read, row.level_pct, row.sd_pct))
    found = {}
    for unit, told in groups.items():
        vessel = state.vessels[unit]
        per_pct = (vessel.volume_m3 or 1.0) * (vessel.holds_pct or 4.0) / 1e4
        names = ("times_each_h", "found_each_bdt", "said_each_bdt", "sd_each_bdt")
        columns = [list(column) for column in zip(*told, strict=True)]
        values = [columns[0], *([one * per_pct for one in column] for column in columns[1:])]
        words = f"{len(told)} levels foretold 1 to 12 h ahead, in three days"
        data = {name: Datum(value, Origin("computed", words)) for name, value in zip(names, values, strict=True)}
        try:
            found[unit] = figure("forecast_score", f"forecasts of {vessel.name}", data, result="mae_bdt", decimals=2)
        except DomainError:
            continue
    return found


def read_at(state: State, tag: str | None, at: datetime) -> float | None:
    """Return the mean level an instrument read round a moment; None where it read nothing."""
    if not tag:
        return None
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT avg(value) FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s BETWEEN %s AND %s AND value IS NOT NULL",
            [state.world.pk, tag, epoch(at) - 150, epoch(at) + 150],
        )
        (value,) = cursor.fetchone()
    return None if value is None else float(value)
