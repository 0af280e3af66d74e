"""Next up, and the hand-over composed from it: what is due, in time order, with its size."""

import itertools
from datetime import timedelta

from desk.floor.due import Item
from desk.floor.handover import compose, cover_text
from desk.floor.models import Cook, Order
from desk.floor.next_up import folded, next_up
from desk.floor.sheet_pdf import sheet_pdf
from desk.floor.state import State
from desk.frame.words import number_word
from desk.screens.line import sentence as line_sentence
from desk.screens.line import stories, vat_fill
from desk.stations.ahead.looking import keep
from desk.stations.cook.board import board_of
from desk.stations.cook.house import house_of
from desk.stations.cook.pages.drawing import draw_board, draw_cook
from desk.stations.cook.pages.overview import charge_moved, sentence
from tests.desk.base import NOW, DeskCase
from tests.line import hallin_reach


class Rail(DeskCase):
    def items(self, now=NOW):
        return next_up(State(self.world, now))

    def test_what_can_hurt_then_what_has_a_clock_then_the_gravest_then_time(self):
        self.enter("cane_brightness", 81.9)
        self.enter("wash_loss", 24.0)
        due = next(item for item in self.items() if item.what.startswith("Blow cook 1187")).at
        items = self.items(due - timedelta(minutes=3))
        self.assertTrue(items[0].what.startswith("Blow cook"))
        off = [item for item in items if item.now and not item.hurts]
        self.assertEqual(
            [item.level for item in off], sorted((item.level for item in off), key=["act", "outside", "ok"].index)
        )
        clocks = [item.at for item in itertools.takewhile(lambda item: not item.now, items)]
        self.assertGreater(len(clocks), 1)
        self.assertEqual(clocks, sorted(clocks))  # what has a clock is in its order, whether it can hurt or not
        later = [item.at for item in items if not item.now and item.at > due + timedelta(minutes=60)]
        self.assertEqual(later, sorted(later))

    def test_what_repeats_is_folded_and_nothing_is_cut_off(self):
        items = self.items()
        lines = folded(items)
        self.assertEqual(sorted(item.what for line in lines for item in line.all), sorted(item.what for item in items))
        samples = next(line for line in lines if line.first.repeats)
        self.assertRegex(samples.what, r"^\d+ samples due$")
        coming = next(part for part in compose(State(self.world))["sections"] if part["title"] == "Coming up")["rows"]
        self.assertEqual(len(coming), len(lines))  # a sheet is read through: what repeats is one line of it too
        self.assertIn(f"{samples.first.clock} {samples.what}, the last {samples.all[-1].clock}. {samples.size}", coming)
        two = [Item(NOW, f"Sample: {name}", "", "ok", "wash", repeats="samples") for name in "ab"]
        self.assertEqual([line.what for line in folded(two)], ["Sample: a", "Sample: b"])
        self.sign_in()
        page = self.client.get("/live/").content.decode()
        for item in items:
            self.assertIn(item.what.removeprefix("Sample: ")[1:], page)

    def test_advice_carries_its_size(self):
        self.enter("cane_brightness", 81.9)
        found = next(item for item in self.items() if item.what == "Cane brightness")
        self.assertEqual((found.clock, found.level, found.station), ("now", "act", "bleach"))
        self.assertRegex(found.size, r"81\.9 % ISO\. Add 2\.4 kg/BDt peroxide\.")

    def test_outside_with_nothing_to_move_is_not_pressed_on_anybody(self):
        self.enter("p_residual", 0.05)  # little is left: the brightness decides the charge
        self.assertNotIn("Peroxide left after the third cane stage", [item.what for item in self.items()])

    def test_past_an_action_limit_is_said_even_without_advice(self):
        self.enter("wood_brightness", 80.0)
        self.assertIn("Wood brightness", [item.what for item in self.items()])

    def test_samples_fall_due_by_their_interval(self):
        for tag in hallin_reach().tags:
            if tag.every_h and tag.band:
                self.enter(tag.id, tag.band.target, 1)
        self.enter("wood_freeness", 462, 100)
        found = [item for item in self.items() if item.what.startswith("Sample")]
        self.assertTrue(found)
        self.assertEqual(found[0].what, "Sample: wood kappa")
        self.assertEqual(found[0].at, NOW + timedelta(minutes=59))

    def test_an_overdue_sample_says_since_when(self):
        for tag in hallin_reach().tags:
            if tag.every_h and tag.band:
                self.enter(tag.id, tag.band.target, 1 if tag.id != "kappa_wood" else 90)
        found = next(item for item in self.items() if item.what == "Sample: wood kappa")
        self.assertIn("Overdue since 14:00", found.size)
        self.assertEqual(found.clock, "14:00")  # its own time, however long it waits

    def test_the_cane_tower_is_forecast_from_its_trend(self):
        self.assertFalse([item for item in self.items() if item.what == "Cane tower runs low"])
        keep(State(self.world, NOW))
        found = next(item for item in self.items() if item.what == "Cane tower runs low")
        self.assertEqual(found.size, "28 % now. Likely, by the look ahead; dry 21:10.")
        self.assertTrue(timedelta(hours=2) < found.at - NOW < timedelta(hours=5))

    def test_cooks_stand_at_their_blow(self):
        found = next(item for item in self.items() if item.what == "Blow cook 1187, digester 3")
        self.assertTrue(timedelta(minutes=18) < found.at - NOW < timedelta(minutes=28))

    def test_a_cook_past_its_end_needs_somebody_now(self):
        late = NOW + timedelta(minutes=50)
        state = State(self.world, late)
        cook = Cook.objects.get(number=1187)
        followed = house_of(state).follow(cook)
        self.assertIsNotNone(followed)
        self.assertEqual(followed.state.phase, "past its end")
        held = followed.state.done.data["temperatures_c"].origin.text
        self.assertIn("the last 50 min ago and held since", held)
        found = next(item for item in next_up(state) if item.what.startswith("Blow cook 1187"))
        self.assertTrue(found.now)
        self.assertIn("Past its end point", found.size)
        self.assertIn("past its end point: blow it", line_sentence(state))
        self.assertIn("Blow it now", sentence(house_of(state), cook, followed))

    def test_a_grade_change_is_announced(self):
        grade = hallin_reach().grades[1]
        Order.objects.create(
            world=self.world,
            grade=grade.id,
            reel_t_per_h=12.2,
            shares=grade.shares,
            from_at=NOW + timedelta(hours=3),
            accepted_by=self.people["lead"],
            form_key="later",
        )
        found = next(item for item in self.items() if item.what.startswith("Change to"))
        self.assertEqual((found.clock, found.size), ("17:30", "12.2 t/h from 17:30."))
        self.assertEqual(State(self.world, NOW + timedelta(hours=4)).order.grade, grade.id)


