"""Steady flow by Newton's method, coupled phenomena marched to rest, forces, turned vessels."""

import unittest
from unittest import mock

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, BUOYANCY, FLOW, HEAT, base
from tests.recorder import Recorder
from underkettle import conformance
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march, build_solvers
from underkettle.engine.marching import together
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.settling import LONG, STALLED, stalled, swing
from underkettle.engine.marching.state import State

STEADY = {"stages": {"go": {"mode": "steady", "until": None}}}
MARCHED = mock.patch.object(together.Together, "step", lambda self, pace: None)
ROD = {"shape": "circle", "does": "cut", "x": "15 mm", "y": "10 mm", "radius": "2 mm"}


def misfit(data):
    """How far the change of an imbalance that a stream's system tells lies from differences."""
    case = Case(data)
    solver, state = build_solvers(case)["flow"], State()
    solver.start(state)
    inputs = Offers("flow", case.meetings, {"flow": solver}, state, {})
    rng = np.random.default_rng(3)
    solver.ready(state, inputs)
    solver.approach(state, inputs, fresh=False)
    solver.linearise(state, inputs, 0.0)
    size = solver.imbalance(state, inputs).size
    solver.change(state, 0.1 * rng.standard_normal(size), 1.0)
    solver.linearise(state, inputs, 0.0)
    way, step = rng.standard_normal(size), 1e-6
    told = solver.apply(way)
    solver.change(state, way, step)
    after = solver.imbalance(state, inputs)
    solver.change(state, way, -2 * step)
    before = solver.imbalance(state, inputs)
    found = (before - after) / (2 * step)
    return np.linalg.norm(found - told) / np.linalg.norm(found)


class Newton(unittest.TestCase):
    def test_it_converges_in_few_sweeps_to_what_marching_finds(self):
        case = merge_patch(
            FLOW,
            {
                **STEADY,
                "readouts": {
                    "drop": {
                        "kind": "difference",
                        "field": "pressure",
                        "place": "inlet",
                        "to": "outlet",
                    }
                },
            },
        )
        seen = Recorder()
        by_newton = uk.run(case, listeners=[seen]).readouts["drop"].value
        self.assertLess(len(seen.residuals), 25)
        self.assertLess(seen.residuals[-1], 1e-6)
        with MARCHED:
            marched = uk.run(merge_patch(case, {"stages": {"go": {"aim": 1e-8}}}))
        self.assertAlmostEqual(marched.readouts["drop"].value / by_newton, 1.0, delta=1e-6)

    def test_where_it_does_not_help_time_is_marched(self):
        seen = Recorder()
        with mock.patch.object(together, "RISE", -1.0):  # nothing is ever good enough
            uk.run(merge_patch(FLOW, {**STEADY, "grid": {"size": "2 mm"}}), listeners=[seen])
        self.assertIn("go settled", seen.lines)
        self.assertGreater(len(seen.residuals), 30)

    def test_its_jacobian_is_the_derivative_of_the_imbalance(self):
        """To what differencing leaves, limiter included, on velocities at random."""
        turned = {"dimension": "axisymmetric", "conditions": {"box_bottom": None}}
        again = {
            "vessel": {"nozzles": {"inlet": None, "outlet": None}, "repeats": ["x"]},
            "conditions": {"inlet": None, "outlet": None},
        }
        rising = {"conditions": {"outlet": {"flow": {"kind": "total pressure"}}}}
        swelling = {"phenomena": {"flow": {"density": "1000 kg/m3*(1 + x/(200 mm))"}}}
        thickening = {"phenomena": {"flow": {"viscosity": "1 mPa s*(1 + 9*y/(20 mm))"}}}
        rod = {"vessel": {"parts": {"rod": ROD}}}
        for name, patch in {
            "plane": {},
            "cut": rod,
            "turned": turned,
            "repeats": again,
            "total pressure": rising,
            "swells": swelling,
            "thickens": merge_patch(rod, thickening),
        }.items():
            with self.subTest(name):
                self.assertLess(misfit(merge_patch(FLOW, patch)), 1e-6)

    def test_a_stage_that_does_not_settle_says_so(self):
        seen = Recorder()
        uk.run(
            merge_patch(FLOW, {"stages": {"go": {"mode": "steady", "until": None, "most": 2}}}),
            listeners=[seen],
        )
        text = " ".join(seen.lines)
        self.assertIn("did not reach", text)
        self.assertNotIn("go settled", text)


