"""Check the log: every entry is what was sealed, each to the one before it."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from desk.floor.models import Record, World


class Command(BaseCommand):
    """Reads every line's log from its first entry, and names the first that does not fit."""

    help = "Check that no entry of the log was changed or removed since it was written."

    def handle(self, **options: Any) -> None:  # noqa: ARG002  none are taken
        """Go through each line."""
        for world in World.objects.order_by("pk"):
            previous, count = "", 0
            for record in Record.objects.filter(world=world).order_by("pk").iterator(chunk_size=2000):
                if record.sealed_after(previous) != record.digest:
                    message = (
                        f"{world.name}: entry {record.pk}, {record.at:%d %b %Y %H:%M}, '{record}', is not what was sealed,"
                        " or the one before it is gone"
                    )
                    raise CommandError(message)
                previous, count = record.digest, count + 1
            self.stdout.write(f"{world.name}: {count} entries, the chain holds")
