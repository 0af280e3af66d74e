"""A file somebody writes by hand: one thing in it is other than it should be; it is refused in words or it runs."""

import copy
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from standin.plant import Plant as StandIn
from stock.errors import DomainError
from stock.judge.limits import judge
from stock.line.definition import DefinitionError
from stock.line.proof import proven
from stock.line.story import parse_story, story_beside
from stock.simulate.plant import Plant
from tests.line import MILL, hallin_reach
from tests.mills import TWO_LINES, as_text, raw_of

BENCH = MILL.with_name("tidewater_bench.yaml")
SEED, COUNT, RUN = 20, 260, 8  # how many are written, and of those that stand how many are run as a plant
NUMBERS = {
    "zero": lambda value: 0,
    "negative": lambda value: -value,
    "ten times": lambda value: 10 * value,
    "a tenth": lambda value: value / 10,
    "huge": lambda value: 1e300,
}
ANY = {
    "null": lambda value: None,
    "text": lambda value: "nonsense",
    "in a list": lambda value: [value],
    "twice": lambda value: value + value if isinstance(value, list) else [value, value],
    "empty": lambda value: [] if isinstance(value, list) else {},
}


def places(node, at=()):
    """Yield (keys that lead there, value) of everything in a raw definition."""
    rows = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in rows:
        yield (*at, key), value
        yield from places(value, (*at, key))


def without_or_with(raw, at, change):
    """Return a copy of a raw definition in which one thing is changed, or left out."""
    changed = copy.deepcopy(raw)
    node = changed
    for key in at[:-1]:
        node = node[key]
    if change is None:
        del node[at[-1]]
    else:
        node[at[-1]] = change(node[at[-1]])
    return changed


def slips(raw):
    """Yield (words, raw definition) of some of all the slips that can be made in a file, the same each time."""
    found = []
    for at, value in places(raw):
        is_number = isinstance(value, (int, float)) and not isinstance(value, bool)
        found += [(at, name, change) for name, change in (("left out", None), *ANY.items())]
        found += [(at, name, change) for name, change in NUMBERS.items() if is_number]
    for index in np.random.default_rng(SEED).choice(len(found), COUNT, replace=False):
        at, name, change = found[index]
        yield f"{'.'.join(map(str, at))} {name}", without_or_with(raw, at, change)


class OneSlip(TestCase):
    def test_it_is_refused_by_name_or_it_is_a_line_that_runs(self):
        refused, run = 0, 0
        for words, raw in slips(raw_of(BENCH)):
            with self.subTest(words):
                try:
                    line, results = proven(as_text(raw))
                except DefinitionError as error:
                    refused += 1
                    for fault in error.faults:
                        self.assertNotIn("Traceback", fault)
                        self.assertGreater(len(fault), 10)
                    continue
                for result in results:
                    self.assertLess(result.closure_frac, 1e-9)
                if run < RUN:
                    run += 1
                    self._runs(line, results)
        self.assertGreater(refused, COUNT / 2)
        self.assertEqual(run, RUN)

    def _runs(self, line, results):
        try:
            plant = Plant(line, dt_s=10.0)
        except DomainError:
            self.assertFalse(all(one.feasible for one in results))  # its own orders cannot be run
            return
        plant.step(6)
        for tag in line.tags:
            value = plant.readings.truth(tag.id)
            if value is not None and tag.band is not None:
                self.assertIn(judge(tag, value).level, {"ok", "outside", "act"})


class OneSlipInAStory(TestCase):
    """What a demonstration opens with is written by hand as well."""

    def test_it_is_refused_by_name_or_the_plant_opens_with_it(self):
        line, raw = hallin_reach(), raw_of(MILL.with_name("hallin_reach.demo.yaml"))
        refused, opened = 0, 0
        for words, changed in slips(raw):
            with self.subTest(words):
                try:
                    story = parse_story(as_text(changed), line)
                except DefinitionError as error:
                    refused += 1
                    self.assertTrue(all(len(fault) > 10 for fault in error.faults))
                    continue
                if opened < RUN:
                    opened += 1
                    plant = StandIn(line, 20, 1.77e9, story)
                    rows = list(plant.history(1_770_000_000 - 600, 1_770_000_000, 300.0))
                    self.assertGreater(len(rows), len(line.tags) / 2)
                    self.assertTrue(all(np.isfinite(value) for _, _, value in rows))
                    self.assertTrue(plant.cooks(1.77e9 - 20_000, 1.77e9))
        self.assertGreater(refused, COUNT / 4)
        self.assertEqual(opened, RUN)


