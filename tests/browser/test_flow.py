"""The real interface in a real browser: from the shelf to a number, through a killed run."""

import json
import os
import re
import signal
import tempfile
import unittest
from pathlib import Path

import meshio
import numpy as np
from playwright.sync_api import expect

import underkettle as uk
from tests.browser.app import BASE, Screens, get
from tests.formats.test_outlines import DXF
from underkettle.api import open_run

SQUARE = [[0, 0], [40, 0], [40, 20], [0, 20], [0, 0]]


def quad():
    """A mesh of one cell, 40 by 20."""
    with tempfile.TemporaryDirectory() as folder:
        meshio.Mesh(np.array([(*p, 0.0) for p in SQUARE[:4]]), [("quad", [[0, 1, 2, 3]])]).write(
            f"{folder}/a.vtu"
        )
        return Path(f"{folder}/a.vtu").read_bytes()


# the same frame in every other format that outlines are read from
EACH = {
    "csv": b"\n".join(b"%d,%d" % (x, y) for x, y in SQUARE[:4]),
    "geojson": json.dumps({"type": "Polygon", "coordinates": [SQUARE]}).encode(),
    "svg": b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H40V20H0Z"/></svg>',
    "dxf": DXF.encode(),
    "vtu": quad(),
}


class Flow(Screens):
    def test_from_the_shelf_to_a_number(self):
        page = self.page
        page.goto(BASE)
        page.get_by_role("button", name="Salt lance").first.click()
        expect(page.get_by_test_id("title-block")).to_contain_text("Salt lance")
        self.change_the_speed_and_undo()
        self.break_and_mend_a_condition()
        self.make_it_small()
        run = self.fire_kill_and_resume()
        self.read_a_probe_a_profile_and_export(run)
        self.assertEqual(self.errors, [])

    def change_the_speed_and_undo(self):
        page = self.page
        paper, before = self.number("paper-pressure_drop"), self.number("regime-Re")
        page.get_by_role("tab", name="Values").click()
        self.keep("speed", "4 mm/s")
        expect(page.get_by_text("last change: speed = 4 mm/s")).to_be_visible()
        self.reaches("regime-Re", 2.0 * before, 0.02 * before)
        page.get_by_role("tab", name="Paper check").click()
        self.reaches("paper-pressure_drop", 2.0 * paper, 0.03 * paper)
        page.get_by_role("tab", name="Values").click()
        self.keep("speed", "4 kg")
        expect(page.get_by_text("This is a mass", exact=False)).to_be_visible()
        self.assertEqual(page.get_by_label("speed", exact=True).input_value(), "4 kg")
        page.get_by_role("tab", name="Paper check").click()
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_text("nothing changed yet")).to_be_visible()
        self.reaches("paper-pressure_drop", paper, 1e-6 * paper)

    def break_and_mend_a_condition(self):
        page = self.page
        cell = page.get_by_role("gridcell", name="Inlet, Flow, given").or_(
            page.locator("td[aria-label^='Inlet, Flow, given']")
        )
        cell.first.click()
        card = page.get_by_role("region", name="Inlet, conditions")
        self.choose(card.get_by_label("Flow: what happens here"), "")
        card.get_by_role("button", name="Keep").click()
        audit = page.get_by_role("region", name="Audit")
        expect(audit).to_contain_text("Inlet says nothing about flow.")
        expect(audit.get_by_role("button", name="Fire: 1 to settle")).to_be_disabled()
        page.keyboard.press("Escape")
        audit.get_by_role("button", name="Give value").click()
        self.choose(card.get_by_label("Flow: what happens here"), "inflow")
        card.get_by_label("Speed", exact=True).fill("2 mm/s")
        expect(card.get_by_text("= 0.002 m/s")).to_be_visible()
        card.get_by_role("button", name="Keep").click()
        expect(audit.get_by_role("button", name="Fire", exact=True)).to_be_enabled()
        page.keyboard.press("Escape")

    def make_it_small(self):
        """Coarser cells, so that the test takes seconds."""
        page = self.page
        page.get_by_role("tab", name="Stages, grid").click()
        self.keep("Cell size", "0.8 mm")
        expect(page.get_by_text("cell size 0.8 mm", exact=False)).to_be_visible()
        self.keep("At lance", "0.2 mm")
        self.keep("Until", "30 s")
        expect(page.get_by_text("spread until 30 s", exact=False)).to_be_visible()

    def fire_kill_and_resume(self):
        page = self.page
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page.get_by_role("region", name="Run log")).to_contain_text(
            "solving species", timeout=90_000
        )
        run = page.url.rsplit("/", 1)[1]
        path = Path(self.home.name) / "runs" / f"{run}.sqlite"
        file = open_run(path).file
        expect(page.get_by_text("live, step", exact=False)).to_be_visible()
        os.kill(int(file.get("pid")), signal.SIGKILL)
        frames = len(file.frames())
        expect(page.get_by_text("The run was interrupted.")).to_be_visible()
        self.server.kill()
        self.server.wait()
        self.start_server()
        page.reload()
        expect(page.get_by_text("The run was interrupted.")).to_be_visible()
        self.assertEqual(len(file.frames()), frames)
        page.get_by_role("button", name="Resume").click()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        case = open_run(path).file.get("data")
        undisturbed = uk.run(case)
        told = file.get("result")["readouts"]
        for name, number in undisturbed.readouts.items():
            self.assertEqual(told[name]["value"], number.value, name)
        return undisturbed

    def read_a_probe_a_profile_and_export(self, run):
        page = self.page
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_test_id("readout-pressure_drop")).to_be_visible()
        drop = run.readouts["pressure_drop"].value
        self.reaches("readout-pressure_drop", drop, 1e-3 * abs(drop))
        expect(page.get_by_test_id("balance-salt")).to_contain_text("gap")
        box = page.get_by_test_id("picture").bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + box["height"] * 0.47)
        expect(page.get_by_test_id("probe-speed")).to_be_visible()
        page.keyboard.press("s")
        page.mouse.click(box["x"] + box["width"] * 0.15, box["y"] + box["height"] * 0.1)
        page.mouse.click(box["x"] + box["width"] * 0.15, box["y"] + box["height"] * 0.8)
        expect(page.get_by_test_id("profile-numbers")).to_contain_text("values")
        self.choose(page.get_by_label("Field", exact=True), "speed")
        with page.expect_download() as caught:
            page.get_by_role("region", name="Section profile").get_by_role(
                "link", name="CSV", exact=True
            ).click()
        lines = Path(caught.value.path()).read_text().strip().splitlines()
        self.assertTrue(lines[0].startswith("distance [mm],x [mm],y [mm]"))
        self.assertGreater(len(lines), 5)
        before = page.get_by_test_id("frame-time").inner_text()
        page.keyboard.press("ArrowLeft")
        expect(page.get_by_test_id("frame-time")).not_to_have_text(before)
        page.keyboard.press("w")
        expect(page.get_by_test_id("wall-numbers")).to_contain_text("mol/(m2 s) into the vessel")
        steps = page.get_by_label("steps")
        steps.fill("8")
        steps.press("Enter")
        expect(page.get_by_test_id("colour-bar").locator("rect")).to_have_count(9)

    def test_a_case_is_copied_removed_and_put_back(self):
        page = self.page
        page.goto(BASE)
        lance = page.get_by_role("article", name="Salt lance", exact=True)
        expect(lance).to_be_visible()
        demos = len(get("/api/cases"))  # those out of sight are not drawn
        lance.get_by_role("button", name="Copy").click()
        expect(page.get_by_text("Salt lance, copy")).to_be_visible()
        page.get_by_role("article", name="Salt lance, copy").get_by_role(
            "button", name="Remove"
        ).click()
        expect(page.get_by_text(f"{demos} cases")).to_be_visible()
        page.get_by_role("button", name="Put back").click()
        expect(page.get_by_text(f"{demos + 1} cases")).to_be_visible()
        page.get_by_role("button", name="New sheet", exact=True).click()
        page.get_by_role("button", name="Rinse channel").click()
        expect(page.get_by_test_id("title-block")).to_contain_text("Rinse channel")
        self.assertEqual(self.errors, [])

    def give(self, place, kind, value=None):
        page = self.page
        page.locator(f"td[aria-label^='{place}, Flow']").click()
        card = page.get_by_role("region", name=f"{place}, conditions")
        self.choose(card.get_by_label("Flow: what happens here"), kind)
        if value:
            card.get_by_label("Speed", exact=True).fill(value)
        card.get_by_role("button", name="Keep").click()
        page.keyboard.press("Escape")

    def entry(self, label, wanted):
        expect(
            self.page.get_by_role("tabpanel", name="Vessel").get_by_label(label, exact=True)
        ).to_have_value(wanted)

    def test_a_vessel_is_drawn_from_nothing_varied_and_run(self):
        page = self.page
        page.goto(BASE)
        page.get_by_role("button", name="New sheet", exact=True).click()
        page.get_by_role("button", name="Blank sheet").click()
        expect(page.get_by_test_id("title-block")).to_contain_text("Blank sheet")
        page.keyboard.press("r")
        self.drag((0.4, 0.4), (0.5, 0.7))
        self.changed("draw rectangle1")
        expect(page.get_by_role("tab", name="Vessel")).to_have_attribute("data-state", "active")
        typed = page.get_by_role("tabpanel", name="Vessel").get_by_label("X", exact=True)
        before = typed.input_value()
        page.locator("svg.dwg").hover(position={"x": 60, "y": 60})
        page.keyboard.press("ArrowRight")
        self.changed("move rectangle1")
        self.assertNotEqual(typed.input_value(), before)
        page.keyboard.press("o")
        x, y, w, h = self.vessel()
        page.mouse.click(x + 2, y + 0.5 * h)
        self.changed("nozzle on space1 left")
        page.keyboard.press("o")
        page.mouse.click(x + w - 2, y + 0.5 * h)
        self.changed("nozzle on space1 right")
        page.keyboard.press("v")
        self.give("Nozzle1", "inflow", "1 mm/s")
        self.give("Nozzle2", "outflow")
        page.get_by_role("button", name="space1 width: wide").click()
        size = page.get_by_role("dialog", name="Size: space1 width").get_by_role("textbox")
        size.fill("wide + 1")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_be_visible()
        size.fill("wide + 20 mm")
        page.keyboard.press("Enter")
        self.changed("space1 width = wide + 20 mm")
        self.keep_undoing_and_redoing()
        self.vary()
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        run = page.url.rsplit("/", 1)[1]
        done = open_run(Path(self.home.name) / "runs" / f"{run}.sqlite")
        self.assertEqual(done.file.get("variant"), "brisk")
        self.assertLess(done.balance["mass"]["relative"], 1e-6)
        self.assertAlmostEqual(done.case.built.outline.box[2], 0.12)
        self.assertEqual(self.errors, [])

    def test_the_ledger_is_filled_by_keyboard_alone(self):
        page = self.page
        page.goto(BASE)
        page.get_by_role("article", name="Salt lance", exact=True).get_by_role(
            "button"
        ).first.click()
        cells = page.locator("table.ledger")
        expect(cells).to_be_visible()
        page.locator("td[aria-label^='Lance, salt, given']").focus()
        page.keyboard.press("Control+c")
        expect(page.get_by_role("status").filter(has_text="copied: held at")).to_be_visible()
        page.locator("td[aria-label^='Lid, salt, assumed']").focus()
        page.keyboard.press("ArrowDown")
        focused = page.locator("td:focus")
        expect(focused).to_have_attribute("aria-label", re.compile("^Inlet, salt"))
        page.keyboard.press("ArrowUp")
        expect(focused).to_have_attribute("aria-label", re.compile("^Lid, salt"))
        page.keyboard.press("Control+v")
        self.changed("paste into Lid")
        expect(page.locator("td[aria-label^='Lid, salt, given: held at']")).to_be_visible()
        page.locator("td[aria-label^='Floor, salt, assumed']").focus()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Control+v")
        self.changed("paste into 2 places")
        for place in ("Floor", "Riser"):
            expect(page.locator(f"td[aria-label^='{place}, salt, given: held']")).to_be_visible()
        page.keyboard.press("Delete")
        self.changed("as assumed: 2 places")
        expect(page.locator("td[aria-label^='Riser, salt, assumed']")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.locator("td[aria-label^='Riser, salt, given: held']")).to_be_visible()
        page.get_by_role("button", name=re.compile("^[0-9]+ given$")).click()
        expect(page.locator("td[aria-label^='Tread, Flow']")).to_have_count(0)
        page.get_by_role("button", name=re.compile("^[0-9]+ given$")).click()
        expect(page.locator("td[aria-label^='Tread, Flow']")).to_have_count(1)
        page.locator("td[aria-label^='Lance, Flow']").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Lance, conditions")).to_be_visible()
        self.assertEqual(self.errors, [])

    def test_outlines_come_in_and_the_sheet_goes_out(self):
        page = self.page
        page.goto(BASE)
        page.get_by_role("button", name="New sheet", exact=True).click()
        page.get_by_role("button", name="Blank sheet").click()
        ring = "POLYGON ((0 0, 40 0, 40 20, 0 20, 0 0), (10 5, 20 5, 20 15, 10 15, 10 5))"
        files = page.get_by_label("Outline file")
        files.set_input_files(
            {"name": "slot.wkt", "mimeType": "text/plain", "buffer": ring.encode()}
        )
        page.get_by_role("button", name="mm: 40 x 20 mm").click()
        self.changed("outline from slot.wkt")
        case = get("/api/cases/" + page.url.rsplit("/", 1)[1])
        self.assertEqual(set(case["sheet"]["parts"]), {"outline", "outline2"})
        for ending, data in EACH.items():
            files.set_input_files(
                {"name": f"slot.{ending}", "mimeType": "text/plain", "buffer": data}
            )
            page.get_by_role("button", name=re.compile("^(mm|Take it): ")).click()
            self.changed(f"outline from slot.{ending}")
        files.set_input_files({"name": "slot.wkt", "mimeType": "text/plain", "buffer": b"POLY"})
        expect(page.get_by_role("alert")).to_contain_text("cannot be read as .wkt")
        for kind, begins in (("svg", b"<svg"), ("png", b"\x89PNG"), ("pdf", b"%PDF-1.4")):
            with page.expect_download() as caught:
                self.choose(page.get_by_label("Save the sheet as"), kind)
            saved = Path(caught.value.path()).read_bytes()
            self.assertTrue(saved.startswith(begins))
            self.assertGreater(len(saved), 20_000)
        self.assertIn(b"@font-face", self.sheet_as_svg())
        self.assertEqual(self.errors, [])

    def sheet_as_svg(self):
        with self.page.expect_download() as caught:
            self.choose(self.page.get_by_label("Save the sheet as"), "svg")
        return Path(caught.value.path()).read_bytes()

    def keep_undoing_and_redoing(self):
        """All the way back to the blank sheet, and on to where one was."""
        page, undo = self.page, self.page.get_by_role("button", name="Undo", exact=True)
        steps = 0
        while undo.is_enabled():
            text = page.get_by_text("last change:").text_content()
            undo.click()
            expect(page.get_by_text(text, exact=True)).to_have_count(0)
            steps += 1
            if steps > 20:
                break
        self.assertGreaterEqual(steps, 6)
        expect(page.get_by_text("nothing changed yet")).to_be_visible()
        redo = page.get_by_role("button", name="Redo", exact=True)
        for k in range(steps):
            redo.click()
            expect(undo).to_be_enabled()
            if k == steps - 1:
                self.changed("space1 width = wide + 20 mm")
            else:
                page.wait_for_timeout(150)

    def vary(self):
        page = self.page
        strip = self.add_variant("Brisk")
        self.give("Nozzle1", "inflow", "2 mm/s")
        expect(strip).to_contain_text("flow speed 1 mm/s \u2192 2 mm/s")
        strip.get_by_role("button", name="base", exact=True).click()
        expect(page.locator("td[aria-label^='Nozzle1, Flow']")).to_contain_text("1 mm/s in")
        strip.get_by_role("button", name="brisk", exact=True).click()
        expect(page.locator("td[aria-label^='Nozzle1, Flow']")).to_contain_text("2 mm/s in")


if __name__ == "__main__":
    unittest.main()
