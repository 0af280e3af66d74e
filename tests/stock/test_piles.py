"""What lies in the yard: the book of lots in piles, bagasse, the blend of chips."""

import math
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.errors import DomainError
from stock.intake.bagasse import depith_stage, dirt_removal, pith_removal_for_ratio, wet_bulk_storage
from stock.intake.blend import Candidate, Limits, blend_green_feeds, choose_blend, feeder_speed
from stock.intake.chip_classes import CLASSES
from stock.intake.piles import (
    Held,
    age_bands,
    chip,
    correct_to,
    draw,
    in_order,
    lay,
    oldest_first,
    pile_loss,
    pile_mass_after,
    ridge_volume,
    settle,
)

DAY_S = 86_400.0


piles = st.lists(
    st.builds(
        Held,
        st.uuids().map(str),
        st.floats(0.5, 500),
        st.floats(-60 * DAY_S, -DAY_S),
        st.floats(-30 * DAY_S, 0),
    ),
    min_size=1,
    max_size=8,
    unique_by=lambda one: one.lot,
)


losses = st.floats(0, 0.15)


def total(held, at_s=0.0, loss=0.0):
    return sum(one.now_bdt(at_s, loss) for one in held)


class StockBook(TestCase):
    @given(piles, st.floats(0.01, 1), losses)
    def test_a_draw_moves_what_it_says_and_the_rest_stays_or_aged(self, held, share, loss):
        before = total(held)
        wanted = share * total(held, 0.0, loss)
        moves, left = draw(held, wanted, 0.0, loss)
        out = -sum(move.bdt for move in moves if move.kind == "out")
        lost = -sum(move.bdt for move in moves if move.kind == "loss")
        self.assertAlmostEqual(out, wanted, places=5)
        self.assertAlmostEqual(before - out - lost, total(left), places=4)
        self.assertTrue(all(one.bdt > 0 for one in left))

    @given(piles, st.floats(0.01, 0.99))
    def test_the_oldest_goes_first(self, held, share):
        moves, left = draw(held, share * total(held), 0.0, 0.0)
        taken = [move.lot for move in moves]
        self.assertEqual(taken, [one.lot for one in in_order(held)][: len(taken)])
        whole = {one.lot: one.bdt for one in held}
        self.assertTrue(all(math.isclose(one.bdt, whole[one.lot]) for one in left if one.lot not in taken))

    @given(piles)
    def test_a_pile_is_never_drawn_below_nothing(self, held):
        with self.assertRaises(DomainError) as caught:
            draw(held, total(held) + 1, 0.0, 0.0)
        self.assertEqual(caught.exception.code, "E_INFEASIBLE")

    def test_all_of_a_stock_is_as_old_as_its_mean(self):
        lots = [{"bdt": 4200, "age_d": 41}, {"bdt": 5100, "age_d": 23}, {"bdt": 3600, "age_d": 9}]
        self.assertAlmostEqual(oldest_first(lots=lots, draw_bdt=12_900).mean_age_d, 25.0, delta=0.05)

    def test_a_lot_set_aside_is_passed_over(self):
        held = [Held("old", 10, -5, 0), Held("new", 10, -1, 0)]
        moves, left = draw(held, 4, 0.0, 0.0, aside=["old"])
        self.assertEqual([(move.lot, move.bdt) for move in moves], [("new", -4)])
        self.assertEqual({one.lot: one.bdt for one in left}, {"old": 10, "new": 6})
        with self.assertRaises(DomainError):
            draw(held, 12, 0.0, 0.0, aside=["old"])

    @given(piles, st.floats(0, 2000), losses)
    def test_a_survey_brings_the_pile_to_what_was_found(self, held, found, loss):
        moves, after = correct_to(held, found, 0.0, loss)
        self.assertAlmostEqual(total(after), found, places=3)
        self.assertAlmostEqual(total(held) + sum(move.bdt for move in moves), found, places=3)

    def test_wood_cannot_be_surveyed_into_a_pile_without_lots(self):
        self.assertEqual(correct_to([], 0, 0.0, 0.0), ([], []))
        with self.assertRaises(DomainError):
            correct_to([], 50, 0.0, 0.0)

    def test_a_loss_too_small_to_book_waits_and_is_booked_with_the_next(self):
        held = [Held("a", 1.0, 0.0, 0.0)]
        for minute in range(1, 4):  # each loss, and all of them, less than a gram
            held[0], losses = settle(held[0], 60 * minute, 0.01)
            self.assertEqual(losses, [])
        kept, losses = settle(held[0], 30 * DAY_S, 0.01)
        self.assertAlmostEqual(kept.bdt - losses[0].bdt, 1.0, places=12)
        self.assertAlmostEqual(kept.bdt, Held("a", 1.0, 0.0, 0.0).now_bdt(30 * DAY_S, 0.01), places=12)

    @given(piles, st.floats(1, 100), losses)
    def test_laying_more_of_a_lot_keeps_its_place_and_closes(self, held, more, loss):
        lot = held[0].lot
        moves, after = lay(held, lot, more, 0.0, 0.0, loss)
        self.assertAlmostEqual(total(held) + sum(move.bdt for move in moves), total(after), places=6)
        self.assertEqual([one.since_s for one in in_order(after)], [one.since_s for one in in_order(held)])

    @given(piles, st.floats(0.05, 0.95), st.floats(0, 0.2), st.floats(0.9, 1))
    def test_chips_and_boiler_take_all_that_was_chipped(self, held, share, bark, chip_yield):
        moves, _ = draw(held, share * total(held), 0.0, 0.0)
        made = chip(moves, {one.lot: bark for one in held}, chip_yield)
        out = -sum(move.bdt for move in moves if move.kind == "out")
        self.assertAlmostEqual(sum(one.chips_bdt + one.boiler_bdt for one in made), out, places=6)
        self.assertTrue(all(one.boiler_bdt >= -1e-9 for one in made))

    def test_bands_of_age_add_up(self):
        held = [Held(str(days), 10.0, -days * DAY_S, 0.0) for days in (1, 8, 20, 45, 90)]
        self.assertEqual([round(mass) for mass in age_bands(held, 0.0, 0.0)], [10, 10, 10, 10, 10])

    @given(st.floats(-30, 60), st.floats(0.5, 15))
    def test_warmer_piles_lose_more(self, celsius, more):
        self.assertLess(pile_loss(temperature_c=celsius), pile_loss(temperature_c=celsius + more))

    @given(st.lists(st.floats(-30, 60), max_size=8))
    def test_a_pile_never_grows_by_lying(self, months):
        self.assertLessEqual(pile_mass_after(initial_bdt=100, monthly_pile_temperatures_c=months), 100)

    def test_a_pile_as_long_as_wide_is_a_cone(self):
        cone = math.pi / 3 * 10**2 * 6
        self.assertAlmostEqual(ridge_volume(length_m=20, width_m=20, height_m=6), cone)
        with self.assertRaises(DomainError):
            ridge_volume(length_m=10, width_m=20, height_m=6)


