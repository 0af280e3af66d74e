"""The plant's parts one by one, against what is worked out by hand: a digester's program, an instrument, a washer's vats."""

from dataclasses import replace
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.simulate.house import BLOWN_C, House, h_per_min
from stock.simulate.machines import Machines
from stock.simulate.plant import Plant
from stock.simulate.reading import IN_RATIO
from stock.washing.stairs import MACHINE_MIN, TANK_MIN, VAT_MIN
from tests.line import hallin_reach

STEP_S = 10.0


def house(recipe_id: str = "alder", count: int = 2) -> House:
    """Return a house of some digesters, as a plant has one."""
    line = hallin_reach()
    recipe = line.cook.recipe(recipe_id)
    digesters = [one for one in line.cook.digesters if recipe.id in one.recipes][:count]
    return House(recipe, digesters, 18.0, seed=4)


class Program(SimpleTestCase):
    """A digester left to its own program."""

    def phases(self, one: House) -> dict[str, float]:
        """Run a cook through; return how long each phase took, minutes."""
        vessel, lasted = one.vessels[0], dict[str, float]()
        one.begin(vessel, 0.0)
        for _ in range(20_000):
            one.program(vessel, STEP_S)
            if vessel.phase == "empty":
                break
            if vessel.phase in ("blow", "waits"):
                before = vessel.phase
                one.step_past(vessel)
                if vessel.phase != before:
                    lasted[before] = lasted.get(before, 0.0)
            elif (following := one.due(vessel)) is not None:
                lasted[vessel.phase] = vessel.in_phase_s / 60
                vessel.phase, vessel.in_phase_s = following, 0.0
                vessel.kappa = vessel.kappa or (one.kappa_of(vessel) if following == "waits" else 0.0)
        return lasted

    def test_each_phase_takes_the_time_the_recipe_gives_it(self) -> None:
        one = house()
        recipe, lasted = one.recipe, self.phases(one)
        for phase, minutes in (
            ("fill", recipe.fill_min), ("liquor", recipe.liquor_min), ("relief", max(recipe.relief_min, 2.0)),
            ("clear", recipe.clear_min),
        ):  # fmt: skip
            with self.subTest(phase):
                self.assertAlmostEqual(lasted[phase], minutes, delta=STEP_S / 60)
        self.assertGreater(lasted["heat"], recipe.ramp_min)

    def test_it_is_let_down_at_the_h_its_charge_asks_less_its_tail(self) -> None:
        one = house()
        vessel = one.vessels[0]
        one.begin(vessel, 0.0)
        vessel.phase, vessel.in_phase_s = "heat", 0.0
        vessel.factor = vessel.wanted_h - one.recipe.tail - 0.1
        self.assertIsNone(one.due(vessel))
        vessel.factor += 0.2
        self.assertEqual(one.due(vessel), "relief")
        one.aim_frac = 1.05  # people aim further
        self.assertIsNone(one.due(vessel))

    def test_the_first_cook_is_the_first_and_each_takes_the_next_number(self) -> None:
        one = house()
        for wanted, vessel in enumerate(one.vessels, 1):
            one.begin(vessel, 100.0)
            self.assertEqual((vessel.cook, vessel.phase, vessel.started_s), (wanted, "fill", 100.0))
        self.assertEqual(one.next_cook, len(one.vessels) + 1)

    def test_what_it_is_charged_with_closes(self) -> None:
        one = house()
        one.begin(one.vessels[0], 0.0)
        vessel, recipe = one.vessels[0], one.recipe
        wood = vessel.chips_t * (1 - vessel.moisture_frac)
        self.assertAlmostEqual(wood, 18.0, delta=1.2)
        self.assertAlmostEqual(vessel.charge_pct, vessel.liquor_m3 * vessel.strength / (10 * wood), places=2)
        water = wood * (vessel.moisture_frac / (1 - vessel.moisture_frac) + recipe.condensate_t_per_bdt)
        self.assertAlmostEqual((water + vessel.liquor_m3 + vessel.fill_m3) / wood, recipe.liquor_to_wood, places=2)

    def test_h_is_counted_by_the_trapezoid_and_steam_short_heats_less(self) -> None:
        one = house()
        (fast, slow), begun = one.vessels, one.recipe.start_c
        for vessel in (fast, slow):
            one.begin(vessel, 0.0)
            vessel.phase, vessel.in_phase_s, vessel.late_s, vessel.celsius = "heat", 600.0, 0.0, begun
        one.program(fast, STEP_S, 1.0)
        one.program(slow, STEP_S, 0.0)
        self.assertAlmostEqual(fast.celsius - begun, 0.05 * STEP_S)  # as fast as it can be heated
        self.assertEqual(slow.celsius, begun)
        mean = (h_per_min(begun) + h_per_min(fast.celsius)) / 2
        self.assertAlmostEqual(fast.factor, float(mean) * STEP_S / 60, places=12)

    def test_a_blow_cools_to_what_flashing_leaves_and_an_empty_vessel_to_the_room(self) -> None:
        one = house()
        vessel = one.vessels[0]
        one.begin(vessel, 0.0)
        vessel.phase, vessel.in_phase_s, vessel.celsius = "blow", 0.0, 165.0
        for _ in range(int(60 * one.recipe.blow_min / STEP_S)):
            one.program(vessel, STEP_S)
        self.assertAlmostEqual(vessel.celsius, BLOWN_C, delta=0.5)
        vessel.phase = "empty"
        one.program(vessel, 60.0)
        self.assertLess(vessel.celsius, BLOWN_C)

    def test_the_one_that_stood_empty_longest_is_filled_next_and_none_that_is_by_hand(self) -> None:
        one = house(count=3)
        for vessel, empty_s in zip(one.vessels, (50.0, 900.0, 400.0), strict=True):
            vessel.phase, vessel.in_phase_s = "empty", empty_s
        self.assertEqual(one.turn(), 1)
        one.vessels[1].by_hand = True
        self.assertEqual(one.turn(), 2)
        for vessel in one.vessels:
            vessel.phase = "fill"
        self.assertEqual(one.turn(), -1)

    def test_more_alkali_and_more_h_leave_less_kappa_and_uneven_heat_more(self) -> None:
        one = house()
        vessel = one.vessels[0]
        one.begin(vessel, 0.0)
        vessel.factor, vessel.apart_c, vessel.scatter = vessel.wanted_h, 0.2, 0.0
        as_asked = one.kappa_of(vessel)
        self.assertAlmostEqual(as_asked, one.recipe.kappa_target, delta=0.6)
        for name, more, sign in (
            ("factor", 1.1 * vessel.factor, -1), ("charge_pct", vessel.charge_pct + 1, -1),
            ("sulphidity", vessel.sulphidity + 0.05, -1), ("apart_c", 6.0, 1), ("scatter", 1.5, 1),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertGreater(sign * (one.kappa_of(replace(vessel, **{name: more})) - as_asked), 0.1)

    def test_what_does_not_follow_is_refused_with_where_it_is(self) -> None:
        one = house()
        vessel = one.vessels[0]
        for phase, action, code in (
            ("empty", "steam", "E_ORDER"), ("heat", "blow", "E_ORDER"), ("heat", "dump", "E_ORDER"), ("empty", "sing", "E_RANGE"),
        ):  # fmt: skip
            vessel.phase = phase
            with self.subTest(phase=phase, action=action), self.assertRaises(DomainError) as caught:
                one.refuse(vessel, action)
            self.assertEqual(caught.exception.code, code)
        for phase, action in (("empty", "charge"), ("liquor", "steam"), ("waits", "blow"), ("waits", "dump")):
            vessel.phase = phase
            one.refuse(vessel, action)

    def test_put_away_and_put_back_it_is_where_it_was(self) -> None:
        one, other = house(), house()
        one.begin(one.vessels[1], 60.0)
        one.aim_frac, one.bias = 1.03, 0.4
        for _ in range(200):
            one.program(one.vessels[1], STEP_S)
        other.restore(one.state())
        self.assertEqual(other.state(), one.state())
        one.program(one.vessels[1], STEP_S)
        other.program(other.vessels[1], STEP_S)
        self.assertEqual(other.state(), one.state())


class Instruments(SimpleTestCase):
    """What an instrument reads of what stands there."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.plant = Plant(hallin_reach(), rides=False)

    def test_what_is_told_in_ratio_doubles_and_the_rest_moves_by_as_much(self) -> None:
        readings = self.plant.readings
        tags = {tag.reads: tag for tag in self.plant.line.tags if tag.id in readings.at_rest}
        self.assertTrue(IN_RATIO & set(tags))
        for reads, tag in tags.items():
            begun, starts = readings.at_rest[tag.id], self.plant.quality.starts(tag.id)
            with self.subTest(tag.id), patch.dict(readings.truths, {tag.id: lambda begun=begun: 2 * begun}):
                wanted = 2 * starts if reads in IN_RATIO else starts + begun
                self.assertAlmostEqual(readings.truth(tag.id), wanted, places=9)

    def test_noise_and_what_it_is_off_by_are_added_and_it_ends_at_its_range(self) -> None:
        readings = self.plant.readings
        tag = next(one for one in self.plant.line.tags if one.live and one.noise > 0 and readings.truth(one.id))
        true = readings.truth(tag.id)
        with patch.object(readings, "_noise", return_value=1.0), patch.dict(self.plant.trims, {tag.id: 0.25}):
            self.assertAlmostEqual(readings.read(tag.id)[0], true + tag.noise + 0.25, places=3)
        with patch.object(readings, "_noise", return_value=0.0), patch.dict(self.plant.trims, {tag.id: 1e9}):
            value, status = readings.read(tag.id)
        self.assertEqual((value, status != 0), (tag.plausible[1], True))

    def test_noise_is_of_unit_size_the_same_for_a_moment_and_other_for_another_tag(self) -> None:
        readings, now = self.plant.readings, self.plant.now_s
        found = {name: [] for name in ("brown_cons", "blend_cons")}
        try:
            for at in range(0, 40_000, 20):
                self.plant.now_s = float(at)
                for name, values in found.items():
                    values.append(readings._noise(name))
            self.assertEqual(readings._noise("brown_cons"), found["brown_cons"][-1])
        finally:
            self.plant.now_s = now
        for values in found.values():
            self.assertAlmostEqual(float(np.std(values)), 0.9, delta=0.1)
            self.assertAlmostEqual(float(np.mean(values)), 0.0, delta=0.1)
        self.assertLess(abs(float(np.corrcoef(*found.values())[0, 1])), 0.1)


class Vats(SimpleTestCase):
    """What the vats and tanks of a washing line hold, and how fast they clear."""

    def machines(self, unit_id: str = "wood_wash") -> Machines:
        line = hallin_reach()
        unit = line.unit(unit_id)
        return Machines(unit, unit.wash, 11.0)

    def test_each_holds_its_minutes_on_its_own_flow(self) -> None:
        one = self.machines()
        line = one._line(one.wash.dilution_factor_t_per_bdt, {})
        for at, machine in enumerate(one.machines):
            l_vat, factor = float(line.l_vat[at]), float(line.factor[at])
            with self.subTest(machine.name):
                self.assertAlmostEqual(one.held[2 * at], l_vat * VAT_MIN)
                if machine.tank_m3 is not None and machine.vat_consistency_pct:
                    self.assertAlmostEqual(one.held[2 * at + 1], 0.6 * machine.tank_m3 * 60 / 11.0)
                else:
                    minutes = TANK_MIN if machine.vat_consistency_pct else MACHINE_MIN
                    self.assertAlmostEqual(one.held[2 * at + 1], (l_vat + factor) * minutes)

    def test_half_the_pulp_takes_twice_the_time_and_no_time_changes_nothing(self) -> None:
        full, half, still = self.machines(), self.machines(), self.machines()
        worse = {0: 0.8}
        for _ in range(30):
            full.run(60.0, full.wash.dilution_factor_t_per_bdt, 11.0, worse)
        for _ in range(60):
            half.run(60.0, half.wash.dilution_factor_t_per_bdt, 5.5, worse)
        self.assertGreater(full.share, 1.05 * full.usual_share)
        self.assertAlmostEqual(half.share, full.share, delta=0.02 * full.share)
        self.assertAlmostEqual(still.run(0.0, 2.5, 11.0, {}), 1.0, places=9)

    def test_settled_at_once_is_where_it_comes_to_in_a_day(self) -> None:
        slow, settled = self.machines(), self.machines()
        for _ in range(1440):
            slow.run(60.0, slow.wash.dilution_factor_t_per_bdt, 11.0, {2: 0.5})
        self.assertAlmostEqual(settled.settle({2: 0.5}), slow.share / slow.usual_share, places=4)

    def test_more_wash_liquor_leaves_less_and_a_machine_that_is_off_leaves_more(self) -> None:
        for factor, health, sign in ((3.5, {}, -1), (1.5, {}, 1), (2.5, {1: 0.6}, 1)):
            one = self.machines()
            with self.subTest(factor=factor, health=health):
                usual = one.wash.dilution_factor_t_per_bdt
                for _ in range(600):
                    ratio = one.run(60.0, usual + factor - 2.5, 11.0, health)
                self.assertGreater(sign * (ratio - 1), 0.02)
