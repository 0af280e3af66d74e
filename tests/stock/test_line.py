"""The line: its definition, its balance, its drawing."""

import re
from itertools import combinations
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.errors import DomainError
from stock.line.assembly import Assembly
from stock.line.balance import LineBalance, Order
from stock.line.closing import Closing
from stock.line.definition import DefinitionError
from stock.line.drawing import draw_line, draw_ribbon
from stock.line.load import parse_definition
from stock.material import COMPONENTS, Stream
from stock.primitives import Mix, React, Source
from tests.line import MILL, balance, hallin_reach
from tests.mills import defined, raw_of

FLOWS = st.fixed_dictionaries({name: st.floats(0, 500) for name in COMPONENTS})


class Material(TestCase):
    @given(FLOWS, FLOWS, st.fixed_dictionaries({name: st.floats(0, 1) for name in COMPONENTS}))
    def test_mixing_and_splitting_keep_every_component(self, one, other, shares):
        mixed = Stream.of(**one) + Stream.of(**other)
        accepts, rest = mixed.split(shares)
        for name in COMPONENTS:
            self.assertAlmostEqual(mixed[name], one[name] + other[name])
            self.assertAlmostEqual(accepts[name] + rest[name], mixed[name])

    def test_consistency_counts_what_a_filter_holds(self):
        self.assertAlmostEqual(Stream.of(fibre=3, filler=1, organics=2, water=94).consistency_pct, 4.0)
        self.assertEqual(Stream.of().consistency_pct, 0.0)

    def test_refusals(self):
        for bad in ({"fibre": -1}, {"gold": 1}, {"water": float("nan")}):
            with self.subTest(bad), self.assertRaises(DomainError):
                Stream.of(**bad)
        with self.assertRaises(DomainError):
            Stream.of(fibre=1).split(1.2)


