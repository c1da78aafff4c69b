"""The paper check: which relation speaks to which readout, relations added by hand, what was
measured, and costs that learn.
"""

import copy
import json
import unittest
from pathlib import Path

import underkettle as uk
from tests.phenomena.cases import FLOW, HEAT, SPECIES
from underkettle.case.case import Case
from underkettle.case.cost import SPREAD, estimate, pace_of
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check

ROOT = Path(__file__).resolve().parent.parent.parent
LANCE = json.loads((ROOT / "demo" / "salt-lance.json").read_text())
CHANNEL = merge_patch(
    FLOW,
    {
        "vessel": {"nozzles": {"inlet": {"bore": "20 mm"}, "outlet": {"bore": "20 mm"}}},
        "conditions": {"inlet": {"flow": {"profile": "developed"}}},
        "stages": {"go": {"mode": "steady", "until": None}},
    },
)


def rows(data, **readouts):
    case = Case(merge_patch(copy.deepcopy(data), {"readouts": readouts}))
    return {r.readout: r for r in paper_check(case).rows}


class Automatic(unittest.TestCase):
    def test_a_channel_agrees_with_its_solution(self):
        asked = {
            "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"},
            "level": {"kind": "mean", "field": "pressure", "place": "inlet"},
            "fastest": {"kind": "max", "field": "speed", "place": "space"},
            "mass": {"kind": "through", "quantity": "mass", "place": "outlet"},
            "entering": {"kind": "through", "quantity": "mass", "place": "inlet", "counts": "in"},
        }
        data = merge_patch(
            CHANNEL, {"readouts": asked, "conditions": {"outlet": {"flow": {"pressure": "5 Pa"}}}}
        )
        run, paper = uk.run(data), rows(data)
        for name in asked:
            ratio = run.readouts[name].value / paper[name].value
            self.assertAlmostEqual(ratio, 1.0, delta=0.03, msg=name)
            self.assertTrue(paper[name].source)

    def test_relations_of_places_do_not_speak_of_what_is_drawn(self):
        told = rows(
            CHANNEL,
            fastest={"kind": "max", "field": "speed", "place": "space"},
            boxed={"kind": "max", "field": "speed", "box": ["0 mm"] * 2 + ["5 mm"] * 2},
            ratio={"kind": "formula", "formula": "boxed/fastest"},
        )
        self.assertIsNotNone(told["fastest"].value)
        self.assertIsNone(told["boxed"].value)
        self.assertEqual((told["ratio"].value, told["ratio"].unit), (None, ""))

    def test_heat_given_up_and_kept(self):
        held = merge_patch(
            HEAT,
            {
                "conditions": {
                    "space": None,
                    "box_bottom": None,
                    "box_top": {
                        "heat": {
                            "kind": "held temperature",
                            "value": "330 K",
                            "film": None,
                            "ambient": None,
                        }
                    },
                }
            },
        )
        found = rows(
            held, gained={"kind": "through", "quantity": "heat", "place": "box_top", "counts": "in"}
        )["gained"]
        self.assertGreater(found.value, 0)
        self.assertIn("Heat balance", found.by)

    def test_a_loss_on_the_way(self):
        loss = merge_patch(SPECIES, {"conditions": {"box_top": None}})
        found = rows(
            loss, left={"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"}
        )["left"]
        case = Case(loss)
        stay = case.facts.stream_volume() / case.facts.stream("inlet")
        self.assertAlmostEqual(found.value, 2.718281828 ** (-0.1 * stay), places=6)
        self.assertIn("stirred vessel", found.note)
        regimes = {r.symbol: r for r in paper_check(case).regimes}
        self.assertAlmostEqual(regimes["Da"].value, 0.1 * stay)
        self.assertIn("L2/D", regimes)

    def test_a_round_body_has_a_drag_and_says_when_it_blocks(self):
        rod = merge_patch(
            CHANNEL,
            {
                "vessel": {
                    "parts": {
                        "rod": {
                            "shape": "circle",
                            "does": "cut",
                            "x": "20 mm",
                            "y": "10 mm",
                            "radius": "0.4 mm",
                        }
                    }
                }
            },
        )
        asked = {"kind": "on", "field": "force_x", "place": "rod"}
        thin = rows(rod, drag=asked)["drag"]
        self.assertTrue(thin.inside)
        self.assertGreater(thin.value, 0)
        thick = merge_patch(rod, {"vessel": {"parts": {"rod": {"radius": "4 mm"}}}})
        self.assertFalse(rows(thick, drag=asked)["drag"].inside)

    def test_upright_walls_of_a_closed_square(self):
        data = json.loads((ROOT / "proofs" / "side_heated" / "case.json").read_text())
        data["readouts"] = {
            "number": {
                "kind": "transfer",
                "quantity": "heat",
                "field": "temperature",
                "place": "warm_wall",
                "reference": "0 K",
                "length": "1 m",
            }
        }
        (row,) = paper_check(Case(data)).rows
        self.assertAlmostEqual(row.value, 2.243, delta=0.25)  # de Vahl Davis 1983 at Ra 1e4
        self.assertIn("upright", row.by)


