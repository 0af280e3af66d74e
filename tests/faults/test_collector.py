"""A collector that lives through anything: bad quality, wrong clocks, a locked database, a full disk, a plant that goes."""

import asyncio
import json
import math
import socket
import sqlite3
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from types import SimpleNamespace
from unittest import mock

from asgiref.sync import async_to_sync
from asyncua import Server, ua
from django.db import OperationalError

from desk.exchange.buffer import Buffer
from desk.exchange.collector import Collector, row_of
from desk.floor.models import Sample, epoch
from desk.floor.parts import troubles
from desk.floor.state import State
from tests.desk.base import NOW, DeskCase
from tests.line import hallin_reach

NOW_S = NOW.timestamp()


def said(value, status=0, at=NOW):
    """Return a value as a server says it."""
    held = ua.Variant(value) if value is not None else None
    return SimpleNamespace(Value=held, StatusCode=ua.StatusCode(status), SourceTimestamp=at, ServerTimestamp=at)


class Reading(DeskCase):
    def test_quality_and_source_time_are_kept_and_what_is_bad_is_no_value(self):
        earlier = NOW - timedelta(seconds=7)
        for value, wanted in (
            (said(3.5, at=earlier), ("t", epoch(earlier), 3.5, 0)),
            (said(3.5, 0x808C0000), ("t", epoch(NOW), None, 0x808C0000)),
            (said(math.nan), ("t", epoch(NOW), None, 0x80740000)),
            (said("soup"), ("t", epoch(NOW), None, 0x80740000)),
            (said(True), ("t", epoch(NOW), None, 0x80740000)),
            (said(None), ("t", epoch(NOW), None, 0x80740000)),
            (said(3.5, at=NOW + timedelta(hours=1)), ("t", epoch(NOW), 3.5, 0)),
            (said(3.5, at=datetime(1601, 1, 1, tzinfo=UTC)), ("t", epoch(NOW), 3.5, 0)),
        ):
            with self.subTest(value):
                self.assertEqual(row_of("t", value, NOW_S), wanted)

    def test_a_bad_value_is_said_with_its_reason_and_the_laboratory_speaks_instead(self):
        self.collect([said(3.6, 0x808C0000, at=NOW + timedelta(seconds=2))])
        reading = State(self.world, NOW + timedelta(seconds=5)).readings["brown_cons"]
        self.assertIn("sensor failure since 14:30", reading.trouble)
        self.enter("brown_cons", 3.52, minutes_ago=-1)
        reading = State(self.world, NOW + timedelta(minutes=2)).readings["brown_cons"]
        self.assertEqual((reading.value, reading.origin.kind), (3.52, "entered"))

    def collect(self, values, folder=None):
        folder = folder or Path(self.enterContext(TemporaryDirectory()))
        collector = Collector(self.world, hallin_reach(), "opc.tcp://nowhere", "urn:x", folder)
        collector.tags, collector.counters = ["brown_cons"], {}
        with mock.patch("desk.exchange.collector.time.time", return_value=NOW_S + 3):
            for value in values:
                collector.take([("brown_cons", value)])
        return collector

    def test_what_cannot_be_stored_waits_on_disk_and_is_stored_in_order_later(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        values = [said(3.5 + index / 100, at=NOW + timedelta(seconds=1 - 5 * (3 - index))) for index in range(3)]
        with mock.patch("desk.exchange.collector.store_samples", side_effect=OperationalError("database is locked")):
            collector = self.collect(values, folder)
        self.assertEqual((collector.buffer.held, collector.health.state), (3, "waiting to store"))
        told = json.loads((folder / "collector-live.json").read_text(encoding="utf-8"))
        self.assertEqual((told["state"], told["waiting"]), ("waiting to store", 3))
        again = self.collect([said(3.9, at=NOW + timedelta(seconds=1))], folder)  # a collector started anew finds them
        self.assertEqual((again.buffer.held, again.health.stored), (0, 4))
        kept = list(
            Sample.objects.filter(tag="brown_cons", at_s__gt=epoch(NOW) - 20)
            .order_by("at_s")
            .values_list("value", flat=True)
        )
        self.assertTrue({3.5, 3.51, 3.52, 3.9} <= {round(value, 2) for value in kept})

    def test_nothing_ends_it(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        collector = Collector(self.world, hallin_reach(), "opc.tcp://127.0.0.1:1", "urn:x", folder)
        faults = [OSError("gone"), ValueError("odd"), RuntimeError("odder"), ua.UaError("no"), TimeoutError()]

        async def run():
            with (
                mock.patch("desk.exchange.collector.Client", side_effect=[*faults, asyncio.CancelledError]),
                mock.patch("desk.exchange.collector.asyncio.sleep", return_value=None),
                self.assertRaises(asyncio.CancelledError),
            ):
                await collector.run()

        asyncio.run(run())
        self.assertEqual(collector.health.state, "no plant")

    def test_a_counter_that_fails_loses_no_reading(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        collector = Collector(self.world, hallin_reach(), "opc.tcp://nowhere", "urn:x", folder)
        collector.tags, collector.counters = ["brown_cons"], {"c": mock.Mock(side_effect=KeyError("odd"))}
        with (
            mock.patch("desk.exchange.collector.time.time", return_value=NOW_S + 60),
            self.assertLogs("desk.exchange", "ERROR"),
        ):
            collector.take([("brown_cons", said(3.5, at=NOW + timedelta(seconds=60))), ("c", said([1.0]))])
        self.assertTrue(Sample.objects.filter(tag="brown_cons", at_s=epoch(NOW) + 60).exists())


class Subscribed(DeskCase):
    """The server sends what changes, each value with its own time; what is silent is asked."""

    def collect_from(self, does, silent_s=30.0):
        """Serve one tag, collect it while something is done at the server, and return the collector."""
        folder = Path(self.enterContext(TemporaryDirectory()))
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            endpoint = f"opc.tcp://127.0.0.1:{probe.getsockname()[1]}"
        collector = Collector(self.world, hallin_reach(), endpoint, "urn:x", folder, every_s=0.3)
        collector.tags, collector.counters = ["brown_cons"], {}

        async def run():
            server = Server()
            await server.init()
            server.set_endpoint(endpoint)
            server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
            index = await server.register_namespace("urn:x")
            node = await server.nodes.objects.add_variable(ua.NodeId("brown_cons", index), "brown_cons", 3.5)
            await node.write_value(self.value(3.5, datetime.now(UTC) - timedelta(minutes=1)))
            async with server:
                running = asyncio.create_task(collector.run())
                for _ in range(400):
                    await asyncio.sleep(0.05)
                    if collector.health.state == "collecting":
                        break
                await does(node, collector)
                running.cancel()
                with suppress(asyncio.CancelledError):
                    await running

        with mock.patch("desk.exchange.collector.SILENT_S", silent_s):
            async_to_sync(run)()
        return collector

    @staticmethod
    def value(value, when):
        """Return a value as a server holds it, of a moment."""
        return ua.DataValue(ua.Variant(value, ua.VariantType.Double), SourceTimestamp=when, ServerTimestamp=when)

    @staticmethod
    async def until(true):
        for _ in range(400):
            await asyncio.sleep(0.05)
            if true():
                return

    def test_what_changed_between_two_looks_is_kept_in_its_order(self):
        values = [3.49, 3.52, 3.58, 3.51]
        for _ in range(4):  # a server that is starved of time ends what it sends: what then happens is tested below
            begun = datetime.now(UTC).replace(microsecond=0) - timedelta(seconds=20)
            with mock.patch.object(Collector, "_fill_gap"):
                collector = self.collect_from(self.writes(values, begun))
            if collector.health.state == "collecting":
                break
        kept = Sample.objects.filter(
            tag="brown_cons", at_s__gte=epoch(begun), at_s__lt=epoch(begun) + len(values)
        ).order_by("at_s")
        self.assertEqual([one.value for one in kept], values)

    def writes(self, values, begun):
        """Return what writes values at the server, a second apart by their own time, and waits for the last of them."""

        async def does(node, collector):
            for index, value in enumerate(values):
                when = begun + timedelta(seconds=index)
                await node.write_value(self.value(value, when))
            last = epoch(begun) + len(values) - 1
            await self.until(lambda: collector.newest.get("brown_cons") == last or collector.health.state == "no plant")

        return does

    def test_a_silent_tag_is_asked_and_a_server_that_ends_what_it_sends_is_asked_again(self):
        asked = []

        async def ask(collector, client, nodes, names):
            asked.append(tuple(names))
            return []

        async def does(node, collector):
            await self.until(lambda: asked)
            heard[0].status_change_notification(SimpleNamespace(Status="BadTimeout"))
            await self.until(lambda: len(heard) > 1)

        heard = []
        subscribe = Collector._subscribe

        async def noted(collector, client, nodes):
            heard.append(await subscribe(collector, client, nodes))
            return heard[-1]

        with mock.patch.object(Collector, "_ask", ask), mock.patch.object(Collector, "_subscribe", noted):
            collector = self.collect_from(does, silent_s=0.5)
        self.assertEqual(asked[0], ("brown_cons",))
        self.assertGreater(len(heard), 1)
        self.assertIn(collector.health.state, ("collecting", "no plant"))


class Waiting(DeskCase):
    def setUp(self):
        super().setUp()
        self.path = Path(self.enterContext(TemporaryDirectory())) / "deep" / "waiting.sqlite3"

    def test_the_oldest_go_where_there_is_no_room_and_are_counted(self):
        buffer = Buffer(self.path, most_rows=5)
        for at_s in range(8):
            buffer.add([("t", at_s, 1.0, 0)])
        self.assertEqual((buffer.held, buffer.dropped), (5, 3))
        got = []
        Buffer(self.path, most_rows=5).empty_into(got.extend)
        self.assertEqual([row[1] for row in got], [3, 4, 5, 6, 7])

    def test_without_a_disk_it_holds_on_in_memory(self):
        buffer = Buffer(self.path, most_in_memory=3)
        with mock.patch("desk.exchange.buffer.sqlite3.connect", side_effect=sqlite3.OperationalError("disk full")):
            buffer.add([("t", at_s, 1.0, 0) for at_s in range(5)])
        self.assertEqual((buffer.held, buffer.dropped), (3, 2))
        got = []
        buffer.empty_into(got.extend)
        self.assertEqual([row[1] for row in got], [2, 3, 4])

    def test_a_file_nobody_can_read_is_set_aside(self):
        self.path.parent.mkdir()
        self.path.write_bytes(b"not a database at all" * 100)
        self.assertEqual(Buffer(self.path).held, 0)
        self.assertTrue(self.path.with_suffix(".unreadable").exists())


class Old(DeskCase):
    def words(self, minutes=0):
        return " ".join(one.words for one in troubles(State(self.world, NOW + timedelta(minutes=minutes))))

    def tell(self, folder, name, at, **facts):
        (folder / f"{name}.json").write_text(json.dumps({"at_s": at.timestamp(), **facts}), encoding="utf-8")

    def test_every_page_says_since_when_and_which_part(self):
        self.assertEqual(self.words(), "")
        self.assertIn("Readings are old, the newest from 14:30, 4 min ago.", self.words(4))
        with TemporaryDirectory() as name, self.settings(FOX_PARTS=Path(name)):
            then = NOW + timedelta(minutes=4)
            self.tell(Path(name), "collector-live", then, state="no plant")
            self.assertIn("The plant's server does not answer.", self.words(4))
            part = {"name": "collector-live", "title": "The collector", "running": False}
            self.tell(
                Path(name), "parts", then, parts=[part, {"name": "backup", "title": "The backup", "running": False}]
            )
            self.assertIn("The collector has ended; it is started again", self.words(4))
            self.assertIn("The backup has ended", self.words(4))
            for broken in ("{", "[]", '{"at_s": "x"}', '{"at_s": 1e400}'):
                (Path(name) / "parts.json").write_text(broken, encoding="utf-8")
                self.assertIn("Readings are old", self.words(4))
        self.sign_in()
        with mock.patch.dict("os.environ", {"FOX_NOW": (NOW + timedelta(minutes=4)).isoformat()}):
            for address in ("", "at/wash/", "order/", "cook/1187/", "log/"):
                self.assertContains(self.client.get(f"/live/{address}"), "Readings are old")

    def test_a_clock_set_back_hides_nothing_and_is_said(self):
        self.enter("wash_loss", 17.5, minutes_ago=0)
        entered = SimpleNamespace(at=NOW)
        from django.db import connection

        with connection.cursor() as cursor:
            cursor.execute("DROP TRIGGER floor_record_no_update")
            cursor.execute("UPDATE floor_record SET entered_at = %s", [entered.at.strftime("%Y-%m-%d %H:%M:%S")])
        with mock.patch.dict("os.environ", {"FOX_NOW": (NOW - timedelta(hours=1)).isoformat()}):
            state = State(self.world)
        self.assertEqual(state.readings["wash_loss"].value, 17.5)
        self.assertIn("The server's clock is wrong: it shows 13:30", " ".join(one.words for one in troubles(state)))
