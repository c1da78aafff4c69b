"""What phenomena offer each other: sources, forces, media in zones, and what contradicts."""

import itertools
import unittest
from types import SimpleNamespace

import numpy as np

from tests.phenomena.cases import BREW, FINES
from tests.phenomena.resting import Quiet, Rests
from tests.phenomena.test_medium import CHANNEL
from tests.phenomena.vessels import box
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march, crossing
from underkettle.engine.contract import (
    FLUID,
    Budget,
    Carrier,
    Flows,
    Force,
    Medium,
    Need,
    Provides,
    Source,
    StepFailed,
    Temperature,
    find_phenomena,
    own_steps,
)
from underkettle.engine.contract.offers import merged, spoken
from underkettle.engine.marching.march import RunFailed
from underkettle.engine.marching.order import Meeting, groups

BOX = {
    "format": "under-kettle case 1",
    "name": "box",
    "vessel": {
        "parts": {"box": box()},
        "depth": "0.5 m",
    },
    "grid": {"size": "2 mm"},
    "phenomena": {
        "heat": {
            "density": "1000 kg/m3",
            "heat_capacity": "4000 J/(kg K)",
            "conductivity": "0.6 W/(m K)",
        }
    },
    "start": {"space": {"heat": {"value": "300 K"}}},
    "stages": {"go": {"solve": ["heat", "giver"], "mode": "transient", "until": "10 s"}},
    "readouts": {"mean": {"kind": "mean", "field": "temperature", "place": "space"}},
}
VOLUME = 0.04 * 0.02 * 0.5
STORE = VOLUME * 4e6  # J/K


class Giver(Quiet):
    """Gives `value - linear c` per m3 and s of something to every cell, or pushes the stream."""

    name, label = "giver", "Giver"

    def __init__(self, of="heat", value=0.0, linear=None, force=None, zones=None):
        self.of, self.value, self.linear, self.force, self.zones = of, value, linear, force, zones

    def provides(self, settings):
        return [Provides(Force) if self.force else Provides(Source, self.of, self.zones)]

    def build(self, problem):
        return _Giver(problem, self)


class _Giver(Rests):
    def __init__(self, problem, given):
        self.mesh, self.given = problem.mesh, given

    def offer(self, what, state):
        one = np.ones(self.mesh.shape)
        if what.kind is Force:
            return Force(*(None if f is None else f * one for f in self.given.force))
        linear = None if self.given.linear is None else self.given.linear * self.mesh.volume
        return Source(self.given.value * self.mesh.volume, linear)


def case_of(patch, *givers):
    names = [f"giver{k}" if k else "giver" for k in range(len(givers))]
    registry = find_phenomena()
    for name, giver in zip(names, givers, strict=True):
        giver.name, giver.label = name, name.capitalize()
        registry[name] = giver
    data = merge_patch(patch, {"phenomena": {n: {} for n in names}})
    stages = {
        k: {**s, "solve": [n for n in data["phenomena"] if n != "buoyancy"]}
        for k, s in data["stages"].items()
    }
    return Case({**data, "stages": stages}, registry=registry)


def ended(patch, *givers):
    march = build_march(case_of(patch, *givers))
    march.run()
    return march


