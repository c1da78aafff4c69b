"""A medium that another phenomenon offers is carried as the flow's own laws are."""

import unittest

import numpy as np

from tests.phenomena.resting import Quiet, Rests
from tests.phenomena.vessels import box, nozzles
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import (
    FLUID,
    Budget,
    Medium,
    Provides,
    find_phenomena,
)

CHANNEL = {
    "format": "under-kettle case 1",
    "name": "channel",
    "vessel": {
        "parts": {
            "box": box("10 mm"),
            "post": {
                "shape": "circle",
                "does": "cut",
                "x": "15 mm",
                "y": "5.3 mm",
                "radius": "2 mm",
            },
        },
        "nozzles": nozzles("10 mm", "5 mm"),
    },
    "grid": {"size": "0.9 mm"},
    "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "0.1 Pa s"}},
    "conditions": {
        "inlet": {"flow": {"kind": "inflow", "speed": "50 mm/s"}},
        "outlet": {"flow": {"kind": "outflow"}},
    },
    "stages": {"go": {"solve": ["flow"], "mode": "transient", "until": "0.2 s"}},
    "readouts": {"leaves": {"kind": "through", "quantity": "mass", "place": "outlet"}},
}


class Coat(Quiet):
    """Offers a medium that changes across the channel; closed cells hold rubbish."""

    name = label = "coat"
    density = staticmethod(lambda x, y: 1000.0 + 0 * x + 0 * y)

    def provides(self, settings):
        return [Provides(Medium, FLUID)]

    def build(self, problem):
        return _Coat(problem, self.density)


class _Coat(Rests):
    def __init__(self, problem, density):
        self.mesh, self.density = problem.mesh, density

    def offer(self, what, state):
        x, y = self.mesh.cell_centres()
        found = [
            np.broadcast_to(values, self.mesh.shape).copy()
            for values in (self.density(x, y), 0.1 * (1 + 90 * y))
        ]
        for array in found:
            array[~self.mesh.live] = 1e9
        return Medium(*found)


def ended(data, registry=None):
    march = build_march(Case(data, registry=registry))
    march.run()
    return march.state


class Offered(unittest.TestCase):
    def with_coat(self, coat):
        return ended(
            merge_patch(
                CHANNEL, {"phenomena": {"coat": {}}, "stages": {"go": {"solve": ["flow", "coat"]}}}
            ),
            {**find_phenomena(), "coat": coat},
        )

    def test_shear_that_varies_is_that_of_a_law(self):
        own = ended(
            merge_patch(
                CHANNEL, {"phenomena": {"flow": {"viscosity": "0.1 Pa s*(1 + 90*y/(1 m))"}}}
            )
        )
        offered = self.with_coat(Coat())
        for name in ("flow.u", "flow.v"):
            scale = np.abs(own.fields[name]).max()
            np.testing.assert_allclose(offered.fields[name], own.fields[name], atol=2e-3 * scale)

    def test_mass_goes_by_its_own_density(self):
        coat = Coat()
        coat.density = lambda x, y: 700.0 + 0 * x + 0 * y
        state = self.with_coat(coat)
        kept = state.memory.budgets["go"]["mass"]
        span = state.time
        self.assertAlmostEqual(kept["inflow"]["inlet"] / (700 * 0.05 * 0.01 * span), 1.0, places=6)
        self.assertLess(Budget(**kept).relative, 1e-9)


if __name__ == "__main__":
    unittest.main()
