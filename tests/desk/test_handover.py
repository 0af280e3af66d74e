"""The hand-over's two sides: what is carried, what must be said, who gives it and who takes it over; time lost."""

from datetime import timedelta

from desk.floor.handover import compose
from desk.floor.models import HandOver, OpenPoint, Receipt, Record, Stop
from desk.floor.next_up import next_up
from desk.floor.state import State
from tests.desk.base import NOW, SECRET, DeskCase

NONE = ["permit", "isolation", "gas_test", "interlock"]


class HandOverCase(DeskCase):
    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def open(self, **typed):
        given = {"kind": "watch", "text": "seal of pump 4 weeps", "form_key": f"k{OpenPoint.objects.count()}", **typed}
        return self.client.post("/live/hand-over/open/", given)

    def sign(self, none=NONE, key="s"):
        return self.client.post("/live/hand-over/sign/", {"secret": SECRET, "none": none, "form_key": key})

    def rows(self, title, minutes=0):
        sections = compose(self.state(minutes))["sections"]
        return next((one["rows"] for one in sections if one["title"] == title), [])


class Carried(HandOverCase):
    def test_a_word_to_watch_is_carried_until_it_is_closed(self):
        self.sign_in()
        self.assertEqual(self.open().status_code, 302)
        self.assertIn("seal of pump 4 weeps", self.rows("To watch")[0])
        self.assertIn("seal of pump 4 weeps", self.rows("To watch", 30 * 60)[0])
        point = OpenPoint.objects.get()
        self.assertEqual(
            self.client.post(
                f"/live/hand-over/points/{point.pk}/close/", {"why": "seal changed", "form_key": "c"}
            ).status_code,
            302,
        )
        self.assertEqual(self.rows("To watch"), [])
        self.assertContains(self.client.get("/live/log/"), "seal changed")

    def test_what_a_kind_must_have_is_asked_by_name_and_what_was_typed_stays(self):
        self.sign_in()
        for typed, says in (
            ({"kind": "gas_test"}, "say until when it holds"),
            ({"kind": "permit", "until": "23:00"}, "say whose it is"),
            ({"kind": "defect"}, "say whose it is"),
            ({"kind": "watch", "text": " "}, "say what the to watch is"),
            ({"kind": "rumour"}, "none of the list"),
            ({"kind": "gas_test", "until": "25:10"}, "25:10"),
        ):
            with self.subTest(typed):
                answer = self.open(**{"text": "digester 2 manhole", **typed})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.content.decode())
                if typed.get("text") is None:
                    self.assertIn("digester 2 manhole", answer.content.decode())
        self.assertFalse(OpenPoint.objects.exists())

    def test_a_gas_test_that_runs_out_is_on_the_rail_and_first(self):
        self.sign_in()
        self.open(kind="gas_test", text="blow tank, 0 ppm H2S", until="15:00")
        items = next_up(self.state())
        soon = next(item for item in items if item.what == "Gas test expires")
        self.assertTrue(soon.hurts)
        gone = next(item for item in next_up(self.state(60)) if item.what == "Gas test expired")
        self.assertEqual((gone.level, gone.now), ("act", True))

    def test_it_is_said_anew_with_another_expiry_and_keeps_its_beginning(self):
        self.sign_in()
        self.open(kind="permit", text="hot work at the chipper", owner="R. Achterberg", until="18:00")
        old = OpenPoint.objects.get()
        form = {"owner": old.owner, "until": "20:00", "form_key": "r"}
        self.assertEqual(
            self.client.post(f"/live/hand-over/points/{old.pk}/renew/", {**form, "until": " "}).status_code, 422
        )
        self.assertEqual(self.client.post(f"/live/hand-over/points/{old.pk}/renew/", form).status_code, 302)
        new = OpenPoint.objects.get(supersedes=old)
        self.assertEqual(new.begun_at, old.begun_at)
        self.assertEqual(len(self.rows("Permits")), 1)
        self.assertIn("until 10 Mar 20:00", self.rows("Permits")[0])

    def test_pressed_twice_it_is_carried_once_and_closed_once(self):
        self.sign_in()
        self.open(form_key="same")
        self.open(form_key="same")
        self.assertEqual(OpenPoint.objects.count(), 1)
        point = OpenPoint.objects.get()
        for _ in range(2):
            self.client.post(f"/live/hand-over/points/{point.pk}/close/", {"why": "done", "form_key": "c"})
        self.assertEqual(OpenPoint.objects.count(), 2)

    def test_a_trainee_may_read_and_not_carry(self):
        self.sign_in("trainee")
        self.assertEqual(self.open().status_code, 403)
        self.assertEqual(self.client.get("/live/hand-over/").status_code, 200)


