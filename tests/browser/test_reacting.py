"""A mechanism of two steps written by hand: refused, cured, set to run in a bed, fired and read."""

import json
import unittest
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.app import Screens, get

TEMPLATE = Path(__file__).resolve().parents[2] / "demo" / "templates" / "9-reactor.json"


def begun():
    """The reactor tube, fed with methane beside carbon monoxide; nothing burns the methane yet."""
    case = json.loads(TEMPLATE.read_text())
    case["name"] = "Two steps"
    members = case["phenomena"]["species"]["members"]
    inlet = case["conditions"]["inlet"]
    for name, value in (("CH4", "0.1 mol/m3"), ("H2O", "0 mol/m3")):
        members[name] = {"diffusivity": "45 mm2/s"}
        inlet[f"species.{name}"] = {"kind": "carried in", "value": value}
    case["parameters"]["enters"] = "470 K"
    case["readouts"]["methane_in"] = {
        **case["readouts"]["brings"],
        "quantity": "CH4",
        "label": "Methane brought",
    }
    case["readouts"]["methane_out"] = {
        **case["readouts"]["leaves"],
        "quantity": "CH4",
        "label": "Methane that leaves",
    }
    case["readouts"]["burnt"] = {
        "kind": "formula",
        "formula": "1 - methane_out/methane_in",
        "label": "Methane burnt",
        "unit": "%",
    }
    case["readouts"]["slip"] = {
        "kind": "formula",
        "formula": "left*8.31446 J/(mol K)*enters/(101325 Pa)",
        "label": "Carbon monoxide, by volume",
        "unit": "ppm",
    }
    return case


class Reacting(Screens):
    def paste(self, place, column, into):
        """What a place does for one reaction, done for another."""
        page = self.page
        page.locator(f"td[aria-label^='{place}, {column}, given']").focus()
        page.keyboard.press("Control+c")
        expect(page.get_by_role("status").filter(has_text="copied")).to_be_visible()
        page.locator(f"td[aria-label^='{place}, {into}, assumed']").focus()
        page.keyboard.press("Control+v")
        self.changed(f"paste into {place}")
        expect(page.locator(f"td[aria-label^='{place}, {into}, given']")).to_be_visible()

    def file(self):
        return get(f"/api/cases/{self.case}/file")["phenomena"]["reactions"]["reactions"]

    def test_two_steps_by_hand(self):
        page = self.page
        self.case = self.put(begun())
        audit = page.get_by_role("region", name="Audit")
        page.get_by_role("tab", name="Values").click()
        page.get_by_label("Name of a new reaction").fill("opening")
        page.get_by_label("Name of a new reaction").press("Enter")
        self.changed("new reaction opening")
        written = page.get_by_label("Written as", exact=True).nth(1)
        written.fill("CH4 + O2 -> CO + 2 H2O")
        written.press("Enter")
        expect(audit).to_contain_text("Reaction opening does not keep its elements.")
        expect(audit).to_contain_text("As it is written, 1 O made each time.")
        audit.get_by_role("button", name="Write CH4 + 1.5 O2 -> CO + 2 H2O").click()
        expect(audit).not_to_contain_text("does not keep its elements")
        self.assertEqual(self.file()["opening"]["written"], "CH4 + 1.5 O2 -> CO + 2 H2O")
        orders = page.get_by_label("Orders", exact=True).nth(1)
        orders.fill("CH4 1, O2 0")
        orders.press("Enter")
        self.changed("orders = CH4 1, O2 0")

        # the unit of its constant must fit
        constant = page.get_by_label("Rate constant", exact=True).nth(1)
        constant.fill("1e8 m3/(mol s)")
        constant.press("Enter")
        expect(audit).to_contain_text("has another unit than its orders want")
        constant.fill("1e8 1/s")
        constant.press("Enter")
        expect(audit).not_to_contain_text("has another unit than its orders want")

        constant.blur()
        self.paste("Space", "burning", "opening")
        self.paste("Bed", "burning", "opening")
        run = self.fired()
        told = get(f"/api/runs/{run}")["result"]
        read = {n: r["value"] for n, r in told["readouts"].items()}
        self.assertTrue(5 < read["burnt"] < 99, read["burnt"])  # %
        self.assertGreater(read["slip"], 0.0)
        self.reaches("readout-burnt", read["burnt"], 0.1)
        self.reaches("readout-slip", read["slip"], 2e-3 * read["slip"])  # ppm
        given = {n: b["given"]["reactions"] for n, b in told["balance"].items() if b.get("given")}
        carbon = given["CH4"] + given["CO"] + given["CO2"]
        hydrogen = 4 * given["CH4"] + 2 * given["H2O"]
        oxygen = 2 * given["O2"] + given["CO"] + 2 * given["CO2"] + given["H2O"]
        for left in (carbon, hydrogen, oxygen):
            self.assertAlmostEqual(left / given["CH4"], 0.0, delta=1e-6)
        self.assertEqual(self.errors, [])

    def test_known_reactions_are_taken_and_followed(self):
        """Hydrogen with radicals out of the library: one step takes it, one cure follows who takes
        part, and one undo each gives both back.
        """
        page = self.page
        self.case = self.put(json.loads(TEMPLATE.read_text()))
        audit = page.get_by_role("region", name="Audit")
        page.get_by_role("tab", name="Values").click()
        page.get_by_role("navigation", name="Values of").get_by_role(
            "button", name="Reactions"
        ).click()
        page.get_by_role("button", name="Known reactions").click()
        page.get_by_role("option", name="Hydrogen, with radicals").click()
        dialog = page.get_by_role("dialog", name="Known reactions")
        expect(dialog).to_contain_text("Li, Zhao, Kazakov & Dryer 2004")
        expect(dialog.get_by_text("H + O2 + M -> HO2 + M")).to_be_visible()
        dialog.get_by_role("button", name="Take these 21 reactions").click()
        self.changed("Hydrogen, with radicals")
        self.assertEqual(len(self.file()), 22)
        follow = audit.get_by_role("button", name="Follow H, O, OH, H2, H2O, HO2 and H2O2")
        follow.click()
        expect(audit).not_to_contain_text("Nobody follows")
        members = get(f"/api/cases/{self.case}/file")["phenomena"]["species"]["members"]
        self.assertIn("H2O2", members)
        page.get_by_role("button", name="Undo").click()
        expect(follow).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(audit).not_to_contain_text("Nobody follows")
        self.assertEqual(list(self.file()), ["burning"])
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
