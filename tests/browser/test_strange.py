"""What phenomena from outside bring that those of the package do not: a screen that is drawn and
read, a series up and down, a wall that moves between frames, things followed one by one.
"""

import json
import math
import os
import re
import unittest
import urllib.request
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get
from tests.phenomena.cases import FINES, GATE, GRILLE, PLATES
from underkettle.case.model import merge_patch

OUTSIDE = str(Path(__file__).parent.parent / "outside")


class Strange(Screens):
    environment = {"PYTHONPATH": os.pathsep.join([OUTSIDE, os.environ.get("PYTHONPATH", "")])}

    def test_a_screen_is_drawn_told_what_it_does_and_read(self):
        page = self.page
        bare = merge_patch(GRILLE, {"vessel": {"parts": {"cloth": None}}})
        bare = merge_patch(bare, {"conditions": {"cloth": None}, "readouts": None})
        case = self.put({**bare, "name": "Cloth"})
        page.keyboard.press("e")
        sheet = page.locator("svg.dwg").first
        box = sheet.bounding_box()
        middle = box["x"] + 0.5 * box["width"]
        page.mouse.move(middle, box["y"] + 0.2 * box["height"])
        page.mouse.down()
        page.mouse.move(middle, box["y"] + 0.45 * box["height"], steps=4)
        page.mouse.up()
        self.changed("draw screen1")
        part = get(f"/api/cases/{case}/file")["vessel"]["parts"]["screen1"]
        self.assertEqual((part["does"], part["along"]), ("screen", "y"))
        page.keyboard.press("v")
        cell = page.locator("td[aria-label^='Screen1, grille']")
        cell.click()
        card = page.get_by_role("region", name="Screen1, conditions")
        self.choose(card.get_by_role("combobox").first, "holds")
        loss = card.get_by_label("Loss", exact=False)
        loss.fill("4")
        loss.press("Enter")
        expect(cell).to_contain_text("4")
        run = self.fired()
        self.assertEqual(page.locator("[data-testid=picture] .screenline").count(), 1)
        bed = page.locator("[data-testid=picture] .screenline").bounding_box()
        self.assertGreater(bed["height"], 40)
        # colours lie on both of its sides, and on the walls
        page.keyboard.press("e")
        seen = page.get_by_role("img", name=re.compile("^edges in [0-9]+ colours"))
        expect(seen).to_be_visible()
        told = get(f"/api/runs/{run}/case")
        self.assertEqual(told["sheet"]["edges"]["screen1"]["on"], "screen")
        self.assertEqual(self.errors, [])

    def test_a_series_up_and_down_is_made_on_the_page_run_and_read(self):
        page = self.page
        rest = merge_patch(
            PLATES,
            {
                "stages": {"sweep": {"mode": "steady", "control": None, "values": None}},
                "readouts": {
                    "power": {"kind": "formula", "formula": "applied*current", "label": "Power"}
                },
            },
        )
        case = self.put({**rest, "name": "Two plates"})
        page.get_by_role("tab", name="Stages, grid").click()
        self.choose(page.get_by_label("sweep: mode"), "series")
        self.says(page.get_by_label("sweep: what the series changes"), "applied")
        for label, value in (("From", "0.1 V"), ("To", "0.5 V"), ("How many", "3")):
            page.get_by_label(label, exact=True).fill(value)
        page.get_by_label("and back").check()
        page.get_by_role("button", name="Make 5").click()
        self.changed("sweep: 5 values")
        expect(page.get_by_role("img", name="applied applied")).to_be_visible()
        stage = get(f"/api/cases/{case}/file")["stages"]["sweep"]
        self.assertEqual([float(v.split()[0]) for v in stage["values"]], [0.1, 0.3, 0.5, 0.3, 0.1])
        page.keyboard.press("Escape")
        page.get_by_test_id("title-block").click()
        run = self.fired()
        expect(page.get_by_test_id("strip-axis")).to_have_text("applied, V")
        expect(page.get_by_test_id("frame-time")).to_have_text("applied 0.1 V")
        page.get_by_label("Go to a time, or # and a number").fill("0.5")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("frame-time")).to_have_text("applied 0.5 V")
        page.get_by_role("tab", name="History").click()
        self.choose(page.get_by_label("Readout", exact=True), "power")
        plate = page.get_by_role("region", name="History of a readout")
        expect(plate).to_contain_text("Power, up")
        expect(plate).to_contain_text("Power, down")
        expect(plate).to_contain_text("applied, V")
        power, current = (get(f"/api/runs/{run}/history/{n}") for n in ("power", "current"))
        self.assertEqual(power["time"], [0.1, 0.3, 0.5, 0.3, 0.1])
        for k, volt in enumerate(power["time"]):
            self.assertAlmostEqual(power["value"][k] / (volt * current["value"][k]), 1.0, places=5)
        self.assertEqual(self.errors, [])

    def test_a_wall_that_moves_stands_elsewhere_in_every_frame(self):
        page = self.page
        self.put({**GATE, "name": "Sliding gate"})
        run = self.fired()
        frames = get(f"/api/runs/{run}/frames")["frames"]
        self.assertEqual([f["moved"] for f in frames], [False, True, True, True])
        wall = page.locator("[data-testid=picture] .wall").first
        seen = set()
        for f in frames:
            page.get_by_label("Go to a time, or # and a number").fill(f"{f['shown']} s")
            page.keyboard.press("Enter")
            expect(page.get_by_test_id("frame-time")).to_contain_text(f"{f['shown']:g} s")
            rings = get(f"/api/runs/{run}/frames/{f['id']}/walls")["rings"]
            block = min(rings, key=lambda r: max(p[0] for p in r) - min(p[0] for p in r))
            low = min(p[1] for p in block)
            moved = 3e-3 * (1 - math.cos(5 * math.pi * f["value"]))
            self.assertAlmostEqual(low, 4.3e-3 + moved, places=7)
            page.wait_for_timeout(300)
            seen.add(wall.get_attribute("d"))
        self.assertEqual(len(seen), len(frames))
        self.assertEqual(self.errors, [])

    def test_things_followed_one_by_one_are_points_that_can_be_put_away(self):
        page = self.page
        self.put({**FINES, "name": "Fines"})
        run = self.fired()
        last = get(f"/api/runs/{run}/frames")["frames"][-1]["id"]
        with urllib.request.urlopen(f"{BASE}/api/runs/{run}/frames/{last}/listings/cloud") as told:
            size = int.from_bytes(told.read(4), "little")
            header = json.loads(told.read(size))
        self.assertGreater(header["of"], 20)
        points = page.get_by_role("img", name=re.compile(f"^{header['of']} "))
        expect(points).to_be_visible()
        dots = points.locator("path").nth(0).get_attribute("d").count("M")
        ended = points.locator("path").nth(1).get_attribute("d").count("M")
        self.assertEqual(dots + ended, header["rows"])
        page.keyboard.press("t")
        expect(points).to_have_count(0)
        page.keyboard.press("t")
        expect(points).to_be_visible()
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
