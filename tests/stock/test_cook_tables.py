"""The cook's decision tables fire, and its definitions refuse what cannot be."""

from dataclasses import replace
from unittest import TestCase

from stock.cooking.case import COOK_CASES, CookCase, advise_cook
from stock.cooking.decisions import ROWS as COOK_ROWS
from stock.cooking.follow import follow
from stock.figure import given as given_figure
from stock.line.definition import DefinitionError
from stock.line.load import parse_definition
from stock.working import find_method
from tests.line import MILL
from tests.stock.test_following import SEEN, datum, facts
from tests.stock.test_judge import card, halfway, tags_of


class TablesFire(TestCase):
    """Every row of the two tables, with the case that should wake it."""

    def test_every_row_by_tag_fires_on_each_of_its_sides_with_a_size(self):
        for rule in COOK_ROWS:
            for line, known, tag, side in tags_of(rule):
                with self.subTest(f"{rule.id} {tag.id} {side}"):
                    found = card(tag.id, halfway(tag, side), line, known)
                    self.assertIsNotNone(found)
                    self.assertEqual(found.rule, rule.id)
                    self.assertIsNotNone(found.size.method)
                    self.assertRegex(found.correction, r"\d")
                    self.assertGreaterEqual(len(found.causes), 2)

    def case(self, **changes):
        known = changes.pop("known", facts())
        return CookCase(known, follow(known), **changes)

    def cases(self):
        hot = facts("spruce_acid", 230)
        slow = facts("spruce_acid", 290, kpa=-80)
        over = given_figure("gas over steam", 95.0, "kPa", SEEN)
        return {
            "ramp_late": self.case(known=facts(at_min=100, late_min=9)),
            "below_set": self.case(known=facts(at_min=165, offset_c=-3)),
            "parted": self.case(apart_c=6.4),
            "gas_left": self.case(over_kpa=over),
            "charge_short": self.case(known=facts(at_min=110), sampled_residual=datum(4.9)),
            "spent_late": self.case(known=facts(at_min=165), sampled_residual=datum(3.1)),
            "high_and_spent": self.case(kappa=datum(21.0), residual=datum(4.0)),
            "high_and_rich": self.case(kappa=datum(21.0), residual=datum(13.0)),
            "high": self.case(kappa=datum(21.0), residual=datum(8.0)),
            "low": self.case(kappa=datum(15.0)),
            "overcharged": self.case(kappa=datum(18.2), residual=datum(12.5)),
            "rejects_high": self.case(kappa=datum(18.2), rejects=datum(5.1)),
            "not_penetrated": self.case(known=hot, penetrated=given_figure("penetration", 40.0, "min", SEEN)),
            "acid_slow": self.case(known=slow, partial=given_figure("SO2", 3.0, "bar", SEEN), normal_bar=3.8),
            "hung_blow": self.case(known=facts(at_min=202, blown=True), blown_min_ago=31.0),
        }

    def test_every_row_about_a_cook_fires_on_its_case_with_a_size(self):
        cases = self.cases()
        self.assertEqual(set(cases), {rule.id for rule in COOK_CASES})
        for rule in COOK_CASES:
            with self.subTest(rule.id):
                cards = {card.rule: card for card in advise_cook(cases[rule.id])}
                self.assertIn(rule.id, cards)
                card = cards[rule.id]
                self.assertRegex(card.correction, r"\d")
                self.assertNotIn("nan", card.correction)
                self.assertTrue(card.check.endswith("."))

    def test_a_cook_on_its_plan_wakes_none(self):
        quiet = self.case(apart_c=0.8, kappa=datum(18.1), residual=datum(8.4), rejects=datum(1.8))
        self.assertEqual(advise_cook(quiet), [])
        self.assertEqual(advise_cook(self.case(known=facts("spruce_acid", 290))), [])

    def test_sizes_worked_out_by_hand(self):
        cases = {
            rule: advise_cook(case)[0]
            for rule, case in self.cases().items()
            if rule in ("high_and_spent", "charge_short", "acid_slow")
        }
        self.assertAlmostEqual(cases["high_and_spent"].size.value, 0.1 * (8.5 - 4.0) * 4.0)
        self.assertAlmostEqual(cases["charge_short"].size.value, 10 * 15.8 * 0.1 * (8.5 - 4.9) * 4.0 / 105)
        self.assertAlmostEqual(cases["acid_slow"].size.value, 3.8 / 3.0)

    def test_one_cook_by_itself_moves_nothing_and_the_last_ones_together_say_what(self):
        found = next(card for card in advise_cook(self.case(kappa=datum(21.0), residual=datum(8.0))))
        self.assertAlmostEqual(found.size.value, follow(facts()).aim.value)
        self.assertIn("One cook by itself moves nothing", found.correction)
        together = given_figure("H at the blow, first step", 905.0, "H", SEEN)
        known = {"kappa": datum(21.0), "residual": datum(8.0)}
        asked = self.case(**known, next_size=together, next_words="Blow the next at H 905")
        card = next(card for card in advise_cook(asked))
        self.assertEqual(card.size, together)
        self.assertIn("by the last ones together: blow the next at H 905", card.correction)
        spent = replace(facts(), charge=datum(16.4))
        self.assertTrue(advise_cook(CookCase(spent, follow(spent), kappa=datum(21.0), residual=datum(8.0))))

    def test_liquor_is_never_added_at_temperature(self):
        late = self.case(known=facts(at_min=165), sampled_residual=datum(3.1))
        card = next(card for card in advise_cook(late) if card.rule == "spent_late")
        self.assertIn("Add none: it would meet 16", card.correction)
        self.assertIn("lignin goes back on the fibre", card.correction)
        self.assertNotIn("charge_short", [one.rule for one in advise_cook(late)])
        early = self.case(known=facts(at_min=110), sampled_residual=datum(3.1))
        self.assertEqual([one.rule for one in advise_cook(early)], ["charge_short"])


class Definitions(TestCase):
    def faults(self, old, new):
        text = MILL.read_text(encoding="utf-8")
        self.assertIn(old, text)
        with self.assertRaises(DefinitionError) as caught:
            parse_definition(text.replace(old, new, 1))
        return "; ".join(caught.exception.faults)

    def test_a_recipe_of_one_school_with_the_part_of_another(self):
        self.assertIn("a acid recipe needs a part called sulphite", self.faults("school: kraft", "school: acid"))

    def test_names_that_nothing_else_knows(self):
        self.assertIn(
            "there is no stream nowhere",
            self.faults("      stream: chips_in\n      unit", "      stream: nowhere\n      unit"),
        )
        self.assertIn("there is no recipe birch", self.faults("recipes: [alder], steel_t", "recipes: [birch], steel_t"))
        self.assertIn(
            "there is no unit, stream, pile, digester, tank or station kiln",
            self.faults("of: digester_1, reads: temperature", "of: kiln, reads: temperature"),
        )
        self.assertIn(
            "no tag reads its temperature",
            self.faults("of: digester_1, reads: temperature", "of: digester_1, reads: bottom"),
        )

    def test_a_schedule_hotter_than_the_recipe_allows(self):
        self.assertIn("is above most_c", self.faults("most_c: 170", "most_c: 160"))

    def test_every_new_method_is_in_the_book(self):
        for name in (
            "kappa_band",
            "choose_exponent",
            "fit_yield_model",
            "fit_sulphite_model",
            "penetration_min",
            "so2_charge",
            "residual_alkali",
            "green_liquor_from_abc",
            "liquor_cover",
            "temperature_for_time",
        ):
            self.assertEqual(find_method(name).station, "cooking")