class Bagasse(TestCase):
    shares = st.tuples(*[st.floats(0.02, 1)] * 4).map(lambda parts: [part / sum(parts) for part in parts])

    @given(shares, st.floats(0, 0.9), st.floats(0, 0.5))
    def test_what_goes_in_comes_out(self, parts, pith, fibre):
        names = ("fibre_frac", "pith_frac", "solubles_frac", "dirt_frac")
        made = depith_stage(
            feed_bdt=100, **dict(zip(names, parts, strict=True)), pith_removal_frac=pith, fibre_loss_frac=fibre
        )
        self.assertAlmostEqual(made.accepts_bdt + made.rejects_bdt, 100)
        self.assertAlmostEqual(made.fibre_bdt + made.pith_bdt + made.solubles_bdt + made.dirt_bdt, made.accepts_bdt)

    @given(st.floats(0.5, 0.68), st.floats(0.2, 0.3), st.floats(2, 12))
    def test_the_pith_to_remove_gives_the_ratio(self, fibre, pith, ratio):
        try:
            removal = pith_removal_for_ratio(fibre_frac=fibre, pith_frac=pith, fibre_loss_frac=0.06, target_ratio=ratio)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        rest = (1 - fibre - pith) / 2
        made = depith_stage(
            feed_bdt=1, fibre_frac=fibre, pith_frac=pith, solubles_frac=rest, dirt_frac=rest, pith_removal_frac=removal
        )
        self.assertTrue(removal == 0 or math.isclose(made.fibre_to_pith_ratio, ratio))

    def test_moist_then_wet_as_printed(self):
        moist = depith_stage(feed_bdt=100, fibre_frac=0.62, pith_frac=0.28, solubles_frac=0.06, dirt_frac=0.04)
        parts = {f"{name}_frac": getattr(moist, f"{name}_bdt") / moist.accepts_bdt for name in ("fibre", "pith", "solubles", "dirt")}  # fmt: skip
        wet = depith_stage(
            feed_bdt=moist.accepts_bdt, **parts, pith_removal_frac=0.45, fibre_loss_frac=0.04,
            solubles_removal_frac=0.5, dirt_removal_frac=0.5,
        )  # fmt: skip
        self.assertAlmostEqual(wet.accepts_bdt, 66.03, places=2)
        self.assertAlmostEqual(wet.fibre_to_pith_ratio, 8.07, places=2)
        self.assertAlmostEqual(wet.fibre_bdt, 55.95, places=2)

    def test_more_dirt_out_than_in_is_a_sample_error(self):
        with self.assertRaisesRegex(DomainError, "check the samples"):
            dirt_removal(ash_in_frac=0.02, bd_in_t=100, ash_out_frac=0.03, bd_out_t=90)

    def test_a_pile_drier_than_what_comes_is_refused(self):
        with self.assertRaises(DomainError):
            wet_bulk_storage(bdt=1, moisture_in_frac=0.6, moisture_pile_frac=0.5, storage_month=1)