class BothSides(HandOverCase):
    def test_what_is_not_said_keeps_it_from_being_signed_and_is_named(self):
        self.sign_in()
        answer = self.sign(none=["permit", "isolation"])
        self.assertEqual(answer.status_code, 422)
        self.assertContains(answer, "gas tests: open ones, or that there is none", status_code=422)
        self.assertContains(answer, "interlocks bypassed: open ones", status_code=422)
        self.assertFalse(HandOver.objects.exists())

    def test_what_expired_keeps_it_from_being_signed(self):
        self.sign_in()
        self.open(kind="gas_test", text="blow tank", until="14:40")
        import os

        os.environ["FOX_NOW"] = (NOW + timedelta(hours=1)).isoformat()
        self.assertContains(self.sign(), "expired", status_code=422)
        self.assertFalse(HandOver.objects.exists())

    def test_none_ticked_beside_an_open_one_is_refused(self):
        self.sign_in()
        self.open(kind="isolation", text="pump 4 locked", owner="M. Orr")
        self.assertContains(self.sign(), "ticked as none, and there is one open", status_code=422)
        self.assertEqual(self.sign(none=["permit", "gas_test", "interlock"]).status_code, 302)
        kept = HandOver.objects.latest("pk").sheet["none"]
        self.assertEqual(kept, ["permits", "gas tests", "interlocks bypassed"])  # as said, no more and no less

    def test_it_is_given_by_one_and_taken_over_by_another_with_both_times(self):
        self.sign_in()
        self.sign()
        sheet = HandOver.objects.get()
        self.assertIn("Take over the shift", [item.what for item in next_up(self.state())])
        take = f"/live/hand-over/{sheet.pk}/take/"
        own = self.client.post(take, {"secret": SECRET, "form_key": "t"})
        self.assertContains(own, "you gave it", status_code=422)
        self.sign_in("lead")
        wrong = self.client.post(take, {"secret": "0000", "words": "pump 4?", "form_key": "t"})
        self.assertContains(wrong, "pump 4?", status_code=422)
        self.assertFalse(Receipt.objects.exists())
        self.assertEqual(
            self.client.post(take, {"secret": SECRET, "words": "pump 4?", "form_key": "t"}).status_code, 302
        )
        receipt = Receipt.objects.get()
        self.assertEqual((receipt.by, receipt.at), (self.people["lead"], NOW))
        self.assertSays(self.client.get(f"/live/hand-over/{sheet.pk}/"), "Read and taken over</strong> by L. Test")
        self.assertNotIn("Take over the shift", [item.what for item in next_up(self.state())])
        self.sign_in("cook")
        self.assertContains(
            self.client.post(take, {"secret": SECRET, "form_key": "u"}), "took it over at", status_code=422
        )

    def test_a_tester_can_neither_give_nor_take(self):
        self.sign_in()
        self.sign()
        sheet = HandOver.objects.get()
        self.sign_in("tester")
        self.assertEqual(self.sign(key="x").status_code, 403)
        self.assertEqual(self.client.post(f"/live/hand-over/{sheet.pk}/take/", {"secret": SECRET}).status_code, 403)


class TimeLost(HandOverCase):
    def stop(self, **typed):
        given = {"station": "wash", "cause": "shower pump tripped", "from_at": "13:00", "to_at": "13:40"}
        return self.client.post("/live/hand-over/stop/", {**given, "form_key": f"f{Stop.objects.count()}", **typed})

    def test_minutes_and_tonnes_by_the_rate_of_the_order(self):
        self.sign_in()
        self.assertEqual(self.stop().status_code, 302)
        rate = max(load.bdt_per_h for load in self.state().result.loads if load.station == "wash")
        self.assertEqual(self.rows("Time lost"), [f"Wash: 40 min, {rate * 40 / 60:.1f} BDt lost, shower pump tripped"])

    def test_one_that_stands_goes_on_until_it_is_ended(self):
        self.sign_in()
        self.stop(to_at="")
        self.assertIn("90 min", self.rows("Time lost")[0])
        self.assertIn("stands still", self.rows("Time lost")[0])
        stop = Stop.objects.get()
        self.client.post(f"/live/hand-over/stops/{stop.pk}/end/", {"to_at": "14:00", "form_key": "e"})
        self.assertIn("60 min", self.rows("Time lost")[0])
        again = Stop.objects.get(supersedes=stop)
        answer = self.client.post(f"/live/hand-over/stops/{again.pk}/end/", {"void": "1", "form_key": "v"})
        self.assertContains(answer, "say why", status_code=422)
        self.client.post(f"/live/hand-over/stops/{again.pk}/end/", {"void": "1", "why": "wrong line", "form_key": "w"})
        self.assertEqual(self.rows("Time lost"), ["No stop was logged."])

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        self.sign_in()
        for typed in ({"station": "moon"}, {"cause": ""}, {"to_at": "12:00"}, {"from_at": "16:00"}, {"to_at": "23:59"}):
            with self.subTest(typed):
                self.assertEqual(self.stop(**typed).status_code, 422)
        self.assertFalse(Stop.objects.exists())

    def test_only_what_touches_the_shift_is_counted(self):
        self.sign_in()
        self.stop(from_at="05:30", to_at="06:30")
        self.assertIn("30 min", self.rows("Time lost")[0])


class Made(HandOverCase):
    def test_tonnes_stand_against_plan_where_flow_and_consistency_are_measured(self):
        rows = self.rows("Made this shift")
        self.assertTrue(any("BDt, planned" in row and row.endswith(" %") for row in rows), rows)

    def test_the_log_tells_of_everything(self):
        self.sign_in()
        self.open()
        kinds = list(Record.objects.values_list("text", flat=True))
        self.assertTrue(any(words.startswith("To watch opened") for words in kinds))
