"""The plant that runs: it agrees with the steady balance, loses no mass, answers what is moved, comes back as it was saved."""

import json
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.line.definition import Definition
from stock.line.load import load_definition
from stock.line.order import Order
from stock.primitives import Store
from stock.simulate.columns import FIBRE, MASSES, SOLIDS
from stock.simulate.house import COLD_C
from stock.simulate.plant import Plant
from stock.simulate.stroke import run_steps
from tests.line import MILL
from tests.mills import TWO_LINES, renamed

MILLS = ("hallin_reach", "tidewater_bench")
HOUR = 3600.0


@cache
def line_of(mill: str) -> Definition:
    return load_definition(Path("mills") / f"{mill}.yaml")


def running(mill: str = "hallin_reach", dt_s: float = 20.0, **options: object) -> Plant:
    plant = Plant(line_of(mill), dt_s=dt_s, **options)  # type: ignore[arg-type]
    plant.batches.stagger()
    return plant


class SteadyTests(SimpleTestCase):
    """With cooks smeared and stores frozen it stands where the balance says."""

    def test_every_stream_agrees_with_the_balance(self) -> None:
        for mill in MILLS:
            plant = Plant(line_of(mill), dt_s=20, smeared=True, rides=False)
            plant.slow_s = 60.0
            for unit in plant.line.units:
                if isinstance(unit, Store):
                    plant.mass[plant.layout.row[unit.id]] *= 1e5
            plant.brims.clear()  # so full, a store would run over
            self._push(plant)
            plant.run(40 * HOUR)
            streams = plant.layout.passes @ plant.flows[:, :MASSES]
            for index, name in enumerate(plant.layout.streams):
                wanted = plant.result.streams[name].flows_t_per_h / 3600
                if wanted.sum() < 1e-9:
                    continue
                with self.subTest(mill=mill, stream=name):
                    self.assertLess(abs(streams[index].sum() / wanted.sum() - 1), 2e-3)
                    if wanted[SOLIDS].sum() > 1e-6 * wanted.sum():
                        self.assertLess(abs(streams[index, SOLIDS].sum() / wanted[SOLIDS].sum() - 1), 2e-3)

    def _push(self, plant: Plant) -> None:
        """Start it off its rest, so that standing there is its own doing."""
        for loop in plant.plan.loops:
            if loop.kind == "consistency":
                plant.wanted[loop.driven] *= 0.8

    def test_every_driven_flow_is_set_once(self) -> None:
        for mill in MILLS:
            plan = running(mill).plan
            driven = [loop.driven for loop in plan.loops if loop.driven >= 0]
            driven += [one.driven for one in (*plan.ratios, *plan.shares)] + [flow for _, flow in plan.bins]
            with self.subTest(mill=mill):
                self.assertEqual(len(driven), len(set(driven)))
                self.assertEqual(plan.by_hand, ())


class MassTests(SimpleTestCase):
    """Nothing is lost, nothing comes from nowhere."""

    def test_a_day_with_cooks_a_change_of_order_and_a_break_closes(self) -> None:
        plant = running()
        before, booked = plant.holdings(), np.zeros(MASSES)
        grade = plant.line.grades[1]
        for minute in range(0, 24 * 60, 10):
            if minute == 180:
                plant.set_order(Order.of(grade))
            if minute == 600:
                plant.fault("sheet_break", _reel(plant), minutes=25)
            for _ in range(30):
                plant.step()
                booked += (plant.coming - plant.leaving) @ plant.flows[:, :MASSES] * plant.dt_s
        change = plant.holdings() - before
        together = [FIBRE, FIBRE + 1, 6]  # cooking and bleaching turn one into another
        gap = change - booked
        gap = np.append(np.delete(gap, together), gap[together].sum())
        fed = float(plant.flows[plant.feeds, :MASSES].sum()) * 86_400
        self.assertLess(float(np.abs(gap).max()) / fed, 1e-9)
        self.assertLess(plant.worst_closure, 1e-12)
        self.assertGreater(sum("blown" in one.words for one in plant.events), 15)

    def test_a_breach_stops_it_and_says_so(self) -> None:
        plant = running("tidewater_bench")
        plant.ways.balance.values[0] += 0.01
        with self.assertRaises(DomainError) as caught:
            plant.step(20)
        self.assertEqual(caught.exception.code, "E_BALANCE")

    def test_what_empties_gives_no_more_than_it_holds(self) -> None:
        plant = running()
        plant.fault("flow_limited", _feed_of_blend(plant), frac=0.0)
        plant.run(12 * HOUR)
        self.assertGreaterEqual(float(plant.mass[:, :MASSES].min()), -1e-9)


