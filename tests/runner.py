"""Django's runner, made to close the browser in time and to end on a plain line of counts."""

import sys
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
