"""The yard in the line's file, and the yard of the simulated mill."""

import csv
import io
from collections import defaultdict
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import numpy as np

from standin.__main__ import drop_files, write_history
from standin.plant import Plant
from standin.yard import EVERY_BELT_S, EVERY_TICKET_S, YardRun, belt_files, belt_rates, gate_files, load_of
from stock.intake.lot import decide
from stock.line.balance import LineBalance, Order
from stock.line.definition import DefinitionError
from tests.line import MILL, balance, hallin_reach, hallin_story
from tests.mills import defined, raw_of

ANCHOR = 1_773_153_000.0  # 10 March 2026, 14:30 UTC
DAY_S = 86_400


class YardFaults(TestCase):
    def faults(self, change):
        raw = raw_of(MILL)
        change(raw["yard"])
        with self.assertRaises(DefinitionError) as caught:
            defined(raw)
        return " | ".join(caught.exception.faults)

    def test_names_that_lead_nowhere(self):
        for change, words in (
            (lambda yard: yard["materials"][0].update(pile="attic"), "yard · materials · alder_logs · pile: there is no pile attic"),
            (lambda yard: yard["materials"][1].update(species="oak"), "yard · materials · alder_chips · species: there is no species oak"),
            (lambda yard: yard["piles"][1].update(stream="river"), "yard · piles · pile_a · stream: there is no stream river"),
            (lambda yard: yard["piles"].append(dict(yard["piles"][1])), "yard · piles · pile_a: the id is used twice"),
            (lambda yard: yard["materials"][1].update(letter="R"), "two materials share a letter"),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, self.faults(change))

    def test_values_that_cannot_be(self):
        for change, words in (
            (lambda yard: yard["piles"][1].update(solid_volume_factor=0.8), "solid_volume_factor"),
            (lambda yard: yard.update(monthly_c=[1, 2, 3]), "monthly_c"),
            (lambda yard: yard["materials"][0]["tests"][0].update(accept_pct=120), "accept_pct"),
            (lambda yard: yard["materials"][0].update(letter="RR"), "letter"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.faults(change))

    def test_a_line_may_have_no_yard(self):
        raw = raw_of(MILL)
        raw.pop("yard")
        piles = {"pile_a", "pile_b", "pile_c", "pile_d", "cane_pile"}
        raw["tags"] = [tag for tag in raw["tags"] if tag["of"] not in piles]
        line = defined(raw)
        self.assertIsNone(line.yard)

    def test_parts_are_found_by_id_or_refused(self):
        yard = hallin_reach().yard
        self.assertEqual(yard.material("alder_logs").letter, "R")
        for find in (yard.material, yard.pile, yard.chipper, yard.of_species, yard.feed):
            with self.subTest(find.__name__), self.assertRaises(LookupError):
                find("nowhere")


class FrontOfTheLine(TestCase):
    """Logs, bark and sawmill chips in the whole-line balance."""

    def test_what_comes_through_the_gate_is_chips_bark_and_screenings(self):
        for grade in hallin_reach().grades:
            with self.subTest(grade.id):
                streams = balance().solve(Order.of(grade)).streams
                came = streams["logs_in"].bdt_per_h + streams["sawmill_in"].bdt_per_h
                went = sum(streams[name].bdt_per_h for name in ("chips_in", "bark", "chip_fines"))
                self.assertAlmostEqual(came, went, places=9)
                self.assertLess(streams["chips_in"]["bark"] / streams["chips_in"].bdt_per_h, 0.009)
                self.assertGreater(streams["bark"]["bark"] / streams["logs_in"]["bark"], 0.9)

    def test_bark_does_not_vanish_in_the_line(self):
        result = balance().solve(Order.of(hallin_reach().grades[0]))
        self.assertLess(result.closure_frac, 1e-9)
        self.assertGreater(result.streams["knots"]["bark"], 0)

    def test_the_yard_alone_follows_the_order(self):
        small, large = (LineBalance(hallin_reach()).solve(Order.of(hallin_reach().grades[0], t)) for t in (6.0, 12.0))
        for name in ("logs_in", "bark", "sawmill_in", "chips_in"):
            ratio = large.streams[name].bdt_per_h / small.streams[name].bdt_per_h
            self.assertAlmostEqual(ratio, 2.0, delta=0.02)


def feed_of(run, stream):
    return next(feed for feed in run.feeds if feed.stream == stream)


class SimulatedYard(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.run_ = YardRun(hallin_reach(), 20, ANCHOR, 30, hallin_story())
        cls.told = cls.run_.run()

    def test_the_same_seed_tells_the_same_past(self):
        again = YardRun(hallin_reach(), 20, ANCHOR, 30, hallin_story()).run()
        other = YardRun(hallin_reach(), 21, ANCHOR, 30, hallin_story()).run()
        for name in ("lots", "ops", "classes", "trips", "knives"):
            with self.subTest(name):
                self.assertEqual(getattr(again, name), getattr(self.told, name))
        self.assertNotEqual(other.lots, self.told.lots)

    def test_nothing_of_it_lies_in_the_future(self):
        for rows, name in ((self.told.lots, "at_s"), (self.told.ops, "to_s"), (self.told.classes, "at_s"), (self.told.trips, "at_s"), (self.told.knives, "at_s")):  # fmt: skip
            self.assertLessEqual(max(row[name] for row in rows), ANCHOR)

    def test_what_lies_there_is_what_came_less_what_was_chipped_and_drawn(self):
        yard = hallin_reach().yard
        piles = defaultdict(float)
        bark = {}
        for row in self.told.lots:
            moisture = np.mean([float(one) for one in row["moistures_pct"].split(";")]) / 100
            piles[row["pile"]] += (row["gross_t"] - row["tare_t"]) * (1 - moisture)
            bark[row["number"]] = (row["bark_pct"] or 0) / 100
        mean_bark = np.mean([share for number, share in bark.items() if number.startswith("R-")])
        for row in self.told.ops:
            piles[row["pile"]] -= row["bdt"]
            if row["kind"] == "chip":
                piles[row["to_pile"]] += row["bdt"] * (1 - mean_bark) * yard.chip_yield_frac
        for pile, held in self.run_.held.items():
            with self.subTest(pile):
                self.assertAlmostEqual(
                    piles[pile], sum(one.bdt for one in held), delta=0.01 * self.run_._aimed(pile) + 8
                )

    def test_piles_stay_between_empty_and_full(self):
        for pile in hallin_reach().yard.piles:
            there = sum(one.bdt for one in self.run_.held[pile.id])
            with self.subTest(pile.id):
                self.assertGreater(there, 0.03 * pile.capacity_bdt)
                self.assertLess(there, pile.capacity_bdt)

    def test_chips_are_drawn_as_the_balance_asks(self):
        chips = [row for row in self.told.ops if row["kind"] == "draw" and row["pile"] != "cane_pile"]
        hours = (ANCHOR - min(row["from_s"] for row in chips)) / 3600
        self.assertAlmostEqual(
            sum(row["bdt"] for row in chips) / hours, feed_of(self.run_, "chips_in").bdt_per_h, delta=0.2
        )

    def test_numbers_are_given_once_and_loads_pass_the_gate_mostly(self):
        numbers = [row["number"] for row in self.told.lots]
        self.assertEqual(len(set(numbers)), len(numbers))
        answers = defaultdict(int)
        for row in self.told.lots:
            material = hallin_reach().yard.material(row["material"])
            found = {
                name: float(row[f"{name}_pct"])
                for name in ("bark", "fines", "overthick", "pith", "grit")
                if row[f"{name}_pct"] != ""
            }
            answers[decide(found, tuple(test.as_test() for test in material.tests)).answer] += 1
        self.assertGreater(answers["accept"], 0.9 * len(numbers))
        self.assertGreater(answers["deduct"], 0)

    def test_today_two_trips_are_in_one_lot(self):
        midnight = ANCHOR - ANCHOR % DAY_S
        today = [row["lot"] for row in self.told.trips if row["at_s"] > midnight + 6 * 3600]
        self.assertEqual(len(today), 5)
        self.assertEqual(len(set(today)), 4)

    def test_overthick_grows_with_the_hours_on_the_knives(self):
        by_source = defaultdict(list)
        for row in self.told.classes:
            masses = [float(one) for one in row["masses_g"].split(";")]
            by_source[row["source"]].append((row["at_s"], 100 * masses[1] / sum(masses)))
        changes = [row["at_s"] for row in self.told.knives if row["chipper"] == "chipper_1"]
        early, late = [], []
        for at_s, thick in by_source["chipper_1"]:
            since = at_s - max([change for change in changes if change <= at_s], default=at_s)
            (early if since < 6 * 3600 else late).append(thick)
        self.assertLess(np.mean(early), np.mean(late))


class Files(TestCase):
    def rows(self, text):
        return list(csv.DictReader(io.StringIO(text)))

    def test_gate_and_probe_speak_of_the_same_ticket(self):
        files = dict(gate_files(hallin_reach().yard, 20, ANCHOR, ANCHOR, ANCHOR + 3 * EVERY_TICKET_S))
        self.assertEqual(len(files), 8)
        for name, text in files.items():
            (first, *more) = self.rows(text)
            with self.subTest(name):
                self.assertEqual(first["ticket"], name.partition("_")[2].removesuffix(".csv"))
                self.assertEqual(len(more), 2 if name.startswith("probe") else 0)

    def test_a_moment_gives_the_same_file_whenever_it_is_asked_for(self):
        whole = dict(gate_files(hallin_reach().yard, 20, ANCHOR, ANCHOR, ANCHOR + DAY_S))
        parts = dict(gate_files(hallin_reach().yard, 20, ANCHOR, ANCHOR, ANCHOR + DAY_S / 2))
        parts |= dict(gate_files(hallin_reach().yard, 20, ANCHOR, ANCHOR + DAY_S / 2, ANCHOR + DAY_S))
        self.assertEqual(whole, parts)

    def test_belts_carry_what_the_cook_needs(self):
        run = YardRun(hallin_reach(), 20, ANCHOR, 10, hallin_story())
        run.run()
        rates = belt_rates(run)
        chips, cane = (feed_of(run, name).bdt_per_h for name in ("chips_in", "bagasse_in"))
        self.assertAlmostEqual(sum(rate for pile, rate in rates.items() if pile != "cane_pile"), chips)
        (name, text), *_ = belt_files(rates, ANCHOR, ANCHOR + 1, ANCHOR + EVERY_BELT_S)
        self.assertEqual(name, "belt_00001.csv")
        self.assertAlmostEqual(sum(float(row["bdt"]) for row in self.rows(text)), (chips + cane) / 2, places=2)

    def test_it_opens_at_any_minute_of_the_day(self):
        day = 86_400 * (ANCHOR // 86_400)
        for hour in (0.0, 5.99, 6.1, 6.45, 6.55, 6.7, 12.0, 18.2, 23.9):
            with self.subTest(hour):
                YardRun(hallin_reach(), 20, day + 3600 * hour, 3, hallin_story()).run()

    def test_loads_are_such_as_their_material(self):
        rng = np.random.default_rng(1)
        for material in hallin_reach().yard.materials:
            row = load_of(material, "1", rng)
            with self.subTest(material.id):
                self.assertAlmostEqual(row["gross_t"] - row["tare_t"], material.net_t, delta=0.08 * material.net_t)
                self.assertEqual(row["pith_pct"] != "", material.form == "bagasse")
                self.assertEqual(row["fines_pct"] != "", material.form == "chips")

    def test_history_is_thinned_with_age_and_files_are_dropped_once(self):
        plant = Plant(hallin_reach(), 20, ANCHOR, hallin_story())
        with TemporaryDirectory() as folder:
            write_history(plant, Path(folder), 2.0, 6)
            with (Path(folder) / "instruments.csv").open() as file:
                times = sorted(
                    ANCHOR - int(row["at_s"]) for row in csv.DictReader(file) if row["tag"] == "machine_level"
                )
            with (Path(folder) / "laboratory.csv").open() as file:
                kappa = sorted(ANCHOR - int(row["at_s"]) for row in csv.DictReader(file) if row["tag"] == "brown_cons")
            dropped = sorted(path.name for path in (Path(folder) / "drop").iterdir())
            run = YardRun(plant.line, plant.seed, ANCHOR, 6, plant.story)
            run.run()
            (Path(folder) / "drop" / "taken").mkdir()
            (Path(folder) / "drop" / dropped[0]).rename(Path(folder) / "drop" / "taken" / dropped[0])
            drop_files(plant, run, Path(folder) / "drop", ANCHOR - 40 * 60, ANCHOR)
            again = sorted(path.name for path in (Path(folder) / "drop").iterdir() if path.is_file())
        gaps = np.diff(times)
        self.assertEqual({60.0, 600.0, 3600.0} & set(gaps), {60.0, 600.0, 3600.0})
        self.assertTrue((np.diff(gaps[gaps >= 60]) >= -3600).all())
        self.assertLess(len([age for age in kappa if age > 3 * DAY_S]), 5)
        self.assertGreater(len([age for age in kappa if age < DAY_S]), 10)
        self.assertEqual(len(dropped), 4)
        self.assertEqual(again, dropped[1:])


class Midnight(TestCase):
    def test_nothing_of_the_past_lies_ahead_at_any_hour_it_opens(self):
        for hour in (0, 3, 7, 13, 19, 23):
            anchor = ANCHOR - ANCHOR % DAY_S + 3600 * hour + 90
            plant = Plant(hallin_reach(), 20, anchor, hallin_story())
            run = YardRun(plant.line, plant.seed, anchor, 4, plant.story)
            run.run()
            for name in ("trips", "classes"):
                for row in getattr(run.told, name):
                    if "at_s" in row:
                        with self.subTest(hour=hour, what=name):
                            self.assertLessEqual(row["at_s"], anchor)
            for _, at_s, _ in plant.laboratory(anchor - 2 * DAY_S, anchor):
                self.assertLess(at_s, anchor)
