"""Parts of the open space whose pressure no edge fixes: its level is free, and what others give there
cannot leave.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from underkettle.engine.contract import StepFailed
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray

UNEVEN = 1e-9  # of what is given, that may be left over


def closed_pockets(mesh: Mesh, nodes: Sequence[Nodes]) -> list[tuple[Array, int]]:
    """Cells (1, else 0) and their number of every pocket whose pressure level no edge fixes."""
    label, fixed = mesh.pocket[0], set()
    for n in nodes:
        fixed.update(np.unique(label[n.behind_outlets]).tolist())
    return [
        ((label == k).astype(float), int((label == k).sum()))
        for k in range(1, int(label.max()) + 1)
        if k not in fixed
    ]


def refuse_trapped(pockets: Sequence[tuple[Array, int]], givers: Mapping[str, Array]) -> None:
    """Refuse mass (kg/s) that is given where nothing can leave. Raises StepFailed."""
    mass = np.asarray(sum(givers.values()))
    for inside, _ in pockets:
        given = float((mass * inside).sum())
        if abs(given) > UNEVEN * float(np.abs(mass).sum()):
            raise StepFailed(
                "mass",
                "a closed part of the vessel",
                f"{', '.join(givers)} give {given:.3g} kg/s where nothing can leave",
            )
