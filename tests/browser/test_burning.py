"""A mixture that keeps account of its heat: cured, asked for on the ledger, fired and read."""

import json
import unittest
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.app import Screens, get

TEMPLATE = Path(__file__).resolve().parents[2] / "demo" / "templates" / "9-burning-speed.json"


class Burning(Screens):
    def test_a_flame_that_burns_against_its_stream(self):
        page = self.page
        data = json.loads(TEMPLATE.read_text())
        data["phenomena"]["flow"] = {"density": "1.12 kg/m3", "viscosity": "18 uPa s"}
        for name, member in data["phenomena"]["mixture"]["members"].items():
            member["diffusivity"] = "1 cm2/s"
            if name == "CO2":
                member.pop("gas")
        data["readouts"] = {}
        self.case = self.put(data)
        audit = page.get_by_role("region", name="Audit")
        expect(audit).to_contain_text("The mixture cannot keep account of its heat.")
        expect(audit).to_contain_text("Nobody says what CO2 is made of.")
        audit.get_by_role("button", name="Go by what they are called").click()
        expect(audit).not_to_contain_text("The mixture cannot keep account of its heat.")
        members = get(f"/api/cases/{self.case}/file")["phenomena"]["mixture"]["members"]
        self.assertEqual(members["CO2"]["gas"], "CO2")
        expect(audit).to_contain_text("The stream does not know what it is made of.")
        audit.get_by_role("button", name="Take them from the mixture").click()
        expect(audit).not_to_contain_text("The stream does not know what it is made of.")
        flow = get(f"/api/cases/{self.case}/file")["phenomena"]["flow"]
        self.assertEqual(flow, {"density": "gas_density", "viscosity": "gas_viscosity"})

        self.case = self.put(json.loads(TEMPLATE.read_text()))
        page.get_by_role("tab", name="Values").click()

        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        paper = told["readouts"]["hottest"]["paper"]
        self.assertAlmostEqual(told["readouts"]["hottest"]["value"] / paper, 1.0, delta=0.02)
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-9, name)
        self.reaches("readout-hottest", told["readouts"]["hottest"]["value"], 2.0)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
