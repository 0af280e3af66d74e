"""Check the log: every entry is what was sealed, each to the one before it, with the row it was made from."""

from collections import defaultdict
from typing import Any

from django.apps import apps
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from desk.floor.models import HandOver, Record, World
from desk.floor.sealing import digest_of

AT_ONCE = 2000


class Command(BaseCommand):
    """Reads every line's log from its first entry, and names the first that does not fit."""

    help = "Check that no entry of the log, and no row one was made from, was changed or removed since it was written."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; what is asked for is the data, not the pages

    def handle(self, **options: Any) -> None:  # noqa: ARG002  none are taken
        """Go through each line."""
        for world in World.objects.order_by("pk"):
            count, made, heads = self._chain(world)
            self._sources(world, made)
            self._signed(world, heads)
            self.stdout.write(
                f"{world.name}: {count} entries, the chain holds; {len(made)} rows are as they were sealed"
            )
        self._last_row()

    def _chain(self, world: World) -> tuple[int, dict[str, tuple[int, str]], dict[int, str]]:
        """Check each entry against the one before it; return their count, the rows they were made from, their digests."""
        previous, heads = "", {}
        made: dict[str, tuple[int, str]] = {}
        for record in Record.objects.filter(world=world).order_by("pk").iterator(chunk_size=AT_ONCE):
            if record.sealed_after(previous) != record.digest:
                message = (
                    f"{world.name}: entry {record.pk}, {record.at:%d %b %Y %H:%M}, '{record}', is not what was sealed,"
                    " or the one before it is gone"
                )
                raise CommandError(message)
            if record.source and record.source_digest:
                made.setdefault(record.source, (record.pk, record.source_digest))
            previous = heads[record.pk] = record.digest
        return len(heads), made, heads

    def _sources(self, world: World, made: dict[str, tuple[int, str]]) -> None:
        """Check that each row an entry was made from is as it was then."""
        by_model: dict[str, dict[str, tuple[int, str]]] = defaultdict(dict)
        for source, sealed in made.items():
            label, _, key = source.partition(":")
            by_model[label][key] = sealed
        for label, sealed_rows in by_model.items():
            keys = list(sealed_rows)
            for start in range(0, len(keys), 500):
                wanted = keys[start : start + 500]
                found = {
                    str(row.pk): digest_of(row) for row in apps.get_model(label)._default_manager.filter(pk__in=wanted)
                }
                for key in wanted:
                    entry, digest = sealed_rows[key]
                    if found.get(key) != digest:
                        state = "is gone" if key not in found else "is not what was sealed"
                        message = f"{world.name}: {label} {key}, from which entry {entry} was made, {state}"
                        raise CommandError(message)

    def _signed(self, world: World, heads: dict[int, str]) -> None:
        """Check that the head of the chain each hand-over was signed with is still in the chain."""
        for sheet in HandOver.objects.filter(world=world):
            chain = sheet.sheet.get("chain")
            if chain and heads.get(chain["entry"]) != chain["head"]:
                message = f"{world.name}: hand-over {sheet.pk} was signed over entry {chain['entry']}, which is not there as it was"
                raise CommandError(message)

    def _last_row(self) -> None:
        """Check that the newest entry is the last that was ever written: a removed end of the log leaves its number."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT seq FROM sqlite_sequence WHERE name = %s", [Record._meta.db_table])
            row = cursor.fetchone()
        last = Record.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
        if row is not None and row[0] > last:
            message = f"entries {last + 1} to {row[0]} were written and are gone from the end of the log"
            raise CommandError(message)
