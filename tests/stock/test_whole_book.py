"""Every method of the book against what nobody should give it: it answers with a number or refuses by name, always."""

import json
import math
from unittest import TestCase

import numpy as np

from stock.book import METHODS
from stock.checking import LEAST, Arg, Choice, Rows
from stock.cli import calculate, plain
from stock.errors import DomainError
from stock.names import alike, present

HOSTILE = ("60", True, None, math.nan, math.inf, -math.inf, 10**400, [], {}, "nan", 5e-324, 1e-300, -1e-300, 1e300)
SLOW = {"simulate_kraft", "simulate_soda", "cook_slab", "choose_exponent"}


def is_finite(result):
    """Whether every number of a result is one."""
    if isinstance(result, (list, tuple)):
        return all(map(is_finite, result))
    if isinstance(result, dict):
        return all(map(is_finite, result.values()))
    return not isinstance(result, float) or math.isfinite(result)


class WholeBook(TestCase):
    def answer(self, method, given):
        """Call a method; return its result, None where it refused."""
        try:
            return method.as_mapping(method.call(**given))
        except DomainError as error:
            self.assertTrue(error.message, method.name)
            self.assertTrue(error.code.startswith("E_"), method.name)
            return None

    def test_hostile_values_are_refused_or_give_finite_results(self):
        for method in METHODS.values():
            if method.name in SLOW:
                continue
            for name in method.arguments:
                for value in HOSTILE:
                    with self.subTest(method=method.name, argument=name, value=repr(value)[:20]):
                        found = self.answer(method, {**method.example.arguments, name: value})
                        self.assertTrue(is_finite(plain(found or {})))

    def test_edge_values_are_refused_or_give_finite_results(self):
        for method in METHODS.values():
            if method.name in SLOW:
                continue
            for name, arg in method.arguments.items():
                if not isinstance(arg, Arg) or arg.series:
                    continue
                for value in {arg.low, arg.high, arg.low + LEAST, np.nextafter(arg.low, 1e9)}:
                    if math.isfinite(value):
                        with self.subTest(method=method.name, argument=name, value=value):
                            found = self.answer(method, {**method.example.arguments, name: float(value)})
                            self.assertTrue(is_finite(plain(found or {})))

    def test_lists_take_numbers_alone_and_records_known_columns_alone(self):
        for method in METHODS.values():
            for name, arg in method.arguments.items():
                given = dict(method.example.arguments)
                if name not in given or isinstance(arg, Choice):
                    continue
                if isinstance(arg, Rows):
                    bad = [[{**row, "colour": 3.0} for row in given[name]]]
                elif arg.series:
                    kept = list(given[name])
                    bad = [[str(kept[0]), *kept[1:]], [True, *kept[1:]], [None, *kept[1:]]]
                else:
                    continue
                for value in bad:
                    with self.subTest(method=method.name, argument=name), self.assertRaises(DomainError):
                        method.call(**{**given, name: value})

    def test_other_spellings_of_bone_dry_and_of_a_list_are_answered(self):
        tried = 0
        for method in METHODS.values():
            given = method.example.arguments
            for name in given:
                spelt = {name.replace("bdt", former) for former in ("odt", "bd_t")} | {name.replace("adt", "ad_t")}
                for other in {*spelt, name.replace("_each_", "_")}:
                    if other == name or other in method.arguments or method.name in SLOW:
                        continue
                    twice = sum(alike(one) == alike(other) for one in method.arguments)
                    if twice > 1:
                        continue
                    tried += 1
                    with self.subTest(method=method.name, argument=other):
                        renamed = {(other if key == name else key): value for key, value in given.items()}
                        self.assertEqual(
                            json.dumps(plain(method.as_mapping(method.call(**renamed)))),
                            json.dumps(plain(method.as_mapping(method.call(**given)))),
                        )
        self.assertGreater(tried, 40)

    def test_a_method_answers_to_its_name_of_before(self):
        self.assertEqual(calculate("odt_from_adt", {"adt": 100.0}), calculate("bdt_from_adt", {"adt": 100.0}))
        self.assertEqual({present(name) for name in METHODS}, set(METHODS))

    def test_a_name_that_means_nothing_is_refused_with_what_it_takes(self):
        answer = calculate("h_rate", {"temperature_c": 170.0, "colour": 3.0})
        self.assertEqual(answer["error"]["argument"], "colour")
        self.assertIn("temperature_c", answer["error"]["allowed"])
