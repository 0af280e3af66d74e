"""Django's system checks of what the desk relies on: said at every start and by `manage.py check`."""

import os
from collections.abc import Sequence
from importlib import import_module
from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error, Tags, register
from django.db import connections

from desk.floor.guard import wanted
from desk.floor.station import Station


@register(Tags.urls)
def every_station_says_what_it_adds(**_: Any) -> list[CheckMessage]:
    """Each folder of the list holds one `STATION`, one of them serves any stop, and no two answer to one kind."""
    found: list[CheckMessage] = []
    kinds: list[str] = []
    for name in settings.FOX_STATIONS:
        station = getattr(import_module(f"desk.stations.{name}.station"), "STATION", None)
        if isinstance(station, Station):
            kinds.append(station.kind)
        else:
            found.append(Error(f"desk/stations/{name}/station.py has no STATION", id="fox.E001"))
    if "" not in kinds or len(kinds) != len(set(kinds)):
        hint = "one station has the kind '', every other a kind of its own"
        found.append(Error(f"the stations serve the kinds {kinds}", hint=hint, id="fox.E002"))
    return found


@register(Tags.security)
def one_writer_at_a_time(**_: Any) -> list[CheckMessage]:
    """The writing rules rest on SQLite taking its write lock at the start of a transaction, and on its own keys."""
    database = settings.DATABASES["default"]
    options = database.get("OPTIONS", {})
    held = {
        "fox.E003": (database["ENGINE"].endswith("sqlite3"), "the database is not SQLite"),
        "fox.E004": (
            options.get("transaction_mode") == "IMMEDIATE",
            "a transaction does not begin with the write lock",
        ),
        "fox.E005": ("foreign_keys=ON" in options.get("init_command", ""), "foreign keys are not checked"),
    }
    return [Error(words, id=name) for name, (true, words) in held.items() if not true]


@register(Tags.security)
def the_folder_can_be_written(**_: Any) -> list[CheckMessage]:
    """Database, drop folder and signing secret live in one folder of the desk's own."""
    if settings.VAR.exists() and not os.access(settings.VAR, os.W_OK | os.X_OK):
        return [Error(f"the folder {settings.VAR} cannot be written", id="fox.E006")]
    return []


@register(Tags.database)
def what_is_written_once_is_guarded(databases: Sequence[str] | None = None, **_: Any) -> list[CheckMessage]:
    """Every table of what is written once has its triggers, if it is there."""
    found: list[CheckMessage] = []
    for using in databases or ():
        connection = connections[using]
        with connection.cursor() as cursor:
            tables = set(connection.introspection.table_names(cursor))
            cursor.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")
            there = {name for (name,) in cursor.fetchall()}
        missing = sorted(set(wanted(tables)) - there)
        if missing:
            hint = "run manage.py migrate, which makes them anew"
            found.append(Error(f"triggers are missing: {', '.join(missing)}", hint=hint, id="fox.E007"))
    return found
