"""Corrections that can be carried out: first steps, what bounds them, when they are left, what else moves."""

from unittest import TestCase

from stock.decisions import REASONS, RULES
from stock.figure import Datum, Origin
from stock.judge.advice import advise
from stock.judge.limits import judge
from stock.judge.quiet import why_quiet
from stock.line.load import load_definition
from tests.line import hallin_reach, tidewater_bench
from tests.mills import TWO_LINES
from tests.stock.test_judge import Facts, card, halfway


def sides_of(tag):
    """Return the sides a tag can be off on: a band's edge at the end of what is plausible has none."""
    low, high = tag.band.control
    return [
        side
        for side, there in (("low", low > tag.plausible[0]), ("high", high < tag.plausible[1]))
        if there and judge(tag, halfway(tag, side)).side == side
    ]


class EverySide(TestCase):
    def test_every_tag_with_a_band_has_advice_or_a_reason_for_each_side(self):
        mills = (hallin_reach(), tidewater_bench(), load_definition(TWO_LINES))
        for line, tag in ((mill, tag) for mill in mills for tag in mill.tags):
            for side in sides_of(tag) if tag.band else ():
                with self.subTest(f"{line.mill} {tag.id} {side}"):
                    value = halfway(tag, side)
                    verdict, facts = judge(tag, value), Facts(line, **{tag.id: value})
                    found = advise(RULES, tag, verdict, facts)
                    words = found.correction if found else why_quiet(REASONS, tag, verdict, facts)
                    self.assertGreater(len(words), 20)

    def test_no_first_step_is_more_than_the_whole_or_goes_the_other_way(self):
        for tag in hallin_reach().tags:
            for side in sides_of(tag) if tag.band else ():
                for value in (halfway(tag, side), tag.band.action[side == "high"]):
                    found = card(tag.id, value)
                    if found is None or found.step is None:
                        continue
                    with self.subTest(f"{tag.id} {value}"):
                        full = found.step.data["full_correction_moved"].value
                        step = found.step.results["step_moved"]
                        self.assertLessEqual(abs(step), abs(full) + 1e-9)
                        self.assertGreaterEqual(step * full, 0)

    def test_a_step_says_when_to_look_again(self):
        for tag_id, value in (("brown_cons", 3.7), ("wash_loss", 21.0), ("kappa_wood", 19.8), ("wood_freeness", 488)):
            with self.subTest(tag_id):
                self.assertTrue(any("Look again" in words for words in card(tag_id, value).carrying))


class LeftAlone(TestCase):
    def test_inside_the_error_of_the_test_it_is_left(self):
        tag = hallin_reach().tag("bale_freeness")
        narrow = tag.model_copy(update={"band": tag.band.model_copy(update={"control": (515.0, 525.0)})})
        found = advise(RULES, narrow, judge(narrow, 530.0), Facts(bale_freeness=530.0))
        self.assertTrue(found.leave)
        self.assertIn("Leave it: 530 is 10 mL CSF from target, and the test alone can be 14 off", found.correction)


class Bounds(TestCase):
    def test_feed_is_no_more_than_what_comes_before_can_carry_and_the_rest_is_taken_off_the_draw(self):
        found = card("cane_tower_level", 23)
        full = found.step.data["full_correction_moved"].value
        step = found.step.results["step_moved"]
        self.assertLess(step, full)
        said = " ".join(found.carrying)
        self.assertRegex(said, r"can pass \d+(\.\d+)? BDt/h, of which the order takes \d")
        self.assertRegex(said, r"cut the cane share by \d+ points")

    def test_the_reject_rate_stays_in_its_own_band_in_steps_of_three_points(self):
        for value in (0.27, 0.30, 0.40):
            found = card("shives", value)
            self.assertLessEqual(found.step.value, 0.23 + 1e-9)
            self.assertLessEqual(found.step.results["step_moved"], 0.03 + 1e-9)

    def test_peroxide_goes_by_a_fifth_of_the_charge_and_takes_pump_and_caustic_with_it(self):
        found = card("cane_brightness", 81.9)
        self.assertAlmostEqual(found.size.value, 5.74, 2)
        self.assertAlmostEqual(found.step.value, 2.4, 6)
        said = " ".join(found.carrying)
        self.assertIn("20 % of 12 kg/BDt", said)
        self.assertRegex(said, r"Pump at \d+\.\d L/min")
        self.assertIn("caustic", said)

    def test_too_bright_takes_charge_off(self):
        self.assertRegex(card("cane_brightness", 85.4).correction, r"Cut \d+\.\d kg/BDt peroxide")

    def test_a_shower_moves_by_three_tenths_of_dilution_factor(self):
        found = card("wash_loss", 23.0)
        pulp = Facts().flow("washed").value
        self.assertLessEqual(found.step.results["step_moved"], 0.3 * pulp * 1000 / 60)
        self.assertIn("evaporators", " ".join(found.carrying))

    def test_no_more_dilution_is_closed_than_runs(self):
        found = card("brown_cons", 2.6)
        runs = Facts().result.streams["brown_water"].total_t_per_h * 1000 / 60
        self.assertLessEqual(found.step.results["step_moved"], runs + 1e-9)

    def test_bark_is_never_a_licence_to_feed_more(self):
        found = card("bark_in_chips", 0.95)
        self.assertTrue("Do not feed more" in found.correction or "in place of" in found.correction)


