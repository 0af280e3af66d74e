"""Half an hour of a shift, worked through the browser as an operator would."""

from playwright.sync_api import expect

from desk.floor.models import HandOver, Order, Record, World
from desk.floor.state import State
from desk.floor.station import stations
from desk.stations.yard.models import Lot
from tests.browser.base import BrowserCase
from tests.desk.base import NOW


class HalfAnHour(BrowserCase):
    def test_take_over_order_readings_cook_and_hand_over(self):
        page = self.page
        self.go("/")
        page.get_by_role("button", name="Tove Sundby").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("12.8 t/h of chart 90 g cream to the machine.")

        # Take over: the last hand-over, then what needs a person.
        page.get_by_role("link", name="Hand-over").first.click()
        page.get_by_role("link", name="Read the last hand-over").click()
        expect(page.get_by_text("Cane line: soda cook runs late")).to_be_visible()
        page.get_by_role("link", name="Line", exact=True).click()
        rail = page.get_by_role("complementary", name="Next up")
        expect(rail.get_by_role("link", name="Cane brightness")).to_be_visible()
        expect(rail).to_contain_text("kg/BDt peroxide")

        # The order: too much is refused with what binds, the right one is accepted.
        page.get_by_role("link", name="Order", exact=True).click()
        page.get_by_role("link", name="What runs").click()
        page.get_by_label("At the reel").fill("16")
        expect(page.locator("#order-result")).to_contain_text("Reel would carry")
        expect(page.get_by_role("button", name="Accept the order")).to_be_disabled()
        page.get_by_label("At the reel").fill("13.2")
        expect(page.locator("#order-result")).to_contain_text("13.2 t/h of chart 90 g cream can be met")
        page.get_by_role("button", name="Accept the order").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Running 13.2 t/h of chart 90 g cream")
        self.assertEqual(Order.objects.order_by("-id").first().reel_t_per_h, 13.2)

        # Readings, by keyboard alone, judged before Enter.
        page.keyboard.press("v")
        expect(page.get_by_role("heading", level=1)).to_contain_text("13.2 t/h")
        page.locator("#main").focus()
        page.keyboard.press("Space")
        page.keyboard.type("brown cons 3.66")
        panel = page.locator("#entry-panel")
        expect(panel).to_contain_text("0.06 above its band")
        expect(panel).to_contain_text("take a second sample before anything is moved")
        page.keyboard.press("Enter")
        expect(panel).to_contain_text("Recorded 14:30: Brown stock consistency")
        page.keyboard.type("kappa 18.4")
        expect(panel).to_contain_text("Which one?")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(panel).to_contain_text("in its band")
        page.keyboard.press("Enter")
        expect(panel).to_contain_text("Recorded 14:30: Wood kappa")
        self.assertEqual(
            list(Record.objects.order_by("-id").values_list("tag", "value")[:2]),
            [("kappa_wood", 18.4), ("brown_cons", 3.66)],
        )
        page.keyboard.press("Escape")

        # A number opens its working, and the working opens what it was made from.
        page.get_by_role("link", name="cover in Machine chest").click()
        floating = page.locator("#float")
        expect(floating).to_contain_text("Working: cover in Machine chest")
        floating.get_by_role("link", name="computed: bone-dry contents of a chest").first.click()
        expect(floating).to_contain_text("pressure cell")
        page.keyboard.press("Escape")
        expect(floating).to_be_empty()

        # The cook, followed to its end and blown.
        page.keyboard.press("2")
        expect(page.get_by_role("heading", level=1)).to_contain_text("Cook 1187 in digester 3 is at temperature")
        page.locator("summary", has_text="Blow").click()
        page.get_by_label("Before the blow").check()
        page.get_by_role("button", name="Log the blow of cook 1187").click()
        expect(page.locator("#refused")).to_contain_text("min before its end point")
        blow = page.locator("details.step-form", has_text="Log the blow of cook 1187")
        blow.get_by_label("If it is done all the same, cook number").fill("1187")
        blow.get_by_label("and why").fill("top gasket leaks")
        page.get_by_label("Before the blow").check()
        page.get_by_role("button", name="Log the blow of cook 1187").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("is blown, at H")

        # The hand-over: a wrong secret, the right one, the sheet on paper.
        page.keyboard.press("t")
        page.get_by_label("Your signing secret").fill("2468")
        page.get_by_role("button", name="Sign the hand-over").click()
        expect(page.get_by_role("alert")).to_contain_text("gas tests: open ones, or that there is none")
        for none in ("Gas tests: none open", "Interlocks bypassed: none open"):
            page.get_by_label(none).check()
        page.get_by_label("Your signing secret").fill("1111")
        page.get_by_role("button", name="Sign the hand-over").click()
        expect(page.get_by_role("alert")).to_contain_text("not your signing secret")
        page.get_by_label("Your signing secret").fill("2468")
        page.get_by_role("button", name="Sign the hand-over").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Signed: Tove Sundby, shift lead")
        expect(page.get_by_text("Cook 1187: blown 14:30, no kappa yet")).to_be_visible()
        paper = page.request.get(
            self.live_server_url + page.get_by_role("link", name="Print as PDF").get_attribute("href")
        )
        self.assertTrue(paper.body().startswith(b"%PDF"))
        self.assertEqual(HandOver.objects.count(), 2)


