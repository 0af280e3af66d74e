"""A seeded hand that slips: every form, parameter, upload and method with what nobody should send. Never a 500, a hang, or a value that cannot be."""

import io
import json
import math
import os
import random
import re
import time
import zipfile
from unittest import mock

from django.apps import apps
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import models

from desk.exchange.models import Staged
from desk.people.roles import ROLES
from tests.desk.base import DeskCase
from tests.desk.test_doors import addresses

ROUNDS = 10_000 if os.environ.get("FOX_LONG") else 700
NASTY = (
    "", " ", "0", "-1", "-0.0", "1e308", "1e-320", "1e999", "nan", "inf", "9" * 400, "1_0", "1,234", "²", "①", "٣",
    "0x1f", "true", "None", "null", "\x00", "\u202eabc", "\ud800", "=1+1", "-1+cmd|' /C calc'!A0", "'; DROP TABLE x; --",
    "<script>alert(1)</script>", "{{ 7 * 7 }}", "../../etc/passwd", "%00", "a" * 5000, "25:99", "yesterday 22:10",
    "9999-99-99 10:00", "30 Feb 10:00", "alder", "live", "pile_c", "1187", "3.5", "48.2", "14:05", "🦊" * 50,
)  # fmt: skip
SLOWEST_S = 5.0


