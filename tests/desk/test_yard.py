"""The yard's records: lots, piles, metal, knives, chips."""

from datetime import timedelta
from unittest import mock

from django.core.exceptions import ValidationError
from django.db.models import Sum

from desk.floor.appending import AppendOnlyError
from desk.floor.keeping import made_from
from desk.floor.models import Cook, Record
from desk.floor.next_up import next_up
from desk.floor.services import NotAllowedError, correct
from desk.floor.state import State
from desk.stations.yard.knives import STEPS, knives_of
from desk.stations.yard.lots import Load, correct_lot, receive
from desk.stations.yard.models import Classification, Holding, Lot, Movement, Op, Trip
from desk.stations.yard.piles import survey, take_back
from desk.stations.yard.stock import yard_of
from desk.stations.yard.trace import cooks_of_lot, lots_of_cook
from desk.stations.yard.work import classify, knife_step, log_trip, release_lot
from stock.errors import DomainError
from tests.desk.base import NOW
from tests.desk.yard_case import MASSES, SAMPLE, YardCase


class Lots(YardCase):
    def test_a_lot_is_dried_decided_and_laid_down(self):
        lot = self.lot(bark_pct=14.0, grit_pct=0.2)
        self.assertAlmostEqual(lot.bdt, 38.6 * (1 - 0.460666667), places=3)
        self.assertEqual((lot.answer, lot.pile), ("deduct", "deck"))
        self.assertAlmostEqual(lot.deduction_pct, 1.2)
        self.assertIn("bark 14.0 %, above 13 %", lot.reason)
        self.assertAlmostEqual(self.yard().piles["deck"].bdt, lot.bdt, delta=0.05)
        self.assertIn("R-1, alder roundwood, 38.6 t at 46.1 %", Record.objects.order_by("-id").first().text)
        self.assert_book_closes()

    def test_a_refused_lot_is_kept_and_never_laid_down(self):
        lot = self.lot(material="alder_chips", bark_pct=2.8)
        self.assertEqual((lot.answer, lot.pile), ("refuse", ""))
        self.assertFalse(Movement.objects.exists())

    def test_replicates_apart_are_warned_of_and_kept(self):
        lot = self.lot(moistures=(44.0, 48.5))
        self.assertIn("differ by 4.5 points", lot.warning)
        self.assertEqual(lot.moistures_pct, [44.0, 48.5])

    def test_bad_loads_are_refused_by_name_and_leave_nothing(self):
        good = {"number": "R-9", "material": "alder_logs", "received_at": NOW, "gross_t": 54.8, "tare_t": 16.2}
        good |= {"moistures_pct": [46.0]}
        for change, error, words in (
            ({"tare_t": 60.0}, DomainError, "tare 60 t is not below gross 54.8 t"),
            ({"moistures_pct": []}, DomainError, "no moisture sample"),
            ({"moistures_pct": [146.0]}, DomainError, "a moisture is 146 %"),
            ({"moistures_pct": [0.51]}, DomainError, "a moisture is 0.51 %"),  # a fraction typed for a per cent
            ({"moistures_pct": [46.0] * 11}, DomainError, "11 moistures are too many"),
            ({"material": "oak"}, DomainError, "'oak' is not bought here"),
            ({"found": {"bark_pct": -1.0}}, DomainError, "bark is -1 %"),
            ({"received_at": NOW + timedelta(hours=1)}, ValidationError, "in the future"),
            ({"number": " "}, ValidationError, "give the lot its number"),
        ):
            with self.subTest(words), self.assertRaisesRegex(error, words):
                receive(self.world, self.people["operator"], Load(**{**good, **change}), form_key=self.key())
        self.assertFalse(Lot.objects.exists())
        self.assertFalse(Op.objects.exists())

    def test_a_lot_is_received_once(self):
        self.lot()
        with self.assertRaisesRegex(ValidationError, "lot R-1 was received"):
            self.lot()
        self.assertEqual(Lot.objects.count(), 1)

    def test_a_form_sent_twice_counts_once(self):
        load = Load("R-2", "alder_logs", NOW, 54.8, 16.2, [46.0])
        first, again = (receive(self.world, self.people["operator"], load, form_key="same") for _ in range(2))
        self.assertEqual(first.pk, again.pk)

    def test_the_wrong_pile_and_the_wrong_role(self):
        load = Load("R-3", "alder_logs", NOW, 54.8, 16.2, [46.0])
        with self.assertRaisesRegex(ValidationError, "Pile D holds spruce chips"):
            receive(self.world, self.people["operator"], load, pile="pile_d", form_key=self.key())
        with self.assertRaises(NotAllowedError):
            receive(self.world, self.people["trainee"], load, form_key=self.key())
        with self.assertRaisesRegex(ValidationError, "tests ask for a deduction"):
            dear = Load("R-4", "alder_logs", NOW, 54.8, 16.2, [46.0], {"bark_pct": 14.0})
            receive(self.world, self.people["operator"], dear, answer="accept", form_key=self.key())

    def test_a_correction_supersedes_and_moves_the_difference(self):
        lot = self.lot()
        load = Load("R-1", "alder_logs", lot.received_at, 53.8, 16.2, [46.0])
        new = correct_lot(self.world, self.people["operator"], lot, load, why="misread", form_key=self.key())
        self.assertEqual((new.version, new.supersedes_id), (2, lot.pk))
        self.assertAlmostEqual(new.bdt, 37.6 * 0.54)
        self.assertAlmostEqual(Holding.objects.get().bdt, new.bdt)
        self.assert_book_closes()
        with self.assertRaises(AppendOnlyError):
            lot.save()
        with self.assertRaisesRegex(ValidationError, "corrected this entry at"):
            correct_lot(self.world, self.people["operator"], lot, load, why="again", form_key=self.key())
        with self.assertRaisesRegex(ValidationError, "say why"):
            correct_lot(self.world, self.people["operator"], new, load, why=" ", form_key=self.key())

    def test_more_cannot_be_taken_off_than_still_lies_there(self):
        lot = self.lot(number="S-1", material="alder_chips")
        self.draw("pile_c", lot.bdt - 2)
        load = Load("S-1", "alder_chips", lot.received_at, 46.2, 16.2, [46.0])
        with self.assertRaisesRegex(ValidationError, "still lies in Pile C"):
            correct_lot(self.world, self.people["operator"], lot, load, why="misread", form_key=self.key())
        self.assert_book_closes()


