"""A cause is held against what is read: the one whose signs are there comes first, what contradicts it counts."""

from unittest import TestCase

from stock.washing.signs import CAUSES, POINTS, likeliest, weighed


class Signs(TestCase):
    def test_each_cause_comes_first_where_its_own_signs_are_read(self):
        for cause in CAUSES:
            with self.subTest(cause.words):
                found = weighed(cause.shows)
                self.assertEqual(found[0].cause, cause)
                self.assertEqual(found[0].against, ())
                self.assertTrue(all(one.against or len(one.speaks_for) < len(found[0].speaks_for) for one in found[1:]))

    def test_vacuum_parts_air_from_the_wire(self):
        for vacuum, words in (("low", "air"), ("high", "wire")):
            first = weighed({"vacuum": vacuum, "vat": "high", "efficiency": "low"})[0]
            self.assertIn(words, first.cause.words)
            self.assertIn(f"vacuum {vacuum}", first.speaks_for)

    def test_one_sign_alone_names_nothing(self):
        self.assertIsNone(likeliest(weighed({"efficiency": "low", "loss": "steady"})))
        self.assertIsNone(likeliest(weighed({})))
        named = likeliest(weighed({"efficiency": "low", "loss": "high", "vacuum": "steady", "vat": "steady"}))
        self.assertIn("shower lanes", named.words)

    def test_what_is_not_read_says_nothing(self):
        self.assertEqual([one.weight for one in weighed({})], [0] * len(CAUSES))

    def test_every_cause_says_what_to_look_at_and_what_to_do(self):
        for cause in CAUSES:
            self.assertTrue(cause.look and cause.do)
            self.assertTrue(set(cause.shows) <= set(POINTS))
