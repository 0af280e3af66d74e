"""What the yard has to tell every page, read in one go: trips, knives, chip samples, the gate, the plan, broken files."""

import json
from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, Final

from django.db import connection

from desk.floor import clock
from desk.floor.state import State

SHIFTS_KEPT: Final = 20
RECORDS_BACK: Final = timedelta(hours=12 * (SHIFTS_KEPT + 1))  # of the longest shifts
CLASSES_BACK: Final = timedelta(days=5)
GATE_BACK: Final = timedelta(days=2)
FILES_BACK: Final = timedelta(days=1)
PLAN_BACK: Final = timedelta(days=3)


@dataclass(frozen=True, slots=True)
class Noted:
    """A trip, a release or a step of a knife change, as kept.

    Its value is the minutes stopped, or which step; its text what was found; its place the detector.
    """

    tag: str
    subject: str
    at: datetime
    value: float
    text: str
    place: str
    pk: int = 0


@dataclass(frozen=True, slots=True)
class Sampled:
    """A chip classification."""

    pk: int
    source: str
    at: datetime
    sample_g: float
    masses_g: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Waiting:
    """A load that was weighed and waits to be received, with its moistures where it was dried."""

    ticket: str
    material: str
    at: datetime
    gross_t: float
    tare_t: float
    moistures_pct: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Planned:
    """The blend accepted last."""

    pk: int
    from_at: datetime
    hours: float


@dataclass(frozen=True, slots=True)
class Broken:
    """A device's file that was set aside."""

    name: str
    reason: str
    at: datetime


@dataclass(frozen=True, slots=True)
class News:
    """All of it, oldest first but for the samples."""

    noted: tuple[Noted, ...]
    samples: dict[str, list[Sampled]]
    gate: tuple[Waiting, ...]
    plan: Planned | None
    broken: tuple[Broken, ...]


LOGGED: Final = ("trip", "release", "knife")

# In SQL and in one query, since every page asks for it.
_SQL: Final = """
SELECT 'trip', lot, detector, at, stopped_min, find, r.id FROM yard_trip r
 WHERE world_id = %s AND at >= %s AND at <= %s AND NOT undone
 AND NOT EXISTS (SELECT 1 FROM yard_trip later WHERE later.supersedes_id = r.id)
UNION ALL SELECT 'release', lot, '', at, 0, reason, id FROM yard_release
 WHERE world_id = %s AND at >= %s AND at <= %s
UNION ALL SELECT 'knife', chipper, '', at, step, '', id FROM yard_knifestep
 WHERE world_id = %s AND at >= %s AND at <= %s
UNION ALL SELECT 'sample', source, '', at, sample_g, masses_g, id FROM yard_classification c
 WHERE world_id = %s AND at >= %s AND at <= %s
 AND NOT EXISTS (SELECT 1 FROM yard_classification later WHERE later.supersedes_id = c.id)
UNION ALL SELECT 'gate', s.ticket, s.material, s.at, s.gross_t, coalesce(p.moistures_pct, '[]'), s.tare_t
 FROM yard_ticket s LEFT JOIN yard_ticket p ON p.world_id = s.world_id AND p.kind = 'probe' AND p.ticket = s.ticket
 WHERE s.world_id = %s AND s.kind = 'scale' AND s.at >= %s AND s.at <= %s
 AND NOT EXISTS (SELECT 1 FROM yard_lot l WHERE l.world_id = s.world_id AND l.ticket = s.ticket)
UNION ALL SELECT 'plan', '', '', from_at, hours, '', id FROM yard_blendplan
 WHERE world_id = %s AND from_at >= %s AND from_at <= %s
UNION ALL SELECT 'broken', name, reason, at, 0, '', id FROM yard_dropped
 WHERE world_id = %s AND reason <> '' AND at >= %s AND at <= %s
"""


def read_news(state: State) -> News:
    """Read the news of a state's world."""
    now = state.now
    backs = (*[RECORDS_BACK] * 3, CLASSES_BACK, GATE_BACK, PLAN_BACK, FILES_BACK)
    values = [part for back in backs for part in (state.world.pk, clock.as_stored(now - back), clock.as_stored(now))]
    with connection.cursor() as cursor:
        cursor.execute(_SQL, values)
        rows = sorted(cursor.fetchall(), key=lambda row: (str(row[3]), row[0] == "release", row[6]))
    found: dict[str, list[tuple[Any, ...]]] = defaultdict(list)
    for row in rows:
        found[row[0]].append(row)
    samples: dict[str, list[Sampled]] = defaultdict(list)
    for _, source, _, at, sample_g, masses, pk in reversed(found["sample"]):
        samples[source].append(Sampled(pk, source, _read(at), sample_g, tuple(json.loads(masses))))
    plans = [Planned(row[6], _read(row[3]), row[4]) for row in found["plan"]]
    return News(
        noted=tuple(
            Noted(row[0], row[1], _read(row[3]), row[4], row[5], row[2], row[6]) for row in rows if row[0] in LOGGED
        ),
        samples=dict(samples),
        gate=tuple(
            Waiting(row[1], row[2], _read(row[3]), row[4], row[6], tuple(json.loads(row[5]))) for row in found["gate"]
        ),
        plan=plans[-1] if plans else None,
        broken=tuple(Broken(row[1], row[2], _read(row[3])) for row in reversed(found["broken"])),
    )


def _read(at: Any) -> datetime:
    moment = at if isinstance(at, datetime) else datetime.fromisoformat(at)
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
