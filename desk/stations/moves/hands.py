"""The one thing of the desk that writes to a plant: to a simulated one alone.

A live line of a real mill is only ever read. `Hands` is made for a world that is marked as simulated and a
server of the stand-in's own namespace, and refuses everything else; the collector has no such verbs.
"""

import asyncio
import json
import logging
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

from asgiref.sync import sync_to_async
from asyncua import Client, ua
from django.db import connection, transaction

from desk.floor import clock
from desk.floor.models import Record, World
from desk.floor.state import State
from desk.floor.station import stations
from desk.stations.moves.models import Made, Move, Setting

SIMULATED: Final = "urn:fox-vat:standin"
EVERY_S: Final = 2.0
SETTINGS_EVERY: Final = 4  # rounds
LONGEST_WAIT_S: Final = 60.0
STALE_S: Final = 600.0  # a move that waited so long for its plant is not made late
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Call:
    """A call to the plant's server, and what is done with its answer."""

    method: str
    arguments: tuple[Any, ...]
    then: Callable[[dict[str, Any]], object]


class NotSimulatedError(Exception):
    """Somebody wanted to write to what may be a real plant."""


class Hands:
    """What is set and asked for at the desk, done in a simulated plant.

    Parameters
    ----------
    world : World
        The line; marked as simulated.
    namespace : str
        The server's; the stand-in's own.

    Raises
    ------
    NotSimulatedError
        For any other world or server: nothing is opened.
    """

    def __init__(self, world: World, endpoint: str, namespace: str) -> None:
        """Refuse all but a simulated plant."""
        if not world.simulated:
            message = f"{world} is not marked as simulated: nothing is ever written to its plant"
            raise NotSimulatedError(message)
        if namespace != SIMULATED:
            message = f"{namespace} is not the simulated plant's server: nothing is ever written to it"
            raise NotSimulatedError(message)
        self.world, self.endpoint, self.namespace = world, endpoint, namespace
        self.asked: tuple[Any, ...] = ()
        self.trimmed: dict[str, float] = {}
        self.acted: set[str] = set()
        self.since = clock.now()

    async def run(self) -> None:
        """Do what is to be done until stopped; wait longer each time the plant is not there."""
        wait_s = 1.0
        while True:
            try:
                async with Client(self.endpoint) as client:
                    index = await self.checked(client)
                    line = client.get_node(ua.NodeId("Line", index))
                    self.asked, self.trimmed, wait_s, turn = (), {}, 1.0, 0
                    while True:
                        await self.once(line, index)
                        if turn % SETTINGS_EVERY == 0:
                            told = await client.get_node(ua.NodeId("settings", index)).read_value()
                            await sync_to_async(self.keep_settings)(json.loads(told))
                        turn += 1
                        await asyncio.sleep(EVERY_S)
            except asyncio.CancelledError:
                raise
            except Exception as error:  # noqa: BLE001  whatever it is, it must not end what is to be done
                log.warning("%s: %s; trying again in %.0f s", self.world.slug, error, wait_s)
                await sync_to_async(self.let_go)()
                await asyncio.sleep(wait_s)
                wait_s = min(2 * wait_s, LONGEST_WAIT_S)

    async def checked(self, client: Any) -> int:
        """Return the index of the stand-in's namespace on a server; NotSimulatedError where it has none."""
        spaces = await client.get_namespace_array()
        if SIMULATED not in spaces:
            message = f"the server at {self.endpoint} is not the simulated plant: it is never written to"
            raise NotSimulatedError(message)
        return int(spaces.index(SIMULATED))

    async def once(self, line: Any, index: int) -> None:
        """Do what waits."""
        for call in await sync_to_async(self.wanted)():
            answer = await line.call_method(ua.NodeId(call.method, index), *call.arguments)
            await sync_to_async(call.then)(json.loads(answer))

    def wanted(self) -> list[Call]:
        """Return what waits: moves in their order, what was done at digesters, the order in force, trims."""
        found = [Call("set", (move.point, float(move.to_value)), partial(self.note, move)) for move in self.waiting()]
        found += [Call("act", (digester, action), partial(self._acted, key)) for key, digester, action in self.acts()]
        order = self.order()
        if order is not None and order != self.asked:
            found.append(Call("order", order, partial(self._asked, order)))
        found += [
            Call("set", (f"offset:{tag}", by), partial(self._trimmed, tag, by))
            for tag, by in self.trims().items()
            if self.trimmed.get(tag) != by
        ]
        return found

    def _acted(self, key: str, _: dict[str, Any]) -> None:
        self.acted.add(key)

    def _asked(self, order: tuple[str, float, str], _: dict[str, Any]) -> None:
        self.asked = order

    def _trimmed(self, tag: str, by: float, _: dict[str, Any]) -> None:
        self.trimmed[tag] = by

    @staticmethod
    def let_go() -> None:
        """Close the database, in the thread that opened it: the next try begins with a connection of its own."""
        connection.close()

    # ---- what waits, and what came of it

    def waiting(self) -> list[Move]:
        """Return the moves that are to reach the plant and have not, the oldest first."""
        rows = Move.objects.filter(world=self.world, to_plant=True, superseded_by=None, void=False, made=None)
        found = list(rows.order_by("id")[:50])
        now = clock.now()
        late = [move for move in found if (now - move.at).total_seconds() > STALE_S]
        for move in late:
            self.note(move, {"ok": False, "message": "the plant was away for ten minutes; it is not made late"})
        return [move for move in found if move not in late]

    def note(self, move: Move, answer: dict[str, Any]) -> None:
        """Keep what came of a move."""
        reached = bool(answer.get("ok"))
        words = "" if reached else f"{answer.get('message', '')} Allowed: {answer.get('allowed', '')}".strip()
        with transaction.atomic():
            if not Made.objects.filter(move=move).exists():
                value = float(answer["value"]) if reached and "value" in answer else None
                Made(
                    world=self.world, move=move, at=clock.now(), reached=reached, value=value, words=words[:300]
                ).save()

    def acts(self) -> list[tuple[str, int, str]]:
        """Return what was done by hand at digesters since this began, and is not done in the plant yet."""
        found = [one for station in stations() for one in station.acts(self.world, self.since)]
        return [one for one in found if one[0] not in self.acted]

    def order(self) -> tuple[str, float, str] | None:
        """Return the order in force as the plant takes it; None before any was accepted."""
        state = State(World.objects.select_related("version").get(pk=self.world.pk))
        order = state.order
        return (order.grade, float(order.reel_t_per_h), json.dumps(order.shares)) if order.pk is not None else None

    def trims(self) -> dict[str, float]:
        """Return what was added to each instrument by trims that stand, all of them together."""
        found: dict[str, float] = {}
        stand = Record.objects.filter(world=self.world, kind=Record.Kind.TRIM, superseded_by=None)
        for tag, by in stand.values_list("tag", "value"):
            found[tag] = found.get(tag, 0.0) + float(by or 0.0)
        taken = Record.objects.filter(world=self.world, kind=Record.Kind.EVENT, supersedes__kind=Record.Kind.TRIM)
        for tag in taken.values_list("supersedes__tag", flat=True):
            found.setdefault(tag, 0.0)
        return found

    def keep_settings(self, told: list[dict[str, Any]]) -> None:
        """Keep up what can be set, where it changed."""
        now = clock.now()
        known = {one.point: one for one in Setting.objects.filter(world=self.world)}
        changed = [one for one in told if one["point"] not in known or not known[one["point"]].is_same(one)]
        gone = set(known) - {one["point"] for one in told}
        if not changed and not gone:
            return
        fields = ("words", "unit", "low", "high", "decimals", "station", "value")
        rows = [
            Setting(world=self.world, point=one["point"], at=now, **{name: one[name] for name in fields})
            for one in changed
        ]
        with transaction.atomic():
            Setting.objects.bulk_create(
                rows, update_conflicts=True, unique_fields=["world", "point"], update_fields=[*fields, "at"]
            )
            if gone:
                Setting.objects.filter(world=self.world, point__in=gone).delete()
