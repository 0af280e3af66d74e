"""Are the generated files that are committed still what their sources give? `--write` makes them so."""

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from stock.book import chapters
from stock.cli import plain
from stock.line.load import json_schema
from stock.names import unit_of
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


GENERATED = {ROOT / "mills" / "line.schema.json": schema_text, ROOT / "docs" / "methods.md": methods_text}


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
    faults += rule_faults()
    if fault := css_fault():
        faults.append(fault)
    for fault in faults:
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