class Piles(YardCase):
    def test_logs_to_chips_to_the_cook_and_nothing_is_lost_on_the_way(self):
        self.lot("R-1", hours_ago=40, bark_pct=11.0)
        self.lot("R-2", hours_ago=30, bark_pct=12.0)
        op = self.chip(30)
        chips = Movement.objects.filter(op=op, pile="pile_a", kind="in").aggregate(s=Sum("bdt"))["s"]
        boiler = Movement.objects.filter(op=op, pile="boiler").aggregate(s=Sum("bdt"))["s"]
        self.assertAlmostEqual(chips + boiler, 30)
        self.assertAlmostEqual(boiler / 30, 1 - 0.975 * (1 - 0.113), delta=0.004)
        self.draw("pile_a", 12)
        self.assertAlmostEqual(self.yard().piles["pile_a"].bdt, chips - 12, delta=0.1)
        self.assert_book_closes()

    def test_a_pile_is_not_drawn_below_nothing(self):
        self.lot(number="S-1", material="alder_chips")
        with self.assertRaisesRegex(DomainError, "more than the"):
            self.draw("pile_c", 100)
        self.assertEqual(Op.objects.filter(kind="draw").count(), 0)
        self.assert_book_closes()

    def test_what_cannot_be_drawn(self):
        self.lot()
        for pile, bdt, words in (
            ("deck", 1, "holds logs"),
            ("nowhere", 1, "no pile 'nowhere'"),
            ("pile_a", -1, "cannot be drawn"),
        ):
            with self.subTest(pile=pile, bdt=bdt), self.assertRaisesRegex((ValidationError, DomainError), words):
                self.draw(pile, bdt)
        with self.assertRaisesRegex(ValidationError, "Pile D holds spruce"):
            self.chip(5, onto="pile_d")

    def test_a_draw_booked_wrongly_is_taken_back_lot_by_lot(self):
        self.lot(number="S-1", material="alder_chips", hours_ago=30)
        self.lot(number="S-2", material="alder_chips", hours_ago=20)
        before = {one.number: one.now_bdt for one in self.yard().piles["pile_c"].lots}
        op = self.draw("pile_c", 25)
        undo = take_back(self.world, self.people["operator"], op, why="wrong pile", form_key=self.key())
        after = {one.number: one.now_bdt for one in self.yard().piles["pile_c"].lots}
        self.assertEqual(list(after), list(before))
        for number, bdt in before.items():
            self.assertAlmostEqual(after[number], bdt, places=3)
        self.assertEqual(self.yard().rates(), {})
        self.assertEqual(lots_of_cook(Cook.objects.order_by("-started_at")[1]), [])
        self.assertEqual(undo.undoes, op)
        self.assert_book_closes()
        with self.assertRaisesRegex(ValidationError, "took this back at"):
            take_back(self.world, self.people["operator"], op, why="again", form_key=self.key())
        with self.assertRaisesRegex(ValidationError, "say why"):
            take_back(self.world, self.people["operator"], self.draw("pile_c", 1), why=" ", form_key=self.key())
        with self.assertRaisesRegex(ValidationError, "not taken back here"):
            take_back(self.world, self.people["operator"], undo, why="x", form_key=self.key())

    def test_a_chip_run_is_taken_back_only_while_its_chips_lie_there(self):
        self.lot("R-1", hours_ago=40, bark_pct=11.0)
        op = self.chip(12)
        self.draw("pile_a", 6)
        with self.assertRaisesRegex(ValidationError, "still lies there"):
            take_back(self.world, self.people["operator"], op, why="wrong pile", form_key=self.key())
        self.assert_book_closes()
        second = self.chip(3, onto="pile_b")
        take_back(self.world, self.people["operator"], second, why="wrong pile", form_key=self.key())
        self.assertEqual(self.yard().piles["pile_b"].lots, ())
        boiler = Movement.objects.filter(pile="boiler").aggregate(s=Sum("bdt"))["s"]
        self.assertAlmostEqual(boiler, 12 * (1 - 0.975 * 0.89))
        self.assert_book_closes()

    def test_a_draw_is_taken_back_on_its_page_and_the_lot_still_balances(self):
        lot = self.lot(number="S-1", material="alder_chips", hours_ago=10)
        op = self.draw("pile_c", 5)
        self.sign_in()
        typed = {"op": str(op.pk), "why": "typed twice", "form_key": self.key()}
        self.assertEqual(self.client.post("/live/yard/pile/pile_c/undo/", typed).status_code, 302)
        self.assertContains(self.client.get("/live/yard/pile/pile_c/"), 'class="struck"')
        page = self.client.get(f"/live/yard/lots/{lot.number}/")
        self.assertAlmostEqual(page.context["sums"]["fed"], 0)
        self.assertEqual(self.client.post("/live/yard/pile/pile_c/undo/", {"op": "x"}).status_code, 422)
        refused = self.client.post("/live/yard/pile/pile_c/undo/", {**typed, "form_key": self.key()})
        self.assertContains(refused, "took this back at", status_code=422)

    def test_a_survey_corrects_the_book_and_says_what_it_said(self):
        self.lot(number="S-1", material="alder_chips")
        survey(self.world, self.people["operator"], "pile_c", 15, how="by mass", at=NOW, form_key=self.key())
        self.assertAlmostEqual(self.yard().piles["pile_c"].bdt, 15)
        self.assertIn("surveyed (by mass): 15 BDt, the book said 21", Record.objects.order_by("-id").first().text)
        self.assert_book_closes()
        with self.assertRaisesRegex(DomainError, "cannot lie in Pile C"):
            survey(self.world, self.people["operator"], "pile_c", 9999, how="x", at=NOW, form_key=self.key())

    def test_wood_ages_as_it_lies_and_the_loss_is_booked(self):
        self.lot(number="S-1", material="alder_chips", hours_ago=60)
        self.enter("pile_c_temp", 45)
        pile = self.yard().piles["pile_c"]
        self.assertLess(pile.bdt, pile.book_bdt)
        self.draw("pile_c", 5)
        lost = -Movement.objects.filter(kind="loss").aggregate(s=Sum("bdt"))["s"]
        self.assertAlmostEqual(lost, pile.book_bdt - pile.bdt, places=6)
        self.assert_book_closes()

    def test_days_of_stock_follow_the_order_and_what_lies_there(self):
        self.lot(number="S-1", material="alder_chips")
        state = State(self.world, NOW)
        days = state.readings["wood_stock"]
        held = yard_of(state).piles["pile_c"].bdt
        self.assertAlmostEqual(days.value, held / (24 * state.flows["chips_in"]))
        self.assertEqual(days.as_figure().method.name, "inventory_d")
        with self.assertRaisesRegex(ValidationError, "worked out by the desk"):
            self.enter("wood_stock", 9)

    def test_a_lot_is_traced_to_the_cooks_it_went_into(self):
        self.lot("S-1", material="alder_chips", hours_ago=30)
        self.lot("S-2", material="alder_chips", hours_ago=20)
        self.draw("pile_c", 30, hours=5, ago=0.1)
        cook = Cook.objects.filter(recipe="alder").order_by("-started_at")[1]
        parts = lots_of_cook(cook)
        self.assertEqual([part.lot for part in parts], ["S-1", "S-2"])
        self.assertAlmostEqual(sum(part.share for part in parts), 1)
        found = {one.number: share for one, share in cooks_of_lot(self.world, "S-1")}
        self.assertAlmostEqual(found[cook.number], parts[0].share)


