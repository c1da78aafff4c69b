"""Places inside with two sides: screens across a stream, and where two zones meet."""

import copy
import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, GRILLE, PLATES
from tests.phenomena.charged import CELL
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.engine.mesh import Grid, build_mesh, outline_from_rings

SPEED, DENSITY, LOSS = 0.01, 1000.0, 4.0
# an even stream across the whole duct, so that Bernoulli's equation is exact
EVEN = {
    "vessel": {"nozzles": {n: {"bore": "20 mm"} for n in ("inlet", "outlet")}},
    "conditions": {f"box_{s}": {"flow": {"kind": "slip wall"}} for s in ("top", "bottom")},
    "readouts": {
        "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}
    },
}


def square(n=4):
    corners = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    outline = outline_from_rings([(corners, ["wall"] * 4)])
    return Grid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), 2.0), outline


class Faces(unittest.TestCase):
    def test_a_straight_screen_lies_on_its_grid_line(self):
        grid, outline = square()
        line = np.array([[0.5, 0.75], [0.5, 0.25]])
        mesh = build_mesh(grid, outline, {"space": None}, {"cloth": line})
        faces = mesh.divide("cloth")
        self.assertEqual(faces.axis.tolist(), [0, 0])
        np.testing.assert_allclose(faces.x, 0.5)
        np.testing.assert_allclose(faces.y, [0.375, 0.625])
        np.testing.assert_allclose(faces.area, 0.25 * 2.0)
        self.assertEqual(faces.sign.tolist(), [1.0, 1.0])  # along x, whichever way it is drawn

    def test_a_slanted_one_is_followed_in_steps_of_its_own_area(self):
        grid, outline = square(32)
        line = np.array([[0.2, 0.1], [0.8, 0.9]])
        mesh = build_mesh(grid, outline, {"space": None}, {"cloth": line})
        faces = mesh.divide("cloth")
        over = [float((faces.area * faces.sign)[faces.along(axis)].sum()) for axis in (0, 1)]
        # the normal along x is (0.8, -0.6): areas 0.8 and -0.6, times a depth of 2
        np.testing.assert_allclose(over, [1.6, -1.2], atol=2.0 / 32)
        uniform = faces.passing(mesh.open_x[0], np.zeros(mesh.shape[1:]))
        self.assertAlmostEqual(float(uniform.sum()), over[0], places=12)

    def test_zones_meet_where_their_cells_do(self):
        grid, outline = square()
        bed = outline_from_rings([(np.array([[0.5, 0.5], [1.0, 0.5], [1, 1], [0.5, 1]]), [""] * 4)])
        mesh = build_mesh(grid, outline, {"space": None, "bed": bed})
        faces, back = mesh.divide("space-bed"), mesh.divide("bed-space")
        self.assertEqual((faces.along(0).size, faces.along(1).size), (2, 2))
        np.testing.assert_allclose(faces.sign, 1.0)
        np.testing.assert_allclose(back.sign, -1.0)
        with self.assertRaises(KeyError):
            mesh.divide("space-nowhere")


