"""What is said of a level can be done: never more fed than passes, held back than comes, drawn than is taken."""

from unittest import TestCase

from stock.decisions import REASONS
from stock.judge.limits import judge
from stock.judge.quiet import why_quiet
from stock.line.balance import LineBalance, Order
from stock.line.load import load_definition
from stock.primitives import Vessel
from tests.line import hallin_reach, tidewater_bench
from tests.mills import TWO_LINES
from tests.stock.test_judge import Facts, card, solved

LINES = (hallin_reach(), tidewater_bench(), load_definition(TWO_LINES))


def levels():
    """Yield every vessel with a level that has a band, from nearly empty to nearly full, with its card."""
    for line in LINES:
        for unit in line.units:
            tag = line.tag(unit.level) if isinstance(unit, Vessel) and unit.level else None
            if tag is None or tag.band is None:
                continue
            for value in (2.0, 8.0, 15.0, 25.0, 75.0, 85.0, 92.0, 98.0):
                if (found := card(tag.id, value, line)) is not None:
                    yield line, unit, value, found


def flows(line, streams):
    return sum(solved(line).streams[one.id].bdt_per_h for one in streams)


class Possible(TestCase):
    def test_no_more_is_asked_than_can_be_done(self):
        seen = set()
        for line, unit, value, found in levels():
            with self.subTest(unit.id, value=value, mill=line.mill):
                seen.add(found.rule)
                step = found.step.results["step_moved"]
                comes, drawn = flows(line, line.graph.into(unit.id)), flows(line, line.graph.out(unit.id))
                self.assertGreaterEqual(step, 0)
                if found.rule in ("vessel_high", "broke_low"):
                    self.assertLessEqual(step, comes + 1e-9)
                if found.rule in ("tower_low", "chest_low"):
                    for load in solved(line).loads:  # whatever stands before it carries what is fed
                        if load.unit in {one.name for one in line.graph.upstream(unit.id)} and drawn > 0:
                            self.assertLessEqual(load.bdt_per_h * (1 + step / drawn), load.capacity_bdt_per_h + 1e-6)
                said = " ".join(found.carrying)
                if "from the draw" in said:
                    full = found.step.data["full_correction_moved"].value
                    self.assertLessEqual(full - step, drawn / 2 + 1e-9)
        self.assertEqual(seen, {"tower_low", "chest_low", "vessel_high", "blow_tank_high", "broke_high", "broke_low"})

    def test_where_half_the_draw_would_not_do_it_takes_longer(self):
        found = card("tower_a_level", 23.0)
        full, fed = (found.step.data["full_correction_moved"].value, found.step.results["step_moved"])
        self.assertGreater(full - fed, 0.5 * flows(hallin_reach(), hallin_reach().graph.out("tower_a")))
        self.assertTrue(found.correction.endswith(f"than is drawn, for {4 * full / fed:.0f} h"), found.correction)
        self.assertIn("That is longer than the usual 4 h; sooner by drawing less", found.carrying)

    def test_the_rest_that_is_taken_off_the_draw_is_told_in_points_of_the_furnish(self):
        found = card("cane_tower_level", 23.0)
        rest = found.step.data["full_correction_moved"].value - found.step.results["step_moved"]
        result = solved(hallin_reach())
        furnish = sum(result.streams[name].bdt_per_h for name, share in result.order.shares.items() if share)
        words = f"The rest, {rest:.2f} BDt/h, from the draw: cut the cane share by {100 * rest / furnish:.0f} points"
        self.assertIn(words, found.carrying)

    def test_a_blow_tank_is_washed_down_by_no_more_than_the_next_can_pass(self):
        found = card("cane_blow_level", 81.0)
        binds = next(load for load in solved(hallin_reach()).loads if load.unit == "Cane bleach")
        drawn = flows(hallin_reach(), hallin_reach().graph.out("cane_blow_tank"))
        room = drawn * (binds.capacity_bdt_per_h / binds.bdt_per_h - 1)
        self.assertAlmostEqual(found.step.results["step_moved"], room, places=6)
        self.assertIn(
            "Cut to what can be done: cane bleach can pass 3.4 BDt/h, of which the order takes 2.23", found.carrying
        )

    def test_each_kind_of_vessel_is_brought_back_in_its_own_time(self):
        for tag, hours in (
            ("machine_level", 1),
            ("tower_a_level", 4),
            ("wood_blow_level", 4),
            ("broke_cream_level", 8),
        ):
            with self.subTest(tag):
                size = card(tag, 92.0).size
                self.assertEqual(size.data["horizon_h"].value, hours)
                held = size.data["wanted_bdt"].value - size.data["level_bdt"].value
                self.assertAlmostEqual(size.value, held / hours)

    def test_broke_that_does_not_come_cannot_be_held_back_and_that_is_said(self):
        line = hallin_reach()
        tag = line.tag("broke_white_level")
        self.assertIsNone(card(tag.id, 14.0))
        words = why_quiet(REASONS, tag, judge(tag, 14.0), Facts(line, broke_white_level=14.0))
        self.assertIn("No broke comes by the balance", words)
        self.assertIn("points more of the furnish", " ".join(card("broke_cream_level", 79.0).carrying))


