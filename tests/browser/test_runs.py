"""A run that is held and adjusted, and read with instruments: margin, residence time, history."""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import Screens, get


class Runs(Screens):
    def small_tank(self, end):
        page = self.page
        case = self.begin("Steeping tank")
        page.get_by_role("tab", name="Stages, grid").click()
        size = page.get_by_label("Cell size", exact=True)
        size.fill("8 mm")
        size.press("Enter")
        self.changed("cell size 8 mm")
        until = page.get_by_label("Until", exact=True)
        until.fill(end)
        until.press("Enter")
        self.changed(f"wash until {end}")
        return case

    def fire(self):
        page = self.page
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page).to_have_url(re.compile("/fire/.+/.+"))
        return page.url.rsplit("/", 1)[1]

    def test_a_run_is_held_adjusted_and_kept_as_a_variant(self):
        page = self.page
        case = self.small_tank("500 s")  # long enough to be caught while it runs
        run = self.fire()
        control = page.get_by_role("region", name="Run control")
        expect(control).to_contain_text("of wash")
        page.get_by_role("button", name="Hold", exact=True).click()
        panel = page.get_by_role("region", name="Adjust")
        expect(panel).to_contain_text("of wash")
        speed = panel.get_by_label("Inlet: flow, speed")
        marker = panel.get_by_label("Inlet: marker, concentration")
        expect(speed).to_be_visible()
        marker.fill("3 kg")
        panel.get_by_role("button", name="Adjust and go on").click()
        expect(panel.get_by_role("alert")).to_contain_text("this is a mass")
        marker.fill("0.5 mol/m3")
        panel.get_by_role("button", name="Adjust and go on").click()
        expect(control).to_contain_text("Settled", timeout=120_000)
        expect(page.get_by_role("region", name="Run log")).to_contain_text("Adjusted: Inlet")
        done = get(f"/api/runs/{run}")
        self.assertEqual(len(done["adjusted"]), 1)
        adjusted = page.get_by_role("group", name="Adjusted")
        expect(adjusted).to_contain_text("-> 0.5 mol/m3")
        adjusted.get_by_label("What it became, as a variant").fill("Marked water")
        adjusted.get_by_role("button", name="Keep as variant").click()
        expect(adjusted).to_contain_text("Kept as the variant marked water.")
        data = get(f"/api/cases/{case}")["data"]
        self.assertEqual(
            data["variants"]["marked_water"]["conditions"]["inlet"],
            {"species.marker": {"value": "0.5 mol/m3"}},
        )
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_role("img", name="1 adjustments")).to_be_visible()
        self.assertEqual(self.errors, [])

    def test_a_readout_gets_its_margin_history_and_residence_time(self):
        page = self.page
        self.small_tank("150 s")
        run = self.fire()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        page.get_by_role("button", name="Read it").click()
        page.get_by_role("button", name="Margin", exact=True).click()
        page.get_by_role("button", name="Marker at the outlet").click()
        plate = page.get_by_role("region", name="History of a readout")
        expect(plate.get_by_test_id("history-numbers")).to_contain_text("1 mol/m3")
        plate.get_by_role("button", name="Residence time").click()
        numbers = plate.get_by_test_id("stay-numbers")
        expect(numbers).to_contain_text("tanks in series")
        core = get(f"/api/runs/{run}/stay/leaving")
        expect(numbers).to_contain_text(f"{core['mean']:.4g} s")
        # what has left of the marker, and flow times mean against the open volume
        self.assertGreater(core["recovered"], 0.6)
        self.assertLess(core["volume"], core["open_volume"] * 1.02)
        plate.get_by_role("button", name="Spectrum").click()
        expect(plate.get_by_test_id("spectrum-numbers")).to_contain_text("periods seen")
        expect(page.get_by_role("region", name="Readouts")).to_contain_text(
            re.compile("margins from [0-9]+, [0-9]+, [0-9]+ cells"), timeout=120_000
        )
        told = get(f"/api/runs/{run}")["result"]["readouts"]["left"]
        self.assertGreater(told["margin"], 0)
        expect(page.get_by_test_id("readout-left")).not_to_contain_text("?")
        self.draw_a_box_and_lines(run)
        self.assertEqual(self.errors, [])

    def draw_a_box_and_lines(self, run):
        page = self.page
        picture = page.get_by_test_id("picture").bounding_box()
        page.keyboard.press("b")
        for x, y in ((0.3, 0.3), (0.6, 0.7)):
            page.mouse.click(
                picture["x"] + x * picture["width"], picture["y"] + y * picture["height"]
            )
        plate = page.get_by_role("region", name="Box")
        expect(plate).to_contain_text("ml open")
        frames = get(f"/api/runs/{run}/frames")["frames"]
        size = re.search(r"([0-9.]+) x ([0-9.]+) mm at ([0-9.]+), ([0-9.]+)", plate.text_content())
        wide, high, x, y = (float(v) / 1e3 for v in size.groups())
        core = get(
            f"/api/runs/{run}/box?frame={frames[-1]['id']}&x0={x}&y0={y}&x1={x + wide}"
            f"&y1={y + high}"
        )["values"]["marker"]
        shown = self.number("box-mean-marker")
        self.assertAlmostEqual(shown / core["mean"], 1.0, delta=2e-3)
        page.keyboard.press("l")
        expect(page.get_by_role("img", name="lines of equal value")).to_be_attached()
        page.keyboard.press("v")
        expect(
            page.get_by_role("img", name=re.compile("[1-9][0-9]* lines along the stream"))
        ).to_be_attached()


if __name__ == "__main__":
    unittest.main()
