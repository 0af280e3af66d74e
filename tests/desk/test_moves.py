"""Moves: made once, by who may, inside their limits; followed up in plain words; sent to a simulated plant alone."""

import json
from datetime import timedelta

from asgiref.sync import async_to_sync
from django.utils import timezone

from desk.floor import pulse
from desk.floor.models import Record, Sample, World, epoch
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.mill.models import DefinitionVersion
from desk.stations.cook.house import house_of
from desk.stations.moves.hands import SIMULATED, Hands, NotSimulatedError
from desk.stations.moves.learned import kinds
from desk.stations.moves.models import Gain, Made, Move, Setting
from desk.stations.moves.reckoning import reckoned
from desk.stations.moves.since import follow, followed
from desk.stations.moves.telling import spoken
from tests.desk.base import NOW, DeskCase

POINT = "flow:brown_water"
EXPECTED = {"effect": -0.14, "dead_min": 0.5, "taus_min": [3.0], "first_min": 2.0, "settled_min": 12.0}


class MovesCase(DeskCase):
    def setUp(self):
        super().setUp()
        self.world = self.line_of_its_own("try")

    def line_of_its_own(self, slug):
        """Open a line nothing was read on yet, with a simulated plant."""
        world = World.objects.create(slug=slug, name="Try", version=type(self).world.version, simulated=True)
        Setting.objects.create(
            world=world, point=POINT, words="flow of brown water", unit="L/min", low=0, high=5000, decimals=0,
            station="wash", value=2340, at=NOW,
        )  # fmt: skip
        return world

    def move(self, **fields):
        given = {
            "world": self.world, "by": self.people["operator"], "form_key": f"m{Move.objects.count()}", "point": POINT,
            "words": "flow of brown water", "unit": "L/min", "station": "wash", "tag": "brown_cons", "from_value": 2340,
            "to_value": 2486, "at": NOW - timedelta(minutes=15), "because": "card", "rule": "thick", "expected": EXPECTED,
        }  # fmt: skip
        row = Move(**{**given, **fields})
        row.save()
        return row

    def course(self, move, ratio, noise=0.004):
        """Lay the readings of an instrument that does so much of what was expected."""
        at_s = epoch(move.at)
        for second in range(-1800, 900, 30):
            come = 0.0 if second < 30 else 1 - 2.718281828 ** (-(second - 30) / 180)
            wiggle = noise * ((second // 30) % 3 - 1)
            value = 3.64 - 0.14 * ratio * come + wiggle
            Sample(world=self.world, tag="brown_cons", at_s=at_s + second, value=value).save()

    def post(self, where="make/", **fields):
        form = {"point": POINT, "to": "2486", "form_key": "f1", **fields}
        return self.client.post(f"/try/moves/{where}", form)


class Apart(MovesCase):
    def test_what_another_move_had_a_part_in_is_not_counted_for_this_one(self):
        trial = self.move(at=NOW - timedelta(minutes=90))
        at_s = epoch(trial.at)
        for second in range(-1800, 5400, 60):  # it does what it should; a quarter of an hour on it is set back
            came = 0.0 if second < 30 else 1.0 if second < 900 else 0.0
            value = 3.64 - 0.14 * came + 0.004 * ((second // 60) % 3 - 1)
            Sample(world=self.world, tag="brown_cons", at_s=at_s + second, value=value).save()
        alone = {one.move.pk: one for one in followed(State(self.world))}[trial.pk]
        self.assertNotEqual(alone.verdict, "worked")
        expected = {**EXPECTED, "effect": 0.14}
        back = self.move(at=trial.at + timedelta(minutes=15), from_value=2486, to_value=2340, expected=expected)
        told = [follow(State(self.world), move, [trial, back]) for move in (trial, back)]
        self.assertEqual([one.verdict for one in told], ["worked", "worked"])
        self.assertLessEqual(max(told[0].times_min), 15)

    def test_a_move_made_before_the_one_before_it_has_settled_is_not_judged(self):
        first = self.move(at=NOW - timedelta(minutes=60), expected={**EXPECTED, "settled_min": 40.0})
        second = self.move(at=first.at + timedelta(minutes=10))
        self.course(second, 1.0)
        one = {one.move.pk: one for one in followed(State(self.world))}[second.pk]
        self.assertEqual(one.verdict, "cannot")


class EndPoint(DeskCase):
    """One press carries the next end point to every cook that is in, and to those after it."""

    def test_a_moved_end_point_is_what_cooks_are_followed_to(self):
        self.enter("kappa_wood", 19.6)
        house = house_of(State(self.world, NOW))
        before = next(one for one in house.all() if one.running and one.recipe.id == "alder")
        usual = before.state.aim.value
        Move.objects.create(
            world=self.world, by=self.people["cook"], form_key="a", point="aim:wood_cook", words="end point, wood digesters",
            unit="%", station="cook", tag="kappa_wood", from_value=100, to_value=110, at=NOW,
        )  # fmt: skip
        pulse.forget()
        after = house_of(State(self.world, NOW)).follow(before.cook)
        self.assertAlmostEqual(after.state.aim.value / usual, 1.1, 1)
        self.assertLess(after.state.kappa.value, before.state.kappa.value - 0.3)
        self.assertGreater(after.blow_at, before.blow_at)
        self.sign_in("cook")
        sheet = self.client.get("/live/cook/charge/?digester=2")  # and to what is charged next
        self.assertAlmostEqual(sheet.context["sheet"].value("aim") / usual, 1.1, 1)
        self.assertContains(sheet, ": the end point was moved")
        self.assertRegex(after.kappa_words, r"aimed at 1[67]\.\d, target 18\.$")
        self.assertNotIn("aimed", before.kappa_words)
        tag, expected = reckoned(State(self.world, NOW), Setting(point="aim:wood_cook", value=100.0), 110.0)
        self.assertEqual(tag, "kappa_wood")
        self.assertTrue(-2.0 < expected["effect"] < -0.4, expected)
        self.assertGreater(expected["first_min"], 100)  # the next two cooks come first

    def test_what_was_set_long_ago_still_stands_until_the_line_is_defined_anew(self):
        version = DefinitionVersion.objects.create(
            text=self.world.version.text, sha256="another", approved_by="E. Test", number=99,
            approved_at=NOW - timedelta(days=30),
        )  # fmt: skip
        Move.objects.create(
            world=self.world, by=self.people["cook"], form_key="a", point="aim:wood_cook", words="end point", unit="%",
            station="cook", from_value=100, to_value=105, at=NOW - timedelta(days=5),
        )  # fmt: skip
        pulse.forget()
        world = World.objects.select_related("version").get(pk=self.world.pk)
        world.version = version
        self.assertEqual(State(world, NOW).stands("aim:wood_cook").value, 105)


class Making(MovesCase):
    def test_a_move_is_kept_with_its_line_in_the_log_and_goes_to_the_plant(self):
        self.sign_in("operator")
        self.assertEqual(self.post(text="thick since noon").status_code, 302)
        move = Move.objects.get()
        self.assertEqual((move.from_value, move.to_value, move.unit, move.to_plant), (2340, 2486, "L/min", True))
        self.assertEqual(Record.objects.get().text, "Flow of brown water set 2340 to 2486 L/min. thick since noon")

    def test_sent_twice_or_pressed_twice_it_counts_once(self):
        self.sign_in("operator")
        self.post()
        self.post()
        self.post(form_key="another")
        self.assertEqual(Move.objects.count(), 1)
        self.assertEqual(Record.objects.count(), 1)

    def test_one_form_says_one_thing_and_its_move_stands_where_what_is_set_does(self):
        self.sign_in("operator")
        self.post(station="yard")
        self.assertEqual(Move.objects.get().station, "wash")
        self.assertContains(self.post(to="2600"), "was sent at", status_code=422)
        self.assertEqual(Move.objects.count(), 1)

    def test_what_cannot_be_is_refused_by_name_with_what_was_typed_kept(self):
        self.sign_in("operator")
        for fields, words in (
            ({"to": "9000"}, "cannot be 9000 L/min"),
            ({"to": "lots"}, "which is not a number"),
            ({"to": ""}, "Set to is missing"),
            ({"point": "flow:nowhere"}, "none of the list"),
            ({"at": "tomorrow 23:00"}, "in the future"),
            ({"point": "", "words": ""}, "What is set is missing"),
        ):
            with self.subTest(fields=fields):
                answer = self.post(**{"form_key": words, **fields})
                self.assertContains(answer, words, status_code=422)
        self.assertFalse(Move.objects.exists())

    def test_a_tester_and_a_trainee_may_look_and_not_move(self):
        for role in ("tester", "trainee"):
            self.sign_in(role)
            self.assertEqual(self.client.get("/try/moves/").status_code, 200)
            self.assertContains(self.post(form_key=role), "may look but not make a move", status_code=403)
        self.assertFalse(Move.objects.exists())

    def test_what_was_done_earlier_is_a_record_and_does_not_reach_the_plant(self):
        self.sign_in("operator")
        at = timezone.localtime(NOW - timedelta(hours=1))
        self.post(at=f"{at:%H:%M}")
        self.assertFalse(Move.objects.get().to_plant)

    def test_on_a_line_that_is_not_simulated_nothing_goes_anywhere(self):
        World.objects.filter(pk=self.world.pk).update(simulated=False)
        Setting.objects.all().delete()
        self.sign_in("operator")
        answer = self.post(point="", words="brown dilution valve", unit="%", station="wash")
        self.assertEqual(answer.status_code, 302)
        self.assertFalse(Move.objects.get().to_plant)
        self.assertContains(self.client.get("/try/moves/"), "never sets anything in the plant")

    def test_taken_back_it_is_followed_no_more(self):
        self.sign_in("operator")
        move = self.move()
        self.assertContains(
            self.client.post(f"/try/moves/{move.pk}/take-back/", {"form_key": "b"}), "say why", status_code=422
        )
        done = {"why": "valve was shut", "form_key": "b2"}
        self.assertEqual(self.client.post(f"/try/moves/{move.pk}/take-back/", done).status_code, 302)
        self.assertEqual(followed(State(self.world)), [])
        self.assertIn("Not done", Record.objects.first().text)
        self.assertEqual(self.client.post(f"/try/moves/{move.pk}/take-back/", done).status_code, 404)

    def test_made_in_the_plant_it_is_not_taken_back_but_set_back(self):
        move = self.move(to_plant=True)
        Made(world=self.world, move=move, at=NOW, reached=True, value=2486).save()
        self.sign_in("operator")
        answer = self.client.post(f"/try/moves/{move.pk}/take-back/", {"why": "oops", "form_key": "b"})
        self.assertContains(answer, "set it back by another move", status_code=422)

    def test_quick_entry_reads_a_move_and_refuses_one_beyond(self):
        state = State(self.world)
        said = spoken(state, "brown dilution +146")
        self.assertEqual(said.words, "A move. flow of brown water: 2340 to 2486 L/min")
        said.do(self.people["operator"], NOW, "q1")
        self.assertEqual(Move.objects.get().to_value, 2486)
        self.assertIn("can be", spoken(state, "brown dilution to 99000").fault)
        self.assertIsNone(spoken(state, "brown cons 3.5"))


class FollowingUp(MovesCase):
    def word(self, move):
        one = follow(State(self.world), move)
        return one.verdict, one.sentence

    def test_the_plain_word_on_each(self):
        for index, (ratio, verdict, words) in enumerate(
            (
                (1.0, "worked", "It worked: 3.6"),
                (0.0, "no_effect", "look at the next cause"),
                (-1.0, "wrong_way", "Set it back"),
            )
        ):
            with self.subTest(ratio=ratio):
                self.world = self.line_of_its_own(f"try-{index}")
                move = self.move()
                self.course(move, ratio)
                found = self.word(move)
                self.assertEqual(found[0], verdict, found[1])
                self.assertIn(words, found[1])

    def test_before_its_first_look_it_waits_and_the_card_says_so(self):
        move = self.move(at=NOW - timedelta(minutes=1))
        self.course(move, 1.0)
        state = State(self.world)
        one = followed(state)[0]
        self.assertEqual(one.verdict, "")
        self.assertIn("Look first at", one.sentence)
        self.assertTrue(any(item.what == "Look at brown stock consistency" for item in next_up(state)))

    def test_not_made_it_says_nothing_has_changed(self):
        move = self.move(to_plant=True)
        Made(world=self.world, move=move, at=NOW, reached=False, words="beyond its limits").save()
        move.refresh_from_db()
        self.assertEqual(self.word(move)[0], "not_made")
        self.assertIn("Nothing has changed", self.word(move)[1])

    def test_the_page_draws_the_course_over_what_happened(self):
        move = self.move()
        self.course(move, 1.0)
        self.sign_in("operator")
        answer = self.client.get("/try/moves/")
        self.assertContains(answer, "l-course")
        self.assertContains(answer, "It worked")

    def test_five_moves_teach_a_gain_that_an_engineer_accepts(self):
        for back in range(6):
            move = self.move(at=NOW - timedelta(hours=4 * (back + 1)), form_key=f"g{back}")
            self.course(move, 0.6)
        state = State(self.world)
        (kind,) = kinds(state)
        self.assertLess(kind.learned.gain_ratio, 0.8)
        self.assertTrue(kind.learned.ready_count)
        self.sign_in("operator")
        form = {"kind": f"{POINT} brown_cons", "form_key": "k"}
        self.assertEqual(self.client.post("/try/moves/learn/", form).status_code, 403)
        self.sign_in("engineer")
        self.assertEqual(self.client.post("/try/moves/learn/", form).status_code, 302)
        self.assertEqual(Gain.objects.get().moves, list(kind.moves))
        self.assertEqual(len(kind.moves), 6)
        gain = State(self.world).learned(POINT, "brown_cons")
        self.assertAlmostEqual(gain.value, kind.learned.gain_ratio)


class Line:
    """A server's folder that writes down what it is asked."""

    def __init__(self, answer):
        self.asked, self.answer = [], answer

    async def call_method(self, node, *arguments):
        self.asked.append((node.Identifier, *arguments))
        return json.dumps(self.answer)


class HandsTests(MovesCase):
    def test_only_a_simulated_plant_is_ever_written_to(self):
        with self.assertRaises(NotSimulatedError):
            Hands(self.world, "opc.tcp://nowhere", "urn:a-mill:plant")
        World.objects.filter(pk=self.world.pk).update(simulated=False)
        self.world.refresh_from_db()
        with self.assertRaises(NotSimulatedError):
            Hands(self.world, "opc.tcp://nowhere", SIMULATED)

    def test_a_server_that_is_not_the_stand_in_is_left_alone(self):
        hands = Hands(self.world, "opc.tcp://nowhere", SIMULATED)

        class Server:
            async def get_namespace_array(self):
                return ["http://opcfoundation.org/UA/", "urn:a-mill:plant"]

        with self.assertRaises(NotSimulatedError):
            async_to_sync(hands.checked)(Server())

    def test_the_collector_has_no_such_verbs(self):
        import inspect

        from desk.exchange import collector

        source = inspect.getsource(collector)
        for verb in ("write_value", "write_attribute", "call_method", "set_value"):
            self.assertNotIn(verb, source)

    def test_a_move_is_made_once_and_what_came_of_it_is_kept(self):
        move = self.move(to_plant=True, at=NOW)
        hands, line = Hands(self.world, "opc.tcp://nowhere", SIMULATED), Line({"ok": True, "value": 2485.6})
        async_to_sync(hands.once)(line, 2)
        async_to_sync(hands.once)(line, 2)
        self.assertEqual([one for one in line.asked if one[0] == "set"], [("set", POINT, 2486.0)])
        made = Made.objects.get(move=move)
        self.assertEqual((made.reached, made.value), (True, 2485.6))

    def test_a_refusal_is_kept_in_words(self):
        move = self.move(to_plant=True, at=NOW)
        hands = Hands(self.world, "opc.tcp://nowhere", SIMULATED)
        line = Line({"ok": False, "message": "too much", "allowed": "0 to 10"})
        async_to_sync(hands.once)(line, 2)
        self.assertEqual(Made.objects.get(move=move).words, "too much Allowed: 0 to 10")

    def test_a_move_that_waited_too_long_is_not_made_late(self):
        self.move(to_plant=True, at=NOW - timedelta(minutes=20))
        hands, line = Hands(self.world, "opc.tcp://nowhere", SIMULATED), Line({"ok": True})
        async_to_sync(hands.once)(line, 2)
        self.assertEqual([one for one in line.asked if one[0] == "set"], [])
        self.assertFalse(Made.objects.get().reached)

    def test_what_can_be_set_is_kept_up(self):
        hands = Hands(self.world, "opc.tcp://nowhere", SIMULATED)
        told = {
            "point": "power:wood_refine",
            "words": "net power",
            "unit": "kW",
            "low": 0,
            "high": 900,
            "decimals": 0,
            "station": "refine",
            "value": 480,
        }
        hands.keep_settings([told])
        self.assertEqual([one.point for one in Setting.objects.all()], ["power:wood_refine"])
        hands.keep_settings([{**told, "value": 500}])
        self.assertEqual(Setting.objects.get().value, 500)
