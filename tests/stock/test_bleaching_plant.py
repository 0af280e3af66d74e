"""Bleaches in the plant that runs: moves arrive after their own stages, causes show as they do in a mill, sequences of every family."""

from django.test import SimpleTestCase

from stock.simulate.bleaching import Given
from stock.simulate.plant import Plant
from stock.simulate.saving import restore, state_of
from tests.line import MILL, hallin_reach
from tests.mills import defined, raw_of

HOUR = 3600.0
FAMILIES = {
    "oxygen and peroxide alone": [
        {"symbol": "O", "charge_kg_per_bdt": 20, "retention_min": 60},
        {"symbol": "Q", "charge_kg_per_bdt": 2, "retention_min": 45},
        {"symbol": "PO", "charge_kg_per_bdt": 18, "retention_min": 90, "consistency_pct": 11, "residual_g_per_l": 0.4, "end_ph": 10.8},
    ],
    "short, for cane": [
        {"symbol": "D0", "charge_kg_per_bdt": 11, "retention_min": 45},
        {"symbol": "EP", "charge_kg_per_bdt": 5, "retention_min": 70},
        {"symbol": "P", "charge_kg_per_bdt": 12, "retention_min": 120, "consistency_pct": 10, "residual_g_per_l": 0.3, "end_ph": 10.8},
    ],
    "mechanical, peroxide twice": [
        {"symbol": "P", "name": "P1", "charge_kg_per_bdt": 12, "retention_min": 60},
        {"symbol": "P", "name": "P2", "charge_kg_per_bdt": 22, "retention_min": 120, "consistency_pct": 28, "residual_g_per_l": 1.0, "end_ph": 9.0},
    ],
    "recovered, peroxide then dithionite": [
        {"symbol": "P", "charge_kg_per_bdt": 8, "retention_min": 60},
        {"symbol": "Y", "charge_kg_per_bdt": 6, "retention_min": 45},
    ],
}  # fmt: skip
FURNISHES = {"mechanical, peroxide twice": "mechanical", "recovered, peroxide then dithionite": "recovered"}


def coarse(line=None):
    """Return a plant with half a minute's step, and nothing that wanders."""
    return Plant(line or hallin_reach(), dt_s=30, rides=False)


def later(plant, seconds):
    """Run a plant on."""
    plant.slow_s = 60.0
    plant.run(plant.now_s + seconds)


def with_stages(stages, furnish="chemical", *tags):
    """Return Hallin Reach with another sequence on its cane, read by other tags."""
    told = raw_of(MILL)
    (unit,) = [one for one in told["units"] if one["id"] == "cane_bleach"]
    unit["stages"], unit["furnish"] = stages, furnish
    for tag in [one for one in told["tags"] if one["of"] == "cane_bleach" and one["reads"] != "brightness"]:
        told["tags"].remove(tag)
    told["tags"] += tags
    return defined(told)


class Moves(SimpleTestCase):
    """A move arrives after the stages it goes through."""

    def test_a_last_stage_answers_before_a_first(self):
        shows = {}
        for point, by in (("charge:wood_bleach", 2.0), ("charge:wood_bleach:1", 3.0)):
            plant = coarse()
            before = plant.truth("wood_brightness")
            plant.write(point, by + (6.0 if point.endswith("bleach") else 13.5))
            for minutes in range(30, 600, 30):
                later(plant, 1800)
                if plant.truth("wood_brightness") > before + 0.1:
                    shows[point] = minutes
                    break
        unit = hallin_reach().unit("wood_bleach")
        last = unit.stages[-1].minutes(5.72)
        self.assertAlmostEqual(shows["charge:wood_bleach"], last, delta=75)
        self.assertAlmostEqual(shows["charge:wood_bleach:1"], unit.hold_min(5.72), delta=110)

    def test_saved_in_the_middle_of_a_move_it_goes_on_alike(self):
        plant, other = coarse(), coarse()
        plant.write("charge:cane_bleach", 15.0)
        later(plant, 1.5 * HOUR)
        restore(other, state_of(plant))
        for one in (plant, other):
            later(one, 2 * HOUR)
        self.assertEqual(plant.truth("cane_brightness"), other.truth("cane_brightness"))
        self.assertGreater(plant.truth("cane_brightness"), 83.6)

    def test_what_cannot_be_set_is_refused(self):
        plant = coarse()
        for point, value in (("charge:wood_bleach:9", 5), ("charge:wood_bleach:1", -1), ("strength:wood_dose", 900)):
            with self.subTest(point), self.assertRaises(ValueError):
                plant.write(point, value)


