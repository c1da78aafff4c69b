"""Two fluids from a template: a wall told its angle, tension cured, fired, drops found one by one."""

import csv
import io
import unittest
import urllib.request

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get


class Fluids(Screens):
    def test_a_drop_rises_and_is_followed(self):
        page = self.page
        self.case = self.begin("Drop in a liquid")
        audit = page.get_by_role("region", name="Audit")
        expect(audit).to_contain_text("nothing to settle")
        expect(page.locator("td[aria-label^='Side']").last).to_contain_text("met at 90 deg")

        page.locator("td[aria-label^='Side']").last.click()
        card = page.get_by_role("region", name="Side, conditions")
        card.get_by_label("Contact angle, in the first fluid", exact=True).fill("60 deg")
        card.get_by_role("button", name="Keep").click()
        page.keyboard.press("Escape")
        expect(page.locator("td[aria-label^='Side']").last).to_contain_text("met at 60 deg")
        self.sound("two fluids")

        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-9, name)
        oil = told["readouts"]["oil"]["value"]
        self.assertAlmostEqual(oil, 12.308, delta=0.02)  # ml: 12 mm of 30 x 30, and a drop of 8 mm
        with urllib.request.urlopen(f"{BASE}/api/runs/{run}/export/listings.csv?frame=10") as found:
            text = found.read().decode()
        rows = [row for row in csv.reader(io.StringIO(text)) if row]
        self.assertTrue(any("diameter" in cell for row in rows for cell in row), rows[:3])
        page.get_by_role("button", name="Layers, 1").click()
        expect(page.get_by_role("checkbox", name="What is followed one by one")).to_be_checked()
        self.sound("drops")
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
