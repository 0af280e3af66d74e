"""Looking ahead: from where a line stands, by its own pace, what if beside it; and what it refuses."""

from dataclasses import replace
from functools import cache
from pathlib import Path

from django.test import SimpleTestCase

from stock.delivery.broke import break_fills_min
from stock.errors import DomainError
from stock.line.balance import LineBalance
from stock.line.load import load_definition
from stock.line.order import Order
from stock.plan.arriving import arrival, way_to_machine
from stock.simulate.outlook import Change, InFlight, Outlook, Stands, look_ahead, with_share
from stock.simulate.plant import Plant

LINE = load_definition(Path("mills") / "hallin_reach.yaml")
LEVELS = {
    "wood_blow_tank": 46, "tower_a": 66, "cane_tower": 28, "tower_r": 51, "slush_chest": 62, "broke_cream": 57,
    "broke_white": 44, "furnish_chest": 66, "paper_chest": 76,
}  # fmt: skip


def stands(**changed: object) -> Stands:
    given = {
        "levels_pct": LEVELS, "slopes_pct_per_h": {"cane_tower": -4.4}, "order": Order.of(LINE.grades[0]),
        "cooks": [InFlight(3, 173, 26), InFlight(4, 88, 110), InFlight(5, 82, 40)],
    }  # fmt: skip
    return Stands(**{**given, **changed})  # type: ignore[arg-type]


@cache
def usual() -> Outlook:
    return look_ahead(LINE, stands(), hours=8)


