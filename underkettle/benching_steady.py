"""How long streams take to come to rest, against the size of the grid.

The unit is one sparse LU factorisation of the coupled system of velocities and pressures, its
unknowns in nested dissection, in the same run: what one sweep of a method that factors would cost.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import splu

from underkettle import api
from underkettle.benching import copy_time
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.marching.listening import Quiet
from underkettle.engine.marching.march import March, Report

Array = np.ndarray

ROOT = Path(__file__).resolve().parent.parent
BESIDE = {"channel": "demo/templates/2-channel.json", "tee": "demo/templates/5-tee.json"}
PROOFS = ("cylinder", "step", "cavity")
# turbulent proofs, and the viscosity that makes each a laminar stream on the same grid, Re about 100
STIRRED = {
    "channel": ("stirred_heat", "1.2 kg/m3*speed*2*radius/100"),
    "step": ("stirred_step", "1 Pa s/100"),
    "jet": ("stirred_jet", "1 Pa s/100"),
}
FACTORED = 30_000  # cells up to which the coupled system is factored, for comparison
REACH = 2  # cells within which velocities feel each other
SMALLEST = 16  # cells that are not dissected further


class Counted(Quiet):
    """Counts sweeps and directions; the coarser grids' are their own."""

    def __init__(self) -> None:
        self.sweeps = self.directions = 0

    def step(self, report: Report) -> None:
        self.sweeps += 1
        self.directions += report.iterations


def _case(name: str) -> dict[str, Any]:
    """The case of a row: a stream alone, steady."""
    folder = {"step": "backward_step"}.get(name, name)
    file = BESIDE.get(name) or f"proofs/{folder}/case.json"
    data = api.load(ROOT / file)
    alone = {"settle": {"solve": ["flow"], "mode": "steady"}}
    if name == "step":  # Re 400, by the height of the step and the mean speed
        return {**merge_patch(data, {"parameters": {"viscosity": "2.5 mPa s"}}), "stages": alone}
    if name == "cavity":
        return {**merge_patch(data, {"parameters": {"reynolds": "1000"}}), "stages": alone}
    return {**data, "stages": alone, "readouts": data.get("readouts", {}) if name != "tee" else {}}


def dissection(rows: int, columns: int) -> Array:
    """Rank of each cell (rows, columns) in a nested dissection with separators two cells wide."""
    order: list[Array] = []
    index = np.arange(rows * columns).reshape(rows, columns)

    def cut(j0: int, j1: int, i0: int, i1: int) -> None:
        height, width = j1 - j0, i1 - i0
        if height * width <= SMALLEST or max(height, width) < 5:
            order.append(index[j0:j1, i0:i1].ravel())
        elif width >= height:
            m = (i0 + i1) // 2
            cut(j0, j1, i0, m - 1)
            cut(j0, j1, m + 1, i1)
            order.append(index[j0:j1, m - 1 : m + 1].ravel())
        else:
            m = (j0 + j1) // 2
            cut(j0, m - 1, i0, i1)
            cut(m + 1, j1, i0, i1)
            order.append(index[m - 1 : m + 1, i0:i1].ravel())

    cut(0, rows, 0, columns)
    rank = np.empty(rows * columns, np.int64)
    rank[np.concatenate(order)] = np.arange(rows * columns)
    return rank.reshape(rows, columns)


def factoring(march: March) -> float:
    """Seconds to factor the coupled system of a stream as it stands."""
    solver: Any = march.solvers["flow"]
    system = solver.system
    span = 2 * REACH + 1
    row, column = np.indices(system.shape)
    colour = (row % span) * span + column % span
    count = int(system.ends[-1])
    key = np.concatenate(
        [4 * dissection(*system.shape)[on] + k for k, on in enumerate(system.kinds)]
    )
    place = np.empty(count, np.int64)
    place[np.argsort(key)] = np.arange(count)
    number = [np.full(system.shape, -1) for _ in range(3)]
    first = 0
    for field, at, end in zip(number, system.at, system.ends, strict=True):
        field.ravel()[at] = np.arange(first, int(end))
        first = int(end)
    entries = []
    system.weights = np.ones(count)
    for moved in range(3):
        for one in range(span * span):
            push = np.zeros(count)
            mine = number[moved][(colour == one) & (number[moved] >= 0)]
            if not mine.size:
                continue
            push[mine] = 1.0
            told = system.applied(push)
            # the unknown of this colour that lies within reach of every cell
            source = np.full(system.shape, -1)
            js, iss = np.unravel_index(
                system.at[moved][mine - (system.ends[moved - 1] if moved else 0)], system.shape
            )
            for dj in range(-REACH, REACH + 1):
                for di in range(-REACH, REACH + 1):
                    j, i = js + dj, iss + di
                    inside = (j >= 0) & (j < system.shape[0]) & (i >= 0) & (i < system.shape[1])
                    source[j[inside], i[inside]] = mine[inside]
            for field in number:
                hit = (field >= 0) & (source >= 0)
                values = told[field[hit]]
                some = values != 0.0
                entries.append((place[field[hit][some]], place[source[hit][some]], values[some]))
    rows, columns, values = (np.concatenate(part) for part in zip(*entries, strict=True))
    matrix = sparse.csc_array((values, (rows, columns)), shape=(count, count))
    free = place[number[2].ravel()[system.at[2]][-1]] if system.pockets else -1
    if free >= 0:  # a level that nothing fixes
        matrix = sparse.csc_array(
            matrix + sparse.csc_array(([1.0], ([free], [free])), (count, count))
        )
    began = time.perf_counter()
    splu(matrix, permc_spec="NATURAL", diag_pivot_thresh=0.01, options={"SymmetricMode": True})
    return time.perf_counter() - began


