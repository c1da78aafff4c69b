"""A mixture that keeps account of its own heat: what it brings, what it loses, what reacts in it."""

import copy
import unittest
from unittest import mock

import numpy as np

from tests.phenomena.burning import BURNING, SHARES, started
from underkettle import api, conformance
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.known import known
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_march
from underkettle.engine.contract import FLUID, Composition, Provides, Source, Temperature
from underkettle.engine.marching.settling import change
from underkettle.phenomena.mixture.solver import _tamed

TEMPERATURE = "mixture.mixture_temperature"
INERT = {"phenomena": {"reactions": None}, "stages": {"go": {"solve": ["flow", "mixture"]}}}
LAGGED = {"conditions": {"box_top": None, "box_bottom": None, "space": None}}


def burning(*patches):
    data = copy.deepcopy(BURNING)
    for patch in patches:
        data = merge_patch(data, patch)
    return data


class Conformance(unittest.TestCase):
    def test_all_that_every_phenomenon_must(self):
        for check in (conformance.declaration, conformance.balance, conformance.walls):
            self.assertEqual(check("mixture", BURNING), [])
        self.assertEqual(conformance.terms("mixture", BURNING), [])
        for check in (conformance.restore, conformance.resume, conformance.shuffled):
            self.assertEqual(check(BURNING), [])


class Asked(unittest.TestCase):
    def test_temperatures_are_asked_for_and_enthalpies_held(self):
        case = Case(burning())
        solvers, state = started(case)
        blend = solvers["mixture"].blend
        parts = [np.array([float(v)]) for v in SHARES.values()]
        parts.append(1.0 - sum(parts))
        held, _ = blend.enthalpy(parts, np.array([1000.0]))
        here = solvers["mixture"].mesh.live[0]
        np.testing.assert_allclose(state.fields["mixture.enthalpy"][0][here], held[0], rtol=1e-12)
        np.testing.assert_allclose(known(case, state, [TEMPERATURE])[TEMPERATURE], 1000.0)

    def test_the_case_knows_how_warm_it_begins(self):
        facts = Case(burning()).facts
        self.assertEqual(facts.temperatures(), ["mixture.heat"])
        self.assertAlmostEqual(facts.at_start([TEMPERATURE])[TEMPERATURE], 1000.0)
        self.assertAlmostEqual(facts.entering("mixture.heat"), 1000.0, delta=1.0)
        dense = facts.at_start(["mixture.gas_density"])["mixture.gas_density"]
        moles = 0.06 / 28.01 + 0.2 / 32.0 + 0.02 / 44.01 + 0.72 / 28.013
        self.assertAlmostEqual(dense * 8.314462 * 1000.0 / 101325.0 * moles * 1e3, 1.0, delta=1e-3)

    def test_what_a_field_is_made_of_is_worked_out_once(self):
        case = Case(burning())
        _, state = started(case)
        asked, fields = [], case.fields()
        field = fields[TEMPERATURE][1]
        object.__setattr__(
            field,
            "made",
            lambda place, now, made=field.made: (asked.append(1), made(place, now))[1],
        )
        known(case, state, [TEMPERATURE, "mixture.gas_density", "mixture.heat_spreading"])
        self.assertEqual(len(asked), 1)


class Doubted(unittest.TestCase):
    def graded(self, *patches):
        found = audit(Case(burning(*patches)))
        return {f.grade for f in found if f.rule == "temperature outside the fits"}

    def test_what_cannot_be_stops_and_what_nobody_fitted_is_doubted(self):
        self.assertEqual(self.graded(), set())
        cold = {"conditions": {"inlet": {"mixture.heat": {"value": "25 K"}}}}
        self.assertEqual(self.graded(cold), {"stops"})
        cool = {"start": {"space": {"mixture.heat": {"value": "150 K"}}}}
        self.assertEqual(self.graded(cool), {"doubt"})
        around = {"conditions": {"box_top": {"mixture.heat": {"ambient": "6500 K"}}}}
        self.assertEqual(self.graded(around), {"doubt"})

    def test_the_stream_swells_as_it_burns(self):
        """5 % CO burnt at about 1000 K: some 600 K more, and a hundredth fewer moles."""
        case = Case(burning(LAGGED))
        swells = case.phenomena["mixture"].quickens(case.facts)
        self.assertTrue(1.4 < swells < 1.8, swells)
        still = Case(burning(INERT))
        self.assertEqual(still.phenomena["mixture"].quickens(still.facts), 1.0)


