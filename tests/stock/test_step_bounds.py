"""What bounds a first step, chapter by chapter, on the demonstration mill with a limit drawn close: each by hand."""

from functools import cache
from unittest import TestCase
from unittest.mock import patch

from stock.bleaching.last_stage import CAUSTIC_PER_ACTIVE_CL
from stock.decisions import RULES
from stock.figure import Datum
from stock.judge.advice import advise
from stock.judge.limits import judge
from tests.line import MILL, hallin_reach
from tests.mills import defined, raw_of
from tests.stock.test_judge import SEEN, Facts, card, solved

ACTIVE_CL = 2.63  # kg of active chlorine a kilogram of dioxide is


@cache
def changed(unit_id, *fields, stage=None):
    """Return Hallin Reach with some fields of a unit, or of a stage of its, another."""
    told = raw_of(MILL)
    (unit,) = [one for one in told["units"] if one["id"] == unit_id]
    part = unit if stage is None else unit["stages"][stage]
    for name, value in fields:
        if isinstance(value, tuple):  # where a fitted figure holds
            part[name]["holds"] = list(value)
        elif value is None:
            part.pop(name, None)
        else:
            part[name] = value
    return defined(told)


def step(found):
    return found.step.results["step_moved"]


def said(found):
    return " / ".join(found.carrying)


def beside(tag_id, value, line, **others):
    """Return the card of a value, others read beside it."""
    tag = line.tag(tag_id)
    return advise(RULES, tag, judge(tag, value), Facts(line, **others, **{tag_id: value}))


class Bleaching(TestCase):
    def test_a_charge_stays_where_its_response_is_known(self):
        line = changed("wood_bleach", ("response_per_kg", (5.5, 6.4)), stage=2)
        dull, bright = card("wood_brightness", 82.0, line), card("wood_brightness", 88.0, line)
        self.assertAlmostEqual(step(dull), 0.4)
        self.assertAlmostEqual(step(bright), -0.5)
        for found in (dull, bright):
            self.assertIn("Cut to what can be done: the response is known from 5.5 to 6.4 kg/BDt only", said(found))

    def test_a_charge_goes_no_further_than_its_pump_and_only_upward_is_that_asked(self):
        line = changed("wood_bleach", ("most_l_per_min", 68.0), stage=2)
        rate = Facts(line).flow("thick_brown").value
        most = 68.0 * 8.8 * 60 / (1000 * rate)
        self.assertAlmostEqual(step(card("wood_brightness", 82.0, line)), most - 6)
        self.assertIn(f"the pump gives 68 L/min, {most:.1f} kg/BDt", said(card("wood_brightness", 82.0, line)))
        self.assertNotIn("the pump gives", said(card("wood_brightness", 88.0, line)))

    def test_with_the_charge_go_pump_and_caustic(self):
        found = card("wood_brightness", 83.28)
        rate = Facts().flow("thick_brown").value
        pump = (6 + step(found)) * rate * 1000 / (8.8 * 60)
        caustic = CAUSTIC_PER_ACTIVE_CL * ACTIVE_CL * step(found)
        self.assertIn(
            f"Pump at {pump:.1f} L/min at the present rate. Caustic with it, {caustic:+.1f} kg/BDt", said(found)
        )
        unsaid = changed("wood_bleach", ("solution_g_per_l", None), ("most_l_per_min", None), stage=2)
        self.assertNotIn("Pump at", said(card("wood_brightness", 83.28, unsaid)))
        self.assertNotIn("Caustic with it", said(card("cane_brightness", 82.3)))  # peroxide carries no chlorine

    def test_what_leaves_unused_is_counted_by_the_water_of_its_stage(self):
        found = card("d1_residual", 0.164)
        water_per_t = 100 / 10.5 - 1
        by_hand = (0.164 - 0.06) * water_per_t / ACTIVE_CL
        self.assertAlmostEqual(found.size.value, by_hand, places=2)
        thick = changed("wood_bleach", ("consistency_pct", 14.0), stage=2)
        less = card("d1_residual", 0.164, thick).size.value
        self.assertAlmostEqual(less / found.size.value, (100 / 14 - 1) / water_per_t, places=6)

    def test_a_first_stage_is_looked_at_through_the_extraction(self):
        found = card("e_kappa", 4.12)
        unit, rate = hallin_reach().unit("wood_bleach"), Facts().flow("thick_brown").value
        minutes = sum(one.minutes(rate) for one in unit.stages[:2])
        self.assertAlmostEqual(found.look.data["plug_min"].value, minutes)
        caustic = CAUSTIC_PER_ACTIVE_CL * ACTIVE_CL * step(found)
        self.assertIn(f"Extraction's caustic with it, {caustic:+.1f} kg/BDt", said(found))

    def test_an_accepted_rate_of_the_first_stage_stands_before_the_usual(self):
        usual = card("e_kappa", 4.12).size

        def stands(facts, point):
            return Datum(2 * usual.data["rate_factor"].value, SEEN) if point == "kappa_rate:wood_bleach:1" else None

        with patch.object(Facts, "stands", stands):
            faster = card("e_kappa", 4.12).size
        self.assertAlmostEqual(faster.value, usual.value / 2, places=6)

    def test_caustic_goes_by_what_it_is_short_of_and_never_below_nothing(self):
        sour, sharp = card("d1_ph", 3.2), card("d1_ph", 4.6)
        self.assertTrue(sour.correction.startswith(f"Add {step(sour):.2f} kg/BDt caustic"))
        self.assertTrue(sharp.correction.startswith(f"Cut {-step(sharp):.2f} kg/BDt caustic"))
        self.assertIn("below that it would take acid", said(self.little(0.3, 4.9)))
        self.assertAlmostEqual(step(self.little(0.3, 4.9)), -0.3)
        self.assertIn("its pump gives", said(self.little(1.5, 2.5, most_l_per_min=1.6)))

    def little(self, charge, value, **pump):
        """Return the card of the last stage's end pH with another charge of caustic."""
        told = raw_of(MILL)
        (unit,) = [one for one in told["units"] if one["id"] == "wood_bleach"]
        (caustic,) = [one for one in unit["stages"][2]["beside"] if one["chemical"] == "caustic"]
        caustic.update(charge_kg_per_bdt=charge, **pump)
        return card("d1_ph", value, defined(told))

    def test_a_solution_names_only_the_pumps_it_feeds_that_come_to_their_stop(self):
        weak = card("d0_strength", 4.0)
        self.assertIn("D0 reaches", said(weak))
        self.assertNotIn("EP reaches", said(weak))  # fed from another solution
        self.assertEqual(said(card("d0_strength", 7.78)), "")


