"""The collector of one line: hears its instruments, keeps what it heard, lives through everything else.

It subscribes to the plant's server, which sends what changed; what has not spoken for a while is asked.
Nothing that happens to the plant, the network, the database, the disk or the clock ends it. What
cannot be stored waits in a buffer; what the plant's server remembers of a gap is asked for when the
gap is over; how it stands is told in a small file for the pages.
"""

import asyncio
import json
import logging
import math
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from asgiref.sync import sync_to_async
from asyncua import Client, ua
from django.db import DatabaseError, connection

from desk.exchange.buffer import Buffer, Row
from desk.floor.models import World
from desk.floor.services import store_samples
from desk.floor.station import stations
from stock.line.definition import Definition

log = logging.getLogger(__name__)

FIRST_WAIT_S, LONGEST_WAIT_S = 1.0, 60.0
STARTING_WAIT_S: Final = 5.0  # as long as it never answered: it may be starting just now
QUEUED: Final = 60  # values of a tag the server holds for us while we are slow
MOST_HEARD: Final = 200_000  # values that wait to be taken, before the oldest go
SILENT_S: Final = 30.0  # a tag that did not change for so long is asked, so that silence is no death
MOST_BACK_S: Final = 6 * 3600  # how far back a gap is asked for
MOST_OF_A_TAG: Final = 20_000  # values of one tag in one answer
AHEAD_S: Final = 120  # a source's clock may run so far before ours
Said = tuple[str, Any]  # a node's name, and what the server says of it


@dataclass(slots=True)
class Health:
    """How a collector stands, for the pages and for whoever watches."""

    world: str
    state: str = "starting"
    said: str = ""
    since_s: float = field(default_factory=time.time)
    newest_s: int = 0
    stored: int = 0
    bad: int = 0
    waiting: int = 0
    dropped: int = 0

    def now(self, state: str, said: str = "") -> None:
        """Note a change of state, and since when."""
        if (state, said) != (self.state, self.said):
            self.state, self.said, self.since_s = state, said[:200], time.time()


class Heard:
    """What the server sent since it was last taken, in its order."""

    def __init__(self) -> None:
        """Begin with nothing."""
        self.values: deque[Said] = deque(maxlen=MOST_HEARD)
        self.ended = ""

    def datachange_notification(self, node: Any, _: Any, data: Any) -> None:
        """Take what the server sent of a node."""
        self.values.append((str(node.nodeid.Identifier), data.monitored_item.Value))

    def status_change_notification(self, status: Any) -> None:
        """Note that the server gave the subscription up."""
        self.ended = f"the server ended what it sends: {status.Status}"

    def taken(self) -> list[Said]:
        """Return what was heard, and forget it."""
        found = list(self.values)
        self.values.clear()
        return found


