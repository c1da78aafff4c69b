"""Reactions that the library knows: each reads, keeps its elements, and has the unit it wants."""

import copy
import unittest

import numpy as np

from tests.phenomena.cures import cured, found
from tests.phenomena.reacting import DUCT
from underkettle import api, known_sets
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.reaction import ReactionError, atoms_of, gained, read_reaction
from underkettle.matter.thermo import mass_of
from underkettle.paper.flames import burning_flux
from underkettle.phenomena.reactions import mechanism

SURFACES = ("char", "catalytic_reduction")
WORDS = {"char": {"C": 1}, "urea": atoms_of("CO(NH2)2")}


def duct(**reactions):
    """The small duct with other reactions."""
    case = copy.deepcopy(DUCT)
    case["phenomena"]["reactions"]["reactions"] = reactions
    for place in ("space", "bed"):
        del case["conditions"][place]
    return case


def burns_at(law, made, fuel, oxygen):
    """Speed (m/s) of a plane flame of one reaction in just the air it needs, everything spreading as
    heat does.
    """
    gases = (fuel, "O2", *made, "N2")
    blend, mass = Blend([read_gas(g) for g in gases]), {g: mass_of({g: 1.0}) for g in gases}
    nitrogen = oxygen * 79.0 / 21.0
    whole = mass[fuel] + oxygen * mass["O2"] + nitrogen * mass["N2"]
    c = np.linspace(0.0, 1.0, 4001)
    moles = {fuel: 1.0 - c, "O2": oxygen * (1.0 - c), **{g: k * c for g, k in made.items()}}
    parts = [mass[g] * n / whole for g, n in moles.items()]
    parts.append(1.0 - sum(parts))
    held = blend.enthalpy([p[:1] for p in parts], np.array([300.0]))[0][0]
    warm = blend.temperature(parts, np.full(c.size, held))
    dense = blend.density(parts, warm, 101325.0)
    spreads = blend.conductivity(parts, warm) / blend.heat_capacity(parts, warm)
    amounts = {g: dense * p / mass[g] for g, p in zip(gases, parts, strict=True)}
    runs = spreads * law.rate(amounts, warm) * whole

    return burning_flux(c, runs) / dense[0]


class Known(unittest.TestCase):
    def test_they_burn_as_fast_as_is_told_of_them(self):
        for name, told, made, fuel, oxygen in (
            ("methane_one_step", 0.21, {"CO2": 1.0, "H2O": 2.0}, "CH4", 2.0),
            ("propane_one_step", 0.25, {"CO2": 3.0, "H2O": 4.0}, "C3H8", 5.0),
            ("hydrogen_one_step", 2.8, {"H2O": 1.0}, "H2", 0.5),
        ):
            with self.subTest(name):
                known = next(k for k in known_sets("reactions") if k.name == name)
                (typed,) = known.members.values()
                unit = f"{told:g} m/s" if told > 1.0 else f"{100 * told:g} cm/s"
                self.assertIn(unit, known.about)
                energy = typed["activation"].split()
                joules = float(energy[0]) * {"kcal/mol": 4184.0, "kJ/mol": 1e3}[energy[1]]
                law = mechanism.read_step({**typed, "activation": joules})
                speed = burns_at(law, made, fuel, oxygen)
                self.assertAlmostEqual(speed / told, 1.0, delta=0.03)

    def test_each_reads_keeps_its_elements_and_tells_its_range_and_source(self):
        for known in known_sets("reactions"):
            for name, typed in known.members.items():
                with self.subTest(f"{known.name} {name}"):
                    reaction = read_reaction(typed["written"])
                    atoms = {n: WORDS.get(n) or atoms_of(n) for n in reaction.names}
                    self.assertEqual(gained(reaction, atoms), {})
                    self.assertTrue(typed["coldest"] and typed["hottest"] and typed["source"])

    def test_units_fit_and_all_can_be_followed(self):
        """Taken into a duct, and what they name followed, no set leaves anything that stops it."""
        for known in known_sets("reactions"):
            with self.subTest(known.name):
                case = duct(**known.members)
                case["phenomena"]["reactions"].update(known.settings)
                if known.name in SURFACES:
                    on = {"kind": "on a surface", "area": "100 1/m"}
                    for place in ("space", "bed"):
                        case["conditions"][place] = {f"reactions.{n}": on for n in known.members}
                for finding in found(case, "nobody follows it"):
                    case = cured(case, finding)
                stops = [f.sentence for f in audit(Case(case)) if f.grade == "stops"]
                self.assertEqual(stops, [])

    def test_there_is_nothing_of_another_name(self):
        with self.assertRaises(CaseError):
            known_sets("stones")
        self.assertEqual(known_sets("flow"), ())


