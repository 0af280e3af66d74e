"""Words and drawings of the desk, each on both sides of where it changes."""

import math
from datetime import timedelta
from types import SimpleNamespace
from unittest.mock import patch

from django.test import SimpleTestCase
from django.utils import timezone

from desk.floor.models import Cook
from desk.floor.next_up import _can_hurt, _samples
from desk.floor.state import State
from desk.floor.station import Told
from desk.frame.templatetags.desk import signed
from desk.stations.ahead.looking import Ahead, judged
from desk.stations.ahead.models import Foretold
from desk.stations.ahead.pages import _differences
from desk.stations.bleach.back import NIL_G_PER_L, _last
from desk.stations.cook.board import AHEAD_MIN, BACK_MIN, board_of
from desk.stations.cook.house import house_of
from desk.stations.cook.known import strength_of
from desk.stations.cook.learn import Past, _suspect
from desk.stations.cook.models import Forecast
from desk.stations.cook.pages.done import stats
from desk.stations.cook.pages.drawing import BOARD_W, BOARD_X, draw_board
from desk.stations.cook.sheet import Line
from desk.stations.cook.telling import made
from desk.stations.moves.models import Move
from desk.stations.moves.telling import made as made_moves
from desk.stations.plain.page import station_sentence
from desk.stations.wash.shown import CAUSES, Shows
from stock.simulate.outlook import Course, Outlook
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import CHIPS, WHITE, HouseCase
from tests.line import hallin_reach, tidewater_bench


class Signs(SimpleTestCase):
    """A difference has its sign; what rounds to nought has none."""

    def test_signs(self):
        for value, decimals, text in (
            (1.0, 1, "+1.0"), (-1.0, 1, "−1.0"), (0.04, 1, "0.0"), (-0.04, 1, "0.0"), (-0.06, 1, "−0.1"), (None, 1, ""),
            (-0.4, 0, "0"), (12.5, 2, "+12.50"),
        ):  # fmt: skip
            with self.subTest(value):
                self.assertEqual(signed(value, decimals), text)


class SheetLines(SimpleTestCase):
    """A row of the charge sheet: planned, done, and by how much it is off."""

    def row(self, planned, actual, **more):
        return Line("White liquor", "m3", planned, actual, **more)

    def test_what_is_off_by_more_than_its_share_says_by_how_much(self):
        near, far = self.row(20.0, 20.2), self.row(20.0, 25.0)
        self.assertFalse(near.off)
        self.assertTrue(far.off)
        self.assertAlmostEqual(near.by_pct, 1.0)
        self.assertAlmostEqual(far.by_pct, 25.0)
        self.assertFalse(self.row(20.0, 25.0, strict=False).off)

    def test_where_either_is_missing_or_nothing_was_planned_nothing_is_off(self):
        for planned, actual in ((None, 20.0), (20.0, None), (0.0, 3.0)):
            with self.subTest(planned=planned, actual=actual):
                self.assertFalse(self.row(planned, actual).off)
                self.assertIsNone(self.row(planned, actual).by_pct)
        self.assertEqual(self.row(None, None).actual_text, "")


class OneMachine(SimpleTestCase):
    """What is said of a washing machine by its rounds."""

    def said(self, value, mean=5.0, doubt=0.4, **more):
        last = None if value is None else SimpleNamespace(value=value, results={"u_e_std_ratio": doubt})
        return Shows(
            **{"number": 1, "machine": None, "last": last, "row": None, "mean": mean, "count": 3, "behind": False}
            | more
        ).words

    def test_within_twice_its_doubt_it_is_as_it_was(self):
        self.assertEqual(self.said(None), "not measured yet")
        self.assertEqual(self.said(5.79), "as it was: 5.0 on mean before")
        self.assertEqual(self.said(4.21), "as it was: 5.0 on mean before")
        for value in (5.81, 4.19):
            self.assertEqual(
                self.said(value), "apart from 5.0 on mean before; take a second round before anything is moved"
            )
        self.assertEqual(self.said(5.0, count=0), "as it was: 5.0 by the file")
        self.assertEqual(self.said(3.0, behind=True), f"behind: 5.0 on mean before. Look in order at {CAUSES}")


