"""A move and the look ahead, worked as an operator would, in the plant that answers."""

from desk.floor.models import World
from desk.stations.moves.models import Made, Move
from tests.browser.base import BrowserCase
from tests.desk.base import NOW, plant
from tests.lived import Lived


class Moving(BrowserCase):
    def setUp(self):
        super().setUp()
        self.lived = Lived(World.objects.get(slug="live"), plant(), NOW, self.addCleanup)

    def test_one_press_on_a_card_reaches_the_plant_and_is_followed_up(self):
        self.sign_in("orr")
        self.go("/live/at/bleach/")
        form = self.page.locator('form.done[action*="cane_tower_level"]')
        self.assertIn("stands at", form.inner_text())
        form.get_by_role("button", name="Done").click()
        self.page.wait_for_url("**/moves/")
        self.assertIn("Look first at", self.page.locator(".move").first.inner_text())
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)
        self.go("/live/at/bleach/")
        self.assertIn("look again at", self.page.locator(".done-waits").inner_text())
        self.assertEqual(self.page.locator('form.done[action*="cane_tower_level"]').count(), 0)
        self.lived.pass_time(4)
        self.go("/live/moves/")
        self.assertIn("made in the simulated plant", self.page.locator(".move").first.inner_text())
        self.assertEqual(self.axe(), [])

    def test_a_set_panel_sets_it_and_quick_entry_moves(self):
        self.sign_in("orr")
        self.go("/live/at/wash/")
        field = self.page.locator('input[name="dilution_factor_t_per_bdt"]').first
        field.fill("2.8")
        button = self.page.get_by_role("button", name="Set it")
        button.wait_for()
        button.click()
        self.page.wait_for_url("**/moves/")
        self.assertEqual(Move.objects.latest("id").because, "panel")
        self.assertEqual(Move.objects.latest("id").tag, "wash_loss")
        self.page.locator("#entry-line").fill("brown dilution +100")
        self.page.locator("#entry-panel", has_text="A move").wait_for()
        self.page.keyboard.press("Enter")
        for _ in range(80):  # the words are the same before it is kept
            if Move.objects.latest("id").point == "flow:brown_water":
                break
            self.page.wait_for_timeout(100)
        self.lived.pass_time(0.5)
        self.assertEqual(Made.objects.filter(reached=True).count(), 2)

    def test_the_look_ahead_and_a_what_if(self):
        self.sign_in("sundby")
        self.go("/live/ahead/")
        self.assertEqual(self.page.locator(".lanes tbody tr").count(), 10)
        self.assertEqual(self.axe(), [])
        self.page.locator('select[name="what"]').select_option("break")
        self.page.locator('input[name="hours"]').fill("0.5")
        self.page.get_by_role("button", name="Run it").click()
        self.page.get_by_text("What would be otherwise").wait_for()
        self.assertIn("Broke, cream", self.page.locator(".facts").last.inner_text())
        self.page.emulate_media(color_scheme="dark")
        self.assertEqual(self.axe(colours_alone=True), [])

    def test_typed_into_a_move_stays_past_the_refresh(self):
        self.sign_in("orr")
        self.go("/live/moves/")
        self.page.locator("#make-move input[name=to]").fill("lots")
        self.page.get_by_role("button", name="Keep the move").click()
        self.page.locator(".refused, [role=alert]").first.wait_for()
        self.page.clock.run_for(6000)
        self.assertEqual(self.page.locator("#make-move input[name=to]").input_value(), "lots")