class Heat(unittest.TestCase):
    def test_a_source_warms_at_its_rate_and_is_booked_under_its_giver(self):
        march = ended(BOX, Giver(value=1e5))
        warm = march.state.fields["heat.temperature"][march.solvers["heat"].mesh.live]
        np.testing.assert_allclose(warm, 300 + 1e5 * VOLUME * 10 / STORE, rtol=1e-12)
        kept = march.state.memory.budgets["go"]["heat"]
        self.assertAlmostEqual(kept["given"]["giver"], 1e5 * VOLUME * 10, places=6)
        self.assertLess(Budget(**kept).relative, 1e-12)

    def test_what_two_give_adds_up_and_is_booked_apart(self):
        march = ended(BOX, Giver(value=1e5), Giver(value=-4e4))
        given = march.state.memory.budgets["go"]["heat"]["given"]
        self.assertAlmostEqual(given["giver"], 1e5 * VOLUME * 10, places=6)
        self.assertAlmostEqual(given["giver1"], -4e4 * VOLUME * 10, places=6)
        mean = march.readouts(march.state)["mean"]
        self.assertAlmostEqual(mean, 300 + 6e4 * VOLUME * 10 / STORE, places=9)

    def test_a_linear_part_settles_where_it_says(self):
        stiff = 4e6 * 20  # W/(m3 K): a hundred times stiffer than a step of .2 s can follow
        march = ended(BOX, Giver(value=stiff * 350.0, linear=stiff))
        warm = march.state.fields["heat.temperature"][march.solvers["heat"].mesh.live]
        np.testing.assert_allclose(warm, 350.0, rtol=1e-5)
        self.assertLess(Budget(**march.state.memory.budgets["go"]["heat"]).relative, 1e-9)

    def test_a_slow_linear_part_is_followed_to_second_order(self):
        pull = 4e6 / 10.0  # a time of 10 s
        exact = 350.0 - 50.0 * np.exp(-1.0)
        off = []
        for step in ("1 s", "0.5 s"):
            patch = merge_patch(BOX, {"stages": {"go": {"longest_step": step}}})
            march = ended(patch, Giver(value=pull * 350.0, linear=pull))
            off.append(abs(march.readouts(march.state)["mean"] - exact))
        self.assertLess(off[1], 2e-2)
        self.assertGreater(off[0] / off[1], 3.0)

    def test_at_rest_walls_take_what_is_given(self):
        patch = merge_patch(
            BOX,
            {
                "stages": {"go": {"mode": "steady", "until": None}},
                "conditions": {
                    "box_left": {"heat": {"kind": "held temperature", "value": "290 K"}}
                },
            },
        )
        march = ended(patch, Giver(value=1e4))
        kept = march.state.memory.budgets["go"]["heat"]
        self.assertAlmostEqual(kept["given"]["giver"], 1e4 * VOLUME, places=8)
        self.assertAlmostEqual(kept["outflow"]["box_left"] / (1e4 * VOLUME), 1.0, places=9)
        warm = march.state.fields["heat.temperature"][0]
        far = march.solvers["heat"].mesh.grid.centres(0)[20]  # q L x (1 - x / 2 L) / k
        self.assertAlmostEqual(warm[5, 20], 290 + 1e4 / 0.6 * (0.04 * far - far**2 / 2), delta=0.02)

    def test_a_box_sees_what_is_given_inside_it(self):
        march = ended(BOX, Giver(value=1e5))
        case = case_of(BOX, Giver(value=1e5))
        found = crossing(case, "heat", march.state)
        self.assertAlmostEqual(found.gained.sum(), 1e5 * VOLUME, places=8)

    def test_terms_sum_to_nothing_at_rest(self):
        patch = merge_patch(
            BOX,
            {
                "stages": {"go": {"mode": "steady", "until": None}},
                "conditions": {
                    "box_left": {"heat": {"kind": "held temperature", "value": "290 K"}}
                },
            },
        )
        march = ended(patch, Giver(value=1e4, linear=1e3))
        inputs = march._offers("heat", {})
        terms = march.solvers["heat"].terms(march.state, inputs)
        total = sum(terms[n] for n in ("convection", "diffusion", "made"))
        self.assertLess(np.abs(total).max(), 1e-8 * np.abs(terms["made"]).max())
        self.assertGreater(np.abs(terms["made"]).max(), 100.0)


class Mass(unittest.TestCase):
    def test_what_is_given_leaves(self):
        march = ended(CHANNEL, Giver("mass", value=2000.0))
        kept = march.state.memory.budgets["go"]["mass"]
        mesh = march.solvers["flow"].mesh
        given = 2000.0 * float(mesh.volume.sum()) * march.state.time
        self.assertAlmostEqual(kept["given"]["giver"] / given, 1.0, places=9)
        out, come = kept["outflow"]["outlet"], kept["inflow"]["inlet"]
        self.assertAlmostEqual(out / (given + come), 1.0, places=8)
        self.assertLess(Budget(**kept).relative, 1e-8)

    def test_it_settles_too(self):
        patch = merge_patch(CHANNEL, {"stages": {"go": {"mode": "steady", "until": None}}})
        march = ended(patch, Giver("mass", value=2000.0))
        kept = march.state.memory.budgets["go"]["mass"]
        self.assertLess(Budget(**kept).relative, 1e-6)
        self.assertGreater(kept["given"]["giver"], 0.0)

    def test_a_closed_vessel_refuses_it(self):
        closed = merge_patch(
            CHANNEL,
            {
                "conditions": {
                    n: {"flow": {"kind": "wall", "speed": None}} for n in ("inlet", "outlet")
                },
                "readouts": None,
            },
        )
        with self.assertRaisesRegex(RunFailed, "nothing can leave"):
            ended(closed, Giver("mass", value=1.0))

    def test_what_comes_with_nothing_dilutes(self):
        patch = merge_patch(
            CHANNEL,
            {
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
                "conditions": {
                    "inlet": {"species.salt": {"kind": "carried in", "value": "1 mol/m3"}}
                },
                "start": {"space": {"species.salt": {"value": "1 mol/m3"}}},
            },
        )
        march = ended(patch, Giver("mass", value=2000.0))
        live = march.solvers["flow"].mesh.live
        salt = march.state.fields["species.salt.c"][live]
        self.assertLess(salt.max(), 1.0 + 1e-6)
        self.assertLess(salt.min(), 0.9)
        self.assertLess(Budget(**march.state.memory.budgets["go"]["salt"]).relative, 1e-8)


