"""US units: all of a page or none of it, shown and typed; the book stays in its own."""

import re
from unittest.mock import patch

from desk.floor.models import Record
from desk.floor.state import State
from desk.frame.units import turns_for
from desk.mill.services import approve_definition
from desk.stations.cook.models import Step
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import CHIPS, LIQUOR_FORM, HouseCase
from tests.line import MILL, hallin_reach

METRIC = re.compile(r"\d[ \u00a0](?:L/min|°C|BDt/h|kg/BDt|kWh/BDt|m/min)(?![\w/])")
US = turns_for(us=True, na2o=False, both=False)
WORKING = re.compile(r'<details class="small">\s*<summary class="working-link">Working.*?</details>', re.DOTALL)
TAGS = re.compile(r"<[^>]*>")


class Words(DeskCase):
    def test_numbers_in_words_are_turned_and_nothing_else(self):
        for metric, us in (
            ("Open the dilution 99 L/min first", "Open the dilution 26 US gpm first"),
            ("Hold at 165 °C", "Hold at 329 °F"),
            ("top and bottom 0.5 °C apart", "top and bottom 0.9 °F apart"),
            ("hold 3 to 5 °C lower", "hold 5.4 to 9 °F lower"),
            ("is 165 ± 2 °C", "is 165 ± 3.6 °F"),
            ("95 to 101 °C", "203 to 214 °F"),
            ("12.8 t/h of cream", "14.1 short ton/h of cream"),
            ("D0 reaches 9.1 of 13.5 kg/BDt", "D0 reaches 18.2 of 27.0 lb/short ton"),
            ("a first step of 20 % of 6 kg/BDt", "a first step of 20 % of 12 lb/short ton"),
            ("4.3 kPa", "4.3 kPa"),
            ("3 564 L/min", "942 US gpm"),
            ("cook 1187", "cook 1187"),
            ("-1.0 kg/BDt", "−2.0 lb/short ton"),
        ):
            with self.subTest(metric):
                self.assertEqual(US.page(f"<p>{metric}</p>"), f"<p>{us}</p>")

    def test_scripts_and_what_stands_in_a_tag_are_left(self):
        for html in ("<script>x = '9 L/min'</script>", '<p title="9 L/min"></p>', "<textarea>9 L/min</textarea>"):
            self.assertEqual(US.page(html), html)

    def test_a_field_is_turned_with_its_value_and_says_so(self):
        out = US.page('<input name="flow" value="100"><span class="unit">L/min</span>')
        self.assertIn('name="turned-flow" value="L/min"', out)
        self.assertIn('value="26.417"', out)
        self.assertIn("US gpm</span>", out)
        labelled = US.page('<label>Temperature, °C <input name="t" value=""></label>')
        self.assertIn("Temperature, °F", labelled)
        self.assertIn('name="turned-t"', labelled)


class Pages(DeskCase):
    def setUp(self):
        super().setUp()
        person = self.sign_in()
        person.units = "us"
        person.save()

    def test_no_page_mixes_the_two(self):
        self.enter("brown_cons", 3.5)
        self.enter("cane_brightness", 81.9)
        pages = ["/live/", "/live/order/", "/live/hand-over/", "/live/log/", "/live/cook/1187/"]
        pages += [f"/live/at/{one.id}/" for one in hallin_reach().stations if one.kind != "cook"]
        pages += ["/live/water/", "/live/bleach/rec_bleach/", "/live/screens/wood_screen/"]
        for page in pages:
            answer = self.client.get(page)
            self.assertEqual(answer.status_code, 200)
            words = WORKING.sub("", answer.content.decode())  # an equation keeps the units it holds in
            text = " ".join(TAGS.sub(" ", words).split())
            with self.subTest(page):
                self.assertIsNone(
                    METRIC.search(text), METRIC.search(text) and text[METRIC.search(text).start() - 60 :][:100]
                )

    def test_a_set_panel_takes_what_it_shows(self):
        page = self.client.get("/live/at/wash/").content.decode()
        self.assertIn("US gpm", page)
        pulp = State(self.world, NOW).flow("washed").value
        form = {
            "production_bdt_per_h": f"{pulp * 1.10231:.5g}", "turned-production_bdt_per_h": "BDt/h",
            "dilution_factor_t_per_bdt": "2.5", "discharge_consistency_pct": "11.5",
        }  # fmt: skip
        answer = self.client.post("/live/at/wash/set/shower-wood_wash/", form)
        litres = pulp * (2.5 + 88.5 / 11.5) * 1000 / 60
        self.assertIn(f"Set the shower to {litres / 3.785412:.0f} US gpm", answer.content.decode())

    def test_a_chart_and_its_label_agree(self):
        data = self.client.get("/live/trend/brown_flow/").json()
        self.assertEqual(data["unit"], "US gpm")
        self.assertLess(max(data["live"][1]), 1100)

    def test_what_is_kept_is_as_the_line_counts(self):
        self.client.post("/live/entry/record/", {"line": "chip bin 200 F", "form_key": "f"})
        self.client.post("/live/entry/record/", {"line": "bin temp 200 F", "form_key": "g"})
        row = Record.objects.filter(tag="chip_bin_temp").first()
        if row is not None:
            self.assertAlmostEqual(row.value, 93.33, 1)

    def test_the_book_stays_in_the_units_of_its_equations(self):
        page = self.client.get("/live/methods/dilution_water_l_per_min/").content.decode()
        self.assertNotIn("US gpm", page)

    def test_metric_readers_are_left_alone(self):
        self.sign_in("cook")
        self.assertNotIn("US gpm", self.client.get("/live/at/wash/").content.decode())


