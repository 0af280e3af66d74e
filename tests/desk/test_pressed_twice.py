"""What a hurried hand does: presses twice, leaves a part out, names what there is not, stops half way."""

from datetime import timedelta
from threading import Event
from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile

from desk.exchange.models import Staged
from desk.floor.models import Record, World
from desk.floor.services import NotAllowedError
from desk.floor.state import State
from desk.frame.made_ahead import MAKER, Maker
from desk.stations.moves.models import Move, Setting, number
from desk.stations.moves.telling import spoken
from desk.stations.yard.lots import Load, receive
from desk.stations.yard.models import Classification, KnifeStep, Lot, Release, Trip
from desk.stations.yard.work import LOCK_CHECKS, classify, knife_step, log_trip, release_lot, take_back_trip
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase
from tests.desk.yard_case import MASSES, SAMPLE, YardCase


class YardHands(YardCase):
    def trip(self, form_key="trip", **given):
        known = {"detector": "Drum infeed", "find": "Chain link", "lot": "", "stopped_min": 4.0, "at": NOW}
        return log_trip(self.world, self.people["operator"], form_key=form_key, **{**known, **given})

    def refused(self, field, words, act, kind=ValidationError):
        before = Record.objects.count()
        with self.assertRaises(kind) as caught:
            act()
        told = caught.exception
        if isinstance(told, ValidationError):
            self.assertEqual(list(told.message_dict), [field])
            self.assertIn(words, told.message_dict[field][0])
        else:
            self.assertEqual(told.argument, field)
            self.assertIn(words, told.message)
        self.assertEqual(Record.objects.count(), before)

    def test_a_trip_pressed_twice_is_one_trip(self):
        self.lot("R-7")
        first = self.trip(lot=" R-7 ")
        self.assertEqual(first.lot, "R-7")
        again = self.trip(lot="R-7")
        self.assertEqual((first.pk, Trip.objects.count()), (again.pk, 1))
        self.assertEqual(Record.objects.filter(tag="trip", subject="R-7").count(), 1)

    def test_a_trip_names_its_detector_its_find_its_lot_and_a_stop_of_a_shift(self):
        self.refused("detector", "is no detector; one of Drum infeed, ", lambda: self.trip(detector="Roof"))
        self.refused("find", "in a few words", lambda: self.trip(find="  "))
        self.refused("find", "in a few words", lambda: self.trip(find="x" * 61))
        self.refused("lot", "lot R-99 was never received", lambda: self.trip(lot="R-99"))
        for minutes in (-1.0, 721.0):
            self.refused("stopped_min", "is no stop of a shift", lambda: self.trip(stopped_min=minutes), DomainError)  # noqa: B023
        self.assertEqual(Trip.objects.count(), 0)
        for minutes in (0.0, 720.0):
            self.trip(form_key=f"edge-{minutes}", stopped_min=minutes)
        self.assertEqual(Trip.objects.count(), 2)

    def test_a_trip_taken_back_wants_a_reason_and_is_taken_back_once(self):
        trip = self.trip()
        person = self.people["operator"]
        self.refused("why", "", lambda: take_back_trip(trip, person, why=" ", form_key="b0"))
        row = take_back_trip(trip, person, why="a shadow on the belt", form_key="b1")
        self.assertTrue(row.undone)
        self.assertEqual(row.supersedes_id, trip.pk)
        with self.assertRaises(ValidationError):
            take_back_trip(trip, person, why="again", form_key="b2")
        self.assertTrue(Record.objects.filter(text__startswith="No trip after all: Metal trip, drum infeed").exists())

    def test_a_lot_is_released_by_who_may_with_what_was_found(self):
        self.lot("R-7")
        lead = self.people["lead"]
        self.refused("reason", "say what was found", lambda: release_lot(self.world, lead, "R-7", " ", form_key="r0"))
        self.refused("lot", "was never received", lambda: release_lot(self.world, lead, "R-9", "bolt", form_key="r0"))
        with self.assertRaises(NotAllowedError):
            release_lot(self.world, self.people["trainee"], "R-7", "bolt found", form_key="r0")
        self.assertEqual(Release.objects.count(), 0)
        release_lot(self.world, lead, "R-7", " bolt found in the chain ", form_key="r1")
        said = Record.objects.get(tag="release")
        self.assertEqual(said.text, "Lot R-7 released from quarantine: bolt found in the chain")

    def test_knives_go_in_their_order_with_every_check_ticked_and_the_disc_at_rest(self):
        person, ticked = self.people["operator"], [name for name, _ in LOCK_CHECKS]

        def step(number, key, minded=(), chipper="chipper_1", minutes=0):
            with patch.dict("os.environ", {"FOX_NOW": (NOW + timedelta(minutes=minutes)).isoformat()}):
                return knife_step(self.world, person, chipper, number, minded=minded, form_key=key)

        self.refused("chipper", "there is no chipper 'mill'", lambda: step(0, "k", chipper="mill"))
        self.refused("step", "the next step is", lambda: step(2, "k"))
        first = step(0, "k0")
        self.assertEqual(step(0, "k0").pk, first.pk)  # pressed twice
        self.refused("minded", "not ticked: the disc stands still", lambda: step(1, "k1", minutes=30))
        self.refused("minded", "not ticked: isolated", lambda: step(1, "k1", ["still", "tried"], minutes=30))
        self.refused("minded", "24 min ago and coasts 25 min", lambda: step(1, "k1", ticked, minutes=24))
        step(1, "k1", ticked, minutes=25)
        self.assertEqual(KnifeStep.objects.count(), 2)
        step(0, "other", chipper="chipper_2", minutes=25)  # each has its own order

    def test_a_classification_sent_twice_is_one(self):
        given = (self.world, self.people["tester"], "feed", SAMPLE, MASSES)
        first = classify(*given, at=NOW, form_key="c1")
        self.assertEqual(classify(*given, at=NOW, form_key="c1").pk, first.pk)
        self.assertEqual(Classification.objects.count(), 1)

    def load(self, number, **found):
        more = {name: found.pop(name) for name in ("ticket", "gross_t") if name in found}
        known = {
            "material": "alder_logs", "received_at": NOW - timedelta(hours=2), "gross_t": 54.8, "tare_t": 16.2,
            "moistures_pct": [46.0, 46.4, 45.8],
        }  # fmt: skip
        return Load(number=number, found=found, **known | more)

    def test_at_the_gate_the_tests_bind_one_way(self):
        def received(number, answer="", pile="", **found):
            load = self.load(number, **found)
            return receive(self.world, self.people["operator"], load, answer=answer, pile=pile, form_key=f"g{number}")

        self.assertEqual(received("A-1").answer, "accept")
        self.refused("answer", "'perhaps' is no decision", lambda: received("A-2", "perhaps"))
        self.refused("pile", "there is no pile 'moon'", lambda: received("A-2", pile="moon"))
        other = next(one for one in self.yard().part.piles if one.form != "logs")
        self.refused("pile", f"{other.name} holds ", lambda: received("A-2", pile=other.id))
        harder = received("A-2", "refuse")
        self.assertEqual(harder.answer, "refuse")
        self.assertTrue(harder.reason.endswith("decided at the gate"))
        self.assertEqual(harder.pile, "")
        self.refused("number", "was received", lambda: receive(
            self.world, self.people["operator"], self.load("A-1"), form_key="other"
        ))  # fmt: skip
        received("A-3", ticket="T-5")
        self.refused("ticket", "ticket T-5 is lot A-3 already", lambda: received("A-4", ticket="T-5"))
        self.assertEqual(Lot.objects.count(), 3)
        self.assert_book_closes()


