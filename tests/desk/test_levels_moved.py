"""A move at a level is judged by the share of its hours that passed, and set back when they are over."""

from datetime import timedelta

from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.stations.moves.followed import Followed
from desk.stations.moves.models import Made, Move
from desk.stations.moves.since import is_news
from tests.desk.base import NOW, DeskCase


class LevelsMoved(DeskCase):
    """The word on a move at a level: by what came of it in the share of its hours that passed."""

    def word(self, did, passed_min, settled_min=240.0, effect=4.0):
        line = State(self.world, NOW).line
        move = Move(
            world=self.world, point="level:tower_a", words="level", to_value=64, at=NOW - timedelta(minutes=passed_min),
            tag="tower_a_level", expected={"effect": effect, "settled_min": settled_min, "first_min": 10.0},
        )  # fmt: skip
        times = [-20.0, -10.0, 0.0, passed_min / 2, float(passed_min)]
        values = [60.0, 60.0, 60.0, 60.0 + did / 2, 60.0 + did]
        one = Followed(move, line.tag("tower_a_level"), NOW, times, values)
        return one.verdict

    def test_it_is_held_against_what_should_have_come_by_now(self):
        self.assertEqual(self.word(4.0, 240), "worked")
        self.assertEqual(self.word(2.0, 120), "worked")  # half of the time, half of it
        self.assertEqual(self.word(2.0, 240), "less")
        self.assertEqual(self.word(6.0, 240), "more")
        self.assertEqual(self.word(-1.0, 240), "wrong_way")
        self.assertEqual(self.word(1.0, 60), "")  # too early for a word

    def test_its_course_is_drawn_evenly_to_its_end(self):
        line = State(self.world, NOW).line
        move = Move(
            world=self.world, point="level:tower_a", words="level", to_value=64, at=NOW - timedelta(minutes=240),
            tag="tower_a_level", expected={"effect": 4.0, "settled_min": 200.0, "first_min": 10.0},
        )  # fmt: skip
        one = Followed(move, line.tag("tower_a_level"), NOW, [-10.0, 0.0, 100.0, 240.0], [60.0, 60.0, 62.0, 64.0])
        self.assertEqual(one.course([-5.0, 0.0, 100.0, 200.0, 400.0]), [60.0, 60.0, 62.0, 64.0, 64.0])

    def test_a_word_is_news_as_long_again_as_it_took_and_four_hours_at_least(self):
        for settled_min, hours in ((30, 4.0), (600, 10.0)):
            for off, news in ((-1, True), (1, False)):
                with self.subTest(settled_min=settled_min, off=off):
                    at = NOW - timedelta(minutes=settled_min) - timedelta(hours=hours) - timedelta(minutes=off)
                    move = Move(world=self.world, at=at, to_value=1, expected={"settled_min": float(settled_min)})
                    self.assertEqual(is_news(State(self.world, NOW), move), news)

    def fed(self, minutes_ago, **more):
        """Return a flow that was set for a level an hour long, followed."""
        move = Move(
            world=self.world, point="flow:brown", words="flow of brown stock", unit="L/min", from_value=718, to_value=1010,
            at=NOW - timedelta(minutes=minutes_ago), tag="tower_a_level",
            expected={"effect": 4.0, "settled_min": 60.0, "first_min": 30.0},
        )  # fmt: skip
        values = [60.0, 60.0, 60.0 + 4.0 * minutes_ago / 60]
        line = State(self.world, NOW).line
        return Followed(
            move,
            line.tag("tower_a_level"),
            NOW,
            [-10.0, 0.0, float(minutes_ago)],
            values,
            drawn_l_per_min=712.0,
            **more,
        )

    def test_a_flow_set_for_a_level_is_set_back_when_its_hour_is_over(self):
        early, on_time, late = self.fed(10), self.fed(45), self.fed(70)
        self.assertIn("Look first at 14:50", early.sentence)
        self.assertIn("By 15:20 the flow goes back to what is drawn, 712 L/min", early.sentence)
        self.assertIn("It worked: 60 to 63 % by 14:30", on_time.sentence)
        self.assertEqual((on_time.level, on_time.to_set_back), ("ok", False))
        self.assertIn("Set it back to what is drawn, 712 L/min: the level goes on moving", late.sentence)
        self.assertEqual((late.level, late.to_set_back), ("outside", True))
        done = self.fed(70, moved_on=True)
        self.assertNotIn("back", done.sentence)
        self.assertEqual((done.level, done.to_set_back), ("ok", False))

    def test_the_rail_says_so_until_the_flow_is_moved_again(self):
        at = NOW - timedelta(minutes=70)
        given = {
            "world": self.world, "by": self.people["operator"], "point": "flow:brown", "words": "flow of brown stock",
            "unit": "L/min", "station": "wash",
        }  # fmt: skip
        Move.objects.create(
            **given, form_key="on", from_value=600, to_value=1010, at=at, tag="tower_a_level",
            expected={"effect": 4.0, "settled_min": 60.0, "first_min": 30.0},
        )  # fmt: skip
        state = State(self.world, NOW)
        drawn = state.result.streams["brown"].total_t_per_h * 1000 / 60  # and not the 600 it was short at
        said = [item for item in next_up(state) if f"Set it back to what is drawn, {drawn:.0f} L/min" in item.size]
        self.assertEqual([(item.level, item.now) for item in said], [("outside", True)])
        Move.objects.create(
            **given, form_key="back", from_value=1010, to_value=round(drawn), at=NOW - timedelta(minutes=2)
        )
        later = next_up(State(self.world, NOW))
        self.assertFalse([item for item in later if "Set it back" in item.size])

    def test_one_the_plant_refused_is_not_judged(self):
        move = Move.objects.create(
            world=self.world, by=self.people["operator"], form_key="m", point="level:tower_a", words="level", to_value=64,
            at=NOW - timedelta(minutes=300), tag="tower_a_level", expected={"effect": 4.0, "settled_min": 200.0},
        )  # fmt: skip
        Made.objects.create(world=self.world, move=move, at=NOW, reached=False, words="beyond its limits")
        move.refresh_from_db()
        one = Followed(move, State(self.world, NOW).line.tag("tower_a_level"), NOW, [0.0, 300.0], [60.0, 64.0])
        self.assertEqual(one.verdict, "not_made")
