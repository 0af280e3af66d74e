"""Servers killed in the middle of writing: what was acknowledged is there, once and whole; the rest is not there at all."""

import os
import random
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from contextlib import closing, suppress
from http.cookiejar import CookieJar
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Event, Thread
from unittest import TestCase
from urllib.error import HTTPError, URLError
from urllib.parse import urlencode
from urllib.request import HTTPCookieProcessor, Request, build_opener

from tests.line import MILL

ROOT = MILL.parents[1]
KILLS = 200 if os.environ.get("FOX_LONG") else 20
WRITERS = 3


def free_port():
    """Return a port nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Killed(TestCase):
    def test_what_was_acknowledged_is_there_once_and_whole(self):
        with TemporaryDirectory() as folder:
            self.env = {
                **os.environ, "FOX_VAR": folder, "DJANGO_SETTINGS_MODULE": "desk.settings.demo",
                "FOX_SECRET_KEY": "kill", "FOX_FIRST_PASSWORD": "heron lamp quartz",
            }  # fmt: skip
            self.env.pop("FOX_NOW", None)
            self.manage("migrate", "-v", "0")
            self.manage("new_line", "--mill", MILL, "--engineer", "vik")
            self.query("UPDATE people_person SET must_change = 0")
            acknowledged, sent = self.write_and_kill(free_port())
            rows = [value for (value,) in self.query("SELECT value FROM floor_record ORDER BY value")]
            self.assertEqual(self.query("PRAGMA integrity_check"), [("ok",)])
            self.assertGreater(len(acknowledged), KILLS // 2)
            self.assertEqual([value for value in acknowledged if value not in rows], [], "acknowledged and missing")
            self.assertEqual(len(rows), len(set(rows)), "doubled")
            self.assertLessEqual(set(rows), sent)
            self.what_is_done_once_is_done_once()
            self.manage("verify")

    def what_is_done_once_is_done_once(self):
        """Eight press at once, each with a form of their own: one is kept, seven are told."""
        race = subprocess.run(
            [sys.executable, "-m", "tests.faults.race"],
            cwd=ROOT,
            env=self.env,
            check=True,
            capture_output=True,
            text=True,
        )
        told = race.stdout.splitlines()
        self.assertEqual(told.count("kept"), 1, told)
        self.assertEqual(sum("logged already" in one for one in told), 7, told)
        self.assertEqual(self.query("SELECT count(*) FROM cooking_step"), [(1,)])
        self.assertEqual(self.query("SELECT count(*) FROM floor_cook"), [(1,)])

    def manage(self, *words):
        command = [sys.executable, "manage.py", *map(str, words)]
        subprocess.run(command, cwd=ROOT, env=self.env, check=True, stdout=subprocess.DEVNULL)

    def query(self, words):
        with closing(sqlite3.connect(Path(self.env["FOX_VAR"]) / "fox.sqlite3", timeout=10)) as database, database:
            return database.execute(words).fetchall()

    def write_and_kill(self, port):
        """Write from several desks while the workers, and once the whole server, are killed; each press repeated until answered."""
        acknowledged, sent, done = [], set(), Event()
        serve = [sys.executable, "-m", "gunicorn", "desk.wsgi", "--bind", f"127.0.0.1:{port}", "-w", "2", "--preload"]
        serve += ["--no-control-socket", "--log-level", "critical"]

        def start():
            return subprocess.Popen(serve, cwd=ROOT, env=self.env, start_new_session=True, stderr=subprocess.DEVNULL)

        server = start()
        desks = [self.sign_in(port) for _ in range(WRITERS)]

        def write(desk, number):
            opener, token = desk
            for index in range(10_000):
                if done.is_set():
                    return
                value = round(10 + 10 * number + index / 1000, 3)
                sent.add(value)
                form = {
                    "csrfmiddlewaretoken": token,
                    "line": f"wash loss wood {value}",
                    "form_key": f"k{number}-{index}",
                }
                while not done.is_set():
                    with suppress(HTTPError, URLError, OSError):
                        address = f"http://127.0.0.1:{port}/live/entry/record/"
                        answer = opener.open(Request(address, urlencode(form).encode()), timeout=5)
                        if answer.status == 200 and b"entry-fault" not in answer.read():
                            acknowledged.append(value)
                            break
                    time.sleep(0.02)

        writers = [Thread(target=write, args=(desk, number)) for number, desk in enumerate(desks)]
        try:
            for writer in writers:
                writer.start()
            chance = random.Random(7)
            for kill in range(KILLS):
                heard, patience = len(acknowledged), time.monotonic() + 10
                time.sleep(chance.uniform(0.05, 0.25))
                while len(acknowledged) == heard and time.monotonic() < patience:
                    time.sleep(0.02)  # a busy machine writes slower than it is killed: something new each time
                if kill == KILLS // 2:  # the whole server, as with the power
                    os.killpg(server.pid, signal.SIGKILL)
                    server.wait()
                    server = start()
                    time.sleep(2)
                    continue
                with suppress(ProcessLookupError, IndexError):
                    os.kill(chance.choice(self.workers(server.pid)), signal.SIGKILL)
            time.sleep(0.5)
        finally:
            done.set()
            for writer in writers:
                writer.join()
            os.killpg(server.pid, signal.SIGKILL)
            server.wait()
        return acknowledged, sent

    def workers(self, pid):
        return [int(one) for one in Path(f"/proc/{pid}/task/{pid}/children").read_text(encoding="ascii").split()]

    def sign_in(self, port):
        base = f"http://127.0.0.1:{port}"
        opener = build_opener(HTTPCookieProcessor(CookieJar()))
        for _ in range(150):
            try:
                page = opener.open(f"{base}/sign-in/", timeout=5).read().decode()
                break
            except OSError:
                time.sleep(0.1)
        token = re.search(r'csrfmiddlewaretoken" value="([^"]+)"', page).group(1)
        opener.open(f"{base}/sign-in/as/vik/", urlencode({"csrfmiddlewaretoken": token}).encode(), timeout=10)
        page = opener.open(f"{base}/live/log/", timeout=10).read().decode()
        return opener, re.search(r'csrfmiddlewaretoken" value="([^"]+)"', page).group(1)
