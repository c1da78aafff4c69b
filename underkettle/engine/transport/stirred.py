"""What eddies make of one carried thing: they spread it in the stream, and walls pass it by their law.

In the stream the turbulent Prandtl (or Schmidt) number is that of Kays 1994, .85 + .7 D / nu_t with D
the thing's own diffusivity. Between a wall and the cell next to it the integral law holds
(`wall_law.warmths`), which becomes plain conduction as the cell gets thin.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from underkettle.engine.contract import Carrier, Turbulence
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.diffusion import HeldLegs
from underkettle.engine.operators.wall_law import PRANDTL, PRANDTL_WALL, warmths

Array = np.ndarray

NEAREST = 0.05  # of the spacing, from a wall
MOST = 1e6  # Prandtl number that is still told apart


def stirred(eddies: Array, plain: Array) -> Array:
    """What eddies of such a viscosity spread of a thing that spreads by itself as `plain`, all alike in
    m2/s or by mass.
    """
    return np.divide(
        eddies * eddies,
        PRANDTL * eddies + PRANDTL_WALL * plain,
        out=np.zeros(eddies.shape),
        where=eddies > 0,
    )


class Eddies:
    """Eddies as they are now, on the mesh of what they carry."""

    def __init__(self, mesh: Mesh, offered: Turbulence, carrier: Carrier) -> None:
        self.mesh, self.offered = mesh, offered.set_aside()
        assert carrier.density is not None and carrier.viscosity is not None
        live = carrier.fraction[0] > 0
        rho = np.where(live, carrier.density[0], 1.0)
        self.spread = np.where(live, offered.viscosity[0] / rho, 0.0)  # nu_t, m2/s
        self.nu = np.where(live, carrier.viscosity[0] / rho, 0.0)

    def added(self, plain: Array, momentum: bool) -> Array:
        """What eddies add to a diffusivity (m2/s). momentum : it is carried as momentum is."""
        return self.spread if momentum else stirred(self.spread, plain)

    def at_walls(self, legs: HeldLegs, plain: Array, conducts: Array) -> Array:
        """What conducts along each leg (m2/s): `conducts`, and by the law where there is one. plain :
        diffusivity of cells without eddies (m2/s).
        """
        return self.by_law(legs.x, legs.y, legs.row, legs.column, None, plain, conducts)

    def by_law(
        self,
        x: Array,
        y: Array,
        row: Array,
        column: Array,
        away: Array | None,
        plain: Array,
        conducts: Array,
    ) -> Array:
        """The same from places on walls (m) to cells (row, column); away : how far off those are (m),
        along the wall's normal where it is not told.
        """
        grid, (px, py, nx, ny) = self.mesh.grid, self.offered.pieces
        on = np.flatnonzero(self.offered.acts)
        if not on.size or not row.size:
            return conducts
        wide = np.hypot(grid.widths(0)[column], grid.widths(1)[row])
        far, near = cKDTree(np.stack([px[on], py[on]], 1)).query(np.stack([x, y], 1))
        mine = np.flatnonzero((far < wide) & (self.nu[row, column] > 0))
        piece, at = on[near[mine]], (row[mine], column[mine])
        if away is None:
            reach = np.abs(x[mine] - grid.centres(0)[at[1]]) * np.abs(nx[piece])
            reach += np.abs(y[mine] - grid.centres(1)[at[0]]) * np.abs(ny[piece])
            reach = np.maximum(reach, NEAREST * wide[mine])
        else:
            reach = away[mine]
        scale, nu, own = self.offered.scale[piece], self.nu[at], plain[at]
        prandtl = np.divide(nu, own, out=np.full(nu.shape, MOST), where=own > 0)
        rises = np.zeros(mine.size)
        warmths(reach * scale / nu, np.minimum(prandtl, MOST), rises)
        result = conducts.copy()
        result[mine] = np.where(rises > 0, scale * reach / np.where(rises > 0, rises, 1.0), own)
        return result
