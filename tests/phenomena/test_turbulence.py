"""Turbulence: its equations by hand, streams at any angle, and what a modeller is told."""

import unittest
from unittest import mock

import numpy as np

from tests.phenomena.stirred import DUCT
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_march
from underkettle.paper.ducts import friction_drop, friction_factor
from underkettle.paper.flow import reynolds
from underkettle.phenomena.turbulence.audit import Duct
from underkettle.phenomena.turbulence.equations import (
    corners,
    cross,
    fill,
    nothing_before,
    out_of_balance,
    sharpen,
    strain,
    take_in,
)
from underkettle.phenomena.turbulence.sst import look

STEADY = {
    "stages": {
        "go": {"solve": ["flow", "turbulence"], "mode": "steady"},
        "warm": {"solve": ["heat"], "hold": ["flow", "turbulence"], "mode": "steady"},
    },
    "readouts": {
        "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"},
        "reach": {"kind": "on", "field": "y_plus", "place": "box_top"},
    },
}


def square(n=5):
    """Padded arrays of n x n even cells of 1 m: live, widths, and a maker of zeros."""
    live = np.zeros((n + 3, n + 3), bool)
    live[1 : n + 1, 1 : n + 1] = True
    return live, np.ones(n + 3), lambda: np.zeros((n + 3, n + 3))