class Metal(YardCase):
    def trip(self, lot="", minutes=5.0, role="operator", detector="Drum infeed"):
        return log_trip(
            self.world, self.people[role], detector=detector, find="Bolt", lot=lot, stopped_min=minutes, at=NOW,
            form_key=self.key(),
        )  # fmt: skip

    def test_two_trips_set_a_lot_aside_until_it_is_released(self):
        self.lot("R-1", hours_ago=40)
        self.lot("R-2", hours_ago=30)
        self.trip("R-1")
        self.assertEqual(self.yard().aside, [])
        self.trip("R-1")
        self.assertEqual(self.yard().aside, ["R-1"])
        self.assertIn("Lot R-1 set aside", [item.what for item in next_up(State(self.world, NOW))])
        op = self.chip(10)
        self.assertEqual(set(Movement.objects.filter(op=op).values_list("lot_number", flat=True)), {"R-2"})
        release_lot(self.world, self.people["operator"], "R-1", "drum tooth replaced", form_key=self.key())
        self.assertEqual(self.yard().aside, [])

    def test_a_run_of_trips_raises_a_card_by_the_chart(self):
        for shift in range(1, 11):
            at = NOW - timedelta(hours=12 * shift)
            for index in range(2):
                Trip.objects.create(
                    world=self.world, at=at, detector="Drum infeed", find="Bolt", stopped_min=3,
                    by=self.people["operator"], form_key=f"old-{shift}-{index}",
                )  # fmt: skip
        for _ in range(6):
            self.trip()
        state = State(self.world, NOW)
        self.assertEqual(state.readings["metal_trips"].verdict.level, "ok")
        self.trip()
        state = State(self.world, NOW)
        self.assertEqual(state.readings["metal_trips"].verdict.level, "act")
        card = next(card for card in state.advice if card.rule == "trips_run")
        self.assertAlmostEqual(card.size.value, 2 + 3 * 2**0.5)
        self.assertIn("Do not lower the gain", card.correction)

    def test_a_trip_is_corrected_in_its_words_and_keeps_its_minutes(self):
        trip = self.trip(minutes=6)
        record = made_from(trip).get()
        self.assertEqual(record.text, "Metal trip, drum infeed: bolt; stopped 6 min")
        new = correct(record, self.people["operator"], value=None, text="Metal trip, chipper infeed: bolt", reason="wrong belt", form_key=self.key())  # fmt: skip
        self.assertEqual((new.tag, new.source), ("trip", record.source))
        self.assertEqual(Trip.objects.get().stopped_min, 6)
        self.assertEqual(self.yard().trip_counts[1], 1)

    def test_a_trip_that_was_none_leaves_count_and_quarantine(self):
        self.lot("R-1", hours_ago=40)
        self.trip("R-1")
        second = self.trip("R-1")
        self.assertEqual((self.yard().aside, self.yard().trip_counts[1]), (["R-1"], 2))
        self.sign_in()
        given = {"why": "test piece", "form_key": "tb"}
        address = f"/live/yard/trip/{second.pk}/take-back/"
        self.assertEqual(self.client.post(address, {**given, "why": " "}).status_code, 422)
        self.assertEqual(self.client.post(address, given).status_code, 302)
        self.assertEqual(self.client.post(address, given).status_code, 302)  # pressed twice
        self.assertEqual((self.yard().aside, self.yard().trip_counts[1]), ([], 1))
        self.assertEqual(Trip.objects.filter(undone=True).count(), 1)
        self.assertContains(self.client.get("/live/log/"), "No trip after all")

    def test_a_trip_is_logged_at_its_own_time_and_not_to_come(self):
        self.sign_in()
        form = {"detector": "Drum infeed", "find": "Bolt", "lot": "", "stopped_min": "4", "form_key": "t1"}
        self.assertEqual(self.client.post("/live/yard/trip/", {**form, "at": "13:10"}).status_code, 302)
        self.assertEqual(Trip.objects.get().at, NOW.replace(hour=13, minute=10))
        late = self.client.post("/live/yard/trip/", {**form, "at": "17:00", "form_key": "t2"})
        self.assertContains(late, 'value="17:00"', status_code=422)

    def test_bad_trips_are_refused(self):
        with self.assertRaisesRegex(ValidationError, "is no detector"):
            self.trip(detector="Roof")
        with self.assertRaisesRegex(ValidationError, "was never received"):
            self.trip(lot="R-404")
        with self.assertRaisesRegex(DomainError, "no stop of a shift"):
            self.trip(minutes=5000)
        with self.assertRaises(NotAllowedError):
            self.trip(role="trainee")