class ByHand(unittest.TestCase):
    OWN = {"relation": "path_time", "takes": {"length": "slot_length", "speed": "speed"}}

    def test_it_takes_formulas_of_parameters_and_stands_by_itself(self):
        (added,) = paper_check(Case(merge_patch(LANCE, {"papers": {"way": self.OWN}}))).added
        self.assertAlmostEqual(added.value, 30.0)
        self.assertEqual(added.own, "way")

    def test_beside_a_readout_it_comes_first(self):
        own = {
            "relation": "darcy_drop",
            "readout": "pressure_drop",
            "takes": {
                "viscosity": "1 mPa s",
                "speed": "speed",
                "length": "slot_length",
                "permeability": "1e-6 m2",
            },
        }
        found = rows(merge_patch(LANCE, {"papers": {"mine": own}}))["pressure_drop"]
        self.assertAlmostEqual(found.value, 1e-3 * 2e-3 * 0.06 / 1e-6)
        self.assertEqual((found.own, found.unit), ("mine", "mPa"))

    def test_faults_name_the_place_and_the_cure(self):
        for own, words in (
            ({"relation": "magic"}, "there is no relation"),
            ({**self.OWN, "takes": {"length": "3 kg", "speed": "speed"}}, "a mass"),
            ({**self.OWN, "takes": {"length": "3 m"}}, "mean speed is not given"),
            ({**self.OWN, "takes": {"depth": "3 m"}}, "takes no 'depth'"),
            ({**self.OWN, "takes": {"length": "3 m", "speed": "0 m/s"}}, "no value for these"),
            ({**self.OWN, "readout": "pressure_drop"}, "gives a time"),
        ):
            with self.subTest(words=words), self.assertRaises(CaseError) as caught:
                Case(merge_patch(LANCE, {"papers": {"own": own}}))
            self.assertIn("papers / own", str(caught.exception))
            self.assertIn(words, str(caught.exception))


class Measured(unittest.TestCase):
    def test_a_value_or_a_range_in_any_unit(self):
        for typed, ends in (("45 mPa", (0.045, 0.045)), (["40 mPa", "0.05 Pa"], (0.04, 0.05))):
            case = Case(merge_patch(LANCE, {"readouts": {"pressure_drop": {"measured": typed}}}))
            row = next(r for r in paper_check(case).rows if r.readout == "pressure_drop")
            for mine, wanted in zip(row.measured, ends, strict=True):
                self.assertAlmostEqual(mine, wanted)
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(LANCE, {"readouts": {"pressure_drop": {"measured": "3 mm"}}}))
        self.assertIn("readouts / pressure_drop / measured", str(caught.exception))

    def test_it_goes_with_the_run(self):
        data = merge_patch(
            CHANNEL,
            {
                "readouts": {
                    "drop": {
                        "kind": "difference",
                        "field": "pressure",
                        "place": "inlet",
                        "to": "outlet",
                        "measured": ["10 Pa", "12 Pa"],
                    }
                }
            },
        )
        told = uk.run(data).result["readouts"]["drop"]
        self.assertEqual(told["measured"], [10.0, 12.0])


class Cost(unittest.TestCase):
    def test_the_estimate_follows_what_runs_took(self):
        self.assertEqual((pace_of([]).times, pace_of([]).spread), (1.0, SPREAD))
        slow = pace_of([3.0] * 20)
        self.assertAlmostEqual(slow.times, 3.0, delta=0.35)
        self.assertLess(slow.spread, 1.5)
        odd = pace_of([0.2, 5.0, 0.3, 4.0])
        self.assertGreater(odd.spread, slow.spread)
        case = Case(LANCE)
        first, learnt = estimate(case), estimate(case, slow)
        self.assertAlmostEqual(learnt.seconds / first.seconds, slow.times)
        self.assertEqual(learnt.learnt, 20)
        self.assertLess(learnt.low, learnt.seconds)
        self.assertGreater(learnt.high, learnt.seconds)


if __name__ == "__main__":
    unittest.main()
