"""Washing and screening in depth: balances close, closed forms agree, more water loses less, what cannot be is refused by name."""

from itertools import pairwise

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.screening.cascade import cascade_balance, cascade_hydraulics
from stock.screening.cleaner import cleaners_in_service, cleaners_plugged
from stock.screening.counting import counts_compared, counts_scatter, debris_counted
from stock.screening.passage import reject_for_accepts
from stock.washing.answering import line_answers
from stock.washing.line import STAGES, coefficients, washed_line
from stock.washing.norden import L, displacement_equivalent, norden_efficiency_ratio, norden_outlet, stage_efficiency
from stock.washing.stage import washing_loss_frac
from stock.washing.stairs import machines_of, spread_over, steps_of, washed
from stock.washing.water import best_factor, most_factor
from stock.washing.witnesses import factor_witnesses
from stock.working import recording
from tests.line import hallin_reach


def refused(case: SimpleTestCase, code: str, argument: str, call, **arguments) -> None:
    """Assert that a call is refused with a code, naming an argument."""
    with case.assertRaises(DomainError) as caught:
        call(**arguments)
    case.assertEqual((caught.exception.code, caught.exception.argument), (code, argument))


def dense(stages, feed_pct, conc, factor, wash):
    """Return what mats and filtrates hold by one dense solve of all equations, written anew from the balances."""
    line = coefficients([{**STAGES.defaults, **one} for one in stages], feed_pct, factor)
    count = len(line.l_out)
    matrix, right = np.zeros((2 * count, 2 * count)), np.zeros(2 * count)
    for at in range(count):
        mat, tank = 2 * at, 2 * at + 1
        matrix[mat, mat], matrix[mat, tank] = 1.0, -line.of_filtrate[at]
        matrix[tank, mat] = line.l_out[at]
        matrix[tank, tank] = line.l_in[at] + line.factor[at] + line.added[at]
        right[tank] = line.added[at] * line.added_conc[at]
        for row, feeds, washes in (
            (mat, line.of_feed[at], line.of_wash[at]),
            (tank, line.l_in[at], line.l_out[at] + line.factor[at]),
        ):
            if at:
                matrix[row, mat - 2] -= feeds
            else:
                right[row] += feeds * conc
            if at + 1 < count:
                matrix[row, tank + 2] -= washes
            else:
                right[row] += washes * wash
    found = np.linalg.solve(matrix, right)
    return found[0::2], found[1::2]


drums = st.fixed_dictionaries(
    {
        "vat_consistency_pct": st.floats(0.7, 2.0),
        "discharge_consistency_pct": st.floats(9.0, 14.0),
        "displacement_ratio": st.floats(0.4, 0.92),
        "added_t_per_bdt": st.floats(0.0, 1.0),
        "added_conc_kg_per_t": st.floats(0.0, 20.0),
        "bleed_t_per_bdt": st.floats(0.0, 0.5),
    }
)
others = st.fixed_dictionaries({"discharge_consistency_pct": st.floats(9.0, 32.0), "e_std_ratio": st.floats(0.5, 7.0)})
lines = st.lists(st.one_of(drums, others), min_size=1, max_size=8)


