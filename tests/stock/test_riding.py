"""What travels with mass: quality from the first second on, warmth, and which cook the fibre comes from."""

import math

import numpy as np
from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.plan.whence import held_after, origin_shares
from stock.simulate.columns import FIBRE, MARKED, SOLIDS
from stock.simulate.plant import Plant
from stock.simulate.riding import CARRY
from tests.line import hallin_reach
from tests.stock.test_living_plant import HOUR, running

CSF = MARKED["log_csf"]


def coarse() -> Plant:
    """Return the plant a minute a step, its cooks in turn."""
    plant = Plant(hallin_reach(), dt_s=60.0)
    plant.batches.stagger()
    return plant


class AtRest(SimpleTestCase):
    """What everything holds at the start has the quality it will have: nothing comes out hours later without one."""

    def test_every_holder_with_fibre_of_pulp_has_its_freeness(self) -> None:
        plant = running()
        for holder, row in zip(plant.layout.holders, plant.mass, strict=True):
            if row[FIBRE] > 1e-9 and row[MARKED["light_scattered"]] > 0:
                self.assertGreater(math.exp(row[CSF] / row[FIBRE]), 50, holder.id)
        for tower, parcels in zip(plant.layout.towers, plant.parcels, strict=True):
            for one in parcels:
                self.assertGreater(math.exp(one[CSF] / one[FIBRE]), 50, tower.unit)

    def test_twelve_hours_on_every_quality_is_still_believable(self) -> None:
        plant = coarse()
        begun = {tag: plant.truth(tag) for tag in ("wood_freeness", "furnish_freeness", "wood_brightness")}
        for _ in range(12):
            plant.run(plant.now_s + HOUR)
            for tag, before in begun.items():
                assert before is not None
                self.assertAlmostEqual(plant.truth(tag) or 0, before, delta=0.06 * before, msg=tag)


class Origins(SimpleTestCase):
    """A cook is known again where it has got to, and no fibre changes its origin on the way."""

    def test_shares_add_to_one_and_a_cook_travels(self) -> None:
        plant = coarse()
        plant.run(3 * HOUR)
        first = next(name for name in plant.riding.origins if name.startswith("alder "))
        seen = plant.origins("furnish_chest").get(first, 0.0)
        plant.run(10 * HOUR)
        self.assertAlmostEqual(float(np.abs(plant.riding.share.sum(axis=1) - 1).max()), 0, places=12)
        self.assertGreater(plant.origins("tower_a")[first], 0.01)
        self.assertGreater(plant.origins("furnish_chest")[first], seen + 0.02)

    def test_whose_pulp_the_blow_tank_holds_is_what_the_book_says_of_its_blows(self) -> None:
        plant = coarse()
        tank, draw = "wood_blow_tank", 0.0
        row = plant.layout.row[tank]
        before, blows = {}, []
        for _ in range(14 * 60):
            was = {name: share for name, share in plant.origins(tank).items() if name.startswith("alder ")}
            held = float(plant.mass[row, SOLIDS].sum())
            plant.step()
            draw = float(plant.rows[plant.layout.at[plant.line.graph.out(tank)[0].id], 0]) * 60
            came = float(plant.mass[row, SOLIDS].sum()) - held + draw
            new = [name for name in plant.origins(tank) if name.startswith("alder ") and name not in was]
            for name in new:
                before[name] = len(blows)
                blows.append([plant.now_s, 0.0])
            if came > 0.05 and blows:
                blows[-1][1] += came
        ages = [((plant.now_s - at) / HOUR, bdt) for at, bdt in blows]
        held = held_after(ages, float(plant.mass[row, SOLIDS].sum()), draw * 60)
        found = origin_shares(
            blows=[{"ago_h": ago, "bdt": bdt, "held_bdt": one} for (ago, bdt), one in zip(ages, held, strict=True)],
            taus_each_h=[],
        )
        truth = plant.origins(tank)
        self.assertGreater(len(before), 5)
        for name, index in before.items():
            self.assertAlmostEqual(found.shares_frac[index], truth.get(name, 0.0), delta=0.03, msg=name)

    def test_lots_are_opened_one_after_another_and_known_again_in_the_tower(self) -> None:
        plant = coarse()
        self.assertEqual(next(name for name in plant.riding.feed_origin if name.startswith("lots")), "lots 1")
        plant.run(16 * HOUR)  # about ten hours a lot
        self.assertEqual(next(name for name in plant.riding.feed_origin if name.startswith("lots")), "lots 2")
        held = plant.origins("tower_r")
        self.assertGreater(held["lots 1"], 0.2)
        self.assertGreater(held["lots 2"], 0.2)
        self.assertAlmostEqual(float(np.abs(plant.riding.share.sum(axis=1) - 1).max()), 0, places=12)
        other = coarse()
        other.restore(plant.state())
        for one in (plant, other):
            one.run(one.now_s + HOUR)
        self.assertEqual(plant.origins("tower_r"), other.origins("tower_r"))

    def test_what_is_fed_of_an_origin_is_held_or_has_left(self) -> None:
        plant = coarse()
        riding, origin = plant.riding, "bale_store"
        at = riding.origins.index(origin)
        leaving = plant.layout.leaves()
        feeds = np.array([name == origin for name in riding.feed_origin])
        plant.step(120)
        before = float(riding.held[:, 0] @ riding.share[:, at])
        carry = riding.carry
        riding.carry = lambda: None  # type: ignore[method-assign]
        for _ in range(5):
            plant.step()
        moved = riding.moved[:, 0].copy()
        riding.carry = carry  # type: ignore[method-assign]
        riding.carry()
        fed = float(moved[feeds].sum())
        donor = riding.share[np.maximum(riding.donor, 0), at]
        left = float((moved * leaving * donor)[riding.donor >= 0].sum())
        after = float(riding.held[:, 0] @ riding.share[:, at])
        self.assertGreater(fed, 0)
        self.assertAlmostEqual(after - before, fed - left, delta=1e-9 * max(before, 1))

    def test_where_nothing_is_held_it_is_said(self) -> None:
        with self.assertRaises(DomainError) as caught:
            running().origins("reel")
        self.assertEqual(caught.exception.argument, "unit")


