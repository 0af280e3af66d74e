"""Judgement: limits, advice, instruments, and the one-line entry."""

from functools import cache
from itertools import product
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from stock.decisions import REASONS, RULES
from stock.entry import parted, typed_in, understand
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.judge.advice import advise
from stock.judge.here import Here
from stock.judge.instrument import signal_health
from stock.judge.limits import judge, refuse_impossible, share_of_band
from stock.judge.quiet import why_quiet
from stock.judge.witness import transmitter_bias
from stock.line.balance import LineBalance, LineResult, Order
from stock.line.definition import Definition
from stock.line.load import load_definition
from stock.line.story import Story
from tests.line import hallin_reach, hallin_story
from tests.mills import TWO_LINES
from tests.stock.test_bleaching_plant import OXIDANT, P_THEN_Y, with_stages

SEEN = Origin("measured", "a test")


class Facts:
    """A line at its targets, but for the values given."""

    def __init__(self, line=None, story=None, **readings):
        self.line = hallin_reach() if line is None else line
        self.story = story or (hallin_story() if self.line is hallin_reach() else Story())
        self.readings = readings
        self.result = solved(self.line)

    def reading(self, tag_id):
        tag = self.line.tag(tag_id)
        usual = tag.band.target if tag.band else self.story.starts(self.line, tag_id)
        return Datum(self.readings.get(tag_id, usual), SEEN)

    def target(self, tag_id):
        return Datum(self.line.tag(tag_id).band.target, SEEN)

    def recent(self, tag_id, count):
        return [self.reading(tag_id).value]

    def stands(self, point):
        return None

    def learned(self, point, tag_id):
        return None

    def fitted(self, recipe_id):
        return None

    def series(self, name):
        return Datum([3, 1, 4, 2, 2, 5, 3, 1, 2, 4], SEEN)

    def flow(self, stream_id):
        return Datum(self.result.streams[stream_id].bdt_per_h, SEEN)

    def thickness(self, stream_id):
        return Datum(self.result.streams[stream_id].consistency_pct, SEEN)

    def set_origin(self, what):
        return Origin("set", f"{what}, a test")


_SOLVED: dict[int, tuple[Definition, LineResult]] = {}


def solved(line):
    """Return the balance of a line at its first grade, solved once."""
    if id(line) not in _SOLVED:
        _SOLVED[id(line)] = line, LineBalance(line).solve(Order.of(line.grades[0]))
    return _SOLVED[id(line)][1]


class Steamed(Facts):
    """A line whose heaters are set for more than they reach."""

    def stands(self, point):
        return Datum(99.0, SEEN) if point.startswith("warmth:") else None


def card(tag_id, value, line=None, facts=Facts):
    line = line or hallin_reach()
    tag = line.tag(tag_id)
    return advise(RULES, tag, judge(tag, value), facts(line, **{tag_id: value}))


@cache
def lines():
    """Return the demonstration line, and one whose last stage of bleaching reduces."""
    return hallin_reach(), with_stages(P_THEN_Y, "recovered", OXIDANT)


def halfway(tag, side):
    """Return a value between the edge of the band and the action limit."""
    low, high = tag.band.control
    return low - 0.6 * (low - tag.band.action[0]) if side == "low" else high + 0.6 * (tag.band.action[1] - high)


def tags_of(rule):
    """Return the tags that a row fits, on a side, with their line and its facts: those of the first that has any."""
    for line, facts in product(lines(), (Facts, Steamed)):
        of_line, found = facts(line), False
        for tag in (one for one in line.tags if one.band is not None):
            for side in rule.sides:
                if rule.fits(Here(of_line, tag, side)):
                    found = True
                    yield line, facts, tag, side
        if found:
            return


class Limits(TestCase):
    def test_levels_in_order(self):
        tag = hallin_reach().tag("brown_cons")
        for value, level, words in (
            (3.5, "ok", "in its band"),
            (3.40, "ok", "in its band"),
            (3.64, "outside", "0.04 above its band"),
            (3.30, "outside", "0.10 below its band"),
            (3.9, "act", "0.30 above its band, past its action limit"),
        ):
            with self.subTest(value):
                verdict = judge(tag, value)
                self.assertEqual((verdict.level, verdict.words), (level, words))

    def test_the_impossible_is_refused_by_name(self):
        with self.assertRaisesRegex(DomainError, "Brown stock consistency cannot be 140 %"):
            refuse_impossible(hallin_reach().tag("brown_cons"), 140)

    def test_a_tag_without_limits_is_quiet(self):
        self.assertEqual(judge(hallin_reach().tag("thick_flow"), 1).level, "ok")

    @given(st.floats(-50, 50))
    def test_the_bar_stays_on_its_scale(self, value):
        tag = hallin_reach().tag("brown_cons")
        low, high, place = share_of_band(tag.band, tag.plausible, value)
        self.assertTrue(0 <= low < high <= 1 and 0 <= place <= 1)


