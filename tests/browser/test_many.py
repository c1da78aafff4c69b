"""Screens with much on them: twenty phenomena and sixty edges by keyboard alone, two thousand cases."""

import json
import os
import re
import sys
import tempfile
import textwrap
import unittest
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get
from underkettle.case.case import Case
from underkettle.server.shelf import card_of
from underkettle.store.library import Library

ROOT = Path(__file__).parent.parent.parent
CROWD = """
from toyworks.warmth import Warmth

for k in range(20):
    globals()[f"scent_{k}"] = type(
        f"Scent{k}", (Warmth,), {"name": f"scent_{k}", "label": f"Scent {k}", "audit": ()}
    )
"""
FRAME = 1000 / 60  # ms
KEY = 80  # ms from key to key, as quick hands type
BUSY = 3.0  # times longer, where other tests run beside this; the figures are printed
COUNT = """() => {
  window.spent = [];
  let last = performance.now();
  const tick = (now) => {
    window.spent.push(now - last);
    last = now;
    window.going = requestAnimationFrame(tick);
  };
  window.going = requestAnimationFrame(tick);
}"""
COUNTED = "() => { cancelAnimationFrame(window.going); return window.spent.slice(2); }"
# what is looked for while frames are counted is looked for cheaply: a search by roles takes longer
# than a frame by itself
AT = """([like, says]) => {
  const at = document.activeElement;
  return at.matches(like) && `${at.ariaLabel} ${at.id} ${at.textContent}`.includes(says);
}"""
KEPT = """(label) => [...document.querySelectorAll("section[aria-label='Drawing sheet'] div > span")]
  .some((s) => s.textContent.startsWith(`last change: ${label}`))"""


def outside(folder):
    """A package from outside with twenty phenomena, put into a folder."""
    (folder / "crowd.py").write_text(textwrap.dedent(CROWD))
    told = folder / "crowd-0.1.dist-info"
    told.mkdir()
    (told / "METADATA").write_text("Metadata-Version: 2.1\nName: crowd\nVersion: 0.1\n")
    points = "".join(f"scent_{k} = crowd:scent_{k}\n" for k in range(20))
    (told / "entry_points.txt").write_text(f"[underkettle.phenomena]\n{points}")


def hall():
    """A hall with fourteen posts: 62 edges."""
    parts = {
        f"post_{k + 1}": {
            "shape": "rectangle",
            "does": "cut",
            "x": f"{20 + 40 * k} mm",
            "y": f"{40 + (k % 3) * 15} mm",
            "width": "12 mm",
            "height": "15 mm",
        }
        for k in range(14)
    }
    whole = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "600 mm", "height": "120 mm"}
    nozzle = {"part": "hall", "bore": "60 mm", "at": "60 mm"}
    scents = {f"scent_{k}": {"spread": "1e-6 m2/s"} for k in range(20)}
    return {
        "name": "Scent hall",
        "vessel": {
            "parts": {"hall": whole, **parts},
            "nozzles": {
                "inlet": {**nozzle, "side": "left"},
                "outlet": {**nozzle, "side": "right"},
            },
        },
        "grid": {"size": "5 mm"},
        "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "1 mPa s"}, **scents},
        "stages": {"go": {"solve": ["flow", *scents], "mode": "transient", "until": "1 s"}},
    }


