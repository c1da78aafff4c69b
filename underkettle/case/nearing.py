"""What a steady stage begins from: what a run before has found, or what the same stage settles to on
a coarser grid.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from underkettle.case.faults import CaseError
from underkettle.case.worked import Worked
from underkettle.engine.contract import GoesOn, Solver, StepFailed
from underkettle.engine.marching.march import March, RunFailed, Stage
from underkettle.engine.marching.state import State

FEWEST = 600  # cells of the coarsest grid
COARSER = 2.0  # times as wide are the cells of each grid to begin from
AIM = 1e-3  # of what a coarse grid settles to
MOST = 30  # sweeps there


def hand_over(
    names: Any, case: Worked, solvers: Mapping[str, Solver], state: State, kept: State, of: Worked
) -> None:
    """Let phenomena begin from what another case on another grid has found."""
    for name in names:
        solver = solvers[name]
        if isinstance(solver, GoesOn) and name in of.phenomena:
            solver.go_on_from(state, kept, of.mesh_of(name))


@dataclass(frozen=True)
class Found:
    """What a run before has found; says : which, in words."""

    case: Worked
    state: State
    says: str


def brought_near(
    case: Worked,
    march: March,
    build: Callable[[Worked], March],
    found: Found | None = None,
) -> Callable[[Stage], str]:
    """What brings a stage of the march near to rest. build : makes the march of the coarser case.
    found : to begin from instead, where it holds what the stage solves for.
    """

    known: set[str] = set()
    if found is not None and not case.moving:
        known.update(name for s in found.case.model.stages.values() for name in s.solve)

    def near(stage: Stage) -> str:
        if found is not None and stage.mode == "steady" and set(stage.solve) <= known:
            hand_over(stage.solve, case, march.solvers, march.state, found.state, found.case)
            return found.says
        if case.moving or case.mesh.cells < FEWEST * COARSER**2:
            return ""
        began = time.perf_counter()
        try:
            coarse = case.coarser(COARSER)
            if coarse.mesh.cells > 0.6 * case.mesh.cells:
                return ""
            other = build(coarse)
            other.orders = march.orders
            index = next(k for k, s in enumerate(march.stages) if s.name == stage.name)
            rough = other.stages[index]
            other.stages = [
                replace(
                    rough,
                    aim=max(rough.aim, AIM),
                    settle=max(rough.settle, AIM),
                    most=min(rough.most, MOST),
                    values=rough.values[:1],
                )
            ]
            if march.state.step > 0:
                hand_over(coarse.phenomena, coarse, other.solvers, other.state, march.state, case)
            other.run()
            if other.stopped:
                return ""
            bad = [name for name, a in other.state.fields.items() if not np.isfinite(a).all()]
            if bad:
                raise RunFailed(f"{', '.join(bad)}: not finite numbers")
            hand_over(stage.solve, case, march.solvers, march.state, other.state, coarse)
        except (CaseError, RunFailed, StepFailed) as failure:
            march.log(
                f"{stage.name}: begins where it stands, a coarser grid did not help: {failure}",
                "solver",
            )
            return ""
        spent = time.perf_counter() - began
        work = f"in {other.state.step} sweeps ({spent:.2g} s)"
        return f"what a grid of {coarse.mesh.cells} cells has settled to {work}"

    return near
