"""What a stream carries through time: convection and diffusion in one step, many steps in one."""

import unittest
from unittest import mock

import numpy as np

from tests.phenomena.cases import BUOYANCY, SPECIES
from tests.recorder import Recorder
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import Budget
from underkettle.engine.marching.state import State
from underkettle.engine.operators.steps import _solve_small
from underkettle.engine.transport.carrying import COURANT, Carrying
from underkettle.engine.transport.striding import EULER, STAGES, Striding

ROD = {"shape": "circle", "does": "cut", "x": "15.2 mm", "y": "9.9 mm", "radius": "2.3 mm"}
HOLDING = {
    "go": None,
    "settle": {"solve": ["flow"], "mode": "steady"},
    "wash": {"solve": ["species"], "hold": ["flow"], "mode": "transient", "until": "40 s"},
}
ROUND_ROD = merge_patch(
    SPECIES,
    {
        "vessel": {"parts": {"rod": ROD}},
        "conditions": {
            "rod": {"species.salt": {"kind": "held value", "value": "5 mol/m3"}},
            "space": None,
        },
        "grid": {"size": "1 mm"},
        "stages": HOLDING,
        "readouts": {
            "held": {"kind": "total", "field": "salt", "place": "space"},
            "leaving": {"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"},
            "given": {"kind": "through", "quantity": "salt", "place": "rod"},
            "out": {"kind": "through", "quantity": "salt", "place": "outlet"},
        },
    },
)
ROD_ALONE = merge_patch(ROUND_ROD, {"stages": {"wash": {"until": "200 s"}}})
SINGLE = mock.patch.object(Carrying, "_strides", lambda *args: False)
SPLIT = mock.patch.object(Carrying, "_plain", lambda *args: False)


class Steps(Recorder):
    """Keeps how steps in time went."""

    def __init__(self):
        super().__init__()
        self.reports = []

    def step(self, report):
        if report.dt > 0:
            self.reports.append((report.dt, report.reason))


def marched(data):
    seen = Steps()
    march = build_march(Case(data), [seen])
    march.run()
    return march, seen.reports


class Strides(unittest.TestCase):
    def test_a_held_stream_is_left_in_few_long_steps(self):
        march, steps = marched(ROUND_ROD)
        with SINGLE:
            single, small = marched(ROUND_ROD)
        self.assertLess(4 * len(steps), len(small))
        self.assertIn("200 steps of a stage are told", [reason for _, reason in steps])
        self.assertGreaterEqual(len(steps), 200)
        found, known = march.readouts(march.state), single.readouts(single.state)
        for name, value in known.items():
            self.assertAlmostEqual(found[name] / value, 1.0, delta=1e-3, msg=name)

    def test_what_passes_and_stays_adds_up(self):
        """While what comes in changes in time, too."""
        wave = "1 mol/m3*(1 + sin(3 1/s*t))"
        data = merge_patch(ROUND_ROD, {"conditions": {"inlet": {"species.salt": {"value": wave}}}})
        march, steps = marched(data)
        self.assertGreater(max(dt for dt, _ in steps), 3 * steps[0][0])
        budget = Budget(**march.state.memory.budgets["wash"]["salt"])
        self.assertLess(budget.relative, 1e-12)
        # 10 mm/s through 10 mm x 1 m, (1 + sin 3t) mol/m3, for 40 s
        given = 1e-4 * (40 + (1 - np.cos(120.0)) / 3)
        self.assertAlmostEqual(budget.inflow["inlet"] / given, 1.0, delta=1e-3)

    def test_rates_are_those_at_the_end_of_a_step(self):
        """What leaves is what flows out, 10 mm/s through 10 mm x 1 m, at the value it has there."""
        march, _ = marched(ROUND_ROD)
        told = march.readouts(march.state)
        self.assertAlmostEqual(told["out"] / (1e-4 * told["leaving"]), 1.0, delta=1e-9)

    def test_a_killed_run_goes_on_bit_for_bit(self):
        whole, _ = marched(ROUND_ROD)
        seen, kept = Recorder(), []
        seen.step = lambda report: None
        seen.safe_point = lambda state: kept.append(state.to_bytes())
        build_march(Case(ROUND_ROD), [seen]).run()
        half = next(k for k in kept if 20.0 < State.from_bytes(k).stage_time < 30.0)
        again = build_march(Case(ROUND_ROD))
        again.state = State.from_bytes(half)
        again.run()
        self.assertEqual(again.state.to_bytes(), whole.state.to_bytes())

    def test_what_comes_to_rest_in_time_is_what_is_solved_at_rest(self):
        """In cut cells as in whole ones, and where a stream is solved along with heat."""
        rest = {"mode": "steady", "until": None, "aim": 1e-10, "longest_step": None}
        square = merge_patch(
            BUOYANCY,
            {
                "grid": {"size": "2 mm"},
                "stages": {"go": {"until": "600 s", "longest_step": None}},
                "readouts": {"heat": {"kind": "through", "quantity": "heat", "place": "box_right"}},
            },
        )
        for name, data, stage in (("rod", ROD_ALONE, "wash"), ("square", square, "go")):
            with self.subTest(name):
                timed, _ = marched(data)
                settled, _ = marched(merge_patch(data, {"stages": {stage: rest}}))
                known = settled.readouts(settled.state)
                for label, value in timed.readouts(timed.state).items():
                    self.assertAlmostEqual(value / known[label], 1.0, delta=1e-6, msg=label)
        _, steps = marched(ROD_ALONE)
        self.assertIn("at once", " ".join(reason for _, reason in steps))
        with SPLIT:  # one after the other, time leaves its mark
            split, _ = marched(square)
        self.assertGreater(abs(split.readouts(split.state)["heat"] / known["heat"] - 1.0), 1e-5)

    def test_values_stay_between_those_given(self):
        march, _ = marched(merge_patch(ROUND_ROD, {"stages": {"wash": {"until": "1.5 s"}}}))
        c = march.solvers["species"].carrying.of(march.state, march.solvers["species"].members[0])
        self.assertGreaterEqual(c.min(), 0.0)
        self.assertLessEqual(c.max(), 5.0 * (1 + 1e-9))


