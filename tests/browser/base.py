"""A real browser on the real pages: the demonstration, at a moment held still."""

import os
import sqlite3
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest.mock import patch

from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.db import connection
from django.test import Client
from playwright.sync_api import Browser, Page, Playwright, Response, sync_playwright

from desk.floor import pulse
from desk.floor.models import Record, World
from desk.people.models import Person
from standin.__main__ import write_history
from standin.plant import Plant
from tests.desk.base import NOW, plant
from tests.line import BENCH, MILL, tidewater_bench, tidewater_story

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text(encoding="utf-8")
WCAG = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
ALL = {"runOnly": {"type": "tag", "values": WCAG}}
CONTRAST = {"runOnly": {"type": "rule", "values": ["color-contrast"]}}
OF_FRESH = (
    "axe.configure({rules: [{id: 'color-contrast', selector: '[data-fresh]'}]})"  # contrast of what is marked alone
)
FRESH = """([within, seen]) => {
    const known = new Set(seen), styles = [], kept = new WeakMap();
    const set = ["color", "backgroundColor", "backgroundImage", "opacity", "filter", "fontSize", "fontWeight", "position"];
    const hash = (text) => { let found = 7; for (const one of text) found = (found * 31 + one.codePointAt(0)) | 0; return found; };
    const style = (node) => {
        if (!node || node.nodeType !== 1) return "";
        if (!kept.has(node)) {
            const found = getComputedStyle(node), said = set.map((name) => found[name]).join();
            kept.set(node, String(hash(style(node.parentElement) + node.tagName + [...node.classList].sort() + said)));
        }
        return kept.get(node);
    };
    document.querySelectorAll("[data-fresh]").forEach((node) => node.removeAttribute("data-fresh"));
    const fresh = [...document.querySelectorAll(within + " *")].filter((node) => {
        const says = [...node.childNodes].some((one) => one.nodeType === 3 && one.data.trim()) || node.matches("input, select, textarea");
        if (!says || !node.checkVisibility()) return false;
        if (node.ownerSVGElement) return true;
        const own = Number(style(node));
        if (known.has(own)) return false;
        known.add(own); styles.push(own);
        return true;
    });
    fresh.forEach((node) => node.setAttribute("data-fresh", ""));
    return {count: fresh.length, styles};
}"""
SWAPPED = """() => {
    window.swapped = new Promise((done) => {
        document.body.addEventListener("htmx:after:swap", () => requestAnimationFrame(done), {once: true});
    });
}"""
FAILED = Path(settings.VAR) / "failed"

_shared: dict[str, Any] = {}


def browser() -> Browser:
    """Return the one browser of this process."""
    if "browser" not in _shared:
        playwright: Playwright = sync_playwright().start()
        path = os.environ.get("FOX_CHROMIUM") or "/usr/bin/chromium-headless-shell"
        _shared["playwright"] = playwright
        _shared["browser"] = playwright.chromium.launch(executable_path=path, args=FLAGS)
    found: Browser = _shared["browser"]
    return found


def stop() -> None:
    """End the browser; before the databases go, since its loop lives in this thread."""
    if "browser" in _shared:
        _shared.pop("browser").close()
        _shared.pop("playwright").stop()


def bench() -> Plant:
    """Return the stand-in of the teaching workshop."""
    return Plant(tidewater_bench(), 20, NOW.timestamp(), tidewater_story())


def history() -> Path:
    """Return the folder with the stand-in's past, written once."""
    if "history" not in _shared:
        folder = TemporaryDirectory()
        _shared["keep"] = folder
        _shared["history"] = Path(folder.name)
        write_history(plant(), Path(folder.name) / MILL.stem, 10.0, 8)
        write_history(bench(), Path(folder.name) / BENCH.stem, 10.0, 30)
    found: Path = _shared["history"]
    return found


def restore() -> None:
    """Bring the database to the demonstration as it opens: loaded once, copied back page by page after that."""
    pulse.forget()
    if "template" not in _shared:
        call_command(
            "load_demo",
            f"--mill={MILL}",
            f"--mill={BENCH}",
            history=history(),
            anchor=NOW.timestamp(),
            verbosity=0,
            stdout=StringIO(),
        )
        _shared["template"] = sqlite3.connect(":memory:", check_same_thread=False)
        connection.connection.backup(_shared["template"])
    else:
        connection.ensure_connection()
        _shared["template"].backup(connection.connection)


