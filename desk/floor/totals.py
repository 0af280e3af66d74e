"""What a shift made: tonnes by station against plan, stops with their minutes, what they cost."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from django.db import connection

from desk.floor.models import Order, Stop, epoch
from desk.floor.points import stops_of
from desk.floor.state import State
from desk.mill.selectors import solve
from stock.figure import Datum, Figure, Origin, figure
from stock.line.definition import StreamDef
from stock.primitives import Unit


@dataclass(frozen=True, slots=True)
class Total:
    """What passed a place over a span, as measured, and what was planned."""

    name: str
    station: str
    made: Figure
    planned_bdt: float

    @property
    def words(self) -> str:
        """In a line of the sheet."""
        share = f", {100 * self.made.value / self.planned_bdt:.0f} %" if self.planned_bdt > 0 else ""
        return f"{self.name}: {self.made.text} BDt, planned {self.planned_bdt:.1f}{share}"


def totals(state: State, start: datetime) -> list[Total]:
    """Return what passed each place whose flow and consistency are both measured."""
    return list(_totals(state, start))


def _totals(state: State, start: datetime) -> Iterator[Total]:
    hours = (state.now - start).total_seconds() / 3600
    if hours <= 0:
        return
    means = _means(state, start)
    for stream in state.line.streams:
        flow, thick = stream.tag_of("flow"), _consistency_of(state, stream)
        if flow is None or thick is None or flow not in means or thick not in means:
            continue
        (litres, seen), (pct, _) = means[flow], means[thick]
        witness = state.witnesses.get(thick)
        bias = witness.bias if witness is not None and witness.decision == "offset" else 0.0
        said = Origin("measured", f"mean of {seen} readings since {start:%H:%M}", state.now)
        data = {
            "flow_l_per_min": Datum(litres, said),
            "consistency_pct": Datum(pct - bias, said),
            "hours_h": Datum(hours, Origin("computed", "shift so far")),
        }
        made = figure("made_bdt", f"made, {stream.called}", data)
        tag = state.line.tag(flow)
        yield Total(stream.called, tag.station, made, _planned(state, stream.id, start))


def _consistency_of(state: State, stream: StreamDef) -> str | None:
    """Return the tag that reads how thick a stream is: its own, else that of the unit it leaves."""
    own = stream.tag_of("consistency")
    if own is not None and state.line.tag(own).live:
        return own
    unit: Unit = state.line.unit(stream.source)
    tag = unit.tag_of("consistency")
    return tag if tag is not None and state.line.tag(tag).live else None


def _planned(state: State, stream_id: str, start: datetime) -> float:
    """Return what the orders in force ask a stream to carry since a moment, BDt."""
    rows = Order.objects.filter(world=state.world, from_at__lte=state.now, withdrawal=None)
    orders = list(rows.order_by("from_at", "id"))
    begun = [order for order in orders if order.from_at > start]
    before = [order for order in orders if order.from_at <= start][-1:] or [state.order]
    told = [*before, *begun]
    planned = 0.0
    for index, order in enumerate(told):
        first = max(order.from_at, start)
        last = told[index + 1].from_at if index + 1 < len(told) else state.now
        result = solve(state.world.version, order.grade, order.reel_t_per_h, order.shares)
        planned += result.streams[stream_id].bdt_per_h * max(0.0, (last - first).total_seconds()) / 3600
    return planned


def _means(state: State, start: datetime) -> dict[str, tuple[float, int]]:
    """Return mean and count of each live flow and consistency since a moment."""
    tags = [tag.id for tag in state.line.tags if tag.live and tag.reads in ("flow", "consistency")]
    if not tags:
        return {}
    marks = ", ".join(["%s"] * len(tags))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT tag, avg(value), count(value) FROM floor_sample WHERE world_id = %s"  # noqa: S608  ids of the line
            f" AND tag IN ({marks}) AND at_s > %s AND at_s <= %s AND value IS NOT NULL GROUP BY tag",
            [state.world.pk, *tags, epoch(start), epoch(state.now)],
        )
        return {tag: (mean, count) for tag, mean, count in cursor.fetchall()}


@dataclass(frozen=True, slots=True)
class Lost:
    """A stop as it touches a shift: minutes, and the tonnes its station would have carried."""

    stop: Stop
    name: str
    minutes: float
    lost_bdt: float

    @property
    def words(self) -> str:
        """In a line of the sheet."""
        still = ", stands still" if self.stop.to_at is None else ""
        return f"{self.name}: {self.minutes:.0f} min, {self.lost_bdt:.1f} BDt lost, {self.stop.cause}{still}"


def lost(state: State, start: datetime) -> list[Lost]:
    """Return the stops since a moment, with what each cost at the rate of the order in force."""
    found = []
    for stop in stops_of(state.world, start, state.now):
        first, last = max(stop.from_at, start), min(stop.to_at or state.now, state.now)
        minutes = max(0.0, (last - first).total_seconds() / 60)
        loads = [load.bdt_per_h for load in state.result.loads if load.station == stop.station]
        rate = max(loads, default=0.0)
        name = state.line.station(stop.station).name
        found.append(Lost(stop, name, minutes, rate * minutes / 60))
    return found
