"""Reading a line definition: from YAML, with faults said in the reader's terms; and the format's schema."""

from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from stock.line.definition import FORMAT, Definition, DefinitionError


def parse_definition(text: str) -> Definition:
    """Return the definition written in `text` (YAML).

    Raises
    ------
    DefinitionError
        With every fault found, each naming the part, the field and what is allowed.
    """
    if len(text) > 2_000_000:
        raise DefinitionError(["the file is larger than 2 MB; a line definition is far smaller"])
    try:
        raw = yaml.safe_load(text)
    except yaml.YAMLError as error:
        where = getattr(error, "problem_mark", None)
        place = f"line {where.line + 1}, column {where.column + 1}: " if where else ""
        raise DefinitionError([f"{place}not readable as YAML: {getattr(error, 'problem', error)}"]) from None
    if not isinstance(raw, dict):
        raise DefinitionError(["the file must hold a mapping that starts with format, mill, note"])
    try:
        return Definition.model_validate(raw)
    except ValidationError as error:
        raise DefinitionError([_worded(fault, raw) for fault in error.errors()]) from None


def load_definition(path: Path) -> Definition:
    """Read a definition from a file; see `parse_definition`."""
    return parse_definition(path.read_text(encoding="utf-8"))


def _worded(fault: Any, raw: dict[str, Any]) -> str:
    """Say where a fault stands in words: list positions become the part's own id."""
    place: list[str] = []
    here: Any = raw
    for step in fault["loc"]:
        if isinstance(here, list) and isinstance(step, int) and step < len(here):
            here = here[step]
            place.append(str(here.get("id", f"number {step + 1}")) if isinstance(here, dict) else f"number {step + 1}")
        elif isinstance(here, dict) and step in here:
            here = here[step]
            place.append(str(step))
        elif step not in {"source", "store", "dose", "water", "mix", "react", "separate", "split", "tank", "sink"}:
            place.append(str(step))
    given = fault.get("input")
    shown = f"; it is {given!r}" if isinstance(given, (int, float, str)) and len(str(given)) < 60 else ""
    return f"{' · '.join(place)}: {fault['msg']}{shown}"


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of the format, from the model itself."""
    schema = Definition.model_json_schema(by_alias=True)
    schema["$id"] = f"{FORMAT}.schema.json"
    schema["title"] = "Fox Vat line definition"
    return schema