class Offered(unittest.TestCase):
    def setUp(self):
        self.case = Case(burning())
        self.solvers, self.state = started(self.case)

    def offer(self, kind, of=FLUID, who="mixture"):
        return self.solvers[who].offer(Provides(kind, of), self.state)

    def test_what_it_takes_to_warm_it(self):
        warm, live = self.offer(Temperature), self.solvers["mixture"].mesh.live[0]
        dense = known(self.case, self.state, ["gas_density"])["gas_density"]
        capacity = known(self.case, self.state, ["gas_heat_capacity"])["gas_heat_capacity"]
        np.testing.assert_allclose(warm.capacity[0][live], (dense * capacity)[live], rtol=2e-5)
        self.assertTrue((warm.rise[0][live] > 0).all())

    def test_what_a_mole_of_each_holds(self):
        """CO from its elements and warmed from 298 to 1000 K: -110.53 + 21.69 kJ/mol (JANAF)."""
        there = self.offer(Composition)
        at = self.solvers["mixture"].mesh.live[0]
        mine = there.enthalpies[there.names.index("CO")][at]
        np.testing.assert_allclose(mine / 1e3, -88.84, atol=0.1)

    def test_reactions_give_no_heat_to_who_counts_formation(self):
        march = build_march(Case(burning({"stages": {"go": {"until": "0.5 ms"}}})))
        march.run()
        state, reactions = march.state, march.solvers["reactions"]
        self.assertGreater(state.fields["reactions.warms"].max(), 1e5)
        self.assertFalse(reactions.offer(Provides(Source, "heat"), state).value.any())


class Moves(unittest.TestCase):
    def test_gases_that_spread_unequally_leave_each_other_as_warm_as_they_are(self):
        """At one temperature nothing is conducted: what components take along moves all of it."""
        data = burning(
            INERT,
            LAGGED,
            {
                "phenomena": {"flow": None},
                "conditions": {
                    "inlet": {
                        "flow": None,
                        "mixture.heat": {"kind": "lagged", "value": None},
                        **{f"mixture.{n}": {"kind": "sealed", "value": None} for n in SHARES},
                    },
                    "outlet": {"flow": None},
                },
                "start": {"space": {"mixture.CO2": {"value": "0.4*x/(40 mm)"}}},
                "stages": {"go": {"solve": ["mixture"], "until": "0.2 s", "longest_step": "1 ms"}},
            },
        )
        run = api.run(data)
        warm, share = run.field("mixture_temperature"), run.field("CO2")
        self.assertLess(np.ptp(share), 0.37)  # it has spread
        self.assertLess(np.ptp(warm), 1e-3)
        self.assertAlmostEqual(run.balance["heat"]["relative"], 0.0, delta=1e-12)

    def test_a_film_takes_what_its_coefficient_says(self):
        """40 W/(m2 K) over 40 mm x 1 m, from a gas of one temperature to surroundings of another."""
        case = Case(burning(INERT))
        solvers, state = started(case)
        solver = solvers["mixture"]
        member = next(m for m in solver.members if m.name == "heat")
        member.set_values(state)
        top = member.legs.edge == solver.mesh.edge_index("box_top")
        c = state.fields["mixture.enthalpy"][0]
        pull = member.factor * (member.held - c[member.legs.row, member.legs.column])
        flux = member.what.capacity * pull[top].sum() / member.legs.area[top].sum()
        conducts = known(case, state, ["gas_conductivity"])["gas_conductivity"][3, 3]
        in_a_row = 1.0 / (1.0 / 40.0 + 0.625e-3 / conducts)
        self.assertAlmostEqual(flux / (in_a_row * (400.0 - 1000.0)), 1.0, delta=0.02)

    def test_it_burns_as_warm_as_paper_says(self):
        data = burning(
            LAGGED,
            {
                "conditions": {"inlet": {"mixture.heat": {"value": "1300 K"}}},
                "start": {"space": {"mixture.heat": {"value": "1300 K"}}},
                "stages": {"go": {"until": "60 ms"}},
                "readouts": {
                    "hottest": {"kind": "max", "field": "mixture_temperature", "place": "space"}
                },
            },
        )
        row = next(r for r in paper_check(Case(data)).rows if r.readout == "hottest")
        self.assertEqual((row.by, row.inside), ("As warm as it makes itself", True))
        run = api.run(data)
        self.assertAlmostEqual(run.readouts["hottest"].value / row.value, 1.0, delta=0.01)
        carbon = run.balance["CO"]["given"]["reactions"] / 28.0101
        carbon += run.balance["CO2"]["given"]["reactions"] / 44.0095
        self.assertLess(abs(carbon), 1e-7 * abs(run.balance["CO"]["given"]["reactions"]))


