"""Warmth held by steam: a bleach's mixers and the cooks, with set points, valves by hand, ends and wrong instruments."""

from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.simulate.plant import Plant
from stock.simulate.reading import Sick
from tests.line import hallin_reach

D1 = "wood_bleach:3"
HOUR = 3600


def fine() -> Plant:
    """A plant whose loops go by steps of a second."""
    plant = Plant(hallin_reach(), seed=3)
    plant.run(60)
    return plant


def coarse() -> Plant:
    """A plant whose fast loops are where they come to."""
    plant = Plant(hallin_reach(), seed=3, dt_s=60, rides=False)
    plant.run(0.5 * HOUR)
    return plant


class MixerTests(SimpleTestCase):
    """The controller of a mixer's warmth."""

    def test_it_goes_to_its_set_point_and_stays(self) -> None:
        plant = fine()
        plant.write(f"warmth:{D1}", 76)
        plant.run(plant.now_s + 90)
        self.assertGreater(plant.truth("d1_warmth") or 0, 73)
        plant.run(plant.now_s + 600)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 76, delta=0.1)
        self.assertAlmostEqual(plant.handles[f"steam:{D1}"].read(), 40 * 19 / 15, delta=1.0)
        self.assertEqual(plant.handles["warmth:cane_bleach:3"].read(), 80)

    def test_more_stock_is_met_by_more_steam(self) -> None:
        plant = coarse()
        steam = plant.handles[f"steam:{D1}"].read()
        plant.write("flow:brown", 1.3 * plant.handles["flow:brown"].read())
        plant.run(plant.now_s + 2 * HOUR)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 72, delta=0.1)
        self.assertGreater(plant.handles[f"steam:{D1}"].read(), 1.08 * steam)

    def test_lost_steam_opens_the_valve_and_the_pulp_stays_cold(self) -> None:
        plant = fine()
        number = plant.fault("bleach_cold", "wood_bleach", c=10)
        plant.run(plant.now_s + 900)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 62, delta=0.1)
        self.assertEqual(plant.handles[f"steam:{D1}"].read(), 100)
        plant.write(f"warmth:{D1}", 80)  # asking for more brings no more
        plant.run(plant.now_s + 300)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 62, delta=0.1)
        plant.write(f"warmth:{D1}", 72)
        plant.mend(number)
        plant.run(plant.now_s + 60)
        self.assertGreater(plant.truth("d1_warmth") or 0, 74)  # the open valve overshoots, then it comes back
        plant.run(plant.now_s + 900)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 72, delta=0.2)

    def test_a_wrong_instrument_is_believed(self) -> None:
        for plant in (fine(), coarse()):
            plant.born_sick["d1_warmth"] = Sick(bias=3.0)
            plant.refit()
            plant.run(plant.now_s + 900)
            self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 69, delta=0.1)

    def test_by_hand_it_stays_until_a_warmth_is_asked_for(self) -> None:
        plant = fine()
        plant.write(f"steam:{D1}", 20)
        plant.run(plant.now_s + 600)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 72 - 7.5, delta=0.2)
        low = plant.truth("d1_warmth") or 0
        plant.write(f"warmth:{D1}", 64.5)  # where it is: taken over without a bump
        plant.run(plant.now_s + 60)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, low, delta=0.3)
        plant.write(f"warmth:{D1}", 72)
        plant.run(plant.now_s + 900)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 72, delta=0.2)
        for point, value in ((f"warmth:{D1}", 120), (f"steam:{D1}", 101), ("warmth:wood_bleach:9", 60)):
            with self.assertRaises(DomainError) as refused:
                plant.write(point, value)
            self.assertEqual(refused.exception.code, "E_RANGE")

    def test_pulp_keeps_the_warmth_it_met(self) -> None:
        plant, other = coarse(), coarse()
        plant.write(f"warmth:{D1}", 60)
        for one in (plant, other):
            one.run(one.now_s + HOUR)
        before = (plant.truth("wood_brightness") or 0) - (other.truth("wood_brightness") or 0)
        self.assertAlmostEqual(before, 0, places=6)  # what leaves was mixed before
        for one in (plant, other):
            one.run(one.now_s + 5 * HOUR)
        self.assertLess(plant.truth("wood_brightness") or 0, (other.truth("wood_brightness") or 0) - 0.4)
        self.assertGreater(plant.truth("d1_residual") or 0, (other.truth("d1_residual") or 0) + 0.01)

    def test_its_state_is_kept(self) -> None:
        plant, again = fine(), fine()
        plant.write(f"warmth:{D1}", 76)
        plant.run(plant.now_s + 60)
        again.restore(plant.state())
        for one in (plant, again):
            one.run(one.now_s + 120)
        self.assertEqual(plant.truth("d1_warmth"), again.truth("d1_warmth"))
        old = plant.state()
        del old["heating"]
        again.restore(old)  # of before there were controllers: as it usually is
        again.run(again.now_s + 60)


class CookTests(SimpleTestCase):
    """The controller of a digester follows its program to the temperature it is set to, by its own instrument."""

    def _held(self, plant: Plant) -> float:
        vessel = plant.batches.houses[0].vessels[0]
        hottest = 0.0
        plant.batches.put(0, 0, 60.0)
        while vessel.phase not in ("relief", "waits", "blow"):
            plant.run(plant.now_s + 300)
            hottest = max(hottest, vessel.celsius)
        return hottest

    def test_it_holds_what_it_is_set_to(self) -> None:
        usual, lower = coarse(), coarse()
        lower.write("cook:wood_cook", 160)
        self.assertAlmostEqual(self._held(usual), 165, delta=0.3)
        self.assertAlmostEqual(self._held(lower), 160, delta=0.3)
        self.assertGreater(lower.now_s, usual.now_s + 900)  # it has its H later
        kappas = [house.kappa_of(house.vessels[0]) for house in (one.batches.houses[0] for one in (usual, lower))]
        self.assertAlmostEqual(*kappas, delta=1.2)
        with self.assertRaises(DomainError):
            lower.write("cook:wood_cook", 175)  # above what its recipe lets it be

    def test_an_instrument_that_reads_high_cooks_it_cold(self) -> None:
        plant = coarse()
        plant.born_sick["digester_1_temp"] = Sick(bias=4.0)
        plant.refit()
        self.assertAlmostEqual(self._held(plant), 161, delta=0.3)
