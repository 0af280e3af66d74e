"""What is planned of a bleach: the cheapest charges that reach a brightness, the kappa of the cooks fed forward."""

from itertools import product

import numpy as np
from django.test import SimpleTestCase

from stock.bleaching.charge import kappa_forward
from stock.bleaching.cheapest import Lever, Limits, cheapest, cheapest_on_one_floor
from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.forward import Blown, coming, exit_ahead, kappa_at, within
from stock.bleaching.sequence import STAGES, Pulp, stage_end
from tests.line import hallin_reach
from tests.stock.test_washing import refused

SHORT = [
    {
        "charge_kg_per_bdt": charge, "response_per_kg": response, "ks_floor_ks": floor, "rate_factor": rate,
        "kappa_floor_kappa": least, "cut_scission": cut, "loss_per_kappa_pct": 0.2, "loss_pct": loss,
        "cod_demand_kg_per_kg": demand, "wash_removal_frac": washed,
    }
    for charge, response, floor, rate, least, cut, loss, demand, washed in (
        (26.4, 0.18, 0.006, 11, 2.0, 0.1, 0.1, 0.4, 0.8),
        (5.0, 0.27, 0.006, 5, 1.0, 0.4, 0.6, 0.05, 0.85),
        (12.0, 0.25, 0.006, 2, 0.5, 1.0, 0.4, 0.05, 0.8),
    )
]  # fmt: skip


