"""What the instruments and gauges of the digesters read, a minute apart."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import datetime
from typing import Any

import numpy as np
from django.db import connection

from desk.floor import clock
from desk.floor.models import epoch
from desk.floor.state import State
from stock.cooking.recipe import CookDef, Digester

Samples = tuple[np.ndarray, np.ndarray]

_SENT = (
    "SELECT tag, min(at_s), avg(value) FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s >= %s AND at_s <= %s AND value IS NOT NULL"
    " GROUP BY tag, at_s / 60"
)
_BY_HAND = (
    "SELECT tag, CAST(strftime('%%s', at) AS INTEGER), value FROM floor_record r"
    " WHERE world_id = %s AND tag IN (MARKS) AND kind = 'reading' AND at >= %s AND at <= %s"
    " AND NOT EXISTS (SELECT 1 FROM floor_record later WHERE later.supersedes_id = r.id) ORDER BY 1, 2"
)


def samples_of(state: State, since: Mapping[int, datetime]) -> dict[str, Samples]:
    """Return seconds and values by tag from a moment on for each digester, instruments and hand together."""
    house = state.line.cook
    spans = [(tag, at) for number, at in since.items() for tag in _counted(house, house.digester(number))]
    if not spans:
        return {}
    world, until = state.world.pk, epoch(state.now)
    values: list[Any] = [part for tag, at in spans for part in (world, tag, epoch(at), until)]
    values += [world, *(tag for tag, _ in spans)]
    values += [clock.as_stored(min(at for _, at in spans)), clock.as_stored(state.now)]
    by_hand = _BY_HAND.replace("MARKS", ", ".join(["%s"] * len(spans)))
    with connection.cursor() as cursor:
        cursor.execute(" UNION ALL ".join([*[_SENT] * len(spans), by_hand]), values)
        rows = cursor.fetchall()
    found: dict[str, list[tuple[int, float]]] = defaultdict(list)
    for tag, at_s, value in rows:
        found[tag].append((at_s, value))
    return {
        tag: (np.array([at for at, _ in read], dtype=float), np.array([value for _, value in read], dtype=float))
        for tag, read in found.items()
    }


def _counted(house: CookDef, digester: Digester) -> list[str]:
    """Return the tags a digester's cooks are counted on; pressures where an acid cook may count them."""
    tags = [digester.temperature, digester.bottom]
    if any(house.recipe(one).is_sulphite for one in digester.recipes):
        tags.append(digester.pressure)
    return [tag for tag in tags if tag is not None]
