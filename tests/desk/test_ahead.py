"""The look ahead on the desk: made by its part, shown on its page and the rail, judged by what came."""

from datetime import timedelta

from django.core.management import call_command

from desk.floor.models import Sample, epoch
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.ahead.looking import as_json, judged, keep, kept_ahead, make, read_back, stands_of
from desk.stations.ahead.models import Foretold, Lookout
from tests.desk.base import NOW, DeskCase


class Looking(DeskCase):
    def test_it_begins_from_what_is_read(self):
        stands = stands_of(State(self.world, NOW))
        self.assertAlmostEqual(stands.levels_pct["cane_tower"], 28, delta=1)
        self.assertLess(stands.slopes_pct_per_h["cane_tower"], -3)
        self.assertNotIn("wood_blow_tank", stands.slopes_pct_per_h)
        self.assertIn(3, {one.digester for one in stands.cooks})

    def test_kept_it_is_read_back_as_it_was(self):
        made = make(State(self.world, NOW))
        again = read_back(as_json(made))
        self.assertEqual(again.blows, made.blows)
        self.assertAlmostEqual(
            again.courses["cane_tower"].expected_pct[9], made.courses["cane_tower"].expected_pct[9], delta=0.01
        )

    def test_its_part_looks_and_foretells_once_an_hour(self):
        call_command("look_ahead", "--world", "live", "--once")
        call_command("look_ahead", "--world", "live", "--once")
        self.assertEqual(Lookout.objects.count(), 1)
        vessels = len(State(self.world, NOW).vessels)
        self.assertEqual(Foretold.objects.count(), 5 * vessels)

    def test_the_rail_goes_by_a_kept_one_and_by_no_old_one(self):
        keep(State(self.world, NOW))
        words = [item.what for item in next_up(State(self.world, NOW))]
        self.assertIn("Cane tower runs low", words)
        self.assertIsNone(kept_ahead(State(self.world, NOW + timedelta(minutes=30))))

    def test_the_line_draws_the_hours_ahead_at_each_vat(self):
        self.sign_in()
        self.assertNotContains(self.client.get("/live/"), "vat-course")
        keep(State(self.world, NOW))
        self.enter("cane_brightness", 82.0)
        answer = self.client.get("/live/").content.decode()
        self.assertEqual(answer.count('class="vat-course"'), 10)
        self.assertIn("in 12 h", answer)

    def test_the_next_hours_and_what_was_foretold_go_out_as_files(self):
        keep(State(self.world, NOW))
        self.sign_in("engineer")
        for table in ("ahead", "foretold"):
            text = b"".join(self.client.get(f"/live/ahead/files/{table}.csv")).decode()
            self.assertIn("cane_tower", text)

    def test_the_page_shows_every_vessel_and_when_a_change_arrives(self):
        self.sign_in()
        answer = self.client.get("/live/ahead/")
        self.assertContains(answer, "Cane tower low")
        self.assertContains(answer, "Wood washers")
        self.assertEqual(answer.content.decode().count('class="lane-span"'), 10)

    def test_what_if_is_answered_and_writes_nothing(self):
        self.sign_in("trainee")
        before = self.record_count()
        answer = self.client.post("/live/ahead/what-if/", {"what": "rate", "rate": "10", "hours": "8"})
        self.assertContains(answer, "What would be otherwise")
        self.assertContains(answer, "points at")
        self.assertEqual((self.record_count(), Lookout.objects.count()), (before, 0))

    def test_what_cannot_be_is_refused_with_what_was_typed_kept(self):
        self.sign_in()
        for form, words in (
            ({"what": "rate"}, "say the rate"),
            ({"what": "rate", "rate": "900"}, "Allowed: more than 0"),
            ({"what": "stop"}, "say which station"),
            ({"what": "share", "share": "20", "share_of": "hay"}, "none of the list"),
            ({"what": "dance"}, "none of the list"),
            ({"what": "hold", "digester": "3", "hours": "x"}, "not a number"),
        ):
            with self.subTest(form=form):
                answer = self.client.post("/live/ahead/what-if/", form)
                self.assertContains(answer, words, status_code=422)

    def test_what_was_foretold_is_judged_by_what_was_read(self):
        for lead in (1, 2, 4):
            at = NOW - timedelta(hours=1)
            Foretold(
                world=self.world,
                unit="tower_a",
                made_at=at - timedelta(hours=lead),
                for_at=at,
                level_pct=60.0,
                sd_pct=2.0,
            ).save()
        second = epoch(NOW - timedelta(hours=1)) + 1
        Sample(world=self.world, tag="tower_a_level", at_s=second, value=63.0).save()
        self.sign_in()
        text = self.client.get("/live/ahead/files/foretold.csv").content.decode()
        self.assertIn("tower_a", text)
        self.assertIn(",60,2,6", text)
        found = judged(State(self.world, NOW))["tower_a"]
        self.assertGreater(found.results["bias_bdt"], 0)

    def test_a_line_without_vessels_says_so(self):
        from desk.floor.models import World
        from desk.mill.services import approve_definition
        from tests.line import BENCH

        version = approve_definition(BENCH.read_text(encoding="utf-8"), "E. Test")
        World.objects.create(slug="bench", name="Bench", version=version)
        self.sign_in()
        self.assertContains(self.client.get("/bench/ahead/"), "no vessel")