class BrowserCase(StaticLiveServerTestCase):
    """Loads the demonstration, opens a page, and fails on any console error or broken policy."""

    viewport = {"width": 1280, "height": 800}

    @classmethod
    def setUpClass(cls):
        cls.loop_allowed = patch.dict(os.environ, {"DJANGO_ALLOW_ASYNC_UNSAFE": "1", "FOX_NOW": NOW.isoformat()})
        cls.loop_allowed.start()
        super().setUpClass()

    @classmethod
    def tearDownClass(cls):
        super().tearDownClass()
        cls.loop_allowed.stop()

    def setUp(self):
        restore()
        self.styles_seen: dict[str, set[int]] = {}
        self.trouble: list[str] = []  # in any window
        self.page = self.new_page()

    def _fixture_teardown(self):
        """Leave the rows: the next test brings the demonstration back whole."""

    def new_page(self, **options: Any) -> Page:
        """Open a fresh window."""
        context = browser().new_context(viewport=self.viewport, timezone_id="UTC", locale="en-GB", **options)
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(8000)
        page.clock.set_fixed_time(NOW)
        page.on("console", self._hear)
        page.on("pageerror", lambda error: self.trouble.append(str(error)))
        return page

    def _hear(self, message: Any) -> None:
        refused = "Failed to load resource" in message.text  # a refusal we answer in words
        if message.type in ("error", "warning") and not refused:
            self.trouble.append(message.text)

    def tearDown(self):
        outcome = self._outcome
        if outcome and any(error for _, error in getattr(outcome, "errors", []) or []):
            FAILED.mkdir(parents=True, exist_ok=True)
            self.page.screenshot(path=FAILED / f"{self.id()}.png")
        self.assertEqual(self.trouble, [])

    def refresh(self, pull: str = "document.dispatchEvent(new CustomEvent('fox:recorded'))") -> None:
        """Let the page's own refresh come round, with something new to show."""
        count = Record.objects.count()
        Record.objects.create(
            world=World.objects.get(slug="live"), kind="event", text="Somebody else wrote", at=NOW, by_id=1,
            form_key=f"other-{count}", digest="",
        )  # fmt: skip
        self.page.evaluate(SWAPPED)
        self.page.evaluate(pull) if pull else self.page.clock.fast_forward(5100)
        self.page.evaluate("() => window.swapped")

    def what_if(self) -> None:
        """Open the what if of a station's page."""
        self.page.get_by_text("What if, live as you type").click()

    def go(self, path: str) -> Response:
        """Open an address of the desk, and return what was answered."""
        answer = self.page.goto(self.live_server_url + path)
        assert answer is not None
        return answer

    def sign_in(self, username: str, page: Page | None = None) -> None:
        """Sign in by cookie."""
        client = Client()
        client.force_login(Person.objects.get(username=username))
        cookie = {
            "name": settings.SESSION_COOKIE_NAME,
            "value": client.cookies[settings.SESSION_COOKIE_NAME].value,
            "url": self.live_server_url,
        }
        (page or self.page).context.add_cookies([cookie])

    def axe(self, *, colours_alone: bool = False, within: str = "html") -> list[str]:
        """Return the accessibility rules the page breaks, with where.

        `colours_alone` where only the theme differs; `within` where the rest was looked at on another page.
        Contrast is looked at once for each style a theme has: text whose element and all round it are of the
        same kinds and classes and come out in the same colours, sizes and weights is set alike. What is drawn
        may lie on anything, and is always looked at.
        """
        if not self.page.evaluate("'axe' in window"):
            self.page.evaluate(f"{AXE}; {OF_FRESH}")
        seen = self.styles_seen.setdefault("colours" if colours_alone else "all", set())
        fresh = self.page.evaluate(FRESH, [within, list(seen)])
        seen.update(fresh["styles"])
        if colours_alone and not fresh["count"]:
            return []
        found = self.page.evaluate(
            "([within, options]) => axe.run({include: [within]}, {...options, resultTypes: ['violations'], preload: false})",
            [within, CONTRAST if colours_alone else ALL],
        )
        return [
            f"{one['id']}: {node['target']} {node['failureSummary'][:160]}"
            for one in found["violations"]
            for node in one["nodes"][:3]
        ]
