"""What the yard's screens draw and work out: geometry, panels, news, contributions."""

from datetime import timedelta
from types import SimpleNamespace
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from desk.exchange.reading import read_rows, write_rows
from desk.floor.handover import compose
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.floor.station import stations
from desk.frame.panels.attempt import attempt
from desk.stations.yard.knives import knives_of
from desk.stations.yard.models import Classification, Lot, Trip
from desk.stations.yard.news import read_news
from desk.stations.yard.pages import drawing
from desk.stations.yard.pages.blend import attempt as try_blend
from desk.stations.yard.pages.blend import hot_piles
from desk.stations.yard.pages.chips import bars, effects, trend
from desk.stations.yard.samples import source_name, sources
from desk.stations.yard.stock import yard_of
from desk.stations.yard.work import classify
from stock.cooking.recipe import CookDef
from stock.intake.bagasse import depith_stage
from stock.judge.here import Place
from tests.desk.base import NOW, panels_at
from tests.desk.test_yard import MASSES, SAMPLE, YardCase
from tests.line import hallin_reach


class Drawing(TestCase):
    shapes = st.tuples(
        st.sampled_from(["chips", "logs", "bagasse"]), st.floats(60, 250), st.floats(20, 100), st.floats(0.02, 1)
    )

    def area(self, points):
        return (
            abs(sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(points, points[1:] + points[:1], strict=True))) / 2
        )

    @given(shapes)
    def test_a_fuller_pile_is_larger_and_inside_the_full_one(self, shape):
        form, wide, high, filled = shape
        part, whole = (drawing._shape(form, 0, wide, high, share) for share in (filled, 1.0))
        self.assertLessEqual(self.area(part), self.area(whole) + 1e-6)
        self.assertLessEqual(part[3][0], whole[3][0] + 1e-6)

    @given(shapes, st.lists(st.floats(0, 500), min_size=5, max_size=5))
    def test_cuts_go_from_face_to_face_in_order(self, shape, bands):
        form, wide, high, filled = shape
        points = drawing._shape(form, 0, wide, high, filled)
        slices = drawing._slices(points, bands)
        self.assertEqual(bool(slices), sum(bands) > 0)
        self.assertEqual([one.band for one in slices], sorted((one.band for one in slices), reverse=True))

    def test_a_half_is_cut_at_half_the_area(self):
        points = drawing._shape("chips", 0, 200, 60, 1.0)
        cuts = drawing._cuts(points, [0.5, 0.5])
        self.assertAlmostEqual(cuts[1], 100, delta=2)

    def test_bands_are_named_by_their_edges(self):
        self.assertEqual(drawing.BAND_NAMES, ("0 to 7 d", "7 to 14 d", "14 to 30 d", "30 to 60 d", "over 60 d"))


