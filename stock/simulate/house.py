"""Batch digesters in the plant that runs: filled, charged, heated, held, relieved, blown, by their program or by hand.

A digester is a few plain numbers and one row of masses. Its kappa comes from the recipe's relation at the
H it gained and the alkali it got, with what nobody knows on top; the relation of the recipe is the plant's,
moved by `bias`, so that what the desk fits is its own business.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np

from stock.cooking.alkali import charge_as_na2o
from stock.cooking.end_point import h_for_kappa, h_rate, severity
from stock.cooking.recipe import Digester, Recipe
from stock.cooking.schedule import planned_profile
from stock.errors import DomainError

Phase = Literal["empty", "fill", "liquor", "heat", "relief", "waits", "blow", "clear"]
FOLLOWS: Final[Mapping[Phase, Phase]] = {  # of itself, once it has had its time
    "fill": "liquor", "liquor": "heat", "heat": "relief", "relief": "waits", "clear": "empty",
}  # fmt: skip
SAID: Final[Mapping[str, str]] = {
    "empty": "empty", "fill": "filling with chips", "liquor": "taking liquor", "heat": "heated or held",
    "relief": "let down", "waits": "waiting for room to blow", "blow": "blown", "clear": "checked empty",
}  # fmt: skip
BLOWN_C: Final = 98.0
COLD_C: Final = 60.0
APART_BORNE_C, KAPPA_PER_APART_C = 1.0, 0.75  # top over bottom that does no harm, and what each degree more leaves
APART_S: Final = 600.0  # how fast a poor circulation shows
COOLS_C_PER_MIN: Final = 0.3
RATE: Final = h_rate.method.bare  # type: ignore[attr-defined]  # unchecked: thousands of times a second


def h_per_min(celsius: float) -> float:
    """Return the H a minute at a temperature gains."""
    return float(RATE(temperature_c=celsius)) / 60


@dataclass(slots=True)
class Vessel:
    """A digester: where it is in its cook, what it got, what that gave."""

    number: int
    phase: Phase = "empty"
    in_phase_s: float = 0.0
    cook: int = 0
    started_s: float = 0.0
    charged_s: float = 0.0
    relief_s: float = 0.0
    celsius: float = 60.0
    factor: float = 0.0
    wanted_h: float = 0.0
    late_s: float = 0.0
    charge_pct: float = 0.0
    chips_t: float = 0.0
    moisture_frac: float = 0.0
    liquor_m3: float = 0.0
    strength: float = 0.0
    sulphidity: float = 0.0
    fill_m3: float = 0.0
    kappa: float = 0.0
    wetter: float = 0.0
    scatter: float = 0.0
    apart_c: float = 0.3
    reads_off_c: float = 0.0  # how far the instrument that heats it reads off
    heat_s: float = 0.0  # how long it is heated and held, where that is known beforehand; else by its H
    held: bool = False
    by_hand: bool = False

    @property
    def said(self) -> str:
        """Where it is, in words."""
        return SAID[self.phase]


class House:
    """The digesters of one batch group, in turn.

    Times are seconds of the plant. Masses are rows as the plant holds them.
    """

    def __init__(self, recipe: Recipe, digesters: list[Digester], charge_bdt: float, seed: int) -> None:
        """Know the recipe's plan; every vessel empty."""
        self.recipe, self.seed, self.charge_bdt = recipe, seed, charge_bdt
        self.vessels = [Vessel(one.number) for one in digesters]
        self.next_cook = 1
        self.next_start_s = 0.0
        self.every_s = 3600.0
        self.aim_frac = 1.0  # the H people aim at, over what the relation asks
        self.bias = 0.0  # of the plant's kappa against the recipe's relation
        self.wave_kappa = self.wet_over = self.apart_over_c = 0.0  # what faults make of its cooks
        self.profile = planned_profile(recipe, 900.0)
        self.cook_c = recipe.cook_c  # what its temperature controllers hold, once it is heated
        self.heat_from_min = recipe.fill_min + recipe.liquor_min

    # ---- what a cook is given, and gives

    def _random(self, cook: int) -> np.random.Generator:
        return np.random.default_rng([self.seed, 7, cook])

    def begin(self, vessel: Vessel, now_s: float) -> None:
        """Start a cook in an empty vessel."""
        recipe, rng = self.recipe, self._random(self.next_cook)
        vessel.cook, self.next_cook = self.next_cook, self.next_cook + 1
        vessel.phase, vessel.in_phase_s, vessel.started_s = "fill", 0.0, now_s
        vessel.charged_s = vessel.relief_s = vessel.factor = vessel.kappa = 0.0
        vessel.held, vessel.heat_s = False, 0.0
        vessel.late_s = 60 * float(rng.gamma(2.0, 0.6))
        moisture = recipe.chip_moisture_frac + float(rng.normal(0, 0.006))
        vessel.moisture_frac = round(moisture, 4)
        vessel.chips_t = round(self.charge_bdt * float(rng.normal(1, 0.012)) / (1 - moisture), 2)
        vessel.wetter = float(rng.normal(0, 0.0035)) + self.wet_over
        vessel.scatter = float(rng.normal(0, 0.33)) + self.wave_kappa
        vessel.apart_c = float(abs(rng.normal(0.3, 0.15)))
        vessel.celsius = recipe.start_c - 2
        if recipe.alkaline is not None:
            self._liquor(vessel, recipe.alkaline.charge_pct_naoh_on_wood * float(rng.normal(1, 0.011)), rng)

    def _liquor(self, vessel: Vessel, charge_pct: float, rng: np.random.Generator) -> None:
        alkali, recipe = self.recipe.alkali, self.recipe
        wood_t = vessel.chips_t * (1 - vessel.moisture_frac)
        usual = alkali.liquor_kg_per_m3_as_naoh
        vessel.strength = round(usual * (0.998 + 0.0105 * float(rng.normal(0, 0.6))), 2)
        vessel.sulphidity = (
            round(max(0.0, alkali.sulphidity_frac + float(rng.normal(0, 0.008))), 4) if alkali.sulphidity_frac else 0.0
        )
        vessel.liquor_m3 = round(10 * wood_t * charge_pct / vessel.strength, 2)
        vessel.charge_pct = round(vessel.liquor_m3 * vessel.strength / (10 * wood_t), 2)
        water = vessel.moisture_frac / (1 - vessel.moisture_frac) + recipe.condensate_t_per_bdt
        vessel.fill_m3 = round(max(wood_t * (recipe.liquor_to_wood - water) - vessel.liquor_m3, 0.0), 2)
        vessel.wanted_h = self.wanted_h(vessel.charge_pct)

    def wanted_h(self, charge_pct: float) -> float:
        """Return the H, with its tail, that the recipe's relation asks for."""
        alkali = self.recipe.alkali
        return h_for_kappa(
            kappa_target_kappa=self.recipe.kappa_target,
            effective_alkali_pct_na2o=charge_as_na2o(charge_pct_naoh_on_wood=charge_pct),
            alpha=alkali.alpha, beta=alkali.beta, n=alkali.n,
        )  # fmt: skip

    def kappa_of(self, vessel: Vessel) -> float:
        """Return the kappa of what is in a vessel at the H it has."""
        recipe = self.recipe
        if recipe.alkaline is None:
            return recipe.kappa_target + vessel.scatter
        alkali, dry = recipe.alkaline, 1 - vessel.moisture_frac
        true_charge = vessel.charge_pct * dry / (dry - vessel.wetter)
        na2o = charge_as_na2o(charge_pct_naoh_on_wood=true_charge)
        kappa = alkali.alpha - alkali.beta * float(severity(max(vessel.factor, 2.0), na2o, alkali.n))
        kappa -= 16 * (vessel.sulphidity - alkali.sulphidity_frac) if alkali.sulphidity_frac else 0.0
        uneven = KAPPA_PER_APART_C * max(vessel.apart_c - APART_BORNE_C, 0.0)
        return max(kappa + vessel.scatter + self.bias + uneven, 6.0)

    # ---- the clock

    def program(self, vessel: Vessel, dt_s: float, steam_frac: float = 1.0) -> None:
        """Warm and cook a vessel for a step."""
        vessel.in_phase_s += dt_s
        if vessel.phase in ("heat", "relief", "waits"):
            minutes = (vessel.in_phase_s - vessel.late_s) / 60 + self.heat_from_min
            grid, celsius = self.profile
            before_per_min = h_per_min(vessel.celsius)
            if vessel.phase == "heat":
                wanted = self._wanted_c(float(np.interp(minutes, grid, celsius))) - vessel.reads_off_c
                if self.apart_over_c > vessel.apart_c:
                    vessel.apart_c += (self.apart_over_c - vessel.apart_c) * min(1.0, dt_s / APART_S)
                vessel.celsius += max(-dt_s * 0.02, min(wanted - vessel.celsius, 0.05 * dt_s * max(steam_frac, 0.0)))
            else:
                lost_c = dt_s * (0.02 if vessel.phase == "relief" else 0.002)
                vessel.celsius = max(vessel.celsius - lost_c, min(vessel.celsius, COLD_C))
            vessel.factor += (before_per_min + h_per_min(vessel.celsius)) / 2 * dt_s / 60
        elif vessel.phase == "fill":
            vessel.celsius = min(vessel.celsius + 0.006 * dt_s, self.recipe.start_c)
        elif vessel.phase == "blow":
            left_s = max(60 * self.recipe.blow_min - vessel.in_phase_s + dt_s, dt_s)
            vessel.celsius -= max(0.0, vessel.celsius - BLOWN_C) * min(1.0, dt_s / left_s)
        elif vessel.phase in ("clear", "empty"):
            vessel.celsius = max(COLD_C, vessel.celsius - COOLS_C_PER_MIN * dt_s / 60)

    def _wanted_c(self, planned_c: float) -> float:
        """Return the set point of a temperature controller, by the plan, stretched to what is to be held."""
        begins = self.recipe.start_c
        if self.cook_c == self.recipe.cook_c or planned_c <= begins:
            return planned_c
        return begins + (planned_c - begins) * (self.cook_c - begins) / (self.recipe.cook_c - begins)

    def due(self, vessel: Vessel) -> Phase | None:
        """Return the phase a vessel's own program goes on to now; None while it stays, or waits for a hand."""
        if vessel.by_hand and vessel.phase in ("heat", "relief"):
            return None
        return FOLLOWS[vessel.phase] if vessel.phase in FOLLOWS and self._is_over(vessel) else None

    def _is_over(self, vessel: Vessel) -> bool:
        """Whether the phase a vessel is in has had its time."""
        recipe = self.recipe
        match vessel.phase:
            case "fill":
                return vessel.in_phase_s >= 60 * recipe.fill_min
            case "liquor":
                return vessel.in_phase_s >= 60 * recipe.liquor_min and not vessel.held
            case "heat":
                return self._is_cooked(vessel) and not vessel.held
            case "relief":
                return vessel.in_phase_s >= 60 * max(recipe.relief_min, 2.0)
            case _:
                return vessel.in_phase_s >= 60 * recipe.clear_min

    def _is_cooked(self, vessel: Vessel) -> bool:
        if vessel.heat_s > 0:
            return vessel.in_phase_s >= vessel.heat_s
        return vessel.factor >= self.to_relief_h(vessel)

    def step_past(self, vessel: Vessel) -> None:
        """Go past a blow that lies behind."""
        long = 60 * (self.recipe.blow_min if vessel.phase == "blow" else 0.0)
        if vessel.phase == "waits":
            vessel.phase, vessel.in_phase_s = "blow", 0.0
        elif vessel.in_phase_s >= long:
            vessel.phase, vessel.in_phase_s = "clear", 0.0

    def turn(self) -> int:
        """Return which vessel is to be filled next: the one that has stood empty longest."""
        empty = [index for index, one in enumerate(self.vessels) if one.phase == "empty" and not one.by_hand]
        return max(empty, key=lambda index: self.vessels[index].in_phase_s, default=-1)

    def turn_to_blow(self) -> int:
        """Return which vessel is to be blown next: of those that wait for room alone, the one that waits longest."""
        waits = [
            index for index, one in enumerate(self.vessels)
            if one.phase == "waits" and not one.by_hand and not one.held
        ]  # fmt: skip
        return max(waits, key=lambda index: self.vessels[index].in_phase_s, default=-1)

    def to_relief_h(self, vessel: Vessel) -> float:
        """Return the H at which a vessel is relieved: what is wanted, less what relief and blow still add."""
        if self.recipe.alkaline is None:
            hold = self.heat_from_min + self.recipe.ramp_min + 60
            return math.inf if vessel.in_phase_s < 60 * (hold - self.heat_from_min) else 0.0
        return self.aim_frac * vessel.wanted_h - self.recipe.tail

    def refuse(self, vessel: Vessel, action: str) -> None:
        """Refuse an action that does not follow on where a vessel is.

        Raises
        ------
        DomainError
            E_ORDER, saying where it is and what may be done.
        """
        may = {
            "charge": ("empty",),
            "steam": ("liquor",),
            "relieve": ("heat",),
            "blow": ("waits", "relief"),
            "dump": ("fill", "liquor", "waits"),  # never under pressure
            "hold": ("liquor", "heat", "relief", "waits"),
            "release": ("liquor", "heat", "relief", "waits"),
        }
        if action not in may:
            raise DomainError("E_RANGE", "action", f"a digester knows no {action[:20]}", ", ".join(may))
        if vessel.phase not in may[action]:
            allowed = " or ".join(SAID[one] for one in may[action])
            message = f"digester {vessel.number} is {vessel.said}; {action} follows on {allowed}"
            raise DomainError("E_ORDER", "action", message, allowed)

    # ---- as plain data

    def state(self) -> dict[str, Any]:
        """Return all that changes, as plain data."""
        names = Vessel.__slots__
        return {
            "next_cook": self.next_cook, "next_start_s": self.next_start_s, "every_s": self.every_s, "bias": self.bias,
            "aim_frac": self.aim_frac, "cook_c": self.cook_c,
            "vessels": [{name: getattr(one, name) for name in names} for one in self.vessels],
        }  # fmt: skip

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put plain data back."""
        self.next_cook, self.next_start_s = int(state["next_cook"]), float(state["next_start_s"])
        self.every_s, self.bias = float(state["every_s"]), float(state["bias"])
        self.aim_frac = float(state.get("aim_frac", 1.0))
        self.cook_c = float(state.get("cook_c", self.recipe.cook_c))
        self.vessels = [Vessel(**one) for one in state["vessels"]]
