"""Reactions on walls: what is left beside them, and that nothing is made of nothing."""

import copy
import unittest

import numpy as np

from tests.phenomena.reacting import DUCT
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.phenomena.reactions.mechanism import as_rates, by_area, read_step
from underkettle.phenomena.reactions.walls import FASTEST, beside

FAINT = np.full(3, 1e-9)


def rates(**values):
    step = read_step({"written": "CO + H2O -> CO2 + H2", "orders": "H2O 0", **values})
    return as_rates([step], ["CO", "H2O", "CO2"])


def left(law, c, films, share=1.0):
    c, films = np.array(c, float)[:, None], np.array(films, float)[:, None]
    one = np.ones(1)
    w, run, _ = beside(law, c, 500.0 * one, share * np.ones((1, 1)), films, 0.0 * one, FAINT)
    return w[:, 0], float(run[0, 0])


class Beside(unittest.TestCase):
    def test_first_order_by_hand(self):
        """k w = h (c - w): w = c h / (h + k)."""
        w, run = left(rates(constant="0.03 m/s"), (2.0, 1.0, 0.0), (0.01, 0.02, 0.04))
        self.assertAlmostEqual(w[0], 0.5)
        self.assertAlmostEqual(run, 0.015)
        self.assertAlmostEqual(w[1], 1.0 - 0.015 / 0.02)
        self.assertAlmostEqual(w[2], 0.015 / 0.04)

    def test_second_order_by_hand(self):
        """k w^2 = h (c - w) with k 1, h 0.1, c 2: 10 w^2 + w - 2 = 0."""
        w, run = left(
            rates(orders="CO 2, H2O 0", constant="1 m4/(mol s)"), (2.0, 9.0, 0.0), (0.1, 0.1, 0.1)
        )
        self.assertAlmostEqual(w[0], (np.sqrt(81.0) - 1.0) / 20.0)
        self.assertAlmostEqual(run, 0.16)

    def test_rough_walls_react_more(self):
        w, _ = left(rates(constant="0.01 m/s"), (2.0, 9.0, 0.0), (0.01, 0.02, 0.04), 3.0)
        self.assertAlmostEqual(w[0], 0.5)

    def test_as_fast_as_it_likes_it_takes_no_more_than_comes(self):
        law = rates(orders="CO 1, H2O 1", constant="1e9 m4/(mol s)")
        w, run = left(law, (2.0, 0.5, 0.0), (0.01, 0.01, 0.01))
        self.assertAlmostEqual(run, 0.005)
        self.assertAlmostEqual(w[0], 1.5)
        self.assertGreaterEqual(w[1], 0.0)
        self.assertLess(w[1], 1e-8)

    def test_slopes_are_what_it_rises_by(self):
        """Of cells, films between included: by differences, concentrations and temperature."""
        law = rates(orders="CO 1.5, H2O 0.5", constant="1e4 m4/(mol s)", activation=5e4)
        c, films = np.array([2.0, 1.0, 0.1])[:, None], np.array([0.01, 0.02, 0.04])[:, None]
        one, share = np.ones(1), np.ones((1, 1))

        def run(c, warm):
            return beside(law, c, warm * one, share, films, 0.0 * one, FAINT)

        _, at, rises = run(c, 500.0)
        for k in range(3):
            more = c.copy()
            more[k] += 1e-5
            risen = (run(more, 500.0)[1] - at)[0, 0] / 1e-5
            self.assertAlmostEqual(rises[0, k, 0], risen, delta=1e-5 * at[0, 0])
        risen = (run(c, 500.01)[1] - at)[0, 0] / 0.01
        self.assertAlmostEqual(rises[0, 3, 0] / risen, 1.0, delta=1e-3)

    def test_what_holds_it_back_may_be_scarce_at_the_wall(self):
        """Of order -1/2 in what is used up: faster at the wall than in the cell."""
        law = rates(orders="CO -0.5, H2O 0", constant="1e-3 (mol/m3)^1.5 m/s")
        w, run = left(law, (4.0, 9.0, 0.0), (0.001, 0.001, 0.001))
        self.assertLess(w[0], 4.0)
        self.assertGreater(run, 1e-3 * 4.0**-0.5)
        self.assertAlmostEqual(run, 1e-3 * (4.0 - w[0]))
        self.assertGreater(FASTEST, 1.0)

    def test_constants_of_areas_are_told_by_their_unit(self):
        one = {"written": "CO + H2O -> CO2 + H2", "orders": "H2O 0"}
        self.assertTrue(by_area({**one, "constant": "1 m/s"}))
        self.assertFalse(by_area({**one, "constant": "1 1/s"}))
        self.assertFalse(by_area({**one, "constant": "what"}))


