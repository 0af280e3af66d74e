"""Drifts and shifts of laboratory results, said before a limit is passed."""

from datetime import timedelta

from desk.floor.next_up import next_up
from desk.floor.state import State
from tests.desk.base import NOW, DeskCase

FALLS = (84.6, 84.3, 84.4, 84.1, 84.2, 84.0, 84.1, 83.9, 84.0, 83.8)


class Drifts(DeskCase):
    def run_of(self, tag, values, every=60):
        for index, value in enumerate(reversed(values)):
            self.enter(tag, value, minutes_ago=10 + every * index)
        return State(self.world, NOW)

    def test_a_slow_fall_is_said_while_every_result_is_in_its_band(self):
        state = self.run_of("wood_brightness", FALLS)
        self.assertEqual(state.readings["wood_brightness"].verdict.level, "ok")
        found = state.drifting["wood_brightness"]
        self.assertIn("drifted down", found.words)
        self.assertEqual(found.figure.method.name, "drift")
        self.assertIn("Still in its band", next(one.size for one in next_up(state) if "drifted" in one.size))
        self.sign_in()
        self.assertSays(self.client.get("/live/at/bleach/"), "drifted down")
        self.assertEqual(self.client.get("/live/working/?of=drift:wood_brightness").status_code, 200)

    def test_what_stands_at_its_target_is_quiet(self):
        self.assertEqual(self.run_of("wood_brightness", (84.5, 84.7, 84.3, 84.6, 84.4, 84.5)).drifting, {})

    def test_what_is_off_already_is_not_said_twice(self):
        state = self.run_of("wood_brightness", (*FALLS, 83.4))
        self.assertNotIn("wood_brightness", state.drifting)
        self.assertIn("wood_brightness", [reading.tag.id for reading in state.off])

    def test_what_came_back_is_quiet_again(self):
        self.assertNotIn("wood_brightness", self.run_of("wood_brightness", (*FALLS, 84.6)).drifting)

    def test_four_results_are_no_run_and_those_of_last_week_do_not_count(self):
        self.assertEqual(self.run_of("wood_brightness", (84.0, 83.9, 83.9, 83.8)).drifting, {})
        old = State(self.world, NOW + timedelta(days=4))
        self.assertEqual(old.drifting, {})

    def test_a_result_corrected_in_the_log_leaves_the_run(self):
        self.run_of("wood_brightness", FALLS)
        newest = State(self.world, NOW).lab["wood_brightness"].pk
        self.sign_in()
        given = {"value": "84.9", "reason": "misread", "form_key": "k"}
        self.client.post(f"/live/log/{newest}/correct/", given)
        self.assertNotIn("wood_brightness", State(self.world, NOW).drifting)
