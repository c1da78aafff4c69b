"""A flame from the template: what does not burn is refused, methane cured, fired and read."""

import json
import unittest
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.app import Screens, get

TEMPLATE = Path(__file__).resolve().parents[2] / "demo" / "templates" / "9-flame.json"


class Flaming(Screens):
    def typed(self, label, value):
        field = self.page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")

    def test_methane_in_a_tube(self):
        page = self.page
        self.case = self.put(json.loads(TEMPLATE.read_text()))
        audit = page.get_by_role("region", name="Audit")
        page.get_by_role("tab", name="Values").click()
        self.typed("Burns with", "N2")
        expect(audit).to_contain_text("These two do not burn.")
        expect(audit).to_contain_text("This oxidiser has no oxygen to give.")
        self.typed("Burns with", "air")
        expect(audit).not_to_contain_text("These two do not burn.")
        self.typed("Fuel", "0.5 CH4 + 0.5 N2")
        expect(audit).to_contain_text("The rich side of the flame is taken to equilibrium.")
        audit.get_by_role("button", name="Nothing reacts with less than half the air").click()
        expect(audit).not_to_contain_text("The rich side")
        settings = get(f"/api/cases/{self.case}/file")["phenomena"]["flame"]
        self.assertEqual(settings["richest"], "0.5")

        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        read = {n: r["value"] for n, r in told["readouts"].items()}
        paper = told["readouts"]["hottest"]["paper"]
        self.assertTrue(0.8 * paper < read["hottest"] < paper, (read, paper))
        self.reaches("readout-hottest", read["hottest"], 1.0)
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-8, name)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
