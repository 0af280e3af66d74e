"""The look ahead on the desk: made by its part, shown on its page and the rail, judged by what came."""

from datetime import timedelta
from unittest import mock

from django.core.management import call_command

from desk.floor.models import Cook, Sample, epoch
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.ahead.looking import as_json, judged, keep, kept_ahead, make, read_back, stands_of
from desk.stations.ahead.models import Foretold, Lookout
from desk.stations.ahead.whence import whence
from desk.stations.cook.models import Step
from tests.desk.base import NOW, DeskCase, history
from tests.desk.cook_house import HouseCase


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
        self.assertRegex(answer.content.decode(), r"Cane tower low \d\d:\d\d, likely; dry \d\d:\d\d")
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


class JustBegun(DeskCase):
    """In the first seconds some vessels have sent nothing yet."""

    @classmethod
    def setUpTestData(cls):
        """Keep what two of the levels sent, and nothing of the others."""
        sent = [row for row in history() if not row[0].endswith("_level") or row[0] in ("machine_level", "blend_level")]
        with mock.patch("tests.desk.base.history", return_value=sent):
            super().setUpTestData()

    def test_it_speaks_of_those_that_are_read_alone(self):
        self.sign_in()
        answer = self.client.get("/live/ahead/")
        self.assertSays(answer, "every vessel that is read stays in its span. Not read: ")
        self.assertNotIn("every vessel stays", answer.content.decode())


class WhosePulp(HouseCase):
    """Cooks blown into the wood blow tank, of days ago and of today, and what their pulp has come to."""

    def blow(self, number, hours_ago):
        at = NOW - timedelta(hours=hours_ago)
        Cook.objects.create(
            world=self.world, number=number, digester=2, recipe="alder", started_at=at - timedelta(hours=4),
            kappa_target=18,
        )  # fmt: skip
        for kind, moment, amounts in (
            ("chips", at - timedelta(hours=4), {"green_t": 30.0, "moisture_pct": 48.0}),
            ("blow", at, {}),
        ):
            Step.objects.create(
                world=self.world, number=number, kind=kind, at=moment, by=self.people["cook"],
                form_key=f"{kind}-{number}", **amounts,
            )  # fmt: skip

    def setUp(self):
        super().setUp()
        for number, ago in ((1101, 30.0), (1102, 27.2), (1103, 24.4), (1104, 21.6), (1105, 18.8), (1106, 3.0)):
            self.blow(number, ago)

    def test_each_place_is_told_with_its_cooks_and_later_places_hold_older_ones(self):
        (house,) = [one for one in whence(State(self.world, NOW)) if one.name == "Wood digesters"]
        names = [one.name for one in house.places]
        self.assertEqual((names[0], names[-1]), ("Blow tank", "Machine chest"))
        tank, last = house.places[0], house.places[-1]
        self.assertEqual(tank.pieces[-1].label, "1106")
        self.assertNotIn("1106", [one.label for one in last.pieces])
        for place in house.places:
            told = sum(one.share_frac for one in place.pieces) + place.others_frac
            self.assertAlmostEqual(told, 1.0, 6)
            self.assertEqual(place.figure.method.name, "origin_shares")
        oldest = [int(one.pieces[0].label) if one.pieces else 0 for one in house.places]
        self.assertEqual(oldest, sorted(oldest, reverse=True))

    def test_a_blow_that_was_taken_back_is_nobodys_pulp(self):
        blow = Step.objects.get(number=1106, kind="blow")
        Step.objects.create(
            world=self.world, number=1106, kind="note", at=blow.at, by=self.people["cook"], supersedes=blow,
            why="not blown", form_key="back-1106",
        )  # fmt: skip
        (house,) = [one for one in whence(State(self.world, NOW)) if one.name == "Wood digesters"]
        self.assertTrue(all(one.label != "1106" for place in house.places for one in place.pieces))

    def test_the_page_shows_it_with_its_working_and_nothing_where_nothing_was_blown(self):
        self.sign_in("trainee")
        answer = self.client.get("/live/ahead/")
        self.assertContains(answer, "Whose pulp is where, wood digesters")
        self.assertContains(answer, "cook 1106")
        self.assertContains(answer, "between blows what is drawn changes how much the tank holds")  # its working
        self.assertNotContains(answer, "Whose pulp is where, cane digester")