class LongFiles(YardCase):
    """A file that is longer than a piece: looked at piece by piece, left where somebody wants to."""

    HEAD = "number,material,received_at,gross_t,tare_t,moistures_pct\n"

    def stage(self, count=5, pieces=True):
        rows = [f"F-{at},alder_logs,2026-03-10T0{at}:00:00Z,54.8,16.2,46.0 46.4 45.8" for at in range(1, count + 1)]
        data = (self.HEAD + "\n".join(rows)).encode()
        self.sign_in()
        with patch("desk.exchange.tables.PIECE_S", -1.0 if pieces else 9.0):
            return self.client.post(
                "/live/yard/files/preview/",
                {"table": "lots", "file": SimpleUploadedFile("lots.csv", data)},
                follow=True,
            )

    def test_it_is_looked_at_piece_by_piece_and_says_how_far(self):
        answer = self.stage()
        one = Staged.objects.get()
        looked = len(one.checked)
        self.assertLess(looked, 5)
        self.assertContains(answer, f"{looked} of 5 rows are looked at.")
        refused = self.client.post(f"/live/yard/files/{one.pk}/keep/")
        self.assertContains(refused, "nothing was imported", status_code=422)
        self.assertEqual(Lot.objects.count(), 0)
        for _ in range(6):
            self.client.post(f"/live/yard/files/{one.pk}/go-on/")
        one.refresh_from_db()
        self.assertTrue(one.is_checked)
        self.assertContains(self.client.get(f"/live/yard/files/{one.pk}/"), "All 5 rows can be kept.")

    def test_it_is_dropped_by_who_brought_it_and_nothing_is_kept(self):
        self.stage()
        one = Staged.objects.get()
        self.sign_in("lead")
        self.assertEqual(self.client.post(f"/live/yard/files/{one.pk}/drop/").status_code, 404)
        self.sign_in()
        self.assertRedirects(
            self.client.post(f"/live/yard/files/{one.pk}/drop/"), "/live/yard/files/", fetch_redirect_response=False
        )
        self.assertFalse(Staged.objects.exists() or Lot.objects.exists())
        self.assertEqual(self.client.post(f"/live/yard/files/{one.pk}/go-on/").status_code, 404)

    def test_kept_in_pieces_it_says_how_many_are_kept_and_goes_on(self):
        self.stage(pieces=False)
        one = Staged.objects.get()
        with patch("desk.exchange.tables.WHOLE", 3), patch("desk.exchange.tables.PIECE_S", -1.0):
            self.client.post(f"/live/yard/files/{one.pk}/keep/")
            self.assertEqual(Lot.objects.count(), 1)
            self.assertContains(
                self.client.get(f"/live/yard/files/{one.pk}/"), "1 of 5 rows are kept; go on, or stop here."
            )
            for _ in range(4):
                last = self.client.post(f"/live/yard/files/{one.pk}/keep/")
        self.assertEqual(last["Location"], "/live/yard/files/?kept=5")
        self.assertContains(self.client.get(last["Location"]), "5 records were imported.")
        self.assertEqual(Lot.objects.count(), 5)
        self.assert_book_closes()


