"""Values of every kind, members of several kinds, pairs of them, and places that are named."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BREW
from tests.phenomena.resting import Quiet
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.schema import case_schema
from underkettle.case.values import Attached, Names, read_param, read_quantity
from underkettle.engine.contract import (
    Condition,
    MemberKind,
    Pairing,
    Param,
    find_phenomena,
)
from underkettle.matter import library
from underkettle.matter.substance import Substance
from underkettle.quantities import Place, dimension_of
from underkettle.quantities.table import Table

NONE = Names({}, {})


def read(param, given):
    return read_param(param, given, NONE, "here")


class Kinds(unittest.TestCase):
    def refused(self, param, given):
        with self.assertRaises(CaseError) as caught:
            read(param, given)
        return str(caught.exception)

    def test_a_table_goes_over_what_it_says(self):
        param = Param("loss", "pressure", "table", over="speed", least=0)
        table = read(param, {"table": [["1 m/s", "10 Pa"], ["3 m/s", "30 Pa"]]})
        self.assertEqual(table.evaluate(2.0), 20.0)
        np.testing.assert_allclose(table.evaluate(np.array([0.0, 2.5, 9.0])), [10.0, 25.0, 30.0])
        self.assertIn("row 1", self.refused(param, {"table": [["1 m", "1 Pa"], ["2 m", "1 Pa"]]}))
        self.assertIn(
            "row 2", self.refused(param, {"table": [["1 m/s", "1 Pa"], ["2 m/s", "-1 Pa"]]})
        )
        self.assertIn(
            "rise", self.refused(param, {"table": [["2 m/s", "1 Pa"], ["1 m/s", "1 Pa"]]})
        )
        self.assertIn("two rows", self.refused(param, {"table": [["2 m/s", "1 Pa"]]}))
        self.assertIn("a table is written", self.refused(param, "3 Pa"))
        self.assertIn("5000 rows", self.refused(param, {"table": [["1 m/s", "1 Pa"]] * 6000}))

    def test_a_list_is_typed_with_commas_or_as_one(self):
        param = Param("sizes", "length", "list", above=0)
        self.assertEqual(read(param, "1 mm, 2 mm"), (1e-3, 2e-3))
        self.assertEqual(read(param, ["1 mm", "0.2 cm"]), (1e-3, 2e-3))
        self.assertIn("here / 2", self.refused(param, "1 mm, 0 mm"))
        self.assertIn("a list is wanted", self.refused(param, {"a": 1}))

    def test_a_file_is_text_of_bounded_size(self):
        param = Param("record", kind="file")
        self.assertEqual(
            read(param, {"name": "a.csv", "text": "0,1\n"}), Attached("a.csv", "0,1\n")
        )
        for bad in (
            "a.csv",
            {"name": "a.csv"},
            {"name": "../a.csv", "text": ""},
            {"name": "a.csv", "text": "\x00"},
            {"name": "a.csv", "text": "x" * 200_001},
            {"name": "a.csv", "text": "x", "path": "/etc/passwd"},
        ):
            with self.subTest(bad=str(bad)[:40]):
                self.refused(param, bad)

    def test_a_place_is_a_name(self):
        param = Param("tank", kind="place", among="zone")
        self.assertEqual(read(param, "mash"), "mash")
        self.refused(param, 3)

    def test_a_formula_may_be_a_table_over_what_is_solved_or_a_coordinate(self):
        solved = {"temperature": dimension_of("temperature")}
        typed = {"table": [["300 K", "1 W"], ["310 K", "3 W"]], "over": "temperature"}
        law = read_quantity(typed, "power", NONE, "here", solved=solved)
        self.assertEqual(law.reads, {"temperature"})
        self.assertFalse(law.steady)
        np.testing.assert_allclose(
            law.at(Place(), {"temperature": np.array([305.0, 320.0])}), [2, 3]
        )
        along = read_quantity(
            {"table": [["0 m", "1 W"], ["2 m", "3 W"]], "over": "x"}, "power", NONE, "here"
        )
        self.assertEqual((along.reads, along.steady), (frozenset(), True))
        np.testing.assert_allclose(along.at(Place(x=np.array([0.5, 1.0]))), [1.5, 2.0])
        with self.assertRaisesRegex(CaseError, "go over 'humidity'"):
            read_quantity({**typed, "over": "humidity"}, "power", NONE, "here", solved=solved)

    def test_means_of_tables(self):
        self.assertEqual(Table((0.0, 1.0, 3.0), (0.0, 2.0, 2.0)).mean, 5.0 / 3.0)


class Brewing(unittest.TestCase):
    """The toy that has members without columns and values of every kind."""

    def test_numbers_by_hand(self):
        """Below 301 K the vigour is about one; hops give 1 MW/m3, malt 2; a share of .75 of it."""
        run = uk.run(merge_patch(BREW, {"phenomena": {"heat": {"conductivity": "1e-9 W/(m K)"}}}))
        rise = run.readouts["warmest"].value - 300.0
        # 3 MW/m3 x .75 x the mean strength of 1.5 over one second, over 4 MJ/(m3 K)
        self.assertAlmostEqual(rise / (3.0 * 0.75 * 1.5 / 4.0), 1.0, delta=0.03)
        given = run.balance["heat"]["given"]
        self.assertEqual(list(given), ["brew"])

    def test_a_material_is_a_value(self):
        """Warm water is thinner: what brews in it at 300 K does so 1.0016 / 0.8537 times as fast
        (mPa s at 20 and 26.85 degC, IAPWS as tabulated).
        """
        cool = {"phenomena": {"heat": {"conductivity": "1e-9 W/(m K)"}}}
        plain = uk.run(merge_patch(BREW, cool)).readouts["warmest"].value
        liquor = {"phenomena": {"brew": {"liquor": "Water"}}}
        told = uk.run(merge_patch(merge_patch(BREW, cool), liquor)).readouts["warmest"].value
        self.assertAlmostEqual((told - 300) / (plain - 300), 1.0016 / 0.8537, delta=0.03)

    def test_a_material_is_the_same_whatever_was_asked_before(self):
        one, two = Substance("Water", 101325.0), Substance("Water", 101325.0)
        at = np.array([[290.13, 301.77]])
        one.value("viscosity", 340.0)
        one.value("viscosity", 281.0)
        np.testing.assert_array_equal(one.value("viscosity", at), two.value("viscosity", at))
        exact = library.properties("Water", 301.77, 101325.0).values["viscosity"]
        self.assertAlmostEqual(float(two.value("viscosity", 301.77)) / exact, 1.0, delta=5e-5)
        self.assertTrue(np.isnan(two.value("viscosity", np.nan)))

    def test_members_without_columns_have_none(self):
        case = Case(BREW)
        self.assertEqual([c.id for c in case.columns], ["heat"])
        self.assertEqual(set(case.settings["brew"]["reactions"]), {"malt", "hops"})
        self.assertEqual(case.facts.settings("brew")["pairs"]["malt-hops"]["hinders"], 2.0)

    def test_a_place_that_is_not_drawn_stops_it_and_nothing_is_refused(self):
        gone = Case(merge_patch(BREW, {"vessel": {"parts": {"mash": None}}, "readouts": None}))
        found = [f for f in audit(gone) if f.rule == "set to a place not drawn"]
        self.assertEqual([f.grade for f in found], ["stops"])
        self.assertIn("mash", found[0].sentence)
        self.assertEqual([], [f for f in audit(Case(BREW)) if f.rule == found[0].rule])

    def test_what_follows_temperature_is_told_to_the_order(self):
        laws = [(n, w, r) for n, w, r in Case(BREW).laws() if n == "brew"]
        self.assertEqual(laws, [("brew", "old", frozenset({"temperature"}))])

    def test_faults_name_their_place(self):
        for patch, said in (
            ({"reactions": None}, "reactions: no reaction is named"),
            ({"reactions": {"malt": {"heat": "1 m"}}}, "reactions / malt / heat"),
            ({"reactions": {"1x": {"heat": "1 W/m3"}}}, "reactions / 1x"),
            ({"pairs": {"malt-yeast": {"hinders": 1}}}, "there is no pair 'malt-yeast'"),
            ({"pairs": {"malt-hops": {"hinders": -1}}}, "pairs / malt-hops / hinders"),
            ({"vigour": None}, "vigour"),
            ({"liquor": "Watr"}, "liquor / material: the library has no such material"),
            ({"liquor": {"material": "Water", "pressure": "-1 Pa"}}, "liquor / pressure"),
            ({"liquor": 3}, "a material of the library is wanted"),
        ):
            with self.subTest(patch=patch):
                with self.assertRaises(CaseError) as caught:
                    Case(merge_patch(BREW, {"phenomena": {"brew": patch}}))
                self.assertIn(said, str(caught.exception))


class Beds(Quiet):
    """Two kinds of members with columns of their own, and laws between them."""

    name, label = "beds", "Beds"
    member_kinds = (
        MemberKind("gas", (Param("thin", default=1.0, why="air"),), key="gases"),
        MemberKind("solid", (Param("size", "length"),), key="solids", least=2),
    )
    pairings = (
        Pairing(("gas", "solid"), (Param("drag", default=1.0, why="plain"),), key="drags"),
        Pairing(("solid", "solid"), (Param("bounce", default=0.9, why="hard"),), key="knocks"),
    )
    conditions = (
        Condition("shut", "edge", "shut"),
        Condition("blown", "edge", "blown in", kinds=("gas",)),
    )


class SeveralKinds(unittest.TestCase):
    def case(self, **patch):
        beds = {
            "gases": {"air": {}},
            "solids": {"sand": {"size": "1 mm"}, "grit": {"size": "2 mm"}},
        }
        data = merge_patch(
            {**BREW, "phenomena": {"beds": beds}, "stages": {}, "readouts": {}, "start": {}},
            patch,
        )
        return Case(data, registry={**find_phenomena(), "beds": Beds()})

    def test_each_member_has_its_column_and_every_pair_its_law(self):
        case = self.case(phenomena={"beds": {"drags": {"air-grit": {"drag": 3}}}})
        self.assertEqual(
            [(c.id, c.kind) for c in case.columns],
            [("beds.air", "gas"), ("beds.sand", "solid"), ("beds.grit", "solid")],
        )
        settings = case.settings["beds"]
        self.assertEqual(
            {p: v["drag"] for p, v in settings["drags"].items()}, {"air-sand": 1.0, "air-grit": 3.0}
        )
        self.assertEqual(list(settings["knocks"]), ["sand-grit"])

    def test_conditions_are_for_the_kinds_they_say(self):
        self.case(conditions={"box_left": {"beds.air": {"kind": "blown"}}})
        with self.assertRaisesRegex(CaseError, "'blown' is not possible"):
            self.case(conditions={"box_left": {"beds.sand": {"kind": "blown"}}})

    def test_fewer_than_needed_are_refused(self):
        with self.assertRaisesRegex(CaseError, "fewer than 2 of kind solid"):
            self.case(phenomena={"beds": {"solids": {"grit": None}}})

    def test_the_schema_knows_them(self):
        schema = case_schema({"beds": Beds()})["properties"]["phenomena"]["properties"]["beds"]
        self.assertEqual(schema["properties"]["solids"]["minProperties"], 2)
        self.assertIn(
            "bounce", schema["properties"]["knocks"]["additionalProperties"]["properties"]
        )
        self.assertEqual(set(schema["required"]), {"gases", "solids"})


if __name__ == "__main__":
    unittest.main()
