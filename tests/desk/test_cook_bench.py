"""The bench of the cook house: titrations, results, what is learned from them, files."""

import re
from datetime import timedelta

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile

from desk.exchange.models import Staged
from desk.floor.models import Cook, Record, World
from desk.floor.services import AlreadyCorrectedError, NotAllowedError, correct
from desk.mill.services import approve_definition
from desk.stations.cook.bench import correct_result, correct_test, record_test, take_result
from desk.stations.cook.house import house_of
from desk.stations.cook.learn import accept_relation, study
from desk.stations.cook.models import Forecast, LiquorTest, RelationVersion, Result, Step
from stock.errors import DomainError
from tests.desk.base import NOW, measured_cooks
from tests.desk.cook_house import ABC, HouseCase
from tests.line import MILL, hallin_reach


class Bench(HouseCase):
    def test_a_titration_speaks_for_the_lines_tags(self):
        record_test(self.state(), self.people["tester"], "white", ABC, at=NOW, form_key="w")
        readings = self.state(1).readings
        self.assertAlmostEqual(readings["white_liquor_ea"].value, 105.59, delta=0.01)
        self.assertAlmostEqual(readings["sulphidity"].value, 29.13, delta=0.01)
        self.assertAlmostEqual(readings["causticity"].value, 80.81, delta=0.01)
        self.assertAlmostEqual(house_of(self.state(1)).white["sulphidity_frac"].value, 0.2913, places=4)
        sheet = house_of(self.state(1)).sheet(hallin_reach().cook.main, hallin_reach().cook.digester(2), {})
        self.assertIn(
            "A/B/C titration by T. Test", sheet.figures["liquor"].data["effective_alkali_kg_per_m3_as_naoh"].origin.text
        )

    def test_white_and_green_together_say_how_well_it_was_causticized(self):
        from desk.stations.cook.tanks import causticizing, liquor_figure

        green = {"a_ml": 8.2, "b_ml": 14.6, "c_ml": 37.0, "acid_normality": 0.5, "sample_ml": 5.0}
        record_test(self.state(), self.people["tester"], "white", ABC, at=NOW, form_key="w")
        self.assertIsNone(causticizing(house_of(self.state(1))))
        record_test(self.state(1), self.people["tester"], "green", green, at=NOW + timedelta(minutes=1), form_key="g")
        found = causticizing(house_of(self.state(2)))
        made = (2 * 26.4 - 30.9) - (2 * 8.2 - 14.6)  # NaOH of white less green, in mL
        self.assertAlmostEqual(found.value, made / (made + 36.1 - 30.9))
        self.assertEqual(liquor_figure(self.state(2), "causticizing").value, found.value)

    def test_a_charged_kappa_moves_the_schedule(self):
        self.sign_in("cook")
        asked = {"digester": "2", "recipe": "alder", "charge_pct_naoh_on_wood": "17.4", "kappa_target_kappa": "18"}
        usual = self.client.post("/live/cook/charge/try/", asked).content.decode()
        softer = self.client.post("/live/cook/charge/try/", asked | {"kappa_target_kappa": "16"}).content.decode()
        minutes = [int(re.search(r"about (\d+) min there", text)[1]) for text in (usual, softer)]
        self.assertGreater(minutes[1], minutes[0] + 10)
        self.assertIn("80 min to 165 °C and 630 kPa g", usual)

    def test_volumes_out_of_order_and_nonsense_are_refused(self):
        for kind, volumes, words in (
            ("white", {**ABC, "b_ml": 20.0}, "they are cumulative and must not fall"),
            ("white", {**ABC, "a_ml": 10.0}, "less than no NaOH"),
            ("white", {k: v for k, v in ABC.items() if k != "c_ml"}, "missing"),
            ("tea", ABC, "is not titrated"),
            (
                "acid",
                {"iodate_ml": 10, "iodate_normality": 0.1, "naoh_ml": 19, "naoh_normality": 0.1, "sample_ml": 1.0},
                "swapped or stale",
            ),
        ):
            with self.assertRaisesRegex((ValidationError, DomainError), words):
                record_test(self.state(), self.people["tester"], kind, volumes, at=NOW, form_key=f"{kind}{words}")
        self.assertFalse(LiquorTest.objects.exists())

    def test_a_correction_supersedes_and_the_old_readings_stay(self):
        first = record_test(self.state(), self.people["tester"], "white", ABC, at=NOW, form_key="w")
        with self.assertRaisesRegex(ValidationError, "say why"):
            correct_test(self.state(), self.people["tester"], first, {**ABC, "a_ml": 26.0}, why=" ", form_key="c0")
        second = correct_test(
            self.state(), self.people["tester"], first, {**ABC, "a_ml": 26.0}, why="misread", form_key="c"
        )
        self.assertEqual(second.supersedes, first)
        with self.assertRaisesRegex(ValidationError, "corrected this entry at"):
            correct_test(self.state(), self.people["cook"], first, ABC, why="again", form_key="c2")
        self.assertEqual([test.pk for test in house_of(self.state(1)).news.tests], [second.pk])

    def test_a_result_is_corrected_with_its_reason(self):
        first = take_result(self.state(), self.people["tester"], 1186, {"kappa": 24.0}, at=NOW, form_key="r")
        second = correct_result(
            self.state(), self.people["tester"], first, {"kappa": 18.4}, flag="", why="wrong bottle", form_key="r2"
        )
        self.assertEqual(house_of(self.state()).news.results[1186].kappa, 18.4)
        self.assertEqual(second.why, "wrong bottle")

    def test_a_result_and_its_reading_are_one_fact(self):
        tester = self.people["tester"]
        first = take_result(self.state(), tester, 1186, {"kappa": 24.0}, at=NOW, form_key="r")
        self.assertEqual(self.state(1).readings["kappa_wood"].value, 24.0)
        correct_result(self.state(), tester, first, {"kappa": 18.4}, flag="", why="wrong bottle", form_key="r2")
        reading = Record.objects.get(tag="kappa_wood", superseded_by=None)
        self.assertEqual((reading.value, reading.reason), (18.4, "wrong bottle"))
        self.assertEqual(self.state(1).readings["kappa_wood"].value, 18.4)
        again = correct(reading, tester, value=18.9, text="", reason="typed wrong", form_key="r3")
        self.assertEqual((again.value, again.supersedes), (18.9, reading))
        self.assertEqual(house_of(self.state()).news.results[1186].kappa, 18.9)
        self.assertEqual(Result.objects.filter(superseded_by=None).count(), 1)
        twice = correct(reading, tester, value=18.9, text="", reason="typed wrong", form_key="r3")
        self.assertEqual(twice, again)
        with self.assertRaisesRegex(AlreadyCorrectedError, "T. Test corrected this entry at .* to 18.9"):
            correct(reading, self.people["cook"], value=17.0, text="", reason="so I think", form_key="r4")
        self.assertEqual(Result.objects.count(), 3)

    def test_a_titration_and_its_readings_are_one_fact(self):
        tester = self.people["tester"]
        first = record_test(self.state(), tester, "white", ABC, at=NOW, form_key="w")
        reading = Record.objects.get(tag="white_liquor_ea")
        with self.assertRaisesRegex(ValidationError, "correct its burette readings"):
            correct(reading, tester, value=100, text="", reason="typed wrong", form_key="w2")
        correct_test(self.state(), tester, first, {**ABC, "a_ml": 26.0}, why="misread", form_key="w3")
        standing = Record.objects.get(tag="white_liquor_ea", superseded_by=None)
        self.assertNotEqual(standing.value, reading.value)
        self.assertEqual(standing.supersedes, reading)

    def test_a_black_liquor_of_a_cook_speaks_for_its_recipe(self):
        record_test(
            self.state(),
            self.people["tester"],
            "black",
            {"acid_ml": 4.4, "acid_normality": 0.1, "sample_ml": 2.0},
            at=NOW,
            number=1186,
            form_key="b",
        )
        self.assertAlmostEqual(self.state(1).readings["wood_residual"].value, 8.799, delta=0.01)


