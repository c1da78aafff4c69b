"""Whether eddies or the law of a reaction hold it back: times by hand, and what the audit says."""

import json
import unittest
from pathlib import Path

import numpy as np

from tests.phenomena.reacting import DUCT, STIRRED
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.engine.operators.ducts import developed_duct
from underkettle.matter.gases import read_gas
from underkettle.matter.thermo import mass_of

RUNS = {"conditions": {"space": {"reactions.burning": {"kind": "runs"}}}}


def case(*patches) -> Case:
    data = merge_patch(DUCT, STIRRED)
    for patch in (RUNS, *patches):
        data = merge_patch(data, patch)
    return Case(data)


def inlet(**values) -> dict:
    return {"conditions": {"inlet": {"turbulence": {"kind": "brought in", **values}}}}


class MixingTime(unittest.TestCase):
    def time(self, *patches) -> float:
        return case(*patches).facts.mixing_time()

    def test_of_a_size(self) -> None:
        # k = 1.5 (.1 x .5 m/s)^2 = 3.75e-3 J/kg; k / epsilon = l / (.09^.75 sqrt(k))
        found = self.time(inlet(intensity="0.1", length="2 mm"))
        self.assertAlmostEqual(found, 2e-3 / (0.09**0.75 * np.sqrt(3.75e-3)), 9)

    def test_of_a_width(self) -> None:
        found = self.time(inlet(intensity="0.1", diameter="40 mm"))
        self.assertAlmostEqual(found, 0.07 * 0.04 / (0.09**0.75 * np.sqrt(3.75e-3)), 9)

    def test_of_a_ratio_of_viscosities(self) -> None:
        # nu = 30e-6 / .6 = 5e-5 m2/s
        found = self.time(inlet(intensity="0.1", ratio="10"))
        self.assertAlmostEqual(found, 10 * 5e-5 / (0.09 * 3.75e-3), 9)

    def test_of_a_long_duct(self) -> None:
        found = self.time({"conditions": {"inlet": {"turbulence": {"kind": "developed"}}}})
        # plates 20 mm apart: Re = .5 x .04 / 5e-5
        rate = developed_duct(400.0, False).rate[-1] * 0.5 / 0.01
        self.assertAlmostEqual(found, 1 / (0.09 * rate), 9)

    def test_none_without_eddies(self) -> None:
        self.assertIsNone(Case(DUCT).facts.mixing_time())


class OwnHeat(unittest.TestCase):
    """A gas that keeps account of its own heat tells what streams bring of it."""

    @classmethod
    def setUpClass(cls) -> None:
        file = Path(__file__).parents[2] / "demo" / "peel-gasifier.json"
        cls.case = Case(json.loads(file.read_text()))

    def test_two_streams_mixed(self) -> None:
        vapours = {"CO": 0.22, "H2": 0.008, "CH4": 0.03, "CO2": 0.18, "H2O": 0.40, "N2": 0.162}
        air = {"O2": 0.2314, "N2": 0.7686}
        parts = {n: (80 * vapours.get(n, 0) + 37 * air.get(n, 0)) / 117 for n in {*vapours, *air}}
        warm = (80 * 450 + 37 * 300) / 117 + 273.15
        heavy = 1 / sum(part / mass_of({name: 1.0}) for name, part in parts.items())
        found = self.case.facts.brought()
        self.assertAlmostEqual(found.warm, warm, places=6)
        self.assertAlmostEqual(found.density, 101325 * heavy / (8.31446 * warm), places=5)
        self.assertAlmostEqual(found.warmed(0.0), warm, places=6)
        holds = sum(part * read_gas(n).heat_capacity(warm + 3) for n, part in parts.items())
        self.assertAlmostEqual(found.warmed(6 * holds), warm + 6, delta=0.01)

    def test_its_eddies_are_judged(self) -> None:
        rows = {row.name: row for row in paper_check(self.case).regimes}
        self.assertGreater(rows["Damkoehler number of eddies"].value, 1)

    def test_none_where_heat_is_not_its_own(self) -> None:
        self.assertIsNone(Case(DUCT).facts.brought())


class Waits(unittest.TestCase):
    def number(self, found: Case) -> tuple[float, str]:
        rows = {row.name: row for row in paper_check(found).regimes}
        row = rows["Damkoehler number of eddies"]
        return row.value, row.verdict

    def says(self, found: Case) -> list[str]:
        return [f.sentence for f in audit(found) if "eddies" in f.sentence]

    def test_a_law_that_is_slow_does_not_wait(self) -> None:
        slow = {
            "phenomena": {
                "reactions": {"reactions": {"burning": {"constant": "1e-6 (m3/mol)^0.5/s"}}}
            }
        }
        value, verdict = self.number(case(slow))
        self.assertLess(value, 0.1)
        self.assertEqual(verdict, "its law holds it back")
        self.assertEqual(self.says(case(slow)), [])
        waits = {"phenomena": {"reactions": {"reactions": {"burning": {"mixing": 4}}}}}
        self.assertIn("mix faster than it runs", self.says(case(slow, waits))[0])

    def test_a_flame_waits(self) -> None:
        quick = {
            "phenomena": {
                "reactions": {"reactions": {"burning": {"constant": "4e9 (m3/mol)^0.5/s"}}}
            }
        }
        value, verdict = self.number(case(quick))
        self.assertGreater(value, 1)
        self.assertEqual(verdict, "eddies hold it back")
        self.assertIn("does not wait until eddies have mixed", self.says(case(quick))[0])


if __name__ == "__main__":
    unittest.main()
