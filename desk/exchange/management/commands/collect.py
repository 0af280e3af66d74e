"""Read the plant's instruments over OPC UA, pick up what devices leave in their folder, and keep both."""

import asyncio
import logging
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from asgiref.sync import sync_to_async
from asyncua import Client, ua
from django.core.management.base import BaseCommand, CommandError, CommandParser

from desk.exchange.pick_up import pick_up
from desk.floor.models import World
from desk.floor.services import store_samples
from desk.floor.station import stations
from desk.mill.models import DefinitionVersion
from desk.mill.selectors import line_of
from stock.line.definition import Definition

log = logging.getLogger(__name__)


class Command(BaseCommand):
    """The one writer of instrument values: batches them, and waits out a lost connection."""

    help = "Read the live tags of a world from an OPC UA server until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the server's address and the pace."""
        parser.add_argument("--endpoint", default="opc.tcp://127.0.0.1:4855")
        parser.add_argument("--namespace", default="urn:fox-vat:standin")
        which = parser.add_mutually_exclusive_group()
        which.add_argument("--world", default="live", help="the line's address")
        which.add_argument("--mill", type=Path, help="or the definition it was loaded from")
        parser.add_argument("--drop", type=Path, help="folder where devices leave their files")
        parser.add_argument("--every", type=float, default=5.0, help="seconds between readings")

    def handle(self, **options: Any) -> None:
        """Run until stopped."""
        logging.getLogger("asyncua").setLevel(logging.CRITICAL)
        try:
            asyncio.run(self._run(options))
        except KeyboardInterrupt:
            return

    async def _run(self, options: dict[str, Any]) -> None:
        world = await sync_to_async(_world)(options)
        line = await sync_to_async(line_of)(world.version)
        while True:
            try:
                async with Client(options["endpoint"]) as client:
                    nodes = await find_nodes(client, options["namespace"], line)
                    while True:
                        values = await client.read_values(nodes)
                        await sync_to_async(keep)(world, line, values, int(time.time()))
                        if options["drop"] is not None:
                            await sync_to_async(pick_up)(world, options["drop"])
                        await asyncio.sleep(options["every"])
            except (OSError, ua.UaError, TimeoutError):
                await asyncio.sleep(1.0)  # the plant is not there yet, or went away


def _world(options: dict[str, Any]) -> World:
    """Return the line asked for, by its address or by the definition it was loaded from."""
    worlds = World.objects.select_related("version")
    if options["mill"] is None:
        return worlds.get(slug=options["world"])
    digest = DefinitionVersion.digest(options["mill"].read_text(encoding="utf-8"))
    found = worlds.filter(version__sha256=digest).first()
    if found is None:
        message = f"no line in this database was made from {options['mill']} as it is now"
        raise CommandError(message)
    return found


async def find_nodes(client: Client, namespace: str, line: Definition) -> list[Any]:
    """Return the server's nodes: the live tags, then what stations count."""
    index = await client.get_namespace_index(namespace)
    names = [tag.id for tag in line.tags if tag.live] + [name for name, _ in counters(line)]
    return [client.get_node(ua.NodeId(name, index)) for name in names]


def counters(line: Definition) -> list[tuple[str, Callable[[World, Sequence[float]], None]]]:
    """Return what stations count on the plant's server besides the tags: the node, and who takes it."""
    return [pair for station in stations() for pair in station.counters(line).items()]


def keep(world: World, line: Definition, values: list[Any], at_s: int) -> None:
    """Keep one reading of every live tag, and what was counted."""
    tags = [tag.id for tag in line.tags if tag.live]
    store_samples(world.pk, [(tag, at_s, value) for tag, value in zip(tags, values, strict=False)])
    for (_, take), counted in zip(counters(line), values[len(tags) :], strict=False):
        take(world, counted)
