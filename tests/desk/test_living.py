"""Half an hour of a shift, lived: the plant answers what is done at the desk, and the desk says what came of it."""

from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from desk.exchange.pick_up import pick_up
from desk.floor.models import Record, World
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.ahead.looking import keep
from desk.stations.cook.models import Step
from desk.stations.moves.models import Made, Move, Setting
from desk.stations.moves.since import followed
from desk.stations.wash.shown import shows_of, washers
from standin.bench import ROUND_EVERY_S
from standin.living import Living
from tests.desk.base import NOW, DeskCase, plant
from tests.lived import Lived


class Shift(DeskCase):
    def setUp(self):
        super().setUp()
        World.objects.filter(pk=self.world.pk).update(simulated=True)
        self.world.refresh_from_db()
        self.lived = Lived(self.world, plant(), NOW, self.addCleanup)
        self.living, self.hands, self.wire = self.lived.living, self.lived.hands, self.lived.wire

    @property
    def now(self):
        return self.lived.now

    def pass_time(self, minutes):
        self.lived.pass_time(minutes)

    def state(self):
        return State(self.world, self.now)

    def test_a_thick_stock_is_diluted_by_one_press_and_comes_back(self):
        thick = self.state().readings["brown_cons"]
        self.assertEqual(thick.verdict.side, "high")
        self.sign_in("operator")
        card = next(one for one in self.state().advice if one.tag.id == "brown_cons")
        page = self.client.get(f"/live/at/{card.tag.station}/")
        self.assertContains(page, 'action="/live/moves/card/brown_cons/"')
        present = Setting.objects.get(point="flow:brown_water").value
        form = {"to": f"{present + card.change:.0f}", "side": "high", "form_key": "d1"}
        self.assertEqual(self.client.post("/live/moves/card/brown_cons/", form).status_code, 302)
        self.pass_time(0.2)
        self.assertTrue(Made.objects.get(move=Move.objects.get()).reached)
        self.assertContains(self.client.get("/live/moves/"), "Look first at")
        self.assertTrue(any(item.what == "Look at brown stock consistency" for item in next_up(self.state())))
        self.pass_time(15)
        one = followed(self.state())[0]
        self.assertEqual(one.verdict, "worked", one.sentence)
        self.assertLess(self.state().readings["brown_cons"].value, thick.value - 0.03)

    def test_a_stage_set_too_cold_is_set_warmer_by_its_card(self):
        point = "warmth:wood_bleach:3"
        self.living.plant.write(point, 64.0)
        self.pass_time(12)
        self.sign_in("operator")
        state = self.state()
        self.assertAlmostEqual(state.readings["d1_warmth"].value, 64, delta=1.5)
        card = next(one for one in state.advice if one.tag.id == "d1_warmth")
        self.assertEqual(card.moved.point, point)
        self.assertContains(self.client.get(f"/live/at/{card.tag.station}/"), 'action="/live/moves/card/d1_warmth/"')
        to = Setting.objects.get(point=point).value + card.step.value * card.moved.per_step
        self.assertAlmostEqual(to, 67, delta=0.2)
        form = {"to": f"{to:.1f}", "side": "low", "form_key": "w1"}
        self.assertEqual(self.client.post("/live/moves/card/d1_warmth/", form).status_code, 302)
        self.pass_time(12)
        self.assertTrue(Made.objects.get(move=Move.objects.get()).reached)
        self.assertAlmostEqual(self.state().readings["d1_warmth"].value, to, delta=1.5)
        self.assertEqual(followed(self.state())[0].verdict, "worked", followed(self.state())[0].sentence)

    def test_where_the_steam_is_lost_its_card_says_that_more_is_asked_for_already(self):
        self.living.plant.fault("bleach_cold", "wood_bleach", c=9.0)
        self.pass_time(12)
        card = next(one for one in self.state().advice if one.tag.id == "d1_warmth")
        self.assertIsNone(card.moved)
        self.assertTrue(any("It is set for 72 °C already" in words for words in card.carrying), card.carrying)

    def test_a_falling_tower_is_fed_and_the_look_ahead_knew(self):
        found = keep(self.state())
        low = found.outlook.courses["cane_tower"].first(found.outlook.times_h, 0.5)
        self.assertEqual(low[0], "low")
        self.sign_in("lead")
        form = {"point": "flow:cane_stock", "to": "420", "form_key": "f1", "text": "the cook runs late"}
        self.assertEqual(self.client.post("/live/moves/make/", form).status_code, 302)
        move = Move.objects.get()
        self.assertEqual(move.tag, "cane_tower_level")
        self.assertGreater(move.effect, 0)
        self.pass_time(35)
        after = keep(self.state())
        met = after.outlook.courses["cane_tower"].first(after.outlook.times_h, 0.5)
        self.assertTrue(met is None or met[1] > low[1] + 3)

    def test_a_blow_fills_the_tank_as_foretold(self):
        told = keep(self.state()).outlook
        blow = next(one for one in told.blows if one.unit == "wood_blow_tank")
        before = self.living.plant.truth("wood_blow_level")
        self.pass_time(60 * (blow.at_h + blow.long_h) + 12)
        course = told.courses["wood_blow_tank"]
        at = min(
            range(len(told.times_h)), key=lambda one: abs(told.times_h[one] - (self.now - NOW).total_seconds() / 3600)
        )
        level = self.living.plant.truth("wood_blow_level")
        self.assertGreater(level, before + 5)
        self.assertTrue(
            course.low_pct[at] - 6 <= level <= course.high_pct[at] + 6, (course.low_pct[at], level, course.high_pct[at])
        )

    def test_a_trim_reaches_the_instrument_and_an_order_the_machine(self):
        self.sign_in("operator")
        read = self.state().live["brown_cons"][1]
        self.client.post("/live/witness/brown_cons/trim/", {"by": "-0.10", "why": "seven pads", "form_key": "t"})
        self.assertEqual(Record.objects.filter(kind="trim").count(), 1)
        self.pass_time(1)
        self.assertAlmostEqual(self.state().live["brown_cons"][1], read - 0.10, delta=0.05)
        self.sign_in("lead")
        flow = self.living.plant.truth("thick_flow")
        self.living.ask(self.living.plant.order.grade.id, 11.0, dict(self.living.plant.order.shares))
        self.hands.asked = self.hands.order()
        self.pass_time(15)
        self.assertLess(self.living.plant.truth("thick_flow"), 0.95 * flow)

    def test_a_cut_line_loses_no_move(self):
        self.wire.cut = True
        self.sign_in("operator")
        self.client.post("/live/moves/make/", {"point": "flow:brown_water", "to": "2100", "form_key": "c"})
        self.pass_time(2)
        self.assertFalse(Made.objects.exists())
        self.assertIn("not answered", followed(self.state())[0].made_words)
        self.wire.cut = False
        self.pass_time(1)
        self.assertTrue(Made.objects.get().reached)
        self.assertAlmostEqual(self.living.plant.handles["flow:brown_water"].read(), 2100, delta=30)

    def test_the_laboratory_takes_what_is_due_a_little_off_and_late_and_a_person_comes_first(self):
        self.living.set("power:wood_refine", 420)
        self.pass_time(150)
        taken = [one for one in self.living.bench.taken if one.tag == "wood_freeness"]
        self.assertTrue(taken)
        true = self.living.plant.truth("wood_freeness")
        self.assertGreater(true, 470)
        self.assertAlmostEqual(taken[0].value, true, delta=18)  # three of its own deviations
        self.assertGreater(taken[0].known_s - taken[0].at_s, 30 * 60)
        rows = list(self.living.bench.files(0, taken[0].known_s + 1))
        text = next(text for name, text in rows if "wood_freeness" in name)
        with TemporaryDirectory() as folder:
            (Path(folder) / "lab_1_wood_freeness.csv").write_text(text, encoding="utf-8")
            (Path(folder) / "lab_2_nothing.csv").write_text("at_s,tag,value\n1,nothing,2\n", encoding="utf-8")
            found = pick_up(self.world, Path(folder))
        self.assertEqual([bool(one.reason) for one in found], [False, True], found[0].reason)
        self.assertIn("no tag 'nothing'", found[1].reason)
        entry = Record.objects.get(tag="wood_freeness")
        self.assertEqual((entry.value, entry.by.username, entry.by.is_active), (taken[0].value, "laboratory", False))
        with TemporaryDirectory() as folder:
            self.enter("blend_cons", 3.5, minutes_ago=5)
            row = f"at_s,tag,value\n{int(NOW.timestamp())},blend_cons,3.6\n"
            (Path(folder) / "lab_3_blend_cons.csv").write_text(row, encoding="utf-8")
            pick_up(self.world, Path(folder))
        self.assertEqual(Record.objects.filter(tag="blend_cons").count(), 1)

    def test_a_walk_round_the_washers_finds_the_one_that_is_wrong_in_the_plant(self):
        bench, plant_ = self.living.bench, self.living.plant
        bench.looked_s -= ROUND_EVERY_S  # four hours since it was last looked
        bench.look()
        self.pass_time(21)  # the walk takes its time
        rows = {name: text for name, text in bench.files(0, bench.looked_s + 3600) if name.startswith("round_")}
        self.assertEqual(len(rows), 2)  # wood and cane
        self.assertTrue(any(one.kind == "lanes_blocked" and one.unit == "cane_wash" for one in plant_.faults))
        with TemporaryDirectory() as folder:
            for name, text in rows.items():
                (Path(folder) / name).write_text(text, encoding="utf-8")
            found = pick_up(self.world, Path(folder))
        self.assertEqual([one.reason for one in found], ["", ""])
        state = State(self.world, self.now + timedelta(minutes=1))
        unit = next(one for one in washers(state) if one.id == "cane_wash")
        shown = {one.number: one.last.value / one.machine.e_std for one in shows_of(state, unit)}
        self.assertLess(shown[2], 0.9)
        self.assertGreater(min(shown[1], shown[3]), 0.9)

    def test_a_relief_logged_by_hand_is_begun_in_the_plant(self):
        self.hands.since = self.now - timedelta(minutes=1)
        index, at = self.living.plant.batches.find(3)
        vessel = self.living.plant.batches.houses[index].vessels[at]
        self.assertEqual(vessel.phase, "heat")
        Step(
            world=self.world,
            by=self.people["cook"],
            number=1187,
            kind="relief",
            at=self.now,
            entered_at=self.now,
            form_key="r",
        ).save()
        self.pass_time(0.5)
        self.assertIn(vessel.phase, ("relief", "waits", "blow"))

    def test_after_a_restart_it_goes_on(self):
        with TemporaryDirectory() as folder:
            kept = Path(folder) / "plant.json"
            one = Living(plant(), kept)
            one.set("power:wood_refine", 400)
            one.advance(NOW.timestamp() + 300)
            one.keep()
            other = Living(plant(), kept)
            self.assertEqual(other.plant.powers["wood_refine"], 400)
            self.assertEqual(other.now_s, one.now_s)
            kept.write_text("{", encoding="utf-8")
            fresh = Living(plant(), kept)
            self.assertEqual(fresh.now_s, NOW.timestamp())

    def test_each_of_its_counters_says_what_the_digester_does(self):
        last = self.living.batch(3)
        self.assertEqual(last[0], 1187)
        self.pass_time(45)
        relieved = self.living.batch(3)[10]
        self.assertGreater(relieved, NOW.timestamp())
        self.assertLess(relieved, NOW.timestamp() + 45 * 60)
        self.assertEqual(datetime.fromtimestamp(relieved).year, self.now.year)
