"""Two phases with a law between them, a scalar that lives in one, and media that differ by zone."""

import unittest

import numpy as np

from tests.phenomena.resting import Quiet, Rests
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Budget,
    Carrier,
    Condition,
    Field,
    Flows,
    Medium,
    MemberKind,
    Need,
    Pairing,
    Param,
    Phenomenon,
    Provides,
    Work,
    find_phenomena,
)
from underkettle.engine.transport import Carried, TransportSolver


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
        "nozzles": {
            "inlet": {"part": "box", "side": "left", "at": "5 mm", "bore": "10 mm"},
            "outlet": {"part": "box", "side": "right", "at": "5 mm", "bore": "10 mm"},
        },
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


class Grains(Quiet):
    """Phases that creep along with the stream, each as much as the law between the two says."""

    name, label = "grains", "Grains"
    member_kinds = (
        MemberKind("liquid", key="liquids", column=False),
        MemberKind("grain", key="members", column=False),
    )
    pairings = (Pairing(("liquid", "grain"), (Param("drag", default=0.5, why="half of it"),)),)

    def provides(self, settings):
        return [Provides(Carrier, grain) for grain in settings["members"]]

    def needs(self, settings):
        return [Need(Carrier, FLUID)]

    def build(self, problem):
        return GrainSolver(problem)


class GrainSolver(Rests):
    def __init__(self, problem):
        self.mesh, self.settings = problem.mesh, problem.settings()
        self.pieces = problem.whole.pieces.j.size
        self.names = [problem.state_name(n) for n in ("x", "y", "through")]

    def start(self, state):
        for name in self.names:
            through = name.endswith("through")
            state.fields[name] = np.zeros(self.pieces if through else self.mesh.shape)

    def relax(self, state, inputs):
        for name, flow in zip(self.names, inputs.get(Carrier, FLUID).volume, strict=True):
            state.fields[name] = flow.copy()
        return Work()

    def offer(self, what, state):
        share = sum(p["drag"] for n, p in self.settings["pairs"].items() if n.endswith(what.of))
        volume = Flows(*(share * state.fields[n] for n in self.names))
        zero = np.zeros(self.mesh.shape)
        return Carrier(volume, zero, zero, zero)


class Tint(Phenomenon):
    """A colour that clings to one phase."""

    name, label = "tint", "Tint"
    settings = (Param("of", kind="text", default="sand", why="it is what is dyed"),)
    conditions = (
        Condition("sealed", "edge", "sealed"),
        Condition("in", "edge", "{value} in", (Param("value", "number", "formula"),), carries="in"),
        Condition("out", "edge", "out", carries="out"),
        Condition("start", "start", "{value}", (Param("value", "number", "formula"),)),
    )

    def needs(self, settings):
        return [Need(Carrier, settings["of"]), *self.gets(["tint"])]

    def fields(self, settings):
        return [Field("tint", "c", "number", arrays=("tint.c",))]

    def quantities(self, settings):
        return {"tint": "volume flow"}

    def default(self, place, on, member, facts):
        if on == "start":
            return Assumed("start", "bare", {"value": "0"})
        if on == "edge":
            return Assumed("out" if facts.through(place) == "out" else "sealed", "nothing said")
        return Absent()

    def build(self, problem):
        given = Carried(
            "", "tint", "c", 0.0, 0.0, unit="", amount="m3", phase=problem.settings()["of"]
        )
        return TransportSolver(problem, [given])


class Coat(Quiet):
    """A medium of one viscosity in one zone."""

    def __init__(self, name, zone, viscosity):
        self.name = self.label = name
        self.zone, self.viscosity = zone, viscosity

    def provides(self, settings):
        return [Provides(Medium, FLUID, self.zone and (self.zone,))]

    def build(self, problem):
        return CoatSolver(problem, self.viscosity)


class CoatSolver(Rests):
    def __init__(self, problem, viscosity):
        self.mesh, self.viscosity = problem.mesh, viscosity

    def offer(self, what, state):
        one = np.ones(self.mesh.shape)
        return Medium(1000.0 * one, self.viscosity * one)


def case_of(patch, *extra):
    registry = {
        **find_phenomena(),
        "grains": Grains(),
        "tint": Tint(),
        **{p.name: p for p in extra},
    }
    return Case(merge_patch(DUCT, patch), registry=registry)


def ended(patch, *extra):
    march = build_march(case_of(patch, *extra))
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

    def drop(self, *coats):
        stages = {"go": {"solve": ["flow", *(c.name for c in coats)]}}
        patch = merge_patch(
            self.STEADY, {"phenomena": {c.name: {} for c in coats}, "stages": stages}
        )
        march = ended(patch, *coats)
        return march.readouts(march.state)["drop"]

    def test_each_zone_has_its_own(self):
        thick, thin = self.drop(Coat("all", None, 0.4)), self.drop(Coat("all", None, 0.1))
        self.assertAlmostEqual(thick / thin, 4.0, delta=0.05)
        both = self.drop(Coat("here", "left", 0.4), Coat("there", "right", 0.1))
        self.assertAlmostEqual(both / (0.5 * (thick + thin)), 1.0, delta=0.08)  # and a seam

    def test_two_in_one_zone_contradict(self):
        def rivals(*coats):
            case = case_of({"phenomena": {c.name: {} for c in coats}}, *coats)
            return [f for f in audit(case) if f.rule == "two offer one thing"]

        self.assertEqual(rivals(Coat("here", "left", 1.0), Coat("there", "right", 1.0)), [])
        (same,) = rivals(Coat("here", "left", 1.0), Coat("there", "left", 1.0))
        self.assertEqual(same.grade, "contradiction")
        self.assertIn("here and there both offer density and viscosity in Left", same.sentence)
        (all_,) = rivals(Coat("here", None, 1.0), Coat("there", "left", 1.0))
        self.assertIn("here and there", all_.sentence)


if __name__ == "__main__":
    unittest.main()
