"""The cook house as written and read: charges, steps, results, titrations, relations, files, devices."""

import re
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile

from desk.exchange.models import Staged
from desk.exchange.pick_up import pick_up
from desk.floor.appending import AppendOnlyError
from desk.floor.handover import compose
from desk.floor.models import Cook, Record, World, epoch
from desk.floor.next_up import next_up
from desk.floor.services import AlreadyCorrectedError, NotAllowedError, correct, store_samples
from desk.floor.state import State
from desk.mill.services import approve_definition
from desk.stations.cook.bench import correct_result, correct_test, record_test, take_result
from desk.stations.cook.board import board_of
from desk.stations.cook.devices import Batch, note_batch
from desk.stations.cook.house import house_of
from desk.stations.cook.learn import accept_relation, past_cooks, study
from desk.stations.cook.models import Charge, Forecast, LiquorTest, RelationVersion, Result, Step
from desk.stations.cook.steps import Amounts, correct_step, log_step, next_number, plan_charge, read_gauges
from stock.cooking.schedule import planned_profile
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase, measured_cooks, plant
from tests.line import MILL, hallin_reach

ABC = {"a_ml": 26.4, "b_ml": 30.9, "c_ml": 36.1, "acid_normality": 0.5, "sample_ml": 5.0}
CHIPS = Amounts(30.6, 0.482)
WHITE = Amounts(26.2, 105.2, 0.262)


class HouseCase(DeskCase):
    """Digester 2 stands empty at NOW; the tests cook 1190 in it."""

    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def plan(self, number=1190, digester=2, recipe="alder", minutes=0, due=0, who="cook", **typed):
        house = hallin_reach().cook
        return plan_charge(
            self.state(minutes), self.people[who], number=number, digester=house.digester(digester),
            recipe=house.recipe(recipe), planned_at=NOW + timedelta(minutes=minutes + due), typed=typed,
            form_key=f"plan-{number}-{minutes}-{len(typed)}",
        )  # fmt: skip

    def log(self, kind, minutes, amounts=None, number=1190, who="cook", minded=True, now=None, **options):
        self.hold_clock(minutes if now is None else now)
        return log_step(
            self.state(minutes), self.people[who], number, kind, amounts or Amounts(), at=NOW + timedelta(minutes=minutes),
            minded=minded, form_key=f"{kind}-{number}-{minutes}", **options,
        )  # fmt: skip

    def hold_clock(self, minutes):
        import os

        os.environ["FOX_NOW"] = (NOW + timedelta(minutes=minutes)).isoformat()

    def charge_it(self, at=0):
        """Plan and charge cook 1190, its chips in by `at`."""
        self.plan()
        for kind, minutes, amounts in (
            ("chips", at, CHIPS),
            ("liquor", at + 8, WHITE),
            ("fill", at + 14, Amounts(20.3)),
        ):
            self.hold_clock(minutes)
            self.log(kind, minutes, amounts)

    def heat_it(self, at=16, until=150, offset_c=0.0):
        """Put steam on and send temperatures by the plan from then on, the last `until` minutes from NOW."""
        self.hold_clock(at)
        self.log("steam", at)
        recipe = hallin_reach().cook.main
        times, planned = planned_profile(recipe, 900.0, 0.0)
        rows = []
        for minute in np.arange(at, until + 0.5, 1.0):
            celsius = float(np.interp(minute - at, times, planned)) + offset_c
            second = epoch(NOW + timedelta(minutes=float(minute)))
            rows += [
                ("digester_2_temp", second, celsius),
                ("digester_2_bottom", second, celsius - 0.6),
                ("digester_2_pressure", second, 640.0 if celsius > 160 else 200.0),
            ]
        store_samples(self.world.pk, rows)
        self.hold_clock(until)


