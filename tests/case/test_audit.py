"""The audit: every rule of the case trips and clears, doubts can be settled, cures mend."""

import copy
import json
import time
import unittest
from pathlib import Path

from tests.phenomena.cases import BOX, FLOW
from tests.phenomena.fluids import OIL, WATER
from tests.phenomena.test_giving import Giver
from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.rules import RULES
from underkettle.case.rules.vessel import narrow_gaps
from underkettle.engine.contract import Param, find_phenomena

ROOT = Path(__file__).resolve().parent.parent.parent
READS = {"drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}}
SOUND = merge_patch(FLOW, {"readouts": READS, "parameters": {"applied": None}})
REGISTRY = find_phenomena()
REGISTRY["rival"] = type(
    "Rival",
    (type(REGISTRY["heat"]),),
    {
        "name": "rival",
        "fields": lambda self, settings: [],
        "quantities": lambda self, settings: {},
        "wall_quantities": lambda self, settings: [],
    },
)()
REGISTRY["stove"] = type(
    "Stove", (Giver,), {"settings": (Param("spot", kind="place", among="edge"),)}
)("mass")
REGISTRY["stove"].name = REGISTRY["stove"].label = "stove"
REGISTRY["latch"] = type("Latch", (type(REGISTRY["gate"]),), {"name": "latch"})()
REGISTRY["giver"] = Giver("sugar", value=1.0)
HEAT = {"density": "1000 kg/m3", "heat_capacity": "4 kJ/(kg K)", "conductivity": "0.6 W/(m K)"}
SOLID = {
    "shape": "rectangle",
    "does": "zone",
    "x": "10 mm",
    "y": "5 mm",
    "width": "10 mm",
    "height": "10 mm",
}


def step(**more):
    return {
        "shape": "rectangle",
        "does": "cut",
        "x": "14 mm",
        "y": "0 mm",
        "width": "20 mm",
        "height": "8.5 mm",
        **more,
    }


def made(data):
    return Case(data, registry=REGISTRY)


TRIPS = {
    "says nothing": {"conditions": {"inlet": {"flow": None}}},
    "told twice": {"conditions": {"inlet": {"flow": {"volume_flow": "1 ml/s"}}}},
    "place not drawn": {"conditions": {"ghost": {"flow": {"kind": "wall"}}}},
    "lacks what it needs": {
        "phenomena": {
            "buoyancy": {"reference": "20 degC", "density": "1000 kg/m3", "expansion": "2e-4 1/K"}
        }
    },
    "two offer one thing": {"phenomena": {"heat": HEAT, "rival": HEAT}},
    "set to a place not drawn": {"phenomena": {"stove": {"spot": "ghost"}}},
    "given to nobody": {"phenomena": {"giver": {}}},
    "parameter without use": {"parameters": {"left_over": "3 mm"}},
    "variant without a difference": {"variants": {"same": {}}},
    "nothing switched on": {
        "phenomena": {"flow": None},
        "stages": {"go": None},
        "readouts": {"drop": None},
    },
    "no stage": {"stages": {"go": None}},
    "never solved": {"phenomena": {"heat": HEAT}},
    "held before it is solved": {
        "phenomena": {"heat": HEAT},
        "stages": {"go": {"solve": ["heat"], "hold": ["flow"]}},
    },
    "solved and held": {"stages": {"go": {"hold": ["flow"]}}},
    "frames that do not fit": {"stages": {"go": {"frame_every": "1 h"}}},
    "long or large": {"stages": {"go": {"until": "20 h"}}},
    "nothing asked for": {"readouts": {"drop": None}},
    "cannot be read": {"readouts": {"drop": {"to": "ghost"}}},
    "drawn outside the vessel": {
        "readouts": {
            "spot": {"kind": "mean", "field": "speed", "line": ["50 mm", "0 mm", "60 mm", "5 mm"]}
        }
    },
    "nothing kept": {"keep": {"box": ["50 mm", "0 mm", "60 mm", "5 mm"]}},
    "read outside the vessel": {
        "readouts": {"spot": {"kind": "point", "field": "speed", "x": "9 m", "y": "1 mm"}}
    },
    "weighted by no flow": {
        "readouts": {
            "wall": {"kind": "mean", "field": "pressure", "place": "box_top", "weight": "flow"}
        }
    },
    "mean that ranks nothing": {
        "vessel": {
            "nozzles": {"second": {"part": "box", "side": "top", "at": "9 mm", "bore": "3 mm"}}
        },
        "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}}},
        "conditions": {
            edge: {"species.salt": {"kind": "carried in", "value": value}, **flow}
            for edge, value, flow in (
                ("inlet", "1 mol/m3", {}),
                ("second", "0 mol/m3", {"flow": {"kind": "inflow", "speed": "1 mm/s"}}),
            )
        },
        "stages": {"go": {"solve": ["flow", "species"]}},
        "variants": {"fast": {"conditions": {"second": {"flow": {"speed": "5 mm/s"}}}}},
        "readouts": {
            "leaves": {"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"}
        },
    },
    "averaged over nothing": {"derived": {"calm": {"formula": "speed", "since": "99 h"}}},
    "difference of one edge": {"readouts": {"drop": {"to": "inlet"}}},
    "two of one name": {"readouts": {"other": {**READS["drop"], "label": "Drop"}}},
    "too many cells": {"grid": {"size": "1 um"}},
    "cells that change quickly": {
        "grid": {
            "refine": {
                "fine": {"box": ["0 mm", "0 mm", "9 mm", "9 mm"], "size": "0.1 mm", "growth": 1.9}
            }
        }
    },
    "stretched cells": {
        "grid": {"refine": {"thin": {"place": "box_top", "size": "5 um", "axis": "y"}}}
    },
    "cut-off pocket": {
        "vessel": {
            "parts": {"dam": {**SOLID, "does": "cut", "x": "15 mm", "y": "0 mm", "height": "20 mm"}}
        }
    },
    "little memory left": {"grid": {"memory": "4.2 MB", "size": "0.6 mm"}},
    "few cells across a gap": {"vessel": {"parts": {"low": step(), "high": step(y="11.5 mm")}}},
    "few cells across a part": {
        "vessel": {
            "parts": {
                "pin": {
                    "shape": "circle",
                    "does": "cut",
                    "x": "20 mm",
                    "y": "10 mm",
                    "radius": "0.6 mm",
                }
            }
        }
    },
    "zones that overlap": {
        "vessel": {"parts": {"one": SOLID, "two": {**SOLID, "x": "15 mm"}}},
        "conditions": {"one": {"flow": {"kind": "solid"}}},
    },
    "cells as large as the vessel": {"grid": {"size": "6 mm"}},
    "moves what is not drawn": {"phenomena": {"gate": {"part": "door"}}},
    "moves what cannot move": {
        "vessel": {"parts": {"one": SOLID}},
        "phenomena": {"gate": {"part": "one"}},
    },
    "two move one part": {
        "vessel": {"parts": {"low": step()}},
        "phenomena": {"gate": {"part": "low"}, "latch": {"part": "low"}},
    },
    "cannot follow what moves": {
        "vessel": {"parts": {"low": step()}},
        "phenomena": {"gate": {"part": "low"}, "stove": {"spot": "inlet"}},
    },
    "carried through an interface": {
        "phenomena": {
            "two_fluids": {"members": {"water": WATER, "oil": OIL}, "tension": "20 mN/m"},
            "species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}},
        },
        "stages": {"go": {"mode": "transient", "until": "1 s"}},
    },
    "screen without effect": {
        "vessel": {
            "parts": {
                "cloth": {
                    "shape": "plate",
                    "does": "screen",
                    "x": "15 mm",
                    "y": "0 mm",
                    "length": "20 mm",
                    "along": "y",
                }
            }
        }
    },
}


class Audit(unittest.TestCase):
    def rules(self, patch):
        return {f.rule for f in audit(made(merge_patch(copy.deepcopy(SOUND), patch)))}

    def test_a_sound_case_raises_nothing(self):
        self.assertEqual(audit(Case(SOUND)), [])

    def test_every_rule_of_the_case_has_one_that_trips_it(self):
        self.assertEqual(set(TRIPS), {r.name for r in RULES})
        for name, patch in TRIPS.items():
            with self.subTest(rule=name):
                self.assertIn(name, self.rules(patch))

    def test_there_are_more_than_forty_rules(self):
        ours = [
            r
            for p in find_phenomena().values()
            if type(p).__module__.startswith("underkettle")
            for r in p.audit
        ]
        self.assertGreaterEqual(len(RULES) + len(ours), 60)

    def test_one_click_cures_what_it_says(self):
        cured = 0
        for name, patch in TRIPS.items():
            data = merge_patch(copy.deepcopy(SOUND), patch)
            found = next(f for f in audit(made(data)) if f.rule == name)
            if not found.cure:
                continue
            for where, value in found.cure:
                edit = value
                for key in reversed(where.split("/")):
                    edit = {key: edit}
                data = merge_patch(data, edit)
            with self.subTest(rule=name):
                left = [f for f in audit(made(data)) if f.rule == name]
                self.assertEqual([f.sentence for f in left], [])
            cured += 1
        self.assertGreater(cured, 12)

    def test_a_doubt_is_settled_with_a_reason_and_nothing_graver_is(self):
        data = merge_patch(SOUND, TRIPS["few cells across a part"])
        doubt = next(f for f in audit(Case(data)) if f.rule == "few cells across a part")
        self.assertEqual(doubt.key, "few cells across a part / pin")
        settled = merge_patch(data, {"settled": {doubt.key: "only its place matters"}})
        found = audit(Case(settled))
        self.assertEqual(found[-1].settled, "only its place matters")
        stops = merge_patch(
            SOUND,
            {**TRIPS["says nothing"], "settled": {"says nothing / inlet / flow": "never mind"}},
        )
        self.assertEqual(audit(Case(stops))[0].settled, "")
        self.assertFalse(can_run(audit(Case(stops))))

    def test_a_gap_is_measured_and_a_dead_end_is_none(self):
        case = Case(merge_patch(SOUND, TRIPS["few cells across a gap"]))
        (gap,) = narrow_gaps(case.mesh, 6, ["inlet", "outlet"])
        self.assertAlmostEqual(gap.high - gap.low, 3e-3, delta=2e-4)
        self.assertAlmostEqual(gap.begin, 14e-3, delta=1e-3)
        blind = merge_patch(
            SOUND,
            {
                "vessel": {
                    "parts": {
                        "box": {**BOX},
                        "slot": {
                            "shape": "rectangle",
                            "x": "10 mm",
                            "y": "20 mm",
                            "width": "2 mm",
                            "height": "8 mm",
                        },
                    }
                }
            },
        )
        self.assertEqual(narrow_gaps(Case(blind).mesh, 6, ["inlet", "outlet"]), [])

    def test_it_keeps_up_with_editing(self):
        """A tenth of a second for each demo case, the grid being there."""
        for file in sorted((ROOT / "demo").glob("*.json")):
            case = Case(json.loads(file.read_text()))
            _ = case.open_mesh
            audit(case)
            best = min(self.timed(case) for _ in range(3))
            self.assertLess(best, 0.1, file.name)

    @staticmethod
    def timed(case):
        begun = time.perf_counter()
        audit(case)
        return time.perf_counter() - begun


if __name__ == "__main__":
    unittest.main()
