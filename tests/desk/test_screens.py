"""The screens: who may enter, pages and their queries, workings, the order."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from desk.floor.models import Order
from desk.floor.state import State
from desk.screens.furnish import furnish
from tests.desk.base import NOW, QUERIES, DeskCase
from tests.line import hallin_reach

PAGES = ["/live/", "/live/order/", "/live/log/", "/live/hand-over/", "/live/methods/", "/live/methods/h_factor/"]


STATIONS = [f"/live/at/{station.id}/" for station in hallin_reach().stations if station.id != "cook"]


class Doors(DeskCase):
    def test_anonymous_requests_reach_nothing_but_sign_in(self):
        addresses = [*PAGES, *STATIONS, "/", "/live/cook/1187/", "/live/working/?of=reading:brown_cons", "/components/"]
        addresses += ["/live/trend/brown_cons/", "/live/hand-over/sheet.pdf"]
        for address in addresses:
            with self.subTest(address):
                answer = self.client.get(address)
                self.assertEqual(answer.status_code, 302)
                self.assertTrue(answer["Location"].startswith("/sign-in/"))
        for address in (
            "/live/entry/record/",
            "/live/order/accept/",
            "/live/log/note/",
            "/live/hand-over/sign/",
            "/preferences/",
        ):
            with self.subTest(address):
                self.assertEqual(self.client.post(address, {"line": "brown cons 3.5"}).status_code, 302)
        self.assertEqual(self.record_count(), 0)

    def test_sign_in_with_password_and_the_door_that_shuts(self):
        good = {"username": "operator", "password": "a long password"}
        self.assertRedirects(self.client.post("/sign-in/", good), "/", fetch_redirect_response=False)
        self.client.logout()
        for _ in range(4):
            answer = self.client.post("/sign-in/", {**good, "password": "wrong"})
            self.assertContains(answer, "do not belong together")
        self.assertEqual(self.client.post("/sign-in/", good).status_code, 429)

    def test_sign_in_never_leads_off_the_desk(self):
        good = {"username": "operator", "password": "a long password", "next": "https://elsewhere.example/"}
        self.assertEqual(self.client.post("/sign-in/", good)["Location"], "/")

    def test_one_press_signs_in_only_in_the_demonstration(self):
        self.assertEqual(self.client.post("/sign-in/as/operator/").status_code, 302)
        with self.settings(FOX_DEMO=False):
            self.assertEqual(self.client.post("/sign-in/as/operator/").status_code, 404)
            self.assertNotContains(self.client.get("/sign-in/"), "2468")

    def test_preferences_are_kept(self):
        person = self.sign_in()
        self.client.post("/preferences/", {"theme": "night", "units": "us", "next": "/live/"})
        person.refresh_from_db()
        self.assertEqual((person.theme, person.units, person.single_keys), ("night", "us", False))
        page = self.client.get("/live/at/cook/", follow=True)
        self.assertContains(page, 'data-theme="night"')
        self.assertContains(self.client.get("/live/at/wash/"), "US gpm")

    def test_policy_and_caching_headers(self):
        self.sign_in()
        answer = self.client.get("/live/")
        self.assertIn("script-src 'self'", answer["Content-Security-Policy"])
        self.assertNotIn("unsafe", answer["Content-Security-Policy"])
        self.assertEqual(answer["Cache-Control"], "no-store")
        self.assertEqual(answer["X-Frame-Options"], "DENY")


class Pages(DeskCase):
    def test_every_page_answers_within_its_queries(self):
        self.enter("cane_brightness", 81.9)
        self.sign_in("lead")
        for address in [*PAGES, *STATIONS, "/live/cook/1187/", "/components/"]:
            self.client.get(address)
            with self.subTest(address), CaptureQueriesContext(connection) as queries:
                answer = self.client.get(address)
                self.assertEqual(answer.status_code, 200)
                self.assertContains(answer, 'id="sentence"')
                self.assertLessEqual(len(queries), QUERIES, [query["sql"][:90] for query in queries])

    def test_the_line_says_the_one_thing_that_needs_a_person(self):
        self.sign_in()
        self.enter("cane_tower_level", 50)
        before = self.client.get("/live/").content.decode()
        self.assertIn("12.8 t/h of chart 90 g cream to the machine.", before)
        self.enter("cane_brightness", 81.9, 5)
        after = self.client.get("/live/").content.decode()
        self.assertIn("cane brightness", after)
        self.assertIn("kg/BDt peroxide", after)

    def test_refreshing_sends_the_live_part_or_nothing(self):
        self.sign_in()
        page = self.client.get("/live/at/wash/")
        tag = page["HX-PTag"]
        headers = {"HX-Request": "true", "HX-Target": "div#desk"}
        again = self.client.get("/live/at/wash/", headers={**headers, "HX-PTag": tag})
        self.assertEqual(again.status_code, 304)
        self.enter("wash_loss", 17.0)
        part = self.client.get("/live/at/wash/", headers={**headers, "HX-PTag": tag})
        self.assertContains(part, 'id="sentence"')
        self.assertNotContains(part, "<html")

    def test_cook_says_when_to_blow(self):
        self.sign_in("cook")
        page = self.client.get("/live/at/cook/", follow=True)
        self.assertContains(page, "Cook 1187 in digester 3 is at temperature")
        self.assertContains(page, "Kappa forecast 18.0, target 18")
        self.assertContains(page, "As a table")

    def test_what_is_to_be_moved_stands_first_on_its_station_and_what_is_to_be_left_under_now(self):
        self.sign_in()
        off = {"pile_c_temp": 53, "wash_loss": 27.0, "cane_brightness": 81.9}
        off |= {"wood_freeness": 500, "sheet_ash": 16.9, "pulper_cons": 17.4}
        for tag, value in off.items():
            self.enter(tag, value)
        for minutes_ago, kappa in ((10, 18.9), (70, 18.1), (130, 17.7)):
            self.enter("kappa_cane", kappa, minutes_ago)
        state, seen = State(self.world), set()
        for station in state.line.stations:
            cards = state.advice_for(state.tags_of(station.id))
            page = self.client.get(f"/live/at/{station.id}/", follow=True).content.decode()
            first, last = page.index('class="cards"'), page.index('id="now-title"')
            for card in cards:
                with self.subTest(station=station.id, tag=card.tag.id):
                    seen.add(station.id)
                    words = f"<strong>{card.correction}.</strong> {card.tag.name} is"
                    self.assertEqual(page.count(words), 1)
                    self.assertEqual(first < page.index(words) < last, not card.leave)
        self.assertLessEqual({"yard", "cook", "wash", "bleach", "recover", "refine", "blend"}, seen)

    def test_unknown_places_are_not_found(self):
        self.sign_in()
        for address in (
            "/nowhere/",
            "/live/at/attic/",
            "/live/cook/9/",
            "/live/methods/none/",
            "/live/working/?of=reading:none",
            "/live/working/?of=cook:x:y",
            "/live/working/?of=odd",
            "/live/trend/none/",
        ):
            with self.subTest(address):
                self.assertEqual(self.client.get(address).status_code, 404)


class Working(DeskCase):
    def open(self, key, path=""):
        return self.client.get(
            reverse("working", args=["live"]), {"of": key, "path": path}, headers={"HX-Request": "true"}
        )

    def test_every_shown_number_opens(self):
        import re

        self.enter("cane_brightness", 81.9)
        self.sign_in()
        opened = set()
        for address in ["/live/", *STATIONS, "/live/cook/1187/"]:
            html = self.client.get(address).content.decode()
            for link in re.findall(r'hx-get="(/live/working/[^"]+)"', html):
                opened.add(link.replace("&amp;", "&"))
        self.assertGreater(len(opened), 40)
        for link in opened:
            with self.subTest(link):
                self.assertContains(self.client.get(link, headers={"HX-Request": "true"}), "Working:")

    def test_measured_entered_set_and_computed_are_told_apart(self):
        self.enter("cane_brightness", 81.9)
        self.sign_in()
        self.assertSays(self.open("reading:brown_cons"), "Measured 10 Mar 14:30: shear transmitter, ± 0.03 %")
        self.assertSays(self.open("reading:cane_brightness"), "Entered 10 Mar 14:20: T. Test, pad, ISO 2470-1")
        cover = self.open("cover:paper_chest")
        self.assertContains(cover, "computed: bone-dry contents of a chest")
        deeper = self.open("cover:paper_chest", "level_bdt")
        self.assertSays(deeper, "set: vessel, version 1, approved")
        self.assertSays(deeper, "measured 14:30: pressure cell")
        self.assertSays(deeper, "Back to cover in Machine chest")

    def test_it_is_a_page_without_scripts(self):
        self.sign_in()
        self.assertContains(self.client.get("/live/working/?of=cover:paper_chest"), "how it was worked out")


class OrderScreen(DeskCase):
    def form(self, **changes):
        grade = hallin_reach().grades[0]
        typed = {"grade": grade.id, "was_grade": grade.id, "tonnes": "12.0", "from_at": "16:00", "form_key": "one"}
        typed |= {f"share_{name}": f"{100 * share:g}" for name, share in grade.shares.items()}
        return {**typed, **changes}

    def test_it_recomputes_as_typed(self):
        self.sign_in("lead")
        answer = self.client.post("/live/order/try/", self.form(tonnes="14"))
        self.assertContains(answer, "14 t/h of chart 90 g cream can be met. Reel would bind first, at 14.4 t/h.")
        answer = self.client.post("/live/order/try/", self.form(tonnes="16"))
        self.assertContains(answer, "cannot be met: Reel would carry")

    def test_another_grade_brings_its_recipe(self):
        self.sign_in("lead")
        answer = self.client.post("/live/order/try/", self.form(grade="envelope_white"))
        self.assertContains(answer, "12.2 t/h of envelope 80 g white can be met")

    def test_the_brightness_expected_opens_its_working(self):
        for tag, value in (("wood_brightness", 84.6), ("cane_brightness", 83.0), ("rec_brightness", 78.3)):
            self.enter(tag, value)
        self.sign_in("lead")
        page = self.client.post("/live/order/try/", self.form())
        shown = page.context["forecast"]
        self.assertTrue(78 < shown.value < 86)
        self.assertContains(page, "wanted 81.8")
        opened = self.client.get("/live/working/", {"of": shown.key}, headers={"HX-Request": "true"})
        self.assertContains(opened, "wood 84.6 (entered)")
        self.assertContains(opened, "bales 87 (set)")

    def test_without_pads_no_brightness_is_made_up(self):
        self.sign_in("lead")
        self.assertIsNone(self.client.post("/live/order/try/", self.form()).context["forecast"])

    def test_accepting_writes_order_and_log(self):
        self.sign_in("lead")
        self.client.post("/live/order/accept/", self.form())
        self.assertEqual(Order.objects.order_by("-id").first().reel_t_per_h, 12.0)
        self.assertContains(self.client.get("/live/log/"), "Order accepted: 12 t/h of chart 90 g cream, from 16:00")

    def test_a_form_sent_twice_counts_once(self):
        self.sign_in("lead")
        self.client.post("/live/order/accept/", self.form())
        self.client.post("/live/order/accept/", self.form())
        self.assertEqual(Order.objects.count(), 2)
        self.assertEqual(self.record_count(), 1)

    def test_what_cannot_be_accepted_keeps_what_was_typed(self):
        self.sign_in("lead")
        for changes, words in (
            ({"tonnes": "16"}, "14.41 t/h at most"),
            ({"tonnes": "-4"}, "Tonnes is -4 t/h. Allowed: more than 0, up to 200 t/h"),
            ({"tonnes": "lots"}, "is &#x27;lots&#x27;, which is not a number"),
            ({"share_wood": "140"}, "Wood is 140 %. Allowed: 0 to 100 %"),
            ({"share_wood": "60"}, "they must add to 100 %"),
            ({"from_at": "soon"}, "is no time of day"),
            ({"grade": "gold"}, "there is no grade"),
        ):
            with self.subTest(words):
                answer = self.client.post("/live/order/accept/", self.form(**changes))
                self.assertContains(answer, words, status_code=422)
                for text in changes.values():
                    if text != "gold":
                        self.assertContains(answer, f'value="{text}"', status_code=422)
        self.assertEqual(Order.objects.count(), 1)
        self.assertEqual(self.record_count(), 0)

    def test_a_wrong_role_is_told_which_role_may(self):
        self.sign_in("operator")
        answer = self.client.post("/live/order/accept/", self.form())
        self.assertContains(answer, "that takes a shift lead or process engineer", status_code=422)
        self.assertEqual(Order.objects.count(), 1)

    def test_a_coming_order_is_next_up_and_takes_over(self):
        self.sign_in("lead")
        self.client.post(
            "/live/order/accept/",
            self.form(
                grade="label_base",
                was_grade="",
                tonnes="10",
                share_wood="52",
                share_cane="16",
                share_recovered="6",
                share_bales="16",
                share_cream_broke="0",
                share_white_broke="10",
            ),
        )
        self.assertContains(self.client.get("/live/"), "Change to label base 68 g")
        later = Order.objects.order_by("-id").first()
        self.assertEqual(later.from_at, NOW.replace(hour=16, minute=0) + timedelta(0))


class Furnish(DeskCase):
    def test_each_furnish_is_called_by_its_family_or_by_its_store(self):
        self.assertEqual(
            list(furnish(State(self.world, NOW)).values()),
            ["Wood", "Cane", "Recovered", "Bales", "Broke, cream", "Broke, white"],
        )
