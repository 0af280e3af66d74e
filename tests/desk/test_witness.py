"""Two witnesses of one value: pairs, what they ask for, the trim, and what the desk goes by."""

from datetime import timedelta

from desk.floor.models import Record, World, epoch
from desk.floor.next_up import next_up
from desk.floor.services import record_reading, store_samples
from desk.floor.state import State
from desk.floor.witness import log_trim
from tests.desk.base import NOW, DeskCase

PADS = (3.55, 3.54, 3.55, 3.53, 3.54, 3.55)


class WitnessCase(DeskCase):
    """A line of its own on which nothing was measured yet."""

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.bare = World.objects.create(slug="bare", name="Bare", version=cls.world.version)

    def pair(self, lab, *, over=0.09, minutes_ago, tag="brown_cons"):
        """Enter a sample, and what the instrument read while it was taken."""
        at = NOW - timedelta(minutes=minutes_ago)
        rows = [(tag, epoch(at) + second, lab + over + 0.002 * ((second // 20) % 2)) for second in (-50, -30, 30, 50)]
        store_samples(self.bare.pk, rows)
        record_reading(self.bare, self.people["tester"], tag, lab, at=at, form_key=f"{tag}{minutes_ago}")

    def pads(self, values=PADS, over=0.09, every=100, first=20):
        for index, lab in enumerate(values):
            self.pair(lab, over=over, minutes_ago=first + every * index)

    def now_reads(self, value):
        seconds = epoch(NOW)
        store_samples(
            self.bare.pk, [("brown_cons", seconds - 5 * back, value + 0.003 * (back % 2)) for back in range(4)]
        )

    def state(self):
        return State(self.bare, NOW)


class Evidence(WitnessCase):
    def test_five_pads_outweigh_the_transmitter_and_no_dilution_is_asked_for(self):
        self.pads()
        self.now_reads(3.64)
        state = self.state()
        reading = state.readings["brown_cons"]
        self.assertAlmostEqual(reading.value, 3.55, 2)
        self.assertEqual(reading.verdict.level, "ok")
        self.assertIn("reads 3.64; 6 samples agree", reading.note)
        self.assertNotIn("brown_cons", [card.tag.id for card in state.advice])
        item = next(item for item in next_up(state) if item.witness == "brown_cons")
        self.assertIn("Trim it by −0.09", item.size)

    def test_what_is_computed_from_it_goes_by_the_evidence_and_opens_to_the_pairs(self):
        self.pads()
        self.now_reads(3.64)
        datum = self.state().reading("brown_cons")
        self.assertAlmostEqual(datum.value, 3.55, 2)
        self.assertEqual(datum.figure.method.name, "less_bias")
        self.assertEqual(datum.figure.data["bias_read"].figure.method.name, "pairs_check")

    def test_an_honest_transmitter_is_gone_by_and_its_advice_is_given(self):
        self.pads(over=0.005)
        self.now_reads(3.70)
        state = self.state()
        self.assertEqual(state.witnesses["brown_cons"].decision, "leave")
        self.assertAlmostEqual(state.readings["brown_cons"].value, 3.70, 2)
        self.assertIn("brown_cons", [card.tag.id for card in state.advice])

    def test_three_pads_that_speak_against_it_hold_the_advice_and_ask_for_two_more(self):
        self.pads(PADS[:3])
        self.now_reads(3.64)
        state = self.state()
        self.assertNotIn("brown_cons", [card.tag.id for card in state.advice])
        item = next(item for item in next_up(state) if item.witness == "brown_cons")
        self.assertIn("Take 2 more samples before anything is moved", item.size)

    def test_pads_that_scatter_make_the_newest_of_them_the_value(self):
        for index, lab in enumerate((3.47, 3.66, 3.45, 3.62, 3.41, 3.58)):
            self.pair(lab, over=3.52 - lab, minutes_ago=20 + 60 * index)
        self.now_reads(3.64)
        reading = self.state().readings["brown_cons"]
        self.assertEqual((reading.value, reading.origin.kind), (3.47, "entered"))
        self.assertIn("scatter", reading.note)

    def test_a_pad_corrected_in_the_log_changes_its_pair(self):
        self.pads()
        wrong = Record.objects.get(tag="brown_cons", at=NOW - timedelta(minutes=20))
        self.sign_in()
        self.client.post(f"/bare/log/{wrong.pk}/correct/", {"value": "3.60", "reason": "misread", "form_key": "c"})
        self.assertEqual(self.state().witnesses["brown_cons"].pairs[-1].lab, 3.60)

    def test_a_pad_without_the_instrument_beside_it_is_no_pair(self):
        at = NOW - timedelta(minutes=300)
        record_reading(self.bare, self.people["tester"], "brown_cons", 3.5, at=at, form_key="alone")
        self.assertEqual(self.state().witnesses["brown_cons"].pairs, ())

    def test_a_value_on_its_limit_does_not_flicker(self):
        seconds, levels = epoch(NOW), set()
        store_samples(
            self.bare.pk, [("brown_cons", seconds - 5 * back, 3.6 + 0.006 * (-1) ** back) for back in range(24)]
        )
        for back in range(0, 60, 5):
            moment = NOW - timedelta(seconds=back)
            levels.add(State(self.bare, moment).readings["brown_cons"].verdict.level)
        self.assertEqual(len(levels), 1)


class Trims(WitnessCase):
    def trim(self, **typed):
        self.sign_in()
        given = {"by": "-0.09", "why": "six pads", "at": "", "form_key": "t", **typed}
        return self.client.post("/bare/witness/brown_cons/trim/", given)

    def test_a_trim_is_logged_and_the_pairs_begin_anew(self):
        self.pads()
        self.assertEqual(self.trim().status_code, 302)
        witness = State(self.bare).witnesses["brown_cons"]
        self.assertEqual((witness.pairs, witness.decision), ((), "more_samples"))
        self.assertIn("trimmed by −0.090 %: six pads", witness.trim.text)
        self.assertContains(self.client.get("/bare/log/"), "trimmed by −0.090 %")

    def test_pressed_twice_it_is_one_trim(self):
        self.pads()
        self.trim()
        self.trim()
        self.assertEqual(Record.objects.filter(kind="trim").count(), 1)

    def test_a_trim_taken_back_makes_the_pairs_count_again(self):
        self.pads()
        self.trim()
        answer = self.client.post("/bare/witness/brown_cons/take-back/", {"why": "not reached", "form_key": "b"})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(State(self.bare).witnesses["brown_cons"].decision, "offset")
        self.assertContains(self.client.get("/bare/log/"), "Not done: ")

    def test_what_is_no_trim_is_refused_and_what_was_typed_stays(self):
        self.pads()
        for typed, says in (
            ({"by": "0"}, "a trim of 0"),
            ({"by": "9"}, "a trim of 9"),
            ({"by": "nine"}, "The trim"),
            ({"why": " "}, "say why"),
            ({"at": "25:10"}, "25:10"),
        ):
            with self.subTest(typed):
                answer = self.trim(**typed)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.content.decode())
                self.assertIn(next(iter(typed.values())), answer.content.decode())
        self.assertFalse(Record.objects.filter(kind="trim").exists())

    def test_a_trainee_may_look_and_not_trim(self):
        self.pads()
        self.sign_in("trainee")
        self.assertEqual(self.client.get("/bare/witness/brown_cons/").status_code, 200)
        self.assertEqual(
            self.client.post("/bare/witness/brown_cons/trim/", {"by": "-0.09", "why": "x"}).status_code, 403
        )

    def test_an_instrument_nobody_checks_has_no_page(self):
        self.sign_in()
        self.assertEqual(self.client.get("/bare/witness/wood_freeness/").status_code, 404)
        self.assertEqual(self.client.get("/bare/witness/nothing/").status_code, 404)

    def test_a_trim_of_another_line_does_not_count_here(self):

        tag = self.state().line.tag("brown_cons")
        log_trim(self.world, self.people["operator"], tag, -0.05, at=NOW, why="there", form_key="o")
        self.assertIsNone(self.state().witnesses["brown_cons"].trim)
