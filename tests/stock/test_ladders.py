"""What a ladder shows is what made it; dirt only fades, and what the file fits stands before what is usual."""

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from stock.bleaching.ladder import cut_fit, dirt_fit, kappa_rate_fit, through_nought
from stock.bleaching.sequence import STAGES, Pulp, bleached, stage_end
from stock.bleaching.symbols import SYMBOLS
from stock.bleaching.through import march, row_of, rows_for
from stock.bleaching.unit import Stage
from stock.errors import DomainError
from stock.working import recording
from tests.stock.test_washing import refused

CHARGES = [8.0, 12.0, 16.0, 20.0, 24.0, 28.0]
IN = Pulp(12.0, 0.2, 1200.0, 1.0, 0.0)


class Fits(TestCase):
    @given(st.floats(1, 15), st.floats(0.1, 3), st.floats(0.001, 0.1))
    def test_a_stage_marched_through_is_found_again(self, rate, cut, dirt):
        row = {**STAGES.defaults, "response_per_kg": 0.2, "ks_floor_ks": 0.006, "rate_factor": rate, "kappa_floor_kappa": 2.0,
               "cut_scission": cut, "dirt_factor": dirt}  # fmt: skip
        ends = [stage_end(row | {"charge_kg_per_bdt": charge}, IN)[1] for charge in CHARGES]
        kappas = np.array([one.kappa for one in ends])
        found = kappa_rate_fit(
            charge_each_kg_per_bdt=CHARGES, in_each_kappa=[12.0] * 6, out_each_kappa=kappas, floor_kappa=2.0
        )
        self.assertAlmostEqual(found.rate_factor / rate, 1.0, places=6)
        specks = [400 * one.dirt_frac for one in ends]
        fades = dirt_fit(charge_each_kg_per_bdt=CHARGES, in_each_per_kg=[400] * 6, out_each_per_kg=specks)
        self.assertAlmostEqual(fades.dirt_factor / dirt, 1.0, places=6)
        long = [one.dp**0.905 / 0.75 for one in ends]
        cuts = cut_fit(before_each_ml_per_g=[1200.0**0.905 / 0.75] * 6, after_each_ml_per_g=long)
        self.assertAlmostEqual(cuts.cut_scission / cut, 1.0, places=6)

    def test_scatter_is_in_the_band(self):
        """Three cuts of 1, 2 and 3: the mean is 2, Student's t at two degrees 4.303, the band 4.303 / sqrt(3)."""
        found = through_nought(np.ones(3), np.array([1.0, 2.0, 3.0]), "x")
        self.assertAlmostEqual(found.value, 2.0)
        self.assertAlmostEqual(found.high - found.value, 4.3027 / 3**0.5, places=3)

    def test_what_cannot_be_is_refused_by_name(self):
        six = [12.0] * 3
        for code, field, call, arguments in (
            ("E_RANGE", "floor_kappa", kappa_rate_fit,
             {"charge_each_kg_per_bdt": [1, 2, 3], "in_each_kappa": six, "out_each_kappa": [5, 4, 2], "floor_kappa": 2}),
            ("E_COUNT", "out_each_kappa", kappa_rate_fit,
             {"charge_each_kg_per_bdt": [1, 2, 3], "in_each_kappa": six, "out_each_kappa": [5, 4, 3, 3], "floor_kappa": 1}),
            ("E_SINGULAR", "charge_each_kg_per_bdt", dirt_fit,
             {"charge_each_kg_per_bdt": [0, 0, 0], "in_each_per_kg": [9] * 3, "out_each_per_kg": [8] * 3}),
            ("E_COUNT", "charge_each_kg_per_bdt", dirt_fit,
             {"charge_each_kg_per_bdt": [1, 2], "in_each_per_kg": [9] * 3, "out_each_per_kg": [8] * 3}),
        ):  # fmt: skip
            with self.subTest(call.__name__, field=field):
                refused(self, code, field, call, **arguments)

    def test_few_results_only_hint(self):
        with recording() as seen:
            cut_fit(before_each_ml_per_g=[950] * 3, after_each_ml_per_g=[820, 830, 810])
        self.assertIn("only hint", seen.warnings[0])


class Dirt(TestCase):
    def test_it_fades_by_what_each_stage_takes(self):
        """26.4 kg active chlorine at 0.03 leaves exp(-0.72), less what carry-over eats; 12 kg peroxide at 0.02 exp(-0.24)."""
        rows = [
            {"charge_kg_per_bdt": 26.4, "response_per_kg": 0.18, "ks_floor_ks": 0.006, "cod_demand_kg_per_kg": 0.4, "dirt_factor": 0.03},
            {"charge_kg_per_bdt": 12, "response_per_kg": 0.25, "ks_floor_ks": 0.006, "dirt_factor": 0.02},
        ]  # fmt: skip
        found = bleached(
            stages=rows, kappa_in_kappa=12, in_brightness_pct=42, viscosity_ml_per_g=900, carryover_cod_kg_per_bdt=6
        )
        self.assertAlmostEqual(found.dirt_each_frac[0], 0.486752, places=5)  # exp(-0.03 * 24)
        self.assertAlmostEqual(found.dirt_each_frac[1], 0.382893, places=5)  # exp(-0.72 - 0.24)

    def test_reducing_stages_leave_it(self):
        self.assertEqual(SYMBOLS["Y"].dirt_rate, 0.0)
        (end,) = march([row_of(Stage(symbol="Y"), SYMBOLS["Y"])], IN)
        self.assertEqual(end.dirt_frac, 1.0)


class Told(TestCase):
    """What the mill's file fits stands before what is usual of its kind."""

    FIT = {"fitted_from": "a ladder", "fitted_on": "2026-01-10", "by": "I. Orr"}

    def test_rates_of_the_file(self):
        stage = Stage(
            symbol="D0",
            kappa_rate={"value": 9.0, **self.FIT},
            scission={"value": 0.3, **self.FIT},
            dirt_rate={"value": 0.05, **self.FIT},
        )
        found, usual = row_of(stage, SYMBOLS["D0"]), row_of(Stage(symbol="D0"), SYMBOLS["D0"])
        self.assertEqual((found["rate_factor"], found["cut_scission"], found["dirt_factor"]), (9.0, 0.3, 0.05))
        self.assertEqual((usual["rate_factor"], usual["cut_scission"], usual["dirt_factor"]), (11, 0.1, 0.03))

    def test_oxygen_goes_by_its_own_law_until_its_rate_is_fitted(self):
        own, fitted = Stage(symbol="O"), Stage(symbol="O", kappa_rate={"value": 6.0, **self.FIT})
        law, told = (rows_for([one], [SYMBOLS["O"]], 25.0, 5.0)[0] for one in (own, fitted))
        self.assertNotEqual(law["rate_factor"], 6.0)
        self.assertEqual(told["rate_factor"], 6.0)

    def test_a_rate_of_nobody_is_refused(self):
        with self.assertRaises((ValueError, DomainError)):
            Stage(symbol="D0", kappa_rate={"value": "much", **self.FIT})
