"""The yard's pages and what they refuse."""

from desk.floor.handover import compose
from desk.floor.state import State
from desk.stations.yard.models import BlendPlan, Lot, Op
from desk.stations.yard.telling import due
from desk.stations.yard.work import classify
from tests.desk.base import NOW, QUERIES, AtMost, panels_at
from tests.desk.yard_case import MASSES, SAMPLE, YardCase


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
                with self.subTest(page, full=full), self.assertNumQueries(AtMost(QUERIES)):
                    self.assertEqual(self.client.get(f"/live/{page}").status_code, 200)
        self.assertEqual(self.client.get("/live/yard/lots/S-1/").status_code, 200)
        self.assertEqual(self.client.get("/live/yard/lots/none/").status_code, 404)
        self.assertEqual(self.client.get("/live/yard/pile/roof/").status_code, 404)

    def test_what_comes_as_cane_is_drawn_whole_and_what_leaves_without_its_sugar(self):
        self.sign_in()
        drawn = self.client.get("/live/yard/cane/").context["balance"]["rows"]
        comes, *leave = drawn
        whole = sum(part[-1] for part in comes["parts"])
        self.assertAlmostEqual(whole, float(comes["figure"].text), delta=0.051)
        sugar = {part[0]: part[-1] for part in comes["parts"]}["organics"]
        self.assertGreater(sugar, 0)
        self.assertAlmostEqual(whole - sugar, sum(part[-1] for row in leave for part in row["parts"]), delta=0.01)

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
        typed |= {"gross_t": "54,8 t", "tare_t": "16 t", "moistures_pct": "46 % 47%", "form_key": "with-units"}
        self.assertEqual(self.client.post("/live/yard/lots/receive/", typed).status_code, 302)
        kept = Lot.objects.get(number="R-77")
        self.assertEqual((kept.gross_t, kept.tare_t, kept.moistures_pct), (54.8, 16.0, [46.0, 47.0]))
        trip = self.client.post("/live/yard/trip/", {"detector": "Drum infeed", "find": "Bolt", "stopped_min": "long"})
        self.assertContains(trip, "Minutes stopped is &#x27;long&#x27;, which is not a number", status_code=422)

    def test_a_draw_goes_by_the_scale_or_by_its_bone_dry_mass_never_by_both(self):
        self.lot("S-1", material="alder_chips")
        self.sign_in()
        page = "/live/yard/pile/pile_c/"
        self.assertContains(self.client.get(page), 'name="moisture_pct"')
        for typed, words in (
            ({"green_t": "20"}, "green tonnes need their moisture"),
            ({"green_t": "20", "moisture_pct": "0.48"}, "moisture is 0.48 %"),
            ({"green_t": "20", "moisture_pct": "48", "bdt": "9"}, "give one of the two"),
            ({}, "give what went over the scale"),
        ):
            with self.subTest(typed):
                answer = self.client.post(f"{page}draw/", {**typed, "hours": "1", "form_key": self.key()})
                self.assertContains(answer, words, status_code=422)
        self.assertFalse(Op.objects.filter(kind="draw").exists())
        form = {"green_t": "12,5", "moisture_pct": "48", "hours": "1", "form_key": self.key()}
        self.assertEqual(self.client.post(f"{page}draw/", form).status_code, 302)
        self.assertAlmostEqual(Op.objects.get(kind="draw").bdt, 6.5, 6)
        self.assertContains(self.client.get("/live/log/"), "6.5 BDt drawn (12.5 t at 48 %)")
        self.assert_book_closes()

    def test_a_load_is_asked_only_for_what_is_tested_of_it(self):
        self.sign_in()
        cane = self.client.post("/live/yard/lots/tests/", {"material": "bagasse_barge", "pith_pct": "30"})
        self.assertContains(cane, 'name="pith_pct" value="30"')
        self.assertNotContains(cane, "bark_pct")
        logs = self.client.post("/live/yard/lots/tests/", {"material": "alder_logs"})
        self.assertContains(logs, "bark_pct")
        self.assertNotContains(logs, "pith_pct")
        self.assertEqual(self.client.post("/live/yard/lots/tests/", {"material": "moon"}).status_code, 200)

    def test_a_pile_kept_wet_is_drawn_at_its_own_moisture(self):
        self.lot("B-1", material="bagasse_barge", moistures=(50.0, 51.0, 49.5))
        self.assertEqual(self.yard().piles["cane_pile"].moisture_pct(), 78)
        self.assertIsNone(self.yard().piles["pile_a"].moisture_pct())
        self.lot("S-2", material="alder_chips", moistures=(46.0, 47.0))
        self.assertAlmostEqual(self.yard().piles["pile_c"].moisture_pct(), 46.5, 1)

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
        bad = self.client.post("/live/at/yard/set/debark-drum/", {"fill_frac": "95"})
        self.assertContains(bad, "Filling is 95 %, outside more than 0 to 80 %.")
        self.assertNotContains(bad, "Allowed: more than 0 to 80 %")  # said once
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
                self.assertSays(self.client.get("/live/working/", {"of": key}), words)
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