class LineWords(DeskCase):
    def test_the_sentence_counts_what_needs_a_person(self):
        self.enter("cane_brightness", 81.9)
        self.enter("wood_freeness", 500)
        words = line_sentence(State(self.world))
        self.assertIn("Four things need you, first cane brightness: 0.8 below its band, past its action limit.", words)

    def test_the_sentence_names_what_the_rail_presses_first(self):
        self.enter("cane_brightness", 81.9)
        self.enter("pile_c_temp", 53)
        for hours_ago, kappa in enumerate((18.9, 18.1, 17.7)):  # their mean is in its band
            self.enter("kappa_cane", kappa, minutes_ago=10 + 60 * hours_ago)
        state = State(self.world)
        self.assertTrue(next(card for card in state.advice if card.tag.id == "kappa_cane").leave)
        off = {reading.tag.name for reading in state.off}
        pressed = [item.what for item in next_up(state) if item.now and item.what in off]
        self.assertEqual(pressed[:2], ["Pile C, hottest probe", "Cane brightness"])
        self.assertNotIn("Cane kappa", pressed)
        counted = f"{number_word(len(pressed))} things need you, first pile C, hottest probe: 3 above its band."
        self.assertIn(counted, line_sentence(state))

    def test_each_part_tells_what_is_off_before_what_is_quiet(self):
        self.enter("cane_brightness", 81.9)
        self.enter("kappa_cane", 17.4)
        told = {story.name: story for story in stories(State(self.world))}
        self.assertIn("Cook 1187 is at temperature", told["Wood"].lead)
        self.assertEqual(told["Cane"].off[0].tag.id, "cane_brightness")
        self.assertEqual([reading.tag.id for reading in told["Cane"].readings], ["kappa_cane"])

    def test_a_vat_is_filled_to_its_level(self):
        self.assertTrue(vat_fill(1.0).startswith("M-17.0 -24.0"))
        self.assertIn("L8 24L-8 24Z", vat_fill(0.0))
        self.assertEqual(vat_fill(2.0), vat_fill(1.0))

    def test_cover_is_said_as_people_say_it(self):
        self.assertEqual(cover_text(38), "38 min")
        self.assertEqual(cover_text(324), "5.4 h")

    def test_cover_matches_a_hand_calculation(self):
        self.enter("machine_level", 70)
        state = State(self.world)
        level = state.readings["machine_level"].value
        draw = state.flows["thick_stock"]
        by_hand = 60 * 240 * (level - 20) / 100 * 0.032 / draw
        self.assertAlmostEqual(state.cover("paper_chest").value, by_hand, places=6)

    def test_a_store_that_is_not_drawn_has_no_cover(self):
        self.assertIsNone(State(self.world).cover("broke_white"))