class Knives(YardCase):
    def step(self, step, minded=(), at=NOW):
        with mock.patch.dict("os.environ", {"FOX_NOW": at.isoformat()}):
            return knife_step(
                self.world, self.people["operator"], "chipper_1", step, minded=minded, form_key=self.key()
            )

    def test_opened_comes_only_after_stand_still_and_lock_out(self):
        self.step(0)
        with self.assertRaisesRegex(ValidationError, "the next step is 'stand-still seen"):
            self.step(2)
        with self.assertRaisesRegex(ValidationError, "not ticked: the disc stands still"):
            self.step(1, at=NOW + timedelta(minutes=40))
        with self.assertRaisesRegex(ValidationError, "stopped 10 min ago and coasts 25 min"):
            self.step(1, ["still", "locked", "tried"], at=NOW + timedelta(minutes=10))
        self.step(1, ["still", "locked", "tried"], at=NOW + timedelta(minutes=40))
        self.step(2, at=NOW + timedelta(minutes=41))
        self.step(3, at=NOW + timedelta(minutes=90))
        knife = knives_of(self.yard(NOW + timedelta(hours=4)))[0]
        self.assertEqual(knife.last_step, STEPS[-1])
        self.assertAlmostEqual(knife.hours, 2.5 * 0.55, places=2)

    def test_a_change_begun_is_told_until_it_is_finished(self):
        self.step(0)
        self.assertIn("Chipper 1: finish the knife change", [item.what for item in next_up(State(self.world, NOW))])

    def test_wear_is_read_from_the_samples_since_the_change(self):
        for step, minutes in enumerate((-600, -560, -559, -540)):
            self.step(step, ["still", "locked", "tried"], at=NOW + timedelta(minutes=minutes))
        for hours, thick in ((8, 150), (5, 175), (1, 215)):
            masses = [28, thick, 3156, 1209, 205, 63]
            at = NOW - timedelta(hours=hours)
            classify(self.world, self.people["tester"], "chipper_1", sum(masses), masses, at=at, form_key=self.key())
        knife = knives_of(self.yard())[0]
        self.assertGreater(knife.trend.value, 0)
        self.assertGreater(knife.trend.results["slope_pct_per_h"], 0)


