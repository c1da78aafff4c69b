"""A capillary device drawn from nothing: walls told their angles, its mouth filled, fired; the pocket
of air that stays in its well is found, named and counted, and the time it took to fill is read.
"""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get


class Start(Screens):
    def test_what_a_vessel_is_full_of_is_seen_at_once(self):
        """On the half that is solved for: as tall as that, its lower side on the axis. Nothing is
        painted where all begins alike.
        """
        page = self.page
        case = self.open_case("Washed bubble")
        painted = page.get_by_label("gas at the start")
        expect(painted).to_be_visible()
        expect(
            page.get_by_role("status").filter(has_text="Gas at the start: 0 (dark) to 1 (pale)")
        ).to_be_visible()
        grid = get(f"/api/cases/{case}")["grid"]
        box = painted.bounding_box()
        across, tall = (grid[n][-1] - grid[n][0] for n in "xy")
        self.assertAlmostEqual(box["height"] / box["width"], tall / across, delta=0.01)
        self.open_case("Salt lance")
        expect(page.get_by_role("status").filter(has_text="at the start:")).to_have_count(0)


class Comb(Screens):
    def size(self, name, value):
        self.page.get_by_role("button", name=re.compile(f"^{name}:")).click()
        field = self.page.get_by_role("dialog", name=f"Size: {name}").get_by_role("textbox")
        field.fill(value)
        field.press("Enter")
        self.changed(f"{name} = {value}")

    def tool(self, name):
        tools = self.page.get_by_role("toolbar", name="Drawing tools")
        tools.get_by_role("button", name=name, exact=True).click()

    def kept(self, field, value, words):
        field.fill(value)
        field.press("Enter")
        self.changed(words)

    def cell(self, place, column):
        """The conditions of a place, beside the ledger's cell of a column."""
        self.page.locator(f"td[aria-label^='{place}, {column}']").first.click()
        return self.page.get_by_role("region", name=f"{place}, conditions")

    def close(self, card):
        card.get_by_role("button", name="Keep").click()
        self.page.keyboard.press("Escape")

    def draw(self):
        page = self.page
        page.goto(BASE)
        page.get_by_role("button", name="New sheet", exact=True).click()
        page.get_by_role("button", name="Blank sheet").click()
        expect(page.get_by_test_id("title-block")).to_contain_text("Blank sheet")
        self.case = page.url.rsplit("/", 1)[1]
        self.size("space1 width", "2 mm")
        self.size("space1 height", "0.3 mm")
        self.tool("Rectangle")  # below the channel it opens space, whatever was drawn last
        self.drag((0.4, 1.0), (0.7, 1.6))
        self.changed("draw rectangle1")
        panel = page.get_by_role("tabpanel", name="Vessel")
        for label, value in (
            ("X", "0.8 mm"),
            ("Width", "0.6 mm"),
            ("Height", "0.2 mm"),
            ("Y", "-0.2 mm"),
        ):
            field = panel.get_by_label(label, exact=True)
            if field.input_value() != value:
                self.kept(field, value, f"rectangle1 {label.lower()} = {value}")
        for side, end in (("left", 0.002), ("right", 0.998)):
            self.tool("Nozzle")
            x, y, w, h = self.vessel()
            page.mouse.click(x + end * w, y + 0.3 * h)
            self.changed(f"nozzle on space1 {side}")
            number = 1 if side == "left" else 2
            for label, value in (("Bore", "0.3 mm"), ("At", "0.15 mm")):
                field = panel.get_by_label(label, exact=True)
                if field.input_value() != value:
                    self.kept(field, value, f"nozzle{number} {label.lower()} = {value}")
        self.tool("Places")

    def tell_fluids(self):
        page = self.page
        page.keyboard.press("b")
        board = page.get_by_role("dialog", name="Board of phenomena")
        board.get_by_role("article", name="two fluids").get_by_role("button").first.click()
        self.changed("two_fluids on")
        page.keyboard.press("Escape")
        page.get_by_role("tab", name="Values").click()
        panel = page.get_by_role("tabpanel", name="Values")
        for new, old in (("juice", "Fluid"), ("air", "Fluid 2")):
            self.kept(panel.get_by_label("Name of a new fluid"), new, f"new fluid {new}")
            panel.get_by_role("button", name=f"Drop {old}", exact=True).click()
            self.changed(f"drop {old.lower().replace(' ', '_')}")
        for name, density, viscosity in (
            ("Juice", "1050 kg/m3", "5 mPa s"),
            ("Air", "1.2 kg/m3", "18 uPa s"),
        ):
            group = panel.get_by_role("group", name=name, exact=True)
            for label, value in (("Density", density), ("Viscosity", viscosity)):
                self.kept(
                    group.get_by_label(label, exact=True), value, f"{label.lower()} = {value}"
                )
        tension = panel.get_by_label("Surface tension", exact=True)
        self.kept(tension, "40 mN/m", "surface tension = 40 mN/m")
        page.get_by_role("tab", name="Stages, grid").click()
        grid = page.get_by_role("tabpanel", name="Stages, grid").get_by_label(
            "Cell size", exact=True
        )
        self.kept(grid, "0.05 mm", "cell size 0.05 mm")

    def tell_edges(self):
        card = self.cell("Nozzle1", "Flow")
        self.choose(card.get_by_label("Flow: what happens here"), "inflow")
        card.get_by_label("Speed", exact=True).fill("100 mm/s")
        self.choose(card.get_by_label("Two fluids: what happens here"), "carried in")
        card.get_by_label("Share of the first fluid", exact=True).fill("1")
        self.close(card)
        card = self.cell("Nozzle2", "Flow")
        self.choose(card.get_by_label("Flow: what happens here"), "outflow")
        self.close(card)
        for wall, angle in (("Space1 top", "60 deg"), ("Rectangle1 bottom", "110 deg")):
            card = self.cell(wall, "Two fluids")
            self.choose(card.get_by_label("Two fluids: what happens here"), "wall")
            card.get_by_label("Contact angle, in the first fluid", exact=True).fill(angle)
            self.close(card)
            expect(self.page.locator(f"td[aria-label^='{wall}, Two fluids']")).to_contain_text(
                f"met at {angle}"
            )

    def fill(self):
        page = self.page
        page.keyboard.press("f")
        self.drag((-0.04, -0.2), (0.15, 1.2))
        card = page.get_by_role("dialog", name="Fill at the start")
        card.get_by_label("Share of the first fluid").fill("1")
        card.get_by_role("button", name="Fill it").click()
        self.changed("fill a box with 1")
        typed = get(f"/api/cases/{self.case}")["data"]["start"]["space"]["two_fluids"]
        self.assertEqual(typed["kind"], "filled")
        self.assertRegex(typed["value"], r"^if\(.*x < 0\.[0-9]+ mm.* > 0, 1, 0")
        expect(
            page.get_by_role("status").filter(has_text="at the start: 0 (dark) to 1")
        ).to_be_visible()

    def ask_for(self):
        page = self.page
        page.get_by_role("tab", name="Readouts").click()
        full = self.ask("mean", field="juice", place="space")
        pockets = self.ask("listed", listing="drops", sums="how many")
        self.kept(page.get_by_label(f"{pockets}: only"), "air, walls at most", f"{pockets}: only")
        when = self.ask("history", of=full, tells="reached")
        self.kept(page.get_by_label(f"{when}: reference"), "0.6", f"{when}: reference")
        return full, pockets, when

    def test_a_device_is_drawn_filled_and_read(self):
        page = self.page
        self.draw()
        self.tell_fluids()
        self.tell_edges()
        self.fill()
        full, pockets, when = self.ask_for()
        audit = page.get_by_role("region", name="Audit")
        audit.get_by_role("button", name="Solve it in settle").click()
        expect(audit).to_contain_text("A stage at rest follows no interface.")
        audit.get_by_role("button", name=re.compile("^Through time")).click()
        expect(audit).not_to_contain_text("A stage at rest follows no interface.")
        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-9, name)
        readouts = {n: one["value"] for n, one in told["readouts"].items()}
        self.assertEqual(readouts[pockets], 1)
        # .6 of .72 mm2, less what the fill began with, at 30 mm2/s
        self.assertGreater(readouts[full], 0.8)
        begun = 0.3 * float(
            re.search(
                r"x < (0\.[0-9]+) mm",
                get(f"/api/cases/{self.case}")["data"]["start"]["space"]["two_fluids"]["value"],
            )[1]
        )
        self.assertAlmostEqual(readouts[when], (0.6 * 0.72 - begun) / 30.0, delta=2e-4)
        page.get_by_role("tab", name="List").click()
        plate = page.get_by_role("region", name="What is followed one by one")
        plate.get_by_role("button", name="air", exact=True).click()
        plate.get_by_role("button", name="walls at most").click()
        expect(plate.get_by_role("row")).to_have_count(2)
        expect(plate).to_contain_text("rectangle1 bottom")
        expect(
            page.get_by_role("img", name="numbers of drops, bubbles and pockets")
        ).to_be_visible()
        self.sound("pockets")
        plate.get_by_role("button", name="Keep as readout").click()
        self.changed_history(plate)
        self.assertEqual(self.errors, [])

    def changed_history(self, plate):
        """What was listed is a readout now, and the frames of this run tell its history."""
        readouts = get(f"/api/cases/{self.case}/file")["readouts"]
        kept = readouts[list(readouts)[-1]]
        self.assertEqual(
            (kept["kind"], kept["listing"], kept["only"]), ("listed", "drops", "air, walls at most")
        )
        expect(self.page.get_by_role("tab", name="History")).to_have_attribute(
            "data-state", "active"
        )


if __name__ == "__main__":
    unittest.main()
