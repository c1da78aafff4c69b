"""What hangs together: drops, bubbles and trapped pockets, each by itself."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh import Mesh

Array = np.ndarray

KINDS = "comes in", "breaks off", "merges", "leaves"
HALF = 0.5  # share of a cell that belongs to a lump by itself; others belong to what they touch


@numba.njit(inline="always")
def _root(of, k):
    while of[k] != k:
        k = of[k]
    return k


@kernel
def label(share, live, repeats_x, repeats_y, ny, nx, found):
    """found : number (from 1) of the lump of every cell, 0 where there is none; how many there are."""
    of = np.arange(ny * nx + 1)
    found[:] = 0
    count = 0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i] or share[j, i] <= HALF:
                continue
            west, south = found[j, i - 1], found[j - 1, i]
            if west == 0 and south == 0:
                count += 1
                found[j, i] = count
            elif west and south:
                a, b = _root(of, west), _root(of, south)
                of[max(a, b)] = min(a, b)
                found[j, i] = min(a, b)
            else:
                found[j, i] = max(west, south)
    if repeats_x:
        for j in range(1, ny + 1):
            if found[j, 1] and found[j, nx]:
                a, b = _root(of, found[j, 1]), _root(of, found[j, nx])
                of[max(a, b)] = min(a, b)
    if repeats_y:
        for i in range(1, nx + 1):
            if found[1, i] and found[ny, i]:
                a, b = _root(of, found[1, i]), _root(of, found[ny, i])
                of[max(a, b)] = min(a, b)
    last = 0
    for k in range(1, count + 1):
        if of[k] == k:
            last += 1
            of[k] = -last
        else:  # what it is part of has its number already
            at = of[k]
            while at > 0:
                at = of[at]
            of[k] = at
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if found[j, i]:
                found[j, i] = -of[found[j, i]]
    # what is less than half full belongs to the fullest neighbour that is more
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if live[j, i] and 0.0 < share[j, i] <= HALF:
                best, most = 0, HALF
                for m in range(max(1, j - 1), min(ny, j + 1) + 1):
                    for n in range(max(1, i - 1), min(nx, i + 1) + 1):
                        if found[m, n] and share[m, n] > most and (m == j or n == i):
                            best, most = found[m, n], share[m, n]
                found[j, i] = best
    return last


@kernel
def _sums(found, share, volume, section, x, y, u, v, beside, opens, ny, nx, out):
    """Row by row of lumps: volume, that times x, y, u and v, section, what touches."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if found[j, i]:
                row, held = out[found[j, i] - 1], share[j, i] * volume[j, i]
                row[0] += held
                row[1] += held * x[i]
                row[2] += held * y[j]
                row[3] += held * u[j, i]
                row[4] += held * v[j, i]
                row[5] += share[j, i] * section[j, i]
                row[6] = max(row[6], beside[j, i])
                row[7] = max(row[7], opens[j, i])


@dataclass(frozen=True)
class Event:
    """What happened to a lump: `what` of KINDS, its number, and that of what it broke off from or
    merged into (0 for none).
    """

    what: str
    number: float
    other: float


