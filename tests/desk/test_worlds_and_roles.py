"""Worlds do not touch each other, roles do what the table says, refusals are pages of their own."""

from datetime import timedelta
from itertools import count

from django.test import override_settings

from desk.floor import clock
from desk.floor.models import Order, Record, World
from desk.floor.points import MUST_SAY
from desk.floor.services import record_reading, store_samples
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import ACTIONS, COOK, CORRECT, MODEL, MOVE, ORDER, PEOPLE, RECORD, ROLES, SAMPLE
from stock.line.definition import Shifts
from tests.desk.base import NOW, SECRET, DeskCase, measured_cooks
from tests.line import hallin_reach


class Worlds(DeskCase):
    def setUp(self):
        super().setUp()
        self.practice = World.objects.create(
            slug="practice-1", name="Practice", kind=World.Kind.PRACTICE, version=self.world.version
        )
        grade = hallin_reach().grades[0]
        Order.objects.create(
            world=self.practice,
            grade=grade.id,
            reel_t_per_h=9.0,
            shares=grade.shares,
            from_at=NOW - timedelta(hours=1),
            accepted_by=self.people["lead"],
            form_key="practice",
        )

    def test_a_reading_belongs_to_its_world(self):
        record_reading(self.practice, self.people["tester"], "wash_loss", 30.0, at=NOW, form_key="p1")
        self.assertNotIn("wash_loss", State(self.world).readings)
        self.assertEqual(State(self.practice).readings["wash_loss"].value, 30.0)

    def test_samples_belong_to_their_world(self):
        store_samples(self.practice.pk, [("machine_level", int(NOW.timestamp()), 12.0)])
        self.assertEqual(State(self.practice).readings["machine_level"].value, 12.0)
        self.assertGreater(State(self.world).readings["machine_level"].value, 60)

    def test_the_address_says_which_line_is_shown_and_written(self):
        self.sign_in("operator")
        self.assertContains(self.client.get("/practice-1/"), "9 t/h of chart 90 g cream")
        self.client.post("/practice-1/entry/record/", {"line": "wash loss wood 18", "form_key": "k"})
        self.assertEqual(Record.objects.get().world, self.practice)
        self.assertContains(self.client.get("/live/"), "12.8 t/h of chart 90 g cream")

    def test_home_is_the_live_line_and_unknown_lines_are_not_found(self):
        self.sign_in()
        self.assertEqual(self.client.get("/")["Location"], "/live/")
        self.assertEqual(self.client.get("/elsewhere/").status_code, 404)

    def test_a_correction_cannot_reach_into_another_world(self):
        record = record_reading(self.practice, self.people["tester"], "wash_loss", 30.0, at=NOW, form_key="p1")
        self.sign_in("lead")
        self.assertEqual(self.client.get(f"/live/log/{record.pk}/correct/").status_code, 404)
        answer = self.client.post(f"/live/log/{record.pk}/correct/", {"value": "20", "reason": "x"})
        self.assertEqual(answer.status_code, 404)
        self.assertEqual(Record.objects.count(), 1)


