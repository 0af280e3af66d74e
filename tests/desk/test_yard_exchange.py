"""The yard's devices and files."""

import csv
import io
import json
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.files.uploadedfile import SimpleUploadedFile

from desk.exchange.models import Staged
from desk.exchange.pick_up import pick_up
from desk.exchange.reading import read_rows, write_rows
from desk.floor.models import World, epoch
from desk.stations.yard.lots import Load, receive
from desk.stations.yard.models import Dropped, Lot, Op, Ticket
from desk.stations.yard.tables import YARD_TABLES
from desk.stations.yard.work import classify, log_trip
from tests.desk.base import NOW
from tests.desk.yard_case import MASSES, SAMPLE, YardCase


class Devices(YardCase):
    def drop(self, **files):
        with TemporaryDirectory() as folder:
            for name, text in files.items():
                data = text if isinstance(text, bytes) else text.encode()
                (Path(folder) / f"{name}.csv").write_bytes(data)
            taken = pick_up(self.world, Path(folder))
            self.left = sorted(str(path.relative_to(folder)) for path in Path(folder).rglob("*") if path.is_file())
        return {one.name.removesuffix(".csv"): one.reason for one in taken}

    def scale(self, ticket="500", gross=54.8, tare=16.2, material="alder_logs"):
        return f"ticket,at_s,material,gross_t,tare_t\n{ticket},{epoch(NOW) - 600},{material},{gross},{tare}\n"

    def test_weighed_and_dried_waits_at_the_gate_until_it_is_received(self):
        probe = f"ticket,at_s,moisture_pct\n500,{epoch(NOW) - 300},46.0\n500,{epoch(NOW) - 290},46.6\n"
        self.assertEqual(self.drop(scale_500=self.scale(), probe_500=probe), {"scale_500": "", "probe_500": ""})
        self.assertEqual(self.left, ["taken/probe_500.csv", "taken/scale_500.csv"])
        (waiting,) = self.yard().news.gate
        self.assertEqual((waiting.ticket, waiting.moistures_pct), ("500", (46.0, 46.6)))
        self.sign_in()
        self.assertContains(self.client.get("/live/yard/lots/"), 'value="46 46.6"')
        load = Load("R-500", "alder_logs", NOW, 54.8, 16.2, [46.0, 46.6], ticket="500")
        receive(self.world, self.people["operator"], load, form_key=self.key())
        self.assertEqual(self.yard().news.gate, ())

    def test_a_broken_file_is_set_aside_with_its_reason(self):
        at = epoch(NOW)
        for name, text, reason in (
            ("scale_1", self.scale(tare=80), "tare 80 t is not below gross"),
            ("scale_2", self.scale(material="oak"), "line 2: 'oak' is not bought here"),
            ("scale_3", self.scale(gross="heavy"), "line 2: gross_t is 'heavy', which is not a number"),
            ("scale_4", "ticket,at_s\n1,1\n", "line 2: material is missing"),
            ("scale_5", b"\xff\xfe\x00", "not text in UTF-8"),
            ("scale_6", "", "the file holds no rows"),
            ("crane_1", self.scale(), "no device is called 'crane'"),
            ("probe_1", f"ticket,at_s,moisture_pct\n1,{at},146\n", "moisture_pct is 146"),
            ("belt_1", f"pile,from_s,to_s,bdt\npile_a,{at - 60},{at},4\n", "more than the 0.0 BDt"),
            ("belt_2", f"pile,from_s,to_s,bdt\nroof,{at - 60},{at},4\n", "there is no pile"),
        ):
            with self.subTest(name):
                self.assertIn(reason, self.drop(**{name: text})[name])
                self.assertEqual(self.left, [f"aside/{name}.csv", f"aside/{name}.reason.txt"])
        self.assertFalse(Ticket.objects.exists())
        self.assertFalse(Op.objects.exists())
        self.sign_in()
        self.assertContains(self.client.get("/live/at/yard/"), "was set aside")

    def test_a_file_is_taken_in_whole_or_not_at_all(self):
        two = self.scale() + f"501,{epoch(NOW)},alder_logs,10,20\n"
        self.drop(scale_1=two)
        self.assertFalse(Ticket.objects.exists())

    def test_a_ticket_twice_is_set_aside(self):
        self.assertEqual(self.drop(scale_1=self.scale())["scale_1"], "")
        self.assertIn("repeats a ticket", self.drop(scale_2=self.scale())["scale_2"])

    def test_a_belt_draws_from_its_pile(self):
        self.lot(number="S-1", material="alder_chips")
        at = epoch(NOW)
        self.drop(belt_1=f"pile,from_s,to_s,bdt\npile_c,{at - 1800},{at},2.5\n")
        self.assertAlmostEqual(Op.objects.get(kind="draw").bdt, 2.5)
        self.assertEqual(Dropped.objects.get().kind, "belt")
        self.assert_book_closes()


