"""Grid lines of a case: the size asked for, finer where it says, within the memory it allows."""

from __future__ import annotations

import os
import re
from typing import Any

from underkettle.case.faults import fault, path
from underkettle.case.model import RefinementModel
from underkettle.case.values import read_number
from underkettle.case.worked import Worked
from underkettle.engine.mesh import Grid, Refinement, graded_nodes

BYTES_PER_CELL = 1600  # all arrays of a run with two columns, measured on the demo cases


class Gridding:
    """Works out the grid of a case."""

    def __init__(self, case: Worked) -> None:
        self.case = case

    def check(self) -> None:
        """Sizes and places can be read. Raises CaseError."""
        model = self.case.model.grid
        self._length(model.size, "grid / size")
        self.memory_limit()
        for name, r in model.refine.items():
            self._refined(path("grid", "refine", name), r)

    def grid(self) -> Grid:
        """The grid lines. Raises CaseError when the grid would not fit into memory."""
        model = self.case.model.grid
        size = self._length(model.size, "grid / size") / self.case.grid_factor
        finer: tuple[list[Refinement], list[Refinement]] = ([], [])
        for name, r in model.refine.items():
            for axis, found in self._refined(path("grid", "refine", name), r).items():
                finer[axis].append(found)
        x0, y0, x1, y1 = self.case.built.outline.box
        smallest = min([size, *(f.size for f in (*finer[0], *finer[1]))])
        self._fits((x1 - x0) / size * (y1 - y0) / size, "grid / size", model.size)
        if (x1 - x0) / smallest > 2e5 or (y1 - y0) / smallest > 2e5:
            raise fault(
                "grid",
                "the finest cells are too small for this vessel",
                "Give a larger size.",
                smallest,
            )
        x = graded_nodes(x0, x1, self.case.built.fixed_x, size, finer[0])
        y = graded_nodes(y0, y1, self.case.built.fixed_y, size, finer[1])
        self._fits((x.size - 1) * (y.size - 1), "grid", model.size)
        return Grid(
            x, y, self.case.built.depth, self.case.built.round, self.case.built.outline.repeats
        )

    def _refined(self, where: str, r: RefinementModel) -> dict[int, Refinement]:
        """What one refinement asks for along x (0) and y (1). Raises CaseError."""
        ways = {"place": r.place, "box": r.box, "gap": r.gap}
        if sum(w is not None for w in ways.values()) != 1:
            raise fault(
                where,
                "finer cells are wanted at one place, in one box or in one gap",
                "Give one of place, box, gap.",
            )
        if (r.size is None) == (r.cells is None):
            raise fault(
                where,
                "how fine the cells are is not said, or said twice",
                "Give size, or cells across a gap.",
            )
        axes = [axis for axis in (0, 1) if r.axis in ("both", "xy"[axis])]
        if r.gap is not None:
            axis, low, high = self._gap(where, r.gap)
            axes = [axis]
            box = {axis: low, axis + 2: high}
        elif r.box is not None:
            box = {
                k: self.case.number(v, "length", path(where, "box", k + 1))
                for k, v in enumerate(r.box)
            }
        else:
            box = dict(enumerate(self._box(r.place or "", path(where, "place"))))
        if r.cells is not None and r.gap is None:
            raise fault(
                path(where, "cells"),
                "cells are counted across a gap only",
                "Give size instead, or the two places beside the gap.",
                r.cells,
            )
        found = {}
        for axis in axes:
            size = (
                (box[axis + 2] - box[axis]) / r.cells
                if r.cells is not None
                else self._length(r.size, path(where, "size"))
            )
            size /= self.case.grid_factor
            found[axis] = Refinement(box[axis], box[axis + 2], size, r.growth)
        return found

    def _box(self, place: str, where: str) -> tuple[float, float, float, float]:
        if place not in self.case.built.boxes:
            raise fault(
                where,
                f"there is no place '{place}'",
                f"Places: {', '.join(self.case.built.boxes)}.",
            )
        return self.case.built.boxes[place]

    def _gap(self, where: str, places: tuple[str, str]) -> tuple[int, float, float]:
        """The axis along which two places lie apart, and where the gap between them is (m)."""
        a, b = (self._box(p, path(where, "gap")) for p in places)
        apart = [(max(a[k], b[k]) - min(a[k + 2], b[k + 2]), k) for k in (0, 1)]
        width, axis = max(apart)
        if width <= 0:
            raise fault(
                path(where, "gap"),
                f"there is no gap between {' and '.join(places)}",
                "Name two places that lie apart.",
            )
        low = min(a[axis + 2], b[axis + 2])
        return axis, low, low + width

    def _length(self, text: Any, where: str) -> float:
        value = read_number(text, "length", self.case.names, where)
        if value <= 0:
            raise fault(where, "a cell size must be positive", "", text)
        return value

    def _fits(self, cells: float, where: str, typed: Any) -> None:
        limit = self.memory_limit()
        if cells * BYTES_PER_CELL > limit:
            raise fault(
                where,
                f"about {cells:.3g} cells would need {cells * BYTES_PER_CELL / 1e9:.3g} GB "
                f"and the limit is {limit / 1e9:.3g} GB",
                "Give a larger cell size, or raise grid / memory.",
                typed,
            )

    def memory_limit(self) -> float:
        text = str(self.case.model.grid.memory)
        match = re.fullmatch(r"\s*(\d{1,15}(?:\.\d{0,15})?)\s*([kMGT]?)B\s*", text)
        if not match:
            raise fault("grid / memory", "a size in memory is wanted", "Give '2 GB'.", text)
        asked = float(match[1]) * 1000.0 ** ["", "k", "M", "G", "T"].index(match[2])
        return min(asked, float(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")))