class Cheapest(SimpleTestCase):
    """The least cost, held against every charge of a grid."""

    LEVERS = (Lever(0, 4, 14, 1.40, 2.63), Lever(1, 1, 8, 0.85), Lever(2, 2, 16, 0.85))

    def solve(self, target, levers=None, **limits):
        return cheapest(SHORT, 12, 42, 900, 8, levers or self.LEVERS, Limits(target, **limits))

    def test_no_charges_of_a_grid_are_cheaper(self):
        found = self.solve(84.5)
        self.assertGreaterEqual(found.brightness_pct, 84.5 - 1e-3)
        for charges in product(*(np.linspace(one.least, one.most, 21) for one in self.LEVERS)):
            pulp, cost = Pulp(12.0, ks_of(42), (0.75 * 900) ** (1 / 0.905), 1.0, 8.0), 0.0
            for lever, charge, stage in zip(self.LEVERS, charges, SHORT, strict=True):
                cost += charge * lever.cost_per_kg * pulp.yield_frac
                _, pulp = stage_end({**STAGES.defaults, **stage, "charge_kg_per_bdt": charge * lever.per_kg}, pulp)
            if brightness_of(pulp.ks) >= 84.5:
                self.assertGreaterEqual(cost / pulp.yield_frac, found.cost_per_bdt - 0.02)

    def test_on_one_floor_it_agrees_with_the_closed_form(self):
        response, price = [0.3, 0.2, 0.4], [1.0, 0.7, 1.6]
        least, most = [0.5, 0.5, 0.5], [30.0, 30.0, 30.0]
        closed = cheapest_on_one_floor(
            ks_in_ks=0.3, target_ks=0.012, ks_floor_ks=0.005, response_each_per_kg=response, price_each_cost_per_kg=price,
            least_each_kg_per_bdt=least, most_each_kg_per_bdt=most,
        )  # fmt: skip
        stages = [{"charge_kg_per_bdt": 1, "response_per_kg": one, "ks_floor_ks": 0.005} for one in response]
        levers = [Lever(at, 0.5, 30.0, one) for at, one in enumerate(price)]
        found = cheapest(stages, 5, brightness_of(0.3), 900, 0, levers, Limits(brightness_of(0.012)))
        for one, other in zip(found.charges, closed.charge_each_kg_per_bdt, strict=True):
            self.assertAlmostEqual(one, other, delta=0.03)
        self.assertAlmostEqual(found.cost_per_bdt, closed.cost_per_bdt, delta=0.002)

    def test_it_says_what_binds_what_the_next_point_costs_and_where_it_is_flat(self):
        found = self.solve(84.5)
        self.assertIn("brightness", found.binds)
        self.assertIn("stage 2 at its most, 8: its window", found.binds)
        self.assertGreater(found.next_point, 1.0)
        for charge, (low, high), lever in zip(found.charges, found.flat, self.LEVERS, strict=True):
            self.assertTrue(lever.least - 1e-6 <= low <= charge + 1e-6 and charge - 1e-6 <= high <= lever.most + 1e-6)
        dearer = self.solve(84.5, (Lever(0, found.flat[0][1], found.flat[0][1] + 1e-6, 1.40, 2.63), *self.LEVERS[1:]))
        self.assertAlmostEqual(dearer.cost_per_bdt / found.cost_per_bdt, 1.01, delta=0.004)

    def test_out_of_reach_names_the_reachable_best_and_what_limits_it(self):
        for target, limits, words in (
            (96.0, {}, "with every charge at its most it ends at 87"),
            (84.5, {"viscosity_ml_per_g": 800.0}, "these stages leave 763 mL/g whatever is charged"),
            (84.5, {"aox_kg_per_bdt": 0.3}, "inside the limits of chlorinated organics: they allow"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                self.solve(target, **limits)
        refused(self, "E_COUNT", "levers", cheapest, stages=SHORT, kappa=12, brightness_pct=42, viscosity_ml_per_g=900,
                cod_kg_per_bdt=8, levers=[], limits=Limits(80.0))  # fmt: skip


USUAL = (13.5, 4.0, 6.0)


class Forward(SimpleTestCase):
    """What comes, by cook."""

    BLOWN = (
        Blown("1", -9, 10, 18, True),
        Blown("2", -6, 10, 18, True),
        Blown("3", -3, 10, 24, True),
        Blown("4", 0, 10, 18, False),
    )

    def test_the_blow_tank_mixes_and_the_way_takes_its_time(self):
        parts = coming(self.BLOWN, 10.0, 1.5, 18.0)
        self.assertEqual([one.label for one in parts], ["1", "2", "3", "4"])
        self.assertAlmostEqual(parts[2].kappa, 21.0)
        self.assertAlmostEqual(parts[3].kappa, 19.5)
        self.assertEqual((parts[2].from_h, parts[2].to_h), (-1.5, 1.5))
        self.assertAlmostEqual(kappa_at(parts, 0.0, 18.0), 21.0)
        self.assertEqual(kappa_at(parts, -30.0, 17.5), 17.5)
        self.assertEqual(coming((), 10, 1, 18.0), [])
        self.assertEqual(parts[3].to_h, 4.5)  # the last lasts as long as the one before, or by what is drawn
        self.assertEqual(coming(self.BLOWN, 10.0, 1.5, 18.0, 5.0)[3].to_h, 3.5)

    def test_each_cook_lies_where_it_is(self):
        parts = coming(self.BLOWN, 0.0, 0.0, 18.0)
        lies = within(parts, 0.0, 6.0)
        self.assertEqual([(one.label, one.top, one.foot) for one in lies], [("2", 0.5, 1.0), ("3", 0.0, 0.5)])
        self.assertAlmostEqual(sum(one.foot - one.top for one in within(parts, 2.0, 4.0)), 1.0)

    def test_a_rise_of_kappa_is_foretold_at_the_exit(self):
        unit = hallin_reach().unit("wood_bleach")
        parts = coming(self.BLOWN, 0.0, 1.0, 18.0)
        ahead = exit_ahead(unit, lambda at, hour: USUAL[at], parts, 84.5, 18.0, [60, 90, 150])
        self.assertAlmostEqual(ahead.brightness_pct[0], 84.5)
        when, worst = ahead.worst()
        self.assertTrue(3.0 <= when <= 6.0 and worst < 83.0, (when, worst))
        met = exit_ahead(
            unit,
            lambda at, hour: USUAL[at] + (4.0 if at == 0 and hour > -2.5 else 0.0),
            parts,
            84.5,
            18.0,
            [60, 90, 150],
        )
        self.assertAlmostEqual(met.brightness_pct[0], 84.5)  # what is out already was given nothing more
        self.assertGreater(met.worst()[1], worst + 0.4)  # and what is met in time is foretold to be

    def test_shares_that_are_not_all_of_it_are_refused(self):
        given_ = {"kappa_each_kappa": [18.0, 20.0], "base_kappa": 18, "kappa_factor": 0.2}
        refused(self, "E_SUM", "shares_frac", kappa_forward, shares_frac=[0.5, 0.4], **given_)
        refused(self, "E_COUNT", "kappa_each_kappa", kappa_forward, shares_frac=[1.0], **given_)
