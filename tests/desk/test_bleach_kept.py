"""Loads checked in and charge ladders: kept once, refused by name, out and in as files; a response that is accepted counts."""

import math
from datetime import timedelta

from django.core.exceptions import ValidationError

from desk.floor.models import Record
from desk.floor.state import State
from desk.stations.bleach.ladders import accept_response, take_rung
from desk.stations.bleach.loads import take_delivery, take_dip
from desk.stations.bleach.models import Delivery, Dip, Response, Rung
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.tables import BLEACH_TABLES
from desk.stations.bleach.worked import worked
from stock.bleaching.colour import brightness_of, ks_of
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase

LOAD = {
    "density_t_per_m3": 1.20, "ph": 2.0, "load_m3": 10.0, "load_g_per_l": 70.0, "heel_m3": 5.0, "heel_g_per_l": 55.0
}  # fmt: skip


class Kept(DeskCase):
    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def load(self, stage=2, product="peroxide", second="Sam Lindqvist", key="l1", unit="wood_bleach", **change):
        return take_delivery(
            self.world, self.people["operator"], unit, stage, product, {**LOAD, **change}, second=second, at=NOW,
            form_key=key,
        )  # fmt: skip

    def rung(self, charge, response=0.30, came=75.0, key="", floor=0.006, unit="cane_bleach", stage=3, **besides):
        ended = brightness_of(floor + (ks_of(came) - floor) / (1 + response * charge))
        return take_rung(
            self.world, self.people["tester"], unit, stage,
            {"charge_kg_per_bdt": charge, "came_brightness_pct": came, "ended_brightness_pct": ended, **besides},
            text="", at=NOW, form_key=key or f"r{charge}",
        )  # fmt: skip

    def refused(self, words, call):
        with self.assertRaisesRegex((ValidationError, DomainError), words):
            call()


class Loads(Kept):
    def test_a_load_is_kept_once_with_what_the_tank_has_since(self):
        row = self.load()
        self.assertAlmostEqual(row.strength_g_per_l, (5 * 55 + 10 * 70) / 15)
        self.assertEqual(self.load().pk, row.pk)  # sent twice, kept once
        self.assertEqual(Delivery.objects.count(), 1)
        said = Record.objects.latest("id").text
        self.assertIn("tank of EP: 10 m³ of peroxide, the tank at 65.0 g/L; with Sam Lindqvist", said)

    def test_what_may_not_go_in_is_refused_before_the_hose(self):
        for words, call in (
            ("the tank of EP holds peroxide: caustic does not go there. No hose", lambda: self.load(product="caustic")),
            ("holds dioxide", lambda: self.load(stage=1)),
            ("the sample is not peroxide: density 1.525", lambda: self.load(density_t_per_m3=1.525, ph=13.5)),
            ("two people", lambda: self.load(second=" ")),
            ("two people", lambda: self.load(second=self.people["operator"].short_name)),
            ("room for 15 m³", lambda: self.load(load_m3=16.0)),
            ("has no stage 9", lambda: self.load(stage=9)),
            ("there is no bleach", lambda: self.load(unit="nowhere")),
        ):
            with self.subTest(words):
                self.refused(words, call)
        self.assertFalse(Delivery.objects.exists())

    def test_by_the_form_what_was_typed_stays(self):
        self.sign_in("operator")
        page = "/live/bleach/tanks/"
        form = {**{name: str(value) for name, value in LOAD.items()}, "place": "wood_bleach:2:", "product": "peroxide"}
        answer = self.client.post(f"{page}load/", form | {"form_key": "f1", "second": ""})
        self.assertEqual(answer.status_code, 422)
        self.assertIn('value="1.2"', answer.content.decode())
        answer = self.client.post(f"{page}load/", form | {"form_key": "f2", "second": "S. Lindqvist"})
        self.assertEqual(answer.status_code, 302)
        text = self.client.get(page).content.decode()
        self.assertIn("65.0 g/L", text)
        self.sign_in("trainee")
        self.assertEqual(self.client.post(f"{page}load/", form | {"form_key": "f3", "second": "x y"}).status_code, 403)
        self.assertNotIn("Keep the load", self.client.get(page).content.decode())