class LineTests(SimpleTestCase):
    """A counter-current line, whatever its machines."""

    @settings(max_examples=80)
    @given(lines, st.floats(9.0, 12.0), st.floats(20.0, 200.0), st.floats(1.0, 4.0), st.floats(0.0, 8.0))
    def test_it_closes_on_each_machine_and_in_all(self, stages, feed_pct, conc, factor, wash):
        found = washed_line(
            stages=stages, feed_consistency_pct=feed_pct, feed_conc_kg_per_t=conc, dilution_factor_t_per_bdt=factor,
            wash_conc_kg_per_t=wash,
        )  # fmt: skip
        self.assertLess(found.closure_frac, 1e-9)
        self.assertTrue(np.isfinite(found.discharge_each_kg_per_t).all())
        mats, tanks = dense(stages, feed_pct, conc, factor, wash)
        self.assertLess(np.abs(np.array(found.discharge_each_kg_per_t) - mats).max(), 1e-7 * conc)
        self.assertLess(np.abs(np.array(found.filtrate_each_kg_per_t) - tanks).max(), 1e-7 * conc)
        self.assertLess(found.loss_kg_per_bdt, (100 - feed_pct) / feed_pct * conc + 200)

    @settings(max_examples=60)
    @given(lines, st.floats(40.0, 200.0), st.floats(1.2, 3.5))
    def test_more_water_loses_less(self, stages, conc, factor):
        given_ = {"stages": stages, "feed_consistency_pct": 10.0, "feed_conc_kg_per_t": conc}
        less, more = (
            washed_line(dilution_factor_t_per_bdt=one, **given_).loss_kg_per_bdt for one in (factor, factor + 0.5)
        )
        self.assertLess(more, less + 1e-9)

    @settings(max_examples=60)
    @given(st.lists(st.floats(0.5, 5.0), min_size=1, max_size=8), st.floats(0.3, 4.0))
    def test_machines_in_series_agree_with_the_closed_form(self, efficiencies, factor):
        stages = [
            {"discharge_consistency_pct": 9.0 + index, "e_std_ratio": one} for index, one in enumerate(efficiencies)
        ]
        found = washed_line(
            stages=stages, feed_consistency_pct=11.0, feed_conc_kg_per_t=100.0, dilution_factor_t_per_bdt=factor
        )
        share = washing_loss_frac(
            dilution_factor_t_per_bdt=factor, feed_consistency_pct=11.0, e_std_total_ratio=sum(efficiencies)
        )
        self.assertAlmostEqual(1 - found.wash_yield_frac, share, delta=1e-9)

    def test_a_mixed_line_and_stray_water_come_out_as_the_reference_has_them(self):
        mixed = [
            {"discharge_consistency_pct": 12, "e_std_ratio": 3.0},
            {"discharge_consistency_pct": 30, "e_std_ratio": 4.0},
        ]
        given_ = {"feed_consistency_pct": 10, "feed_conc_kg_per_t": 150, "dilution_factor_t_per_bdt": 2.5}
        self.assertAlmostEqual(washed_line(stages=mixed, **given_).loss_kg_per_bdt, 61.41, places=2)
        for place, loss in ((0, 16.21), (1, 14.69)):
            stages = [
                {"vat_consistency_pct": 1.2, "discharge_consistency_pct": 12, "displacement_ratio": one}
                for one in (0.78, 0.80, 0.82)
            ]
            stages[place]["added_t_per_bdt"] = 0.5
            found = washed_line(stages=stages, **given_)
            self.assertAlmostEqual(found.loss_kg_per_bdt, loss, places=2)
            self.assertAlmostEqual(found.strong_liquor_t_per_bdt, 12.0)

    @settings(max_examples=60)
    @given(st.floats(0.5, 6.0), st.floats(-0.5, 4.0), st.floats(40.0, 150.0), st.floats(0.0, 10.0))
    def test_an_outlet_shows_the_efficiency_it_came_from(self, e_std, factor, conc, wash):
        given_ = {"feed_consistency_pct": 9.0, "discharge_consistency_pct": 12.0, "dilution_factor_t_per_bdt": factor}
        out = norden_outlet(
            feed_conc_kg_per_t=conc, wash_conc_kg_per_t=wash, e_ratio=e_std, std_consistency_pct=10.0, **given_
        )
        shown = norden_efficiency_ratio(
            feed_conc_kg_per_t=conc, filtrate_conc_kg_per_t=out.filtrate_conc_kg_per_t,
            discharge_conc_kg_per_t=out.discharge_conc_kg_per_t, wash_conc_kg_per_t=wash, std_consistency_pct=10.0, **given_,
        )  # fmt: skip
        self.assertAlmostEqual(shown, e_std, delta=1e-6 * e_std)

    def test_conductivities_serve_since_a_straight_calibration_cancels(self):
        given_ = {"dilution_factor_t_per_bdt": 2.5, "discharge_consistency_pct": 12}
        solids = stage_efficiency(
            filtrate_conc_kg_per_t=30, discharge_conc_kg_per_t=14, wash_conc_kg_per_t=5, **given_
        ).e_std_ratio
        by_k25 = stage_efficiency(
            filtrate_conc_kg_per_t=0.4 + 1.3 * 30, discharge_conc_kg_per_t=0.4 + 1.3 * 14,
            wash_conc_kg_per_t=0.4 + 1.3 * 5, **given_,
        ).e_std_ratio  # fmt: skip
        self.assertAlmostEqual(solids, by_k25)

    def test_a_line_answers_in_hours_and_stronger_feed_takes_longest(self):
        example = line_answers.method.example.arguments
        mat = line_answers(**example)
        strong = line_answers(**{**example, "of_word": "strong liquor"})
        feed = line_answers(**{**example, "changed_word": "feed", "to_read": 160})
        self.assertAlmostEqual(strong.t63_min / 60, 1.3, delta=0.1)
        self.assertAlmostEqual(feed.t63_min / 60, 4.8, delta=0.1)
        self.assertLess(strong.t63_min, mat.t63_min)

    def test_what_cannot_be_is_refused_by_name(self):
        given_ = {"feed_consistency_pct": 10, "feed_conc_kg_per_t": 100, "dilution_factor_t_per_bdt": 2.5}
        thick = {"discharge_consistency_pct": 12, "vat_consistency_pct": 15, "displacement_ratio": 0.8}
        for stages, extra, code, argument in (
            ([], {}, "E_COUNT", "stages"),
            ([thick], {}, "E_RANGE", "stages[0].vat_consistency_pct"),
            ([{"discharge_consistency_pct": 12}], {}, "E_RANGE", "stages[0].e_std_ratio"),
            ([{"discharge_consistency_pct": 12, "e_std_ratio": 3}], {"dilution_factor_t_per_bdt": -9.5}, "E_RANGE",
             "dilution_factor_t_per_bdt"),
            ([{"discharge_consistency_pct": 12, "e_std_ratio": 3, "speed": 3}], {}, "E_TYPE", "stages[0]"),
        ):  # fmt: skip
            with self.subTest(argument):
                refused(self, code, argument, washed_line, stages=stages, **{**given_, **extra})

    def test_machines_of_a_mill_add_to_its_line_and_measured_ones_stand(self):
        unit = next(one for one in hallin_reach().units if one.id == "wood_wash")
        machines = machines_of(unit)
        self.assertAlmostEqual(sum(one.e_std for one in machines), unit.wash.e_std)
        shown = spread_over(machines, 10.0, {1: 3.0})
        self.assertEqual(shown[1], 3.0)
        self.assertAlmostEqual(sum(shown), 10.0)

    def test_every_machine_of_a_mill_closes_its_water_and_its_solids(self):
        for unit_id, stray in (("wood_wash", 0.0), ("cane_wash", 0.6)):
            unit = hallin_reach().unit(unit_id)
            shown = [one.e_std for one in machines_of(unit)]
            factor, solids = (Datum(value, Origin("set", "a test")) for value in (2.4, 1500.0))
            found = washed(unit, shown, factor, solids, stray_t_per_bdt=stray, wash_conc_kg_per_t=0.8)
            steps = steps_of(unit, found)
            self.assertEqual([one.number for one in steps], list(range(1, len(shown) + 1)))
            for one in steps:
                with self.subTest(one.machine.name):
                    added = stray if one.number == 1 else 0.0
                    comes = one.fed_t_per_bdt + one.wash_t_per_bdt + added
                    self.assertAlmostEqual(comes, one.mat_t_per_bdt + one.filtrate_t_per_bdt)
                    brought = one.fed_t_per_bdt * one.fed_kg_per_t + one.wash_t_per_bdt * one.wash_kg_per_t
                    taken = one.leaves_kg_per_bdt + one.filtrate_t_per_bdt * one.filtrate_kg_per_t
                    self.assertAlmostEqual(brought, taken, places=6)
                    vat_pct = one.machine.vat_consistency_pct
                    vat_t = L(consistency_pct=vat_pct) if vat_pct else one.fed_t_per_bdt
                    thinned = (vat_t - one.fed_t_per_bdt) * one.filtrate_kg_per_t
                    held = one.fed_t_per_bdt * one.fed_kg_per_t + thinned
                    self.assertAlmostEqual(vat_t * one.vat_kg_per_t, held, places=6)
            for before, after in pairwise(steps):
                self.assertEqual(after.fed_kg_per_t, before.mat_kg_per_t)
                self.assertEqual(before.wash_kg_per_t, after.filtrate_kg_per_t)
            self.assertAlmostEqual(steps[-1].leaves_kg_per_bdt, found.results["loss_kg_per_bdt"])
            self.assertEqual(steps[-1].wash_kg_per_t, 0.8)

    @settings(max_examples=40)
    @given(st.floats(0.5, 0.95), st.floats(0.8, 1.6), st.floats(9, 16), st.floats(0, 4))
    def test_a_standard_drum_is_its_own_equivalent_and_a_thinner_vat_counts_for_more(self, ratio, inlet, mat, factor):
        standard = displacement_equivalent(
            displacement_ratio=ratio, inlet_consistency_pct=1.0, discharge_consistency_pct=12.0,
            dilution_factor_t_per_bdt=factor,
        )  # fmt: skip
        self.assertAlmostEqual(standard, ratio)
        known = {"displacement_ratio": ratio, "inlet_consistency_pct": inlet, "dilution_factor_t_per_bdt": factor}
        drier = [displacement_equivalent(**known, discharge_consistency_pct=one) for one in (mat, mat + 1)]
        self.assertGreater(drier[1], drier[0])  # the same share displaced from a drier mat leaves less