def duct(**conditions):
    """Nothing runs but the shift, one way, on the upper wall."""
    case = copy.deepcopy(DUCT)
    shift = {
        "written": "CO + H2O -> CO2 + H2",
        "orders": "CO 1, H2O 0",
        "constant": "0.05 m/s",
        "heat": "0 J/mol",
    }
    case["phenomena"]["reactions"] = {"temperature": "600 K", "reactions": {"shift": shift}}
    del case["phenomena"]["heat"], case["start"], case["conditions"]["space"]
    case["conditions"] = {
        **{p: {k: v for k, v in on.items() if k != "heat"} for p, on in DUCT["conditions"].items()},
        "box_top": {"reactions.shift": {"kind": "on the wall"}},
        **conditions,
    }
    for place in ("space", "bed"):
        case["conditions"].pop(place, None)
    case["stages"] = {
        "flow": {"solve": ["flow"], "mode": "steady"},
        "go": {
            "solve": ["species", "reactions"],
            "hold": ["flow"],
            "mode": "steady",
            "aim": 1e-7,
        },
    }
    return case


class Runs(unittest.TestCase):
    def test_the_same_as_a_wall_that_takes_up_one_species(self):
        """A named reaction of first order is what a species' own wall does by a speed."""
        run = api.run(duct())
        other = duct(box_top={"species.CO": {"kind": "reacting wall", "film": "0.05 m/s"}})
        del other["phenomena"]["reactions"]
        other["stages"]["go"]["solve"] = ["species"]
        other["stages"]["go"]["aim"] = 1e-6
        plain = api.run(other)
        mine, theirs = run.field("CO"), plain.field("CO")
        self.assertLess(np.nanmin(mine), 0.17)
        self.assertLess(np.nanmax(np.abs(mine - theirs)), 1e-6)

    def test_it_makes_what_it_uses_up(self):
        run = api.run(duct())
        given = {n: run.balance[n]["given"]["reactions"] for n in ("CO", "CO2", "H2", "H2O")}
        self.assertLess(given["CO"], 0.0)
        for name in ("CO2", "H2"):
            self.assertAlmostEqual(given[name] / given["CO"], -1.0, delta=1e-6)
        self.assertAlmostEqual(given["H2O"] / given["CO"], 1.0, delta=1e-6)

    def test_in_time_elements_are_kept_at_every_step(self):
        case = duct()
        case["stages"] = {
            "go": {
                "solve": ["flow", "species", "reactions"],
                "mode": "transient",
                "until": "0.02 s",
            }
        }
        run = api.run(case)
        given = {n: run.balance[n]["given"]["reactions"] for n in ("CO", "CO2", "H2")}
        self.assertLess(given["CO"], 0.0)
        self.assertAlmostEqual((given["CO"] + given["CO2"]) / given["CO"], 0.0, delta=1e-12)
        self.assertAlmostEqual((given["CO"] + given["H2"]) / given["CO"], 0.0, delta=1e-12)
        self.assertLess(run.balance["CO"]["relative"], 1e-8)

    def test_walls_do_nothing_unless_told(self):
        case = duct(box_top={})
        found = {f.rule for f in audit(Case(case))}
        self.assertIn("reaction that runs nowhere", found)
        self.assertNotIn("reaction that runs nowhere", {f.rule for f in audit(Case(duct()))})

    def test_a_constant_of_volumes_is_refused_on_a_wall(self):
        case = duct()
        case["phenomena"]["reactions"]["reactions"]["shift"]["constant"] = "3 1/s"
        found = [f for f in audit(Case(case)) if f.rule == "unit of a rate constant"]
        self.assertEqual([f.grade for f in found], ["stops"])
        self.assertIn("per area", found[0].reason)


if __name__ == "__main__":
    unittest.main()