class Lumps:
    """Finds the lumps of a fluid on one mesh. opens : cells beside openings, (ny + 3, nx + 3)."""

    def __init__(self, mesh: Mesh, opens: Array) -> None:
        self.mesh, self.opens = mesh, opens
        self.mouths = np.flatnonzero(opens)
        grid, pieces = mesh.grid, mesh.pieces
        self.found = np.zeros(mesh.shape[1:], np.int64)
        opened = mesh.volume[0] / np.maximum(mesh.full_volume[0], 1e-300)
        self.section = grid.widths(1)[:, None] * grid.widths(0)[None, :] * opened
        self.beside = np.zeros(mesh.shape[1:])
        solid = pieces.area > 0  # the axis is no wall
        self.beside[pieces.j[solid], pieces.i[solid]] = 1.0
        self.solid = np.flatnonzero(solid)

    def of(
        self, share: Array, u: Array, v: Array, pieces: Array, kept: Array | None = None
    ) -> Array:
        """Rows of lumps, the largest first: number that it keeps as it goes on, volume (m3), diameter
        (m) of a circle as large, of a ball where the vessel is round, x, y of the middle (m; y from the
        axis), speed along both (m/s), roundness (outline of a circle as large over its own; NaN where
        it touches walls or openings), whether it reaches an opening, and the number of the edge that it
        touches most (NaN for none).

        share : of the fluid; u, v : speeds in cells (m/s), (ny + 3, nx + 3). pieces : of the interface.
        kept : numbers of the lumps that were looked for last, by label; 1, 2, ... unless said.
        """
        grid, mesh = self.mesh.grid, self.mesh
        ny, nx = grid.ny, grid.nx
        if kept is None:
            kept = 1.0 + np.arange(self.look(share))
        count = len(kept)
        sums = np.zeros((count, 8))
        _sums(
            self.found,
            share,
            mesh.volume[0],
            self.section,
            grid.centres(0),
            grid.centres(1),
            u,
            v,
            self.beside,
            self.opens,
            ny,
            nx,
            sums,
        )
        outline = np.zeros(count + 1)
        if len(pieces):
            j, i = pieces[:, 4].astype(int), pieces[:, 5].astype(int)
            length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
            np.add.at(outline, self.found[j, i], length)
        volume, own = sums[:, 0], outline[1:]
        some = np.maximum(volume, 1e-300)
        if grid.round:  # the section lies on one side of the axis
            size = np.cbrt(6.0 * volume / np.pi)
            circle = np.sqrt(2.0 * np.pi * sums[:, 5])
        else:
            size = np.sqrt(4.0 * volume / grid.depth / np.pi)
            circle = np.pi * size
        free = (sums[:, 6] == 0) & (own > 0)
        roundness = np.where(free, circle / np.where(own > 0, own, 1.0), np.nan)
        middle = sums[:, 1:5] / some[:, None]
        touched = self._touched(share, count)
        rows = np.column_stack([kept, volume, size, middle, roundness, sums[:, 7], touched])
        return np.asarray(rows[np.argsort(-volume, kind="stable")])

    def look(self, share: Array) -> int:
        """Label the lumps of a fluid; how many there are."""
        grid, mesh = self.mesh.grid, self.mesh
        return int(label(share, mesh.live[0], *grid.repeats, grid.ny, grid.nx, self.found))

    def follow(
        self, share: Array, numbers: Array, fresh: float
    ) -> tuple[Array, list[Event], float]:
        """Look for lumps and keep the numbers of those that go on: each number goes to the lump that
        reaches an opening, as what hangs at a mouth, or else holds most of what bore it; of several
        that come together that of the one that reached an opening stays, or else of the largest.

        numbers : of each cell's lump as they were (0 for none), written to, (ny + 3, nx + 3); fresh :
        the first number not given yet. Returns the numbers by label, what happened, and the first
        number not given then.
        """
        count, mesh = self.look(share), self.mesh
        held = (share * mesh.volume[0]).ravel()
        label_, was = self.found.ravel(), numbers.ravel().astype(np.int64)
        goes_on = (label_ > 0) & (was > 0) & (held > 0.0)
        both, fed_on = np.flatnonzero(goes_on), self.mouths[goes_on[self.mouths]]
        kept, events = np.zeros(count), list[Event]()
        old = np.flatnonzero(np.bincount(was)[1:]) + 1
        row = np.zeros(int(old.max(initial=0)) + 1, np.int64)  # of each that bore a number
        row[old] = np.arange(old.size)
        at = row[was[both]]
        pairs = np.bincount(at * count + label_[both] - 1, held[both], old.size * count)
        shared = pairs.astype(float).reshape(old.size, count)
        fed = np.zeros(count + 1)
        fed[label_[self.mouths]] = 1.0
        whole = held.sum() + 1.0
        stays = np.where(shared > 0.0, shared + whole * fed[1:], 0.0)
        goes_to = stays.argmax(axis=1) if count else np.zeros(old.size, int)
        passed_on = shared.max(axis=1, initial=0.0) > 0.0
        hung = np.zeros(old.size)
        hung[row[was[fed_on]]] = 1.0
        for m in np.argsort(-shared.max(axis=1, initial=0.0) - whole * hung, kind="stable"):
            if not passed_on[m]:
                events.append(Event("leaves", float(old[m]), 0.0))
            elif kept[goes_to[m]] == 0.0:
                kept[goes_to[m]] = old[m]
            else:
                events.append(Event("merges", float(old[m]), float(kept[goes_to[m]])))
        for k in np.flatnonzero(kept == 0.0):
            kept[k], fresh = fresh, fresh + 1.0
            origin = shared[:, k]
            if origin.size and origin.max() > 0.0:
                parent = float(old[origin.argmax()])
                events.append(Event("breaks off", float(kept[k]), parent))
            else:
                events.append(Event("comes in", float(kept[k]), 0.0))
        numbers[:] = np.concatenate([[0.0], kept])[self.found]
        return kept, events, fresh

    def _touched(self, share: Array, count: int) -> Array:
        """The number of the edge that each lump touches most, by area; NaN for none."""
        pieces, edges = self.mesh.pieces, len(self.mesh.edges)
        if not count or not edges:
            return np.full(count, np.nan)
        j, i = pieces.j[self.solid], pieces.i[self.solid]
        lump, held = self.found[j, i], share[j, i] * pieces.area[self.solid]
        both = lump * edges + pieces.edge[self.solid]
        areas = np.bincount(both, held, (count + 1) * edges).reshape(count + 1, edges)
        most = areas[1:].argmax(axis=1).astype(float)
        most[areas[1:].max(axis=1) <= 0.0] = np.nan
        return most
