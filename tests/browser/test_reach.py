"""What people with other eyes and hands meet: contrast of every text, a name for every control."""

import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens


class Reach(Screens):
    def test_every_text_can_be_read_and_every_control_has_a_name(self):
        page = self.page
        page.goto(BASE)
        expect(page.get_by_role("article").first).to_be_visible()
        self.sound("shelf")
        self.begin("Rinse channel")
        for tab in ("Paper check", "Values", "Vessel", "Stages, grid", "Readouts", "Equations"):
            page.get_by_role("tab", name=tab).click()
            self.sound(tab)
        page.get_by_role("tab", name="Stages, grid").click()
        self.choose(page.get_by_label("settle: mode"), "series")
        self.changed("settle: series")
        self.sound("a series")
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("tab", name="Readouts").click()
        page.get_by_role("button", name="Pressure drop").last.click()
        self.sound("a readout, open")
        page.get_by_role("button", name="Board B").click()
        expect(page.get_by_role("dialog", name="Board of phenomena")).to_be_visible()
        self.sound("board")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Grid G").click()
        page.locator("td[aria-label^='Inlet, Flow']").click()
        expect(page.get_by_role("region", name="Inlet, conditions")).to_be_visible()
        self.sound("card")
        page.keyboard.press("Escape")
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        self.sound("fire")
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_test_id("picture")).to_be_visible()
        page.wait_for_timeout(500)
        self.sound("read")
        page.get_by_role("button", name="Layers").click()
        self.sound("layers")
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
