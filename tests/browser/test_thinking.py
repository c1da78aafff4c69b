"""The program that thinks along: audit tripped and cured, paper from edit to solved ratio, a taste
that appears and is taken back, a side sum sent into a field.
"""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import Screens, get


class Thinking(Screens):
    def keep(self, label, value):
        field = self.page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")

    def test_a_doubt_is_cured_another_settled_and_reopened(self):
        page = self.page
        case = self.begin("Rinse channel")
        audit = page.get_by_role("region", name="Audit")
        page.get_by_role("tab", name="Values").click()
        page.get_by_label("Name of a new parameter").fill("left_over")
        page.get_by_role("button", name="Add", exact=True).last.click()
        expect(audit).to_contain_text("Nothing uses the parameter left_over.")
        audit.get_by_role("button", name="Drop it").click()
        expect(audit).to_contain_text("nothing to settle")
        page.get_by_role("tab", name="Stages, grid").click()
        self.keep("Cell size", "4 mm")
        expect(audit).to_contain_text("Few cells across")
        doubt = audit.locator("div", has_text="Few cells across Inlet").last
        doubt.get_by_role("button", name="Settle", exact=True).click()
        reason = audit.get_by_label(re.compile("Why it may stand: Few cells across Inlet"))
        reason.fill("only the flow through it matters")
        reason.press("Enter")
        expect(audit).to_contain_text("only the flow through it matters")
        expect(audit).to_contain_text("1 settled")
        kept = get(f"/api/cases/{case}")["data"]["settled"]
        self.assertEqual(list(kept.values()), ["only the flow through it matters"])
        audit.get_by_role("button", name="Reopen").click()
        expect(audit).not_to_contain_text("only the flow through it matters")
        self.assertEqual(self.errors, [])

    def test_paper_is_followed_from_an_edit_to_the_solved_ratio(self):
        page = self.page
        self.begin("Rinse channel")
        before = self.number("paper-pressure_drop")
        page.get_by_role("tab", name="Values").click()
        self.keep("speed", "2.5 mm/s")
        page.get_by_role("tab", name="Paper check").click()
        self.reaches("paper-pressure_drop", 0.5 * before, 0.01 * before)
        page.get_by_role("button", name="Pressure drop").click()
        expect(page.get_by_text("Holds for developed laminar flow", exact=False)).to_be_visible()
        page.get_by_label("Measured", exact=True).fill("7 mPa")
        page.get_by_label("to", exact=True).fill("8 mPa")
        page.get_by_role("button", name="Keep", exact=True).click()
        self.changed("measured: Pressure drop")
        page.get_by_role("region", name="Audit").get_by_role("button", name="Fire").click()
        expect(page.get_by_role("region", name="Run control")).to_contain_text(
            "Settled", timeout=120_000
        )
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_test_id("readout-pressure_drop")).to_be_visible()
        expect(page.get_by_test_id("measured-pressure_drop")).to_contain_text("to")
        page.get_by_role("button", name="2 Set").click()
        expect(page.get_by_test_id("ratio-pressure_drop")).not_to_have_text("\u2013")
        self.assertAlmostEqual(self.number("ratio-pressure_drop"), 1.0, delta=0.1)
        self.assertEqual(self.errors, [])

    def test_a_taste_appears_and_the_next_edit_takes_it_back(self):
        page = self.page
        self.begin("Rinse channel")
        page.keyboard.press("t")
        strip = page.get_by_role("status", name="Taste")
        expect(strip).to_be_visible()
        expect(strip).to_contain_text("not a run", timeout=60_000)
        expect(page.get_by_role("img", name="taste: speed")).to_be_visible()
        tasted = self.number("taste-pressure_drop")
        self.assertAlmostEqual(tasted / self.number("paper-pressure_drop"), 1.0, delta=0.1)
        page.get_by_role("tab", name="Values").click()
        self.keep("speed", "10 mm/s")
        expect(page.get_by_role("img", name="taste: speed")).to_have_count(0)
        page.get_by_role("tab", name="Paper check").click()
        # after a pause it is tasted again, at the new speed
        expect(page.get_by_test_id("taste-pressure_drop")).not_to_have_text("", timeout=60_000)
        self.reaches("taste-pressure_drop", 2 * tasted, 0.2 * tasted)
        page.keyboard.press("Escape")
        expect(page.get_by_role("img", name="taste: speed")).to_have_count(0)
        expect(strip).to_contain_text("three seconds at most")
        self.assertEqual(self.errors, [])

    def test_a_side_sum_is_sent_into_a_field_and_a_relation_kept(self):
        page = self.page
        case = self.begin("Rinse channel")
        page.keyboard.press("k")
        sums = page.get_by_role("dialog", name="Side sums")
        sums.get_by_label("Search side sums").fill("time along")
        sums.get_by_label("Length").fill("span_length")
        sums.get_by_label("Mean speed").fill("speed")
        expect(sums.get_by_test_id("sum-value")).to_have_text("20")
        self.choose(sums.get_by_label("Keep it in the paper check"), "none")
        expect(sums).to_contain_text("kept by itself")
        sums.get_by_label("Search side sums").fill("outflow speed tank")
        sums.get_by_label("Search side sums").fill("speed out of a tank")
        sums.get_by_label("Level above the hole").fill("1 cm")
        expect(sums.get_by_test_id("sum-value")).to_have_text("0.44294")
        sums.get_by_label("Send value to").click()
        page.get_by_role("option", name="parameter speed").click()
        expect(sums.get_by_text("sent to parameter speed")).to_be_attached()
        page.keyboard.press("Escape")
        self.changed("parameter speed from a side sum")
        data = get(f"/api/cases/{case}")["data"]
        self.assertEqual(data["parameters"]["speed"], "0.442945 m/s")
        self.assertEqual(data["papers"]["path_time"]["takes"]["length"], "span_length")
        expect(page.get_by_text("added by hand")).to_be_visible()
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