class Equations(unittest.TestCase):
    def setUp(self):
        self.n = 5
        self.live, self.h, self.zeros = square(self.n)
        self.j, self.i = np.mgrid[0.0 : self.n + 3, 0.0 : self.n + 3]

    def sharp(self, out):
        there = self.live.astype(float)
        sizes = (self.h, self.h, self.h, self.h)
        lone = nothing_before(self.live)
        return self.zeros(), there, *sizes, *lone, out, np.zeros((3, *out.shape)), 5, 5

    def test_strain_of_plain_shear_and_of_stretching(self):
        on, out = self.live.astype(float), self.zeros()
        shares = corners(on, on, self.h, self.h, np.zeros_like(self.live))
        args = (*shares, self.h, self.h, on, self.h, False, out, 5, 5)
        strain(3.0 * self.j, self.zeros(), *args)
        self.assertAlmostEqual(out[3, 3], 9.0)  # (du/dy)^2
        strain(2.0 * self.i, -2.0 * self.j, *args)
        self.assertAlmostEqual(out[3, 3], 16.0)  # 2 (2^2 + 2^2)
        strain(3.0 * self.j, -3.0 * self.i, *args)
        self.assertAlmostEqual(out[3, 3], 0.0)  # turning without strain

    def test_slopes_cross(self):
        out = self.zeros()
        open_ = np.ones_like(out)
        k, w = 2.0 * self.i + self.j, self.i + 3.0 * self.j
        cross(k, w, self.live.astype(float), open_, open_, self.h, self.h, out, 5, 5)
        self.assertAlmostEqual(out[3, 3], 2.0 * 1.0 + 1.0 * 3.0)

    def test_higher_order_loses_nothing_and_is_exact_on_a_slope(self):
        out, flow = self.zeros(), self.zeros()
        flow[1:6, 2:6] = 1.0
        rng = np.random.default_rng(3)
        args = (flow, *self.sharp(out))
        for inverse in (False, True):
            sharpen(rng.uniform(1, 2, out.shape), inverse, *args)
            self.assertAlmostEqual(out[1:6, 1:6].sum(), 0.0, delta=1e-12)
            self.assertGreater(np.abs(out).max(), 1e-3)
        slope = 10.0 + self.i
        sharpen(slope, False, *args)
        # half a step more at either face of a cell between: nothing; at the first face half a step
        self.assertAlmostEqual(out[3, 3], 0.0, delta=1e-4)
        # where nothing is known before, what would lie there is bent to stay above nought
        self.assertAlmostEqual(out[3, 1], -0.5, delta=0.02)

    def test_beside_an_inlet_it_changes_gradually(self):
        """Where the first cell's value is half of the second's, or a little more or less: what passes
        used to jump between nothing and half a step there, and turns never settled.
        """
        out, flow = self.zeros(), self.zeros()
        flow[1:6, 2:6] = 1.0
        args = (flow, *self.sharp(out))
        passed = []
        for first in (0.49, 0.5, 0.51):
            x = np.ones_like(out)
            x[:, 1] = first
            sharpen(x, False, *args)
            passed.append(-out[3, 1])
        self.assertGreater(min(passed), 0.1)
        self.assertLess(np.ptp(passed), 0.02)

    def test_against_the_stream_it_is_the_mirror_image(self):
        """Both ways and along both axes the same comes out, turned over."""
        rng, found = np.random.default_rng(5), []
        x = rng.uniform(1, 2, self.zeros().shape)
        x[~self.live] = 0.0
        for turned in (False, True):
            for back in (False, True):
                values, out, flow = x.copy(), self.zeros(), self.zeros()
                flow[1:6, 2:6] = -1.0 if back else 1.0
                if back:
                    values[:, 1:6] = values[:, 5:0:-1]
                args = self.sharp(out)
                if turned:
                    args = (flow.T.copy(), *args[1:])
                    sharpen(values.T.copy(), False, args[-1] * self.zeros(), *args)
                    out[:] = out.T
                else:
                    sharpen(values, False, flow, *args)
                found.append(out[1:6, 5:0:-1] if back else out[1:6, 1:6])
        for other in found[1:]:
            np.testing.assert_allclose(other, found[0], atol=1e-14)

    def test_where_the_grid_repeats_the_seam_is_like_any_face(self):
        live = self.live.copy()
        live[:, [0, 6, 7]] = live[:, [5, 1, 2]]
        outs = []
        for shift in (0, 2):
            x, flow, out = 1.0 + self.zeros(), self.zeros(), self.zeros()
            x[:, 1:6] = np.roll([1.0, 3.0, 2.0, 5.0, 4.0], shift)
            x[:, [0, 6, 7]] = x[:, [5, 1, 2]]
            flow[1:6, 1:7] = 1.0
            _, _, *sizes = self.sharp(out)
            args = [self.zeros(), live.astype(float), *sizes]
            args[6:8] = nothing_before(live)
            sharpen(x, False, flow, *args)
            self.assertAlmostEqual(out[3, 1:6].sum(), 0.0, delta=1e-14)
            outs.append(np.roll(out[3, 1:6], -shift))
        np.testing.assert_allclose(outs[0], outs[1], atol=1e-14)

    def test_what_couples_cells_on_uneven_ones(self):
        """Upwind flows in; spreading by the mean on a face, nearer to the nearer centre."""
        flow, links, spread = self.zeros() + 2.0, self.zeros() + 3.0, self.zeros() + 1.0
        spread[:, 4] = 5.0
        hx = np.array([1.0, 1, 1, 1, 3, 1, 1, 1])
        free, parts = self.live.astype(float), [self.zeros() for _ in range(8)]
        free[2, 2] = 0.0
        largest = fill(free, flow, -flow, links, links, spread, hx, self.h, *parts, self.n, self.n)
        w, e, s, n, vw, ve, vs, _ = (part[3, 3] for part in parts)
        self.assertEqual((w, e, s, n), (2.0, 0.0, 0.0, 2.0))
        self.assertEqual((vw, vs), (3.0, 3.0))
        self.assertAlmostEqual(ve, 3.0 * (5.0 * 1.0 + 1.0 * 3.0) / 4.0)
        self.assertEqual(sum(part[2, 2] for part in parts), 0.0)
        self.assertAlmostEqual(largest, max(sum(part[3, i] for part in parts) for i in range(1, 6)))

    def test_what_sharper_convection_takes_holds(self):
        more, hold, source = self.zeros() - 4.0, self.zeros(), self.zeros()
        more[2, 2], x, free = 3.0, self.zeros() + 2.0, self.live.astype(float)
        free[4, 4] = 0.0
        take_in(more, x, free, hold, source, self.n, self.n)
        self.assertEqual((hold[3, 3], source[3, 3]), (2.0, 0.0))
        self.assertEqual((hold[2, 2], source[2, 2]), (0.0, 3.0))
        self.assertEqual((hold[4, 4], more[4, 4]), (0.0, 0.0))

    def test_what_is_left_of_a_balance(self):
        d, b, c, left = self.zeros() + 3.0, self.zeros() + 6.0, self.zeros(), self.zeros()
        w, x, live = self.zeros() + 1.0, self.zeros() + 3.0, self.live.astype(float)
        size = out_of_balance(live, x, 1e-3, d, w, c, c, c, b, left, 5, 5)
        self.assertEqual(size, 0.0)  # (3 - 1) x 3 = 6, and neighbours are alike
        b += 1.0
        size = out_of_balance(live, x, 1e-3, d, w, c, c, c, b, left, 5, 5)
        np.testing.assert_allclose(left[1:6, 1:6], 1.0)
        self.assertAlmostEqual(size, 1.0 / (3.0 * 3.0))

    def test_the_model_in_an_even_shear(self):
        """Far from walls nu_t = k / omega while omega is large, and production is limited."""
        eddy, mix, made, grows = (self.zeros() for _ in range(4))
        none, one = np.zeros_like(self.live), self.zeros() + 1.0
        given = (one * 1e-5, self.zeros(), self.zeros(), one, eddy, mix, made, grows)
        args = (*given, False, 5, 5)
        k, w, square_, y = one * 0.5, one * 100.0, one * 25.0, one * 1e3
        look(self.live, none, one, k, w, square_, self.zeros(), y, *args)
        self.assertAlmostEqual(eddy[3, 3], 0.005)
        self.assertAlmostEqual(made[3, 3], 0.005 * 25.0)
        self.assertAlmostEqual(mix[3, 3], 0.0, delta=1e-3)
        look(self.live, none, one, k, w, square_ * 1e6, self.zeros(), y, *args)
        self.assertLessEqual(made[3, 3], 10 * 0.09 * 0.5 * 100 + 1e-9)

    def test_k_epsilon_knows_no_wall_and_no_limit_by_shear(self):
        """Close to a wall and strongly sheared: nu_t = k / omega = .09 k^2 / epsilon all the same."""
        eddy, mix, made, grows = (self.zeros() for _ in range(4))
        none, one = np.zeros_like(self.live), self.zeros() + 1.0
        k, w, square_, y = one * 0.5, one * 100.0, one * 1e6, one * 1e-3
        given = (one * 1e-5, self.zeros(), self.zeros(), one, eddy, mix, made, grows)
        look(self.live, none, one, k, w, square_, self.zeros(), y, *given, True, 5, 5)
        self.assertAlmostEqual(eddy[3, 3], 0.09 * 0.5**2 / (0.09 * 0.5 * 100.0))
        self.assertEqual(mix[3, 3], 0.0)
        look(self.live, none, one, k, w, square_, self.zeros(), y, *given, False, 5, 5)
        self.assertLess(eddy[3, 3], 0.001)


