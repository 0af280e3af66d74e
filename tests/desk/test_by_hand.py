"""Numbers the desk shows of its own, worked out by hand beside it; and the edges where its words change."""

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.test import SimpleTestCase

from desk.exchange.buffer import Buffer
from desk.floor.due import Item
from desk.floor.models import Cook, Order
from desk.floor.next_up import HURTS_SOON, SOON, _place
from desk.floor.state import State
from desk.stations.ahead.looking import stands_of
from desk.stations.bleach.again import used_again
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.worked import worked
from desk.stations.cook.board import board_of, room_for
from desk.stations.cook.house import house_of
from desk.stations.cook.lots import lots_shown
from desk.stations.plain.wash_panels import _came, _liquor, _strong
from desk.stations.wash.worked import Curve, _worth
from desk.stations.yard.knives import RUNNING_SHARE, knives_of
from desk.stations.yard.trace import Part, fed
from desk.stations.yard.work import knife_step
from stock.judge.here import Place
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import HouseCase
from tests.desk.yard_case import YardCase
from tests.line import hallin_reach


class Places(SimpleTestCase):
    """Where an item stands on the rail, by what it can do and when."""

    def place(self, minutes, **known):
        known = {"level": "ok", **known}
        return _place(Item(NOW + timedelta(minutes=minutes), "x", "", station="wash", **known), NOW)

    def test_what_can_hurt_now_goes_first_and_an_hour_ahead_by_the_clock_before_what_is_off(self):
        edge = HURTS_SOON.total_seconds() / 60
        self.assertEqual(self.place(edge, hurts=True)[0], 1)
        self.assertLess(self.place(5), self.place(edge, hurts=True))
        self.assertLess(self.place(edge, hurts=True), self.place(0, now=True, level="act"))
        self.assertEqual(self.place(edge + 1, hurts=True)[0], 3)
        self.assertEqual(self.place(edge + 1, hurts=True, now=True)[0], 0)

    def test_what_has_a_clock_goes_before_what_is_off_for_half_an_hour(self):
        edge = SOON.total_seconds() / 60
        self.assertEqual(self.place(edge)[0], 1)
        self.assertEqual(self.place(edge + 1)[0], 3)
        self.assertEqual(self.place(edge, repeats="samples")[0], 3)  # samples wait their turn

    def test_of_what_is_off_the_gravest_goes_first(self):
        found = [self.place(0, now=True, level=level)[:2] for level in ("act", "outside", "ok")]
        self.assertEqual(found, [(2, 0), (2, 1), (2, 2)])


class WorthOfWater(SimpleTestCase):
    """What one more and one less tonne is worth, by a curve of tenths."""

    def curve(self, now_at, slope):
        factors = [at / 10 for at in range(41)]
        costs = [abs(one - 2.0) * slope for one in factors]
        return _worth(Curve(factors, [], costs, now_at, 2.0, None), now_at)

    def test_both_ways_from_the_middle_and_one_from_an_end(self):
        self.assertEqual(self.curve(2.0, 3.0), "One tonne more costs 3.00 per BDt; one tonne less costs 3.00 per BDt.")
        self.assertEqual(self.curve(1.0, 3.0), "One tonne more saves 3.00 per BDt; one tonne less costs 3.00 per BDt.")
        self.assertEqual(self.curve(4.0, 2.0), "One tonne less saves 2.00 per BDt.")
        self.assertEqual(self.curve(9.0, 2.0), "One tonne less saves 2.00 per BDt.")  # beyond the curve: at its end
        self.assertEqual(self.curve(-3.0, 2.0), "One tonne more saves 2.00 per BDt.")

    def test_without_prices_nothing_is_said(self):
        self.assertEqual(_worth(Curve([0.0, 0.1], [9.0, 8.0], [], 0.0, None, None), 0.0), "")


class WashLiquors(DeskCase):
    def test_what_a_washers_panels_begin_with_closes_over_the_line(self):
        state = State(self.world, NOW)
        unit = state.line.unit("wood_wash")
        place = Place(state, unit)
        wash, thick = unit.wash, 100 / unit.consistency_pct - 1
        came_t = 100 / wash.feed_consistency_pct - 1
        solids = unit.feed_solids_kg_per_bdt.value
        self.assertAlmostEqual(_liquor(place).value, wash.dilution_factor_t_per_bdt + thick, places=3)
        self.assertAlmostEqual(_came(place).value, solids / came_t, delta=0.05)
        # all the solids in what leaves as filtrate: what came, and the dilution
        self.assertAlmostEqual(_strong(place).value, solids / (came_t + wash.dilution_factor_t_per_bdt), delta=0.1)


