"""The yard's services: what is written, what is refused, and that the stock book closes."""

import csv
import io
import json
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db.models import Sum

from desk.exchange.models import Staged
from desk.exchange.pick_up import pick_up
from desk.exchange.reading import read_rows, write_rows
from desk.floor.appending import AppendOnlyError
from desk.floor.handover import compose
from desk.floor.keeping import made_from
from desk.floor.models import Cook, Record, World, epoch
from desk.floor.next_up import next_up
from desk.floor.services import NotAllowedError, correct
from desk.floor.state import State
from desk.stations.yard.lots import Load, correct_lot, receive
from desk.stations.yard.models import BlendPlan, Classification, Dropped, Holding, Lot, Movement, Op, Ticket, Trip
from desk.stations.yard.piles import chip_logs, draw_from, survey, take_back
from desk.stations.yard.stock import STEPS, yard_of
from desk.stations.yard.tables import YARD_TABLES
from desk.stations.yard.telling import due
from desk.stations.yard.trace import cooks_of_lot, lots_of_cook
from desk.stations.yard.work import classify, knife_step, log_trip, release_lot
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase, panels_at

MASSES = [28, 158, 3156, 1209, 205, 63]
SAMPLE = 4849


class YardCase(DeskCase):
    keys = 0

    def key(self):
        YardCase.keys += 1
        return f"yard-test-{YardCase.keys}"

    def lot(self, number="R-1", material="alder_logs", hours_ago=30.0, moistures=(46.0, 46.4, 45.8), **found):
        load = Load(
            number=number,
            material=material,
            received_at=NOW - timedelta(hours=hours_ago),
            gross_t=54.8,
            tare_t=16.2,
            moistures_pct=list(moistures),
            found=found,
        )
        return receive(self.world, self.people["operator"], load, form_key=self.key())

    def yard(self, at=NOW):
        return yard_of(State(self.world, at))

    def draw(self, pile, bdt, hours=4.0, ago=0.0):
        to_at = NOW - timedelta(hours=ago)
        return draw_from(
            self.world, self.people["operator"], pile, bdt,
            from_at=to_at - timedelta(hours=hours), to_at=to_at, form_key=self.key(),
        )  # fmt: skip

    def chip(self, bdt, onto="pile_a"):
        return chip_logs(
            self.world, self.people["operator"], "deck", onto, bdt,
            from_at=NOW - timedelta(hours=10), to_at=NOW - timedelta(hours=8), form_key=self.key(),
        )  # fmt: skip

    def assert_book_closes(self):
        booked = Movement.objects.exclude(pile="boiler").aggregate(sum=Sum("bdt"))["sum"] or 0
        held = Holding.objects.aggregate(sum=Sum("bdt"))["sum"] or 0
        self.assertAlmostEqual(booked, held, places=4)


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
        self.assertEqual(self.client.post("/live/yard/pile/pile_c/undo/", {"op": "x"}).status_code, 404)
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
        knife = self.yard(NOW + timedelta(hours=4)).knives()[0]
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
        knife = self.yard().knives()[0]
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


