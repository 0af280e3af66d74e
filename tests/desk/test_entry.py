"""Quick entry: several readings, notes, cooks and trips in a line, days, what is in view; all of it or nothing."""

import os
from datetime import timedelta

from desk.floor.models import Record
from desk.floor.state import State
from desk.stations.cook.models import Result
from desk.stations.yard.models import Trip
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import HouseCase


class EntryCase(DeskCase):
    def enter_line(self, line, key="k", page="/live/", status=200):
        answer = self.client.post(
            "/live/entry/record/", {"line": line, "form_key": key}, headers={"Referer": f"http://testserver{page}"}
        )
        self.assertEqual(answer.status_code, status, answer.content.decode()[:400])
        return " ".join(answer.content.decode().split())

    def read_line(self, line, page="/live/"):
        answer = self.client.post("/live/entry/read/", {"line": line}, headers={"Referer": f"http://testserver{page}"})
        return " ".join(answer.content.decode().split())


class SeveralAtOnce(EntryCase):
    def test_each_is_judged_and_all_are_recorded_once(self):
        self.sign_in("tester")
        line = "brown cons 3.54; shives 0.2; wash loss wood 17.2"
        self.assertIn("Brown stock consistency", self.read_line(line))
        said = self.enter_line(line)
        self.assertEqual(said.count("Recorded"), 3)
        self.enter_line(line)  # pressed twice
        self.assertEqual(Record.objects.filter(kind="reading").count(), 3)

    def test_one_that_cannot_be_keeps_all_of_them_out(self):
        self.sign_in("tester")
        said = self.enter_line("brown cons 3.54; shives 140", status=422)
        self.assertIn("cannot be 140", said)
        self.assertEqual(self.record_count(), 0)

    def test_one_time_stands_for_the_whole_line(self):
        self.sign_in("tester")
        self.enter_line("brown cons 3.54; shives 0.2 at 14:05")
        moments = {row.at for row in Record.objects.all()}
        self.assertEqual(moments, {NOW.replace(hour=14, minute=5)})

    def test_nine_are_too_many(self):
        self.sign_in("tester")
        self.assertIn("More than 8 readings", self.enter_line(";".join(["shives 0.2"] * 9), status=422))


class Days(EntryCase):
    def test_yesterday_is_taken_and_tomorrow_is_not(self):
        self.sign_in("tester")
        self.enter_line("shives 0.2 yesterday 20:00")
        self.assertEqual(Record.objects.get().at, (NOW - timedelta(days=1)).replace(hour=20, minute=0))
        self.assertIn("future", self.enter_line("shives 0.2 at 16:00", key="z", status=422))
        self.assertIn("25:10", self.read_line("shives 0.2 at 25:10") + "25:10")

    def test_a_day_of_a_month(self):
        self.sign_in("tester")
        self.enter_line("shives 0.2 at 9 Mar 20:00")
        self.assertEqual(Record.objects.get().at.day, 9)


class Notes(EntryCase):
    def test_a_note_goes_to_the_station_in_view(self):
        self.sign_in()
        self.assertIn("A note for Wash: washer 3 hums", self.read_line("note washer 3 hums", "/live/at/wash/"))
        self.enter_line("note washer 3 hums", page="/live/at/wash/")
        row = Record.objects.get()
        self.assertEqual((row.kind, row.station, row.text), ("event", "wash", "washer 3 hums"))

    def test_a_trainee_writes_none(self):
        self.sign_in("trainee")
        self.assertIn("you may look", self.enter_line("note washer 3 hums", status=422))
        self.assertEqual(self.record_count(), 0)


class InView(EntryCase):
    def test_temp_on_a_cook_means_its_digester(self):
        self.sign_in()
        self.assertIn("Digester 3", self.read_line("temp 164", "/live/cook/1187/"))
        self.assertNotIn("Which one?", self.read_line("temp 164", "/live/cook/1187/"))
        self.assertIn("Which one?", self.read_line("temp 64", "/live/order/"))


