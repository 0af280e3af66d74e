"""Washing on the desk: worked out as it is typed, refused by name, machines that fall behind, mats by hand."""

from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from desk.exchange.pick_up import pick_up
from desk.floor.models import Record
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.wash.models import MARKS, MatCheck, Round
from desk.stations.wash.shown import (
    efficiency_of,
    factor_of,
    figure_of,
    hands_of,
    measured_of,
    rate_of,
    rounds_of,
    seen_of,
    shows_of,
    washers,
)
from desk.stations.wash.worked import worked
from tests.desk.base import NOW, DeskCase

GOOD = {"machine": "wood_wash:2", "filtrate": "60", "mat": "18", "wash": "9"}
MAT = {name: "1" for name, *_ in MARKS}


class WashCase(DeskCase):
    def unit(self, name="wood_wash"):
        return next(one for one in washers(self.state()) if one.id == name)

    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def round(self, machine, mat, *, hours=0.0, unit="cane_wash", filtrate=50.0, wash=6.0):
        row = Round(
            world=self.world, by=self.people["operator"], form_key=f"r{Round.objects.count()}", unit=unit,
            machine=machine, at=NOW - timedelta(hours=hours), filtrate_ms_per_cm=filtrate, mat_ms_per_cm=mat,
            wash_ms_per_cm=wash, factor_t_per_bdt=3.0, discharge_pct=10.5,
        )  # fmt: skip
        row.save()
        return row


class WorkingOut(WashCase):
    def test_with_nothing_typed_it_comes_to_the_loss_that_was_found(self):
        self.enter("wash_loss", 17.4)
        state = self.state()
        shows = efficiency_of(state, self.unit())
        found = worked(state, self.unit(), {})
        self.assertAlmostEqual(found.loss.value, 17.4, delta=0.15)
        self.assertAlmostEqual(sum(one.e_std for one in found.steps), shows.value, places=2)
        self.assertEqual(len(found.steps), 3)

    def test_another_efficiency_typed_counts_also_where_machines_were_measured(self):
        for machine in (1, 2, 3):
            self.round(machine, 18.0 / machine, filtrate=50.0 / machine, wash=6.0 / machine, hours=1)
        state, unit = self.state(1), self.unit("cane_wash")
        shown = worked(state, unit, {})
        typed = worked(state, unit, {**shown.values, "efficiency": "5"})
        self.assertAlmostEqual(sum(one.e_std for one in typed.steps), 5.0, places=6)
        self.assertIn("3 of 3 machines by their liquors", shown.origins["efficiency"])
        self.assertGreater(typed.loss.value, shown.loss.value)

    def test_more_water_loses_less_and_the_evaporators_bind(self):
        losses = [worked(self.state(), self.unit(), {"factor": text}).loss.value for text in ("1.5", "2.5", "3.5")]
        self.assertEqual(losses, sorted(losses, reverse=True))
        found = worked(self.state(), self.unit(), {"factor": "3.6"})
        self.assertIn("The evaporators cannot follow", " ".join(found.says))

    def test_a_first_step_is_of_a_stated_share(self):
        says = " ".join(worked(self.state(), self.unit(), {"factor": "1.4"}).says)
        self.assertIn("First step", says)
        self.assertIn("+0.30 t/BDt of", says)
        self.assertIn("It shows in the strong liquor in", says)
        left = " ".join(worked(self.state(), self.unit(), {"factor": "2.63"}).says)
        self.assertIn("leave it", left)

    def test_the_page_and_what_is_typed_into_it(self):
        self.sign_in("trainee")
        for address in ("/live/at/wash/", "/live/wash/cane_wash/", "/live/wash/rounds/"):
            self.assertEqual(self.client.get(address).status_code, 200, address)
        answer = self.client.post("/live/wash/wood_wash/try/", {"factor": "3,0", "rate": "6"})
        self.assertContains(answer, "kg/BDt of solids go on with the pulp")
        self.assertEqual(answer.content.decode().count("stairs-box"), 3)
        for field, text, words in (
            ("factor", "lots", "not a number"),
            ("factor", "250", "Allowed: -1 to 8"),
            ("rate", "0", "Pulp over the line"),
            ("efficiency", "0.12", "Efficiency"),
            ("solids", "", "is missing"),
        ):
            with self.subTest(field=field, text=text):
                self.assertContains(self.client.post("/live/wash/wood_wash/try/", {field: text}), words)
        self.assertEqual(self.client.post("/live/wash/nowhere/try/", {}).status_code, 404)
        self.assertFalse(Round.objects.exists())