class StepTests(SimpleTestCase):
    """The same day by half the step, and after saving."""

    def test_half_the_step_gives_the_same_day(self) -> None:
        found = []
        for dt_s in (20.0, 10.0):
            plant = running(dt_s=dt_s)
            plant.run(2 * HOUR)
            plant.set_order(Order.of(plant.order.grade, 12.0))
            plant.run(6 * HOUR)
            vessels = [unit.id for unit in plant.line.units if getattr(unit, "volume_m3", None)]
            found.append(
                (
                    [plant.readings.truths[plant.line.unit(name).tag_of("level") or ""]() for name in vessels],
                    len(plant.events),
                )
            )
        (coarse, cooks), (fine, same) = found
        self.assertEqual(cooks, same)
        for one, other in zip(coarse, fine, strict=True):
            self.assertLess(abs((one or 0) - (other or 0)), 0.3)

    def test_saved_and_put_back_it_runs_on_as_if_nothing_had_been(self) -> None:
        plant = running()
        plant.run(HOUR)
        plant.fault("transmitter_drifts", "machine_cons", per_h=0.05)
        plant.write("offset:blend_cons", 0.02)
        kept = json.loads(json.dumps(plant.state()))
        other = running()
        other.restore(kept)
        for one in (plant, other):
            one.run(3 * HOUR)
        self.assertTrue(np.array_equal(plant.mass, other.mass))
        self.assertEqual(plant.read("machine_cons"), other.read("machine_cons"))
        self.assertEqual(
            [one.phase for one in plant.batches.houses[0].vessels],
            [one.phase for one in other.batches.houses[0].vessels],
        )

    def test_a_state_of_another_plant_is_refused(self) -> None:
        with self.assertRaises(DomainError) as caught:
            running("tidewater_bench").restore(running().state())
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_RANGE", "fingerprint"))
        for broken in ({}, {"fingerprint": running().fingerprint()}):
            with self.assertRaises(DomainError) as caught:
                running().restore(broken)
            self.assertEqual(caught.exception.code, "E_TYPE")


