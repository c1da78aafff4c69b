"""Percolation: Darcy's law by itself, with what is turned, quick, cut out or given."""

import unittest
from unittest import mock

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BED, BOX, NOZZLES, base
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_solvers
from underkettle.engine.contract import Carrier, Source
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.state import State
from underkettle.phenomena.percolation.seeping import Seeping

ACROSS = {n: {**v, "bore": "20 mm"} for n, v in NOZZLES.items()}
PLAIN = {"kind": "permeable", "porosity": 0.4, "permeability": "1e-9 m2"}
SEEPS = base(
    vessel={"parts": {"box": BOX}, "nozzles": ACROSS},
    phenomena={"percolation": {"density": "1000 kg/m3", "viscosity": "1 mPa s"}, "porous": {}},
    conditions={
        "inlet": {"percolation": {"kind": "inflow", "speed": "1 mm/s"}},
        "outlet": {"percolation": {"kind": "drains"}},
        "space": {"porous": PLAIN},
    },
    stages={"go": {"solve": ["porous", "percolation"], "mode": "steady"}},
    readouts={
        "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"},
        "leaves": {"kind": "through", "quantity": "mass", "place": "outlet"},
    },
)


def told(patch=None):
    return {n: r.value for n, r in uk.run(merge_patch(SEEPS, patch or {})).readouts.items()}


