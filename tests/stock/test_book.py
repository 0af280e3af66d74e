"""The whole book: every example, every equation text, every limit."""

import math
from functools import cache
from types import CodeType
from typing import Any
from unittest import TestCase

import numpy as np

from stock.book import CHAPTERS, METHODS
from stock.errors import CODES, DomainError
from stock.names import unit_of
from stock.working import Arg, Choice, Method, find_method, recording

NAMESPACE = {
    **{name: getattr(np, name) for name in ("exp", "log", "log10", "sqrt", "sum", "prod")},
    "abs": abs,
}


@cache
def compiled(equation: str) -> list[tuple[str, CodeType]]:
    """Return the lines of a printed equation: what each gives, and its right side."""
    parts = (line.partition("=") for line in equation.splitlines())
    return [(name.strip(), compile(expression.strip(), name, "eval")) for name, _, expression in parts]


def by_text(method: Method, values: dict[str, Any]) -> dict[str, float]:
    """Evaluate the printed equation, line by line, as a reader would."""
    known = dict(values)
    for name, expression in compiled(method.equation):
        known[name] = eval(expression, {"__builtins__": {}}, {**NAMESPACE, **known})
    return {name: float(known[name]) for name in method.results}


def sample(arg: Arg, rng: np.random.Generator) -> Any:
    """Draw a value inside an argument's limits, of a size a mill might meet: one at an end now and then, or small."""
    low = max(arg.low, -1e4) if math.isfinite(arg.low) else -1e4
    high = min(arg.high, 1e4) if math.isfinite(arg.high) else 1e4

    def one() -> float:
        for _ in range(200):
            way = rng.random()
            if way < 0.15:
                value = rng.choice((low, high, 0.0, 1.0))
            elif way < 0.5:
                value = rng.choice((-1.0, 1.0)) * 10 ** rng.uniform(-3, 4)
            else:
                value = rng.uniform(low, high)
            is_inside = (low < value if arg.above else low <= value) and (value < high if arg.below else value <= high)
            if is_inside and (value == 0 or abs(value) > 1e-3):
                return float(value)
        return (low + high) / 2

    return [one() for _ in range(3)] if arg.series else one()


SHARES = (
    {"shares_frac"},
    {"bd_mass_each_frac"},
    {"volume_each_frac"},
    {"bd_share_each_frac"},
    {"fibre_frac", "pith_frac", "solubles_frac", "dirt_frac"},
)


def add_to_one(values: dict[str, Any]) -> dict[str, Any] | None:
    """Scale what must add to one so that it does; None where it adds to nothing."""
    for names in SHARES:
        if names <= set(values):
            total = sum(np.sum(values[name]) for name in names)
            if total <= 0.01:
                return None
            scaled = {name: np.asarray(values[name]) / total for name in names}
            values = {**values, **{name: one.tolist() for name, one in scaled.items()}}
    return values


