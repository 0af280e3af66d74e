"""The stand-in: repeatable, believable, and in step with its own past."""

from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from standin.__main__ import main
from standin.laboratory import burette, device_files, titrations
from standin.plant import Plant
from standin.workshop import HandCooks
from stock.cooking.titration import white_liquor_from_abc
from stock.steam import saturation_pressure_kpa_abs
from tests.line import MILL, hallin_reach, hallin_story, tidewater_bench, tidewater_story
from tests.mills import as_text, raw_of

ANCHOR = 1_795_000_000.0


class StandIn(TestCase):
    def setUp(self):
        self.plant = Plant(hallin_reach(), 20, ANCHOR, hallin_story())

    def value(self, tag_id, at_s):
        return self.plant.value(hallin_reach().tag(tag_id), at_s)

    def test_the_same_seed_and_moment_give_the_same_value(self):
        again = Plant(hallin_reach(), 20, ANCHOR, hallin_story())
        other = Plant(hallin_reach(), 21, ANCHOR, hallin_story())
        tag = hallin_reach().tag("brown_cons")
        self.assertEqual(self.plant.value(tag, ANCHOR + 77), again.value(tag, ANCHOR + 77))
        self.assertNotEqual(self.plant.value(tag, ANCHOR + 77), other.value(tag, ANCHOR + 77))

    def test_every_live_value_is_possible_for_two_days(self):
        for tag in self.plant.tags:
            for hour in range(-12, 48, 3):
                value = self.plant.value(tag, ANCHOR + 3600 * hour)
                self.assertTrue(tag.plausible[0] <= value <= tag.plausible[1], (tag.id, hour, value))

    def test_the_demonstration_opens_on_its_cook(self):
        cook = self.plant.last_cook(3, ANCHOR)
        self.assertEqual(cook.number, 1187)
        self.assertEqual(self.plant.last_cook(5, ANCHOR).number, 5402)
        self.assertAlmostEqual(self.value("digester_3_temp", ANCHOR), 165, delta=1.5)
        self.assertLess(self.value("digester_3_temp", ANCHOR + 26 * 60 + 1200), 105)

    def test_the_cane_tower_falls_and_the_transmitter_drifts(self):
        self.assertLess(self.value("cane_tower_level", ANCHOR + 5400), self.value("cane_tower_level", ANCHOR) - 3)
        self.assertGreater(self.value("brown_cons", ANCHOR), self.value("brown_cons", ANCHOR - 31 * 3600) + 0.06)

    def test_each_digester_is_used_in_turn(self):
        cooks = [cook for cook in self.plant.cooks(ANCHOR - 30_000, ANCHOR) if cook.recipe == "alder"]
        self.assertEqual([cook.number for cook in cooks], list(range(cooks[0].number, cooks[0].number + len(cooks))))
        turns = [cook.digester for cook in cooks]
        self.assertTrue(
            all(later % 4 == (earlier % 4) + 1 or later % 4 == (earlier + 1) % 4 for earlier, later in pairwise(turns))
        )

    def test_laboratory_rounds_and_ends_on_the_mark(self):
        newest = {}
        for tag_id, at_s, value in self.plant.laboratory(ANCHOR - 86_400, ANCHOR):
            self.assertLess(at_s, ANCHOR)
            newest.setdefault(tag_id, value)
        self.assertEqual(newest["cane_brightness"], 81.9)

    def test_a_blow_fills_the_tank_by_what_the_washers_draw_until_the_next(self):
        tag = "wood_blow_level"
        minutes = range(170)
        levels = [self.value(tag, ANCHOR + 60 * minute) for minute in minutes]
        self.assertGreater(max(levels) - min(levels), 15)
        self.assertAlmostEqual(levels[0], self.value(tag, ANCHOR + 84.4 * 60), delta=3)

    def test_a_level_turns_before_its_vessel_runs_over_or_dry(self):
        for tag in ("tower_a_level", "cane_tower_level", "tower_r_level", "slush_level"):
            action = hallin_reach().tag(tag).band.action
            levels = [self.value(tag, ANCHOR + 3600 * hour) for hour in range(0, 72, 2)]
            self.assertGreater(min(levels), action[0] - 3)
            self.assertLess(max(levels), action[1] + 3)

    def test_the_drift_stops_after_a_while(self):
        self.assertAlmostEqual(
            self.value("brown_cons", ANCHOR + 20 * 3600), self.value("brown_cons", ANCHOR + 30 * 3600), delta=0.06
        )

    def test_history_and_the_live_signal_are_one_curve(self):
        tag = hallin_reach().tag("machine_level")
        past = {at_s: value for name, at_s, value in self.plant.history(ANCHOR, ANCHOR + 600) if name == tag.id}
        for at_s, value in past.items():
            self.assertEqual(value, self.plant.value(tag, float(at_s)))

    def test_cooks_are_charged_a_little_differently_each_time(self):
        cooks = [cook for cook in self.plant.cooks(ANCHOR - 40_000, ANCHOR + 40_000) if cook.recipe == "alder"]
        charges = {cook.charge_pct_naoh_on_wood for cook in cooks}
        self.assertGreater(len(charges), 5)
        self.assertTrue(all(abs(charge - 17.4) < 0.8 for charge in charges))

    def test_what_a_cook_was_given_adds_up_to_its_charge(self):
        for cook in self.plant.cooks(ANCHOR - 40_000, ANCHOR):
            wood = cook.chips_t * (1 - cook.moisture_frac)
            self.assertAlmostEqual(cook.liquor_m3 * cook.strength / wood / 10, cook.charge_pct_naoh_on_wood, delta=0.03)

    def test_cooks_come_out_near_their_target_and_not_all_alike(self):
        for recipe in hallin_reach().cook.recipes:
            found = [
                c.kappa for c in self.plant.cooks(ANCHOR - 30 * 86_400, ANCHOR) if c.recipe == recipe.id and not c.flag
            ]
            self.assertAlmostEqual(float(np.median(found)), recipe.kappa_target, delta=1.2)
            self.assertTrue(0.4 < np.std(found) < 2.0)

    def test_pressure_is_never_less_than_the_steam(self):
        for digester in (1, 2, 3, 4, 5):
            for minute in range(0, 300, 7):
                at = ANCHOR + 60 * minute
                celsius = self.plant.digesters.celsius(digester, at)
                if celsius > 101:
                    steam = saturation_pressure_kpa_abs(temperature_c=celsius) - 101.325
                    self.assertGreater(self.plant.digesters.kpa_g(digester, at), steam)

    def test_a_counter_says_nothing_of_what_has_not_happened(self):
        cook = self.plant.last_cook(3, ANCHOR)
        early = self.plant.digesters.batch(3, cook.started_s + 60)
        self.assertEqual((early[3], early[5], early[9], early[10]), (0.0, 0.0, 0.0, 0.0))
        late = self.plant.digesters.batch(3, cook.relief_s + 300)
        self.assertEqual((late[3], late[10]), (cook.chips_t, cook.relief_s))

    def test_the_burettes_come_to_what_the_laboratory_reports(self):
        read = burette(104.6, 26.2, 80.8)
        found = white_liquor_from_abc(**read, acid_normality=0.5, sample_ml=5.0)
        self.assertAlmostEqual(found.effective_kg_per_m3_as_naoh, 104.6, delta=0.05)
        self.assertAlmostEqual(100 * found.sulphidity_frac, 26.2, delta=0.1)
        self.assertAlmostEqual(100 * found.causticity_frac, 80.8, delta=0.1)
        rows = list(titrations(hallin_reach(), self.plant.laboratory(ANCHOR - 5 * 86_400, ANCHOR), 20))
        self.assertEqual({row["liquor"] for row in rows}, {"white", "green", "caustic"})

    def test_the_kappa_machine_reports_each_blown_cook_once(self):
        names = [name for name, _ in device_files(self.plant, ANCHOR, ANCHOR + 86_400)]
        self.assertEqual(len(names), len(set(names)))
        self.assertGreater(sum(name.startswith("kappa_") for name in names), 15)
        self.assertEqual(sum(name.startswith("titrator_") for name in names), 3)