class Panels(YardCase):
    def panel(self, name, **typed):
        state = State(self.world, NOW)
        return attempt(next(one for one in panels_at(state, "yard") if one.panel.id == name), typed)

    def test_depithing_is_the_stages_in_a_string(self):
        found = self.panel("depith", feed_bdt="100")
        by_label = {one.label: one.value for one in found.figures}
        moist = depith_stage(feed_bdt=100, fibre_frac=0.62, pith_frac=0.28, solubles_frac=0.06, dirt_frac=0.04)
        self.assertAlmostEqual(by_label["after the moist stage"], moist.accepts_bdt)
        self.assertAlmostEqual(by_label["after the wet stage"], 66.03, places=2)
        self.assertAlmostEqual(by_label["fibre to pith into the cook"], 8.07, places=2)
        left = by_label["after the wet stage"] + by_label["leaves the moist stage"] + by_label["leaves the wet stage"]
        self.assertAlmostEqual(left, 100)

    def test_a_stage_is_left_out_or_put_in(self):
        alone = self.panel("depith", pith_removal_frac__wet="0")
        self.assertNotIn("after the wet stage", [one.label for one in alone.figures])
        dry = self.panel("depith", pith_removal_frac__dry="40")
        self.assertIn("after the dry stage", [one.label for one in dry.figures])
        self.assertGreater(dry.figures[0].value, self.panel("depith").figures[0].value)
        none = self.panel("depith", pith_removal_frac__moist="0", pith_removal_frac__wet="0")
        self.assertIn("no stage takes out any pith", none.fault)
        self.assertTrue(any(one.fault for one in none.fields))

    def test_debarking_runs_from_the_feed_to_the_steam(self):
        found = {one.label: one for one in self.panel("debark").figures}
        bark = State(self.world, NOW).flows["bark"]
        heat, steam = found["heat of the bark as fired"], found["steam from it"]
        self.assertAlmostEqual(steam.value, bark / 0.44 * heat.value * 0.75 / 2.5, places=2)
        self.assertLess(found["bark left on"].value, 0.112)
        longer = {one.label: one for one in self.panel("debark", throughput_m3_solid_per_h="10").figures}
        self.assertGreater(longer["wood lost"].value, found["wood lost"].value)
        self.assertLess(longer["bark left on"].value, found["bark left on"].value)

    def test_wet_bark_is_warned_of(self):
        self.assertTrue(any("support fuel" in words for words in self.panel("debark", moisture_wet_frac="90").warnings))

    def test_a_washer_asked_too_much_is_warned_of(self):
        self.enter("chip_moisture", 48.0)
        found = self.panel("chip_prep", bdt_per_h="20")
        self.assertIn("stones and sand will pass", " ".join(found.warnings))
        self.assertAlmostEqual(found.figures[0].value, 100 * 20_000 / 156.6 / 95)

    def test_typed_text_comes_back_as_it_was(self):
        found = self.panel("samples", std_dev_pct="two")
        self.assertEqual(found.fields[0].text, "two")
        self.assertEqual(found.fields[0].fault, "Spread between samples, points is 'two', which is not a number")
        self.assertEqual(found.figures, ())


class Chips(YardCase):
    def sample(self, source="feed", masses=MASSES, sample=SAMPLE, minutes=0):
        at = NOW - timedelta(minutes=minutes)
        return classify(self.world, self.people["tester"], source, sample, masses, at=at, form_key=self.key())

    def test_bars_mark_what_is_off_the_envelope(self):
        self.sample(masses=[28, 400, 2900, 1209, 205, 63], sample=4810)
        yard = self.yard()
        first, second = bars(yard, yard.samples["feed"][0])
        drawn = {bar.label: bar for bar in (*first.bars, *second.bars)}
        pins, fines = drawn["Pins"], drawn["Fines"]  # what is limited is drawn on one scale, side by side
        self.assertAlmostEqual(pins.width / pins.figure.value, fines.width / fines.figure.value)
        self.assertTrue(drawn["Overthick"].out)
        self.assertFalse(drawn["Pins"].out)
        self.assertTrue(drawn["Accepts together"].least)
        self.assertLessEqual(max(bar.width for bar in drawn.values()), 300)

    def test_coarser_chips_spread_the_kappa_and_bring_knots(self):
        self.sample(minutes=10)
        self.sample(masses=[100, 500, 2700, 1209, 205, 63], sample=4780)
        state = State(self.world, NOW)
        place = Place(state, state.line.stream("chips_in"))
        coarse, fine = yard_of(state).samples["feed"]
        worse, better = (dict(effects(place, yard_of(state), row)) for row in (coarse, fine))
        self.assertGreater(worse["Kappa"].value, better["Kappa"].value)
        self.assertGreater(worse["Knots"].value, better["Knots"].value)

    def test_a_chipper_without_a_change_has_no_trend(self):
        self.sample("chipper_1")
        yard = self.yard()
        drawn = trend(yard, knives_of(yard)[0])
        self.assertEqual((drawn["points"], drawn["line"]), ([], ""))

    def test_a_source_is_sampled_once_a_moment(self):
        self.sample()
        with self.assertRaisesRegex(Exception, "was classified at"):
            self.sample()

    def test_every_source_has_a_name(self):
        part = hallin_reach().yard
        self.assertEqual(dict(sources(part))["feed"], "chips to the digesters")
        self.assertEqual(source_name(part, "chipper_1"), "Chipper 1")


