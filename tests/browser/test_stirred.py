"""Two gases that meet in a tee: turbulence from the board, what the audit says, how well they mix."""

import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get


class Mixing(Screens):
    def file(self):
        return get(f"/api/cases/{self.case}/file")

    def read(self, name):
        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        return {n: r["value"] for n, r in told["readouts"].items()}, told

    def test_turned_on_checked_fired_and_compared(self):
        page = self.page
        self.case = self.begin("Duct tee")
        audit = page.get_by_role("region", name="Audit")
        page.get_by_role("tab", name="Values").click()
        self.keep("fast", "8 m/s")
        self.changed("fast = 8 m/s")
        expect(audit).to_contain_text("Hot is above the laminar range")

        page.get_by_label("fast", exact=True).blur()
        page.keyboard.press("b")
        board = page.get_by_role("dialog", name="Board of phenomena")
        entry = board.get_by_role("article", name="Turbulence")
        entry.get_by_role("button", name="Turbulence", exact=True).click()
        expect(board).to_contain_text("3 of ")
        page.keyboard.press("Escape")
        expect(audit).to_contain_text("Turbulence is switched on but no stage solves it.")
        audit.get_by_role("button", name="Solve it in settle").click()
        self.changed("solve it in settle")
        self.assertIn("turbulence", self.file()["stages"]["settle"]["solve"])
        expect(audit).not_to_contain_text("above the laminar range")

        page.get_by_role("tab", name="Readouts").click()
        uneven = self.ask("unevenness", field="temperature", place="outlet", weight="flow")
        reach = self.ask("on", **{"edge field": "y_plus", "place": "run_top"})
        first, told = self.read(uneven)
        self.assertTrue(5 < first[reach] < 150, first[reach])
        self.assertLess(first[uneven], 0.15)
        self.assertLess(told["balance"]["heat"]["relative"], 1e-6)
        self.reaches(f"readout-{uneven}", first[uneven], 1e-3 * first[uneven])

        page.goto(f"{BASE}/set/{self.case}")
        self.add_variant("Narrow side")
        page.get_by_role("tab", name="Values").click()
        self.keep("side", "10 mm")
        self.changed("side = 10 mm")
        second, _ = self.read(uneven)
        self.assertNotAlmostEqual(second[uneven] / first[uneven], 1.0, delta=0.05)
        self.reaches(f"readout-{uneven}", second[uneven], 1e-3 * second[uneven])
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
