"""A consistency comes back to its set point and stays there, however much or little stock runs, at any step of the plant."""

from collections.abc import Iterator
from unittest import TestCase

import numpy as np

from stock.line.definition import Definition
from stock.line.load import parse_definition
from stock.line.order import Order
from stock.simulate.plant import Plant
from tests.line import hallin_reach
from tests.mills import TWO_LINES


def thinned(plant: Plant, line: Definition) -> Iterator[tuple[str, int]]:
    """Yield the point of each flow of thick stock that runs straight to a dilution, and that dilution's loop."""
    for point in plant.handles:
        kind, _, name = point.partition(":")
        if kind != "flow":
            continue
        stream = line.graph.streams[name]
        way = [line.graph.units[stream.target], *line.graph.downstream(stream.target)]
        loop = next((f"consistency:{unit.id}" for unit in way if f"consistency:{unit.id}" in plant.loop_at), "")
        is_water = line.graph.dilution(loop.partition(":")[2]) is stream if loop else True
        if not is_water and f"consistency:{stream.source}" not in plant.loop_at:
            yield point, plant.loop_at[loop]


class AtAnyFlow(TestCase):
    def stays(self, line: Definition, step_s: float, *each_times: float) -> None:
        plant = Plant(line, dt_s=step_s, rides=False)
        plant.slow_s = 60.0
        plant.batches.stagger()
        plant.step(round(3600 / step_s))
        opened, checked = plant.state(), 0
        for point, loop in thinned(plant, line):
            for times in each_times:
                plant.restore(opened)
                handle = plant.handles[point]
                plant.write(point, min(times * handle.read(), handle.setting.high))
                plant.step(round(2400 / step_s))
                seen = []
                for _ in range(10):
                    plant.step(max(1, round(60 / step_s)))
                    seen.append(float(plant.true_signals()[loop]) / plant.set_point[loop])
                with self.subTest(point, times=times, step_s=step_s):
                    self.assertLess(np.ptp(seen), 0.05)
                    self.assertAlmostEqual(seen[-1], 1.0, delta=0.05)
                checked += 1
        self.assertGreater(checked, 5)

    def test_in_the_plant_that_lives(self) -> None:
        self.stays(parse_definition(TWO_LINES.read_text(encoding="utf-8")), 1.0, 0.1, 2.5)

    def test_looked_ahead_with_long_steps(self) -> None:
        for line in (hallin_reach(), parse_definition(TWO_LINES.read_text(encoding="utf-8"))):
            self.stays(line, 60.0, 0.1, 0.5, 2.5)

    def test_an_order_of_half_the_tonnes_swings_nothing_looked_ahead(self) -> None:
        for line in (hallin_reach(), parse_definition(TWO_LINES.read_text(encoding="utf-8"))):
            plant = Plant(line, dt_s=60.0, rides=False)
            plant.slow_s = 60.0
            plant.batches.stagger()
            grade = line.grades[0]
            plant.set_order(Order.of(grade, grade.tonnes_per_h / 2, grade.shares))
            plant.step(300)
            seen = []
            for _ in range(30):
                plant.step(1)
                seen.append(plant.true_signals()[plant.cons] / plant.set_point[plant.cons])
            self.assertLess(np.ptp(seen, axis=0).max(), 0.05)

    def test_where_no_stock_comes_the_water_ends(self) -> None:
        line = hallin_reach()
        for step_s in (1.0, 60.0):
            plant = Plant(line, dt_s=step_s, rides=False)
            point, loop = next(one for one in thinned(plant, line) if "bales" in one[0])
            water = line.graph.dilution(plant.plan.loops[loop].unit)
            before = plant.handles[f"flow:{water.id}"].read()
            plant.write(point, 0.0)
            plant.step(round(1800 / step_s))
            self.assertLess(plant.handles[f"flow:{water.id}"].read(), 0.05 * before)

    def test_half_the_stock_is_given_half_the_water(self) -> None:
        line, asked = hallin_reach(), []
        for times in (1.0, 0.5):
            plant = Plant(line, rides=False)
            point, loop = next(iter(thinned(plant, line)))
            plant.write(point, times * plant.handles[point].read())
            plant.step(1800)
            (driven,) = plant.driven_by_loops[plant.drives == loop]
            before = float(plant.wanted[driven])
            plant.set_point[loop] *= 0.98
            plant.step(1)
            asked.append(float(plant.wanted[driven]) - before)
        self.assertAlmostEqual(asked[1] / asked[0], 0.5, delta=0.01)