class Pushes(unittest.TestCase):
    def test_a_linear_part_holds_a_stream_back(self):
        """Through a bed without walls, the fall of pressure is what holds it back."""
        slips = {f"box_{s}": {"flow": {"kind": "slip wall"}} for s in ("bottom", "top")}
        patch = merge_patch(
            CHANNEL,
            {
                "vessel": {"parts": {"post": None}},
                "conditions": slips,
                "stages": {"go": {"mode": "steady", "until": None}},
                "readouts": {
                    "drop": {
                        "kind": "difference",
                        "field": "pressure",
                        "place": "inlet",
                        "to": "outlet",
                    }
                },
            },
        )
        march = ended(patch, Giver(force=(0.0, 0.0, 1e5, 1e5)))
        self.assertAlmostEqual(
            march.readouts(march.state)["drop"] / (1e5 * 0.05 * 0.04), 1.0, delta=5e-3
        )


class Parcels(unittest.TestCase):
    """The toy cloud gives heat and mass to whoever balances them."""

    def test_what_they_give_is_booked_under_their_name(self):
        march = build_march(Case(FINES))
        march.run()
        budgets = march.state.memory.budgets["go"]
        for quantity in ("heat", "mass"):
            self.assertGreater(budgets[quantity]["given"]["fines"], 0.0)
            self.assertLess(Budget(**budgets[quantity]).relative, 1e-6)
        # 0.2 W and 0.1 mg/s of each parcel, at the same time
        ratio = budgets["heat"]["given"]["fines"] / budgets["mass"]["given"]["fines"]
        self.assertAlmostEqual(ratio / (0.2 / 1e-7), 1.0, places=9)

    def test_they_give_nothing_that_is_not_said(self):
        dry = merge_patch(FINES, {"phenomena": {"fines": {"wetting": None, "burning": None}}})
        kinds = [p.kind for p in Case(dry).meetings["fines"].provides]
        self.assertEqual(kinds, [Force])


class OwnPace(unittest.TestCase):
    """One that takes steps of its own within one of the march."""

    def test_steps_of_its_own_cover_the_step(self):
        parts = own_steps(1.0, 2.0, 0.3)
        self.assertEqual(len(parts), 4)
        self.assertEqual((parts[0][0], parts[-1][1]), (1.0, 2.0))
        for (_, end), (begin, _) in itertools.pairwise(parts):
            self.assertEqual(end, begin)
        self.assertEqual(own_steps(0.0, 1.0, np.inf), [(0.0, 1.0)])
        self.assertEqual(len(own_steps(0.0, 0.3, 0.1)), 3)  # .3 / .1 is a little over three
        with self.assertRaisesRegex(StepFailed, "too many"):
            own_steps(0.0, 1.0, 1e-9)

    def reports(self, **brew):
        told = []
        listener = SimpleNamespace(
            step=told.append,
            frame=lambda *a: None,
            log=lambda *a: None,
            safe_point=lambda state: None,
        )
        march = build_march(Case(merge_patch(BREW, {"phenomena": {"brew": brew}})), [listener])
        march.run()
        return march, told

    def test_the_march_does_not_wait_for_it_and_tells_how_many(self):
        march, told = self.reports(pace="0.01 s")
        self.assertEqual(march.state.step, 10)  # the stage's longest step of .1 s
        self.assertEqual([r.parts for r in told], [{"brew": 10}] * 10)
        self.assertEqual({r.by for r in told}, {""})
        slow, rough = self.reports()
        self.assertEqual({tuple(r.parts) for r in rough}, {()})
        a, b = (m.state.fields["brew.given"].max() for m in (march, slow))
        self.assertAlmostEqual(a / b, 1.0, places=3)  # midpoints of what is nearly linear in time

    def test_who_asks_for_the_step_is_named(self):
        patch = {"stages": {"go": {"longest_step": None, "until": "4 s"}}}
        seen = []
        listener = SimpleNamespace(
            step=seen.append,
            frame=lambda *a: None,
            log=lambda *a: None,
            safe_point=lambda state: None,
        )
        build_march(Case(merge_patch(BREW, patch)), [listener]).run()
        self.assertEqual({r.by for r in seen[:1]}, {"heat"})
        self.assertIn("diffusion number", seen[0].reason)