class Advice(TestCase):
    def test_every_row_fires_with_a_size(self):
        for rule in RULES:
            fired = 0
            for line, facts, tag, side in tags_of(rule):
                with self.subTest(rule=rule.id, tag=tag.id, side=side):
                    found = card(tag.id, halfway(tag, side), line, facts)
                    self.assertIsNotNone(found)
                    self.assertTrue(found.causes and found.check and found.correction)
                    self.assertNotEqual(found.size.value, 0)
                    self.assertTrue(found.size.method)
                    fired += found.rule == rule.id
            with self.subTest(rule=rule.id):
                self.assertGreater(fired, 0)

    def test_in_its_band_there_is_nothing_to_do(self):
        for tag in hallin_reach().tags:
            if tag.band is not None:
                self.assertIsNone(card(tag.id, tag.band.target))

    def test_sizes_point_the_right_way(self):
        self.assertIn("Raise refiners 1 and 2", card("wood_freeness", 492).correction)
        self.assertIn("Lower refiners 1 and 2", card("wood_freeness", 430).correction)
        self.assertIn("Raise the next charge", card("wood_residual", 5.6).correction)
        self.assertGreater(card("cane_brightness", 81.0).size.value, card("cane_brightness", 82.2).size.value)

    def test_the_dilution_brings_the_stock_to_its_target(self):
        size = card("brown_cons", 3.68).size.value
        flow = Facts().reading("brown_flow").value
        water = Facts().thickness("brown_water").value
        self.assertAlmostEqual((flow * 3.68 + size * water) / (flow + size), 3.5, places=9)

    def test_a_target_out_of_reach_gives_no_unsized_advice(self):
        class Blind(Facts):
            def target(self, tag_id):
                raise LookupError(tag_id)

        tag = hallin_reach().tag("cane_brightness")
        self.assertIsNone(advise(RULES, tag, judge(tag, 80), Blind(cane_brightness=80)))


class Instruments(TestCase):
    def health(self, values, **changes):
        known = {"now_s": 60.0 * len(values), "span": (0, 10), "expected_s": 60, "resolution": 0.001, "noise": 0.02}
        return signal_health(
            times_s=[60.0 * i for i in range(len(values))], values=values, **{**known, **changes}
        ).state

    def test_states_in_order(self):
        self.assertEqual(self.health([2.314] * 12), "frozen")
        self.assertEqual(self.health([2.31, 2.33, 2.30]), "ok")
        self.assertEqual(self.health([2.31, 2.33, 3.30]), "spike")
        self.assertEqual(self.health([2.31, float("nan")]), "missing")
        self.assertEqual(self.health([]), "missing")
        self.assertEqual(self.health([2.31, 12.0]), "out_of_range")
        self.assertEqual(self.health([2.31, 2.32], now_s=900), "stale")

    def test_one_sample_never_trims_a_transmitter(self):
        with self.assertRaises(DomainError) as caught:
            transmitter_bias(transmitter_pct=[3.6], lab_pct=[3.5])
        self.assertEqual(caught.exception.code, "E_COUNT")

    def test_a_small_bias_is_left_alone(self):
        check = transmitter_bias(transmitter_pct=[3.5, 3.52, 3.48, 3.5, 3.51], lab_pct=[3.49, 3.5, 3.49, 3.5, 3.5])
        self.assertEqual(check.trim_pct, 0.0)


