"""How numbers are written: units, workings, bands."""

from dataclasses import replace
from datetime import UTC, datetime
from types import SimpleNamespace
from unittest import TestCase

from django.template import Context, Template
from django.test import RequestFactory

from desk.floor.reading import Reading
from desk.frame.templatetags.desk import (
    equation,
    hours,
    join_path,
    lower_first,
    num,
    put_in,
    short,
    state_mark,
    svg_num,
)
from desk.people.models import Person
from desk.people.roles import ACTIONS, ROLES, who_may
from stock.book import METHODS
from stock.figure import Datum, Origin, figure, given
from stock.judge.limits import judge
from tests.line import hallin_reach

SEEN = Origin("measured", "a meter", datetime(2026, 3, 10, 14, 5, tzinfo=UTC))


def context(units="metric"):
    request = RequestFactory().get("/")
    request.user = Person(username="x", units=units)
    return Context({"request": request, "world": SimpleNamespace(slug="live")})


def water():
    data = {
        "flow_l_per_min": Datum(980.0, SEEN),
        "consistency_in_pct": Datum(3.62, SEEN),
        "consistency_out_pct": Datum(3.5, SEEN),
        "water_consistency_pct": Datum(0.05, SEEN),
    }
    return figure("dilution_water_l_per_min", "dilution water", data, decimals=1)


class Numbers(TestCase):
    def test_a_number_links_to_its_working_and_is_named(self):
        html = num(context(), replace(water(), key="advice:brown_thick"))
        self.assertIn('href="/live/working/?of=advice%3Abrown_thick"', html)
        self.assertIn('aria-label="dilution water: 34.1 L/min, open the working"', html)
        self.assertIn('<span class="unit">L/min</span>', html)

    def test_a_number_without_a_key_is_not_a_link(self):
        self.assertNotIn("href", num(context(), water()))

    def test_us_units_are_shown_to_who_wants_them(self):
        self.assertIn("9.0", num(context("us"), water()))
        self.assertIn("US gpm", num(context("us"), water()))
        hot = given("digester", 165.0, "°C", SEEN)
        self.assertIn("329.0", num(context("us"), hot))

    def test_thousands_are_parted_by_a_thin_space(self):
        self.assertIn("3 547", num(context(), given("flow", 3547.0, "L/min", SEEN, 0)).replace("\u2009", " "))

    def test_cover_is_written_as_time(self):
        self.assertIn("5.4 h", num(context(), replace(given("cover", 324.0, "min", SEEN, 0), key="cover:tower_a")))

    def test_in_a_drawing_a_missing_number_says_so(self):
        self.assertIn("not measured", svg_num(context(), None, 10, 20))
        self.assertIn("no draw", svg_num(context(), None, 10, 20, none="no draw"))
        self.assertIn('x="10.0"', svg_num(context(), replace(water(), key="k"), 10, 20))

    def test_states_have_a_shape_and_words(self):
        self.assertIn("▲", state_mark("outside"))
        self.assertIn('aria-label="act now"', state_mark("act"))
        self.assertEqual(state_mark("ok"), "")

    def test_what_is_written_is_escaped(self):
        html = num(context(), given('<script>"', 1.0, "<b>", SEEN))
        self.assertNotIn("<script>", html)
        self.assertNotIn("<b>", html)

    def test_small_filters(self):
        self.assertEqual(hours(210), "3 h 30 min")
        self.assertEqual(hours(45), "45 min")
        self.assertEqual(lower_first("Cane tower"), "cane tower")
        self.assertEqual(short(3.660), "3.66")
        self.assertEqual(join_path("", "a"), "a")
        self.assertEqual(join_path("a", "b"), "a/b")


class Workings(TestCase):
    def test_the_equation_is_printed_for_people(self):
        printed = equation(METHODS["dilution_water_l_per_min"])
        self.assertIn("water", printed)
        self.assertIn(" · ", printed)
        self.assertIn(" − ", printed)
        self.assertNotIn("l_per_min", printed)

    def test_the_numbers_put_in_give_the_number_shown(self):
        written = put_in(water())
        self.assertIn("980 · (3.62 − 3.5) / (3.5 − 0.05)", written)
        self.assertIn("<strong>34.087</strong> L/min", written)

    def test_series_are_not_put_in_line(self):
        record = {"times_min": Datum([0.0, 10.0], SEEN), "temperatures_c": Datum([100.0, 100.0], SEEN)}
        self.assertEqual(put_in(figure("h_factor", "H", record)), "")

    def test_every_equation_of_the_book_can_be_printed(self):
        for method in METHODS.values():
            with self.subTest(method.name):
                printed = equation(method)
                self.assertTrue(printed)
                self.assertNotIn("**", printed)


class Measures(TestCase):
    def shown(self, value, trouble=""):
        tag = hallin_reach().tag("brown_cons")
        reading = Reading(tag, value, SEEN.at, SEEN, judge(tag, value), trouble)
        return Template("{% measure reading %}").render(Context({**context().flatten(), "reading": reading}))

    def test_in_its_band_it_is_quiet(self):
        html = self.shown(3.5)
        self.assertIn("measure-ok", html)
        self.assertNotIn("mark-outside", html)

    def test_outside_it_has_shape_words_and_place(self):
        html = self.shown(3.66)
        self.assertIn("measure-outside", html)
        self.assertIn("0.06 above its band; target 3.5", html)

    def test_a_troubled_signal_is_told_in_words(self):
        self.assertIn("signal: no reading for 7 min", self.shown(3.5, "no reading for 7 min"))


class Roles(TestCase):
    def test_every_action_has_somebody_and_only_known_actions_are_given(self):
        for action in ACTIONS:
            self.assertTrue(who_may(action))
        for role in ROLES.values():
            self.assertLessEqual(role.actions, set(ACTIONS))

    def test_a_trainee_acts_on_nothing_and_nobody_inactive_does(self):
        self.assertFalse(any(Person(role="trainee").may(action) for action in ACTIONS))
        self.assertFalse(Person(role="lead", is_active=False).may("sign"))

    def test_a_signing_secret_is_kept_as_a_hash(self):
        person = Person(username="x")
        self.assertFalse(person.check_signing_secret(""))
        person.set_signing_secret("2468")
        self.assertNotIn("2468", person.signing_secret)
        self.assertTrue(person.check_signing_secret("2468"))
        self.assertFalse(person.check_signing_secret("2469"))
