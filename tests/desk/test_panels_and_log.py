"""Set panels, the book of methods, the log, trends, preferences, moments as typed."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from desk.floor.logged import logged_since
from desk.floor.models import Record, World
from desk.floor.services import record_event
from desk.floor.state import State
from desk.frame.forms import moment
from desk.frame.panels.attempt import attempt
from desk.mill.services import approve_definition
from stock.errors import DomainError
from tests.desk.base import NOW, QUERIES, DeskCase, panels_at
from tests.line import BENCH, hallin_reach


class SetPanels(DeskCase):
    def test_each_station_works_its_panel_out(self):
        self.sign_in()
        for tag, value in (
            ("chip_moisture", 48.4),
            ("white_liquor_ea", 104.6),
            ("pulper_cons", 15.9),
            ("slush_cons", 4.9),
            ("wood_freeness", 470),
            ("bale_freeness", 530),
            ("cane_dirt", 1.7),
        ):
            self.enter(tag, value)
        for station in hallin_reach().stations:
            with self.subTest(station.id):
                if station.id == "cook":  # its charge sheet is worked out in place of a panel
                    answer = self.client.post("/live/cook/charge/try/", {"digester": "2", "recipe": "alder"})
                    self.assertContains(answer, "White liquor")
                    self.assertContains(answer, "Schedule")
                    continue
                panels = panels_at(State(self.world, NOW), station.id)
                self.assertTrue(panels)
                for panel in panels:
                    answer = self.client.post(f"/live/at/{station.id}/set/{panel.id}/", {})
                    self.assertContains(answer, "set-say")

    def test_typed_values_are_used_and_kept(self):
        self.sign_in()
        typed = {"production_bdt_per_h": "25", "dilution_factor_t_per_bdt": "2.5", "discharge_consistency_pct": "12.5"}
        self.assertContains(
            self.client.post("/live/at/wash/set/shower-wood_wash/", typed), "Set the shower to 3958 L/min"
        )
        answer = self.client.post("/live/at/wash/set/shower-wood_wash/", {**typed, "discharge_consistency_pct": "140"})
        self.assertContains(answer, "Mat consistency is 140 %, outside more than 0 to less than 100 %")
        answer = self.client.post(
            "/live/at/wash/set/shower-wood_wash/", {**typed, "discharge_consistency_pct": "x" * 5000}
        )
        self.assertContains(answer, "which is not a number")

    def test_a_panel_goes_by_what_the_machines_are_told_to_be_and_says_little_in_two_digits(self):
        panels = {one.id: one for one in panels_at(State(self.world, NOW), "wash")}
        tank = {one.name: one for one in attempt(panels["stray_by_tank-cane_wash"], {}).fields}["tank_m3"]
        vat = {one.name: one for one in attempt(panels["vat_liquor-cane_wash"], {}).fields}["vat_consistency_pct"]
        machine = hallin_reach().unit("cane_wash").machines[0]
        self.assertEqual((tank.text, vat.text), (f"{machine.tank_m3:g}", f"{machine.vat_consistency_pct:g}"))
        self.assertIn("Cane washer 1", tank.origin)
        small = attempt(panels["shower-cane_wash"], {"production_bdt_per_h": "0.0003787"})
        self.assertEqual(small.sentence, "Set the shower to 0.070 L/min.")
        self.assertEqual(
            attempt(panels["shower-cane_wash"], {"production_bdt_per_h": "0"}).sentence, "Set the shower to 0 L/min."
        )

    def test_one_test_that_does_not_tell_two_values_apart_asks_for_the_next(self):
        self.enter("wood_freeness", 470)
        panel = next(one for one in panels_at(State(self.world, NOW), "refine") if one.id == "power-wood_refine")
        reach = 2 * hallin_reach().tag("wood_freeness").uncertainty
        for now, alike in ((460, False), (460 + reach, True), (460 - 1, True), (460 + reach + 1, False)):
            with self.subTest(now):
                tried = attempt(panel, {"now_csf_ml": str(now)})
                self.assertEqual(bool(tried.alike), alike)
        self.sign_in()
        words = "One test does not tell the two apart, ± 12 mL CSF: leave it until the next says the same."
        self.assertContains(self.client.get("/live/at/refine/"), words)
        answer = self.client.post("/live/at/refine/set/power-wood_refine/", {"now_csf_ml": "490"})
        self.assertNotContains(answer, "does not tell the two apart")

    def test_a_share_is_shown_typed_and_refused_in_per_cent(self):
        self.enter("chip_moisture", 48.4)
        shares = 0
        for station in hallin_reach().stations:
            for stood in panels_at(State(self.world, NOW), station.id):
                for one in attempt(stood, {}).fields:
                    if "_frac" in one.name:
                        shares += 1
                        self.assertEqual(one.unit, "%", one.label)
                        self.assertTrue(one.allowed.endswith("%"), one.allowed)
        self.assertGreater(shares, 20)
        panel = next(one for one in panels_at(State(self.world, NOW), "yard") if one.panel.id == "wet_chips")
        shown = next(one for one in attempt(panel, {}).fields if one.name == "moisture_now_frac")
        self.assertEqual(shown.text, "48.4")
        drier = attempt(panel, {"moisture_now_frac": "45"})
        self.assertAlmostEqual(drier.figures[0].data["moisture_now_frac"].value, 0.45)
        self.assertEqual(drier.warnings, [])
        self.assertIn(
            "Moisture now is 100 %, outside 0 to less than 100 %", attempt(panel, {"moisture_now_frac": "100"}).faults
        )
        self.assertAlmostEqual(
            attempt(panel, {"moisture_now_frac": "45 %"}).figures[0].data["moisture_now_frac"].value, 0.45
        )
        self.assertIn("could be 1.234 or 1234", attempt(panel, {"moisture_now_frac": "1,234"}).faults)
        slip = attempt(panel, {"moisture_now_frac": "0.484"})
        self.assertIn("Moisture now is 0.484 %: type 48.4 if that share was meant, it is in per cent", slip.warnings)

    def test_filler_for_the_ash_of_the_grade_is_what_the_balance_feeds(self):
        state = State(self.world, NOW)
        panel = next(one for one in panels_at(state, "blend") if one.panel.id == "filler")
        tried = attempt(panel, {})
        self.assertAlmostEqual(tried.figures[0].value, state.result.streams["filler"].bdt_per_h, delta=0.005)
        less = attempt(panel, {"sheet_filler_frac": "9"})
        sheet = state.result.streams["dry_sheet"].bdt_per_h
        retained = tried.figures[0].data["overall_frac"].value
        self.assertAlmostEqual(tried.figures[0].value - less.figures[0].value, 0.09 * sheet / retained, places=3)

    def test_a_solution_brings_the_stock_to_the_consistency_of_its_stage(self):
        for name, station in (("wood_bleach", "bleach"), ("rec_bleach", "recover")):
            panels = {one.id: one for one in panels_at(State(self.world, NOW), station)}
            tried = attempt(panels[f"solution-{name}"], {})
            own = hallin_reach().unit(name).last.consistency_pct
            self.assertIn(f"The stock stands at {own:.1f} % and ", tried.sentence)
            colder = attempt(panels[f"solution-{name}"], {"solution_temperature_c": "2", "charge_kg_per_bdt": "12"})
            before, after = (one.figures[0].results["temperature_c"] for one in (tried, colder))
            self.assertLess(after, before)

    def test_what_was_read_stands_in_a_panel_as_it_is_shown(self):
        self.enter("wood_freeness", 471.6)
        panel = next(one for one in panels_at(State(self.world, NOW), "refine") if one.id == "power-wood_refine")
        shown = next(one for one in attempt(panel, {}).fields if one.name == "now_csf_ml")
        self.assertEqual(shown.text, "472")

    def test_a_tray_has_no_drop_leg_no_vat_and_no_tank(self):
        version = approve_definition(BENCH.read_text(encoding="utf-8"), "E. Test")
        world = World.objects.create(slug="bench", name="Bench", version=version)
        found = {one.panel.id for one in panels_at(State(world, NOW), "wash")}
        self.assertIn("shower", found)
        self.sign_in()
        page = self.client.get("/bench/at/wash/")
        self.assertContains(page, "Wash screen at 0.4 kg BD/h")
        self.assertGreaterEqual(page.content.decode().count("0.060"), 2)  # L/min of shower, in its table and panel
        self.assertNotContains(page, "Allowed:")  # its own numbers are never refused
        self.assertEqual(found & {"vacuum_limit", "leg_vacuum", "vat_liquor", "stray_by_tank", "mat_load"}, set())


class MethodBook(DeskCase):
    def test_every_method_opens_with_its_example_worked_out(self):
        from stock.book import METHODS

        self.sign_in()
        for name in METHODS:
            with self.subTest(name):
                answer = self.client.get(f"/live/methods/{name}/")
                self.assertEqual(answer.status_code, 200)
                self.assertIsNone(answer.context["error"])
                self.assertTrue(answer.context["results"])

    def test_search_and_live_trial(self):
        self.sign_in()
        self.assertContains(self.client.get("/live/methods/?find=kubelka"), "Brightness of a blend")
        self.assertContains(self.client.get("/live/methods/?find=zebra"), "Nothing in the book matches")
        htmx = {"HX-Request": "true"}
        typed = {"green_mass_t": "40", "moisture_wet_frac": "0.5"}
        self.assertContains(self.client.post("/live/methods/bone_dry_mass_t/", typed, headers=htmx), "20")
        typed["moisture_wet_frac"] = "1"
        self.assertContains(
            self.client.post("/live/methods/bone_dry_mass_t/", typed, headers=htmx), "outside 0 to less than 1"
        )

    def test_trend_gives_instrument_and_laboratory(self):
        self.sign_in()
        self.enter("brown_cons", 3.5, 30)
        data = self.client.get("/live/trend/brown_cons/?hours=4").json()
        self.assertGreater(len(data["live"][0]), 50)
        self.assertEqual(data["lab"][1], [3.5])
        self.assertEqual(data["band"]["control"], [3.4, 3.6])
        self.assertEqual(self.client.get("/live/trend/brown_cons/?hours=soon").status_code, 200)


class LogPages(DeskCase):
    def setUp(self):
        super().setUp()
        for index in range(95):
            self.enter("wash_loss", round(15 + index / 50, 2), 100 + index)
        self.enter("kappa_wood", 18.3, 5)

    def test_it_is_parted_into_pages_the_newest_first(self):
        self.sign_in()
        first = self.client.get("/live/log/")
        self.assertContains(first, "96 entries, the newest first.")
        self.assertContains(first, "page 1 of 3")
        self.assertContains(first, "Wood kappa")
        last = self.client.get("/live/log/?page=3")
        self.assertContains(last, "page 3 of 3")
        self.assertNotContains(last, "<td>Wood kappa")

    def test_a_page_that_is_not_there_gives_the_nearest(self):
        self.sign_in()
        self.assertContains(self.client.get("/live/log/?page=99"), "page 3 of 3")
        self.assertContains(self.client.get("/live/log/?page=two"), "page 1 of 3")

    def test_filters_join(self):
        self.sign_in()
        self.assertContains(self.client.get("/live/log/?kind=reading&station=cook"), "1 entry found")
        self.assertContains(self.client.get("/live/log/?station=cook&words=wash"), "0 entries found")
        self.assertContains(self.client.get("/live/log/?words=Kappa"), "1 entry found")
        self.assertContains(self.client.get("/live/log/?kind=nonsense"), "96 entries found")

    def test_the_page_costs_the_same_however_long_the_log(self):
        self.sign_in()
        self.client.get("/live/log/")
        with CaptureQueriesContext(connection) as queries:
            self.client.get("/live/log/")
        self.assertLessEqual(len(queries), QUERIES)


class BesideAdvice(DeskCase):
    def test_a_card_lists_what_was_logged_there_since_the_test_before_and_nothing_else(self):
        self.enter("cane_brightness", 83.4, minutes_ago=130)
        self.enter("cane_brightness", 81.9, minutes_ago=10)
        for minutes, station, text in (
            (60, "bleach", "Pump reset"),
            (150, "bleach", "Before it"),
            (50, "wash", "Else"),
        ):
            record_event(
                self.world, self.people["operator"], text, station=station, at=NOW - timedelta(minutes=minutes),
                form_key=f"e{minutes}",
            )  # fmt: skip
        state = State(self.world, NOW)
        found = logged_since(state, state.line.tag("cane_brightness"))
        self.assertEqual([one.text for one in found], ["Pump reset"])
        self.sign_in()
        self.assertSays(self.client.get("/live/at/bleach/"), "Logged since the test before:")
        self.enter("cane_brightness", 82.0, minutes_ago=5)
        self.enter("cane_brightness", 82.1, minutes_ago=1)
        self.assertEqual(logged_since(State(self.world, NOW), state.line.tag("cane_brightness")), [])


class Trends(DeskCase):
    def test_a_long_span_is_thinned(self):
        self.sign_in()
        data = self.client.get("/live/trend/machine_level/?hours=72").json()
        self.assertLessEqual(len(data["live"][0]), 241)
        self.assertEqual(data["live"][0], sorted(data["live"][0]))

    def test_a_tag_of_the_laboratory_has_points_alone(self):
        self.enter("wash_loss", 17.2, 30)
        self.sign_in()
        data = self.client.get("/live/trend/wash_loss/").json()
        self.assertEqual((data["live"], data["lab"][1]), ([[], []], [17.2]))

    def test_a_corrected_value_leaves_the_trend(self):
        from desk.floor.services import correct

        record = self.enter("wash_loss", 71.0, 30)
        correct(record, self.people["tester"], value=17.1, text="", reason="slip", form_key="c")
        self.sign_in()
        self.assertEqual(self.client.get("/live/trend/wash_loss/").json()["lab"][1], [17.1])


class Preferences(DeskCase):
    def test_what_is_not_offered_is_not_kept(self):
        person = self.sign_in()
        self.client.post("/preferences/", {"theme": "plaid", "units": "cubits", "single_keys": "on"})
        person.refresh_from_db()
        self.assertEqual((person.theme, person.units), ("system", "metric"))

    def test_a_preference_never_changes_a_role(self):
        person = self.sign_in("trainee")
        self.client.post("/preferences/", {"theme": "light", "units": "us", "role": "lead", "is_superuser": "on"})
        person.refresh_from_db()
        self.assertEqual((person.role, person.is_superuser, person.units), ("trainee", False, "us"))


class Moments(DeskCase):
    def test_a_time_with_or_without_its_day(self):
        state = State(self.world, NOW)  # 10 March, 14:30
        for text, expected in (
            ("", "10 14:30"),
            ("14:05", "10 14:05"),
            ("at 9.15", "10 09:15"),
            ("14:31", "10 14:30"),
            ("16:00", "10 16:00"),
            ("23:50", "10 23:50"),
            ("yesterday 22:10", "09 22:10"),
            ("today 02:00", "10 02:00"),
            ("9 Mar 22:10", "09 22:10"),
            ("2026-03-08, 07:00", "08 07:00"),
        ):
            with self.subTest(text):
                self.assertEqual(f"{moment(state, text):%d %H:%M}", expected)
        late = State(self.world, NOW.replace(hour=1))
        self.assertEqual(f"{moment(late, '23:50'):%d %H:%M}", "09 23:50")
        self.assertEqual(f"{moment(late, '25 Dec 10:00'):%Y %b}", "2025 Dec")
        for text in ("25:99", "soon", "31 Feb 10:00", "14:05:10"):
            with self.subTest(text), self.assertRaises(DomainError) as caught:
                moment(state, text)
            self.assertIn("yesterday 22:10", caught.exception.allowed)

    def test_a_reading_of_yesterday_is_entered_as_one(self):
        self.sign_in("tester")
        form = {"line": "brown cons 3.5 at yesterday 22:10", "form_key": "y1"}
        self.client.post("/live/entry/record/", form, headers={"HX-Request": "true"})
        self.assertEqual(f"{Record.objects.get(tag='brown_cons').at:%d %H:%M}", "09 22:10")

    def test_a_moment_to_come_is_refused_not_booked_a_day_back(self):
        self.sign_in("cook")
        answer = self.client.post(
            "/live/cook/1187/step/", {"kind": "sample", "residual_kg_per_m3_as_naoh": "8", "at": "14:50"}
        )
        self.assertContains(answer, "is in the future", status_code=422)

    def test_the_field_at_fault_is_named_to_the_page(self):
        self.sign_in("cook")
        answer = self.client.post(
            "/live/cook/1187/step/", {"kind": "sample", "residual_kg_per_m3_as_naoh": "8 or so", "at": "14:20"}
        )
        self.assertContains(answer, '"fault": "residual_kg_per_m3_as_naoh"', status_code=422)