class Exchange(YardCase):
    def upload(self, name, data, table="lots", line="live"):
        self.sign_in()
        return self.client.post(
            f"/{line}/yard/files/preview/", {"table": table, "file": SimpleUploadedFile(name, data)}, follow=True
        )

    def fill(self):
        self.lot("R-1", hours_ago=40, bark_pct=11.0)
        self.lot("S-1", material="alder_chips", hours_ago=30, fines_pct=2.5)
        self.lot("S-2", material="alder_chips", hours_ago=20, bark_pct=2.9)
        self.chip(12)
        self.draw("pile_c", 6)
        classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
        log_trip(
            self.world, self.people["operator"], detector="Drum infeed", find="Chain", lot="R-1", stopped_min=4, at=NOW,
            form_key=self.key(),
        )  # fmt: skip

    def test_what_is_taken_out_comes_in_again_with_nothing_lost(self):
        self.fill()
        for form in ("csv", "json", "xlsx"):
            with self.subTest(form):
                taken = {name: list(table.rows(self.world)) for name, table in YARD_TABLES.items()}
                self.sign_in()
                files = {name: self.client.get(f"/live/yard/files/{name}.{form}").content for name in YARD_TABLES}
                other = World.objects.create(slug=f"other-{form}", name="Another line", version=self.world.version)
                for name in ("lots", "draws", "classes", "trips"):
                    page = self.upload(f"{name}.{form}", files[name], name, other.slug)
                    self.assertContains(page, "rows can be kept.")
                    staged = Staged.objects.latest("pk")
                    done = self.client.post(f"/{other.slug}/yard/files/{staged.pk}/keep/", follow=True)
                    self.assertContains(done, f"{len(taken[name])} records were imported")
                self.assertEqual({name: list(table.rows(other)) for name, table in YARD_TABLES.items()}, taken)
                self.assert_book_closes()

    def test_the_preview_says_row_by_row_what_is_wrong_and_nothing_is_kept(self):
        self.lot("R-1")
        rows = [
            {"number": "R-5", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-6", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 10, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-1", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-5", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-7", "material": "alder_logs", "received_at": "soon", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-8", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": "", "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-9", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46", "colour": "red"},
        ]  # fmt: skip
        page = self.upload("lots.json", json.dumps(rows).encode())
        self.assertContains(page, "6 of 7 rows cannot be kept.")
        for words in ("Tare 16 t is not below gross 10 t", "Lot R-1 was received", "Lot R-5 was received", "&#x27;soon&#x27;, not a moment", "Gross_t is missing", "There is no column &#x27;colour&#x27;"):  # fmt: skip
            with self.subTest(words):
                self.assertContains(page, words)
        staged = Staged.objects.latest("pk")
        refused = self.client.post(f"/live/yard/files/{staged.pk}/keep/")
        self.assertContains(refused, "nothing was imported", status_code=422)
        self.assertEqual(Lot.objects.count(), 1)

    def test_files_that_are_no_files_of_ours(self):
        for name, data, words in (
            ("lots.exe", b"MZ", "no CSV, JSON or XLSX"),
            ("lots.xlsx", b"not a workbook", "not readable as XLSX"),
            ("lots.json", b"{", "not readable as JSON"),
            ("lots.json", b'{"a": 1}', "a list of records"),
            ("lots.csv", b"\xff\xfe", "not text in UTF-8"),
            ("lots.csv", b"number\n", "no rows"),
            ("lots.csv", b"number\n" + b"x\n" * 1001, "1000 at a time is the most"),
            ("lots.csv", b"n" * 2_100_000, "larger than 2 MB"),
        ):
            with self.subTest(words):
                self.assertContains(self.upload(name, data), words, status_code=422)
        self.assertFalse(Staged.objects.exists())

    def test_an_import_belongs_to_who_staged_it_and_is_kept_once(self):
        text = "number,material,received_at,gross_t,tare_t,moistures_pct\nR-5,alder_logs,2026-03-09T10:00,50,16,46\n"
        self.upload("lots.csv", text.encode())
        staged = Staged.objects.latest("pk")
        self.sign_in("tester")
        self.assertEqual(self.client.get(f"/live/yard/files/{staged.pk}/").status_code, 404)
        self.sign_in()
        self.client.post(f"/live/yard/files/{staged.pk}/keep/")
        self.assertEqual(self.client.post(f"/live/yard/files/{staged.pk}/keep/").status_code, 404)
        self.sign_in("trainee")
        self.assertEqual(self.client.post("/live/yard/files/preview/", {"table": "lots"}).status_code, 403)

    def test_a_column_of_before_is_known(self):
        self.assertEqual(
            read_rows("x.csv", b"charge_kg_per_odt,at\n1.5,2\n"), [{"charge_kg_per_bdt": "1.5", "at": "2"}]
        )

    def test_a_spreadsheet_takes_no_text_for_a_formula(self):
        text = write_rows("csv", ["a", "b"], [{"a": "=1+1", "b": -2.5}]).decode()
        self.assertEqual(list(csv.reader(io.StringIO(text)))[1], ["'=1+1", "-2.5"])
        self.assertEqual(read_rows("x.csv", b"a;b\n1;2\n"), [{"a": "1", "b": "2"}])
