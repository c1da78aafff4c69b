"""Porous matter as a stream feels it: what holds it back, and pores that make it flow faster.

Velocities are averaged over pores and matter. In pores the stream is quicker by one over their
share, which its inertia knows; drag stands in the momentum and in what pressure can move alike.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from underkettle.engine.contract import Resistance, Sheet, StepFailed
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.drag import Drag, control_volumes
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray


class Matter:
    """What stands in a stream on one mesh."""

    def __init__(
        self,
        mesh: Mesh,
        nodes: Sequence[Nodes],
        offered: Resistance | None,
        sheet: Sheet | None = None,
    ) -> None:
        offered = offered or nothing(mesh)
        self.offered = offered if offered.steady else offered.set_aside()
        self.sheet = None if sheet is None else sheet.set_aside()
        self.nodes = nodes
        sides = [control_volumes(mesh, n) for n in nodes]
        self.drag = Drag((sides[0], sides[1]))
        wrap = mesh.grid.wrapped
        open_ = wrap(np.where(mesh.live[0], offered.porosity[0], 1.0))
        self.shear = wrap(np.where(mesh.live[0], offered.shear[0], 1.0))
        self.darcy, self.inertia = (
            wrap(np.where(mesh.live[0], a, 0.0)) for a in (offered.darcy, offered.inertia)
        )
        if not (np.isfinite(self.darcy).all() and (open_ > 0).all()):
            j, i = np.argwhere(~np.isfinite(self.darcy).all(axis=0) | ~(open_ > 0))[0]
            raise StepFailed(
                "porous matter", mesh.grid.spot(j, i), "no stream can pass what has no pores"
            )
        self.porosity = open_
        self.full = bool((open_ < 1.0).any())  # whether pores are narrower than the open space
        self.thick = bool((self.shear != 1.0).any())
        # of each component: the share of its control volumes that is open; of pores in a row it is
        # the mean of what they slow down by
        self.quicker = [np.where(a.volume > 0, a.mean(1.0 / open_), 1.0) for a in sides]
        self.pores = [1.0 / quicker for quicker in self.quicker]

    def is_as(self, offered: Resistance | None, sheet: Sheet | None) -> bool:
        """Whether nothing has changed."""
        if offered is not None and not self.offered.is_same(offered):
            return False
        return (
            sheet is None if self.sheet is None else sheet is not None and self.sheet.is_same(sheet)
        )

    def set_medium(self, density: Array, viscosity: Array) -> None:
        self.drag.set(viscosity * self.darcy, density * self.inertia)
        if self.sheet is not None:
            self.drag.lay_sheets(self.sheet, self.nodes, viscosity, density)


def nothing(mesh: Mesh) -> Resistance:
    """Matter that holds nothing back."""
    shape = mesh.shape[1:]
    tensor, one = np.zeros((3, *shape)), np.ones((1, *shape))
    return Resistance(tensor, tensor, one, one, steady=True)