class Causes(SimpleTestCase):
    """Causes show as they do in a mill, and what is done about them brings it back."""

    def test_a_weak_solution_is_met_at_the_pump(self):
        plant, healthy = coarse(), coarse()
        good, after = plant.truth("wood_brightness"), plant.truth("e_kappa")
        plant.fault("solution_weak", "wood_dose", frac=0.8)
        self.assertAlmostEqual(plant.truth("d0_strength"), 0.8 * 8.8)
        later(plant, 2.8 * HOUR)
        self.assertGreater(plant.truth("e_kappa"), after + 0.2)  # hours before the exit shows it
        self.assertAlmostEqual(plant.truth("wood_brightness"), good, delta=0.1)
        later(plant, 4.2 * HOUR)
        self.assertLess(plant.truth("wood_brightness"), good - 0.8)
        self.assertLess(plant.truth("d1_residual"), 0.03)
        plant.write("strength:wood_dose", 0.8 * 8.8)
        later(plant, 8 * HOUR)
        later(healthy, 15 * HOUR)  # the same cooks have come through it
        self.assertAlmostEqual(plant.truth("wood_brightness"), healthy.truth("wood_brightness"), delta=0.35)
        self.assertAlmostEqual(plant.truth("d1_residual"), healthy.truth("d1_residual"), delta=0.02)

    def test_cold_looks_over_charged(self):
        plant = coarse()
        good, left = plant.truth("wood_brightness"), plant.truth("d1_residual")
        plant.fault("bleach_cold", "wood_bleach", c=12)
        later(plant, 7 * HOUR)
        self.assertLess(plant.truth("wood_brightness"), good - 0.5)
        self.assertGreater(plant.truth("d1_residual"), left + 0.02)

    def test_metals_eat_the_residual_first(self):
        plant = coarse()
        good, left = plant.truth("cane_brightness"), plant.truth("p_residual")
        plant.fault("metals_in_pulp", "cane_bleach", ratio=2.0)
        later(plant, 5 * HOUR)
        self.assertLess(plant.truth("p_residual"), 0.3 * left)
        self.assertLess(plant.truth("cane_brightness"), good - 0.3)

    def test_a_darker_cook_is_met_in_the_first_stage(self):
        plant, met = coarse(), coarse()
        for one in (plant, met):
            for house in one.batches.houses:
                house.bias = 5.0
        later(plant, 16 * HOUR)
        later(met, 4 * HOUR)
        met.write("charge:wood_bleach:1", 17.0)
        later(met, 12 * HOUR)
        self.assertLess(plant.truth("wood_brightness"), 83.6)
        self.assertGreater(met.truth("wood_brightness"), plant.truth("wood_brightness") + 0.5)
        self.assertLess(plant.truth("d1_ph"), 3.95)


class Families(SimpleTestCase):
    """Sequences of every family stand at rest where they are read, and answer to their own charges."""

    def test_each_runs_in_the_plant(self):
        for name, stages in FAMILIES.items():
            with self.subTest(name):
                line = with_stages(stages, FURNISHES.get(name, "chemical"))
                plant = coarse(line)
                rest = plant.truth("cane_brightness")
                self.assertAlmostEqual(rest, 83.5, places=3)
                later(plant, HOUR)
                self.assertAlmostEqual(plant.truth("cane_brightness"), rest, delta=0.1)
                plant.write("charge:cane_bleach", 1.4 * stages[-1]["charge_kg_per_bdt"])
                later(plant, HOUR / 60 * (stages[-1]["retention_min"] + 90))
                ceiling = plant.bleaching.usual["cane_bleach"].rows[-1]["ks_floor_ks"]
                if plant.bleaching.usual["cane_bleach"].start.ks > 1.2 * ceiling:
                    self.assertGreater(plant.truth("cane_brightness"), rest + 0.1)


