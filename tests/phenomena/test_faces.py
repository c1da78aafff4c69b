"""Edges between the stream and a zone that it cannot pass."""

import unittest

import underkettle as uk
from tests.phenomena.cases import FLOW, base
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check

ROD = {"shape": "circle", "x": "15 mm", "y": "10 mm", "radius": "3 mm"}
HELD = {
    "species.salt": {"kind": "held value", "value": "3 mol/m3"},
    "flow": {
        "kind": "moving wall",
        "x_speed": "-2 1/s*(y - 10 mm)",
        "y_speed": "2 1/s*(x - 15 mm)",
    },
}


def rod(does, face):
    """A turning rod that gives off salt: cut out, or a zone no stream passes."""
    return base(
        vessel={
            "parts": {"box": FLOW["vessel"]["parts"]["box"], "rod": {**ROD, "does": does}},
            "nozzles": FLOW["vessel"]["nozzles"],
        },
        phenomena={
            "flow": FLOW["phenomena"]["flow"],
            "species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
        },
        conditions={
            "inlet": {
                **FLOW["conditions"]["inlet"],
                "species.salt": {"kind": "carried in", "value": "0 mol/m3"},
            },
            "outlet": FLOW["conditions"]["outlet"],
            face: HELD,
            **({"rod": {"flow": {"kind": "solid"}}} if does == "zone" else {}),
        },
        grid={"size": "1 mm"},
        stages={"go": {"solve": ["flow", "species"], "mode": "steady"}},
        readouts={
            "given": {"kind": "through", "quantity": "salt", "place": face, "counts": "in"},
            "lift": {"kind": "on", "field": "force_y", "place": face},
            "at": {"kind": "mean", "field": "salt", "place": face},
        },
    )


class Faces(unittest.TestCase):
    def test_a_solid_zone_does_what_a_hole_of_its_shape_does(self):
        hole, zone = uk.run(rod("cut", "rod")), uk.run(rod("zone", "rod_face"))
        self.assertNotAlmostEqual(hole.readouts["lift"].value, 0.0, delta=1e-6)
        for name, number in hole.readouts.items():
            self.assertAlmostEqual(
                zone.readouts[name].value / number.value, 1.0, delta=1e-6, msg=name
            )
        self.assertLess(zone.balance["salt"]["relative"], 1e-6)
        self.assertAlmostEqual(
            zone.balance["salt"]["inflow"]["rod_face"], zone.readouts["given"].value, delta=1e-9
        )

    def test_it_is_a_place_of_the_ledger_and_of_paper(self):
        case = Case(rod("zone", "rod_face"))
        self.assertIn(("edge", "rod_face"), list(case.rows()))
        self.assertNotIn("rod_face", case.edges)
        self.assertAlmostEqual(case.facts.edge_length("rod_face") * 1e3, 18.849, delta=0.01)
        self.assertEqual([f for f in audit(case) if f.grade != "doubt"], [])
        rows = {r.readout: r for r in paper_check(case).rows}
        hole = {r.readout: r for r in paper_check(Case(rod("cut", "rod"))).rows}
        self.assertAlmostEqual(rows["given"].value / hole["given"].value, 1.0, delta=1e-6)

    def test_nothing_enters_there_and_heat_goes_on_through_it(self):
        heat = {
            "density": "1000 kg/m3",
            "heat_capacity": "4000 J/(kg K)",
            "conductivity": "0.6 W/(m K)",
        }
        for patch, words in (
            (
                {"conditions": {"rod_face": {"flow": {"kind": "inflow", "speed": "1 mm/s"}}}},
                "no stream passes the face",
            ),
            (
                {
                    "phenomena": {"heat": heat},
                    "conditions": {
                        "rod_face": {"heat": {"kind": "held temperature", "value": "20 degC"}}
                    },
                },
                "goes on into the zone",
            ),
        ):
            data = merge_patch(rod("zone", "rod_face"), patch)
            if "inflow" in str(patch):
                data["conditions"]["rod_face"]["flow"] = {"kind": "inflow", "speed": "1 mm/s"}
            with self.assertRaises(CaseError) as caught:
                Case(data)
            self.assertIn(words, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
