"""What a move of one's own should do is reckoned through the unit it acts on, on the right thing, the right way."""

from dataclasses import replace
from datetime import timedelta

from desk.floor.models import World, epoch
from desk.floor.services import record_reading, store_samples
from desk.floor.state import RULES, State
from desk.mill.services import approve_definition
from desk.stations.moves.expecting import wanted_by, wish_of_card
from desk.stations.moves.models import Setting
from desk.stations.moves.reckoning import NOTHING, reckoned
from stock.judge.advice import advise
from stock.judge.limits import judge
from stock.line.load import parse_definition
from stock.simulate.plant import Plant
from tests.desk.base import NOW, DeskCase
from tests.mills import TWO_LINES


class Reckoning(DeskCase):
    def reckon(self, point, value, to, unit="L/min"):
        setting = Setting(
            world=self.world, point=point, words=point, unit=unit, low=0, high=1e6, decimals=1, station="wash", value=value,
            at=NOW,
        )  # fmt: skip
        return reckoned(State(self.world, NOW), setting, to)

    def test_more_water_thins_what_it_runs_into(self):
        tag, expected = self.reckon("flow:brown_water", 2000, 2100)
        self.assertEqual(tag, "brown_cons")
        flow = State(self.world, NOW).result.streams["brown_stock"].total_t_per_h * 1000 / 60
        self.assertAlmostEqual(expected["effect"], -3.6 * 100 / (flow + 100), delta=0.01)
        less = self.reckon("flow:brown_water", 2000, 1900)[1]["effect"]
        self.assertGreater(less, 0)

    def test_into_a_chest_it_takes_the_chest_to_mix(self):
        tag, expected = self.reckon("flow:blend_water", 760, 860)
        self.assertEqual(tag, "blend_cons")
        self.assertGreater(expected["settled_min"], 60)
        self.assertLess(self.reckon("flow:brown_water", 2000, 2100)[1]["settled_min"], 10)

    def test_a_shower_and_its_factor_say_the_same_of_the_loss(self):
        self.enter("wash_loss", 18.0)
        tag, by_factor = self.reckon("wash:wood_wash", 2.5, 2.8, "t/BDt")
        pulp = State(self.world, NOW).result.streams["washed"].bdt_per_h * 1000 / 60
        thick = 100 / 11.5 - 1
        _, by_flow = self.reckon("flow:wash_water", pulp * (2.5 + thick), pulp * (2.8 + thick))
        self.assertEqual(tag, "wash_loss")
        self.assertLess(by_factor["effect"], -1)
        self.assertAlmostEqual(by_factor["effect"], by_flow["effect"], places=6)

    def test_power_charge_level_set_point_and_offset(self):
        self.enter("wood_freeness", 462)
        self.enter("cane_brightness", 81.9)
        self.enter("d1_warmth", 72)
        for point, value, to, wanted, sign in (
            ("power:wood_refine", 485, 520, "wood_freeness", -1),
            ("power:wood_refine", 485, 450, "wood_freeness", 1),
            ("charge:cane_bleach", 12, 14.4, "cane_brightness", 1),
            ("charge:cane_bleach", 12, 10, "cane_brightness", -1),
            ("warmth:wood_bleach:3", 72, 75, "d1_warmth", 1),
            ("level:tower_a", 66, 60, "tower_a_level", -1),
            ("consistency:paper_chest", 3.2, 3.25, "machine_cons", 1),
            ("offset:machine_cons", 0.0, -0.05, "machine_cons", -1),
            ("flow:cane_stock", 160, 400, "cane_tower_level", 1),
        ):
            with self.subTest(point=point, to=to):
                tag, expected = self.reckon(point, value, to)
                self.assertEqual(tag, wanted)
                self.assertGreater(sign * expected["effect"], 0)
                self.assertGreaterEqual(expected["settled_min"], expected["first_min"])

    def test_a_charge_waits_for_its_tower(self):
        self.enter("cane_brightness", 81.9)
        self.assertGreater(self.reckon("charge:cane_bleach", 12, 14.4)[1]["first_min"], 150)

    def test_what_is_not_known_is_nothing_and_never_a_guess(self):
        for point, to in (
            ("dose:wood_dose", 50), ("flow:nowhere", 3), ("power:nothing", 3), ("charge:wood_bleach", 3), ("gremlin:x", 1),
            ("warmth:wood_bleach:1", 70), ("cook:wood_cook", 160),
            ("flow:brown_water", 2000),
        ):  # fmt: skip
            with self.subTest(point=point):
                self.assertEqual(self.reckon(point, 2000, to), NOTHING)


