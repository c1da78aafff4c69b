"""A gas in a vessel that nothing leaves: its pressure rises with what it holds."""

import copy
import json
import unittest
from pathlib import Path

import numpy as np

from tests.phenomena.burning import started
from tests.recorder import Recorder
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.matter.gases import Blend, read_gas
from underkettle.phenomena.mixture.papers import PAPERS
from underkettle.phenomena.mixture.solver import _met

ROOT = Path(__file__).resolve().parents[2]
VESSEL = json.loads((ROOT / "proofs" / "closed_vessel" / "case.json").read_text())
GAS = 8.31446261815324


def vessel(**stage):
    case = copy.deepcopy(VESSEL)
    case["grid"]["size"] = "wide/8"
    case["stages"]["burn"].update(stage)
    return case


def warmed():
    """Nothing burns; both long walls give 20 kW/m2 for a millisecond."""
    case = vessel(until="1 ms", longest_step="0.1 ms")
    case["phenomena"]["reactions"] = None
    case["stages"]["burn"]["solve"] = ["flow", "mixture"]
    flux = {"mixture.heat": {"kind": "heat flux", "flux": "20 kW/m2"}}
    case["conditions"] = {"bomb_top": flux, "bomb_bottom": flux}
    return {**case, "phenomena": {k: v for k, v in case["phenomena"].items() if v is not None}}


class Pressed(unittest.TestCase):
    def test_where_two_tries_meet(self):
        """Of y = 2 + x / 2 it is 4."""
        self.assertEqual(_met([(0.0, 2.0)]), 2.0)
        self.assertAlmostEqual(_met([(0.0, 2.0), (2.0, 3.0)]), 4.0)
        self.assertEqual(_met([(0.0, 2.0), (1.0, 4.0)]), 4.0)  # too steep to be followed

    def test_what_walls_give_is_energy_at_constant_room(self):
        """U rises by what came; heat is balanced, the work of the pressure told beside it."""
        run = api.run(warmed())
        given = 2 * 20e3 * 0.02 * 1e-3  # J, of a metre deep
        self.assertLess(run.balance["heat"]["relative"], 1e-9)
        blend = Blend([read_gas(g) for g in ("CH4", "O2", "N2")])
        parts = [np.full(32, y) for y in (0.03, 0.22, 0.75)]
        warm = run.field("mixture_temperature").ravel()
        mass = run.field("gas_density").ravel() * 0.02 * 0.01 / warm.size
        held = blend.enthalpy(parts, warm)[0] - GAS * warm / blend.molar_mass(parts)
        began = blend.enthalpy(parts, np.full(32, 1300.0))[0] - GAS * 1300.0 / blend.molar_mass(
            parts
        )
        self.assertAlmostEqual(float((mass * (held - began)).sum()) / given, 1.0, delta=1e-3)
        rise = float(run.readouts["pressure"].value) - 101325.0
        self.assertAlmostEqual(
            run.balance["heat"]["given"]["mixture"] / (rise * 0.02 * 0.01), 1.0, delta=1e-6
        )

    def test_what_stands_still_agrees_within_a_step(self):
        """Warmed everywhere alike, a stream is only round-off: no step is taken back for it."""
        told = Recorder()
        api.run(vessel(until="0.1 ms"), listeners=[told])
        self.assertFalse({"back", "failed"} & {kind for kind, _ in told.said})

    def test_what_begins_from_another_grid_takes_its_pressure_over(self):
        coarse, fine = Case(vessel()), vessel()
        fine["grid"]["size"] = "wide/16"
        _, kept = started(coarse)
        kept.fields["mixture.gas_pressure"][:] = 2.0 * 101325.0
        solvers, state = started(Case(fine))
        before = state.numbers["mixture.mass"]
        solvers["mixture"].go_on_from(state, kept, coarse.mesh)
        np.testing.assert_allclose(state.fields["mixture.gas_pressure"], 2.0 * 101325.0)
        self.assertAlmostEqual(state.numbers["mixture.mass"] / before, 2.0)


class Told(unittest.TestCase):
    def test_swelling_finds_room_in_time_only(self):
        rule = "swells in a closed vessel"
        self.assertNotIn(rule, {f.rule for f in audit(Case(vessel()))})
        case = vessel()
        case["stages"]["burn"] = {"solve": ["flow", "mixture", "reactions"], "mode": "steady"}
        self.assertIn(rule, {f.rule for f in audit(Case(case))})
        case = vessel()
        case["phenomena"]["mixture"]["own_heat"] = False
        case["start"]["space"].pop("mixture.heat")
        for name in ("pressure", "temperature"):
            case["readouts"].pop(name)
        self.assertIn(rule, {f.rule for f in audit(Case(case))})

    def test_by_hand(self):
        """Burnt to the end at constant room: 2685.2 K, 2.0929 bar by the energies themselves."""
        case = Case(vessel())
        for name, value in (("temperature", 2685.16), ("pressure", 209287.6)):
            readout = case.facts.readouts()[name]
            found = [e for p in PAPERS if (e := p.compute(case.facts, readout)) is not None]
            self.assertEqual(len(found), 1)
            self.assertAlmostEqual(found[0].value / value, 1.0, delta=1e-6)
            self.assertTrue(found[0].inside)
        open_ = vessel()
        open_["conditions"] = {"bomb_left": {"flow": {"kind": "outflow"}}}
        case = Case(open_)
        readout = case.facts.readouts()["pressure"]
        self.assertFalse([e for p in PAPERS if (e := p.compute(case.facts, readout)) is not None])


if __name__ == "__main__":
    unittest.main()
