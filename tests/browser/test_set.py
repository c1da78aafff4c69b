"""The Set screen: several places at once, levels, sizes typed on the sheet, materials of one's own."""

import re
import unittest

from playwright.sync_api import expect

from tests.browser.app import Screens, get


class Set(Screens):
    def test_several_edges_take_one_condition_from_the_sheet(self):
        page = self.page
        self.begin("Rinse channel")
        sheet = page.locator("svg.dwg")
        rows = get("/api/cases/" + page.url.rsplit("/", 1)[1])["ledger"]["rows"]
        walls = [r for r in rows if r["on"] == "edge" and not r["nozzle"]][:2]
        for k, wall in enumerate(walls):
            spot = (
                sheet.locator(
                    "g.cursor-pointer", has=page.locator(f"title:text-is('{wall['label']}')")
                )
                .last.locator("circle")
                .last.bounding_box()
            )
            if k:
                page.keyboard.down("Shift")
            page.mouse.click(spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
        page.keyboard.up("Shift")
        card = page.get_by_role("region", name=f"{walls[0]['label']}, conditions")
        expect(card).to_contain_text("and 1 more")
        self.choose(card.get_by_label("Flow: what happens here"), "moving wall")
        card.get_by_label("Speed in x", exact=True).fill("1 mm/s")
        card.get_by_role("button", name="Keep").click()
        self.changed("2 places: flow")
        for wall in walls:
            expect(
                page.locator(f"td[aria-label^='{wall['label']}, Flow, given: moves 1 mm/s']")
            ).to_be_visible()
        self.assertEqual(self.errors, [])

    def test_a_level_is_drawn_and_filled(self):
        page = self.page
        case = self.begin("Steeping tank")
        page.keyboard.press("f")
        left, above, _, high = self.vessel()
        y = above + 0.5 * high
        page.mouse.move(left + 20, y)
        page.mouse.down()
        page.mouse.move(left + 200, y + 1, steps=4)
        page.mouse.up()
        fill = page.get_by_role("dialog", name="Fill at the start")
        expect(fill).to_contain_text("below y =")
        fill.get_by_label("Concentration").fill("7 mol/m3")
        fill.get_by_role("button", name="Fill it").click()
        self.changed("fill with 7 mol/m3 up to")
        typed = get(f"/api/cases/{case}")["data"]["start"]["space"]["species.marker"]["value"]
        self.assertRegex(typed, r"^if\(y < [0-9.]+ mm, 7 mol/m3, ")

    def test_a_screen_is_drawn_and_told_what_it_does(self):
        """A phenomenon from outside asks about it; nothing of the page knows that one."""
        page = self.page
        case = self.begin("Rinse channel")
        page.keyboard.press("e")
        left, above, wide, high = self.vessel()
        x = left + 0.5 * wide
        page.mouse.move(x, above + high - 1)
        page.mouse.down()
        page.mouse.move(x + 1, above + 1, steps=4)
        page.mouse.up()
        self.changed("draw screen1")
        expect(page.get_by_text("Screen1 does nothing.")).to_be_visible()
        page.keyboard.press("b")
        board = page.get_by_role("dialog", name="Board of phenomena")
        grille = board.get_by_role("article", name="grille")
        expect(grille).to_contain_text("takes a stream from Flow")
        grille.get_by_role("button", name="grille", exact=True).click()
        expect(board).to_contain_text("2 of ")
        page.keyboard.press("Escape")
        row = page.locator("tr", has_text="Screen1")
        expect(row.get_by_text("lets all pass")).to_be_visible()
        row.get_by_text("Screen1").click()
        card = page.get_by_role("region", name="Screen1, conditions")
        expect(card).to_contain_text("thin screen, 20 mm")
        self.choose(card.get_by_label("grille: what happens here"), "holds")
        card.get_by_label("Loss", exact=True).fill("4")
        card.get_by_role("button", name="Keep").click()
        expect(row.get_by_text("holds back 4 heads")).to_be_visible()
        view = get(f"/api/cases/{case}")
        self.assertEqual(view["sheet"]["edges"]["screen1"]["line"], "screen")
        self.assertEqual(view["places"]["divides"], ["screen1"])
        self.assertEqual(self.errors, [])

    def test_a_screen_is_drawn_slantwise_and_bent(self):
        page = self.page
        case = self.begin("Rinse channel")
        left, above, wide, high = self.vessel()

        def at(x, y):
            return left + x * wide, above + y * high

        page.keyboard.press("e")
        page.mouse.move(*at(0.2, 0.9))
        page.mouse.down()
        page.mouse.move(*at(0.35, 0.1), steps=4)
        page.mouse.up()
        self.changed("draw screen1")
        page.keyboard.press("e")
        for x, y in ((0.6, 0.9), (0.75, 0.5), (0.6, 0.1)):
            page.mouse.click(*at(x, y))
        page.keyboard.press("Enter")
        self.changed("draw screen2")
        parts = get(f"/api/cases/{case}/file")["vessel"]["parts"]
        self.assertEqual(parts["screen1"]["shape"], "line")
        self.assertEqual([len(parts[s]["points"]) for s in ("screen1", "screen2")], [2, 3])
        view = get(f"/api/cases/{case}")
        self.assertEqual(view["places"]["divides"], ["screen1", "screen2"])
        self.assertEqual(len(view["sheet"]["parts"]["screen2"]["outline"]), 3)
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        expect(page.locator("tr", has_text="Screen2")).to_be_visible()
        self.assertEqual(self.errors, [])

    def test_a_corner_is_typed_on_the_sheet(self):
        page = self.page
        case = self.begin("Blank sheet")
        page.keyboard.press("p")
        left, above, wide, high = self.vessel()
        for x, y in ((0.4, 0.4), (0.6, 0.4), (0.5, 0.7)):
            page.mouse.click(left + x * wide, above + y * high)
        page.keyboard.press("Enter")
        self.changed("draw polygon1")
        page.get_by_role("button", name=re.compile("^polygon1 point 2 x: ")).click()
        size = page.get_by_role("dialog", name="Size: polygon1 point 2 x").get_by_role("textbox")
        size.fill("wide/2 + 10 mm")
        page.keyboard.press("Enter")
        self.changed("polygon1 point 2 x = wide/2 + 10 mm")
        points = get(f"/api/cases/{case}")["data"]["vessel"]["parts"]["polygon1"]["points"]
        self.assertEqual((len(points), points[1][0]), (3, "wide/2 + 10 mm"))

    def test_thirty_steps_are_undone_and_redone(self):
        page = self.page
        case = self.begin("Rinse channel")
        page.get_by_role("tab", name="Values").click()
        speeds = [f"{k} mm/s" for k in range(1, 31)]
        field = page.get_by_label("speed", exact=True)
        for speed in speeds:
            field.fill(speed)
            field.press("Enter")
            self.changed(f"speed = {speed}")
        page.locator("svg.dwg").hover(position={"x": 60, "y": 300})
        field.blur()
        for speed in [*reversed(speeds[:-1]), None]:
            page.keyboard.press("Control+z")
            if speed:
                self.changed(f"speed = {speed}")
        expect(page.get_by_text("nothing changed yet")).to_be_visible()
        self.assertEqual(get(f"/api/cases/{case}")["data"]["parameters"]["speed"], "5 mm/s")
        for speed in speeds:
            page.keyboard.press("Control+Shift+z")
            self.changed(f"speed = {speed}")
        self.assertEqual(get(f"/api/cases/{case}")["data"]["parameters"]["speed"], "30 mm/s")
        self.assertEqual(self.errors, [])

    def test_a_material_of_ones_own_is_kept_and_used(self):
        page = self.page
        case = self.begin("Rinse channel")
        page.get_by_role("tab", name="Values").click()
        page.get_by_role("button", name="From the library").click()
        page.get_by_role("button", name="One of your own").click()
        form = page.get_by_role("form", name="Material of your own")
        form.get_by_label("Name").fill("Pressed juice")
        form.get_by_label("Where it is from").fill("bench sheet 4")
        form.get_by_label("Density").fill("1041 kg")
        form.get_by_role("button", name="Keep it").click()
        expect(page.get_by_role("alert")).to_contain_text("this is a mass")
        form.get_by_label("Density").fill("1041 kg/m3")
        form.get_by_role("button", name="Keep it").click()
        page.get_by_role("button", name="Use Pressed juice").click()
        self.changed("Pressed juice at 20 degC")
        data = get(f"/api/cases/{case}")["data"]
        self.assertEqual(data["phenomena"]["flow"]["density"], "1041 kg/m3")
        self.assertEqual(
            data["sources"]["phenomena / flow / density"], "Pressed juice: bench sheet 4"
        )
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
