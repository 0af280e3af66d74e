"""Django's runner, made to close the browser in time and to end on a plain line of counts."""

import unittest
from typing import Any

from django.db.backends.sqlite3.creation import DatabaseCreation
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Runs every test of the project."""

    def setup_databases(self, **kwargs: Any) -> Any:
        """Let copies of the test database hold what is still in its write-ahead log."""
        clone = DatabaseCreation._clone_test_db

        def complete_clone(creation: DatabaseCreation, *args: Any, **options: Any) -> Any:
            creation.connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")
            return clone(creation, *args, **options)

        DatabaseCreation._clone_test_db = complete_clone
        try:
            return super().setup_databases(**kwargs)
        finally:
            DatabaseCreation._clone_test_db = clone

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Print the closing line."""
        failed = len(result.failures) + len(result.errors) + len(getattr(result, "unexpectedSuccesses", ()))
        skipped = len(result.skipped)
        tail = f", {skipped} skipped" if skipped else ""
        print(f"\n{result.testsRun - failed - skipped} passed, {failed} failed{tail}", flush=True)
        return super().suite_result(suite, result, **kwargs)
