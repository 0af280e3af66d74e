"""Write a verified copy of the database while it runs; again and again where asked."""

import json
import logging
import os
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from desk.keep.copies import CopyError, keep_by_rule, take

log = logging.getLogger(__name__)
AGAIN_S = 300  # after one that failed


class Command(BaseCommand):
    """One copy, or one every so many hours."""

    help = "Copy the database into a folder, check the copy, keep copies by the rule."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; what is asked for is the data, not the pages

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder, and how often."""
        parser.add_argument("--to", type=Path, required=True)
        parser.add_argument("--encrypt", action="store_true", help="with FOX_BACKUP_PASSPHRASE")
        parser.add_argument("--every-h", type=float, default=0.0, help="go on, one every so many hours")

    def handle(self, **options: Any) -> None:
        """Copy once, or go on copying."""
        passphrase = os.environ.get("FOX_BACKUP_PASSPHRASE", "") if options["encrypt"] else ""
        if options["encrypt"] and len(passphrase) < 12:
            message = "FOX_BACKUP_PASSPHRASE must hold a passphrase of twelve characters or more"
            raise CommandError(message)
        try:
            while True:
                try:
                    self._copy(options["to"], passphrase)
                    wait_s = 3600 * options["every_h"]
                except (CopyError, OSError) as error:
                    if not options["every_h"]:
                        raise CommandError(str(error)) from None
                    log.exception("no copy was made")
                    self._tell(ok=False, said=str(error))
                    wait_s = AGAIN_S
                if not options["every_h"]:
                    return
                time.sleep(wait_s)
        except KeyboardInterrupt:
            return

    def _copy(self, folder: Path, passphrase: str) -> None:
        started = time.monotonic()
        path = take(Path(settings.DATABASES["default"]["NAME"]), folder, datetime.now(UTC), passphrase)
        gone = keep_by_rule(folder, datetime.now(UTC))
        size = path.stat().st_size / 1e6
        self.stdout.write(
            f"{path} written and checked, {size:.1f} MB in {time.monotonic() - started:.1f} s; {len(gone)} old ones gone by the rule"
        )
        self._tell(ok=True, said=path.name)

    def _tell(self, *, ok: bool, said: str) -> None:
        """Tell the health page when the last copy was made."""
        settings.FOX_PARTS.mkdir(parents=True, exist_ok=True)
        path = settings.FOX_PARTS / "backup.json"
        known = json.loads(path.read_text(encoding="utf-8")) if path.exists() else {}
        last = time.time() if ok else known.get("last_s", 0)
        path.write_text(
            json.dumps({"at_s": time.time(), "last_s": last, "ok": ok, "said": said[:200]}), encoding="utf-8"
        )
