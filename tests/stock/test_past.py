"""The past of the demonstration: made by the plant with its crew, and ending where the plant takes over."""

from functools import cache

import numpy as np
from django.test import SimpleTestCase

from standin.living import Living
from standin.past import Past
from standin.plant import Plant
from stock.errors import DomainError
from stock.line.load import load_definition
from stock.line.story import Happened, Story, parse_story
from tests.line import hallin_reach, hallin_story
from tests.mills import TWO_LINES

ANCHOR = 1_773_153_000.0


@cache
def told() -> Plant:
    return Plant(hallin_reach(), 20, ANCHOR, hallin_story())


@cache
def past() -> Past:
    return Past(told())


class MadeTests(SimpleTestCase):
    """What is told is given to the plant, and the plant answers."""

    def test_it_ends_where_the_plant_takes_over(self) -> None:
        living = Living(told())
        for tag in told().tags:
            made = past().read(tag.id, ANCHOR)
            if made is None:
                continue
            opened = living.plant.truth(tag.id)
            assert opened is not None
            opened += living.plant.readings.error(tag.id)
            slack = max(3 * tag.noise, 0.02 * abs(opened), 0.02)
            self.assertAlmostEqual(made, opened, delta=slack, msg=tag.id)

    def test_a_lost_sheet_fills_the_broke_and_a_drift_begins_when_told(self) -> None:
        story, broke = hallin_story(), hallin_reach().unit("broke_cream").level
        lost = next(one for one in story.happened if one.kind == "sheet_break")
        before, after = (past().read(broke, ANCHOR + 3600 * at) for at in (lost.from_h, lost.from_h + 0.8))
        assert before is not None
        assert after is not None
        self.assertGreater(after - before, 20)
        drifts = story.instruments["brown_cons"].drift_from_h
        index = past().carried["brown_cons"]
        self.assertEqual(past().error[int(60 * (36 + drifts)) - 5, index], 0.0)
        self.assertAlmostEqual(past().error[-1, index], 0.10, places=3)

    def test_cooks_begin_when_told_and_are_blown(self) -> None:
        begun = [one.words for one in past().plant.events if "begun" in one.words]
        for run in told().cooks(ANCHOR - 20 * 3600, ANCHOR - 300):
            self.assertTrue(any(f"cook {run.number} begun" in words for words in begun), run.number)
        self.assertTrue(any("cook 1186 blown" in one.words for one in past().plant.events))

    def test_what_the_crew_tries_it_puts_back_and_mostly_writes_down(self) -> None:
        made = past().tries.made
        self.assertGreaterEqual(len(made), 8)
        self.assertGreater(sum(one.written for one in made), 0.6 * len(made))
        stands: dict[str, float] = {}
        for one in made:
            stands[one.setting.point] = one.to_value - one.from_value + stands.get(one.setting.point, 0.0)
            self.assertTrue(one.setting.low <= one.to_value <= one.setting.high)
        for point, left in stands.items():
            self.assertAlmostEqual(left, 0.0, places=6, msg=point)
        self.assertEqual(len(list(past().moves())), sum(one.written for one in made))

    def test_the_laboratory_finds_what_the_plant_did(self) -> None:
        rows = [row for row in told().laboratory(ANCHOR - 30 * 3600, ANCHOR, past()) if row[0] == "blend_cons"]
        self.assertTrue(rows)
        tag = hallin_reach().tag("blend_cons")
        for _, at_s, value in rows[1:]:
            true = past().read("blend_cons", at_s)
            assert true is not None
            self.assertAlmostEqual(value, true, delta=6 * tag.noise + 0.02)

    def test_mass_closes_and_the_same_seed_makes_the_same_past(self) -> None:
        self.assertLess(past().plant.worst_closure, 1e-9)
        again = Past(told(), hours=4.0)
        other = Past(Plant(hallin_reach(), 20, ANCHOR, hallin_story()), hours=4.0)
        self.assertTrue(np.array_equal(again.truth, other.truth, equal_nan=True))


class AnyMillTests(SimpleTestCase):
    """A mill of another shape, without a story, has a past too; a story of what cannot be is refused."""

    def test_the_third_mill_has_one(self) -> None:
        line = load_definition(TWO_LINES)
        made = Past(Plant(line, 5, ANCHOR, Story()), hours=6.0)
        self.assertTrue(np.isfinite(made.truth[-1]).all())

    def test_what_happened_is_checked(self) -> None:
        with self.assertRaises(ValueError):
            Happened(kind="sheet_break", unit="reel", from_h=3)
        text = "format: fox-vat-demo/1\nhappened:\n  - {kind: sheet_break, unit: nowhere, from_h: -2}\n"
        with self.assertRaisesMessage(Exception, "there is no unit nowhere"):
            parse_story(text, hallin_reach())
        text = "format: fox-vat-demo/1\nhappened:\n  - {kind: gremlin, unit: reel, from_h: -2}\n"
        story = parse_story(text, hallin_reach())
        with self.assertRaisesMessage(DomainError, "there is no fault gremlin"):
            Past(Plant(hallin_reach(), 20, ANCHOR, story), hours=3.0)
