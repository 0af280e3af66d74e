"""Screens and cleaners on the desk: the cascade worked out as it is typed, refused by name, what counts say."""

from datetime import timedelta

from desk.floor.models import Record
from desk.floor.state import State
from desk.stations.screening.models import Dump
from desk.stations.screening.traps import traps_of
from desk.stations.screening.worked import screened, systems
from tests.desk.base import NOW, DeskCase


class ScreeningCase(DeskCase):
    def unit(self, name="wood_screen"):
        return next(one for one in systems(self.state()) if one.id == name)

    def state(self):
        return State(self.world, NOW)

    def run_with(self, name="wood_screen", **typed):
        return screened(
            self.state(), self.unit(name), {key.replace("_at_", "-"): value for key, value in typed.items()}
        )


class WorkingOut(ScreeningCase):
    def test_with_nothing_typed_it_loses_what_the_line_says(self):
        for unit in systems(self.state()):
            with self.subTest(unit.id):
                found = screened(self.state(), unit, {})
                self.assertEqual(found.fault, "")
                self.assertAlmostEqual(found.system.lost_pct / 100, 1 - unit.accept_frac["fibre"], delta=0.0015)
                self.assertFalse(found.doubts)

    def test_a_reject_rate_moves_loss_dirt_and_every_stage(self):
        before = self.run_with()
        after = screened(self.state(), self.unit(), {"stage-0-mass": "24", "stage-0-volume": "18.7"})
        self.assertGreater(after.system.lost_pct, before.system.lost_pct)
        self.assertLess(after.system.accept_debris_per_kg, before.system.accept_debris_per_kg)
        self.assertGreater(after.system.stages[2].fed_bdt_per_h, before.system.stages[2].fed_bdt_per_h)

    def test_a_thickened_reject_and_a_cleaner_out_are_told(self):
        found = screened(self.state(), self.unit(), {"stage-0-volume": "7"})
        self.assertIn("expect plugging", found.doubts[0][1])
        found = screened(self.state(), self.unit("clean"), {"stage-0-open": "2"})
        self.assertIn("2 are there", " ".join(words for _, words in found.doubts))
        usual = screened(self.state(), self.unit("clean"), {})
        self.assertGreater(found.system.stages[0].drop_kpa, 3 * usual.system.stages[0].drop_kpa)

    def test_counts_say_what_they_are_worth(self):
        few = {"feed_count": "46", "feed_g": "100", "accept_count": "18", "accept_g": "100"}
        found = screened(self.state(), self.unit(), few)
        self.assertIn("by chance alone", " ".join(found.says))
        many = {name: f"{10 * int(text)}" for name, text in few.items()}
        self.assertIn("look at a basket", " ".join(screened(self.state(), self.unit(), many).says))

    def test_what_cannot_be_is_refused_by_name_with_what_was_typed_kept(self):
        for unit, typed, words in (
            ("wood_screen", {"stage-0-mass": "120"}, "Primary screen, rejects by mass is 120 %"),
            ("wood_screen", {"stage-1-feed": "4"}, "thicker than what comes to it"),
            ("wood_screen", {"stage-1-feed": "soup"}, "not a number"),
            ("wood_screen", {"rate": "-3"}, "Stock that comes is -3"),
            ("wood_screen", {"feed_count": "4"}, "is missing"),
            (
                "wood_screen",
                {"feed_count": "0", "feed_g": "10", "accept_count": "1", "accept_g": "10"},
                "nothing was counted",
            ),
            ("clean", {"stage-0-open": "9"}, "9 open, 4 are there"),
            ("clean", {"stage-0-open": "2.5"}, "whole number"),
        ):
            with self.subTest(words):
                found = screened(self.state(), self.unit(unit), typed)
                self.assertIn(words, found.fault)
                kept = {f"stage-{row.index}-{name}": text for row in found.rows for name, _, _, text in row.fields}
                for name, text in typed.items():
                    self.assertEqual({**kept, **found.shared, **{n: t for n, _, t in found.counts}}[name], text)

    def test_the_page_and_what_is_typed_into_it(self):
        self.sign_in("trainee")
        for address in ("/live/at/screen/", "/live/screens/clean/"):
            answer = self.client.get(address)
            self.assertSays(answer, "of the fibre leaves")
            self.assertEqual(answer.content.decode().count("stairs-box"), 3)
            self.assertNotIn("None", answer.content.decode().partition('class="stairs"')[2].partition("</svg>")[0])
        answer = self.client.post("/live/screens/wood_screen/try/", {"stage-2-mass": "30"})
        self.assertContains(answer, "of the fibre leaves")
        self.assertEqual(self.client.post("/live/screens/wood_wash/try/", {}).status_code, 404)
        self.assertEqual(self.client.get("/live/screens/wood_screen/try/").status_code, 405)


class Trapping(ScreeningCase):
    def dump(self, key="d", **fields):
        return self.client.post("/live/screens/clean/dump/", {"wet_kg": "14", "form_key": key, **fields})

    def test_a_dump_is_kept_once_with_its_line_in_the_log(self):
        self.sign_in("operator")
        for _ in range(2):
            self.assertEqual(self.dump(text="sand and two staples", lot="R-49131").status_code, 302)
        self.assertEqual(Dump.objects.get().wet_kg, 14)
        self.assertIn("trap dumped, 14 kg of lot R-49131", Record.objects.get(source__startswith="screening.dump").text)
        self.assertSays(self.client.get("/live/screens/clean/"), "sand and two staples")
        self.assertIn("clean,", self.client.get("/live/screen/files/traps.csv").content.decode())

    def test_what_cannot_be_is_refused_with_what_was_typed_kept(self):
        self.sign_in("operator")
        for index, (fields, words) in enumerate(
            (
                ({"wet_kg": "0"}, "more than 0"),
                ({"wet_kg": "9e9"}, "up to 5000"),
                ({"wet_kg": "heavy"}, "not a number"),
                ({"at": "tomorrow 23:00"}, "in the future"),
            )
        ):
            answer = self.dump(f"x{index}", text="glass", **fields)
            self.assertContains(answer, words, status_code=422)
            self.assertContains(answer, 'value="glass"', status_code=422)
        self.assertFalse(Dump.objects.exists())
        self.sign_in("trainee")
        self.assertEqual(self.dump("t").status_code, 403)

    def test_more_than_usual_points_at_the_yard(self):
        weights = (30, 12, 11, 12, 13, 12, 11)
        for index, weight in enumerate(weights):
            Dump(
                world=self.world, by=self.people["operator"], form_key=f"d{index}", unit="clean", wet_kg=weight,
                at=NOW - timedelta(days=index, hours=1),
            ).save()  # fmt: skip
        found = traps_of(self.state(), self.unit("clean"))
        self.assertEqual(found.level, "outside")
        self.assertIn("look at the yard", found.words)
