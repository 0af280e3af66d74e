"""Faults of the plant that runs: each by its signature, mended without a trace, refused by name where it cannot be."""

import itertools

import numpy as np
from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.simulate.columns import FIBRE, MASSES, SOLIDS
from stock.simulate.faults import FAULTS
from stock.simulate.plant import Plant
from stock.simulate.saving import restore, state_of
from tests.line import hallin_reach
from tests.stock.test_living_plant import HOUR, running


class FaultTests(SimpleTestCase):
    """Each fault moves what it should, and leaves alone what it should."""

    def _pair(self, kind: str, unit: str, hours: float = 2.0, **params: float) -> tuple[Plant, Plant]:
        healthy, sick = running(), running()
        sick.fault(kind, unit, **params)
        for one in (healthy, sick):
            one.slow_s = 60.0
            one.run(hours * HOUR)
        return healthy, sick

    def _apart(self, pair: tuple[Plant, Plant], tag: str) -> float:
        healthy, sick = pair
        return (sick.truth(tag) or 0) - (healthy.truth(tag) or 0)

    def test_a_feed_thinned_or_wandering_brings_its_fibre_as_it_is(self) -> None:
        thin, wandering = running(), Plant(hallin_reach(), dt_s=20, disturbed=True)
        usual = thin.feed_made.copy()
        thin.fault("feed_thin", "bales_in", frac=0.05)
        wandering.step(3600)
        for plant in (thin, wandering):
            moved = np.flatnonzero((usual[:, FIBRE] > 0) & (plant.feed_made[:, FIBRE] != usual[:, FIBRE]))
            self.assertGreater(len(moved), 0)
            for at in moved:
                rides = [row[at, MASSES:] / row[at, FIBRE] for row in (plant.feed_made, usual)]
                self.assertTrue(np.allclose(*rides, rtol=1e-9))

    def test_a_drifting_transmitter_leads_its_loop_astray(self) -> None:
        pair = self._pair("transmitter_drifts", "machine_cons", hours=4, per_h=0.02)
        self.assertAlmostEqual(self._apart(pair, "machine_cons"), -0.08, delta=0.015)
        self.assertAlmostEqual(pair[1].read("machine_cons")[0] or 0, 3.2, delta=0.04)
        self.assertGreater(self._apart(pair, "thick_flow"), 40)

    def test_low_water_thickens_what_is_diluted(self) -> None:
        pair = self._pair("water_low", "clear_tank", frac=0.7)
        self.assertGreater(self._apart(pair, "machine_cons"), 0.05)
        self.assertGreater(self._apart(pair, "blend_cons"), 0.05)

    def test_a_stuck_reading_stands_and_a_dead_one_is_none(self) -> None:
        plant = running()
        plant.fault("reading_sticks", "machine_level")
        stands = plant.read("machine_level")
        plant.fault("transmitter_dies", "blend_level")
        plant.run(2 * HOUR)
        self.assertEqual(plant.read("machine_level"), stands)
        self.assertEqual(plant.read("blend_level"), (None, 0x808C0000))

    def test_a_lost_retention_fills_the_tray(self) -> None:
        pair = self._pair("retention_lost", "wire", hours=0.5)
        self.assertGreater(self._apart(pair, "tray_cons"), 0.03)

    def test_thin_filler_lowers_the_ash_until_its_loop_gives_more(self) -> None:
        pair = self._pair("feed_thin", "filler", hours=0.25, frac=0.7)
        self.assertLess(self._apart(pair, "sheet_ash"), -0.3)

    def test_a_break_sends_the_sheet_to_broke(self) -> None:
        healthy, sick = self._pair("sheet_break", "reel", hours=0.5, minutes=25)
        level = sick.line.unit("broke_cream").tag_of("level") or ""
        self.assertGreater((sick.truth(level) or 0) - (healthy.truth(level) or 0), 35)
        self.assertAlmostEqual(self._apart((healthy, sick), "machine_level"), 0, delta=1.5)

    def test_worn_plates_a_slipping_pump_and_little_steam(self) -> None:
        pair = self._pair("plates_worn", "wood_refine", hours=6)
        self.assertGreater(self._apart(pair, "furnish_freeness"), 3)
        pair = self._pair("pump_slips", "cane_bleach", hours=8)
        self.assertLess(self._apart(pair, "cane_brightness"), -0.3)
        healthy, sick = self._pair("steam_short", "wood_cook", hours=6, frac=0.3)
        self.assertLess(
            sum("blown" in one.words for one in sick.events), sum("blown" in one.words for one in healthy.events) + 1
        )

    def test_mended_nothing_is_left(self) -> None:
        plant, fresh = running(), running()
        for kind, places in ((name, one.places(plant)) for name, one in FAULTS.items()):
            if not places:
                continue
            with self.subTest(kind=kind):
                number = plant.fault(kind, places[0])
                plant.mend(number)
                self.assertTrue(np.array_equal(plant.part_share, fresh.part_share))
                self.assertTrue(np.array_equal(plant.feed_made, fresh.feed_made))
                self.assertFalse(plant.readings.sick)
                self.assertFalse(plant.broken)

    def test_what_cannot_be_is_refused_by_name(self) -> None:
        plant = running()
        for kind, unit, params, argument in (
            ("gremlin", "wire", {}, "kind"),
            ("retention_lost", "reel", {}, "unit"),
            ("water_low", "clear_tank", {"frac": 3.0}, "frac"),
            ("water_low", "clear_tank", {"part": 3.0}, "part"),
            ("lanes_blocked", "cane_wash", {"machine": 4}, "machine"),
            ("foams", "wood_press", {"machine": 2}, "machine"),
            ("foams", "wood_wash", {"machine": 1.5}, "machine"),
            ("tips_plug", "clean", {"count": 4}, "count"),
        ):
            with self.subTest(kind=kind), self.assertRaises(DomainError) as caught:
                plant.fault(kind, unit, **params)
            self.assertEqual(caught.exception.argument, argument)
        with self.assertRaises(DomainError):
            plant.mend(99)

    def test_a_worn_valve_moves_by_jerks(self) -> None:
        plant = running()
        loop = plant.loop_at["consistency:paper_chest"]
        driven = plant.layout.transfers[int(plant.loop_driven[loop])].id
        plant.fault("valve_worn", driven, stick_pct=3.0)
        at = plant.layout.at[driven]
        seen = []
        for _ in range(1200):
            plant.step()
            seen.append(round(float(plant.flow[at]), 9))
        still = sum(one == other for one, other in itertools.pairwise(seen))
        self.assertGreater(still / len(seen), 0.5)
        self.assertGreater(len(set(seen)), 1)

    def test_a_chest_that_is_not_stirred_swings_at_its_outlet_and_nothing_is_lost(self) -> None:
        healthy, sick = self._pair("agitator_trips", "furnish_chest", hours=0.2, swing_pct=10.0)
        found = {True: [], False: []}
        for plant in (healthy, sick):
            out = plant.layout.at[plant.line.graph.out("furnish_chest")[0].id]
            for _ in range(300):
                plant.step()
                row = plant.flows[out]
                found[plant is sick].append(float(row[SOLIDS].sum() / row[:MASSES].sum()))
        self.assertGreater(np.ptp(found[True]), 5 * np.ptp(found[False]))
        self.assertLess(sick.worst_closure, 1e-9)

    def test_stray_water_overflows_and_a_fixed_shower_gives_less_for_more(self) -> None:
        healthy, sick = self._pair("stray_water", "clear_tank", hours=0.5, t_per_h=60.0)
        over = healthy.layout.at[healthy.line.unit("clear_tank").overflow]
        self.assertAlmostEqual(3600 * float(sick.flow[over] - healthy.flow[over]), 60, delta=6)
        plant = running()
        wash = plant.line.unit("wood_wash").wash.stream
        before = float(plant.flow[plant.layout.at[wash]])
        plant.fault("shower_fixed", "wood_wash")
        plant.ratio_per_bd *= 1.3
        plant.run(600)
        self.assertAlmostEqual(float(plant.flow[plant.layout.at[wash]]), before, places=9)

    def test_stock_that_channels_comes_out_early(self) -> None:
        def waits(active: float | None) -> int:
            plant = running()
            if active is not None:
                plant.fault("tower_channels", "tower_a", active_frac=active)
            index = next(at for at, one in enumerate(plant.layout.towers) if one.unit == "tower_a")
            plant.mass[plant.layout.towers[index].head] += plant.layout.towers[index].parcel_t * 0.02
            mass = plant.mass[plant.layout.towers[index].head].copy()
            plant.mass[plant.layout.towers[index].head] = (
                mass * plant.layout.towers[index].parcel_t / mass[:MASSES].sum()
            )
            before = list(plant.parcels[index])
            plant._towers()
            new = next(one for one in plant.parcels[index] if all(one is not other for other in before))
            return next(at for at, one in enumerate(plant.parcels[index]) if one is new)

        usual, early = waits(None), waits(0.6)
        self.assertAlmostEqual(early / usual, 0.6, delta=0.03)

    def test_the_sheet_is_lost_of_itself_as_often_as_told(self) -> None:
        plant = Plant(hallin_reach(), seed=3, dt_s=60.0, rides=False)
        plant.breaks_per_d = 12.0
        plant.run(24 * HOUR)
        lost = sum("sheet is lost" in one.words for one in plant.events)
        self.assertTrue(4 <= lost <= 22, lost)
        self.assertLess(plant.worst_closure, 1e-9)
        again = Plant(hallin_reach(), seed=3, dt_s=60.0, rides=False)
        again.breaks_per_d = 12.0
        again.run(24 * HOUR)
        self.assertEqual([one.at_s for one in again.events], [one.at_s for one in plant.events])

    def test_what_a_vessel_does_not_hold_runs_over_and_is_counted(self) -> None:
        plant = running()
        plant.set_level("furnish_chest", 98)
        fed = plant.layout.transfers[plant.plan.shares[0].driven].id
        held = plant.holdings()
        plant.write(f"flow:{fed}", 0.95 * plant.handles[f"flow:{fed}"].setting.high)
        came = np.zeros(MASSES)
        level = plant.line.unit("furnish_chest").level
        for _ in range(180):
            plant.step()
            came += plant.dt_s * ((plant.coming - plant.leaving) @ plant.flows)[:MASSES]
            self.assertLess(plant.truth(level), 100.6)
        self.assertGreater(plant.spilled.sum(), 1.0)
        self.assertTrue(any("runs over" in one.words for one in plant.events))
        water = slice(MASSES - 1, MASSES)
        gap = plant.holdings()[water] - held[water] - came[water] + plant.spilled[water]
        self.assertLess(abs(float(gap[0])), 1e-6 * float(held[water][0]))

    def test_dry_lanes_raise_the_loss_over_hours_and_more_water_lowers_it(self) -> None:
        plant = running()
        plant.slow_s = 60.0
        plant.run(HOUR)
        plant.readings.rest()
        before = plant.truth("wash_loss") or 0
        number = plant.fault("lanes_blocked", "wood_wash", health_frac=0.8)
        plant.run(plant.now_s + 0.5 * HOUR)
        soon = plant.truth("wash_loss") or 0
        plant.run(plant.now_s + 9 * HOUR)
        late = plant.truth("wash_loss") or 0
        self.assertGreater(soon, before + 0.2)
        self.assertGreater(late - before, 1.4 * (soon - before))  # its own mat at once, the tanks before it in hours
        plant.write("wash:wood_wash", 3.0)
        plant.run(plant.now_s + 9 * HOUR)
        self.assertLess(plant.truth("wash_loss") or 0, late - 3)
        plant.mend(number)
        plant.write("wash:wood_wash", 2.5)
        plant.run(plant.now_s + 18 * HOUR)
        self.assertAlmostEqual(plant.truth("wash_loss") or 0, before, delta=0.08 * before)
        self.assertLess(plant.worst_closure, 1e-9)

    def test_a_holed_basket_lets_shives_through_and_more_rejects_take_some_back(self) -> None:
        plant = running()
        plant.run(HOUR)
        plant.readings.rest()
        before = plant.truth("shives") or 0
        number = plant.fault("basket_holed", "wood_screen", leak_frac=0.3)
        plant.run(plant.now_s + 0.5 * HOUR)
        holed = plant.truth("shives") or 0
        self.assertGreater(holed, 1.2 * before)
        plant.write("reject:wood_screen", 26.0)
        self.assertEqual(plant.truth("screen_reject"), 26.0)
        plant.run(plant.now_s + 0.5 * HOUR)
        self.assertLess(plant.truth("shives") or 0, holed)
        kept = running()
        kept.restore(plant.state())
        self.assertEqual(kept.truth("screen_reject"), 26.0)
        plant.mend(number)
        plant.write("reject:wood_screen", 19.6)
        plant.run(plant.now_s + 0.5 * HOUR)
        self.assertAlmostEqual(plant.truth("shives") or 0, before, delta=0.08 * before)
        self.assertLess(plant.worst_closure, 1e-9)
        with self.assertRaises(DomainError):
            plant.write("reject:wood_screen", 90.0)

    def test_a_cold_bleach_shows_at_its_mixer_in_minutes_and_caustic_lost_at_its_end(self) -> None:
        plant = running()
        plant.run(HOUR)
        ph = plant.truth("p_ph") or 0
        cold = plant.fault("bleach_cold", "wood_bleach", c=10)
        plant.run(plant.now_s + 600)
        self.assertAlmostEqual(plant.truth("d1_warmth") or 0, 62, delta=0.1)
        plant.mend(cold)
        plant.fault("caustic_lost", "cane_bleach", frac=0.5)
        plant.run(plant.now_s + 3.5 * HOUR)
        self.assertLess(plant.truth("p_ph") or 0, ph - 0.2)
        low = plant.truth("p_ph") or 0
        plant.write("beside:cane_bleach:3:caustic", 18.0)
        plant.run(plant.now_s + 3.5 * HOUR)
        self.assertGreater(plant.truth("p_ph") or 0, low + 0.2)

    def test_sulphur_dioxide_takes_what_is_left(self) -> None:
        plant = running()
        plant.run(HOUR)
        self.assertGreater(plant.truth("d1_residual") or 0, 0.02)
        plant.write("beside:wood_bleach:3:sulphur_dioxide", 2.0)
        plant.run(plant.now_s + 0.5 * HOUR)
        self.assertEqual(plant.truth("d1_residual"), 0.0)

    def test_foam_takes_the_vacuum_a_blinded_wire_raises_it_and_the_vat(self) -> None:
        plant = running()
        plant.run(HOUR)
        vacuum, vat = plant.truth("wash_vacuum") or 0, plant.truth("wash_vat") or 0
        self.assertAlmostEqual(vacuum, 34, delta=0.5)
        self.assertAlmostEqual(vat, 70, delta=8)
        foam = plant.fault("foams", "wood_wash", health_frac=0.7)
        self.assertLess(plant.truth("wash_vacuum") or 0, 0.9 * vacuum)
        self.assertGreater(plant.truth("wash_vat") or 0, vat)
        plant.mend(foam)
        wire = plant.fault("wire_blinds", "wood_wash", share=0.4)
        self.assertGreater(plant.truth("wash_vacuum") or 0, 1.1 * vacuum)
        self.assertGreater(plant.truth("wash_vat") or 0, vat + 10)
        plant.mend(wire)
        self.assertAlmostEqual(plant.truth("wash_vacuum") or 0, vacuum, places=6)

    def test_a_blinded_basket_and_plugged_tips_raise_their_pressure(self) -> None:
        plant = running()
        plant.run(HOUR)
        screen, cleaner = plant.truth("screen_drop") or 0, plant.truth("cleaner_drop") or 0
        dirt = plant.part_share[plant.separating.screens["clean"]].copy()
        blind = plant.fault("screen_blinds", "wood_screen", open_frac=0.8)
        plug = plant.fault("tips_plug", "clean", count=1)
        self.assertAlmostEqual(plant.truth("screen_drop") or 0, screen / 0.64, delta=0.01 * screen)
        self.assertLess(plant.truth("screen_rejects") or 0, 0.9 * 800)
        self.assertGreater(plant.truth("screen_motor") or 0, 1.05 * 92)
        self.assertAlmostEqual(plant.truth("cleaner_drop") or 0, cleaner * (4 / 3) ** 2, delta=0.01 * cleaner)
        self.assertFalse(np.array_equal(dirt, plant.part_share[plant.separating.screens["clean"]]))
        for number in (blind, plug):
            plant.mend(number)
        self.assertAlmostEqual(plant.truth("screen_drop") or 0, screen, delta=1e-6)
        self.assertTrue(np.array_equal(dirt, plant.part_share[plant.separating.screens["clean"]]))