class Balance(TestCase):
    def test_every_grade_closes_and_can_be_met(self):
        for grade in hallin_reach().grades:
            result = balance().solve(Order.of(grade))
            with self.subTest(grade.id):
                self.assertLess(result.closure_frac, 1e-9)
                self.assertTrue(result.feasible)
                self.assertAlmostEqual(result.streams["reel_out"].total_t_per_h, grade.tonnes_per_h)
                self.assertAlmostEqual(
                    result.streams["reel_out"]["filler"], grade.ash_frac * result.streams["reel_out"].bdt_per_h
                )

    @settings(max_examples=15)
    @given(st.floats(1, 14), st.lists(st.floats(0.02, 1), min_size=6, max_size=6))
    def test_any_recipe_closes_and_holds_its_shares(self, tonnes, weights):
        names = list(hallin_reach().grades[0].shares)
        shares = {name: weight / sum(weights) for name, weight in zip(names, weights, strict=True)}
        result = balance().solve(Order.of(hallin_reach().grades[0], tonnes, shares))
        self.assertLess(result.closure_frac, 1e-9)
        furnish = sum(result.streams[name].bdt_per_h for name in names)
        for name in names:
            self.assertAlmostEqual(result.streams[name].bdt_per_h / furnish, shares[name], places=7)

    def test_whatever_pulps_are_left_out_its_water_settles(self):
        """What stands still is fed by what rounding leaves of nothing: its tank is not stronger or weaker for it."""
        solver = LineBalance(hallin_reach())
        for grade in hallin_reach().grades:
            for count in range(1, len(grade.shares)):
                for kept in combinations(grade.shares, count):
                    shares = {name: 1 / count if name in kept else 0.0 for name in grade.shares}
                    with self.subTest(grade.id, kept=kept):
                        result = solver.solve(Order.of(grade, 9.0, shares))
                        self.assertLess(result.closure_frac, 1e-9)
                        self.assertLess(result.passes, 40)
                        for name in set(shares) - set(kept):
                            self.assertLess(abs(result.streams[name].total_t_per_h), 1e-6)

    def test_each_unit_closes_when_counted_by_hand(self):
        result = balance().solve(Order.of(hallin_reach().grades[0]))
        fed = result.streams["brown"] + result.streams["wash_water"]
        left = result.streams["washed"] + result.streams["wash_filtrate"]
        np.testing.assert_allclose(fed.flows_t_per_h, left.flows_t_per_h, atol=1e-9)
        cooked = result.streams["chips_in"] + result.streams["liquor_in"]
        self.assertAlmostEqual(cooked.total_t_per_h, result.streams["blown"].total_t_per_h)
        self.assertAlmostEqual(result.streams["blown"]["fibre"], 0.522 * cooked["fibre"])

    def test_set_consistencies_hold_with_the_loops_closed(self):
        result = balance().solve(Order.of(hallin_reach().grades[0]))
        for stream, wanted in (("blended", 3.5), ("thick_stock", 3.2), ("to_wire", 0.78), ("to_float", 1.2)):
            self.assertAlmostEqual(result.streams[stream].consistency_pct, wanted, places=6)
        tray, recirculated = result.streams["tray"], result.streams["recirculated"]
        self.assertGreater(recirculated["filler"], 0)
        self.assertLess(abs(recirculated["filler"] / recirculated["water"] - tray["filler"] / tray["water"]), 3e-4)

    def test_flows_scale_with_the_order(self):
        grade = hallin_reach().grades[0]
        half, whole = balance().solve(Order.of(grade, 5.0)), balance().solve(Order.of(grade, 10.0))
        for name in half.streams:
            np.testing.assert_allclose(
                2 * half.streams[name].flows_t_per_h, whole.streams[name].flows_t_per_h, rtol=1e-5, atol=1e-6
            )

    def test_an_order_too_large_names_what_binds(self):
        result = balance().solve(Order.of(hallin_reach().grades[0], 16.0))
        self.assertFalse(result.feasible)
        with self.assertRaisesRegex(DomainError, "Reel would have to carry 15.1.*14.41 t/h at most"):
            result.require_feasible()
        self.assertTrue(balance().solve(Order.of(hallin_reach().grades[0], result.most_t_per_h * 0.999)).feasible)

    def test_what_is_set_thicker_than_what_comes_to_it_cannot_be_met(self):
        raw = raw_of(MILL)
        next(unit for unit in raw["units"] if unit["id"] == "furnish_chest")["consistency_pct"] = 1.75
        line = defined(raw)
        result = LineBalance(line).solve(Order.of(line.grades[0]))
        self.assertLess(result.streams["chest_water"]["water"], 0)
        self.assertLessEqual(result.binding.used_frac, 1)
        self.assertFalse(result.feasible)
        taken = -result.streams["chest_water"]["water"]
        thick = line.unit(line.stream("chest_water").target).name
        with self.assertRaisesRegex(DomainError, f"^{thick} is set thicker than what comes to it: {taken:.1f} t/h"):
            result.require_feasible()

    def test_a_recipe_can_move_the_bottleneck(self):
        shares = {"wood": 0.80, "cane": 0.05, "recovered": 0.03, "bales": 0.04, "cream_broke": 0.08, "white_broke": 0.0}
        result = balance().solve(Order.of(hallin_reach().grades[0], 12.8, shares))
        self.assertEqual(result.binding.unit, "Wood digesters")
        self.assertFalse(result.feasible)

    def test_orders_that_cannot_be_are_refused_by_field(self):
        grade = hallin_reach().grades[0]
        for tonnes, shares, field, code in (
            (-1, None, "reel_t_per_h", "E_RANGE"),
            (5, {**grade.shares, "wood": 0.9}, "shares", "E_SUM"),
            (5, {**grade.shares, "wood": 1.4}, "wood", "E_RANGE"),
        ):
            with self.subTest(field), self.assertRaises(DomainError) as caught:
                Order.of(grade, tonnes, shares)
            self.assertEqual((caught.exception.argument, caught.exception.code), (field, code))


