"""Read the plant's instruments over OPC UA and keep what they say, until stopped."""

import asyncio
import logging
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection

from desk.exchange.collector import Collector
from desk.exchange.worlds import world_of
from desk.mill.selectors import line_of


class Command(BaseCommand):
    """The one writer of a line's instrument values."""

    help = "Read the live tags of a line from an OPC UA server until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the server's address and the pace."""
        parser.add_argument("--endpoint", default="opc.tcp://127.0.0.1:4855")
        parser.add_argument("--namespace", default="urn:fox-vat:standin")
        which = parser.add_mutually_exclusive_group()
        which.add_argument("--world", default="live", help="the line's address")
        which.add_argument("--mill", type=Path, help="or the definition it was loaded from")
        parser.add_argument("--every", type=float, default=5.0, help="seconds between readings")

    def handle(self, **options: Any) -> None:
        """Run until stopped."""
        logging.getLogger("asyncua").setLevel(logging.CRITICAL)
        world = world_of(options["world"], options["mill"])
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA synchronous=NORMAL")  # a batch of readings lost with the power is read again
        collector = Collector(
            world,
            line_of(world.version),
            options["endpoint"],
            options["namespace"],
            settings.FOX_PARTS,
            options["every"],
        )
        try:
            asyncio.run(collector.run())
        except KeyboardInterrupt:
            return
