"""`./fox shots`: the pictures in docs/screenshots, from the demonstration at a moment held still."""

import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory

import django
from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[2]
FOLDER = ROOT / "docs" / "screenshots"
MILLS = (ROOT / "mills" / "hallin_reach.yaml", ROOT / "mills" / "tidewater_bench.yaml")
NOW_S = 1773153000  # 10 March 2026, 14:30 UTC
NOW_ISO = "2026-03-10T14:30:00+00:00"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def entry(page: Page) -> None:
    """Type a reading, unsent."""
    page.keyboard.press("Space")
    page.keyboard.type("wood free 492; shives 0.2", delay=5)
    page.locator(".entry-advice").wait_for()


def working(page: Page) -> None:
    """Open the working of the first advice."""
    page.locator(".advice .working-link").first.click()
    page.locator("#float .working").wait_for()


PICTURES = {
    "line": ("/live/", "orr", "light", None),
    "line-night": ("/live/", "orr", "dark", None),
    "entry": ("/live/", "orr", "light", entry),
    "wash": ("/live/wash/cane_wash/", "orr", "light", None),
    "screens": ("/live/at/screen/", "orr", "light", None),
    "working": ("/live/at/bleach/", "orr", "light", working),
    "order": ("/live/order/", "sundby", "light", None),
    "hand-over": ("/live/hand-over/", "sundby", "light", None),
    "methods": ("/live/methods/", "lindqvist", "light", None),
    "witness": ("/live/witness/brown_cons/", "orr", "light", None),
}


LATER = {"moves", "ahead"}  # taken after a quarter of an hour lived in the plant that runs


def pictures() -> dict[str, tuple[str, str, str, Callable[[Page], None] | None]]:
    """Return what is taken: the screens' own pictures, then those each station names."""
    django.setup()
    from desk.floor.station import stations

    of_stations = {
        name: (f"/live/{address}", person, theme, None)
        for station in stations()
        for name, (address, person, theme) in station.pictures.items()
    }
    return {**PICTURES, **of_stations}


def main() -> None:
    """Start the desk on a demonstration of its own, and take what was named, or all."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings.demo")
    there = pictures()
    taken = {name: there[name] for name in sys.argv[1:] if name in there} or there
    FOLDER.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory() as folder:
        env = {
            **os.environ,
            "FOX_VAR": folder,
            "FOX_NOW": NOW_ISO,
            "DJANGO_SETTINGS_MODULE": "desk.settings.demo",
            "FOX_SECRET_KEY": "pictures",
        }
        history = Path(folder) / "history"
        run = [sys.executable, "manage.py"]
        subprocess.run([*run, "migrate", "-v", "0"], cwd=ROOT, env=env, check=True)
        load = [*run, "load_demo", "--history", str(history), "--anchor", str(NOW_S), "-v", "0"]
        for mill in MILLS:
            past = ["history", "--mill", str(mill), "--anchor", str(NOW_S), "--folder", str(history / mill.stem)]
            subprocess.run([sys.executable, "-m", "standin", *past], cwd=ROOT, env=env, check=True)
            load += ["--mill", str(mill)]
        subprocess.run(load, cwd=ROOT, env=env, check=True)
        _serve_and_take(env, {name: one for name, one in taken.items() if name not in LATER})
        later = {name: one for name, one in taken.items() if name in LATER}
        if later:
            lived = subprocess.run(
                [sys.executable, "-m", "tests.browser.quarter_hour", str(NOW_S)], cwd=ROOT, env=env, check=True,
                capture_output=True, text=True,
            )  # fmt: skip
            _serve_and_take({**env, "FOX_NOW": lived.stdout.split()[-1]}, later)


def _serve_and_take(
    env: dict[str, str], taken: Mapping[str, tuple[str, str, str, Callable[[Page], None] | None]]
) -> None:
    if not taken:
        return
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    serve = [sys.executable, "-m", "gunicorn", "desk.wsgi", "--bind", f"127.0.0.1:{port}", "--threads", "4"]
    serve += ["--no-control-socket", "--log-level", "error"]
    now = datetime.fromisoformat(env["FOX_NOW"])
    with subprocess.Popen(serve, cwd=ROOT, env=env) as server:
        try:
            _wait(port)
            _take(f"http://127.0.0.1:{port}", taken, now)
        finally:
            server.terminate()


def _wait(port: int) -> None:
    for _ in range(100):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.1)


def _take(
    base: str, pictures: Mapping[str, tuple[str, str, str, Callable[[Page], None] | None]], now: datetime
) -> None:
    with sync_playwright() as playwright:
        path = os.environ.get("FOX_CHROMIUM", "/usr/bin/chromium-headless-shell")
        browser = playwright.chromium.launch(executable_path=path, args=FLAGS)
        for name, (address, person, theme, before) in pictures.items():
            context = browser.new_context(
                viewport={"width": 1280, "height": 800}, color_scheme=theme, timezone_id="UTC", reduced_motion="reduce"
            )
            page = context.new_page()
            page.clock.set_fixed_time(now)
            page.goto(f"{base}/sign-in/")
            if person:
                page.locator(f'form[action="/sign-in/as/{person}/"] button').click()
                page.goto(base + address)
            page.evaluate("document.fonts.ready")
            page.wait_for_load_state("networkidle")
            if before:
                before(page)
            page.screenshot(path=FOLDER / f"{name}.png", animations="disabled", caret="hide")
            print(f"docs/screenshots/{name}.png")
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