class WaterTests(SimpleTestCase):
    """How much water is best, and what three witnesses say of it."""

    @settings(max_examples=40)
    @given(st.floats(8.0, 16.0), st.floats(1.0, 8.0), st.floats(0.05, 1.0))
    def test_the_best_factor_is_no_dearer_than_any_near_it(self, total, water, lost):
        given_ = {
            "feed_consistency_pct": 10, "feed_solids_kg_per_bdt": 1500, "e_std_total_ratio": total,
            "evaporation_cost_per_t": water, "loss_cost_per_kg": lost,
        }  # fmt: skip
        best = best_factor(**given_)
        for factor in np.linspace(0.5, 6.0, 45):
            share = washing_loss_frac(
                dilution_factor_t_per_bdt=float(factor), feed_consistency_pct=10, e_std_total_ratio=total
            )
            self.assertLessEqual(best.cost_per_bdt, water * factor + lost * 1500 * share + 1e-6)

    def test_a_bound_that_decides_is_said(self):
        with recording() as record:
            found = best_factor(
                feed_consistency_pct=10, feed_solids_kg_per_bdt=1500, e_std_total_ratio=12, evaporation_cost_per_t=0.1,
                loss_cost_per_kg=1.0, most_t_per_bdt=2.5,
            )  # fmt: skip
        self.assertEqual((found.dilution_factor_t_per_bdt, found.bound_count), (2.5, 1.0))
        self.assertIn("bound of 2.5", record.warnings[0])

    def test_stray_water_takes_its_room_at_the_evaporators(self):
        given_ = most_factor.method.example.arguments
        self.assertAlmostEqual(most_factor(**given_) - most_factor(**{**given_, "stray_t_per_bdt": 0.5}), 0.5)

    def test_a_meter_that_reads_high_parts_from_the_solids(self):
        given_ = factor_witnesses.method.example.arguments
        self.assertEqual(factor_witnesses(**given_).flow_solids_count, 0)
        high = factor_witnesses(**{**given_, "wash_liquor_t_per_bdt": 12.0})
        self.assertEqual((high.flow_solids_count, high.flow_warmth_count), (1, 1))
        refused(self, "E_SINGULAR", "filtrate_c", factor_witnesses, **{**given_, "filtrate_c": 65})


