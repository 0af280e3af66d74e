"""What is watched beside the stock, in the plant that runs: gas over a vessel, a motor's swing, vibration, sizing and shade of the sheet.

Each is told as what it usually is, moved by what is wrong, and comes and goes with a time of its own: gas
spreads in minutes, sizing and shade turn with the water of the wire. Plates that touch do so the less, the
less power is on them.
"""

from collections.abc import Mapping
from math import exp
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from stock.simulate.running import Running

TAUS_S: Final[Mapping[str, float]] = {
    "gas": 180.0, "swing": 20.0, "vibration": 15.0, "sizing": 1800.0, "shade": 1200.0,
}  # fmt: skip


class Watched:
    """How far each of them stands off what it usually is."""

    def __init__(self, plant: "Running") -> None:
        """Begin with nothing wrong; power is counted against what it is now."""
        self.plant = plant
        self.asked: dict[tuple[str, str], float] = {}
        self.came: dict[tuple[str, str], float] = {}
        self.usual_kw = dict(plant.powers)

    def healthy(self) -> None:
        """Ask nothing of anything: faults that are on ask again."""
        self.asked.clear()

    def ask(self, unit: str, point: str, by: float) -> None:
        """Let a fault move a point of a unit."""
        self.asked[unit, point] = self.asked.get((unit, point), 0.0) + by

    def run(self, passed_s: float) -> None:
        """Let each come nearer to what is asked of it."""
        for key in {*self.asked, *self.came}:
            wanted = self.asked.get(key, 0.0) * (self._pressed(key[0]) if key[1] == "vibration" else 1.0)
            before = self.came.get(key, 0.0)
            now = wanted + (before - wanted) * exp(-passed_s / TAUS_S[key[1]])
            if key not in self.asked and abs(now) < 1e-9:
                self.came.pop(key, None)
            else:
                self.came[key] = now

    def over(self, unit: str, point: str) -> float:
        """Return by how much a point of a unit stands over what it usually is."""
        return self.came.get((unit, point), 0.0)

    def _pressed(self, unit: str) -> float:
        """Return how hard plates are pressed together, over what they usually are."""
        usual = self.usual_kw.get(unit, 0.0)
        return (self.plant.powers.get(unit, 0.0) / usual) ** 2 if usual > 0 else 1.0

    def state(self) -> list[list[object]]:
        """Return all that changes, as plain data."""
        return [[unit, point, value] for (unit, point), value in self.came.items()]

    def restore(self, state: list[list[object]]) -> None:
        """Put plain data back."""
        self.came = {(str(unit), str(point)): float(value) for unit, point, value in state}  # type: ignore[arg-type]
