"""A cloth across a duct, from the drawn line to what passes it and what leaks round its end."""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get


class Cloths(Screens):
    def give(self, edge, values):
        """What happens at a screen, on its card."""
        page = self.page
        page.locator("tr", has_text=edge).get_by_text(edge).click()
        card = page.get_by_role("region", name=f"{edge}, conditions")
        kind, numbers = values
        self.choose(card.get_by_label("Thin cloths: what happens here"), kind)
        for label, typed in numbers.items():
            card.get_by_label(label, exact=True).fill(typed)
        card.get_by_role("button", name="Keep").click()

    def draw(self):
        """A screen from the floor to three quarters of the way up."""
        page = self.page
        page.keyboard.press("e")
        left, above, wide, high = self.vessel()
        x = left + 0.5 * wide
        page.mouse.move(x, above + high - 1)
        page.mouse.down()
        page.mouse.move(x + 1, above + 0.25 * high, steps=4)
        page.mouse.up()
        self.changed("draw screen1")
        page.keyboard.press("b")
        board = page.get_by_role("dialog", name="Board of phenomena")
        cloths = board.get_by_role("article", name="Thin cloths")
        cloths.get_by_role("button", name="Thin cloths", exact=True).click()
        expect(board).to_contain_text("2 of ")
        page.keyboard.press("Escape")

    def measure(self):
        """From drops that were measured to the card of the screen."""
        page = self.page
        page.keyboard.press("k")
        sums = page.get_by_role("dialog", name="Side sums")
        sums.get_by_label("Search side sums").fill("measured drop")
        sums.get_by_label("Measured", exact=False).fill("1 mm/s, 3 mPa\n5 mm/s, 15 mPa")
        sums.get_by_label("Thickness").fill("1 mm")
        sums.get_by_label("Viscosity").fill("1 mPa s")
        sums.get_by_label("Density").fill("998 kg/m3")
        # mu L U / dp = 1e-3 x 1e-3 x 1e-3 / 3e-3 m2
        expect(sums.get_by_test_id("sum-permeability")).to_have_text(re.compile("^3.3333e.7"))
        row = sums.locator("tr", has=page.get_by_test_id("sum-permeability"))
        row.get_by_label("Send permeability to").click()
        page.get_by_role("option", name="Screen1: thin cloths, permeability").click()
        expect(sums.get_by_text("sent to Screen1")).to_be_attached()
        page.keyboard.press("Escape")
        self.changed("Screen1: thin cloths, permeability from a side sum")

    def read(self):
        """Fires, and gives the solved numbers by readout."""
        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]["readouts"]
        return [told[n]["value"] for n in self.names]

    def test_from_a_drawn_line_to_what_leaks_round_it(self):
        page = self.page
        self.case = self.begin("Rinse channel")
        self.draw()
        self.give("Screen1", ("layer", {"Thickness": "1 mm", "Permeability": "1 mm2"}))
        self.measure()
        kept = get(f"/api/cases/{self.case}/file")["conditions"]["screen1"]["cloth"]
        self.assertEqual(kept["kind"], "layer")
        self.assertRegex(kept["permeability"], r"^3\.3333\d*e-0?7 m2$")
        page.get_by_role("tab", name="Readouts").click()
        passes = self.ask("through", quantity="mass", place="screen1")
        enters = self.ask("through", quantity="mass", place="outlet")
        drop = self.ask("across", field="pressure", place="screen1")
        self.names = [passes, enters, drop]
        mass, whole, fall = self.read()
        self.reaches(f"readout-{passes}", mass, 1e-3 * mass)
        self.assertAlmostEqual(whole, 998 * 5e-3 * 20e-3, delta=1e-6)
        self.assertLess(mass, 0.75 * whole)  # some of it leaks round the end
        self.assertGreater(mass, 0.05 * whole)
        # what it takes of the pressure is its law at the speed that passes it
        wide = mass / 998 / (0.75 * 20e-3)
        self.assertAlmostEqual(fall / (3.0 * wide), 1.0, delta=0.1)

        page.goto(f"{BASE}/set/{self.case}")
        self.add_variant("No screen")
        self.give("Screen1", ("open", {}))
        row = page.locator("tr", has_text="Screen1")
        expect(row.get_by_text("lets all pass")).to_be_visible()
        bare, whole, fall = self.read()
        self.assertGreater(bare, mass)
        self.assertAlmostEqual(whole, 998 * 5e-3 * 20e-3, delta=1e-6)
        self.assertLess(abs(fall), 1e-3)
        self.reaches(f"readout-{passes}", bare, 1e-3 * bare)  # both stand in Read, one run each
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
