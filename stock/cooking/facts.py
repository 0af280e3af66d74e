"""What is known of a cook, and what is made of it: the records that following, steering and screens share."""

from dataclasses import dataclass
from typing import Final, Literal

from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS, Trace, Way
from stock.figure import Datum, Figure, Origin

Phase = Literal["filling", "liquor", "charged", "heating", "at temperature", "past its end", "relief", "blown"]
LONGEST_HOLD_MIN: Final = 900.0
ON_PLAN_MIN: Final = 1.0


@dataclass(frozen=True, slots=True)
class CookFacts:
    """What is known of a cook, each number with its origin.

    `steam_min` is when heating began or, by the recipe, begins; None for a cook that is
    charged and waits for steam. `pressure` is the reading now, where there is one.
    """

    recipe: Recipe
    relation: Relation
    now_min: float
    trace: Trace
    charge: Datum
    kappa_target: Datum
    temperature: Datum
    bd_wood: Datum
    sulphidity: Datum
    liquor_to_wood: Datum
    liquor_strength: Datum
    fill_pct: Datum | None = None  # alkali its fill brings, % NaOH on wood; None where that is not known
    pressure: Datum | None = None
    steam_min: float | None = None
    liquor_at_min: float | None = None
    relief_min: float | None = None
    charged: bool = False
    blown: bool = False

    @property
    def met(self) -> Datum:
        """Alkali the wood meets, % NaOH: what was charged, and what its fill brings."""
        if self.fill_pct is None:
            return self.charge
        words = f"charged {self.charge.value:.2f} % and {self.fill_pct.value:.2f} % with the fill"
        return Datum(self.charge.value + self.fill_pct.value, Origin("computed", words), self.fill_pct.figure)

    @property
    def way(self) -> Way:
        """How its end point is reckoned."""
        return WAYS[self.recipe.school]


@dataclass(frozen=True, slots=True)
class Correction:
    """Something to do about a cook off its plan; `words` says it, `size` shows its working."""

    kind: Literal["time", "temperature", "liquor"]
    words: str
    size: Figure


@dataclass(frozen=True, slots=True)
class CookState:
    """Where a cook stands.

    `blow_min` is when relief is due, `arriving` the integral it is blown with, `trouble` why
    its target cannot be met, `beyond` what of it lies past what its relation was fitted on.
    """

    phase: Phase
    done: Figure
    aim: Figure
    minutes_left: Figure | None
    blow_min: float
    band_min: float
    kappa: Figure
    half: Figure
    yield_pct: Figure
    residual: Figure | None
    behind: float
    behind_min: float
    planned_end_min: float
    arriving: float
    corrections: tuple[Correction, ...] = ()
    trouble: str = ""
    beyond: tuple[str, ...] = ()

    @property
    def kappa_half(self) -> float:
        """Half the band around the kappa forecast."""
        return self.half.value


@dataclass(frozen=True, slots=True)
class Kinetic:
    """The second way: the published kinetics integrated over what was read and what is still planned.

    `deaf` says that they stand at their switch to the last phase, where hardly anything moves them.
    """

    kappa: Figure
    yield_pct: Figure
    residual: Figure
    apart: float
    words: str
    deaf: bool = False
