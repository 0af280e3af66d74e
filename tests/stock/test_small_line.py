"""The balance on a line small enough to solve by hand: one source, a dilution, a wire with its white water, a reel."""

from copy import deepcopy
from unittest import TestCase

from stock.errors import DomainError
from stock.line.balance import LineBalance, Order
from stock.line.definition import DefinitionError
from tests.mills import defined

HEADBOX_PCT, THICK_PCT, RETAINED, COUCH_PCT = 0.8, 3.0, 0.9, 20.0

SMALL = {
    "format": "fox-vat-line/2",
    "mill": "Small",
    "note": "made up for a test",
    "families": [{"id": "bales", "name": "Bales", "tone": "bales"}],
    "stations": [{"id": "all", "kind": "slush", "name": "All", "purpose": "everything", "cautions": {}}],
    "tags": [],
    "units": [
        {"id": "store", "kind": "source", "name": "Bales", "station": "all", "family": "bales", "consistency_pct": 90, "solids": {"fibre": 1}},
        {"id": "pulper", "kind": "mix", "name": "Pulper", "station": "all", "consistency_pct": 5.0, "capacity_bdt_per_h": 12},
        {"id": "chest", "kind": "mix", "name": "Chest", "station": "all", "recipe": True, "consistency_pct": THICK_PCT},
        {"id": "headbox", "kind": "mix", "name": "Head box", "station": "all", "consistency_pct": HEADBOX_PCT},
        {"id": "wire", "kind": "separate", "name": "Wire", "station": "all", "accept": "sheet", "rest": "tray", "accept_frac": {"fibre": RETAINED}, "consistency_pct": COUCH_PCT},
        {"id": "pit", "kind": "tank", "name": "Wire pit", "station": "all", "overflow": "over"},
        {"id": "dryer", "kind": "separate", "name": "Dryer", "station": "all", "accept": "dry", "rest": "vapour", "accept_frac": {}, "consistency_pct": 95},
        {"id": "reel", "kind": "sink", "name": "Reel", "station": "all", "order": True},
        {"id": "air", "kind": "sink", "name": "Air", "station": "all"},
        {"id": "sewer", "kind": "sink", "name": "Sewer", "station": "all"},
        {"id": "main", "kind": "water", "name": "Mains", "station": "all"},
    ],
    "streams": [
        {"id": "bales", "from": "store", "to": "pulper"},
        {"id": "fresh", "from": "main", "to": "pulper"},
        {"id": "slush", "from": "pulper", "to": "chest"},
        {"id": "thin", "from": "pit", "to": "chest"},
        {"id": "thick", "from": "chest", "to": "headbox"},
        {"id": "back", "from": "pit", "to": "headbox"},
        {"id": "flow", "from": "headbox", "to": "wire"},
        {"id": "sheet", "from": "wire", "to": "dryer"},
        {"id": "tray", "from": "wire", "to": "pit"},
        {"id": "over", "from": "pit", "to": "sewer"},
        {"id": "dry", "from": "dryer", "to": "reel"},
        {"id": "vapour", "from": "dryer", "to": "air"},
    ],
    "grades": [
        {"id": "plain", "name": "plain", "family": "white", "grammage_g_per_m2": 80, "moisture_pct": 5, "ash_frac": 0, "shares": {"slush": 1}, "tonnes_per_h": 10, "width_m": 4, "csf_ml": 400, "brightness_pct": 80}
    ],
}  # fmt: skip


def line(change=None):
    raw = deepcopy(SMALL)
    if change:
        change(raw)
    return defined(raw)


def unit(raw, name):
    return next(one for one in raw["units"] if one["id"] == name)


class ByHand(TestCase):
    def setUp(self):
        self.line = line()
        self.result = LineBalance(self.line).solve(Order.of(self.line.grades[0]))

    def test_the_reel_holds_the_order(self):
        self.assertAlmostEqual(self.result.streams["dry"].total_t_per_h, 10)
        self.assertAlmostEqual(self.result.streams["dry"].bdt_per_h, 9.5)
        self.assertAlmostEqual(self.result.streams["vapour"].total_t_per_h, 9.5 / 0.20 - 10)

    def test_the_wire_retains_its_share(self):
        on_wire = 9.5 / RETAINED
        self.assertAlmostEqual(self.result.streams["flow"].bdt_per_h, on_wire)
        self.assertAlmostEqual(self.result.streams["flow"].total_t_per_h, 100 * on_wire / HEADBOX_PCT)
        self.assertAlmostEqual(self.result.streams["tray"].bdt_per_h, on_wire - 9.5)

    def test_every_stream_from_the_pit_is_as_strong_as_the_tray(self):
        tray = self.result.streams["tray"]
        strength = tray["fibre"] / tray["water"]
        for name in ("back", "thin", "over"):
            stream = self.result.streams[name]
            self.assertAlmostEqual(stream["fibre"] / stream["water"], strength, places=8)

    def test_the_head_box_mixes_as_the_method_says(self):
        from stock.delivery.machine import headbox_balance

        box = headbox_balance(
            sheet_bdt_per_h=9.5,
            retention_frac=RETAINED,
            headbox_pct=HEADBOX_PCT,
            thick_pct=THICK_PCT,
            couch_solids_pct=COUCH_PCT,
        )
        self.assertAlmostEqual(box.headbox_t_per_h, self.result.streams["flow"].total_t_per_h, places=6)
        self.assertAlmostEqual(box.thick_t_per_h, self.result.streams["thick"].total_t_per_h, places=4)
        self.assertAlmostEqual(box.recirculated_t_per_h, self.result.streams["back"].total_t_per_h, places=4)

    def test_fibre_from_the_bales_leaves_as_paper_or_with_the_overflow(self):
        lost = self.result.streams["over"].bdt_per_h
        self.assertAlmostEqual(self.result.streams["bales"].bdt_per_h, 9.5 + lost, places=9)

    def test_water_closes_over_the_whole_line(self):
        fed = self.result.streams["fresh"]["water"] + self.result.streams["bales"]["water"]
        left = sum(self.result.streams[name]["water"] for name in ("over", "vapour", "dry"))
        self.assertAlmostEqual(fed, left, places=8)
        self.assertLess(self.result.closure_frac, 1e-12)

    def test_the_pulper_binds_where_its_capacity_says(self):
        fed = self.result.streams["slush"].bdt_per_h
        self.assertAlmostEqual(self.result.most_t_per_h, 10 * 12 / fed)
        self.assertEqual(self.result.binding.unit, "Pulper")


