"""The pulse: one working out a change, pages alike for many, and nothing of one person's in another's."""

import re
from datetime import timedelta
from unittest.mock import patch

from django.db import connection
from django.test.utils import CaptureQueriesContext

from desk.floor import pulse
from desk.floor.measured import Measured
from desk.floor.models import Beat, OpenPoint, World
from desk.floor.points import keep_point
from desk.floor.remembered import MOST, remembered
from desk.floor.services import store_samples
from desk.floor.state import State
from desk.floor.station import stations
from desk.frame.alike import MARK
from tests.desk.base import NOW, DeskCase
from tests.line import hallin_reach

WARM = 3  # session, person, line
PAGES = [
    "/live/",
    *(f"/live/at/{one.id}/" for one in hallin_reach().stations if one.kind != "cook"),
    "/live/cook/1187/",
]
LIVE = {"HX-Request": "true", "HX-Target": "div#desk"}


def taken():
    return pulse.take(pulse.now_of("live"))


class Beats(DeskCase):
    def test_every_row_kept_is_a_beat_and_samples_are_one_together(self):
        before = Beat.objects.get(world=self.world).beat
        self.enter("brown_cons", 3.5)
        self.assertEqual(Beat.objects.get(world=self.world).beat, before + 1)
        store_samples(self.world.pk, [("brown_cons", 1, 3.5), ("brown_flow", 1, 3500.0)])
        self.assertEqual(Beat.objects.get(world=self.world).beat, before + 2)

    def test_a_state_is_shared_until_something_is_kept_anywhere(self):
        first = taken()
        self.assertIs(taken(), first)
        with connection.cursor() as cursor:  # as another process would
            cursor.execute("UPDATE floor_beat SET beat = beat + 1 WHERE world_id = %s", [self.world.pk])
        self.assertIsNot(taken(), first)

    def test_another_lines_rows_are_no_beat_of_this_one(self):
        other = World.objects.create(slug="other", name="Other", version=self.world.version)
        first = taken()
        store_samples(other.pk, [("brown_cons", 1, 3.5)])
        self.assertIs(taken(), first)


class Alike(DeskCase):
    def test_a_warm_page_asks_the_database_three_things(self):
        self.sign_in()
        for address in PAGES:
            self.client.get(address)
            with self.subTest(address), CaptureQueriesContext(connection) as queries:
                self.assertEqual(self.client.get(address).status_code, 200)
                self.assertEqual(len(queries), WARM, [one["sql"][:120] for one in queries])

    def test_what_was_entered_shows_at_once(self):
        self.sign_in()
        self.client.get("/live/")
        self.enter("cane_brightness", 81.3)
        self.assertContains(self.client.get("/live/"), "81.3")

    def test_each_answer_has_its_own_token_and_keys(self):
        self.sign_in("cook")
        pages = [self.client.get("/live/cook/1187/").content.decode() for _ in range(2)]
        keys = [re.findall(r'name="form_key" value="([^"]+)"', page) for page in pages]
        self.assertTrue(keys[0])
        self.assertFalse(set(keys[0]) & set(keys[1]))
        for page in pages:
            self.assertNotIn(MARK, page)
            for token in re.findall(r'name="csrfmiddlewaretoken" value="([^"]*)"', page):
                self.assertRegex(token, r"^\w{64}$")

    def test_a_form_of_a_shared_page_is_accepted_from_each_person(self):
        from django.test import Client

        for role, value in (("cook", 8.1), ("lead", 8.3)):
            client = Client(enforce_csrf_checks=True)
            client.force_login(self.people[role])
            page = client.get("/live/cook/1187/").content.decode()
            token = re.search(r'csrfmiddlewaretoken" value="(\w+)"', page).group(1)
            key = re.search(r'form_key" value="([^"]+)"', page).group(1)
            form = {
                "kind": "sample",
                "residual_kg_per_m3_as_naoh": value,
                "at": "14:20",
                "form_key": key,
                "csrfmiddlewaretoken": token,
            }
            self.assertEqual(client.post("/live/cook/1187/step/", form).status_code, 302)
        from desk.stations.cook.models import Step

        self.assertEqual(
            sorted(Step.objects.filter(kind="sample").values_list("residual_kg_per_m3_as_naoh", flat=True)), [8.1, 8.3]
        )

    def test_roles_and_units_have_pages_of_their_own(self):
        self.sign_in("cook")
        self.assertContains(self.client.get("/live/cook/1187/"), "Log the correction")
        self.sign_in("trainee")
        self.assertNotContains(self.client.get("/live/cook/1187/"), "Log the correction")
        self.sign_in("operator")
        self.assertContains(self.client.get("/live/at/wash/"), "L/min")
        self.client.post("/preferences/", {"theme": "night", "units": "us", "next": "/live/"})
        self.assertContains(self.client.get("/live/at/wash/"), "US gpm")

    def test_a_refresh_that_changes_nothing_is_answered_before_anything(self):
        self.sign_in()
        tag = self.client.get("/live/", headers=LIVE)["HX-PTag"]
        with CaptureQueriesContext(connection) as queries:
            answer = self.client.get("/live/", headers={**LIVE, "HX-PTag": tag})
        self.assertEqual((answer.status_code, len(queries)), (304, WARM))
        self.enter("brown_cons", 3.5)
        self.assertEqual(self.client.get("/live/", headers={**LIVE, "HX-PTag": tag}).status_code, 200)

    def test_a_first_load_is_small(self):
        self.sign_in()
        page = self.client.get("/live/", headers={"Accept-Encoding": "gzip"})
        self.assertEqual(page["Content-Encoding"], "gzip")
        weight = len(page.content)
        plain = self.client.get("/live/").content.decode()
        files = set(re.findall(r'(?:src|href)="(/static/[^"]+)"', plain)) | {"/static/desk/fonts/atkinson-mono.woff2"}
        self.assertGreater(len(files), 8)
        for address in files:
            answer = self.client.get(address, headers={"Accept-Encoding": "gzip"})
            self.assertIn("max-age=31536000", answer["Cache-Control"])
            weight += len(b"".join(answer.streaming_content))
        self.assertLess(weight, 150_000)


