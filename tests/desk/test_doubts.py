"""What speaks against a step, and a step taken back that was not done."""

from datetime import timedelta

from django.core.exceptions import ValidationError

from desk.floor.models import Cook, Record
from desk.floor.next_up import next_up
from desk.floor.services import NotAllowedError
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.bench import take_result
from desk.stations.cook.house import house_of
from desk.stations.cook.learn import past_cooks
from desk.stations.cook.mending import take_back
from desk.stations.cook.models import Forecast, Step
from stock.errors import DomainError
from tests.desk.base import NOW
from tests.desk.cook_house import HouseCase
from tests.line import hallin_reach


class Doubtful(HouseCase):
    """What speaks against a step wants a reason and the number typed; what was not done is taken back."""

    def back(self, kind, minutes, why="wrong digester", who="cook"):
        self.hold_clock(minutes)
        step = Step.objects.filter(number=1190, kind=kind, superseded_by=None).last()
        key = f"t-{kind}-{minutes}"
        return take_back(self.state(minutes), self.people[who], step, why=why, form_key=key)

    def doubted(self, error, words, kind, minutes, **more):
        before = Step.objects.count()
        with self.assertRaisesRegex(error, words):
            self.log(kind, minutes, **more)
        self.assertEqual(Step.objects.count(), before)

    def test_what_is_cold_is_neither_relieved_nor_blown(self):
        self.charge_it()
        self.heat_it(until=20)
        for kind in ("blow", "relief"):
            self.doubted(DomainError, "cook 1190 is not cooking yet", kind, 20, sure="1190", text="so")

    def test_a_blow_before_the_end_point_wants_the_number_and_a_reason(self):
        self.charge_it()
        self.heat_it(until=100)
        early = r"H \d+ of \d+: \d+ min before its end point"
        self.doubted(ValidationError, early, "relief", 100)
        self.doubted(ValidationError, early, "blow", 100)
        self.doubted(ValidationError, "type the cook's number, 1190", "blow", 100, sure="1187", text="leak")
        self.doubted(ValidationError, "Say why it was done all the same", "blow", 100, sure="1190", text=" ")
        self.log("relief", 100, sure="1190", text="gasket blowing at the top flange")
        step = self.log("blow", 108)  # relieved: nothing more speaks against it
        self.assertEqual(step.kind, "blow")
        self.assertTrue(Record.objects.filter(text__contains="relief begun: gasket blowing").exists())

    def test_at_its_end_point_nothing_is_asked(self):
        self.charge_it()
        self.heat_it(until=172)
        self.log("relief", 172)
        self.log("blow", 180)

    def test_a_blow_taken_back_takes_its_forecast_with_it(self):
        self.charge_it()
        self.heat_it(until=172)
        self.log("relief", 172)
        self.log("blow", 174)
        self.hold_clock(176)
        cook = Cook.objects.get(number=1190)
        self.assertFalse(house_of(self.state(176)).follow(cook).running)
        self.back("blow", 176)
        self.assertTrue(house_of(self.state(176)).follow(cook).running)
        self.assertNotIn(1190, house_of(self.state(176)).news.forecasts)
        self.assertNotIn("Kappa of cook 1190", [item.what for item in next_up(self.state(176))])
        self.assertIn("Blow cook 1190, digester 2", [item.what for item in next_up(self.state(176))])
        self.assertTrue(Record.objects.filter(text__contains="not blown: wrong digester").exists())
        with self.assertRaisesRegex(ValidationError, "is not blown yet"):
            take_result(
                self.state(176), self.people["tester"], 1190, {"kappa": 18.7},
                at=NOW + timedelta(minutes=176), form_key="r",
            )  # fmt: skip
        second = self.log("blow", 180)
        self.assertEqual(Forecast.standing(self.world).get(number=1190).blow, second)
        self.hold_clock(230)
        take_result(
            self.state(230), self.people["tester"], 1190, {"kappa": 18.7},
            at=NOW + timedelta(minutes=230), form_key="r",
        )  # fmt: skip
        past = past_cooks(self.state(230), hallin_reach().cook.main)
        self.assertEqual([one.number for one in past].count(1190), 1)
        with self.assertRaisesRegex(DomainError, "has a kappa: it was blown"):
            self.back("blow", 231)

    def test_what_something_hangs_on_is_not_taken_back_first(self):
        self.charge_it()
        with self.assertRaisesRegex(DomainError, "chips began the cook"):
            self.back("chips", 15)
        with self.assertRaisesRegex(DomainError, "filled to the ratio at .* came after it"):
            self.back("liquor", 15)
        with self.assertRaisesRegex(ValidationError, "say why"):
            self.back("fill", 15, why=" ")
        with self.assertRaises(NotAllowedError):
            self.back("fill", 15, who="tester")
        first, again = self.back("fill", 15), None
        self.assertEqual(first.text, "not filled to the ratio: wrong digester")
        self.log("fill", 16, Amounts(fill_m3=20.0))  # and done again
        self.back("fill", 17, why="the pump was off")
        again = self.back("liquor", 17)
        self.assertEqual(Step.objects.filter(number=1190, superseded_by=None, kind="note").count(), 3, again)


