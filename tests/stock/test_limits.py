"""What a reading means against its limits, alone and in a row; what it cannot be; when a step of a cook may be done."""

from types import SimpleNamespace
from unittest import TestCase

import numpy as np

from stock.cooking.order import COLD, cannot, doubts
from stock.errors import DomainError
from stock.judge.limits import judge, judge_course, refuse_impossible, share_of_band
from stock.tag import Band, Tag

BAND = Band(target=3.5, control=(3.4, 3.6), action=(3.2, 3.8))


def tag(**told) -> Tag:
    """A consistency with limits, or as told."""
    return Tag(
        **{
            "id": "cons", "of": "chest", "reads": "consistency", "name": "Chest consistency", "short": "Cons",
            "station": "blend", "unit": "%", "quantity": "consistency_pct", "words": ["cons"], "decimals": 2,
            "plausible": (0.0, 6.0), "band": BAND, "uncertainty": 0.02, **told,
        }
    )  # fmt: skip


class OneValue(TestCase):
    def test_its_side_its_level_and_by_how_much(self):
        for value, level, side, by, words in (
            (3.5, "ok", "", 0.0, "in its band"),
            (3.4, "ok", "", 0.0, "in its band"),
            (3.6, "ok", "", 0.0, "in its band"),
            (3.65, "outside", "high", 0.05, "0.05 above its band"),
            (3.8, "outside", "high", 0.2, "0.20 above its band"),
            (3.81, "act", "high", 0.21, "0.21 above its band, past its action limit"),
            (3.35, "outside", "low", 0.05, "0.05 below its band"),
            (3.0, "act", "low", 0.4, "0.40 below its band, past its action limit"),
            (3.603, "outside", "high", 0.003, "0.003 above its band"),
        ):
            with self.subTest(value):
                found = judge(tag(), value)
                self.assertEqual((found.level, found.side, found.words), (level, side, words))
                self.assertAlmostEqual(found.by, by)
        self.assertEqual(judge(tag(band=None), 99.0).words, "no limits set")

    def test_what_cannot_be_is_refused_by_name_with_what_can(self):
        refuse_impossible(tag(), 0.0)
        refuse_impossible(tag(), 6.0)
        for value in (-0.01, 6.01, float("nan")):
            with self.assertRaises(DomainError) as refused:
                refuse_impossible(tag(), value)
            self.assertEqual((refused.exception.code, refused.exception.argument), ("E_RANGE", "cons"))
            self.assertIn("Chest consistency cannot be", str(refused.exception))
            self.assertEqual(refused.exception.allowed, "0 to 6 %")

    def test_pairs_go_by_what_is_given_or_by_the_instrument(self):
        self.assertAlmostEqual(tag().pairs_sd, 0.03)
        self.assertAlmostEqual(tag().pairs_tolerance, 0.05)
        self.assertEqual(tag(pair_sd=0.04, pair_tolerance=0.08).pairs_sd, 0.04)
        self.assertEqual(tag(pair_tolerance=0.08).pairs_tolerance, 0.08)
        self.assertEqual(tag(uncertainty=0, noise=0.01).pairs_sd, 0.01)
        self.assertEqual(tag(uncertainty=0).pairs_sd, 0.01)  # a step of its last place
        self.assertAlmostEqual(tag(band=None).pairs_tolerance, 0.06)

    def test_a_band_is_drawn_between_nought_and_one(self):
        low, high, at = share_of_band(BAND, (0.0, 6.0), 3.5)
        self.assertTrue(0 < low < at < high < 1)
        self.assertAlmostEqual(at, 0.5)
        self.assertEqual([share_of_band(BAND, (0.0, 6.0), value)[2] for value in (0.5, 5.9)], [0.0, 1.0])
        self.assertEqual(share_of_band(BAND, (3.3, 6.0), 3.3)[2], 0.0)  # the scale ends where values do


