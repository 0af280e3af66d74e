"""What rungs show besides brightness, where it was taken on both sides: kappa, viscosity, dirt."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from django.core.exceptions import ValidationError

from desk.stations.bleach.models import Rung
from stock.bleaching.ladder import cut_fit, dirt_fit, kappa_rate_fit
from stock.bleaching.symbols import Symbol
from stock.errors import DomainError

LEAST_RUNGS: Final = 6
LEAST_SHOWN: Final = 3


@dataclass(frozen=True, slots=True)
class Answer:
    """Something of pulp that a stage changes: its two columns, its limits, what is fitted to them."""

    name: str
    words: str
    quantity: str
    unit: str
    came: str
    ended: str
    least: float
    most: float
    fit: Callable[[Sequence[Rung], Symbol], tuple[float, ...]]
    usual: Callable[[Symbol], float]


@dataclass(frozen=True, slots=True)
class Shown:
    """What the rungs show of one answer, or why they do not yet."""

    answer: Answer
    value: float | None
    low: float | None
    high: float | None
    pairs: int
    usual: float
    words: str = ""

    @property
    def ready(self) -> bool:
        """Whether it is known well enough to be accepted."""
        return self.pairs >= LEAST_RUNGS and self.low is not None and self.low > 0


def _of(rungs: Sequence[Rung], name: str) -> list[float]:
    return [float(getattr(one, name)) for one in rungs]


def _charges(rungs: Sequence[Rung], symbol: Symbol) -> list[float]:
    """Return charges in the measure of the stage's law: dioxide as active chlorine."""
    return [one.charge_kg_per_bdt * symbol.per_kg for one in rungs]


def _kappa(rungs: Sequence[Rung], symbol: Symbol) -> tuple[float, ...]:
    return kappa_rate_fit(
        charge_each_kg_per_bdt=_charges(rungs, symbol),  # type: ignore[arg-type]
        in_each_kappa=_of(rungs, "came_kappa"),  # type: ignore[arg-type]
        out_each_kappa=_of(rungs, "ended_kappa"),  # type: ignore[arg-type]
        floor_kappa=symbol.kappa_floor,
    )


def _cut(rungs: Sequence[Rung], symbol: Symbol) -> tuple[float, ...]:
    return cut_fit(
        before_each_ml_per_g=_of(rungs, "came_viscosity_ml_per_g"),  # type: ignore[arg-type]
        after_each_ml_per_g=_of(rungs, "ended_viscosity_ml_per_g"),  # type: ignore[arg-type]
    )


def _dirt(rungs: Sequence[Rung], symbol: Symbol) -> tuple[float, ...]:
    return dirt_fit(
        charge_each_kg_per_bdt=_charges(rungs, symbol),  # type: ignore[arg-type]
        in_each_per_kg=_of(rungs, "came_dirt_per_kg"),  # type: ignore[arg-type]
        out_each_per_kg=_of(rungs, "ended_dirt_per_kg"),  # type: ignore[arg-type]
    )


ANSWERS: Final = (
    Answer(
        "kappa_rate", "rate of the kappa", "Kappa", "", "came_kappa", "ended_kappa", 0.2, 150, _kappa,
        lambda symbol: symbol.kappa_rate,
    ),
    Answer(
        "scission", "chains cut, ten-thousandths", "Viscosity", "mL/g", "came_viscosity_ml_per_g", "ended_viscosity_ml_per_g",
        100, 2000, _cut, lambda symbol: symbol.scission,
    ),
    Answer(
        "dirt_rate", "rate at which dirt fades, per kg", "Dirt", "1/kg", "came_dirt_per_kg", "ended_dirt_per_kg", 1, 1e6, _dirt,
        lambda symbol: symbol.dirt_rate,
    ),
)  # fmt: skip

SIDES: Final[Mapping[str, tuple[Answer, str]]] = {
    getattr(one, column): (one, f"{one.quantity} {side}")
    for column, side in (("came", "before"), ("ended", "after"))
    for one in ANSWERS
}


def shown_by(rungs: Sequence[Rung], symbol: Symbol) -> list[Shown]:
    """Return what the rungs that have both sides of each answer show; none of an answer no rung has."""
    found = []
    for answer in ANSWERS:
        both = [one for one in rungs if None not in (getattr(one, answer.came), getattr(one, answer.ended))]
        if both:
            found.append(_shown(answer, both, symbol))
    return found


def _shown(answer: Answer, both: Sequence[Rung], symbol: Symbol) -> Shown:
    usual = answer.usual(symbol)
    if len(both) < LEAST_SHOWN:
        words = (
            f"{answer.quantity}: {len(both)} on both sides; {LEAST_SHOWN} begin to tell, {LEAST_RUNGS} can be accepted"
        )
        return Shown(answer, None, None, None, len(both), usual, words)
    try:
        value, low, high, _ = answer.fit(both, symbol)
    except DomainError as error:
        return Shown(answer, None, None, None, len(both), usual, f"{answer.quantity}: {error.message}")
    return Shown(answer, value, low, high, len(both), usual)


def refuse_odd(found: Mapping[str, float | None]) -> None:
    """Refuse an answer told on one side only, and kappa that rose.

    Raises
    ------
    ValidationError
        Naming the field.
    """
    for one in ANSWERS:
        came, ended = found.get(one.came), found.get(one.ended)
        if (came is None) != (ended is None):
            missing = one.came if came is None else one.ended
            raise ValidationError({missing: f"{one.quantity} on both sides, or on neither"})
    before, after = found.get("came_kappa"), found.get("ended_kappa")
    if before is not None and after is not None and after > before:
        raise ValidationError({"ended_kappa": "kappa rose: the two samples may have been exchanged"})
