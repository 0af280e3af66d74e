"""A cook followed: where it stands, and its figures by name, each with its key; of a blown one as they were kept."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final

from desk.floor.models import Cook
from desk.stations.cook.models import Forecast
from stock.cooking.facts import CookFacts, CookState, Kinetic
from stock.cooking.recipe import Recipe
from stock.figure import Datum, Figure, Origin, given
from stock.names import unit_of

AIMED_APART: Final = 0.05  # of a kappa: less is the same target


@dataclass(frozen=True, slots=True)
class Followed:
    """A cook with where it stands."""

    cook: Cook
    recipe: Recipe
    state: CookState
    facts: CookFacts
    blow_at: datetime

    @property
    def next_step(self) -> str:
        """What is done to it at its end point: relieved, where it is let down for long before the blow."""
        return "Relieve" if self.recipe.relief_min > 0 and self.state.phase != "relief" else "Blow"

    @property
    def running(self) -> bool:
        """Whether it is still in the digester, uncooked or unblown."""
        return self.state.phase != "blown"

    @property
    def name(self) -> str:
        """What it is called in a sentence."""
        return f"Cook {self.cook.number} in digester {self.cook.digester}"

    @property
    def kappa_words(self) -> str:
        """Say what kappa it will have, what it is aimed at where that was moved, and what it should have."""
        aimed, target = self.facts.kappa_target.value, self.cook.kappa_target
        moved = f", aimed at {aimed:.1f}" if abs(aimed - target) >= AIMED_APART else ""
        return f"Kappa forecast {self.state.kappa.value:.1f}{moved}, target {target:g}."

    def figures(self) -> dict[str, Figure]:
        """Return the cook's figures by name, each with its key."""
        state = self.state
        named = {
            "done": state.done,
            "aim": state.aim,
            "kappa": state.kappa,
            "half": state.half,
            "yield": state.yield_pct,
            "charge": replace(
                _shown(self.facts.charge, "charge", "charge_pct_naoh_on_wood", 2), unit=self.recipe.naoh_unit
            ),
            "wood": _shown(self.facts.bd_wood, "bone-dry wood", "bd_wood_t", 2),
            "ratio": _shown(self.facts.liquor_to_wood, "liquor to wood", "liquor_to_wood", 2),
        }
        if state.residual is not None:
            named["residual"] = state.residual
        if state.minutes_left is not None:
            named["left"] = state.minutes_left
        named |= {one.kind: one.size for one in state.corrections}
        return {name: replace(shown, key=f"cook:{self.cook.number}:{name}") for name, shown in named.items()}

    def second_figures(self, second: Kinetic | None) -> dict[str, Figure]:
        """Return the figures of the second way."""
        if second is None:
            return {}
        named = {"kinetic_kappa": second.kappa, "kinetic_yield": second.yield_pct, "kinetic_residual": second.residual}
        return {name: replace(shown, key=f"cook:{self.cook.number}:{name}") for name, shown in named.items()}


KEPT: Final = {
    "kappa": "kappa",
    "half": "half_kappa",
    "yield": "yield_pct",
    "residual": "residual_kg_per_m3_as_naoh",
    "kinetic_kappa": "kinetic_kappa",
    "kinetic_yield": "kinetic_yield_pct",
    "kinetic_residual": "kinetic_residual_kg_per_m3_as_naoh",
}


def kept_figures(forecast: Forecast, own: dict[str, Figure]) -> dict[str, Figure]:
    """Return the figures of a forecast kept at a blow, shown as those of the cook are."""
    how = Origin("computed", f"forecast kept at the blow, {forecast.relation_words}", forecast.at)
    found = {}
    for name, column in KEPT.items():
        value = getattr(forecast, column)
        if value is not None and name in own:
            like = own[name]
            found[name] = replace(given(like.label, value, like.unit, how, like.decimals), key=like.key)
    return found


def _shown(datum: Datum, label: str, name: str, decimals: int) -> Figure:
    if datum.figure is not None:
        return replace(datum.figure, label=label, decimals=decimals)
    return given(label, datum.value, unit_of(name), datum.origin, decimals)