class TypedMoves(DeskCase):
    """A move typed in a line: the setting is found by its words, or asked for."""

    def setUp(self):
        super().setUp()
        self.try_it = World.objects.create(slug="try", name="Try", version=type(self).world.version, simulated=True)
        for point, words, unit, high, value in (
            ("flow:brown_water", "flow of brown water", "L/min", 5000, 2340),
            ("target:brown_cons", "set point of brown consistency", "%", 6, 3.5),
            ("power:wood_refine", "power of refiner 1", "kW", 900, 410),
            ("power:cane_refine", "power of refiner 2", "kW", 900, 220),
        ):
            Setting.objects.create(
                world=self.try_it, point=point, words=words, unit=unit, low=0, high=high, decimals=1, station="wash",
                value=value, at=NOW,
            )  # fmt: skip

    def said(self, text, world=None):
        return spoken(State(world or self.try_it, NOW), text)

    def test_signs_steps_and_ends(self):
        for text, to in (
            ("brown dilution +60", "2400"), ("brown dilution -340", "2000"), ("brown dilution − 40", "2300"),
            ("BROWN WATER TO 1000", "1000"), ("brown water to 900,5 L/min", "900.5"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(self.said(text).words, f"A move. flow of brown water: 2340 to {to} L/min")
        self.assertEqual(self.said("brown water -2341").fault, "flow of brown water can be 0 to 5000 L/min, not -1")
        self.assertEqual(Move.objects.count(), 0)

    def test_what_is_said_is_what_is_made(self):
        Setting.objects.filter(point="flow:brown_water").update(decimals=0)
        for text, to in (
            ("brown water to 900.4", 900),
            ("refiner 2 power to 300.26", 300.3),
            ("refiner 2 power to 90.2", 90.2),
        ):
            said = self.said(text)
            said.do(self.people["operator"], NOW, f"typed-{to}")
            self.assertEqual(Move.objects.get(form_key=f"typed-{to}").to_value, to)
            self.assertIn(f" to {to} ", said.words)

    def test_what_was_worked_out_is_told_whole_and_what_is_set_with_its_decimals(self):
        for value, text in ((132.8, "133"), (300.0, "300"), (2340.4, "2340"), (64.26, "64.3"), (-170.6, "-171")):
            self.assertEqual(number(value), text)
        for value, text in ((300.3, "300.3"), (300.0, "300"), (1000.0, "1000"), (-170.5, "-170.5"), (64.26, "64.3")):
            self.assertEqual(number(value, 1), text)

    def test_what_could_be_two_is_asked_for(self):
        asked = self.said("refiner power to 300").fault
        self.assertRegex(asked, r"^that could be power of refiner [12], power of refiner [12]: say more of it$")
        self.assertIn("power of refiner 2: 220 to 300 kW", self.said("refiner 2 power to 300").words)

    def test_what_names_no_setting_or_is_no_move_or_stands_on_a_live_line_is_left_to_others(self):
        for text in ("steam valve to 30", "brown water", "brown water 30", "to 30"):
            self.assertIsNone(self.said(text), text)
        self.assertIsNone(self.said("brown water to 1000", self.world))


class PagesThread(DeskCase):
    """The thread that makes pages: it begins with the first page asked for, outlives what goes wrong, and ends."""

    def test_it_goes_on_after_a_page_that_went_wrong_and_stops_when_told(self):
        maker, made, twice = Maker(), [], Event()

        def make(slug):
            made.append(slug)
            if len(made) == 2:
                twice.set()
            if len(made) == 1:
                raise ValueError("broken")

        request = self.client.get("/").wsgi_request
        with (
            patch.object(maker, "make", make), patch("desk.frame.made_ahead.close_old_connections"),
            patch("desk.frame.made_ahead.EVERY_S", 0.01), patch("desk.frame.made_ahead.page_key", lambda _: "page"),
            patch("desk.frame.made_ahead.bare", lambda given: given), self.assertLogs("desk", "ERROR") as logged,
        ):  # fmt: skip
            maker.ask("live", None, request, {})
            self.assertIsNone(maker._thread)  # not begun
            maker.begin()
            maker.ask("live", None, request, {})
            first = maker._thread
            maker.ask("live", None, request, {})
            self.assertIs(maker._thread, first)
            self.assertTrue(twice.wait(8))
            maker.end()
        self.assertFalse(first.is_alive())
        self.assertEqual(set(made), {"live"})
        self.assertIn("the pages of live were not made ahead", logged.output[0])
        self.assertIsNone(maker._thread)
        self.assertIsNot(maker, MAKER)

    def test_of_one_line_no_more_pages_are_kept_open_than_can_be_made(self):
        maker = Maker()
        maker.begin()
        request = self.client.get("/").wsgi_request
        keys = iter(range(100))
        with (
            patch.object(maker, "_start"), patch("desk.frame.made_ahead.bare", lambda given: given),
            patch("desk.frame.made_ahead.page_key", lambda _: next(keys)),
        ):  # fmt: skip
            for _ in range(70):
                maker.ask("live", None, request, {})
        self.assertEqual(len(maker._open["live"]), 64)
