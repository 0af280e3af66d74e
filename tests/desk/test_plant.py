"""The plant end to end: the stand-in serves, the collector reads; and a killed server loses nothing it acknowledged."""

import asyncio
import os
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from contextlib import closing, suppress
from http.cookiejar import CookieJar
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase
from urllib.error import HTTPError, URLError
from urllib.parse import urlencode
from urllib.request import HTTPCookieProcessor, Request, build_opener

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
from standin.__main__ import NAMESPACE, write_history
from tests.desk.base import NOW, DeskCase, plant
from tests.line import MILL, hallin_reach, hallin_story

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
                again = Collector(self.world, hallin_reach(), endpoint, NAMESPACE, Path(folder), every_s=1.0)
                async_to_sync(self.collect)(again, readings=3)
            finally:
                served.terminate()
        live = [tag.id for tag in hallin_reach().tags if tag.live]
        kept = Sample.objects.filter(at_s__gt=epoch(NOW))
        self.assertEqual(set(kept.values_list("tag", flat=True)), set(live))
        self.assertGreaterEqual(kept.filter(tag="machine_level").count(), before + 2)
        self.assertTrue(all(one.quality == 0 for one in kept))
        self.assertAlmostEqual(kept.filter(tag="machine_level").first().value, 76, delta=4)
        self.assertTrue(Cook.objects.filter(number__gte=1187, digester=3).exists())

    async def collect(self, collector, readings):
        """Collect until so many rounds of readings were kept."""
        wanted = readings * len(collector.tags)
        running = asyncio.create_task(collector.run())
        for _ in range(300):
            await asyncio.sleep(0.1)
            if collector.health.stored >= wanted:
                break
        running.cancel()
        with suppress(asyncio.CancelledError):
            await running


class Demonstration(DeskCase):
    @classmethod
    def setUpTestData(cls):
        """Start from nothing: this is what the command fills."""

    def test_it_loads_people_orders_history_and_a_hand_over(self):
        with TemporaryDirectory() as folder:
            write_history(plant(), Path(folder) / MILL.stem, 3.0, 14)
            call_command("load_demo", mill=[MILL], history=Path(folder), anchor=NOW.timestamp(), verbosity=0)
        self.assertEqual(
            set(Person.objects.values_list("role", flat=True)),
            {"operator", "cook", "tester", "lead", "engineer", "trainee"},
        )
        self.assertEqual(Order.objects.count(), 2)
        self.assertEqual(HandOver.objects.count(), 1)
        self.assertGreater(Sample.objects.count(), 2500)
        self.assertGreater(Record.objects.filter(kind="reading").count(), 150)
        self.assertTrue(all(not person.has_usable_password() for person in Person.objects.all()))
        self.assertFalse(Record.objects.filter(at__gt=NOW).exists())

    def test_the_yard_it_loads_closes_and_its_log_is_one_chain(self):
        with TemporaryDirectory() as folder:
            write_history(plant(), Path(folder) / MILL.stem, 1.0, 14)
            for _ in range(2):  # a second load finds a line there and leaves everything alone
                call_command(
                    "load_demo",
                    mill=[MILL],
                    history=Path(folder),
                    anchor=NOW.timestamp(),
                    verbosity=0,
                    stdout=StringIO(),
                )
            left = sorted(path.name for path in (Path(folder) / MILL.stem / "drop").iterdir())
        self.assertEqual(left, ["probe_50999.csv", "probe_51000.csv", "scale_50999.csv", "scale_51000.csv"])
        booked = Movement.objects.exclude(pile="boiler").aggregate(sum=Sum("bdt"))["sum"]
        self.assertAlmostEqual(booked, Holding.objects.aggregate(sum=Sum("bdt"))["sum"], places=3)
        chipped = Movement.objects.filter(op__kind="chip")
        self.assertAlmostEqual(chipped.exclude(kind="loss").aggregate(sum=Sum("bdt"))["sum"], 0, places=3)
        digest = ""
        for record in Record.objects.order_by("id"):
            record_digest = record.digest
            record.seal(digest)
            self.assertEqual(record.digest, record_digest)
            digest = record_digest
        yard = yard_of(State(World.objects.get(), NOW))
        self.assertEqual([one.ticket for one in yard.news.gate], ["50999", "51000"])
        self.assertEqual(len(yard.aside), 1)
        self.assertGreater(len(yard.trip_counts[0]), 8)
        self.assertTrue(all(knife.changed_at for knife in knives_of(yard)))
        days = State(World.objects.get(), NOW).readings["wood_stock"].value
        self.assertTrue(6 < days < 16)

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


