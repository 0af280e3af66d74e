"""Say whether the database is of this version: status 0 it is, 3 it is newer, 4 it is older."""

import sys
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.migrations.executor import MigrationExecutor


class Command(BaseCommand):
    """Compares what was applied with what there is."""

    help = "Exit with 0 for a database of this version, 3 for a newer one, 4 for an older one."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; an older database must not stop the question

    def handle(self, **options: Any) -> None:  # noqa: ARG002  none are taken
        """Compare."""
        executor = MigrationExecutor(connection)
        known, applied = set(executor.loader.disk_migrations), set(executor.loader.applied_migrations)
        ours = {app for app, _ in known}
        if newer := sorted(one for one in applied - known if one[0] in ours):
            self.stdout.write(f"newer: {newer[0][0]} {newer[0][1]} is not of this version")
            sys.exit(3)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            self.stdout.write("older")
            sys.exit(4)
        self.stdout.write("of this version")