class ShortChips(HouseCase):
    """Chips short of the plan get their own liquor; a charge far from the plan is asked about."""

    SHORT = Amounts(green_t=27.5, moisture_pct=48.2)

    def test_the_liquor_offered_goes_by_the_chips_that_went_in(self):
        self.plan()
        self.log("chips", 0, self.SHORT)
        self.hold_clock(4)
        self.sign_in("cook")
        page = self.client.get("/live/cook/1190/").content.decode()
        strength = house_of(self.state(4)).news.charges[1190].given["strength_kg_per_m3_as_naoh"]
        wood = 27.5 * (1 - 0.482)
        self.assertIn(f'value="{10 * wood * 17.4 / strength:.4g}"', page)
        self.assertIn(f"{wood:.2f} BDt of chips went in", page)

    def test_the_liquor_of_the_whole_plan_on_short_chips_wants_the_number_and_a_reason(self):
        self.plan()
        self.log("chips", 0, self.SHORT)
        before = Step.objects.count()
        with self.assertRaisesRegex(ValidationError, r"that is 19\.\d % NaOH on wood, planned 17\.4"):
            self.log("liquor", 8, Amounts(liquor_m3=26.4, strength_kg_per_m3_as_naoh=105.2, sulphidity_pct=26))
        self.assertEqual(Step.objects.count(), before)

    def test_the_refused_form_keeps_what_was_typed_and_asks_for_the_reason(self):
        self.plan()
        self.log("chips", 0, self.SHORT)
        self.hold_clock(8)
        self.sign_in("cook")
        typed = {
            "kind": "liquor", "liquor_m3": "26.4", "strength_kg_per_m3_as_naoh": "105.2", "sulphidity_pct": "26",
            "minded": "on", "form_key": "x",
        }  # fmt: skip
        page = self.client.post("/live/cook/1190/step/", typed)
        self.assertEqual(page.status_code, 422)
        for words in ('value="26.4"', 'name="sure"', 'name="text"'):
            self.assertIn(words, page.content.decode())
        again = {**typed, "sure": "1190", "text": "pumped before the scale was read"}
        self.assertEqual(self.client.post("/live/cook/1190/step/", again).status_code, 302)

    def test_the_right_amount_is_asked_nothing(self):
        self.plan()
        self.log("chips", 0, self.SHORT)
        step = self.log("liquor", 8, Amounts(liquor_m3=23.6, strength_kg_per_m3_as_naoh=105.2, sulphidity_pct=26))
        self.assertEqual(step.kind, "liquor")

    def test_a_strength_that_looks_like_na2o_is_asked_about(self):
        self.plan()
        self.log("chips", 0, self.SHORT)
        with self.assertRaisesRegex(ValidationError, "81 g/L looks like Na2O: as NaOH it is 104.5"):
            self.log("liquor", 8, Amounts(liquor_m3=23.6, strength_kg_per_m3_as_naoh=81.0, sulphidity_pct=26))