class Thinned(TestCase):
    def test_no_more_water_is_closed_than_runs_in(self):
        line = hallin_reach()
        water = line.graph.dilution(line.stream("brown_stock").source)
        runs = solved(line).streams[water.id].total_t_per_h * 1000 / 60
        found = card("brown_cons", 1.5)
        self.assertLessEqual(found.step.results["step_moved"], runs + 1e-9)
        self.assertIn(f"{runs:.0f} L/min is all that runs in", " ".join(found.carrying))

    def test_a_chest_is_looked_at_when_its_volume_has_passed(self):
        found = card("machine_cons", 3.28)
        chest = hallin_reach().unit("paper_chest")
        flow = found.size.data["flow_l_per_min"].value
        self.assertAlmostEqual(found.look.data["mixed_each_min"].value[0], 1000 * chest.volume_m3 / flow)


class Stores(TestCase):
    """Wood and bagasse that run short: cut where it would be used up first, else order in time."""

    def test_a_store_that_outlasts_the_lead_asks_for_no_cut_and_says_by_when_to_order(self):
        use, lead = 24 * Facts().flow("chips_in").value, hallin_reach().yard.lead_d
        found = card("wood_stock", 4.8)
        self.assertAlmostEqual(found.size.value, 4.8 * use / (lead + 1))
        self.assertIn(f"at {use:.0f} BDt/d it lasts 4.8 d, a delivery takes {lead:g} d and a day", found.correction)
        self.assertTrue(found.correction.endswith(f"have it sure within {4.8 - lead - 1:.1f} d"))
        self.assertGreater(found.size.value, use)

    def test_one_that_does_not_is_cut_to_what_lasts(self):
        for tag, comes in (("wood_stock", "delivery"), ("cane_stock", "barge")):
            found = card(tag, 2.0)
            use = found.size.data["stock_bdt"].value / 2.0
            self.assertAlmostEqual(found.size.value, 2.0 * use / (hallin_reach().yard.lead_d + 1))
            self.assertEqual(
                found.correction,
                f"Plan for {found.size.text} BDt/d, in place of {use:.0f}, until the next {comes} is sure",
            )


class Arriving(TestCase):
    """What of a flow comes to a vessel further down, in a mill that parts one between two chests."""

    def setUp(self) -> None:
        self.line = load_definition(TWO_LINES)
        self.streams = LineBalance(self.line).solve(Order.of(self.line.grades[0])).streams

    def arrives(self, stream: str, unit: str) -> float:
        graph = self.line.graph
        return graph.arriving_frac(graph.streams[stream], unit, lambda name: self.streams[name].bdt_per_h)

    def test_it_is_what_is_parted_and_lost_on_the_way(self) -> None:
        self.assertAlmostEqual(self.arrives("to_near", "chest_near"), 1.0)
        self.assertAlmostEqual(self.arrives("bought_in", "chest_near"), 0.6, places=3)
        brown, held = (self.streams[name].bdt_per_h for name in ("pine_brown", "pine_white"))
        self.assertAlmostEqual(self.arrives("pine_brown", "hold_one"), held / brown, places=6)
        self.assertLess(held / brown, 0.97)  # a bleach dissolves some of it

    def test_what_does_not_come_there_is_no_share_of_it(self) -> None:
        for stream, unit in (("birch_brown", "hold_one"), ("bought_in", "chest_far"), ("pine_white", "tank_one")):
            with self.subTest(stream, unit=unit), self.assertRaises(LookupError):
                self.arrives(stream, unit)

    def test_where_nothing_runs_nothing_is_known_to_be_lost(self) -> None:
        graph = self.line.graph
        self.assertEqual(graph.arriving_frac(graph.streams["bought_in"], "chest_near", lambda _: 0.0), 1.0)

    def test_the_other_branch_is_named_where_there_is_one(self) -> None:
        graph = self.line.graph
        branch = graph.parted_to(graph.streams["bought_in"], "chest_near")
        self.assertEqual(branch and branch.id, "to_far")
        self.assertIsNone(graph.parted_to(graph.streams["pine_brown"], "hold_one"))
        self.assertIsNone(graph.parted_to(graph.streams["to_near"], "chest_near"))
