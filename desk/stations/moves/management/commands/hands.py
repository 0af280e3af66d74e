"""Do in the simulated plant what is set at the desk, until stopped; refuses any other plant."""

import asyncio
import logging
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from desk.exchange.worlds import world_of
from desk.stations.moves.hands import SIMULATED, Hands, NotSimulatedError


class Command(BaseCommand):
    """The one writer to a plant, and to a simulated one alone."""

    help = "Do in a simulated plant what is set at the desk, until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the server's address."""
        parser.add_argument("--endpoint", required=True)
        parser.add_argument("--namespace", default=SIMULATED)
        parser.add_argument("--world", required=True, help="the line's address")

    def handle(self, **options: Any) -> None:
        """Run until stopped."""
        logging.getLogger("asyncua").setLevel(logging.CRITICAL)
        try:
            hands = Hands(world_of(options["world"], None), options["endpoint"], options["namespace"])
        except NotSimulatedError as error:
            raise CommandError(str(error)) from None
        try:
            asyncio.run(hands.run())
        except KeyboardInterrupt:
            return
