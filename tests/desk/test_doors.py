"""The doors: who comes in, who may do what, what strangers can stall; every address there is, from the list itself."""

import re
from datetime import timedelta
from unittest import mock

from django.test import override_settings
from django.urls import URLPattern, URLResolver, get_resolver
from django.utils import timezone

from desk.floor.models import Record
from desk.floor.points import MUST_SAY
from desk.floor.state import State
from desk.floor.station import stations
from desk.people.limits import FREE, OF_ADDRESS
from desk.people.models import FailedTry, Person
from desk.people.roles import PEOPLE, ROLES
from tests.desk.base import NOW, SECRET, DeskCase

OPEN = {"people:sign_in", "people:sign_in_as", "people:unlock", "health"}
GIVEN = {
    "world_slug": "live",
    "username": "operator",
    "station_id": "wash",
    "panel_id": "shower-wood_wash",
    "tag_id": "brown_cons",
    "name": "h_rate",
    "pk": "1",
    "number": "1187",
    "pile_id": "pile_c",
    "table": "lots",
    "form": "csv",
}
METHODS = ("get", "post", "head", "put", "patch", "delete", "options")
SAID = {200, 204, 302, 304, 400, 401, 403, 404, 405, 409, 422, 423, 429}


UNITS = {"wash": "wood_wash", "screens": "wood_screen", "bleach": "wood_bleach"}  # a unit its own pages are about


def addresses(patterns=None, before="", space=""):
    """Yield (name, address) of every pattern of the desk, its parts filled in."""
    for one in patterns if patterns is not None else get_resolver().url_patterns:
        route = before + str(one.pattern)
        if isinstance(one, URLResolver):
            inner = f"{space}{one.namespace}:" if one.namespace else space
            yield from addresses(one.url_patterns, route, inner)
        elif isinstance(one, URLPattern):
            for part, unit_id in UNITS.items():
                route = route.replace(f"{part}/<slug:unit_id>", f"{part}/{unit_id}")
            for kind in ("slug", "int", "str"):
                for name, value in GIVEN.items():
                    route = route.replace(f"<{kind}:{name}>", value)
            yield f"{space}{one.name}", f"/{route}"


FORM = re.compile(r'<form method="post" action="([^"]+)"(.*?)</form>', re.DOTALL)
WHAT_IF = "/live/ahead/what-if/"  # it writes nothing: anybody may ask
EVERYBODYS = (WHAT_IF, "/sign-out/", "/preferences/", "/live/entry/record/", "/unlock/", "/own/", "/sign-in/")
NOT_HERE = {"people:sign_out", "people:sign_in_as"}
LOOK_FIRST = ("lead", "engineer", "trainee")  # at everything; the others where one of these finds something to do


