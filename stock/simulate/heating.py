"""The steam of bleach stages in the plant that runs: a mixer's warmth held by a controller with a valve.

Each mixer is warmed by direct steam from what comes in colder; the controller sees what the instrument says,
and the valve has a stroke and an end. Where the steam is lost the valve opens and the pulp stays cold. The
steam is not carried as mass: it is a few hundredths of the water of a stage, and the balance has none of it.
"""

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from stock.bleaching.symbols import middle
from stock.bleaching.unit import BleachStage
from stock.simulate.loops import controller_step, steam_temperature_gain, valve_step

if TYPE_CHECKING:
    from stock.simulate.running import Running

CONTROLLER: Final = controller_step.method.bare  # type: ignore[attr-defined]
VALVE: Final = valve_step.method.bare  # type: ignore[attr-defined]
STEAM_GAIN: Final = steam_temperature_gain.method.bare  # type: ignore[attr-defined]
RISE_C: Final = 15.0  # what the steam usually brings; a default to be fitted
USUAL_PCT: Final = 40.0  # where its valve usually stands: what it can give is 2.5 times that
STROKE_S: Final = 20.0
SEEN_S, LAG_S = 15.0, 35.0  # pipe and well of the instrument; mixer and well together
CLOSED_S: Final = 3 * SEEN_S  # how fast the closed loop is to be
BY_STEPS_S: Final = 10.0  # beyond such steps the loop is ideal: it is where it comes to
LEAST_FRAC: Final = 0.03  # of its usual stock, below which its warmth is not to be told
SHOWN_C: Final = 0.1  # what is carried with the pulp, in steps of


@dataclass(slots=True)
class Heater:
    """The steam of a stage's mixer: what it usually is, what it is set to, where it is."""

    unit: BleachStage
    at: int
    usual_c: float
    full_t_per_h: float
    set_c: float
    mixed_c: float
    valve_pct: float = USUAL_PCT
    wanted_pct: float = USUAL_PCT
    error_c: float = 0.0
    by_hand: bool = False
    tag: str | None = None  # the loop's own instrument, where there is one

    @property
    def thick_pct(self) -> float:
        """Consistency in its mixer."""
        return self.unit.stages[self.at].consistency_pct or middle(self.unit.symbol(self.at).consistency_pct)