class Closes(TestCase):
    """What is lost or made anywhere is seen, but for pulp that turns to dissolved organics where it reacts."""

    def worst(self, stream, **more):
        """Return how far the line is from closing with so much more of a component in a stream, t/h."""
        line, result = hallin_reach(), balance().solve(Order.of(hallin_reach().grades[0]))
        flows = np.array([result.streams[one.id].flows_t_per_h for one in line.streams])
        largest = float(flows.max())
        row = [one.id for one in line.streams].index(stream)
        for name, t_per_h in more.items():
            flows[row, COMPONENTS.index(name)] += t_per_h
        return Closing(line, Assembly(line)).worst(flows) * largest

    def test_what_is_made_or_lost_within_the_line_is_found_whole(self):
        line = hallin_reach()
        inner = [
            one.id for one in line.streams if all(isinstance(line.unit(end), Mix) for end in (one.source, one.target))
        ]
        self.assertGreater(len(inner), 3)
        for stream in inner:
            self.assertLess(self.worst(stream), 1e-6)
            self.assertAlmostEqual(self.worst(stream, fibre=0.5), 0.5, 6)
            self.assertAlmostEqual(self.worst(stream, water=-0.25, fibre=0.2), 0.25, 6)

    def test_fibre_that_dissolves_where_it_reacts_is_not_lost(self):
        line, result = hallin_reach(), balance().solve(Order.of(hallin_reach().grades[0]))
        reacts = [unit for unit in line.units if isinstance(unit, React)]
        self.assertGreater(len(reacts), 3)
        for unit in reacts:
            (out,) = line.graph.out(unit.id)
            came = sum(result.streams[one.id]["fibre"] for one in line.graph.into(unit.id))
            self.assertGreater(came - result.streams[out.id]["fibre"], 0.01, unit.id)
            self.assertLess(self.worst(out.id), 1e-6)

    def test_at_the_ends_the_whole_is_counted(self):
        line = hallin_reach()
        fed = next(one.id for one in line.streams if isinstance(line.unit(one.source), Source))
        into = line.stream(fed).target
        self.assertAlmostEqual(self.worst(fed, fibre=2.0), 2.0, 6)
        self.assertNotIsInstance(line.unit(into), Source)


class Spelling(TestCase):
    def test_a_file_of_before_bone_dry_had_one_spelling_is_read_as_it_was_meant(self):
        text = MILL.read_text(encoding="utf-8")
        former = re.sub(r"_bdt(?=[a-z_]*:)", "_odt", text)
        self.assertGreater(sum(one != two for one, two in zip(former.split("_"), text.split("_"), strict=True)), 30)
        self.assertEqual(parse_definition(former), parse_definition(text))
        rates = text.replace("capacity_bdt_per_h", "capacity_bd_t_per_h")
        self.assertEqual(parse_definition(rates), parse_definition(text))

    def test_a_name_that_never_was_is_refused_still(self):
        with self.assertRaisesRegex(DefinitionError, "capacity_tons"):
            parse_definition(MILL.read_text(encoding="utf-8").replace("capacity_bdt_per_h", "capacity_tons", 1))