class Refused(TestCase):
    """What was taken, or ended in a fault of ours, before."""

    def refused(self, mill, change, words):
        raw = raw_of(mill)
        change(raw)
        with self.subTest(words), self.assertRaisesRegex(DefinitionError, words):
            proven(as_text(raw))

    def unit(self, raw, unit_id):
        return next(one for one in raw["units"] if one["id"] == unit_id)

    def test_lists_and_nothing_where_a_word_belongs(self):
        self.refused(BENCH, lambda raw: raw["tags"][0].update(words=None), "tags · .* · words")
        self.refused(BENCH, lambda raw: raw["tags"][0].update(words="vat"), "tags · .* · words")
        self.refused(BENCH, lambda raw: raw["units"][0].update(kind=[]), "units · ")
        self.refused(BENCH, lambda raw: raw["cook"]["digesters"][0].update(recipes=[[1]]), "digesters · .* · recipes")

    def test_a_line_that_has_not_one_solution_is_refused_before_it_is_kept(self):
        self.refused(
            TWO_LINES, lambda raw: self.unit(raw, raw["units"][17]["id"]).pop("consistency_pct"), "unknown flows but"
        )

    def test_a_vessel_larger_than_any_there_is(self):
        self.refused(TWO_LINES, lambda raw: raw["units"][23].update(volume_m3=1e30), "volume_m3.*1e\\+30")

    def test_minutes_and_hours_of_a_mill_have_an_end(self):
        for field in ("fill_min", "liquor_min", "blow_min"):
            self.refused(
                TWO_LINES, lambda raw, name=field: raw["cook"]["recipes"][0].update({name: 601}), f"{field}.*601"
            )
        self.refused(TWO_LINES, lambda raw: raw["cook"].update(steam_t_per_h=1e9), "steam_t_per_h")
        self.refused(MILL, lambda raw: raw["yard"]["chippers"][0].update(coast_min=601), "coast_min.*601")

    def test_words_of_its_own_stand_after_those_of_the_point(self):
        raw = raw_of(BENCH)
        raw["tags"][0]["words"] = ["odd"]
        before, _ = proven(as_text(raw_of(BENCH)))
        line, _ = proven(as_text(raw))
        self.assertEqual(line.tags[0].words[-1], "odd")
        self.assertEqual(
            list(line.tags[0].words[:-1]),
            [one for one in before.tags[0].words if one != "odd"][: len(line.tags[0].words) - 1],
        )


class Proven(TestCase):
    def test_a_line_is_solved_once_and_comes_with_what_each_grade_runs_at(self):
        text = MILL.read_text(encoding="utf-8")
        line, results = proven(text)
        self.assertIs(proven(text)[1], results)
        self.assertEqual([one.order.grade.id for one in results], [grade.id for grade in line.grades])
        for grade, result in zip(line.grades, results, strict=True):
            self.assertEqual(result.order.reel_t_per_h, grade.tonnes_per_h)
            self.assertEqual(result.shortages, ())

    def test_a_grade_that_does_not_close_is_named(self):
        with patch(
            "stock.line.balance.LineBalance.solve", side_effect=DomainError("E_BALANCE", "tanks", "they never settle")
        ):
            proven.cache_clear()
            with self.assertRaises(DefinitionError) as caught:
                proven(TWO_LINES.read_text(encoding="utf-8"))
        self.assertRegex(caught.exception.faults[0], r"^grades · \w+: they never settle$")

    def test_a_story_in_other_bytes_than_text_is_refused_in_words(self):
        with TemporaryDirectory() as folder:
            mill = Path(folder) / "odd.yaml"
            self.assertEqual(story_beside(mill, hallin_reach()).orders, [])  # none lies beside it
            mill.with_name("odd.demo.yaml").write_bytes(b"orders: \xff")
            with self.assertRaisesRegex(DefinitionError, "byte 9 is not UTF-8"):
                story_beside(mill, hallin_reach())
