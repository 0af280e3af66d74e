"""Mills of the tests' own: the shipped ones with every id renamed, and one the program has never seen."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import yaml

from stock.line.load import read_yaml

TWO_LINES = Path(__file__).with_name("two_lines.yaml")

# Where a name of another part may stand, by field.
NAMES = {
    "id", "station", "family", "of", "from", "to", "of_stream", "accept", "rest", "overflow", "stream", "yard_stream",
    "unit", "blow_to", "recipes", "recipe", "grade", "species", "pile",
}  # fmt: skip
KEYED = {"shares", "branches", "species_most_frac", "lies_bdt", "gives_frac", "instruments", "feed_over_draw"}


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
            copy.with_name(path.name.replace(mill.stem, copy.stem)).write_text(
                yaml.safe_dump(raw, allow_unicode=True, sort_keys=False), encoding="utf-8"
            )
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
