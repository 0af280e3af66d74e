"""Single screens, worked by hand: what is typed is kept, what is shown can be read another way."""

import re

from playwright.sync_api import expect

from desk.floor.models import Order, Record, World
from desk.floor.services import record_reading
from desk.people.models import Person
from tests.browser.base import BrowserCase
from tests.desk.base import NOW


class OrderScreen(BrowserCase):
    def test_choosing_a_grade_brings_its_recipe_and_a_wrong_share_keeps_what_was_typed(self):
        self.sign_in("sundby")
        self.go("/live/order/")
        page = self.page
        page.get_by_label("Grade").select_option("envelope_white")
        expect(page.get_by_label("At the reel")).to_have_value("12.2")
        expect(page.get_by_label("Broke, white")).to_have_value("10")
        page.get_by_label("Wood", exact=True).fill("sixty")
        expect(page.get_by_role("alert")).to_contain_text("Wood is 'sixty', which is not a number")
        expect(page.get_by_label("Wood", exact=True)).to_have_value("sixty")
        expect(page.get_by_role("button", name="Accept the order")).to_be_disabled()
        page.get_by_label("Wood", exact=True).fill("54")
        expect(page.locator("#order-result")).to_contain_text("12.2 t/h of envelope 80 g white can be met")

    def test_a_load_of_a_tried_order_opens_its_working(self):
        self.sign_in("sundby")
        self.go("/live/order/")
        self.page.get_by_role("link", name="What runs").click()
        self.page.get_by_label("At the reel").fill("13.5")
        expect(self.page.locator("#order-result")).to_contain_text("13.5 t/h")
        self.page.get_by_role("link", name="Wood digesters").click()
        expect(self.page.locator("#float")).to_contain_text("solved together for 13.5 t/h of chart 90 g cream")

    def test_pressing_accept_twice_writes_once(self):
        self.sign_in("sundby")
        self.go("/live/order/")
        self.page.get_by_role("link", name="What runs").click()
        self.page.get_by_label("At the reel").fill("12.5")
        expect(self.page.locator("#order-result")).to_contain_text("12.5 t/h of chart 90 g cream can be met")
        before = Order.objects.count()
        self.page.get_by_role("button", name="Accept the order").dblclick()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("Running 12.5 t/h")
        self.assertEqual(Order.objects.count(), before + 1)

    def test_an_operator_may_try_but_not_accept(self):
        self.sign_in("orr")
        self.go("/live/order/")
        expect(self.page.get_by_text("Accepting takes a shift lead or process engineer.")).to_be_visible()
        expect(self.page.get_by_role("button", name="Accept the order")).to_have_count(0)