class HowForecastsDid(SimpleTestCase):
    """Bias, spread and the share inside the band, of the cooks that were forecast and measured."""

    def past(self, number, error, kinetic=None, half=1.0):
        known = dict.fromkeys(Past.__dataclass_fields__)
        return Past(**known | {
            "number": number, "kappa": 18 + error, "forecast": 18.0, "half": half, "kinetic": kinetic, "flag": "",
        })  # fmt: skip

    def test_three_cooks_are_the_fewest(self):
        self.assertIsNone(stats([self.past(1, 0.0), self.past(2, 0.5)]))
        found = stats([self.past(1, 0.0), self.past(2, 0.5), self.past(3, -2.0)])
        self.assertEqual(found["count"], 3)
        self.assertAlmostEqual(found["bias"], -0.5)
        self.assertAlmostEqual(found["spread"], 1.0801, places=3)
        self.assertAlmostEqual(found["inside"], 200 / 3)
        self.assertEqual(found["kinetic_count"], 0)
        self.assertIsNone(found["kinetic_bias"])

    def test_the_other_way_is_counted_where_it_was_worked_out(self):
        rows = [self.past(1, 1.0, kinetic=18.0), self.past(2, 3.0, kinetic=19.0), self.past(3, 0.0)]
        found = stats(rows)
        self.assertEqual(found["kinetic_count"], 2)
        self.assertAlmostEqual(found["kinetic_bias"], 1.5)
        self.assertAlmostEqual(found["kinetic_spread"], 0.5)


class FarFromTheOthers(SimpleTestCase):
    """Cooks of acid that lie far from the line of the others."""

    def cooks(self, *off):
        recipe = next(one for one in tidewater_bench().cook.recipes if one.is_sulphite)
        known, rows = dict.fromkeys(Past.__dataclass_fields__), []
        for number in range(12):
            factor = recipe.acid.reference_factor * (0.9 + 0.02 * number)
            rate = math.log(recipe.acid.zero_kappa / recipe.acid.reference_cook_kappa) / recipe.acid.reference_factor
            rate *= 1 + 0.004 * (-1) ** number + (0.3 if number in off else 0.0)
            kappa = recipe.acid.zero_kappa * math.exp(-rate * factor)
            rows.append(Past(**known | {"number": number, "factor": factor, "kappa": kappa, "flag": ""}))
        return recipe, rows

    def test_one_that_cooked_a_third_faster_is_named_and_of_seven_none(self):
        recipe, rows = self.cooks(5)
        self.assertEqual(_suspect(recipe, rows), {5})
        self.assertEqual(_suspect(recipe, rows[:8]), {5})
        self.assertEqual(_suspect(recipe, rows[:7]), set())
        self.assertEqual(_suspect(*self.cooks()), set())


class QuietReadings(SimpleTestCase):
    def test_two_that_are_called_alike_have_their_whole_names(self):
        def reading(short, name):
            return SimpleNamespace(tag=SimpleNamespace(short=short, name=name))

        rows = [reading("pH", "pH of the first"), reading("Flow", "Flow to it"), reading("ph", "pH of the second")]
        told = Told("Bleach", "", rows, [])
        self.assertEqual([name for name, _ in told.labelled], ["pH of the first", "Flow", "pH of the second"])


class BleachTracedBack(SimpleTestCase):
    """What is said of the last stage, by what is read there."""

    def last(self, *, short=True, **read):
        unit = hallin_reach().unit("wood_bleach")

        def reading(state, of, point):
            value = read.get(point)
            if value is None:
                return None
            level = "outside" if isinstance(value, tuple) else "ok"
            value = value[0] if isinstance(value, tuple) else value
            return SimpleNamespace(value=value, verdict=SimpleNamespace(level=level, words="low"))

        with patch("desk.stations.bleach.back._reading", reading):
            return _last(None, unit, is_short=short), unit.called(len(unit.stages) - 1)

    def test_its_conditions_go_before_its_charge(self):
        said, name = self.last(mixed=(61.0,), end_ph=(3.1,), residual=0.0)
        self.assertEqual(said, f"{name}: its warmth 61 is low, its end pH 3.1 is low")
        said, name = self.last(mixed=70.0, residual=0.3)
        self.assertEqual(said, f"{name} has 0.3 g/L left: conditions before charge")
        said, name = self.last(residual=NIL_G_PER_L)
        self.assertEqual(said, f"{name} ran out of chemical, 0.02 g/L left: strength, pump, then its charge")

    def test_with_nothing_read_it_is_its_charge_where_it_falls_short_and_nothing_where_it_does_not(self):
        said, name = self.last()
        self.assertEqual(said, f"{name} by its charge")
        self.assertEqual(self.last(short=False)[0], "")
        self.assertEqual(self.last(short=False, residual=0.3)[0], "")