def from_cold(make: Callable[[], Case]) -> tuple[float, Counted, March, Case]:
    """Seconds to rest the second time: compiled before, coarser grids counted, meshing of the finest
    not.
    """
    for _ in range(2):
        case, counted = make(), Counted()
        march = build_march(case, [counted])
        began = time.perf_counter()
        march.run()
        seconds = time.perf_counter() - began
    return seconds, counted, march, case


def settle(name: str, cells: float, factors: bool = True) -> dict[str, float]:
    """One row: from cold to rest."""
    data = _case(name)
    grid = float(np.sqrt(cells / Case(data).mesh.cells))
    seconds, counted, march, case = from_cold(lambda: Case(data, grid=grid))
    row = {
        "seconds": seconds,
        "copies": seconds / copy_time(int(np.sqrt(case.mesh.cells))),
        "iterations": float(counted.directions),
        "sweeps": float(counted.sweeps),
        "cells": float(case.mesh.cells),
    }
    if factors and case.mesh.cells <= FACTORED:
        row["factors"] = seconds / factoring(march)
    return row


def turbulent(name: str) -> dict[str, float]:
    """From cold to rest with eddies, over the same of a laminar stream on the same grid."""
    folder, thick = STIRRED[name]
    data = api.load(ROOT / "proofs" / folder / "case.json")
    flow, stage = data["phenomena"]["flow"], {"mode": "steady", "aim": 1e-6}
    readouts = {n: None for n, r in data["readouts"].items() if r.get("field") == "temperature"}
    others = {n: None for n in data["phenomena"] if n != "flow"}
    none = dict.fromkeys(data["conditions"], others)
    plain = merge_patch(data, {"conditions": none, "readouts": readouts, "phenomena": others})
    plain["phenomena"]["flow"] = {**flow, "viscosity": thick}
    plain["stages"] = {"settle": {"solve": ["flow"], **stage}}
    stirred = {**data, "stages": {"settle": {"solve": ["flow", "turbulence"], **stage}}}
    laminar = from_cold(lambda: Case(plain))[0]
    seconds, counted, _, case = from_cold(lambda: Case(stirred))
    return {
        "seconds": seconds,
        "laminar_seconds": laminar,
        "sweeps": float(counted.sweeps),
        "cells": float(case.mesh.cells),
        "of_laminar": seconds / laminar,
    }


def warm_start() -> dict[str, float]:
    """A variant with another speed, begun from the run before, over the same from cold."""
    data = _case("cylinder")
    faster = {"mean_speed": "0.24 m/s"}
    with tempfile.TemporaryDirectory() as folder:
        kept = Path(folder) / "before.sqlite"
        api.run(data, out=kept)
        times = []
        for start in (None, kept, None, kept):
            counted = Counted()
            began = time.perf_counter()
            api.run(data, faster, listeners=[counted], start=start)
            times.append(time.perf_counter() - began)
    return {"of_cold": min(times[1::2]) / min(times[::2]), "seconds": min(times[1::2])}


class Leaving(Quiet):
    """Moments of what leaves: shares that have left, mean and spread of when (s)."""

    def __init__(self) -> None:
        self.sums = np.zeros(3)

    def step(self, report: Report) -> None:
        if report.dt > 0:
            t = report.state.stage_time - 0.5 * report.dt
            left = sum(sum(b.outflow.values()) for b in report.budgets.values())
            # the mean over a step of t squared is that of its middle and a twelfth of its square
            self.sums += left * np.array([1.0, t, t * t + report.dt**2 / 12])

    @property
    def moments(self) -> Array:
        mean = self.sums[1] / self.sums[0]
        return np.array([self.sums[0], mean, np.sqrt(self.sums[2] / self.sums[0] - mean**2)])


def tracer_held(cells: float = 14e3) -> dict[str, float]:
    """600 s of a marker in a tank on a held stream, over the same with one small step each."""
    data = api.load(ROOT / "demo/templates/4-tank.json")
    base = Case(data).mesh.cells
    times, moments = [], []
    for parts in (None, None, 0):  # the first one compiles
        seen = Leaving()
        march = build_march(Case(data, grid=float(np.sqrt(cells / base))), [seen])
        for solver in march.solvers.values():
            if parts is not None and hasattr(solver, "carrying"):
                solver.carrying.parts = parts
        stages = march.stages
        march.stages = stages[:1]
        march.run()
        march.stages = stages
        began = time.perf_counter()
        march.run()
        times.append(time.perf_counter() - began)
        moments.append(seen.moments)
    apart = float(np.abs(moments[1] / moments[2] - 1.0).max())
    return {"seconds": times[1], "over_small_steps": times[2] / times[1], "moments_apart": apart}


def rows(most: float = 150_000) -> Mapping[str, dict[str, float]]:
    """Every row up to so many cells."""
    found: dict[str, dict[str, float]] = {}
    for name in (*BESIDE, *PROOFS):
        for label, cells in (("4k", 4e3), ("16k", 16e3), ("64k", 64e3), ("128k", 128e3)):
            if cells <= most and (label != "128k" or name in ("channel", "cylinder")):
                found[f"steady-{name}-{label}"] = settle(name, cells)
    for name in STIRRED:
        found[f"steady-turbulent-{name}"] = turbulent(name)
    found["warm-start"] = warm_start()
    found["tracer-held"] = tracer_held()
    return found