def pulled_apart(case, steps):
    """How far what a group knows of its imbalance lies from differences, along a smooth change of
    everything, after some steps together; for each that solves.
    """
    march = build_march(case)
    march.near = lambda stage: ""
    group = march.stages[0].solve
    solving = {n: march.solvers[n] for n in reversed(group) if march._unknowns([n])}
    passing = {n: march.solvers[n] for n in group if n not in solving}
    both = together.Together(march.state, solving, lambda name: march._offers(name, {}), passing)
    pace = together.Pace()
    for _ in range(steps):
        both.step(pace)
    for name, solver in solving.items():
        solver.approach(march.state, both.inputs(name), False)
        solver.linearise(march.state, both.inputs(name), 0.0)
    both.base = both._imbalances()
    both.ends = np.cumsum([b.size for b in both.base])
    both._keep()
    rng = np.random.default_rng(1)
    way = both._precondition(rng.standard_normal(both.ends[-1]))
    way /= max(s.reach(w) for s, w in zip(solving.values(), both._split(way), strict=True))
    told = both._split(both._apply(way))
    found = []
    for step in (1e-5, -1e-5):
        both._change(both._split(way), step)
        found.append(both._imbalances())
        both.restore()
    return [
        np.linalg.norm((b - a) / 2e-5 - t) / np.linalg.norm(t)
        for a, b, t in zip(*found, told, strict=True)
    ]


THICKENS = merge_patch(
    HEAT,
    {
        "phenomena": {
            "flow": {"viscosity": "10 mPa s*exp(0.02 1/K*(300 K - temperature))"},
        },
        "stages": {"go": {"solve": ["flow", "heat"], "mode": "steady", "until": None}},
    },
)


class Coupled(unittest.TestCase):
    def test_what_they_do_to_each_other_is_known(self):
        still = {"stages": {"go": {"mode": "steady", "until": None, "longest_step": None}}}
        for name, case in {"buoyancy": merge_patch(BUOYANCY, still), "a law": THICKENS}.items():
            with self.subTest(name):
                self.assertLess(max(pulled_apart(Case(case), 4)), 0.03)  # within a limiter's kinks

    def test_a_law_of_temperature_settles_in_few_sweeps_on_any_grid(self):
        counts, warm = [], []
        for grid in (0.5, 0.75, 1.0, 1.06, 2.0):
            seen = Recorder()
            run = uk.run(THICKENS, grid=grid, listeners=[seen])
            self.assertNotIn("in turn", " ".join(seen.lines))
            self.assertLess(abs(run.balance["heat"]["relative"]), 1e-8)
            counts.append(len(seen.residuals))
            warm.append(run.result["ways"])
        self.assertLess(max(counts), 3 * min(counts))  # those begun on coarser grids take fewer
        self.assertEqual(set(warm[0].values()), {"Newton's method"})

    def test_a_heated_box_comes_to_rest_with_heat_in_and_out_alike(self):
        case = merge_patch(
            BUOYANCY,
            {
                "grid": {"size": "2 mm"},
                "stages": {
                    "go": {"mode": "steady", "until": None, "longest_step": None, "aim": 1e-3}
                },
                "readouts": {
                    "in": {
                        "kind": "through",
                        "quantity": "heat",
                        "place": "box_left",
                        "counts": "in",
                    },
                    "out": {"kind": "through", "quantity": "heat", "place": "box_right"},
                },
            },
        )
        run = uk.run(case)
        ratio = run.readouts["in"].value / run.readouts["out"].value
        self.assertAlmostEqual(ratio, 1.0, delta=1e-3)
        self.assertEqual(run.balance["heat"]["unit"], "W")
        still = 5.0 * 10.0 * 0.02 / 0.04  # conduction alone
        self.assertGreater(run.readouts["in"].value, 1.05 * still)

    def test_a_group_that_has_come_to_rest_keeps_its_rates_while_the_next_one_settles(self):
        case = merge_patch(
            BUOYANCY,
            {
                "grid": {"size": "2.5 mm"},
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}}},
                "conditions": {
                    "box_top": {"species.salt": {"kind": "held value", "value": "1 mol/m3"}}
                },
                "stages": {
                    "go": {
                        "solve": ["flow", "heat", "buoyancy", "species"],
                        "mode": "steady",
                        "until": None,
                        "longest_step": None,
                        "aim": 1e-3,
                    }
                },
            },
        )
        balance = uk.run(case).balance
        self.assertEqual(balance["heat"]["unit"], "W")
        self.assertGreater(balance["heat"]["in"], 5.0 * 10.0 * 0.02 / 0.04)
        self.assertEqual(balance["salt"]["unit"], "mol/s")

    def test_a_film_of_no_resistance_is_a_held_wall(self):
        held = merge_patch(
            HEAT,
            {
                **STEADY,
                "conditions": {
                    "box_top": {
                        "heat": {
                            "kind": "held temperature",
                            "film": None,
                            "ambient": None,
                            "value": "350 K",
                        }
                    }
                },
            },
        )
        film = merge_patch(
            HEAT, {**STEADY, "conditions": {"box_top": {"heat": {"film": "1e9 W/(m2 K)"}}}}
        )
        a, b = uk.run(held).field("temperature"), uk.run(film).field("temperature")
        self.assertLess(np.nanmax(np.abs(a - b)), 1e-3)

    def test_the_paper_check_finds_the_outlet_temperature(self):
        case = merge_patch(
            HEAT,
            {
                **STEADY,
                "conditions": {"box_top": None, "space": None},
                "readouts": {
                    "out": {
                        "kind": "mean",
                        "field": "temperature",
                        "place": "outlet",
                        "weight": "flow",
                    }
                },
            },
        )
        number = uk.run(case).readouts["out"]
        warming = 3000 * 0.04 / (0.01 * 0.01 * 4e6)
        self.assertAlmostEqual(number.paper, 300 + warming, delta=1e-6)
        self.assertAlmostEqual((number.value - 300) / warming, 1.0, delta=1e-6)