class EveryAddress(DeskCase):
    def test_every_address_is_filled_in(self):
        found = dict(addresses())
        self.assertGreater(len(found), 70)
        self.assertEqual([address for address in found.values() if "<" in address], [])

    def test_strangers_come_in_nowhere(self):
        for name, address in addresses():
            for method in ("get", "post", "put", "delete"):
                with self.subTest(address, method=method):
                    answer = getattr(self.client, method)(address)
                    if name in OPEN:
                        self.assertIn(answer.status_code, SAID)
                    elif answer.status_code != 405:
                        self.assertEqual((answer.status_code, answer.url.partition("?")[0]), (302, "/sign-in/"))
        self.assertFalse(Record.objects.exists())

    def looked_at(self):
        """Yield every address that is got, and the pages of the stations that stand for others of their kind."""
        state = State(self.world, NOW)
        yield from (address for name, address in addresses() if name not in NOT_HERE)
        yield from (f"/live/at/{one.id}/" for one in state.line.stations)
        for one in stations():
            if one.serves(state.line):
                yield from one.pages(state)

    def test_nobody_breaks_anything_who_only_looks_writes_nothing_and_what_is_offered_may_be_done(self):
        pages, shows = list(dict.fromkeys(self.looked_at())), set()
        asking = set()  # pages with something to do, for whoever looked
        for role in (*LOOK_FIRST, *sorted(set(ROLES) - set(LOOK_FIRST))):
            self.sign_in(role)
            before, offered = Record.objects.count(), set()
            for address in pages if role in LOOK_FIRST else [one for one in pages if one in asking]:
                with self.subTest(address, role=role, method="get"):
                    answer = self.client.get(address)
                    self.assertIn(answer.status_code, SAID)
                    self.assertIn("Cache-Control", answer.headers)
                    self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
                    if found := self.offered(answer):
                        offered |= found
                        asking.add(address)
            self.assertEqual(bool(offered), role != "trainee")
            for action in sorted(offered):
                with self.subTest(role=role, offered=action):
                    self.assertNotEqual(self.client.post(action, {"form_key": "o"}).status_code, 403)
            for name, address in addresses():
                if name in NOT_HERE or (address in shows and role != "trainee"):
                    continue  # a page that only shows takes no form from anybody: the lead's is enough
                if role != "lead" and address in offered:
                    continue  # sent just now
                for method in METHODS[1:] if role == "lead" else METHODS[1:2]:
                    with self.subTest(address, role=role, method=method):
                        status = getattr(self.client, method)(address).status_code
                        self.assertIn(status, SAID)
                        if method == "post" and status == 200:
                            shows.add(address)
            if role == "trainee":
                self.assertEqual(Record.objects.count(), before)

    @staticmethod
    def offered(answer):
        """Return what a page offers to do, but for what everybody may."""
        if answer.status_code != 200 or answer.streaming:
            return set()
        return {
            action
            for action, inside in FORM.findall(answer.content.decode(errors="replace"))
            if "<button" in inside and not action.startswith(EVERYBODYS)
        }

    def test_the_list_of_people_is_for_who_keeps_it(self):
        for role, carried in ROLES.items():
            self.sign_in(role)
            wanted = 200 if PEOPLE in carried.actions else 403
            self.assertEqual(self.client.get("/people/").status_code, wanted)
            done = self.client.post(f"/people/{self.people['trainee'].pk}/", {"do": "role", "role": "trainee"})
            self.assertEqual(done.status_code, wanted)


class Knocking(DeskCase):
    def try_it(self, name="operator", password="wrong", address="10.0.0.1"):
        return self.client.post("/sign-in/", {"username": name, "password": password}, REMOTE_ADDR=address)

    def test_waits_double_before_anything_is_hashed(self):
        for _ in range(FREE + 1):
            self.assertEqual(self.try_it().status_code, 200)
        with mock.patch("desk.people.views.authenticate") as hashed:
            answer = self.try_it(password="a long password")
        self.assertEqual(answer.status_code, 429)
        self.assertContains(answer, "Too many wrong tries. Wait", status_code=429)
        hashed.assert_not_called()
        FailedTry.objects.update(at=timezone.now() - timedelta(seconds=6))
        self.assertEqual(self.try_it().status_code, 200)  # the first wait is over; one more wrong one doubles it
        FailedTry.objects.update(at=timezone.now() - timedelta(seconds=6))
        self.assertEqual(self.try_it().status_code, 429)

    def test_a_stranger_elsewhere_shuts_nobody_out(self):
        for _ in range(8):
            self.try_it(address="10.9.9.9")
        self.assertEqual(self.try_it(password="a long password").status_code, 302)

    def test_one_address_cannot_try_many_names(self):
        for index in range(OF_ADDRESS):
            self.try_it(name=f"nobody-{index}")
        self.assertEqual(self.try_it(name="another").status_code, 429)
        self.assertEqual(FailedTry.objects.count(), OF_ADDRESS)

    def test_old_tries_are_forgotten(self):
        FailedTry.objects.create(name="x", at=timezone.now() - timedelta(days=2))
        self.try_it()
        self.assertEqual(FailedTry.objects.count(), 1)

    def test_wrong_secrets_are_told_in_the_log(self):
        self.sign_in("lead")
        for index in range(5):
            FailedTry.objects.update(at=timezone.now() - timedelta(minutes=5))
            self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": "0000", "form_key": f"s{index}"})
        self.assertEqual(Record.objects.get().text, "5 wrong signing secrets were tried as L. Test")


