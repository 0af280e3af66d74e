"""Pumps, tanks, towers: what is drawn, what is left, what was really dosed; pulp followed through stops; tracers and checks."""

from datetime import timedelta

from django.core.exceptions import ValidationError

from desk.floor.models import Record, Sample, Stop, epoch
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.bleach.back import traced_back
from desk.stations.bleach.coming import coming_to, rate_of
from desk.stations.bleach.lab import take_control, take_tracer
from desk.stations.bleach.loads import take_delivery, take_dip
from desk.stations.bleach.models import Control, Dip, Tracer
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.tanks import held, pumps
from desk.stations.bleach.tracking import flow_tag, track_of
from desk.stations.bleach.worked import worked
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase

SOUND = [(30, 0), (40, 6), (50, 19), (60, 24), (70, 20), (80, 13), (90, 8), (100, 5), (110, 3), (120, 2)]
THROUGH = [(5, 20), (10, 24), (20, 16), (40, 10), (80, 6), (120, 3), (160, 1)]


class TankCase(DeskCase):
    def state(self, **later):
        return State(self.world, NOW + timedelta(**later))

    def unit(self, unit_id="wood_bleach", **later):
        return next(one for one in bleaches(self.state(**later)) if one.id == unit_id)

    def dip(self, holds, hours_ago=0.0, stage=2, chemical="", strength=None, unit="wood_bleach"):
        at = NOW - timedelta(hours=hours_ago)
        return take_dip(
            self.world, self.people["operator"], unit, stage, chemical, holds, strength, at=at,
            form_key=f"{unit}{stage}{chemical}{hours_ago}",
        )  # fmt: skip

    def tank(self, key="wood_bleach:2:", **later):
        return next(one for one in held(self.state(**later)) if one.key == key)

    def pump(self, chemical, stage, unit="wood_bleach", **later):
        return next(
            one
            for one in pumps(self.state(**later))
            if (one.unit.id, one.dose.at, one.dose.chemical) == (unit, stage - 1, chemical)
        )


class Pumps(TankCase):
    def test_every_chemical_on_every_line_has_its_pump(self):
        found = {(one.unit.id, one.dose.at, one.dose.chemical) for one in pumps(self.state())}
        self.assertIn(("wood_bleach", 1, "caustic"), found)
        self.assertIn(("cane_bleach", 2, "chelant"), found)
        self.assertIn(("rec_bleach", 0, "dithionite"), found)
        caustic = self.pump("caustic", 2)
        rate = float(rate_of(self.state(), caustic.unit).value)
        self.assertAlmostEqual(caustic.figure.value, 19 * rate / 100 * 1000 / 60, places=6)

    def test_a_titrated_strength_moves_the_pump_at_once(self):
        before = self.pump("dioxide", 1).figure.value
        self.enter("d0_strength", 7.4)
        self.assertAlmostEqual(self.pump("dioxide", 1).figure.value, before * 8.8 / 7.4, places=4)
        self.dip(31, chemical="caustic", strength=80)
        self.assertEqual(self.pump("caustic", 3).strength.value, 80)  # the tank both draw from
        self.assertIn("titrated in the tank", self.pump("caustic", 3).strength.origin.text)

    def test_a_pump_past_its_stop_is_said(self):
        self.enter("d0_strength", 3.1)
        self.assertTrue(self.pump("dioxide", 1).is_short)
        self.sign_in("operator")
        self.assertContains(self.client.get("/live/bleach/tanks/"), "the pump cannot give the charge")