class LiquorUsedAgain(DeskCase):
    def test_the_loop_is_worked_out_from_what_is_typed(self):
        state = State(self.world, NOW)
        unit = state.line.unit("cane_bleach")
        typed = {
            "again-charge": "30", "again-residual": "20", "again-before": "4", "again-pressed": "30", "again-diluted": "5",
            "again-after": "30", "again-back": "60", "again-came": "20", "again-made": "25",
        }  # fmt: skip
        found = used_again(state, unit, typed)
        self.assertEqual(found.fault, "")
        pressed, diluted = 100 / 30 - 1, 100 / 5 - 1
        returned = 0.6 * (diluted - pressed) / diluted
        kept = pressed / (100 / 4 - 1)
        fresh, cod, sewer = found.figures
        self.assertAlmostEqual(cod.value, (20 * kept + 25) / (1 - returned), delta=0.01)
        self.assertAlmostEqual(sewer.value, 0.4 * (diluted - pressed), delta=0.01)
        self.assertLess(fresh.value, 30)
        self.assertGreater(fresh.value, 30 * (1 - 0.2 * 0.6))
        self.assertIn(f"takes out {100 * (1 - kept):.0f} % of what comes dissolved", found.words[0])
        on = cod.value * pressed / diluted
        washed = on * pressed / (100 / 12 - 1)
        self.assertIn(f"lets {on:.0f} kg COD/BDt on, the wash and the second {washed:.0f}", found.words[2])

    def test_a_press_that_thins_is_refused_at_its_field(self):
        state = State(self.world, NOW)
        unit = state.line.unit("cane_bleach")
        before = used_again(state, unit, {"again-before": "12", "again-pressed": "11"})
        self.assertEqual((before.faulty, "does not thin" in before.fault), ("again-pressed", True))
        wild = used_again(state, unit, {"again-charge": "400"})
        self.assertEqual(wild.faulty, "again-charge")
        self.assertEqual({one.name: text for one, text in wild.fields}["charge"], "400")

    def test_a_bleach_without_peroxide_of_its_own_has_no_such_loop(self):
        state = State(self.world, NOW)
        self.assertIsNone(used_again(state, state.line.unit("wood_bleach"), {}))


class RoomForABlow(HouseCase):
    def followed(self):
        house = house_of(State(self.world, NOW))
        return house, next(one for one in house.all() if one.running and one.recipe.blow_to)

    def test_it_is_the_free_share_of_the_vessel_and_what_the_cook_brings(self):
        house, one = self.followed()
        free, needs = room_for(house, one)
        unit = house.state.vessels[one.recipe.blow_to]
        read = house.state.readings[unit.level].value
        self.assertAlmostEqual(free, (unit.high_pct - read) / 100)
        holds = unit.volume_m3 * unit.holds_pct / 100
        self.assertAlmostEqual(needs, one.facts.bd_wood.value * one.state.yield_pct.value / 100 / holds)
        self.assertGreater(needs, 0.02)

    def test_a_cook_past_its_end_waits_for_room_where_there_is_none(self):
        house, one = self.followed()
        level = house.state.vessels[one.recipe.blow_to].level
        later = one.blow_at + timedelta(minutes=25)
        words = {}
        for pct in (40.0, 94.5):
            state = State(self.world, later)
            state.readings[level] = replace(state.readings[level], value=pct)
            waiting = board_of(house_of(state)).waiting
            words[pct] = next((row.words for row in waiting if row.digester == one.cook.digester), "")
        self.assertIn("waits to be blown", words[40.0])
        self.assertIn("waits for room in the tank", words[94.5])


class WhatWasReportedOfACharge(DeskCase):
    def test_the_charge_the_plant_reported_goes_before_the_sheets(self):
        state = State(self.world, NOW)
        cook = next(one for one in state.cooks if one.charge_pct_naoh_on_wood is not None)
        house = house_of(state)
        recipe = state.line.cook.recipe(cook.recipe)
        found = house.charge(cook, recipe)["charge"]
        self.assertEqual(found.value, cook.charge_pct_naoh_on_wood)
        self.assertIn("reported", found.origin.text)
        silent = Cook(
            world=self.world, number=4321, digester=cook.digester, recipe=cook.recipe, started_at=cook.started_at,
            kappa_target=cook.kappa_target,
        )  # fmt: skip
        usual = house.charge(silent, recipe)["charge"]
        self.assertNotIn("reported", usual.origin.text)
        self.assertAlmostEqual(usual.value, recipe.usual_charge_pct, delta=0.01)


