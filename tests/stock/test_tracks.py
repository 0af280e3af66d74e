"""Towers followed by what passed them, tanks by what left them, steam and liquor by their balances."""

from unittest import TestCase

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from stock.bleaching.dosing import dosing_flow
from stock.bleaching.heating import direct_steam, indirect_steam
from stock.bleaching.peroxide import fresh_peroxide, peroxide_loop
from stock.bleaching.proof import pumped_charge, tank_charge, tank_cover_h
from stock.bleaching.solutions import tanks, titrated
from stock.bleaching.tower import tower_exit_age
from stock.bleaching.track import Track
from stock.bleaching.unit import BleachStage, Stage
from stock.errors import DomainError
from stock.screening.counting import quotient_by_counts
from stock.working import recording
from tests.line import hallin_reach

RATES = st.lists(st.floats(0, 3), min_size=2, max_size=40)


class Tracks(TestCase):
    @given(RATES, st.floats(-40, 3))
    @example([2.225073858507203e-309, 0.0], -1.0)
    def test_time_turned_into_pulp_and_back(self, shares, hour):
        track = Track(list(np.linspace(-24, -0.5, len(shares))), shares)
        passed = track.at_rate(hour)
        self.assertAlmostEqual(track.at_rate(track.by_clock(passed)), passed, places=6)
        later = track.at_rate(hour + 0.5)
        self.assertGreaterEqual(later, passed - 1e-9)

    @settings(max_examples=40)
    @given(st.lists(st.floats(0.1, 2), min_size=4, max_size=20), st.floats(0.2, 4))
    def test_the_pulp_at_the_exit_went_in_when_the_book_says(self, shares, hold_h):
        hours = list(np.linspace(-30, -1, len(shares)))
        track, rate = Track(hours, shares), 8.0
        history = [
            {"ago_min": -60 * hour, "feed_bdt_per_h": rate * share} for hour, share in zip(hours, shares, strict=True)
        ]
        held = sum(one["feed_bdt_per_h"] for one in history)
        if held / len(shares) * 25 < hold_h * rate:
            return
        try:
            age = tower_exit_age(feed_history=history, hold_up_bdt=hold_h * rate)
        except DomainError:
            return  # the record is too short for it
        self.assertAlmostEqual(-60 * track.by_clock(-hold_h), age, places=4)

    def test_what_stands_ages_and_says_since_when(self):
        stood = Track([-3, -1], [1.0, 0.0])
        self.assertEqual(stood.stands_since_h, -1)
        self.assertAlmostEqual(stood.by_clock(-2), -3)  # two hours of pulp take three with the stop
        self.assertAlmostEqual(stood.passed(-3, 0), 2)
        self.assertIsNone(Track([-3], [0.5]).stands_since_h)
        self.assertIsNone(Track().stands_since_h)
        self.assertEqual(Track([-2], [0.0]).stands_since_h, -2)


