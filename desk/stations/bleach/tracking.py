"""What passed a bleach over the last day: by a flow that is read before it, else by the orders; and its logged stops."""

from datetime import UTC, datetime, timedelta
from typing import Final

from django.db.models import Avg, F

from desk.floor.models import Order, Sample, Stop, Withdrawal, epoch
from desk.floor.points import stops_of
from desk.floor.state import State
from stock.bleaching.track import Track
from stock.bleaching.unit import BleachStage
from stock.tag import Tag

BACK: Final = timedelta(hours=36)
PIECE_S: Final = 600
MOST_SHARE: Final = 3.0  # of the order's rate; a reading above it is no flow of pulp
OFTEN_S: Final = 300


def flow_tag(state: State, unit: BleachStage) -> Tag | None:
    """Return the live flow nearest before a bleach, on the way its pulp comes; None where none is read."""
    fed = state.line.graph.fed_by(unit.id)
    while fed is not None:
        tag_id = state.line.stream(fed.id).tag_of("flow")
        if tag_id and state.line.tag(tag_id).live:
            return state.line.tag(tag_id)
        fed = state.line.graph.fed_by(fed.source)
    return None


def track_of(state: State, unit: BleachStage) -> Track:
    """Return what passed a bleach, over what passes by the order now; worked out anew every five minutes."""
    return state.of_records(f"track:{unit.id}", lambda: _track(state, unit), OFTEN_S, [Order, Withdrawal, Stop])


def _track(state: State, unit: BleachStage) -> Track:
    tag = flow_tag(state, unit)
    shares = _by_flow(state, tag) if tag is not None else {}
    if not shares:
        shares = _by_orders(state)
    stops = _stops(state, unit)
    if not shares and not stops:
        return Track()
    start = state.now - BACK
    hours, found, share = [], [], 1.0
    for piece in range(int(BACK.total_seconds()) // PIECE_S):
        from_at = start + timedelta(seconds=piece * PIECE_S)
        share = shares.get(piece, share)
        hours.append((from_at - state.now).total_seconds() / 3600)
        middle = from_at + timedelta(seconds=PIECE_S / 2)
        found.append(0.0 if any(since <= middle < until for since, until in stops) else share)
    return Track(hours, found)


def _by_flow(state: State, tag: Tag) -> dict[int, float]:
    """Return the flow read over that of the order, by piece."""
    stream = state.result.streams.get(tag.of)
    usual = 0.0 if stream is None else stream.total_t_per_h * 1000 / 60
    if usual <= 0:
        return {}
    start_s = epoch(state.now - BACK)
    rows = (
        Sample.objects.filter(world=state.world, tag=tag.id, at_s__gte=start_s, at_s__lt=epoch(state.now), value__isnull=False)
        .annotate(piece=(F("at_s") - start_s) / PIECE_S)
        .values("piece")
        .annotate(mean=Avg("value"))
    )  # fmt: skip
    return {int(row["piece"]): min(max(row["mean"] / usual, 0.0), MOST_SHARE) for row in rows}


def _by_orders(state: State) -> dict[int, float]:
    """Return the rate of the reel by the order then in force over that of now, by piece."""
    if "orders by piece" not in state.kept:
        state.kept["orders by piece"] = _orders(state)
    found: dict[int, float] = state.kept["orders by piece"]
    return found


def _orders(state: State) -> dict[int, float]:
    now_t = state.order.reel_t_per_h
    if now_t <= 0:
        return {}
    start = state.now - BACK
    found: dict[int, float] = {}
    rows = Order.objects.filter(world=state.world, from_at__lte=state.now).order_by("-from_at", "-id")
    for row in rows[:20]:
        piece = max(0, int((row.from_at - start).total_seconds()) // PIECE_S)
        found.setdefault(piece, min(row.reel_t_per_h / now_t, MOST_SHARE))
        if row.from_at <= start:
            break
    return found


def _stops(state: State, unit: BleachStage) -> list[tuple[datetime, datetime]]:
    """Return the stops logged at the station of a bleach."""
    if "stops of late" not in state.kept:
        state.kept["stops of late"] = stops_of(state.world, state.now - BACK, state.now)
    rows: list[Stop] = state.kept["stops of late"]
    forever = datetime.max.replace(tzinfo=UTC)
    return [(row.from_at, row.to_at or forever) for row in rows if row.station == unit.station]