class SamplesDue(DeskCase):
    def items(self, tag, minutes=0):
        state = State(self.world, NOW + timedelta(minutes=minutes))
        name = state.line.tag(tag).name
        what = f"Sample: {name[:1].lower()}{name[1:]}"
        return next(one for one in _samples(state) if one.what == what), state.line.tag(tag)

    def test_it_is_due_its_hours_after_the_last_and_a_quarter_of_an_hour_later_overdue(self):
        tag = next(one for one in hallin_reach().tags if one.every_h and one.station == "bleach").id
        none, _ = self.items(tag)
        self.assertEqual(none.at, NOW)
        self.assertRegex(none.size, r"^Every \d+ h, none yet\.$")
        self.enter(tag, hallin_reach().tag(tag).band.target, minutes_ago=10)
        for minutes, overdue in ((0, False), (14, False), (16, True)):
            one, told = self.items(tag, 60 * hallin_reach().tag(tag).every_h - 10 + minutes)
            self.assertEqual(one.at, NOW - timedelta(minutes=10) + timedelta(hours=told.every_h))
            self.assertEqual(one.size.startswith("Overdue since "), overdue, minutes)
            self.assertIn("Last ", one.size)

    def test_gas_a_hot_pile_and_what_a_digester_stands_under_can_hurt(self):
        state = State(self.world, NOW)
        hurting = {tag.id for tag in state.line.tags if _can_hurt(state, tag)}
        for digester in state.line.cook.digesters:
            self.assertIn(digester.temperature, hurting)
            self.assertIn(digester.pressure, hurting)
        self.assertNotIn("brown_cons", hurting)
        self.assertTrue({tag.id for tag in state.line.tags if tag.reads == "gas"} <= hurting)
        heats = {tag.id for tag in state.line.tags if tag.reads == "temperature"}
        piles = {pile.id for pile in state.line.yard.piles}
        hot = {tag.id for tag in state.line.tags if tag.of in piles and tag.reads == "temperature"}
        self.assertTrue(hot <= hurting)
        self.assertTrue(heats - hurting)


class AStationsSentence(DeskCase):
    def test_it_names_up_to_three_of_its_machines_and_what_is_off(self):
        state = State(self.world, NOW)
        for station in state.line.stations:
            loads = [one for one in state.result.loads if one.station == station.id]
            said = station_sentence(state, station.id, [])
            for at, load in enumerate(loads):
                name = load.unit if at == 0 else load.unit[:1].lower() + load.unit[1:]
                with self.subTest(station.id, load=load.unit):
                    self.assertEqual(f"{name} at {load.bdt_per_h:.1f} BDt/h" in said, at < 3)
        self.enter("brown_cons", 2.9)
        self.enter("d1_residual", 1.9)
        state = State(self.world, NOW)
        off = [one.tag for one in state.off]
        said = station_sentence(state, "wash", off)
        self.assertIn(f"{state.off[0].tag.name} is ", said)
        self.assertIn(f" {len(off) - 1} more out of band." if len(off) > 1 else "", said)