class Hand(unittest.TestCase):
    def test_relations(self):
        self.assertAlmostEqual(reynolds(1000.0, 2.0, 0.05, 1e-3), 1e5)
        # Colebrook, smooth, Re 1e5: .0180 (Moody); fully rough, k / D .01: .0379
        self.assertAlmostEqual(friction_factor(1e5), 0.0180, delta=1e-4)
        self.assertAlmostEqual(friction_factor(1e9, 0.01), 0.0379, delta=1e-4)
        # f .0180: 10 x root(.0180 / 8) = .474 m/s; a cell of 2 mm reaches .474 x 1 mm / nu
        duct = Duct("inlet", 10.0, 0.05, 5e-6, 1e5)
        self.assertAlmostEqual(duct.friction, 0.474, delta=2e-3)
        self.assertAlmostEqual(duct.reach(2e-3), 94.9, delta=0.4)
        self.assertAlmostEqual(friction_drop(1000.0, 2.0, 10.0, 0.1, 0.02), 4000.0)


class Ducts(unittest.TestCase):
    def test_it_settles_from_cold_and_from_anywhere(self):
        found = []
        for energy in (None, "1e-3 J/kg", "10 J/kg"):
            start = {} if energy is None else {"kind": "given", "energy": energy}
            patch = {
                **STEADY,
                **({} if energy is None else {"start": {"space": {"turbulence": start}}}),
            }
            run = api.run(merge_patch(DUCT, patch))
            self.assertEqual(run.status, "finished")
            self.assertLess(run.balance["mass"]["relative"], 1e-9)
            self.assertLess(run.balance["heat"]["relative"], 1e-9)
            found.append(run.readouts["drop"].value)
        np.testing.assert_allclose(found, found[0], rtol=1e-4)
        self.assertGreater(found[0], 1.0)

    def test_what_has_not_changed_is_not_laid_out_again(self):
        march = build_march(Case(DUCT))
        march.run()
        state, stream = march.state, march.solvers["flow"].stream
        inputs = march._offers("flow", {})
        stream.meet(inputs, state)
        with mock.patch.object(stream, "set_medium") as again:
            stream.meet(inputs, state)
            again.assert_not_called()
            state.fields["turbulence.viscosity"][0, 5, 5] += 1e-6
            stream.meet(inputs, state)
            again.assert_called_once()

    def test_eddies_that_hardly_change_are_left_as_they_are(self):
        def march(change):
            patch = {
                "phenomena": {"turbulence": {"change": change}},
                "stages": {"go": {"until": "30 ms", "longest_step": "0.1 ms"}},
            }
            march = build_march(Case(merge_patch(DUCT, patch)))
            solver, sweeps = march.solvers["turbulence"], []
            advance = solver.advance

            def watched(*args):
                work = advance(*args)
                sweeps.append(work.iterations)
                return work

            with mock.patch.object(solver, "advance", watched):
                march.run()
            return march.state, np.array(sweeps) > 0

        (each, worked), (seldom, left) = march(0.0), march(0.02)
        self.assertTrue(worked.all())
        self.assertLess(left.mean(), 0.5)
        self.assertLess(left[-40:].mean(), 0.2)  # at most every eighth, and these no longer change
        gaps = np.diff(np.flatnonzero(left))
        self.assertLessEqual(gaps.max(), 9)  # of eight steps, when one is cut short
        self.assertTrue((gaps[1:] <= 2 * gaps[:-1] + 1).all())
        for name in ("turbulence.viscosity", "flow.u"):
            one, two = (state.fields[name][0] for state in (each, seldom))
            self.assertLess(np.linalg.norm(two - one), 0.02 * np.linalg.norm(one), name)

    def test_y_plus_is_told_and_guessed_by_hand(self):
        case = Case(merge_patch(DUCT, STEADY))
        told = api.run(case.data).readouts["reach"].value
        rows = {r.symbol: r for r in paper_check(case).regimes}
        self.assertIn("y+", rows)
        self.assertLess(abs(np.log(rows["y+"].value / told)), np.log(2.0))

    def test_an_open_start_is_refused_with_a_cure(self):
        closed = merge_patch(
            DUCT,
            {"conditions": {"inlet": {"flow": {"kind": "outflow", "speed": None}, "heat": None}}},
        )
        finding = next(f for f in audit(Case(closed)) if f.rule == "nothing stirs")
        self.assertEqual(finding.grade, "stops")
        (path, value), *_ = finding.cure
        self.assertTrue(path.startswith("start/"))
        self.assertGreater(float(value["ratio"]), 0)

    def test_a_long_duct_has_an_estimate_beside_its_drop(self):
        long = merge_patch(
            DUCT,
            {
                **STEADY,
                "vessel": {"parts": {"spoke": None, "box": {"width": "4 m"}}},
                "conditions": {"spoke": None, "box_top": None},
                "grid": {"size": "4 mm"},
            },
        )
        case = Case(long)
        found = [r for r in paper_check(case).rows if r.by == "Turbulent duct"]
        self.assertEqual(len(found), 1)
        # Re 16,000 on 40 mm: f .0274; .0274 x 100 x .6 x 36
        self.assertAlmostEqual(found[0].value, 0.0274 * 100 * 0.6 * 36, delta=1.0)
        self.assertTrue(found[0].inside)

    def test_walls_that_slip_at_an_angle_do_not_brake(self):
        """Eddies on, walls slip: a stream along a slanted duct keeps its pressure."""
        rise = np.tan(0.3)
        data = {
            "format": "under-kettle case 1",
            "name": "slanted",
            "vessel": {
                "parts": {
                    "duct": {
                        "shape": "polygon",
                        "points": [
                            ["0 m", "0 m"],
                            ["4 m", f"{4 * rise} m"],
                            ["4 m", f"{4 * rise + 1} m"],
                            ["0 m", "1 m"],
                        ],
                        "edges": {"1": "low", "3": "high"},
                    }
                },
                "nozzles": {
                    "inlet": {"part": "duct", "side": "4", "at": "0.5 m", "bore": "0.999 m"},
                    "outlet": {"part": "duct", "side": "2", "at": "0.5 m", "bore": "0.999 m"},
                },
            },
            "grid": {"size": "0.1 m"},
            "phenomena": {
                "flow": {"density": "1 kg/m3", "viscosity": "1e-4 Pa s"},
                "turbulence": {},
            },
            "conditions": {
                "inlet": {"flow": {"kind": "inflow", "speed": "1 m/s"}},
                "outlet": {"flow": {"kind": "outflow"}},
                "low": {"flow": {"kind": "slip wall"}},
                "high": {"flow": {"kind": "slip wall"}},
            },
            "stages": {"go": {"solve": ["flow", "turbulence"], "mode": "steady"}},
        }
        march = build_march(Case(data))
        march.run()
        p, mesh = march.state.fields["flow.p"][0], march.solvers["flow"].mesh
        inside = mesh.live[0].copy()
        inside[:, :15] = inside[:, -12:] = False
        head = 0.5 * (1 + rise**2)
        self.assertLess(np.ptp(p[inside]), 0.1 * head)


