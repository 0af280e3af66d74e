"""A number as people type it."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from stock.errors import DomainError
from stock.typed import typed_number


class Typed(TestCase):
    def test_with_a_point_or_a_comma_and_a_sign(self):
        for text, value in (
            ("3.5", 3.5),
            ("3,5", 3.5),
            (" 12 ", 12),
            ("-4", -4),
            ("−4", -4),
            ("+.5", 0.5),
            ("2e3", 2000),
        ):
            with self.subTest(text):
                self.assertEqual(typed_number(text, "x", "It"), value)

    def test_its_unit_may_stand_behind_it_and_another_of_the_kind_is_turned(self):
        for text, unit, value in (
            ("45 %", "%", 45), ("45%", "%", 45), ("84.6 %", "% ISO", 84.6), ("460 mL", "mL CSF", 460), ("12 kg/BDt", "kg/BDt", 12),
            ("331 F", "°C", 166.11), ("331°F", "°C", 166.11), ("1,5 t", "kg", 1500), ("100 gpm", "L/min", 378.54),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertAlmostEqual(typed_number(text, "x", "It", unit), value, places=2)

    def test_what_cannot_be_told_is_refused_by_its_label_and_nothing_is_guessed(self):
        for text, unit, code, words in (
            ("", "%", "E_TYPE", "It is missing"),
            ("wet", "%", "E_TYPE", "It is 'wet', which is not a number"),
            ("1_000", "%", "E_TYPE", "not a number"),
            ("nan", "%", "E_TYPE", "not a number"),
            ("1e400", "%", "E_TYPE", "not a number"),
            ("1e13", "%", "E_TYPE", "not a number anybody measures"),
            ("1,234", "t", "E_TYPE", "could be 1.234 or 1234: write it with a point, or without"),
            ("12,345,678 t", "t", "E_TYPE", "could be 12345678: write it"),
            ("1,234.5 t", "t", "E_TYPE", "could be 1234.5: write it"),
            ("43 psi", "°C", "E_UNIT", "It is '43 psi', which is not a number in °C"),
            ("43 apples", "°C", "E_UNIT", "not a number in °C"),
            ("3 kg", "", "E_UNIT", "It is '3 kg', which is not a bare number"),
            ("3 kg", None, "E_TYPE", "It is '3 kg', which is not a number"),
            ("3 4", "%", "E_TYPE", "not a number"),
        ):
            with self.subTest(text, unit=unit), self.assertRaises(DomainError) as refused:
                typed_number(text, "moisture", "It", unit)
            self.assertEqual((refused.exception.code, refused.exception.argument), (code, "moisture"))
            self.assertIn(words, refused.exception.message)

    @given(st.floats(-1e11, 1e11), st.sampled_from(["%", "°C", "L/min", "BDt"]))
    def test_what_is_written_is_read_again(self, value, unit):
        self.assertEqual(typed_number(f"{value!r} {unit}", "x", "It", unit), value)

    @given(st.text(max_size=30), st.sampled_from(["", "%", "°C", None]))
    def test_anything_typed_is_read_or_refused_in_words(self, text, unit):
        try:
            self.assertLessEqual(abs(typed_number(text, "x", "It", unit)), 1e300)
        except DomainError as error:
            self.assertTrue(error.message.startswith("It is"))