class Many(Screens):
    def setUp(self):
        crowd = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(crowd.cleanup)
        outside(Path(crowd.name))
        old = os.environ.get("PYTHONPATH", "")
        paths = [crowd.name, str(ROOT / "tests" / "outside"), old]
        self.environment = {"PYTHONPATH": os.pathsep.join(paths)}
        super().setUp()

    def frames(self, act):
        """How long frames take while something is done: the page's own work and in all, ms, and
        what 95 % of them stay within.
        """
        client = self.page.context.new_cdp_session(self.page)
        client.send("Performance.enable")

        def busy():
            told = client.send("Performance.getMetrics")["metrics"]
            return {m["name"]: m["value"] for m in told}["TaskDuration"] * 1000

        self.page.evaluate(COUNT)
        began = busy()
        act()
        worked = busy() - began
        taken = np.array(self.page.evaluate(COUNTED))
        return worked / len(taken), float(np.percentile(taken, 95)), len(taken)

    def best(self, what, first, act):
        """Looks at what takes no longer than it may; rounds that something else on the machine
        disturbed are made again, from the key that begins one, after waits that grow.
        """
        rounds = []
        while not rounds or (rounds[-1][1] > FRAME + 0.5 and len(rounds) < 8):
            self.page.keyboard.press(first)
            self.page.wait_for_timeout(600 * (1 + len(rounds)))
            rounds.append(self.frames(act))
        self.within(what, *min(rounds, key=lambda r: r[1]), 2)

    def within(self, what, work, worst, count, most):
        said = f"{what}: {work:.1f} ms of work a frame, 95 % of {count} within {worst:.1f} ms"
        print(said, file=sys.stderr)
        self.assertLess(work, BUSY * FRAME, said)
        self.assertLess(worst, BUSY * most * FRAME, said)

    def test_twenty_phenomena_and_sixty_edges_are_edited_by_keyboard(self):
        page = self.page
        case = self.put(hall())
        view = get(f"/api/cases/{case}")
        self.assertEqual(len(view["active"]), 21)
        self.assertGreaterEqual(sum(r["on"] == "edge" for r in view["ledger"]["rows"]), 60)
        page.locator("td[data-row='0'][data-column='0']").focus()
        page.wait_for_timeout(3000)  # what was loading is there

        def held(key, times):
            for _ in range(times):
                page.keyboard.press(key)
                page.wait_for_timeout(12)

        def about():
            held("ArrowDown", 50)
            held("ArrowRight", 18)
            held("ArrowUp", 20)
            held("ArrowLeft", 10)

        self.best("keys", "Control+Home", about)
        focused = page.locator("td[role=gridcell]:focus")
        expect(focused).to_have_attribute("data-row", "30")
        expect(focused).to_have_attribute("data-column", "8")
        place = re.match(r"([^,]+), ([^,]+),", focused.get_attribute("aria-label"))
        # from the cell to its card, a kind, its value, and back to the cell: no pointer
        column = f"{place[2].lower().replace(' ', '_')}"
        page.keyboard.press("Enter")
        chooser = page.get_by_role("combobox", name=f"{place[2]}: what happens here")
        card_field = page.get_by_role("region", name=f"{place[1]}, conditions").get_by_label(
            "Film", exact=True
        )
        expect(chooser).to_be_focused()
        page.keyboard.press("Enter")
        option = page.locator("[role=option]")
        expect(option.first).to_be_focused()
        page.keyboard.type("cooled", delay=20)
        expect(option.filter(has_text="cooled")).to_be_focused()
        page.keyboard.press("Enter")
        expect(card_field).to_be_focused()  # what was chosen asks for a value
        page.keyboard.type("2 mm/s")
        page.keyboard.press("Enter")
        edge = place[1].lower().replace(" ", "_")
        self.changed(f"{place[1]}")
        told = get(f"/api/cases/{case}/file")["conditions"][edge][column]
        self.assertEqual((told["kind"], told["film"]), ("cooled", "2 mm/s"))
        page.keyboard.press("Escape")
        expect(focused).to_have_attribute("data-row", "30")
        page.keyboard.press("Control+z")
        expect(focused).to_have_attribute("aria-label", re.compile("assumed"))
        self.assertNotIn(edge, get(f"/api/cases/{case}/file").get("conditions", {}))
        page.wait_for_timeout(1000)

        def at(like, says):
            page.wait_for_function(AT, arg=[like, says])

        def key(name):
            page.keyboard.press(name)
            page.wait_for_timeout(KEY)

        def edits():
            for speed in ("3 mm/s", "4 mm/s", "5 mm/s"):
                key("Enter")
                at("button.choose", f"{place[2]}: what happens here")
                key("Enter")
                at("[role=option]", "")
                page.keyboard.type("cooled", delay=KEY)
                at("[role=option]", "cooled")
                key("Enter")
                at("input", f"{column}-film")
                page.keyboard.type(speed, delay=KEY)
                key("Enter")
                page.wait_for_function(KEPT, arg=place[1])
                key("Escape")
                page.wait_for_timeout(300)
                key("Control+z")
                at("td", "assumed")
                page.wait_for_timeout(300)

        self.within("edits", *self.frames(edits), 2)
        self.assertEqual(self.errors, [])

    def test_a_wide_ledger_is_folded_thinned_and_searched_and_plates_grow(self):
        page = self.page
        case = self.put(hall())
        ledger = page.get_by_role("region", name="Ledger")
        heads = ledger.locator("thead tr").last.locator("th")
        ledger.get_by_role("button", name="Scent 0: columns").click()
        expect(ledger.locator("th.turned")).to_have_count(1)
        ledger.get_by_role("button", name="Scent 0: columns").click()
        expect(ledger.locator("th.turned")).to_have_count(0)
        ledger.get_by_role("button", name="21 columns").click()
        chooser = page.get_by_role("dialog", name="Columns")
        expect(chooser).to_be_visible()
        self.sound("columns")
        chooser.get_by_label("Scent 1", exact=True).uncheck()
        chooser.get_by_label("Scent 2", exact=True).uncheck()
        page.keyboard.press("Escape")
        expect(ledger.get_by_role("button", name="19 of 21 columns")).to_be_visible()
        self.assertNotIn("Scent 1", "".join(heads.all_inner_texts()).split("\n"))
        ledger.get_by_label("Find in the ledger").fill("post 7")
        rows = ledger.locator("tbody td:first-child[data-row]")
        expect(rows).to_have_count(4)
        expect(rows.first).to_contain_text("Post 7 left")
        ledger.get_by_label("Find in the ledger").fill("")
        # a plate over the whole side, by a key, and back; a divider by keys, remembered
        low = page.get_by_role("tablist").first
        before = low.bounding_box()["y"]
        low.get_by_role("tab", name="Vessel").click()
        page.keyboard.press("w")
        expect(ledger).to_have_count(0)
        self.assertLess(low.bounding_box()["y"], before - 200)
        page.reload()
        expect(page.get_by_role("button", name="Back below the ledger")).to_be_visible()
        page.keyboard.press("w")
        expect(ledger).to_be_visible()
        line = page.get_by_role("separator", name=re.compile("ledger", re.I))
        share = int(line.get_attribute("aria-valuenow"))
        line.focus()
        for _ in range(4):
            page.keyboard.press("ArrowUp")
        expect(line).to_have_attribute("aria-valuenow", str(share + 12))
        page.reload()
        expect(line).to_have_attribute("aria-valuenow", str(share + 12))
        # the board and the list of columns can be read by everybody
        page.keyboard.press("b")
        board = page.get_by_role("dialog", name="Phenomena")
        expect(board).to_be_visible()
        self.sound("board of twenty-one")
        board.get_by_label("Find a phenomenon").fill("warmth of its own")
        expect(board.get_by_role("article")).to_have_count(21)
        page.keyboard.press("Escape")
        self.assertEqual(len(get(f"/api/cases/{case}")["active"]), 21)
        self.assertEqual(self.errors, [])

    def test_two_thousand_cases_scroll_and_are_found(self):
        page = self.page
        channel = json.loads((ROOT / "demo" / "templates" / "2-channel.json").read_text())
        card = card_of(channel, Case(channel))
        library = Library(Path(self.home.name))
        for k in range(2000):
            name = f"Channel {k}"
            library.add_case({**channel, "name": name}, card={**card, "name": name})
        page.goto(BASE)
        shelf = page.get_by_test_id("shelf")
        expect(page.get_by_text("2019 cases")).to_be_visible()
        expect(shelf.get_by_role("article").first).to_be_visible()
        self.assertLess(shelf.get_by_role("article").count(), 40)
        page.wait_for_timeout(2000)
        page.mouse.move(600, 500)

        def wheeled():
            for _ in range(80):
                page.mouse.wheel(0, 120)
                page.wait_for_timeout(12)

        for what in ("cards", "list"):
            self.best(what, "Home", wheeled)
            page.keyboard.press("l")
        page.keyboard.press("End")
        expect(shelf.get_by_role("article", name="Annular leacher")).to_be_visible()
        page.get_by_label("Find a case").fill("channel 1234")
        expect(page.get_by_role("status", name="How many are shown")).to_have_text("1 of 2019")
        page.get_by_label("Find a case").press("Enter")
        expect(page.locator("[data-card='0']")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("title-block")).to_contain_text("Channel 1234")
        page.keyboard.press("1")
        page.get_by_label("Find a case").fill("")
        self.choose(page.get_by_label("With the phenomenon"), "heat")
        expect(page.get_by_role("status", name="How many are shown")).to_have_text("4 of 2019")
        self.choose(page.get_by_label("With the phenomenon"), "")
        self.choose(page.get_by_label("Sorted"), "name")
        page.keyboard.press("l")
        page.keyboard.press("Home")
        expect(shelf.get_by_role("article").first).to_have_attribute("aria-label", "Channel 0")
        self.assertEqual(self.errors, [])
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
