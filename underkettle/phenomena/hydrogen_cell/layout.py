"""Which cells of the sheet are what, how they touch each other, and what is between them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.engine.contract import Problem, StepFailed
from underkettle.engine.operators.diffusion import HeldLegs, lay_links
from underkettle.phenomena.hydrogen_cell.naming import (
    BRINGS,
    CATALYSTS,
    CHANNEL,
    FED,
    GASES,
    HERE,
    IONOMER,
    LEAVES,
    MEMBRANE,
    SIDES,
    TERMINALS,
)
from underkettle.phenomena.hydrogen_cell.touching import Faces, cells_of, faces_of, sides
from underkettle.quantities import Place

Array = np.ndarray
Cells = Array  # running numbers of cells of the sheet

NOTHING = 1e-300


@dataclass(frozen=True)
class Ends:
    """Where cells (numbers) meet edges (numbers): open area over the distance (m), area (m2), the axis
    along which, and 1 where that leads out, -1 where it leads in.
    """

    cell: Cells
    edge: Array
    of: Array
    area: Array
    axis: Array
    out: Array

    def only(self, mine: Array) -> Ends:
        return Ends(*(getattr(self, n)[mine] for n in self.__dataclass_fields__))


class Layout:
    """Arrays are over the cells of the sheet, by running number. side : FUEL, AIR, or -1 of neither."""

    def __init__(self, problem: Problem) -> None:
        self.problem, mesh = problem, problem.mesh
        self.mesh, self.live = mesh, mesh.live[0]
        self.zones = dict(problem.zone_conditions())
        self.edges = dict(problem.edge_conditions())
        self.size = int(self.live.sum())
        self.volume = mesh.volume[0][self.live]
        self.row, self.column = np.nonzero(self.live)
        self.is_channel, self.is_membrane = self._are(CHANNEL), self._are(MEMBRANE)
        self.catalyst = [self._are(one) for one in CATALYSTS]  # of fuel, of air
        self.gas, self.ionomer = self._are(*GASES), self._are(*IONOMER)
        self.faces = faces_of(mesh)
        touching = self.faces
        self.side = self._sides(
            self.gas,
            "gas",
            "it reaches both catalysts: a membrane has to stand between them all along",
        )
        self._set_values()
        self.solid_there = self.solid > 0
        self.electrode = self._sides(
            self.solid_there, "solids", "they join both catalysts, so that all current stays inside"
        )
        self.gas_faces = touching.only(self.gas[touching.a] & self.gas[touching.b])
        self.wet_faces = touching.only(self.ionomer[touching.a] & self.ionomer[touching.b])
        self.solid_faces = touching.only(
            self.solid_there[touching.a] & self.solid_there[touching.b]
        )
        self.contacts = self._contacts()
        self._ends()
        self._membrane()

    # ------------------------------------------------------------ cells

    def _are(self, *wanted: str) -> Array:
        return cells_of(self.mesh, [z for z, g in self.zones.items() if g.kind in wanted])

    def _of_zones(self, name: str) -> Array:
        """A value of zones, in cells; nothing where a zone has none."""
        found, place = np.zeros(self.live.shape), self.mesh.place()
        for zone, given in self.zones.items():
            if given.has(name) and given.values[name] is not None:
                inside = self.mesh.zone_cells(zone)[0]
                value = given.values[name]
                value = value.at(place) if hasattr(value, "at") else value
                found[inside] = np.broadcast_to(value, found.shape)[inside]
        return found[self.live]

    def _set_values(self) -> None:
        """What zones are told. open : share that gas fills; through : share of a gas's free spreading;
        eases : m2 of a stream; protons : share of a membrane's own; exchange : A/m3.
        """
        self.solid = self._of_zones("conducts")
        porosity, passes = self._of_zones("porosity"), self._of_zones("passes")
        width, ionomer = self._of_zones("width"), self._of_zones("ionomer")
        self.eases = np.where(self.is_channel, width**2 / 12.0, self._of_zones("permeability"))
        plain = np.where(passes > 0, passes, porosity**1.5)
        self.through = np.where(self.is_channel, 1.0, plain) * self.gas
        self.protons = np.where(self.is_membrane, 1.0, ionomer**1.5) * self.ionomer
        self.share = np.where(self.is_membrane, 1.0, ionomer) * self.ionomer
        self.open = np.where(self.is_channel, 1.0, porosity) * self.gas
        self.exchange = self._of_zones("exchange")

    # ------------------------------------------------------------ faces

    def _sides(self, there: Array, what: str, why: str) -> Array:
        """The side of what is there. Raises StepFailed where it reaches both catalysts."""
        side, both = sides(self.faces, there, self.catalyst)
        if both.any():
            raise StepFailed(what, self.spot(int(np.flatnonzero(both)[0])), why, is_final=True)
        return side

    def spot(self, cell: int) -> str:
        """Where a cell (number) is, in words."""
        return self.mesh.grid.spot(int(self.row[cell]), int(self.column[cell]))

    def _contacts(self) -> Array:
        """ohm of every face between solids."""
        found = np.zeros((2, *self.live.shape))
        for place, given in self.problem.divide_conditions().items():
            if not given.has("resistance"):
                continue
            divide = self.mesh.divide(place)
            value = given.values["resistance"].at(divide.place())
            found[divide.axis, divide.row, divide.column] = value / divide.area
        faces = self.solid_faces
        return np.asarray(found[faces.axis, faces.row, faces.column])

    # ------------------------------------------------------------ edges

    def _legs(self, kinds: tuple[str, ...], there: Array) -> Ends:
        """Where edges of some kinds meet cells that are there."""
        held = frozenset(k for k, e in enumerate(self.mesh.edges) if self.edges[e].kind in kinds)
        legs: HeldLegs = lay_links(self.mesh, held).legs
        cell, grid = self.mesh.number[legs.row, legs.column], self.mesh.grid
        axis = np.minimum(legs.axis, 1)
        reach = np.where(
            axis == 0, legs.x - grid.centres(0)[legs.column], legs.y - grid.centres(1)[legs.row]
        )
        found = Ends(cell, legs.edge, legs.factor, legs.area, axis, np.where(reach > 0, 1.0, -1.0))
        return found.only((cell >= 0) & there[cell])

    def _ends(self) -> None:
        mesh, pieces = self.mesh, self.mesh.pieces
        self.solid_ends = self._legs(TERMINALS, self.solid_there)
        self.gas_ends = self._legs((LEAVES, *HERE), self.gas & (self.side >= 0))
        fed = [mesh.edge_index(e) for e, g in self.edges.items() if g.kind in FED]
        mine = np.flatnonzero(np.isin(pieces.edge, fed))
        cell = mesh.number[pieces.j[mine], pieces.i[mine]]
        along, up = pieces.nx[mine], pieces.ny[mine]
        axis = np.where(np.abs(along) >= np.abs(up), 0, 1)
        found = Ends(
            cell,
            pieces.edge[mine],
            np.zeros(mine.size),
            pieces.area[mine],
            axis,
            np.sign(np.where(axis == 0, along, up)),
        )
        self.fed_ends = found.only((cell >= 0) & self.gas[cell] & (self.side[cell] >= 0))
        for ends in (self.gas_ends, self.fed_ends):
            for k in np.unique(ends.edge):
                self._refuse_other_side(ends.only(ends.edge == k), int(k))

    def _refuse_other_side(self, ends: Ends, edge: int) -> None:
        """Raises StepFailed where fuel comes to the air's side, or air to the fuel's."""
        side = self.brings(edge)
        if side is not None and (self.side[ends.cell] != side).any():
            raise StepFailed(
                "gas",
                f"edge {self.mesh.edges[edge]}",
                f"it brings {SIDES[side]} to the side of the {SIDES[1 - side]} catalyst",
                is_final=True,
            )

    def brings(self, edge: int) -> int | None:
        """To which side an edge (number) brings gas."""
        return BRINGS.get(self.edges[self.mesh.edges[edge]].kind)

    def _membrane(self) -> None:
        """Faces between a catalyst and the membrane, membrane first; the membrane's area (m2) and mean
        thickness (m).
        """
        self.fuel_skin, self.air_skin = (
            self.wet_faces.where(self.is_membrane, own) for own in self.catalyst
        )
        self.area = float(self._face_area(self.air_skin).sum())
        self.thick = float(self.volume[self.is_membrane].sum()) / max(self.area, NOTHING)
        if not (self.fuel_skin.a.size and self.air_skin.a.size):
            raise StepFailed(
                "membrane",
                "the whole sheet",
                "it does not touch both catalysts, so that no proton passes",
                is_final=True,
            )

    def _face_area(self, faces: Faces) -> Array:
        areas = np.stack([self.mesh.open_x[0], self.mesh.open_y[0]])
        return np.asarray(areas[faces.axis, faces.row, faces.column])

    # ------------------------------------------------------------ to and from the sheet

    def spread(self, values: Array, shape: tuple[int, ...]) -> Array:
        """Values of cells on the padded sheet; 0 elsewhere."""
        found = np.zeros(shape)
        found[..., self.live] = values
        return found

    def at_cells(self, law: Any, t: float, known: Mapping[str, Any]) -> Array:
        """A law in cells."""
        here: Place = self.mesh.place(t)
        return np.asarray(np.broadcast_to(law.at(here, known), self.live.shape)[self.live], float)