class Percolation(unittest.TestCase):
    def test_an_even_bed_takes_darcys_drop(self):
        """mu u L / K = 40 Pa, and what enters leaves; the hand estimates say the same."""
        found = told()
        self.assertAlmostEqual(found["drop"], 40.0, delta=1e-7)
        self.assertAlmostEqual(found["leaves"], 0.02, delta=1e-9)
        for row in paper_check(Case(SEEPS)).rows:
            self.assertAlmostEqual(row.value / found[row.readout], 1.0, delta=1e-6)

    def test_what_drop_grows_with_the_square(self):
        """And rho B u^2 L = 1000 x 2e6 x 1e-6 x .04 = 80 Pa more."""
        found = told({"conditions": {"space": {"porous": {"inertia": "2e6 1/m"}}}})
        self.assertAlmostEqual(found["drop"], 120.0, delta=1e-5)

    def test_a_pressure_across_an_inertial_bed_passes_what_its_law_says(self):
        """20 Pa over .04 m: u + 2 u^2 = .5 with u in mm/s."""
        found = told(
            {
                "conditions": {
                    "inlet": {"percolation": {"kind": "fed", "pressure": "20 Pa", "speed": None}},
                    "space": {"porous": {"inertia": "2e6 1/m"}},
                }
            }
        )
        speed = (np.sqrt(5) - 1) / 4 * 1e-3
        self.assertAlmostEqual(found["leaves"] / (1000 * speed * 0.02), 1.0, delta=1e-7)

    def test_a_bed_turned_against_the_stream(self):
        """The drop along it, exact, and a pressure that rises across it."""
        turned = {"across": "1e-10 m2", "turned": "30 deg"}
        xx, xy = (
            1e-3 * (0.75 / 1e-9 + 0.25 / 1e-10),
            1e-3 * np.sqrt(3) / 4 * (1 / 1e-9 - 1 / 1e-10),
        )
        found = told(
            {
                "conditions": {
                    "space": {"porous": turned},
                    "outlet": {"percolation": {"pressure": f"{-xy * 1e-3} Pa/m * y"}},
                }
            }
        )
        self.assertAlmostEqual(found["drop"] / (xx * 1e-3 * 0.04), 1.0, delta=1e-4)

    def test_cut_out_and_very_tight_are_the_same(self):
        lens = {
            "vessel": {"parts": {"bed": {**BED, "height": "12 mm"}}},
            "readouts": {"above": {"kind": "point", "field": "speed", "x": "21 mm", "y": "15 mm"}},
        }
        cut = told(merge_patch(lens, {"conditions": {"bed": {"percolation": {"kind": "tight"}}}}))
        tight = {**PLAIN, "permeability": "1e-17 m2"}
        tight = told(merge_patch(lens, {"conditions": {"bed": {"porous": tight}}}))
        for name, value in cut.items():
            self.assertAlmostEqual(tight[name] / value, 1.0, delta=1e-6)

    def test_cells_that_what_is_cut_out_half_covers_hold_what_stands_beside(self):
        """A round hole: no cell is left without matter, and mass closes."""
        hole = {"shape": "circle", "does": "zone", "x": "20 mm", "y": "10 mm", "radius": "5 mm"}
        data = merge_patch(
            SEEPS,
            {
                "vessel": {"parts": {"hole": hole}},
                "conditions": {"hole": {"percolation": {"kind": "tight"}}},
            },
        )
        run = uk.run(data)
        self.assertGreater(run.readouts["drop"].value, 40.0)
        self.assertLess(run.balance["mass"]["relative"], 1e-9)

    def test_what_others_give_leaves(self):
        """A tenth of a gram per second more than enters, booked under its giver."""
        case = Case(SEEPS)
        solvers, state = build_solvers(case), State()
        for solver in solvers.values():
            solver.start(state)
        solver = solvers["percolation"]
        offers = Offers("percolation", case.meetings, solvers, state, {})
        live = solver.mesh.live
        rain = Source(np.where(live, 1e-4 / live.sum(), 0.0))

        def each(kind, of=""):
            return {"rain": rain} if kind is Source else Offers.each(offers, kind, of)

        with mock.patch.object(offers, "each", each):
            solver.relax(state, offers)
        budget = solver.balance(state, 0.0, 0.0)["mass"]
        self.assertAlmostEqual(budget.given["rain"], 1e-4)
        self.assertAlmostEqual(budget.outflow["outlet"], 0.02 + 1e-4, delta=1e-10)
        self.assertLess(budget.relative, 1e-9)

    def test_a_stream_that_holds_stays_the_same_bit_for_bit(self):
        case = Case(SEEPS)
        solvers, state = build_solvers(case), State()
        for solver in solvers.values():
            solver.start(state)
        solver = solvers["percolation"]
        offers = Offers("percolation", case.meetings, solvers, state, {})
        flows = []
        for k in range(3):
            solver.advance(state, float(k), k + 1.0, offers)
            what = case.phenomena["percolation"].provides({})[0]
            self.assertIs(what.kind, Carrier)
            flows.append(solver.offer(what, state).volume.x.copy())
        np.testing.assert_array_equal(flows[1], flows[2])

    def test_a_contrast_of_a_hundred_million(self):
        """Two layers side by side share by their permeabilities."""
        found = told(
            {
                "vessel": {
                    "parts": {
                        "bed": {**BED, "x": "0 mm", "width": "40 mm", "height": "10 mm"},
                    }
                },
                "conditions": {
                    "inlet": {"percolation": {"kind": "fed", "pressure": "1 kPa", "speed": None}},
                    "bed": {"porous": {**PLAIN, "permeability": "1e-17 m2"}},
                },
            }
        )
        exact = 1000 * 1e-9 / 1e-3 * 1e3 / 0.04 * 0.01 * (1 + 1e-8)
        self.assertAlmostEqual(found["leaves"] / exact, 1.0, delta=1e-6)


class Refused(unittest.TestCase):
    def test_percolation_and_flow_cannot_both_claim_a_zone(self):
        data = merge_patch(
            SEEPS, {"phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "1 mPa s"}}}
        )
        found = [f for f in audit(Case(data)) if f.grade == "contradiction"]
        self.assertIn("flow and percolation both offer a stream.", [f.sentence for f in found])

    def test_an_open_zone_is_named_before_the_run(self):
        data = merge_patch(SEEPS, {"conditions": {"space": {"porous": None}}})
        (found,) = [f for f in audit(Case(data)) if f.rule == "nothing stands there"]
        self.assertEqual(found.grade, "stops")
        self.assertEqual(found.cure[0][0], "conditions/space/percolation")

    def test_speeds_that_never_agree_fail_the_step(self):
        with mock.patch.object(Seeping, "_left", lambda *_: (1.0, 1.0)):
            result = uk.run(SEEPS).result
        self.assertEqual(result["status"], "failed")
        self.assertIn("speeds do not agree with pressures", result["message"])


if __name__ == "__main__":
    unittest.main()