class Walls(unittest.TestCase):
    def test_the_flux_along_a_wall_adds_up_to_what_passes_it(self):
        case = merge_patch(
            HEAT,
            {
                **STEADY,
                "readouts": {
                    name: {"kind": "through", "quantity": "heat", "place": name, "counts": "in"}
                    for name in ("box_top", "box_bottom")
                },
            },
        )
        run = uk.run(case)
        width = 1e-3
        for edge in ("box_top", "box_bottom"):
            line = run.along_edge("heat", edge)
            self.assertEqual(line["distance"].size, 40)
            self.assertTrue((np.diff(line["distance"]) > 0).all())
            self.assertAlmostEqual(
                line["flux"].sum() * width / run.readouts[edge].value, 1.0, delta=1e-4
            )
        self.assertEqual(run.along_edge("heat", "outlet")["flux"].size, 0)

    def test_a_refinement_may_speak_of_one_axis_only(self):
        patch = {"grid": {"refine": {"top": {"place": "box_top", "size": "0.2 mm", "axis": "y"}}}}
        plain, finer = Case(FLOW).grid, Case(merge_patch(FLOW, patch)).grid
        self.assertEqual(plain.nx, finer.nx)
        self.assertLess(np.diff(finer.y).min(), 0.3e-3)


class Resumed(unittest.TestCase):
    """Steady stages go on from a checkpoint bit for bit, however they are solved."""

    def test_newton(self):
        self.assertEqual(conformance.resume(merge_patch(FLOW, STEADY), 4), [])

    def test_marched(self):
        case = merge_patch(FLOW, {**STEADY, "grid": {"size": "2 mm"}})
        with MARCHED:
            self.assertEqual(conformance.resume(case, 13), [])

    def test_coupled(self):
        case = merge_patch(
            BUOYANCY,
            {
                "grid": {"size": "2.5 mm"},
                "stages": {
                    "go": {"mode": "steady", "until": None, "longest_step": None, "aim": 1e-2}
                },
            },
        )
        self.assertEqual(conformance.resume(case, 5), [])


