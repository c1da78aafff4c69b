"""The march: what has not converged does not pass, and a fault is taken back whatever raised it."""

import math
import unittest
from contextlib import contextmanager
from unittest import mock

import numpy as np

from tests.phenomena.cases import BOX, CASES, HEAT, HOT, SPECIES
from tests.recorder import Recorder
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import Budget, StepFailed
from underkettle.engine.marching.march import RunFailed
from underkettle.engine.marching.state import State
from underkettle.phenomena.flow import stepping


@contextmanager
def managed():
    yield


class Faults(unittest.TestCase):
    def test_a_failed_step_keeps_its_kind_through_a_context_manager(self):
        with self.assertRaises(StepFailed) as caught, managed():
            raise StepFailed("pressure", "x 1 m", "not a number")
        self.assertEqual(str(caught.exception), "pressure at x 1 m: not a number")

    def test_a_step_that_no_shorter_one_saves_ends_the_run_at_once(self):
        march = build_march(Case(CASES["flow"]), [told := Recorder()])

        def fails(*_, **__):
            raise StepFailed("pressure", "x 1 m", "there is none", is_final=True)

        march.solvers["flow"].advance = fails
        before = march.state.time
        with self.assertRaisesRegex(RunFailed, "^pressure at x 1 m: there is none$"):
            march.run()
        self.assertEqual(march.state.time, before)
        self.assertEqual([kind for kind, _ in told.said if kind in ("back", "failed")], ["failed"])

    def test_a_stage_ends_where_what_it_waits_for_comes(self):
        case = {
            "format": "under-kettle case 1",
            "name": "block",
            "vessel": {"parts": {"block": BOX}},
            "grid": {"size": "5 mm"},
            "phenomena": {"heat": HOT},
            "conditions": {"space": {"heat": {"kind": "made", "source": "4 MW/m3"}}},  # 1 K/s
            "start": {"space": {"heat": {"value": "300 K"}}},
            "stages": {
                "warm": {
                    "solve": ["heat"],
                    "mode": "transient",
                    "until": "10 s",
                    "longest_step": "0.4 s",
                    "ends": "warmest > limit",
                },
                "on": {"solve": ["heat"], "mode": "transient", "until": "1 s"},
            },
            "parameters": {"limit": "302.5 K"},
            "readouts": {"warmest": {"kind": "max", "field": "temperature", "place": "space"}},
        }
        march = build_march(Case(case), [told := Recorder()])
        march.run()
        (words,) = [text for _, text in told.said if "what it waits for came" in text]
        self.assertAlmostEqual(float(words.split(" at ")[1].split(" s")[0]), 2.5, delta=1.5e-3)
        self.assertAlmostEqual(march.state.time, 3.5, delta=1.5e-3)
        self.assertEqual(sum(kind == "back" for kind, _ in told.said), 0)
        case["stages"]["warm"]["ends"] = "warmest > 900 K"
        march = build_march(Case(case))
        march.run()
        self.assertAlmostEqual(march.state.time, 11.0)

    def test_a_pressure_solve_at_its_limit_fails_the_step(self):
        march = build_march(Case(CASES["flow"]), [told := Recorder()])
        with mock.patch.object(stepping, "MOST_ITERATIONS", 1), self.assertRaises(RunFailed):
            march.run()
        self.assertTrue(
            any("mass is missing" in text for kind, text in told.said if kind == "back"),
            told.said[:3],
        )

    def test_a_group_that_does_not_agree_fails_the_step_or_is_told(self):
        swelling = merge_patch(
            HEAT,
            {
                "phenomena": {"flow": {"density": "300 kg K/m3/temperature"}},
                "start": {"space": {"heat": {"value": "300 K"}}},
                "stages": {"go": {"until": "0.02 s"}},
            },
        )
        with mock.patch("underkettle.engine.marching.march.GROUP_SWEEPS", 2):
            told = Recorder()
            with (
                mock.patch("underkettle.engine.contract.Phenomenon.agrees_to", 1e-12),
                self.assertRaises(RunFailed),
            ):
                build_march(Case(swelling), [told]).run()
            self.assertTrue(any("did not agree in 2 repeats" in t for _, t in told.said))
            told = Recorder()
            with mock.patch("underkettle.engine.contract.Phenomenon.agrees_to", 1.0):
                build_march(Case(swelling), [told]).run()
            self.assertTrue(any(k == "doubt" and "only within a step" in t for k, t in told.said))

    def test_a_law_of_old_values_reads_what_was(self):
        """Within a step, whoever has gone on since."""
        case = Case(SPECIES)
        march = build_march(case)
        name = next(iter(case.fields()))
        problem = march.solvers["species"].problem
        state = march.state
        member = next(n for n, (owner, _) in case.fields().items() if owner == "species")
        before = problem.known(state, [member])[member].copy()
        state.copy_into(march._spare)
        state.begun = march._spare
        state.fields[case.fields()[member][1].arrays[0]][:] += 7.0
        np.testing.assert_array_equal(problem.known(state, [member], "old")[member], before)
        self.assertGreater(
            np.abs(problem.known(state, [member], "new")[member] - before).max(), 6.0
        )
        self.assertTrue(name)


class Remembering(unittest.TestCase):
    """What the march remembers goes into a checkpoint and comes out the same."""

    def state(self):
        state = State()
        state.memory.budgets["go"] = {"heat": Budget("J", {"inlet": 3.0}, made=1.0).plain()}
        state.memory.rates["heat"] = {"inlet": -3.0}
        state.memory.pairs["heat"] = [Budget("J").plain(), 0.1, 7]
        state.memory.group.see({"": 0.5}, 2)
        return state

    def test_a_checkpoint_holds_it(self):
        state = self.state()
        again = State.from_bytes(state.to_bytes())
        self.assertEqual(again.memory, state.memory)
        self.assertEqual(again.memory.group.best, math.inf)
        self.assertEqual(Budget(**again.memory.budgets["go"]["heat"]).gap, 4.0)

    def test_a_copy_is_its_own(self):
        state, spare = self.state(), State()
        state.copy_into(spare)
        state.memory.budgets["go"]["heat"]["inflow"]["inlet"] = 9.0
        state.memory.group.looks.clear()
        self.assertEqual(spare.memory.budgets["go"]["heat"]["inflow"]["inlet"], 3.0)
        self.assertEqual(len(spare.memory.group.looks), 1)

    def test_only_the_newest_looks_are_kept(self):
        state = State()
        for k in range(5):
            state.memory.group.see({"": float(k)}, 3)
        self.assertEqual([look[""] for look in state.memory.group.looks], [2.0, 3.0, 4.0])


if __name__ == "__main__":
    unittest.main()