class Rounds(WashCase):
    def test_a_round_is_kept_with_its_line_in_the_log(self):
        self.sign_in("operator")
        for _ in range(2):
            self.client.post("/live/wash/rounds/take/", {**GOOD, "form_key": "one"})
        row = Round.objects.get()
        self.assertEqual((row.unit, row.machine, row.factor_t_per_bdt), ("wood_wash", 2, 2.5))
        self.assertIn("Wood washers, Washer 2: efficiency", Record.objects.get(source__startswith="wash.round").text)

    def test_hot_liquor_is_brought_to_25(self):
        self.sign_in("operator")
        self.client.post("/live/wash/rounds/take/", {**GOOD, "celsius": "75", "form_key": "hot"})
        self.assertAlmostEqual(Round.objects.get().mat_ms_per_cm, 9.0)

    def test_what_cannot_be_is_refused_with_what_was_typed_kept(self):
        self.sign_in("operator")
        for index, (fields, words) in enumerate(
            (
                ({"mat": "9"}, "no stronger than the wash liquor"),
                ({"filtrate": ""}, "Filtrate is missing"),
                ({"mat": "0"}, "more than 0"),
                ({"machine": "wood_wash:9"}, "has no machine 9"),
                ({"machine": ""}, "which machine?"),
                ({"at": "tomorrow 23:00"}, "in the future"),
            )
        ):
            with self.subTest(words):
                form = {**GOOD, **fields, "form_key": f"bad{index}"}
                self.assertContains(self.client.post("/live/wash/rounds/take/", form), words, status_code=422)
        self.assertFalse(Round.objects.exists())
        self.sign_in("trainee")
        self.assertEqual(self.client.post("/live/wash/rounds/take/", {**GOOD, "form_key": "t"}).status_code, 403)

    def test_a_machine_behind_twice_running_is_named_and_once_is_not(self):
        for back in range(6, 2, -1):
            self.round(2, 18.0, hours=12.0 * back)
        self.round(2, 26.0, hours=12)
        self.assertFalse([one for one in shows_of(self.state(), self.unit("cane_wash")) if one.behind])
        self.round(2, 26.0, hours=1)
        state = self.state(1)
        (behind,) = [one for one in shows_of(state, self.unit("cane_wash")) if one.behind]
        self.assertEqual(behind.machine.name, "Cane washer 2")
        self.assertIn("vacuum, mat, shower", behind.words)
        (told,) = [item for item in next_up(state) if item.what == "Cane washer 2 washes less"]
        self.assertTrue(told.now)  # it stands among what is off, by its gravity, not at the hour of its round
        self.assertIn("do not buy its work with water", " ".join(worked(state, self.unit("cane_wash"), {}).says))


