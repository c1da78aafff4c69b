"""Streams that slip along walls by a length, against the exact solution of Navier (1823)."""

import unittest

from underkettle import api
from underkettle.case.case import Case
from underkettle.case.faults import CaseError

GAP, FALL, VISCOSITY = 10e-3, 10.0, 10e-3


def channel(length: str, top: str | None = None, cells: int = 16) -> dict:
    part = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "5 mm", "height": "10 mm"}
    slips = lambda by: {"flow": {"kind": "slipping wall", "length": by}}  # noqa: E731
    return {
        "format": "under-kettle case 1",
        "name": "slips",
        "vessel": {"repeats": ["x"], "parts": {"gap": part}},
        "grid": {"size": f"{10 / cells} mm"},
        "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "10 mPa s"}},
        "conditions": {
            "along_x": {"flow": {"kind": "repeats", "fall": "5 mm * 10 Pa/m"}},
            "gap_bottom": slips(length),
            **({} if top is None else {"gap_top": slips(top)}),
        },
        "stages": {"go": {"solve": ["flow"], "mode": "steady", "aim": 1e-9}},
        "readouts": {
            "mean": {"kind": "mean", "field": "velocity_x", "place": "space", "unit": "m/s"}
        },
    }


class Slips(unittest.TestCase):
    def mean(self, *asked, **more) -> float:
        found = api.run(channel(*asked, **more))
        self.assertEqual(found.status, "finished")
        return found.readouts["mean"].value

    def test_both_walls(self) -> None:
        # G h^2 / (12 mu) (1 + 6 l / h)
        plain = FALL * GAP**2 / (12 * VISCOSITY)
        errors = []
        for cells in (8, 16):
            found = self.mean("1 mm", "1 mm", cells=cells)
            errors.append(abs(found / (plain * 1.6) - 1))
        # the slope half a leg from the wall stands for that at the wall: 3 l / (h n) less
        for cells, error in zip((8, 16), errors, strict=True):
            self.assertAlmostEqual(error, (3 * 0.1 / cells - 0.5 / cells**2) / 1.6, delta=1e-3)

    def test_one_wall(self) -> None:
        # u = G y (h - y) / (2 mu) + a (y + l), nought at y = h: a = 0 + ..., by hand for l = h / 2:
        # slope at the wall s with u(0) = l s and u(h) = 0 gives s = G h / (2 mu) / (1 + l / h)
        length = 5e-3
        slope = FALL * GAP / (2 * VISCOSITY) / (1 + length / GAP)
        exact = length * slope + slope * GAP / 2 - FALL / VISCOSITY * GAP**2 / 6
        self.assertAlmostEqual(self.mean("5 mm", cells=32) / exact, 1.0, delta=1e-2)

    def test_a_length_of_nought_is_refused(self) -> None:
        with self.assertRaisesRegex(CaseError, "gap_bottom / flow / length.*must be positive"):
            Case(channel("0 mm"))


if __name__ == "__main__":
    unittest.main()
