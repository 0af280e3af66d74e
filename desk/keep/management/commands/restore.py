"""Check a copy, say what is in it, and put it in place of the database; or only try it."""

import os
import subprocess
import sys
import time
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from desk.keep.copies import CopyError, copies, open_copy


class Command(BaseCommand):
    """Unpacks beside, checks wholeness and the chain of the log, then puts it in place; what was there is kept."""

    help = "Restore a copy: --drill tries it and puts nothing in place."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; what is asked for is the data, not the pages

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the copy, or a folder and a moment."""
        parser.add_argument("file", nargs="?", type=Path)
        parser.add_argument("--from", dest="folder", type=Path, help="take the newest copy of a folder")
        parser.add_argument("--at", help="or the newest before a moment, ISO 8601")
        parser.add_argument("--to", type=Path, required=True, help="the desk's folder")
        parser.add_argument("--drill", action="store_true")

    def handle(self, **options: Any) -> None:
        """Check, count, put in place."""
        path = options["file"] or self._newest(options["folder"], options["at"])
        if not path.is_file():
            message = f"there is no copy {path}"
            raise CommandError(message)
        started = time.monotonic()
        options["to"].mkdir(parents=True, exist_ok=True, mode=0o700)
        with TemporaryDirectory(dir=options["to"], prefix="restoring-") as name:
            beside = Path(name) / "fox.sqlite3"
            try:
                open_copy(path, beside, os.environ.get("FOX_BACKUP_PASSPHRASE", ""))
            except CopyError as error:
                raise CommandError(str(error)) from None
            self.stdout.write(f"{path.name}: whole.")
            self._look_into(Path(name))
            self.stdout.write(f"Checked in {time.monotonic() - started:.1f} s.")
            if options["drill"]:
                return
            goal = Path(settings.DATABASES["default"]["NAME"])
            if goal.exists():
                kept = goal.with_name(f"fox-before-restore-{datetime.now(UTC):%Y%m%dT%H%M%S}.sqlite3")
                for tail in ("", "-wal", "-shm"):
                    part = goal.with_name(goal.name + tail)
                    if part.exists():
                        part.replace(kept.with_name(kept.name + tail))
                self.stdout.write(f"What was there is kept as {kept.name}.")
            beside.replace(goal)
            self.stdout.write(f"In place: {goal}")

    def _newest(self, folder: Path | None, at: str | None) -> Path:
        if folder is None:
            message = "name a copy, or a folder of them"
            raise CommandError(message)
        try:
            before = datetime.fromisoformat(at) if at else datetime.max.replace(tzinfo=UTC)
        except ValueError:
            message = f"{at!r} is no moment; write it as 2026-03-10T14:00"
            raise CommandError(message) from None
        before = before if before.tzinfo else before.astimezone()
        found = [path for made, path in copies(folder) if made <= before]
        if not found:
            message = f"there is no copy in {folder}" + (f" from before {at}" if at else "")
            raise CommandError(message)
        return found[-1]

    def _look_into(self, folder: Path) -> None:
        """Check the unpacked copy and say what it holds, in a process that knows no other database."""
        env = {**os.environ, "FOX_VAR": str(folder), "FOX_SECRET_KEY": "only to look at a copy of the database, " * 2}
        done = subprocess.run(
            [sys.executable, "manage.py", "contents", "--checked"],
            cwd=settings.ROOT,
            env=env,
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise CommandError((done.stderr or done.stdout).strip().splitlines()[-1])
        self.stdout.write(done.stdout.strip())
