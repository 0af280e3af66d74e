"""When a change anywhere on a line arrives at the machine: the vessels on its way, what they hold, what is drawn."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from stock.bleaching.unit import BleachStage, Tower
from stock.delivery.unit import MachineChest
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.line.balance import LineResult
from stock.line.definition import Definition

FOOT_FRAC: Final = 1 / math.sqrt(50)  # of a tower, that is mixed; the rest moves as a plug


@dataclass(frozen=True, slots=True)
class Stretch:
    """A vessel on the way: how long it holds what comes, mixed and as a plug."""

    unit: str
    name: str
    mixed_h: float
    plug_h: float


def way_to_machine(
    line: Definition, result: LineResult, levels_pct: Mapping[str, float], unit_id: str
) -> list[Stretch]:
    """Return what a change that leaves a unit goes through, up to and with the machine chest; at the present draw of each."""
    found = []
    for unit in line.graph.downstream(unit_id):
        onward = line.graph.onward(unit.id)
        drawn = result.streams[onward.id].bdt_per_h if onward is not None else 0.0
        volume, level = getattr(unit, "volume_m3", None), levels_pct.get(unit.id)
        if volume and level is not None and drawn > 1e-6:
            hours = volume * level / 100 * (getattr(unit, "holds_pct", 0.0) or 4.0) / 100 / drawn
            foot = FOOT_FRAC if isinstance(unit, Tower) else 1.0
            found.append(Stretch(unit.id, unit.name, hours * foot, hours * (1 - foot)))
        elif isinstance(unit, BleachStage):
            found.append(Stretch(unit.id, unit.name, 0.0, unit.hold_min(drawn) / 60))
        if isinstance(unit, MachineChest):
            return found
    return found


def arrival(stretches: Sequence[Stretch], to_come: Sequence[tuple[float, float]], label: str) -> Figure | None:
    """Return when a change has come through stretches, as a figure; None where it never does.

    `to_come` are later rates of its stream, of the present one, by the hour: nought is standstill.
    """
    if not stretches:
        return None
    segments = [{"from_h": 0.0, "draw_bdt_per_h": 1.0}]
    segments += [{"from_h": at, "draw_bdt_per_h": max(rate, 0.0)} for at, rate in to_come if at > 0]
    words = "content over draw, h at the present rate: " + ", ".join(
        f"{one.name} {one.mixed_h + one.plug_h:.1f}" for one in stretches
    )
    data = {
        "segments": Datum(segments, Origin("computed", "draw of its stream, of the present one, by orders accepted")),
        "taus_each_bdt": Datum([one.mixed_h for one in stretches if one.mixed_h > 0], Origin("computed", words)),
        "plug_bdt": Datum(sum(one.plug_h for one in stretches), Origin("computed", "as a plug, h at the present rate")),
    }
    try:
        return figure("arrival_h", label, data, result="half_h", decimals=1)
    except DomainError:
        return None