class Dosed(TestCase):
    @given(st.floats(0.1, 60), st.floats(0.5, 40), st.floats(1, 500))
    def test_the_pump_gives_the_charge_it_was_set_for(self, charge, rate, strength):
        flow = dosing_flow(charge_kg_per_bdt=charge, production_bdt_per_h=rate, solution_g_per_l=strength)
        given_ = pumped_charge(flow_l_per_min=flow, solution_g_per_l=strength, production_bdt_per_h=rate)
        self.assertAlmostEqual(given_, charge, places=8)

    @given(st.floats(0.5, 30), st.floats(2, 20), st.floats(1, 24))
    def test_a_tank_that_fell_by_its_pump_proves_its_charge(self, charge, rate, hours):
        flow = dosing_flow(charge_kg_per_bdt=charge, production_bdt_per_h=rate, solution_g_per_l=60.0)
        used = flow * 60 * hours / 1000
        if used > 4000:
            return
        proved = tank_charge(
            held_m3=used + 5,
            loads_m3=0,
            holds_m3=5,
            solution_g_per_l=60,
            pulp_bdt=rate * hours,
            meant_kg_per_bdt=charge,
        )
        self.assertAlmostEqual(proved.charge_kg_per_bdt, charge, places=6)
        cover = tank_cover_h(holds_m3=used, flow_l_per_min=flow)
        self.assertAlmostEqual(cover, hours, places=6)

    def test_a_slipping_pump_is_named_and_a_tank_that_gained_is_refused(self):
        told = {"loads_m3": 0, "solution_g_per_l": 60, "pulp_bdt": 100, "meant_kg_per_bdt": 4.0}
        with recording() as noted:
            self.assertLess(tank_charge(held_m3=15, holds_m3=10, **told).over_frac, -0.2)
        self.assertIn("25 % less than meant", noted.warnings[0])
        with self.assertRaises(DomainError) as caught:
            tank_charge(held_m3=10, holds_m3=15, **told)
        self.assertEqual(caught.exception.code, "E_BALANCE")

    def test_who_draws_from_which_tank(self):
        line = hallin_reach()
        units = [one for one in line.units if isinstance(one, BleachStage)]
        found = {(one.unit.id, one.dose.at, one.dose.chemical): one for one in tanks(units)}
        caustic = found["wood_bleach", 1, "caustic"]
        self.assertEqual(
            [(unit.id, one.at) for unit, one in caustic.draws],
            [("wood_bleach", 1), ("wood_bleach", 2), ("cane_bleach", 1), ("cane_bleach", 2)],
        )
        dioxide = found["wood_bleach", 0, "dioxide"]
        self.assertEqual(
            [(unit.id, one.at) for unit, one in dioxide.draws][:2], [("wood_bleach", 0), ("wood_bleach", 2)]
        )
        self.assertEqual({dose.id for dose in titrated(line, units[0]).values()}, {"wood_dose"})

    def test_what_is_given_beside_stands_once(self):
        old = Stage.model_validate({"symbol": "P", "alkali_kg_per_bdt": 9})
        self.assertEqual(old.alkali_kg_per_bdt, 9)
        with self.assertRaisesRegex(ValueError, "stands beside P twice"):
            Stage.model_validate({
                "symbol": "P", "alkali_kg_per_bdt": 9, "beside": [{"chemical": "caustic", "charge_kg_per_bdt": 1}]
            })  # fmt: skip


class Balances(TestCase):
    @given(st.floats(2, 20), st.floats(20, 60), st.floats(1, 30))
    def test_steam_through_a_wall_costs_what_its_condensate_keeps(self, thick, cold, rise):
        told = {"production_bdt_per_h": 10, "stock_consistency_pct": thick, "in_c": cold, "out_c": cold + rise}
        straight = direct_steam(**told).steam_t_per_h
        cool = indirect_steam(**told, condensate_c=cold + rise)
        self.assertAlmostEqual(straight, cool, places=9)  # condensate as warm as the stock: the same heat
        self.assertGreater(indirect_steam(**told, condensate_c=150), cool)

    @given(st.floats(0, 0.9), st.floats(5, 15), st.floats(0, 1), st.floats(5, 80))
    def test_the_loop_closes(self, residual, diluted, back, cod):
        told = {"residual_frac": residual, "press_consistency_pct": 30, "charge_kg_per_bdt": 24}
        loop = peroxide_loop(**told, diluted_consistency_pct=diluted, return_frac=back, new_cod_kg_per_bdt=cod)
        self.assertAlmostEqual(loop.cod_kg_per_bdt * (1 - loop.returned_frac), cod, places=6)
        self.assertAlmostEqual(loop.fresh_kg_per_bdt + loop.back_kg_per_bdt, 24, places=9)
        if back == 1:
            same = fresh_peroxide(**told, mixed_consistency_pct=diluted)
            self.assertAlmostEqual(loop.fresh_kg_per_bdt, same, places=9)

    def test_a_loop_with_no_way_out_is_refused(self):
        told = {"charge_kg_per_bdt": 24, "residual_frac": 0.2, "diluted_consistency_pct": 1, "new_cod_kg_per_bdt": 30}
        with self.assertRaises(DomainError) as caught:
            peroxide_loop(**told, press_consistency_pct=40, return_frac=1)
        self.assertEqual(caught.exception.code, "E_SINGULAR")
        with self.assertRaises(DomainError):
            peroxide_loop(**{**told, "diluted_consistency_pct": 30}, press_consistency_pct=12, return_frac=0.5)


class Counted(TestCase):
    @given(st.floats(0.05, 0.4), st.floats(0.2, 0.95))
    def test_a_quotient_returns_from_the_counts_it_makes(self, reject, quotient):
        removal = reject / (1 - quotient + quotient * reject)
        accepts = round(1e5 * (1 - removal) / (1 - reject))
        found = quotient_by_counts(
            accept_count=accepts, accept_g=1000, feed_count=100_000, feed_g=1000, mass_reject_frac=reject
        )
        self.assertAlmostEqual(found.quotient_ratio, quotient, delta=0.01)
        self.assertLessEqual(found.low_ratio, found.quotient_ratio)
        self.assertGreaterEqual(found.high_ratio, found.quotient_ratio)