class Cooks(SimpleTestCase):
    """What is wrong with the cooks shows in their kappa, and not before the cooks it is wrong with."""

    def _blown(self, kind: str, hours: float = 9.0, **params: float) -> tuple[list[float], float]:
        """Return the kappas of cooks begun with a fault on, and the widest top-to-bottom of any."""
        plant = Plant(hallin_reach(), dt_s=60.0, rides=False)
        plant.batches.stagger()
        house = plant.batches.houses[0]
        begun = house.next_cook
        if kind:
            plant.fault(kind, plant.layout.groups[0].unit, **params)
        found, apart = {}, 0.0
        for _ in range(int(hours * 12)):
            plant.run(plant.now_s + 300)
            apart = max(apart, *(one.apart_c for one in house.vessels))
            found |= {one.cook: one.kappa for one in house.vessels if one.kappa > 0 and one.cook >= begun}
        return list(found.values()), apart

    def test_each_moves_the_cooks_it_is_on(self) -> None:
        healthy, near = self._blown("")
        self.assertGreater(len(healthy), 2)
        mean = sum(healthy) / len(healthy)
        for kind, params, over in (
            ("kappa_wave", {"kappa": 4.0}, (3.5, 4.5)),
            ("chips_wetter", {"points": 2.0}, (-4.5, -2.0)),  # of a weight there is less wood, so it is over-charged
            ("circulates_badly", {"apart_c": 7.0}, (3.0, 6.0)),
        ):
            with self.subTest(kind):
                ill, apart = self._blown(kind, **params)
                self.assertEqual(len(ill), len(healthy))
                self.assertTrue(over[0] < sum(ill) / len(ill) - mean < over[1], (ill, healthy))
                self.assertEqual(apart > near + 3, kind == "circulates_badly")

    def test_an_end_point_moved_moves_the_cooks_that_are_in_and_lasts(self) -> None:
        plant = Plant(hallin_reach(), dt_s=10.0, disturbed=False)
        plant.batches.stagger()
        house, point = plant.batches.houses[0], f"aim:{plant.layout.groups[0].unit}"
        heated = next(one for one in house.vessels if one.phase == "heat")
        before = house.to_relief_h(heated)
        plant.write(point, 120)
        self.assertAlmostEqual(house.to_relief_h(heated), before + 0.2 * heated.wanted_h, 6)
        again = Plant(hallin_reach(), dt_s=10.0, disturbed=False)
        restore(again, state_of(plant))
        self.assertAlmostEqual(again.batches.houses[0].aim_frac, 1.2)
        with self.assertRaisesRegex(DomainError, "end point, wood digesters, of what the relation asks cannot be"):
            plant.write(point, 200)

    def test_stickies_lose_the_sheet_more_often(self) -> None:
        lost = []
        for times in (1.0, 30.0):
            plant = Plant(hallin_reach(), dt_s=60.0, disturbed=False, rides=False)
            plant.breaks_per_d = 2.0
            if times > 1:
                plant.fault("contaminants", "reel", times=times)
            plant.run(10 * HOUR)
            lost.append(sum("sheet is lost" in one.words for one in plant.events))
        self.assertGreater(lost[1], lost[0] + 3)