class Kappa(TestCase):
    def test_sulphidity_moves_the_end_point_the_right_way_on_either_side(self):
        usual = card("sulphidity", 31).step.data["present_moved"].value
        self.assertLess(card("sulphidity", 31).step.value, usual)
        self.assertGreater(card("sulphidity", 21).step.value, usual)

    def test_the_end_point_moves_by_a_part_and_a_tenth_at_most(self):
        high = card("kappa_wood", 19.8)
        usual = high.step.data["present_moved"].value
        self.assertGreater(high.step.value, usual)
        self.assertLess(high.step.value, high.size.value)
        far = card("kappa_wood", 23.0)
        self.assertAlmostEqual(far.step.value, 1.1 * usual, 3)
        self.assertIn("Find the cause first", far.correction)

    def test_a_second_correction_counts_from_where_the_first_left_the_end_point(self):
        found = card("kappa_wood", 19.8)
        first, usual = found.step, found.step.data["present_moved"].value
        self.assertEqual(found.moved.point, "aim:wood_cook")
        self.assertAlmostEqual(found.moved.base + found.change, 100 * first.value / usual, 3)

        class Moved(Facts):
            def stands(self, point):
                at = Datum(100 * first.value / usual, Origin("set", "the last move"))
                return at if point == "aim:wood_cook" else None

        tag = hallin_reach().tag("kappa_wood")
        second = advise(RULES, tag, judge(tag, 19.8), Moved(kappa_wood=19.8)).step
        self.assertAlmostEqual(second.data["present_moved"].value, first.value, delta=0.5)
        self.assertGreater(second.value, first.value)

    def test_it_goes_by_the_mean_of_the_last_cooks_where_the_mill_says_so(self):
        line = hallin_reach()
        tag = line.tag("kappa_wood")
        self.assertEqual(tag.mean_of, 3)
        for run, leave in (([17.6, 17.9, 19.6], True), ([19.5, 19.4, 19.6], False)):
            facts = Facts(line, kappa_wood=run[-1])
            facts.recent = lambda tag_id, count, run=run: run[-count:]
            found = advise(RULES, tag, judge(tag, run[-1]), facts)
            with self.subTest(run):
                self.assertEqual(found.leave, leave)
                if leave:
                    self.assertIn("Leave it: the mean of the last 3, 18.4, is in its band", found.correction)
                else:
                    self.assertIn("By the mean of the last 3", " ".join(found.carrying))


class Piles(TestCase):
    def test_what_to_do_goes_by_how_hot_it_is(self):
        for value, words in ((53, "Watch"), (61, "Stop at"), (66, "Emergency at")):
            with self.subTest(value):
                self.assertTrue(card("pile_c_temp", value).correction.startswith(words))

    def test_above_what_is_known_no_loss_is_made_up(self):
        self.assertEqual(card("pile_c_temp", 66).size.value, card("pile_c_temp", 72).size.value)


class Digesters(TestCase):
    def test_the_recipe_s_most_judges_what_is_read_at_its_digester(self):
        line = hallin_reach()
        most = line.cook.recipe("alder").most_c
        self.assertEqual(judge(line.tag("digester_3_temp"), most - 0.5).level, "ok")
        self.assertEqual(judge(line.tag("digester_3_temp"), most + 0.5).level, "act")
        self.assertEqual(judge(line.tag("digester_3_pressure"), 900).level, "act")
        self.assertEqual(judge(line.tag("digester_3_pressure"), 650).level, "ok")
        self.assertEqual(judge(line.tag("digester_3_temp"), 60).level, "ok")


class Learned(TestCase):
    def test_a_gain_the_mill_learned_makes_the_first_step_larger_and_its_effect_the_same(self):
        tag = hallin_reach().tag("blend_cons")
        usual = card("blend_cons", 3.7)

        class Taught(Facts):
            def stands(self, point):
                return None

            def learned(self, point, tag_id):
                return Datum(0.5, Origin("set", "learned")) if tag_id == "blend_cons" else None

        taught = advise(RULES, tag, judge(tag, 3.7), Taught(blend_cons=3.7))
        self.assertAlmostEqual(taught.change, 2 * usual.change, places=6)
        self.assertAlmostEqual(taught.effect, usual.effect, places=6)
        self.assertEqual(taught.size.value, usual.size.value)

    def test_both_sides_of_a_wash_move_its_shower_apart(self):
        high, low = card("wash_loss", 21.0), card("wash_loss", 11.0)
        self.assertGreater(high.change, 0)
        self.assertLess(low.change, 0)
        self.assertIn(
            "efficiency_from_loss",
            str(high.size.data["dilution_factor_t_per_bdt"].figure.data["e_std_total_ratio"].figure.method.name),
        )