class InARow(TestCase):
    def test_one_alone_is_not_believed_two_are(self):
        self.assertEqual(judge_course(tag(), [3.5, 3.5, 3.5, 3.7]).level, "ok")
        self.assertEqual(judge_course(tag(), [3.5, 3.5, 3.7, 3.7]).level, "outside")
        self.assertEqual(judge_course(tag(), [3.5, 3.5, 3.9, 3.9]).level, "act")
        self.assertEqual(judge_course(tag(), [3.5, 3.5, 3.1, 3.1]).side, "low")
        self.assertEqual(judge_course(tag(), [3.7]).level, "outside")  # where there is no row, it is what it is

    def test_on_the_edge_it_does_not_flicker(self):
        back = judge_course(tag(), [3.5, 3.65, 3.65, 3.597])
        self.assertEqual((back.level, back.by, back.words), ("outside", 0.0, "on the edge of its band"))
        self.assertEqual(judge_course(tag(), [3.5, 3.65, 3.65, 3.55, 3.55]).level, "ok")
        self.assertEqual(judge_course(tag(), [3.5, 3.5, 3.5, 3.603]).words, "on the edge of its band")

    def test_a_course_that_stays_says_what_its_last_value_says(self):
        for value in np.linspace(3.0, 4.0, 41).tolist():
            if min(abs(value - edge) for edge in (*BAND.control, *BAND.action)) > 0.011:
                self.assertEqual(judge_course(tag(), [value] * 5), judge(tag(), value), value)


def cook(*, relief_min=None, now_min=150.0, hottest_c=165.0, must_relieve_min=10.0):
    """The facts of a cook as a step's order needs them."""
    return SimpleNamespace(
        relief_min=relief_min, now_min=now_min, way=SimpleNamespace(letter="H"),
        recipe=SimpleNamespace(relief_min=must_relieve_min),
        trace=SimpleNamespace(temperatures_c=np.array([80.0, hottest_c])),
    )  # fmt: skip


def stands(phase="cooking", blow_min=150.0, band_min=4.0):
    """Where a cook stands."""
    return SimpleNamespace(
        phase=phase,
        blow_min=blow_min,
        band_min=band_min,
        done=SimpleNamespace(text="700"),
        aim=SimpleNamespace(text="900"),
    )


class StepsOfACook(TestCase):
    def test_what_never_boiled_is_neither_relieved_nor_blown(self):
        for phase in COLD:
            for kind in ("relief", "blow"):
                self.assertIn("holds no steam to relieve", cannot(kind, cook(), stands(phase)))
        self.assertIn("is not cooking yet", cannot("blow", cook(hottest_c=99.0), stands("heating")))
        self.assertEqual(cannot("blow", cook(hottest_c=120.0), stands("heating")), "")
        self.assertEqual(cannot("liquor", cook(), stands("filling")), "")

    def test_early_is_doubted_by_more_than_the_end_point_is_sure(self):
        self.assertEqual(doubts("relief", cook(now_min=146.0), stands()), ())
        (early,) = doubts("relief", cook(now_min=130.0), stands())
        self.assertEqual(early, "H 700 of 900: 20 min before its end point")
        self.assertEqual(doubts("relief", cook(now_min=130.0), stands(band_min=25.0)), ())
        self.assertEqual(doubts("relief", cook(now_min=130.0), stands("blown")), ())
        self.assertEqual(doubts("liquor", cook(now_min=10.0), stands()), ())

    def test_a_blow_without_a_relief_in_the_log_may_be_under_pressure(self):
        (pressure,) = doubts("blow", cook(), stands())
        self.assertIn("it may stand under full pressure", pressure)
        self.assertEqual(doubts("blow", cook(relief_min=140.0), stands()), ())
        self.assertEqual(doubts("blow", cook(must_relieve_min=0.0), stands()), ())
        self.assertEqual(len(doubts("blow", cook(now_min=100.0), stands())), 2)
