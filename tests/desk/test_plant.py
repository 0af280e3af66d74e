"""The plant end to end: the stand-in serves, the collector reads; and a killed server loses nothing it acknowledged."""

import asyncio
import socket
import subprocess
import sys
import time
from contextlib import suppress
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory

from asgiref.sync import async_to_sync
from django.core.management import call_command
from django.db.models import Sum

from desk.exchange.collector import Collector
from desk.floor.models import Cook, HandOver, Order, Record, Sample, World, epoch
from desk.floor.state import State
from desk.people.models import Person
from desk.stations.yard.knives import knives_of
from desk.stations.yard.models import Holding, Movement
from desk.stations.yard.stock import yard_of
from standin.__main__ import write_history
from standin.served import NAMESPACE
from standin.sick import listed, switch
from tests.desk.base import NOW, DeskCase, plant
from tests.line import MILL, hallin_reach

ROOT = MILL.parents[1]


def free_port() -> int:
    """Return a port nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class OverTheWire(DeskCase):
    def test_the_collector_reads_what_the_stand_in_serves_and_fills_a_gap(self):
        endpoint = f"opc.tcp://127.0.0.1:{free_port()}"
        command = [sys.executable, "-m", "standin", "serve", "--mill", str(MILL), "--anchor", str(time.time())]
        with (
            TemporaryDirectory() as folder,
            subprocess.Popen([*command, "--endpoint", endpoint], cwd=ROOT, stderr=subprocess.DEVNULL) as served,
        ):
            try:
                collector = Collector(self.world, hallin_reach(), endpoint, NAMESPACE, Path(folder), every_s=1.0)
                async_to_sync(self.collect)(collector, readings=2)
                before = Sample.objects.filter(tag="machine_level", at_s__gt=epoch(NOW)).count()
                time.sleep(11)  # nobody reads for two of the plant's beats
                sick = switch(endpoint, ["transmitter_dies", "blend_level"])
                wrong = [
                    switch(endpoint, words)[0] for words in (["gremlin", "x"], ["mend", "9"], ["mend"], ["water_low"])
                ]
                again = Collector(self.world, hallin_reach(), endpoint, NAMESPACE, Path(folder), every_s=1.0)
                async_to_sync(self.collect)(again, readings=3)
            finally:
                served.terminate()
        live = [tag.id for tag in hallin_reach().tags if tag.live]
        kept = Sample.objects.filter(at_s__gt=epoch(NOW))
        self.assertEqual(set(kept.values_list("tag", flat=True)), set(live))
        self.assertGreaterEqual(kept.filter(tag="machine_level").count(), before + 2)
        self.assertEqual((sick, wrong), ((0, "fault 2 is on; mend it with: mend 2"), [2, 2, 2, 2]))
        dead = kept.filter(tag="blend_level").order_by("-at_s").first()
        self.assertEqual((dead.value, dead.quality), (None, 0x808C0000))
        self.assertTrue(all(one.quality == 0 for one in kept.exclude(tag="blend_level")))
        self.assertAlmostEqual(kept.filter(tag="machine_level").first().value, 76, delta=4)
        self.assertTrue(Cook.objects.filter(number__gte=1187, digester=3).exists())

    def test_what_can_go_wrong_is_listed_with_where(self):
        text = listed(hallin_reach())
        self.assertIn("water_low: a water tank's header gives less; frac 0.6 (0 to 1)", text)
        self.assertIn("clear_tank", text)

    async def collect(self, collector, readings):
        """Collect until so many rounds of readings were kept."""
        wanted = readings * len(collector.tags)
        running = asyncio.create_task(collector.run())
        for _ in range(300):
            await asyncio.sleep(0.1)
            if collector.health.stored >= wanted:
                break
        await asyncio.sleep(6)  # what it fetched of a gap counts too: let one more beat of every tag come
        running.cancel()
        with suppress(asyncio.CancelledError):
            await running


class Demonstration(DeskCase):
    @classmethod
    def setUpTestData(cls):
        """Start from nothing, and load: a second load finds a line there and leaves everything alone."""
        with TemporaryDirectory() as folder:
            write_history(plant(), Path(folder) / MILL.stem, 3.0, 5)
            for _ in range(2):
                call_command("load_demo", mill=[MILL], history=Path(folder), anchor=NOW.timestamp(), stdout=StringIO())
            cls.left = sorted(path.name for path in (Path(folder) / MILL.stem / "drop").iterdir())

    def test_it_loads_people_orders_history_and_a_hand_over(self):
        self.assertEqual(
            set(Person.objects.values_list("role", flat=True)),
            {"operator", "cook", "tester", "lead", "engineer", "trainee"},
        )
        self.assertEqual(World.objects.count(), 1)
        self.assertEqual(Order.objects.count(), 2)
        self.assertEqual(HandOver.objects.count(), 1)
        self.assertGreater(Sample.objects.count(), 2500)
        self.assertGreater(Record.objects.filter(kind="reading").count(), 150)
        self.assertTrue(all(not person.has_usable_password() for person in Person.objects.all()))
        self.assertFalse(Record.objects.filter(at__gt=NOW).exists())

    def test_the_yard_it_loads_closes(self):
        self.assertEqual(self.left, ["probe_50999.csv", "probe_51000.csv", "scale_50999.csv", "scale_51000.csv"])
        booked = Movement.objects.exclude(pile="boiler").aggregate(sum=Sum("bdt"))["sum"]
        self.assertAlmostEqual(booked, Holding.objects.aggregate(sum=Sum("bdt"))["sum"], places=3)
        chipped = Movement.objects.filter(op__kind="chip")
        self.assertAlmostEqual(chipped.exclude(kind="loss").aggregate(sum=Sum("bdt"))["sum"], 0, places=3)
        yard = yard_of(State(World.objects.get(), NOW))
        self.assertEqual([one.ticket for one in yard.news.gate], ["50999", "51000"])
        self.assertEqual(len(yard.aside), 1)
        self.assertGreater(len(yard.trip_counts[0]), 8)
        self.assertTrue(all(knife.changed_at for knife in knives_of(yard)))
        days = State(World.objects.get(), NOW).readings["wood_stock"].value
        self.assertTrue(6 < days < 16)

    def test_the_log_it_loads_is_one_chain(self):
        digest = ""
        for record in Record.objects.order_by("id"):
            record_digest = record.digest
            record.seal(digest)
            self.assertEqual(record.digest, record_digest)
            digest = record_digest


class FromNothing(DeskCase):
    @classmethod
    def setUpTestData(cls):
        """Start from nothing."""

    def test_a_broken_line_loads_nothing(self):
        from django.core.management.base import CommandError

        with TemporaryDirectory() as folder:
            broken = Path(folder) / "broken.yaml"
            broken.write_text(
                MILL.read_text(encoding="utf-8").replace("yield_frac: 0.522", "yield_frac: 9"), encoding="utf-8"
            )
            with self.assertRaisesRegex(CommandError, "wood_cook · yield_frac"):
                call_command("load_demo", mill=[broken], history=Path(folder), anchor=NOW.timestamp())
        self.assertEqual(Person.objects.count(), 0)
