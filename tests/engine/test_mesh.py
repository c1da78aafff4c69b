"""The cut grid: volumes, closure, walls, zones."""

import unittest

import numpy as np

from underkettle.engine.mesh import (
    Grid,
    Refinement,
    build_mesh,
    graded_nodes,
    outline_from_rings,
)
from underkettle.engine.mesh.boundary import scan

BOX = np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 1.0], [0.0, 1.0]])
SIDES = ["bottom", "right", "top", "left"]


def ring(x, y, r, n=360):
    a = -np.linspace(0, 2 * np.pi, n, endpoint=False)
    return np.column_stack([x + r * np.cos(a), y + r * np.sin(a)]), ["ring"] * n


def holed(size=0.04, shift=0.0):
    outline = outline_from_rings([(BOX, SIDES), ring(0.7 + shift, 0.52, 0.2)])
    grid = Grid(graded_nodes(0, 2, [], size), graded_nodes(0, 1, [], size), 0.5)
    return build_mesh(grid, outline, {"space": None})


class Nodes(unittest.TestCase):
    def test_fixed_lines_are_met_exactly(self):
        nodes = graded_nodes(0.0, 1.0, [0.3337, 0.71], 0.05)
        self.assertIn(0.3337, nodes)
        self.assertTrue((np.diff(nodes) > 0).all())

    def test_growth_is_kept(self):
        nodes = graded_nodes(0.0, 1.0, [], 0.05, [Refinement(0.4, 0.45, 0.002, 1.1)])
        h = np.diff(nodes)
        ratio = np.maximum(h[1:] / h[:-1], h[:-1] / h[1:])
        self.assertLess(ratio.max(), 1.16)
        self.assertAlmostEqual(h.min(), 0.002, delta=2e-4)


class Turned(unittest.TestCase):
    """A vessel turned about y = 0."""

    def turned(self, size, points):
        outline = outline_from_rings([(points, [str(k) for k in range(len(points))])])
        (x0, y0, x1, y1) = outline.box
        grid = Grid(graded_nodes(x0, x1, [], size), graded_nodes(y0, y1, [], size), 1.0, True)
        return build_mesh(grid, outline, {"space": None})

    def test_volume_of_a_cone_is_exact_on_any_grid(self):
        cone = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 0.5]])
        for size in (0.1, 0.037):
            mesh = self.turned(size, cone)
            self.assertAlmostEqual(mesh.volume.sum(), np.pi * 0.25 / 3, delta=1e-12)
            self.assertAlmostEqual(mesh.edge_area("1"), np.pi * 0.5 * np.hypot(1, 0.5), delta=1e-9)
            self.assertEqual(mesh.edge_area("0"), 0.0)

    def test_a_disc_has_its_area(self):
        mesh = self.turned(0.1, np.array([[0.0, 0.2], [1.0, 0.2], [1.0, 0.5], [0.0, 0.5]]))
        self.assertAlmostEqual(mesh.edge_area("1"), np.pi * (0.25 - 0.04))
        self.assertAlmostEqual(mesh.volume.sum(), np.pi * (0.25 - 0.04))


class Cut(unittest.TestCase):
    def test_volume_is_exact_for_the_polygon(self):
        points, _ = ring(0.7, 0.52, 0.2)
        x, y = points.T
        hole = 0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
        for size in (0.1, 0.04, 0.023):
            self.assertAlmostEqual(holed(size).volume.sum(), (2 - hole) * 0.5, delta=1e-9)

    def test_every_cell_is_closed(self):
        """The areas around a cell, with their directions, add up to nothing."""
        mesh = holed(0.04, 0.0137)
        for axis, opening, normal in (
            (1, mesh.open_x[0], mesh.pieces.nx),
            (0, mesh.open_y[0], mesh.pieces.ny),
        ):
            total = np.roll(opening, -1, axis=axis) - opening
            np.add.at(total, (mesh.pieces.j, mesh.pieces.i), normal * mesh.pieces.area)
            self.assertLess(np.abs(total[mesh.live[0]]).max(), 1e-9)

    def test_sides_on_grid_lines_are_faces(self):
        mesh = holed()
        left = mesh.pieces.of(mesh.edge_index("left"))
        self.assertTrue((mesh.pieces.axis[left] == 0).all())
        self.assertTrue((mesh.pieces.face_i[left] == 1).all())
        self.assertAlmostEqual(mesh.edge_area("left"), 0.5)

    def test_a_scan_line_along_a_wall_is_closed(self):
        outline = outline_from_rings([(BOX, SIDES)])
        self.assertEqual(scan(outline, 0, 1.0).filled(np.array([0.0, 1.0]))[1], 1.0)
        self.assertEqual(scan(outline, 0, 0.0).low.size, 1)

    def test_zones_take_the_cells_inside_them(self):
        outline = outline_from_rings([(BOX, SIDES)])
        bed = outline_from_rings([(BOX * 0.5, ["bed"] * 4)])
        grid = Grid(graded_nodes(0, 2, [], 0.1), graded_nodes(0, 1, [], 0.1), 1.0)
        mesh = build_mesh(grid, outline, {"space": None, "bed": bed})
        self.assertEqual(int(mesh.zone_cells("bed").sum()), 50)
        self.assertEqual(int(mesh.zone_cells("space").sum()), 150)