class Devices(YardCase):
    def drop(self, **files):
        with TemporaryDirectory() as folder:
            for name, text in files.items():
                data = text if isinstance(text, bytes) else text.encode()
                (Path(folder) / f"{name}.csv").write_bytes(data)
            taken = pick_up(self.world, Path(folder))
            self.left = sorted(str(path.relative_to(folder)) for path in Path(folder).rglob("*") if path.is_file())
        return {one.name.removesuffix(".csv"): one.reason for one in taken}

    def scale(self, ticket="500", gross=54.8, tare=16.2, material="alder_logs"):
        return f"ticket,at_s,material,gross_t,tare_t\n{ticket},{epoch(NOW) - 600},{material},{gross},{tare}\n"

    def test_weighed_and_dried_waits_at_the_gate_until_it_is_received(self):
        probe = f"ticket,at_s,moisture_pct\n500,{epoch(NOW) - 300},46.0\n500,{epoch(NOW) - 290},46.6\n"
        self.assertEqual(self.drop(scale_500=self.scale(), probe_500=probe), {"scale_500": "", "probe_500": ""})
        self.assertEqual(self.left, ["taken/probe_500.csv", "taken/scale_500.csv"])
        (waiting,) = self.yard().news.gate
        self.assertEqual((waiting.ticket, waiting.moistures_pct), ("500", (46.0, 46.6)))
        self.sign_in()
        self.assertContains(self.client.get("/live/yard/lots/"), 'value="46 46.6"')
        load = Load("R-500", "alder_logs", NOW, 54.8, 16.2, [46.0, 46.6], ticket="500")
        receive(self.world, self.people["operator"], load, form_key=self.key())
        self.assertEqual(self.yard().news.gate, ())

    def test_a_broken_file_is_set_aside_with_its_reason(self):
        at = epoch(NOW)
        for name, text, reason in (
            ("scale_1", self.scale(tare=80), "tare 80 t is not below gross"),
            ("scale_2", self.scale(material="oak"), "line 2: 'oak' is not bought here"),
            ("scale_3", self.scale(gross="heavy"), "line 2: gross_t is 'heavy', which is not a number"),
            ("scale_4", "ticket,at_s\n1,1\n", "line 2: material is missing"),
            ("scale_5", b"\xff\xfe\x00", "not text in UTF-8"),
            ("scale_6", "", "the file holds no rows"),
            ("crane_1", self.scale(), "no device is called 'crane'"),
            ("probe_1", f"ticket,at_s,moisture_pct\n1,{at},146\n", "moisture_pct is 146"),
            ("belt_1", f"pile,from_s,to_s,bdt\npile_a,{at - 60},{at},4\n", "more than the 0.0 BDt"),
            ("belt_2", f"pile,from_s,to_s,bdt\nroof,{at - 60},{at},4\n", "there is no pile"),
        ):
            with self.subTest(name):
                self.assertIn(reason, self.drop(**{name: text})[name])
                self.assertEqual(self.left, [f"aside/{name}.csv", f"aside/{name}.reason.txt"])
        self.assertFalse(Ticket.objects.exists())
        self.assertFalse(Op.objects.exists())
        self.sign_in()
        self.assertContains(self.client.get("/live/at/yard/"), "was set aside")

    def test_a_file_is_taken_in_whole_or_not_at_all(self):
        two = self.scale() + f"501,{epoch(NOW)},alder_logs,10,20\n"
        self.drop(scale_1=two)
        self.assertFalse(Ticket.objects.exists())

    def test_a_ticket_twice_is_set_aside(self):
        self.assertEqual(self.drop(scale_1=self.scale())["scale_1"], "")
        self.assertIn("repeats a ticket", self.drop(scale_2=self.scale())["scale_2"])

    def test_a_belt_draws_from_its_pile(self):
        self.lot(number="S-1", material="alder_chips")
        at = epoch(NOW)
        self.drop(belt_1=f"pile,from_s,to_s,bdt\npile_c,{at - 1800},{at},2.5\n")
        self.assertAlmostEqual(Op.objects.get(kind="draw").bdt, 2.5)
        self.assertEqual(Dropped.objects.get().kind, "belt")
        self.assert_book_closes()


