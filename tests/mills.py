"""Mills of the tests' own: the shipped ones with every id renamed, and one the program has never seen."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from stock.line.definition import Definition
from stock.line.load import parse_definition, read_yaml

TWO_LINES = Path(__file__).with_name("two_lines.yaml")

# Where a name of another part may stand, by field.
NAMES = {
    "id", "station", "family", "of", "from", "to", "of_stream", "accept", "rest", "overflow", "stream", "yard_stream",
    "unit", "blow_to", "recipes", "recipe", "grade", "species", "pile",
}  # fmt: skip
KEYED = {"shares", "branches", "species_most_frac", "lies_bdt", "gives_frac", "instruments", "feed_over_draw"}


def as_text(raw: Mapping[str, Any]) -> str:
    """Return a raw definition as text of its format, in the part of it that is quickest written and read."""
    return json.dumps(raw, default=str, ensure_ascii=False)


def defined(raw: Mapping[str, Any]) -> Definition:
    """Return the definition a raw one comes to; DefinitionError where it is none."""
    return parse_definition(as_text(raw))


def raw_of(mill: Path) -> dict[str, Any]:
    """Return a mill's file as it is read, to be changed."""
    return read_yaml(mill.read_text(encoding="utf-8"))


def ids_of(raw: object) -> list[str]:
    """Return every id in a raw definition, in the order they stand."""
    if isinstance(raw, list):
        return [name for row in raw for name in ids_of(row)]
    if isinstance(raw, dict):
        own = [raw["id"]] if isinstance(raw.get("id"), str) else []
        return own + [name for value in raw.values() for name in ids_of(value)]
    return []


def new_names(mill: Path) -> dict[str, str]:
    """Return a new id for every id of a mill's file: one that says nothing."""
    found = dict.fromkeys(ids_of(read_yaml(mill.read_text(encoding="utf-8"))))
    return {name: f"q{index}" for index, name in enumerate(found)}


def renamed(mill: Path, folder: Path) -> Path:
    """Write a mill, and the story beside it, with every id renamed; return where."""
    names = new_names(mill)
    copy = folder / f"renamed_{mill.name}"
    for path in (mill, mill.with_name(f"{mill.stem}.demo.yaml")):
        if path.exists():
            raw = _with_names(read_yaml(path.read_text(encoding="utf-8")), names)
            copy.with_name(path.name.replace(mill.stem, copy.stem)).write_text(as_text(raw), encoding="utf-8")
    return copy


def _with_names(raw: Any, names: Mapping[str, str], field: str = "") -> Any:
    if isinstance(raw, list):
        return [_with_names(row, names, field) for row in raw]
    if isinstance(raw, dict):
        return {
            names.get(key, key) if field in KEYED else key: _with_names(
                value, names, "from" if field == "branches" else key
            )
            for key, value in raw.items()
        }
    return names.get(raw, raw) if field in NAMES and isinstance(raw, str) else raw


WITHOUT_CHLORINE = """name: Pine without chlorine, label: Bleach, station: whitening, yield_frac: 0.96, kappa: 22, stages: [
      {symbol: O, charge_kg_per_bdt: 20, solution_g_per_l: 100, cost_per_kg: 0.42, retention_min: 60, consistency_pct: 11, temperature_c: 98, end_ph: 11},
      {symbol: Q, charge_kg_per_bdt: 2, solution_g_per_l: 100, cost_per_kg: 2.1, retention_min: 45, consistency_pct: 6, temperature_c: 75, end_ph: 5.8},
      {symbol: PO, charge_kg_per_bdt: 16, beside: [{chemical: caustic, charge_kg_per_bdt: 11, solution_g_per_l: 100}, {chemical: chelant, charge_kg_per_bdt: 0.5, solution_g_per_l: 100}], solution_g_per_l: 45, most_l_per_min: 60, solution_tank_m3: 30, cost_per_kg: 0.85, retention_min: 90, consistency_pct: 12, temperature_c: 98, end_ph: 10.8, residual_g_per_l: 0.3, response_per_kg: {value: 0.29, fitted_from: six ladders, fitted_on: 2026-02-02, by: L. Test, holds: [6, 30]}, ks_floor: {value: 0.006, fitted_from: six ladders, fitted_on: 2026-02-02, by: L. Test}}]}"""
MECHANICAL = """name: Birch mechanical, label: Bleach, station: whitening, yield_frac: 0.965, furnish: mechanical, stages: [
      {symbol: P, name: P1, charge_kg_per_bdt: 12, solution_g_per_l: 90, cost_per_kg: 0.85, retention_min: 60, consistency_pct: 12, temperature_c: 65, end_ph: 8.8},
      {symbol: P, name: P2, charge_kg_per_bdt: 24, solution_g_per_l: 90, cost_per_kg: 0.85, retention_min: 120, consistency_pct: 30, temperature_c: 68, end_ph: 8.6, response_per_kg: {value: 0.2, fitted_from: six ladders, fitted_on: 2026-02-02, by: L. Test, holds: [6, 40]}, ks_floor: {value: 0.01, fitted_from: six ladders, fitted_on: 2026-02-02, by: L. Test}}]}"""


def bleached_without_chlorine(text: str) -> str:
    """Return the third mill's file with its pine bleached without chlorine, its birch as mechanical pulp, twice."""
    lines = text.splitlines()
    for at, line in enumerate(lines):
        for name, told in (("Pine peroxide", WITHOUT_CHLORINE), ("Birch dioxide", MECHANICAL)):
            head, found, _ = line.partition(f"name: {name},")
            if found:
                lines[at] = head + told
    return "\n".join(lines) + "\n"
