"""Where sums end: records before their first line, what nothing moved through, the last batch of all."""

from django.test import SimpleTestCase

from stock.bleaching.forward import Blown, coming, kappa_at, within
from stock.bleaching.track import Track
from stock.delivery.broke import break_fills_min
from stock.figure import Datum, Origin
from stock.line.balance import LineBalance
from stock.line.order import Order
from stock.washing.norden import displacement_equivalent
from stock.washing.stairs import answer_min, machines_of, steps_of, washed
from stock.washing.unit import Washer
from stock.working import find_method
from tests.line import hallin_reach

SAID = Origin("set", "test")


class Tracks(SimpleTestCase):
    """Time turned into pulp and back."""

    def test_before_its_first_line_the_first_rate_holds(self) -> None:
        track = Track([-4.0, -2.0], [0.5, 1.0])
        self.assertEqual(track.at_rate(-2.0), -2.0)
        self.assertEqual(track.at_rate(-4.0), -3.0)
        self.assertEqual(track.at_rate(-6.0), -4.0)
        for hour in (-7.0, -5.0, -3.0, -1.5, 0.0, 2.0):
            with self.subTest(hour):
                self.assertAlmostEqual(track.by_clock(track.at_rate(hour)), hour)

    def test_over_a_stop_it_is_the_latest_moment_and_no_time_passes_in_pulp(self) -> None:
        track = Track([-5.0, -3.0, -1.0], [1.0, 0.0, 1.0])
        self.assertEqual(track.passed(-3.0, -1.0), 0.0)
        self.assertEqual(track.by_clock(-1.0), -1.0)
        self.assertEqual(track.by_clock(-1.5), -3.5)

    def test_what_stood_from_the_first_ends_at_the_first(self) -> None:
        track = Track([-3.0], [0.0])
        self.assertEqual((track.by_clock(-1.0), track.stands_since_h), (-3.0, -3.0))
        self.assertIsNone(Track([-3.0], [0.05]).stands_since_h)
        self.assertEqual(Track([-3.0, -1.0], [1.0, 0.04]).stands_since_h, -1.0)
        self.assertIsNone(Track().stands_since_h)


class Batches(SimpleTestCase):
    """What comes to the first mixer."""

    def test_the_last_lasts_as_its_pulp_is_drawn_or_as_the_one_before(self) -> None:
        two = [Blown("1", -6.0, 9.0, 18.0), Blown("2", -2.0, 9.0, 24.0)]
        drawn = coming(two, 9.0, 1.0, 18.0, rate_bdt_per_h=3.0)
        self.assertEqual([(one.from_h, one.to_h) for one in drawn], [(-5.0, -1.0), (-1.0, 2.0)])
        self.assertEqual([one.kappa for one in drawn], [18.0, 21.0])  # half of it was there before
        alike = coming(two, 9.0, 1.0, 18.0)
        self.assertEqual((alike[-1].from_h, alike[-1].to_h), (-1.0, 3.0))
        slow = coming(two, 9.0, 1.0, 18.0, rate_bdt_per_h=0.5)
        self.assertEqual(slow[-1].to_h, 17.0)

    def test_before_and_after_all_of_them_it_is_as_usual(self) -> None:
        parts = coming([Blown("1", -6.0, 9.0, 24.0)], 0.0, 1.0, 18.0, rate_bdt_per_h=3.0)
        self.assertEqual([kappa_at(parts, hour, 18.0) for hour in (-5.5, -5.0, -2.5, -2.0)], [18.0, 24.0, 24.0, 18.0])

    def test_where_it_lies_in_a_stage_is_told_from_its_top(self) -> None:
        parts = coming([Blown("1", -2.0, 9.0, 24.0)], 0.0, 0.0, 18.0, rate_bdt_per_h=9.0)  # from −2 to −1 h
        (lies,) = within(parts, 0.0, 4.0)
        self.assertEqual((lies.top, lies.foot), (0.25, 0.5))
        self.assertEqual(within(parts, 3.0, 4.0), [])  # not there yet
        (out,) = within(parts, 0.0, 1.5)
        self.assertEqual((round(out.top, 6), out.foot), (round(1 / 1.5, 6), 1.0))


class Washing(SimpleTestCase):
    def test_each_machine_closes_over_its_own_liquors(self) -> None:
        for unit in (one for one in hallin_reach().units if isinstance(one, Washer)):
            machines = machines_of(unit)
            found = washed(unit, [one.e_std for one in machines], Datum(2.5, SAID), Datum(1500.0, SAID))
            steps = steps_of(unit, found)
            for step in steps:
                with self.subTest(unit.id, machine=step.machine.name):
                    came = step.fed_kg_per_t * step.fed_t_per_bdt + step.wash_kg_per_t * step.wash_t_per_bdt
                    left = step.mat_kg_per_t * step.mat_t_per_bdt + step.filtrate_kg_per_t * step.filtrate_t_per_bdt
                    self.assertAlmostEqual(left, came, delta=1e-6 * came)
                    low, high = sorted((step.fed_kg_per_t, step.filtrate_kg_per_t))
                    self.assertTrue(low - 1e-9 <= step.vat_kg_per_t <= high + 1e-9)
            self.assertAlmostEqual(steps[-1].leaves_kg_per_bdt, found.value, places=6)
            self.assertGreater(answer_min(unit), 2.0)

    def test_a_displacement_equivalent_loses_as_much_on_a_standard_drum(self) -> None:
        def loss(ratio: float, vat: float, thick: float, factor: float, feed: float) -> float:
            line = find_method("washed_line").call(
                stages=[{"vat_consistency_pct": vat, "discharge_consistency_pct": thick, "displacement_ratio": ratio}],
                feed_consistency_pct=feed, feed_conc_kg_per_t=100.0, dilution_factor_t_per_bdt=factor,
            )  # fmt: skip
            return float(line.loss_kg_per_bdt)

        for ratio, vat, thick, factor in ((0.8, 1.2, 11.0, 2.5), (0.7, 2.5, 10.0, 1.5), (0.85, 1.5, 14.0, 3.0)):
            equivalent = displacement_equivalent(
                displacement_ratio=ratio, inlet_consistency_pct=vat, discharge_consistency_pct=thick,
                dilution_factor_t_per_bdt=factor,
            )  # fmt: skip
            for feed in (3.0, 10.0):
                with self.subTest(ratio=ratio, vat=vat, feed=feed):
                    wanted = loss(ratio, vat, thick, factor, feed)
                    self.assertAlmostEqual(loss(equivalent, 1.0, 12.0, factor, feed), wanted, places=9)


class Breaks(SimpleTestCase):
    def test_a_break_fills_the_chest_its_trim_runs_to_by_the_whole_sheet(self) -> None:
        line = hallin_reach()
        order = Order.of(line.grades[0])
        result = LineBalance(line).solve(order)
        found = {unit.id: break_fills_min(line, result, unit.id, 50.0) for unit in line.units}
        filled = {unit_id: minutes for unit_id, minutes in found.items() if minutes is not None}
        self.assertTrue(filled)
        for unit_id, minutes in filled.items():
            unit = line.unit(unit_id)
            with self.subTest(unit_id):
                self.assertTrue(2 < minutes < 600)
                half = break_fills_min(line, result, unit_id, (unit.high_pct + 50.0) / 2)
                self.assertAlmostEqual(half, minutes / 2, places=6)  # half the room, half the time
                self.assertIsNone(break_fills_min(line, result, unit_id, unit.high_pct))
        self.assertIsNone(break_fills_min(line, result, "nowhere", 50.0))
