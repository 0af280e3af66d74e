"""Look ahead on a line every few minutes, for every page to show, until stopped."""

import logging
import time
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, connection

from desk.exchange.worlds import world_of
from desk.floor.state import State
from desk.stations.ahead.looking import keep

LONGEST_WAIT_S = 300.0
NOTHING_YET_S = 15.0  # where no level is read yet, as while a plant starts
log = logging.getLogger(__name__)


class Command(BaseCommand):
    """The one that runs the line on."""

    help = "Look ahead on a line every few minutes, until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the line and the pace."""
        parser.add_argument("--world", required=True, help="the line's address")
        parser.add_argument("--every", type=float, default=300.0, help="seconds between two")
        parser.add_argument("--once", action="store_true", help="look once and end")

    def handle(self, **options: Any) -> None:
        """Run until stopped; a database that is away is waited for."""
        wait_s = 5.0
        while True:
            try:
                world = world_of(options["world"], None)
                found = keep(State(world))
                wait_s = 5.0
            except DatabaseError as error:
                log.warning("%s: %s; trying again in %.0f s", options["world"], error, wait_s)
                connection.close()
                time.sleep(wait_s)
                wait_s = min(2 * wait_s, LONGEST_WAIT_S)
                continue
            if options["once"]:
                return
            try:
                time.sleep(options["every"] if found is not None else min(options["every"], NOTHING_YET_S))
            except KeyboardInterrupt:
                return
