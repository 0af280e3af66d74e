"""A working shows its steps with the numbers put in; a flow of the balance opens to what it was solved from."""

from desk.floor.state import State
from stock.figure import Datum, Origin, figure
from tests.desk.base import NOW, DeskCase

SAID = Origin("set", "a test")


class Steps(DeskCase):
    def test_the_k_over_s_of_a_brightness_and_what_came_in_are_shown(self):
        self.enter("cane_brightness", 81.9)
        self.sign_in()
        page = self.client.get("/live/working/?of=advice:cane_brightness&path=full_correction_moved")
        self.assertSays(page, "Absorption over scattering from reflectance")
        self.assertSays(page, "<strong>0.0200")
        self.assertSays(page, "K/s that came into the stage")
        self.assertSays(page, "Charge that ends at the target")

    def test_a_search_says_what_it_bracketed_and_where_it_ended(self):
        data = {
            "target_loss_kg_per_bdt": 17.0, "feed_consistency_pct": 10.0, "feed_solids_kg_per_bdt": 1250.0,
            "e_std_total_ratio": 9.0,
        }  # fmt: skip
        shown = figure("dilution_factor_for_loss", "dilution factor", {k: Datum(v, SAID) for k, v in data.items()})
        self.assertEqual([one.words for one in shown.notes][:2], ["searched from", "to"])
        self.assertAlmostEqual(next(one.value for one in shown.notes if "ended" in one.words), 17.0, 4)

    def test_a_march_of_hundreds_of_steps_lists_none(self):
        data = {"times_min": [0.0, 80.0, 160.0], "temperatures_c": [80.0, 165.0, 165.0]}
        shown = figure("h_factor", "H", {k: Datum(v, SAID) for k, v in data.items()})
        self.assertLessEqual(len(shown.steps), 8)

    def test_a_flow_opens_to_the_order_the_unit_and_what_runs_into_it_and_these_in_turn(self):
        self.sign_in()
        page = self.client.get("/live/working/?of=flow:washed")
        self.assertSays(page, "order at the reel")
        self.assertSays(page, "whole-line balance, into")
        into = State(self.world, NOW).line.graph.into("wood_wash")[0].id
        deeper = self.client.get(f"/live/working/?of=flow:washed&path={into}_bdt_per_h")
        self.assertEqual(deeper.status_code, 200)
