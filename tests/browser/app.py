"""The real interface in a real browser, over a server and a home folder of its own."""

import json
import os
import re
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path

from playwright.sync_api import expect, sync_playwright

POOR, NAMELESS = (
    (Path(__file__).parent / f"{name}.js").read_text() for name in ("contrast", "nameless")
)
CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
with socket.socket() as free:
    free.bind(("127.0.0.1", 0))
    PORT = free.getsockname()[1]
BASE = f"http://127.0.0.1:{PORT}"
PATIENCE = 60_000  # ms; a busy machine compiles and solves beside this
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def get(path):
    """What the server answers, read as JSON."""
    with urllib.request.urlopen(BASE + path, timeout=60) as answer:
        return json.load(answer)


class Screens(unittest.TestCase):
    environment: dict[str, str] = {}  # of the server, beside its own

    def setUp(self):
        self.home = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(self.home.cleanup)
        self.start_server()
        self.addCleanup(lambda: (self.server.kill(), self.server.wait()))
        play = sync_playwright().start()
        self.addCleanup(play.stop)
        browser = play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        self.addCleanup(browser.close)
        self.page = browser.new_page(viewport={"width": 1280, "height": 800})
        self.page.set_default_timeout(PATIENCE)
        expect.set_options(timeout=PATIENCE)
        self.errors = []
        self.page.on("pageerror", lambda e: self.errors.append(f"{e} {e.stack}"))

    def start_server(self):
        self.server = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "underkettle.cli",
                "demo",
                "--no-ahead",
                "--home",
                self.home.name,
                "--port",
                str(PORT),
            ],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env={**os.environ, **self.environment},
        )
        for _ in range(600):
            try:
                return get("/api/about")
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not start")

    def number(self, testid):
        """The number shown, as soon as there is one."""
        shown = self.page.get_by_test_id(testid)
        expect(shown).to_have_text(re.compile(r"^[-−]?[0-9.]"))
        text = (shown.text_content() or "").replace("−", "-")
        found = re.match(r"-?[0-9.]+(e-?[0-9]+)?", text)
        self.assertIsNotNone(found, text)
        return float(found[0])

    def reaches(self, testid, wanted, delta):
        """The number shown becomes the one wanted, as soon as the answer is there."""
        end = time.monotonic() + PATIENCE / 1000
        while abs(self.number(testid) - wanted) > delta and time.monotonic() < end:
            time.sleep(0.05)
        self.assertAlmostEqual(self.number(testid), wanted, delta=delta)

    def keep(self, label, value, exact=True):
        field = self.page.get_by_label(label, exact=exact)
        field.fill(value)
        field.press("Enter")

    def choose(self, field, value):
        """One of what a field offers, by what it stands for."""
        field.click()
        self.page.locator(f'[role=option][data-value="{value}"]').click()
        expect(self.page.locator(".choices")).to_have_count(0)

    def says(self, field, value):
        """What was chosen."""
        expect(field).to_have_attribute("data-value", value)

    def changed(self, words):
        expect(self.page.get_by_text(f"last change: {words}")).to_be_visible()

    def open_case(self, name):
        """From the shelf to a case's sheet; its id."""
        self.page.goto(BASE)
        self.page.get_by_placeholder("find by any words").fill(
            name
        )  # only those in sight are laid out
        self.page.get_by_role("article", name=name, exact=True).get_by_role("button").first.click()
        expect(self.page.get_by_test_id("title-block")).to_contain_text(name)
        return self.page.url.rsplit("/", 1)[1]

    def ask(self, kind, **values):
        """One more number to be read of the case whose id is `case`; its name."""
        page = self.page
        page.get_by_role("button", name="Add a readout").click()
        self.changed("new readout")
        name = list(get(f"/api/cases/{self.case}/file")["readouts"])[-1]
        self.choose(page.get_by_label(f"Kind of {name}"), kind)
        expect(page.get_by_label(f"Kind of {name}")).to_have_attribute("data-value", kind)
        for asked, value in values.items():
            field = page.get_by_label(f"{name}: {asked}", exact=True)
            if field.get_attribute("data-value") != value:
                self.choose(field, value)
                self.says(field, value)
        return name

    def put(self, data):
        """A case on the shelf, opened; its id."""
        case = self.page.request.post(f"{BASE}/api/cases", data=data).json()["id"]
        self.page.goto(f"{BASE}/set/{case}")
        expect(self.page.get_by_test_id("title-block")).to_contain_text(data["name"])
        return case

    def fired(self):
        """Fires what is open and goes to read it; the run's id."""
        page = self.page
        page.keyboard.press("Control+Enter")
        expect(page).to_have_url(re.compile("/fire/.+/.+"))
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_test_id("picture")).to_be_visible()
        return page.url.rsplit("/", 1)[1]

    def begin(self, template):
        """A fresh case from a template; its id."""
        self.page.goto(BASE)
        self.page.get_by_role("button", name="New sheet", exact=True).click()
        self.page.get_by_role("button", name=template).click()
        expect(self.page.get_by_test_id("title-block")).to_contain_text(template)
        return self.page.url.rsplit("/", 1)[1]

    def add_variant(self, name):
        """One more variant of what is open, in which nothing differs yet; the strip of variants."""
        strip = self.page.get_by_role("group", name="Variants")
        strip.get_by_role("button", name="Add").click()
        self.page.get_by_label("Name of the variant").fill(name)
        self.page.get_by_role("button", name="Add it").click()
        expect(strip).to_contain_text("nothing differs yet")
        return strip

    def vessel(self):
        """Where the open space stands on the screen: x, y, width, height (px)."""
        box = self.page.locator('svg.dwg path[fill="var(--zone2)"]').bounding_box()
        return box["x"], box["y"], box["width"], box["height"]

    def drag(self, start, end):
        """From one place of the open space to another, in shares of its width and height from above."""
        x, y, w, h = self.vessel()
        self.page.mouse.move(x + start[0] * w, y + start[1] * h)
        self.page.mouse.down()
        self.page.mouse.move(x + end[0] * w, y + end[1] * h, steps=4)
        self.page.mouse.up()

    def sound(self, where):
        """Every text has contrast in both themes, every control a name."""
        for theme in ("light", "dark"):
            self.page.evaluate(f"document.documentElement.dataset.theme = '{theme}'")
            self.page.wait_for_timeout(60)
            self.assertEqual(self.page.evaluate(POOR), [], f"{where}, {theme}")
        self.page.evaluate("document.documentElement.dataset.theme = 'light'")
        self.assertEqual(self.page.evaluate(NAMELESS), [], where)
