"""Small cut cells are carried implicitly, so that they do not dictate the step.

An explicit step is as long as the full cells allow; a cell with little volume would overflow in
it. For the few small cells convection is first-order upwind and implicit, solved exactly for all
of them together; the fluxes so found are what their neighbours gain or lose. Nothing is lost, and
values stay between those around them.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import splu

from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import roll

Array = np.ndarray

SMALL = 0.5  # share of the full volume below which a cell is carried implicitly


class SmallCells:
    """The small cells of a mesh and every face that touches one. Indices are into flat arrays."""

    def __init__(self, mesh: Mesh) -> None:
        live, volume = mesh.live[0], mesh.volume[0]
        self.is_small = live & (volume < SMALL * mesh.full_volume[0])
        self.cell = np.flatnonzero(self.is_small.ravel())
        number = np.full(live.size, -1)
        number[self.cell] = np.arange(self.cell.size)
        width = live.shape[1]
        grid, there = mesh.grid, mesh.grid.wrapped(self.is_small)
        own = grid.wrap(np.arange(live.size).reshape(live.shape))
        inside = np.zeros(live.shape, bool)
        inside[1 : grid.ny + (2 - grid.repeats[1]), 1 : grid.nx + (2 - grid.repeats[0])] = True
        before, after, self.faces = [], [], []
        self.keep = []
        for axis in (1, 0):
            touches = there | roll(there, 1, axis=axis)
            self.keep.append(grid.wrap(np.where(touches, 0.0, 1.0)))
            face = np.flatnonzero((touches & inside).ravel())
            self.faces.append(face)
            after.append(own.ravel()[face])
            before.append(own.ravel()[face - (1 if axis == 1 else width)])
        self.before, self.after = np.concatenate(before), np.concatenate(after)
        self.number_before, self.number_after = number[self.before], number[self.after]
        pieces = mesh.pieces
        at = pieces.j * width + pieces.i
        self.piece = np.flatnonzero(number[at] >= 0)
        self.piece_number = number[at][self.piece]
        self._key: tuple[Any, ...] = ()
        self._factor: Any = None

    def mask(self, flow_x: Array, flow_y: Array) -> tuple[Array, Array]:
        """Flows with the faces of small cells closed, for the explicit kernel."""
        if self.cell.size == 0:
            return flow_x, flow_y
        return flow_x * self.keep[0], flow_y * self.keep[1]

    def carry(
        self,
        c: Array,
        flow_x: Array,
        flow_y: Array,
        through: Array,
        arriving: Array,
        out: Array,
        edge: Array,
        dt: float,
        store: Array,
        after: Array,
    ) -> Array:
        """Add the small cells' fluxes to `out` (value m3/s), and set theirs in `edge`.

        c, flow_*, out : (ny + 3, nx + 3). through, arriving, edge : one entry per piece.
        store, after : what each cell holds (m3) per value before and after the step.
        Returns what passes each of the faces listed in `faces`, x before y.
        """
        if self.cell.size == 0:
            return np.zeros(0)
        flow = np.concatenate([flow_x.ravel()[self.faces[0]], flow_y.ravel()[self.faces[1]]])
        passing = through[self.piece]
        self._prepare(flow, passing, dt, after.ravel()[self.cell])
        values = c.ravel()
        upwind_small = np.where(flow >= 0, self.number_before, self.number_after)
        down = np.where(flow >= 0, self.number_after, self.number_before)
        upwind_cell = np.where(flow >= 0, self.before, self.after)
        known = store.ravel()[self.cell] / dt * values[self.cell]
        enters = (down >= 0) & (upwind_small < 0)
        np.add.at(known, down[enters], np.abs(flow[enters]) * values[upwind_cell[enters]])
        np.add.at(known, self.piece_number, np.maximum(-passing, 0.0) * arriving[self.piece])
        new = self._factor.solve(known)
        carried = flow * np.where(
            upwind_small >= 0, new[np.maximum(upwind_small, 0)], values[upwind_cell]
        )
        flat = out.ravel()
        np.add.at(flat, self.before, carried)
        np.subtract.at(flat, self.after, carried)
        leaving = np.where(
            passing >= 0, passing * new[self.piece_number], passing * arriving[self.piece]
        )
        np.add.at(flat, self.cell[self.piece_number], leaving - edge[self.piece])
        edge[self.piece] = leaving
        return carried

    def _prepare(self, flow: Array, passing: Array, dt: float, store: Array) -> None:
        key = (np.array([dt]), flow, passing, store)
        if self._key and all(np.array_equal(a, b) for a, b in zip(key, self._key, strict=True)):
            return
        self._key = tuple(a.copy() for a in key)
        self._factor = self.factored(store / dt, flow, passing)

    def factored(self, held: Array, flow: Array, passing: Array, link: Array | float = 0.0) -> Any:
        """The factors of what small cells hold and exchange by upwinding, all of them together.

        held : what each holds over the step, and what holds it (m3/s). flow, link : through each of
        their faces and between its cells; passing : outward through each of their pieces (m3/s).
        """
        near, far = self.number_before, self.number_after
        gives, takes = np.maximum(flow, 0.0) + link, np.maximum(-flow, 0.0) + link
        diagonal = held.copy()
        np.add.at(diagonal, self.piece_number, np.maximum(passing, 0.0))
        np.add.at(diagonal, near[near >= 0], gives[near >= 0])
        np.add.at(diagonal, far[far >= 0], takes[far >= 0])
        both, own = (near >= 0) & (far >= 0), np.arange(self.cell.size)
        values = np.concatenate([diagonal, -gives[both], -takes[both]])
        rows = np.concatenate([own, far[both], near[both]])
        columns = np.concatenate([own, near[both], far[both]])
        return splu(sparse.csc_array((values, (rows, columns))))