class Killed(TestCase):
    """A server killed in the middle of writing: what it acknowledged is there, whole; the rest is not there at all."""

    def test_nothing_acknowledged_is_lost(self):
        with TemporaryDirectory() as folder:
            self.env = {
                **os.environ,
                "FOX_VAR": folder,
                "DJANGO_SETTINGS_MODULE": "desk.settings.demo",
                "FOX_SECRET_KEY": "kill",
            }
            self.env.pop("FOX_NOW", None)
            self.manage("migrate", "-v", "0")
            now = time.time()
            write_history(plant_at(now), Path(folder) / "history" / MILL.stem, 1.0, 3)
            past = ("--history", str(Path(folder) / "history"), "--anchor", str(now))
            self.manage("load_demo", "--mill", str(MILL), *past, "-v", "0")
            self.loaded = self.query("SELECT max(id) FROM floor_record")[0][0]
            acknowledged = self.write_until_killed(free_port())
            self.assertGreater(len(acknowledged), 5)
            kept = self.kept_values()
            self.assertEqual([value for value in acknowledged if value not in kept], [])
            self.assertLessEqual(len(kept) - len(acknowledged), 1)

    def manage(self, *words):
        subprocess.run(
            [sys.executable, "manage.py", *words], cwd=ROOT, env=self.env, check=True, stdout=subprocess.DEVNULL
        )

    def write_until_killed(self, port):
        serve = [
            sys.executable,
            "-m",
            "gunicorn",
            "desk.wsgi",
            "--bind",
            f"127.0.0.1:{port}",
            "--no-control-socket",
            "--log-level",
            "critical",
        ]
        acknowledged = []
        with subprocess.Popen(
            serve, cwd=ROOT, env=self.env, start_new_session=True, stderr=subprocess.DEVNULL
        ) as server:
            base, opener, token = self.sign_in(port)
            for index in range(400):
                if index == 25:
                    os.killpg(server.pid, signal.SIGKILL)
                value = round(10 + index / 100, 2)
                form = {"csrfmiddlewaretoken": token, "line": f"wash loss wood {value}", "form_key": f"kill-{index}"}
                try:
                    answer = opener.open(Request(base + "/live/entry/record/", urlencode(form).encode()), timeout=5)
                except (HTTPError, URLError, OSError):
                    break
                if answer.status == 200:
                    acknowledged.append(value)
        return acknowledged

    def sign_in(self, port):
        base = f"http://127.0.0.1:{port}"
        opener = build_opener(HTTPCookieProcessor(CookieJar()))
        for _ in range(100):
            try:
                page = opener.open(f"{base}/sign-in/", timeout=5).read().decode()
                break
            except OSError:
                time.sleep(0.1)
        token = re.search(r'csrfmiddlewaretoken" value="([^"]+)"', page).group(1)
        opener.open(f"{base}/sign-in/as/orr/", urlencode({"csrfmiddlewaretoken": token}).encode(), timeout=10)
        page = opener.open(f"{base}/live/log/", timeout=10).read().decode()
        return base, opener, re.search(r'csrfmiddlewaretoken" value="([^"]+)"', page).group(1)

    def query(self, words, *given):
        with closing(sqlite3.connect(Path(self.env["FOX_VAR"]) / "fox.sqlite3")) as database:
            return database.execute(words, given).fetchall()

    def kept_values(self):
        self.assertEqual(self.query("PRAGMA integrity_check"), [("ok",)])
        rows = self.query("SELECT value, digest FROM floor_record WHERE id > ?", self.loaded)
        self.assertTrue(all(digest for _, digest in rows))
        return [value for value, _ in rows]


def plant_at(moment):
    """Return a stand-in opened at another moment."""
    from standin.plant import Plant

    return Plant(hallin_reach(), 20, moment, hallin_story())
