"""Read, instrument by instrument: each number on the screen against what the core says."""

import io
import re
import unittest
from pathlib import Path
from unittest.mock import ANY

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get
from underkettle.store.runfile import RunFile


class Read(Screens):
    def setUp(self):
        super().setUp()
        page = self.page
        self.case = self.begin("Steeping tank")
        page.get_by_role("tab", name="Stages, grid").click()
        for label, text, told in (
            ("Cell size", "8 mm", "cell size 8 mm"),
            ("Until", "60 s", "wash until 60 s"),
            ("Frame every", "2 s", "wash frame every 2 s"),
        ):
            self.keep(label, text)
            self.changed(told)
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page).to_have_url(re.compile("/fire/.+/.+"))
        self.run_id = page.url.rsplit("/", 1)[1]
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        page.get_by_role("button", name="Read it").click()
        self.frames = get(f"/api/runs/{self.run_id}/frames")
        self.last = self.frames["frames"][-1]["id"]
        self.box = page.get_by_test_id("picture").first.bounding_box()

    def told(self, what, **query):
        asked = "&".join(f"{k}={v}" for k, v in query.items())
        return get(f"/api/runs/{self.run_id}/{what}?{asked}")

    def at(self, x, y):
        return (self.box["x"] + x * self.box["width"], self.box["y"] + y * self.box["height"])

    def numbers(self, testid):
        text = self.page.get_by_test_id(testid).text_content().replace("−", "-")
        return [float(n) for n in re.findall(r"-?\d+\.?\d*(?:e-?\d+)?", text)]

    def test_every_instrument_says_what_the_core_says(self):
        self.distribution_edge_and_sides()
        self.probes()
        self.arc_and_measured()
        self.formulas_become_fields()
        self.assertEqual(self.errors, [])

    def distribution_edge_and_sides(self):
        page = self.page
        self.choose(page.get_by_label("Field", exact=True), "marker")
        page.get_by_role("tab", name="Box").click()
        page.get_by_role("button", name="Distribution").click()
        core = self.told("distribution/marker", frame=self.last)
        expect(page.get_by_test_id("distribution-numbers")).to_be_visible()
        mean, deviation = self.numbers("distribution-numbers")[:2]
        self.assertAlmostEqual(mean / core["mean"], 1.0, delta=1e-3)
        self.assertAlmostEqual(deviation / core["deviation"], 1.0, delta=6e-3)
        page.get_by_role("button", name="What passes").click()
        x0, y0, x1, y1 = (self.frames[k][e] for k, e in (("x", 0), ("y", 0), ("x", -1), ("y", -1)))
        sides = self.told("balance", x0=x0, y0=y0, x1=x1, y1=y1)["balance"]
        expect(page.get_by_test_id("side-mass-left")).to_be_visible()
        self.assertEqual(self.number("side-mass-left"), 0.0)  # openings are inside of it
        self.assertEqual(sides["mass"]["inflow"]["left"], 0.0)
        page.get_by_role("tab", name="Edge").click()
        page.get_by_role("button", name="As a whole").click()
        self.choose(page.get_by_label("Wall", exact=True), "outlet")
        edge = self.told("edge", frame=self.last, edge="outlet")["values"]["marker"]
        self.reaches("box-mean-marker", edge["mean"], 1e-3 * edge["mean"])
        self.assertAlmostEqual(self.number("box-total-marker") / edge["total"], 1.0, delta=1e-3)

    def probes(self):
        page = self.page
        for x, y in ((0.4, 0.4), (0.6, 0.5)):
            page.keyboard.press("p")
            page.mouse.click(*self.at(x, y))
        plate = page.get_by_role("region", name="Probes")
        row = plate.get_by_role("row").nth(2).get_by_role("cell")
        x, y = (float(row.nth(k).inner_text().replace("−", "-")) / 1e3 for k in (1, 2))
        core = self.told("point/marker", x=x, y=y)
        self.reaches("pin-2", core["value"][-1], 3e-3 * core["value"][-1])
        page.get_by_label("Go to a time, or # and a number").fill("10 s")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("frame-time")).to_have_text("10 s")
        at = core["time"].index(10.0)
        self.reaches("pin-2", core["value"][at], 3e-3 * core["value"][at] + 1e-6)
        with page.expect_download() as caught:
            plate.get_by_role("button", name="CSV").click()
        rows = Path(caught.value.path()).read_text().splitlines()
        self.assertEqual(len(rows), 1 + len(core["time"]))
        self.assertAlmostEqual(float(rows[-1].split(",")[2]) / core["value"][-1], 1.0, delta=3e-3)
        page.keyboard.press("End")

    def arc_and_measured(self):
        page = self.page
        page.keyboard.press("s")
        page.mouse.click(*self.at(0.35, 0.45))
        page.mouse.click(*self.at(0.65, 0.45))
        expect(page.get_by_test_id("profile-numbers")).to_be_visible()
        page.get_by_label("radius").fill("1")
        page.keyboard.press("Enter")
        plate = page.get_by_role("region", name="Section profile")
        expect(plate.get_by_role("alert")).to_contain_text("half their distance")
        page.get_by_label("radius").fill("900")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("profile-numbers")).to_contain_text("200 values")
        with page.expect_download() as caught:
            plate.get_by_role("link", name="CSV").click()
        rows = [r.split(",") for r in Path(caught.value.path()).read_text().splitlines()[1:]]
        curve = np.array([[float(c) for c in r] for r in rows if r[3]])
        radius = np.hypot(np.diff(curve[:, 1]), np.diff(curve[:, 2])).sum()
        self.assertAlmostEqual(radius / (curve[-1, 0] - curve[0, 0]), 1.0, delta=1e-3)
        page.get_by_role("button", name="Measured").click()
        shifted = "\n".join(f"{d / 10}; {1000 * (v + 0.01)}" for d, v in curve[::20][:, [0, 3]])
        page.get_by_label("Measured table").fill(f"x [cm]; c [umol/l]\n{shifted}")
        page.keyboard.press("Escape")
        expect(page.get_by_test_id("misfit")).to_contain_text("rms")
        words = page.get_by_test_id("misfit").text_content().replace("−", "-")
        rms, bias = (
            float(re.search(f"{key} (-?[0-9.e-]+)", words)[1]) for key in ("misfit", "bias")
        )
        self.assertAlmostEqual(rms, 0.01, delta=2e-4)
        self.assertAlmostEqual(bias, -0.01, delta=2e-4)
        plate.get_by_role("button", name="Keep as readout").click()
        self.says(page.get_by_label("Readout", exact=True), "marker_mean_along_a_section")
        data = get(f"/api/cases/{self.case}/file")["readouts"]["marker_mean_along_a_section"]
        self.assertEqual((data["kind"], data["field"], data["arc"]), ("mean", "marker", [ANY] * 5))
        mean = float(np.mean(curve[:, 3]))
        self.reaches("readout-marker_mean_along_a_section", mean, 3e-3 * mean)

    def formulas_become_fields(self):
        page = self.page
        page.get_by_role("tab", name="Formulas").click()
        form = page.get_by_role("region", name="Formulas")
        form.get_by_label("Name", exact=True).fill("Parts")
        form.get_by_label("Formula", exact=True).fill("marker/(3 kg)")
        form.get_by_label("Shown in").fill("ppm")
        form.get_by_role("button", name="Add it").click()
        expect(form.get_by_role("alert")).to_contain_text("does not measure")
        form.get_by_label("Formula", exact=True).fill("marker/(50 kmol/m3)")
        form.get_by_role("button", name="Add it").click()
        self.says(page.get_by_label("Field", exact=True), "parts")
        expect(page.get_by_test_id("colour-bar")).to_contain_text("Parts, ppm")
        page.mouse.move(*self.at(0.5, 0.5))
        expect(page.get_by_test_id("probe-parts")).to_be_visible()
        salt = self.number("probe-marker")
        self.assertAlmostEqual(self.number("probe-parts") / (salt / 50e3 * 1e6), 1.0, delta=2e-3)

    def test_pictures_are_linked_locked_and_handed_out(self):
        page = self.page
        page.get_by_role("group", name="How many pictures").get_by_role(
            "button", name="2", exact=True
        ).click()
        pictures = page.get_by_test_id("picture")
        expect(pictures).to_have_count(2)
        self.says(page.get_by_label("Field", exact=True), "marker")
        self.choose(page.get_by_label("Field of picture 2"), "marker")
        page.keyboard.press("k")
        high = page.get_by_label("high")
        high.fill("0.123")
        high.press("Enter")
        bars = page.get_by_test_id("colour-bar")
        for k in range(2):
            expect(bars.nth(k)).to_contain_text("0.075")
        page.get_by_role("button", name="Log", exact=True).click()
        expect(bars.nth(1)).to_contain_text("logarithmic")
        for key, name in (
            ("l", "lines of equal value"),
            ("a", "arrows, the longest"),
            ("e", "edges in .* colours"),
            ("m", None),
        ):
            page.keyboard.press(key)
            if name:
                expect(page.get_by_role("img", name=re.compile(name)).first).to_be_attached()
        self.choose(page.get_by_label("Of which times, picture 2"), "mean")
        expect(
            page.get_by_role("img", name=re.compile("Marker, mean over time, "))
        ).to_be_attached()
        self.photograph()
        self.hand_out()
        page.keyboard.press("Home")
        self.choose(page.get_by_label("Frames a second"), "30")
        page.keyboard.press(" ")
        expect(page.get_by_test_id("frame-time")).not_to_have_text("settled")
        page.keyboard.press(" ")
        page.get_by_role("group", name="How many pictures").get_by_role(
            "button", name="1", exact=True
        ).click()
        expect(pictures).to_have_count(1)
        self.assertEqual(self.errors, [])

    def photograph(self):
        page = self.page
        image = io.BytesIO()
        Image.new("RGB", (40, 20), (200, 30, 30)).save(image, "PNG")
        page.get_by_role("button", name=re.compile("^Layers")).click()
        page.locator("input[type=file]").set_input_files(
            {"name": "rig.png", "mimeType": "image/png", "buffer": image.getvalue()}
        )
        photo = page.locator("image[aria-label='photograph rig.png']").first
        expect(photo).to_be_attached()
        wide = float(photo.get_attribute("width"))
        width = page.get_by_label("Width", exact=True)
        whole = float(width.input_value())
        width.fill(str(whole / 2))
        width.press("Enter")
        expect(photo).to_have_attribute("width", re.compile(f"^{wide / 2:.3f}"[:5]))
        page.keyboard.press("Escape")

    def hand_out(self):
        page = self.page
        page.get_by_role("button", name="Hand out").click()
        with page.expect_download() as caught:
            page.get_by_role("button", name="PNG").click()
        image = Image.open(caught.value.path())
        seen = page.locator("[data-pictures]").bounding_box()
        self.assertAlmostEqual(image.width, 2 * seen["width"], delta=4)
        colours = {c for _, c in image.convert("RGB").getcolors(10_000_000)}
        self.assertGreater(len(colours), 50)
        with page.expect_download() as caught:
            page.get_by_role("button", name="SVG").click()
        text = Path(caught.value.path()).read_text()
        self.assertEqual((text.count("data:image/png"), "blob:" in text), (4, False))
        page.get_by_label("every").fill("10")
        with page.expect_download(timeout=120_000) as caught:
            page.get_by_role("button", name="GIF").click()
        film = Image.open(caught.value.path())
        self.assertEqual(film.n_frames, -(-len(self.frames["frames"]) // 10))
        with page.expect_download() as caught:
            page.get_by_role("link", name="VTKHDF").click()
        self.assertTrue(Path(caught.value.path()).read_bytes().startswith(b"\x89HDF"))
        expect(page.get_by_test_id("snippet")).to_contain_text("zarr.open_group")
        page.keyboard.press("Escape")

    def test_watches_are_chosen_outputs_too_and_an_end_elsewhere_is_told(self):
        page = self.page
        page.keyboard.press("2")
        page.get_by_role("tab", name="Stages, grid").click()
        kept = page.get_by_role("region", name="What is kept")
        before = kept.get_by_test_id("disk").text_content()
        kept.get_by_role("button", name="Pressure", exact=True).click()
        self.changed("frames hold")
        expect(kept.get_by_test_id("disk")).not_to_have_text(before)
        page.get_by_role("tab", name="Readouts").click()
        page.get_by_role("button", name="Add a readout").click()
        self.changed("new readout")
        name = next(
            n for n in get(f"/api/cases/{self.case}/file")["readouts"] if n.startswith("readout")
        )
        self.choose(page.get_by_label(f"{name}: where"), "line")
        self.changed(f"{name}: along a line")
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page).to_have_url(re.compile("/fire/.+/.+"))
        run = page.url.rsplit("/", 1)[1]
        page.get_by_role("button", name="Watch one more").click()
        self.choose(page.get_by_label("What is watched").last, "pace")
        expect(page.get_by_role("region", name="Elapsed against simulated time")).to_be_visible()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            re.compile("left|took")
        )
        page.keyboard.press("1")
        expect(page.get_by_role("status", name="Notice")).to_contain_text(
            "settled", timeout=120_000
        )
        page.get_by_role("status", name="Notice").get_by_role("button").first.click()
        expect(page).to_have_url(f"{BASE}/read/{self.case}/{run}")
        fields = get(f"/api/runs/{run}/frames")["fields"]
        self.assertNotIn("pressure", fields)
        self.assertIn("marker", fields)
        file = RunFile(Path(self.home.name) / "runs" / f"{run}.sqlite")
        self.assertIn(name, file.get("result")["readouts"])
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