class Lots(YardCase):
    """Which lots were fed in a span: each draw by the share of it that lies in the span."""

    def test_a_draw_counts_by_its_overlap(self):
        self.lot("S-1", material="alder_chips", hours_ago=30)
        self.draw("pile_c", 8, hours=4, ago=0)  # 2 BDt an hour, the last four hours
        stream = next(one.stream for one in self.yard().part.piles if one.id == "pile_c")
        for hours_from, hours_to, wanted in ((-4, 0, 8.0), (-3, -1, 4.0), (-6, -3, 2.0), (-9, -4, 0.0), (-0.5, 3, 1.0)):
            with self.subTest(hours_from=hours_from, hours_to=hours_to):
                parts = fed(self.world, NOW + timedelta(hours=hours_from), NOW + timedelta(hours=hours_to), stream)
                self.assertAlmostEqual(sum(one.bdt for one in parts), wanted, delta=0.02)
                self.assertEqual(sum(one.share for one in parts), 1.0 if wanted else 0)

    def test_a_lot_that_would_be_said_as_nought_per_cent_of_a_cook_is_left_out(self):
        parts = [Part("R-1", 9.0, 0.6), Part("R-2", 5.925, 0.395), Part("R-3", 0.0375, 0.0025)]
        with patch("desk.stations.cook.lots.lots_of_cook", return_value=parts):
            self.assertEqual([one.lot for one in lots_shown(Cook())], ["R-1", "R-2"])

    def test_a_feeder_runs_for_what_is_drawn_and_stands_for_nothing(self):
        self.lot("S-1", material="alder_chips", hours_ago=30)
        yard = self.yard()
        self.assertIsNone(yard.running_feeder(yard.piles["pile_c"]))
        self.draw("pile_c", 8, hours=4, ago=0)
        yard = self.yard()
        pile = yard.piles["pile_c"]
        shown = yard.running_feeder(pile)
        species = yard.part.of_species(pile.part.species)
        loose = 2.0 * 1000 / (species.basic_density_kg_per_m3 * pile.part.solid_volume_factor)
        self.assertAlmostEqual(shown.value, 100 * loose / pile.part.feeder_most_m3_per_h, delta=0.5)

    def test_a_pile_warmer_than_the_season_stays_so_much_warmer(self):
        self.lot("S-1", material="alder_chips", hours_ago=60)
        yard = self.yard()
        cold = yard.months_figure(yard.piles["pile_c"])
        months = [float(one) for one in cold.data["monthly_pile_temperatures_c"].value]
        self.assertEqual(months, [yard.part.monthly_c[at] for at in (2, 3, 4)])  # March and the two after it
        self.enter("pile_c_temp", 45)
        yard = self.yard()
        pile = yard.piles["pile_c"]
        warm = yard.months_figure(pile)
        inside = yard.loss_figure(pile).data["temperature_c"].value
        above = [
            float(one) - month
            for one, month in zip(warm.data["monthly_pile_temperatures_c"].value, months, strict=True)
        ]
        self.assertEqual([round(one, 6) for one in above], [round(inside - months[0], 6)] * 3)
        self.assertLess(warm.value, cold.value)

    def test_knives_run_a_share_of_the_clock_since_they_were_changed(self):
        self.assertEqual(knives_of(self.yard())[0].hours, 0.0)
        for step, minutes in enumerate((-600, -560, -559, -540)):
            at = NOW + timedelta(minutes=minutes)
            with patch.dict("os.environ", {"FOX_NOW": at.isoformat()}):
                knife_step(
                    self.world, self.people["operator"], "chipper_1", step, minded=["still", "locked", "tried"],
                    form_key=self.key(),
                )  # fmt: skip
        self.assertAlmostEqual(knives_of(self.yard())[0].hours, 9.0 * RUNNING_SHARE)

    def test_the_mean_age_of_a_pile_is_by_mass_and_of_an_empty_one_nought(self):
        self.assertEqual(self.yard().piles["pile_c"].mean_age_d(NOW), 0.0)
        for number, hours_ago in (("S-1", 60.0), ("S-2", 24.0)):
            self.lot(number, material="alder_chips", hours_ago=hours_ago)
        pile = self.yard().piles["pile_c"]
        one, two = pile.lots
        wanted = (2.5 * one.now_bdt + 1.0 * two.now_bdt) / (one.now_bdt + two.now_bdt)
        self.assertAlmostEqual(pile.mean_age_d(NOW), wanted, places=6)