class OnTheWay(TestCase):
    def test_power_stays_where_the_slope_is_known(self):
        flow = Facts().flow("wood_stored").value
        net = Facts().reading("wood_refiner_kw").value
        edge = (net - 20) / flow, (net + 10) / flow
        line = changed("wood_refine", ("slope", edge))
        for value, moved in ((520, 10), (400, -20)):
            found = beside("wood_freeness", value, line, wood_refiner_kw=net)
            self.assertAlmostEqual(step(found), moved, places=6)
            self.assertIn("the slope is known from", said(found))
        past = beside("wood_freeness", 520, line, wood_refiner_kw=net + 90)
        self.assertTrue(past.correction.startswith("Nothing more can be moved there: the slope is known"))
        usual = card("wood_freeness", 560)
        self.assertAlmostEqual(step(usual), 0.2 * net)
        self.assertIn(f"a fifth of the {net:.0f} kW it takes", said(usual))

    def test_a_shower_goes_by_three_tenths_of_dilution_factor(self):
        found = card("cane_wash_loss", 30.0)
        self.assertAlmostEqual(step(found), 0.3 * Facts().flow("cane_brown").value * 1000 / 60)
        self.assertIn(f"The evaporators get {step(found) * 0.06:.1f} m³/h more; do they take it?", said(found))
        low = card("cane_wash_loss", 5.0)
        self.assertIn(f"The evaporators get {-step(low) * 0.06:.1f} m³/h less", said(low))

    def test_the_reject_rate_stays_in_its_band_on_either_side(self):
        for now, value, to in ((22.0, 0.30, 0.23), (18.0, 0.09, 0.17)):
            found = beside("shives", value, hallin_reach(), screen_reject=now)
            self.assertAlmostEqual(found.step.value, to, places=6)
            self.assertIn("the reject rate's own band is 17 to 23 %", said(found))
        self.assertIn("In full it would take 31 %: look at the basket", said(card("shives", 0.276)))

    def test_a_basket_is_open_by_the_square_of_what_its_pressure_says(self):
        found = card("screen_drop", 36.8)
        clean = found.size.data["clean_kpa"].value
        self.assertAlmostEqual(found.size.value, (clean / 36.8) ** 0.5, places=6)
        twice = card("screen_drop", 4 * clean)
        self.assertAlmostEqual(twice.size.value, 0.5, places=6)

    def test_plugged_cleaners_are_whole_ones(self):
        found = card("cleaner_drop", 174)
        self.assertLess(found.size.value, 1)
        self.assertIn("about 1 plugged", found.correction)
        stage = hallin_reach().unit("clean").stages[0]
        data = found.size.data
        left = stage.installed * (data["clean_kpa"].value / 174) ** 0.5
        self.assertAlmostEqual(found.size.value, stage.installed - left, places=6)

    def test_water_of_a_batch_moves_by_a_tenth_at_most(self):
        found = card("pulper_cons", 22.0)
        water = hallin_reach().unit("pulper").batch_bdt * (100 / 22.0 - 1)
        self.assertAlmostEqual(step(found), 0.1 * water)
        self.assertIn(f"a tenth of the {water:.1f} t of water in a batch", said(found))