class Habits(BrowserCase):
    def test_a_page_refreshes_without_taking_what_is_being_typed(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        field = self.page.locator("#set-wash").get_by_label("Dilution factor")
        field.fill("3.1")
        expect(self.page.locator("#set-result-shower-wood_wash")).to_contain_text("Set the shower to 1049 L/min")
        self.page.evaluate("document.dispatchEvent(new CustomEvent('fox:recorded'))")
        self.page.wait_for_load_state("networkidle")
        expect(field).to_have_value("3.1")
        expect(field).to_be_focused()

    def test_a_new_record_shows_at_once_and_is_corrected(self):
        self.sign_in("orr")
        self.go("/live/log/")
        self.page.get_by_label("Enter a reading, or find anything").fill("wash loss wood 71")
        self.page.keyboard.press("Enter")
        expect(self.page.locator("table.log")).to_contain_text("71.0")
        self.page.get_by_role("link", name="Correct it").click()
        self.page.get_by_label("Right value").fill("17.1")
        self.page.get_by_label("Why").fill("slip of the key")
        self.page.get_by_role("button", name="Supersede it").click()
        expect(self.page.locator("tr.struck")).to_contain_text("71.0")
        expect(self.page.locator("table.log")).to_contain_text("slip of the key")

    def test_a_draft_survives_escape_and_another_page(self):
        self.sign_in("orr")
        self.go("/live/")
        line = self.page.get_by_label("Enter a reading, or find anything")
        line.fill("brown cons 140")
        expect(self.page.locator("#entry-panel")).to_contain_text("cannot be 140 %")
        self.page.keyboard.press("Enter")
        expect(line).to_have_value("brown cons 140")
        self.page.keyboard.press("Escape")
        self.go("/live/at/yard/")
        line.focus()
        expect(line).to_have_value("brown cons 140")

    def test_the_whole_desk_by_keyboard(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        self.page.keyboard.press("]")
        self.page.wait_for_url("**/live/at/screen/")  # loaded, so that the next key is heard
        self.page.keyboard.press("[")
        self.page.wait_for_url("**/live/at/wash/")  # loaded, so that the next key is heard
        self.page.keyboard.press("0")
        self.page.wait_for_url("**/live/at/deliver/")  # loaded, so that the next key is heard
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("b")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("methods, in the order of the work")
        self.page.get_by_label("Find", exact=True).fill("h-factor")
        self.page.keyboard.press("Enter")
        self.page.get_by_role("link", name="H-factor of a temperature record").click()
        expect(self.page.locator("#answer")).to_contain_text("1222.1")

    def test_single_keys_can_be_switched_off(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        self.page.locator("details.who summary").click()
        self.page.get_by_label("Single-key shortcuts").uncheck()
        self.page.get_by_label("Theme").select_option("night")
        self.page.get_by_role("button", name="Keep").click()
        expect(self.page.locator("html")).to_have_attribute("data-theme", "night")
        self.page.keyboard.press("]")
        expect(self.page).to_have_url(self.live_server_url + "/live/at/wash/")

    def test_another_user_takes_the_desk_in_two_presses(self):
        self.sign_in("orr")
        self.go("/live/")
        self.page.locator("details.who summary").click()
        self.page.get_by_role("button", name="Switch user").click()
        self.page.get_by_role("button", name="Sam Lindqvist").click()
        self.page.get_by_label("Enter a reading, or find anything").fill("brown cons 3.5")
        expect(self.page.locator("#entry-panel")).to_contain_text("Your role may look, not record")


YARD = ("/live/at/yard/", "/live/yard/lots/", "/live/yard/chips/", "/live/yard/cane/", "/live/yard/blend/", "/live/yard/files/", "/live/yard/pile/pile_a/")  # fmt: skip


WHOLE = ("/live/", "/live/at/wash/", "/live/cook/1187/", "/components/", "/lines/")


PALE_MARKS = """() => {
    const light = (colour) => {
        const parts = colour.match(/[\\d.]+/g).slice(0, 3).map((one) => one / 255);
        const [red, green, blue] = parts.map((one) => one <= 0.04045 ? one / 12.92 : ((one + 0.055) / 1.055) ** 2.4);
        return 0.2126 * red + 0.7152 * green + 0.0722 * blue + 0.05;
    };
    const grounds = [document.body, document.documentElement].map((one) => getComputedStyle(one).backgroundColor);
    const ground = light(grounds.find((one) => one !== "rgba(0, 0, 0, 0)"));
    const seen = (node) => { const own = light(getComputedStyle(node).fill); return Math.max(own, ground) / Math.min(own, ground); };
    return [...document.querySelectorAll("svg .t-tick, svg .t-axis")].filter((one) => seen(one) < 4.5).map((one) => one.textContent);
}"""  # what stands at a plot's axes is on the page's own ground; that of drawn text is not looked at by the rules


class Access(BrowserCase):
    def test_every_screen_in_both_themes(self):
        pages = [
            "/live/",
            "/live/order/",
            "/live/log/",
            "/live/hand-over/",
            f"/live/hand-over/{HandOver.objects.first().pk}/",
            "/live/methods/",
            "/live/methods/h_factor/",
            "/components/",
            f"/live/log/{Record.objects.filter(kind='reading', world__slug='live').first().pk}/correct/",
        ]
        for world in World.objects.select_related("version"):
            state = State(world, NOW)
            pages += [f"/{world.slug}/", *(f"/{world.slug}/at/{stop.id}/" for stop in state.line.stations)]
            pages += [page for one in stations() if one.serves(state.line) for page in one.pages(state)]
        pages = list(dict.fromkeys([*pages, "/live/yard/pile/pile_c/", "/live/cook/1186/", "/live/cook/1186/sheet/"]))
        pages += ["/lines/"]
        pages += [f"/live/yard/lots/{Lot.objects.order_by('-received_at').first().number}/"]
        self.page = self.new_page(color_scheme="light")
        self.go("/sign-in/")
        self.in_both_themes("sign-in")
        self.sign_in("sundby")
        for path in pages:
            self.assertTrue(self.go(path).ok, path)
            self.page.evaluate("document.querySelectorAll('.what-if-fold').forEach((one) => { one.open = true; })")
            framed = path not in WHOLE and self.page.locator("main").count() == 1
            self.in_both_themes(path, "main" if framed else "html")
        self.go("/live/at/bleach/")
        self.page.locator(".advice .working-link").first.click()
        expect(self.page.locator("#float")).to_contain_text("Working")
        self.page.get_by_label("Enter a reading, or find anything").fill("kappa 18")
        expect(self.page.locator("#entry-panel")).to_contain_text("Which one?")
        self.in_both_themes("what floats")
        self.assertEqual(self.trouble, [])

    def test_a_pale_word_and_a_nameless_button_are_found(self):
        self.sign_in("orr")
        self.go("/live/log/")
        self.assertEqual(self.axe(within="main"), [])
        self.page.evaluate(
            """() => {
                const word = document.createElement("p"), button = document.createElement("button");
                word.className = "pale"; word.textContent = "hardly seen"; word.style.color = "#d8d4ca";
                document.querySelector("main").append(word, button);
            }"""
        )
        found = self.axe(within="main")
        self.assertEqual({one.partition(":")[0] for one in found}, {"color-contrast", "button-name"})

    def in_both_themes(self, what, within="html"):
        """See that a page breaks no rule by day, and none of contrast by night, which is all that differs.

        What frames it is the same on every page: it is looked at where the page is looked at whole.
        """
        for theme in ("light", "dark"):
            with self.subTest(what, theme=theme):
                self.page.emulate_media(color_scheme=theme)
                self.assertEqual(self.axe(colours_alone=theme == "dark", within=within), [])
                self.assertEqual(self.page.evaluate(PALE_MARKS), [])
        self.page.emulate_media(color_scheme="light")

    def test_nothing_runs_off_a_tablet_held_upright(self):
        self.viewport = {"width": 820, "height": 1180}
        self.page = self.new_page()
        self.sign_in("orr")
        for path in ("/live/", "/live/at/wash/", "/live/cook/1187/", "/live/order/", "/live/log/", *YARD):
            with self.subTest(path):
                self.go(path)
                wide = self.page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
                self.assertLessEqual(wide, 0)