class RolesByHand(DeskCase):
    """Every action tried by every role, through the screens."""

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        measured_cooks(cls.world, cls.people["tester"])

    def attempt(self, action):
        """Try an action; return whether something was written."""
        if action == PEOPLE:
            people = Person.objects.count()
            form = {"username": f"lund{people}", "first_name": "Ada", "last_name": "Lund", "role": "cook"}
            self.client.post("/people/", form)
            return Person.objects.count() > people
        before = Record.objects.count()
        if action == RECORD:
            self.client.post("/live/entry/record/", {"line": "wash loss wood 18", "form_key": f"r{before}"})
        elif action == CORRECT:
            self.client.post(
                f"/live/log/{self.wrong.pk}/correct/", {"value": "0.19", "reason": "slip", "form_key": f"c{before}"}
            )
        elif action == COOK:
            form = {"minded": "on", "sure": "1188", "text": "relieved by hand", "form_key": f"b{before}"}
            self.client.post("/live/cook/1188/blow/", form)
        elif action == ORDER:
            grade = hallin_reach().grades[0]
            form = {
                "grade": grade.id,
                "was_grade": grade.id,
                "tonnes": "12",
                "from_at": "16:00",
                "form_key": f"o{before}",
            }
            form |= {f"share_{name}": f"{100 * share:g}" for name, share in grade.shares.items()}
            self.client.post("/live/order/accept/", form)
        elif action == SAMPLE:
            form = {"kind": "sample", "residual_kg_per_m3_as_naoh": "8.2", "at": "14:20", "form_key": f"q{before}"}
            self.client.post("/live/cook/1187/step/", form)
        elif action == MOVE:
            form = {"words": "knife gate", "station": "wash", "to": f"{before}", "form_key": f"v{before}"}
            self.client.post("/live/moves/make/", form)
        elif action == MODEL:
            form = {"recipe": "alder", "out": "920", "cause-920": "valve", "why": "better", "form_key": f"m{before}"}
            self.client.post("/live/cook/relation/accept/", form)
        else:
            self.client.post("/live/hand-over/sign/", {"secret": SECRET, "none": MUST_SAY, "form_key": f"s{before}"})
        return Record.objects.count() > before

    def test_each_role_writes_what_it_may_and_nothing_else(self):
        minutes = count(1)  # an entry of its own for each
        for action in ACTIONS:
            for name, role in ROLES.items():
                with self.subTest(action=action, role=name):
                    self.wrong = self.enter("shives", 0.2, minutes_ago=next(minutes))
                    self.sign_in(name)
                    if action == COOK and Record.objects.filter(tag="blow").exists():
                        continue  # blown once is blown
                    self.assertEqual(self.attempt(action), action in role.actions)

    def test_what_a_role_may_not_do_it_is_not_offered(self):
        self.enter("wash_loss", 17)
        self.sign_in("trainee")
        self.assertNotContains(self.client.get("/live/log/"), "correct/")
        self.assertContains(self.client.get("/live/order/"), "Accepting takes a")
        self.assertContains(self.client.get("/live/hand-over/"), "Signing takes a")


class Refused(DeskCase):
    def test_a_missing_page_leads_back(self):
        self.sign_in()
        answer = self.client.get("/live/nowhere/")
        self.assertContains(answer, "No such page", status_code=404)
        self.assertContains(answer, 'href="/"', status_code=404)

    def test_a_refusal_inside_a_page_is_a_fragment(self):
        self.sign_in("tester")
        answer = self.client.post("/live/cook/1187/blow/", {"minded": "on"}, headers={"HX-Request": "true"})
        self.assertContains(answer, "Not with this role", status_code=403)
        self.assertNotContains(answer, "<html", status_code=403)

    @override_settings(FOX_GALLERY=False)
    def test_the_components_page_is_for_builders(self):
        self.sign_in()
        self.assertEqual(self.client.get("/components/").status_code, 404)

    def test_only_posts_write(self):
        self.sign_in("lead")
        for address in (
            "/live/entry/record/",
            "/live/order/accept/",
            "/live/log/note/",
            "/live/hand-over/sign/",
            "/live/cook/1187/blow/",
        ):
            with self.subTest(address):
                self.assertEqual(self.client.get(address).status_code, 405)


class ShiftTimes(DeskCase):
    def test_a_moment_lies_in_one_shift_of_twelve_hours(self):
        for hour, start in ((5, 18), (6, 6), (14, 6), (17, 6), (18, 18), (23, 18), (0, 18)):
            with self.subTest(hour):
                begun, ended = clock.shift_of(NOW.replace(hour=hour), Shifts())
                self.assertEqual(begun.hour, start)
                self.assertEqual(ended - begun, timedelta(hours=12))
                self.assertTrue(begun <= NOW.replace(hour=hour) < ended)
