"""Are the generated files that are committed still what their sources give? `--write` makes them so."""

import ast
import json
import re
import shutil
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from stock.book import chapters
from stock.cli import plain
from stock.cooking.recipe import Digester, Tank
from stock.intake.definition import PileDef
from stock.line.kinds import KINDS
from stock.line.load import json_schema, read_yaml
from stock.names import unit_of
from stock.parts import STATION_POINTS, STREAM_POINTS, Points
from stock.primitives import Unit
from stock.working import Arg, Choice, Method

ROOT = Path(__file__).resolve().parents[1]
CSS = ROOT / "desk" / "static" / "desk" / "app.css"


def schema_text() -> str:
    """Return the published schema of the line definition."""
    return json.dumps(json_schema(), indent=1, ensure_ascii=False) + "\n"


def methods_text() -> str:
    """Return the method book as Markdown."""
    parts = [
        "# The book of methods\n",
        "Written by `./fox docs` from the registry; change the code, not this page.\n",
        (
            "Sources are named as they are commonly cited; the originals were not opened, so check edition and coefficient"
            " before you rely on one. Figures marked as defaults are to be fitted to the mill's own data.\n"
        ),
    ]
    for title, methods in chapters().items():
        parts.append(f"\n## {title}\n")
        parts += [_method_text(method) for method in methods]
    return "\n".join(parts)


def _method_text(method: Method) -> str:
    lines = [f"### {method.title}\n", f"`{method.name}`", "", "```", method.equation, "```", ""]
    lines += ["| argument | meaning | allowed |", "|---|---|---|"]
    for name, arg in method.arguments.items():
        allowed = arg.allowed(unit_of(name)) if isinstance(arg, Arg) else ""
        if isinstance(arg, Choice):
            allowed = ", ".join(arg.options)
        default = f"; {method.defaults[name]} if left out" if name in method.defaults else ""
        lines.append(f"| `{name}` | {arg.meaning} | {allowed}{default} |")
    example = json.dumps(plain(method.example.arguments), ensure_ascii=False)
    result = json.dumps(plain(method.example.result), ensure_ascii=False)
    lines += ["", f"Example: `{example}` gives `{result}`.", f"Source: {method.source}.", method.notes, ""]
    return "\n".join(lines)


def kinds_text() -> str:
    """Return every kind of unit a line may name, with what is read at it and what may be said of it, as Markdown."""
    parts = [
        "# Kinds of parts\n",
        "Written by `./fox docs` from the classes of the chapters; change the code, not this page.\n",
        (
            "A tag names the part it reads (`of`) and one of that part's points (`reads`); a rule, a panel or a page finds"
            " what it needs by kind and point, never by an id. Besides its own points a unit has those of a stream, read as its"
            " stock goes on.\n"
        ),
    ]
    for kind, unit in KINDS.items():
        parts.append(f"\n## `{kind}`\n\n{(unit.__doc__ or '').strip()}\n")
        own = {name: point for name, point in unit.points_of_kind().items() if name not in STREAM_POINTS}
        parts += [_points_text(own), _fields_text(unit)]
    for title, points in (
        ("a stream", STREAM_POINTS),
        ("a station", STATION_POINTS),
        ("a pile", PileDef.POINTS),
        ("a digester", Digester.POINTS),
        ("a liquor tank", Tank.POINTS),
    ):
        parts.append(f"\n## Read of {title}\n\n{_points_text(points)}")
    return "\n".join(parts)


def _points_text(points: Points) -> str:
    if not points:
        return ""
    rows = ["| point | what is read | unit | plausible |", "|---|---|---|---|"]
    rows += [
        f"| `{name}` | {point.title.replace('{of}', '…')} | {point.unit or '-'} | {point.plausible[0]:g} to {point.plausible[1]:g} |"
        for name, point in points.items()
    ]
    return "\n".join(rows) + "\n"


def _fields_text(unit: type[Unit]) -> str:
    own = {name: field for name, field in unit.model_fields.items() if name not in Unit.model_fields or name == "kind"}
    rows = [
        f"| `{name}` | {'must be given' if field.is_required() else 'may be left out'} | {field.description or ''} |"
        for name, field in own.items()
        if name != "kind"
    ]
    return "\n".join(["| field | | meaning |", "|---|---|---|", *rows]) + "\n" if rows else ""


GENERATED = {
    ROOT / "mills" / "line.schema.json": schema_text,
    ROOT / "docs" / "methods.md": methods_text,
    ROOT / "docs" / "kinds.md": kinds_text,
}


def css_fault() -> str:
    """Build the style sheet again and compare; without Node it is left alone, and said."""
    if not shutil.which("npm"):
        return ""
    if not (ROOT / "node_modules" / ".bin" / "tailwindcss").exists():
        subprocess.run(["npm", "ci", "--ignore-scripts", "--silent"], cwd=ROOT, check=True, capture_output=True)
    with TemporaryDirectory() as folder:
        built = Path(folder) / "app.css"
        command = ["node_modules/.bin/tailwindcss", "-i", "desk/assets/app.css", "-o", str(built), "--minify"]
        subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
        return "" if built.read_bytes() == CSS.read_bytes() else "desk/static/desk/app.css is stale: run ./fox css"


