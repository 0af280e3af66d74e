"""Pick up what devices leave in a line's folder, until stopped."""

import time
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections

from desk.exchange.pick_up import Folder
from desk.exchange.worlds import world_of


class Command(BaseCommand):
    """Apart from the readings' loop: a file from hell delays files, nothing else."""

    help = "Take in the files of gate, belts and laboratory devices until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder and the pace."""
        which = parser.add_mutually_exclusive_group()
        which.add_argument("--world", default="live", help="the line's address")
        which.add_argument("--mill", type=Path, help="or the definition it was loaded from")
        parser.add_argument("--drop", type=Path, required=True, help="folder where devices leave their files")
        parser.add_argument("--every", type=float, default=5.0, help="seconds between looks")

    def handle(self, **options: Any) -> None:
        """Look until stopped."""
        folder = Folder(world_of(options["world"], options["mill"]), options["drop"])
        try:
            while True:
                close_old_connections()
                folder.pick_up()
                time.sleep(options["every"])
        except KeyboardInterrupt:
            return