class Tanks(TankCase):
    def test_a_tank_holds_what_it_was_dipped_to_less_what_passed(self):
        self.assertIsNone(self.tank().holds)
        self.dip(15, hours_ago=2)
        tank = self.tank()
        self.assertAlmostEqual(tank.holds.value, 15 - 2 * 60 * tank.drawn_l_per_min / 1000, delta=0.12)
        self.assertAlmostEqual(tank.cover.value, tank.holds.value * 1000 / 60 / tank.drawn_l_per_min, places=4)

    def test_a_load_counts_and_two_dips_prove_what_was_dosed(self):
        self.dip(6, hours_ago=8)
        found = {"density_t_per_m3": 1.2, "ph": 2.0, "load_m3": 8.0, "load_g_per_l": 60.0, "heel_m3": 4.0, "heel_g_per_l": 60.0}  # fmt: skip
        take_delivery(
            self.world, self.people["operator"], "wood_bleach", 2, "peroxide", found, second="Sam Lindqvist",
            at=NOW - timedelta(hours=5), form_key="l",
        )  # fmt: skip
        used = 8 * 60 * self.tank().drawn_l_per_min / 1000
        self.dip(round(6 + 8 - 0.75 * used, 2))  # a quarter less than its pump says
        proof = self.tank().proof
        self.assertAlmostEqual(proof.results["over_frac"], -0.25, delta=0.05)
        wood, cane = (float(rate_of(self.state(), self.unit(one)).value) for one in ("wood_bleach", "cane_bleach"))
        both = 4.0 + 5.0 * cane / wood  # the cane's extraction draws from it too
        self.assertAlmostEqual(proof.data["meant_kg_per_bdt"].value, both, delta=0.15)
        self.assertIn("less than meant", " ".join(proof.warnings))

    def test_a_tank_that_gained_says_so_and_one_that_runs_out_is_on_every_page(self):
        self.dip(6, hours_ago=3)
        self.dip(9)
        self.assertIn("no load explains", self.tank().proof_fault)
        self.dip(0.4, stage=3, unit="cane_bleach", hours_ago=0.1)
        said = [one for one in next_up(self.state()) if "runs out" in one.what]
        self.assertEqual(len(said), 1)
        self.assertIn("Cane bleach", said[0].what)

    def test_what_cannot_be_is_refused(self):
        for words, call in (
            ("holds 20 m³ at most", lambda: self.dip(25)),
            ("is given no chelant", lambda: self.dip(2, chemical="chelant")),
            ("has no tank", lambda: self.dip(2, stage=3)),
            ("no stage 7", lambda: self.dip(2, stage=7)),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValidationError, words):
                call()
        self.assertFalse(Dip.objects.exists())

    def test_by_the_form_what_was_typed_stays_and_once_is_once(self):
        self.sign_in("operator")
        form = {"place": "wood_bleach:2:caustic", "holds_m3": "31,5", "form_key": "once"}
        answer = self.client.post("/live/bleach/tanks/dip/", form | {"holds_m3": "310"})
        self.assertContains(answer, "60 m³ at most", status_code=422)
        self.assertContains(answer, 'value="310"', status_code=422)
        for _ in range(2):
            self.assertEqual(self.client.post("/live/bleach/tanks/dip/", form).status_code, 302)
        self.assertEqual(Dip.objects.get().holds_m3, 31.5)
        self.assertIn("tank of caustic, EP: 31.5 m³", Record.objects.latest("id").text)
        self.assertContains(self.client.get("/live/bleach/tanks/"), "31.5 of")
        self.sign_in("trainee")
        self.assertEqual(self.client.post("/live/bleach/tanks/dip/", form | {"form_key": "x"}).status_code, 403)
        self.assertNotContains(self.client.get("/live/bleach/tanks/"), "Keep the dip")


class Followed(TankCase):
    def stop(self, from_h, to_h=None, station="bleach"):
        ends = None if to_h is None else NOW + timedelta(hours=to_h)
        Stop.objects.create(
            world=self.world, by=self.people["lead"], form_key=f"s{from_h}", station=station, cause="a chain",
            from_at=NOW + timedelta(hours=from_h), to_at=ends,
        )  # fmt: skip

    def test_a_stop_ages_the_pulp_in_the_towers(self):
        before = coming_to(self.state(), self.unit())
        self.stop(-1.5, -0.5)
        after = coming_to(self.state(), self.unit())
        older = (before.exit_entered - after.exit_entered).total_seconds() / 3600
        self.assertAlmostEqual(older, 1.0, delta=0.1)
        self.assertIsNone(after.standing)

    def test_a_bleach_that_stands_says_until_when_it_may(self):
        self.stop(-0.5)
        state = self.state()
        standing = coming_to(state, self.unit()).standing
        self.assertEqual(standing.stage, "D0")
        self.assertAlmostEqual((standing.until - NOW).total_seconds() / 3600, 1.5, delta=0.2)
        self.assertTrue(any(one.what == "Wood bleach stands: D0" for one in next_up(state)))
        self.sign_in("operator")
        self.assertContains(
            self.client.get("/live/bleach/wood_bleach/"), "Chemicals off first; D0 holds its pulp until"
        )

    def test_slow_hours_are_counted_by_the_flow_that_is_read(self):
        tag = flow_tag(self.state(), self.unit())
        self.assertEqual(tag.reads, "flow")
        usual = self.state().result.streams[tag.of].total_t_per_h * 1000 / 60
        samples = [
            Sample(world=self.world, tag=tag.id, at_s=epoch(NOW) - second, value=usual * 0.5)
            for second in range(3, 4 * 3600, 5)  # among those there are, at the usual flow
        ]
        Sample.objects.bulk_create(samples, ignore_conflicts=True)
        track = track_of(self.state(), self.unit())
        self.assertAlmostEqual(track.at_rate(-4), -2, delta=0.2)
        self.assertAlmostEqual(track.by_clock(-3), -5, delta=0.25)

    def test_another_lines_stop_stops_nothing_here(self):
        self.stop(-0.5, station="wash")
        self.assertIsNone(coming_to(self.state(), self.unit()).standing)


