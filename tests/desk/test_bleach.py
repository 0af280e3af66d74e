"""Bleaching and water on the desk: worked out as it is typed, refused by name, what comes fed forward, where the water goes."""

from datetime import timedelta

from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.bleach.coming import charges_of, coming_to, warning
from desk.stations.bleach.drawing import colour_of, draw_ahead, draw_towers
from desk.stations.bleach.models import Control, Delivery, Dip, EffluentDay, Rung, Tracer
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.water import bound, watered
from desk.stations.bleach.worked import worked
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.bench import take_result
from desk.stations.moves.models import Move
from stock.water.plan import WaterPlan
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import HouseCase
from tests.faults.test_fuzz import NASTY


class BleachCase(DeskCase):
    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def unit(self, name="wood_bleach"):
        return next(one for one in bleaches(self.state()) if one.id == name)

    def worked(self, typed=None, name="wood_bleach"):
        return worked(self.state(), self.unit(name), typed or {})


class WorkingOut(BleachCase):
    def test_with_nothing_typed_it_ends_at_what_was_read(self):
        self.enter("wood_brightness", 84.1)
        found = self.worked()
        self.assertAlmostEqual(found.through.value, 84.1, delta=0.2)
        self.assertEqual([one.name for one in found.ends], ["D0", "EP", "D1"])
        self.assertAlmostEqual(
            found.ends[0].pump.value,
            13.5 * found.through.data["stages"].value[0]["charge_kg_per_bdt"] / 13.5 / 2.63 * 5.7 / 8.8 / 0.06,
            delta=8,
        )

    def test_more_charge_is_brighter_and_dearer(self):
        usual = self.worked()
        typed = {**usual.values, **self.rows(usual), "stage-2-charge": "8"}
        more = self.worked(typed)
        self.assertGreater(more.through.value, usual.through.value + 0.5)
        self.assertGreater(more.figures[0].value, usual.figures[0].value)

    def rows(self, found):
        typed = {}
        for row in found.rows:
            typed[f"stage-{row.index}-symbol"] = row.symbol
            typed |= {f"stage-{row.index}-{name}": text for name, _, _, text in row.fields}
        return typed

    def test_the_cheapest_keep_every_limit_and_say_what_holds_them(self):
        found = self.worked()
        self.assertGreaterEqual(found.best.brightness_pct, 84.49)
        self.assertGreater(found.saved, 0)
        first = found.moves[0]
        self.assertEqual(first.point, "charge:wood_bleach:1")
        self.assertGreaterEqual(first.to, 10 * 0.15 * 18 / 2.63 - 0.05)  # a kappa factor is kept to
        for one in found.moves:
            self.assertTrue(one.flat[0] - 1e-3 <= one.to <= one.flat[1] + 1e-3)

    def test_a_target_out_of_reach_says_the_best_there_is(self):
        found = self.worked({**self.worked().values, **self.rows(self.worked()), "target": "94"})
        self.assertIn("out of reach", found.best_fault)
        self.assertRegex(found.best_fault, r"ends at 8\d\.\d % ISO")
        self.assertEqual(found.fault, "")

    def test_other_sequences_are_worked_by_their_symbols(self):
        for name, symbols, words in (
            ("wood_bleach", ("O", "Q", "PO"), "oxygen, under pressure"),
            ("wood_bleach", ("O", "D0", "EOP", "D1", "D2"), "dioxide, third"),
            ("cane_bleach", ("D0", "EP", "P"), "peroxide"),
            ("rec_bleach", ("P", "Y"), "dithionite"),
        ):
            with self.subTest(symbols):
                typed = {
                    **self.worked(name=name).values,
                    **{f"stage-{at}-symbol": one for at, one in enumerate(symbols)},
                }
                found = self.worked(typed, name)
                self.assertEqual(found.fault, "")
                self.assertEqual([one.symbol.symbol for one in found.ends], list(symbols))
                self.assertIn(words, [one.symbol.words.split(" on ")[0] for one in found.ends])
                self.assertTrue(
                    all(a.brightness <= b.brightness + 1e-9 for a, b in zip(found.ends, found.ends[1:], strict=False))
                )
        self.assertIn("No residual of P may reach Y", " ".join(found.says))

    def test_what_cannot_be_is_refused_by_name_and_kept(self):
        usual = self.worked()
        typed = {**usual.values, **self.rows(usual)}
        for field, text, words in (
            ("kappa", "soup", "not a number"),
            ("kappa", "0.18", "Kappa that comes in is 0.18"),
            ("rate", "0", "Pulp through it"),
            ("came", "", "missing"),
            ("target", "0.845", "Brightness wanted is 0.845"),
            ("stage-0-charge", "-3", "charge of D0 is -3"),
            ("stage-0-strength", "0", "solution of D0"),
            ("stage-1-minutes", "lots", "not a number"),
            ("stage-1-symbol", "XX", "XX is no stage"),
            ("stage-1-symbol", "D0", "D0 stands at 1 and at 2"),
        ):
            with self.subTest(field, text=text):
                found = self.worked(typed | {field: text})
                self.assertIn(words, found.fault)
                kept = found.values | self.rows(found)
                self.assertEqual(kept.get(field, text), text)

    def test_doubts_are_said_at_their_stage(self):
        usual = self.worked()
        found = self.worked({**usual.values, **self.rows(usual), "stage-0-charge": "26", "stage-2-ph": "7"})
        self.assertIn("more than its pump gives, 260", " ".join(found.ends[0].doubts))
        self.assertIn("end pH 7 is not usual", " ".join(found.ends[2].doubts))

    def test_pages_for_who_only_looks(self):
        self.sign_in("trainee")
        for unit in bleaches(self.state()):
            answer = self.client.get(f"/live/bleach/{unit.id}/")
            self.assertContains(answer, unit.name)
            self.assertContains(answer, "tower-wall")
        answer = self.client.post("/live/bleach/wood_bleach/try/", {"kappa": "18"})
        self.assertContains(answer, "There is no stage")
        self.assertEqual(self.client.get("/live/bleach/nowhere/").status_code, 404)
        self.assertContains(self.client.get("/live/water/"), "of fresh water for each kilogram")
        self.assertContains(self.client.post("/live/water/try/", {"chloride-limit": "0.01"}), "What you typed is kept")


