"""Quotients by the mill's own counts: kept once, refused by name, told together, accepted in versions; washers' panels."""

from datetime import timedelta

from django.core.exceptions import ValidationError

from desk.floor.models import Record
from desk.floor.services import NotAllowedError
from desk.floor.state import State
from desk.frame.panels.attempt import attempt
from desk.stations.plain.page import panels_of
from desk.stations.screening.fitting import COUNT_TABLES, accept_quotient, fits_of, take_test
from desk.stations.screening.models import Accepted, CountTest
from desk.stations.screening.worked import screened, systems
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase

SAID = {"feed_count": 240, "feed_g": 500.0, "accept_count": 60, "accept_g": 500.0, "mass_reject_pct": 19.6}


class Counts(DeskCase):
    def state(self):
        return State(self.world, NOW)

    def unit(self):
        return next(one for one in systems(self.state()) if one.id == "wood_screen")

    def counted(self, key="c1", stage=1, who="tester", hours=1.0, **change):
        return take_test(
            self.world, self.people[who], "wood_screen", stage, {**SAID, **change}, at=NOW - timedelta(hours=hours),
            form_key=key,
        )  # fmt: skip

    def accept(self, key="a1", who="engineer"):
        return accept_quotient(self.world, self.people[who], "wood_screen", 1, form_key=key)

    def test_tests_together_narrow_the_limits_and_what_is_accepted_counts(self):
        self.counted()
        first = fits_of(self.state(), self.unit())[0]
        with self.assertRaisesRegex(ValidationError, "1 tests only hint"):
            self.accept()
        for index in (2, 3, 4):
            self.counted(key=f"c{index}", hours=index)
        four = fits_of(self.state(), self.unit())[0]
        self.assertAlmostEqual(four.figure.value, first.figure.value, places=6)
        self.assertLess(four.high - four.low, 0.6 * (first.high - first.low))
        before = screened(self.state(), self.unit(), {}).system
        row = self.accept()
        self.assertEqual(self.accept().pk, row.pk)  # pressed twice
        self.assertAlmostEqual(self.unit().stages[0].quotient, four.figure.value, places=6)
        after = screened(self.state(), self.unit(), {}).system
        self.assertNotAlmostEqual(before.removed_pct, after.removed_pct, places=2)
        self.assertEqual(self.accept(key="a2").supersedes_id, row.pk)
        self.assertEqual(Accepted.objects.filter(superseded_by=None).count(), 1)
        self.assertIn("quotient accepted", Record.objects.latest("id").text)

    def test_what_cannot_be_is_refused(self):
        for words, change in (
            ("more pieces a gram left", {"accept_count": 900}),
            ("no stage 7", {"stage": 7}),
            ("Rejects by mass", {"mass_reject_pct": 100.0}),
            ("nothing was counted", {"feed_count": 0}),
        ):
            with self.subTest(words), self.assertRaisesRegex((ValidationError, DomainError), words):
                self.counted(**change)
        with self.assertRaises(NotAllowedError):
            self.counted(who="trainee")
        self.assertFalse(CountTest.objects.exists())

    def test_by_the_form_what_was_typed_stays_and_once_is_once(self):
        self.sign_in("operator")
        page = "/live/screens/wood_screen/"
        form = {**{name: str(value) for name, value in SAID.items()}, "stage": "1", "form_key": "f"}
        answer = self.client.post(f"{page}count/", form | {"accept_count": "6.5"})
        self.assertContains(answer, "not a whole number", status_code=422)
        self.assertContains(answer, 'value="6.5"', status_code=422)
        for _ in range(2):
            self.assertEqual(self.client.post(f"{page}count/", form).status_code, 302)
        self.assertEqual(CountTest.objects.count(), 1)
        self.assertNotContains(self.client.get(page), "Accept 0.")
        for key in ("g", "h"):
            self.client.post(f"{page}count/", form | {"form_key": key})
        self.sign_in("engineer")
        self.assertContains(self.client.get(page), "Accept 0.")
        self.assertEqual(self.client.post(f"{page}accept/", {"stage": "1", "form_key": "p"}).status_code, 302)
        self.assertContains(self.client.get(page), "3 tests")
        self.sign_in("operator")
        self.assertEqual(self.client.post(f"{page}accept/", {"stage": "1", "form_key": "q"}).status_code, 403)

    def test_what_goes_out_comes_in_again(self):
        self.counted()
        table = COUNT_TABLES["counts"]
        (row,) = list(table.rows(self.world))
        table.keep(self.world, self.people["operator"], {name: str(value) for name, value in row.items()}, "again")
        one, other = CountTest.objects.all()
        for column in table.columns:
            self.assertEqual(getattr(one, column.name), getattr(other, column.name))


class WashPanels(DeskCase):
    def test_every_panel_of_a_washer_and_a_thickener_works_out_as_it_opens(self):
        state = State(self.world, NOW)
        for station, names in (
            (
                "wash",
                {
                    "mat_load",
                    "vacuum_limit",
                    "leg_vacuum",
                    "gas_in_liquor",
                    "factor_by_three",
                    "stray_by_tank",
                    "vat_liquor",
                },
            ),
            ("screen", {"thickened"}),
        ):
            panels = {one.id.partition("-")[0]: one for one in panels_of(state, station)}
            for name in names:
                with self.subTest(name):
                    shown = attempt(panels[name], {})
                    self.assertEqual(shown.fault, "")
                    self.assertIsNotNone(shown.figure)


class BleachPanels(DeskCase):
    def test_every_panel_of_a_bleach_works_out_as_it_opens(self):
        for one in panels_of(State(self.world, NOW), "bleach"):
            with self.subTest(one.id):
                shown = attempt(one, {})
                self.assertEqual(shown.fault, "")
                self.assertTrue(shown.sentence)
