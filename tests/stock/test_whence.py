"""Whose pulp is where: against the same line run in small steps, and against what must hold of any."""

from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.errors import DomainError
from stock.plan.whence import held_after, origin_shares

STEP_H = 1 / 600
RATE = 3.0


def run(blows, first_bdt, taus, dead_h, rate=RATE):
    """Run a tank that is drawn all the time and filled by blows, then a plug, then mixed vessels; return whose pulp is in the last."""
    tank = np.zeros(len(blows) + 1)
    tank[-1] = first_bdt
    pipe = [np.eye(len(blows) + 1)[-1]] * max(1, round(dead_h / STEP_H))
    vessels = [np.eye(len(blows) + 1)[-1] for _ in taus]
    begins = blows[0][0]
    left = list(enumerate(blows))
    for at in range(round(begins / STEP_H)):
        ago = begins - at * STEP_H
        while left and left[0][1][0] >= ago - STEP_H / 2:
            index, (_, bdt) = left.pop(0)
            tank[index] += bdt
        share = tank / tank.sum()
        tank -= share * rate * STEP_H
        pipe.append(share)
        comes = pipe.pop(0)
        for one, tau in enumerate(taus):
            vessels[one] = vessels[one] + (comes - vessels[one]) * STEP_H / tau
            comes = vessels[one]
    return vessels[-1]


class Shares(TestCase):
    def test_it_is_what_the_same_line_comes_to_in_small_steps(self):
        blows = [(12.0, 9.0), (9.1, 8.5), (6.2, 9.2), (2.8, 9.0)]
        first, taus, dead = 11.0, [1.5, 2.5], 0.6
        now = first + sum(bdt for _, bdt in blows) - RATE * blows[0][0]
        held = held_after(blows, now, RATE)
        found = origin_shares(
            blows=[{"ago_h": ago, "bdt": bdt, "held_bdt": one} for (ago, bdt), one in zip(blows, held, strict=True)],
            taus_each_h=taus,
            dead_h=dead,
        )
        wanted = run(blows, first, taus, dead)
        for one, other in zip([*found.shares_frac, found.before_frac], wanted, strict=True):
            self.assertAlmostEqual(one, other, delta=2e-3)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.tuples(st.floats(0.1, 20), st.floats(1, 12), st.floats(0, 40)), min_size=1, max_size=8),
        st.lists(st.floats(0.05, 20), max_size=4),
        st.floats(0, 10),
    )
    def test_shares_are_shares(self, drawn, taus, dead):
        rows = [
            {"ago_h": ago, "bdt": bdt, "held_bdt": bdt + over}
            for ago, bdt, over in sorted(drawn, key=lambda one: -one[0])
        ]
        found = origin_shares(blows=rows, taus_each_h=taus, dead_h=dead)
        self.assertAlmostEqual(sum(found.shares_frac) + found.before_frac, 1.0, 6)
        self.assertTrue(all(-1e-9 <= one <= 1 + 1e-9 for one in [*found.shares_frac, found.before_frac]))

    def test_the_tank_itself_holds_what_was_blown_into_it(self):
        rows = [{"ago_h": ago, "bdt": 9.0, "held_bdt": 30.0} for ago in (4.0, 0.0)]
        found = origin_shares(blows=rows, taus_each_h=[])
        self.assertEqual([round(one, 9) for one in found.shares_frac], [0.21, 0.3])
        self.assertAlmostEqual(found.before_frac, 0.49)

    def test_what_has_not_come_yet_is_nobodys(self):
        rows = [{"ago_h": 2.0, "bdt": 9.0, "held_bdt": 30.0}]
        self.assertEqual(origin_shares(blows=rows, taus_each_h=[1.0], dead_h=3.0).shares_frac, [0.0])

    def test_an_emptied_tank_is_all_of_the_last_and_later_all_of_it_has_come(self):
        rows = [{"ago_h": ago, "bdt": 9.0, "held_bdt": 9.0} for ago in (40.0, 30.0)]
        found = origin_shares(blows=rows, taus_each_h=[0.5], dead_h=1.0)
        self.assertAlmostEqual(found.shares_frac[1], 1.0, 6)

    def test_later_places_hold_older_pulp(self):
        blows = [(9.0 - index, 8.0) for index in range(9)]
        rows = [
            {"ago_h": ago, "bdt": bdt, "held_bdt": one}
            for (ago, bdt), one in zip(blows, held_after(blows, 20.0, 8.0), strict=True)
        ]
        mean = [
            sum(one["ago_h"] * share for one, share in zip(rows, found.shares_frac, strict=True))
            + 30 * found.before_frac
            for found in (origin_shares(blows=rows, taus_each_h=[1.0] * count) for count in range(1, 5))
        ]
        self.assertTrue(all(one < later for one, later in pairwise(mean)), mean)

    def test_what_cannot_be_is_refused_by_name(self):
        row = {"ago_h": 2.0, "bdt": 9.0, "held_bdt": 30.0}
        with self.assertRaisesRegex(DomainError, "oldest first"):
            origin_shares(blows=[row, {**row, "ago_h": 4.0}], taus_each_h=[1.0])
        with self.assertRaisesRegex(DomainError, "brought more than the tank held"):
            origin_shares(blows=[{**row, "held_bdt": 5.0}], taus_each_h=[1.0])

    def test_what_a_tank_held_follows_from_what_it_holds(self):
        self.assertEqual(held_after([(4.0, 9.0), (1.0, 9.0)], 20.0, 3.0), [23.0, 23.0])
        self.assertEqual(held_after([(40.0, 9.0), (1.0, 30.0)], 5.0, 0.5), [9.0, 30.0])  # no less than the blow
