"""Copies: taken while others write, whole, locked, kept by the rule, read again; what was tampered with is found."""

import io
import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Event, Thread
from unittest import TestCase, mock

from django.core.management import CommandError, call_command
from django.db import DatabaseError, connection

from desk.floor.handover import sign
from desk.floor.models import Record
from desk.floor.points import MUST_SAY
from desk.keep.copies import CopyError, copies, keep_by_rule, lock, open_copy, take, unlock
from tests.desk.base import SECRET, DeskCase
from tests.line import MILL

ROOT = MILL.parents[1]
PHRASE = "a heron under a lamp"


class Copies(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.database = self.folder / "fox.sqlite3"
        with closing(sqlite3.connect(self.database)) as made, made:
            made.execute("PRAGMA journal_mode=WAL")
            made.execute("CREATE TABLE kept (id INTEGER PRIMARY KEY, text TEXT)")
            made.executemany("INSERT INTO kept (text) VALUES (?)", [("x" * 200,)] * 20_000)

    def test_a_copy_taken_while_somebody_writes_is_whole(self):
        done = Event()

        def write():
            with closing(sqlite3.connect(self.database, timeout=10)) as other:
                while not done.is_set():
                    with other:
                        other.execute("INSERT INTO kept (text) VALUES ('y')")

        writer = Thread(target=write)
        writer.start()
        try:
            path = take(self.database, self.folder / "copies", datetime.now(UTC))
        finally:
            done.set()
            writer.join()
        open_copy(path, self.folder / "again.sqlite3")
        with closing(sqlite3.connect(self.folder / "again.sqlite3")) as again:
            self.assertGreaterEqual(again.execute("SELECT count(*) FROM kept").fetchone()[0], 20_000)
        self.assertEqual([one.name for one in (self.folder / "copies").iterdir()], [path.name])

    def test_a_locked_copy_opens_with_its_passphrase_alone(self):
        path = take(self.database, self.folder / "copies", datetime.now(UTC), PHRASE)
        self.assertNotIn(b"SQLite", path.read_bytes())
        open_copy(path, self.folder / "again.sqlite3", PHRASE)
        for given, words in (("", "is locked"), ("another phrase here", "the passphrase is wrong")):
            with self.assertRaisesRegex(CopyError, words):
                open_copy(path, self.folder / "no.sqlite3", given)

    def test_what_was_changed_or_cut_is_refused(self):
        sealed = io.BytesIO()
        lock(io.BytesIO(os.urandom(2_500_000)), sealed, PHRASE)
        data = sealed.getvalue()
        for bad in (
            data[:-1_000_000],
            data[:30],
            data[:1_200_000] + bytes([data[1_200_000] ^ 1]) + data[1_200_001:],
            b"FOX",
        ):
            with self.assertRaises(CopyError):
                unlock(io.BytesIO(bad), io.BytesIO(), PHRASE)
        path = take(self.database, self.folder / "copies", datetime.now(UTC))
        path.write_bytes(path.read_bytes()[:5000])
        with self.assertRaisesRegex(CopyError, "cannot be unpacked"):
            open_copy(path, self.folder / "no.sqlite3")

    def test_the_rule_keeps_all_of_two_days_one_a_day_one_a_month(self):
        now = datetime(2026, 6, 30, 12, tzinfo=UTC)
        for hours in range(0, 24 * 120, 6):
            name = (now - timedelta(hours=hours)).strftime("fox-%Y%m%dT%H%M%SZ.sqlite3.gz")
            (self.folder / name).touch()
        keep_by_rule(self.folder, now)
        ages = [(now - at).days for at, _ in copies(self.folder)]
        self.assertEqual(sum(age < 2 for age in ages), 8)
        self.assertEqual(sum(3 <= age < 35 for age in ages), 32)
        self.assertLessEqual(sum(age > 36 for age in ages), 4)
        self.assertEqual(keep_by_rule(self.folder, now), [])


class Tampered(DeskCase):
    def setUp(self):
        super().setUp()
        for minutes in (30, 20, 10):
            self.enter("wash_loss", 17.0 + minutes / 100, minutes)

    def broken(self, words):
        with self.assertRaisesRegex(CommandError, words):
            call_command("verify", stdout=io.StringIO())

    def by_hand(self, statement, *given):
        """Change the database as somebody with a tool would, its guards taken off first."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")
            for (name,) in cursor.fetchall():
                cursor.execute(f'DROP TRIGGER "{name}"')
            cursor.execute(statement, given)

    def test_an_honest_log_verifies(self):
        out = io.StringIO()
        call_command("verify", stdout=out)
        self.assertIn("3 entries, the chain holds", out.getvalue())

    def test_each_column_is_sealed(self):
        first = Record.objects.order_by("pk").first().pk
        for column, value in (
            ("value", 9.0),
            ("station", "cook"),
            ("level", "act"),
            ("entered_at", "2020-01-01 00:00:00"),
        ):
            with self.subTest(column):
                before = Record.objects.filter(pk=first).values_list(column, flat=True)[0]
                self.by_hand(f"UPDATE floor_record SET {column} = %s WHERE id = %s", value, first)
                self.broken("is not what was sealed")
                self.by_hand(f"UPDATE floor_record SET {column} = %s WHERE id = %s", before, first)
        call_command("verify", stdout=io.StringIO())

    def test_a_removed_entry_is_missed_in_the_middle_and_at_the_end(self):
        middle, last = Record.objects.order_by("pk").values_list("pk", flat=True)[1:3]
        self.by_hand("DELETE FROM floor_record WHERE id = %s", last)
        self.broken("gone from the end of the log")
        self.by_hand("UPDATE sqlite_sequence SET seq = %s WHERE name = 'floor_record'", middle)
        call_command("verify", stdout=io.StringIO())  # who covers that too is caught by a signed hand-over

    def test_a_signed_hand_over_keeps_the_head_of_the_chain(self):
        signed = sign(self.world, self.people["lead"], SECRET, none=MUST_SAY, form_key="s")
        last = Record.objects.order_by("-pk").values_list("pk", flat=True)
        self.assertEqual(signed.sheet["chain"]["entry"], last[1])
        self.by_hand("DELETE FROM floor_record WHERE id >= %s", signed.sheet["chain"]["entry"])
        self.by_hand("UPDATE sqlite_sequence SET seq = (SELECT max(id) FROM floor_record) WHERE name = 'floor_record'")
        self.broken("was signed over entry")

    def test_a_row_changed_behind_its_line_in_the_log_is_found(self):
        signed = sign(self.world, self.people["lead"], SECRET, none=MUST_SAY, form_key="s")
        self.by_hand("UPDATE floor_handover SET sha256 = 'other' WHERE id = %s", signed.pk)
        self.broken(f"floor.handover {signed.pk}, from which entry")


class PutBack(TestCase):
    def test_a_desk_is_made_copied_lost_and_put_back(self):
        with TemporaryDirectory() as name:
            folder = Path(name)
            self.env = {
                **os.environ, "FOX_VAR": str(folder / "desk"), "DJANGO_SETTINGS_MODULE": "desk.settings.production",
                "FOX_TLS": "0", "FOX_FIRST_PASSWORD": "heron lamp quartz", "FOX_BACKUP_PASSPHRASE": PHRASE,
            }  # fmt: skip
            self.manage("migrate", "-v", "0")
            self.assertIn("is at /live/", self.manage("new_line", "--mill", MILL, "--engineer", "vik"))
            self.assertIn("already", self.manage("new_line", "--mill", MILL, "--engineer", "two", wrong=True))
            self.manage("backup", "--to", folder / "copies", "--encrypt")
            self.query(folder, "UPDATE people_person SET first_name = 'Changed'")
            said = self.manage("restore", "--from", folder / "copies", "--to", folder / "desk", "--drill")
            self.assertIn("of this version", said)
            self.assertIn("/live/: 0 entries", said)
            self.assertEqual(self.query(folder, "SELECT first_name FROM people_person"), [("Changed",)])
            self.manage("restore", "--from", folder / "copies", "--to", folder / "desk")
            self.assertEqual(self.query(folder, "SELECT first_name FROM people_person"), [("V",)])
            self.assertEqual(len(list((folder / "desk").glob("fox-before-restore-*.sqlite3"))), 1)
            at = ["--at", "2020-01-01T00:00"]
            self.assertIn(
                "no copy in",
                self.manage("restore", "--from", folder / "copies", *at, "--to", folder / "desk", wrong=True),
            )
            self.query(
                folder,
                "INSERT INTO django_migrations (app, name, applied) VALUES ('floor', '9999_later', '2030-01-01')",
            )
            self.assertIn("newer: floor 9999_later", self.manage("schema", wrong=True))
            self.query(folder, "UPDATE django_migrations SET name = '0001_initial' WHERE app = 'floor'")
            self.query(folder, "DELETE FROM django_migrations WHERE name = '9999_later'")
            self.assertIn("too old: floor 0002_initial", self.manage("schema", wrong=True))

    def manage(self, *words, wrong=False):
        command = [sys.executable, "manage.py", *map(str, words)]
        done = subprocess.run(command, cwd=ROOT, env=self.env, capture_output=True, text=True, check=False)
        self.assertEqual(bool(done.returncode), wrong, done.stderr)
        return done.stdout + done.stderr

    def query(self, folder, words):
        with closing(sqlite3.connect(folder / "desk" / "fox.sqlite3")) as database, database:
            return database.execute(words).fetchall()


class Health(DeskCase):
    def test_a_monitor_sees_what_is_not_well_and_nothing_of_the_mill(self):
        with TemporaryDirectory() as name, self.settings(FOX_PARTS=Path(name), VAR=Path(name)):
            answer = self.client.get("/health/")
            self.assertEqual((answer.status_code, answer.json()["faults"]), (200, []))
            now = datetime.now(UTC).timestamp()
            for file, text in (
                ("parts.json", f'{{"at_s": {now}, "parts": [{{"name": "web", "running": false, "restarts": 4}}]}}'),
                ("collector-live.json", f'{{"at_s": {now}, "newest_s": {now - 900}, "waiting": 3, "dropped": 1}}'),
                ("backup.json", f'{{"at_s": {now}, "last_s": {now - 90_000}, "ok": false}}'),
            ):
                (Path(name) / file).write_text(text, encoding="utf-8")
            answer = self.client.get("/health/")
            self.assertEqual(
                (answer.status_code, answer.json()["faults"]), (503, ["part web", "readings of live", "copy"])
            )
            self.assertNotIn("Hallin", answer.content.decode())
            with mock.patch("desk.keep.health.connection.cursor", side_effect=DatabaseError):
                self.assertIn("database", self.client.get("/health/").json()["faults"])