class HowALineStands(DeskCase):
    """What a look ahead begins from."""

    def test_orders_to_come_count_their_hours_and_cooks_their_minutes(self):
        grade = hallin_reach().grades[-1]
        Order.objects.create(
            world=self.world, grade=grade.id, reel_t_per_h=grade.tonnes_per_h, shares=grade.shares,
            from_at=NOW + timedelta(hours=5, minutes=30), accepted_by=self.people["lead"], form_key="next",
        )  # fmt: skip
        stands = stands_of(State(self.world, NOW))
        ((hours, order),) = stands.to_come
        self.assertAlmostEqual(hours, 5.5)
        self.assertEqual((order.grade.id, order.reel_t_per_h), (grade.id, grade.tonnes_per_h))
        running = {one.cook.digester: one for one in house_of(State(self.world, NOW)).all() if one.running}
        self.assertEqual({one.digester for one in stands.cooks}, set(running))
        for one in stands.cooks:
            cook = running[one.digester]
            self.assertAlmostEqual(one.age_min, (NOW - cook.cook.started_at).total_seconds() / 60)
            self.assertAlmostEqual(one.to_relief_min, max((cook.blow_at - NOW).total_seconds() / 60, 0.0))

    def test_a_level_that_hardly_moves_is_taken_to_stand_and_a_doubtful_one_is_not_known(self):
        state = State(self.world, NOW)
        unit = state.vessels["tower_a"]
        noise = state.readings[unit.level].tag.noise
        for slope, known in ((100 * noise, True), (0.01 * noise, False)):
            with self.subTest(slope):
                state.slopes[unit.level] = slope
                self.assertEqual("tower_a" in stands_of(state).slopes_pct_per_h, known)
        state.readings[unit.level] = replace(state.readings[unit.level], trouble="stuck")
        self.assertNotIn("tower_a", stands_of(state).levels_pct)

    def test_what_a_flow_was_solved_from_names_the_order_and_its_share(self):
        state = State(self.world, NOW)
        stream, share = next((name, one) for name, one in state.order.shares.items() if one)
        data = state.solved_from(stream)
        self.assertEqual(data["order_at_the_reel_t_per_h"].value, state.order.reel_t_per_h)
        self.assertEqual(data["share_of_the_furnish_frac"].value, share)
        self.assertNotIn("share_of_the_furnish_frac", state.solved_from("brown_stock"))


class CheapestCharges(DeskCase):
    def test_each_charge_is_told_at_its_pump_by_its_solution(self):
        state = State(self.world, NOW)
        unit = next(one for one in bleaches(state) if one.id == "wood_bleach")
        found = worked(state, unit, {})
        rate = float(found.values["rate"])
        self.assertTrue(found.moves)
        for move in found.moves:
            stage = unit.stages[int(move.point.rpartition(":")[2]) - 1 if move.point.count(":") > 1 else -1]
            with self.subTest(move.point):
                if stage.solution_g_per_l:
                    self.assertAlmostEqual(
                        move.pump, move.to * rate * 1000 / 60 / stage.solution_g_per_l, delta=0.02 * move.pump
                    )


class Waiting(SimpleTestCase):
    """Readings that wait for a database that is away."""

    def test_the_oldest_go_where_there_is_no_room_and_are_counted(self):
        rows = [("brown_cons", second, 3.5, 0) for second in range(10)]
        with TemporaryDirectory() as folder:
            held = Buffer(Path(folder) / "waiting.sqlite3", most_rows=6)
            held.add(rows[:5])
            self.assertEqual((held.waiting, held.dropped), (5, 0))
            held.add(rows[5:])
            self.assertEqual((held.waiting, held.dropped), (6, 4))
            stored = []
            self.assertEqual(held.empty_into(stored.extend), 6)
            self.assertEqual([row[1] for row in stored], [4, 5, 6, 7, 8, 9])

    def test_with_no_disk_they_wait_in_memory_as_far_as_it_goes(self):
        rows = [("brown_cons", second, 3.5, 0) for second in range(10)]
        with TemporaryDirectory() as folder:
            held = Buffer(Path(folder) / "gone" / "waiting.sqlite3", most_in_memory=7)
            with patch.object(Buffer, "_open", side_effect=OSError("no disk")):
                held.add(rows[:4])
                self.assertEqual((len(held.memory), held.dropped), (4, 0))
                held.add(rows[4:])
                self.assertEqual((len(held.memory), held.dropped), (7, 3))
            stored = []
            held.empty_into(stored.extend)
        self.assertEqual([row[1] for row in stored], [3, 4, 5, 6, 7, 8, 9])
