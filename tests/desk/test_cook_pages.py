"""The pages of the cook house and what it tells every page."""

import re

from desk.floor.handover import compose
from desk.floor.models import Cook
from desk.floor.next_up import next_up
from desk.stations.cook.models import Step
from tests.desk.base import QUERIES, AtMost
from tests.desk.cook_house import ABC, CHIPS, LIQUOR_FORM, HouseCase


class Told(HouseCase):
    def test_the_rail_the_hand_over_and_the_search_know_the_cook_house(self):
        self.plan(due=30)
        state = self.state()
        whats = [item.what for item in next_up(state)]
        self.assertIn("Charge cook 1190, digester 2", whats)
        self.assertIn("Blow cook 1187, digester 3", whats)
        sections = {one["title"]: one["rows"] for one in compose(state)["sections"]}
        self.assertTrue(sections["Cooks in flight"][0].startswith("Cook 1187, digester 3: at temperature, H "))
        self.assertEqual(len(sections["Liquor"]), 3)
        self.sign_in()
        self.assertContains(
            self.client.post("/live/entry/read/", {"line": "cook 1187"}), "Alder kraft, bleachable, digester 3"
        )

    def test_a_blown_cook_asks_for_its_kappa(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.log("blow", 176)
        found = next(item for item in next_up(self.state(230)) if item.what == "Kappa of cook 1190")
        self.assertIn("Forecast", found.size)
        late = next(item for item in next_up(self.state(176 + 200)) if item.what == "Kappa of cook 1190")
        self.assertTrue(late.now)

    def test_no_page_asks_the_database_too_often(self):
        self.charge_it()
        self.sign_in("cook")
        self.client.get("/live/cook/1187/")
        for address in (
            "/live/",
            "/live/cook/1187/",
            "/live/cook/1190/",
            "/live/cook/charge/",
            "/live/cook/liquor/",
            "/live/cook/done/",
            "/live/cook/relation/",
        ):
            with self.subTest(address), self.assertNumQueries(AtMost(QUERIES)):
                self.assertEqual(self.client.get(address).status_code, 200)


class Pages(HouseCase):
    def test_a_sheet_fills_in_what_was_done_by_what_was_charged(self):
        self.sign_in("cook")
        self.charge_it()
        sheet = self.client.get("/live/cook/1190/sheet/")
        words = " ".join(sheet.content.decode().split())
        for row in ("Liquor to wood", "Head over the liquor", "Heat to bring it up", "Steam for it"):
            cells = words.split(f'<th scope="row">{row}</th>')[1].split("</tr>")[0]
            self.assertEqual(len(re.findall(r'<td class="right">\s*\d', cells)), 2, (row, cells))
        self.plan(number=5409, digester=5, recipe="cane")
        self.assertContains(self.client.get("/live/cook/5409/sheet/"), "Bagasse over the scale")

    def test_a_cook_charged_without_a_sheet_has_what_the_plant_reported(self):
        self.sign_in("cook")
        cook = Cook.objects.exclude(charge_pct_naoh_on_wood=None).latest("started_at")
        words = " ".join(self.client.get(f"/live/cook/{cook.number}/sheet/").content.decode().split())
        self.assertIn("Charged without a plan; as the plant reported it.", words)
        rows = {name: re.findall(r'<td class="right">(.*?)</td>', cells) for name, cells in re.findall(
            r'<th scope="row">(.*?)</th>(.*?)</tr>', words)}  # fmt: skip
        self.assertEqual(rows["Charge"][0], "")
        self.assertTrue(rows["Charge"][1].startswith(f"{cook.charge_pct_naoh_on_wood:.2f} %"), rows["Charge"])
        self.assertEqual(rows["Kappa"][:2], [f"{cook.kappa_target:.1f}", ""])
        self.assertTrue(self.client.get(f"/live/cook/{cook.number}/sheet.pdf").content.startswith(b"%PDF"))

    def test_the_charge_sheet_is_worked_out_as_it_is_typed_planned_and_printed(self):
        self.sign_in("cook")
        self.assertContains(self.client.get("/live/cook/charge/"), "Digester 2, alder kraft: 15.8 BDt")
        tried = self.client.post(
            "/live/cook/charge/try/", {"digester": "2", "recipe": "alder", "moisture_wet_frac": "52"}
        )
        self.assertContains(tried, "33.0")
        wrong = self.client.post(
            "/live/cook/charge/try/", {"digester": "2", "recipe": "alder", "moisture_wet_frac": "wet"}
        )
        self.assertContains(wrong, "Chip moisture is &#x27;wet&#x27;, which is not a number")
        bad = self.client.post(
            "/live/cook/charge/plan/",
            {"digester": "2", "recipe": "alder", "liquor_to_wood": "2.1", "number": "1190", "planned_at": "14:40"},
        )
        self.assertContains(bad, "the least that fits", status_code=422)
        self.assertContains(bad, 'value="2.1"', status_code=422)
        done = self.client.post(
            "/live/cook/charge/plan/",
            {"digester": "2", "recipe": "alder", "number": "1190", "planned_at": "14:40", "form_key": "p"},
            follow=True,
        )
        self.assertContains(done, "Cook 1190 is planned for digester 2, 14:40")
        self.client.post("/live/cook/1190/start/", {"green_t": "30.6", "moisture_pct": "48.2", "form_key": "s"})
        sheet = self.client.get("/live/cook/1190/sheet/")
        self.assertContains(sheet, "30.6 t")
        paper = self.client.get("/live/cook/1190/sheet.pdf")
        self.assertTrue(paper.content.startswith(b"%PDF"))
        self.assertEqual(paper["Content-Type"], "application/pdf")

    def test_what_was_typed_comes_back_when_a_step_is_refused(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.sign_in("cook")
        answer = self.client.post("/live/cook/1190/step/", LIQUOR_FORM | {"liquor_m3": "75"})
        self.assertContains(answer, "digester 2 is full", status_code=422)
        self.assertContains(answer, 'value="75"', status_code=422)
        self.assertContains(
            self.client.post("/live/cook/1190/step/", LIQUOR_FORM | {"liquor_m3": "soup"}),
            "which is not a number",
            status_code=422,
        )

    def test_a_liquor_that_cannot_be_is_refused_by_name(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        self.sign_in("cook")
        for typed, words in (
            ({"sulphidity_pct": "6200"}, "sulphidity is 6200 %, outside 0 to 60 %"),
            ({"sulphidity_pct": "62"}, "sulphidity is 62 %"),
            ({"sulphidity_pct": "-1"}, "sulphidity is -1 %"),
            ({"strength_kg_per_m3_as_naoh": "1050"}, "the strength of the liquor is 1050 g/L NaOH"),
            ({"strength_kg_per_m3_as_naoh": "0"}, "the strength of the liquor is 0 g/L NaOH"),
        ):
            answer = self.client.post("/live/cook/1190/step/", LIQUOR_FORM | typed)
            self.assertContains(answer, words, status_code=422)
        self.assertFalse(Step.objects.filter(number=1190, kind="liquor").exists())

    def test_every_page_of_a_cook_opens_whatever_is_stored_of_it(self):
        self.charge_it()
        self.heat_it(until=100)
        self.sign_in("cook")
        step = Step.objects.get(number=1190, kind="liquor")
        absurd = (
            {"sulphidity_pct": 6200.0}, {"sulphidity_pct": -300.0}, {"strength_kg_per_m3_as_naoh": 1e308}, {"strength_kg_per_m3_as_naoh": 0.0},
            {"strength_kg_per_m3_as_naoh": -5.0}, {"liquor_m3": 1e300}, {"liquor_m3": -4.0}, {"liquor_m3": 1e-300},
            {"liquor_m3": None, "strength_kg_per_m3_as_naoh": None, "sulphidity_pct": None}, {"liquor_m3": float("inf")},
        )  # fmt: skip
        for changes in absurd:
            with self.subTest(changes):
                fields = step.amounts.columns() | changes
                step = Step.objects.create(
                    world=self.world, number=1190, kind="liquor", at=step.at, supersedes=step, why="slip",
                    by=self.people["cook"], form_key=f"slip-{changes}"[:60], **fields,
                )  # fmt: skip
                for address in (
                    "",
                    "at/cook/",
                    "cook/",
                    "cook/1190/",
                    "cook/1190/sheet/",
                    "cook/1187/",
                    "hand-over/",
                    "cook/liquor/",
                ):
                    self.assertIn(self.client.get(f"/live/{address}").status_code, (200, 302), address)
                self.assertEqual(
                    self.client.post("/live/cook/1190/what-if/", {"charge_pct": "17"}).status_code in (200, 404), True
                )
        self.assertContains(self.client.get("/live/cook/1190/"), f"/live/cook/1190/step/{step.pk}/correct/")

    def test_what_if_moves_what_it_should(self):
        self.sign_in("cook")
        base = {
            "moisture_pct": "48",
            "temperature_c": "165",
            "charge_pct": "17.4",
            "sulphidity_pct": "26",
            "other_pct": "0",
        }

        def rows(typed):
            found = self.client.post("/live/cook/1187/what-if/", typed).context["what_if"]["rows"]
            return {row.name: row for row in found}

        hot = rows(base | {"temperature_c": "168"})
        self.assertLess(hot["Blow, minutes later"].by, -3)
        self.assertLess(hot["Kappa if blown as planned, kinetics"].by, 0)
        weak = rows(base | {"sulphidity_pct": "16"})
        self.assertGreater(weak["Kappa if blown as planned, kinetics"].by, 0.3)
        self.assertAlmostEqual(weak["Kappa if blown as planned, mill's relation"].by, 0, delta=0.01)
        wet = rows(base | {"moisture_pct": "52"})
        self.assertGreater(wet["Charge"].by, 1)
        self.assertLess(wet["Pulp"].by, 0)
        mixed = rows(base | {"other_pct": "30"})
        self.assertGreater(mixed["Kappa if blown as planned, kinetics"].by, 3)
        self.assertContains(
            self.client.post("/live/cook/1187/what-if/", base | {"temperature_c": "300"}), "outside 100 to 185"
        )

    def test_every_number_of_the_cook_opens_its_working(self):
        self.sign_in("cook")
        for key in (
            "cook:1187:done",
            "cook:1187:aim",
            "cook:1187:kinetic_kappa",
            "cook:1187:residual",
            "cook:1187:half",
            "charge:2:alder:steam",
            "liquor:white_liquor_tank",
        ):
            self.assertContains(self.client.get(f"/live/working/?of={key}"), "Working")
        for key in ("cook:1:done", "charge:9:alder:steam", "liquor:sea", "card:1187:nothing"):
            self.assertEqual(self.client.get(f"/live/working/?of={key}").status_code, 404)

    def test_a_note_on_a_cook_is_shown_and_corrected_in_its_words(self):
        self.sign_in("cook")
        step = {"kind": "note", "text": "valve hunted", "at": "14:20", "form_key": "n1"}
        self.client.post("/live/cook/1187/step/", step)
        kept = Step.objects.get(kind="note")
        self.assertContains(self.client.get("/live/cook/1187/"), 'value="valve hunted"')
        fix = {"text": "steam valve hunted", "why": "say which", "form_key": "n2"}
        self.client.post(f"/live/cook/1187/step/{kept.pk}/correct/", fix)
        self.assertEqual(Step.objects.get(supersedes=kept).text, "steam valve hunted")

    def test_a_cook_is_found_by_its_number_and_nothing_by_what_only_looks_like_one(self):
        self.sign_in("cook")
        found = self.client.post("/live/entry/read/", {"line": "cook 1187"})
        self.assertContains(found, "Cook 1187")
        for line in ("①", "cook ²", "cook " + "9" * 40):
            self.assertEqual(self.client.post("/live/entry/read/", {"line": line}).status_code, 200, line)

    def test_what_speaks_against_a_blow_is_said_on_its_form_and_what_was_typed_stays(self):
        self.sign_in("cook")
        page = self.client.get("/live/cook/1187/")
        self.assertContains(page, "min before its end point")
        form = {"kind": "blow", "minded": "on", "at": "14:19", "sure": "1178", "text": "hot joint", "form_key": "b1"}
        page = self.client.post("/live/cook/1187/blow/", form)
        self.assertContains(page, "type the cook&#x27;s number, 1187", status_code=422)
        for typed in ("14:19", "1178", "hot joint"):
            self.assertContains(page, f'value="{typed}"', status_code=422)
        self.client.post("/live/cook/1187/blow/", form | {"sure": "1187", "form_key": "b2"})
        blown = Step.objects.get(number=1187, kind="blow")
        self.assertContains(self.client.get("/live/cook/1187/"), "Take back")
        address = f"/live/cook/1187/step/{blown.pk}/take-back/"
        self.assertContains(self.client.post(address, {"why": " ", "form_key": "b3"}), "taken back", status_code=422)
        self.assertEqual(self.client.post(address, {"why": "it was 1186", "form_key": "b3"}).status_code, 302)
        again = self.client.post(address, {"why": "it was 1186", "form_key": "b3"})
        self.assertEqual(again.status_code, 302)  # pressed twice
        other = self.client.post(address, {"why": "no", "form_key": "b4"})
        self.assertContains(other, "already; look again", status_code=422)
        page = self.client.get("/live/cook/1187/")
        self.assertContains(page, "Not blown: it was 1186")
        self.assertContains(page, "Blow at")

    def test_a_tester_is_offered_the_sample_alone_and_may_log_it(self):
        self.sign_in("tester")
        page = self.client.get("/live/cook/1187/")
        self.assertContains(page, 'value="sample"')
        for kind in ("blow", "note", "relief"):
            self.assertNotContains(page, f'name="kind" value="{kind}"')
        self.assertContains(page, "Steps are logged by a cook or shift lead.")
        sample = {"kind": "sample", "residual_kg_per_m3_as_naoh": "8.2", "at": "14:20", "form_key": "s1"}
        self.assertEqual(self.client.post("/live/cook/1187/step/", sample).status_code, 302)
        note = {"kind": "note", "text": "x", "form_key": "s2"}
        self.assertEqual(self.client.post("/live/cook/1187/step/", note).status_code, 403)

    def test_a_trainee_may_look_and_not_touch(self):
        self.sign_in("trainee")
        for address in (
            "/live/cook/1187/",
            "/live/cook/charge/",
            "/live/cook/liquor/",
            "/live/cook/done/",
            "/live/cook/relation/",
            "/live/cook/files/",
        ):
            self.assertEqual(self.client.get(address).status_code, 200)
        before = self.record_count()
        for address, form in (
            ("/live/cook/charge/plan/", {"digester": "2", "recipe": "alder", "number": "1190"}),
            ("/live/cook/1187/step/", {"kind": "sample", "residual_kg_per_m3_as_naoh": "8"}),
            ("/live/cook/liquor/take/", {"liquor": "white", **{k: str(v) for k, v in ABC.items()}}),
            ("/live/cook/done/take/", {"number": "1186", "kappa": "18"}),
            ("/live/cook/relation/accept/", {"recipe": "alder", "why": "x"}),
            ("/live/cook/1187/gauges/", {"temperature_c": "165"}),
        ):
            self.assertEqual(self.client.post(address, form).status_code, 403, address)
        self.assertEqual(self.record_count(), before)