class Collector:
    """Reads one line's live tags until it is stopped."""

    def __init__(
        self, world: World, line: Definition, endpoint: str, namespace: str, folder: Path, every_s: float = 5.0
    ) -> None:
        """Bind a line to its plant's server; `folder` takes the buffer and the health file."""
        self.world, self.line, self.endpoint, self.namespace = world, line, endpoint, namespace
        self.every_s = every_s
        self.tags = [tag.id for tag in line.tags if tag.live]
        self.counters = counters(line)
        self.buffer = Buffer(folder / f"waiting-{world.slug}.sqlite3")
        self.health = Health(world.slug)
        self.health_file = folder / f"collector-{world.slug}.json"
        self.newest: dict[str, int] = {}

    async def run(self) -> None:
        """Collect until cancelled."""
        wait_s = FIRST_WAIT_S
        while True:
            try:
                async with Client(self.endpoint, timeout=8) as client:
                    nodes = await find_nodes(client, self.namespace, [*self.tags, *self.counters])
                    heard = await self._subscribe(client, nodes)
                    wait_s = FIRST_WAIT_S
                    await self._listen(client, nodes, heard)
            except asyncio.CancelledError:
                raise
            except Exception as error:  # noqa: BLE001  whatever it is, it must not end the readings
                self.health.now("no plant", f"{type(error).__name__}: {error}".rstrip(": "))
                log.warning("%s: %s; trying again in %.0f s", self.world.slug, self.health.said, wait_s)
                await sync_to_async(self._tell)()
                await asyncio.sleep(wait_s)
                wait_s = min(2 * wait_s, LONGEST_WAIT_S if self.health.stored else STARTING_WAIT_S)

    async def _subscribe(self, client: Client, nodes: Sequence[Any]) -> Heard:
        """Ask the server to send what changes."""
        heard = Heard()
        every_ms = 1000 * self.every_s
        subscription = await client.create_subscription(every_ms, heard)
        await subscription.subscribe_data_change(nodes, queuesize=QUEUED, sampling_interval=every_ms)
        return heard

    async def _listen(self, client: Client, nodes: Sequence[Any], heard: Heard) -> None:
        """Take what is sent, as it comes, until the line to the server is cut."""
        taken_s = 0.0
        spoke = dict.fromkeys(self.tags, 0.0)
        while True:
            now = time.time()
            if now - taken_s > QUEUED / 2 * self.every_s:  # just connected, or held up
                await self._fill_gap(nodes[: len(self.tags)])
            if heard.ended:
                raise ConnectionError(heard.ended)
            await client.check_connection()
            said = heard.taken()
            spoke.update((name, now) for name, _ in said if name in spoke)
            silent = [name for name, at in spoke.items() if now - at > SILENT_S]
            if silent and taken_s:
                said += await self._ask(client, nodes, silent)
                spoke.update(dict.fromkeys(silent, now))
            taken_s = now
            await sync_to_async(self.take)(said)
            await asyncio.sleep(self.every_s)

    async def _ask(self, client: Client, nodes: Sequence[Any], names: Sequence[str]) -> list[Said]:
        """Ask the server for what some tags stand at."""
        of = dict(zip(self.tags, nodes, strict=False))
        values = await client.uaclient.read_attributes([of[name].nodeid for name in names], ua.AttributeIds.Value)
        return list(zip(names, values, strict=True))

    def take(self, said: Sequence[Said]) -> None:
        """Keep what was said of tags, and what was counted, in its order."""
        now_s = time.time()
        known = set(self.tags)
        rows = [row_of(name, value, now_s) for name, value in said if name in known]
        self.keep([row for row in rows if row[1] > self.newest.get(row[0], 0)])
        for name, value in said:
            if (counted := self.counters.get(name)) and is_good(value) and value.Value is not None:
                try:
                    counted(self.world, value.Value.Value)
                except Exception:  # a counter's report is no reason to lose the readings
                    log.exception("%s: a counter's report was not taken", self.world.slug)

    def keep(self, rows: Sequence[Row]) -> None:
        """Store rows, after what waits from before; what cannot be stored waits."""
        for tag, at_s, _, _ in rows:
            self.newest[tag] = max(at_s, self.newest.get(tag, 0))
        self.health.bad += sum(1 for row in rows if row[2] is None)
        try:
            self.buffer.empty_into(self._store)
            self._store(rows)
            self.health.now("collecting")
        except (DatabaseError, OSError) as error:
            self.buffer.add(rows)
            if not connection.in_atomic_block:
                connection.close()  # the next try begins with a connection of its own
            self.health.now("waiting to store", str(error))
        self._tell()

    def _store(self, rows: Sequence[Row]) -> None:
        if rows:
            store_samples(self.world.pk, rows)
            self.health.stored += len(rows)
            self.health.newest_s = max(self.health.newest_s, *(row[1] for row in rows))

    async def _fill_gap(self, nodes: Sequence[Any]) -> None:
        """Ask the server for what it remembers of the time nothing was read; one that remembers nothing is no fault."""
        since = await sync_to_async(newest_stored)(self.world, self.tags)
        self.newest = {**since, **self.newest}
        from_s = max(min(self.newest.values(), default=0), time.time() - MOST_BACK_S)
        if time.time() - from_s < 2 * self.every_s:
            return
        start, end = datetime.fromtimestamp(from_s, UTC), datetime.now(UTC)
        for tag, node in zip(self.tags, nodes, strict=True):
            try:
                values = await node.read_raw_history(start, end, MOST_OF_A_TAG)
            except ua.UaError:
                return  # this server keeps no history
            rows = [row_of(tag, value, time.time()) for value in values]
            await sync_to_async(self.keep)([row for row in rows if row[1] > since.get(tag, 0)])

    def _tell(self) -> None:
        """Keep how it stands where the pages look for it."""
        self.health.waiting, self.health.dropped = self.buffer.held, self.buffer.dropped
        health = self.health
        told = {"at_s": time.time(), **{name: getattr(health, name) for name in health.__slots__}}
        try:
            self.health_file.parent.mkdir(parents=True, exist_ok=True)
            beside = self.health_file.with_suffix(".part")
            beside.write_text(json.dumps(told), encoding="utf-8")
            beside.replace(self.health_file)
        except OSError:  # a full disk is told by the page that cannot be written
            pass


async def find_nodes(client: Client, namespace: str, names: Sequence[str]) -> list[Any]:
    """Return the server's nodes of some names."""
    index = await client.get_namespace_index(namespace)
    return [client.get_node(ua.NodeId(name, index)) for name in names]


def counters(line: Definition) -> dict[str, Callable[[World, Sequence[float]], None]]:
    """Return what stations count on the plant's server besides the tags: the node, and who takes it."""
    return {name: taken for station in stations() for name, taken in station.counters(line).items()}


def is_good(value: Any) -> bool:
    """Whether a server vouches for a value."""
    return value.StatusCode is None or value.StatusCode.is_good()


def row_of(tag: str, value: Any, now_s: float) -> Row:
    """Return a reading as it is kept: its source's second, its value or none, the server's word on its quality."""
    at = value.SourceTimestamp or value.ServerTimestamp
    at_s = now_s if at is None else at.replace(tzinfo=at.tzinfo or UTC).timestamp()
    if not 0 < at_s <= now_s + AHEAD_S:  # a source without a clock, or with one that is wrong
        at_s = now_s
    quality = 0 if value.StatusCode is None else int(value.StatusCode.value)
    number = value.Value.Value if value.Value is not None else None
    if not is_good(value):
        return tag, int(at_s), None, quality or NOT_A_NUMBER
    if isinstance(number, bool) or not isinstance(number, (int, float)) or not math.isfinite(number):
        return tag, int(at_s), None, NOT_A_NUMBER
    return tag, int(at_s), float(number), quality


NOT_A_NUMBER: Final = 0x80740000  # the server's own code for a value of the wrong type


def newest_stored(world: World, tags: Sequence[str]) -> dict[str, int]:
    """Return the second of the last stored sample of each tag."""
    found = {}
    with connection.cursor() as cursor:
        for tag in tags:
            cursor.execute("SELECT max(at_s) FROM floor_sample WHERE world_id = %s AND tag = %s", [world.pk, tag])
            (at_s,) = cursor.fetchone()
            if at_s is not None:
                found[tag] = int(at_s)
    return found
