"""The plant on the wire: every tag with unit, range, time and status, what can be set, what can be done.

It is served over OPC UA: a variable a tag, and three methods, `set`, `act` and `order`, that answer with a
sentence. Whoever writes is refused by name where there is nothing to set, or beyond its limits.
"""

import asyncio
import json
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, Final

from asyncua import Server, ua, uamethod

from standin.digesters import COUNTED
from standin.living import Living
from stock.errors import DomainError
from stock.tag import Tag

NAMESPACE: Final = "urn:fox-vat:standin"
EVERY_S: Final = 5.0
HISTORY_KEPT: Final = 4000  # values of each node, for a collector that was away
SETTINGS: Final = "settings"


class Served:
    """The plant's server."""

    def __init__(self, living: Living, endpoint: str) -> None:
        """Know the plant and the address."""
        self.living, self.endpoint = living, endpoint
        self.server = Server()
        self.nodes: dict[str, Any] = {}
        self.batches: dict[int, Any] = {}

    async def prepare(self) -> None:
        """Make every node."""
        await self.server.init()
        self.server.set_endpoint(self.endpoint)
        self.server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
        index = await self.server.register_namespace(NAMESPACE)
        folder = await self.server.nodes.objects.add_folder(ua.NodeId("Line", index), "Line")
        for tag in self.living.told.tags:
            value, _ = self.living.value(tag)
            node = await folder.add_variable(ua.NodeId(tag.id, index), tag.id, 0.0 if value is None else value)
            await node.add_property(index, "EngineeringUnits", tag.unit)
            await node.add_property(index, "EURange", list(tag.plausible))
            self.nodes[tag.id] = node
        for one in self.living.told.line.cook.digesters:
            name = f"digester_{one.number}_cook"
            node = await folder.add_variable(ua.NodeId(name, index), name, [0.0] * COUNTED)
            if one.number in self.living.plant.batches.numbers:
                self.batches[one.number] = node
        self.settings = await folder.add_variable(ua.NodeId(SETTINGS, index), SETTINGS, "[]")
        await self._methods(folder, index)

    async def _methods(self, folder: Any, index: int) -> None:
        living = self.living

        @uamethod  # type: ignore[untyped-decorator]
        def set_(_: Any, point: str, value: float) -> str:
            return _answer(lambda: {"value": living.set(point, value)})

        @uamethod  # type: ignore[untyped-decorator]
        def act(_: Any, digester: int, action: str) -> str:
            return _answer(lambda: {"said": living.plant.act(int(digester), action)})

        @uamethod  # type: ignore[untyped-decorator]
        def order(_: Any, grade: str, rate: float, shares: str) -> str:
            return _answer(lambda: {"said": living.ask(grade, rate, json.loads(shares))})

        @uamethod  # type: ignore[untyped-decorator]
        def fault(_: Any, kind: str, unit: str, params: str) -> str:
            return _answer(lambda: {"id": living.fault(kind, unit, json.loads(params or "{}"))})

        @uamethod  # type: ignore[untyped-decorator]
        def mend(_: Any, number: int) -> str:
            return _answer(lambda: {"said": living.mend(int(number))})

        text, number, whole = ua.VariantType.String, ua.VariantType.Double, ua.VariantType.Int64
        await folder.add_method(ua.NodeId("set", index), "set", set_, [text, number], [text])
        await folder.add_method(ua.NodeId("act", index), "act", act, [whole, text], [text])
        await folder.add_method(ua.NodeId("order", index), "order", order, [text, number, text], [text])
        await folder.add_method(ua.NodeId("fault", index), "fault", fault, [text, text, text], [text])
        await folder.add_method(ua.NodeId("mend", index), "mend", mend, [whole], [text])

    async def write(self) -> None:
        """Write what everything stands at now, at the plant's own time."""
        at = datetime.fromtimestamp(self.living.now_s, UTC)
        for tag in self.living.told.tags:
            await self.nodes[tag.id].write_value(self._data(tag, at))
        for number, node in self.batches.items():
            await node.write_value(self.living.batch(number))
        await self.settings.write_value(json.dumps(self.living.settings()))

    def _data(self, tag: Tag, at: datetime) -> ua.DataValue:
        value, status = self.living.value(tag)
        variant = ua.Variant(0.0 if value is None else float(value), ua.VariantType.Double)
        return ua.DataValue(variant, ua.StatusCode(status), SourceTimestamp=at, ServerTimestamp=at)


def _answer(does: Any) -> str:
    """Return what a method answers: what came of it, or why not."""
    try:
        return json.dumps({"ok": True, **does()})
    except DomainError as error:
        refused = {"ok": False, "code": error.code, "argument": error.argument, "message": str(error)}
        return json.dumps({**refused, "allowed": error.allowed})
    except (LookupError, ValueError, TypeError) as error:
        return json.dumps({"ok": False, "code": "E_TYPE", "argument": "", "message": str(error), "allowed": ""})


async def serve(living: Living, endpoint: str, drop: Any) -> None:
    """Run the plant by the clock of the wall and serve it, until stopped; `drop` leaves the files of a span."""
    served = Served(living, endpoint)
    dropped_s = living.told.anchor_s + 1
    await served.prepare()
    async with served.server:
        kept = [*served.nodes.values(), *served.batches.values()]
        await served.server.historize_node_data_change(kept, period=timedelta(hours=6), count=HISTORY_KEPT)
        while True:
            there = living.advance(time.time())
            await served.write()
            now = living.now_s
            if drop is not None:
                drop(max(dropped_s, now - 86_400), now)
                dropped_s = max(dropped_s, now - 60)
            await asyncio.sleep(EVERY_S if there else 0.05)


def state_file(folder: Path | None) -> Path | None:
    """Return where the plant's state is kept, beside the folder its files are dropped in."""
    return None if folder is None else folder.with_name(f"{folder.name}.plant.json")