ANYWHERE = {
    "people_person",
    "floor_sample",
    "mill_definitionversion",
    "floor_world",
}  # of no line, or asked by the clock


class Remembered(DeskCase):
    """What follows from entries: made anew by an entry in the tables it is read from, and by no other."""

    def test_whatever_names_its_tables_reads_no_others(self):
        self.sign_in("engineer")
        making, read = [], {}
        really = Measured.of_records

        def watched(state, name, make, every_s, kept_in=None):
            def noted():
                making.append(name if kept_in is not None else None)
                try:
                    return make()
                finally:
                    making.pop()

            if kept_in is not None:
                read.setdefault(name, (set(), {model._meta.db_table for model in kept_in}))
            return really(state, name, noted, every_s, kept_in)

        def listen(execute, sql, params, many, context):
            if making and making[-1] is not None:
                read[making[-1]][0].update(re.findall(r'(?:FROM|JOIN) "?([a-z]+_[a-z]+)', sql))
            return execute(sql, params, many, context)

        state = State(self.world, NOW)
        pages = [page for one in stations() if one.serves(state.line) for page in one.pages(state)]
        with patch.object(Measured, "of_records", watched), connection.execute_wrapper(listen):
            for address in ("/live/", "/live/hand-over/", *pages):
                self.client.get(address)
        self.assertGreater(len(read), 15)
        for name, (tables, named) in read.items():
            with self.subTest(name):
                self.assertLessEqual(tables - ANYWHERE, named)

    def test_an_entry_elsewhere_leaves_it_and_one_of_its_own_makes_it_anew(self):
        made = []

        def asked():
            return State(self.world).of_records("points", lambda: made.append(1) or len(made), 600, [OpenPoint])

        self.assertEqual((asked(), asked()), (1, 1))
        self.enter("brown_cons", 3.5)
        self.assertEqual(asked(), 1)
        keep_point(
            State(self.world), self.people["lead"], kind=OpenPoint.Kind.DEFECT, text="seal of pump 3 weeps",
            owner="Workshop", form_key="p1",
        )  # fmt: skip
        self.assertEqual(asked(), 2)

    def test_what_follows_from_all_entries_is_made_anew_by_each(self):
        made = []

        def asked():
            return State(self.world).of_records("all", lambda: made.append(1) or len(made), 600)

        self.assertEqual((asked(), asked()), (1, 1))
        self.enter("brown_cons", 3.5)
        self.assertEqual((asked(), asked()), (2, 2))

    def test_another_lines_entries_make_nothing_anew(self):
        other = World.objects.create(slug="other", name="Other", version=self.world.version)
        made = []

        def asked():
            return State(self.world).of_records("points", lambda: made.append(1) or len(made), 600, [OpenPoint])

        asked()
        keep_point(
            State(other), self.people["lead"], kind=OpenPoint.Kind.DEFECT, text="seal of pump 3 weeps",
            owner="Workshop", form_key="p1",
        )  # fmt: skip
        self.assertEqual(asked(), 1)

    def test_of_a_moment_that_is_told_nothing_later_is_taken(self):
        then = State(self.world, NOW - timedelta(hours=1))
        self.enter("brown_cons", 3.5, minutes_ago=90)
        self.enter("brown_cons", 9.9, minutes_ago=5)
        State(self.world).lab  # noqa: B018  remembered of the present
        self.assertEqual(then.lab["brown_cons"].value, 3.5)
        self.assertEqual(State(self.world).lab["brown_cons"].value, 9.9)

    def test_the_oldest_goes_when_there_are_too_many(self):
        for at in range(MOST + 1):
            remembered(("number", at), lambda at=at: at)
        self.assertEqual(remembered(("number", 1), lambda: "made again"), 1)  # and is the newest now
        self.assertEqual(remembered(("number", 0), lambda: "made again"), "made again")
        self.assertEqual(remembered(("number", 1), lambda: "made again"), 1)
        self.assertEqual(remembered(("number", 2), lambda: "made again"), "made again")