class Machine(TestCase):
    def test_filler_moves_by_a_fifth_and_to_no_more_than_its_store_gives(self):
        runs = solved(hallin_reach()).streams["filler"].bdt_per_h
        self.assertAlmostEqual(step(card("sheet_ash", 10.0)), 0.2 * runs)
        self.assertAlmostEqual(step(card("sheet_ash", 26.0)), -0.2 * runs)
        near = changed("filler_store", ("capacity_bdt_per_h", round(runs + 0.05, 4)))
        self.assertAlmostEqual(step(card("sheet_ash", 10.0, near)), round(runs + 0.05, 4) - runs)
        self.assertAlmostEqual(step(card("sheet_ash", 26.0, near)), -0.2 * runs)

    def test_a_save_all_that_loses_is_told_by_the_day_too(self):
        found = card("saveall_recovery", 78.2)
        self.assertIn(f"{24 * found.size.value / 1000:.1f} t a day", found.correction)
        target = hallin_reach().tag("saveall_recovery").band.target
        fed = found.size.data["fed_bdt_per_h"].value
        self.assertAlmostEqual(found.size.value, 1000 * fed * (target - 78.2) / 100, places=6)

    def test_shade_goes_by_the_dye_that_absorbs_in_proportion(self):
        now, target = 0.1004, hallin_reach().tag("sheet_shade").band.target
        found = card("sheet_shade", now)
        self.assertAlmostEqual(found.size.value, 100 * (target / now - 1), places=6)
        self.assertTrue(found.correction.startswith(f"Raise the dye by {step(found):.0f} %"))
        every = hallin_reach().tag("sheet_shade").every_h
        held = solved(hallin_reach()).order.reel_t_per_h * (every + 0.5)  # and half an hour on its way to the test
        self.assertIn(f"about {held:.0f} t; no second step", said(found))


class Yard(TestCase):
    def test_logs_are_fed_slower_only_where_the_time_in_the_drum_asks_for_it(self):
        enough, short = card("bark_in_chips", 1.14), card("bark_in_chips", 0.95)
        density = hallin_reach().cook.recipe("alder").basic_density_kg_per_m3
        runs = solved(hallin_reach()).streams["logs_in"].bdt_per_h * 1000 / density
        for found in (enough, short):
            if found.size.value >= runs:
                self.assertIn(f"Do not feed more: at the {runs:.1f} m³ solid/h it runs", found.correction)
            else:
                self.assertIn(f"in place of {runs:.1f}; thaw frozen logs first", found.correction)
