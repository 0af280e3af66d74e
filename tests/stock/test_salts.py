"""What builds up in the water: it comes to what a loop comes to, nothing of it is made or lost, spills show and wash out."""

from unittest import TestCase

import numpy as np

from stock.decisions import REASONS, RULES
from stock.judge.advice import advise
from stock.judge.limits import judge
from stock.judge.quiet import why_quiet
from stock.simulate.plant import Plant
from stock.simulate.riding import BY_WATER
from stock.simulate.saving import restore, state_of
from tests.line import hallin_reach
from tests.stock.test_judge import Facts, card

HOUR = 3600.0


def calm():
    """Return a plant of half-minute steps in which nothing wanders."""
    return Plant(hallin_reach(), dt_s=30, disturbed=False)


class Salts(TestCase):
    def test_what_came_in_is_held_or_has_left(self):
        plant = calm()
        riding, seen = plant.riding, []
        plain = riding.carry

        def carry():
            held, salt, hours = (
                riding.held[:, BY_WATER].copy(),
                riding.salt.copy(),
                (plant.now_s - riding.carried_s) / 3600,
            )
            moved, brought = riding.moved[:, BY_WATER].copy(), list(riding.brought)
            plain()
            inward, outward = riding.into >= 0, riding.donor >= 0
            after = held.copy()
            np.add.at(after, riding.into[inward], moved[inward])
            np.add.at(after, riding.donor[outward], -moved[outward])
            came = (moved[:, None] * riding.feed_salt)[inward & ~outward].sum(axis=0)
            for one in brought:
                after[one.row] += one.carries[BY_WATER]
                came = came + one.carries[BY_WATER] * np.array(one.salts)
            came = came + 1000 * riding.spilled.sum(axis=0) * hours
            left = (moved[:, None] * riding.salt[riding.donor])[outward & ~inward].sum(axis=0)
            gap = after @ riding.salt - (held @ salt + came - left)
            seen.append(float(np.abs(gap / np.maximum(held @ salt, 1e-9)).max()))

        riding.carry = carry
        plant.fault("spills", "white_tank", kg_per_h=300)
        plant.run(HOUR)
        self.assertGreaterEqual(len(seen), 55)
        self.assertLess(max(seen), 1e-9)

    def test_at_rest_it_stays_and_a_spill_shows_and_washes_out(self):
        plant = calm()
        rest = plant.truth("clear_cod")
        self.assertAlmostEqual(rest, 2.0)
        number = plant.fault("spills", "white_tank", kg_per_h=300)
        plant.run(2 * HOUR)
        dirty = plant.truth("clear_cod")
        self.assertGreater(dirty, rest + 0.8)
        self.assertAlmostEqual(plant.truth("white_chloride"), 0.06, delta=0.004)  # of the rest it brings none
        plant.mend(number)
        plant.run(plant.now_s + 16 * HOUR)
        self.assertLess(plant.truth("clear_cod"), rest + 0.1 * (dirty - rest))

    def test_water_unasked_thins_it(self):
        plant = calm()
        before = plant.truth("rec_calcium")
        plant.fault("stray_water", "rec_tank", t_per_h=60)
        plant.run(3 * HOUR)
        self.assertLess(plant.truth("rec_calcium"), before - 0.005)

    def test_a_broken_mat_sends_fibre_on(self):
        sick, well = calm(), calm()
        sick.fault("mat_lost", "saveall", share=0.3)
        for one in (sick, well):
            one.run(0.5 * HOUR)
        fibre = [one.mass[one.layout.row["clear_tank"], 0] for one in (sick, well)]
        self.assertGreater(fibre[0], 3 * fibre[1])
        self.assertLess(sick.truth("saveall_recovery"), 0.35 * well.truth("saveall_recovery"))

    def test_kept_and_put_back_it_goes_on_alike_and_an_old_state_begins_at_rest(self):
        plant, other, old = calm(), calm(), calm()
        plant.fault("spills", "clear_tank", kg_per_h=200)
        plant.run(HOUR)
        kept = state_of(plant)
        restore(other, kept)
        for one in (plant, other):
            one.run(one.now_s + HOUR)
        self.assertEqual(plant.truth("clear_cod"), other.truth("clear_cod"))
        without = kept | {
            "riding": {name: one for name, one in kept["riding"].items() if name not in {"salts", "salt"}}
        }
        restore(old, without)
        self.assertAlmostEqual(old.truth("clear_cod"), 2.0)
        old.run(old.now_s + HOUR)
        self.assertAlmostEqual(old.truth("white_chloride"), 0.06, delta=0.004)


class Said(TestCase):
    def test_each_is_bled_off_and_its_causes_are_its_own(self):
        for tag, value, words in (
            ("white_chloride", 0.14, "dioxide"),
            ("white_potassium", 0.05, "bagasse"),
            ("rec_calcium", 0.12, "acid and alkaline"),
        ):
            with self.subTest(tag):
                found = card(tag, value)
                self.assertEqual(found.rule, f"{tag.split('_')[1]}_builds_up")
                self.assertIn(words, " ".join(found.causes))
                self.assertIn("Open the bleed", found.correction)
                self.assertGreater(found.size.value, 0)

    def test_a_save_all_that_lets_fibre_go_says_how_much(self):
        found = card("saveall_recovery", 79.0)
        self.assertEqual(found.rule, "fibre_to_drain")
        fed = found.size.data["fed_bdt_per_h"].value
        self.assertAlmostEqual(found.size.value, 90 * fed)  # nine points of it
        self.assertIn("retention on the wire", found.correction)

    def test_chloride_counts_what_fresh_water_brings(self):
        """From 0.14 to 0.06 with 0.02 in the make-up: what leaves, times 0.08 over 0.04."""
        found = card("white_chloride", 0.14)
        self.assertAlmostEqual(found.size.value, 2.0 * found.size.data["leaves_m3_per_h"].value, places=6)

    def test_a_line_without_a_sewer_says_so(self):
        line = hallin_reach()
        tag = line.tag("white_chloride")
        facts = Facts(white_chloride=0.14)
        facts.result = type("Dry", (), {"streams": dict.fromkeys(facts.result.streams, _Dry()), "loads": ()})()
        self.assertIsNone(advise(RULES, tag, judge(tag, 0.14), facts))
        self.assertIn("no bleed to size", why_quiet(REASONS, tag, judge(tag, 0.14), facts))


class _Dry:
    total_t_per_h = bdt_per_h = consistency_pct = 0.0
