"""What gases cost that react: cells by their reactions, equilibria, and what a table tells of them."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from underkettle import api
from underkettle.case.case import Case
from underkettle.case.solve import build_solvers
from underkettle.engine.marching.listening import Quiet
from underkettle.engine.threads import ASKED

Array = np.ndarray
ROOT = Path(__file__).resolve().parents[1]


def quickest(work: Callable[[], Any], repeats: int) -> float:
    """Shortest of several timings (s)."""
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


# made-up laws of the usual shape, so that rates lie decades apart
TWO_STEPS: dict[str, dict[str, Any]] = {
    "opening": {
        "written": "CH4 + 1.5 O2 -> CO + 2 H2O",
        "constant": "5e11 (cm3/mol)^0.5/s",
        "activation": "200 kJ/mol",
        "orders": "CH4 0.7, O2 0.8",
    },
    "burning": {
        "written": "CO + 0.5 O2 -> CO2",
        "constant": "4e10 (cm3/mol)^0.5/s",
        "activation": "170 kJ/mol",
        "reverses": True,
    },
}


def _cells(names: list[str], typed: dict[str, Any]) -> Any:
    """Solver of reactions among so many substances, as a case has it."""
    box = {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"}
    case = Case(
        {
            "format": "under-kettle case 1",
            "name": "bench chemistry",
            "vessel": {"parts": {"box": box}},
            "grid": {"size": "0.5 m"},
            "phenomena": {
                "species": {"members": {name: {"diffusivity": "0 m2/s"} for name in names}},
                "reactions": {"temperature": "1500 K", "reactions": typed},
            },
            "stages": {
                "go": {"solve": ["species", "reactions"], "mode": "transient", "until": "1 ms"}
            },
        }
    )
    return build_solvers(case)["reactions"]


def _chemistry(solver: Any, begun: Array, warm: Array, asked: int) -> dict[str, float]:
    """Cells (substances, cells; mol/m3) through a millisecond, against general integrators."""
    from scipy.integrate import solve_ivp

    from underkettle.engine.operators.kinetics import RELATIVE, UNSTIRRED, by_itself, carry_through
    from underkettle.paper.reactors import made_in

    substances, cells = begun.shape
    rates, many, span = solver.rates, len(solver.rates.made), 1e-3
    share, faint = np.ones((many, cells)), np.full(substances, 1e-4)
    run, parts = np.zeros((many, cells)), np.zeros(cells, np.int64)
    still, nobody = np.full(cells, UNSTIRRED), np.zeros(cells)
    own_way = by_itself(many, substances)

    def carried() -> None:
        c, own = begun.copy(), np.zeros(cells)
        carry_through(c, warm, share, span, *rates, still, nobody, faint, own, run, parts, *own_way)

    carried()
    each = quickest(carried, 5) / cells
    steps = float(parts.mean())
    found = {"cells_a_second": 1.0 / each, "steps_a_cell": steps, "us_a_step": 1e6 * each / steps}
    for method in ("LSODA", "BDF"):
        took = 0.0
        for k in np.linspace(0, cells - 1, asked).astype(int):
            made = made_in(rates, np.ones(many), warm[k], faint)
            made(begun[:, k])  # compiled by now
            began = time.perf_counter()
            solve_ivp(
                lambda _, c, made=made: made(c),
                (0.0, span),
                begun[:, k],
                method=method,
                rtol=RELATIVE,
                atol=RELATIVE * 1e-3,
            )
            took += time.perf_counter() - began
        found[f"over_{method.lower()}"] = took / asked / each
    with asking_for(2):
        found["two_threads"] = each * cells / quickest(carried, 5)
    return found


@contextmanager
def asking_for(threads: int) -> Iterator[None]:
    """Runs may use so many threads."""
    before = os.environ.get(ASKED)
    os.environ[ASKED] = str(threads)
    try:
        yield
    finally:
        if before is None:
            del os.environ[ASKED]
        else:
            os.environ[ASKED] = before


def chemistry(cells: int = 4000, asked: int = 12) -> dict[str, float]:
    """Cells of a burning gas through a millisecond by two reactions alone, 1200 to 2200 K: how many a
    second, how many times faster than general integrators with the same compiled rates, which solve
    some of them to the same tolerance, and by how much two threads are faster.
    """
    names = ["CH4", "O2", "CO", "CO2", "H2O"]
    solver = _cells(names, TWO_STEPS)
    burnt = np.linspace(0.0, 0.999, cells)
    begun = np.zeros((len(names), cells))
    order = [solver.names.index(name) for name in names]
    begun[order] = 1 - burnt, 2.2 - 1.7 * burnt, 0.4 * burnt, 0.6 * burnt, 2 * burnt
    return _chemistry(solver, begun, 1200.0 + 1000.0 * burnt, asked)


def hydrogen(cells: int = 2000, asked: int = 8) -> dict[str, float]:
    """The same of hydrogen that burns by twenty-one reactions with radicals, 1000 to 2200 K."""
    from underkettle.case.ready import known_sets

    known = next(s for s in known_sets("reactions") if s.name == "hydrogen")
    names = ["H2", "O2", "H2O", "H", "O", "OH", "HO2", "H2O2", "N2"]
    solver = _cells(names, {n: dict(v) for n, v in known.members.items()})
    burnt = np.linspace(0.0, 0.999, cells)
    begun, few = np.zeros((len(solver.names), cells)), burnt * (1.0 - burnt)
    there = {"H2": 3 * (1 - burnt), "O2": 1.5 - 1.3 * burnt, "H2O": 3 * burnt, "H": 0.1 * few}
    there |= {"O": 0.03 * few, "OH": 0.05 * few, "HO2": 1e-3 * few, "H2O2": 1e-4 * few}
    for name, amount in there.items():
        begun[solver.names.index(name)] = amount
    return _chemistry(solver, begun, 1000.0 + 1200.0 * burnt, asked)


class _Watch(Quiet):
    """Notes how long every step takes (s)."""

    def __init__(self) -> None:
        self.took: list[float] = []

    def step(self, report: Any) -> None:
        self.took.append(report.wall)


def flame_step(n: int) -> float:
    """Milliseconds of a whole step of a plane methane flame of two steps on n x n cells of .1 mm: flow,
    five components, their heat, and reactions.
    """
    data = api.load(ROOT / "proofs" / "two_step_flame" / "case.json")
    size = {"far": f"{n}*cell", "tall": f"{n}*cell"}
    stage = {**data["stages"]["go"], "until": "0.5 ms", "frame_every": "0.5 ms"}
    case = {**data, "parameters": {**data["parameters"], **size}, "stages": {"go": stage}}
    watch = _Watch()
    api.run({**case, "derived": {}, "readouts": {}}, listeners=[watch])
    return 1e3 * float(np.median(watch.took[len(watch.took) // 2 :]))


def equilibria(feeds: int = 2000) -> dict[str, float]:
    """Microseconds of an equilibrium from an even gas, and from its neighbour a kelvin away; how many
    of so many random feeds at 300 to 3000 K come to none.
    """
    from underkettle.matter.equilibrium import Forming
    from underkettle.matter.thermo import AIR, ThermoError

    plain = Forming(("C", "H", "O", "N", "Ar"), 1e5, graphite=False)
    flame = plain.feed({"CH4": 1.0, **{s: 9.5 * n for s, n in AIR.items()}})[:, None]
    each = np.ones((1, 1000)) * flame
    cold = quickest(lambda: [plain.at(flame, np.array([2000.0])) for _ in range(200)], 3) / 200
    warm = quickest(lambda: plain.at(each, np.linspace(1500.0, 2500.0, 1000)), 3) / 1000
    random, failed = np.random.default_rng(7), 0
    settling = Forming(("C", "H", "O", "N"), 1e5)
    for _ in range(feeds):
        try:
            settling.at(random.uniform(0.01, 1.0, (4, 1)), random.uniform(300.0, 3000.0, 1))
        except ThermoError:
            failed += 1
    return {"cold_us": 1e6 * cold, "warm_us": 1e6 * warm, "failed": float(failed)}


def lookups(cells: int = 100_000) -> dict[str, float]:
    """Nanoseconds of a cell for eight values of a table of three coordinates, and how many times
    quicker that is than a general interpolation of one.
    """
    from scipy.interpolate import RegularGridInterpolator

    from underkettle.matter.burnt import Streams, burnt
    from underkettle.matter.gases import read_gas

    table = burnt(Streams(read_gas("CH4"), read_gas("air"), 298.15, 298.15, 101325.0))
    random = np.random.default_rng(5)
    share, unmixed = random.uniform(0.0, 0.2, cells), random.uniform(0.0, 0.3, cells)
    lost = random.uniform(0.0, 5e5, cells)
    names = ("volume", "temperature", "viscosity", "spreading", "CO2", "H2O", "CO", "O2")
    eight = quickest(lambda: table.look(names, share, unmixed, lost), 3)
    one = quickest(lambda: table.look(names[:1], share, unmixed, lost), 3)
    general = RegularGridInterpolator(table.axes, table.table[table.rows["volume"]])
    where = np.stack([lost, unmixed, share], axis=1)
    return {"ns": 1e9 * eight / cells, "over_general": quickest(lambda: general(where), 3) / one}


def gas() -> dict[str, dict[str, float]]:
    """Rows of this file."""
    return {
        "chemistry-cells": chemistry(),
        "chemistry-hydrogen": hydrogen(),
        "equilibrium": equilibria(),
        "table-lookup": lookups(),
    }