class Trips(EntryCase):
    def test_a_trip_is_logged_with_its_minutes_and_its_own_time(self):
        self.sign_in()
        said = self.enter_line("metal trip chipper bolt 6 min at 14:10")
        self.assertIn("Metal trip, chipper infeed: bolt, stopped 6 min", said)
        trip = Trip.objects.get()
        self.assertEqual((trip.detector, trip.find, trip.stopped_min), ("Chipper infeed", "bolt", 6))
        self.assertEqual(trip.at, NOW.replace(hour=14, minute=10))

    def test_in_doubt_the_detectors_are_listed(self):
        self.sign_in()
        self.assertIn("Say which detector: Drum infeed", self.read_line("metal trip 5 min"))
        self.assertIn("Say which detector", self.enter_line("trip infeed", status=422))
        self.assertIn("was never received", self.enter_line("trip drum lot R-00001", status=422))
        self.assertFalse(Trip.objects.exists())


class Places(EntryCase):
    def test_words_of_the_work_lead_to_its_page(self):
        self.sign_in()
        self.assertIn("/live/cook/liquor/", self.read_line("titrate"))
        self.assertIn("/live/yard/lots/", self.read_line("receive"))
        self.assertIn("/live/hand-over/", self.read_line("hand-over"))


class Cooks(HouseCase):
    def test_a_result_is_typed_in_a_line(self):
        self.charge_it()
        self.heat_it(until=172)
        self.log("relief", 172)
        self.log("blow", 180)
        self.hold_clock(200)
        self.sign_in("tester")
        wrong = self.client.post("/live/entry/record/", {"line": "cook 1190 kappa 400", "form_key": "a"})
        self.assertEqual(wrong.status_code, 422)
        done = self.client.post("/live/entry/record/", {"line": "cook 1190 kappa 19.6 residual 8.2", "form_key": "b"})
        self.assertContains(done, "kept as its result")
        row = Result.objects.get(number=1190)
        self.assertEqual((row.kappa, row.residual_kg_per_m3_as_naoh), (19.6, 8.2))

    def test_what_it_lacks_is_said(self):
        self.sign_in("tester")
        for line, says in (
            ("cook 1187 kapa 19", "of a cook give kappa"),
            ("cook 1187 residual 8", "begins with the kappa"),
            ("cook 7 kappa 19", "there is no cook 7"),
            ("cook 1187 kappa 19.6", "not blown yet"),
        ):
            with self.subTest(line):
                answer = self.client.post("/live/entry/record/", {"line": line, "form_key": line})
                self.assertContains(answer, says, status_code=422)


class LogSpan(EntryCase):
    def test_the_log_is_kept_between_two_moments(self):
        for minutes, value in ((600, 0.21), (120, 0.22), (10, 0.23)):
            self.enter("shives", value, minutes_ago=minutes)
        self.sign_in()
        page = self.client.get("/live/log/?from=11:00&to=13:00")
        self.assertContains(page, "0.22")
        self.assertNotContains(page, "0.21")
        self.assertNotContains(page, "0.23")
        wrong = self.client.get("/live/log/?from=25:10")
        self.assertContains(wrong, "is no time of day")
        self.assertContains(wrong, 'value="25:10"')


class OnePad(EntryCase):
    def test_a_pad_its_instrument_contradicts_sizes_nothing(self):
        self.sign_in("tester")
        live = State(self.world).readings["brown_cons"].value
        said = self.read_line(f"brown cons {live + 0.2:.2f}")
        self.assertIn("take a second sample before anything is moved", said)
        self.assertNotIn("Open the dilution", said)
        agrees = self.read_line(f"brown cons {live + 0.02:.2f}")
        self.assertNotIn("second sample", agrees)
        self.assertIn("Open the dilution", agrees)


class Ahead(EntryCase):
    def test_an_entry_whose_moment_is_to_come_shows_when_it_has(self):
        self.enter("shives", 0.2, minutes_ago=5)
        State(self.world).lab  # noqa: B018  what follows from entries is remembered
        self.enter("shives", 0.21, minutes_ago=-1)
        self.assertEqual(State(self.world).lab["shives"].value, 0.2)
        os.environ["FOX_NOW"] = (NOW + timedelta(minutes=2)).isoformat()
        self.assertEqual(State(self.world).lab["shives"].value, 0.21)