class StopRule(unittest.TestCase):
    def test_a_residual_that_hovers_low_over_still_readouts_is_taken_for_what_it_is(self):
        looks = [{"": 2e-4 if k % 2 else 1e-4, "drop": 3.0} for k in range(STALLED)]
        self.assertTrue(stalled(looks, 1e-5))
        falling = [{"": 10.0**-k, "drop": 3.0} for k in range(STALLED)]
        self.assertFalse(stalled(falling, 1e-5))
        moving = [{**look, "drop": 3.0 + 0.01 * k} for k, look in enumerate(looks)]
        self.assertFalse(stalled(moving, 1e-5))
        high = [{**look, "": 0.5} for look in looks]
        self.assertFalse(stalled(high, 1e-5))

    def test_what_swings_a_little_is_given_longer(self):
        looks = [{"": 2e-4 if k % 2 else 1e-4, "drop": 3.0 + 1e-3 * (k % 3)} for k in range(LONG)]
        self.assertFalse(stalled(looks[-STALLED:], 1e-5))
        self.assertTrue(stalled(looks, 1e-5))
        self.assertAlmostEqual(swing(looks), 2e-3 / looks[-1]["drop"])
        wide = [{**look, "drop": 3.0 + 0.1 * (k % 3)} for k, look in enumerate(looks)]
        self.assertFalse(stalled(wide, 1e-5))


class Drawn(unittest.TestCase):
    def test_a_mass_flow_enters_and_part_of_it_is_drawn_off(self):
        case = merge_patch(
            FLOW,
            {
                **STEADY,
                "vessel": {
                    "nozzles": {
                        "tap": {"part": "box", "side": "top", "at": "20 mm", "bore": "8 mm"}
                    }
                },
                "conditions": {
                    "inlet": {"flow": {"speed": None, "mass_flow": "0.2 kg/s"}},
                    "tap": {"flow": {"kind": "drawn off", "volume_flow": "0.05 l/s"}},
                },
                "readouts": {
                    "rest": {"kind": "through", "quantity": "mass", "place": "outlet"},
                    "taken": {"kind": "through", "quantity": "mass", "place": "tap"},
                },
            },
        )
        run = uk.run(case)
        self.assertAlmostEqual(run.readouts["taken"].value, 0.05, delta=1e-9)
        self.assertAlmostEqual(run.readouts["rest"].value, 0.15, delta=1e-9)
        self.assertLess(run.balance["mass"]["relative"], 1e-9)


class Forces(unittest.TestCase):
    def test_a_rod_takes_up_what_the_pressure_drop_does_not_give_the_walls(self):
        case = merge_patch(
            FLOW,
            {
                **STEADY,
                "vessel": {"parts": {"rod": ROD}},
                "readouts": {
                    "drag": {"kind": "on", "field": "force_x", "place": "rod"},
                    "lift": {"kind": "on", "field": "force_y", "place": "rod"},
                    "floor": {"kind": "on", "field": "force_x", "place": "box_bottom"},
                },
            },
        )
        run = uk.run(case)
        self.assertGreater(run.readouts["drag"].value, 0.0)
        self.assertLess(abs(run.readouts["lift"].value), 0.02 * run.readouts["drag"].value)
        self.assertGreater(run.readouts["floor"].value, 0.0)


class Turned(unittest.TestCase):
    CASE = base(
        dimension="axisymmetric",
        vessel={
            "parts": {"box": BOX},
            "nozzles": {
                "inlet": {"part": "box", "side": "left", "at": "10 mm", "bore": "20 mm"},
                "outlet": {"part": "box", "side": "right", "at": "10 mm", "bore": "20 mm"},
            },
        },
        readouts={"through": {"kind": "through", "quantity": "mass", "place": "outlet"}},
    )

    def test_the_whole_turn_is_counted_and_the_axis_is_assumed(self):
        case = Case(self.CASE)
        self.assertEqual(case.cell("edge", "box_bottom", "flow").kind, "symmetry")
        self.assertAlmostEqual(case.facts.open_volume(), np.pi * 0.02**2 * 0.04)
        run = uk.run(merge_patch(self.CASE, STEADY))
        self.assertAlmostEqual(
            run.readouts["through"].value / (10 * np.pi * 0.02**2), 1.0, delta=1e-9
        )

    def test_below_the_axis_and_a_depth_are_refused(self):
        for patch, words in (
            ({"vessel": {"parts": {"box": {"y": "-1 mm"}}}}, "below its axis"),
            ({"vessel": {"depth": "5 mm"}}, "has no depth"),
        ):
            with self.assertRaises(CaseError) as caught:
                Case(merge_patch(self.CASE, patch))
            self.assertIn(words, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