class Laboratory(TankCase):
    def trace(self, found=SOUND, stage=3, full=73.2, key="t"):
        return take_tracer(
            self.world,
            self.people["tester"],
            "wood_bleach",
            stage,
            found,
            full,
            at=NOW - timedelta(hours=3),
            form_key=key,
        )

    def test_a_tower_counts_as_it_was_traced(self):
        told = self.unit().stages[2]
        row = self.trace()
        self.assertFalse(row.is_channelled)
        traced = self.unit().stages[2]
        self.assertAlmostEqual(traced.active_frac, 0.93, places=2)
        self.assertAlmostEqual(traced.minutes(8) / told.minutes(8), row.active_frac / told.active_frac, places=6)

    def test_a_channelled_tower_is_doubted_at_its_stage(self):
        self.assertTrue(self.trace(THROUGH).is_channelled)
        ended = worked(self.state(), self.unit(), {}).ends[2]
        self.assertIn("channelled by the tracer", ended.doubts[0])

    def test_a_tracer_that_cannot_be_is_refused(self):
        for found, full, words in (
            (SOUND[:4], 73, "six|readings|E_COUNT|6"),
            ([(one, 0) for one, _ in SOUND], 73, "no tracer came out"),
            (list(reversed(SOUND)), 73, "must rise"),
            (SOUND, 30, "the whole tower only 30"),
            (SOUND * 9, 73, "tell as much"),
        ):
            with self.subTest(words), self.assertRaisesRegex((ValidationError, DomainError), words):
                self.trace(found, full=full)
        self.assertFalse(Tracer.objects.exists())

    def test_by_the_form_pairs_are_read_as_people_write_them(self):
        self.sign_in("tester")
        pairs = "; ".join(f"{minute} {value}" for minute, value in SOUND)
        form = {"place": "wood_bleach:3", "full_min": "73,2", "found": pairs, "form_key": "a"}
        answer = self.client.post("/live/bleach/kept/tracer/", form | {"found": "30 0; 40"})
        self.assertContains(answer, "each pair is minutes and reading", status_code=422)
        self.assertContains(answer, 'value="30 0; 40"', status_code=422)
        self.assertEqual(self.client.post("/live/bleach/kept/tracer/", form).status_code, 302)
        self.assertContains(self.client.get("/live/bleach/kept/"), "mean 68 min, 93 % at work")

    def test_a_reagent_off_its_standard_says_what_it_spoils(self):
        def check(found, key):
            return take_control(
                self.world, self.people["tester"], "bleach", "reagent", "thiosulphate 0.1 N", 0.1, found, 0.0005, at=NOW,
                form_key=key,
            )  # fmt: skip

        self.assertFalse(check(0.1003, "c1").is_off)
        self.assertTrue(check(0.0987, "c2").is_off)
        self.assertIn("off: set aside what was titrated", Record.objects.latest("id").text)
        self.sign_in("tester")
        self.assertContains(self.client.get("/live/bleach/kept/"), "titrate again what it measured")
        form = {"kind": "control", "what": "", "should": "1", "found": "1", "allowed": "0.1", "form_key": "z"}
        self.assertContains(
            self.client.post("/live/bleach/kept/control/", form), "Which one is missing", status_code=422
        )
        self.assertEqual(Control.objects.count(), 2)


class Back(TankCase):
    def words(self, unit="cane_bleach"):
        state = self.state()
        bleach = self.unit(unit)
        return " ".join(traced_back(state, bleach, coming_to(state, bleach)))

    def test_a_dull_exit_is_traced_to_where_it_went_dull(self):
        self.assertEqual(self.words("wood_bleach"), "")  # in its band
        self.enter("wood_brightness", 83.2)
        self.enter("e_kappa", 4.2)
        self.enter("d1_residual", 0.0)
        self.assertIn("Traced back, 1.3 points short of 84.5", self.words("wood_bleach"))
        self.assertRegex(self.words("wood_bleach"), "after extraction kappa 4.2 is .*: the first stages")
        self.assertIn("D1 ran out of chemical", self.words("wood_bleach"))
        self.enter("d1_ph", 2.9)
        self.assertRegex(self.words("wood_bleach"), "D1: its end pH 2.9 is")
        self.sign_in("operator")
        self.assertContains(self.client.get("/live/bleach/wood_bleach/"), "Traced back")

    def test_a_charge_is_held_by_what_its_tank_holds_for_a_day(self):
        free = worked(self.state(), self.unit(), {})
        self.dip(2.5)
        held_back = worked(self.state(), self.unit(), {})
        move = held_back.moves[1]
        self.assertLess(move.to, free.moves[1].to)
        self.assertEqual(move.bound, "what its tank holds for a day")

    def test_effluent_binds_where_it_is_asked_to(self):
        free = worked(self.state(), self.unit(), {})
        aox = 0.95 * next(one.value for one in free.figures if "organics" in one.label)
        bound = worked(self.state(), self.unit(), {**free.values, **self.rows(free), "aox_most": f"{aox:.3f}"})
        self.assertFalse(bound.fault)
        self.assertLessEqual(sum(one.to for one in bound.moves[::2]), sum(one.to for one in free.moves[::2]) + 1e-6)

    @staticmethod
    def rows(found):
        return {
            f"stage-{row.index}-{name}": text for row in found.rows for name, _, _, text in row.fields
        } | {f"stage-{row.index}-symbol": row.symbol for row in found.rows}  # fmt: skip