P_THEN_Y = [
    {"symbol": "P", "charge_kg_per_bdt": 8, "retention_min": 60, "consistency_pct": 10, "residual_g_per_l": 0.10},
    {
        "symbol": "Y", "charge_kg_per_bdt": 6, "retention_min": 45, "consistency_pct": 4.5,
        "response_per_kg": {"value": 0.35, "fitted_from": "a ladder", "fitted_on": "2026-02-01", "by": "I. Orr"},
        "ks_floor": {"value": 0.01, "fitted_from": "a ladder", "fitted_on": "2026-02-01", "by": "I. Orr"},
        "beside": [{"chemical": "sulphur_dioxide", "charge_kg_per_bdt": 0, "solution_g_per_l": 60, "most_l_per_min": 6}],
    },
]  # fmt: skip
OXIDANT = {
    "id": "left_over", "of": "cane_bleach", "reads": "oxidant", "name": "Peroxide before the reducing stage",
    "band": {"target": 0.0, "control": [0.0, 0.02], "action": [0.0, 0.1]}, "limits_version": 1, "uncertainty": 0.01,
    "every_h": 4,
}  # fmt: skip


class Aftermath(SimpleTestCase):
    """What bleaching leaves behind shows, and sulphur dioxide kills what would eat the next stage."""

    def test_oxidant_eats_the_reducing_stage_until_it_is_killed(self):
        plant, healthy = (coarse(with_stages(P_THEN_Y, "recovered", OXIDANT)) for _ in range(2))
        usual = plant.truth("left_over")
        plant.write("charge:cane_bleach:1", 10.0)  # more peroxide, and what is not used goes on
        later(plant, 4 * HOUR)
        eaten, left = plant.truth("cane_brightness"), plant.truth("left_over")
        self.assertGreater(left, usual + 0.02)
        plant.write("beside:cane_bleach:2:sulphur_dioxide", 3.0)
        later(plant, 4 * HOUR)
        self.assertLess(plant.truth("left_over"), 0.01)
        self.assertGreater(plant.truth("cane_brightness"), eaten + 0.1)
        later(healthy, 8 * HOUR)  # the same cooks have come through it
        self.assertGreater(plant.truth("cane_brightness"), healthy.truth("cane_brightness"))

    def test_a_cold_stage_leaves_more_of_its_charge_to_the_one_after_it(self):
        plant = coarse(with_stages(P_THEN_Y, "recovered", OXIDANT))
        usual = plant.truth("left_over")
        plant.fault("bleach_cold", "cane_bleach", c=12.0)
        later(plant, 4 * HOUR)
        self.assertGreater(plant.truth("left_over"), 1.2 * usual)

    def test_what_a_cold_stage_leaves_is_eaten_by_the_one_after_it_and_never_gives_it_more(self):
        plant = coarse(with_stages(P_THEN_Y, "recovered", OXIDANT))
        usual = plant.bleaching.usual["cane_bleach"]
        _, rested = plant.bleaching._works(usual, [Given(), Given()])
        _, after_cold = plant.bleaching._works(usual, [Given(colder_c=12.0), Given()])
        _, after_hot = plant.bleaching._works(usual, [Given(colder_c=-6.0), Given()])
        self.assertAlmostEqual(rested, 1.0)
        self.assertLess(after_cold, 0.95)
        self.assertGreater(after_hot, 1.0)

    def test_a_residual_left_in_yellows_and_over_alkali_dissolves(self):
        plant = coarse()
        yellows, dissolved = plant.truth("wood_reversion"), plant.truth("wood_dissolved")
        self.assertAlmostEqual(yellows, 0.40, places=3)
        plant.write("charge:wood_bleach", 9.0)
        plant.write("beside:wood_bleach:2:caustic", 24.0)
        later(plant, 8 * HOUR)
        self.assertGreater(plant.truth("wood_reversion"), yellows + 0.03)
        self.assertGreater(plant.truth("wood_dissolved"), dissolved + 4)