class FromChargeToResult(HouseCase):
    def test_a_cook_is_planned_charged_heated_blown_and_learned_from(self):
        self.assertEqual(next_number(self.state(), hallin_reach().cook.main), 1190)
        self.charge_it()
        self.heat_it(until=170)
        followed = house_of(self.state(170)).follow(Cook.objects.get(number=1190))
        self.assertEqual(followed.recipe.id, "alder")
        wood = 30.6 * (1 - 0.482)
        self.assertAlmostEqual(followed.facts.bd_wood.value, wood)
        self.assertAlmostEqual(followed.facts.charge.value, 0.1 * 26.2 * 105.2 / wood)
        self.assertAlmostEqual(followed.facts.sulphidity.value, 0.262)
        self.assertIn("the colder of top and bottom", followed.facts.trace.readings.text)
        self.log("sample", 170, Amounts(8.9))
        self.log("relief", 172)
        self.log("blow", 180)
        forecast = Forecast.objects.get(number=1190)
        self.assertEqual(forecast.relation_version, 1)
        self.assertIsNotNone(forecast.kinetic_kappa)
        self.assertAlmostEqual(forecast.apart_c, 0.6, places=6)
        self.hold_clock(230)
        result = take_result(
            self.state(230), self.people["tester"], 1190,
            {"kappa": 18.7, "rejects_pct": 2.1, "yield_pct": 52.2, "residual_kg_per_m3_as_naoh": 8.6},
            at=NOW + timedelta(minutes=230), form_key="r",
        )  # fmt: skip
        self.assertEqual(Result.objects.get(), result)
        said = Record.objects.filter(subject="cook 1190").order_by("-id").values_list("text", flat=True)
        self.assertRegex(said[0], r"Cook 1190: kappa 18\.7 found, forecast \d+\.\d ± 1\.1: .* (above|below)")
        self.assertTrue(Record.objects.filter(tag="kappa_wood", value=18.7).exists())
        self.assertEqual([one.number for one in past_cooks(self.state(240), hallin_reach().cook.main)], [1190])

    def test_the_blow_keeps_the_forecast_as_it_was_made(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.log("blow", 178)
        before = Forecast.objects.get(number=1190).kappa
        step = Step.objects.get(number=1190, kind="liquor")
        correct_step(
            self.state(180),
            self.people["cook"],
            step,
            {"amount": 25.0, "second": 105.2},
            why="meter read wrong",
            form_key="fix",
        )
        self.assertEqual(Forecast.objects.get(number=1190).kappa, before)
        charge = house_of(self.state(181)).follow(Cook.objects.get(number=1190)).facts.charge.value
        wood = Step.objects.get(number=1190, kind="chips")
        self.assertAlmostEqual(charge, 25.0 * 105.2 / (10 * wood.amount * (1 - wood.second)), places=6)
        house = house_of(self.state(181))
        blown = house.follow(Cook.objects.get(number=1190))
        self.assertNotEqual(blown.figures()["kappa"].value, before)  # worked out anew, it would be another
        shown = house.figures(blown)
        self.assertEqual(shown["kappa"].value, before)
        self.assertIn("forecast kept at the blow", shown["kappa"].origin.text)
        self.assertEqual(shown["kinetic_kappa"].value, Forecast.objects.get(number=1190).kinetic_kappa)
        self.assertEqual(Step.objects.filter(number=1190, kind="liquor").count(), 2)
        with self.assertRaises(AppendOnlyError):
            step.delete()

    def test_a_charged_cook_waits_for_steam_and_the_board_says_so(self):
        self.charge_it()
        state = self.state(15)
        board = board_of(house_of(state))
        waiting = next(one for one in board.waiting if one.digester == 2)
        self.assertIn("charged", waiting.words)
        self.assertIn("t/h", waiting.words)
        self.assertIn("Steam on cook 1190, digester 2", [item.what for item in next_up(state)])

    def test_a_short_charge_offers_liquor_while_heating(self):
        self.plan()
        for kind, minutes, amounts in (("chips", 0, CHIPS), ("liquor", 8, Amounts(24.6, 105.0, 0.26))):
            self.hold_clock(minutes)
            self.log(kind, minutes, amounts)
        self.heat_it(until=60)
        followed = house_of(self.state(60)).follow(Cook.objects.get(number=1190))
        liquor = next(one for one in followed.state.corrections if one.kind == "liquor")
        self.assertGreater(liquor.size.value, 0.5)
        self.log("liquor", 62, Amounts(1.8, 105.0, 0.26))
        again = house_of(self.state(63)).follow(Cook.objects.get(number=1190))
        self.assertGreater(again.facts.charge.value, followed.facts.charge.value + 1)

    def test_a_charge_that_cannot_reach_its_target_is_said_and_breaks_no_page(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.log("liquor", 8, Amounts(14.0, 100.0, 0.26))
        self.log("fill", 12, Amounts(24.0))
        self.heat_it(until=120)
        self.sign_in("cook")
        house = house_of(self.state(120))
        followed = house.follow(Cook.objects.get(number=1190))
        self.assertIsNotNone(followed, house.trouble)
        page = self.client.get("/live/cook/1190/")
        self.assertContains(page, "cannot be reached with")
        self.assertEqual(self.client.get("/live/").status_code, 200)

    def test_a_cook_that_cannot_be_followed_says_why(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.log("liquor", 8, Amounts(14.0, 100.0, 0.26))
        self.sign_in("cook")
        page = self.client.get("/live/cook/1190/")
        self.assertContains(page, "cannot be followed: liquor to wood is 1.95374 m³/BDt, outside 2 to 10")

    def test_a_cook_forgotten_for_hours_breaks_no_page(self):
        self.charge_it()
        self.heat_it(until=120)
        self.hold_clock(600)
        self.sign_in("cook")
        self.assertContains(self.client.get("/live/cook/1190/"), "is past its end point by")

    def test_gaps_and_silence_are_said_not_hidden(self):
        self.charge_it()
        self.heat_it(until=120)
        followed = house_of(self.state(140)).follow(Cook.objects.get(number=1190))
        self.assertIn("the last 20 min ago and held since", followed.facts.trace.readings.text)


class Refused(HouseCase):
    def refused(self, error, words, call):
        steps, cooks, records = Step.objects.count(), Cook.objects.count(), self.record_count()
        with self.assertRaisesRegex(error, words):
            call()
        self.assertEqual((Step.objects.count(), Cook.objects.count(), self.record_count()), (steps, cooks, records))

    def test_an_uncharged_cook_is_not_started(self):
        self.refused(ValidationError, "was not started: log its chips first", lambda: self.log("steam", 0))
        self.refused(ValidationError, "has no charge sheet: plan it first", lambda: self.log("chips", 0, CHIPS))
        self.plan()
        self.log("chips", 0, CHIPS)
        self.hold_clock(5)
        self.refused(DomainError, "its liquor was not logged", lambda: self.log("steam", 5))
        self.refused(DomainError, "was never heated", lambda: self.log("blow", 5))

    def test_a_full_digester_takes_neither_chips_nor_liquor(self):
        self.plan(number=1191, digester=3)
        self.refused(
            ValidationError, "digester 3 still holds cook 1187", lambda: self.log("chips", 0, CHIPS, number=1191)
        )
        self.plan()
        self.log("chips", 0, CHIPS)
        self.hold_clock(4)
        self.refused(DomainError, "digester 2 is full", lambda: self.log("liquor", 4, Amounts(75.0, 105.0)))
        self.log("liquor", 4, Amounts(40.0, 105.0))
        self.hold_clock(8)
        self.refused(DomainError, "digester 2 is full", lambda: self.log("fill", 8, Amounts(30.0)))

    def test_a_cook_is_blown_once(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.log("blow", 176)
        self.hold_clock(180)
        self.refused(ValidationError, "was blown at 17:26 already", lambda: self.log("blow", 180))
        self.refused(
            ValidationError, "is blown; cooking liquor in cannot follow", lambda: self.log("liquor", 180, WHITE)
        )

    def test_steps_out_of_time_order_and_ahead_of_it(self):
        self.charge_it()
        self.refused(DomainError, "is before the last step of cook 1190", lambda: self.log("steam", 10))
        self.refused(ValidationError, "is in the future", lambda: self.log("steam", 40, now=20))

    def test_amounts_that_cannot_be(self):
        self.plan()
        for amounts, words in (
            (Amounts(None, 0.48), "green tonnes of chips are missing"),
            (Amounts(400.0, 0.48), "cannot be in digester 2"),
            (Amounts(30.0, None), "chip moisture is missing"),
            (Amounts(30.0, 0.98), "chip moisture is 98 %"),
        ):
            self.refused(DomainError, words, lambda amounts=amounts: self.log("chips", 0, amounts))
        self.log("chips", 0, CHIPS)
        self.hold_clock(3)
        self.refused(
            DomainError, "the strength of the liquor is 900", lambda: self.log("liquor", 3, Amounts(20.0, 900.0))
        )

    def test_cautions_and_roles(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.hold_clock(3)
        self.refused(
            ValidationError, "tick 'Before charging liquor' first", lambda: self.log("liquor", 3, WHITE, minded=False)
        )
        self.refused(
            NotAllowedError, "plan a charge or log steps of a cook", lambda: self.log("liquor", 3, WHITE, who="tester")
        )
        self.refused(NotAllowedError, "plan a charge", lambda: self.plan(number=1195, who="operator"))

    def test_charges_that_cannot_be(self):
        self.refused(ValidationError, "cook 1187 was started already", lambda: self.plan(number=1187, digester=3))
        self.refused(ValidationError, "does not cook Bagasse soda", lambda: self.plan(recipe="cane"))
        self.refused(DomainError, "the least that fits", lambda: self.plan(liquor_to_wood=2.2))
        self.refused(DomainError, "the chips alone take", lambda: self.plan(bd_wood_t=60.0))
        self.refused(DomainError, "cannot be reached", lambda: self.plan(charge_pct_naoh_on_wood=10.5))

    def test_planning_again_supersedes(self):
        first, second = self.plan(), self.plan(charge_pct_naoh_on_wood=18.0)
        self.assertEqual(second.supersedes, first)
        self.assertAlmostEqual(house_of(self.state()).news.charges[1190].given["charge_pct_naoh_on_wood"], 18.0)
        self.assertEqual(Charge.objects.count(), 2)

    def test_a_form_sent_twice_counts_once(self):
        self.plan()
        self.assertEqual(self.log("chips", 0, CHIPS).pk, self.log("chips", 0, CHIPS).pk)
        self.assertEqual(Step.objects.filter(number=1190).count(), 1)

    def test_results_that_cannot_be(self):
        def result(number=1186, **found):
            return take_result(
                self.state(),
                self.people["tester"],
                number,
                {"kappa": 18.0} | found,
                at=NOW,
                form_key=f"x{number}{found}",
            )

        for words, call in (
            ("there is no cook 9999", lambda: result(9999)),
            ("cook 1187 is not blown yet", lambda: result(1187)),
            ("kappa is missing", lambda: result(kappa=None)),
            ("kappa is 400, outside 1 to 200", lambda: result(kappa=400.0)),
            ("yield, % is 5, outside 20 to 100", lambda: result(yield_pct=5.0)),
        ):
            self.refused((ValidationError, DomainError), words, call)
        result()
        self.refused(ValidationError, "has its result; correct that one", lambda: result(kappa=18.4))


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
        from desk.stations.cook.pages.liquor import causticizing, liquor_figure

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

    def test_the_far_and_the_flagged_are_left_out_and_the_fit_is_better(self):
        lesson = study(self.state(), hallin_reach().cook.main)
        out = {one.number for one in lesson.cooks} - {one.number for one in lesson.used}
        self.assertTrue({920, 930} <= out)
        self.assertLess(lesson.spread(lesson.relation), lesson.spread(lesson.in_force))
        self.assertAlmostEqual(lesson.bias(lesson.in_force), 0.9, delta=0.1)

    def test_an_engineer_accepts_a_version_and_old_forecasts_keep_theirs(self):
        recipe = hallin_reach().cook.main
        with self.assertRaisesRegex(NotAllowedError, "accept a fitted relation"):
            accept_relation(self.state(), self.people["cook"], recipe, set(), why="better", form_key="m")
        with self.assertRaisesRegex(ValidationError, "say why"):
            accept_relation(self.state(), self.people["engineer"], recipe, set(), why="", form_key="m")
        with self.assertRaisesRegex(ValidationError, "too few"):
            accept_relation(self.state(), self.people["engineer"], recipe, set(range(900, 935)), why="x", form_key="m")
        row = accept_relation(
            self.state(), self.people["engineer"], recipe, {920, 930}, why="wood has changed", form_key="m"
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
        accept_relation(self.state(), self.people["engineer"], recipe, {920}, why="mine", form_key="m1")
        with self.assertRaisesRegex(ValidationError, "somebody else accepted"):
            accept_relation(state, self.people["engineer"], recipe, {920}, why="mine too", form_key="m2")
        self.assertEqual(RelationVersion.objects.count(), 1)

    def test_the_pages_show_errors_and_fit(self):
        self.sign_in("engineer")
        page = self.client.get("/live/cook/done/")
        self.assertContains(page, "+0.9")
        self.assertContains(page, "of them inside the band")
        fit = self.client.get("/live/cook/relation/?recipe=alder&chosen=1&out=920")
        self.assertContains(fit, "Accept relation 2")
        self.assertContains(fit, "worth accepting")
        self.client.post(
            "/live/cook/relation/accept/", {"recipe": "alder", "out": ["920", "930"], "why": "better", "form_key": "k"}
        )
        self.assertEqual(RelationVersion.objects.get().left_out, [920, 930])
        self.assertContains(self.client.get("/live/cook/relation/"), "goes by relation 2")


class Told(HouseCase):
    def test_the_rail_the_hand_over_and_the_search_know_the_cook_house(self):
        self.plan(due=30)
        state = self.state()
        whats = [item.what for item in next_up(state)]
        self.assertIn("Charge cook 1190, digester 2", whats)
        self.assertIn("Blow cook 1187, digester 3", whats)
        sections = {one["title"]: one["rows"] for one in compose(state)["sections"]}
        self.assertTrue(sections["Cooks in flight"][0].startswith("Cook 1187, digester 3: at temperature, H "))
        self.assertEqual(len(sections["Liquor"]), 3)
        self.sign_in()
        self.assertContains(
            self.client.post("/live/entry/read/", {"line": "cook 1187"}), "Alder kraft, bleachable, digester 3"
        )

    def test_a_blown_cook_asks_for_its_kappa(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.log("blow", 176)
        found = next(item for item in next_up(self.state(230)) if item.what == "Kappa of cook 1190")
        self.assertIn("Forecast", found.size)
        late = next(item for item in next_up(self.state(176 + 200)) if item.what == "Kappa of cook 1190")
        self.assertTrue(late.now)

    def test_no_page_asks_the_database_too_often(self):
        self.charge_it()
        self.sign_in("cook")
        self.client.get("/live/cook/1187/")
        for address in (
            "/live/",
            "/live/cook/1187/",
            "/live/cook/1190/",
            "/live/cook/charge/",
            "/live/cook/liquor/",
            "/live/cook/done/",
            "/live/cook/relation/",
        ):
            with self.subTest(address), self.assertNumQueries(FewerThan(21)):
                self.assertEqual(self.client.get(address).status_code, 200)


class FewerThan(int):
    """A number of queries that is kept by any smaller one."""

    def __eq__(self, other):
        return other < int(self)

    def __ne__(self, other):
        return not self == other

    def __hash__(self):
        return hash(int(self))


class Counters(HouseCase):
    def batch(self, **changes):
        values = {
            "number": 1300, "digester": 2, "recipe": "alder", "started_s": epoch(NOW - timedelta(minutes=60)), "charge_pct": 17.3,
            "chips_t": 30.5, "moisture_frac": 0.48, "liquor_m3": 26.1, "strength": 105.0, "sulphidity": 0.26, "fill_m3": 20.1,
            "steam_s": epoch(NOW - timedelta(minutes=14)), "blown_s": 0.0,
        }  # fmt: skip
        return Batch(**{**values, **changes})

    def test_a_counter_is_kept_once_and_grows_with_the_cook(self):
        self.assertEqual(note_batch(self.world, self.batch(liquor_m3=0.0, fill_m3=0.0, steam_s=0.0)).number, 1300)
        self.assertEqual(list(Step.objects.values_list("kind", flat=True)), ["chips"])
        self.assertIsNone(note_batch(self.world, self.batch()))
        note_batch(self.world, self.batch())
        self.assertEqual(list(Step.objects.values_list("kind", flat=True)), ["chips", "liquor", "fill", "steam"])
        followed = house_of(self.state()).follow(Cook.objects.get(number=1300))
        self.assertAlmostEqual(followed.facts.charge.value, 0.1 * 26.1 * 105 / (30.5 * 0.52))

    def test_a_reported_blow_keeps_its_forecast(self):
        cook = plant().last_cook(2, NOW.timestamp())
        batch = Batch.of(2, "alder", plant().digesters.batch(2, NOW.timestamp()))
        self.assertEqual(batch.number, cook.number)
        note_batch(self.world, batch)
        self.assertEqual(Forecast.objects.get(number=cook.number).relation_version, 1)

    def test_devices_files_are_taken_in_whole_or_set_aside_with_the_line(self):
        with TemporaryDirectory() as folder:
            place = Path(folder)
            at = epoch(NOW) - 600
            (place / "titrator_1.csv").write_text(
                f"at_s,liquor,a_ml,b_ml,c_ml,acid_normality,sample_ml\n{at},white,26.4,30.9,36.1,0.5,5\n"
            )
            (place / "titrator_2.csv").write_text(
                f"at_s,liquor,a_ml,b_ml,c_ml,acid_normality,sample_ml\n{at},white,26.4,20.9,36.1,0.5,5\n"
            )
            (place / "kappa_1.csv").write_text(f"at_s,cook,kappa,rejects_pct\n{at},1186,18.9,2.0\n{at},4242,18,\n")
            (place / "kappa_2.csv").write_text(f"at_s,cook,kappa,rejects_pct\n{at},1186,18.9,2.0\n")
            (place / "kappa_3.csv").write_text(f"at_s,cook,kappa,rejects_pct\n{at},1187,818.9,2.0\n")
            reasons = {one.name: one.reason for one in pick_up(self.world, place)}
        self.assertEqual((reasons["titrator_1.csv"], reasons["kappa_2.csv"]), ("", ""))
        self.assertIn("line 2: A, B, C are", reasons["titrator_2.csv"])
        self.assertIn("line 3: there is no cook 4242", reasons["kappa_1.csv"])
        self.assertIn("kappa is 818.9, outside", reasons["kappa_3.csv"])
        self.assertEqual((LiquorTest.objects.count(), Result.objects.count()), (1, 1))
        self.assertIn("the plant", house_of(self.state()).news.tests[0].by)
        self.assertAlmostEqual(self.state().readings["white_liquor_ea"].value, 105.59, delta=0.01)


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
            self.assertContains(sent, "rows can be kept", msg_prefix=f"{table}: {text[:300]!r}")
            staged = Staged.objects.latest("pk")
            self.client.post(f"/other/cook/files/{staged.pk}/keep/")
            again = self.client.get(f"/other/cook/files/{table}.csv").content
            self.assertEqual(again, text, table)

    def test_a_broken_row_is_named_and_nothing_is_kept(self):
        self.sign_in("cook")
        text = "number,kind,at,amount,second\n1190,chips,2026-03-10T14:00,30,0.48\n1187,steam,2026-03-10T14:00,,\n1187,dance,2026-03-10T14:00,,\n"
        page = self.upload("steps", "steps.csv", text)
        self.assertContains(page, "3 of 3 rows cannot be kept")
        self.assertContains(page, "has no charge sheet")
        self.assertContains(page, "is no step of a cook")
        self.assertFalse(Step.objects.exists())
        self.assertContains(
            self.upload("results", "r.csv", "number,at,kappa\n1186,2030-01-01,18\n"), "is in the future"
        )


class Gauges(HouseCase):
    def read(self, minutes, celsius, kpa, number=1187):
        return read_gauges(
            self.state(max(minutes, 0)), self.people["cook"], Cook.objects.get(number=number), temperature_c=celsius, pressure_kpa_g=kpa,
            at=NOW + timedelta(minutes=minutes), form_key=f"{minutes}-{celsius}",
        )  # fmt: skip

    def test_a_temperature_that_cannot_be_at_its_pressure_is_refused(self):
        self.hold_clock(1)
        with self.assertRaisesRegex(DomainError, "171 °C cannot be at 450 kPa g: water boils at 156 °C there"):
            self.read(1, 171.0, 450.0)
        with self.assertRaisesRegex(DomainError, "cannot be 400"):
            self.read(1, 400.0, None)
        self.assertEqual(len(self.read(1, 165.2, 640.0)), 2)

    def test_readings_out_of_time_order_are_refused(self):
        with self.assertRaisesRegex(DomainError, "is before the last reading, 14:30"):
            self.read(-20, 164.0, 640.0)
        with self.assertRaisesRegex(DomainError, "was started"):
            self.read(-400, 80.0, 20.0)


class Pages(HouseCase):
    def test_the_charge_sheet_is_worked_out_as_it_is_typed_planned_and_printed(self):
        self.sign_in("cook")
        self.assertContains(self.client.get("/live/cook/charge/"), "Digester 2, alder kraft: 15.8 BDt")
        tried = self.client.post(
            "/live/cook/charge/try/", {"digester": "2", "recipe": "alder", "moisture_wet_frac": "52"}
        )
        self.assertContains(tried, "33.0")
        wrong = self.client.post(
            "/live/cook/charge/try/", {"digester": "2", "recipe": "alder", "moisture_wet_frac": "wet"}
        )
        self.assertContains(wrong, "Chip moisture is &#x27;wet&#x27;, which is not a number")
        bad = self.client.post(
            "/live/cook/charge/plan/",
            {"digester": "2", "recipe": "alder", "liquor_to_wood": "2.1", "number": "1190", "planned_at": "14:40"},
        )
        self.assertContains(bad, "the least that fits", status_code=422)
        self.assertContains(bad, 'value="2.1"', status_code=422)
        done = self.client.post(
            "/live/cook/charge/plan/",
            {"digester": "2", "recipe": "alder", "number": "1190", "planned_at": "14:40", "form_key": "p"},
            follow=True,
        )
        self.assertContains(done, "Cook 1190 is planned for digester 2, 14:40")
        self.client.post("/live/cook/1190/start/", {"amount": "30.6", "second": "48.2", "form_key": "s"})
        sheet = self.client.get("/live/cook/1190/sheet/")
        self.assertContains(sheet, "30.6 t")
        paper = self.client.get("/live/cook/1190/sheet.pdf")
        self.assertTrue(paper.content.startswith(b"%PDF"))
        self.assertEqual(paper["Content-Type"], "application/pdf")

    def test_what_was_typed_comes_back_when_a_step_is_refused(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.sign_in("cook")
        answer = self.client.post(
            "/live/cook/1190/step/", {"kind": "liquor", "amount": "75", "second": "105", "third": "26", "minded": "on"}
        )
        self.assertContains(answer, "digester 2 is full", status_code=422)
        self.assertContains(answer, 'value="75"', status_code=422)
        self.assertContains(
            self.client.post("/live/cook/1190/step/", {"kind": "liquor", "amount": "soup", "minded": "on"}),
            "which is not a number",
            status_code=422,
        )

    def test_a_liquor_that_cannot_be_is_refused_by_name(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.sign_in("cook")
        for typed, words in (
            ({"third": "6200"}, "sulphidity is 6200 %, outside 0 to 60 %"),
            ({"third": "62"}, "sulphidity is 62 %"),
            ({"third": "-1"}, "sulphidity is -1 %"),
            ({"second": "1050"}, "the strength of the liquor is 1050 g/L NaOH"),
            ({"second": "0"}, "the strength of the liquor is 0 g/L NaOH"),
        ):
            form = {"kind": "liquor", "amount": "24", "second": "105", "third": "26", "minded": "on", **typed}
            self.assertContains(self.client.post("/live/cook/1190/step/", form), words, status_code=422)
        self.assertFalse(Step.objects.filter(number=1190, kind="liquor").exists())

    def test_every_page_of_a_cook_opens_whatever_is_stored_of_it(self):
        self.charge_it()
        self.heat_it(until=100)
        self.sign_in("cook")
        step = Step.objects.get(number=1190, kind="liquor")
        absurd = (
            {"third": 62.0}, {"third": -3.0}, {"second": 1e308}, {"second": 0.0}, {"second": -5.0}, {"amount": 1e300},
            {"amount": -4.0}, {"amount": 1e-300}, {"amount": None, "second": None, "third": None}, {"amount": float("inf")},
        )  # fmt: skip
        for changes in absurd:
            with self.subTest(changes):
                fields = {name: getattr(step, name) for name in ("amount", "second", "third")} | changes
                step = Step.objects.create(
                    world=self.world, number=1190, kind="liquor", at=step.at, supersedes=step, why="slip",
                    by=self.people["cook"], form_key=f"slip-{changes}"[:60], **fields,
                )  # fmt: skip
                for address in (
                    "",
                    "at/cook/",
                    "cook/",
                    "cook/1190/",
                    "cook/1190/sheet/",
                    "cook/1187/",
                    "hand-over/",
                    "cook/liquor/",
                ):
                    self.assertIn(self.client.get(f"/live/{address}").status_code, (200, 302), address)
                self.assertEqual(
                    self.client.post("/live/cook/1190/what-if/", {"charge_pct": "17"}).status_code in (200, 404), True
                )
        self.assertContains(self.client.get("/live/cook/1190/"), f"/live/cook/1190/step/{step.pk}/correct/")

    def test_what_if_moves_what_it_should(self):
        self.sign_in("cook")
        base = {
            "moisture_pct": "48",
            "temperature_c": "165",
            "charge_pct": "17.4",
            "sulphidity_pct": "26",
            "other_pct": "0",
        }

        def rows(typed):
            found = self.client.post("/live/cook/1187/what-if/", typed).context["what_if"]["rows"]
            return {row.name: row for row in found}

        hot = rows(base | {"temperature_c": "168"})
        self.assertLess(hot["Blow, minutes later"].by, -3)
        self.assertLess(hot["Kappa if blown as planned, kinetics"].by, 0)
        weak = rows(base | {"sulphidity_pct": "16"})
        self.assertGreater(weak["Kappa if blown as planned, kinetics"].by, 0.3)
        self.assertAlmostEqual(weak["Kappa if blown as planned, mill's relation"].by, 0, delta=0.01)
        wet = rows(base | {"moisture_pct": "52"})
        self.assertGreater(wet["Charge on wood"].by, 1)
        self.assertLess(wet["Pulp"].by, 0)
        mixed = rows(base | {"other_pct": "30"})
        self.assertGreater(mixed["Kappa if blown as planned, kinetics"].by, 3)
        self.assertContains(
            self.client.post("/live/cook/1187/what-if/", base | {"temperature_c": "300"}), "outside 100 to 185"
        )

    def test_every_number_of_the_cook_opens_its_working(self):
        self.sign_in("cook")
        for key in (
            "cook:1187:done",
            "cook:1187:aim",
            "cook:1187:kinetic_kappa",
            "cook:1187:residual",
            "cook:1187:half",
            "charge:2:alder:steam",
            "liquor:white_liquor_tank",
        ):
            self.assertContains(self.client.get(f"/live/working/?of={key}"), "Working")
        for key in ("cook:1:done", "charge:9:alder:steam", "liquor:sea", "card:1187:nothing"):
            self.assertEqual(self.client.get(f"/live/working/?of={key}").status_code, 404)

    def test_a_note_on_a_cook_is_shown_and_corrected_in_its_words(self):
        self.sign_in("cook")
        step = {"kind": "note", "text": "valve hunted", "at": "14:20", "form_key": "n1"}
        self.client.post("/live/cook/1187/step/", step)
        kept = Step.objects.get(kind="note")
        self.assertContains(self.client.get("/live/cook/1187/"), 'value="valve hunted"')
        fix = {"text": "steam valve hunted", "why": "say which", "form_key": "n2"}
        self.client.post(f"/live/cook/1187/step/{kept.pk}/correct/", fix)
        self.assertEqual(Step.objects.get(supersedes=kept).text, "steam valve hunted")

    def test_a_tester_is_offered_the_sample_alone_and_may_log_it(self):
        self.sign_in("tester")
        page = self.client.get("/live/cook/1187/")
        self.assertContains(page, 'value="sample"')
        for kind in ("blow", "note", "relief"):
            self.assertNotContains(page, f'name="kind" value="{kind}"')
        self.assertContains(page, "Steps are logged by a cook or shift lead.")
        sample = {"kind": "sample", "amount": "8.2", "at": "14:20", "form_key": "s1"}
        self.assertEqual(self.client.post("/live/cook/1187/step/", sample).status_code, 302)
        note = {"kind": "note", "text": "x", "form_key": "s2"}
        self.assertEqual(self.client.post("/live/cook/1187/step/", note).status_code, 403)

    def test_a_trainee_may_look_and_not_touch(self):
        self.sign_in("trainee")
        for address in (
            "/live/cook/1187/",
            "/live/cook/charge/",
            "/live/cook/liquor/",
            "/live/cook/done/",
            "/live/cook/relation/",
            "/live/cook/files/",
        ):
            self.assertEqual(self.client.get(address).status_code, 200)
        before = self.record_count()
        for address, form in (
            ("/live/cook/charge/plan/", {"digester": "2", "recipe": "alder", "number": "1190"}),
            ("/live/cook/1187/step/", {"kind": "sample", "amount": "8"}),
            ("/live/cook/liquor/take/", {"liquor": "white", **{k: str(v) for k, v in ABC.items()}}),
            ("/live/cook/done/take/", {"number": "1186", "kappa": "18"}),
            ("/live/cook/relation/accept/", {"recipe": "alder", "why": "x"}),
            ("/live/cook/1187/gauges/", {"temperature_c": "165"}),
        ):
            self.assertEqual(self.client.post(address, form).status_code, 403, address)
        self.assertEqual(self.record_count(), before)
