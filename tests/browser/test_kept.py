"""The finder from Read, a picture kept for the case by one click, what was there as a source."""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import BASE, Screens, get

# a patch of dye in still water: nothing comes in, nothing leaves
STILL = {
    "name": "Still dye",
    "vessel": {
        "parts": {
            "dish": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "60 mm",
                "height": "10 mm",
            }
        }
    },
    "grid": {"size": "1 mm"},
    "phenomena": {"species": {"members": {"dye": {"diffusivity": "1e-6 m2/s"}}}},
    "start": {"space": {"species.dye": {"value": "if(x < 20 mm, 3 mol/m3, 0 mol/m3)"}}},
    "stages": {
        "spread": {
            "solve": ["species"],
            "mode": "transient",
            "until": "20 s",
            "frame_every": "5 s",
        }
    },
    "readouts": {"far": {"kind": "mean", "field": "dye", "place": "dish_right"}},
}


class KeptPictures(Screens):
    def setUp(self):
        super().setUp()
        self.case = self.put(STILL)
        self.fired()

    def test_a_picture_is_kept_stands_on_the_card_and_is_read_again(self):
        page = self.page
        # six times longer than tall: stretched by itself
        expect(page.get_by_role("button", name="Stretch X")).to_have_attribute(
            "aria-pressed", "true"
        )
        page.keyboard.press("x")
        page.get_by_label("high", exact=True).fill("2.5")
        page.get_by_label("high", exact=True).press("Enter")
        page.get_by_label("Go to a time, or # and a number").fill("5 s")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("frame-time")).to_have_text("5 s")
        page.keyboard.press("l")
        page.get_by_role("button", name="Picture of this case").click()
        expect(page.get_by_role("button", name="Kept pictures")).to_have_text("1")
        kept = get(f"/api/cases/{self.case}/file")["pictures"]["case"]
        self.assertEqual(
            kept,
            {
                "field": "dye",
                "at": "5 s",
                "high": "2.5 mol/m3",
                "stretched": False,
                "layers": ["lines", "points"],
            },
        )
        # once more, without the lines: what was kept before goes
        page.keyboard.press("l")
        page.get_by_role("button", name="Picture of this case").click()
        expect(page.get_by_role("button", name="Picture of this case")).to_be_visible()
        page.wait_for_timeout(300)
        kept = get(f"/api/cases/{self.case}/file")["pictures"]["case"]
        self.assertEqual(kept["layers"], ["points"])
        page.get_by_role("button", name="Kept pictures").click()
        page.get_by_label("Name of the kept picture").fill("From above")
        page.get_by_role("button", name="Keep it").click()
        expect(page.get_by_role("button", name="Kept pictures")).to_have_text("2")
        self.sound("kept pictures")
        page.keyboard.press("Escape")
        page.keyboard.press("1")
        card = page.get_by_role("article", name="Still dye")
        expect(card.locator("canvas")).to_have_attribute(
            "aria-label", re.compile("^dye of the last run, .* to 2.5 mol/m3$", re.I)
        )
        page.keyboard.press("l")
        self.sound("a list of cases")
        page.keyboard.press("l")
        page.reload()
        page.goto(f"{BASE}/read/{self.case}")
        expect(page.get_by_test_id("frame-time")).to_have_text("5 s")
        expect(page.get_by_label("high", exact=True)).to_have_value("2.5")
        expect(page.get_by_role("button", name="Stretch X")).to_have_attribute(
            "aria-pressed", "false"
        )
        self.assertEqual(self.errors, [])

    def test_what_was_there_at_the_start_is_a_source(self):
        row = self.page.get_by_test_id("balance-dye")
        expect(row).to_contain_text("in: what was there at the start")
        expect(row).to_contain_text("still there")
        told = get(f"/api/cases/{self.case}/runs")[0]["result"]["balance"]["dye"]
        # 20 mm x 10 mm x 1 m at 3 mol/m3
        self.assertAlmostEqual(told["began"], 6e-4, places=9)

    def test_the_finder_reaches_a_value_a_place_and_an_action_from_read(self):
        page = self.page
        for typed, wanted, field in (
            ("diffus", "iffusivity", "1e-6 m2/s"),
            ("until", "ntil", "20 s"),
        ):
            page.keyboard.press("4")
            expect(page.get_by_test_id("picture")).to_be_visible()
            page.keyboard.press("/")
            page.keyboard.type(typed)
            option = page.get_by_role("option").first
            expect(option).to_contain_text(wanted)
            page.keyboard.press("Enter")
            expect(page).to_have_url(f"{BASE}/set/{self.case}")
            page.wait_for_function("wanted => document.activeElement.value === wanted", arg=field)
            page.keyboard.press("Escape")
            page.get_by_test_id("title-block").click()
        page.keyboard.press("4")
        expect(page.get_by_test_id("picture")).to_be_visible()
        page.keyboard.press("/")
        page.keyboard.type("dish right")
        expect(page.get_by_role("option").first).to_contain_text("Dish right")
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Dish right, conditions")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("4")
        expect(page.get_by_test_id("picture")).to_be_visible()
        page.keyboard.press("/")
        page.keyboard.type("equal value")
        expect(page.get_by_role("option").first).to_contain_text("equal value")
        page.keyboard.press("Enter")
        expect(
            page.get_by_role("img", name=re.compile("^[0-9]+ lines of equal value"))
        ).to_be_visible()
        page.keyboard.press("/")
        page.keyboard.type("lid driven")
        expect(page.get_by_role("option").first).to_contain_text("Lid-driven cavity")
        self.sound("finder")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("title-block")).to_contain_text("Lid-driven cavity")
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
