"""Reading a line definition: from YAML, with faults said in the reader's terms; and the format's schema."""

from collections.abc import Hashable
from functools import lru_cache
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from stock.line.definition import FORMAT, Definition, DefinitionError
from stock.line.kinds import KINDS


class _OnceOnly(getattr(yaml, "CSafeLoader", yaml.SafeLoader)):  # type: ignore[misc]
    """Reads YAML, in C where that is built in; a key written twice in one mapping is refused with its line."""

    def construct_mapping(self, node: yaml.MappingNode, deep: bool = False) -> dict[Hashable, Any]:
        """Return a mapping whose keys were each written once."""
        first: dict[str, int] = {}
        for key, _ in node.value:
            if key.value in first:
                problem = f"{key.value} stands in line {first[key.value]} already; each key is written once"
                raise yaml.constructor.ConstructorError(None, None, problem, key.start_mark)
            first[key.value] = key.start_mark.line + 1
        found: dict[Hashable, Any] = super().construct_mapping(node, deep)
        return found


def read_yaml(text: str) -> dict[str, Any]:
    """Return the mapping written in `text` (YAML).

    Raises
    ------
    DefinitionError
        For what is too large, not readable, not a mapping, or holds a key twice; with its line.
    """
    if len(text) > 2_000_000:
        raise DefinitionError(["the file is larger than 2 MB; what describes a line is far smaller"])
    try:
        raw = yaml.load(text, _OnceOnly)  # noqa: S506  a safe loader
    except yaml.YAMLError as error:
        where = getattr(error, "problem_mark", None)
        place = f"line {where.line + 1}, column {where.column + 1}: " if where else ""
        raise DefinitionError([f"{place}not readable as YAML: {getattr(error, 'problem', error)}"]) from None
    if not isinstance(raw, dict):
        raise DefinitionError(["the file must hold a mapping that starts with format"])
    return raw


@lru_cache(maxsize=16)
def parse_definition(text: str) -> Definition:
    """Return the definition written in `text` (YAML); the same text is read once a process.

    Raises
    ------
    DefinitionError
        With every fault found, each naming the part, the field and what is allowed.
    """
    raw = read_yaml(text)
    try:
        return Definition.model_validate(raw)
    except ValidationError as error:
        raise DefinitionError([worded(fault, raw) for fault in error.errors()]) from None


def load_definition(path: Path) -> Definition:
    """Read a definition from a file; see `parse_definition`."""
    return parse_definition(text_of(path))


def text_of(path: Path) -> str:
    """Return what is written in a file; DefinitionError where it is no text."""
    try:
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise DefinitionError([f"not readable as text: byte {error.start + 1} is not UTF-8"]) from None


def worded(fault: Any, raw: dict[str, Any]) -> str:
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
        elif step not in KINDS:  # which kind of unit it was read as goes without saying
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