class Stations(BrowserCase):
    def test_a_set_panel_refuses_by_name_and_recovers(self):
        self.sign_in("orr")
        self.go("/live/bleach/cane_bleach/")
        strength = self.page.get_by_role("textbox", name="Solution strength")
        strength.fill("0")
        expect(self.page.locator("#set-result-dosing-cane_bleach")).to_contain_text("outside more than 0 to 1600 g/L")
        expect(strength).to_have_value("0")
        strength.fill("50")
        expect(self.page.locator("#set-result-dosing-cane_bleach")).to_contain_text("Set the dosing pump to 9.2 L/min.")
        self.page.locator("#set-result-dosing-cane_bleach summary").click()
        expect(self.page.locator("#set-result-dosing-cane_bleach")).to_contain_text("entered: typed just now")

    def test_a_set_panel_follows_the_line_until_somebody_types(self):
        self.sign_in("orr")
        self.go("/live/at/refine/")
        field, world = self.page.get_by_label("Freeness now"), World.objects.get(slug="live")
        expect(field).to_have_value("462")
        tester = Person.objects.get(username="vale")
        record_reading(world, tester, "wood_freeness", 490, at=NOW, form_key="follows")
        self.refresh()
        expect(field).to_have_value("490")
        expect(self.page.locator(".set-result")).not_to_contain_text("Worked out at")
        field.fill("500")
        expect(self.page.locator(".set-result")).to_contain_text("Worked out at 14:30")
        record_reading(world, tester, "wood_freeness", 440, at=NOW, form_key="stays")
        self.refresh()
        expect(self.page.locator(".measure", has_text="Freeness after refiners 1 and 2")).to_contain_text("440")
        expect(field).to_have_value("500")
        expect(self.page.locator(".set-result")).to_contain_text("Worked out at 14:30")

    def test_a_chart_can_be_read_as_a_table(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        chart = self.page.locator("figure.chart")
        expect(chart.locator("canvas")).to_be_visible()
        chart.locator("summary").click()
        expect(chart.locator(".chart-table tr").first).to_contain_text(re.compile(r"\d\d:\d\d"))
        expect(chart.locator(".chart-table")).to_contain_text("laboratory")

    def test_what_was_opened_stays_open_while_the_page_refreshes(self):
        self.sign_in("orr")
        self.go("/live/cook/1187/")
        table = self.page.locator(".cook-chart details")
        table.locator("summary").click()
        expect(table).to_have_attribute("open", "")
        self.page.evaluate("document.dispatchEvent(new CustomEvent('fox:recorded'))")
        self.page.wait_for_load_state("networkidle")
        expect(table.locator("table")).to_be_visible()
        expect(table).to_have_attribute("open", "")

    def test_the_rail_folds_on_a_tablet_and_stays_folded(self):
        self.viewport = {"width": 820, "height": 1180}
        self.page = self.new_page()
        self.sign_in("orr")
        self.go("/live/")
        fold = self.page.locator(".rail-fold")
        expect(fold).not_to_have_attribute("open", "")
        self.page.evaluate("document.dispatchEvent(new CustomEvent('fox:recorded'))")
        self.page.wait_for_load_state("networkidle")
        expect(fold).not_to_have_attribute("open", "")
        first = fold.locator(".rail-first")
        expect(first).to_be_visible()  # folded, it says what comes first
        self.assertIn(fold.locator(".rail-what").first.text_content().strip(), first.inner_text())
        fold.locator("summary").first.click()
        expect(first).to_be_hidden()
        expect(self.page.get_by_role("link", name="Cane brightness").first).to_be_visible()

    def test_a_note_is_logged_where_it_was_written(self):
        self.sign_in("orr")
        self.go("/live/at/screen/")
        self.page.get_by_label("Note for the log").fill("Reject line flushed")
        self.page.get_by_role("button", name="Log", exact=True).click()
        expect(self.page.get_by_role("region", name="Log")).to_contain_text("Reject line flushed")
        self.assertEqual(Record.objects.order_by("-id").first().station, "screen")

    def test_every_ribbon_stop_opens_its_station(self):
        self.sign_in("orr")
        for name in ("Yard", "Screen", "Recover", "Slush", "Refine", "Blend", "Deliver"):
            self.go("/live/at/wash/")
            self.page.get_by_role("navigation", name="Stations").get_by_role("link", name=name).click()
            expect(self.page).to_have_url(re.compile(f"/live/at/{name.lower()}/"))
            expect(self.page.get_by_role("navigation", name="Stations").locator("[aria-current=page]")).to_contain_text(
                name
            )

    def test_a_gate_on_the_line_opens_its_station(self):
        self.sign_in("orr")
        self.go("/live/")
        self.page.get_by_role("link", name=re.compile("^Float")).click()
        expect(self.page).to_have_url(re.compile("/live/at/recover/"))


class Entry(BrowserCase):
    def test_an_earlier_moment_and_another_unit(self):
        self.sign_in("vale")
        self.go("/live/")
        self.page.keyboard.press("Space")
        self.page.keyboard.type("digester 3 temp 331 F at 14:05")
        panel = self.page.locator("#entry-panel")
        expect(panel).to_contain_text("taken at 14:05, by K. Vale")
        self.page.keyboard.press("Enter")
        expect(panel).to_contain_text("Recorded 14:05")
        self.assertAlmostEqual(Record.objects.order_by("-id").first().value, 166.11, places=2)

    def test_it_finds_a_page(self):
        self.sign_in("orr")
        self.go("/live/")
        self.page.keyboard.press("Space")
        self.page.keyboard.type("hand")
        self.page.locator("#entry-panel").get_by_role("link", name="Hand-over").click()
        expect(self.page).to_have_url(re.compile("/live/hand-over/"))

    def test_a_huge_paste_is_refused_and_kept(self):
        self.sign_in("orr")
        self.go("/live/")
        line = self.page.get_by_label("Enter a reading, or find anything")
        line.fill("brown cons 3.5 " + "x" * 3900)
        expect(self.page.locator("#entry-panel")).to_contain_text("200 is the most")
        self.page.keyboard.press("Enter")
        expect(line).to_have_value(re.compile("^brown cons 3.5 x"))


class Book(BrowserCase):
    def test_a_method_is_tried_live(self):
        self.sign_in("lindqvist")
        self.go("/live/methods/dilution_water_l_per_min/")
        self.page.get_by_label("Consistency wanted").fill("4.0")
        expect(self.page.locator("#answer")).to_contain_text("121.519")
        self.page.get_by_label("Consistency wanted").fill("5")
        expect(self.page.locator("#answer")).to_contain_text("Water cannot bring stock from 4.2 % to 5 %")

    def test_a_choice_and_a_list_are_tried_too(self):
        self.sign_in("lindqvist")
        self.go("/live/methods/alkali_as_na2o/")
        self.page.get_by_role("combobox", name="What the figure counts as").select_option("na2co3")
        expect(self.page.locator("#answer")).to_contain_text("70.17")
        self.go("/live/methods/h_factor/")
        self.page.get_by_label("Temperatures read").fill("[100, 100]")
        expect(self.page.locator("#answer")).to_contain_text("7 times but 2 temperatures")
        self.page.get_by_label("Times of the readings").fill("[0, 60]")
        expect(self.page.locator("#answer")).to_contain_text("1.0137")


class Units(BrowserCase):
    def test_us_units_everywhere_a_number_is_shown(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        self.page.locator("details.who summary").click()
        self.page.get_by_label("Units").select_option("us")
        self.page.get_by_role("button", name="Keep").click()
        expect(self.page.locator(".measures")).to_contain_text("US gpm")
        self.go("/live/")
        expect(self.page.locator(".line-svg")).to_contain_text("BD short ton/h")
