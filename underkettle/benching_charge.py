"""What charge costs: a cell that reacts, found from nothing, and a capacitor swept round."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

import numpy as np
from scipy.optimize import newton_krylov

from underkettle.benching_gas import quickest
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march, build_solvers
from underkettle.engine.marching.listening import Quiet
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.state import State
from underkettle.proving import case_proved

VOLTAGES = 0.05, 0.2, 0.4  # V over a porous electrode that reacts
CLOSE = 1e-8  # of what enters, that a general solver leaves; ours leaves less
BOX = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "2 mm", "height": "2 mm"}


class _Turns(Quiet):
    """Counts steps of their own."""

    def __init__(self) -> None:
        self.parts = 0

    def step(self, report: Any) -> None:
        self.parts += max(report.parts.values(), default=1)


def _electrode(n: int, over: float) -> Case:
    """A porous electrode of n x n cells under a voltage, in two conductors."""
    return Case(
        {
            "format": "under-kettle case 1",
            "name": "bench electrode",
            "vessel": {"parts": {"pores": BOX}},
            "grid": {"size": f"{2.0 / n} mm"},
            "phenomena": {
                "charge": {
                    "members": {
                        "carbon": {"conductivity": "100 S/m"},
                        "liquid": {"conductivity": "20 S/m"},
                    },
                    "passages": {"reaction": {"law": "Butler-Volmer", "exchange": "1 A/m2"}},
                }
            },
            "conditions": {
                "pores_left": {"charge.carbon": {"kind": "held", "value": f"{over} V"}},
                "pores_right": {"charge.liquid": {"kind": "held", "value": "0 V"}},
                "space": {"charge.reaction": {"kind": "in pores", "area": "1e5 1/m"}},
            },
            "stages": {"go": {"solve": ["charge"], "mode": "steady"}},
        }
    )


def cell_newton(n: int) -> dict[str, float]:
    """Turns from nothing at three voltages, the most of them; ms of the hardest; and how many times
    longer a general Newton-Krylov solver takes, as it comes.
    """
    turns, worst, slower = 0, 0.0, 0.0
    for over in VOLTAGES:
        case = _electrode(n, over)
        solver: Any = build_solvers(case)["charge"]
        state = State()
        solver.start(state)
        offers = Offers("charge", case.meetings, {"charge": solver}, state, {})
        solver._set(state, 0.0, offers)
        network, rests = solver.network, solver._held(state)
        zero = np.zeros(network.size)

        def ours(network: Any = network, rests: Any = rests, zero: Any = zero) -> Any:
            network.begin()
            return network.solve(zero, rests, 0.0)

        found = quickest(ours, 3)
        turns, worst = max(turns, network.turns), max(worst, found)

        def left(x: Any, network: Any = network, rests: Any = rests) -> Any:
            return network._gains(x, network.passing(x, rests, 0.0)[0])

        size = float(np.abs(network.passing(ours()[0], rests, 0.0)[0].legs[0]).max())
        began = time.perf_counter()
        try:
            newton_krylov(left, zero, f_tol=CLOSE * size, maxiter=60)
            slower = max(slower, (time.perf_counter() - began) / found)
        except Exception:  # it gives up in ways of its own; then it is no peer at this voltage
            continue
    return {"turns": turns, "ms": 1e3 * worst, "over_krylov": slower}


def loop() -> dict[str, float]:
    """A capacitor once up and down in 200 points: ms, steps of its own, and how much longer it takes
    with every system factored anew.
    """
    data = case_proved("capacitor_loop")
    data["parameters"] |= {"rate": "1 V/s", "cycles": "1"}
    kept, parts = _swept(data, keep=True)
    anew, _ = _swept(data, keep=False)
    return {"ms": 1e3 * kept, "parts": parts, "over_anew": anew / kept}


def _swept(data: Mapping[str, Any], keep: bool) -> tuple[float, int]:
    """Seconds of one cycle, the better of two, and its own steps."""
    times, counted = [], _Turns()
    for _ in range(2):
        counted = _Turns()
        march = build_march(Case(data), [counted])
        if not keep:
            solver: Any = march.solvers["charge"]
            network, solve = solver.network, solver.network.solve

            def anew(*asked: Any, network: Any = network, solve: Any = solve) -> Any:
                network.known_lus.clear()
                return solve(*asked)

            network.solve = anew
        began = time.perf_counter()
        march.run()
        times.append(time.perf_counter() - began)
    return min(times), counted.parts


# V of a hydrogen cell, and by how far a peer begins from there
LOADS, NEAR = (0.8, 0.65, 0.5), 0.005


def hydrogen() -> dict[str, float]:
    """A hydrogen cell along its channels: times that factors are made from nothing at three voltages,
    the most of them; ms of the hardest, and of the next voltage from there; and how many of the three
    a general Newton-Krylov solver finds, as it comes, from a voltage that near.
    """
    turns, cold, warm, found = 0, 0.0, 0.0, 0
    for volts in LOADS:
        system, guess = _loaded(volts)
        began = time.perf_counter()
        x, _ = system.solve(guess)
        cold, turns = max(cold, time.perf_counter() - began), max(turns, system.turns)
        near, _ = _loaded(volts - NEAR)
        began = time.perf_counter()
        near.solve(x)
        warm = max(warm, time.perf_counter() - began)
        _, matrix, _ = near.look(x)
        scale = 1.0 / abs(matrix).max(axis=1).toarray().ravel()

        def left(x: Any, near: Any = near, scale: Any = scale) -> Any:
            return near.look(x, sloped=False)[0] * scale

        try:
            newton_krylov(left, x, f_tol=CLOSE, maxiter=30)
            found += 1
        except Exception:  # it gives up in ways of its own
            continue
    return {"turns": turns, "ms": 1e3 * cold, "warm_ms": 1e3 * warm, "krylov_finds": found}


def _loaded(volts: float) -> tuple[Any, Any]:
    """The equations of a cell under a voltage, and where they begin from nothing."""
    data = case_proved("cell_along")
    load = data.pop("variants")["under load"]
    data = merge_patch(data, merge_patch(load, {"parameters": {"volts": f"{volts} V"}}))
    solver: Any = next(iter(build_solvers(Case(data)).values()))
    state = State()
    solver.start(state)
    solver._set(state, 0.0)
    return solver.system, solver._guessed()


PLATES = 140.0, 90.0  # mm


def plates(size: float) -> dict[str, float]:
    """A battery plate on cells of a size (mm) under a steady load: ms of a step with even factors that
    serve many, how many times longer it takes with factors made anew for each turn, and how many times
    shorter by shapes; mV by which shapes are off at the end.
    """
    kept, volts = _plate(size, "in full")
    anew, same = _plate(size, "in full", anew=True)
    shaped, nearly = _plate(size, "by shapes")
    return {
        "ms": 1e3 * kept,
        "over_anew": anew / kept,
        "by_shapes": kept / shaped,
        "same": abs(volts - same),
        "off": 1e3 * abs(volts - nearly),
    }


def _plate(size: float, way: str, anew: bool = False) -> tuple[float, float]:
    """Seconds of a solve once all is made that serves many, and the voltage (V) at the end."""
    data = case_proved("plate_by_shapes")
    data["grid"] = {"size": f"{size} mm"}
    data["phenomena"]["charge"]["way"] = way
    data["stages"]["rest"] |= {"until": "100 s", "longest_step": "1 s"}
    data["conditions"]["plus"]["charge.aluminium"]["current"] = "-load"
    march = build_march(Case(data), [counted := _Solves()])
    solver: Any = march.solvers["charge"]
    solver.is_checked = True
    if anew:
        solver.network._near = lambda per, slopes: None
    solve = solver.network.solve

    def timed(*asked: Any) -> Any:
        began = time.perf_counter()
        found = solve(*asked)
        counted.times.append(time.perf_counter() - began)
        return found

    solver.network.solve = timed
    march.run()
    edge = march.state.fields["charge.joined"]
    return float(np.median(counted.times)), float(np.ravel(edge)[0])


class _Solves(Quiet):
    """Seconds of every solve."""

    def __init__(self) -> None:
        self.times: list[float] = []
