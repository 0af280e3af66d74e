"""A cook from its charge sheet to its result: steps in their order, what is refused, counters, gauges."""

from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.exceptions import ValidationError

from desk.exchange.pick_up import pick_up
from desk.floor.appending import AppendOnlyError
from desk.floor.models import Cook, Record, epoch
from desk.floor.next_up import next_up
from desk.floor.services import NotAllowedError
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.bench import take_result
from desk.stations.cook.board import board_of
from desk.stations.cook.devices import Batch, note_batch
from desk.stations.cook.house import house_of
from desk.stations.cook.learn import past_cooks
from desk.stations.cook.mending import correct_step
from desk.stations.cook.models import Charge, Forecast, LiquorTest, Result, Step
from desk.stations.cook.planning import next_number
from desk.stations.cook.steps import read_gauges
from stock.errors import DomainError
from tests.desk.base import NOW, plant
from tests.desk.cook_house import CHIPS, WHITE, HouseCase, white
from tests.line import hallin_reach

SURE = {"sure": "1190", "text": "as it was pumped"}


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
        self.log("sample", 170, Amounts(residual_kg_per_m3_as_naoh=8.9))
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
            {"liquor_m3": 25.0, "strength_kg_per_m3_as_naoh": 105.2},
            why="meter read wrong",
            form_key="fix",
        )
        self.assertEqual(Forecast.objects.get(number=1190).kappa, before)
        charge = house_of(self.state(181)).follow(Cook.objects.get(number=1190)).facts.charge.value
        wood = Step.objects.get(number=1190, kind="chips")
        self.assertAlmostEqual(charge, 25.0 * 105.2 / (10 * wood.green_t * (1 - wood.moisture_pct / 100)), places=6)
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
        self.log("chips", 0, CHIPS)
        self.log("liquor", 8, white(24.6), **SURE)
        self.heat_it(until=60)
        followed = house_of(self.state(60)).follow(Cook.objects.get(number=1190))
        liquor = next(one for one in followed.state.corrections if one.kind == "liquor")
        self.assertGreater(liquor.size.value, 0.5)
        self.log("liquor", 62, white(1.8))
        again = house_of(self.state(63)).follow(Cook.objects.get(number=1190))
        self.assertGreater(again.facts.charge.value, followed.facts.charge.value + 1)

    def test_a_charge_that_cannot_reach_its_target_is_said_and_breaks_no_page(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.log("liquor", 8, white(14.0, 100.0), **SURE)
        self.log("fill", 12, Amounts(fill_m3=24.0))
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
        self.log("liquor", 8, white(13.0, 100.0), **SURE)
        self.sign_in("cook")
        page = self.client.get("/live/cook/1190/")
        self.assertRegex(page.content.decode(), r"cannot be followed: liquor to wood is 1\.\d+ m³/BDt, outside 2 to 10")

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
        self.refused(DomainError, "digester 2 is full", lambda: self.log("liquor", 4, white(75.0)))
        self.log("liquor", 4, white(40.0), **SURE)
        self.hold_clock(8)
        self.refused(DomainError, "digester 2 is full", lambda: self.log("fill", 8, Amounts(fill_m3=30.0)))

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
            (Amounts(moisture_pct=48.0), "green tonnes of chips are missing"),
            (Amounts(green_t=400.0, moisture_pct=48.0), "cannot be in digester 2"),
            (Amounts(green_t=30.0), "chip moisture is missing"),
            (Amounts(green_t=30.0, moisture_pct=98.0), "chip moisture is 98 %"),
        ):
            self.refused(DomainError, words, lambda amounts=amounts: self.log("chips", 0, amounts))
        self.log("chips", 0, CHIPS)
        self.hold_clock(3)
        self.refused(
            DomainError, "the strength of the liquor is 900", lambda: self.log("liquor", 3, white(20.0, 900.0))
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


class Counters(HouseCase):
    def batch(self, **changes):
        values = {
            "number": 1300, "digester": 2, "recipe": "alder", "started_s": epoch(NOW - timedelta(minutes=60)), "charge_pct": 17.3,
            "chips_t": 30.5, "moisture_frac": 0.48, "liquor_m3": 26.1, "strength_kg_per_m3_as_naoh": 105.0, "sulphidity_frac": 0.26, "fill_m3": 20.1,
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