class Book(TestCase):
    def test_worked_examples_come_out_as_printed(self):
        for method in METHODS.values():
            with self.subTest(method=method.name):
                result = method.as_mapping(method.call(**method.example.arguments))
                for name, value in method.example.result.items():
                    close = np.allclose(result[name], value, rtol=method.example.tolerance, atol=0)
                    self.assertTrue(close, f"{name}: {result[name]}")

    def test_equation_text_agrees_with_code(self):
        seed = int(np.random.SeedSequence().generate_state(1)[0])
        checked = 0
        for method in METHODS.values():
            if not method.exact or any(not isinstance(arg, Arg) for arg in method.arguments.values()):
                continue
            checked += 1
            rng = np.random.default_rng(seed)
            with self.subTest(method=method.name, seed=seed):
                found = sum(self._agrees(method, rng) for _ in range(60))
                self.assertGreater(found, 0, "no draw of sixty was one it answers")
        self.assertGreater(checked, 40)

    def _agrees(self, method: Method, rng: np.random.Generator) -> bool:
        """Draw values and compare; say whether they were any it answers."""
        values = add_to_one({name: sample(arg, rng) for name, arg in method.arguments.items()})
        if values is None:
            return False
        try:
            result = method.as_mapping(method.call(**values))
        except DomainError:
            return False
        arrays = {name: np.asarray(value) if isinstance(value, list) else value for name, value in values.items()}
        try:
            expected = by_text(method, arrays)
        except (OverflowError, ZeroDivisionError):
            return False
        for name, value in expected.items():
            if math.isfinite(value):
                self.assertTrue(math.isclose(result[name], value, rel_tol=1e-9, abs_tol=1e-9), f"{name} {values}")
        return True

    def test_every_number_is_refused_by_its_own_name(self):
        for method in METHODS.values():
            for name, arg in method.arguments.items():
                if not isinstance(arg, Arg) or arg.series:
                    continue
                for bad, codes in self._bad(arg):
                    with self.subTest(method=method.name, argument=name, value=bad):
                        with self.assertRaises(DomainError) as caught:
                            method.call(**{**method.example.arguments, name: bad})
                        self.assertEqual(caught.exception.argument, name)
                        self.assertIn(caught.exception.code, codes)
                        self.assertTrue(caught.exception.allowed)

    def _bad(self, arg: Arg) -> list[tuple[Any, set[str]]]:
        bad: list[tuple[Any, set[str]]] = [
            ("much", {"E_TYPE"}),
            (math.nan, {"E_TYPE"}),
            (math.inf, {"E_TYPE"}),
            (True, {"E_TYPE"}),
        ]
        if math.isfinite(arg.low):
            bad.append((arg.low if arg.above else arg.low - 1, {"E_RANGE"}))
        if math.isfinite(arg.high):
            bad.append((arg.high if arg.below else arg.high + 1, {"E_RANGE"}))
        return bad

    def test_a_missing_argument_is_named(self):
        for method in METHODS.values():
            for name in method.arguments:
                if name in method.defaults:
                    continue
                given_ = {key: value for key, value in method.example.arguments.items() if key != name}
                with self.subTest(method=method.name, argument=name), self.assertRaises(DomainError) as caught:
                    method.call(**given_)
                self.assertEqual((caught.exception.code, caught.exception.argument), ("E_TYPE", name))

    def test_choices_are_refused_as_units(self):
        for method in METHODS.values():
            for name, arg in method.arguments.items():
                if isinstance(arg, Choice):
                    with self.subTest(method=method.name), self.assertRaises(DomainError) as caught:
                        method.call(**{**method.example.arguments, name: "gold"})
                    self.assertEqual(caught.exception.code, "E_UNIT")

    def test_every_entry_is_complete(self):
        for method in METHODS.values():
            with self.subTest(method=method.name):
                self.assertIn(method.station, CHAPTERS)
                self.assertTrue(method.title and method.source and method.equation)
                self.assertIn("Parameters", method.call.__doc__ or "")
                self.assertTrue(set(method.example.arguments) <= set(method.arguments))
                self.assertTrue(set(method.example.result) <= set(method.results))
                for name in method.results:
                    unit_of(name)

    def test_names_the_reference_uses_are_answered(self):
        for name in (
            "bd_rate_t_d",
            "dilution_water_l_min",
            "washing_loss_fraction",
            "minutes_left_to_h_target",
            "blend_brightness",
        ):
            self.assertTrue(find_method(name))
        with self.assertRaisesRegex(LookupError, "near to it"):
            find_method("dilution_watre_l_min")

    def test_a_fraction_typed_as_per_cent_is_explained(self):
        with self.assertRaisesRegex(DomainError, "if 52.5 % was meant, give 0.525"):
            METHODS["bone_dry_mass_t"].call(green_mass_t=10, moisture_wet_frac=52.5)

    def test_arrays_go_through_like_numbers(self):
        rates = METHODS["h_rate"].call(temperature_c=np.array([150.0, 165.0, 170.0]))
        self.assertAlmostEqual(rates[2], METHODS["h_rate"].call(temperature_c=170.0))
        with self.assertRaisesRegex(DomainError, "250"):
            METHODS["h_rate"].call(temperature_c=np.array([150.0, 250.0]))

    def test_recording_is_seen_only_inside_its_block(self):
        call = METHODS["bone_dry_mass_t"].call
        call(green_mass_t=1, moisture_wet_frac=0.5)
        with recording() as record:
            call(green_mass_t=10, moisture_wet_frac=0.8)
        call(green_mass_t=1, moisture_wet_frac=0.5)
        self.assertEqual([round(step.result["bone_dry_mass_t"], 9) for step in record.steps], [2.0])
        self.assertIn("usual is 0.15 to 0.7", record.warnings[0])

    def test_error_codes_are_the_family(self):
        with self.assertRaises(KeyError):
            DomainError("E_OTHER", "x", "no such code")
        self.assertIn("E_BALANCE", CODES)