class Exchange(YardCase):
    def upload(self, name, data, table="lots", line="live"):
        self.sign_in()
        return self.client.post(
            f"/{line}/yard/files/preview/", {"table": table, "file": SimpleUploadedFile(name, data)}, follow=True
        )

    def fill(self):
        self.lot("R-1", hours_ago=40, bark_pct=11.0)
        self.lot("S-1", material="alder_chips", hours_ago=30, fines_pct=2.5)
        self.lot("S-2", material="alder_chips", hours_ago=20, bark_pct=2.9)
        self.chip(12)
        self.draw("pile_c", 6)
        classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
        log_trip(
            self.world, self.people["operator"], detector="Drum infeed", find="Chain", lot="R-1", stopped_min=4, at=NOW,
            form_key=self.key(),
        )  # fmt: skip

    def test_what_is_taken_out_comes_in_again_with_nothing_lost(self):
        self.fill()
        for form in ("csv", "json", "xlsx"):
            with self.subTest(form):
                taken = {name: list(table.rows(self.world)) for name, table in YARD_TABLES.items()}
                self.sign_in()
                files = {name: self.client.get(f"/live/yard/files/{name}.{form}").content for name in YARD_TABLES}
                other = World.objects.create(slug=f"other-{form}", name="Another line", version=self.world.version)
                for name in ("lots", "draws", "classes", "trips"):
                    page = self.upload(f"{name}.{form}", files[name], name, other.slug)
                    self.assertContains(page, "rows can be kept.")
                    staged = Staged.objects.latest("pk")
                    done = self.client.post(f"/{other.slug}/yard/files/{staged.pk}/keep/", follow=True)
                    self.assertContains(done, f"{len(taken[name])} records were imported")
                self.assertEqual({name: list(table.rows(other)) for name, table in YARD_TABLES.items()}, taken)
                self.assert_book_closes()

    def test_the_preview_says_row_by_row_what_is_wrong_and_nothing_is_kept(self):
        self.lot("R-1")
        rows = [
            {"number": "R-5", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-6", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 10, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-1", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-5", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-7", "material": "alder_logs", "received_at": "soon", "gross_t": 50, "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-8", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": "", "tare_t": 16, "moistures_pct": "46"},
            {"number": "R-9", "material": "alder_logs", "received_at": "2026-03-09T10:00", "gross_t": 50, "tare_t": 16, "moistures_pct": "46", "colour": "red"},
        ]  # fmt: skip
        page = self.upload("lots.json", json.dumps(rows).encode())
        self.assertContains(page, "6 of 7 rows cannot be kept.")
        for words in ("Tare 16 t is not below gross 10 t", "Lot R-1 was received", "Lot R-5 was received", "&#x27;soon&#x27;, not a moment", "Gross_t is missing", "There is no column &#x27;colour&#x27;"):  # fmt: skip
            with self.subTest(words):
                self.assertContains(page, words)
        staged = Staged.objects.latest("pk")
        refused = self.client.post(f"/live/yard/files/{staged.pk}/keep/")
        self.assertContains(refused, "nothing was imported", status_code=422)
        self.assertEqual(Lot.objects.count(), 1)

    def test_files_that_are_no_files_of_ours(self):
        for name, data, words in (
            ("lots.exe", b"MZ", "no CSV, JSON or XLSX"),
            ("lots.xlsx", b"not a workbook", "not readable as XLSX"),
            ("lots.json", b"{", "not readable as JSON"),
            ("lots.json", b'{"a": 1}', "a list of records"),
            ("lots.csv", b"\xff\xfe", "not text in UTF-8"),
            ("lots.csv", b"number\n", "no rows"),
            ("lots.csv", b"number\n" + b"x\n" * 1001, "1000 at a time is the most"),
            ("lots.csv", b"n" * 2_100_000, "larger than 2 MB"),
        ):
            with self.subTest(words):
                self.assertContains(self.upload(name, data), words, status_code=422)
        self.assertFalse(Staged.objects.exists())

    def test_an_import_belongs_to_who_staged_it_and_is_kept_once(self):
        text = "number,material,received_at,gross_t,tare_t,moistures_pct\nR-5,alder_logs,2026-03-09T10:00,50,16,46\n"
        self.upload("lots.csv", text.encode())
        staged = Staged.objects.latest("pk")
        self.sign_in("tester")
        self.assertEqual(self.client.get(f"/live/yard/files/{staged.pk}/").status_code, 404)
        self.sign_in()
        self.client.post(f"/live/yard/files/{staged.pk}/keep/")
        self.assertEqual(self.client.post(f"/live/yard/files/{staged.pk}/keep/").status_code, 404)
        self.sign_in("trainee")
        self.assertEqual(self.client.post("/live/yard/files/preview/", {"table": "lots"}).status_code, 403)

    def test_a_spreadsheet_takes_no_text_for_a_formula(self):
        text = write_rows("csv", ["a", "b"], [{"a": "=1+1", "b": -2.5}]).decode()
        self.assertEqual(list(csv.reader(io.StringIO(text)))[1], ["'=1+1", "-2.5"])
        self.assertEqual(read_rows("x.csv", b"a;b\n1;2\n"), [{"a": "1", "b": "2"}])


class Screens(YardCase):
    PAGES = ("at/yard/", "yard/lots/", "yard/chips/", "yard/cane/", "yard/blend/", "yard/files/", "yard/pile/deck/", "yard/pile/pile_c/")  # fmt: skip

    def test_every_page_answers_empty_and_full(self):
        self.sign_in()
        for full in (False, True):
            if full:
                self.lot("R-1")
                self.lot("S-1", material="alder_chips")
                classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
            for page in self.PAGES:
                with self.subTest(page, full=full), self.assertNumQueries(FuzzyMost(20)):
                    self.assertEqual(self.client.get(f"/live/{page}").status_code, 200)
        self.assertEqual(self.client.get("/live/yard/lots/S-1/").status_code, 200)
        self.assertEqual(self.client.get("/live/yard/lots/none/").status_code, 404)
        self.assertEqual(self.client.get("/live/yard/pile/roof/").status_code, 404)

    def test_a_refused_form_keeps_what_was_typed(self):
        self.sign_in()
        typed = {
            "number": "R-77",
            "material": "alder_logs",
            "gross_t": "16",
            "tare_t": "54,8",
            "moistures_pct": "46 47",
        }
        answer = self.client.post("/live/yard/lots/receive/", typed)
        self.assertContains(answer, "tare 54.8 t is not below gross 16 t", status_code=422)
        self.assertContains(answer, 'value="54,8"', status_code=422)
        trip = self.client.post("/live/yard/trip/", {"detector": "Drum infeed", "find": "Bolt", "stopped_min": "long"})
        self.assertContains(trip, "Minutes stopped is &#x27;long&#x27;, which is not a number", status_code=422)

    def test_the_blend_is_worked_out_refused_and_accepted(self):
        for number in range(6):
            self.lot(f"S-{number}", material="alder_chips", hours_ago=20 + number, bark_pct=0.4, fines_pct=1.0)
        self.sign_in()
        tried = self.client.post(
            "/live/yard/blend/try/", {"hours": "4", "total_bdt_per_h": "8", "mean_age_most_d": "0,2"}
        )
        self.assertContains(tried, "keeps to mean age 0.2 d")
        low = self.client.post("/live/yard/blend/try/", {"hours": "0"})
        self.assertContains(low, "outside 1 to 72 h")
        refused = self.client.post("/live/yard/blend/accept/", {"hours": "60", "form_key": self.key()})
        self.assertContains(refused, "lies ready", status_code=422)
        self.assertContains(refused, 'value="60"', status_code=422)
        self.client.post("/live/yard/blend/accept/", {"hours": "4", "total_bdt_per_h": "8", "form_key": self.key()})
        plan = BlendPlan.objects.get()
        self.assertAlmostEqual(sum(part["share"] for part in plan.parts), 1, places=4)
        self.assertIn("Choose the next chip blend", [item.what for item in due(State(self.world, NOW))])

    def test_every_panel_answers_and_refuses_by_name(self):
        self.enter("chip_moisture", 48.2)
        self.enter("cane_dirt", 1.7)
        self.sign_in()
        panels = panels_at(State(self.world, NOW), "yard")
        self.assertEqual(
            {panel.panel.id for panel in panels},
            {
                "debark",
                "chip_prep",
                "depith",
                "pith_target",
                "dirt_wash",
                "cane_store",
                "samples",
                "meter",
                "wet_chips",
            },
        )
        for panel in panels:
            with self.subTest(panel.id):
                self.assertContains(self.client.post(f"/live/at/yard/set/{panel.id}/", {}), "set-say")
        bad = self.client.post("/live/at/yard/set/debark-drum/", {"fill_frac": "0.95"})
        self.assertContains(bad, "Fill is 0.95, outside more than 0 to 0.8")
        bad = self.client.post("/live/at/yard/set/depith-depith/", {"pith_removal_frac__wet": "much"})
        self.assertContains(bad, "Pith taken out, wet stage is")

    def test_the_hand_over_and_the_line_know_the_yard(self):
        self.lot("S-1", material="alder_chips")
        sheet = compose(State(self.world, NOW))
        rows = next(part["rows"] for part in sheet["sections"] if part["title"] == "Yard")
        self.assertTrue(rows[0].startswith("Pile C: 21 BDt, 1 lots"))
        self.sign_in()
        self.assertContains(self.client.get("/live/"), "<dt>Yard</dt>")
        found = self.client.post("/live/entry/read/", {"line": "S-1"})
        self.assertNotContains(found, "is called")
        self.lot("S-4711", material="alder_chips")
        self.assertContains(self.client.post("/live/entry/read/", {"line": "S-4711"}), "Lot S-4711")

    def test_numbers_of_the_yard_open_their_working(self):
        lot = self.lot("S-1", material="alder_chips")
        self.sign_in()
        for key, words in (
            (f"yard:lot.{lot.pk}", "net mass"),
            ("yard:pile.pile_c", "stock book"),
            ("yard:loss.pile_c", "Q10 rule"),
            ("reading:wood_stock", "In the book: days of stock"),
        ):
            with self.subTest(key):
                self.assertContains(self.client.get("/live/working/", {"of": key}), words)
        for key in ("yard:lot.999", "yard:pile.roof", "yard:trips", "yard:class.1.fines", "yard:knife.chipper_1"):
            with self.subTest(key):
                self.assertEqual(self.client.get("/live/working/", {"of": key}).status_code, 404)

    def test_who_may_look_may_not_write(self):
        self.lot("S-1", material="alder_chips")
        self.sign_in("trainee")
        for address in ("yard/trip/", "yard/lots/receive/", "yard/lots/S-1/correct/", "yard/pile/pile_c/draw/", "yard/pile/pile_c/survey/", "yard/chips/classify/", "yard/blend/accept/", "yard/release/"):  # fmt: skip
            typed = {
                "detector": "Drum infeed", "find": "Bolt", "stopped_min": "3", "number": "R-1", "material": "alder_logs",
                "gross_t": "54", "tare_t": "16", "moistures_pct": "46", "why": "x", "bdt": "1", "source": "feed",
                "sample_g": str(SAMPLE), "hours": "1", "lot": "S-1", "reason": "x",
                **dict(zip(("oversize", "overthick", "large_accepts", "small_accepts", "pins", "fines"), map(str, MASSES), strict=True)),
            }  # fmt: skip
            with self.subTest(address):
                self.assertEqual(self.client.post(f"/live/{address}", typed).status_code, 403)
        self.assertEqual(Op.objects.count(), 1)


class FuzzyMost(int):
    """A number of queries that may be less, never more."""

    def __eq__(self, other):
        return other <= int(self)

    __hash__ = int.__hash__
