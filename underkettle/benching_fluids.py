"""What an interface costs: carrying it, how it bends, and a whole step of a bubble that rises."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from underkettle.benching_gas import quickest
from underkettle.case.case import Case
from underkettle.case.solve import build_march
from underkettle.engine.interface.filling import shares
from underkettle.engine.interface.fractions import Fractions
from underkettle.engine.interface.sides import Living, Nature, Sides
from underkettle.engine.marching.listening import Quiet

WARM, TRIES = 5, 25


class _Clock(Quiet):
    """When every step ended (s)."""

    def __init__(self) -> None:
        self.at: list[float] = []

    def step(self, report: object) -> None:
        self.at.append(time.perf_counter())


def _bubble(n: int) -> Case:
    """A bubble in n x n cells, a tenth as heavy as the liquid around it."""
    liquid = {"density": "1000 kg/m3", "viscosity": "10 Pa s"}
    box = {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"}
    return Case(
        {
            "format": "under-kettle case 1",
            "name": "bench bubble",
            "vessel": {"depth": "1 m", "parts": {"box": box}},
            "grid": {"size": f"{1.0 / n} m"},
            "phenomena": {
                "flow": {**liquid, "gravity_y": "-0.98 m/s2"},
                "two_fluids": {
                    "tension": "24.5 N/m",
                    "members": {
                        "liquid": liquid,
                        "bubble": {"density": "100 kg/m3", "viscosity": "1 Pa s"},
                    },
                },
            },
            "start": {
                "space": {
                    "two_fluids": {
                        "kind": "a drop",
                        "of": "second",
                        "x": "0.5 m",
                        "y": "0.4 m",
                        "radius": "0.25 m",
                    }
                }
            },
            "stages": {
                "go": {"solve": ["flow", "two_fluids"], "mode": "transient", "until": "1000 s"}
            },
        }
    )


def _drifting(n: int) -> Fractions:
    """A drop on n x n cells, and a stream that takes it along by a tenth of a cell a second."""
    mesh = _bubble(n).mesh
    own = Fractions(mesh)
    own.take(shares(mesh.grid, lambda x, y: 0.25 - np.hypot(x - 0.5, y - 0.5)))
    along, none = np.zeros(mesh.shape[1:]), np.zeros(mesh.pieces.j.size)
    along[1 : n + 1, 2 : n + 1] = 0.1 / n**2
    own.set_flows(along, np.zeros(mesh.shape[1:]), none, none)
    return own


def interface(n: int, copy: Callable[[int], float]) -> dict[str, dict[str, float]]:
    """Rows of carrying an interface and of its curvature, on n x n cells, in copies of a field."""
    own, rows = _drifting(n), {}
    for name, work in (
        (f"advection-{n}", lambda: own.advance(1.0, False)),
        (f"curvature-{n}", own.bends),
    ):
        best = quickest(work, TRIES)
        rows[name] = {"copies": best / copy(n), "ms": 1e3 * best}
    return rows


def shared(n: int, copy: Callable[[int], float]) -> dict[str, float]:
    """One solute through a step: carried by both fluids, spread in both and across their interface."""
    own = _drifting(n)
    own.advance(1.0, False)
    sides, now = Sides(own.mesh), own.apart()
    solute = Living(own.mesh, Nature(3.0, (0.1 / n**2, 0.4 / n**2)))

    def step() -> None:
        solute.values[0], solute.values[1] = 1.0, 0.0
        sides.carry([solute], now)
        sides.survey(now)
        sides.spread(solute, 1.0)

    best = quickest(step, TRIES)
    return {"copies": best / copy(n), "ms": 1e3 * best}


def bubble_step(n: int, copy: Callable[[int], float], steps: int = 30) -> dict[str, float]:
    """A whole step of a bubble that rises: flow, interface and all that is kept of it."""
    clock = _Clock()
    march = build_march(_bubble(n), [clock], orders=lambda: "stop" if len(clock.at) > steps else "")
    march.run()
    spent = float(np.median(np.diff(clock.at[WARM:])))
    return {"copies": spent / copy(n), "ms": 1e3 * spent}
