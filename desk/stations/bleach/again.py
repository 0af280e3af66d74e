"""Peroxide liquor used again, worked out for what is typed: press before, mixer, tower, dilution, two presses, liquor back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from desk.floor.state import State
from desk.stations.bleach.coming import charges_of
from desk.stations.bleach.typed import TYPED, FieldOf, read_field, text_of
from stock.bleaching.unit import BleachStage
from stock.errors import DomainError
from stock.figure import Datum, Figure, figure

FIELDS: Final = (
    FieldOf("charge", "Charge", "kg/BDt", 0.1, 100.0),
    FieldOf("residual", "Left after the tower", "% of it", 0.0, 100.0),
    FieldOf("before", "To the press before", "%", 1.0, 15.0),
    FieldOf("pressed", "From the press before", "%", 5.0, 50.0),
    FieldOf("diluted", "To the press after", "%", 1.0, 40.0),
    FieldOf("after", "From the presses after", "%", 5.0, 50.0),
    FieldOf("back", "Of its liquor sent back", "%", 0.0, 100.0),
    FieldOf("came", "COD that comes in", "kg/BDt", 0.0, 150.0),
    FieldOf("made", "COD the stage dissolves", "kg/BDt", 0.0, 150.0),
)
USUAL: Final = {
    "residual": 20.0, "before": 4.0, "pressed": 30.0, "diluted": 12.0, "after": 30.0, "back": 60.0, "came": 20.0, "made": 25.0,
}  # fmt: skip
THICK, THINNED = 20.0, 5.0  # a tower so thick is thinned before its press
WASHED: Final = 12.0  # consistency between the two presses after, where clean water goes in


@dataclass(frozen=True, slots=True)
class Again:
    """What the loop buys, sends back, builds up and lets on; refused by name, what was typed stays."""

    fields: Sequence[tuple[FieldOf, str]]
    figures: Sequence[Figure] = ()
    words: Sequence[str] = ()
    fault: str = ""
    faulty: str = ""


def peroxide_at(unit: BleachStage) -> int | None:
    """Return the last stage that is given peroxide as its own; None where there is none."""
    found = [at for at in range(len(unit.stages)) if unit.symbol(at).symbol in {"P", "OP", "PO"}]
    return found[-1] if found else None


def used_again(state: State, unit: BleachStage, typed: Mapping[str, Any]) -> Again | None:
    """Work the loop out; None for a bleach without a peroxide stage."""
    at = peroxide_at(unit)
    if at is None:
        return None
    stands = USUAL | {"charge": float(charges_of(state, unit)[at].value)}
    if (thick := unit.stages[at].consistency_pct) is not None:
        stands["diluted"] = thick if thick < THICK else THINNED
    fields = [(one, text_of(typed, f"again-{one.name}", stands[one.name])) for one in FIELDS]
    try:
        value = {one.name: float(read_field(text, one, f"again-{one.name}", one.label) or 0.0) for one, text in fields}
        return _worked(fields, value)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Again(fields, fault=fault, faulty=error.argument)


def _worked(fields: Sequence[tuple[FieldOf, str]], value: Mapping[str, float]) -> Again:
    kept_before = _kept(value["before"], value["pressed"], "again-pressed")
    came = value["came"] * kept_before
    data = {
        "charge_kg_per_bdt": Datum(value["charge"], TYPED), "residual_frac": Datum(value["residual"] / 100, TYPED),
        "diluted_consistency_pct": Datum(value["diluted"], TYPED),
        "press_consistency_pct": Datum(value["after"], TYPED), "return_frac": Datum(value["back"] / 100, TYPED),
        "new_cod_kg_per_bdt": Datum(came + value["made"], TYPED),
    }  # fmt: skip
    fresh = figure("peroxide_loop", "bought", data, result="fresh_kg_per_bdt", decimals=1)
    cod = figure("peroxide_loop", "oxygen demand in the stage", data, result="cod_kg_per_bdt", decimals=0)
    sewer = figure("peroxide_loop", "liquor let go", data, result="over_m3_per_bdt", decimals=1)
    back, times = fresh.results["back_kg_per_bdt"], fresh.results["built_up_ratio"]
    on = cod.value * _kept(value["diluted"], value["after"], "again-after")
    washed = on * _kept(WASHED, value["after"], "again-after")
    words = [
        f"The press before takes out {100 * (1 - kept_before):.0f} % of what comes dissolved: metals and oxygen demand with it.",
        f"{back:.1f} kg/BDt come back, {times:.1f} times as much is dissolved in the stage as without; metals likewise.",
        f"The first press lets {on:.0f} kg COD/BDt on, the wash and the second {washed:.0f}: what the machine gets.",
    ]
    return Again(fields, (fresh, cod, sewer), words)


def _kept(before_pct: float, after_pct: float, name: str) -> float:
    """Return the share of what is dissolved that stays in the pulp through a press."""
    if after_pct < before_pct:
        message = f"a press does not thin: {after_pct:g} % after {before_pct:g} %"
        raise DomainError("E_RANGE", name, message, f"{before_pct:g} % or more")
    return (100 / after_pct - 1) / (100 / before_pct - 1)