class Slips(DeskCase):
    def setUp(self):
        super().setUp()
        self.chance = random.Random(20)
        self.client.raise_request_exception = True
        self.pages = dict(addresses())
        self.enter("wash_loss", 17.5)

    def fields(self):
        """Return every field name the desk's pages have."""
        names = {"form_key", "next", "at", "why", "text", "kind", "value", "reason"}
        for address in list(self.pages.values()):
            page = self.client.get(address)
            if page.status_code == 200 and not page.streaming:
                names |= set(re.findall(r'name="([A-Za-z0-9_.:-]+)"', page.content.decode("utf-8", "replace")))
        return sorted(names - {"csrfmiddlewaretoken"})

    def quick(self, call, said):
        started = time.thread_time()
        answer = call()
        self.assertLess(answer.status_code, 500, said)
        self.assertLess(time.thread_time() - started, SLOWEST_S, said)
        return answer

    def test_slips_break_nothing_and_store_nothing_that_cannot_be(self):
        self.sign_in("lead")
        names = self.fields()
        routes = [
            one
            for name, one in self.pages.items()
            if name not in {"people:sign_out", "people:sign_in_as", "people:change"}
        ]
        for index in range(ROUNDS):
            if index % 50 == 0:
                self.sign_in(self.chance.choice(list(ROLES)))
            address = self.chance.choice(routes)
            given = {self.chance.choice(names): self.chance.choice(NASTY) for _ in range(self.chance.randint(0, 8))}
            given = {name: value.encode("utf-8", "replace").decode() for name, value in given.items()}
            method = self.chance.choice(("get", "post", "post", "post"))
            with self.subTest(round=index, address=address, method=method):
                self.quick(
                    lambda m=method, a=address, g=given: getattr(self.client, m)(a, g),
                    f"{method} {address} {given!r}"[:400],
                )
        self.assert_nothing_impossible()

    def test_addresses_with_anything_in_them(self):
        self.sign_in("engineer")
        for address in self.pages.values():
            parts = [part for part in address.split("/") if part]
            for _ in range(2):
                spoilt = list(parts)
                if spoilt:
                    spoilt[self.chance.randrange(len(spoilt))] = self.chance.choice(
                        ("²", "9" * 30, "none", "-1", "a" * 300, "%00", "..", "1e5")
                    )
                with self.subTest(spoilt):
                    self.quick(lambda s=spoilt: self.client.get(f"/{'/'.join(s)}/"), spoilt)

    def uploads(self):
        deep = "[" * 3000 + "]" * 3000
        book = io.BytesIO()
        with zipfile.ZipFile(book, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("xl/sharedStrings.xml", "<sst>" + "<si><t>a</t></si>" * 400_000 + "</sst>")
        yield "many.xlsx", book.getvalue()
        for form in ("csv", "json", "xlsx", "exe", ""):
            for data in (b"", b"\x00" * 100, b"PK\x03\x04", b"\xff\xfe", b"a,b\n1,2\n" * 3, deep.encode(), b"9" * 5000):
                yield f"file.{form}", data
        for value in (
            "NaN",
            "Infinity",
            "1e999",
            "9" * 5000,
            '"\\ud800"',
            '"\\u0000"',
            "null",
            "[[[]]]",
            '{"a": {}}',
            "-0.0",
        ):
            yield "row.json", f'[{{"number": {value}, "at": {value}, "gross_t": {value}}}]'.encode()
        for at in ("0001-01-01T00:00", "9999-12-31T23:59:59.999999+14:00", "2026-13-45", "²"):
            yield "row.csv", f"number,kind,at,green_t,moisture_pct\n1187,chips,{at},30,48\n".encode()
        yield "wide.csv", (",".join(f"c{index}" for index in range(5000)) + "\n" + "1," * 5000).encode()
        yield "long.csv", b"number\n" + b"x" * 200_000

    def test_uploads_from_hell(self):
        self.sign_in("lead")
        for part, tables in (("yard", ("lots", "classes")), ("cook", ("steps", "results"))):
            for table in tables:
                for name, data in self.uploads():
                    with self.subTest(table=table, name=name, data=data[:30]):
                        form = {"table": table, "file": SimpleUploadedFile(name, data)}
                        answer = self.quick(
                            lambda p=part, f=form: self.client.post(f"/live/{p}/files/preview/", f), name
                        )
                        if answer.status_code == 302:
                            self.quick(lambda u=answer.url: self.client.get(u), name)
                            keep = answer.url + "keep/"
                            self.quick(lambda u=keep: self.client.post(u), name)
        self.assertTrue(Staged.objects.exists())
        self.assert_nothing_impossible()

    def assert_nothing_impossible(self):
        """Assert that every number and text stored is one."""
        for model in apps.get_models():
            if not model.__module__.startswith("desk."):
                continue
            fields = [
                field
                for field in model._meta.concrete_fields
                if isinstance(field, (models.FloatField, models.CharField, models.JSONField))
            ]
            for row in model._default_manager.all()[:5000]:
                for field in fields:
                    value = getattr(row, field.attname)
                    if isinstance(value, float):
                        self.assertTrue(math.isfinite(value), f"{row!r} {field.name}")
                        self.assertLess(abs(value), 1e12, f"{row!r} {field.name}")
                    elif isinstance(value, str) and model is not Staged:
                        self.assertNotIn("\x00", value)
                        self.assertNotIn("\u202e", value)
                    elif not isinstance(value, (str, type(None))):
                        json.dumps(value, allow_nan=False)


class LongFiles(DeskCase):
    """A long file is looked at and kept in pieces, none of which holds the write lock for long."""

    def send(self, count, bad=()):
        rows = ["number,material,received_at,gross_t,tare_t,moistures_pct"]
        for index in range(count):
            gross = "heavy" if index in bad else "54.8"
            rows.append(f"L-{index},alder_logs,2026-03-09T10:00,{gross},16.2,48")
        upload = SimpleUploadedFile("lots.csv", "\n".join(rows).encode())
        return self.client.post("/live/yard/files/preview/", {"table": "lots", "file": upload}).url

    def through(self, address, step):
        for turns in range(1, 60):
            started = time.thread_time()  # its own work, whatever else the machine does
            answer = self.client.post(f"{address}{step}/")
            self.assertLess(time.thread_time() - started, 3)
            turns += 1
            if (
                answer.status_code != 302
                or answer.url != address
                or (step == "go-on" and Staged.objects.get().is_checked)
            ):
                return answer, turns
        raise AssertionError("it does not end")

    def test_pieces_are_short_and_all_of_it_is_kept(self):
        from desk.stations.yard.models import Lot

        self.sign_in("operator")
        with mock.patch("desk.exchange.tables.PIECE_S", 0.2):
            address = self.send(300)
            self.assertLess(len(Staged.objects.get().checked), 300)
            self.assertContains(self.client.get(address), "rows are looked at")
            _, turns = self.through(address, "go-on")
            self.assertGreater(turns, 1)
            self.assertContains(self.client.get(address), "All 300 rows can be kept")
            self.assertEqual(Lot.objects.count(), 0)
            answer, turns = self.through(address, "keep")
            self.assertGreater(turns, 1)
        self.assertIn("kept=300", answer.url)
        self.assertEqual(Lot.objects.count(), 300)

    def test_one_bad_row_is_named_and_nothing_is_kept_until_it_is_mended(self):
        self.sign_in("operator")
        address = self.send(200, bad={190})
        if not Staged.objects.get().is_checked:
            self.through(address, "go-on")
        self.assertContains(self.client.get(address), "1 of 200 rows cannot be kept")
        self.assertEqual(self.client.post(f"{address}keep/").status_code, 422)
        self.client.post(f"{address}drop/")
        self.assertFalse(Staged.objects.exists())