class Ahead(SimpleTestCase):
    def test_a_level_that_runs_runs_on_and_one_that_is_held_stays(self) -> None:
        cane, tower = usual().courses["cane_tower"], usual().courses["tower_a"]
        met = cane.first(usual().times_h, 0.5)
        assert met is not None
        self.assertEqual(met[0], "low")
        self.assertAlmostEqual(met[1], (28 - 12) / 4.4, delta=0.6)
        self.assertIsNone(tower.first(usual().times_h))
        ends = cane.ends(usual().times_h)
        assert ends is not None
        self.assertEqual(ends[0], "dry")
        self.assertAlmostEqual(ends[1], 28 / 4.4, delta=0.6)
        self.assertIsNone(tower.ends(usual().times_h))
        full = replace(cane, expected_pct=[100.0 - one for one in cane.expected_pct])
        self.assertEqual(full.ends(usual().times_h), ("spills", ends[1]))

    def test_cooks_that_are_in_are_blown_when_they_are_due_and_others_follow(self) -> None:
        blows = [one for one in usual().blows if one.unit == "wood_blow_tank"]
        self.assertAlmostEqual(blows[0].at_h, (26 + 2) / 60, delta=0.1)
        self.assertAlmostEqual(blows[1].at_h, (110 + 2) / 60, delta=0.1)
        self.assertGreaterEqual(len(blows), 4)

    def test_near_a_blow_the_band_is_two_levels_and_never_claims_more_than_both(self) -> None:
        course, blow = usual().courses["wood_blow_tank"], usual().blows[0]
        near = min(range(len(usual().times_h)), key=lambda at: abs(usual().times_h[at] - blow.at_h - blow.long_h / 2))
        rise = 100 * blow.bdt / (230 * 0.11)
        width = course.high_pct[near] - course.low_pct[near]
        self.assertGreater(width, 0.4 * rise)
        self.assertLess(width, 1.3 * rise)

    def test_bands_widen_and_the_expected_lies_inside(self) -> None:
        for course in usual().courses.values():
            width = [high - low for low, high in zip(course.low_pct, course.high_pct, strict=True)]
            self.assertGreater(width[0], 0)
            for at, expected in enumerate(course.expected_pct):
                if course.unit != "wood_blow_tank":
                    self.assertTrue(course.low_pct[at] <= expected <= course.high_pct[at])
        tower = usual().courses["cane_tower"]
        self.assertGreater(tower.high_pct[-1] - tower.low_pct[-1], tower.high_pct[0] - tower.low_pct[0])

    def test_what_if_nothing_is_changed_nothing_is_otherwise(self) -> None:
        again = look_ahead(LINE, stands(), hours=8)
        self.assertEqual(again.courses, usual().courses)

    def test_what_if(self) -> None:
        slow = look_ahead(LINE, stands(), hours=8, changes=[Change("rate", value=10.0, hours=8)])
        self.assertGreater(
            slow.courses["cane_tower"].expected_pct[18], usual().courses["cane_tower"].expected_pct[18] + 1
        )
        lost = look_ahead(LINE, stands(), hours=8, changes=[Change("break", hours=0.4)])
        self.assertGreater(
            lost.courses["broke_cream"].expected_pct[12], usual().courses["broke_cream"].expected_pct[12] + 30
        )
        stopped = look_ahead(LINE, stands(), hours=8, changes=[Change("stop", "bleach")])
        self.assertLess(stopped.courses["tower_a"].expected_pct[12], usual().courses["tower_a"].expected_pct[12] - 3)
        held = look_ahead(LINE, stands(), hours=8, changes=[Change("hold", "3", hours=1.5)])
        first = next(one.at_h for one in held.blows if one.unit == "wood_blow_tank")
        self.assertGreater(first, usual().blows[0].at_h + 0.9)

    def test_after_a_slower_spell_the_order_then_in_force_runs(self) -> None:
        """A change of order inside the spell is not undone at its end."""
        to_come = [(1.0, Order.of(LINE.grades[0], 9.0))]
        plain = look_ahead(LINE, stands(to_come=to_come), hours=8)
        spell = look_ahead(
            LINE, stands(to_come=to_come), hours=8, changes=[Change("rate", value=9.0, from_h=1.0, hours=2.0)]
        )
        for unit in ("tower_a", "cane_tower", "tower_r"):
            apart = spell.courses[unit].expected_pct[-1] - plain.courses[unit].expected_pct[-1]
            self.assertAlmostEqual(apart, 0, delta=0.01)

    def test_a_what_if_comes_true_in_the_plant_that_does_it(self) -> None:
        """The same change made in the fine plant: the level ends in the band foretold."""
        told = look_ahead(LINE, stands(slopes_pct_per_h={}), hours=3, changes=[Change("rate", value=10.5, hours=3)])
        plant = Plant(LINE, Order.of(LINE.grades[0]), dt_s=10)
        for unit, level in LEVELS.items():
            plant.set_level(unit, level)
        plant.batches.stagger()
        plant.set_order(Order.of(LINE.grades[0], 10.5))
        plant.run(3 * 3600)
        for unit in ("tower_a", "cane_tower", "tower_r", "slush_chest", "paper_chest"):
            course = told.courses[unit]
            level = 100 * plant.content(plant.layout.row[unit]) / LINE.unit(unit).volume_m3  # type: ignore[attr-defined]
            with self.subTest(unit):
                self.assertTrue(
                    course.low_pct[-1] - 1 <= level <= course.high_pct[-1] + 1,
                    (course.low_pct[-1], level, course.high_pct[-1]),
                )

    def test_what_cannot_be_is_refused_by_name(self) -> None:
        for change, argument in (
            (Change("rate", value=0), "value"), (Change("share", "hay", 20), "where"), (Change("share", "wood", 140), "value"),
            (Change("stop", "nowhere"), "where"), (Change("hold", "77"), "where"), (Change("break", hours=90), "hours"),
        ):  # fmt: skip
            with self.subTest(change=change), self.assertRaises(DomainError) as caught:
                look_ahead(LINE, stands(), changes=[change])
            self.assertEqual(caught.exception.argument, argument)
        with self.assertRaises(DomainError) as caught:
            look_ahead(LINE, stands(levels_pct={}))
        self.assertEqual(caught.exception.code, "E_OBSERV")
        with self.assertRaises(DomainError):
            look_ahead(LINE, stands(), hours=100)

    def test_a_share_set_leaves_the_others_in_their_ratio(self) -> None:
        order = Order.of(LINE.grades[0])
        name, *others = [one for one, share in order.shares.items() if share]
        for share in (0.0, 0.2, 0.75, 1.0):
            found = with_share(order, name, share)
            self.assertAlmostEqual(sum(found.shares.values()), 1.0)
            self.assertAlmostEqual(found.shares[name], share)
            if share < 1:
                before, after = (one.shares[others[0]] / one.shares[others[1]] for one in (order, found))
                self.assertAlmostEqual(before, after)
        alone = Order.of(order.grade, shares={name: 1.0})
        self.assertEqual(with_share(alone, name, 0.4).shares, {name: 1.0})  # there is nothing else to take