class Standing(BleachCase):
    def test_a_charge_stands_where_it_was_set_last(self):
        self.assertEqual([one.value for one in charges_of(self.state(), self.unit())], [13.5, 4, 6])
        Move(
            world=self.world, by=self.people["operator"], form_key="m1", point="charge:wood_bleach:1", words="charge of D0",
            unit="kg/BDt", station="bleach", from_value=13.5, to_value=15.0, at=NOW - timedelta(hours=1),
        ).save()  # fmt: skip
        self.assertEqual([one.value for one in charges_of(self.state(), self.unit())], [15.0, 4, 6])
        self.assertIn("the last move", charges_of(self.state(), self.unit())[0].origin.text)

    def test_advice_is_counted_from_where_the_charge_stands(self):
        self.enter("cane_brightness", 81.9)
        state = self.state()
        card = next(iter(state.advice_for([state.line.tag("cane_brightness")])))
        before = card.size.value
        Move(
            world=self.world, by=self.people["operator"], form_key="m2", point="charge:cane_bleach", words="charge",
            unit="kg/BDt", station="bleach", from_value=12, to_value=14.4, at=NOW - timedelta(hours=9),
        ).save()  # fmt: skip
        state = self.state()
        card = next(iter(state.advice_for([state.line.tag("cane_brightness")])))
        self.assertGreater(card.size.value, before + 0.5)  # more is needed where more was given already