class News(YardCase):
    def test_only_what_still_holds_is_told(self):
        old = classify(
            self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW - timedelta(days=6), form_key=self.key(),
            quiet=True,
        )  # fmt: skip
        newer = classify(self.world, self.people["tester"], "feed", SAMPLE, MASSES, at=NOW, form_key=self.key())
        later = Classification(
            world=self.world, source="feed", at=NOW, sample_g=SAMPLE, masses_g=MASSES, by=self.people["tester"],
            supersedes=newer, form_key=self.key(),
        )  # fmt: skip
        later.save()
        told = read_news(State(self.world, NOW))
        self.assertEqual([row.pk for row in told.samples["feed"]], [later.pk])
        self.assertNotIn(old.pk, [row.pk for row in told.samples["feed"]])

    def test_a_corrected_trip_is_not_counted(self):
        for index in range(2):
            Trip.objects.create(
                world=self.world, at=NOW, detector="Drum infeed", find="Bolt", stopped_min=3,
                by=self.people["operator"], form_key=f"t{index}", supersedes=Trip.objects.first() if index else None,
            )  # fmt: skip
        self.assertEqual(self.yard().trip_counts[1], 1)

    def test_the_moment_bounds_what_is_told(self):
        self.lot("S-1", material="alder_chips", hours_ago=1)
        self.assertEqual(read_news(State(self.world, NOW - timedelta(days=30))).samples, {})


class Blends(YardCase):
    def fill(self):
        for number in range(5):
            self.lot(f"S-{number}", material="alder_chips", hours_ago=20 + number, bark_pct=0.4, fines_pct=1.0)
            self.lot(f"P-{number}", material="spruce_chips", hours_ago=40 + number, moistures=(54.0,), fines_pct=1.0)

    def test_a_hot_pile_gives_at_least_its_share(self):
        self.fill()
        state = State(self.world, NOW)
        self.assertEqual(hot_piles(state, "chips_in"), [])
        self.assertNotIn("least_pile_c", try_blend(state, {}).values)
        self.enter("pile_c_temp", 56)
        state = State(self.world, NOW)
        self.assertEqual([pile.part.id for pile in hot_piles(state, "chips_in")], ["pile_c"])
        tried = try_blend(state, {"total_bdt_per_h": "6", "hours": "4", "least_pile_c": "97"})
        share = next(one.share for one in tried.feeding if one.pile.part.id == "pile_c")
        self.assertGreaterEqual(share, 0.97 - 1e-6)

    def test_green_feeds_and_feeders_belong_to_the_shares(self):
        self.fill()
        tried = try_blend(State(self.world, NOW), {"total_bdt_per_h": "6", "hours": "4"})
        self.assertAlmostEqual(sum(one.share for one in tried.feeding), 1)
        for one in tried.feeding:
            by_hand = sum(6 * share / (1 - Lot.objects.get(number=lot).moisture_frac) for lot, share in one.lots)
            self.assertAlmostEqual(one.green, by_hand)
            self.assertLessEqual(one.speed.value, 100 + 1e-6)
        spruce = next(one.share for one in tried.feeding if one.pile.part.species == "spruce")
        self.assertLessEqual(spruce, 0.08 + 1e-6)
        length = next(one for one in tried.expected if one.label == "fibre length").value
        self.assertTrue(0.95 < length < 1.2)

    def test_bad_limits_are_named_and_kept(self):
        self.fill()
        state = State(self.world, NOW)
        for typed, field, words in (
            ({"hours": "soon"}, "hours", "which is not a number"),
            ({"moisture_least_pct": "52"}, "moisture_least_pct", "not below the most"),
            ({"most_spruce": "140"}, "most_spruce", "spruce share is 140 %"),
            ({"fines_most_pct": "-1"}, "fines_most_pct", "outside 0 to 100 %"),
        ):
            with self.subTest(field):
                tried = try_blend(state, typed)
                self.assertEqual((tried.faulty, tried.blend), (field, None))
                self.assertIn(words, tried.fault)
                self.assertEqual(tried.values[field], typed[field])


