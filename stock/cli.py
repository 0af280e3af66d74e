"""`fox methods`, `fox calc` and `fox mill`: the core on the command line."""

import argparse
import json
import os
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from stock.book import METHODS, chapters
from stock.errors import DomainError
from stock.line.definition import DefinitionError
from stock.line.load import json_schema, text_of
from stock.line.proof import proven
from stock.names import unit_of
from stock.units import said
from stock.working import Arg, Choice, Method, Rows, find_method, recording


def plain(value: Any) -> Any:
    """Return a result as JSON can hold it."""
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, Mapping):
        return {key: plain(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(item) for item in value]
    return value


def describe(method: Method) -> dict[str, Any]:
    """Return one entry of the book as plain data."""
    return {
        "name": method.name,
        "title": method.title,
        "station": method.station,
        "equation": method.equation,
        "arguments": {name: _describe_arg(name, arg, method) for name, arg in method.arguments.items()},
        "results": {name: unit_of(name) for name in method.results},
        "source": method.source,
        "notes": method.notes,
        "example": {"arguments": plain(method.example.arguments), "result": plain(method.example.result)},
        "aliases": list(method.aliases),
    }


def _describe_arg(name: str, arg: Any, method: Method) -> dict[str, Any]:
    described: dict[str, Any] = {"meaning": arg.meaning}
    if isinstance(arg, Arg):
        described |= {"unit": unit_of(name), "allowed": arg.allowed(unit_of(name)), "list": arg.series}
    elif isinstance(arg, Choice):
        described["options"] = list(arg.options)
    elif isinstance(arg, Rows):
        described["columns"] = {key: column.allowed(unit_of(key)) for key, column in arg.columns.items()}
    if name in method.defaults:
        described["default"] = plain(method.defaults[name])
    return described


def calculate(name: str, given: Any) -> dict[str, Any]:
    """Run one method on a JSON object of arguments; errors come back as data.

    Returns
    -------
    dict
        {"result": {name: {"value", "unit"}}, "working": [...], "warnings": [...]} or
        {"error": {"code", "argument", "message", "allowed"}}.
    """
    try:
        return _calculate(find_method(name), given)
    except DomainError as error:
        return {"error": error.as_dict()}
    except LookupError as error:
        return {"error": DomainError("E_UNIT", "name", str(error), "a name from `fox methods`").as_dict()}


def _calculate(method: Method, given: Any) -> dict[str, Any]:
    if not isinstance(given, dict):
        raise DomainError("E_TYPE", "", "the arguments must be a JSON object of name: value", "a JSON object")
    with recording() as record:
        result = method.as_mapping(method.call(**given))
    working = [
        {
            "method": step.method.name,
            "equation": step.method.equation,
            "arguments": plain(step.arguments),
            "result": plain(step.result),
        }
        for step in record.steps
    ]
    shown = {name: {"value": plain(value), "unit": unit_of(name)} for name, value in result.items()}
    return {"result": shown, "working": working, "warnings": list(dict.fromkeys(record.warnings))}


def _read_json(text: str) -> Any:
    try:
        return json.loads(text, parse_constant=lambda name: float(name.replace("Infinity", "inf")))
    except json.JSONDecodeError as error:
        message = f"not readable as JSON: {error.msg} at column {error.colno}"
        raise DomainError("E_TYPE", "", message, "a JSON object") from None
    except RecursionError:
        raise DomainError("E_TYPE", "", "not readable as JSON: nested too deep", "a JSON object") from None
    except ValueError:  # a whole number of thousands of digits
        raise DomainError(
            "E_TYPE", "", "not readable as JSON: a number with too many digits", "a JSON object"
        ) from None


def run_calc(arguments: argparse.Namespace) -> int:
    """Answer one object on standard input, or one a line; status 2 where any was refused."""
    refused = False
    source = sys.stdin.buffer
    for raw in source if arguments.lines else [source.read()]:
        text = raw.decode("utf-8-sig", "replace")
        if not text.strip() and arguments.lines:
            continue
        answer = _answer(arguments.name, text)
        refused = refused or "error" in answer
        print(json.dumps(answer, ensure_ascii=True, allow_nan=False), flush=arguments.lines)
    return 2 if refused else 0


def _answer(name: str, text: str) -> dict[str, Any]:
    """Answer one line; nothing it holds may end the lines after it."""
    try:
        return calculate(name, _read_json(text.strip() or "{}"))
    except DomainError as error:
        return {"error": error.as_dict()}
    except Exception:  # noqa: BLE001  a fault of ours, said as one
        message = "this could not be worked out; please tell the makers what was asked"
        return {"error": DomainError("E_RANGE", "", message, "other values").as_dict()}


def run_methods(arguments: argparse.Namespace) -> int:
    """List the book."""
    if arguments.json:
        print(json.dumps([describe(method) for method in METHODS.values()], ensure_ascii=False, indent=1))
        return 0
    for title, methods in chapters().items():
        print(f"\n{title}")
        for method in methods:
            print(f"  {method.name:32} {method.title}")
    return 0


def run_mill(arguments: argparse.Namespace) -> int:
    """Validate a line definition, or print the schema of the format."""
    if arguments.action == "schema":
        print(json.dumps(json_schema(), indent=1, ensure_ascii=False))
        return 0
    try:
        line, results = proven(text_of(Path(arguments.file)))
    except OSError as error:
        print(f"{arguments.file}: {error.strerror}", file=sys.stderr)
        return 2
    except DefinitionError as error:
        print(f"{arguments.file}: {len(error.faults)} fault(s)", file=sys.stderr)
        for fault in error.faults:
            print(f"  {fault}", file=sys.stderr)
        return 2
    print(f"{line.mill}: {len(line.units)} units, {len(line.streams)} streams, {len(line.tags)} tags; mass closes")
    for result in results:
        words = "can be met" if result.feasible else "cannot be met"
        print(
            f"  {result.order.grade.name}: {said(result.order.reel_t_per_h, 't/h')} {words};"
            f" {result.binding.unit} binds at {said(result.most_t_per_h, 't/h', 1)}"
        )
    from stock.simulate.own_bands import outside_own_bands

    for words in outside_own_bands(line):
        print(f"  to look at: {words}")
    return 0


def main(argv: list[str] | None = None) -> int:
    """Parse and run."""
    parser = argparse.ArgumentParser(prog="fox", description="The computation of Fox Vat on the command line.")
    commands = parser.add_subparsers(dest="command", required=True)
    calc = commands.add_parser("calc", help="run a method: JSON in, JSON out")
    calc.add_argument("name", help="a name from `fox methods`")
    calc.add_argument("--lines", action="store_true", help="one JSON object a line, one answer a line")
    calc.set_defaults(run=run_calc)
    methods = commands.add_parser("methods", help="list the book of methods")
    methods.add_argument("--json", action="store_true", help="everything, as JSON")
    methods.set_defaults(run=run_methods)
    mill = commands.add_parser("mill", help="check a line definition")
    mill.add_argument("action", choices=("validate", "schema"))
    mill.add_argument("file", nargs="?", default="mills/hallin_reach.yaml")
    mill.set_defaults(run=run_mill)
    arguments = parser.parse_args(argv)
    try:
        result: int = arguments.run(arguments)
        sys.stdout.flush()
    except BrokenPipeError:  # who asked has gone
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # what is left to say goes nowhere
        return 2
    return result


if __name__ == "__main__":
    sys.exit(main())
