"""What is watched beside the stock: each fault by its signature, what cures it, and what is said of it."""

from unittest import TestCase

from django.test import SimpleTestCase

from stock.delivery.held import dye_trim_pct, paper_held_t
from stock.errors import DomainError
from stock.simulate.plant import Plant
from stock.simulate.saving import restore, state_of
from tests.line import hallin_reach
from tests.stock.test_advice_sizes import card
from tests.stock.test_judge import Facts

MINUTE = 60.0
SIGNS = (  # fault, where, tag, minutes in which most of it shows, how far off by then at least
    ("gas_rises", "broke_cream", "broke_gas", 6, 25.0),
    ("rope_wraps", "pulper", "pulper_swing", 2, 28.0),
    ("plates_touch", "wood_refine", "wood_vibration", 2, 8.5),
    ("size_ages", "reel", "cobb", 60, 7.0),
    ("dye_overfed", "reel", "sheet_shade", 40, 0.016),
)


def coarse():
    """Return a plant with ten seconds' step and nothing that wanders."""
    return Plant(hallin_reach(), dt_s=10.0, disturbed=False, rides=False)


class Signs(SimpleTestCase):
    def test_each_shows_at_its_own_tag_in_its_own_time_and_goes_again(self) -> None:
        plant = coarse()
        usual = {tag: plant.truth(tag) for _, _, tag, _, _ in SIGNS}
        for kind, unit, tag, minutes, off in SIGNS:
            with self.subTest(kind):
                number = plant.fault(kind, unit)
                plant.run(plant.now_s + 20)
                if minutes > 10:  # it turns with the water of the wire: nobody sees it at once
                    self.assertLess(abs(plant.truth(tag) - usual[tag]), 0.1 * off)
                plant.run(plant.now_s + minutes * MINUTE)
                self.assertGreater(plant.truth(tag) - usual[tag], off)
                others = [name for name in usual if name != tag]
                self.assertEqual([plant.truth(one) for one in others], [usual[one] for one in others])
                plant.mend(number)
                plant.slow_s = MINUTE
                plant.run(plant.now_s + 20 * minutes * MINUTE)
                plant.slow_s = 10.0
                self.assertAlmostEqual(plant.truth(tag), usual[tag], 3)

    def test_plates_that_touch_are_cured_by_taking_the_load_off(self) -> None:
        plant = coarse()
        plant.fault("plates_touch", "wood_refine")
        plant.run(plant.now_s + 2 * MINUTE)
        shaken = plant.truth("wood_vibration")
        plant.write("power:wood_refine", 0.0)
        plant.run(plant.now_s + 2 * MINUTE)
        self.assertLess(plant.truth("wood_vibration"), 0.4 * shaken)

    def test_saved_and_put_back_it_goes_on_where_it_was(self) -> None:
        plant, again = coarse(), coarse()
        plant.fault("size_ages", "reel", g_per_m2=12.0)
        plant.run(plant.now_s + 10 * MINUTE)
        restore(again, state_of(plant))
        for one in (plant, again):
            one.run(one.now_s + 10 * MINUTE)
        self.assertEqual(plant.truth("cobb"), again.truth("cobb"))

    def test_a_fault_where_nothing_is_watched_is_refused_by_name(self) -> None:
        for kind, unit in (("gas_rises", "tower_a"), ("rope_wraps", "reel"), ("dye_overfed", "wood_refine")):
            with self.subTest(kind), self.assertRaises(DomainError):
                coarse().fault(kind, unit)


class Said(TestCase):
    def test_a_shade_is_trimmed_at_the_one_pump_by_a_first_step_and_its_paper_is_held(self):
        found = card("sheet_shade", 0.128)
        self.assertAlmostEqual(found.size.value, 100 * (0.11 - 0.128) / 0.128)
        self.assertIn("Cut the dye by 7 %", found.correction)  # half of what it comes to
        self.assertIn("Hold what was made since the last good test, about 32 t", " ".join(found.carrying))
        self.assertGreater(found.look.value, 20)
        self.assertIn("Raise the dye", card("sheet_shade", 0.095).correction)

    def test_weak_sizing_holds_the_paper_and_never_doubles_the_dose(self):
        found = card("cobb", 35.0)
        self.assertAlmostEqual(found.size.value, 12.8 * 4.5)
        self.assertIn("Do not double the dose", found.correction)

    def test_plates_that_shake_lose_their_whole_load_at_once(self):
        found = card("wood_vibration", 9.0)
        net = Facts().reading("wood_refiner_kw").value
        self.assertAlmostEqual(found.change, -net, delta=1)
        self.assertIn("Back off at once", found.correction)

    def test_the_sums(self):
        self.assertAlmostEqual(dye_trim_pct(now_ks=0.12, wanted_ks=0.12), 0)
        self.assertEqual(paper_held_t(reel_t_per_h=10, since_h=0, lag_h=0), 0)
        with self.assertRaises(DomainError):
            dye_trim_pct(now_ks=0.02, wanted_ks=0.1, undyed_ks=0.02)