def candidate(lot, pile="a", bdt=50.0, age=10.0, moisture=0.48, species="alder", fines=1.0, bark=0.5):
    return Candidate(lot, pile, bdt, age, moisture, fines, bark, species)


lots = st.lists(
    st.tuples(st.sampled_from("abc"), st.floats(5, 120), st.floats(1, 40), st.floats(0.40, 0.56)),
    min_size=2,
    max_size=9,
).map(lambda rows: [candidate(f"{i}", pile, bdt, age, moisture) for i, (pile, bdt, age, moisture) in enumerate(rows)])


class ChipBlend(TestCase):
    @given(st.lists(st.tuples(st.floats(0.01, 1), st.floats(0.3, 0.6)), min_size=1, max_size=6), st.floats(1, 200))
    def test_green_feeds_carry_the_bone_dry_and_the_water(self, parts, rate):
        shares = np.array([share for share, _ in parts])
        moistures = np.array([moisture for _, moisture in parts])
        feeds = blend_green_feeds(
            total_bdt_per_h=rate, bd_share_each_frac=shares / shares.sum(), moisture_each_frac=moistures
        )
        self.assertAlmostEqual(feeds.green_t_per_h * (1 - feeds.moisture_wet_frac) / rate, 1)
        self.assertAlmostEqual(float(feeds.green_each_t_per_h @ (1 - moistures)) / rate, 1)

    def test_a_share_on_the_green_scale_is_another_than_bone_dry(self):
        feeds = blend_green_feeds(total_bdt_per_h=100, bd_share_each_frac=[0.35, 0.65], moisture_each_frac=[0.46, 0.54])
        self.assertAlmostEqual(100 * feeds.green_each_t_per_h[0] / feeds.green_t_per_h, 31.4, delta=0.05)

    def test_a_feeder_runs_as_its_volume(self):
        half = feeder_speed(bdt_per_h=6.2, basic_density_kg_per_m3=412, solid_volume_factor=0.38, most_m3_per_h=90)
        whole = feeder_speed(bdt_per_h=12.4, basic_density_kg_per_m3=412, solid_volume_factor=0.38, most_m3_per_h=90)
        self.assertAlmostEqual(whole.speed_pct, 2 * half.speed_pct)

    @settings(max_examples=30)
    @given(lots, st.sampled_from(["oldest", "steady"]))
    def test_a_blend_adds_to_one_keeps_to_its_limits_and_empties_the_oldest_first(self, listed, aim):
        limits = Limits(moisture_least_frac=0.42, moisture_most_frac=0.54, mean_age_most_d=35)
        try:
            blend = choose_blend(listed, 10, 8, limits, aim)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        self.assertAlmostEqual(sum(blend.share_frac), 1)
        self.assertLessEqual(blend.moisture_frac, 0.54 + 1e-6)
        self.assertGreaterEqual(blend.moisture_frac, 0.42 - 1e-6)
        self.assertLessEqual(blend.mean_age_d, 35 + 1e-6)
        for lot, share in zip(listed, blend.share_frac, strict=True):
            self.assertLessEqual(share * 80, lot.bdt + 1e-3)
            for older, given_share in zip(listed, blend.share_frac, strict=True):
                if older.pile == lot.pile and older.age_d > lot.age_d + 1e-9 and share > 1e-5:
                    self.assertAlmostEqual(given_share * 80, min(older.bdt, 80), places=2)

    def test_the_oldest_wood_is_taken_as_far_as_the_limits_let_it(self):
        listed = [candidate("old", "a", age=30, moisture=0.55), candidate("new", "b", 100, age=2, moisture=0.46)]
        free = choose_blend(listed, 10, 4, Limits(moisture_most_frac=0.6))
        self.assertAlmostEqual(free.share_frac[0], 1)
        held = choose_blend(listed, 10, 4, Limits(moisture_most_frac=0.50))
        self.assertAlmostEqual(held.moisture_frac, 0.50)
        (binding,) = held.binding
        self.assertEqual((binding.name, binding.limit), ("moisture, most", "50 %"))
        self.assertRegex(binding.worth, r"half a point more would draw wood [\d.]+ d older")

    def test_what_a_limit_is_worth_is_what_moving_it_brings(self):
        listed = [candidate("a1", "a", age=30, species="spruce"), candidate("b1", "b", 100, age=2)]
        ages = [
            choose_blend(listed, 10, 4, Limits(species_most_frac={"spruce": share})).mean_age_d
            for share in (0.10, 0.11)
        ]
        tight = choose_blend(listed, 10, 4, Limits(species_most_frac={"spruce": 0.10}))
        said = float(tight.binding[0].worth.split("wood ")[1].split(" d")[0])
        self.assertAlmostEqual(said, ages[1] - ages[0], places=2)

    def test_the_steady_aim_comes_nearer_the_middle(self):
        listed = [candidate("old", "a", age=30, moisture=0.53), candidate("new", "b", 100, age=2, moisture=0.44)]
        limits = Limits(moisture_least_frac=0.45, moisture_most_frac=0.51)
        oldest, steady = (choose_blend(listed, 10, 4, limits, aim).moisture_frac for aim in ("oldest", "steady"))
        self.assertAlmostEqual(oldest, 0.51)
        self.assertAlmostEqual(steady, 0.48, places=3)

    def test_limits_in_conflict_are_named(self):
        listed = [candidate("wet", moisture=0.56), candidate("wetter", "b", moisture=0.58)]
        with self.assertRaisesRegex(DomainError, "keeps to moisture, most 50 %") as caught:
            choose_blend(listed, 10, 4, Limits(moisture_most_frac=0.50))
        self.assertEqual(caught.exception.code, "E_INFEASIBLE")
        with self.assertRaisesRegex(DomainError, "wanted and 100 BDt lies ready"):
            choose_blend(listed, 100, 4, Limits())
        with self.assertRaises(DomainError) as caught:
            choose_blend([], 10, 4, Limits())
        self.assertEqual(caught.exception.code, "E_COUNT")
        with self.assertRaises(DomainError) as caught:
            choose_blend(listed, 0, 4, Limits())
        self.assertEqual(caught.exception.argument, "total_bdt_per_h")

    def test_a_hot_pile_is_given_its_share_first(self):
        listed = [candidate("old", "a", 100, age=30), candidate("hot", "b", 100, age=2)]
        blend = choose_blend(listed, 10, 4, Limits(pile_least_frac={"b": 0.5}))
        self.assertAlmostEqual(blend.share_frac[1], 0.5)
        self.assertEqual(blend.binding[0].name, "least of b")
        self.assertIn("1 % less would draw wood", blend.binding[0].worth)

    def test_a_feeder_that_carries_no_more_binds(self):
        listed = [candidate("old", "a", 100, age=30), candidate("new", "b", 100, age=2)]
        blend = choose_blend(listed, 10, 4, Limits(pile_most_bdt_per_h={"a": 6}))
        self.assertAlmostEqual(blend.share_frac[0], 0.6)
        self.assertEqual(blend.binding[0].name, "feeder of a")

    def test_classes_have_one_order(self):
        self.assertEqual(CLASSES, ("oversize", "overthick", "large_accepts", "small_accepts", "pins", "fines"))
