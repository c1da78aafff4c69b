"""Compiles the kernels before they are wanted, in two processes beside each other.

What takes longest comes first and apart: the two multigrids, and an interface beside a wall that cuts
cells. Small cases call for the rest.
Whoever comes while that goes on waits for it, rather than compile the same again.
"""

from __future__ import annotations

import fcntl
import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path

import numpy as np

from underkettle.case.case import Case
from underkettle.case.solve import build_march
from underkettle.engine.compiled import cache_folder, is_warm, keep_warm
from underkettle.engine.interface.filling import shares
from underkettle.engine.interface.fractions import Fractions
from underkettle.engine.interface.sides import Living, Nature, Sides
from underkettle.engine.linear.lines import Lines
from underkettle.engine.linear.multigrid import Multigrid
from underkettle.engine.marching.march import RunFailed
from underkettle.engine.mesh import Grid, build_mesh, outline_from_rings

CASES = Path(__file__).resolve().parents[2] / "demo" / "templates"
COARSE = 0.3  # times finer than they are kept
SHORT = 0.005  # of a transient stage, until all has been called
SIZE = 24  # cells along either side of what the multigrids are tried on


def warm_up() -> None:
    """Compile what is not compiled yet; returns at once where all is."""
    if is_warm():
        return
    with _alone():
        if is_warm():
            return
        work = [
            subprocess.Popen(
                [sys.executable, "-m", "underkettle.runs.warming", name],
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            for name in PARTS
        ]
        failed = [one.wait() for one in work]
        if not any(failed):  # what failed is compiled when it is wanted
            keep_warm()


@contextmanager
def _alone() -> Iterator[None]:
    """One process at a time."""
    folder = cache_folder()
    with suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
    try:
        lock = os.open(folder / "lock", os.O_CREAT | os.O_RDWR)
    except OSError:  # nothing can be kept here: nobody to wait for
        yield
        return
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
    finally:
        os.close(lock)


def pressure() -> None:
    """Pressures and diffusion, in both precisions."""
    links, d = np.ones((SIZE + 3, SIZE + 3)), np.full((SIZE + 3, SIZE + 3), 0.1)
    b = np.random.default_rng(1).standard_normal(links.shape)
    for single in (False, True):
        Multigrid(links, links.copy(), d, single=single).improve(b, np.zeros(links.shape), 1e-3)


def interfaces() -> None:
    """An interface beside a wall that cuts cells, and what is dissolved on both sides of it."""
    nodes = np.linspace(0.0, 1.0, SIZE + 1)
    corners = np.array([[0.0, 0.13], [1.0, 0.41], [1.0, 1.0], [0.0, 1.0]])
    outline = outline_from_rings([(corners, ("slope", "right", "top", "left"))])
    mesh = build_mesh(Grid(nodes, nodes, 1.0), outline, {"space": None})
    own, none = Fractions(mesh), np.zeros(mesh.pieces.j.size)
    own.set_angles(none + 1.0, none + 1.5)
    own.take(shares(mesh.grid, lambda x, y: 0.6 - x - 0.1 * y, own.cuts))
    own.set_flows(mesh.open_x[0] * 0.01, mesh.open_y[0] * 0.0, none, none)
    own.advance(1.0, False)
    own.bends()
    own.pieces()
    Sides(mesh).carry([Living(mesh, Nature(2.0, (1e-3, 1e-3)))], own.apart())


def streams() -> None:
    """What is carried at rest, and small cases that call for the rest."""
    shape = SIZE + 3, SIZE + 3
    lines = Lines(shape, SIZE, SIZE)
    for part in (*lines.convective, *lines.symmetric):
        part[:] = 1.0
    lines.held[:] = 1.0
    lines.set_up()
    lines.cycle(np.ones(shape), np.zeros(shape))
    lines.set_symmetric(np.ones(shape), np.ones(shape), np.ones(shape))
    for file in sorted(CASES.glob("*.json")):
        march = build_march(Case(json.loads(file.read_text()), grid=COARSE))
        march.stages = [replace(s, until=SHORT * s.until) for s in march.stages]
        with suppress(RunFailed):  # on so coarse a grid one may not go on: by then all was called
            march.run()


PARTS: dict[str, tuple[Callable[[], None], ...]] = {
    "apart": (pressure, interfaces),
    "streams": (streams,),
}

if __name__ == "__main__":
    for compile_ in PARTS[sys.argv[1]]:
        compile_()
