"""Two phases with a law between them, a scalar that lives in one, and media that differ by zone."""

import unittest

from tests.phenomena.vessels import nozzles
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import (
    FLUID,
    Budget,
)


def part(x, width, **more):
    return {"shape": "rectangle", "x": x, "y": "0 mm", "width": width, "height": "10 mm", **more}


DUCT = {
    "format": "under-kettle case 1",
    "name": "duct",
    "vessel": {
        "parts": {
            "box": part("0 mm", "40 mm"),
            "left": part("0 mm", "20 mm", does="zone"),
            "right": part("20 mm", "20 mm", does="zone"),
        },
        "nozzles": nozzles("10 mm", "5 mm"),
    },
    "grid": {"size": "1 mm"},
    "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "0.1 Pa s"}},
    "conditions": {
        "inlet": {"flow": {"kind": "inflow", "speed": "20 mm/s"}},
        "outlet": {"flow": {"kind": "outflow"}},
        "box_top": {"flow": {"kind": "slip wall"}},
        "box_bottom": {"flow": {"kind": "slip wall"}},
    },
    "stages": {"go": {"solve": ["flow"], "mode": "transient", "until": "0.5 s"}},
    "readouts": {
        "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}
    },
}


def case_of(patch):
    return Case(merge_patch(DUCT, patch))


def ended(patch):
    march = build_march(case_of(patch))
    march.run()
    return march


GRAINS = {
    "phenomena": {
        "grains": {
            "liquids": {"water": {}},
            "members": {"sand": {}, "mud": {}},
            "pairs": {"water-sand": {"drag": 0.25}},
        },
        "tint": {"of": "sand"},
    },
    "conditions": {"inlet": {"tint": {"kind": "in", "value": "1"}}},
    "stages": {"go": {"solve": ["flow", "grains", "tint"]}},
}


class Phases(unittest.TestCase):
    def front(self, patch):
        """How far (m) the colour has come, and its march."""
        march = ended(merge_patch(GRAINS, patch))
        mesh = march.solvers["tint"].mesh
        held = float((march.state.fields["tint.c"] * mesh.volume).sum())
        return held / (0.01 * 1.0), march

    def test_a_scalar_goes_with_the_phase_it_lives_in(self):
        far, march = self.front({})
        self.assertAlmostEqual(far / (0.25 * 0.02 * 0.5), 1.0, places=6)
        mud, _ = self.front({"phenomena": {"tint": {"of": "mud"}}})
        self.assertAlmostEqual(mud / far, 2.0, places=6)  # the assumed law is half, not a quarter
        water, _ = self.front({"phenomena": {"tint": {"of": FLUID}}})
        self.assertAlmostEqual(water / far, 4.0, places=6)
        self.assertLess(Budget(**march.state.memory.budgets["go"]["tint"]).relative, 1e-12)

    def test_the_step_follows_the_phase_that_carries(self):
        slow, fast = (
            self.front({"phenomena": {"tint": {"of": of}}})[1].solvers["tint"]
            for of in ("sand", FLUID)
        )
        self.assertEqual((slow.carrying.phases, fast.carrying.phases), (["sand"], [FLUID]))

    def test_a_phase_that_nobody_moves_is_told(self):
        case = case_of(merge_patch(GRAINS, {"phenomena": {"tint": {"of": "gravel"}}}))
        found = [f for f in audit(case) if f.rule == "lacks what it needs"]
        self.assertEqual(len(found), 1)
        self.assertIn("a stream of gravel", found[0].sentence)


class Media(unittest.TestCase):
    STEADY = {
        "conditions": {n: {"flow": {"kind": "wall"}} for n in ("box_top", "box_bottom")},
        "stages": {"go": {"until": "2 s"}},
    }

    def drop(self, **coats):
        """Fall of pressure (Pa); coats : name -> zone and viscosity."""
        patch = merge_patch(
            self.STEADY,
            {
                "phenomena": {
                    n: {"zone": zone, "viscosity": viscosity}
                    for n, (zone, viscosity) in coats.items()
                },
                "stages": {"go": {"solve": ["flow", *coats]}},
            },
        )
        march = ended(patch)
        return march.readouts(march.state)["drop"]

    def test_each_zone_has_its_own(self):
        thick = self.drop(coat=(None, "0.4 Pa s"))
        thin = self.drop(coat=(None, "0.1 Pa s"))
        self.assertAlmostEqual(thick / thin, 4.0, delta=0.05)
        both = self.drop(coat=("left", "0.4 Pa s"), paste=("right", "0.1 Pa s"))
        self.assertAlmostEqual(both / (0.5 * (thick + thin)), 1.0, delta=0.08)  # and a seam

    def test_two_in_one_zone_contradict(self):
        def rivals(one, two):
            coats = {"coat": {"zone": one}, "paste": {"zone": two}}
            thick = {n: {**c, "viscosity": "1 Pa s"} for n, c in coats.items()}
            case = case_of({"phenomena": thick})
            return [f for f in audit(case) if f.rule == "two offer one thing"]

        self.assertEqual(rivals("left", "right"), [])
        (same,) = rivals("left", "left")
        self.assertEqual(same.grade, "contradiction")
        self.assertIn("coat and paste both offer density and viscosity in Left", same.sentence)
        (all_,) = rivals(None, "left")
        self.assertIn("coat and paste", all_.sentence)


if __name__ == "__main__":
    unittest.main()
