"""Where things are, and how a command of `fox` speaks, runs and stops."""

import os
import subprocess
import sys
from pathlib import Path
from typing import NoReturn

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
VAR = Path(os.environ.get("FOX_VAR", ROOT / "var"))


def say(text: str) -> None:
    """Print a line at once."""
    print(text, flush=True)


def stop(text: str) -> NoReturn:
    """Leave with a sentence and status 1."""
    sys.exit(f"fox: {text}")


def run(*command: object, env: dict[str, str] | None = None, check: bool = True, quiet: bool = False) -> int:
    """Run a command in the project's folder; leave with its status if it fails."""
    out = subprocess.DEVNULL if quiet else None
    words = [str(part) for part in command]
    status = subprocess.run(words, cwd=ROOT, env={**os.environ, **(env or {})}, stdout=out, check=False).returncode  # noqa: S603
    if check and status:
        sys.exit(status)
    return status


def manage(*words: object, env: dict[str, str], quiet: bool = False) -> None:
    """Run one of the desk's own commands."""
    run(PYTHON, "manage.py", *words, env=env, quiet=quiet)
