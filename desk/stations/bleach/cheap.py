"""The cheapest charges of a sequence as it is typed: what may be moved between what, and where each charge would go."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from desk.stations.bleach.typed import Taken
from stock.bleaching.cheapest import Cheapest, Lever, Limits, cheapest
from stock.bleaching.symbols import FORMULA
from stock.bleaching.through import usual_charge
from stock.bleaching.unit import BleachStage
from stock.errors import DomainError

KAPPA_FACTORS: Final = (0.15, 0.28)
CHEAPEST_KEPT: Final = 64


@dataclass(frozen=True, slots=True)
class Move:
    """A charge of the cheapest set: now, then, at which pump, between what it is as cheap, what holds it."""

    name: str
    formula: str
    now: float
    to: float
    pump: float | None
    flat: tuple[float, float]
    point: str
    bound: str


def cheapest_of(
    unit: BleachStage, found: Sequence[Taken],
    lines: Sequence[dict[str, float]], shared: Mapping[str, float | None], rate: float, at_hand: Mapping[int, float],
) -> tuple[Cheapest | None, str]:  # fmt: skip
    """Return the cheapest charges, or why there are none; neither where no charge may be moved."""
    levers = tuple(_levers(found, rate, float(shared["kappa"] or 0.0), at_hand))
    if not levers:
        return None, ""
    frozen = tuple(tuple(sorted(one.items())) for one in lines)
    limits = Limits(
        float(shared["target"] or 0.0), shared["viscosity"] if unit.furnish == "chemical" else None, shared["cod_most"],
        shared["aox_most"],
    )  # fmt: skip
    kappa, came, cod = (round(float(shared[name] or 0.0), 3) for name in ("kappa", "came", "cod"))
    try:
        return _kept_best(frozen, kappa, came, unit.viscosity_ml_per_g, cod, levers, limits), ""
    except DomainError as error:
        return None, error.message


@lru_cache(maxsize=CHEAPEST_KEPT)
def _kept_best(
    lines: tuple[tuple[tuple[str, float], ...], ...], kappa: float, came: float, viscosity: float, cod: float,
    levers: tuple[Lever, ...], limits: Limits,
) -> Cheapest:  # fmt: skip
    return cheapest([dict(one) for one in lines], kappa, came, viscosity, cod, levers, limits)


def _levers(found: Sequence[Taken], rate: float, kappa: float, at_hand: Mapping[int, float]) -> Sequence[Lever]:
    """Yield the charges that have a price and an effect, each between its window, what its fit holds for and its pump."""
    levers = []
    for at, one in enumerate(found):
        stage, symbol, given = one.stage, one.symbol, one.given
        if stage.cost_per_kg is None or symbol.response <= 0:
            continue
        low, high, why = *symbol.charge, "its window"
        usual = usual_charge(stage, symbol)
        if symbol.symbol == "D0":  # by kappa: less leaves to later stages what they cannot take, more is lost
            low, high = (10 * one * kappa / symbol.per_kg for one in KAPPA_FACTORS)
            why = f"kappa factor {KAPPA_FACTORS[0]:g} to {KAPPA_FACTORS[1]:g}"
        low, high = min(low, usual), max(high, usual)
        if stage.response_per_kg is not None and stage.response_per_kg.holds is not None:
            low, high, why = *stage.response_per_kg.holds, "what its fit holds for"
        strength = given["strength"]
        if stage.most_l_per_min is not None and strength is not None and rate > 0:
            most = stage.most_l_per_min * strength * 60 / (1000 * rate)
            if most < high:
                low, high, why = min(low, most), most, "its pump"
        if (held := at_hand.get(at)) is not None and held < high:
            low, high, why = min(low, held), held, "what its tank holds for a day"
        levers.append(Lever(at, low, round(high, 3), stage.cost_per_kg, symbol.per_kg, why))
    return levers


def moves_of(
    unit: BleachStage, found: Sequence[Taken], best: Cheapest | None, rate: float,
    kappa: float, at_hand: Mapping[int, float],
) -> list[Move]:  # fmt: skip
    """Return where each charge would go, at which pump, what holds it there; nothing where there is no answer."""
    if best is None:
        return []
    last = len(unit.stages) - 1
    moves = []
    for lever, to, flat in zip(_levers(found, rate, kappa, at_hand), best.charges, best.flat, strict=True):
        one = found[lever.stage]
        stage, symbol, run, given = one.stage, one.symbol, one.run, one.given
        own = lever.stage <= last and unit.stages[lever.stage].symbol == stage.symbol
        point = unit.charge_point(lever.stage) if own else ""
        strength = given["strength"]
        pump = to * rate * 1000 / 60 / strength if strength else None
        bound = lever.most_why if not 1.001 * lever.least < to < 0.999 * lever.most else ""
        moves.append(
            Move(stage.name or symbol.symbol, FORMULA[symbol.chemical], float(run.charge_kg_per_bdt or 0.0), to, pump, flat,
                 point, bound)
        )  # fmt: skip
    return moves
