"""Triggers that refuse to change or remove a row written once, whatever path it comes by.

The models refuse too, in words; this is for what goes round them: a query typed by hand, a
tool, a later line of code that forgot. They are made anew after each migration, since a
table that is remade loses its own.
"""

from typing import Any

from django.apps import apps
from django.db import connections, models

from desk.floor.appending import AppendOnly

ALSO = ("floor.Sample",)  # written in SQL, without a model's save


def guarded() -> list[type[models.Model]]:
    """Return every model whose rows are written once."""
    found = [model for model in apps.get_models() if issubclass(model, AppendOnly)]
    return [*found, *(apps.get_model(name) for name in ALSO)]


def guard(using: str = "default", **_: Any) -> None:
    """Put the triggers on every such table there is."""
    with connections[using].cursor() as cursor:
        tables = set(connections[using].introspection.table_names(cursor))
        for model in guarded():
            table = model._meta.db_table
            for verb in ("UPDATE", "DELETE") if table in tables else ():
                cursor.execute(
                    f'CREATE TRIGGER IF NOT EXISTS "{table}_no_{verb.lower()}" BEFORE {verb} ON "{table}"'
                    f" BEGIN SELECT RAISE(ABORT, '{table}: a row is written once; a correction is a new row'); END"
                )