class Repeating(unittest.TestCase):
    """A slot with a block in it, joined at its ends."""

    def setUp(self):
        box = np.array([[0.0, 0.0], [4.0, 0.0], [4.0, 2.0], [0.0, 2.0]])
        hole = np.array([[1.0, 0.5], [1.0, 1.5], [2.0, 1.5], [2.0, 0.5]])
        whole = outline_from_rings(
            [(box, ["floor", "right", "roof", "left"]), (hole, ["block"] * 4)]
        )
        self.outline = whole.joined([0])
        self.grid = Grid(
            np.linspace(0.0, 4.0, 9), np.linspace(0.0, 2.0, 5), 1.0, repeats=(True, False)
        )

    def test_the_ends_are_no_edges(self):
        self.assertEqual(self.outline.edges, ("floor", "roof", "block"))
        self.assertEqual(self.outline.repeats, (True, False))

    def test_a_line_goes_on_where_the_vessel_begins_again(self):
        line = scan(self.outline, 1, 1.0)
        self.assertEqual(line.covering(np.array([1.5])).tolist(), [-1])
        before, after = line.covering(np.array([-1.0, 0.5]))
        self.assertEqual(before, after)  # one stretch, through the seam
        self.assertAlmostEqual(line.high[after] - line.low[after], 3.0)
        names = [self.outline.edges[k] for k in (line.low_edge[after], line.high_edge[after])]
        self.assertEqual(names, ["block", "block"])

    def test_the_seam_is_open_and_everything_has_its_ghosts(self):
        mesh = build_mesh(self.grid, self.outline, {"space": None})
        self.assertTrue((mesh.open_x[0, 1:5, 1] == 0.5).all())
        self.assertTrue((mesh.open_x[0, 1:5, 9] == 0.5).all())
        self.assertAlmostEqual(mesh.volume[mesh.live].sum(), 8.0 - 1.0)
        for field in (mesh.volume, mesh.open_x, mesh.open_y, mesh.number[None]):
            self.assertTrue((field[0, 1:5, 0] == field[0, 1:5, 8]).all())
            self.assertTrue((field[0, 1:5, 9] == field[0, 1:5, 1]).all())
        self.assertFalse(mesh.live[0, :, 0].any())
        self.assertTrue(mesh.there[0, 1:5, 0].all())
        self.assertEqual(int(mesh.pocket.max()), 1)
        self.assertEqual(int((mesh.pieces.axis == 0).sum()), 4)  # the block's, none on the seam

    def test_widths_beyond_the_seam_are_those_of_the_other_end(self):
        grid = Grid(
            np.array([0.0, 1.0, 3.0, 3.5]), np.array([0.0, 1.0]), 1.0, repeats=(True, False)
        )
        self.assertEqual(grid.widths(0).tolist(), [0.5, 1.0, 2.0, 0.5, 1.0, 2.0])
        self.assertEqual(grid.centres(0).tolist(), [-0.25, 0.5, 2.0, 3.25, 4.0, 5.5])
        self.assertEqual(grid.faces(0).tolist(), [-0.5, 0.0, 1.0, 3.0, 3.5, 4.5])
        field = np.arange(24.0).reshape(4, 6)
        kept = field.copy()
        self.assertIsNot(grid.wrapped(field), field)
        self.assertTrue((field == kept).all())
        self.assertEqual(grid.wrap(field)[1].tolist(), [9.0, 7.0, 8.0, 9.0, 7.0, 8.0])

    def test_grid_and_outline_must_agree(self):
        with self.assertRaises(ValueError):
            build_mesh(Grid(self.grid.x, self.grid.y, 1.0), self.outline, {"space": None})


if __name__ == "__main__":
    unittest.main()
