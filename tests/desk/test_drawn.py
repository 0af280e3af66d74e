"""Drawings: what is drawn is as large, and stands where, its numbers say; nothing stands on another or beyond the edge."""

import math
import re
from itertools import pairwise

from django.test import SimpleTestCase

from desk.frame.plot import Scale, line, padded, round_marks
from desk.stations.screening.drawing import draw_cascade
from desk.stations.yard.pages.drawing import (
    GAP,
    GROUND_Y,
    LEAST_WIDE,
    M_HIGH,
    WIDTH,
    _cuts,
    _shape,
    _slices,
    _top,
    draw_yard,
)  # fmt: skip
from stock.figure import Datum, Origin
from stock.screening.system import run
from stock.screening.unit import Stage
from tests.desk.yard_case import YardCase


def corners(path):
    """Return the (x, y) of a path of straight lines."""
    return [(float(x), float(y)) for x, y in re.findall(r"(-?[\d.]+) (-?[\d.]+)", path)]


def area(points):
    """Return the area inside a closed outline."""
    return abs(sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in pairwise([*points, points[0]]))) / 2


class Scales(SimpleTestCase):
    def test_ends_middle_and_beyond(self):
        up = Scale(10.0, 30.0, 200.0, 100.0)
        self.assertEqual([up(value) for value in (10, 20, 30, 40)], [200, 150, 100, 50])
        self.assertEqual(up.length(4), -20)
        self.assertEqual([up.held(value) for value in (0, 20, 40)], [200, 150, 100])

    def test_what_is_padded_leaves_its_share_at_both_ends(self):
        scale = padded([2.0, 6.0, 4.0], 0.25, 0.0, 120.0)
        self.assertEqual((scale(2.0), scale(6.0)), (20.0, 100.0))
        flat = padded([3.0, 3.0], 0.1, 0.0, 100.0)
        self.assertAlmostEqual(flat(3.0), 50.0)

    def test_marks_are_round_inside_and_three_to_six_or_so(self):
        for low, high, marks in (
            (0.0, 10.0, [0, 2, 4, 6, 8, 10]), (17.2, 18.9, [17.5, 18.0, 18.5]), (-4.0, 4.0, [-4, -2, 0, 2, 4]),
            (980.0, 1130.0, [1000, 1050, 1100]),
        ):  # fmt: skip
            self.assertEqual(round_marks(low, high), marks)
        for power in range(-3, 5):
            for width in (1.0, 1.7, 2.4, 3.3, 4.9, 7.1, 9.9):
                low = 0.37 * 10.0**power
                marks = round_marks(low, low + width * 10.0**power)
                self.assertTrue(2 <= len(marks) <= 7, marks)
                self.assertTrue(all(low - 1e-9 <= mark <= low + width * 10.0**power + 1e-9 for mark in marks))
                gaps = {round((after - before) / 10.0**power, 6) for before, after in pairwise(marks)}
                self.assertEqual(len(gaps), 1)

    def test_a_line_has_a_place_for_each_pair(self):
        self.assertEqual(line([1, 2.25], [3, 4.04]), "1.0,3.0 2.2,4.0")
        with self.assertRaises(ValueError):
            line([1, 2], [3])


class Piles(SimpleTestCase):
    """The outline of a pile, and its slices by age."""

    def test_what_is_drawn_of_logs_grows_as_what_lies_there(self):
        whole = area(_shape("logs", 0.0, 200.0, 60.0, 1.0))
        for filled in (0.25, 0.5, 0.81):
            part = area(_shape("logs", 0.0, 200.0, 60.0, filled))
            self.assertAlmostEqual(part / whole, filled, delta=0.02)

    def test_a_ridge_keeps_its_proportions_as_it_shrinks(self):
        wide, high = 150.0, 48.0
        for filled in (0.027, 0.125, 0.343, 1.0):
            points = _shape("chips", 10.0, wide, high, filled)
            by = filled ** (1 / 3)
            self.assertAlmostEqual(points[3][0] - points[0][0], wide * by)
            self.assertAlmostEqual(GROUND_Y - points[1][1], high * by)
            self.assertLess(points[1][0], points[2][0])
        self.assertEqual(_shape("chips", 10.0, wide, high, 0.0), _shape("chips", 10.0, wide, high, 0.02))

    def test_its_top_is_its_outline(self):
        points = [(0.0, GROUND_Y), (10.0, GROUND_Y - 40), (90.0, GROUND_Y - 40), (100.0, GROUND_Y)]
        for x, high in ((0, 0), (5, 20), (10, 40), (50, 40), (95, 20), (100, 0)):
            self.assertAlmostEqual(GROUND_Y - _top(points, x), high)

    def test_slices_have_the_share_of_the_area_that_their_age_has_of_the_mass(self):
        points = _shape("chips", 0.0, 180.0, 60.0, 0.7)
        bands = [30.0, 0.0, 50.0, 20.0]  # the youngest first
        slices = _slices(points, bands)
        self.assertEqual([one.band for one in slices], [3, 2, 0])  # the oldest at the face, on the left
        whole = area(points)
        for one in slices:
            self.assertAlmostEqual(area(corners(one.path)) / whole, bands[one.band] / 100, delta=0.025)
        self.assertEqual(_slices(points, [0.0, 0.0]), ())
        self.assertEqual([one.band for one in _slices(points, [99.8, 0.2])], [0])  # too little to be seen

    def test_cuts_rise_from_edge_to_edge(self):
        points = _shape("chips", 20.0, 100.0, 40.0, 1.0)
        cuts = _cuts(points, [0.2, 0.5, 0.3])
        self.assertEqual((cuts[0], cuts[-1]), (points[0][0], points[3][0]))
        self.assertEqual(cuts, sorted(cuts))


