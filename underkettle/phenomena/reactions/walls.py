"""Reactions on walls: what is left of each beside a wall that uses it up, and how much that slows them.

What reaches a wall comes from the middle of the cell beside it as fast as a film lets it. How fast a
reaction runs there over how fast it would among what the cell holds is told as a share, as with grains:
so that a step in time makes and uses up whole reactions, however fast they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from underkettle.engine.contract import Given, StepFailed
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.diffusion import facing
from underkettle.engine.operators.kinetics import UNSTIRRED, Rates, rates_in
from underkettle.phenomena.reactions.places import ON_WALL

Array = np.ndarray

SLOWEST = 1e-30  # m/s
TURNS = 60
CLOSE = 1e-10  # of what could come to a wall at most, by which what comes may miss what runs there
KEEPS = 0.1  # of each, that one turn leaves at least
FASTEST = 1e3  # times, by which what is scarce at a wall may speed a reaction that it holds back


def beside(
    rates: Rates, c: Array, warm: Array, share: Array, films: Array, more: Array, faint: Array
) -> tuple[Array, Array, Array]:
    """What is left of each at walls (mol/m3, (n, walls)), where films (m/s, (n, walls)) bring what
    reactions use up of c; what they run there (mol/(m2 s), (reactions, walls)); and what that rises by
    per concentration of each in the cell (m/s) and, last, per kelvin (reactions, n + 1, walls).
    share : m2 of surface in a m2 of wall (reactions, walls). Newton's method; what does not come to
    rest is NaN.
    """
    around = (np.full(warm.size, UNSTIRRED), more, faint)
    many, n = rates.made.shape
    run, slopes = np.zeros((many, warm.size)), np.zeros((many, n + 1, warm.size))
    w, off = c.copy(), np.zeros(0)
    scale = np.maximum(c.max(axis=0), 1e-300)
    held = (films * np.eye(n)[:, :, None]).transpose(2, 0, 1)

    def tight() -> Array:
        """What brings each less what reactions make of it, per concentration at the wall."""
        return np.asarray(held - np.einsum("ji,jkp->pik", rates.made, slopes[:, :n]))

    for _ in range(TURNS):
        rates_in(w, warm, share, *rates, *around, run, slopes)
        left = films * (c - w) + rates.made.T @ run
        off = np.abs(left).max(axis=0) / np.maximum(scale * films.max(axis=0), 1e-300)
        if off.max(initial=0.0) < CLOSE:
            break
        by = np.linalg.solve(tight(), left.T[:, :, None])[:, :, 0].T
        w = np.maximum(w + by, KEEPS * w)
    else:
        w[:, off >= CLOSE] = np.nan
    warms = np.einsum("ji,jp->pi", rates.made, slopes[:, n])[:, :, None]
    follows = np.linalg.solve(tight(), np.concatenate([held, warms], axis=2))
    rises = np.einsum("jkp,pki->jip", slopes[:, :n], follows)
    rises[:, n] += slopes[:, n]
    return w, run, rises


@dataclass(frozen=True)
class Walls:
    """Pieces of the outline where reactions run. rows : their numbers, at : of the open cell beside
    each, area : m2 of wall in a m3 of that cell, share : m2 of surface in a m2 of wall (reactions,
    pieces).
    """

    rows: Array
    at: Array
    area: Array
    share: Array

    @classmethod
    def of(
        cls, mesh: Mesh, open_cells: Array, given: list[Mapping[str, Given]], time: float
    ) -> Walls | None:
        """Those that conditions name, reaction by reaction; None where none does. open_cells : flat
        numbers of open cells.
        """
        pieces, all_ = mesh.pieces, np.zeros((len(given), mesh.pieces.j.size))
        here = pieces.place(time)
        for share, edges in zip(all_, given, strict=True):
            for k, edge in enumerate(mesh.edges):
                if edge in edges and edges[edge].kind == ON_WALL:
                    value = edges[edge].values["share"]
                    told = value.at(here) if hasattr(value, "at") else value
                    rows = pieces.of(k)
                    share[rows] = np.broadcast_to(told, pieces.j.shape)[rows]
        rows = np.flatnonzero(all_.any(axis=0))
        if not rows.size:
            return None
        number = np.full(mesh.live[0].size, -1)
        number[open_cells] = np.arange(open_cells.size)
        faced = facing(mesh)
        j, i = faced.row[rows], faced.column[rows]
        at = number[np.ravel_multi_index((j, i), mesh.live[0].shape)]
        return cls(rows, at, pieces.area[rows] / mesh.volume[0][j, i], all_[:, rows])

    def add(self, to: Array, by: Array) -> None:
        """Add (in place) what belongs to pieces, to open cells; both along the last axis."""
        np.add.at(to.T, self.at, by.T)

    def beside(self, values: Array) -> Array:
        """Of open cells, those beside each piece."""
        return np.ascontiguousarray(values[..., self.at])

    def running(
        self, rates: Rates, c: Array, warm: Array, films: Array, more: Array, faint: Array
    ) -> tuple[Array, Array]:
        """How fast each reaction runs on walls, in a m3 of the cell beside each piece (mol/(m3 s)), and
        its slopes, as of `rates_in`. c, warm, more : of open cells. Raises StepFailed.
        """
        inside, as_warm, others = map(self.beside, (c, warm, more))
        reach = np.maximum(films[:, self.rows], SLOWEST)
        w, run, rises = beside(rates, inside, as_warm, self.share, reach, others, faint)
        if not np.isfinite(w).all():
            raise StepFailed(
                "reactions", "a wall", "what is left beside a wall that reacts cannot be found"
            )
        return self.area * run, self.area * rises

    def shares(
        self, rates: Rates, c: Array, warm: Array, films: Array, more: Array, faint: Array
    ) -> Array:
        """What each adds to how much of a reaction runs in a m3 of the cell beside it (reactions,
        pieces): what runs there, over what would in a m3 of the cell. As `running`.
        """
        run, _ = self.running(rates, c, warm, films, more, faint)
        free, slopes = np.zeros(run.shape), np.zeros((*rates.made.shape, self.at.size))
        inside, as_warm, others = map(self.beside, (c, warm, more))
        around = (np.full(self.at.size, UNSTIRRED), others, faint)
        rates_in(inside, as_warm, np.ones(run.shape), *rates, *around, free, slopes)
        full = self.area * self.share
        slowed = np.divide(run, free, out=full.copy(), where=np.abs(free) > 0.0)
        return np.asarray(np.clip(slowed, 0.0, FASTEST * full))
