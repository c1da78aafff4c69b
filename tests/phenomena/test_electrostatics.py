"""Electrostatics: plates and charges by hand, conductors that float, and what a case is told."""

import copy
import unittest

import numpy as np

from tests.phenomena.cures import cured, found
from tests.phenomena.statics import BOX, TRIPS
from tests.recorder import Recorder
from underkettle import api
from underkettle.case.model import merge_patch

VACUUM = 8.8541878128e-12


def plates(**conditions):
    """Two plates of 0.01 m2, 10 mm apart; 1 kV between them."""
    return {
        "format": "under-kettle case 1",
        "name": "plates",
        "vessel": {
            "depth": "100 mm",
            "parts": {
                "gap": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "10 mm",
                    "height": "100 mm",
                    "edges": {"left": "earth", "right": "high", "top": "rim", "bottom": "rim"},
                }
            },
        },
        "grid": {"size": "2 mm"},
        "phenomena": {"electrostatics": {}},
        "conditions": {
            "earth": {"electrostatics": {"kind": "held", "value": "0 V"}},
            "high": {"electrostatics": {"kind": "held", "value": "1 kV"}},
            **conditions,
        },
        "stages": {"go": {"solve": ["electrostatics"], "mode": "steady"}},
        "readouts": {
            "charge": {
                "kind": "through",
                "quantity": "electric_flux",
                "place": "high",
                "counts": "in",
            },
            "at": {"kind": "on", "field": "conductor_potential", "place": "high"},
            "energy": {"kind": "total", "field": "field_energy", "place": "space"},
        },
    }


class Plates(unittest.TestCase):
    def read(self, case):
        run = api.run(case)
        return run, {n: r.value for n, r in run.readouts.items()}

    def test_two_plates_by_hand(self):
        run, read = self.read(plates())
        capacity = VACUUM * 0.01 / 0.01
        self.assertAlmostEqual(read["charge"] / (capacity * 1e3), 1.0)
        self.assertAlmostEqual(read["energy"] / (0.5 * capacity * 1e6), 1.0)
        self.assertAlmostEqual(run.readouts["charge"].paper / read["charge"], 1.0)
        np.testing.assert_allclose(run.field("electric_field_x"), -1e5, rtol=1e-6)
        np.testing.assert_allclose(run.field("electric_field_y"), 0.0, atol=1e-3)

    def test_a_plate_that_floats_takes_the_voltage_of_its_charge(self):
        _, read = self.read(plates(high={"electrostatics": {"kind": "floats", "charge": "2 nC"}}))
        self.assertAlmostEqual(read["at"] * VACUUM / 2e-9, 1.0)
        self.assertAlmostEqual(read["charge"] / 2e-9, 1.0)

    def test_charge_on_an_insulator(self):
        """1e-6 C/m2 makes 1e-6/eps0 V/m."""
        case = plates(high={"electrostatics": {"kind": "charged", "surface": "1e-6 C/m2"}})
        run, read = self.read(case)
        self.assertAlmostEqual(read["charge"] / 1e-8, 1.0)
        np.testing.assert_allclose(run.field("electric_field_x"), -1e-6 / VACUUM, rtol=1e-6)
        self.assertAlmostEqual(read["energy"] / (0.5 * 1e-12 / VACUUM * 1e-4), 1.0)

    def test_charge_in_the_volume(self):
        """rho between two earthed plates: phi = rho x (d - x)/(2 eps0); half of it ends on each."""
        case = plates(
            high={"electrostatics": {"kind": "held", "value": "0 V"}},
            space={"electrostatics": {"kind": "holds charge", "density": "1e-3 C/m3"}},
        )
        run, read = self.read(case)
        self.assertAlmostEqual(read["charge"] / (-0.5 * 1e-3 * 1e-4), 1.0)
        self.assertAlmostEqual(run.balance["electric_flux"]["made"] / 1e-7, 1.0)
        middle = float(run.field("electric_potential")[10, 2])
        self.assertAlmostEqual(middle / (1e-3 * 0.005**2 / (2 * VACUUM)), 1.0, delta=0.05)

    def test_glass_takes_less_of_the_voltage(self):
        """Half of the gap of permittivity 4: the capacity is 1/(0.5 + 0.125) times as large."""
        case = plates(slab={"electrostatics": {"kind": "other matter", "permittivity": "4"}})
        case["grid"]["size"] = "1 mm"
        case["vessel"]["parts"]["slab"] = {
            "shape": "rectangle",
            "does": "zone",
            "x": "0 mm",
            "y": "0 mm",
            "width": "5 mm",
            "height": "100 mm",
        }
        self.assertAlmostEqual(self.read(case)[1]["charge"] / (VACUUM * 1e3 * 1.6), 1.0)

    def test_energy_lies_where_the_field_is_whatever_the_cells(self):
        case = plates()
        case["grid"]["refine"] = {
            "near": {"box": ["0 mm", "0 mm", "2 mm", "100 mm"], "size": "0.4 mm", "axis": "x"}
        }
        run, _ = self.read(case)
        self.assertGreater(np.ptp(np.diff(run.case.grid.x)), 1e-4)
        np.testing.assert_allclose(run.field("field_energy"), 0.5 * VACUUM * 1e10, rtol=1e-6)

    def test_what_nothing_fixes_is_told(self):
        case = plates()
        case["conditions"] = {
            "rim": {"electrostatics": {"kind": "held", "value": "0 V"}},
        }
        _, read = self.read(case)
        self.assertAlmostEqual(read["charge"], 0.0)

    def test_every_cure_clears_its_rule(self):
        for rule, patch in TRIPS.items():
            case = merge_patch(copy.deepcopy(BOX), patch)
            for finding in (f for f in found(case, rule) if f.cure):
                self.assertEqual(found(cured(case, finding), rule), [])

    def test_in_time_it_follows_what_is_held(self):
        case = plates(high={"electrostatics": {"kind": "held", "value": "1 kV*t/(1 s)"}})
        case["stages"]["go"] = {"solve": ["electrostatics"], "mode": "transient", "until": "0.5 s"}
        recorder = Recorder()
        run = api.run(case, listeners=[recorder])
        self.assertAlmostEqual(run.readouts["charge"].value / (0.5 * VACUUM * 1e3), 1.0)
        self.assertLess(run.balance["electric_flux"]["relative"], 1e-10)
        self.assertEqual(run.balance["electric_flux"]["unit"], "C s")


if __name__ == "__main__":
    unittest.main()
