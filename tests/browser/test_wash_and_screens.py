"""Washing and screening worked as an operator would, in the plant that answers."""

from desk.floor.models import World
from desk.stations.moves.models import Made, Move
from desk.stations.wash.models import MatCheck, Round
from tests.browser.base import BrowserCase
from tests.desk.base import NOW, plant
from tests.lived import Lived


class Working(BrowserCase):
    def setUp(self):
        super().setUp()
        self.lived = Lived(World.objects.get(slug="live"), plant(), NOW, self.addCleanup)

    def read(self, line):
        """Enter a reading as it is typed on a round."""
        self.page.locator("#entry-line").fill(line)
        self.page.locator("#entry-panel", has_text="enter record").wait_for()
        self.page.keyboard.press("Enter")
        self.page.locator("#entry-panel", has_text="Recorded").wait_for()

    def test_a_washer_that_fell_behind_is_named_and_found_by_its_liquors(self):
        self.sign_in("orr")
        self.go("/live/wash/cane_wash/")
        self.assertIn("fell behind", self.page.locator("#sentence").inner_text())
        self.assertIn("do not buy its work with water", self.page.locator("#wash-worked").inner_text())
        self.assertEqual(self.page.locator(".stairs-behind").count(), 1)
        self.page.locator("#wash-factor").fill("3.6")
        self.page.locator("#wash-worked", has_text="t/BDt is the most").or_(
            self.page.locator("#wash-worked", has_text="11.7 t/BDt")
        ).first.wait_for()
        self.page.locator("#wash-factor").fill("soup")
        self.page.locator("#wash-worked", has_text="What you typed is kept").wait_for()
        self.assertEqual(self.page.locator("#wash-factor").input_value(), "soup")
        self.assertEqual(self.axe(), [])
        self.go("/live/wash/rounds/")
        before = Round.objects.count()
        self.page.locator('select[name="machine"]').first.select_option("cane_wash:2")
        for name, text in (("filtrate", "51"), ("mat", "34"), ("wash", "21")):
            self.page.locator(f'input[name="{name}"]').fill(text)
        self.page.get_by_role("button", name="Keep the round").click()
        self.page.wait_for_url("**/wash/rounds/")
        self.page.get_by_text("Keep the mat").wait_for()
        self.assertEqual(Round.objects.count(), before + 1)
        mats = MatCheck.objects.count()
        self.page.get_by_role("button", name="Keep the mat").click()
        self.page.wait_for_url("**/wash/rounds/")
        self.page.get_by_text("as it should be").first.wait_for()
        self.assertEqual(MatCheck.objects.count(), mats + 1)
        self.assertEqual(self.axe(), [])

    def test_brown_stock_badly_washed_is_met_and_the_loss_comes_back(self):
        living = self.lived.living.plant
        number = living.fault("lanes_blocked", "wood_wash", health_frac=0.85)
        self.lived.pass_time(1)
        sick = living.truth("wash_loss")
        living.step(4 * 3600)
        self.assertGreater(living.truth("wash_loss"), sick + 3)
        self.sign_in("vale")
        self.go("/live/at/wash/")
        self.read("wash loss 27")
        self.sign_in("orr")
        self.go("/live/at/wash/")
        form = self.page.locator('form.done[action*="wash_loss"]')
        form.wait_for()
        self.assertIn("stands at", form.inner_text())
        form.get_by_role("button", name="Done").click()
        self.page.wait_for_url("**/moves/")
        self.assertIn("Look first at", self.page.locator(".move").first.inner_text())
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)
        worst = living.truth("wash_loss")
        living.mend(number)
        living.step(10 * 3600)
        self.assertLess(living.truth("wash_loss"), worst - 3)

    def test_screens_that_let_shives_through_are_met_at_the_reject_rate(self):
        living = self.lived.living.plant
        living.fault("basket_holed", "wood_screen", leak_frac=0.4)
        living.step(1800)
        sick = living.truth("shives")
        self.sign_in("vale")
        self.go("/live/at/screen/")
        self.read("shives 0.27")
        self.sign_in("orr")
        self.go("/live/at/screen/")
        self.what_if()
        for name, text in (("feed_count", "460"), ("feed_g", "1000"), ("accept_count", "330"), ("accept_g", "1000")):
            self.page.locator(f'.screens-form input[name="{name}"]').fill(text)
        self.page.locator("#screens-worked", has_text="look at a basket").wait_for()
        self.assertEqual(self.axe(), [])
        form = self.page.locator('form.done[action*="shives"]')
        form.wait_for()
        form.get_by_role("button", name="Done").click()
        self.page.wait_for_url("**/moves/")
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)
        self.assertEqual(Move.objects.latest("id").point, "reject:wood_screen")
        living.step(1800)
        self.assertLess(living.truth("shives"), sick)

    def test_a_cleaner_taken_out_moves_its_pressure(self):
        self.sign_in("orr")
        self.go("/live/screens/clean/")
        drop = self.page.locator(".stairs").text_content()
        self.what_if()
        self.page.locator('input[name="stage-0-open"]').fill("2")
        self.page.locator("#screens-worked", has_text="2 are there").wait_for()
        self.refresh()
        said = self.page.locator("#screens-worked").inner_text()
        self.assertIn("2 are there", said)
        self.assertIn("not as it runs", said)
        self.assertNotEqual(self.page.locator(".stairs").text_content(), drop)
        self.assertEqual(self.axe(), [])

    def test_a_plugged_cleaner_bank_is_found_by_its_pressure_and_put_right(self):
        number = self.lived.living.plant.fault("tips_plug", "clean", count=1)
        self.lived.pass_time(3)
        self.sign_in("orr")
        self.go("/live/at/recover/")
        self.page.get_by_text("Rod out the tips").first.wait_for()
        self.go("/live/screens/clean/")
        self.assertIn("of 4 plugged by that", self.page.locator("#screens-worked").inner_text())
        self.assertEqual(self.axe(), [])
        self.lived.living.plant.mend(number)
        self.lived.pass_time(3)
        self.go("/live/at/recover/")
        self.assertEqual(self.page.get_by_text("Rod out the tips").count(), 0)

    def test_a_blinded_screen_is_found_by_its_pressure_and_the_reject_is_opened(self):
        number = self.lived.living.plant.fault("screen_blinds", "wood_screen", open_frac=0.72)
        self.lived.pass_time(3)
        self.sign_in("orr")
        self.go("/live/at/screen/")
        self.page.get_by_text("Open the reject 3 points").first.wait_for()
        self.assertIn("% open by that", self.page.locator("#screens-worked").inner_text())
        self.go("/live/moves/")
        self.page.locator('select[name="point"]').select_option("reject:wood_screen")
        self.page.locator('input[name="to"]').first.fill("22.6")
        self.page.get_by_role("button", name="Keep the move").click()
        self.page.locator(".move", has_text="19.6 to 22.6").first.wait_for()
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)
        self.assertEqual(self.lived.living.plant.truth("screen_reject"), 22.6)
        self.lived.living.plant.mend(number)
        self.lived.pass_time(3)
        self.go("/live/at/screen/")
        self.assertEqual(self.page.get_by_text("Open the reject 3 points").count(), 0)

    def test_cane_with_foam_is_judged_by_hand_and_by_its_liquors(self):
        plant = self.lived.living.plant
        number = plant.fault("foams", "cane_wash", health_frac=0.8)
        before = plant.truth("cane_wash_loss")
        plant.step(6 * 3600)
        self.assertGreater(plant.truth("cane_wash_loss"), before + 3)
        self.sign_in("orr")
        self.go("/live/wash/rounds/")
        form = self.page.locator("#mat-form")
        form.locator('select[name="machine"]').select_option("cane_wash:3")
        form.locator('input[name="foam"][value="4"]').check()
        form.get_by_role("button", name="Keep the mat").click()
        self.page.get_by_text("foam 4").first.wait_for()
        self.sign_in("vale")
        self.go("/live/at/wash/")
        self.read("cane wash loss 24")
        self.page.get_by_text("Set the shower").first.wait_for()
        worst = plant.truth("cane_wash_loss")
        plant.mend(number)
        plant.step(8 * 3600)
        self.assertLess(plant.truth("cane_wash_loss"), worst - 2)