class Screens(unittest.TestCase):
    def drop(self, patch, grid=1.0, mode="transient"):
        stages = {"go": {"mode": mode, "until": "4 s" if mode == "transient" else None}}
        run = uk.run(merge_patch(GRILLE, {**EVEN, "stages": stages, **patch}), grid=grid)
        return run.readouts

    def test_what_it_holds_back_is_lost(self):
        head = 0.5 * DENSITY * SPEED**2
        for mode in ("transient", "steady"):
            with self.subTest(mode):
                told = self.drop({}, mode=mode)
                self.assertAlmostEqual(told["drop"].value / (LOSS * head), 1.0, delta=1e-6)
                self.assertAlmostEqual(
                    told["cloth_passes"].value / (DENSITY * SPEED * 0.02), 1.0, delta=1e-9
                )

    def test_what_it_pushes_with_is_gained(self):
        fan = {"kind": "pushes", "rise": "3 Pa", "loss": None}
        told = self.drop({"conditions": {**EVEN["conditions"], "cloth": {"grille": fan}}})
        self.assertAlmostEqual(told["drop"].value / -3.0, 1.0, delta=1e-6)

    def test_it_evens_out_a_jet(self):
        """What holds back spreads what comes from a nozzle, alike on three grids."""
        jet = {
            "vessel": {
                "nozzles": {n: {"bore": "10 mm"} for n in ("inlet", "outlet")},
                "parts": {"cloth": {"x": "10 mm"}},
            },
            "phenomena": {"flow": {"viscosity": "2 mPa s"}},
            "readouts": {
                "fastest": {"kind": "point", "field": "velocity_x", "x": "14 mm", "y": "10 mm"}
            },
        }
        bare = {"conditions": {"cloth": {"grille": {"loss": 0}}}}
        fast, even = (
            [self.drop({**jet, **more}, grid=g)["fastest"].value for g in (0.5, 1.0, 2.0)]
            for more in (bare, {})
        )
        self.assertGreater(fast[2], 1.5 * even[2])
        for found in (fast, even):
            self.assertLess(abs(found[2] - found[1]), abs(found[1] - found[0]) + 1e-5)
            self.assertAlmostEqual(found[1] / found[2], 1.0, delta=0.03)

    def test_one_that_touches_nothing_is_refused(self):
        for patch, says in (
            ({"x": "60 mm"}, "outside the vessel"),
            ({"x": "40 mm"}, "on a wall"),
        ):
            with self.subTest(says), self.assertRaises(CaseError) as caught:
                Case(merge_patch(GRILLE, {"vessel": {"parts": {"cloth": patch}}}))
            self.assertIn(says, str(caught.exception))
        twin = {**GRILLE["vessel"]["parts"]["cloth"], "y": "5 mm"}
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(GRILLE, {"vessel": {"parts": {"twin": twin}}}))
        self.assertIn("lies on cloth", str(caught.exception))

    def test_it_stands_in_the_ledger(self):
        case = Case(GRILLE)
        self.assertIn(("screen", "cloth"), list(case.rows()))
        self.assertEqual(case.cell("screen", "cloth", "grille").text, "holds back 4 heads")
        bare = Case(merge_patch(GRILLE, {"conditions": {"cloth": None}}))
        self.assertEqual(bare.cell("screen", "cloth", "grille").state, "assumed")
        self.assertIn("does nothing", [f.rule for f in audit(bare)])


SLABS = {
    "format": "under-kettle case 1",
    "name": "slabs",
    "vessel": {
        "parts": {"box": BOX, "far": {**BOX, "does": "zone", "x": "24 mm", "width": "16 mm"}}
    },
    "grid": {"size": "2 mm"},
    "phenomena": {
        "heat": {
            "density": "1000 kg/m3",
            "heat_capacity": "1 kJ/(kg K)",
            "conductivity": "0.6 W/(m K)",
        }
    },
    "conditions": {
        "box_left": {"heat": {"kind": "held temperature", "value": "350 K"}},
        "box_right": {"heat": {"kind": "held temperature", "value": "300 K"}},
        "space-far": {"heat": {"kind": "contact", "film": "50 W/(m2 K)"}},
        "far": {
            "heat": {
                "kind": "solid",
                "conductivity": "16 W/(m K)",
                "density": "8000 kg/m3",
                "heat_capacity": "500 J/(kg K)",
            }
        },
    },
    "stages": {"go": {"solve": ["heat"], "mode": "steady"}},
    "readouts": {
        "passes": {"kind": "through", "quantity": "heat", "place": "space-far"},
        "leaves": {"kind": "through", "quantity": "heat", "place": "box_right"},
    },
}


