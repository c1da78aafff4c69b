"""The board of phenomena: groups, who meets whom, whether it matters, what is typed at first."""

import json
import unittest
from pathlib import Path

from tests.phenomena.cases import FLOW, HEAT
from underkettle.case.board import board
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.engine.contract import DOES, Param, Phenomenon
from underkettle.engine.contract.declared import MemberKind

ROOT = Path(__file__).resolve().parent.parent.parent


def offered(data):
    return {o.name: o for o in board(Case(data))}


class Board(unittest.TestCase):
    def test_every_phenomenon_stands_in_its_group_in_order(self):
        rows = board(Case(FLOW))
        groups = [o.does for o in rows]
        self.assertEqual(groups, sorted(groups, key=list(DOES).index))
        self.assertEqual({o.name for o in rows if o.on}, {"flow"})
        self.assertEqual({o.group for o in rows if o.does == "moves"}, {"What moves"})

    def test_what_is_needed_says_who_gives_it(self):
        alone = offered(FLOW)["buoyancy"]
        self.assertEqual(
            [(n.says, n.who, n.must) for n in alone.needs], [("a temperature", [], True)]
        )
        self.assertEqual([(g.says, g.who) for g in alone.gives], [("a force", ["Flow"])])
        warm = offered(HEAT)["buoyancy"]
        self.assertEqual([n.who for n in warm.needs], [["Heat"]])

    def test_things_of_one_kind_are_counted_where_they_are_many(self):
        some = {f"s{k}": {"diffusivity": "1e-9 m2/s"} for k in range(5)}
        for count, words in ((2, "a source of s0 and s1"), (5, "a source of 5")):
            members = dict(list(some.items())[:count])
            row = offered(merge_patch(FLOW, {"phenomena": {"species": {"members": members}}}))
            says = [n.says for n in row["species"].needs]
            self.assertEqual(says, ["a stream", "turbulence", "pores", words])

    def test_numbers_say_whether_it_matters_and_none_is_made_of_guesses(self):
        rows = offered(HEAT)
        on = {r.symbol: r.value for r in rows["heat"].regimes}
        self.assertIn("Pr", on)
        self.assertFalse(rows["heat"].later)
        self.assertEqual(rows["buoyancy"].regimes, [])
        self.assertTrue(rows["buoyancy"].later)

    def test_what_is_typed_at_first_can_be_read(self):
        class Everything(Phenomenon):
            settings = (
                Param("speed", "speed"),
                Param("count", kind="count"),
                Param("way", kind="choice", choices=("slow", "quick")),
                Param("wet", kind="flag"),
                Param("parts", "length", kind="list"),
                Param("law", "power", kind="table", over="temperature"),
                Param("where", kind="place"),
                Param("spare", "speed", optional=True),
                Param("usual", "speed", default="2 m/s", why="usual"),
            )
            member_kinds = (MemberKind("grain", (Param("size", "length"),), key="grains", least=2),)

        self.assertEqual(
            Everything().blank(),
            {
                "speed": "1 m/s",
                "count": 1,
                "way": "slow",
                "wet": False,
                "parts": ["1 mm"],
                "law": {"table": [["1 K", "1 W"], ["2 K", "1 W"]]},
                "where": "",
                "grains": {"grain": {"size": "1 mm"}, "grain_2": {"size": "1 mm"}},
            },
        )
        self.assertTrue(Everything().guesses)
        for path in sorted((ROOT / "demo").glob("*.json")):
            case = Case(json.loads(path.read_text()))
            self.assertEqual([o.name for o in board(case) if o.trouble], [], path.name)


if __name__ == "__main__":
    unittest.main()