@override_settings(FOX_IDLE_MIN=10)
class LeftAlone(DeskCase):
    def at(self, minutes):
        moment = timezone.now() + timedelta(minutes=minutes)
        return mock.patch("desk.people.lock.now", return_value=moment)

    def setUp(self):
        super().setUp()
        self.sign_in()
        self.client.get("/live/")

    def test_a_desk_left_alone_locks_and_its_person_opens_it(self):
        with self.at(9):
            self.assertEqual(
                self.client.get("/live/", headers={"HX-Request": "true", "HX-Target": "#desk"}).status_code, 200
            )
        with self.at(11):
            self.assertEqual(
                self.client.get("/live/", headers={"HX-Request": "true", "HX-Target": "#desk"}).status_code, 423
            )
            self.assertContains(self.client.get("/live/log/"), "locked itself", status_code=423)
            wrong = self.client.post("/unlock/", {"secret": "1"}, headers={"Accept": "application/json"})
            self.assertEqual((wrong.status_code, wrong.json()["fault"]), (423, "That is not your secret."))
            right = self.client.post("/unlock/", {"secret": SECRET}, headers={"Accept": "application/json"})
            self.assertEqual(right.status_code, 200)
            self.assertEqual(self.client.get("/live/").status_code, 200)

    def test_what_was_typed_into_a_form_that_came_too_late_is_kept(self):
        with self.at(11):
            answer = self.client.post("/live/log/note/", {"text": "pump 3 hums", "form_key": "n"})
            self.assertContains(answer, 'name="text" value="pump 3 hums"', status_code=423)
            self.assertFalse(Record.objects.exists())
            form = {"secret": SECRET, "to": "/live/log/note/", "text": "pump 3 hums", "form_key": "n"}
            opened = self.client.post("/unlock/", form)
            self.assertContains(opened, 'name="text" value="pump 3 hums"')
            self.client.post("/live/log/note/", {"text": "pump 3 hums", "form_key": "n"})
        self.assertEqual(Record.objects.get().text, "pump 3 hums")

    def test_unlocking_leads_nowhere_else(self):
        with self.at(11):
            self.client.get("/live/")
            self.assertEqual(self.client.post("/unlock/", {"secret": SECRET, "to": "//elsewhere.example/"}).url, "/")


@override_settings(FOX_DEMO=False)
class People(DeskCase):
    def add(self, **given):
        self.sign_in("engineer")
        form = {"username": "lund", "first_name": "Ada", "last_name": "Lund", "role": "cook", **given}
        return self.client.post("/people/", form)

    def test_somebody_new_sets_their_own_password_and_secret_first(self):
        answer = self.add()
        password = answer.context["told"].split(" with ")[1].split(" once")[0]
        self.client.post("/sign-out/")
        self.client.post("/sign-in/", {"username": "lund", "password": password})
        self.assertEqual(self.client.get("/live/").url, "/own/")
        for given, words in (
            ({"password": "short", "secret": "482913"}, "too short"),
            ({"password": "heron lamp quartz", "secret": "4829"}, "at least 6"),
            ({"password": "heron lamp quartz", "secret": "123456"}, "guessed at once"),
            ({"password": password, "secret": "482913"}, "password you were given"),
        ):
            self.assertContains(self.client.post("/own/", given), words, status_code=422)
        self.client.post("/own/", {"password": "heron lamp quartz", "secret": "482913"})
        self.assertEqual(self.client.get("/live/").status_code, 200)
        self.assertTrue(Person.objects.get(username="lund").check_signing_secret("482913"))

    def test_who_leaves_is_retired_and_never_deleted(self):
        self.sign_in("engineer")
        cook = self.people["cook"]
        self.client.post(f"/people/{cook.pk}/", {"do": "retire"})
        self.assertFalse(Person.objects.get(pk=cook.pk).is_active)
        self.client.post(f"/people/{cook.pk}/", {"do": "return"})
        self.client.post(f"/people/{cook.pk}/", {"do": "reset"})
        cook.refresh_from_db()
        self.assertTrue(cook.is_active and cook.must_change)
        self.assertEqual(cook.signing_secret, "")
        me = self.people["engineer"].pk
        self.assertEqual(self.client.post(f"/people/{me}/", {"do": "role", "role": "cook"}).status_code, 422)
        self.assertEqual(self.client.post(f"/people/{me}/", {"do": "retire"}).status_code, 422)

    def test_a_name_twice_or_missing_is_refused_with_what_was_typed(self):
        answer = self.add(username="operator")
        self.assertContains(answer, "already exists", status_code=422)
        self.assertContains(answer, 'value="Lund"', status_code=422)
