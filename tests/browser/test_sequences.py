"""Sequences without chlorine and of mechanical pulp, on a mill of the tests' own, worked in the plant that answers."""

from desk.floor.models import World
from desk.mill.services import approve_definition
from desk.stations.bleach.models import Dip
from desk.stations.moves.models import Made, Move
from standin.plant import Plant
from stock.line.load import parse_definition
from tests.browser.base import BrowserCase
from tests.desk.base import NOW
from tests.lived import Lived
from tests.mills import TWO_LINES, bleached_without_chlorine

OUT_H = 6.0


class OtherSequences(BrowserCase):
    def setUp(self):
        super().setUp()
        text = bleached_without_chlorine(TWO_LINES.read_text(encoding="utf-8"))
        world = World.objects.create(
            slug="third", name="Third", version=approve_definition(text, "E. Test"), simulated=True
        )
        self.lived = Lived(world, Plant(parse_definition(text), 20, NOW.timestamp()), NOW, self.addCleanup)
        self.plant = self.lived.living.plant

    def set(self, point, value):
        """Make a move by hand on its page."""
        self.go("/third/moves/")
        self.page.locator('select[name="point"]').select_option(point)
        self.page.locator('input[name="to"]').first.fill(str(value))
        self.page.get_by_role("button", name="Keep the move").click()
        self.page.wait_for_url("**/moves/")
        self.lived.pass_time(0.5)
        self.assertTrue(Made.objects.get(move=Move.objects.latest("id")).reached)

    def later(self, hours):
        self.plant.step(round(hours * 3600 / self.plant.dt_s))

    def test_without_chlorine_by_chelant_and_peroxide(self):
        self.sign_in("orr")
        self.go("/third/bleach/whitener_one/")
        names = self.page.locator("#bleach-worked .t-box").all_text_contents()
        self.assertEqual(names, ["O", "Q", "PO"])
        self.page.get_by_text("Never trap it between closed valves").first.wait_for(state="attached")
        self.later(2)
        before = self.plant.truth("t_pine_bright")
        self.set("charge:whitener_one", 22)
        self.later(OUT_H)
        self.assertGreater(self.plant.truth("t_pine_bright"), before + 0.3)

    def test_metals_waste_peroxide_until_chelant_takes_them(self):
        self.sign_in("orr")
        self.plant.fault("metals_in_pulp", "whitener_one", ratio=1.5)
        self.later(OUT_H)
        dull = self.plant.truth("t_pine_bright")
        self.set("beside:whitener_one:3:chelant", 3)
        self.later(OUT_H)
        self.assertGreater(self.plant.truth("t_pine_bright"), dull + 0.3)

    def test_mechanical_pulp_twice_with_its_liquor_used_again(self):
        self.sign_in("orr")
        self.go("/third/bleach/whitener_two/")
        self.assertEqual(self.page.locator("#bleach-worked .t-box").all_text_contents(), ["P1", "P2"])
        bought = self.page.locator("#bleach-again dd").first.inner_text()
        self.page.locator('input[name="again-back"]').fill("0")
        self.page.wait_for_function(
            "said => document.querySelector('#bleach-again dd').innerText !== said", arg=bought, timeout=15_000
        )
        self.page.locator('input[name="again-after"]').fill("5")
        self.page.locator("#bleach-again", has_text="a press does not thin").wait_for()
        self.assertEqual(self.axe(), [])
        self.later(2)
        before = self.plant.truth("t_birch_bright")
        self.set("charge:whitener_two", 34)
        self.later(OUT_H)
        self.assertGreater(self.plant.truth("t_birch_bright"), before + 0.3)

    def test_two_dips_prove_what_a_pump_gave(self):
        self.sign_in("orr")
        self.go("/third/bleach/tanks/")
        for holds, when in (("21", "yesterday 22:10"), ("17", "")):
            self.page.locator('#dip-form select[name="place"]').select_option(label="Pine without chlorine, PO, H₂O₂")
            self.page.locator('#dip-form input[name="holds_m3"]').fill(holds)
            self.page.locator('#dip-form input[name="at"]').fill(when)
            self.page.get_by_role("button", name="Keep the dip").click()
            self.page.wait_for_load_state()
        self.page.get_by_text("17.0 of").wait_for()
        self.assertEqual(Dip.objects.count(), 2)
        self.page.get_by_text("meant").first.wait_for()
        self.assertEqual(self.axe(), [])
