"""Every action at a digester in every phase it can be in: it follows, or it is refused and nothing has changed."""

from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.simulate.house import SAID
from tests.stock.test_living_plant import HOUR, running

FOLLOWS = {
    "charge": {"empty"},
    "steam": {"liquor"},
    "relieve": {"heat"},
    "blow": {"waits", "relief"},
    "dump": {"fill", "liquor", "waits"},
    "hold": {"liquor", "heat", "relief", "waits"},
    "release": {"liquor", "heat", "relief", "waits"},
}


class EveryPhase(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.plant = running(rides=False)
        cls.states = cls.met(cls.plant)

    @classmethod
    def met(cls, plant):
        """Run until the first group's digesters were in every phase; return a plant's state and the number, by phase."""
        house, found = plant.batches.houses[0], {}
        while len(found) < len(SAID) - 1 and plant.now_s < 30 * HOUR:
            plant.step(9)
            for vessel in house.vessels:
                if vessel.phase not in found and vessel.phase != "waits":
                    found[vessel.phase] = (plant.state(), vessel.number)
        return found

    def vessel(self, number):
        index, at = self.plant.batches.find(number)
        return self.plant.batches.houses[index].vessels[at]

    def test_every_phase_but_waiting_is_met_in_a_day(self):
        self.assertEqual(set(self.states), set(SAID) - {"waits"})

    def test_what_does_not_follow_is_refused_and_changes_nothing(self):
        for phase, (state, number) in self.states.items():
            for action, follows in FOLLOWS.items():
                if phase in follows:
                    continue
                with self.subTest(phase=phase, action=action):
                    self.plant.restore(state)
                    before = self.plant.state()
                    with self.assertRaises(DomainError) as caught:
                        self.plant.act(number, action)
                    self.assertEqual(caught.exception.code, "E_ORDER")
                    self.assertIn(f"digester {number} is {SAID[phase]}; {action} follows on ", caught.exception.message)
                    self.assertEqual(
                        set(caught.exception.allowed.split(" or ")) - {"held"},
                        {one for name in follows for one in SAID[name].split(" or ")} - {"held"},
                    )
                    self.assertEqual(self.plant.state(), before)

    def test_what_follows_leads_on(self):
        leads = {"charge": "fill", "steam": "heat", "relieve": "relief"}
        for action, after in leads.items():
            (phase,) = FOLLOWS[action]
            state, number = self.states[phase]
            with self.subTest(action):
                self.plant.restore(state)
                self.assertEqual(self.plant.act(number, action), SAID[after])
                self.assertEqual(self.vessel(number).phase, after)
                self.plant.step(30)  # masses close on, or it stops

    def test_dumped_it_is_cleared_and_all_it_held_is_counted_as_spilled(self):
        for phase in ("fill", "liquor"):
            state, number = self.states[phase]
            with self.subTest(phase):
                self.plant.restore(state)
                before = float(self.plant.spilled.sum())
                self.plant.act(number, "dump")
                self.assertEqual(self.vessel(number).phase, "clear")
                self.assertGreater(float(self.plant.spilled.sum()), before)
                self.plant.step(30)

    def test_held_it_stays_and_released_it_goes_on(self):
        for phase in ("liquor", "heat", "relief"):
            state, number = self.states[phase]
            with self.subTest(phase):
                self.plant.restore(state)
                self.plant.act(number, "hold")
                self.assertTrue(self.vessel(number).held)
                self.plant.act(number, "hold")  # pressed twice
                self.plant.step(int(2 * HOUR / 20))
                held = self.vessel(number).phase
                self.assertIn(held, {phase, "waits"} if phase == "relief" else {phase})
                self.plant.act(number, "release")
                self.assertFalse(self.vessel(number).held)

    def test_let_down_it_is_not_blown_yet_and_without_chips_it_is_not_charged(self):
        state, number = self.states["relief"]
        self.plant.restore(state)
        with self.assertRaisesRegex(DomainError, f"digester {number} is let down still"):
            self.plant.act(number, "blow")
        state, number = self.states["empty"]
        self.plant.restore(state)
        for stream in self.plant.line.graph.into(self.plant.line.cook.recipes[0].unit):
            row = self.plant.layout.row.get(stream.source)
            if row is not None:
                self.plant.mass[row] *= 1e-3
        index, _ = self.plant.batches.find(number)
        if not self.plant.batches.has_chips(index):
            with self.assertRaisesRegex(DomainError, "the bin does not hold a charge of chips"):
                self.plant.act(number, "charge")

    def test_a_number_and_a_word_that_are_not_known_are_named(self):
        state, number = self.states["heat"]
        self.plant.restore(state)
        with self.assertRaisesRegex(DomainError, "a digester knows no polish") as caught:
            self.plant.act(number, "polish")
        self.assertEqual(caught.exception.allowed, ", ".join(FOLLOWS))
        with self.assertRaises(DomainError) as caught:
            self.plant.act(99, "hold")
        for house in self.plant.batches.houses:
            for vessel in house.vessels:
                self.assertIn(str(vessel.number), caught.exception.allowed + caught.exception.message)