class Alkali(HouseCase):
    """A mill that counts its alkali as Na2O: everything shown and typed is, the core's own stays NaOH."""

    def setUp(self):
        super().setUp()
        text = MILL.read_text(encoding="utf-8")
        self.world.version = approve_definition(f"alkali_basis: na2o\n{text}", "E. Test")
        self.world.save()
        self.sign_in("cook")

    def test_sentences_ranges_and_fields_are_turned(self):
        turns = turns_for(us=False, na2o=True, both=False)
        for naoh, na2o in (
            ("Raise the charge by 0.8 % NaOH on wood", "Raise the charge by 0.6 % Na2O on wood"),
            ("6.5 to 10.5 g/L NaOH", "5.0 to 8.1 g/L Na2O"),
            ("165 °C", "165 °C"),
        ):
            self.assertEqual(turns.page(f"<p>{naoh}</p>"), f"<p>{na2o}</p>")
        field = turns.page('<label>Strength, g/L NaOH <input name="s" value="105"></label>')
        self.assertIn("Strength, g/L Na2O", field)
        self.assertIn('value="81.354"', field)

    def test_a_working_says_both(self):
        both = turns_for(us=False, na2o=False, both=True)
        self.assertEqual(both.page("<p>100 g/L NaOH</p>"), "<p>100 g/L NaOH (77 g/L Na2O)</p>")
        self.assertIn("77.5 <span", both.page('<td>100.0 <span class="unit">g/L NaOH</span></td>'))
        turned = turns_for(us=False, na2o=True, both=True)
        self.assertEqual(turned.page("<p>100 g/L NaOH</p>"), "<p>77 g/L Na2O (100 g/L NaOH)</p>")

    def test_a_charge_is_shown_typed_and_kept(self):
        self.plan()
        sheet = self.client.get("/live/cook/1190/sheet/").content.decode()
        self.assertRegex(sheet, r"% Na2O on wood \([\d.]+ % NaOH\)")
        with patch("desk.stations.cook.sheet.paper") as printed:
            self.client.get("/live/cook/1190/sheet.pdf")
        cells = [cell for row in printed.call_args.kwargs["table"] for cell in row]
        self.assertTrue(any("% Na2O on wood" in cell for cell in cells), cells)
        self.assertFalse(any("NaOH" in cell for cell in cells), cells)
        self.log("chips", 0, CHIPS)
        page = self.client.get("/live/cook/1190/").content.decode()
        self.assertNotRegex(TAGS.sub("", page), r"\d (?:g/L|%) NaOH")
        self.assertIn('name="turned-strength_kg_per_m3_as_naoh" value="g/L NaOH"', page)
        form = {**LIQUOR_FORM, "form_key": "l", "at": "14:30", "turned-strength_kg_per_m3_as_naoh": "g/L NaOH"}
        self.client.post("/live/cook/1190/step/", {**form, "liquor_m3": "26.2", "strength_kg_per_m3_as_naoh": "81.35"})
        kept = Step.objects.get(number=1190, kind="liquor").strength_kg_per_m3_as_naoh
        self.assertAlmostEqual(kept, 105.0, 1)

    def test_a_naoh_mill_read_in_us_units_keeps_its_basis(self):
        self.assertEqual(US.page("<p>100 g/L NaOH</p>"), "<p>100 g/L NaOH</p>")