shares = st.floats(0.02, 0.95)


class CascadeTests(SimpleTestCase):
    """A cascade agrees with an independent solve, loses no mass, and needs a way out."""

    @settings(max_examples=60)
    @given(st.lists(shares, min_size=1, max_size=6), st.floats(100.0, 1e5))
    def test_it_agrees_with_an_independent_solve(self, rejects, feed):
        count = len(rejects)
        found = cascade_balance(reject_each_frac=rejects, feed_kg_per_h=feed)
        matrix = np.eye(count)
        for at, reject in enumerate(rejects):
            if at + 1 < count:
                matrix[at + 1, at] -= reject
            if at:
                matrix[at - 1, at] -= 1 - reject
        fed = np.linalg.solve(matrix, feed * np.eye(count)[0])
        np.testing.assert_allclose(found.stage_feed_each_kg_per_h, fed, rtol=1e-6)
        self.assertLess(found.closure_frac, 1e-9)

    def test_two_and_three_stages_agree_with_their_closed_forms(self):
        one, two, three = 0.2, 0.3, 0.4
        found = cascade_balance(reject_each_frac=[one, two], feed_kg_per_h=1000).overall_reject_frac
        self.assertAlmostEqual(found, one * two / (1 - one * (1 - two)))
        found = cascade_balance(reject_each_frac=[one, two, three], feed_kg_per_h=1000).overall_reject_frac
        self.assertAlmostEqual(found, one * two * three / (1 - one * (1 - two) - two * (1 - three)))

    @settings(max_examples=40)
    @given(st.lists(st.floats(0.05, 0.5), min_size=2, max_size=5), st.integers(0, 4))
    def test_more_rejects_anywhere_lose_more(self, rejects, at):
        at %= len(rejects)
        more = [one + (0.05 if index == at else 0.0) for index, one in enumerate(rejects)]
        before, after = (cascade_balance(reject_each_frac=one, feed_kg_per_h=1000) for one in (rejects, more))
        self.assertGreater(after.reject_kg_per_h, before.reject_kg_per_h)

    def test_what_cannot_be_is_refused_by_name(self):
        for arguments, code, argument in (
            ({"reject_each_frac": [1.2], "feed_kg_per_h": 100}, "E_RANGE", "reject_each_frac"),
            ({"reject_each_frac": [0.2, 0.3], "feed_kg_per_h": 100, "reject_to_each_count": [1, 7]}, "E_RANGE",
             "reject_to_each_count[1]"),
            ({"reject_each_frac": [0.2, 0.3], "feed_kg_per_h": 100, "reject_to_each_count": [1]}, "E_COUNT",
             "reject_to_each_count"),
            ({"reject_each_frac": [0.2, 0.3], "feed_kg_per_h": 100, "accept_to_each_count": [1, 0],
              "reject_to_each_count": [1, 0]}, "E_SINGULAR", "reject_each_frac"),
        ):  # fmt: skip
            with self.subTest(argument):
                refused(self, code, argument, cascade_balance, **arguments)

    def test_a_stage_thicker_than_its_inflows_is_refused(self):
        stages = [dict(one) for one in cascade_hydraulics.method.example.arguments["stages"]]
        stages[1]["feed_consistency_pct"] = 3.0
        refused(
            self, "E_INFEASIBLE", "stages[1].feed_consistency_pct", cascade_hydraulics, feed_od_t_per_h=10,
            stages=stages,
        )  # fmt: skip

    def test_more_cleaners_than_there_are_is_refused(self):
        given_ = cleaners_in_service.method.example.arguments
        refused(self, "E_INFEASIBLE", "installed_count", cleaners_in_service, **{**given_, "installed_count": 20})
        refused(self, "E_INFEASIBLE", "bank_l_per_min", cleaners_in_service, **{**given_, "bank_l_per_min": 100})

    def test_less_pressure_than_clean_is_said_not_counted(self):
        with recording() as record:
            found = cleaners_plugged(open_count=23, drop_kpa=120, clean_kpa=143.5)
        self.assertEqual(found.plugged_count, 0)
        self.assertIn("worn", record.warnings[0])

    def test_what_a_gauge_wanders_by_is_what_the_count_wanders_by(self):
        def count(drop_kpa):
            return cleaners_plugged(open_count=23, drop_kpa=drop_kpa, clean_kpa=143.5).plugged_count

        found = cleaners_plugged(open_count=23, drop_kpa=170, clean_kpa=143.5, gauge_sd_kpa=3.0)
        slope = (count(170.5) - count(169.5)) / 1.0
        self.assertAlmostEqual(found.u_plugged_count, 3.0 * slope, places=4)

    def test_a_reject_rate_past_the_unit_is_refused_with_the_best_it_reaches(self):
        given_ = reject_for_accepts.method.example.arguments
        with self.assertRaises(DomainError) as caught:
            reject_for_accepts(**given_, limit_frac=0.28)
        self.assertEqual(caught.exception.code, "E_INFEASIBLE")
        self.assertIn("34.3 per kg", caught.exception.message)

    def test_counts_say_how_little_they_say(self):
        self.assertEqual(debris_counted(found_count=0, sample_g=50).low_per_kg, 0)
        few = counts_compared(accept_count=18, accept_g=100, feed_count=46, feed_g=100)
        many = counts_compared(accept_count=180, accept_g=1000, feed_count=460, feed_g=1000)
        self.assertLess(many.high_ratio - many.low_ratio, 0.4 * (few.high_ratio - few.low_ratio))
        refused(self, "E_RANGE", "found_count", debris_counted, found_count=2.5, sample_g=10)
        refused(self, "E_SINGULAR", "feed_count", counts_compared, accept_count=1, accept_g=1, feed_count=0, feed_g=1)
        refused(self, "E_SINGULAR", "repeats_count", counts_scatter, repeats_count=[0, 0])
