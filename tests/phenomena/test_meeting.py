"""A surface where two conductors meet: series of resistances by hand, charging, and what passes it."""

import copy
import unittest

import numpy as np

from tests.phenomena.cures import found
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch

RT_F = 8.31446261815324 * 298.15 / 96485.33212331
BEFORE = 0.02 / 100.0 + 0.08 / 10.0  # ohm m2, of metal and salt


def two(passage, **more):
    """20 mm of metal and 80 mm of salt, 100 cm2 across: 1 V over .82 ohm and a surface between them."""
    box = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "100 mm", "height": "100 mm"}
    names = {"left": "near", "right": "far", "top": "lid", "bottom": "floor"}
    case = {
        "format": "under-kettle case 1",
        "name": "two that meet",
        "vessel": {
            "depth": "100 mm",
            "parts": {
                "box": {**box, "edges": names},
                "plate": {**box, "does": "zone", "width": "20 mm"},
            },
        },
        "grid": {"size": "10 mm"},
        "phenomena": {
            "charge": {
                "members": {
                    "metal": {"conductivity": "100 S/m"},
                    "salt": {"conductivity": "10 S/m"},
                },
                "passages": {"skin": passage},
            }
        },
        "conditions": {
            "near": {"charge.metal": {"kind": "held", "value": "1 V"}},
            "far": {"charge.salt": {"kind": "held", "value": "0 V"}},
            "plate": {"charge.salt": {"kind": "not here"}},
            "space": {"charge.metal": {"kind": "not here"}},
            "space-plate": {"charge.skin": {"kind": "where they meet"}},
        },
        "stages": {"go": {"solve": ["charge"], "mode": "steady"}},
        "readouts": {
            "current": {"kind": "through", "quantity": "metal", "place": "near", "counts": "in"},
            "out": {"kind": "through", "quantity": "salt", "place": "far"},
            "metal_meets": {"kind": "through", "quantity": "metal", "place": "space-plate"},
            "salt_meets": {"kind": "through", "quantity": "salt", "place": "space-plate"},
            "in_metal": {"kind": "total", "field": "current_heat", "place": "plate"},
            "in_salt": {"kind": "total", "field": "current_heat", "place": "space"},
            "density": {"kind": "mean", "field": "skin_density", "place": "space"},
            "density_in_metal": {"kind": "mean", "field": "skin_density", "place": "plate"},
            "flows": {"kind": "min", "field": "salt_current_x", "place": "space"},
            "flows_metal": {"kind": "min", "field": "metal_current_x", "place": "plate"},
        },
    }
    return merge_patch(case, copy.deepcopy(more))


def through_time(until):
    return {"go": {"solve": ["charge"], "mode": "transient", "until": until}}