class ForetoldLevels(DeskCase):
    def test_what_was_foretold_is_counted_in_bone_dry_tonnes_against_what_was_read(self):
        state = State(self.world, NOW)
        unit, vessel = next(
            (name, one) for name, one in state.vessels.items() if one.level and one.volume_m3 and one.holds_pct
        )
        series = state.readings[vessel.level].value
        for hours in (1, 2, 3):
            Foretold.objects.create(
                world=self.world, unit=unit, made_at=NOW - timedelta(hours=hours), for_at=NOW - timedelta(minutes=1),
                level_pct=series + 10.0, sd_pct=4.0,
            )  # fmt: skip
        found = judged(State(self.world, NOW))
        self.assertEqual(list(found), [unit])
        tonnes = 10.0 * vessel.volume_m3 * vessel.holds_pct / 1e4
        self.assertAlmostEqual(found[unit].value, tonnes, delta=0.15 * tonnes)
        self.assertIn("3 levels foretold", str(found[unit].data["said_each_bdt"].origin))


class CookHouseSaid(HouseCase):
    def test_cooks_blown_are_counted_by_recipe_with_the_pulp_of_their_wood(self):
        state = self.state()
        self.assertEqual(made(state, NOW - timedelta(hours=8)), [])
        first = Cook.objects.filter(recipe="alder").first()
        self.blown(first.number, 30)
        said = made(self.state(), NOW - timedelta(hours=8))
        self.assertRegex(said[0], r"^[A-Z].*: 1 cook blown, \d+\.\d ADt by the recipe's yield$")
        other = Cook.objects.filter(recipe="alder").exclude(number=first.number).first()
        self.blown(other.number, 20)
        self.assertIn(": 2 cooks blown, ", made(self.state(), NOW - timedelta(hours=8))[0])
        self.assertEqual(made(self.state(), NOW - timedelta(minutes=10)), [])

    def blown(self, number, minutes_ago):
        Forecast.objects.create(
            world=self.world, number=number, at=NOW - timedelta(minutes=minutes_ago), relation_version=1,
            relation_words="x", factor=900, kappa=18, half_kappa=1, yield_pct=50, liquor_to_wood=4,
        )  # fmt: skip

    def test_its_liquor_is_in_when_the_fill_is_or_the_time_for_it(self):
        self.plan()
        self.log("chips", 0, CHIPS)
        house = house_of(self.state(5))
        cook, recipe = Cook.objects.get(number=1190), house.part.recipe("alder")
        self.assertFalse(house._charged(cook, recipe, 999.0))  # no liquor at all
        self.log("liquor", 8, WHITE)
        house = house_of(self.state(9))
        edge = 2 * recipe.liquor_min
        self.assertFalse(house._charged(cook, recipe, edge))
        self.assertTrue(house._charged(cook, recipe, edge + 0.1))

    def test_spent_liquor_known_by_the_cooks_is_thinned_by_washing_and_any_other_is_as_titrated(self):
        house = house_of(self.state())
        for tank in house.part.tanks:
            reading = house.state.readings.get(tank.strength or "")
            found = strength_of(house, tank)
            with self.subTest(tank.name):
                if reading is None:
                    self.assertIsNone(found)
                elif tank.liquor == "black" and any(one.residual_tag == reading.tag.id for one in house.part.recipes):
                    self.assertLess(found.value, reading.value)
                    self.assertEqual(found.key, f"strength:{tank.id}")
                else:
                    self.assertEqual(found.value, reading.value)

    def test_the_board_draws_each_leg_where_its_minutes_are(self):
        house = house_of(self.state())
        board = board_of(house)
        drawn = draw_board(house, board, 0)
        self.assertTrue(drawn["bars"])
        per_min = (BOARD_W - BOARD_X) / (AHEAD_MIN + BACK_MIN)
        self.assertAlmostEqual(drawn["now_x"], BOARD_X + BACK_MIN * per_min, places=6)
        for one in drawn["bars"]:
            self.assertGreaterEqual(one.x, BOARD_X)
            self.assertLessEqual(one.x + one.width, BOARD_W + 1e-9)
            self.assertAlmostEqual(one.x, one.blocks[0].x)
            self.assertAlmostEqual(one.x + one.width, one.blocks[-1].x + one.blocks[-1].width)
            for block in one.blocks:
                self.assertGreater(block.width, 0)
        inside = [leg for bar in board.bars for leg in bar.legs if -BACK_MIN < leg.from_min < leg.to_min < AHEAD_MIN]
        places = {round(block.x, 3) for one in drawn["bars"] for block in one.blocks}
        shown = [leg for leg in inside if round(BOARD_X + (leg.from_min + BACK_MIN) * per_min, 3) in places]
        self.assertGreater(len(shown), len(inside) / 2)