def rule_faults() -> list[str]:
    """Things no linter looks for: what the policy forbids in templates, hosts in locks."""
    faults = []
    forbidden = re.compile(
        r"""\sstyle=["']|<style|\son[a-z]+=["']|hx-on:|hx-vals=["']js:|javascript:|hx-trigger="[^"]*\["""
    )
    for path in (ROOT / "desk").rglob("*.html"):
        if found := forbidden.search(path.read_text(encoding="utf-8")):
            faults.append(f"{path.relative_to(ROOT)}: {found.group(0).strip()} breaks the content policy")
    for name in ("requirements.txt", "requirements-dev.txt", "package-lock.json"):
        if re.search(r"index-url|find-links|\"resolved\"", (ROOT / name).read_text(encoding="utf-8")):
            faults.append(f"{name} names a registry")
    return faults


def style_faults() -> list[str]:
    """Colours written outside the tokens, and stations whose styles nobody brings."""
    faults = []
    brought = (ROOT / "desk" / "assets" / "stations.css").read_text(encoding="utf-8")
    for path in sorted((ROOT / "desk").rglob("*.css")):
        if "static" in path.parts:
            continue
        text = re.sub(r"/\*.*?\*/", "", path.read_text(encoding="utf-8"), flags=re.DOTALL)
        if path.name != "tokens.css" and (found := re.search(r":[^;{}]*(#[0-9a-f]{3,8}\b|rgb\()", text)):
            faults.append(f"{path.relative_to(ROOT)}: {found.group(1)} is a colour; name it in tokens.css")
        if path.parent.parent.name == "stations" and f"/{path.parent.name}/{path.name}" not in brought:
            faults.append(f"{path.relative_to(ROOT)} is not in the style sheet: run ./fox css")
    return faults


def template_faults() -> list[str]:
    """Templates that do not say at their top what they need, or run past 120 columns."""
    faults = []
    for path in sorted((ROOT / "desk").rglob("*.html")):
        rows = path.read_text(encoding="utf-8").splitlines()
        name = path.relative_to(ROOT)
        if not any(row.startswith("{#") for row in rows[:3]):
            faults.append(f"{name} does not say its context at the top")
        faults += [f"{name}:{at}: {len(row)} columns" for at, row in enumerate(rows, 1) if len(row) > 120]
    return faults


def _ids_of(raw: object) -> set[str]:
    """Every id anywhere in a mill's file."""
    if isinstance(raw, list):
        return set().union(*map(_ids_of, raw))
    if isinstance(raw, dict):
        own = {raw["id"]} if isinstance(raw.get("id"), str) else set()
        return own.union(*map(_ids_of, raw.values()))
    return set()


def id_faults() -> list[str]:
    """Ids of the shipped mills that stand as text in the code: what holds for one mill only.

    An id that is one plain word, such as `chips`, cannot be told from the word; the tests that rename every id see to those.
    """
    ids: set[str] = set()
    for mill in (ROOT / "mills").glob("*.yaml"):
        if not mill.name.endswith(".demo.yaml"):
            raw = read_yaml(mill.read_text(encoding="utf-8"))
            assert isinstance(raw, dict)
            ids |= {name for name in _ids_of(raw) if "_" in name}
    faults = []
    for folder in ("stock", "desk", "standin"):
        for path in (ROOT / folder).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.Constant) and node.value in ids - WORDS_OF_THE_TRADE:
                    faults.append(f"{path.relative_to(ROOT)}:{node.lineno}: {node.value!r} is an id of a mill")
        for path in (ROOT / folder).rglob("*.html"):
            for found in re.findall(r"""["']([a-z][a-z0-9_]*)["']""", path.read_text(encoding="utf-8")):
                if found in ids - WORDS_OF_THE_TRADE:
                    faults.append(f"{path.relative_to(ROOT)}: {found!r} is an id of a mill")
    return faults


WORDS_OF_THE_TRADE = {*KINDS, *(name for unit in KINDS.values() for name in unit.points_of_kind())}


def main() -> int:
    """Compare, or write."""
    if "--write" in sys.argv:
        for path, text in GENERATED.items():
            path.write_text(text(), encoding="utf-8")
        return 0
    faults = [
        f"{path.relative_to(ROOT)} is stale: run ./fox docs"
        for path, text in GENERATED.items()
        if not path.exists() or path.read_text(encoding="utf-8") != text()
    ]
    faults += [*rule_faults(), *template_faults(), *style_faults(), *id_faults()]
    if fault := css_fault():
        faults.append(fault)
    for fault in faults:
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