class Meets(unittest.TestCase):
    def read(self, case, closes=1e-10):
        run = api.run(case)
        self.assertEqual(run.status, "finished", run.result.get("message"))
        for name, balance in run.balance.items():
            self.assertLess(balance["relative"], closes, name)
        return run, {n: r.value for n, r in run.readouts.items()}

    def test_resistances_in_a_row(self):
        """A quarter of an ohm stands between: 1 V over 1.07 ohm."""
        _, read = self.read(two({"law": "as a resistance", "resistance": "2.5 mohm m2"}))
        current = 1.0 / (100.0 * (BEFORE + 2.5e-3))
        for name, sign in (("current", 1), ("out", 1), ("metal_meets", -1), ("salt_meets", -1)):
            self.assertAlmostEqual(read[name], sign * current, places=12)
        self.assertAlmostEqual(read["density"], current / 0.01, places=9)
        for name in ("flows", "flows_metal"):  # as much in cells beside it as in others
            self.assertAlmostEqual(read[name], current / 0.01, places=9)
        self.assertAlmostEqual(read["in_metal"], current**2 * 0.02, places=12)
        self.assertAlmostEqual(read["in_salt"], current**2 * (0.8 + 0.25), places=12)

    def test_more_surface_than_the_face(self):
        case = two({"law": "as a resistance", "resistance": "2.5 mohm m2"})
        case["conditions"]["space-plate"]["charge.skin"]["share"] = "5"
        current = self.read(case)[1]["current"]
        self.assertAlmostEqual(current, 1.0 / (100.0 * (BEFORE + 5e-4)), places=12)

    def test_a_reaction_either_way_round(self):
        """Exchange 60 A/m2 and eta = 2 RT/F ln 3: 160 A/m2, told from the metal and from the salt."""
        eta = 2.0 * RT_F * np.log(3.0)
        for ends, sign in (({}, 1.0), ({"out_of": "salt", "into": "metal"}, -1.0)):
            case = two(
                {
                    "law": "Butler-Volmer",
                    "exchange": "60 A/m2",
                    "balanced": f"{0.2 * sign} V",
                    **ends,
                }
            )
            case["conditions"]["near"]["charge.metal"]["value"] = (
                f"{160 * BEFORE + eta + 0.2:.15g} V"
            )
            _, read = self.read(case)
            self.assertAlmostEqual(read["current"], 1.6, places=9)
            beside = "density" if sign > 0 else "density_in_metal"
            self.assertAlmostEqual(read[beside], sign * 160.0, places=6)

    def test_a_layer_charges_through_both(self):
        """.82 ohm and .5 F: I = exp(-t/.41 s)/.82."""
        case = two({"capacity": "50 F/m2"}, stages=through_time("1 s"), keep={"watch_every": 1})
        run, _ = self.read(case)
        t, current = run.history("current")
        ohm = 100.0 * BEFORE
        np.testing.assert_allclose(current[1:], np.exp(-t[1:] / (0.5 * ohm)) / ohm, atol=1e-4)

    def test_impedance_of_a_layer_between(self):
        case = two({"law": "as a resistance", "resistance": "10 mohm m2", "capacity": "50 F/m2"})
        case["phenomena"]["charge"] |= {"swings": "near", "frequency": "0.3 1/s"}
        for part in ("real", "imaginary"):
            case["readouts"][part] = {"kind": "on", "field": f"impedance_{part}", "place": "near"}
        _, read = self.read(case)
        z = 100.0 * BEFORE + 1.0 / (1.0 + 2j * np.pi * 0.3 * 0.5)
        self.assertAlmostEqual(read["real"], z.real, places=10)
        self.assertAlmostEqual(read["imaginary"], z.imag, places=10)

    def test_what_it_turns_comes_from_beside_it(self):
        """1.6 A for 10 s dissolve 16 C of metal, two electrons each, and all of it is in the salt."""
        case = two(
            {"law": "Butler-Volmer", "exchange": "60 A/m2", "oxidised": "ions", "electrons": "2"},
            stages={"go": {"solve": ["charge", "species"], "mode": "transient", "until": "10 s"}},
            start={"space": {"species.ions": {"kind": "start", "value": "1 mol/m3"}}},
        )
        case["phenomena"]["species"] = {"members": {"ions": {"diffusivity": "1e-6 m2/s"}}}
        case["conditions"]["near"]["charge.metal"] = {"kind": "carries", "current": "1.6 A"}
        case["phenomena"]["flow"] = {"density": "1000 kg/m3", "viscosity": "1 mPa s"}
        case["conditions"]["plate"] |= {
            "flow": {"kind": "solid"},
            "charge.metal": {"kind": "conducts"},
        }
        case["readouts"]["ions"] = {"kind": "total", "field": "ions", "place": "space"}
        run, read = self.read(case)
        made = 16.0 / (2.0 * 96485.33212331)
        self.assertAlmostEqual(read["ions"] - 8e-4, made, delta=1e-9 * made + 1e-15)
        self.assertAlmostEqual(run.balance["ions"]["given"]["charge"], made, delta=1e-8 * made)

    def test_round_a_wire_it_is_met_along_the_radius(self):
        """1 m of a wire of 20 mm in salt of 100 mm: ln(5)/(2 pi 10 S/m) in the salt, and the skin."""
        case = two({"law": "as a resistance", "resistance": "2.5 mohm m2"})
        case["vessel"] = {
            "parts": {
                "box": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "1 m",
                    "height": "100 mm",
                    "edges": {"left": "near", "right": "other", "top": "far"},
                },
                "plate": {
                    "shape": "rectangle",
                    "does": "zone",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "1 m",
                    "height": "20 mm",
                },
            },
        }
        case["dimension"] = "axisymmetric"
        case["phenomena"]["charge"]["members"]["metal"]["conductivity"] = "1e9 S/m"
        salt = np.log(5.0) / (2.0 * np.pi * 10.0) + 2.5e-3 / (2.0 * np.pi * 0.02)
        errors = []
        for size in ("10 mm", "5 mm", "2.5 mm"):
            case["grid"] = {"size": size}
            current = self.read(case, closes=1e-6)[1]["current"]  # of a metal that loses nothing
            errors.append(abs(current * salt - 1.0))
        self.assertLess(errors[-1], 2e-3)
        self.assertGreater(np.log2(errors[0] / errors[-1]) / 2.0, 1.7)


class Asked(unittest.TestCase):
    def test_a_conductor_that_is_missing_is_told(self):
        case = two({"law": "as a resistance", "resistance": "2.5 mohm m2"})
        case["conditions"]["plate"]["charge.metal"] = {"kind": "not here"}
        said = found(case, "surface where no two conductors meet")
        self.assertEqual(len(said), 1)
        self.assertIn("from metal on one side into salt on the other", said[0].reason)

    def test_it_is_somewhere_where_it_only_meets(self):
        said = [f.rule for f in audit(Case(two({"capacity": "1 F/m2"})))]
        self.assertNotIn("conductor or surface nowhere", said)
        self.assertNotIn("surface where no two conductors meet", said)


if __name__ == "__main__":
    unittest.main()
