"""Benchmarks as ratios measured in one run: the cost of copying a field is the yardstick."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import splu

from underkettle.benching_charge import cell_newton, hydrogen, loop, plates
from underkettle.benching_fluids import bubble_step, interface, shared
from underkettle.benching_gas import asking_for, flame_step, gas, quickest
from underkettle.case.case import Case
from underkettle.case.solve import build_march, build_solvers, started
from underkettle.engine.compiled import kernel
from underkettle.engine.linear import Multigrid
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.state import State
from underkettle.runs.recorder import Recorder
from underkettle.store.runfile import RunFile

Array = np.ndarray

WEAK = {"kind": "given", "energy": "1e-3 J/kg", "ratio": "10"}
GRAINS = {"kind": "grains", "grain": "20 mm", "porosity": 0.4}


@kernel
def _copy(a, b):  # type: ignore[no-untyped-def]
    for k in range(a.size):
        b[k] = a[k]


def copy_time(n: int) -> float:
    """Seconds to copy one n x n field of float64 once, both fields written before.

    The median over pairs of fields: where a field happens to lie in memory changes the time up to
    twofold.
    """
    rng = np.random.default_rng(0)
    pairs = [(rng.random(n * n), rng.random(n * n)) for _ in range(9)]
    return float(np.median([quickest(partial(_copy, a, b), 60) for a, b in pairs]))


def pressure_problem(n: int, ratio: float) -> tuple[Array, Array, Array]:
    """Face coefficients and right side of a pressure system with two solids, a round blob whose
    density differs by `ratio`, and an outlet on the right.
    """
    c = (np.arange(n) + 0.5) / n
    x, y = np.meshgrid(c, c)
    density = np.where(np.hypot(x - 0.5, y - 0.5) < 0.22, 1.0, ratio)
    solid = (np.hypot(x - 0.2, y - 0.25) < 0.1) | (np.hypot(x - 0.8, y - 0.7) < 0.09)
    ax, ay, b = (np.zeros((n + 3, n + 3)) for _ in range(3))
    ax[1 : n + 1, 2 : n + 1] = np.where(
        ~solid[:, 1:] & ~solid[:, :-1], 2 / (density[:, 1:] + density[:, :-1]), 0
    )
    ay[2 : n + 1, 1 : n + 1] = np.where(
        ~solid[1:] & ~solid[:-1], 2 / (density[1:] + density[:-1]), 0
    )
    ax[1 : n + 1, n + 1] = 2 / density[:, -1]
    noise = np.random.default_rng(1).standard_normal((n, n))
    b[1 : n + 1, 1 : n + 1] = np.where(
        solid, 0, np.sin(7 * x) * np.cos(5 * y) + 3 * (x < 0.1) + 0.3 * noise
    )
    return ax, ay, b


def _matrix(ax: Array, ay: Array, n: int) -> tuple[sparse.csc_array, Array]:
    """The same system as a sparse matrix over open cells, and their mask."""
    inner = (slice(1, n + 1), slice(1, n + 1))
    diagonal = ax[inner] + ax[1 : n + 1, 2 : n + 2] + ay[inner] + ay[2 : n + 2, 1 : n + 1]
    on = diagonal > 0
    index = np.full((n, n), -1)
    index[on] = np.arange(int(on.sum()))
    rows, columns, values = [index[on]], [index[on]], [diagonal[on]]
    for a, p, q in (
        (ax[1 : n + 1, 2 : n + 1], index[:, :-1], index[:, 1:]),
        (ay[2 : n + 1, 1 : n + 1], index[:-1], index[1:]),
    ):
        both = a > 0
        rows += [p[both], q[both]]
        columns += [q[both], p[both]]
        values += [-a[both], -a[both]]
    size = int(on.sum())
    matrix = sparse.coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
        shape=(size, size),
    )
    return sparse.csc_array(matrix), on


def pressure(n: int, ratio: float, peers: bool = True) -> dict[str, float]:
    """A cold solve to 1e-8, set-up counted, beside a sparse LU of the same system."""
    ax, ay, b = pressure_problem(n, ratio)
    zero = np.zeros(ax.shape)
    grid = Multigrid(ax, ay, zero)
    count = 0

    def ours() -> None:
        nonlocal count
        x = np.zeros(ax.shape)
        grid.set_up()
        count = grid.solve(b, x)[0]

    ours()
    best = quickest(ours, 7)
    if not peers:
        return {"copies": best / copy_time(n), "iterations": count}
    matrix, on = _matrix(ax, ay, n)
    right = b[1 : n + 1, 1 : n + 1][on]

    def theirs() -> None:
        splu(
            matrix,
            permc_spec="MMD_AT_PLUS_A",
            options={"SymmetricMode": True, "DiagPivotThresh": 0.0},
        ).solve(right)

    other = quickest(theirs, 3 if n <= 256 else 1)
    others = {
        name: quickest(partial(solve, matrix, right), 2 if n <= 256 else 1) / best
        for name, solve in _multigrid_peers().items()
    }
    return {
        "copies": best / copy_time(n),
        "iterations": count,
        "over_lu": other / best,
        **others,
        "ms": best * 1e3,
    }


def _multigrid_peers() -> dict[str, Callable[[Any, Array], Any]]:
    """Conjugate gradients to 1e-8 with an algebraic multigrid, set-up counted; {} if not installed."""
    try:
        import pyamg
    except ImportError:
        return {}

    def smoothed(matrix: Any, right: Array) -> Any:
        ml = pyamg.smoothed_aggregation_solver(sparse.csr_matrix(matrix))
        return ml.solve(right, tol=1e-8, accel="cg")

    def classical(matrix: Any, right: Array) -> Any:
        ml = pyamg.ruge_stuben_solver(sparse.csr_matrix(matrix))
        return ml.solve(right, tol=1e-8, accel="cg")

    return {"over_sa": smoothed, "over_rs": classical}


def _transport_peer(n: int) -> Callable[[], Any] | None:
    """One implicit convection-diffusion step of a general PDE library, or None without it."""
    try:
        from fipy import CellVariable, Grid2D, UpwindConvectionTerm
        from fipy.terms.diffusionTerm import DiffusionTerm
        from fipy.terms.transientTerm import TransientTerm
    except ImportError:
        return None
    mesh = Grid2D(nx=n, ny=n, dx=1.0 / n, dy=1.0 / n)
    c = CellVariable(mesh=mesh, value=0.0, hasOld=True)
    c.constrain(1.0, mesh.facesLeft)
    c.constrain(0.0, mesh.facesRight)
    equation = TransientTerm() == DiffusionTerm(1e-3) - UpwindConvectionTerm((0.5, 0.1))

    def step() -> None:
        c.updateOld()
        equation.solve(var=c, dt=0.4 / n)

    return step


def _cavity(
    n: int, cut: bool = False, filled: bool = False, eddies: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    """A square with a moving lid at Re 1000, with a bar cut from it or its lower half filled with
    grains if asked; its species is held on one wall.
    """
    half = {"shape": "rectangle", "does": "zone", "x": "0 m", "y": "0 m", "width": "1 m"}
    bed = {"bed": {**half, "height": "0.5 m"}} if filled else {}
    bar = {
        "bar": {"shape": "circle", "does": "cut", "x": "0.4 m", "y": "0.45 m", "radius": "0.15 m"}
    }
    return {
        "format": "under-kettle case 1",
        "name": "bench cavity",
        "vessel": {
            "parts": {
                "box": {
                    "shape": "rectangle",
                    "x": "0 m",
                    "y": "0 m",
                    "width": "1 m",
                    "height": "1 m",
                },
                **(bar if cut else {}),
                **bed,
            }
        },
        "grid": {"size": f"1 m/{n}"},
        "phenomena": {
            "flow": {"density": "1 kg/m3", "viscosity": "1e-3 Pa s", "pressure_aim": 1e-6},
            "species": {"members": {"dye": {"diffusivity": "1e-3 m2/s"}}},
            **({"porous": {}} if filled else {}),
            **({} if eddies is None else {"turbulence": {**eddies}}),
        },
        **({} if eddies is None else {"start": {"space": {"turbulence": WEAK}}}),
        "conditions": {
            **({"bed": {"porous": GRAINS}} if filled else {}),
            "box_top": {"flow": {"kind": "moving wall", "x_speed": "1 m/s"}},
            "box_left": {"species.dye": {"kind": "held value", "value": "1 mol/m3"}},
            "box_right": {"species.dye": {"kind": "held value", "value": "0 mol/m3"}},
        },
        "stages": {
            "go": {
                "solve": ["flow", "species", *([] if eddies is None else ["turbulence"])],
                "mode": "transient",
                "until": "1 s",
            }
        },
    }


class _Marches:
    """Steps of flow, of a species and of eddies if asked (their settings), Courant number 0.4; how long
    each took (s) and its iterations.
    """

    def __init__(
        self,
        n: int,
        cut: bool = False,
        filled: bool = False,
        eddies: Mapping[str, Any] | None = None,
    ) -> None:
        self.case = Case(_cavity(n, cut, filled, eddies))
        self.solvers, self.dt = build_solvers(self.case), 0.4 / n
        self.state = started(self.solvers)
        names = ("flow", *([] if eddies is None else ["turbulence"]), "species")
        self.times: dict[str, list[float]] = {name: [] for name in names}
        self.counts: dict[str, list[int]] = {name: [] for name in names}

    def go(self, steps: int) -> None:
        state = self.state
        for _ in range(steps):
            for name in self.times:
                offers = Offers(name, self.case.meetings, self.solvers, state, {})
                began = time.perf_counter()
                work = self.solvers[name].advance(state, state.time, state.time + self.dt, offers)
                self.times[name].append(time.perf_counter() - began)
                self.counts[name].append(work.iterations)
            state.time += self.dt
            state.step += 1


def _marching(n: int, cut: bool = False, filled: bool = False) -> dict[str, dict[str, float]]:
    """A hundred whole steps after the start has died down."""
    marches, copy = _Marches(n, cut, filled), copy_time(n)
    marches.go(20)
    for name in marches.times:
        marches.times[name], marches.counts[name] = [], []
    marches.go(100)
    return {
        name: {
            "copies": min(values) / copy,
            "median_copies": float(np.median(values)) / copy,
            "iterations": float(np.mean(marches.counts[name])),
            "ms": min(values) * 1e3,
        }
        for name, values in marches.times.items()
    }


def stirred_step(n: int, begun: int = 400, blocks: int = 12) -> dict[str, float]:
    """Means of steps with eddies, over those of plain ones, once they no longer change much from one to
    the next; and the same where every one works eddies out (`each_`). All of them in turn, in blocks;
    the median of blocks, since neighbours come and go.
    """
    settings: dict[str, Mapping[str, Any] | None] = {
        "": {},
        "each_": {"change": 0.0},
        "plain": None,
    }
    marches = {name: _Marches(n, eddies=eddies) for name, eddies in settings.items()}
    for march in marches.values():
        march.go(begun)
    block = 16  # steps, of which eddies are worked out in two
    shares: dict[str, list[float]] = {name: [] for name in settings}
    for _ in range(blocks):
        for name, march in marches.items():
            march.go(block)
            own = [values for part, values in march.times.items() if part != "species"]
            shares[name].append(sum(sum(values[-block:]) for values in own) / block)
    found = {}
    for name in ("", "each_"):
        ratios = np.array(shares[name]) / np.array(shares["plain"])
        found[f"{name}ms"] = float(np.median(shares[name])) * 1e3
        found[f"{name}over_plain"] = float(np.median(ratios))
    return found


def radiating(n: int) -> dict[str, float]:
    """What a square of hot gas and its walls send each other, a mean way across, solved from nothing,
    set-up not counted.
    """
    gas = {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"}
    heat = {"density": "1 kg/m3", "heat_capacity": "1 kJ/(kg K)", "conductivity": "0.1 W/(m K)"}
    cool = {"radiation": {"kind": "wall", "temperature": "500 K"}}
    case = Case(
        {
            "format": "under-kettle case 1",
            "name": "bench radiation",
            "vessel": {"parts": {"gas": gas}},
            "grid": {"size": f"1 m/{n}"},
            "phenomena": {"heat": heat, "radiation": {"absorption": "1 1/m"}},
            "conditions": {f"gas_{side}": cool for side in ("left", "right", "top", "bottom")},
            "start": {"space": {"heat": {"value": "1500 K"}}},
            "stages": {"go": {"solve": ["heat", "radiation"], "mode": "steady"}},
        }
    )
    solvers, times, turns = build_solvers(case), [], 0
    for _ in range(3):
        state = started(solvers)
        offers = Offers("radiation", case.meetings, solvers, state, {})
        began = time.perf_counter()
        turns = int(solvers["radiation"].advance(state, 0.0, 1e-3, offers).iterations)
        times.append(time.perf_counter() - began)
    return {"copies": min(times) / copy_time(n), "iterations": turns, "ms": min(times) * 1e3}


def percolation(n: int, contrast: float = 1e6) -> dict[str, float]:
    """A stream that seeps through a square bed with a round lens and a lying one that many times
    tighter, solved from nothing, set-up counted.
    """
    bed = {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"}
    lens = {"shape": "circle", "does": "zone", "x": "0.4 m", "y": "0.6 m", "radius": "0.2 m"}
    layer = {**bed, "does": "zone", "y": "0.15 m", "width": "0.8 m", "height": "0.1 m"}
    sides = {"inlet": "left", "outlet": "right"}
    loose = {"kind": "permeable", "porosity": 0.4, "permeability": "1e-9 m2"}
    tight = {**loose, "permeability": f"{1e-9 / contrast:g} m2"}
    case = Case(
        {
            "format": "under-kettle case 1",
            "name": "bench percolation",
            "vessel": {
                "parts": {"bed": bed, "lens": lens, "layer": layer},
                "nozzles": {
                    name: {"part": "bed", "side": side, "at": "0.5 m", "bore": "1 m"}
                    for name, side in sides.items()
                },
            },
            "grid": {"size": f"1 m/{n}"},
            "phenomena": {
                "percolation": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
                "porous": {},
            },
            "conditions": {
                "inlet": {"percolation": {"kind": "fed", "pressure": "1 kPa"}},
                "outlet": {"percolation": {"kind": "drains"}},
                "space": {"porous": loose},
                "lens": {"porous": tight},
                "layer": {"porous": tight},
            },
            "stages": {"go": {"solve": ["porous", "percolation"], "mode": "steady"}},
        }
    )
    solvers, count = build_solvers(case), 0
    state = started(solvers)
    offers = Offers("percolation", case.meetings, solvers, state, {})

    def ours() -> None:
        nonlocal count
        fresh = build_solvers(case)["percolation"] if not count else solvers["percolation"]
        solvers["percolation"] = fresh
        fresh.start(state)
        count = fresh.relax(state, offers).iterations

    ours()
    best = quickest(ours, 5)
    return {"copies": best / copy_time(n), "iterations": count, "ms": best * 1e3}


def soaking(n: int, steps: int = 20) -> dict[str, float]:
    """A front that spreads through a dry square from a quarter of its left side: a step in time."""
    felt = {"kind": "permeable", "porosity": 0.6, "permeability": "1e-11 m2"}
    case = Case(
        {
            "format": "under-kettle case 1",
            "name": "bench wicking",
            "vessel": {
                "parts": {
                    "felt": {
                        "shape": "rectangle",
                        "x": "0 m",
                        "y": "0 m",
                        "width": "0.1 m",
                        "height": "0.1 m",
                    }
                },
                "nozzles": {
                    "foot": {"part": "felt", "side": "left", "at": "0.05 m", "bore": "0.025 m"}
                },
            },
            "grid": {"size": f"0.1 m/{n}"},
            "phenomena": {
                "porous": {},
                "wicking": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
            },
            "conditions": {
                "space": {"porous": felt, "wicking": {"kind": "wet front", "draws": "2 kPa"}},
                "foot": {"wicking": {"kind": "wetted"}},
            },
            "stages": {"go": {"solve": ["porous", "wicking"], "mode": "transient", "until": "1 s"}},
        }
    )
    solvers, spent, count = build_solvers(case), 0.0, 0
    state = started(solvers)
    offers = Offers("wicking", case.meetings, solvers, state, {})
    wick = solvers["wicking"]
    for k in range(3 * steps):
        span, _ = wick.limit(state, offers)
        began = time.perf_counter()
        found = wick.advance(state, state.time, state.time + span, offers)
        if k >= 2 * steps:  # the front is some cells long by then
            spent += time.perf_counter() - began
            count += found.iterations
        state.time += span
    return {
        "copies": spent / steps / copy_time(n),
        "iterations": count / steps,
        "ms": spent / steps * 1e3,
    }


def watched(n: int, seconds: float = 6.0) -> dict[str, float]:
    """What one watcher of the live picture costs a run: processor time of making the pictures over
    all that the run takes, and how many it makes a second.
    """
    case = Case(
        {
            **_cavity(n),
            "stages": {
                "go": {"solve": ["flow", "species"], "mode": "transient", "until": "1000 s"}
            },
        }
    )
    with tempfile.TemporaryDirectory() as folder:
        file = RunFile(Path(folder) / "run.sqlite", new=True)
        recorder = Recorder(case, file)
        recorder.watched, recorder.watched_until = "speed", time.time() + 1e6
        spent = {"pictures": 0.0, "count": 0.0}
        show = recorder.show

        def timed(state: State) -> None:
            began = time.thread_time()
            show(state)
            spent["pictures"] += time.thread_time() - began
            spent["count"] += 1

        setattr(recorder, "show", timed)  # noqa: B010
        ends = [0.0, 0.0]

        def orders() -> str:
            now = time.perf_counter()
            if not ends[0] and march.state.step >= 20:  # kernels are loaded, the start is over
                spent.update(pictures=0.0, count=0.0)
                ends[:] = now + seconds, time.process_time()
            return "stop" if ends[0] and now > ends[0] else ""

        march = build_march(case, [recorder], orders=orders)
        march.run()
        used = time.process_time() - ends[1]
        file.close()
    return {
        "share": spent["pictures"] / used,
        "per_s": spent["count"] / seconds,
        "ms": 1e3 * spent["pictures"] / max(spent["count"], 1.0),
    }


def scaling(sizes: Sequence[int] = (64, 128, 256, 512)) -> dict[str, dict[str, float]]:
    """Pressure solve, flow step and transport step against size, alone and beside another run.

    `beside` is the time of a flow step while a second process marches the same case, over that
    alone: what two cores give to two runs. `two_threads` is how many times faster a lone run's step
    is on both cores. `per_iteration` counts copies of one iteration.
    """
    rows = {}
    for n in sizes:
        solve = pressure(n, 1.0, peers=False)
        alone = _marching(n)
        other = subprocess.Popen(
            [
                sys.executable,
                "-c",
                f"from underkettle.benching import keep_marching; keep_marching({n})",
            ],
            stdout=subprocess.PIPE,
        )
        assert other.stdout is not None
        other.stdout.readline()  # it is warm
        beside = _marching(n)
        other.kill()
        other.wait()
        other.stdout.close()
        times: dict[str, list[float]] = {"1": [], "2": []}
        for count in ("1", "2", "1", "2"):  # in turn, since neighbours come and go
            with asking_for(int(count)):
                times[count].append(_marching(n)["flow"]["ms"])
        rows[f"{n} x {n}"] = {
            "pressure_iterations": solve["iterations"],
            "pressure_copies": solve["copies"],
            "per_iteration": solve["copies"] / solve["iterations"],
            "step_iterations": alone["flow"]["iterations"],
            "step_copies": alone["flow"]["copies"],
            "transport_copies": alone["species"]["copies"],
            "step_ms": alone["flow"]["ms"],
            "beside": beside["flow"]["ms"] / alone["flow"]["ms"],
            "two_threads": min(times["1"]) / min(times["2"]),
        }
    return {
        row: {k: round(float(v), 3) for k, v in measures.items()} for row, measures in rows.items()
    }


def keep_marching(n: int) -> None:
    """March until killed; the first line printed says that the kernels are warm."""
    while True:
        _marching(n)
        print("warm", flush=True)


def bench() -> dict[str, dict[str, float]]:
    """Every row: measure -> number. Ratios of the same run are what counts; ms are for reading."""
    rows = {
        "pressure-64": pressure(64, 1.0),
        "pressure-256": pressure(256, 1.0),
        "pressure-256-ratio1000": pressure(256, 1000.0),
        "pressure-512": pressure(512, 1.0),
    }
    steps = _marching(256)
    rows["step-256"], rows["transport-256"] = steps["flow"], steps["species"]
    cut = _marching(256, cut=True)
    rows["step-256-cut"], rows["transport-256-cut"] = cut["flow"], cut["species"]
    rows["percolation-256"] = percolation(256)
    rows["radiation-256"] = radiating(256)
    rows["wicking-128"] = soaking(128)
    filled = _marching(256, filled=True)["flow"]
    rows["step-256-porous"] = {**filled, "over_plain": filled["ms"] / steps["flow"]["ms"]}
    rows["step-256-turbulent"] = stirred_step(256)
    rows |= gas()
    rows["cell-newton"], rows["loop"], rows["plate"] = cell_newton(64), loop(), plates(1.0)
    rows["hydrogen-cell"] = hydrogen()
    rows |= interface(256, copy_time)
    rows["solute-256"] = shared(256, copy_time)
    rows["step-256-bubble"] = bubble_step(256, copy_time)
    flame = flame_step(128)
    laminar = _marching(128)["flow"]["ms"]
    rows["step-128-flame"] = {"ms": flame, "over_laminar": flame / laminar}
    rows["live-256"] = watched(256)
    peer = _transport_peer(256)
    if peer is not None:
        peer()
        rows["transport-256"]["over_pde"] = quickest(peer, 3) * 1e3 / rows["transport-256"]["ms"]
    return {
        row: {k: round(float(v), 3) for k, v in measures.items()} for row, measures in rows.items()
    }
