"""Reactions as text: read, checked by their elements, balanced, their heat and constants."""

from __future__ import annotations

import unittest

import numpy as np

from underkettle.matter.reaction import (
    ReactionError,
    atoms_of,
    balanced,
    gained,
    heat_of,
    is_known,
    log_constants,
    read_reaction,
)


def atoms(*names):
    return {n: atoms_of(n) for n in names}


class Reading(unittest.TestCase):
    def test_as_people_write_it(self):
        r = read_reaction("CH4 + 2 O2 -> CO2 + 2 H2O")
        self.assertEqual(dict(r.left), {"CH4": 1.0, "O2": 2.0})
        self.assertEqual(r.net()["H2O"], 2.0)
        self.assertEqual(read_reaction("CO+1/2 O2=CO2").net()["O2"], -0.5)
        self.assertEqual(read_reaction("wet_peel -> 0.4 vapour + dry").names[1], "vapour")

    def test_a_catalyst_comes_out_as_it_went_in(self):
        r = read_reaction("A1 + X1 -> B1 + X1")
        self.assertEqual(r.net(), {"A1": -1.0, "X1": 0.0, "B1": 1.0})

    def test_what_cannot_be_read(self):
        for text in ("CH4 + 2 O2", "-> CO2", "CH4 -> ", "2 -> CO", "CH4 ++ O2 -> CO2", "0 CO -> C"):
            with self.assertRaises(ReactionError, msg=text):
                read_reaction(text)
        with self.assertRaises(ReactionError):
            read_reaction("C -> " + "x" * 300)


class Elements(unittest.TestCase):
    def test_formulas(self):
        self.assertEqual(atoms_of("C10H16"), {"C": 10, "H": 16})
        self.assertEqual(atoms_of("CO(NH2)2"), {"C": 1, "O": 1, "N": 2, "H": 4})
        for name in ("terpene", "feed", "X2", "H2O)", "(H2O", "2H"):
            self.assertIsNone(atoms_of(name), name)

    def test_what_is_made_of_nothing(self):
        r = read_reaction("CO + O2 -> CO2")
        self.assertEqual(gained(r, atoms("CO", "O2", "CO2")), {"O": -1.0})
        r = read_reaction("C10H16 + 14 O2 -> 10 CO2 + 8 H2O")
        self.assertEqual(gained(r, atoms("C10H16", "O2", "CO2", "H2O")), {})

    def test_balanced(self):
        every = atoms("C10H16", "O2", "CO2", "H2O", "CO", "H2", "CH4", "C2H6")
        for wrong, right in (
            ("C10H16 + O2 -> CO2 + H2O", "C10H16 + 14 O2 -> 10 CO2 + 8 H2O"),
            ("2 CO + O2 -> CO2", "2 CO + O2 -> 2 CO2"),
            ("CO + O2 -> CO2", "CO + 0.5 O2 -> CO2"),
        ):
            self.assertEqual(balanced(read_reaction(wrong), every), right)
        # two ways at once, and none at all
        self.assertIsNone(balanced(read_reaction("CH4 + O2 -> CO + CO2 + H2O"), every))
        self.assertIsNone(balanced(read_reaction("CH4 -> CO2"), every))


class Heat(unittest.TestCase):
    def test_of_burning(self):
        """Lower heating values: CH4 802.3, CO 283.0, H2 241.8 kJ/mol (JANAF)."""
        for text, value in (
            ("CH4 + 2 O2 -> CO2 + 2 H2O", 802.3),
            ("CO + 0.5 O2 -> CO2", 283.0),
            ("H2 + 0.5 O2 -> H2O", 241.8),
        ):
            self.assertAlmostEqual(heat_of(read_reaction(text)) / 1e3, value, delta=0.3)
        self.assertFalse(is_known(read_reaction("terpene -> CO")))

    def test_constant_of_the_shift_and_of_a_gas_that_falls_apart(self):
        shift = read_reaction("CO + H2O -> CO2 + H2")
        self.assertAlmostEqual(np.exp(log_constants(shift, np.array([800.0]))[0]), 4.2, delta=0.05)
        # moles grow by one: K_c = K_p p0 / (R T)
        split = read_reaction("CO2 -> CO + 0.5 O2")
        both = log_constants(split, np.array([1500.0]))[0]
        reverse = log_constants(read_reaction("CO + 0.5 O2 -> CO2"), np.array([1500.0]))[0]
        self.assertAlmostEqual(both, -reverse, delta=1e-12)


if __name__ == "__main__":
    unittest.main()