class WantedAtWalls(unittest.TestCase):
    """The first cell that was asked for, refined to by the cure, as the run then shows it."""

    DATA = merge_patch(DUCT, {**STEADY, "phenomena": {"turbulence": {"first_cell": 5}}})

    def first_cell(self, data):
        return next((f for f in audit(Case(data)) if f.rule == "first cell"), None)

    def test_one_click_refines_at_walls_only(self):
        found = self.first_cell(self.DATA)
        self.assertIn("y+ 5 is wanted", found.reason)
        cured = self.DATA
        for path, value in found.cure:
            _, _, name = path.split("/")
            self.assertIn(value.get("axis"), ("x", "y", None))
            cured = merge_patch(cured, {"grid": {"refine": {name: value}}})
        self.assertIsNone(self.first_cell(cured))
        self.assertLess(Case(cured).mesh.cells, 6 * Case(self.DATA).mesh.cells)
        before, after = (api.run(data).readouts["reach"].value for data in (self.DATA, cured))
        self.assertAlmostEqual(after / before, 5 / 11.7, delta=0.1)  # by the duct's own estimate

    def test_what_nobody_asked_for_is_left_alone(self):
        self.assertIsNone(
            self.first_cell(
                merge_patch(self.DATA, {"phenomena": {"turbulence": {"first_cell": None}}})
            )
        )


if __name__ == "__main__":
    unittest.main()
