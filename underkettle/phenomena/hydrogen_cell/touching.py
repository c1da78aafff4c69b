"""Which cells of a sheet touch, and what hangs together."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.phenomena.hydrogen_cell.naming import AIR, FUEL

Array = np.ndarray


def between(a: Array, b: Array) -> Array:
    """What two that stand in a row let pass, of what each does."""
    both = a + b
    return np.asarray(a * b / np.where(np.real(both) > 0, both, 1.0))


@dataclass(frozen=True)
class Faces:
    """Pairs of cells (numbers) that touch, and open area over half the width (m) of either: what a
    half cell lets pass is that times what conducts in it. axis, row, column : of the face.
    """

    a: Array
    b: Array
    of_a: Array
    of_b: Array
    axis: Array
    row: Array
    column: Array

    def only(self, mine: Array) -> Faces:
        return Faces(*(getattr(self, n)[mine] for n in self.__dataclass_fields__))

    def where(self, one: Array, other: Array) -> Faces:
        """From cells that are one to those that are the other."""
        straight = self.only(one[self.a] & other[self.b])
        back = self.only(one[self.b] & other[self.a])
        back = Faces(back.b, back.a, back.of_b, back.of_a, back.axis, back.row, back.column)
        each = ((getattr(f, n) for f in (straight, back)) for n in self.__dataclass_fields__)
        return Faces(*(np.concatenate(list(both)) for both in each))

    def link(self, conducts: Array) -> Array:
        """What passes per unit of difference, of what conducts in cells; 0 where one does not."""
        return between(self.of_a * conducts[self.a], self.of_b * conducts[self.b])


def cells_of(mesh: Mesh, zones: Iterable[str]) -> Array:
    """Which live cells, by running number, some zones have."""
    found = np.zeros(mesh.shape[1:], bool)
    for zone in zones:
        found |= mesh.zone_cells(zone)[0]
    return found[mesh.live[0]]


def faces_of(mesh: Mesh) -> Faces:
    """All pairs of live cells that touch."""
    grid, found = mesh.grid, []
    inside = np.zeros(mesh.shape[1:], bool)
    inside[1 : grid.ny + 1, 1 : grid.nx + 1] = True
    for axis, open_area in enumerate((mesh.open_x[0], mesh.open_y[0])):
        before = np.roll(mesh.number, 1, axis=1 - axis)
        row, column = np.nonzero(inside & (open_area > 0) & (mesh.number >= 0) & (before >= 0))
        back = (row, column - 1) if axis == 0 else (row - 1, column)
        half = 0.5 * grid.widths(axis)
        area = open_area[row, column]
        found.append(
            (
                mesh.number[back],
                mesh.number[row, column],
                area / half[back[1 - axis]],
                area / half[(row, column)[1 - axis]],
                np.full(row.size, axis),
                row,
                column,
            )
        )
    return Faces(*(np.concatenate(both) for both in zip(*found, strict=True)))


def sides(faces: Faces, there: Array, catalysts: list[Array]) -> tuple[Array, Array]:
    """Of every cell the side of what is there, by the catalyst (of fuel, of air) that it hangs together
    with: FUEL, AIR, or -1 of neither; and which cells reach both.
    """
    import scipy.sparse as sparse  # here, as declarations are loaded wherever the program starts
    from scipy.sparse.csgraph import connected_components

    own = faces.only(there[faces.a] & there[faces.b])
    ties = sparse.coo_array((np.ones(own.a.size), (own.a, own.b)), (there.size, there.size))
    group = connected_components(ties, directed=False)[1]
    side = np.full(there.size, -1)
    reaches = [there & np.isin(group, group[c & there]) for c in catalysts]
    for which, reached in enumerate(reaches):
        side[reached] = which
    return side, reaches[FUEL] & reaches[AIR]
