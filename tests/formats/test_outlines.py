"""Outlines from drawings: areas and sizes that are known, and files that are not what they say."""

import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import meshio
import numpy as np

from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.formats.outlines import parts_of, read_drawing

FRAME_WITH_HOLE = "POLYGON ((0 0, 40 0, 40 20, 0 20, 0 0), (10 5, 20 5, 20 15, 10 15, 10 5))"
# group code and value on alternating lines, after the open DXF reference
DXF = """0
SECTION
2
HEADER
9
$INSUNITS
70
5
0
ENDSEC
0
SECTION
2
ENTITIES
0
LINE
8
shell
10
0.0
20
0.0
11
4.0
21
0.0
0
LINE
8
shell
10
4.0
20
0.0
11
4.0
21
2.0
0
LINE
8
shell
10
0.0
20
2.0
11
4.0
21
2.0
0
LINE
8
shell
10
0.0
20
2.0
11
0.0
21
0.0
0
CIRCLE
8
rod
10
2.0
20
1.0
40
0.5
0
ENDSEC
0
EOF
"""


def case_of(parts):
    return Case(
        {
            "format": "under-kettle case 1",
            "name": "drawn",
            "grid": {"size": "1 mm"},
            "vessel": {"parts": parts},
        }
    )


class Outlines(unittest.TestCase):
    def area(self, parts):
        case = case_of(parts)
        return case.facts.open_volume() / case.built.depth

    def test_a_ring_inside_another_is_cut_out(self):
        for name, data in (
            ("a.wkt", FRAME_WITH_HOLE),
            (
                "a.geojson",
                json.dumps(
                    {
                        "type": "FeatureCollection",
                        "features": [
                            {
                                "type": "Feature",
                                "properties": {"name": "slot"},
                                "geometry": {
                                    "type": "Polygon",
                                    "coordinates": [
                                        [[0, 0], [40, 0], [40, 20], [0, 20], [0, 0]],
                                        [[10, 5], [20, 5], [20, 15], [10, 15], [10, 5]],
                                    ],
                                },
                            }
                        ],
                    }
                ),
            ),
            ("a.csv", "x;y\n0;0\n40;0\n40;20\n0;20\n\n10;5\n20;5\n20;15\n10;15\n"),
            ("a.csv", "0,0\n40,0\n40,20\n0,20\n0,0\nhole\n10,5\n20,5\n20,15\n10,15\n"),
        ):
            with self.subTest(name):
                drawing = read_drawing(data.encode(), name)
                self.assertIsNone(drawing.unit)
                parts = parts_of(drawing, "mm")
                self.assertEqual([p["does"] for p in parts.values()], ["add", "cut"])
                self.assertAlmostEqual(self.area(parts), (800 - 100) * 1e-6, delta=1e-12)

    def test_the_unit_asked_for_scales_and_the_place_shifts(self):
        drawing = read_drawing(FRAME_WITH_HOLE.encode(), "a.wkt")
        self.assertAlmostEqual(self.area(parts_of(drawing, "cm")), 700e-4, delta=1e-10)
        moved = case_of(parts_of(drawing, "mm", (5e-3, 7e-3))).built.outline.box
        self.assertAlmostEqual(moved[0], 5e-3)
        self.assertAlmostEqual(moved[3], 27e-3)

    def test_a_dxf_brings_its_unit_its_layers_and_closes_chains_of_lines(self):
        drawing = read_drawing(DXF.encode(), "slot.DXF")
        self.assertEqual(drawing.unit, 1e-2)
        parts = parts_of(drawing, "mm")
        self.assertEqual(set(parts), {"shell", "rod"})
        self.assertEqual(
            set(case_of(parts).edges), {"rod", "shell_1", "shell_2", "shell_3", "shell_4"}
        )
        self.assertAlmostEqual(self.area(parts) / ((8 - math.pi * 0.25) * 1e-4), 1.0, delta=1e-3)

    def test_a_dxf_written_by_a_library_is_read(self):
        import ezdxf

        document = ezdxf.new(units=6)
        document.modelspace().add_lwpolyline([(0, 0), (2, 0), (2, 1), (0, 1)], close=True)
        text = io.StringIO()
        document.write(text)
        drawing = read_drawing(text.getvalue().encode(), "a.dxf")
        self.assertAlmostEqual(self.area(parts_of(drawing, "mm")), 2.0, delta=1e-9)

    def test_an_svg_is_turned_upright_and_read_at_96_to_the_inch(self):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg"><g transform="scale(2)">'
            '<rect id="slot" x="0" y="0" width="48" height="24"/></g>'
            '<circle id="bar" cx="48" cy="24" r="12"/><path d="M0 0L5 5"/></svg>'
        )
        drawing = read_drawing(svg.encode(), "a.svg")
        parts = parts_of(drawing, "mm")
        self.assertEqual(list(parts), ["slot", "bar"])
        inch = 0.0254
        exact = (1 * 0.5 - math.pi * 0.125**2) * inch**2
        self.assertAlmostEqual(self.area(parts) / exact, 1.0, delta=1e-3)

    def test_what_is_not_an_outline_is_refused_with_a_cure(self):
        for name, data, words in (
            ("a.step", b"", ".dxf"),
            ("a.csv", b"1,2\n3,4\n", "no closed line"),
            ("a.geojson", b"{", "cannot be read as .geojson"),
            ("a.wkt", b"POLY", "cannot be read"),
            ("a.svg", b"<svg><rect", "cannot be read as .svg"),
            ("a.dxf", b"\x00\x01", "cannot be"),
            (
                "a.svg",
                b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0L9 9"/></svg>',
                "no closed line",
            ),
            ("a.csv", b"1,1\n" * 2_100_000, "larger than 8 MB"),
        ):
            with self.subTest(name=name, data=data[:20]), self.assertRaises(CaseError) as caught:
                read_drawing(data, name)
            self.assertIn(words, str(caught.exception))
        with self.assertRaises(CaseError):
            parts_of(read_drawing(FRAME_WITH_HOLE.encode(), "a.wkt"), "furlong")

    def test_a_rounded_end_is_one_edge_between_its_corners(self):
        end = [
            (10 + 5 * math.sin(a), 5 - 5 * math.cos(a))
            for a in (k * math.pi / 40 for k in range(41))
        ]
        ring = "\n".join(f"{x},{y}" for x, y in [(0, 0), *end, (0, 10)])
        case = case_of(parts_of(read_drawing(ring.encode(), "a.csv"), "mm"))
        self.assertEqual(len(case.edges), 2)  # the flats run smoothly into the round
        self.assertIn("outline_curve1", case.edges)

    def test_a_curve_of_very_many_points_is_thinned(self):
        ring = "\n".join(
            f"{math.cos(a)},{math.sin(a)}" for a in (k * 2 * math.pi / 9000 for k in range(9000))
        )
        parts = parts_of(read_drawing(ring.encode(), "ring.csv"), "cm")
        self.assertLess(len(parts["outline"]["points"]), 2001)
        self.assertAlmostEqual(self.area(parts) / (math.pi * 1e-4), 1.0, delta=2e-3)

    def test_the_boundary_of_a_mesh_keeps_the_names_of_its_pieces(self):
        """A frame of 4 x 3 squares with one left out, in millimetres, lines named two ways."""
        nodes = [(i, j, 0.0) for j in range(4) for i in range(5)]
        squares = [
            (k, k + 1, k + 6, k + 5)
            for j in range(3)
            for i in range(4)
            for k in [i + 5 * j]
            if (i, j) != (1, 1)
        ]
        lines = [(0, 5), (10, 5), (10, 15), (4, 9), (9, 14), (14, 19)]

        def kept(ending, **arrays):
            mesh = meshio.Mesh(
                nodes,
                [("quad", squares), ("line", lines)],
                cell_data={
                    n: [np.zeros(len(squares), int), np.array(v)] for n, v in arrays.items()
                },
            )
            with tempfile.TemporaryDirectory() as folder:
                mesh.write(f"{folder}/a.{ending}")
                return Path(f"{folder}/a.{ending}").read_bytes()

        for ending in ("vtu", "vtk"):
            data = kept(ending, inlet=[1, 1, 1, 0, 0, 0], patch=[0, 0, 0, 7, 7, 7])
            parts = parts_of(read_drawing(data, f"a.{ending}"), "mm")
            self.assertEqual([p["does"] for p in parts.values()], ["add", "cut"])
            self.assertEqual(len(parts["outline"]["points"]), 4)  # straight sides are one
            case = case_of(parts)
            self.assertLessEqual({"inlet", "patch7"}, set(case.edges))
            self.assertAlmostEqual(case.facts.edge_length("inlet"), 3e-3)
            self.assertEqual(case.facts.edge_bounds("patch7"), (4e-3, 0.0, 4e-3, 3e-3))
            self.assertAlmostEqual(self.area(parts), 11e-6)
        bent = kept("vtu").replace(b"<VTKFile", b'<!DOCTYPE a [<!ENTITY b "c">]><VTKFile')
        for data, words in ((bent, "entities"), (b"<VTKFile/>", "cannot be read as .vtu")):
            with self.assertRaises(CaseError) as caught:
                read_drawing(data, "a.vtu")
            self.assertIn(words, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