class Changed(TestCase):
    def test_a_yield_costs_what_it_says(self):
        def cook(raw):
            raw["units"].append({"id": "cook", "kind": "react", "name": "Cook", "station": "all", "yield_frac": 0.5})
            raw["streams"][0]["to"] = "cook"
            raw["streams"].append({"id": "cooked", "from": "cook", "to": "pulper"})

        changed = line(cook)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertAlmostEqual(result.streams["cooked"]["fibre"], 0.5 * result.streams["bales"]["fibre"])
        self.assertAlmostEqual(result.streams["cooked"]["organics"], 0.5 * result.streams["bales"]["fibre"])

    def test_filler_runs_until_the_sheet_holds_its_ash(self):
        def filled(raw):
            raw["units"].append(
                {
                    "id": "clay",
                    "kind": "source",
                    "name": "Clay",
                    "station": "all",
                    "consistency_pct": 40,
                    "solids": {"filler": 1},
                }
            )
            raw["streams"].append({"id": "slurry", "from": "clay", "to": "headbox"})
            raw["grades"][0]["ash_frac"] = 0.15
            unit(raw, "wire")["accept_frac"] = {"fibre": 0.9, "filler": 0.5}

        changed = line(filled)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertAlmostEqual(result.streams["dry"]["filler"] / result.streams["dry"].bdt_per_h, 0.15)
        lost = result.streams["over"]["filler"]
        self.assertAlmostEqual(result.streams["slurry"]["filler"], 0.15 * 9.5 + lost, places=9)

    def test_a_split_sends_all_down_the_branch_the_grade_names(self):
        def split(raw):
            raw["units"].append(
                {
                    "id": "gate",
                    "kind": "split",
                    "name": "Gate",
                    "station": "all",
                    "accept": "left",
                    "rest": "right",
                    "by_grade": True,
                }
            )
            raw["streams"][-2]["to"] = "gate"
            raw["streams"].append({"id": "left", "from": "gate", "to": "reel"})
            raw["streams"].append({"id": "right", "from": "gate", "to": "sewer"})

        changed = line(split)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertAlmostEqual(result.streams["left"].total_t_per_h, 10)
        self.assertAlmostEqual(result.streams["right"].total_t_per_h, 0)

    def test_a_dose_follows_its_stream(self):
        def dosed(raw):
            raw["units"].append(
                {
                    "id": "lye",
                    "kind": "dose",
                    "name": "Lye",
                    "station": "all",
                    "solids": {"inorganics": 1},
                    "kg_per_t": 100,
                    "water_t_per_t": 0.5,
                    "of_stream": "bales",
                }
            )
            raw["streams"].append({"id": "lye_in", "from": "lye", "to": "pulper"})

        changed = line(dosed)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        fibre = result.streams["bales"].bdt_per_h
        self.assertAlmostEqual(result.streams["lye_in"]["inorganics"], 0.1 * fibre)
        self.assertAlmostEqual(result.streams["lye_in"]["water"], 0.5 * fibre)

    def test_a_thirsty_tank_is_named_with_how_much_it_lacks(self):
        def dry(raw):
            unit(raw, "wire")["consistency_pct"] = 0.9

        changed = line(dry)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertFalse(result.feasible)
        self.assertRegex(result.shortages[0], r"Wire pit runs short of water by \d+\.\d t/h")
        with self.assertRaisesRegex(DomainError, "Wire pit runs short"):
            result.require_feasible()

    def test_a_separator_set_too_thin_is_named(self):
        def thin(raw):
            unit(raw, "wire")["consistency_pct"] = 0.5

        changed = line(thin)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertTrue(any("Wire would pass on more water than it is fed" in words for words in result.shortages))

    def test_a_dilution_nobody_asks_for_is_found_when_the_line_is_assembled(self):
        def unasked(raw):
            unit(raw, "pulper").pop("consistency_pct")

        with self.assertRaisesRegex(DefinitionError, "unknown flows but"):
            LineBalance(line(unasked))

    def test_a_loop_with_no_exit_is_refused(self):
        def closed(raw):
            unit(raw, "wire")["accept_frac"] = {"fibre": 0.0}

        changed = line(closed)
        with self.assertRaises(DomainError) as caught:
            LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertEqual(caught.exception.code, "E_SINGULAR")

    def test_a_loop_that_lets_out_little_is_solved(self):
        def nearly_closed(raw):
            unit(raw, "wire")["accept_frac"] = {"fibre": 0.0001}

        changed = line(nearly_closed)
        result = LineBalance(changed).solve(Order.of(changed.grades[0]))
        self.assertLess(result.closure_frac, 1e-9)
        self.assertGreater(max(stream.bdt_per_h for stream in result.streams.values()), 1000)
