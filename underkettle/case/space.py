"""The vessel of a case laid out: its places, its grid, and what each phenomenon lives on."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Any

import numpy as np

from underkettle.case.faults import fault
from underkettle.case.gridding import Gridding
from underkettle.case.shapes.part import Thin
from underkettle.case.vessel import Built, face_of
from underkettle.case.worked import Worked
from underkettle.engine.mesh import Grid, Mesh, Outline, Window, build_mesh


class Space:
    """built : the vessel as it stands. drawn : the space of which parts have moved, and `far` how far
    (m); none of its own.
    """

    def __init__(
        self,
        case: Worked,
        built: Built,
        drawn: Space | None = None,
        far: Mapping[str, tuple[float, float]] | None = None,
    ) -> None:
        self.case, self.built = case, built
        self.drawn, self.far = drawn or self, far or {}
        if drawn is not None:
            self.__dict__["grid"] = drawn.grid

    def take_over(self, other: Space) -> None:
        """The grid and the mesh of another space, as far as they are known, whose vessel and grid are
        the same.
        """
        known = other.__dict__
        self.__dict__.update({name: known[name] for name in ("grid", "mesh") if name in known})

    @property
    def edges(self) -> tuple[str, ...]:
        return self.built.outline.edges

    @cached_property
    def zone_faces(self) -> tuple[str, ...]:
        """Edges between the stream and zones that it cannot pass."""
        return tuple(e for e in self.stream_outline.edges if e not in self.edges)

    def outline_of(self, edge: str) -> Outline:
        """The outline that an edge, or the face of a zone, is part of."""
        return self.stream_outline if edge in self.zone_faces else self.built.outline

    def box_of(self, place: str) -> tuple[float, float, float, float]:
        """Low x, low y, high x, high y (m) of a part, edge or zone; of the vessel for others."""
        if place in self.zone_faces:
            place = place.removesuffix(face_of(""))
        if place in self.borders:
            points = np.concatenate(self.borders[place])
            (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
            return float(x0), float(y0), float(x1), float(y1)
        return self.built.boxes.get(place, self.built.outline.box)

    @property
    def zones(self) -> tuple[str, ...]:
        return tuple(self.built.zones)

    @property
    def repeats(self) -> dict[str, int]:
        """Directions in which the vessel goes on and on, as places, and their axes."""
        return {f"along_{'xy'[axis]}": axis for axis in self.built.repeats}

    @cached_property
    def borders(self) -> dict[str, list[Any]]:
        """Where two zones meet, as places, and the lines (m) they meet on; none where no phenomenon
        asks about them.
        """
        asked = any(c.on == "between" for p in self.case.phenomena.values() for c in p.conditions)
        return self.built.borders() if asked else {}

    def edges_of(self, part: str) -> tuple[str, ...]:
        """Edges that are sides of a part, or the face of it where it is a zone."""
        given = self.case.model.vessel.parts[part]
        if isinstance(given, Thin):
            found = {part, *given.edges.values()}
        else:
            found = {s.edge for s in self.built.sides if s.part == part} | {face_of(part)}
        return tuple(e for e in (*self.edges, *self.zone_faces) if e in found)

    @cached_property
    def grid(self) -> Grid:
        """The grid lines. Raises CaseError when the grid would not fit into memory."""
        return Gridding(self.case).grid()

    def mesh_of(self, phenomenon: str) -> Mesh:
        """What a phenomenon lives on: blocked zones are cut out unless it lives in solids too."""
        return self.mesh if self.case.phenomena[phenomenon].in_solids else self.open_mesh

    @cached_property
    def stream_outline(self) -> Outline:
        """The outline of what a stream may pass: the vessel without its blocked zones."""
        blocked = self.case.blocked()
        return self.built.without(blocked) if blocked else self.built.outline

    @cached_property
    def open_mesh(self) -> Mesh:
        """The vessel without its blocked zones, on the same grid."""
        if self.stream_outline is self.built.outline:
            return self.mesh
        return build_mesh(
            self.grid,
            self.stream_outline,
            self.built.zones,
            self.built.screens,
            self.drawn.open_mesh if self.far else None,
            self._moved_window,
        )

    @property
    def _moved_window(self) -> Window | None:
        """Cells that parts which have moved cover, or covered as drawn."""
        if not self.far:
            return None
        boxes = np.array([c.built.boxes[name] for c in (self, self.drawn) for name in self.far])
        low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
        found = []
        for axis, lines in ((1, self.grid.y), (0, self.grid.x)):
            first = int(np.searchsorted(lines, low[axis], side="right"))
            last = int(np.searchsorted(lines, high[axis]))
            found += [first, last]
        return Window(*found).wider(1, self.grid)

    @cached_property
    def mesh(self) -> Mesh:
        mesh = build_mesh(
            self.grid,
            self.built.outline,
            self.built.zones,
            self.built.screens,
            self.drawn.mesh if self.far else None,
            self._moved_window,
        )
        if mesh.cells == 0:
            raise fault(
                "grid / size",
                "no cell fits into the vessel",
                "Give a smaller size.",
                self.case.model.grid.size,
            )
        return mesh
