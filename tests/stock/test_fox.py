"""The one command and the documents: what they name exists, and what exists is named."""

import os
import re
import subprocess
import sys
from importlib.machinery import SourceFileLoader
from importlib.util import module_from_spec, spec_from_loader
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase
from unittest.mock import patch

from stock.line.kinds import KINDS
from stock.units import said
from tests.line import MILL

ROOT = MILL.parents[1]


def fox(*words: str, given: str = "") -> subprocess.CompletedProcess:
    """Run ./fox."""
    return subprocess.run([sys.executable, "fox", *words], cwd=ROOT, capture_output=True, text=True, input=given)


class Command(TestCase):
    def test_every_command_helps_and_is_in_the_readme(self):
        top = fox("--help").stdout
        commands = re.findall(r"^    (\w+) ", top, re.MULTILINE)
        self.assertGreaterEqual(len(commands), 10)
        readme = (ROOT / "README.md").read_text(encoding="utf-8")
        for command in commands:
            with self.subTest(command):
                self.assertIn(f"./fox {command}", readme)
                answer = fox(command, "--help")
                self.assertEqual(answer.returncode, 0)
                self.assertGreater(len(answer.stdout), 60)

    def test_unknown_words_are_refused(self):
        self.assertEqual(fox("dmeo").returncode, 2)
        self.assertEqual(fox("check", "--hard").returncode, 2)

    def test_calc_answers_and_refuses_with_its_status(self):
        good = fox("calc", "h_rate", given='{"temperature_c": 170}')
        self.assertEqual(good.returncode, 0)
        self.assertIn('"unit": "H/h"', good.stdout)
        self.assertEqual(fox("calc", "h_rate", given='{"temperature_c": 900}').returncode, 2)

    def test_the_readmes_example_is_what_comes_out(self):
        readme = (ROOT / "README.md").read_text(encoding="utf-8")
        given = re.search(r"echo '(\{.*?\})'", readme).group(1)
        promised = re.search(r'"value": ([\d.]+)', readme).group(1)
        self.assertIn(promised, fox("calc", "dilution_water_l_per_min", given=given).stdout)


class Environment(TestCase):
    def setUp(self) -> None:
        self.enterContext(patch.dict(os.environ))
        self.enterContext(patch.object(sys, "path", [*sys.path]))
        loader = SourceFileLoader("fox_command", str(ROOT / "fox"))
        self.fox = module_from_spec(spec_from_loader("fox_command", loader))
        loader.exec_module(self.fox)
        self.other = Path(self.enterContext(TemporaryDirectory())) / "python3"

    def made_with(self) -> str:
        with patch.object(self.fox, "DEBIANS", self.other):
            return self.fox.maker()

    def test_debians_own_python_makes_it_where_it_is_of_the_same_version(self) -> None:
        self.other.symlink_to(sys.executable)
        self.assertEqual(self.made_with(), str(self.other))

    def test_this_one_does_where_that_is_missing_or_of_another_version_or_without_the_module(self) -> None:
        self.assertEqual(self.made_with(), sys.executable)
        for wrong in ("sys.version_info = (3, 9, 2)", "sys.modules['ensurepip'] = None"):
            with self.subTest(wrong):
                self.other.write_text(f"#!{sys.executable}\nimport sys\n{wrong}\nexec(sys.argv[2])\n")
                self.other.chmod(0o755)
                self.assertEqual(self.made_with(), sys.executable)


class Documents(TestCase):
    def text(self, name: str) -> str:
        return (ROOT / name).read_text(encoding="utf-8")

    def test_every_picture_is_linked_and_every_link_leads_somewhere(self):
        readme = self.text("README.md")
        for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
            self.assertIn(f"docs/screenshots/{picture.name}", readme)
        for name in ("README.md", "docs/architecture.md", "docs/line-definition.md", "docs/operator-guide.md"):
            for link in re.findall(r"\]\(([^)#:]+)\)", self.text(name)):
                self.assertTrue((ROOT / Path(name).parent / link).exists(), f"{name}: {link}")

    def test_every_kind_of_unit_is_documented(self):
        described = self.text("docs/line-definition.md") + self.text("docs/kinds.md")
        for kind in KINDS:
            self.assertIn(f"`{kind}`", described)

    def test_the_guide_knows_every_key(self):
        script = self.text("desk/static/desk/keys.js")
        guide = self.text("docs/operator-guide.md")
        for key in re.findall(r"(\w): \"", re.search(r"const pages = \{(.*?)\}", script).group(1)):
            self.assertIn(f"`{key}`", guide)

    def test_what_is_shipped_is_named(self):
        notices = self.text("NOTICES.md")
        for folder in ("desk/static/desk/vendor", "desk/static/desk/fonts", "tests/browser/vendor"):
            self.assertIn(folder, notices)
            self.assertTrue(list((ROOT / folder).glob("LICENSE*")), folder)


class Modules(TestCase):
    """A module is read in one sitting; a longer one becomes several by subject."""

    def test_none_is_longer_than_four_hundred_lines(self):
        modules = [
            one
            for part in ("stock", "desk", "standin", "running", "tests", "bench")
            for one in (ROOT / part).rglob("*.py")
        ]
        self.assertGreater(len(modules), 500)
        lines = {str(one.relative_to(ROOT)): len(one.read_text(encoding="utf-8").splitlines()) for one in modules}
        self.assertEqual(
            {name: count for name, count in lines.items() if count > 400 and "/migrations/" not in name}, {}
        )


class Said(TestCase):
    def test_small_amounts_are_said_in_a_smaller_unit(self):
        self.assertEqual(said(12.8, "t/h"), "12.8 t/h")
        self.assertEqual(said(0.0004, "t/h"), "0.4 kg/h")
        self.assertEqual(said(0.00423, "t/h", 1), "4.2 kg/h")
        self.assertEqual(said(0.0, "t/h"), "0 t/h")
        self.assertEqual(said(0.02, "kappa"), "0.02 kappa")