class PlantCase(DeskCase):
    """A plant that runs evenly, nobody else touching anything, and a desk that has read all of it."""

    SETTLED_H, STEP_S = 6.0, 20.0
    OFF = 0.12  # of what is expected
    CARD_OFF = 0.3  # a card's step is further, and answers bend

    def opened(self, text=""):
        """Return a plant that has come to run evenly, its state, and the desk's state of what it reads."""
        version = approve_definition(text, "E. Test") if text else self.world.version
        line = parse_definition(version.text)
        plant = Plant(line, dt_s=self.STEP_S, rides=False)
        plant.batches.stagger()
        plant.slow_s = 60.0
        plant.step(int(self.SETTLED_H * 3600 / self.STEP_S))
        found = {tag.id: (tag, plant.readings.truth(tag.id)) for tag in line.tags}
        read = {tag_id: one for tag_id, one in found.items() if one[1] is not None}
        world = World.objects.create(slug="steady", name="Steady", version=version, simulated=True)
        live = [(tag.id, value) for tag, value in read.values() if tag.live]
        store_samples(
            world.pk, [(name, epoch(NOW) - back, value) for name, value in live for back in range(0, 600, 30)]
        )
        for tag, value in read.values():
            if not tag.live:
                at = NOW - timedelta(minutes=5)
                record_reading(world, self.people["tester"], tag.id, float(value), at=at, form_key=tag.id)
        return plant, plant.state(), State(world)

    @staticmethod
    def setting(state, plant, point):
        """Return where a point of the plant stands, and a twentieth more."""
        handle = plant.handles[point]
        one, value = handle.setting, handle.read()
        more = value + 0.05 * max(abs(value), 0.02 * (one.high - one.low))
        row = Setting(
            world=state.world, point=point, words=one.words, unit=one.unit, low=one.low, high=one.high,
            decimals=one.decimals, station=one.station, value=value, at=NOW,
        )  # fmt: skip
        return row, min(max(more, one.low), one.high)

    def moved(self, plant, opened, state, point):
        """Hold what a point's move does against what is expected of it; return whether anything is."""
        plant.restore(opened)
        setting, to = self.setting(state, plant, point)
        tag, expected = reckoned(state, setting, to)
        if not tag:
            return False
        steps = round(60 * expected["settled_min"] / self.STEP_S) + 2
        value = setting.value
        if state.line.tag(tag).reads == "level" and point.startswith("flow:"):  # against what is drawn
            value = state.result.streams[point.removeprefix("flow:")].total_t_per_h * 1000 / 60
        did = self.did(plant, opened, tag, steps, point, value, to)
        with self.subTest(point, tag=tag, effect=expected["effect"]):
            self.assertAlmostEqual(did / expected["effect"], 1.0, delta=self.OFF)
        return True

    @staticmethod
    def did(plant, opened, tag, steps, point, value, to):
        """Return what a move changes: the point is held by hand both times, so that nothing but the move differs."""
        came = []
        for one in (value, to):
            plant.restore(opened)
            plant.write(point, one)
            plant.step(steps)
            came.append(plant.readings.truth(tag))
        return came[1] - came[0]

    def all_set(self, state, plant):
        """Keep where everything stands that can be set."""
        for one in plant.handles.values():
            known = one.setting
            Setting.objects.create(
                world=state.world, point=known.point, words=known.words, unit=known.unit, low=known.low, high=known.high,
                decimals=known.decimals, station=known.station, value=round(one.read(), known.decimals + 2), at=NOW,
            )  # fmt: skip

    @staticmethod
    def card_of(world, name, side, times=1.6):
        """Return the desk's state with a reading outside its band, by that much of its half, and the card of it."""
        state = State(world)
        tag = state.line.tag(name)
        low, high = tag.band.control
        away = times * max(high - tag.band.target, tag.band.target - low)
        value = tag.band.target + (away if side == "high" else -away)
        state.readings[name] = replace(state.readings[name], value=value, verdict=judge(tag, value))
        return state, advise(RULES, tag, state.readings[name].verdict, state)

    def pressed(self, plant, opened, state, card, side):
        """Hold what a card's first step does against what the card expects."""
        wish = wish_of_card(state, card, wanted_by(state, card), "")
        steps = round(60 * wish.expected["settled_min"] / self.STEP_S) + 2
        plant.restore(opened)
        now = plant.handles[wish.point].read()
        did = self.did(plant, opened, card.tag.id, steps, wish.point, now, wish.to)
        with self.subTest(card.tag.id, side=side, said=card.correction, effect=wish.expected["effect"]):
            self.assertAlmostEqual(did / wish.expected["effect"], 1.0, delta=self.CARD_OFF)
            self.assertGreater(did if side == "low" else -did, 0)  # towards its target