FAST = {
    "grid": {"size": "2.5 mm"},
    "phenomena": {"reactions": {"reactions": {"burning": {"constant": "2e7 (m3/mol)^0.5/s"}}}},
    "stages": {"go": {"mode": "steady", "until": None}},
    "readouts": {
        "hottest": {"kind": "max", "field": "mixture_temperature", "place": "space"},
        "left": {"kind": "mean", "field": "mixture.CO", "place": "outlet", "weight": "flow"},
    },
}


class Rests(unittest.TestCase):
    """What burns fast and thins the stream comes to rest, from a cold start or a lit one."""

    def test_it_comes_to_rest_as_through_time(self):
        rest = api.run(burning(FAST))
        time = api.run(burning(FAST, {"stages": {"go": {"mode": "transient", "until": "250 ms"}}}))
        hot = [run.readouts["hottest"].value for run in (rest, time)]
        self.assertGreater(hot[0], 1450.0)  # CO of the inlet burns up to 1503 K by itself
        self.assertAlmostEqual(hot[0] / hot[1], 1.0, delta=0.01)
        self.assertLess(rest.readouts["left"].value, 1e-4)
        for quantity in ("heat", "CO", "O2", "CO2"):
            self.assertLess(rest.balance[quantity]["relative"], 1e-8, quantity)
        given = {n: rest.balance[n]["given"]["reactions"] for n in ("CO", "CO2")}
        carbon = given["CO"] / 28.0101 + given["CO2"] / 44.0095
        self.assertLess(abs(carbon), 1e-7 * abs(given["CO"]))

    def test_ties_are_what_sources_differ_by(self):
        """As Newton's method takes them, along a random change of all substances and of enthalpy."""
        march = build_march(Case(burning(FAST)))
        mixture, reactions = march.solvers["mixture"], march.solvers["reactions"]
        state = march.state
        offers = {n: march._offers(n, {}) for n in ("mixture", "reactions")}
        names = list(SHARES)
        fields = [mixture.carrying.of(state, m) for m in mixture.members]

        def made():
            reactions.relax(state, offers["reactions"])
            found = []
            for name, c in zip(names, fields, strict=False):
                source = reactions.offer(Provides(Source, name), state)
                found.append(source.value[0] - source.linear[0] * c)
            return np.stack(found)

        before = made()
        with mock.patch("underkettle.phenomena.mixture.solver._tamed", lambda *_: 1.0):
            ties = mixture.tied(reactions.ties(state, offers["reactions"]), state)
        scale = [m.what.capacity for m in mixture.members]
        rng = np.random.default_rng(5)
        live = mixture.carrying.live
        changes = [
            size * np.where(live, rng.standard_normal(live.shape), 0.0)
            for size in (1e-5, 1e-5, 1e-5, 10.0)
        ]
        for c, change_ in zip(fields, changes, strict=True):
            c += change_
        risen = made() - before
        for k in range(len(names)):
            told = scale[k] * sum(ties[k, n] * changes[n] for n in range(4))
            error = np.linalg.norm((risen[k] - told)[live])
            self.assertLess(error, 1e-2 * np.linalg.norm(told[live]), names[k])

    def test_what_grows_by_itself_is_tamed(self):
        """A cell that decays by 2 and warms itself by 4 counts half of it: it stands still."""
        plain, warming = np.zeros((2, 2, 1, 3)), np.zeros((2, 2, 1, 3))
        plain[0, 0, 0] = -2.0, -2.0, 0.0
        warming[1, 1, 0] = 4.0, 1.0, 3.0
        np.testing.assert_allclose(_tamed(plain, warming)[0], [0.5, 1.0, 0.0])


class Together(unittest.TestCase):
    def test_parts_of_a_vector_are_judged_by_the_largest(self):
        before = {"u": np.array([1.0, 2.0]), "v": np.array([1e-16, -1e-16])}
        now = {"u": np.array([1.0, 2.0]), "v": np.array([-1e-16, 1e-16])}
        self.assertAlmostEqual(change(before, now), 2.0)
        self.assertLess(change(before, now, [("u", "v")]), 1e-15)
        now["u"] = np.array([1.0, 2.2])
        self.assertAlmostEqual(change(before, now, [("u", "v")]), 0.2 / 2.2)


if __name__ == "__main__":
    unittest.main()
