"""Bleaching and water worked as an operator would, in the plant that answers."""

from desk.floor.models import World
from desk.stations.moves.models import Made, Move
from tests.browser.base import BrowserCase
from tests.desk.base import NOW, plant
from tests.lived import Lived

EMPTY = """() => document.querySelectorAll('.screens-table input').forEach(one => { one.value = '' })"""
NAMED = (
    """said => [...document.querySelectorAll('#bleach-worked .t-box')].map(one => one.textContent).join(' ') === said"""
)
EXIT_H = 6.0  # of the wood bleach, from its first mixer, and a little


class Bleaching(BrowserCase):
    def setUp(self):
        super().setUp()
        self.lived = Lived(World.objects.get(slug="live"), plant(), NOW, self.addCleanup)
        self.plant = self.lived.living.plant

    def read(self, line):
        """Enter a reading as it is typed on a round."""
        self.page.locator("#entry-line").fill(line)
        self.page.locator("#entry-panel", has_text="enter record").wait_for()
        self.page.keyboard.press("Enter")
        self.page.locator("#entry-panel", has_text="Recorded").wait_for()

    def set(self, point, value):
        """Make a move by hand on its page."""
        self.go("/live/moves/")
        self.page.locator('select[name="point"]').select_option(point)
        self.page.locator('input[name="to"]').first.fill(str(value))
        self.page.get_by_role("button", name="Keep the move").click()
        self.page.wait_for_url("**/moves/")
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)

    def test_a_rise_of_kappa_is_met_before_it_reaches_the_exit(self):
        for house in self.plant.batches.houses:
            house.bias += 6.0
        self.plant.step(round(5 * 3600 / self.plant.dt_s))
        before = self.plant.truth("wood_brightness")
        self.assertGreater(self.plant.truth("e_kappa"), 3.3)  # the extraction shows it first
        self.sign_in("vale")
        self.go("/live/at/bleach/")
        self.read(f"kappa e {self.plant.truth('e_kappa') + 0.8:.1f}")
        self.sign_in("orr")
        self.go("/live/bleach/wood_bleach/")
        form = self.page.locator('form.done[action*="e_kappa"]')
        form.wait_for()
        form.get_by_role("button", name="Done").click()
        self.page.wait_for_url("**/moves/")
        self.lived.pass_time(0.5)
        move = Move.objects.latest("id")
        self.assertEqual(move.point, "charge:wood_bleach:1")
        self.assertTrue(Made.objects.get(move=move).reached)
        self.assertGreater(self.plant.bleaching.charge("wood_bleach", 0), move.from_value + 0.3)
        self.assertAlmostEqual(self.plant.truth("wood_brightness"), before, delta=0.2)  # it has not come out yet

    def test_a_weak_solution_is_met_at_the_pump(self):
        self.plant.fault("solution_weak", "wood_dose", frac=0.85)
        self.lived.pass_time(0.5)
        self.sign_in("vale")
        self.go("/live/at/bleach/")
        self.read(f"clo2 {self.plant.truth('d0_strength'):.2f}")
        self.sign_in("orr")
        self.go("/live/bleach/wood_bleach/")
        self.page.get_by_text("for the same charge, at once").first.wait_for()
        self.set("strength:wood_dose", 7.48)
        rest = self.plant.truth("wood_brightness")
        self.plant.step(round(EXIT_H * 3600 / self.plant.dt_s))
        self.assertAlmostEqual(self.plant.truth("wood_brightness"), rest, delta=0.6)

    def test_the_short_cane_sequence_is_brought_back_by_its_last_stage(self):
        self.sign_in("orr")
        self.go("/live/bleach/cane_bleach/")
        form = self.page.locator('form.done[action*="cane_brightness"]')
        form.wait_for()
        form.get_by_role("button", name="Done").click()
        self.page.wait_for_url("**/moves/")
        self.lived.pass_time(0.5)
        self.assertEqual(Move.objects.latest("id").point, "charge:cane_bleach")
        low = self.plant.truth("cane_brightness")
        self.plant.step(round(4 * 3600 / self.plant.dt_s))
        self.assertGreater(self.plant.truth("cane_brightness"), low + 0.3)

    def test_recovered_pulp_is_whitened_by_more_dithionite(self):
        self.sign_in("orr")
        self.go("/live/bleach/rec_bleach/")
        self.page.get_by_text("It heats by itself when damp").first.wait_for(state="attached")
        before = self.plant.truth("rec_brightness")
        self.set("charge:rec_bleach", 10)
        self.plant.step(round(3 * 3600 / self.plant.dt_s))
        self.assertGreater(self.plant.truth("rec_brightness"), before + 0.3)

    def test_sequences_are_written_by_their_symbols_and_worked_as_typed(self):
        self.sign_in("orr")
        self.go("/live/bleach/wood_bleach/")
        self.assertEqual(self.page.locator(".tower-wall").count(), 3)
        self.what_if()
        for symbols in (("O", "Q", "PO"), ("P", "P"), ("D0", "EP", "P")):
            self.page.evaluate(EMPTY)  # a stage chosen anew stands as is usual for it
            for at in range(3):
                self.page.locator(f'select[name="stage-{at}-symbol"]').select_option(
                    symbols[at] if at < len(symbols) else ""
                )
            self.page.wait_for_function(NAMED, arg=" ".join(symbols), timeout=30_000)
        self.page.locator('input[name="target"]').fill("96")
        self.page.locator("#bleach-worked", has_text="out of reach").or_(
            self.page.locator("#bleach-worked", has_text="points short of 96")
        ).first.wait_for()
        self.page.locator('input[name="kappa"]').fill("soup")
        self.page.locator("#bleach-worked", has_text="What you typed is kept").wait_for()
        self.refresh()
        self.assertEqual(self.page.locator('input[name="kappa"]').input_value(), "soup")
        self.assertIn("What you typed is kept", self.page.locator("#bleach-worked").inner_text())
        self.page.get_by_role("link", name="Back to what runs").click()
        self.page.wait_for_function(NAMED, arg="D0 EP D1")
        self.assertEqual(self.page.get_by_text("not as it runs").count(), 0)
        self.assertEqual(self.axe(), [])

    def test_the_water_and_what_binds_it(self):
        self.sign_in("orr")
        self.go("/live/water/")
        self.assertIn("of fresh water for each kilogram", self.page.locator("#sentence").inner_text())
        self.page.locator('input[name="oxygen-demand-load"]').fill("5")
        self.page.locator("#water-bound", has_text="Chloride binds").wait_for()
        self.page.locator('#day-form input[name="flow_m3"]').fill("8200")
        self.page.locator('#day-form input[name="cod_t"]').fill("soup")
        self.page.get_by_role("button", name="Keep the day").click()
        self.page.get_by_text("which is not a number").first.wait_for()
        self.assertEqual(self.page.locator('#day-form input[name="flow_m3"]').input_value(), "8200")
        self.page.locator('#day-form input[name="cod_t"]').fill("14.6")
        self.page.get_by_role("button", name="Keep the day").click()
        self.page.get_by_text("14.6 t").wait_for()
        self.assertEqual(self.axe(), [])