class Rows(BleachCase):
    def advice(self, tag, value):
        self.enter(tag, value)
        state = self.state()
        cards = list(state.advice_for([state.line.tag(tag)]))
        return cards[0] if cards else None

    def test_each_row_fires_with_a_size_that_can_be_done(self):
        for tag, value, rule, words in (
            ("wood_brightness", 82.9, "dull", "dioxide"),
            ("d1_ph", 2.9, "end_ph_off", "caustic"),
            ("p_ph", 11.9, "end_ph_off", "Cut"),
            ("e_kappa", 4.6, "extracted_kappa_off", "ClO₂ in the first stage"),
            ("d0_strength", 7.2, "solution_off", "Titrate again, then: multiply the pump by 1.222"),
        ):
            with self.subTest(tag):
                card = self.advice(tag, value)
                self.assertEqual(card.rule, rule)
                self.assertIn(words, card.correction)
        self.assertIn("at its pump's stop", " ".join(self.advice("d0_strength", 4.0).carrying))

    def test_residual_is_cut_where_it_is_bright_and_left_where_it_is_dull(self):
        self.enter("wood_brightness", 84.9)
        card = self.advice("d1_residual", 0.3)
        self.assertEqual(card.rule, "residual_over")
        self.assertIn("it leaves unused", card.correction)
        self.enter("wood_brightness", 82.0)
        self.assertIsNone(self.advice("d1_residual", 0.31))
        state = self.state()
        words = [text for _, text in state.quiet_for([state.line.tag("d1_residual")])]
        self.assertIn("conditions, not charge", " ".join(words))


class Coming(HouseCase):
    def test_a_darker_cook_is_foretold_on_page_and_rail(self):
        """A cook found far above its target comes to the mixer: the page says when, the exit by how much, the rail what to give."""
        self.charge_it()
        self.heat_it(until=170)
        self.log("sample", 170, Amounts(residual_kg_per_m3_as_naoh=8.9))
        self.log("relief", 172)
        self.log("blow", 180)
        self.hold_clock(200)
        take_result(
            self.state(200), self.people["tester"], 1190, {"kappa": 27.0}, at=NOW + timedelta(minutes=200), form_key="r"
        )
        self.enter("wood_brightness", 84.5, -201)
        state = self.state(205)
        unit = next(one for one in bleaches(state) if one.id == "wood_bleach")
        outlook = coming_to(state, unit)
        part = next(one for one in outlook.told if one.label == "1190")
        self.assertTrue(part.measured)
        self.assertGreater(part.kappa, 19.0)
        self.assertLess(part.kappa, 27.0)  # the blow tank is mixed
        self.assertGreater(part.figure.value, 13.5 + 0.5)
        at, value, kappa = warning(state, unit, outlook)
        self.assertGreater(at, part.enters + timedelta(hours=0.9 * outlook.hold_h))
        self.assertLess(value, 83.7)
        self.assertAlmostEqual(kappa, part.kappa)
        (item,) = [one for one in next_up(state) if "another kappa comes" in one.what]
        self.assertIn("First stage at", item.size)
        self.assertEqual(item.at, max(part.enters, item.at))
        self.hold_clock(205)
        self.sign_in("operator")
        page = self.client.get("/live/bleach/wood_bleach/").content.decode()
        self.assertTrue("without a change the exit falls to" in page, page[page.find("sentence") :][:200])
        Move(
            world=self.world, by=self.people["operator"], form_key="met", point="charge:wood_bleach:1", words="charge of D0",
            unit="kg/BDt", station="bleach", from_value=13.5, to_value=16.5, at=NOW + timedelta(minutes=204),
        ).save()  # fmt: skip
        met = self.state(205)
        again = coming_to(met, unit)
        now = next(one for one in again.told if one.label == "1190")
        self.assertAlmostEqual(now.figure.value, part.figure.value)  # met once, no more is asked for
        self.assertGreater(min(again.ahead.brightness_pct), min(outlook.ahead.brightness_pct) + 0.2)

    def test_without_cooks_it_is_as_it_usually_is(self):
        state = self.state()
        unit = next(one for one in bleaches(state) if one.id == "rec_bleach")
        self.assertIsNone(warning(state, unit, coming_to(state, unit)))
        self.assertEqual(coming_to(state, unit).told, [])