class DefinitionFaults(TestCase):
    def broken(self, change):
        raw = raw_of(MILL)
        change(raw)
        with self.assertRaises(DefinitionError) as caught:
            LineBalance(defined(raw))
        return " | ".join(caught.exception.faults)

    def unit(self, raw, unit_id):
        return next(unit for unit in raw["units"] if unit["id"] == unit_id)

    def recipe(self, raw, school):
        return next(one for one in raw["cook"]["recipes"] if one["school"] == school)

    def test_faults_name_part_field_and_what_is_allowed(self):
        cases = (
            (lambda raw: self.unit(raw, "wood_cook").update(yield_frac=1.4), "units · wood_cook · yield_frac.*1.4"),
            (lambda raw: self.unit(raw, "wood_cook").update(yeild=1), "units · wood_cook · yeild"),
            (lambda raw: self.unit(raw, "pulper").update(kind="pulp"), "units · pulper"),
            (
                lambda raw: self.unit(raw, "logs")["solids"].update(fibre=0.5),
                "units · logs · solids: they add to 0.628",
            ),
            (lambda raw: raw["streams"][0].update(to="nowhere"), "streams · logs_in · to: there is no unit nowhere"),
            (lambda raw: raw["streams"].append(dict(raw["streams"][0])), "streams · logs_in: the id is used twice"),
            (lambda raw: raw["grades"][0]["shares"].update(wood=0.9), "grades · chart_cream · shares: they add to 1.4"),
            (
                lambda raw: raw["tags"][0]["band"].update(target=90),
                "tags · chip_moisture · band: target must lie inside",
            ),
            (
                lambda raw: self.unit(raw, "wood_blow_tank").update(station="attic"),
                "units · wood_blow_tank · station: there is no station attic",
            ),
            (lambda raw: raw.pop("grades"), "grades: Field required"),
            (lambda raw: self.unit(raw, "wood_refine").pop("consistency_pct"), "unknown flows but"),
            (
                lambda raw: self.unit(raw, "wood_wash")["wash"].update(dilution_factor_t_per_bdt=99),
                "wood_wash · wash · dilution_factor",
            ),
            (
                lambda raw: self.unit(raw, "wood_wash")["wash"].update(stream="logs_in"),
                "units · wood_wash · wash · stream: logs_in is not a stream that brings water to wood_wash",
            ),
            (
                lambda raw: self.unit(raw, "wood_refine")["slope"].update(value=0),
                "units · wood_refine · slope · value.*0",
            ),
            (
                lambda raw: self.recipe(raw, "kraft").update(
                    alkaline={**self.recipe(raw, "kraft")["alkaline"], "alpha": 15}
                ),
                "cook · recipes · .* · alkaline: kappa .* is where this relation begins, 15, or above it",
            ),
            (
                lambda raw: self.recipe(raw, "kraft")["alkaline"].update(charge_pct_naoh_on_wood=4),
                "cook · recipes · .* · alkaline: .*",
            ),
            (lambda raw: self.recipe(raw, "kraft")["alkaline"].update(alpha=-3), "alkaline · alpha.*-3"),
            (lambda raw: self.unit(raw, "wood_wash").update(kind=["washer"]), "units · wood_wash"),
            (
                lambda raw: raw["cook"]["digesters"][0].update(recipes=[["nothing"]]),
                "cook · digesters · digester_1 · recipes",
            ),
        )
        for change, message in cases:
            with self.subTest(message):
                self.assertRegex(self.broken(change), message)

    def test_several_faults_are_told_together(self):
        def change(raw):
            self.unit(raw, "wood_cook").update(yield_frac=1.4)
            self.unit(raw, "pulper").update(consistency_pct=140)

        told = self.broken(change)
        self.assertIn("wood_cook", told)
        self.assertIn("pulper", told)

    def test_text_that_is_no_definition(self):
        for text, words in (("a: [1", "line 1|line 2"), ("just words", "mapping"), ("x" * 2_100_000, "2 MB")):
            with self.subTest(words), self.assertRaisesRegex(DefinitionError, words):
                parse_definition(text)


class DrawnLine(TestCase):
    def setUp(self):
        result = balance().solve(Order.of(hallin_reach().grades[0]))
        self.flows = {name: stream.bdt_per_h for name, stream in result.streams.items()}

    def test_every_gate_and_vat_is_drawn_inside_the_box(self):
        drawing = draw_line(hallin_reach(), self.flows, width=962, height=498)
        drawn = {node.unit for node in drawing.nodes}
        for unit in hallin_reach().units:
            volume = getattr(unit, "volume_m3", None)
            if volume or (unit.gate and unit.station != "deliver"):
                self.assertIn(unit.id, drawn)
        for node in drawing.nodes:
            self.assertTrue(0 < node.x < 962 and 0 < node.y < 498, node)

    def test_marks_of_one_lane_do_not_stand_on_each_other(self):
        drawing = draw_line(hallin_reach(), self.flows, width=962, height=498)
        lanes = {}
        for node in drawing.nodes:
            lanes.setdefault(round(node.y), []).append(node.x)
        for xs in lanes.values():
            gaps = np.diff(sorted(xs))
            self.assertTrue((gaps > 60).all())

    def test_lanes_follow_the_order_of_the_families(self):
        drawing = draw_line(hallin_reach(), self.flows, width=962, height=498)
        self.assertEqual(
            [lane.family for lane in drawing.lanes], ["wood", "cane", "recovered", "bales", "broke", "broke"]
        )
        self.assertEqual(sorted(lane.y for lane in drawing.lanes), [lane.y for lane in drawing.lanes])

    def test_the_ribbon_puts_marks_under_their_station(self):
        ribbon = draw_ribbon(hallin_reach(), self.flows, width=1000, height=78)
        for node in ribbon.nodes:
            index = [station.id for station in hallin_reach().stations].index(node.station)
            self.assertAlmostEqual(node.x, 100 * index + 50, delta=60)
