"""The past of the demonstration: made by the plant with its crew, and ending where the plant takes over."""

from functools import cache

import numpy as np
from django.test import SimpleTestCase

from standin.crew import trim_shares, unheld
from standin.living import Living
from standin.past import Past
from standin.plant import Plant, spans
from stock.errors import DomainError
from stock.line.load import load_definition
from stock.line.story import Happened, Story, parse_story
from tests.line import hallin_reach, hallin_story
from tests.mills import TWO_LINES

HOURS = 24 * 4
ANCHOR = 1_773_153_000.0


@cache
def told() -> Plant:
    return Plant(hallin_reach(), 20, ANCHOR, hallin_story())


@cache
def past() -> Past:
    return Past(told(), HOURS)


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
        at = int(np.searchsorted(past().kept_s, 3600 * (HOURS + drifts))) - 5
        self.assertEqual(past().error[at, index], 0.0)
        self.assertAlmostEqual(past().error[-1, index], 0.10, places=3)

    def test_cooks_begin_when_told_and_are_blown(self) -> None:
        begun = [one.words for one in past().plant.events if "begun" in one.words]
        for run in told().cooks(ANCHOR - 20 * 3600, ANCHOR - 300):
            self.assertTrue(any(f"cook {run.number} begun" in words for words in begun), run.number)
        self.assertTrue(any("cook 1186 blown" in one.words for one in past().plant.events))

    def test_a_cook_comes_out_at_the_kappa_that_is_told_of_it(self) -> None:
        runs = {run.number: run for run in told().cooks(ANCHOR - 20 * 3600, ANCHOR)}
        blown = [
            vessel for house in past().plant.batches.houses for vessel in house.vessels
            if vessel.kappa > 0 and vessel.cook in runs
        ]  # fmt: skip
        self.assertTrue(blown)
        for vessel in blown:
            self.assertAlmostEqual(vessel.kappa, runs[vessel.cook].kappa, delta=0.3, msg=str(vessel.cook))

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


class OfOldTests(SimpleTestCase):
    """What lies before the last day and a half is the plant's too, run coarsely, and runs on into it."""

    def test_every_hour_of_it_is_known_and_lately_every_minute(self) -> None:
        times = np.concatenate([np.arange(*span) for span in spans(ANCHOR - 4 * 86_400, ANCHOR, 36.0)])
        course = past().course("tower_a_level", times)
        assert course is not None
        self.assertTrue(np.isfinite(course).all())
        self.assertEqual(past().read("tower_a_level", times[7]), course[7])
        self.assertIsNone(past().read("tower_a_level", ANCHOR - 4 * 86_400 - 3600))
        gaps = set(np.diff(past().kept_s).tolist())
        self.assertEqual(gaps, {3600.0, 600.0, 60.0})

    def test_the_crew_keeps_its_vessels_within_what_they_hold(self) -> None:
        line, kept = told().line, past()
        for tag_id, index in kept.carried.items():
            if line.tag(tag_id).reads == "level":
                self.assertGreater(np.nanmin(kept.truth[:, index]), 0.0, tag_id)
                self.assertLess(np.nanmax(kept.truth[:, index]), 101.0, tag_id)
                self.assertLess(np.abs(np.diff(kept.truth[:, index])).max(), 45, tag_id)  # no leap where the two meet
        broke = kept.truth[kept.kept_s < kept.near_s, kept.carried["broke_cream_level"]]
        self.assertGreater(broke.max() - broke.min(), 15)  # the sheet is lost, and what was lost is used again
        self.assertLess(kept.plant.worst_closure, 1e-9)

    def test_it_is_steady_where_it_is_held(self) -> None:
        old = past().kept_s < past().near_s
        for tag_id, around, within in (
            ("blend_cons", 3.5, 0.02), ("wood_brightness", 84.6, 1.0), ("wood_freeness", 462, 12),
            ("tower_a_level", 66, 8), ("machine_level", 76, 5),
        ):  # fmt: skip
            values = past().truth[old, past().carried[tag_id]]
            self.assertAlmostEqual(float(np.mean(values)), around, delta=within, msg=tag_id)

    def test_a_vessel_that_runs_full_is_taken_more_of(self) -> None:
        plant = Past(told(), 1.0).plant
        vessels = unheld(plant)
        names = [plant.plan.shares[index].stream for index, _ in vessels]
        self.assertEqual(
            [unit for _, unit in vessels if unit.endswith("blow_tank")], ["wood_blow_tank", "cane_blow_tank"]
        )
        plant.set_level("cane_blow_tank", 92.0)
        plant.set_level("wood_blow_tank", 52.0)
        before = plant.shares.copy()
        trim_shares(plant, vessels)
        cane = next(index for index, unit in vessels if unit == "cane_blow_tank")
        self.assertGreater(plant.shares[cane], before[cane], names)
        self.assertAlmostEqual(float(plant.shares.sum()), float(before.sum()))


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