class Drawing(BleachCase):
    def test_pulp_has_its_own_colour(self):
        dark, pale = colour_of(30), colour_of(90)
        self.assertEqual((dark, colour_of(5)), ("rgb(139,107,62)", dark))
        self.assertEqual(colour_of(99), pale)
        row = draw_towers(self.worked(), coming_to(self.state(), self.unit()))
        self.assertEqual(len(row.towers), 3)
        self.assertEqual(row.towers[0].foot_colour, row.towers[1].top_colour)
        self.assertIsNone(draw_ahead(self.state(), coming_to(self.state(), self.unit()), None))


class Waters(BleachCase):
    def test_the_water_closes_and_every_drain_is_named(self):
        state = self.state()
        found = watered(state)
        fresh = sum(one.fresh_m3_per_h for one in found.uses)
        self.assertAlmostEqual(fresh, sum(
            state.result.streams[one.id].total_t_per_h
            for unit in state.line.units if unit.kind == "water" for one in state.line.graph.out(unit.id)
        ), places=6)  # fmt: skip
        self.assertAlmostEqual(sum(one.share_pct for one in found.drains), 100, places=6)
        self.assertNotIn("wash filtrate", [one.name for one in found.drains])  # that goes to the evaporators
        self.assertLessEqual(found.saving, fresh)

    def test_what_binds_is_worked_out_as_typed(self):
        self.assertIn("Chloride binds: 4.57", bound(WaterPlan(), {}).words[0])
        self.assertIn("Calcium binds", bound(WaterPlan(), {"chloride-load": "0.2"}).words[0])
        self.assertIn("not a number", bound(WaterPlan(), {"calcium-limit": "x"}).fault)
        self.assertIn("no bleed keeps", bound(WaterPlan(), {"chloride-limit": "0,01"}).fault)


class Slips(BleachCase):
    def test_whatever_is_typed_is_answered_in_words(self):
        """Every nasty text in every field of a bleach, of the water, of a rung and a load: no error, nothing stored."""
        self.sign_in("operator")
        usual = self.worked()
        typed = {**usual.values, **WorkingOut.rows(self, usual)}
        forms = {
            "/live/bleach/wood_bleach/try/": typed,
            "/live/water/try/": {"chloride-load": "1", "potassium-limit": "1", "product": "1"},
            "/live/bleach/kept/rung/": {"place": "wood_bleach:1", "charge_kg_per_bdt": "", "at": "", "text": ""},
            "/live/bleach/kept/tracer/": {"place": "wood_bleach:1", "full_min": "70", "found": "30 0; 40 6", "at": ""},
            "/live/bleach/kept/control/": {"kind": "reagent", "what": "", "should": "-1", "found": "1", "allowed": ""},
            "/live/bleach/cane_bleach/again/": {"again-charge": "20", "again-before": "4", "again-back": "60"},
            "/live/water/day/": {"day": "2026-03-08", "flow_m3": "", "cod_t": "-1", "aox_kg": "", "text": ""},
            "/live/bleach/tanks/dip/": {"place": "wood_bleach:2:", "holds_m3": "", "strength_g_per_l": "-1", "at": ""},
            "/live/bleach/tanks/load/": {
                "place": "wood_bleach:2:",
                "product": "peroxide",
                "ph": "",
                "second": "",
                "at": "",
            },
        }
        nasties = [one for one in NASTY if one.isprintable() or one == "\x00"]
        for address, form in forms.items():
            step = 4 if len(form) < 9 else 15
            for index, name in enumerate(form):  # each field some of them, all of them somewhere
                for nasty in nasties[index % step :: step]:
                    answer = self.client.post(address, form | {name: nasty, "form_key": "slip"})
                    self.assertLess(answer.status_code, 500, (address, name, nasty[:20]))
        for model in (Rung, Delivery, Dip, Tracer, Control, EffluentDay):
            self.assertFalse(model.objects.exists(), model)