class Chips(YardCase):
    def test_a_sample_becomes_the_feeds_readings(self):
        classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
        readings = State(self.world, NOW).readings
        self.assertAlmostEqual(readings["overthick"].value, 100 * 158 / sum(MASSES))
        self.assertEqual(readings["overthick"].as_figure().method.name, "chip_class_percent")

    def test_a_sample_is_superseded_with_why(self):
        row = classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
        self.sign_in()
        names = ("oversize", "overthick", "large_accepts", "small_accepts", "pins", "fines")
        typed = {"sample_g": str(SAMPLE), **{name: str(mass) for name, mass in zip(names, MASSES, strict=True)}}
        address = f"/live/yard/chips/{row.pk}/correct/"
        self.assertContains(self.client.post(address, typed), "say why", status_code=422)
        typed |= {"overthick": "358", "large_accepts": "2956", "why": "two trays swapped"}
        self.client.post(address, typed)
        self.assertAlmostEqual(State(self.world, NOW).readings["overthick"].value, 100 * 358 / sum(MASSES))
        self.assertEqual(Classification.objects.count(), 2)
        self.assertEqual(self.client.post(address, typed).status_code, 404)

    def test_samples_that_cannot_be_are_refused(self):
        for source, sample, masses, words in (
            ("feed", 6000, MASSES, "apart"),
            ("roof", SAMPLE, MASSES, "is not sampled"),
            ("feed", SAMPLE, [-1, *MASSES[1:]], "outside"),
        ):
            with self.subTest(words), self.assertRaisesRegex((ValidationError, DomainError), words):
                classify(self.world, self.people["tester"], source, sample, masses, at=NOW, form_key=self.key())
        self.assertFalse(Classification.objects.exists())