class WhatMachinesShow(WashCase):
    """Means, doubts and sides of what rounds show, on both sides of where the word changes."""

    def shown(self, *mats, number=2):
        for back, mat in enumerate(reversed(mats)):
            self.round(number, mat, hours=12.0 * back + 1)
        state = self.state()
        unit = self.unit("cane_wash")
        return state, unit, next(one for one in shows_of(state, unit) if one.number == number)

    def test_with_one_round_it_is_held_against_the_file_and_never_behind_by_itself(self):
        _, _, one = self.shown(14.0)
        self.assertEqual((one.count, one.behind), (0, False))
        self.assertEqual(one.mean, one.machine.e_std)

    def test_the_mean_is_of_those_before_the_last_two(self):
        state, unit, one = self.shown(14.0, 15.0, 16.0, 17.0, 18.0)
        before = [figure_of(row).value for row in rounds_of(state, unit)[2:]]
        self.assertEqual((one.count, len(before)), (3, 3))
        self.assertAlmostEqual(one.mean, sum(before) / 3)
        self.assertEqual(one.last.value, figure_of(rounds_of(state, unit)[0]).value)

    def test_a_worse_mat_shows_less_and_a_better_one_more(self):
        sides = []
        for index, last in enumerate((11.0, 14.0, 20.0)):
            _, unit, one = self.shown(14.0, 14.1, 13.9, last, number=index + 1)
            sides.append(seen_of(self.state(), unit, one)["efficiency"])
        self.assertEqual(sides, ["high", "steady", "low"])

    def test_a_round_of_later_or_of_long_ago_is_not_shown(self):
        self.round(1, 14.0, hours=-1)
        self.round(1, 14.0, hours=24 * 200)
        self.assertEqual(rounds_of(self.state(), self.unit("cane_wash")), [])
        self.assertEqual(len(rounds_of(self.state(120), self.unit("cane_wash"))), 1)

    def test_what_is_read_at_the_line_speaks_by_its_side(self):
        unit = self.unit("cane_wash")
        band = self.state().line.tag(unit.tag_of("loss")).band
        for value, side in ((band.target, "steady"), (band.control[1] + 1.5, "high")):
            self.enter(unit.tag_of("loss"), value, minutes_ago=5 if side == "high" else 10)
            one = shows_of(self.state(), unit)[0]
            self.assertEqual(seen_of(self.state(), unit, one)["loss"], side)
            self.assertNotIn("efficiency", seen_of(self.state(), unit, one))

    def test_efficiencies_found_are_told_by_machine_from_nought(self):
        state, unit, one = self.shown(14.0, number=3)
        self.assertEqual(measured_of(shows_of(state, unit)), {2: one.last.value})

    def test_the_dilution_is_by_the_showers_flow_where_it_is_read(self):
        state, unit = self.state(), self.unit("wood_wash")
        told = factor_of(state, unit)
        tag = state.line.stream(unit.wash.stream).tag_of("flow")
        reading = state.readings.get(tag or "")
        rate = float(rate_of(state, unit).value)
        thick = 100 / unit.consistency_pct - 1
        if reading is None:
            self.assertEqual(told.value, unit.wash.dilution_factor_t_per_bdt)
        else:
            self.assertAlmostEqual(told.value, reading.value * 0.06 / rate - thick, places=2)


class OneMachine(WashCase):
    def test_its_page_shows_its_rounds_and_puts_the_likely_cause_first(self):
        for hours, mat in ((36, 14.0), (24, 14.2), (12, 13.9), (2, 20.0), (1, 20.5)):
            self.round(2, mat, hours=hours)
        self.enter("cane_wash_loss", 22.0)
        self.sign_in("operator")
        text = self.client.get("/live/wash/cane_wash/2/").content.decode()
        self.assertIn("Cane washer 2 shows 2.5, 3.7 before. Likeliest by what is read: shower lanes blocked", text)
        self.assertEqual(text.count("± "), 5 + text.split("<main")[0].count("± "))
        self.assertIn("<strong>Shower lanes blocked, or the shower off the mat</strong>", text)
        self.assertIn("vacuum steady", text)  # which speaks against air, and against the wire
        self.assertIn("in 5 rounds", text)

    def test_without_rounds_it_says_so_and_what_is_not_there_answers_in_words(self):
        self.sign_in("trainee")
        self.assertContains(self.client.get("/live/wash/wood_wash/1/"), "its liquors were not taken yet")
        for address in ("/live/wash/wood_wash/9/", "/live/wash/nothing/1/"):
            answer = self.client.get(address)
            self.assertContains(answer, "has no", status_code=404)