class Warmth(SimpleTestCase):
    """Warmth mixes by heat capacity and stays between what is fed and what is blown."""

    def test_it_stays_between_the_coldest_feed_and_the_blow(self) -> None:
        plant = coarse()
        plant.run(8 * HOUR)
        self.assertGreaterEqual(plant.riding.celsius.min(), 14.9)
        self.assertLessEqual(plant.riding.celsius.max(), 98.1)
        blow, chest = plant.layout.row["wood_blow_tank"], plant.layout.row["paper_chest"]
        self.assertGreater(plant.riding.celsius_at(blow), plant.riding.celsius_at(chest) + 30)

    def test_warmer_water_warms_what_it_dilutes(self) -> None:
        line = hallin_reach()
        waters = [unit for unit in line.units if unit.kind == "water"]
        warm = line.model_copy(
            update={
                "units": [
                    unit.model_copy(update={"temperature_c": 60.0}) if unit in waters else unit for unit in line.units
                ]
            }
        )
        warm.__dict__.pop("graph", None)
        cold, hot = Plant(line, dt_s=60.0), Plant(warm, dt_s=60.0)
        row = cold.layout.row["paper_chest"]
        self.assertGreater(hot.riding.celsius_at(row), cold.riding.celsius_at(row) + 10)

    def test_a_kilogram_of_water_carries_what_it_should(self) -> None:
        self.assertAlmostEqual(float(CARRY[FIBRE, 1]), 1.34)


class Kept(SimpleTestCase):
    """Saved and put back, warmth and origin go on alike."""

    def test_alike(self) -> None:
        plant = coarse()
        plant.run(3 * HOUR)
        other = coarse()
        other.restore(plant.state())
        for one in (plant, other):
            one.run(5 * HOUR)
        self.assertEqual(plant.riding.origins, other.riding.origins)
        self.assertTrue(np.array_equal(plant.riding.share, other.riding.share))
        self.assertTrue(np.array_equal(plant.riding.celsius, other.riding.celsius))
