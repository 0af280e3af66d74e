"""Triggers: what is written once is neither changed nor removed, and each row kept is a beat of its line.

The models refuse a change too, in words; this is for what goes round them: a query typed by
hand, a tool, a later line of code that forgot. They are made anew after each migration, since a
table that is remade loses its own.
"""

from collections.abc import Collection, Iterator
from typing import Any

from django.apps import apps
from django.db import connections, models

from desk.floor.appending import AppendOnly

ALSO = ("floor.Sample",)  # written in SQL, without a model's save; what writes it counts one beat for all


def guarded() -> list[type[models.Model]]:
    """Return every model whose rows are written once."""
    found = [model for model in apps.get_models() if issubclass(model, AppendOnly)]
    return [*found, *(apps.get_model(name) for name in ALSO)]


def of_lines() -> list[str]:
    """Return the tables of a line's rows that are written once, each with a number of its own."""
    found = (model._meta for model in guarded() if model._meta.label not in ALSO)
    return [meta.db_table for meta in found if any(field.name == "world" for field in meta.fields)]


def wanted(tables: Collection[str]) -> list[str]:
    """Return the names of the triggers that belong on those of the tables whose rows are written once."""
    names = (model._meta.db_table for model in guarded())
    return [f"{name}_no_{verb}" for name in names if name in tables for verb in ("update", "delete")]


def guard(using: str = "default", **_: Any) -> None:
    """Put the triggers on every such table there is."""
    with connections[using].cursor() as cursor:
        tables = set(connections[using].introspection.table_names(cursor))
        for model in guarded():
            if model._meta.db_table in tables:
                for statement in _once(model._meta.db_table):
                    cursor.execute(statement)
        if "floor_beat" not in tables:
            return
        cursor.execute(
            "CREATE TRIGGER IF NOT EXISTS floor_world_begins AFTER INSERT ON floor_world"
            " BEGIN INSERT INTO floor_beat (world_id, beat) VALUES (NEW.id, 0); END"
        )
        cursor.execute("INSERT OR IGNORE INTO floor_beat (world_id, beat) SELECT id, 0 FROM floor_world")
        for table in of_lines():
            if table in tables:
                cursor.execute(
                    f'CREATE TRIGGER IF NOT EXISTS "{table}_beats" AFTER INSERT ON "{table}"'  # noqa: S608  names of our tables
                    " BEGIN UPDATE floor_beat SET beat = beat + 1 WHERE world_id = NEW.world_id; END"
                )


def _once(table: str) -> Iterator[str]:
    for verb in ("UPDATE", "DELETE"):
        yield (
            f'CREATE TRIGGER IF NOT EXISTS "{table}_no_{verb.lower()}" BEFORE {verb} ON "{table}"'
            f" BEGIN SELECT RAISE(ABORT, '{table}: a row is written once; a correction is a new row'); END"
        )
