"""Files from hell in the drop folder: none ends the picking up, none is taken half, each is set aside with its reason."""

import os
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.db import OperationalError

from desk.exchange.models import Dropped
from desk.exchange.pick_up import Folder, pick_up
from desk.floor.models import epoch
from desk.stations.yard.models import Ticket
from tests.desk.base import NOW
from tests.desk.yard_case import YardCase

HEAD = "ticket,at_s,material,gross_t,tare_t\n"


def scale(ticket="500", at=None):
    """Return a weighing as the scale writes it."""
    return f"{HEAD}{ticket},{epoch(NOW) - 600 if at is None else at},alder_logs,54.8,16.2\n"


class FromHell(YardCase):
    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def put(self, name, data=None):
        path = self.folder / name
        path.write_bytes((scale() if data is None else data).encode() if not isinstance(data, bytes) else data)
        return path

    def aside(self):
        place = self.folder / "aside"
        return sorted(one.name for one in place.iterdir() if not one.name.endswith(".txt")) if place.is_dir() else []

    def test_what_is_no_file_is_set_aside_unopened_and_the_rest_is_taken(self):
        os.mkfifo(self.folder / "scale_1.csv")
        (self.folder / "scale_2.csv").mkdir()
        (self.folder / "scale_3.csv").symlink_to("/nowhere/at/all")
        (self.folder / "scale_4.csv").symlink_to("/dev/zero")
        self.put("scale_9.csv")
        started = time.monotonic()
        taken = {one.name: one.reason for one in pick_up(self.world, self.folder)}
        self.assertLess(time.monotonic() - started, 60)  # a pipe nobody writes to would be read for ever
        self.assertEqual(taken.pop("scale_9.csv"), "")
        self.assertEqual(set(taken.values()), {"it is no file: a folder, a link or a pipe"})
        self.assertEqual(self.aside(), [f"scale_{index}.csv" for index in range(1, 5)])
        self.assertEqual(Ticket.objects.count(), 1)

    def test_what_cannot_be_read_is_set_aside_with_its_reason(self):
        at = epoch(NOW)
        for name, data, reason in (
            ("scale_a.csv", HEAD + "x" * 150_000 + ",1,1,1,1\n", "not readable as CSV"),
            ("scale_b.csv", b"\x00\xff" * 400, "not text in UTF-8"),
            ("scale_c.csv", b"a" * 300_000, "larger than 200 kB"),
            ("scale_d.csv", scale() + "a,b,c,d,e,f,g\n", "more fields than the first"),
            ("scale_e.csv", scale(at=0), "too long ago or still to come"),
            ("scale_f.csv", scale(at=int(4e9)), "too long ago or still to come"),
            ("scale_g.csv", scale(at="9" * 30), "missing or too long"),
            ("scale_h.csv", scale(at=at + 7200), "too long ago or still to come"),
            ("scale_i.csv", HEAD + "1,1e400,alder_logs,54,16\n", "not a finite number"),
            ("scale_j.csv", HEAD.replace("gross_t", "gross_t,gross_t"), "no rows"),
        ):
            with self.subTest(name):
                self.put(name, data)
                self.assertIn(reason, pick_up(self.world, self.folder)[0].reason)
        self.assertEqual(len(self.aside()), 10)
        self.assertFalse(Ticket.objects.exists())

    def test_names_in_any_bytes_are_taken_and_shown(self):
        path = os.fsencode(self.folder) + b"/scale_\xff\xfe.csv"
        Path(os.fsdecode(path)).write_text(scale(), encoding="utf-8")
        self.assertEqual([one.reason for one in pick_up(self.world, self.folder)], [""])
        self.sign_in()
        self.assertEqual(self.client.get("/live/yard/files/").status_code, 200)

    def test_a_file_still_being_written_is_left_until_it_is_whole(self):
        folder = Folder(self.world, self.folder, settled_s=0.2)
        path = self.put("scale_1.csv", HEAD)
        self.assertEqual(folder.pick_up(), [])
        path.write_text(scale(), encoding="utf-8")
        self.assertEqual(folder.pick_up(), [])
        time.sleep(0.25)
        self.assertEqual([one.reason for one in folder.pick_up()], [""])
        self.assertEqual(Ticket.objects.count(), 1)

    def test_a_busy_database_leaves_the_file_for_the_next_look(self):
        self.put("scale_1.csv")
        with mock.patch.object(Dropped.objects, "create", side_effect=OperationalError("database is locked")):
            self.assertEqual(pick_up(self.world, self.folder), [])
        self.assertEqual([one.reason for one in pick_up(self.world, self.folder)], [""])

    def test_a_fault_of_ours_stops_one_file_and_no_other(self):
        self.put("scale_1.csv")
        self.put("scale_2.csv", scale("501"))
        real = Ticket.objects.create
        with (
            mock.patch(
                "desk.exchange.pick_up._taker", side_effect=[mock.Mock(side_effect=ZeroDivisionError), lambda *_: real]
            ),
            self.assertLogs("desk.exchange.pick_up", "ERROR"),
        ):
            reasons = [one.reason for one in pick_up(self.world, self.folder)]
        self.assertEqual(reasons, ["it could not be taken in: ZeroDivisionError", ""])

    def test_one_name_twice_overwrites_nothing_and_long_names_do_not_collide(self):
        for _ in range(2):
            self.put("scale_1.csv", "nothing")
            pick_up(self.world, self.folder)
        self.assertEqual(self.aside(), ["scale_1.2.csv", "scale_1.csv"])
        one, two = (Dropped(name=f"titrator_{'x' * 80}_{index}.csv").key(2) for index in (1, 2))
        self.assertNotEqual(one, two)

    def test_a_folder_that_is_not_there_is_no_fault(self):
        self.assertEqual(pick_up(self.world, self.folder / "gone"), [])
        self.assertEqual(Folder(self.world, self.folder / "gone").pick_up(), [])
