"""A capacitor from a template: swept, its curve confirmed, fired, read as a loop, laid over another."""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get


class Charging(Screens):
    def test_a_capacitor_is_swept_and_read_as_a_loop(self):
        page = self.page
        self.case = self.begin("Porous capacitor")
        audit = page.get_by_role("region", name="Audit")
        cell = page.locator("td[aria-label^='Driven, carbon']")

        # a voltage that is held: the sweep is told, its curve looked at, and kept
        cell.click()
        card = page.get_by_role("region", name="Driven, conditions")
        self.choose(card.get_by_label("Carbon: what happens here"), "held")
        card.get_by_label("Potential", exact=True).fill("1 V")
        card.get_by_role("button", name="Keep").click()
        expect(cell).to_contain_text("held at 1 V")
        self.choose(card.get_by_label("Carbon: what happens here"), "swept")
        expect(card.get_by_test_id("applied")).to_have_count(0)
        card.get_by_label("Low end", exact=True).fill("0 V")
        card.get_by_label("High end", exact=True).fill("top_voltage")
        card.get_by_label("Rate", exact=True).fill("rate")
        curve = card.get_by_test_id("applied")
        expect(curve.get_by_role("img")).to_have_attribute("aria-label", "Applied from 0 to 1 V")
        expect(curve).to_contain_text("time 0 to 225 s")
        card.get_by_role("button", name="Keep").click()
        expect(cell).to_contain_text("swept from 0 V to")
        page.keyboard.press("Escape")
        expect(audit).to_contain_text("nothing to settle")

        first = self.fired()
        told = get(f"/api/runs/{first}")["result"]
        read = {n: r["value"] for n, r in told["readouts"].items()}
        self.assertAlmostEqual(read["capacitance"], 40.0, delta=0.1)  # mF: two of 80 in a row
        self.assertAlmostEqual(told["readouts"]["current"]["paper"], 0.8, delta=1e-6)
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-8, name)
        self.reaches("readout-capacitance", 40.0, 0.1)

        # twice as fast, in a variant
        page.goto(f"{BASE}/set/{self.case}")
        self.add_variant("Twice as fast")
        page.get_by_role("tab", name="Values").click()
        self.keep("rate", "40 mV/s")
        self.changed("rate = 40 mV/s")
        self.fired()

        page.get_by_role("tab", name="History").click()
        plate = page.get_by_role("region", name="History of a readout")
        plate.get_by_role("button", name="Against another").click()
        self.says(plate.get_by_label("Readout along the axis"), "voltage")
        numbers = page.get_by_test_id("against-numbers")
        expect(numbers).to_contain_text("the last round goes round")
        self.choose(plate.get_by_label("Run laid over"), first)
        expect(numbers).to_contain_text("run 1: the last round goes round")
        areas = [
            float(v) for v in re.findall(r"goes round ([0-9.]+) mA V", numbers.text_content() or "")
        ]
        # a loop of 2 C v over 1 V, less what lags where it turns
        self.assertAlmostEqual(areas[1], 1.6, delta=0.05)
        self.assertAlmostEqual(areas[0] / areas[1], 2.0, delta=0.06)
        whole = plate.get_by_role("button", name="Last round only")
        expect(whole).to_have_attribute("aria-pressed", "true")
        whole.click()
        expect(whole).to_have_attribute("aria-pressed", "false")
        self.sound("loops")
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