class Contradictions(unittest.TestCase):
    def said(self, *givers):
        return {(f.rule, f.grade): f.sentence for f in audit(case_of(BOX, *givers))}

    def test_what_nothing_balances_goes_nowhere(self):
        said = self.said(Giver("sugar", value=1.0))
        self.assertIn("gives sugar, which nothing", said["given to nobody", "doubt"])
        self.assertNotIn(("given to nobody", "doubt"), self.said(Giver("heat", value=1.0)))
        self.assertNotIn(("given to nobody", "doubt"), self.said(Giver("heat.heat", value=1.0)))

    def test_the_long_name_reaches_the_same(self):
        march = ended(BOX, Giver("heat.heat", value=1e5))
        self.assertIn("giver", march.state.memory.budgets["go"]["heat"]["given"])


class Meant(unittest.TestCase):
    """The offers themselves, by hand."""

    def test_sums_and_what_is_not_there(self):
        one, two = (np.full((1, 2, 2), v) for v in (1.0, 2.0))
        added = Force(one, two).plus(Force(two, two, linear_x=one))
        self.assertEqual((added.x[0, 0, 0], added.y[0, 0, 0]), (3.0, 4.0))
        self.assertEqual((added.linear_x[0, 0, 0], added.linear_y), (1.0, None))

    def test_each_cell_takes_what_its_zone_offers(self):
        cells = {"left": np.array([[[True, False]]]), "right": np.array([[[False, True]]])}
        made = {
            "a": (Medium(np.full((1, 1, 2), 1.0), np.full((1, 1, 2), 10.0)), ("left",)),
            "b": (Medium(np.full((1, 1, 2), 2.0), np.full((1, 1, 2), 20.0)), ("right",)),
        }
        found = merged(made, cells.__getitem__)
        np.testing.assert_array_equal(found.density, [[[1.0, 2.0]]])
        np.testing.assert_array_equal(found.viscosity, [[[10.0, 20.0]]])

    def test_streams_of_two_zones_flow_in_their_own(self):
        def stream(flow):
            array = np.full((1, 1, 1), flow)
            return Carrier(Flows(array, array, np.zeros(1)), array, array, array)

        both = stream(1.0).beside(stream(2.0), np.array([[[True]]]))
        self.assertEqual((both.volume.x[0, 0, 0], both.fraction[0, 0, 0]), (3.0, 2.0))
        self.assertIsNone(both.mass)

    def test_densities_of_two_zones_stand_in_their_own(self):
        def stream(density):
            one = np.ones((1, 1, 2))
            flows = Flows(one, one, np.zeros(1))
            return Carrier(flows, one, one, one, mass=flows, density_before=density * one)

        both = stream(1.0).beside(stream(2.0), np.array([[[False, True]]]))
        np.testing.assert_array_equal(both.density_before, [[[1.0, 2.0]]])
        self.assertEqual(both.mass.x[0, 0, 0], 2.0)
        kept = both.set_aside()
        both.mass.x[:] = 9.0
        self.assertEqual(kept.mass.x[0, 0, 0], 2.0)

    def test_what_is_set_aside_does_not_follow(self):
        value = np.zeros((1, 1, 1))
        kept = Temperature(value).set_aside()
        value += 1.0
        self.assertEqual(kept.value[0, 0, 0], 0.0)

    def test_in_words(self):
        self.assertEqual(spoken(Carrier, FLUID), "a stream")
        self.assertEqual(spoken(Carrier, "drops"), "a stream of drops")

    def test_a_late_offer_keeps_nobody_waiting(self):
        meetings = {
            "drops": Meeting((Provides(Force, at="old"),), (Need(Carrier, FLUID),)),
            "flow": Meeting((Provides(Carrier, FLUID),), (Need(Force, optional=True),)),
        }
        self.assertEqual(groups(meetings, meetings, False, {}), [["flow"], ["drops"]])
        self.assertEqual(groups(meetings, meetings, True, {}), [["drops", "flow"]])


if __name__ == "__main__":
    unittest.main()
