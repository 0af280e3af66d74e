"""The fields of forms: what is read, what is refused and in which words."""

from datetime import timedelta

from django.core.exceptions import ValidationError
from django.test import RequestFactory, SimpleTestCase

from desk.floor.state import State
from desk.frame.fields import (
    ChoiceField,
    MomentField,
    NumberField,
    ScaledField,
    WholeField,
    WhyField,
    WordsField,
    read_form,
)
from tests.desk.base import NOW, DeskCase


class Fields(SimpleTestCase):
    def refused(self, field, text, words):
        with self.assertRaisesMessage(ValidationError, words):
            field.clean(text)

    def test_a_number_is_read_with_a_point_or_a_comma(self):
        mass = NumberField("Mass", "BDt", above=0, most=5000)
        for text, value in (("12.5", 12.5), ("12,5", 12.5), (" 7 ", 7.0), ("1e2", 100.0), ("+3", 3.0), (".5", 0.5)):
            with self.subTest(text):
                self.assertEqual(mass.clean(text), value)

    def test_what_is_no_number_is_refused_by_its_name(self):
        mass = NumberField("Mass", "BDt", above=0, most=5000)
        for text in ("soup", "1_0", "²", "①", "0x10", "nan", "inf", "1e", "12 5", "--1", "9" * 5000):
            with self.subTest(text[:20]):
                self.refused(mass, text, "Mass is ")

    def test_thousands_are_asked_about_and_not_guessed(self):
        self.refused(NumberField("Mass"), "1,234", "could be 1.234 or 1234")

    def test_limits_are_said_in_their_unit(self):
        mass = NumberField("Mass", "BDt", above=0, most=5000)
        self.refused(mass, "0", "Mass is 0 BDt. Allowed: more than 0, up to 5000 BDt")
        self.refused(mass, "5001", "Allowed: more than 0, up to 5000 BDt")
        self.refused(NumberField("Share", "%", least=0, most=100), "101", "Allowed: 0 to 100 %")
        self.refused(mass, "", "Mass is missing")
        self.assertIsNone(NumberField("Mass", required=False).clean(""))

    def test_a_field_of_the_book_has_its_limits(self):
        wet = NumberField.of("bone_dry_mass_t", "moisture_wet_frac", "Moisture")
        self.assertEqual(wet.clean("0.5"), 0.5)
        self.refused(wet, "1.2", "Moisture is 1.2")

    def test_a_density_may_be_read_on_a_hydrometer(self):
        density = ScaledField("density_t_per_m3", "Density", "t/m³", least=0.7, most=2.2)
        self.assertAlmostEqual(density.clean("43 °Bé"), 1.4216, 4)
        self.assertAlmostEqual(density.clean("43 be"), 1.4216, 4)
        self.assertEqual(density.clean("1.42"), 1.42)
        self.refused(density, "99 °Bé", "degrees Baumé is 99")
        self.refused(density, "43 psi", "not a number")

    def test_whole_numbers_words_and_choices(self):
        self.assertEqual(WholeField("Cook number").clean("1187"), 1187)
        self.refused(WholeField("Cook number"), "1187.5", "not a whole number")
        self.assertEqual(WordsField("The note", 20).clean(" all\u202e well\x00 "), "all well")
        self.refused(WordsField("The note", 5), "far too long", "Nothing was cut")
        self.refused(WhyField(), "\u200b", "say why")
        self.refused(ChoiceField("The pile", ["a"]), "b", "none of the list")
        self.refused(ChoiceField("The pile", ["a"]), "", "is not chosen")

    def test_every_field_at_fault_is_named_in_the_order_of_the_form(self):
        request = RequestFactory().post("/", {"bdt": "soup", "hours": "99"})
        with self.assertRaises(ValidationError) as found:
            read_form(request, bdt=NumberField("Mass"), hours=NumberField("Hours", "h", most=48))
        self.assertEqual(list(found.exception.message_dict), ["bdt", "hours"])


class Moments(DeskCase):
    def test_a_moment_is_read_with_its_day(self):
        state = State(self.world, NOW)  # 10 March 14:30
        past, ahead = MomentField(state), MomentField(state, ahead=True)
        self.assertEqual(past.clean("14:05"), NOW - timedelta(minutes=25))
        self.assertEqual(past.clean("yesterday 22:10"), NOW - timedelta(hours=16, minutes=20))
        self.assertEqual(past.clean("yesterday 14:30"), NOW - timedelta(days=1))
        self.assertEqual(ahead.clean("tomorrow 06:00"), NOW + timedelta(hours=15, minutes=30))
        self.assertEqual(ahead.clean("06:00"), NOW + timedelta(hours=15, minutes=30))
        with self.assertRaisesMessage(ValidationError, "is no time of day"):
            past.clean("25:10")
