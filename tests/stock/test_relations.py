"""The mill's own relation read three ways that must agree; hands and laboratories; parts of a line looked for in vain."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from stock.cooking.recipe import faults_of_cooking
from stock.cooking.relation import Relation
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.judge.hand import hand_agrees
from stock.line.load import load_definition
from tests.line import BENCH, hallin_reach, tidewater_bench
from tests.mills import TWO_LINES, as_text, raw_of

SET = Origin("set", "a test")


def wood() -> Relation:
    return Relation.of(hallin_reach().cook.recipe("alder"))


class OneRelation(TestCase):
    def test_the_line_that_is_drawn_is_the_kappa_that_is_said(self):
        relation = wood()
        for factor, alkali in ((600.0, 12.0), (900.0, 14.0), (1200.0, 16.0)):
            place = relation.place(factor, alkali)
            self.assertAlmostEqual(
                float(relation.kappa_at(place)), relation.alpha - relation.beta * place, msg=f"{factor} {alkali}"
            )
        drawn = relation.kappa_at(np.linspace(relation.place(600, 12), relation.place(1200, 16), 9))
        self.assertTrue((np.diff(drawn) < 0).all())  # the longer, the softer

    def test_the_band_that_is_drawn_is_the_band_that_is_said(self):
        for relation in (
            wood(),
            replace(wood(), cooks=40, mean_x=wood().place(900, 14), sum_squares=4.0, spread_kappa=0.8),
        ):
            said = relation.band(Datum(1000.0, SET), Datum(14.0, SET)).value
            drawn = relation.half_at(np.array([relation.place(1000.0, 14.0)]))[0]
            self.assertAlmostEqual(said, float(drawn), places=6, msg=str(relation.cooks))

    def test_a_band_is_narrowest_where_the_cooks_lie(self):
        relation = replace(wood(), cooks=40, mean_x=wood().place(900, 14), sum_squares=4.0, spread_kappa=0.8)
        at = relation.place(900, 14)
        near, far = relation.half_at(np.array([at, at + 0.5]))
        self.assertLess(near, far)
        self.assertGreater(near, 2 * 0.8 * 0.95)

    def test_an_acid_goes_by_its_factor_alone_and_falls_to_what_it_was_told(self):
        recipe = next(one for one in tidewater_bench().cook.recipes if one.is_sulphite)
        relation = Relation.of(recipe)
        self.assertEqual(relation.place(60.0, None), 60.0)
        self.assertEqual(relation.place(60.0, 14.0), 60.0)
        self.assertAlmostEqual(float(relation.kappa_at(0.0)), relation.zero_kappa)
        self.assertAlmostEqual(float(relation.kappa_at(relation.reference_factor)), relation.reference_cook_kappa)
        self.assertTrue((relation.half_at(np.array([10.0, 60.0])) == 2 * relation.spread_kappa).all())


class ByHand(TestCase):
    def test_order_alone_counts(self):
        marks = [1, 2, 3, 4, 5, 6]
        same = hand_agrees(judged_each_count=marks, found_each_read=[1, 10, 11, 500, 501, 9000])
        self.assertAlmostEqual(same.rank_ratio, 1.0)
        turned = hand_agrees(judged_each_count=marks, found_each_read=[6, 5, 4, 3, 2, 1])
        self.assertAlmostEqual(turned.rank_ratio, -1.0)
        self.assertLess(turned.low_ratio, -0.99)

    def test_more_pairs_say_more_of_the_same_order(self):
        few, many = (
            hand_agrees(judged_each_count=[1, 2, 3, 4, 5] * times, found_each_read=[2, 1, 3, 4, 5] * times)
            for times in (1, 6)
        )
        self.assertAlmostEqual(few.rank_ratio, many.rank_ratio, places=6)
        self.assertGreater(many.low_ratio, few.low_ratio)

    def test_what_says_nothing_is_refused(self):
        for marks, found, code in (
            ([1, 2, 3, 4, 5], [1, 2, 3, 4, 5, 6], "E_COUNT"),
            ([2, 2, 2, 2, 2], [1, 2, 3, 4, 5], "E_SINGULAR"),
            ([1, 2, 3, 4, 5], [7, 7, 7, 7, 7], "E_SINGULAR"),
            ([1, 2, 3, 4], [1, 2, 3, 4], "E_COUNT"),
        ):
            with self.subTest(marks=marks, found=found), self.assertRaises(DomainError) as refused:
                hand_agrees(judged_each_count=marks, found_each_read=found)
            self.assertEqual(refused.exception.code, code)


class LookedForInVain(TestCase):
    def test_parts_are_found_or_missed_by_name(self):
        line, third = hallin_reach(), load_definition(TWO_LINES)
        for look, words in (
            (lambda: line.cook.recipe("birch"), "there is no recipe birch"),
            (lambda: line.cook.digester(77), "there is no digester 77"),
            (lambda: line.tag("gremlin"), "the line has no tag gremlin"),
            (lambda: line.stop("orchard"), "Hallin Reach has no orchard station"),
        ):
            with self.subTest(words), self.assertRaisesRegex(LookupError, words):
                look()
        self.assertEqual(line.stop_id("orchard"), "")
        self.assertIs(line.graph.blend, line.unit("furnish_chest"))
        self.assertEqual(third.cook.main.id, third.cook.recipes[0].id)
        empty = line.cook.model_copy(update={"recipes": [], "digesters": []})
        with self.assertRaisesRegex(LookupError, "nothing is cooked on this line"):
            _ = empty.main
        with self.assertRaisesRegex(LookupError, "no digester cooks"):
            empty.holding(line.cook.main)

    def test_what_a_cooking_house_lacks_is_said_part_by_part(self):
        line = hallin_reach()
        streams, units = ({one.id for one in parts} for parts in (line.streams, line.units))
        self.assertEqual(faults_of_cooking(line.cook, streams, units), [])
        alder, cane = line.cook.recipes[:2]
        for changed, words in (
            ([alder.model_copy(update={"stream": "river"}), cane], "stream: there is no stream river"),
            ([alder.model_copy(update={"blow_to": "attic"}), cane], "blow_to: there is no unit attic"),
            ([alder.model_copy(update={"alkaline": None}), cane], "needs a part called alkaline"),
            ([alder.model_copy(update={"most_c": 150.0}), cane], "is above most_c, 150 °C"),
            ([alder, alder, cane], "the id is used twice"),
            ([alder.model_copy(update={"id": "birch"}), cane], "no digester cooks it"),
        ):
            house = line.cook.model_copy(update={"recipes": changed})
            with self.subTest(words):
                self.assertTrue(any(words in one for one in faults_of_cooking(house, streams, units)))

    def test_a_mill_is_read_alike_from_its_file_and_from_what_was_read(self):
        self.assertEqual(load_definition(BENCH), tidewater_bench())
        self.assertIn('"format"', as_text(raw_of(BENCH)))
