"""What a break does to the broke chests: the whole sheet comes, and how long one takes it."""

from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.primitives import Split, Store


def break_fills_min(line: Definition, result: LineResult, unit_id: str, level_pct: float) -> float | None:
    """Return the minutes of a break until a broke chest is full; None for what takes no broke of this grade, or is full.

    In a break the whole sheet goes where its trim goes now; the chest is drawn on as before.
    """
    unit = line.graph.units.get(unit_id)
    fed = next(iter(line.graph.into(unit_id)), None)
    if not isinstance(unit, Store) or fed is None:
        return None
    winder = _trimmed_from(line, unit_id)
    now = result.streams[fed.id].bdt_per_h
    if winder is None or now < 1e-6:
        return None
    sheet = sum(result.streams[one.id].bdt_per_h for one in line.graph.into(winder.id))
    drawn = sum(result.streams[one.id].bdt_per_h for one in line.graph.out(unit_id))
    room_bdt = unit.volume_m3 * unit.consistency_pct / 100 * (unit.high_pct - level_pct) / 100
    more = now + sheet - result.streams[winder.rest].bdt_per_h - drawn
    return 60 * room_bdt / more if room_bdt > 0 and more > 1e-6 else None


def _trimmed_from(line: Definition, unit_id: str) -> Split | None:
    """Return the unit whose rest comes to a chest: where the sheet is trimmed."""
    for name in (unit_id, *(one.id for one in line.graph.upstream(unit_id))):
        for stream in line.graph.into(name):
            source = line.unit(stream.source)
            if isinstance(source, Split) and not source.by_grade and source.rest == stream.id:
                return source
    return None
