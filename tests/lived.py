"""A shift lived in a test: the plant that runs, its wire without the wire, the desk's hands, the clock moved on."""

import json
import os
from collections.abc import Callable
from datetime import datetime, timedelta
from unittest.mock import patch

from desk.floor import pulse
from desk.floor.models import World, epoch
from desk.floor.services import store_samples
from desk.stations.moves.hands import SIMULATED, Hands
from standin.living import Living
from standin.plant import Plant
from standin.served import _answer


class Wire:
    """The plant's server without the wire: its methods, called where they are."""

    def __init__(self, living: Living) -> None:
        """Stand before a plant."""
        self.living = living
        self.cut = False

    def call(self, name, arguments):
        """Answer as the server does."""
        living = self.living
        if name == "act":
            return _answer(lambda: {"said": living.plant.act(*arguments)})
        if name == "set":
            return _answer(lambda: {"value": living.set(*arguments)})
        grade, rate, shares = arguments
        return _answer(lambda: {"said": living.ask(grade, rate, json.loads(shares))})


class Lived:
    """A line whose plant runs as the test's clock does."""

    def __init__(self, world: World, told: Plant, now: datetime, later: Callable[[Callable[[], None]], None]) -> None:
        """Open the plant where the told past ends; `later` is the test's addCleanup."""
        self.world, self.now, self.later = world, now, later
        self.living = Living(told)
        self.wire = Wire(self.living)
        self.hands = Hands(world, "opc.tcp://nowhere", SIMULATED)
        self.pass_time(0.2)

    def pass_time(self, minutes: float) -> None:
        """Let plant and desk live on, a reading of every tag each ten seconds."""
        self.do()
        end = self.now + timedelta(minutes=minutes)
        while self.now < end:
            self.now = min(self.now + timedelta(seconds=10), end)
            while not self.living.advance(self.now.timestamp()):
                pass
            rows = []
            for tag in self.living.told.tags:
                value, status = self.living.value(tag)
                rows.append((tag.id, epoch(self.now), value, status))
            store_samples(self.world.pk, rows)
        held = patch.dict(os.environ, {"FOX_NOW": self.now.isoformat()})
        held.start()
        self.later(held.stop)
        pulse.forget()
        self.do()
        self.hands.keep_settings(self.living.settings())

    def do(self) -> None:
        """Let the hands do what waits, where the line is not cut."""
        if not self.wire.cut:
            for call in self.hands.wanted():
                call.then(json.loads(self.wire.call(call.method, call.arguments)))