class Ladders(Kept):
    def test_rungs_show_a_response_that_is_accepted_and_counts(self):
        for charge in (4, 8, 12, 16, 20):
            self.rung(charge)
        self.refused("5 rungs only hint", self.accept)
        self.rung(24)
        before = worked(self.state(), self.unit(), {})
        self.enter("cane_brightness", 81.9)
        asked = self.size()
        row = self.accept()
        self.assertAlmostEqual(row.response_per_kg, 0.30, places=3)
        self.assertEqual((row.least_charge, row.most_charge), (4, 24))
        self.assertEqual(self.unit().last.response_per_kg.value, row.response_per_kg)
        self.assertLess(self.size(), asked)  # each kilogram does more, so fewer are asked for
        self.assertIn("accepted by", self.card().size.data["response_per_kg"].origin.text)
        after = worked(self.state(), self.unit(), {})
        self.assertNotEqual(before.best.charges, after.best.charges)
        self.assertEqual(self.accept().pk, row.pk)  # pressed twice
        again = self.accept(key="a2")
        self.assertEqual(again.supersedes_id, row.pk)
        self.assertEqual(Response.objects.filter(superseded_by=None).count(), 1)

    def unit(self):
        return next(one for one in bleaches(self.state()) if one.id == "cane_bleach")

    def card(self):
        state = self.state()
        return next(iter(state.advice_for([state.line.tag("cane_brightness")])))

    def size(self):
        return self.card().size.value

    def accept(self, who="engineer", key="a1"):
        return accept_response(self.world, self.people[who], "cane_bleach", 3, 0.006, form_key=key)

    def test_kappa_viscosity_and_dirt_are_fitted_where_they_were_taken(self):
        """Kappa by a rate of 9 from 12 to a floor of 0.5; chains cut 1.244 times; dirt fades by 0.04 a kilogram."""
        for index, charge in enumerate((4, 8, 12, 16, 20, 24)):
            kappa = 0.5 + 11.5 * math.exp(-9 * charge / 120)
            dirt = {"came_dirt_per_kg": 300, "ended_dirt_per_kg": 300 * math.exp(-0.04 * charge)}
            chains = {"came_viscosity_ml_per_g": 950, "ended_viscosity_ml_per_g": 820} if index else {}
            self.rung(charge, came_kappa=12, ended_kappa=kappa, **dirt, **chains)
        row = self.accept()
        self.assertAlmostEqual(row.kappa_rate, 9.0, places=3)
        self.assertAlmostEqual(row.dirt_rate, 0.04, places=4)
        self.assertIsNone(row.scission)  # five rungs only hint
        last = self.unit().last
        self.assertEqual((last.kappa_rate.value, last.dirt_rate.value), (row.kappa_rate, row.dirt_rate))
        self.assertIsNone(last.scission)
        self.sign_in("operator")
        text = self.client.get("/live/bleach/kept/").content.decode()
        self.assertIn("kappa 12 to ", text)
        self.assertIn("1.244</strong> chains cut", text)
        self.assertIn("not accepted yet", text)

    def test_one_side_alone_and_kappa_that_rose_are_refused_by_the_form(self):
        self.sign_in("tester")
        form = {
            "place": "cane_bleach:3", "charge_kg_per_bdt": "8", "came_brightness_pct": "75", "ended_brightness_pct": "81",
        }  # fmt: skip
        for index, (words, more) in enumerate(
            (
                ("Viscosity on both sides", {"came_viscosity_ml_per_g": "950"}),
                ("kappa rose", {"came_kappa": "3", "ended_kappa": "4"}),
                ("Dirt before", {"came_dirt_per_kg": "many", "ended_dirt_per_kg": "4"}),
            )
        ):
            with self.subTest(words):
                answer = self.client.post("/live/bleach/kept/rung/", form | more | {"form_key": f"o{index}"})
                self.assertContains(answer, words, status_code=422)
                self.assertContains(answer, f'value="{next(iter(more.values()))}"', status_code=422)
        self.assertFalse(Rung.objects.exists())

    def test_scatter_widens_the_band_and_nothing_known_is_accepted_by_nobody(self):
        for index, (charge, response) in enumerate(((2, 0.9), (2, 0.01), (3, 0.8), (3, 0.02), (4, 0.9), (4, 0.01))):
            self.rung(charge, response, key=f"s{index}")
        self.refused("reaches nought", self.accept)

    def test_a_rung_that_cannot_be_is_refused(self):
        numbers = {"charge_kg_per_bdt": 5.0, "came_brightness_pct": 80.0, "ended_brightness_pct": 70.0}
        self.refused(
            "darker than it came",
            lambda: take_rung(
                self.world, self.people["tester"], "cane_bleach", 3, numbers, text="", at=NOW, form_key="k"
            ),
        )
        self.refused(
            "is in the future",
            lambda: take_rung(
                self.world, self.people["tester"], "cane_bleach", 3, numbers | {"ended_brightness_pct": 82.0}, text="",
                at=NOW + timedelta(days=2), form_key="k",
            ),
        )  # fmt: skip

    def test_the_page_shows_what_is_left_over_and_who_may_accept(self):
        for charge in (4, 8, 12, 16, 20, 24):
            self.rung(charge)
        self.sign_in("operator")
        text = self.client.get("/live/bleach/kept/").content.decode()
        self.assertIn("0.300 per kg", text)
        self.assertNotIn("Accept this response", text)
        self.sign_in("engineer")
        self.assertIn("Accept this response", self.client.get("/live/bleach/kept/").content.decode())
        form = {"place": "cane_bleach:3", "form_key": "p1"}
        self.assertEqual(self.client.post("/live/bleach/kept/accept/", form).status_code, 302)
        self.assertIn("In force", self.client.get("/live/bleach/kept/").content.decode())


class Files(Kept):
    def test_what_goes_out_comes_in_again(self):
        self.load()
        self.rung(8, came_kappa=12.0, ended_kappa=6.0)
        take_dip(self.world, self.people["operator"], "wood_bleach", 2, "caustic", 31.0, None, at=NOW, form_key="d")
        for name, model in (("loads", Delivery), ("ladders", Rung), ("dips", Dip)):
            with self.subTest(name):
                table = BLEACH_TABLES[name]
                (row,) = list(table.rows(self.world))
                text = {key: "" if value is None else str(value) for key, value in row.items()}
                table.keep(self.world, self.people["operator"], text, f"again-{name}")
                self.assertEqual(model.objects.count(), 2)
                one, other = model.objects.all()
                for column in table.columns:
                    self.assertEqual(getattr(one, column.name), getattr(other, column.name), column.name)