class Stages(unittest.TestCase):
    """One member in a closed box without a stream, against what is known of the stages."""

    def setUp(self):
        data = merge_patch(
            SPECIES,
            {
                "vessel": {"nozzles": {"inlet": None, "outlet": None}},
                "conditions": {
                    "inlet": None,
                    "outlet": None,
                    "box_top": None,
                    "space": {"species.salt": {"kind": "made", "loss": "2 1/s"}},
                },
                "grid": {"size": "5 mm"},
            },
        )
        march = build_march(Case(data))
        self.carrying = march.solvers["species"].carrying
        self.member = self.carrying.members[0]
        self.member.set_values(march.state)
        self.flows = self.carrying.flows(self.member, None)
        self.none = np.zeros((1, self.carrying.mesh.pieces.j.size))
        self.live = self.carrying.live

    def striding(self):
        return self.carrying.striding_of(self.member)

    def test_decay_follows_the_stages_polynomial(self):
        c = np.where(self.live, 3.0, 0.0)
        mean, _ = self.striding().take(c, self.flows, 0.7, 1, self.none)
        z = 2.0 * 0.7
        known = 3.0 * (1 / STAGES + EULER / STAGES * (1 - z / EULER) ** STAGES)
        self.assertAlmostEqual(c[self.live].min(), known, places=13)
        self.assertAlmostEqual(c[self.live].max(), known, places=13)
        # what went is what decayed at the mean value
        self.assertAlmostEqual(z * mean[self.live].max(), 3.0 - known, places=12)

    def test_it_is_of_second_order(self):
        far = []
        for steps in (2, 4, 8):
            c = np.where(self.live, 1.0, 0.0)
            self.striding().take(c, self.flows, 3.0 / steps, steps, self.none)
            far.append(abs(c[self.live].max() - np.exp(-6.0)))
        order = np.log2(np.array(far[:-1]) / far[1:])
        self.assertGreater(order.min(), 1.8)

    def test_what_decays_for_long_ends_at_nothing(self):
        c = np.where(self.live, 1.0, 0.0)
        self.striding().take(c, self.flows, 3.0, 200, self.none)
        self.assertEqual(np.abs(c).max(), 0.0)

    def test_what_is_not_a_number_is_not_hidden(self):
        for stages in (2, 3):
            c = np.where(self.live, 1.0, 0.0)
            c[2, 2] = np.nan
            brought = self.none[0], self.none[0]
            self.striding().take_one(c, self.flows, self.flows, 0.1, stages, brought)
            self.assertTrue(np.isnan(c[2, 2]))
        c = np.where(self.live, 1.0, 0.0)
        c[2, 2] = np.nan
        self.striding().take(c, self.flows, 0.1, 1, self.none)
        self.assertTrue(np.isnan(c[2, 2]))

    def test_the_quickest_cell(self):
        """Four neighbours at 5 mm by 1e-6 m2/s, and what decays; corners have two."""
        self.assertAlmostEqual(self.striding().quickest(), 4 * 1e-6 / 25e-6 + 2.0, places=12)


class SmallCells(unittest.TestCase):
    def test_their_factors_solve_what_they_exchange(self):
        """Against the dense system, written down face by face."""
        march = build_march(Case(ROUND_ROD))
        march.run()
        carrying = march.solvers["species"].carrying
        member = carrying.members[0]
        striding: Striding = carrying.striding_of(member)
        small = striding.small
        self.assertGreater(small.cell.size, 5)
        flows = carrying.flows(member, carrying.streams(march._offers("species", {}))["fluid"])
        dt = COURANT / 100
        tables = striding._small_tables(flows, dt, member.given)
        cell, hold, _, _, _, near, far, flow, link, _, _, _ = tables[0]
        dense = np.diag(hold + member.holding.ravel()[cell])
        for b, a, f, g in zip(near, far, flow, link, strict=True):
            if b >= 0:
                dense[b, b] += max(f, 0.0) + g
            if a >= 0:
                dense[a, a] += max(-f, 0.0) + g
            if a >= 0 and b >= 0:
                dense[a, b] -= max(f, 0.0) + g
                dense[b, a] -= max(-f, 0.0) + g
        known = np.linspace(1.0, 2.0, cell.size)
        right = dense @ known
        _solve_small(right, np.zeros(cell.size), *tables[1:5])
        np.testing.assert_allclose(right, known, rtol=1e-12)


class Plain(unittest.TestCase):
    def test_a_stream_that_changes_is_not_taken_as_held(self):
        """Solved along, it sets the step, one Courant number at a time."""
        data = merge_patch(
            SPECIES, {"grid": {"size": "1 mm"}, "stages": {"go": {"until": "0.2 s"}}}
        )
        _, steps = marched(data)
        self.assertNotIn("at once", " ".join(reason for _, reason in steps))


if __name__ == "__main__":
    unittest.main()
