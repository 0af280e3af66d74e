"""The command line: JSON in, JSON out, errors as data, status 2."""

import io
import json
import re
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase
from unittest.mock import patch

from stock.cli import main
from tests.line import MILL

GOOD = {"flow_l_per_min": 980, "consistency_in_pct": 3.62, "consistency_out_pct": 3.5, "water_consistency_pct": 0.05}


def fox(*words: str, given: str = "") -> tuple[int, str, str]:
    """Run a command; return its status and what it printed."""
    out, err = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(err), patch("sys.stdin", io.TextIOWrapper(io.BytesIO(given.encode()))):
        status = main(list(words))
    return status, out.getvalue(), err.getvalue()


class Calc(TestCase):
    def test_a_result_with_unit_and_working(self):
        status, out, _ = fox("calc", "dilution_water_l_per_min", given=json.dumps(GOOD))
        answer = json.loads(out)
        self.assertEqual(status, 0)
        self.assertAlmostEqual(answer["result"]["water_l_per_min"]["value"], 34.087, places=3)
        self.assertEqual(answer["result"]["water_l_per_min"]["unit"], "L/min")
        self.assertEqual(answer["working"][0]["method"], "dilution_water_l_per_min")
        self.assertEqual(answer["warnings"], [])

    def test_refusals_are_data(self):
        for given, code, argument in (
            ({**GOOD, "flow_l_per_min": -3}, "E_RANGE", "flow_l_per_min"),
            ({**GOOD, "flow_l_per_min": "x"}, "E_TYPE", "flow_l_per_min"),
            ({**GOOD, "colour": 1}, "E_TYPE", "colour"),
            ({**GOOD, "consistency_out_pct": 5}, "E_ORDER", "consistency_out_pct"),
            ([1], "E_TYPE", ""),
        ):
            with self.subTest(code=code):
                status, out, _ = fox("calc", "dilution_water_l_per_min", given=json.dumps(given))
                error = json.loads(out)["error"]
                self.assertEqual((status, error["code"], error["argument"]), (2, code, argument))

    def test_text_that_is_no_json_and_a_name_that_is_no_method(self):
        self.assertEqual(json.loads(fox("calc", "h_rate", given="{")[1])["error"]["code"], "E_TYPE")
        self.assertEqual(json.loads(fox("calc", "no_such", given="{}")[1])["error"]["argument"], "name")

    def test_one_object_a_line(self):
        lines = f"{json.dumps(GOOD)}\n\n{json.dumps({**GOOD, 'flow_l_per_min': -1})}\n"
        status, out, _ = fox("calc", "dilution_water_l_min", "--lines", given=lines)
        answers = [json.loads(line) for line in out.splitlines()]
        self.assertEqual(status, 2)
        self.assertIn("result", answers[0])
        self.assertIn("error", answers[1])


class Methods(TestCase):
    def test_the_book_as_json(self):
        book = json.loads(fox("methods", "--json")[1])
        entry = next(one for one in book if one["name"] == "h_factor")
        self.assertTrue(entry["arguments"]["times_min"]["list"])
        self.assertEqual(entry["results"], {"h_factor": "H"})
        self.assertIn("Dilution water", fox("methods")[1])


class Mill(TestCase):
    def test_the_demonstration_line_is_valid(self):
        status, out, _ = fox("mill", "validate", str(MILL))
        self.assertEqual(status, 0)
        self.assertIn("mass closes", out)
        self.assertNotIn("to look at", out)

    def test_what_would_stand_outside_its_own_band_is_said_and_the_file_is_taken(self):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "dirty.yaml"
            text = MILL.read_text(encoding="utf-8")
            path.write_text(
                re.sub(r"dilution_factor_t_per_bdt: [\d.]+", "dilution_factor_t_per_bdt: 0.5", text), "utf-8"
            )
            status, out, _ = fox("mill", "validate", str(path))
        self.assertEqual(status, 0)
        said = [line for line in out.splitlines() if "to look at" in line]
        self.assertEqual(len(said), 2)
        self.assertRegex(said[0], r"tags · wash_loss: Wood wash loss would stand at \d+\.\d kg/BDt, .* above its band")

    def test_a_broken_file_says_where(self):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "broken.yaml"
            path.write_text(
                MILL.read_text(encoding="utf-8").replace("yield_frac: 0.522", "yield_frac: 5.22"), encoding="utf-8"
            )
            status, _, err = fox("mill", "validate", str(path))
            self.assertEqual(status, 2)
            self.assertIn("units · wood_cook · yield_frac", err)
            self.assertEqual(fox("mill", "validate", str(Path(folder) / "none.yaml"))[0], 2)
            path.write_bytes(b"format: \xff\xfe")
            status, _, err = fox("mill", "validate", str(path))
            self.assertEqual(status, 2)
            self.assertIn("byte 9 is not UTF-8", err)

    def test_the_schema_is_printed(self):
        self.assertIn('"title": "Fox Vat line definition"', fox("mill", "schema")[1])