class Entry(TestCase):
    def test_free_order_units_and_prefixes(self):
        tags = hallin_reach().tags
        for line, tag, value in (
            ("digester 3 temp 166", "digester_3_temp", 166),
            ("166 c digester 3 temp", "digester_3_temp", 166),
            ("digester 3 temp 331 F", "digester_3_temp", 166.111),
            ("digester 3 pressure 95 psi", "digester_3_pressure", 655.0),
            ("digester 3 pressure 6.5 bar g", "digester_3_pressure", 650.0),
            ("brown cons 3.4 %", "brown_cons", 3.4),
            ("3,62% brown cons", "brown_cons", 3.62),
            ("brown flow 900 gpm", "brown_flow", 3406.87),
            ("white liquor 81 g/L Na2O", "white_liquor_ea", 104.54),
            ("wood free 455 csf", "wood_freeness", 455),
            ("wood free 27 °SR", "wood_freeness", 473.4),
            ("kappa wood 12.4 perm", "kappa_wood", 18.6),
            ("cane kappa permanganate 11.6", "kappa_cane", 17.4),
        ):
            with self.subTest(line):
                found = understand(line, tags)
                self.assertTrue(found.complete, found)
                self.assertEqual(found.tag.id, tag)
                self.assertAlmostEqual(found.value, value, places=1)

    def test_units_and_near_words_are_listed(self):
        line = hallin_reach()
        self.assertEqual(typed_in(line.tag("wood_freeness"))[:1], ("mL CSF",))
        self.assertIn("°SR", typed_in(line.tag("wood_freeness")))
        self.assertIn("permanganate number", typed_in(line.tag("kappa_wood")))
        self.assertIn("psi", typed_in(line.tag("digester_3_pressure")))
        self.assertEqual(len(typed_in(line.tag("chip_bin_temp"))), len(set(typed_in(line.tag("chip_bin_temp")))))
        self.assertIn("near to it: brown", understand("browm cons 3.4", line.tags).fault)
        self.assertNotIn("near", understand("zzzz 3.4", line.tags).fault)

    def test_doubt_offers_choices_and_takes_one(self):
        found = understand("kappa 18", hallin_reach().tags)
        self.assertEqual([tag.id for tag in found.choices], ["kappa_wood", "kappa_cane"])
        self.assertFalse(found.complete)
        self.assertTrue(understand("kappa 18", hallin_reach().tags, "kappa_cane").complete)

    def test_what_the_value_cannot_be_is_not_asked_about(self):
        self.assertEqual(understand("cane pile 60", hallin_reach().tags).tag.id, "cane_pile_temp")

    def test_what_is_in_view_is_meant(self):
        tags = hallin_reach().tags
        near = {tag.id for tag in tags if tag.of == "digester_3"}
        self.assertEqual(understand("temp 164", tags, "", near).tag.id, "digester_3_temp")
        self.assertGreater(len(understand("temp 64", tags).choices), 1)

    def test_a_day_may_be_typed_with_the_time(self):
        for typed in ("25 Nov 20:00", "yesterday 20:00", "2026-11-25 20:00", "today 14:05"):
            with self.subTest(typed):
                found = understand(f"brown cons 3.5 at {typed}", hallin_reach().tags)
                self.assertEqual((found.at, found.value), (typed, 3.5))

    def test_several_readings_are_parted_and_nothing_empty_is_one(self):
        self.assertEqual(parted(" brown cons 3.5 ;; shives 0.2; "), ["brown cons 3.5", "shives 0.2"])
        self.assertEqual(len(parted(";".join(["ph 1"] * 40))), 9)

    def test_what_cannot_be_recorded_says_why(self):
        for line, words in (
            ("brown cons 140", "cannot be 140"),
            ("brown cons -3", "cannot be -3"),
            ("brown cons 3.4 kW", "cannot be turned into"),
            ("kappa wood 18 bar", "has no unit"),
            ("nonsense 3", "nothing on this line"),
            ("3.4", "name what was measured"),
            ("brown cons 3.4 3.5", "2 numbers"),
            ("x" * 4000, "200 is the most"),
        ):
            with self.subTest(line[:20]):
                found = understand(line, hallin_reach().tags)
                self.assertFalse(found.complete)
                self.assertIn(words, found.fault)

    @given(st.text(max_size=250))
    def test_nothing_typed_breaks_it(self, line):
        understand(line, hallin_reach().tags)


class WithoutAShare(TestCase):
    """An order may leave out any pulp: what is off where nothing runs is told or has its reason, and breaks no page."""

    def test_whatever_is_off_is_answered(self) -> None:
        for line in (hallin_reach(), load_definition(TWO_LINES)):
            grade = line.grades[0]
            for left_out in (name for name, share in grade.shares.items() if 0 < share < 1):
                rest = 1 - grade.shares[left_out]
                shares = {name: 0.0 if name == left_out else share / rest for name, share in grade.shares.items()}
                result = LineBalance(line).solve(Order.of(grade, None, shares))
                for tag in (one for one in line.tags if one.band is not None):
                    for edge, beyond in ((tag.band.control[0], -1), (tag.band.control[1], 1)):
                        value = edge + beyond * 0.2 * (tag.band.control[1] - tag.band.control[0])
                        facts = Facts(line, **{tag.id: value})
                        facts.result = result
                        verdict = judge(tag, value)
                        with self.subTest(tag.id, without=left_out, value=value):
                            card = advise(RULES, tag, verdict, facts)
                            self.assertTrue(card or isinstance(why_quiet(REASONS, tag, verdict, facts), str))
