"""No id means anything: the shipped mills under other names, and a mill the program has never seen."""

from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

from standin.plant import Plant
from stock.decisions import RULES
from stock.judge.advice import advise
from stock.judge.limits import judge
from stock.line.balance import LineBalance, Order
from stock.line.drawing import draw_line
from stock.line.load import load_definition
from stock.line.story import story_beside
from tests.line import BENCH, MILL, hallin_reach, tidewater_bench
from tests.mills import TWO_LINES, new_names, renamed
from tests.stock.test_judge import Facts, halfway

ANCHOR = 1_795_000_000.0


def cards(line, story=None):
    """Return (tag, side, rule, instruction) for every limit of a line, crossed each way."""
    found = []
    for tag in line.tags:
        if tag.band is None:
            continue
        for side in ("low", "high"):
            value = halfway(tag, side)
            facts = Facts(line, story, **{tag.id: value})
            card = advise(RULES, tag, judge(tag, value), facts)
            found.append((tag.id, side, card and card.rule, card and card.correction))
    return found


def shape(line):
    """Return how the drawing of a line looks, without the ids."""
    flows = {name: flow.bdt_per_h for name, flow in LineBalance(line).solve(Order.of(line.grades[0])).streams.items()}
    drawn = draw_line(line, flows, width=1200, height=500)
    return [(node.x, node.y) for node in drawn.nodes]


class Renamed(TestCase):
    """A mill says the same of itself whatever its parts are called in the file."""

    def test_balance_advice_and_drawing_stand(self):
        for mill, line in ((MILL, hallin_reach()), (BENCH, tidewater_bench())):
            with self.subTest(mill.stem), TemporaryDirectory() as folder:
                names = new_names(mill)
                copy = renamed(mill, Path(folder))
                other = load_definition(copy)
                self.assertFalse({part.id for part in other.units} & {part.id for part in line.units})
                for grade, same in zip(line.grades, other.grades, strict=True):
                    one = LineBalance(line).solve(Order.of(grade))
                    two = LineBalance(other).solve(Order.of(same))
                    for stream, flow in one.streams.items():
                        self.assertAlmostEqual(flow.total_t_per_h, two.streams[names[stream]].total_t_per_h, places=6)
                theirs = cards(other, story_beside(copy, other))
                ours = cards(line, story_beside(mill, line))
                self.assertEqual([(names[tag], *rest) for tag, *rest in ours], theirs)
                self.assertEqual(shape(line), shape(other))

    def test_the_simulated_plant_reads_the_same(self):
        with TemporaryDirectory() as folder:
            copy = renamed(MILL, Path(folder))
            other = load_definition(copy)
            names = new_names(MILL)
            ours = Plant(hallin_reach(), 20, ANCHOR, story_beside(MILL, hallin_reach()))
            theirs = Plant(other, 20, ANCHOR, story_beside(copy, other))
        for tag in ours.tags:
            self.assertEqual(ours.value(tag, ANCHOR), theirs.value(other.tag(names[tag.id]), ANCHOR), tag.id)


class NeverSeen(TestCase):
    """Two wood lines, no cane, no broke, bales in two chests."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.line = load_definition(TWO_LINES)

    def test_it_closes(self):
        result = LineBalance(self.line).solve(Order.of(self.line.grades[0]))
        self.assertLess(result.closure_frac, 1e-9)
        self.assertEqual(result.shortages, ())
        self.assertAlmostEqual(result.streams["to_near"].bdt_per_h, 1.5 * result.streams["to_far"].bdt_per_h, places=9)

    def test_each_wood_has_advice_of_its_own(self):
        said = {(tag, side): (rule, words) for tag, side, rule, words in cards(self.line)}
        for tag, side in (
            ("t_pine_wet", "high"),
            ("t_birch_wet", "high"),
            ("t_pine_kappa", "high"),
            ("t_birch_kappa", "high"),
            ("t_pine_loss", "high"),
            ("t_birch_loss", "high"),
            ("t_pine_bright", "low"),
            ("t_pine_free", "high"),
            ("t_birch_free", "high"),
            ("t_near", "low"),
            ("t_far", "low"),
            ("t_mix_cons", "high"),
            ("t_last", "low"),
        ):
            with self.subTest(tag):
                self.assertIsNotNone(said[tag, side][0])
        self.assertIn("pine refiners", said["t_pine_free", "high"][1])
        self.assertIn("birch refiners", said["t_birch_free", "high"][1])
        self.assertNotEqual(said["t_pine_kappa", "high"], said["t_birch_kappa", "high"])

    def test_its_plant_runs_without_a_story(self):
        plant = Plant(self.line, 3, ANCHOR)
        for tag in plant.tags:
            low, high = tag.plausible
            self.assertTrue(low <= plant.value(tag, ANCHOR + 3600) <= high, tag.id)
        self.assertEqual({cook.recipe for cook in plant.cooks(ANCHOR - 86_400, ANCHOR)}, {"r_pine", "r_birch"})