class CookScreen(DeskCase):
    def test_the_board_lays_phases_end_to_end(self):
        state = State(self.world)
        house = house_of(state)
        laid = draw_board(house, board_of(house), 1187)
        bar = next(bar for bar in laid["bars"] if bar.bar.number == 1187)
        self.assertTrue(bar.open)
        for one, other in zip(bar.blocks, bar.blocks[1:], strict=False):
            self.assertAlmostEqual(one.x + one.width, other.x, places=3)
        self.assertEqual(len(laid["rows"]), 5)
        self.assertEqual(len(board_of(house).waiting), 1)  # digester 2 is empty
        self.assertTrue(laid["steam"]["points"])

    def test_the_plan_of_a_cook_adds_up_to_its_end(self):
        state = State(self.world)
        cook = Cook.objects.get(number=1187)
        house = house_of(state)
        followed = house.follow(cook)
        by = {leg.name: leg for leg in house.legs(cook)}
        self.assertAlmostEqual(by["hold"].to_min, followed.state.blow_min, delta=0.1)

    def test_the_chart_holds_its_numbers_as_a_table(self):
        state = State(self.world)
        cook = Cook.objects.get(number=1187)
        drawn = draw_cook(state, house_of(state).follow(cook))
        times = [row[0] for row in drawn["rows"]]
        self.assertEqual(times, sorted(times))
        h = [row[3] for row in drawn["rows"]]
        self.assertEqual(h, sorted(h))
        self.assertGreater(h[-1], 300)

    def test_a_strayed_charge_says_how_far_the_end_moved(self):
        Cook.objects.create(
            world=self.world,
            number=1400,
            digester=3,
            started_at=NOW - timedelta(minutes=160),
            charge_pct_naoh_on_wood=16.8,
            kappa_target=18,
        )
        state = State(self.world)
        weak = house_of(state).follow(Cook.objects.get(number=1400))
        self.assertRegex(charge_moved(weak), r"end point moved up \d+ H$")
        usual = house_of(state).follow(Cook.objects.get(number=1187))
        self.assertEqual(charge_moved(usual), "")

    def test_cooks_nearest_their_end_come_first_and_blown_ones_last(self):
        followed = house_of(State(self.world)).all()
        self.assertEqual(followed[0].cook.number, 1187)
        running = [one.running for one in followed]
        self.assertEqual(running, sorted(running, reverse=True))

    def test_a_cook_without_temperatures_says_so(self):
        cook = Cook.objects.create(
            world=self.world, number=1500, digester=2, started_at=NOW, charge_pct_naoh_on_wood=17.4, kappa_target=18
        )
        self.sign_in("cook")
        self.assertContains(self.client.get("/live/cook/1500/"), "has sent no temperatures yet")
        self.assertIsNone(house_of(State(self.world)).follow(cook))


class Sheet(DeskCase):
    def test_it_holds_what_the_next_shift_needs(self):
        self.enter("cane_brightness", 81.9)
        sheet = compose(State(self.world))
        sections = {section["title"]: section["rows"] for section in sheet["sections"]}
        self.assertEqual(next(iter(sections)), "Safety first")
        self.assertIn("chart 90 g cream, 12.8 t/h since 05:30", sections["On the machine"])
        self.assertIn(
            "Cane brightness: 81.9 % ISO at 14:20, 0.8 below its band, past its action limit", sections["Out of band"]
        )
        self.assertEqual(len(sections["Vessels"]), len(State(self.world).vessels))
        self.assertTrue(any("not drawn" in row for row in sections["Vessels"]))
        self.assertTrue(sections["Cooks in flight"][0].startswith("Cook 1187, digester 3: at temperature"))
        self.assertEqual(sheet["shift"], "Tue 10 Mar 2026, 06:00 to 18:00")

    def test_a_silent_instrument_is_handed_over(self):
        sheet = compose(State(self.world, NOW + timedelta(minutes=20)))
        self.assertIn("Signals not to be trusted", " ".join(sheet["sections"][0]["rows"]))

    def test_the_paper_takes_any_words(self):
        sheet = compose(State(self.world))
        sheet["sections"].append({"title": "Marks <&>", "rows": ["κ 18.1 at 165 °C, 3 m³, <b>not bold</b>", "x" * 400]})
        self.assertTrue(sheet_pdf(sheet).startswith(b"%PDF"))