class Learned(HouseCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        measured_cooks(cls.world, cls.people["tester"])

    def test_the_flagged_are_left_out_the_far_are_named_and_the_fit_is_better(self):
        lesson = study(self.state(), hallin_reach().cook.main)
        out = {one.number for one in lesson.cooks} - {one.number for one in lesson.used}
        self.assertEqual(out, {930})
        self.assertIn(920, lesson.suspect)
        lesson = study(self.state(), hallin_reach().cook.main, {920, 930})
        self.assertLess(lesson.spread(lesson.relation), lesson.spread(lesson.in_force))
        self.assertAlmostEqual(lesson.bias(lesson.in_force), 0.9, delta=0.1)

    def test_an_engineer_accepts_a_version_and_old_forecasts_keep_theirs(self):
        recipe = hallin_reach().cook.main
        with self.assertRaisesRegex(NotAllowedError, "accept a fitted relation"):
            accept_relation(self.state(), self.people["cook"], recipe, set(), causes={}, why="better", form_key="m")
        with self.assertRaisesRegex(ValidationError, "say why"):
            accept_relation(self.state(), self.people["engineer"], recipe, set(), causes={}, why="", form_key="m")
        with self.assertRaisesRegex(ValidationError, "cook 920: lying far off alone is no cause"):
            accept_relation(self.state(), self.people["engineer"], recipe, {920}, causes={}, why="x", form_key="m")
        with self.assertRaisesRegex(ValidationError, "too few"):
            accept_relation(
                self.state(), self.people["engineer"], recipe, set(range(900, 935)), causes={}, why="x", form_key="m"
            )
        row = accept_relation(
            self.state(),
            self.people["engineer"],
            recipe,
            {920, 930},
            causes={920: "steam valve"},
            why="wood has changed",
            form_key="m",
        )
        self.assertEqual((row.version, row.left_out), (2, [920, 930]))
        relation = house_of(self.state(1)).relation(recipe)
        self.assertIn("38 cooks, accepted 10 Mar by E. Test", relation.words)
        self.assertEqual({one.relation_version for one in Forecast.objects.all()}, {1})
        running = house_of(self.state(1)).follow(Cook.objects.get(number=1187))
        self.assertEqual(running.facts.relation.version, 2)
        self.assertIn("relation 2", running.state.kappa.data["alpha"].origin.text)
        self.assertTrue(Record.objects.filter(text__startswith="Relation 2 of Alder kraft").exists())

    def test_two_cannot_accept_the_same_version(self):
        recipe = hallin_reach().cook.main
        state = self.state()
        house_of(state).news  # noqa: B018  read before the other accepts
        accept_relation(
            self.state(), self.people["engineer"], recipe, {920}, causes={920: "valve stuck"}, why="mine", form_key="m1"
        )
        with self.assertRaisesRegex(ValidationError, "somebody else accepted"):
            accept_relation(
                state,
                self.people["engineer"],
                recipe,
                {920},
                causes={920: "valve stuck"},
                why="mine too",
                form_key="m2",
            )
        self.assertEqual(RelationVersion.objects.count(), 1)

    def test_the_pages_show_errors_and_fit(self):
        self.sign_in("engineer")
        page = self.client.get("/live/cook/done/")
        self.assertContains(page, "+0.9")
        self.assertContains(page, "of them inside the band")
        fit = self.client.get("/live/cook/relation/?recipe=alder&chosen=1&out=920")
        self.assertContains(fit, "Accept relation 2")
        self.assertContains(fit, "worth accepting")
        form = {"recipe": "alder", "out": ["920", "930"], "why": "better", "form_key": "k"}
        bare = self.client.post("/live/cook/relation/accept/", form)
        self.assertContains(bare, "lying far off alone is no cause", status_code=422)
        self.assertContains(bare, 'name="cause-920"', status_code=422)
        self.client.post("/live/cook/relation/accept/", {**form, "cause-920": "steam valve stuck"})
        self.assertEqual(RelationVersion.objects.get().causes, {"920": "steam valve stuck"})
        self.assertEqual(RelationVersion.objects.get().left_out, [920, 930])
        self.assertContains(self.client.get("/live/cook/relation/"), "goes by relation 2")


class Files(HouseCase):
    def upload(self, table, name, text):
        return self.client.post(
            "/live/cook/files/preview/", {"table": table, "file": SimpleUploadedFile(name, text.encode())}, follow=True
        )

    def test_everything_taken_out_can_be_brought_in_again_elsewhere(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.log("blow", 176)
        self.hold_clock(240)
        take_result(
            self.state(240), self.people["tester"], 1190, {"kappa": 18.2}, at=NOW + timedelta(minutes=235), form_key="r"
        )
        record_test(self.state(240), self.people["tester"], "white", ABC, at=NOW + timedelta(minutes=230), form_key="w")
        self.sign_in("cook")
        version = approve_definition(MILL.read_text(encoding="utf-8"), "E. Test")
        World.objects.create(slug="other", name="Other", version=version)
        order = self.world.order_set.get()
        order.pk, order.form_key, order.world = None, "other", World.objects.get(slug="other")
        order._state.adding = True
        order.save()
        for form in ("csv", "json", "xlsx"):
            self.assertEqual(self.client.get(f"/live/cook/files/steps.{form}").status_code, 200)
        for table in ("charges", "steps", "results", "titrations"):
            text = self.client.get(f"/live/cook/files/{table}.csv").content
            sent = self.client.post(
                "/other/cook/files/preview/",
                {"table": table, "file": SimpleUploadedFile(f"{table}.csv", text)},
                follow=True,
            )
            staged = Staged.objects.latest("pk")
            while "Look at the next rows" in sent.content.decode():  # a slow machine looks at it in pieces
                sent = self.client.post(f"/other/cook/files/{staged.pk}/go-on/", follow=True)
            self.assertIn("rows can be kept", sent.content.decode(), f"{table}: {text[:300]!r}")
            self.client.post(f"/other/cook/files/{staged.pk}/keep/")
            again = self.client.get(f"/other/cook/files/{table}.csv").content
            self.assertEqual(again, text, table)

    def test_each_role_is_offered_the_records_it_may_bring_in_and_told_who_brings_the_others(self):
        text = f"number,kind,at,text\n1187,note,{NOW.isoformat()},seen\n1187,sample,{NOW.isoformat()},\n"
        for role, offered in (("cook", 5), ("tester", 4), ("engineer", 3), ("trainee", 0)):
            self.sign_in(role)
            answer = self.client.get("/live/cook/files/")
            page = answer.content.decode()
            self.assertEqual(len(answer.context["offered"]), offered, role)
            self.assertEqual('name="table"' in page, offered > 0)
            told = "Bringing in charge sheets takes a cook or shift lead." in page
            self.assertEqual(told, role != "cook")
        self.sign_in("engineer")
        refused = self.upload("steps", "steps.csv", text)
        self.assertContains(refused, "that takes a cook or shift lead", status_code=403)
        self.sign_in("tester")  # may log a sample of a cook, and no step
        shown = self.upload("steps", "steps.csv", text)
        self.assertContains(shown, "1 of 2 rows cannot be kept.")
        self.assertContains(shown, "you may look but not plan a charge or log steps of a cook")

    def test_a_broken_row_is_named_and_nothing_is_kept(self):
        self.sign_in("cook")
        text = "number,kind,at,green_t,moisture_pct\n1190,chips,2026-03-10T14:00,30,48\n1187,steam,2026-03-10T14:00,,\n1187,dance,2026-03-10T14:00,,\n"
        page = self.upload("steps", "steps.csv", text)
        self.assertContains(page, "3 of 3 rows cannot be kept")
        self.assertContains(page, "has no charge sheet")
        self.assertContains(page, "is no step of a cook")
        self.assertFalse(Step.objects.exists())
        self.assertContains(
            self.upload("results", "r.csv", "number,at,kappa\n1186,2030-01-01,18\n"), "is in the future"
        )