class Heating:
    """All steam to bleach stages of a plant."""

    def __init__(self, plant: "Running") -> None:
        """Begin with every stage as warm as it usually is."""
        self.plant = plant
        self.lost_c: dict[str, float] = {}  # by how much a bleach stays colder where its steam is lost
        self.rests = {
            unit_id: plant.result.streams[into[0].id].bdt_per_h
            for unit_id in plant.quality.bleaches
            if (into := plant.line.graph.into(unit_id))
        }
        self.heaters: dict[str, Heater] = {}
        for unit_id, usual in plant.quality.bleaches.items():
            for at, stage in enumerate(usual.unit.stages):
                warm = stage.temperature_c or middle(usual.unit.symbol(at).temperature_c)
                one = Heater(usual.unit, at, warm, 1.0, warm, warm)
                one.tag = usual.unit.tag_of("mixed") if at == len(usual.unit.stages) - 1 else None
                if self.rests.get(unit_id, 0.0) > 0:
                    one.full_t_per_h = 100 / USUAL_PCT * RISE_C / self._c_per_t(one, self.rests[unit_id])
                self.heaters[f"{unit_id}:{at + 1}"] = one

    def healthy(self) -> None:
        """Forget what faults made of it."""
        self.lost_c.clear()

    def _c_per_t(self, one: Heater, bdt_per_h: float) -> float:
        return float(
            STEAM_GAIN(
                stock_t_per_h=100 * bdt_per_h / one.thick_pct, consistency_pct=one.thick_pct, temperature_c=one.usual_c
            )
        )

    # ---- the clock

    def run(self, passed_s: float) -> None:
        """Run every loop on."""
        flows = {unit: self._flow(unit) for unit in self.rests}
        for one in self.heaters.values():
            rest = self.rests.get(one.unit.id, 0.0)
            if rest > 0 and (flow := flows[one.unit.id]) > LEAST_FRAC * rest:
                self._run(one, flow, passed_s)

    def _flow(self, unit_id: str) -> float:
        layout, (stream, *_) = self.plant.layout, self.plant.line.graph.into(unit_id)
        return 3600 * float(layout.passes[layout.stream_at[stream.id]] @ self.plant.rows[:, 0])

    def _run(self, one: Heater, bdt_per_h: float, passed_s: float) -> None:
        c_per_pct = one.full_t_per_h / 100 * self._c_per_t(one, bdt_per_h)
        lost = self.lost_c.get(one.unit.id, 0.0)
        came_c = one.usual_c - RISE_C - max(lost - RISE_C, 0.0)
        gives_pct = 100.0 if not lost else max(USUAL_PCT * (1 - lost / RISE_C), 0.0)
        reads_off = self.plant.readings.error(one.tag) if one.tag is not None else 0.0
        if passed_s > BY_STEPS_S:
            if not one.by_hand:
                one.wanted_pct = min(max((one.set_c - reads_off - came_c) / c_per_pct, 0.0), 100.0)
            one.valve_pct = one.wanted_pct
            one.mixed_c = came_c + c_per_pct * min(one.valve_pct, gives_pct)
            return
        if one.by_hand:  # the controller looks on, so that it takes over without a bump
            one.error_c = one.set_c - one.mixed_c - reads_off
        else:
            one.wanted_pct, one.error_c, _ = CONTROLLER(
                setpoint_read=one.set_c, measured_read=one.mixed_c + reads_off, error_before_read=one.error_c,
                output_before_pct=one.wanted_pct, gain_ratio=LAG_S / (c_per_pct * (CLOSED_S + SEEN_S)),
                reset_s=max(LAG_S, 4 * passed_s), dt_s=passed_s, low_pct=0.0, high_pct=100.0,
            )  # fmt: skip
        one.valve_pct = VALVE(
            position_before_pct=one.valve_pct,
            command_pct=one.wanted_pct,
            dt_s=passed_s,
            stroke_s=STROKE_S,
            stick_pct=0.0,
        )
        comes_to = came_c + c_per_pct * min(one.valve_pct, gives_pct)
        one.mixed_c += (1 - math.exp(-passed_s / LAG_S)) * (comes_to - one.mixed_c)

    # ---- what it says, and by hand

    def mixed_c(self, unit_id: str, at: int) -> float:
        """Return how warm the pulp is after a stage's mixer."""
        return self.heaters[f"{unit_id}:{at + 1}"].mixed_c

    def colder_c(self, unit_id: str, at: int) -> float:
        """Return by how much a stage is colder than usual, in the steps that are carried with the pulp."""
        one = self.heaters[f"{unit_id}:{at + 1}"]
        return round((one.usual_c - one.mixed_c) / SHOWN_C) * SHOWN_C

    def set_warmth(self, key: str, celsius: float) -> None:
        """Ask a controller for a warmth; a valve that was worked by hand is given back to it."""
        one = self.heaters[key]
        if one.by_hand:  # it takes over from where the valve stands
            one.error_c += celsius - one.set_c
        one.set_c, one.by_hand = celsius, False

    def open_valve(self, key: str, pct: float) -> None:
        """Work a valve by hand; it stays there until a warmth is asked for."""
        one = self.heaters[key]
        one.wanted_pct, one.by_hand = pct, True

    # ---- kept

    def state(self) -> dict[str, Any]:
        """Return what changes in it, as plain data."""
        return {
            key: [one.set_c, one.mixed_c, one.valve_pct, one.wanted_pct, one.error_c, one.by_hand]
            for key, one in self.heaters.items()
        }

    def restore(self, state: dict[str, Any]) -> None:
        """Put it back."""
        for key, row in state.items():
            one = self.heaters[key]
            one.set_c, one.mixed_c, one.valve_pct, one.wanted_pct, one.error_c = map(float, row[:5])
            one.by_hand = bool(row[5])