class Arriving(SimpleTestCase):
    def test_a_change_nearer_the_machine_arrives_sooner(self) -> None:
        result = LineBalance(LINE).solve(Order.of(LINE.grades[0]))
        halves = []
        for unit in ("wood_cook", "wood_wash", "wood_refine", "furnish_chest"):
            shown = arrival(way_to_machine(LINE, result, LEVELS, unit), [], "x")
            assert shown is not None
            halves.append(shown.results["half_h"])
        self.assertEqual(halves, sorted(halves, reverse=True))

    def test_what_it_passes_is_what_each_vessel_holds_over_what_is_drawn(self) -> None:
        result = LineBalance(LINE).solve(Order.of(LINE.grades[0]))
        way = {one.unit: one for one in way_to_machine(LINE, result, LEVELS, "wood_bleach")}
        tower, drawn = LINE.unit("tower_a"), result.streams["wood_stored"].bdt_per_h
        held = tower.volume_m3 * LEVELS["tower_a"] / 100 * tower.holds_pct / 100
        self.assertAlmostEqual(way["tower_a"].mixed_h + way["tower_a"].plug_h, held / drawn)
        self.assertGreater(way["tower_a"].plug_h, way["tower_a"].mixed_h)  # a tower is mixed at its foot alone
        chest = LINE.unit("paper_chest")
        self.assertEqual(list(way)[-1], "paper_chest")  # no further than the machine chest
        self.assertEqual(way["paper_chest"].plug_h, 0)
        held = chest.volume_m3 * LEVELS["paper_chest"] / 100 * chest.holds_pct / 100
        out = LINE.graph.onward("paper_chest")
        assert out is not None
        self.assertAlmostEqual(way["paper_chest"].mixed_h, held / result.streams[out.id].bdt_per_h)

    def test_a_slower_rate_to_come_delays_it_and_a_stop_for_good_hides_it(self) -> None:
        result = LineBalance(LINE).solve(Order.of(LINE.grades[0]))
        way = way_to_machine(LINE, result, LEVELS, "wood_wash")
        now, later = arrival(way, [], "x"), arrival(way, [(2.0, 0.5)], "x")
        assert now is not None
        assert later is not None
        self.assertGreater(later.results["half_h"], now.results["half_h"] + 1)
        self.assertIsNone(arrival(way, [(1.0, 0.0)], "x"))
        self.assertIsNone(arrival([], [], "x"))


class Broke(SimpleTestCase):
    def test_a_break_fills_the_chest_of_the_grades_colour(self) -> None:
        result = LineBalance(LINE).solve(Order.of(LINE.grades[0]))
        minutes = break_fills_min(LINE, result, "broke_cream", 57)
        assert minutes is not None
        room = 260 * 0.038 * (95 - 57) / 100
        self.assertAlmostEqual(minutes, 60 * room / 11.5, delta=3)
        self.assertIsNone(break_fills_min(LINE, result, "broke_white", 44))
        self.assertIsNone(break_fills_min(LINE, result, "tower_a", 44))
        self.assertIsNone(break_fills_min(LINE, result, "broke_cream", 97))
