"""What the look ahead says on the rail: of each vessel the first limit it meets, how likely, and blows without room."""

from dataclasses import replace
from datetime import timedelta

from desk.floor.state import State
from desk.stations.ahead.looking import Ahead
from desk.stations.ahead.telling import SOON, due
from stock.simulate.outlook import ALERT, WARN, Blow, Course, Outlook
from tests.desk.base import NOW, DeskCase

HOURS = [float(at) for at in range(13)]


class OnTheRail(DeskCase):
    def course(self, unit, low=0.0, over=0.0, at=6):
        """Return a course that meets a limit with a chance from an hour on."""
        flat = [50.0] * len(HOURS)
        chances = [[chance if hour >= at else 0.0 for hour in HOURS] for chance in (low, over)]
        return Course(unit, flat, flat, flat, *chances)

    def said(self, *courses, blows=(), made_min_ago=0, reads=None):
        state = State(self.world, NOW)
        for tag, value in (reads or {}).items():
            state.readings[tag] = replace(state.readings[tag], value=value)
        made_at = NOW - timedelta(minutes=made_min_ago)
        outlook = Outlook(HOURS, {one.unit: one for one in courses}, list(blows), [])
        state.kept["ahead"] = Ahead(made_at, outlook)
        return list(due(state))

    def test_without_a_look_nothing_is_said(self):
        state = State(self.world, NOW)
        state.kept["ahead"] = None
        self.assertEqual(list(due(state)), [])

    def test_what_is_likely_and_soon_is_outside_and_what_is_not_is_quiet(self):
        for low, at, level, words in (
            (WARN + 0.01, 2, "outside", "Likely, by the look ahead."),
            (WARN + 0.01, SOON.total_seconds() / 3600 + 1, "ok", "Likely"),
            (ALERT + 0.01, 2, "ok", f"One in {round(1 / (ALERT + 0.01))}"),
        ):
            with self.subTest(low=low, at=at):
                (item,) = self.said(self.course("tower_a", low=low, at=at))
                self.assertEqual((item.what, item.level), ("Tower A runs low", level))
                self.assertIn(words, item.size)
                self.assertIn("% now.", item.size)
                self.assertEqual(item.at, NOW + timedelta(hours=at))
        self.assertEqual(self.said(self.course("tower_a", low=ALERT)), [])  # so little a chance is no news

    def test_the_hour_counts_from_when_it_was_looked(self):
        (item,) = self.said(self.course("tower_a", over=0.9, at=3), made_min_ago=20)
        self.assertEqual((item.what, item.at), ("Tower A fills up", NOW + timedelta(hours=3, minutes=-20)))

    def test_what_is_past_its_limit_already_is_the_stations_to_say(self):
        unit = State(self.world, NOW).vessels["tower_a"]
        for pct, side in ((unit.low_pct - 1, "low"), (unit.high_pct + 1, "over")):
            with self.subTest(side):
                course = self.course("tower_a", **{side: 0.9}, at=1)
                self.assertEqual(self.said(course, reads={unit.level: pct}), [])
                self.assertEqual(len(self.said(course, reads={unit.level: 50.0})), 1)

    def test_a_blow_that_may_find_no_room_is_said_once_and_hurts_where_it_is_likely(self):
        tank = "wood_blow_tank"
        for chance, hurts in ((WARN + 0.05, True), (ALERT + 0.02, False)):
            blows = [Blow(2.0, tank, 9.0, 0.2, 0.5), Blow(5.0, tank, 9.0, 0.2, 0.5)]
            with self.subTest(chance):
                items = self.said(self.course(tank, over=chance, at=1), blows=blows)
                self.assertEqual(len(items), 1)  # the level of the same tank is not said beside it
                (item,) = items
                self.assertEqual((item.at, item.hurts, item.level), (NOW + timedelta(hours=2), hurts, "outside"))
                self.assertIn("No room for the blow", item.what)
                self.assertIn(f"One in {max(1, round(1 / chance))} that the level is too high", item.size)
        self.assertEqual(self.said(self.course(tank, over=ALERT, at=1), blows=[Blow(2.0, tank, 9.0, 0.2, 0.5)]), [])

    def test_a_blow_beyond_the_hours_looked_at_says_nothing(self):
        late = Blow(11.9, "wood_blow_tank", 9.0, 0.2, 0.5)
        self.assertEqual(self.said(self.course("wood_blow_tank", over=0.0, at=1), blows=[late]), [])