class OtherwiseAhead(SimpleTestCase):
    """What another plan would change ahead, by vessel, the largest first."""

    UNITS = ("wood_blow_tank", "tower_a", "paper_chest")

    def outlook(self, *levels, low=(0.0, 0.0, 0.0), over=(0.0, 0.0, 0.0)):
        courses = {
            unit: Course(unit, list(level), list(level), list(level), list(low), list(over))
            for unit, level in zip(self.UNITS, levels, strict=True)
        }
        return Outlook([0.0, 1.0, 2.0], courses, [], [])

    def said(self, other):
        base = self.outlook((50.0, 50.0, 50.0), (60.0, 60.0, 60.0), (40.0, 40.0, 40.0))
        return _differences(SimpleNamespace(line=hallin_reach()), Ahead(NOW, base), other)

    def test_a_point_and_more_is_told_where_it_is_most(self):
        found = self.said(self.outlook((50.0, 50.9, 50.0), (60.0, 61.0, 59.0), (40.0, 34.0, 43.0)))
        names = [hallin_reach().unit(unit).name for unit in ("paper_chest", "tower_a")]
        self.assertEqual([name for name, _ in found], names)
        self.assertEqual(found[0][1], f"−6 points at {local(NOW + timedelta(hours=1))}")
        self.assertEqual(found[1][1], f"+1 points at {local(NOW + timedelta(hours=1))}")
        self.assertEqual(self.said(self.outlook((50.9, 50.0, 50.0), (60.0, 59.1, 60.0), (40.0, 40.0, 40.0))), [])

    def test_what_would_more_likely_than_not_run_low_or_over_says_when(self):
        levels = ((50.0, 40.0, 30.0), (60.0, 60.0, 60.0), (40.0, 40.0, 40.0))
        for chances, ending in (
            ({"low": (0.0, 0.4, 0.6)}, f"; low {local(NOW + timedelta(hours=2))}"),
            ({"over": (0.0, 0.6, 0.9)}, f"; full {local(NOW + timedelta(hours=1))}"),
            ({"over": (0.0, 0.5, 0.5)}, ""),
        ):
            with self.subTest(ending):
                ((_, words),) = self.said(self.outlook(*levels, **chances))
                self.assertEqual(words, f"−20 points at {local(NOW + timedelta(hours=2))}{ending}")

    def test_a_vessel_that_was_not_looked_at_before_is_left_out(self):
        other = self.outlook((10.0, 10.0, 10.0), (60.0, 60.0, 60.0), (40.0, 40.0, 40.0))
        other.courses["new_tank"] = other.courses.pop("wood_blow_tank")
        self.assertEqual(self.said(other), [])


class MovesOfAShift(DeskCase):
    def test_those_made_since_are_told_and_those_before_are_not(self):
        for minutes in (600, 30):
            Move.objects.create(
                world=self.world, by=self.people["operator"], form_key=f"m{minutes}", point="flow:brown_water",
                words="flow of brown water", unit="L/min", station="wash", from_value=2340, to_value=2340 + minutes,
                at=NOW - timedelta(minutes=minutes),
            )  # fmt: skip
        state = State(self.world, NOW)
        since = list(made_moves(state, NOW - timedelta(hours=1)))
        self.assertEqual(len(since), 1)
        self.assertTrue(
            since[0].startswith(f"{local(NOW - timedelta(minutes=30))} flow of brown water: 2340 to 2370 L/min. ")
        )
        self.assertEqual(len(list(made_moves(state, NOW - timedelta(hours=11)))), 2)
        self.assertEqual(len(list(made_moves(state, NOW - timedelta(minutes=30)))), 1)  # at the moment itself


def local(at):
    """Return a moment as the pages write it."""
    return f"{timezone.localtime(at):%H:%M}"
