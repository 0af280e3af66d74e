"""Chance by whole numbers: spread as the normal distribution is, the same again, and each number counts."""

from itertools import pairwise
from statistics import NormalDist, fmean, pstdev
from unittest import TestCase

from stock.simulate.chance import normal_of


class Draws(TestCase):
    def setUp(self) -> None:
        self.drawn = [[normal_of(20, name, 5, block) for block in range(500)] for name in range(40)]

    def test_they_lie_as_the_normal_distribution_does(self) -> None:
        every = sorted(value for row in self.drawn for value in row)
        count = len(every)
        self.assertAlmostEqual(fmean(every), 0, delta=3 / count**0.5)
        self.assertAlmostEqual(pstdev(every), 1, delta=3 * (0.5 / count) ** 0.5)
        rank = NormalDist().cdf
        furthest = max(abs(rank(value) - (at + 0.5) / count) for at, value in enumerate(every))
        self.assertLess(furthest, 1.63 / count**0.5)  # Kolmogorov and Smirnov's, at one in a hundred

    def test_what_lies_side_by_side_is_not_alike(self) -> None:
        one_after_another = [first * second for row in self.drawn for first, second in pairwise(row)]
        name_beside_name = [
            first * second for row, other in pairwise(self.drawn) for first, second in zip(row, other, strict=True)
        ]
        for products in (one_after_another, name_beside_name):
            self.assertAlmostEqual(fmean(products), 0, delta=3 / len(products) ** 0.5)

    def test_the_same_numbers_draw_the_same_for_good(self) -> None:
        self.assertEqual(normal_of(20, 7, 60, 29_500), normal_of(20, 7, 60, 29_500))
        self.assertAlmostEqual(normal_of(20, 7, 60, 29_500), -0.701528032059376, places=12)

    def test_each_number_counts_and_so_does_its_place(self) -> None:
        numbers = (20, 7, 60, 29_500)
        drawn = {normal_of(*numbers)}
        for at in range(4):
            drawn.add(normal_of(*numbers[:at], numbers[at] + 1, *numbers[at + 1 :]))
        drawn |= {normal_of(7, 20, 60, 29_500), normal_of(20, 7, 60), normal_of(20, 7, 60, 29_500, 0)}
        self.assertEqual(len(drawn), 8)

    def test_any_whole_number_may_be_given(self) -> None:
        for number in (0, -1, 2**64, -(2**70)):
            self.assertLess(abs(normal_of(number)), 8.3)
