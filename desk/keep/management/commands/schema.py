"""Say whether the database is of this version: status 0 it is, 3 it is newer, 4 it is older, 5 it is too old.

Migrations that were drawn together stand for those they replace: a database that has had them all is of this
version, one that has had some needs the version that still knew the rest.
"""

import sys
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.migrations.executor import MigrationExecutor


class Command(BaseCommand):
    """Compares what was applied with what there is."""

    help = "Exit with 0 for a database of this version, 3 for a newer one, 4 for an older one, 5 for one too old."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; an older database must not stop the question

    def handle(self, **options: Any) -> None:  # noqa: ARG002  none are taken
        """Compare."""
        executor = MigrationExecutor(connection)
        disk, applied = executor.loader.disk_migrations, set(executor.recorder.applied_migrations())
        drawn_together = [set(one.replaces) for one in disk.values() if one.replaces]
        known = set(disk).union(*drawn_together)
        ours = {app for app, _ in known}
        if newer := sorted(one for one in applied - known if one[0] in ours):
            self.stdout.write(f"newer: {newer[0][0]} {newer[0][1]} is not of this version")
            sys.exit(3)
        if missing := [min(one - applied) for one in drawn_together if one & applied and one - applied]:
            self.stdout.write(
                f"too old: {missing[0][0]} {missing[0][1]} is not there; run the version before this one once"
            )
            sys.exit(5)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            self.stdout.write("It is of an earlier version; ./fox serve brings it up.")
            sys.exit(4)
        self.stdout.write("of this version")