class Following(unittest.TestCase):
    def test_a_cure_follows_what_nobody_does(self):
        """Where substances are counted by amount, and by mass; streams bring none of it."""
        case = duct(a={"written": "CO + OH -> CO2 + H", "constant": "1 m3/(mol s)"})
        (finding,) = found(case, "nobody follows it")
        self.assertEqual(finding.sentence, "Nobody follows OH and H.")
        case = cured(case, finding)
        self.assertEqual(
            case["phenomena"]["species"]["members"]["OH"], {"diffusivity": "8e-5 m2/s"}
        )
        self.assertEqual(
            case["conditions"]["inlet"]["species.OH"], {"kind": "carried in", "value": "0 mol/m3"}
        )
        self.assertEqual(found(case, "nobody follows it"), [])

    def test_what_has_no_data_may_take_part_unfollowed_in_a_mixture(self):
        case = duct(a={"written": "coke + H2O -> CO + H2", "constant": "1 1/s"})
        member = {"gas": "CO", "diffusivity": "1e-4 m2/s"}
        case["phenomena"]["mixture"] = {"density": "0.6 kg/m3", "members": {"CO": member}}
        del case["phenomena"]["species"]
        for column in ("CO", "O2", "H2O", "CO2", "H2"):
            del case["conditions"]["inlet"][f"species.{column}"]
        case["conditions"]["inlet"]["mixture.CO"] = {"kind": "carried in", "value": "0.2"}
        case["stages"]["go"]["solve"] = ["flow", "mixture", "heat", "reactions"]
        labels = {f.cure_label for f in found(case, "nobody follows it")}
        self.assertEqual(labels, {"Follow H2O and H2", "Leave unfollowed: coke"})
        for finding in found(case, "nobody follows it"):
            case = cured(case, finding)
        self.assertEqual(case["phenomena"]["mixture"]["members"]["H2"]["gas"], "H2")
        self.assertEqual(case["phenomena"]["reactions"]["unfollowed"], "coke")
        self.assertEqual(found(case, "nobody follows it"), [])


class Helpers(unittest.TestCase):
    def read(self, **values):
        typed = {"written": "H + O2 + M -> HO2 + M", "constant": "2 m6/(mol2 s)", **values}
        return mechanism.read_step(typed)

    def test_whoever_helps_is_of_first_order_where_it_does_not_fall_off(self):
        self.assertEqual(self.read().order, 3.0)
        self.assertEqual(self.read(few_constant="1 m6/(mol2 s)").order, 2.0)
        rate = self.read(counts="O2 0.5").rate({"H": 1.0, "O2": 4.0}, 500.0)
        self.assertEqual(rate, 2.0 * 4.0 * (1.0 + 0.5 * 4.0))
        self.assertEqual(read_reaction("H + O2 (+ M) -> HO2 (+ M)"), self.read().reaction)

    def test_what_cannot_be_read_is_told(self):
        for values in (
            {"written": "H + O2 + M -> HO2"},
            {"written": "M -> M"},
            {"counts": "H2O twelve"},
            {"few_constant": "1 m6/(mol2 s)", "broadening": "1.5"},
            {"few_constant": "1 m6/(mol2 s)", "broadening": "0.5 100 K"},
            {"written": "H + O2 -> HO2", "few_constant": "1 m6/(mol2 s)"},
        ):
            with self.subTest(str(values)), self.assertRaises(ReactionError):
                self.read(**values)
        self.assertEqual(
            mechanism.read_broadening("0.73 94 K 1756 K 5182 K"), (0.73, 94.0, 1756.0, 5182.0)
        )

    def test_both_constants_must_fit(self):
        law = {"written": "CO + O2 + M -> CO2 + M", "constant": "1 m3/(mol s)"}
        rule = "unit of a rate constant"
        (finding,) = found(duct(a={**law, "few_constant": "1 m3/(mol s)"}), rule)
        self.assertIn("where M is scarce", finding.sentence)
        self.assertEqual(found(duct(a={**law, "few_constant": "1 m6/(mol2 s)"}), rule), [])
        (finding,) = found(duct(a=law), rule)
        self.assertIn("orders of 3", finding.reason)

    def test_all_of_a_mixture_helps(self):
        """By mass fraction the rest counts, too: p / (R T) in all, at 600 K and 1 atm 20.311 mol/m3.
        The stream is .2 carbon monoxide and .1 steam by mass in nitrogen, all over the duct.
        """
        case = duct(a={"written": "CO + H2O + M -> CO2 + H2 + M", "constant": "1e-6 m6/(mol2 s)"})
        shares = {"CO": 0.2, "H2O": 0.1, "CO2": 0.0, "H2": 0.0}
        members = {n: {"gas": n, "diffusivity": "1e-4 m2/s"} for n in shares}
        law = {"rest": "N2", "rest_gas": "N2", "temperature": "600 K", "density": "0.6 kg/m3"}
        case["phenomena"]["mixture"] = {**law, "members": members}
        case["phenomena"]["reactions"]["temperature"] = "600 K"
        case["phenomena"]["flow"]["density"] = "gas_density"
        for gone in ("species", "heat"):
            del case["phenomena"][gone]
        brings = {f"mixture.{n}": {"kind": "carried in", "value": v} for n, v in shares.items()}
        case["conditions"] = {
            "inlet": {"flow": {"kind": "inflow", "speed": "0.5 m/s"}, **brings},
            "outlet": {"flow": {"kind": "outflow"}},
        }
        begins = {f"mixture.{n}": {"value": v} for n, v in shares.items()}
        case["start"] = {"space": begins, "bed": begins}
        case["stages"]["go"]["solve"] = ["flow", "mixture", "reactions"]
        case["stages"]["go"]["until"] = "1 ms"
        rate = api.run(case).field("a_rate")
        gas = 101325.0 / (8.314462618 * 600.0)
        mole = 1.0 / (0.2 / 28.010e-3 + 0.1 / 18.015e-3 + 0.7 / 28.014e-3)
        c = [gas * mole * share / mass for share, mass in ((0.2, 28.010e-3), (0.1, 18.015e-3))]
        by_hand = 1e-6 * c[0] * c[1] * gas
        self.assertAlmostEqual(float(np.nanmean(rate)) / by_hand, 1.0, delta=2e-4)


