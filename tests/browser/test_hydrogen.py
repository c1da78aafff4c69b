"""A hydrogen cell from a template: fired over its voltages, its curve read, what takes the voltage laid
one on the other; and a current asked of it that no gas comes for.
"""

import unittest

from playwright.sync_api import expect

from tests.browser.app import Screens, get


class Hydrogen(Screens):
    def test_a_curve_is_fired_and_its_losses_stand_on_each_other(self):
        page = self.page
        self.case = self.begin("Hydrogen cell")
        audit = page.get_by_role("region", name="Audit")
        expect(page.locator("td[aria-label^='Fuel inlet']")).to_contain_text("1.5 times what")

        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        read = {n: r["value"] for n, r in told["readouts"].items()}
        lost = sum(v for n, v in read.items() if n.startswith("to_"))
        self.assertAlmostEqual(read["voltage"], 0.5, places=9)
        self.assertAlmostEqual(read["voltage"] + lost, 1e-3 * read["balance"], places=6)
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-8, name)

        page.get_by_role("region", name="Readouts").get_by_text("Voltage", exact=True).click()
        page.get_by_role("tab", name="History").click()
        plate = page.get_by_role("region", name="History of a readout")
        plate.get_by_role("button", name="Against another").click()
        self.choose(plate.get_by_label("Readout along the axis"), "density")
        expect(plate.get_by_role("button", name="One on the other")).to_have_count(0)
        self.choose(plate.get_by_label("Readouts beside it"), "all")
        pile = plate.get_by_role("button", name="One on the other")
        expect(pile).to_have_attribute("aria-pressed", "true")
        expect(plate).to_contain_text("Lost to lack of gas")
        pile.click()
        expect(pile).to_have_attribute("aria-pressed", "false")
        line = page.get_by_role("separator", name="Between the balance and the instruments")
        tall = plate.bounding_box()["height"]
        line.focus()
        page.keyboard.press("ArrowUp")
        page.keyboard.press("ArrowUp")
        self.assertGreater(plate.bounding_box()["height"], tall + 10)
        self.sound("losses")

        page.keyboard.press("2")
        page.locator("td[aria-label^='Air plate']").click()
        card = page.get_by_role("region", name="Air plate, conditions")
        self.choose(card.get_by_label("What happens here"), "draws per area")
        card.get_by_label("Current over the membrane's area", exact=True).fill("1.6 A/cm2")
        card.get_by_role("button", name="Keep").click()
        page.keyboard.press("Escape")
        expect(audit).to_contain_text("More current is drawn than gas can come for")
        audit.get_by_role("button", name="Draw four fifths of that").click()
        expect(audit).not_to_contain_text("More current is drawn")
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
