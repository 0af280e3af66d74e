"""Forms at the bench and the piles, pressed as people do: titrations of every liquor, surveys, draws over the scale."""

from datetime import timedelta

from desk.floor.state import State
from desk.stations.cook.house import house_of
from desk.stations.cook.models import LiquorTest
from desk.stations.cook.tanks import causticizing, liquor_figure, strength_figure
from desk.stations.yard.models import Op
from desk.stations.yard.stock import yard_of
from stock.cooking.alkali import alkali_as_na2o
from stock.working import find_method
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import ABC
from tests.desk.yard_case import YardCase

GREEN = {"a_ml": 8.2, "b_ml": 14.6, "c_ml": 37.0, "acid_normality": 0.5, "sample_ml": 5.0}


class Titrations(DeskCase):
    def setUp(self):
        super().setUp()
        self.sign_in("tester")

    def post(self, where="", **fields):
        form = {"form_key": f"k{LiquorTest.objects.count()}", "at": "14:20", **{k: str(v) for k, v in fields.items()}}
        return self.client.post(f"/live/cook/liquor/{where}", form)

    def test_a_white_liquor_is_worked_out_as_it_is_typed(self):
        answer = self.post("try/", liquor="white", **ABC)
        found = find_method("white_liquor_from_abc").call(**ABC)
        for value in (
            found.effective_kg_per_m3_as_naoh,
            found.active_kg_per_m3_as_naoh,
            found.titratable_kg_per_m3_as_naoh,
        ):
            self.assertContains(answer, f"{value:.1f}")
            self.assertContains(answer, f"{alkali_as_na2o(value_kg_per_m3=value, basis='naoh'):.1f}")
        self.assertContains(answer, f"{100 * found.sulphidity_frac:.1f}")

    def test_what_is_not_typed_yet_is_no_fault_and_what_cannot_be_is(self):
        half = {name: value for name, value in ABC.items() if name != "c_ml"}
        self.assertNotContains(self.post("try/", liquor="white", **half), "Allowed")
        fell = self.post("try/", liquor="white", **{**ABC, "b_ml": 20})
        self.assertContains(fell, "must not fall")
        self.assertContains(self.post("try/", liquor="white", **{**ABC, "a_ml": "some"}), "some")
        self.assertEqual(self.post("try/", liquor="vinegar", **ABC).status_code, 404)
        self.assertEqual(self.post("take/", liquor="vinegar", **ABC).status_code, 404)

    def test_it_is_kept_shown_and_superseded_with_why(self):
        kept = self.post("take/", liquor="white", **ABC)
        self.assertEqual((kept.status_code, kept["Location"]), (302, "/live/cook/liquor/?liquor=white"))
        row = LiquorTest.objects.get()
        self.assertEqual((row.kind, row.volumes, row.at), ("white", ABC, NOW - timedelta(minutes=10)))
        self.assertContains(self.client.get("/live/cook/liquor/"), "T. Test")
        refused = self.post(f"{row.pk}/correct/", **{**ABC, "a_ml": "none", "why": "read again"})
        self.assertContains(refused, "The titration was not superseded", status_code=422)
        unexplained = self.post(f"{row.pk}/correct/", **{**ABC, "a_ml": 26.6, "why": " "})
        self.assertEqual(unexplained.status_code, 422)
        self.assertEqual(self.post(f"{row.pk}/correct/", **{**ABC, "a_ml": 26.6, "why": "read again"}).status_code, 302)
        old, new = LiquorTest.objects.order_by("pk")
        self.assertEqual((new.supersedes, new.volumes["a_ml"], old.volumes["a_ml"]), (old, 26.6, 26.4))
        self.assertEqual(
            self.post(f"{row.pk}/correct/", **{**ABC, "why": "again"}).status_code, 404
        )  # superseded already

    def test_beyond_a_fields_limits_it_is_refused_and_what_was_typed_is_still_there(self):
        refused = self.post("take/", liquor="white", **{**ABC, "sample_ml": 900})
        self.assertContains(refused, "The titration was not kept", status_code=422)
        self.assertContains(refused, 'value="900"', status_code=422)
        self.assertFalse(LiquorTest.objects.exists())

    def test_white_and_green_together_say_how_well_it_was_causticized(self):
        self.assertIsNone(causticizing(house_of(State(self.world, NOW))))
        self.post("take/", liquor="white", **ABC)
        self.post("take/", liquor="green", **GREEN)
        state = State(self.world, NOW)
        white, green = (
            find_method(f"{kind}_liquor_from_abc").call(**one) for kind, one in (("white", ABC), ("green", GREEN))
        )
        wanted = (white.naoh_kg_per_m3_as_naoh - green.naoh_kg_per_m3_as_naoh) / (
            white.naoh_kg_per_m3_as_naoh - green.naoh_kg_per_m3_as_naoh + white.na2co3_kg_per_m3_as_naoh
        )
        self.assertAlmostEqual(causticizing(house_of(state)).value, wanted, places=6)
        self.assertAlmostEqual(liquor_figure(state, "causticizing").value, wanted, places=6)

    def test_samples_that_were_swapped_give_no_efficiency_and_are_listed(self):
        self.post("take/", liquor="white", **GREEN)
        self.post("take/", liquor="green", **{**ABC, "a_ml": 26.0})
        state = State(self.world, NOW)
        self.assertIsNone(causticizing(house_of(state)))
        with self.assertRaises(LookupError):
            liquor_figure(state, "causticizing")
        with self.assertRaises(StopIteration):
            strength_figure(state, "no_tank")
        self.assertEqual(self.client.get("/live/cook/liquor/").status_code, 200)