class OnTheFloor(YardCase):
    def test_a_line_without_a_yard_adds_nothing(self):
        state = SimpleNamespace(line=SimpleNamespace(yard=None, tags=[], cook=CookDef()), kept={})
        for station in (one for one in stations() if one.kind in ("yard", "cook", "")):
            self.assertEqual(list(station.readings(state)), [])
            self.assertEqual(list(station.due(state)), [])
            self.assertEqual(list(station.sheet(state)), [])
            self.assertIsNone(station.series(state, "trips"))

    def test_a_pile_that_heats_comes_first_and_then_the_gravest_of_what_is_now(self):
        self.enter("pile_c_temp", 56)
        self.enter("cane_brightness", 81.0)
        items = [item for item in next_up(State(self.world, NOW)) if item.now]
        self.assertTrue(items[0].hurts and "ottest" in items[0].what, items[0])
        levels = [item.level for item in items if not item.hurts]
        self.assertEqual(levels, sorted(levels, key=["act", "outside", "ok"].index))

    def test_the_hand_over_tells_what_is_set_aside(self):
        self.lot("R-1", hours_ago=40)
        for index in range(2):
            Trip.objects.create(
                world=self.world, at=NOW, detector="Drum infeed", find="Bolt", lot="R-1", stopped_min=3,
                by=self.people["operator"], form_key=f"x{index}",
            )  # fmt: skip
        rows = next(part["rows"] for part in compose(State(self.world, NOW))["sections"] if part["title"] == "Yard")
        self.assertIn("Set aside: lot R-1", rows)
        self.assertIn("Metal trips this shift: 2", rows)

    def test_the_season_and_the_heat_show_in_what_would_be_left(self):
        self.lot("S-1", material="alder_chips", hours_ago=1)
        self.enter("pile_c_temp", 30)
        cool = self.yard()
        warm_left, cool_left = None, cool.months_figure(cool.piles["pile_c"]).value
        self.enter("pile_c_temp", 50, minutes_ago=5)
        warm = self.yard()
        warm_left = warm.months_figure(warm.piles["pile_c"]).value
        self.assertLess(warm_left, cool_left)
        self.assertGreater(warm.loss_figure(warm.piles["pile_c"]).value, cool.loss_figure(cool.piles["pile_c"]).value)

    def test_cover_and_feeder_follow_the_newest_draw(self):
        lot = self.lot("S-1", material="alder_chips")
        self.assertIsNone(self.yard().cover_figure(self.yard().piles["pile_c"]))
        self.draw("pile_c", 8, hours=4)
        yard = self.yard()
        pile = yard.piles["pile_c"]
        self.assertAlmostEqual(yard.cover_figure(pile).value, (lot.bdt - 8) / (2 * 24), places=2)
        self.assertAlmostEqual(yard.running_feeder(pile).value, 100 * 2000 / (412 * 0.37) / 60)


class Rows(TestCase):
    names = ["a", "b c", "d_pct"]
    texts = st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), max_size=12)

    @given(st.lists(st.fixed_dictionaries(dict.fromkeys(names, texts)), min_size=1, max_size=6))
    def test_text_comes_back_from_every_form_as_it_went(self, rows):
        rows = [{name: f"x{text}" for name, text in row.items()} for row in rows]
        for form in ("csv", "json", "xlsx"):
            self.assertEqual(read_rows(f"file.{form}", write_rows(form, self.names, rows)), rows)

    @given(st.lists(st.floats(-1e9, 1e9), min_size=1, max_size=6))
    def test_numbers_come_back_to_the_last_digit(self, values):
        rows = [{"a": value} for value in values]
        for form in ("csv", "json", "xlsx"):
            found = [float(row["a"]) for row in read_rows(f"file.{form}", write_rows(form, ["a"], rows))]
            self.assertEqual(found, values)