class MoveTests(SimpleTestCase):
    """It answers what people do."""

    def test_more_dilution_by_hand_thins_the_stock_and_the_set_point_brings_it_back(self) -> None:
        plant = running(dt_s=1)
        plant.step(300)
        before = plant.truth("brown_cons")
        assert before is not None
        flow = plant.handles["flow:brown_water"].read()
        plant.write("flow:brown_water", flow + 146)
        plant.step(600)
        after = plant.truth("brown_cons")
        assert after is not None
        expected = before * 3560 / (3560 + 146)
        self.assertAlmostEqual(after, expected, delta=0.05)
        plant.write("consistency:brown_dilution", 3.5)
        plant.step(600)
        self.assertAlmostEqual(plant.truth("brown_cons") or 0, 3.5, delta=0.01)

    def test_more_power_takes_freeness_and_more_peroxide_gives_brightness(self) -> None:
        plant = running()
        freeness, brightness = plant.truth("wood_freeness"), plant.truth("cane_brightness")
        kw, slope = plant.powers["wood_refine"], 0.0027
        plant.write("power:wood_refine", kw * 1.1)
        sre = 0.1 * kw / plant.result.streams["wood"].bdt_per_h
        self.assertAlmostEqual((plant.truth("wood_freeness") or 0) / (freeness or 1), np.exp(-slope * sre), delta=0.01)
        plant.write("charge:cane_bleach", 15)
        plant.run(8 * HOUR)
        blend = plant.truth("furnish_freeness")
        self.assertLess(blend or 999, plant.quality.starts("furnish_freeness"))
        self.assertGreater((plant.truth("cane_brightness") or 0) - (brightness or 0), 0.4)
        self.assertIsNotNone(freeness)

    def test_what_is_not_there_or_beyond_its_limits_is_refused_by_name(self) -> None:
        plant = running()
        for point, value, argument in (
            ("flow:nowhere", 1, "point"),
            ("consistency:paper_chest", 35, "value"),
            ("flow:brown_water", -1, "value"),
        ):
            with self.subTest(point=point), self.assertRaises(DomainError) as caught:
                plant.write(point, value)
            self.assertEqual((caught.exception.code, caught.exception.argument), ("E_RANGE", argument))

    def test_of_those_that_wait_for_room_the_longest_is_blown_first(self) -> None:
        plant = running()
        house = plant.batches.houses[0]
        for index, waited_s in ((0, 100.0), (2, 5000.0), (1, 300.0)):
            house.vessels[index].phase, house.vessels[index].in_phase_s = "waits", waited_s
            plant.batches.rows[0][index] = 0.01
        house.vessels[3].phase, house.vessels[3].in_phase_s, house.vessels[3].held = "waits", 9000.0, True
        order: list[int] = []
        while len(order) < 3 and plant.now_s < 6 * HOUR:
            plant.step(30)
            order += [at for at in range(4) if house.vessels[at].phase == "blow" and at not in order]
        self.assertEqual(order, [2, 1, 0])

    def test_one_that_waits_for_days_cools_and_is_no_colder_than_what_it_stands_in(self) -> None:
        for phase in ("waits", "relief"):
            plant = running()
            house = plant.batches.houses[0]
            vessel = house.vessels[0]
            vessel.phase, vessel.held, vessel.celsius = phase, True, 160.0
            for _ in range(3 * 144):
                house.program(vessel, 600.0)
            self.assertEqual((phase, vessel.celsius), (phase, COLD_C))

    def test_a_digester_does_nothing_out_of_turn(self) -> None:
        plant = running()
        vessel = next(one for one in plant.batches.houses[0].vessels if one.phase == "heat")
        with self.assertRaises(DomainError) as caught:
            plant.act(vessel.number, "blow")
        self.assertEqual(caught.exception.code, "E_ORDER")
        self.assertEqual(plant.act(vessel.number, "hold"), "heated or held")
        plant.run(6 * HOUR)
        self.assertEqual(vessel.phase, "heat")
        plant.act(vessel.number, "release")
        plant.run(plant.now_s + 1200)
        self.assertNotEqual(vessel.phase, "heat")
        with self.assertRaises(DomainError) as caught:
            plant.act(77, "blow")
        self.assertEqual(caught.exception.code, "E_RANGE")

    def test_a_charged_digester_waits_for_its_steam_and_one_let_down_may_be_dumped(self) -> None:
        plant = running()
        house = plant.batches.houses[0]
        vessel = next(one for one in house.vessels if one.phase in ("fill", "empty", "clear"))
        while vessel.phase != "liquor":
            plant.run(plant.now_s + 300)
        plant.act(vessel.number, "hold")
        plant.run(plant.now_s + 3600)
        self.assertEqual((vessel.phase, vessel.factor), ("liquor", 0.0))
        self.assertEqual(plant.act(vessel.number, "steam"), "heated or held")
        with self.assertRaises(DomainError) as caught:
            plant.act(vessel.number, "dump")  # under pressure: never
        self.assertEqual(caught.exception.code, "E_ORDER")
        at = house.vessels.index(vessel)
        while vessel.phase != "relief":
            plant.run(plant.now_s + 600)
        plant.act(vessel.number, "hold")
        while vessel.phase != "waits":
            plant.run(plant.now_s + 60)
        held, before = plant.batches.rows[0][at].copy(), plant.spilled.copy()
        plant.act(vessel.number, "dump")
        self.assertEqual(vessel.phase, "clear")
        self.assertTrue(np.allclose(plant.spilled - before, held[: len(before)]))
        self.assertIn("dumped", plant.events[-1].words)
        plant.run(plant.now_s + HOUR)  # masses close on, or it stops

    def test_a_blow_without_room_waits(self) -> None:
        plant = running()
        row = plant.batches.targets[0]
        plant.mass[row] *= 0.94 * 230 / plant.content(row)
        plant.fault("flow_limited", "brown", frac=0.0)
        plant.run(5 * HOUR)
        waiting = [one for one in plant.batches.houses[0].vessels if one.phase == "waits"]
        self.assertTrue(waiting)
        with self.assertRaises(DomainError) as caught:
            plant.act(waiting[0].number, "blow")
        self.assertEqual(caught.exception.code, "E_LIMIT")