class TeachingWorkshop(TestCase):
    def test_cooks_take_turns_and_the_last_is_still_in(self):
        found = list(HandCooks(tidewater_bench(), 20, ANCHOR, tidewater_story()).cooks(30))
        self.assertEqual([row["number"] for row, _ in found], list(range(21, 42)))
        self.assertEqual({row["recipe"] for row, _ in found}, {"spruce_acid", "spruce_bisulphite"})
        running, gauges = found[-1]
        self.assertNotIn("kappa", running)
        self.assertGreater(len(gauges), 15)
        self.assertLess(gauges[-1][0], ANCHOR)
        for row, _ in found[:-1]:
            self.assertTrue(15 < row["kappa"] < 60, row)


class ToldInWords(TestCase):
    """A mill's file that cannot be run ends in its faults and not in a trace."""

    def ends(self, change):
        raw = raw_of(MILL)
        change(raw)
        with TemporaryDirectory() as folder:
            path = Path(folder) / "odd.yaml"
            path.write_text(as_text(raw), encoding="utf-8")
            words = ["standin", "history", "--mill", str(path), "--folder", folder, "--days", "1"]
            with patch("sys.argv", words), self.assertRaises(SystemExit) as caught:
                main()
        return str(caught.exception.code)

    def test_each_fault_has_a_line(self):
        def change(raw):
            raw["units"][0]["kind"] = "mill"
            raw["streams"][3]["to"] = "nowhere"

        said = self.ends(change)
        self.assertRegex(said, r"odd\.yaml: \d fault\(s\)\n  units · ")

    def test_one_that_reads_well_and_cannot_run_says_why(self):
        def change(raw):
            next(unit for unit in raw["units"] if unit["id"] == "furnish_chest")["consistency_pct"] = 1.75

        self.assertRegex(self.ends(change), r"odd\.yaml: Machine chest is set thicker than what comes to it: ")
