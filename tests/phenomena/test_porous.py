"""Porous matter: what it holds back, at any angle, at rest and in time; what is carried through it."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, FLOW, HOT, POROUS
from tests.phenomena.test_steady import misfit
from underkettle import conformance
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.engine.contract import Resistance
from underkettle.engine.operators.drag import Around, Drag
from underkettle.phenomena.porous.matter import Held
from underkettle.sums.porous import woven

DENSITY, VISCOSITY = 1000.0, 0.01  # of the stream in these cases
SLIPS = {f"box_{s}": {"flow": {"kind": "slip wall"}} for s in ("top", "bottom")}
ACROSS = {"nozzles": {n: {"bore": "20 mm"} for n in ("inlet", "outlet")}}


def filled(condition, mode="steady", bed=True, **more):
    """An even stream of 10 mm/s through a box that a bed of 12 mm fills, or that is all bed."""
    place = "bed" if bed else "space"
    parts = {"bed": POROUS["vessel"]["parts"]["bed"]} if bed else {}
    return merge_patch(
        FLOW,
        {
            "vessel": {**ACROSS, "parts": parts},
            "phenomena": {"porous": {}},
            "conditions": {**SLIPS, place: {"porous": condition}},
            "stages": {
                "go": {
                    "solve": ["porous", "flow"],
                    "mode": mode,
                    "until": "2 s" if mode == "transient" else None,
                }
            },
            "readouts": {
                "drop": {
                    "kind": "difference",
                    "field": "pressure",
                    "place": "inlet",
                    "to": "outlet",
                }
            },
            **more,
        },
    )


class Kernels(unittest.TestCase):
    """One velocity on a patch of faces, by hand."""

    def drag(self, slow, fast):
        shape = (5, 5)
        volume, near = np.full(shape, 2.0), np.full(shape, 0.25)
        around = Around(0, volume, near, (2, 2)), Around(1, volume, near, (2, 2))
        drag = Drag(around)
        drag.set(
            *(np.array(t, float).reshape(3, 1, 1) * np.ones((3, *shape)) for t in (slow, fast))
        )
        return drag

    def test_what_is_held_along_the_axes(self):
        """|u| = 5 where u = 3 and v = 4: (10 + 2 x 5) x 3 x volume 2."""
        drag = self.drag((10, 0, 30), (2, 0, 1))
        x, y = drag.forces(np.full((5, 5), 3.0), np.full((5, 5), 4.0))
        self.assertAlmostEqual(x[1, 1], 120.0)
        self.assertAlmostEqual(y[2, 2], 2 * (30 + 5) * 4.0)

    def test_speeds_of_two_times_are_weighed(self):
        drag = self.drag((0, 0, 0), (2, 0, 2))
        now, before = np.full((5, 5), 3.0), np.full((5, 5), 1.0)
        still = np.zeros((5, 5))
        drag.look(now, still, (before, still), (1.5, 0.5))  # 4.5 - .5 = 4
        self.assertAlmostEqual(drag.falls[0][1, 1], 2 * 2 * 4.0)

    def test_turned_axes_couple_the_components(self):
        """(10 u + 5 v) and (5 u + 30 v), times the volume."""
        drag = self.drag((10, 5, 30), (0, 0, 0))
        x, y = drag.forces(np.full((5, 5), 3.0), np.full((5, 5), 4.0))
        self.assertAlmostEqual(x[1, 1], 2 * (30 + 20))
        self.assertAlmostEqual(y[1, 1], 2 * (15 + 120))

    def test_its_slope_is_its_derivative(self):
        drag = self.drag((10, 5, 30), (2, 0.5, 1))
        rng = np.random.default_rng(1)
        u, v, du, dv = (rng.standard_normal((5, 5)) for _ in range(4))
        own = [a.copy() for a in drag.freeze(u, v)]
        told = own[0] * du, own[1] * dv
        drag.add_others(du, dv, told)
        h = 1e-6
        ahead = [a.copy() for a in drag.forces(u + h * du, v + h * dv)]
        behind = drag.forces(u - h * du, v - h * dv)
        for k in (0, 1):
            found = (ahead[k] - behind[k]) / (2 * h)
            np.testing.assert_allclose(told[k][1:3, 1:3], found[1:3, 1:3], rtol=1e-6)

    def test_a_tensor_is_turned(self):
        """A quarter turn swaps the axes; 45 degrees share both and couple by half their difference."""
        slow, _ = Held((1.0, 3.0), (0.0, 0.0), np.pi / 2).tensors((1,))
        np.testing.assert_allclose(slow[:, 0], [3.0, 0.0, 1.0], atol=1e-12)
        slow, _ = Held((1.0, 3.0), (0.0, 0.0), np.pi / 4).tensors((1,))
        np.testing.assert_allclose(slow[:, 0], [2.0, -1.0, 2.0], atol=1e-12)


class HeldBack(unittest.TestCase):
    def test_every_kind_takes_the_drop_of_its_law(self):
        """12 mm at 10 mm/s, by hand."""
        table = {"table": [["5 mm/s", "5 Pa"], ["10 mm/s", "12 Pa"], ["20 mm/s", "32 Pa"]]}
        permeable = {"kind": "permeable", "permeability": "1e-7 m2", "inertia": "2000 1/m"}
        cases = {
            # 150 mu (.6)^2 / (.4^3 d^2) and 1.75 rho .6 / (.4^3 d), d = 2 mm
            "grains": ({"kind": "grains", "grain": "2 mm", "porosity": 0.4}, 253.125 + 9.84375),
            # 64 x .0316228 x 1.056 = 2.137194; mu u L = 1.2e-6
            "fibres": ({"kind": "fibres", "thread": "0.2 mm", "porosity": 0.9}, 64.11582),
            # mu u L / K = 12, rho B u^2 L = 2.4
            "permeable": ({**permeable, "porosity": 0.5}, 14.4),
            # 800 u + 40000 u^2 fits all three
            "measured": (
                {
                    "kind": "measured drop",
                    "measured": table,
                    "thickness": "12 mm",
                    "measured_viscosity": "10 mPa s",
                    "measured_density": "1000 kg/m3",
                    "porosity": 0.5,
                },
                12.0,
            ),
        }
        # four meshes behind each other take four times what one does as a cloth
        thread = {"thread": "0.3 mm", "pitch": "0.9 mm"}
        slow, fast = woven(0.3e-3, 0.9e-3)
        one = 10e-3 * slow * 0.01 + 1000.0 * fast * 0.01**2
        meshes = {"kind": "meshes", **thread, "spacing": "3 mm", "porosity": 0.8}
        cases["meshes"] = meshes, 4 * one
        for kind, (condition, drop) in cases.items():
            with self.subTest(kind):
                run = uk.run(filled(condition))
                self.assertAlmostEqual(run.readouts["drop"].value / drop, 1.0, delta=1e-6)
                (row,) = paper_check(Case(filled(condition))).rows  # the hand estimate beside it
                self.assertAlmostEqual(row.value / drop, 1.0, delta=1e-6)

    def test_in_time_as_at_rest(self):
        turned = {"across": "1e-9 m2", "turned": "40 deg", "permeability": "1e-7 m2"}
        for more in ({"permeability": "1e-7 m2", "inertia": "2000 1/m"}, turned):
            with self.subTest(more):
                condition = {"kind": "permeable", "porosity": 0.5, **more}
                rest = uk.run(filled(condition)).readouts["drop"].value
                time = uk.run(filled(condition, "transient")).readouts["drop"].value
                self.assertAlmostEqual(time / rest, 1.0, delta=1e-3)

    def test_newton_knows_matter_exactly(self):
        for data in (
            POROUS,
            merge_patch(POROUS, {"dimension": "axisymmetric"}),
            filled({"kind": "grains", "grain": "1 mm", "porosity": "0.3 + 5 1/m * y"}),
        ):
            self.assertLess(misfit(data), 1e-9)

    def test_numbers_may_follow_the_place_and_time(self):
        half = {
            "kind": "permeable",
            "porosity": 1.0,
            "permeability": "if(x < 21 mm, 1, 2) * 1e-7 m2",
        }
        drop = uk.run(filled(half)).readouts["drop"].value
        self.assertAlmostEqual(drop / (6.0 + 3.0), 1.0, delta=1e-6)
        later = {"kind": "permeable", "porosity": 1.0, "permeability": "(1 + t / 1 s) * 1e-7 m2"}
        drop = uk.run(filled(later, "transient")).readouts["drop"].value
        self.assertAlmostEqual(drop / 4.0, 1.0, delta=2e-3)

    def test_an_even_bed_in_a_cut_vessel_takes_darcys_drop(self):
        """A round vessel full of grains, on its side: more where it is narrow, and mass closes."""
        data = merge_patch(
            filled({"kind": "permeable", "permeability": "1e-8 m2", "porosity": 0.4}, bed=False),
            {
                "vessel": {
                    "parts": {
                        "rod": {
                            "shape": "circle",
                            "does": "cut",
                            "x": "20 mm",
                            "y": "10 mm",
                            "radius": "5 mm",
                        }
                    }
                },
            },
        )
        run = uk.run(data)
        # potential flow round a rod: blocked as by twice its area in a wide stream
        plain = VISCOSITY * 0.01 * 0.04 / 1e-8
        self.assertGreater(run.readouts["drop"].value, plain * (1 + np.pi * 25 / 800))
        self.assertLess(run.balance["mass"]["relative"], 1e-9)


class InSeries(unittest.TestCase):
    def test_each_value_of_a_series_has_its_own_matter_and_cloth(self):
        """12 mm of 1e-7 and 5e-8 m2, and a cloth of 1 mm of 1e-8 m2: 12 and 24 Pa, and 10."""
        sheet = {"shape": "plate", "does": "screen", "along": "y", "x": "30 mm", "y": "0 mm"}
        data = merge_patch(
            filled({"kind": "permeable", "permeability": "loose", "porosity": 1.0}),
            {
                "parameters": {"loose": "1e-7 m2", "thick": "0.1 * loose / 1e-8 m2 * 1 mm"},
                "vessel": {"parts": {"cloth": {**sheet, "length": "20 mm"}}},
                "phenomena": {"cloth": {}},
                "conditions": {
                    "cloth": {
                        "cloth": {"kind": "layer", "thickness": "thick", "permeability": "1e-8 m2"}
                    }
                },
                "stages": {
                    "go": {
                        "solve": ["porous", "cloth", "flow"],
                        "mode": "series",
                        "control": "loose",
                        "values": ["1e-7 m2", "5e-8 m2"],
                    }
                },
            },
        )
        frames = uk.run(data).frames
        drops = [f.readouts["drop"] for f in frames]
        # the bed takes mu u L / K, the cloth mu u d / k with d as the parameter says
        self.assertAlmostEqual(drops[0] / (12.0 + 10.0), 1.0, delta=1e-6)
        self.assertAlmostEqual(drops[1] / (24.0 + 5.0), 1.0, delta=1e-6)


class Refused(unittest.TestCase):
    def refuse(self, condition, words):
        with self.assertRaises(CaseError) as caught:
            Case(filled(condition))
        self.assertIn(words, str(caught.exception))
        self.assertIn("bed", str(caught.exception))

    def test_bad_numbers_are_named(self):
        grains = {"kind": "grains", "grain": "1 mm"}
        self.refuse({**grains, "porosity": 1.2}, "porosity must not be above 1")
        self.refuse({**grains, "porosity": -0.1}, "porosity must be positive")
        self.refuse({**grains, "porosity": 0.4, "grain": "0 mm"}, "grain size must be positive")
        permeable = {"kind": "permeable", "porosity": 0.4}
        self.refuse({**permeable, "permeability": "-1e-9 m2"}, "permeability must be positive")
        self.refuse(
            {**permeable, "permeability": "1e-9 m2", "inertia": "-1 1/m"}, "must not be negative"
        )

        touch = {"kind": "meshes", "thread": "1 mm", "pitch": "1 mm", "spacing": "3 mm"}
        found = [f for f in audit(Case(filled({**touch, "porosity": 0.8}))) if f.grade == "stops"]
        self.assertIn("The threads touch", found[0].reason)

    def test_a_formula_that_leaves_its_bounds_stops_the_run(self):
        """Before it starts where the audit sees it, else in its first sweep, as failed."""
        wrong = {"kind": "grains", "grain": "1 mm", "porosity": "0.3 + 40 1/m * x"}
        found = [f for f in audit(Case(filled(wrong))) if f.grade == "stops"]
        self.assertIn("The porosity of Bed comes to 1.36 somewhere.", [f.sentence for f in found])
        later = {**wrong, "porosity": "0.3 + 40 1/m * x * t / 1 s"}
        result = uk.run(filled(later, "transient")).result
        self.assertEqual(result["status"], "failed")
        self.assertIn("porosity at bed: its formula gives", result["message"])

    def test_two_that_fill_one_zone_are_a_contradiction(self):
        self.assertFalse(Resistance.adds)


class Carried(unittest.TestCase):
    def test_what_is_carried_keeps_its_balances(self):
        for name in ("heat", "species"):
            self.assertEqual(conformance.balance(name, POROUS), [])
            self.assertEqual(conformance.terms(name, POROUS), [])
        self.assertEqual(conformance.walls("heat", POROUS), [])
        self.assertEqual(conformance.terms("flow", POROUS), [])

    def front(self, **more):
        """Where a front stands that has gone for 2 s through a box full of matter (m), by what
        it has taken up.
        """
        data = filled(
            {"kind": "permeable", "permeability": "1e-7 m2", "porosity": 0.5, **more},
            "transient",
            bed=False,
        )
        brings = {
            "heat": {"kind": "carried in", "value": "310 K"},
            "species.salt": {"kind": "carried in", "value": "1 mol/m3"},
        }
        data = merge_patch(
            data,
            {
                "phenomena": {
                    "heat": {**HOT, "conductivity": "0 W/(m K)"},
                    "species": {"members": {"salt": {"diffusivity": "0 m2/s"}}},
                },
                "conditions": {"inlet": brings},
                "start": {"space": {"heat": {"value": "300 K"}}},
                "stages": {"go": {"solve": ["porous", "flow", "heat", "species"], "until": "1 s"}},
                "readouts": {
                    "warm": {"kind": "mean", "field": "temperature", "place": "space"},
                    "salt": {"kind": "mean", "field": "salt", "place": "space"},
                },
            },
        )
        told = uk.run(data).readouts
        return (told["warm"].value - 300) / 10 * 0.04, told["salt"].value * 0.04

    def test_fronts_go_as_quickly_as_pores_and_solids_let_them(self):
        """10 mm/s for 1 s: salt over the porosity; heat over its share with the solid's."""
        warm, salt = self.front(solid_heat="1000 J/(kg K)", solid_density="2000 kg/m3")
        self.assertAlmostEqual(salt, 0.020, delta=2e-4)
        # .5 x 4e6 + .5 x 2e6 = 3e6 J/(m3 K), where the stream alone holds 4e6
        self.assertAlmostEqual(warm, 0.01 * 4e6 / 3e6, delta=2e-4)

    def test_what_reacts_does_so_in_the_pores(self):
        """Half-way through 40 mm at 10 mm/s over .5: 1 s at .5 1/s leaves exp(-.5)."""
        data = filled(
            {"kind": "permeable", "permeability": "1e-7 m2", "porosity": 0.5},
            bed=False,
        )
        data = merge_patch(
            data,
            {
                "grid": {"size": "0.5 mm"},
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "0 m2/s"}}}},
                "conditions": {
                    "inlet": {"species.salt": {"kind": "carried in", "value": "1 mol/m3"}},
                    "space": {"species.salt": {"kind": "made", "loss": "0.5 1/s"}},
                },
                "stages": {"go": {"solve": ["porous", "flow", "species"]}},
                "readouts": {
                    "left": {"kind": "point", "field": "salt", "x": "20 mm", "y": "10 mm"}
                },
            },
        )
        left = uk.run(data).readouts["left"].value
        self.assertAlmostEqual(left / np.exp(-0.5), 1.0, delta=1e-3)

    def test_age_counts_the_pores_only(self):
        """40 mm at 10 mm/s: 4 s in the open, 2 s where half of it is pores, and 2.8 s beside a bed
        of 12 mm that is; the hand estimate says so.
        """
        bed = {"kind": "permeable", "permeability": "1e-7 m2", "porosity": 0.5}
        for whole, stays in ((True, 2.0), (False, 4.0 - 0.5 * 1.2)):
            data = merge_patch(
                filled(bed, bed=not whole),
                {
                    "phenomena": {"age": {}},
                    "stages": {"go": {"solve": ["porous", "flow", "age"]}},
                    "readouts": {
                        "stays": {
                            "kind": "mean",
                            "field": "age",
                            "place": "outlet",
                            "weight": "flow",
                        }
                    },
                },
            )
            rows = {r.readout: r.value for r in paper_check(Case(data)).rows}
            self.assertAlmostEqual(uk.run(data).readouts["stays"].value, stays, delta=1e-6)
            self.assertAlmostEqual(rows["stays"], stays, delta=1e-9)

    def test_spreading_follows_the_stream(self):
        """A bed between two held values and no diffusion: only what the stream mixes across it."""
        data = filled(
            {
                "kind": "permeable",
                "permeability": "1e-7 m2",
                "porosity": 0.5,
                "spread_along": "0 mm",
                "spread_across": "1 mm",
            },
            bed=False,
        )
        data = merge_patch(
            data,
            {
                "vessel": {"parts": {"box": {**BOX, "width": "400 mm"}}},
                "grid": {"size": "2 mm"},
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "0 m2/s"}}}},
                "conditions": {
                    "inlet": {
                        "species.salt": {"kind": "carried in", "value": "y / 20 mm * 1 mol/m3"}
                    },
                    "box_top": {"species.salt": {"kind": "held value", "value": "1 mol/m3"}},
                    "box_bottom": {"species.salt": {"kind": "held value", "value": "0 mol/m3"}},
                },
                "stages": {"go": {"solve": ["porous", "flow", "species"]}},
                "readouts": {"up": {"kind": "through", "quantity": "salt", "place": "box_top"}},
            },
        )
        told = uk.run(data).readouts["up"].value
        # speed x length x slope x area: .01 x .001 x 50 x .4 per metre of depth, into the vessel
        self.assertAlmostEqual(abs(told) / (0.01 * 0.001 * 50 * 0.4), 1.0, delta=1e-6)


if __name__ == "__main__":
    unittest.main()