def _reel(plant: Plant) -> str:
    return next(unit.id for unit in plant.line.units if getattr(unit, "order", False))


def _feed_of_blend(plant: Plant) -> str:
    return plant.layout.transfers[plant.plan.shares[0].driven].id


class WanderingTests(SimpleTestCase):
    """Disturbances come from the seed and the moment, close like all else, and go on over a save."""

    def test_it_wanders_by_its_seed_and_loses_nothing(self) -> None:
        one, same, other = (running(disturbed=True, seed=seed) for seed in (3, 3, 4))
        calm = running(seed=3)
        for plant in (one, same, other, calm):
            plant.run(3 * HOUR)
        self.assertTrue(np.array_equal(one.mass, same.mass))
        self.assertFalse(np.array_equal(one.mass, other.mass))
        self.assertLess(one.worst_closure, 1e-12)
        self.assertAlmostEqual(one.truth("blend_level") or 0, calm.truth("blend_level") or 0, delta=6)

    def test_saved_while_it_wanders_it_goes_on_alike(self) -> None:
        one, other = running(disturbed=True), running(disturbed=True)
        one.run(HOUR)
        other.restore(json.loads(json.dumps(one.state())))
        for plant in (one, other):
            plant.run(2 * HOUR)
        self.assertLess(float(np.abs(one.mass - other.mass).max()), 1e-6)


class AnyMillTests(SimpleTestCase):
    """No id means anything to the plant: the shipped mills under other names, and one it has never seen."""

    def test_an_order_may_leave_a_pulp_out_and_the_plant_runs_without_it(self) -> None:
        for line in (line_of("hallin_reach"), load_definition(TWO_LINES)):
            grade = line.grades[0]
            for left_out in (name for name, share in grade.shares.items() if 0 < share < 1):
                rest = 1 - grade.shares[left_out]
                shares = {name: 0.0 if name == left_out else share / rest for name, share in grade.shares.items()}
                order = Order.of(grade, grade.tonnes_per_h, shares)
                plant = Plant(line, order, dt_s=60, rides=False)
                plant.slow_s = 60.0
                plant.run(4 * HOUR)
                with self.subTest(line.mill, without=left_out):
                    self.assertIs(plant.order, order)
                    self.assertLess(plant.worst_closure, 1e-12)
                    truths = [value for tag in line.tags if (value := plant.truth(tag.id)) is not None]
                    self.assertTrue(np.isfinite(truths).all())
                    brought = plant.layout.passes[plant.layout.stream_at[left_out]] @ plant.flows
                    self.assertLess(brought[SOLIDS].sum() * 3600, 0.01)

    def test_stock_that_meets_stock_follows_it_so_that_no_chest_is_left_behind(self) -> None:
        line = load_definition(TWO_LINES)
        plant = Plant(line, dt_s=60, rides=False)
        plant.slow_s = 60.0
        grade = line.grades[0]
        plant.set_order(Order.of(grade, grade.tonnes_per_h / 2, grade.shares))
        plant.run(18 * HOUR)
        self.assertAlmostEqual(plant.truth("t_far") or 0.0, plant.truth("t_near") or 0.0, delta=10)
        self.assertEqual(float(plant.spilled.sum()), 0.0)
        near, far = (plant.handles[f"flow:from_{name}"].read() for name in ("near", "far"))
        rest = plant.result.streams
        self.assertAlmostEqual(far / near, rest["from_far"].total_t_per_h / rest["from_near"].total_t_per_h, delta=0.01)

    def test_the_third_mill_runs_and_the_renamed_one_runs_alike(self) -> None:
        third = Plant(load_definition(TWO_LINES), dt_s=20)
        third.batches.stagger()
        third.run(2 * HOUR)
        self.assertLess(third.worst_closure, 1e-12)
        self.assertTrue(third.events)
        self.assertEqual(len(run_steps.signatures), 1)  # compiled once, whatever the mill
        with TemporaryDirectory() as folder:
            other = Plant(load_definition(renamed(MILL, Path(folder))), dt_s=20)
            ours = Plant(line_of("hallin_reach"), dt_s=20)
            for plant in (ours, other):
                plant.batches.stagger()
                plant.run(HOUR)
            self.assertTrue(np.allclose(ours.mass, other.mass, rtol=1e-9, atol=1e-9))
            self.assertEqual(len(ours.handles), len(other.handles))