class Contact(unittest.TestCase):
    """Heat through two slabs that touch with a gap: three resistances in a row."""

    def test_three_resistances_in_a_row(self):
        exact = 50.0 * 0.02 / (0.024 / 0.6 + 1 / 50.0 + 0.016 / 16.0)
        through_time = {"mode": "transient", "until": "6000 s", "longest_step": "200 s"}
        for grid, stage in ((1.0, {}), (2.0, {}), (4.0, {}), (0.5, through_time)):
            told = uk.run(merge_patch(SLABS, {"stages": {"go": stage}}), grid=grid).readouts
            for name in ("passes", "leaves"):
                with self.subTest(grid=grid, readout=name, **stage):
                    self.assertAlmostEqual(told[name].value / exact, 1.0, delta=1e-6)

    def test_it_may_follow_what_is_solved(self):
        law = {"kind": "contact", "film": "20 W/(m2 K) + 1 W/(m2 K2)*(temperature - 300 K)"}
        run = uk.run(merge_patch(SLABS, {"conditions": {"space-far": {"heat": law}}}))
        edge = float(run.field("temperature")[5, 12])  # the cell behind the gap
        film = 20.0 + (edge - 300.0)
        exact = 50.0 * 0.02 / (0.024 / 0.6 + 1 / film + 0.016 / 16.0)
        self.assertAlmostEqual(run.readouts["passes"].value / exact, 1.0, delta=1e-5)

    def test_zones_that_touch_have_no_gap_unless_said(self):
        case = Case(merge_patch(SLABS, {"conditions": {"space-far": None}}))
        cell = case.cell("between", "space-far", "heat")
        self.assertEqual((cell.state, cell.text), ("assumed", "no gap"))
        told = uk.run(case.data).readouts["leaves"].value
        self.assertAlmostEqual(told / (50.0 * 0.02 / (0.04 + 0.001)), 1.0, delta=1e-9)


class Between(unittest.TestCase):
    HELD = {
        "conditions": {"box_right": {"plates": {"kind": "held", "value": "0 V", "exchange": None}}},
        "stages": {"sweep": {"values": ["0.1 V", "0.3 V"]}},
    }

    def test_the_potential_drops_where_zones_meet(self):
        """Ohm's law over what is left: 10 S/m, 20 mm high and 1 m deep, 40 mm long."""
        outlet = {"outlet": {"plates": {"kind": "held", "value": "0 V"}}}
        run = uk.run(
            merge_patch(PLATES, {**self.HELD, "conditions": {**self.HELD["conditions"], **outlet}})
        )
        for frame, applied in zip(run.frames, (0.1, 0.3), strict=True):
            exact = 10.0 * 0.02 / 0.04 * (applied - 0.02)
            self.assertAlmostEqual(frame.readouts["crosses"] / exact, 1.0, delta=1e-9)
        phi = run.field("potential")
        # 0.3 V falls by 7 V/m, and by 20 mV at 24 mm
        self.assertAlmostEqual(float(phi[10, 23]), 0.3 - 7 * 0.0235, places=8)
        self.assertAlmostEqual(float(phi[10, 24]), 0.3 - 7 * 0.0245 - 0.02, places=8)

    def test_where_they_meet_is_a_place(self):
        case = Case(PLATES)
        self.assertEqual([p for on, p in case.rows() if on == "between"], ["space-far"])
        self.assertEqual(case.label("space-far"), "Space to far")
        self.assertEqual(case.facts.borders(), {"space-far": ("space", "far")})
        (line,) = case.borders["space-far"]
        np.testing.assert_allclose(line[:, 0], 0.024)
        np.testing.assert_allclose(sorted(line[:, 1]), [0.0, 0.02], atol=1e-12)

    def test_zones_that_end_a_rounding_apart_meet(self):
        """0.05 + 0.7 + 0.06 and 0.05 + 0.35 + 0.06 + 0.35 are not the same number."""
        data = copy.deepcopy(CELL)
        data["vessel"]["parts"]["cell"]["width"] = "0.86 mm"
        for name, x, wide in (
            ("felt", "0.05 mm + 0.35 mm + 0.06 mm", "0.35 mm"),
            ("foil", "0.05 mm + 2*0.35 mm + 0.06 mm", "0.05 mm"),
        ):
            part = {**CELL["vessel"]["parts"]["felt"], "x": x, "width": wide}
            data["vessel"]["parts"][name] = part
        self.assertEqual(set(Case(data).facts.borders()), {"space-felt", "felt-foil"})


if __name__ == "__main__":
    unittest.main()
