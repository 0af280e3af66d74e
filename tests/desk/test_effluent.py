"""The loop at what it settles, the month against the permit; peroxide liquor used again."""

from datetime import timedelta

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.bleach.again import used_again
from desk.stations.bleach.effluent import month_of, over_today, take_day
from desk.stations.bleach.models import EffluentDay
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.water import watered
from tests.desk.base import NOW, DeskCase

TODAY = timezone.localdate(NOW)


class Effluent(DeskCase):
    def state(self):
        return State(self.world, NOW)

    def day(self, ago, cod_t, key="", text=""):
        return take_day(
            self.world, self.people["operator"], "bleach", TODAY - timedelta(days=ago), 8200.0, cod_t, 120.0, None, text,
            form_key=key or f"d{ago}",
        )  # fmt: skip

    def test_the_month_leaves_what_its_days_left(self):
        permit = self.state().line.water.permit
        gone, days = TODAY.day - 1, 31
        for ago in range(1, gone + 1):
            self.day(ago, 15.0)
        month = month_of(self.state())
        self.assertEqual(month.missing, 0)
        self.assertAlmostEqual(month.left.value, (days * permit.cod_t_per_d - 15 * gone) / (days - gone), places=6)

    def test_days_not_entered_count_like_the_others_and_another_entry_stands_instead(self):
        self.day(1, 40.0)
        row = self.day(1, 20.0, key="again")
        self.assertEqual(row.supersedes.cod_t, 40.0)
        month = month_of(self.state())
        self.assertEqual(month.missing, TODAY.day - 2)
        self.assertAlmostEqual(month.left.data["so_far_t"].value, 20.0 * (TODAY.day - 1))
        self.assertIn("not entered taken like them", month.left.data["so_far_t"].origin.text)

    def test_a_day_that_makes_more_than_is_left_is_on_every_page_with_what_makes_it(self):
        self.assertIsNone(over_today(self.state()))
        for ago in range(1, TODAY.day):
            self.day(ago, 60.0, text="a spill")
        state = self.state()
        month, words = over_today(state)
        self.assertTrue(month.is_over)
        worst = watered(state).drains[0]
        self.assertIn(f"{worst.name.capitalize()} makes {worst.share_pct:.0f} %", words)
        self.assertTrue(any(one.what == "Effluent over what is left" for one in next_up(state)))
        self.sign_in("operator")
        self.assertContains(self.client.get("/live/water/"), "a day are left this month")

    def test_a_day_to_come_or_of_last_winter_is_refused(self):
        for ago in (0, -1, 100):
            with self.subTest(ago), self.assertRaisesRegex(ValidationError, "a day that is over"):
                self.day(ago, 10.0, key=f"k{ago}")
        self.assertFalse(EffluentDay.objects.exists())

    def test_by_the_form_what_was_typed_stays_and_once_is_once(self):
        self.sign_in("operator")
        form = {
            "day": f"{TODAY - timedelta(days=1)}",
            "flow_m3": "8200",
            "cod_t": "14,6",
            "form_key": "f",
            "text": "a wash-up",
        }
        answer = self.client.post("/live/water/day/", form | {"day": "yesterday"})
        self.assertContains(answer, "is no day", status_code=422)
        self.assertContains(answer, 'value="14,6"', status_code=422)
        for _ in range(2):
            self.assertEqual(self.client.post("/live/water/day/", form).status_code, 302)
        self.assertEqual(EffluentDay.objects.get().cod_t, 14.6)
        page = self.client.get("/live/water/").content.decode()
        self.assertIn("a wash-up", page)
        self.assertIn("settles at", page)
        self.sign_in("trainee")
        self.assertEqual(self.client.post("/live/water/day/", form | {"form_key": "g"}).status_code, 403)

    def test_the_loop_settles_by_what_is_let_in_and_out(self):
        found = watered(self.state())
        names = [one.name for one in found.loop]
        self.assertEqual(names, ["chloride", "calcium", "potassium", "oxygen demand"])
        one = found.loop[0]
        data = {name: datum.value for name, datum in one.figure.data.items()}
        leaves = data["effluent_m3_per_t"] + data["product_water_m3_per_t"]
        comes = data["load_kg_per_t"] + data["fresh_m3_per_t"] * data["fresh_conc_kg_per_m3"]
        self.assertAlmostEqual(one.figure.value, comes / leaves, places=9)
        self.assertGreater(found.settles_h, 1)


class UsedAgain(DeskCase):
    def found(self, unit="cane_bleach", **typed):
        state = State(self.world, NOW)
        bleach = next(one for one in bleaches(state) if one.id == unit)
        return used_again(state, bleach, {f"again-{name}": text for name, text in typed.items()})

    def test_more_sent_back_buys_less_and_builds_up_more(self):
        less, more = self.found(back="20"), self.found(back="80")
        self.assertGreater(less.figures[0].value, more.figures[0].value)
        self.assertLess(less.figures[1].value, more.figures[1].value)
        self.assertGreater(less.figures[2].value, more.figures[2].value)

    def test_what_cannot_be_is_refused_by_name_and_kept(self):
        for name, text, words in (
            ("after", "8", "a press does not thin"),
            ("pressed", "zz", "not a number"),
            ("back", "101", "0 to 100"),
            ("charge", "0", "0.1 to 100"),
        ):
            with self.subTest(name):
                found = self.found(**{name: text})
                self.assertIn(words, found.fault)
                self.assertIn((name, text), [(one.name, typed) for one, typed in found.fields])

    def test_no_peroxide_no_loop(self):
        self.assertIsNone(self.found("rec_bleach"))
        self.sign_in("operator")
        self.assertEqual(self.client.post("/live/bleach/rec_bleach/again/", {}).status_code, 404)
        self.assertContains(self.client.get("/live/bleach/cane_bleach/"), "Peroxide liquor used again")
