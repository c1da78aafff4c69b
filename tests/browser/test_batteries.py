"""A battery plate: records of pulses pasted and fitted, its tabs looked over, shapes taken mid-run."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from tests.browser.app import Screens, get
from tests.phenomena.batteries import KNOWN
from underkettle.sums.pulses import Circuit, respond

AREA, HOLDS = 0.14 * 0.09, 40 * 3600.0
TIMES = (0, 5, 10, 11, 12, 14, 17, 20, 25, 30, 31, 32, 34, 38, 45, 55, 70, 95, 130, 180, 240)


def records(sign):
    """Pulses of 1.2 A drawn for 20 s at three levels, from a known cell."""
    rows = Circuit(KNOWN.levels, KNOWN.scaled(1 / AREA).values).rows
    t = np.array(TIMES, float)
    current = np.where((t >= 10) & (t < 30), -1.2, 0.0)
    lines = ["level [%], time [s], current [A], voltage [V]"]
    for level in (0.3, 0.6, 0.9):
        volts = respond(t, current, level, HOLDS * AREA, rows)
        lines += [
            f"{100 * level:g}, {a:g}, {sign * i:g}, {v:.5f}"
            for a, i, v in zip(t, current, volts, strict=True)
        ]
    return "\n".join(lines)


class Batteries(Screens):
    def test_pulses_are_pasted_and_shapes_taken_while_it_runs(self):
        page = self.page
        case = self.open_case("Cart battery")
        audit = page.get_by_role("region", name="Audit")
        expect(audit).to_contain_text(
            "To look over: Cell: negative on copper, joined by Minus tab (held at 0 V); "
            "positive on aluminium, joined by Plus tab"
        )
        page.get_by_role("tab", name="Values").click()
        page.keyboard.press("w")
        made = page.get_by_test_id("made-of")
        expect(made).to_contain_text("7 pulses; the fit is 1.1 mV off on average")
        expect(made.get_by_role("img")).to_have_count(2)

        # currents that count what is drawn as positive: told, and turned round
        page.get_by_role("button", name="Rows", exact=True).click()
        page.get_by_label("Records of pulses: rows").fill(records(-1.0))
        page.get_by_role("button", name="Take these rows").click()
        page.keyboard.press("Escape")
        page.get_by_role("tab", name="Values").click()
        page.keyboard.press("w")
        expect(audit).to_contain_text("The pulses of cell cannot be used.")
        expect(audit).to_contain_text("currents have the other sign")
        audit.get_by_role("button", name="Change the sign of currents").click()
        self.changed("Change the sign of currents")
        expect(made).to_contain_text("3 pulses; the fit is")
        expect(made).to_contain_text(re.compile(r"At a level of 0\.6: at once 14\d ± "))
        expect(audit).to_contain_text("nothing to settle")
        self.sound("pulses")

        page.keyboard.press("Control+Enter")
        expect(page).to_have_url(re.compile("/fire/.+/.+"))
        run = page.url.rsplit("/", 1)[1]
        control = page.get_by_role("region", name="Run control")
        expect(control).to_contain_text("of rounds")
        page.get_by_role("button", name="Hold", exact=True).click()
        panel = page.get_by_role("region", name="Adjust")
        self.choose(panel.get_by_label("Charge: potentials are solved for"), "by shapes")
        panel.get_by_role("button", name="Adjust and go on").click()
        expect(control).to_contain_text("Settled", timeout=300_000)
        expect(page.get_by_role("region", name="Run log")).to_contain_text("by shapes")
        done = get(f"/api/runs/{run}")
        self.assertEqual(len(done["adjusted"]), 1)
        told = done["result"]
        for name, balance in told["balance"].items():
            self.assertLess(balance["relative"], 1e-8, name)
        level = told["readouts"]["level"]["value"]
        self.assertAlmostEqual(level, 62.585, delta=0.01)  # % of what is drawn from eight tenths
        self.assertEqual(get(f"/api/cases/{case}")["variant"], "")
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_role("img", name="1 adjustments")).to_be_visible()
        self.reaches("readout-level", 62.585, 0.02)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
