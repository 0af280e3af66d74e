"""What rounds of the washers, mats by hand and dumps of traps would have found before the demonstration opened."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

import numpy as np

from stock.figure import Datum, Origin
from stock.line.definition import Definition
from stock.line.story import Story
from stock.screening.unit import Cleaner
from stock.washing.stairs import USUAL_SOLIDS, machines_of, steps_of, washed
from stock.washing.unit import Washer

EVERY_S: Final = 12 * 3600
DAYS: Final = 5
NEWEST_AGO_S: Final = 95 * 60
MS_PER_KG_PER_T: Final = 1.35  # conductivity of weak liquor, mS/cm for each kg/t
CLEAN_MS_PER_CM: Final = 0.4
NOISE_FRAC: Final = 0.012
ROUNDS: Final = (
    "unit", "machine", "at_s", "who", "filtrate_ms_per_cm", "mat_ms_per_cm", "wash_ms_per_cm", "factor_t_per_bdt",
    "discharge_pct",
)  # fmt: skip
MATS: Final = ("unit", "machine", "at_s", "who", "firmness", "colour", "foam", "evenness", "release")
TRAPS: Final = ("unit", "at_s", "who", "wet_kg", "lot", "text")
TRAP_DAYS: Final = 9
SAND_KG_PER_D_PER_BDT_PER_H: Final = 6.0  # heavy dirt of recovered stock, wet
TOLD: Final = Origin("set", "the stand-in")
HANDS: Final = ("orr", "sundby")


def rounds(line: Definition, story: Story, seed: int, end_s: float) -> Iterator[dict[str, Any]]:
    """Yield the liquors of every machine, round by round."""
    for number, unit in enumerate(washers_of(line)):
        for back in range(2 * DAYS, -1, -1):
            rng = np.random.default_rng([seed, number, back])
            yield from _round(unit, story, end_s - NEWEST_AGO_S - back * EVERY_S, back, rng)


def washers_of(line: Definition) -> list[Washer]:
    """Return the washers with machines, in the order of the file: what they are called makes no chance."""
    return [unit for unit in line.units if isinstance(unit, Washer) and unit.machines]


def _round(unit: Washer, story: Story, at_s: float, back: int, rng: np.random.Generator) -> Iterator[dict[str, Any]]:
    shown = [one.e_std for one in machines_of(unit)]
    for told in story.washers_behind:
        if told.unit == unit.id and back < told.rounds:
            shown[told.machine - 1] *= told.part_frac
    solids = unit.feed_solids_kg_per_bdt.value if unit.feed_solids_kg_per_bdt is not None else USUAL_SOLIDS
    factor = unit.wash.dilution_factor_t_per_bdt
    found = washed(unit, shown, Datum(factor, TOLD), Datum(solids, TOLD))
    liquors = [(one.filtrate_kg_per_t, one.mat_kg_per_t, one.wash_kg_per_t) for one in steps_of(unit, found)]
    for row in metered(unit, liquors, factor, at_s, rng):
        yield {**row, "who": HANDS[back % len(HANDS)]}


def metered(
    unit: Washer, liquors: Sequence[tuple[float, float, float]], factor: float, at_s: float, rng: np.random.Generator
) -> Iterator[dict[str, Any]]:
    """Yield what a meter finds of filtrate, mat and wash liquor of each machine, on a walk from the dirty end."""
    for number, (machine, (filtrate, mat, wash)) in enumerate(zip(machines_of(unit), liquors, strict=True), 1):
        found = {
            name: round(MS_PER_KG_PER_T * one * float(rng.normal(1, NOISE_FRAC)) + CLEAN_MS_PER_CM, 2)
            for name, one in (("filtrate_ms_per_cm", filtrate), ("mat_ms_per_cm", mat), ("wash_ms_per_cm", wash))
        }
        yield {
            "unit": unit.id, "machine": number, "at_s": int(at_s + 240 * number), **found,
            "factor_t_per_bdt": round(factor, 3), "discharge_pct": machine.discharge_consistency_pct,
        }  # fmt: skip


def mats(line: Definition, story: Story, seed: int, end_s: float) -> Iterator[dict[str, Any]]:
    """Yield how the last mat was judged, round by round; one that fell behind shows it in the hand too."""
    for number, unit in enumerate(washers_of(line)):
        for back in range(2 * DAYS, -1, -1):
            rng = np.random.default_rng([seed, 3, number, back])
            behind = any(told.unit == unit.id and back < told.rounds for told in story.washers_behind)
            marks = {
                name: int(rng.random() < 0.2) + 1 + int(behind and name in ("colour", "evenness")) for name in MATS[4:]
            }
            yield {
                "unit": unit.id, "machine": len(unit.machines), "who": HANDS[back % len(HANDS)],
                "at_s": int(end_s - NEWEST_AGO_S + 1200 - back * EVERY_S), **marks,
            }  # fmt: skip


def traps(line: Definition, flows: Mapping[str, float], seed: int, end_s: float) -> Iterator[dict[str, Any]]:
    """Yield what the traps of every bank of cleaners gave, a dump a day; `flows` is the stock in each stream, BDt/h."""
    banks = [unit for unit in line.units if isinstance(unit, Cleaner) and unit.stages]
    for number, unit in enumerate(banks):
        came = sum(flows[one.id] for one in line.graph.into(unit.id))
        at_s = end_s - 5 * 3600
        for back in range(TRAP_DAYS, -1, -1):
            rng = np.random.default_rng([seed, 5, number, back])
            yield {
                "unit": unit.id, "at_s": int(at_s - 86_400 * back + rng.uniform(-1800, 1800)), "who": HANDS[back % 2],
                "wet_kg": round(came * SAND_KG_PER_D_PER_BDT_PER_H * float(rng.normal(1, 0.07)), 1), "lot": "",
                "text": ("sand", "sand, some glass", "sand and staples")[int(rng.integers(3))],
            }  # fmt: skip