class AtThePile(YardCase):
    def setUp(self):
        super().setUp()
        self.lot("S-1", material="alder_chips", hours_ago=30)
        self.sign_in("operator")

    def post(self, where, **fields):
        return self.client.post(f"/live/yard/pile/pile_c/{where}/", {"form_key": self.key(), **fields})

    def test_a_pile_is_surveyed_by_mass_or_by_its_sides(self):
        self.assertEqual(self.post("survey", bdt="19.5").status_code, 302)
        self.assertAlmostEqual(self.yard().piles["pile_c"].bdt, 19.5, places=2)
        self.assertEqual(self.post("survey", length_m="12", width_m="9", height_m="3").status_code, 302)
        yard = self.yard()
        pile = yard.piles["pile_c"]
        volume = find_method("ridge_volume").call(length_m=12, width_m=9, height_m=3)
        species = yard.part.of_species(pile.part.species)
        loose = species.basic_density_kg_per_m3 * pile.part.solid_volume_factor / 1000
        self.assertAlmostEqual(pile.bdt / (volume * loose), 1.0, delta=0.25)  # packed by its own weight, more or less
        self.assert_book_closes()

    def test_sides_that_cannot_be_and_masses_far_off_are_refused_with_what_was_typed(self):
        short = self.post("survey", length_m="8", width_m="9", height_m="3")
        self.assertContains(short, "give the longer side as length", status_code=422)
        self.assertContains(short, 'value="8"', status_code=422)
        capacity = yard_of(State(self.world, NOW)).piles["pile_c"].part.capacity_bdt
        far = self.post("survey", bdt=str(round(3 * capacity + 1)))
        self.assertContains(far, "cannot lie in", status_code=422)
        self.assertFalse(Op.objects.filter(kind="survey").exists())
        self.assertEqual(self.client.post("/live/yard/pile/nowhere/survey/", {"bdt": "3"}).status_code, 404)

    def test_a_survey_pressed_twice_counts_once(self):
        form = {"form_key": "once", "bdt": "18"}
        for _ in range(2):
            self.assertEqual(self.client.post("/live/yard/pile/pile_c/survey/", form).status_code, 302)
        self.assertEqual(Op.objects.filter(kind="survey").count(), 1)

    def test_a_draw_over_the_scale_is_brought_to_bone_dry_by_its_moisture(self):
        before = self.yard().piles["pile_c"].bdt
        self.assertEqual(self.post("draw", green_t="10", moisture_pct="45", hours="2").status_code, 302)
        self.assertAlmostEqual(before - self.yard().piles["pile_c"].bdt, 10 * 0.55, places=2)
        wanting = self.post("draw", green_t="10", hours="2")
        self.assertContains(wanting, "green tonnes need their moisture", status_code=422)
        nothing = self.post("draw", hours="2")
        self.assertEqual(nothing.status_code, 422)
        self.assertEqual(Op.objects.filter(kind="draw").count(), 1)
        self.assertEqual(self.client.post("/live/yard/pile/nowhere/draw/", {"bdt": "3", "hours": "1"}).status_code, 404)