class Yard(YardCase):
    def setUp(self):
        super().setUp()
        self.lot("R-1", hours_ago=40)
        self.lot("S-1", material="alder_chips", hours_ago=30)

    def test_piles_stand_side_by_side_inside_the_yard_as_high_as_they_are(self):
        yard = self.yard()
        drawn = draw_yard(yard, {})
        self.assertEqual(len(drawn.piles), len(yard.piles))
        spans = [(corners(one.full)[0][0], corners(one.full)[3][0]) for one in drawn.piles]
        self.assertGreaterEqual(spans[0][0], 0)
        self.assertLessEqual(spans[-1][1], WIDTH)
        for (_, ends), (begins, _) in pairwise(spans):
            self.assertAlmostEqual(begins - ends, GAP, delta=0.11)
        self.assertTrue(all(ends - begins >= LEAST_WIDE for begins, ends in spans))
        for one in drawn.piles:
            self.assertAlmostEqual(GROUND_Y - corners(one.full)[1][1], one.pile.part.height_m * M_HIGH, delta=0.06)
        self.assertEqual(drawn.belts, ())

    def test_what_is_drawn_runs_down_and_along_as_wide_as_it_is(self):
        yard = self.yard()
        fed = [name for name, one in yard.piles.items() if one.part.feeds]
        still = next(name for name, one in yard.piles.items() if not one.part.feeds)
        drawn = draw_yard(yard, {fed[0]: 5.0, still: 4.0})
        by_name = {one.pile.part.id: one for one in drawn.piles}
        self.assertEqual(by_name[still].feed, "")
        self.assertEqual(by_name[fed[-1]].feed == "", len(fed) > 1)
        xs = [x for x, _ in corners(by_name[fed[0]].feed)]
        self.assertAlmostEqual(max(xs) - min(xs), 5.0 * 2.1, delta=0.11)
        (belt,) = drawn.belts
        self.assertLessEqual(max(x for x, _ in corners(belt.path)), WIDTH)
        wider = draw_yard(yard, {fed[0]: 10.0}).belts[0]

        def tall(one):
            ys = [y for _, y in corners(one.path)[:4]]
            return max(ys) - min(ys)

        self.assertAlmostEqual(tall(wider), 2 * tall(belt), delta=0.2)

    def test_a_yard_of_many_piles_has_room_for_each(self):
        yard = self.yard()
        one = next(iter(yard.piles.values()))
        for count in (9, 20, 60):
            yard.piles = {f"pile-{index}": one for index in range(count)}
            spans = [(corners(pile.full)[0][0], corners(pile.full)[3][0]) for pile in draw_yard(yard, {}).piles]
            with self.subTest(count):
                self.assertEqual(len(spans), count)
                self.assertLessEqual(spans[-1][1], WIDTH)
                self.assertTrue(all(ends > begins for begins, ends in spans))
                self.assertTrue(all(begins > ends for (_, ends), (begins, _) in pairwise(spans)))


class Cascades(SimpleTestCase):
    def system(self, count):
        stages = [
            Stage(name=f"stage {at}", mass_reject_frac=0.15, volumetric_reject_frac=0.1, feed_consistency_pct=1.2)
            for at in range(count)
        ]
        return run(stages, Datum(8.0, Origin("set", "x")), 2.0, 100.0)

    def test_boxes_stand_apart_inside_the_drawing_and_streams_are_as_wide_as_what_runs(self):
        for count in range(1, 9):
            drawn = draw_cascade(self.system(count))
            with self.subTest(count):
                self.assertEqual((len(drawn.boxes), len(drawn.streams)), (count, 1 + 2 * count))
                for before, after in pairwise(drawn.boxes):
                    self.assertTrue(after.x >= before.x + before.width or after.y >= before.y + before.height)
                self.assertTrue(all(one.x >= 0 and one.x + one.width <= drawn.width for one in drawn.boxes))
                self.assertTrue(all(one.y + one.height <= drawn.height for one in drawn.boxes))
                kinds = [one.kind for one in drawn.streams]
                self.assertEqual((kinds.count("feed"), kinds.count("lost")), (1, 1))
                feed = drawn.streams[0]
                self.assertIn("8.00 BDt/h", feed.words)
                self.assertTrue(all(one.width <= drawn.streams[0].width * 1.5 for one in drawn.streams))
        self.assertIsNone(draw_cascade(None))

    def test_what_comes_in_leaves_as_accepts_or_out(self):
        system = self.system(3)
        drawn = draw_cascade(system)
        said = {
            one.kind: float(re.search(r"([\d.]+) BDt/h", one.words)[1])
            for one in drawn.streams
            if one.kind in ("feed", "lost")
        }
        out = [one for one in system.stages if one.accept_to < 0]
        gone = sum(one.accept_bdt_per_h for one in out)
        self.assertTrue(math.isclose(said["feed"], said["lost"] + gone, abs_tol=0.02))
