"""What the cook house has to tell every page, read in one go: charges, steps, forecasts, results, tests, relations."""

import json
from collections import defaultdict
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any, Final

from django.db import connection

from desk.floor import clock
from desk.floor.state import State
from desk.stations.cook.amounts import NAMES, Amounts

BACK: Final = timedelta(hours=36)
TESTS_BACK: Final = timedelta(days=3)


@dataclass(frozen=True, slots=True)
class Planned:
    """A charge sheet in force."""

    pk: int
    number: int
    digester: int
    recipe: str
    at: datetime
    given: dict[str, Any]
    planned: dict[str, Any]
    by: str


@dataclass(frozen=True, slots=True)
class Done:
    """A step of a cook."""

    pk: int
    number: int
    kind: str
    at: datetime
    amounts: Amounts
    text: str
    by: str


@dataclass(frozen=True, slots=True)
class Foretold:
    """The forecast kept at a blow."""

    number: int
    at: datetime
    kappa: float
    half_kappa: float
    kinetic_kappa: float | None
    factor: float
    relation: str


@dataclass(frozen=True, slots=True)
class Found:
    """What the laboratory found of a cook."""

    pk: int
    number: int
    at: datetime
    kappa: float
    by: str


@dataclass(frozen=True, slots=True)
class Tested:
    """A titration by its readings."""

    pk: int
    kind: str
    at: datetime
    volumes: dict[str, float]
    number: int | None
    by: str


@dataclass(frozen=True, slots=True)
class News:
    """All of it; lists oldest first, charges and relations by cook and recipe."""

    charges: dict[int, Planned] = field(default_factory=dict)
    steps: dict[int, list[Done]] = field(default_factory=dict)
    forecasts: dict[int, Foretold] = field(default_factory=dict)
    results: dict[int, Found] = field(default_factory=dict)
    tests: list[Tested] = field(default_factory=list)
    relations: dict[str, tuple[int, dict[str, Any]]] = field(default_factory=dict)


# In SQL and in one query, since every page asks for it. Columns: what, key, number, kind, at, three numbers, three texts, id.
_PERSON: Final = "coalesce(substr(p.first_name, 1, 1) || '. ' || p.last_name, 'the plant')"
# An endless number, which only something other than the desk can have written, is none.
_AMOUNTS: Final = (
    "json_object(" + ", ".join(f"'{name}', iif(abs({name}) < 1.7e308, {name}, NULL)" for name in NAMES) + ")"
)
_SQL: Final = """
SELECT 'charge', '', number, digester, planned_at, 0, 0, 0, recipe, given, planned, c.id, PERSON
 FROM cooking_charge c LEFT JOIN people_person p ON p.id = c.by_id
 WHERE world_id = %s AND planned_at >= %s
 AND NOT EXISTS (SELECT 1 FROM cooking_charge later WHERE later.supersedes_id = c.id)
UNION ALL SELECT 'step', kind, number, 0, at, 0, 0, 0, text, AMOUNTS, '', s.id, PERSON
 FROM cooking_step s LEFT JOIN people_person p ON p.id = s.by_id
 WHERE world_id = %s AND at >= %s AND at <= %s
 AND NOT EXISTS (SELECT 1 FROM cooking_step later WHERE later.supersedes_id = s.id)
UNION ALL SELECT 'forecast', '', number, 0, at, kappa, half_kappa, kinetic_kappa, relation_words, '', '', id, factor
 FROM cooking_forecast f WHERE world_id = %s AND at >= %s AND at <= %s
 AND NOT EXISTS (SELECT 1 FROM cooking_step later WHERE later.supersedes_id = f.blow_id AND later.kind <> 'blow')
UNION ALL SELECT 'result', '', number, 0, at, kappa, 0, 0, '', '', '', r.id, PERSON
 FROM cooking_result r LEFT JOIN people_person p ON p.id = r.by_id
 WHERE world_id = %s AND at >= %s AND at <= %s
 AND NOT EXISTS (SELECT 1 FROM cooking_result later WHERE later.supersedes_id = r.id)
UNION ALL SELECT 'test', kind, number, 0, at, 0, 0, 0, '', volumes, '', t.id, PERSON
 FROM cooking_liquortest t LEFT JOIN people_person p ON p.id = t.by_id
 WHERE world_id = %s AND at >= %s AND at <= %s
 AND NOT EXISTS (SELECT 1 FROM cooking_liquortest later WHERE later.supersedes_id = t.id)
UNION ALL SELECT 'relation', recipe, version, 0, accepted_at, 0, 0, 0, '', figures, '', id, ''
 FROM cooking_relationversion WHERE world_id = %s AND accepted_at <= %s
"""


def read_news(state: State) -> News:
    """Read the news of a state's world."""
    world, now = state.world.pk, clock.as_stored(state.now)
    back, tests = clock.as_stored(state.now - BACK), clock.as_stored(state.now - TESTS_BACK)
    spans: list[Any] = [world, back, *[world, back, now] * 3, world, tests, now, world, now]
    with connection.cursor() as cursor:
        cursor.execute(_SQL.replace("PERSON", _PERSON).replace("AMOUNTS", _AMOUNTS), spans)
        rows = sorted(cursor.fetchall(), key=lambda row: (str(row[4]), row[11]))
    news = News()
    steps: dict[int, list[Done]] = defaultdict(list)
    for what, key, number, digester, at, one, two, three, text, first, second, pk, by in rows:
        when = _read(at)
        if what == "charge":
            given, planned = json.loads(first), json.loads(second)
            news.charges[number] = Planned(pk, number, digester, text, when, given, planned, by)
        elif what == "step":
            steps[number].append(Done(pk, number, key, when, Amounts(**json.loads(first)), text, by))
        elif what == "forecast":
            news.forecasts[number] = Foretold(number, when, one, two, three, float(by), text)
        elif what == "result":
            news.results[number] = Found(pk, number, when, one, by)
        elif what == "test":
            news.tests.append(Tested(pk, key, when, json.loads(first), number, by))
        elif number > news.relations.get(key, (0, {}))[0]:
            news.relations[key] = (number, json.loads(first))
    news.steps.update(steps)
    return news


def _read(at: Any) -> datetime:
    moment = at if isinstance(at, datetime) else datetime.fromisoformat(at)
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