class MeteredRounds(WashCase):
    COLUMNS = "unit,machine,at_s,filtrate_ms_per_cm,mat_ms_per_cm,wash_ms_per_cm,factor_t_per_bdt,discharge_pct"

    def drop(self, *rows, name="round_1.csv"):
        with TemporaryDirectory() as folder:
            path = Path(folder) / name
            path.write_text("\n".join([self.COLUMNS, *rows, ""]), encoding="utf-8")
            return pick_up(self.world, Path(folder))[0]

    def row(self, machine=2, mat=14.0, at=NOW):
        return f"cane_wash,{machine},{int(at.timestamp())},50,{mat},6,3.0,10.5"

    def test_a_meter_leaves_a_round_once(self):
        self.assertEqual(self.drop(self.row(1), self.row(2)).reason, "")
        self.assertEqual(Round.objects.count(), 2)
        self.assertIn("efficiency", Record.objects.latest("id").text)
        shown = next(one for one in shows_of(self.state(1), self.unit("cane_wash")) if one.number == 2)
        self.assertIsNotNone(shown.last)

    def test_what_somebody_took_by_hand_stands(self):
        self.round(2, 15.0, hours=0.5)
        self.assertEqual(self.drop(self.row(2, 30.0)).reason, "")
        self.assertEqual([one.mat_ms_per_cm for one in Round.objects.all()], [15.0])

    def test_what_cannot_be_is_aside_whole_with_its_line(self):
        for rows, words in (
            ([self.row(1), self.row(7)], "line 3: Cane washers has no machine 7"),
            ([self.row(1), self.row(2, "soup")], "line 3: mat_ms_per_cm is 'soup'"),
            ([self.row(1), self.row(2, 5.0)], "line 3"),
            ([self.row(1, at=NOW + timedelta(days=2))], "still to come"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.drop(*rows).reason)
        self.assertFalse(Round.objects.exists())


class Mats(WashCase):
    def test_as_it_should_be_is_two_presses(self):
        self.sign_in("operator")
        self.client.post("/live/wash/mats/judge/", {**MAT, "machine": "wood_wash:3", "form_key": "m"})
        self.assertEqual(str(MatCheck.objects.get()), "as it should be")
        answer = self.client.post(
            "/live/wash/mats/judge/", {**MAT, "machine": "wood_wash:3", "foam": "6", "form_key": "n"}
        )
        self.assertContains(answer, "Foam is 6", status_code=422)

    def test_whether_the_hand_agrees_is_told_from_five_pairs_on(self):
        marks = (1, 2, 2, 3, 4, 5)
        for index, mark in enumerate(marks):
            self.enter("wash_loss", 12.0 + 3 * mark + 0.2 * index, minutes_ago=240 * (index + 1))
            MatCheck(
                world=self.world, by=self.people["operator"], form_key=f"m{index}", unit="wood_wash", machine=3,
                at=NOW - timedelta(minutes=240 * (index + 1) + 20),
                **{name: mark for name, *_ in MARKS},
            ).save()  # fmt: skip
        told = {one.who: one for one in hands_of(self.state(), self.unit())}
        self.assertEqual(told["all"].pairs, 6)
        self.assertIn("goes with the laboratory", told["all"].words)

    def test_files_go_out_and_in(self):
        self.sign_in("operator")
        self.client.post("/live/wash/mats/judge/", {**MAT, "machine": "wood_wash:3", "form_key": "m"})
        self.client.post("/live/wash/rounds/take/", {**GOOD, "form_key": "one"})
        for table, words in (("rounds", "wood_wash,2"), ("mats", "wood_wash,3")):
            self.assertIn(words, self.client.get(f"/live/wash/files/{table}.csv").content.decode())
