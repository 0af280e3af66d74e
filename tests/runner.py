"""Django's runner, made to close the browser in time and to end on a plain line of counts."""

import sys
import unittest
from importlib import import_module
from typing import Any

from django.apps import apps
from django.db import connection
from django.db.backends.sqlite3.creation import DatabaseCreation
from django.test.runner import DiscoverRunner
from django.test.utils import override_settings

from desk.floor.guard import guard


class Runner(DiscoverRunner):
    """Runs every test of the project."""

    def setup_databases(self, **kwargs: Any) -> Any:
        """Make the tables from the models, a tenth of the time of all migrations: that both agree is checked beside.

        Copies of the test database hold what is still in its write-ahead log.
        """
        clone = DatabaseCreation._clone_test_db

        def complete_clone(creation: DatabaseCreation, *args: Any, **options: Any) -> Any:
            creation.connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")
            return clone(creation, *args, **options)

        DatabaseCreation._clone_test_db = complete_clone
        from_models = {one.label: None for one in apps.get_app_configs()}
        try:
            with override_settings(MIGRATION_MODULES=from_models):
                made = super().setup_databases(**kwargs)
            if connection.connection is not None:  # some tests need no tables
                with connection.connection as database:  # the one table that is written by hand
                    database.execute("DROP TABLE floor_sample")
                    database.execute(import_module("desk.floor.migrations.0001_whole").MAKE_SAMPLE)
                guard()
            return made
        finally:
            DatabaseCreation._clone_test_db = clone

    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        """Stop the browser first: its loop would make the database refuse this thread."""
        if base := sys.modules.get("tests.browser.base"):
            base.stop()
        super().teardown_databases(old_config, **kwargs)

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Print the closing line."""
        troubled = [*result.failures, *result.errors]
        failed = len({getattr(test, "test_case", test).id() for test, _ in troubled})  # one test may fail in many parts
        skipped = len(result.skipped)
        tail = f", {skipped} skipped" if skipped else ""
        print(f"\n{result.testsRun - failed - skipped} passed, {failed} failed{tail}", flush=True)
        return super().suite_result(suite, result, **kwargs)