class AsThePlantDoes(PlantCase):
    """What is expected of a move is what comes of it in the plant: in its time, to a tenth."""

    POINTS = (
        "flow:brown", "flow:brown_water", "flow:pulper_water", "flow:blended", "flow:blend_water", "flow:chest_water", "flow:bales_in",
        "flow:cane_stock", "consistency:pulper", "consistency:furnish_chest", "consistency:headbox", "level:furnish_chest",
        "level:paper_chest", "charge:rec_bleach", "charge:cane_bleach", "charge:wood_bleach:2", "strength:wood_dose",
        "beside:cane_bleach:3:caustic", "warmth:wood_bleach:3", "power:wood_refine", "power:bale_refine", "wash:cane_wash",
    )  # fmt: skip
    OF_NOTHING = (
        "flow:logs_in", "flow:bagasse_in", "flow:liquor_in",  # what is cooked comes by the cooks
        "flow:wood_stored", "flow:rec_stored", "flow:cream_broke",  # of a furnish the other shares give way
        "flow:wood_chem", "steam:wood_bleach:1", "beside:cane_bleach:3:magnesium", "dose:wood_dose", "reject:wood_screen",
    )  # fmt: skip

    def test_each_kind_of_move_does_what_is_expected_of_it(self):
        plant, opened, state = self.opened()
        for point in self.POINTS:
            self.assertTrue(self.moved(plant, opened, state, point), point)

    def test_back_to_what_is_drawn_a_flow_moves_no_level_wherever_it_was(self):
        state = State(self.world, NOW)
        drawn = state.result.streams["cane_stock"].total_t_per_h * 1000 / 60
        row = Setting(
            world=self.world, point="flow:cane_stock", words="x", unit="L/min", low=0, high=1e4, decimals=0, station="wash",
            value=2 * drawn, at=NOW,
        )  # fmt: skip
        self.assertEqual(reckoned(state, row, drawn), NOTHING)
        tag, less = reckoned(state, row, 0.5 * drawn)
        self.assertEqual((tag, less["effect"] < -5), ("cane_tower_level", True))

    CARDS = (
        ("brown_cons", "low"), ("brown_cons", "high"), ("blend_cons", "high"), ("machine_cons", "low"), ("wood_freeness", "low"),
        ("rec_brightness", "low"), ("cane_brightness", "high"), ("e_kappa", "high"), ("p_ph", "low"), ("p_residual", "high"),
        ("machine_level", "low"), ("slush_level", "high"), ("tower_r_level", "high"), ("cane_tower_level", "low"),
    )  # fmt: skip

    def test_the_first_step_of_a_card_brings_what_the_card_expects(self):
        plant, opened, state = self.opened()
        self.all_set(state, plant)
        for name, side in self.CARDS:
            state, card = self.card_of(state.world, name, side)
            self.pressed(plant, opened, state, card, side)

    def test_a_furnish_is_not_moved_by_one_of_its_shares(self):
        state = State(self.world, NOW)
        tag = state.line.tag("blend_level")
        for value in (tag.band.control[0] - 5, tag.band.control[1] + 5):
            state.readings[tag.id] = replace(state.readings[tag.id], value=value, verdict=judge(tag, value))
            card = advise(RULES, tag, state.readings[tag.id].verdict, state)
            with self.subTest(value):
                self.assertIn("BDt/h", card.correction)
                self.assertIsNone(card.moved)

    def test_of_what_others_answer_nothing_is_expected(self):
        plant, _, state = self.opened()
        for point in self.OF_NOTHING:
            with self.subTest(point):
                self.assertEqual(reckoned(state, *self.setting(state, plant, point)), NOTHING)


class InAnotherMill(PlantCase):
    """The same of a mill the program has never seen: of whatever can be moved there, and whatever is advised."""

    def test_whatever_is_expected_of_a_move_comes_of_it(self):
        plant, opened, state = self.opened(TWO_LINES.read_text(encoding="utf-8"))
        points = [point for point in plant.handles if not point.startswith("offset:")]
        held = {point.partition(":")[0] for point in points if self.moved(plant, opened, state, point)}
        self.assertEqual(held, {"flow", "consistency", "level", "charge", "power", "wash"})

    def test_whatever_is_advised_brings_what_its_card_expects(self):
        plant, opened, state = self.opened(TWO_LINES.read_text(encoding="utf-8"))
        self.all_set(state, plant)
        held = set()
        for tag in state.line.tags:
            for side in ("low", "high") if tag.band is not None and tag.id in state.readings else ():
                state, card = self.card_of(state.world, tag.id, side)
                if card is not None and card.moved is not None:
                    self.pressed(plant, opened, state, card, side)
                    held.add(tag.reads)
        self.assertEqual(held, {"loss", "brightness", "level", "freeness", "consistency"})

    def test_a_feed_that_is_parted_is_moved_for_what_arrives_and_the_other_branch_is_told(self):
        plant, _, state = self.opened(TWO_LINES.read_text(encoding="utf-8"))
        self.all_set(state, plant)
        state, card = self.card_of(state.world, "t_near", "low", 1.1)
        arrives = 0.6  # as the file parts it
        more = float(card.step.value) / arrives
        base = state.result.streams["bought_in"].total_t_per_h * 1000 / 60
        thick = state.result.streams["bought_in"].consistency_pct / 100
        self.assertAlmostEqual(wanted_by(state, card), base + more / thick * 1000 / 60, delta=0.1)
        said = " ".join(card.carrying)
        self.assertIn(f"That is {more:.2f} BDt/h more of bought in: 60 % of it comes here", said)
        self.assertIn(f"{0.4 * more:.2f} BDt/h more runs in to far", said)