class FromTheRest(unittest.TestCase):
    """What makes up the fractions to one takes part like any other."""

    def hot_air(self, warm):
        """Air between slip walls at a temperature (K), in which nitric oxide forms in one step."""
        (route,) = (s for s in known_sets("reactions") if s.name == "nitric_oxide_one_step")
        case = duct(**route.members)
        members = {n: {"gas": n, "diffusivity": "3e-4 m2/s"} for n in ("O2", "NO")}
        law = {"rest": "nitrogen", "rest_gas": "N2", "density": "0.2 kg/m3"}
        case["phenomena"]["mixture"] = {**law, "temperature": f"{warm} K", "members": members}
        case["phenomena"]["reactions"]["temperature"] = f"{warm} K"
        case["phenomena"]["flow"]["density"] = "gas_density"
        for gone in ("species", "heat"):
            del case["phenomena"][gone]
        brings = {"O2": "0.15", "NO": "0"}
        case["conditions"] = {
            "inlet": {
                "flow": {"kind": "inflow", "speed": "2 m/s"},
                **{f"mixture.{n}": {"kind": "carried in", "value": v} for n, v in brings.items()},
            },
            "outlet": {"flow": {"kind": "outflow"}},
        }
        begins = {"mixture.O2": {"value": "0.15"}}
        case["start"] = {"space": begins, "bed": begins}
        case["stages"] = {"go": {"solve": ["flow", "mixture", "reactions"], "mode": "steady"}}
        return case

    def test_nobody_has_to_follow_it(self):
        case = self.hot_air(2000.0)
        told = [f.sentence for f in audit(Case(case)) if "N2" in f.sentence]
        self.assertEqual(told, [])

    def test_nitric_oxide_forms_as_fast_as_by_hand_at_three_states(self):
        """d[NO]/dt = 6e16 T^-1/2 e^(-69,090/T) [O2]^1/2 [N2], mol, cm3 and s (Heywood 1988)."""
        for warm in (1900.0, 2100.0, 2300.0):
            run = api.run(self.hot_air(warm))
            gas = 101325.0 / (8.314462618 * warm)
            mole = 1.0 / (0.15 / 31.9988e-3 + 0.85 / 28.0134e-3)
            oxygen, nitrogen = (
                gas * mole * y / m for y, m in ((0.15, 31.9988e-3), (0.85, 28.0134e-3))
            )
            k = 3e16 * warm**-0.5 * np.exp(-69090.0 / warm) * (1e-6) ** 0.5
            by_hand = k * oxygen**0.5 * nitrogen
            rate = run.field("nitric_oxide_forms_rate")[5, 0]
            self.assertAlmostEqual(float(rate) / by_hand, 1.0, delta=5e-3)
            made, used = (run.balance[n]["given"]["reactions"] for n in ("NO", "O2"))
            self.assertAlmostEqual(used / made, -31.9988 / (2 * 30.0061), delta=1e-4)


if __name__ == "__main__":
    unittest.main()
