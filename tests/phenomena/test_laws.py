"""What settings may follow, what zones may be, and walls of no thickness: against closed forms."""

import copy
import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import FLOWING, HEAT, SPECIES, base
from tests.phenomena.vessels import box, nozzles
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.marching.march import RunFailed
from underkettle.matter.gases import read_gas
from underkettle.phenomena.mixture.gases import made_of_it

STILL = base(
    vessel={
        "parts": {
            "box": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "8 mm",
                "height": "8 mm",
            }
        }
    },
    phenomena={"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
    conditions={},
    start={"space": {"species.salt": {"value": "2 mol/m3"}}},
    stages={
        "go": {"solve": ["species"], "mode": "transient", "until": "1 s", "longest_step": "10 ms"}
    },
    readouts={"left": {"kind": "mean", "field": "salt", "place": "space"}},
)


class Laws(unittest.TestCase):
    def test_a_second_order_reaction_goes_as_its_closed_form(self):
        errors = []
        for step in ("40 ms", "20 ms", "10 ms"):
            case = merge_patch(
                STILL,
                {
                    "conditions": {
                        "space": {
                            "species.salt": {"kind": "made", "source": "-1 m3/(mol s)*salt^2"}
                        }
                    },
                    "stages": {"go": {"longest_step": step}},
                },
            )
            errors.append(abs(uk.run(case).readouts["left"].value - 1 / (1 / 2 + 1.0)))
        self.assertLess(errors[-1], 6e-3)
        self.assertLess(errors[-1], 0.6 * errors[-2])  # first order: it follows what was

    def test_a_source_may_follow_a_readout(self):
        """A feed that stops as the mean reaches its aim: c = aim (1 - exp(-k t)) from nothing."""
        case = merge_patch(
            STILL,
            {
                "start": {"space": {"species.salt": {"value": "0 mol/m3"}}},
                "conditions": {
                    "space": {"species.salt": {"kind": "made", "source": "2 1/s*(3 mol/m3 - left)"}}
                },
            },
        )
        value = uk.run(case).readouts["left"].value
        self.assertAlmostEqual(value, 3 * (1 - np.exp(-2)), delta=0.03)

    def test_units_of_laws_are_checked_and_what_is_off_is_named(self):
        wrong = merge_patch(HEAT, {"phenomena": {"heat": {"conductivity": "0.1*temperature"}}})
        with self.assertRaises(CaseError) as caught:
            Case(wrong)
        self.assertIn("phenomena / heat / conductivity", str(caught.exception))
        off = merge_patch(
            HEAT,
            {
                "phenomena": {"heat": None, "flow": {"viscosity": "1 mPa s*(temperature/(300 K))"}},
                "conditions": {"box_top": None, "box_bottom": None, "space": None},
            },
        )
        with self.assertRaises(CaseError) as caught:
            Case(off)
        self.assertIn("Switch Heat on", str(caught.exception))

    def test_a_conductivity_that_follows_temperature_has_kirchhoffs_profile(self):
        case = base(
            vessel=STILL["vessel"],
            conditions={
                "box_left": {"heat": {"kind": "held temperature", "value": "300 K"}},
                "box_right": {"heat": {"kind": "held temperature", "value": "500 K"}},
            },
            phenomena={
                "heat": {
                    "density": "1000 kg/m3",
                    "heat_capacity": "1000 J/(kg K)",
                    "conductivity": "1 W/(m K)*(temperature/(300 K))^2",
                }
            },
            stages={"go": {"solve": ["heat"], "mode": "steady", "aim": 1e-9}},
            readouts={
                "through": {
                    "kind": "through",
                    "quantity": "heat",
                    "place": "box_right",
                    "counts": "in",
                }
            },
        )
        exact = (500**3 - 300**3) / (3 * 300**2)
        errors = [
            abs(uk.run(case, grid=g).readouts["through"].value / exact - 1) for g in (1.0, 2.0, 4.0)
        ]
        self.assertLess(errors[-1], 1e-3)
        self.assertGreater(np.log2(errors[0] / errors[-1]) / 2, 1.6)

    def test_a_gas_balances_mass_and_heat_on_the_way(self):
        case = merge_patch(
            HEAT,
            {
                "phenomena": {"flow": {"density": "300 kg K/m3/temperature"}},
                "start": {"space": {"heat": {"value": "300 K"}}},
                "stages": {"go": {"until": "0.1 s"}},
            },
        )
        balance = uk.run(case).balance
        self.assertLess(balance["mass"]["relative"], 1e-10)
        self.assertLess(balance["heat"]["relative"], 1e-10)
        self.assertNotEqual(balance["mass"]["stored"], 0.0)
        # 40 mm x 20 mm x 1 m of a gas of 1 kg/m3
        self.assertAlmostEqual(balance["mass"]["began"] / 8e-4, 1.0, places=9)


# cp = c0 (1 + (T - 300 K) / 200 K): enthalpy from 300 K is c0 (d + d^2 / 400), d = T - 300
RISING = "1000 J/(kg K)*(1 + (temperature - 300 K)/200 K)"
DUCT = {
    "format": "under-kettle case 1",
    "name": "duct",
    "vessel": {
        "parts": {"box": box("10 mm")},
        "nozzles": nozzles("10 mm", "5 mm"),
    },
    "grid": {"size": "1 mm"},
    "phenomena": {
        "flow": {"density": "2 kg/m3", "viscosity": "20 uPa s"},
        "heat": {
            "density": "2 kg/m3",
            "heat_capacity": RISING,
            "conductivity": "1e-6 W/(m K)",
            "reference": "300 K",
        },
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "speed": "0.1 m/s"},
            "heat": {"kind": "carried in", "value": "300 K"},
        },
        "outlet": {"flow": {"kind": "outflow"}},
        "box_top": {"flow": {"kind": "slip wall"}},
        "box_bottom": {"flow": {"kind": "slip wall"}},
        "space": {"heat": {"kind": "made", "source": "0.5 MW/m3"}},
    },
    "start": {"space": {"heat": {"value": "300 K"}}},
    "stages": {"go": {"solve": ["flow", "heat"], "mode": "steady"}},
    "readouts": {"out": {"kind": "mean", "field": "temperature", "place": "outlet"}},
}


class Capacity(unittest.TestCase):
    """A heat capacity that follows temperature: what is held is its integral."""

    def rise(self, enthalpy):
        """Warmer than 300 K (K) by J/kg."""
        return 200.0 * (np.sqrt(1.0 + enthalpy / 1000.0 / 100.0) - 1.0)

    def test_a_stream_warmed_on_its_way_leaves_with_what_it_took_up(self):
        """q V / m = 0.5 MW/m3 x 4e-4 m3 / 2e-3 kg/s = 100 kJ/kg, which is 82.84 K, on every grid."""
        exact = 300.0 + self.rise(0.5e6 * 4e-4 / (2.0 * 0.1 * 0.01))
        self.assertAlmostEqual(exact - 300.0, 82.84, delta=0.01)
        for grid in (0.5, 1.0, 2.0):
            run = uk.run(DUCT, grid=grid)
            self.assertLess(run.balance["heat"]["relative"], 1e-9)
            warmest = float(np.nanmax(run.field("temperature")))
            self.assertAlmostEqual(warmest, exact, delta=1e-3)

    def test_it_comes_to_the_same_in_time(self):
        steady = uk.run(DUCT).field("temperature")
        stages = {"go": {"mode": "transient", "until": "1.5 s"}}
        run = uk.run(merge_patch(DUCT, {"stages": stages}))
        self.assertLess(run.balance["heat"]["relative"], 1e-9)
        self.assertLess(float(np.nanmax(np.abs(run.field("temperature") - steady))), 0.3)

    def test_what_is_mixed_in_a_closed_box_keeps_its_enthalpy(self):
        """Half at 300 K, half at 500 K: d + d^2/400 is 150 K on average, so d is 132.3 K; with an even
        heat capacity it would be 100 K.
        """
        half = "if(x < 20 mm, 300 K, 500 K)"
        closed = {
            "grid": {"size": "5 mm"},
            "vessel": {"nozzles": None},
            "phenomena": {"flow": None, "heat": {"conductivity": "1 W/(m K)"}},
            "conditions": None,
            "start": {"space": {"heat": {"value": half}}},
            "stages": {
                "go": {
                    "solve": ["heat"],
                    "mode": "transient",
                    "until": "5 s",
                    "longest_step": "5 ms",
                }
            },
            "readouts": {"out": {"kind": "mean", "field": "temperature", "place": "space"}},
        }
        run = uk.run(merge_patch(DUCT, closed))
        self.assertAlmostEqual(run.readouts["out"].value, 300.0 + self.rise(150e3), delta=1e-3)
        self.assertLess(run.balance["heat"]["relative"], 1e-10)
        law = merge_patch(
            DUCT,
            {
                **closed,
                "phenomena": {
                    "flow": None,
                    "heat": {"heat_capacity": "1000 J/(kg K)", "conductivity": "1 W/(m K)"},
                },
            },
        )
        self.assertAlmostEqual(uk.run(law).readouts["out"].value, 400.0, delta=1e-3)

    def test_beside_a_solid_of_its_own_heat_is_shared_by_what_each_holds(self):
        far = {
            "shape": "rectangle",
            "does": "zone",
            "x": "20 mm",
            "y": "0 mm",
            "width": "20 mm",
            "height": "10 mm",
        }
        solid = {
            "kind": "solid",
            "conductivity": "1 W/(m K)",
            "density": "2 kg/m3",
            "heat_capacity": "1000 J/(kg K)",
        }
        case = merge_patch(
            DUCT,
            {
                "grid": {"size": "5 mm"},
                "vessel": {"nozzles": None, "parts": {"far": far}},
                "phenomena": {"flow": None, "heat": {"conductivity": "1 W/(m K)"}},
                "conditions": None,
                "start": {"far": {"heat": {"value": "500 K"}}},
                "stages": {
                    "go": {
                        "solve": ["heat"],
                        "mode": "transient",
                        "until": "5 s",
                        "longest_step": "5 ms",
                    }
                },
                "readouts": {"out": {"kind": "mean", "field": "temperature", "place": "far"}},
            },
        )
        case["conditions"] = {"far": {"heat": solid}}
        run = uk.run(case)
        # d + d^2/400 + d = 200: d = 400 (sqrt(1.5) - 1)
        self.assertAlmostEqual(run.readouts["out"].value, 300 + 400 * (1.5**0.5 - 1), delta=1e-3)
        self.assertLess(run.balance["heat"]["relative"], 1e-10)

    def test_it_follows_temperature_and_nothing_else(self):
        for law, says in (
            ("1000 J/(kg K)*(1 + x/1 m)", "may follow temperature and nothing else"),
            ("1000 J/(kg K)*(1 + speed/1 m*1 s)", "may follow temperature and nothing else"),
        ):
            with self.subTest(law), self.assertRaises(CaseError) as caught:
                Case(merge_patch(DUCT, {"phenomena": {"heat": {"heat_capacity": law}}}))
            self.assertIn(says, str(caught.exception))
        table = {
            "table": [["300 K", "1 kJ/(kg K)"], ["500 K", "2 kJ/(kg K)"]],
            "over": "temperature",
        }
        told = uk.run(merge_patch(DUCT, {"phenomena": {"heat": {"heat_capacity": table}}}))
        plain = uk.run(DUCT)
        self.assertAlmostEqual(told.readouts["out"].value, plain.readouts["out"].value, places=6)


class Solids(unittest.TestCase):
    def test_a_solid_zone_keeps_the_stream_out_and_conducts(self):
        case = merge_patch(
            HEAT,
            {
                "vessel": {
                    "parts": {
                        "block": {
                            "shape": "circle",
                            "does": "zone",
                            "x": "20 mm",
                            "y": "10 mm",
                            "radius": "5 mm",
                        }
                    }
                },
                "conditions": {
                    "block": {
                        "flow": {"kind": "solid"},
                        "heat": {
                            "kind": "solid",
                            "conductivity": "50 W/(m K)",
                            "density": "8000 kg/m3",
                            "heat_capacity": "500 J/(kg K)",
                            "source": "1 MW/m3",
                        },
                    }
                },
                "stages": {"go": {"mode": "steady", "until": None}},
            },
        )
        run = uk.run(case)
        self.assertLess(run.balance["mass"]["relative"], 1e-9)
        self.assertLess(run.balance["heat"]["relative"], 1e-9)
        self.assertTrue(np.isnan(run.probe("speed", 0.02, 0.01)))
        self.assertGreater(
            run.probe("temperature", 0.02, 0.01), run.probe("temperature", 0.038, 0.01)
        )
        unsaid = merge_patch(case, {"conditions": {"block": {"heat": None}}})
        self.assertTrue(any(f.grade == "stops" and f.place == "block" for f in audit(Case(unsaid))))


class Plates(unittest.TestCase):
    def test_a_plate_parts_what_lies_on_its_two_sides(self):
        case = merge_patch(
            STILL,
            {
                "vessel": {
                    "parts": {
                        "wall": {
                            "shape": "plate",
                            "x": "0 mm",
                            "y": "5 mm",
                            "length": "8 mm",
                            "along": "x",
                            "edges": {"low": "below", "high": "above"},
                        }
                    }
                },
                "start": {"space": {"species.salt": {"value": "if(y < 5 mm, 1 mol/m3, 3 mol/m3)"}}},
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-4 m2/s"}}}},
                "conditions": {
                    "below": {"species.salt": {"kind": "held value", "value": "4 mol/m3"}}
                },
            },
        )
        run = uk.run(case)
        self.assertAlmostEqual(run.probe("salt", 4e-3, 7e-3), 3.0, places=6)
        self.assertGreater(run.probe("salt", 4e-3, 4.5e-3), 3.5)

    def test_one_outside_the_vessel_is_refused(self):
        case = merge_patch(
            STILL,
            {
                "vessel": {
                    "parts": {
                        "wall": {"shape": "plate", "x": "20 mm", "y": "5 mm", "length": "8 mm"}
                    }
                }
            },
        )
        with self.assertRaises(CaseError) as caught:
            Case(case)
        self.assertIn("vessel / parts / wall", str(caught.exception))


class Finer(unittest.TestCase):
    def grid(self, **refine):
        return Case(merge_patch(STILL, {"grid": {"refine": {"r": refine}}})).grid

    def test_cells_are_counted_across_a_gap_and_sized_in_a_box(self):
        case = merge_patch(
            STILL,
            {
                "vessel": {
                    "parts": {
                        "bar": {
                            "shape": "rectangle",
                            "does": "cut",
                            "x": "3 mm",
                            "y": "2 mm",
                            "width": "2 mm",
                            "height": "2 mm",
                        }
                    }
                },
                "grid": {"refine": {"r": {"gap": ["bar", "box_top"], "cells": 16}}},
            },
        )
        y = Case(case).grid.y
        self.assertEqual(np.count_nonzero((y > 4e-3 + 1e-9) & (y < 8e-3 + 1e-9)), 16)
        x = self.grid(box=["2 mm", "0 mm", "4 mm", "8 mm"], size="0.1 mm").x
        self.assertAlmostEqual(float(np.diff(x).min()), 1e-4, delta=1e-5)

    def test_what_is_said_twice_or_not_at_all_is_refused(self):
        for wrong in (
            {"size": "1 mm"},
            {"place": "space", "size": "1 mm", "cells": 3},
            {"gap": ["box", "box_top"], "cells": 3},
            {"place": "space", "cells": 3},
        ):
            with self.subTest(**wrong), self.assertRaises(CaseError):
                _ = self.grid(**wrong)


class Surroundings(unittest.TestCase):
    def test_a_stream_from_still_air_has_paid_for_its_speed(self):
        case = base(
            conditions={
                "inlet": {"flow": {"kind": "total pressure", "pressure": "2 Pa"}},
                "box_left": {"flow": {"kind": "total pressure", "pressure": "2 Pa"}},
                "outlet": {"flow": {"kind": "outflow"}},
                "box_right": {"flow": {"kind": "outflow"}},
                "box_top": {"flow": {"kind": "slip wall"}},
                "box_bottom": {"flow": {"kind": "slip wall"}},
            },
            stages={"go": {"solve": ["flow"], "mode": "steady", "aim": 1e-3}},
            readouts={"speed": {"kind": "mean", "field": "speed", "place": "space"}},
        )
        run = uk.run(case)
        self.assertAlmostEqual(run.readouts["speed"].value, np.sqrt(2 * 2 / 1000), places=4)


class Weight(unittest.TestCase):
    def test_a_gas_that_thins_rises_as_boussinesq_says_for_small_differences(self):
        """A warm strip in open surroundings, 2 K above them."""
        still = {
            "flow": {"kind": "total pressure"},
            "heat": {"kind": "carried out", "value": "293.15 K"},
        }
        case = base(
            vessel={
                "parts": {
                    "box": {
                        "shape": "rectangle",
                        "x": "0 mm",
                        "y": "0 mm",
                        "width": "60 mm",
                        "height": "60 mm",
                    }
                },
                "nozzles": {
                    "plate": {"part": "box", "side": "bottom", "at": "30 mm", "bore": "20 mm"}
                },
            },
            grid={"size": "5 mm"},
            phenomena={
                "flow": {"density": "1.2 kg/m3", "viscosity": "18 uPa s"},
                "heat": {
                    "density": "1.2 kg/m3",
                    "heat_capacity": "1006 J/(kg K)",
                    "conductivity": "0.026 W/(m K)",
                },
                "buoyancy": {"density": "1.2 kg/m3", "expansion": "3.41122e-3 1/K"},
            },
            conditions={
                "plate": {
                    "flow": {"kind": "wall"},
                    "heat": {"kind": "held temperature", "value": "295.15 K"},
                },
                "box_bottom": still,
                "box_left": still,
                "box_right": still,
                "box_top": {"flow": {"kind": "open edge"}, "heat": still["heat"]},
            },
            stages={"go": {"solve": ["flow", "heat", "buoyancy"], "mode": "steady"}},
            readouts={
                "taken_up": {
                    "kind": "through",
                    "quantity": "heat",
                    "place": "plate",
                    "counts": "in",
                },
                "fastest": {"kind": "max", "field": "speed", "place": "space"},
            },
        )
        small = uk.run(case)
        gas = uk.run(
            merge_patch(
                case,
                {
                    "phenomena": {
                        "buoyancy": None,
                        "flow": {
                            "density": "1.2 kg/m3*293.15 K/temperature",
                            "gravity_y": "-9.81 m/s2",
                            "weightless": "1.2 kg/m3",
                        },
                    },
                    "stages": {"go": {"solve": ["flow", "heat"]}},
                },
            )
        )
        for name in ("taken_up", "fastest"):
            ratio = gas.readouts[name].value / small.readouts[name].value
            self.assertAlmostEqual(ratio, 1.0, delta=0.01, msg=name)
        self.assertLess(gas.balance["mass"]["relative"], 1e-9)


class Transfer(unittest.TestCase):
    def test_it_is_the_flux_over_the_difference_and_its_mean_that_of_the_profile(self):
        case = merge_patch(
            copy.deepcopy(SPECIES),
            {
                "readouts": {
                    "coefficient": {
                        "kind": "transfer",
                        "quantity": "salt",
                        "field": "salt",
                        "place": "box_top",
                        "to": "inlet",
                    },
                    "number": {
                        "kind": "transfer",
                        "quantity": "salt",
                        "field": "salt",
                        "place": "box_top",
                        "reference": "1 mol/m3",
                        "length": "40 mm",
                    },
                    "given": {
                        "kind": "through",
                        "quantity": "salt",
                        "place": "box_top",
                        "counts": "in",
                    },
                },
                "stages": {"go": {"mode": "steady", "until": None}},
            },
        )
        run = uk.run(case)
        told, area = run.readouts, 0.04
        self.assertAlmostEqual(
            told["coefficient"].value * area * 2.0 / told["given"].value, 1.0, delta=5e-3
        )  # at the inlet the field is carried on to the edge
        line = run.along_transfer("number")
        mean = float((line["transfer"] * line["area"]).sum() / line["area"].sum())
        self.assertAlmostEqual(mean / told["number"].value, 1.0, places=6)
        self.assertAlmostEqual(
            told["number"].value,
            told["given"].value / area / 2.0 * 0.04 / 1e-6,
            delta=0.01 * told["number"].value,
        )

    def test_what_does_not_fit_is_said(self):
        for wrong in (
            {"field": "speed"},
            {"place": "space"},
            {"quantity": "mass"},
            {"to": "inlet"},
        ):
            readout = {
                "kind": "transfer",
                "quantity": "salt",
                "field": "salt",
                "place": "box_top",
                "reference": "1 mol/m3",
                **wrong,
            }
            case = Case(merge_patch(SPECIES, {"readouts": {"number": readout}}))
            with self.subTest(**wrong):
                self.assertTrue(any("cannot be read" in f.sentence for f in audit(case)))


class Swirling(unittest.TestCase):
    def test_a_vessel_that_turns_as_a_whole_presses_on_its_wall(self):
        case = base(
            dimension="axisymmetric",
            vessel=STILL["vessel"],
            phenomena={
                "flow": {"density": "1000 kg/m3", "viscosity": "10 mPa s"},
                "swirl": {"density": "1000 kg/m3", "viscosity": "10 mPa s"},
            },
            conditions={
                e: {"swirl": {"kind": "turning wall", "value": "20 1/s"}}
                for e in ("box_left", "box_right", "box_top")
            },
            stages={"go": {"solve": ["flow", "swirl"], "mode": "steady"}},
        )
        run = uk.run(case)
        p, y = run.field("pressure"), 0.5e-3 + 1e-3 * np.arange(8)
        np.testing.assert_allclose(run.field("turning"), 20.0, rtol=1e-6)
        self.assertAlmostEqual(p[-1, 3] - p[0, 3], 500 * 400 * (y[-1] ** 2 - y[0] ** 2), places=5)


class Mixed(unittest.TestCase):
    def test_fractions_sum_to_one_and_make_the_molar_mass(self):
        case = base(
            phenomena={
                "flow": {"density": "1.2 kg/m3", "viscosity": "20 uPa s"},
                "mixture": {
                    "density": "1.2 kg/m3",
                    "members": {"steam": {"diffusivity": "3e-5 m2/s", "molar_mass": "18 g/mol"}},
                },
            },
            conditions={
                "inlet": {
                    **FLOWING["inlet"],
                    "mixture.steam": {"kind": "carried in", "value": "0.4"},
                },
                "outlet": FLOWING["outlet"],
            },
            stages={"go": {"solve": ["flow", "mixture"], "mode": "steady"}},
        )
        run = uk.run(case)
        np.testing.assert_allclose(run.field("steam") + run.field("rest"), 1.0, atol=1e-6)
        molar = 1 / (0.4 / 18e-3 + 0.6 / 28.965e-3)
        np.testing.assert_allclose(run.field("mean_molar_mass"), molar, rtol=1e-4)
        np.testing.assert_allclose(run.field("steam_by_moles"), 0.4 / 18e-3 * molar, rtol=1e-4)
        np.testing.assert_allclose(
            run.field("steam_by_moles") + run.field("rest_by_moles"), 1.0, atol=1e-6
        )

    def test_analysers_leave_water_out(self):
        """Nitrogen with .1 steam and .2 carbon dioxide by mass: moles 35.7/M, 5.55, 4.54 of 1000 g."""
        told = {
            "rest": "nitrogen",
            "rest_gas": read_gas("N2"),
            "members": {"steam": {"gas": read_gas("H2O")}, "CO2": {"gas": read_gas("CO2")}},
        }
        fields = {f.name: f for f in made_of_it(told)}
        known = {"mixture.steam": np.array([0.1, 1.0]), "mixture.CO2": np.array([0.2, 0.0])}
        n, h, c = 0.7 / 28.0134, 0.1 / 18.01528, 0.2 / 44.0095
        for name, ours in {
            "steam_by_moles": h / (n + h + c),
            "CO2_by_moles": c / (n + h + c),
            "rest_by_moles": n / (n + h + c),
            "CO2_dry": c / (n + c),
            "rest_dry": n / (n + c),
        }.items():
            found = fields[name].made(None, known)
            self.assertAlmostEqual(float(found[0]), ours, delta=2e-5 * ours)
            self.assertTrue(np.isfinite(found).all())
        self.assertNotIn("steam_dry", fields)
        self.assertEqual(fields["CO2_dry"].label, "CO2, by moles, dry")

    GASES = base(
        phenomena={
            "flow": {"density": "gas_density", "viscosity": "gas_viscosity"},
            "heat": {
                "density": "1.2 kg/m3",
                "heat_capacity": "1029.56 J/(kg K)",
                "conductivity": "gas_conductivity",
            },
            "mixture": {
                "density": "1.2 kg/m3",
                "temperature": "temperature",
                "members": {
                    "flue": {"gas": "0.76 N2 + 0.08 CO2 + 0.16 H2O", "diffusivity": "3e-4 m2/s"}
                },
            },
        },
        conditions={
            "inlet": {
                "flow": {"kind": "inflow", "mass_flow": "1 g/s"},
                "heat": {"kind": "carried in", "value": "700 K"},
                "mixture.flue": {"kind": "carried in", "value": "0.4"},
            },
            "outlet": FLOWING["outlet"],
            "box_bottom": {"heat": {"kind": "heat flux", "flux": "4 kW/m2"}},
        },
        start={"space": {"heat": {"value": "700 K"}, "mixture.flue": {"value": "0.4"}}},
        stages={"go": {"solve": ["flow", "heat", "mixture"], "mode": "steady"}},
        readouts={
            "out": {"kind": "mean", "field": "temperature", "place": "outlet", "weight": "flow"}
        },
    )

    def test_a_gas_is_as_dense_and_warm_as_what_it_is_made_of(self):
        """By hand: the molar mass of the make-up, the law of ideal gases, what heat warms it by."""
        run = uk.run(self.GASES)
        flue = 0.76 * 28.0134 + 0.08 * 44.0095 + 0.16 * 18.01528
        mean = 1e-3 / (0.4 / flue + 0.6 / 28.965)
        t = run.field("temperature")
        np.testing.assert_allclose(run.field("density") * t, 101325 * mean / 8.314462618, rtol=2e-4)
        held = read_gas("0.76 N2 + 0.08 CO2 + 0.16 H2O").heat_capacity(500.0)
        held = 0.4 * held + 0.6 * read_gas("air").heat_capacity(500.0)
        self.assertAlmostEqual(
            run.readouts["out"].value, 700 + 4e3 * 0.04 / (1e-3 * held), delta=0.05
        )
        self.assertLess(run.balance["heat"]["relative"], 1e-6)
        self.assertGreater(float(np.ptp(run.field("viscosity")) / 3e-5), 0.05)

    def test_what_it_follows_is_known_before_the_run(self):
        facts = Case(self.GASES).facts
        self.assertAlmostEqual(facts.settings("flow")["density"], 0.4942, delta=2e-3)
        self.assertAlmostEqual(facts.settings("heat")["conductivity"] / 0.0525, 1.0, delta=0.03)

    def test_a_gas_that_cannot_be_read_is_named(self):
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(self.GASES, {"phenomena": {"mixture": {"rest_gas": "N2 + Xy"}}}))
        told = caught.exception.faults[0]
        self.assertEqual(told.where, "phenomena / mixture / rest_gas")
        self.assertIn("Xy", told.says)

    STEAMY = base(
        phenomena={
            "flow": {"density": "1.2 kg/m3", "viscosity": "0.4 mPa s"},
            "heat": {
                "density": "1.2 kg/m3",
                "heat_capacity": "1000 J/(kg K)",
                "conductivity": "0.3 W/(m K)",
                "reference": "300 K",
            },
            "mixture": {
                "density": "1.2 kg/m3",
                "rest_heat_capacity": "1000 J/(kg K)",
                "members": {
                    "steam": {"diffusivity": "3e-4 m2/s", "heat_capacity": "2000 J/(kg K)"}
                },
            },
        },
        conditions={
            "inlet": {
                "flow": {"kind": "inflow", "speed": "0.1 m/s"},
                "heat": {"kind": "carried in", "value": "350 K"},
                "mixture.steam": {"kind": "carried in", "value": "0.5"},
            },
            "outlet": FLOWING["outlet"],
            "box_top": {"mixture.steam": {"kind": "held value", "value": "0.1"}},
        },
        start={"space": {"heat": {"value": "350 K"}, "mixture.steam": {"value": "0.2"}}},
        stages={
            "go": {"solve": ["flow", "heat", "mixture"], "mode": "transient", "until": "0.4 s"}
        },
    )

    def test_two_that_tell_the_heat_capacity_are_refused(self):
        law = {"phenomena": {"heat": {"heat_capacity": RISING}}}
        with self.assertRaises(RunFailed) as caught:
            build_march(Case(merge_patch(self.STEAMY, law))).run()
        self.assertIn("give only one of them", str(caught.exception))

    def test_components_bring_their_own_warmth(self):
        """Steam that enters and settles on a wall changes what the stream holds, not how warm it
        is: a uniform temperature stays uniform and the books close.
        """
        run = uk.run(self.STEAMY)
        np.testing.assert_allclose(run.field("temperature"), 350.0, rtol=1e-6)
        self.assertGreater(float(np.ptp(run.field("steam"))), 0.2)
        self.assertLess(run.balance["heat"]["relative"], 1e-10)

    def test_a_steady_stream_warmed_keeps_what_it_takes_up(self):
        case = merge_patch(
            self.STEAMY,
            {
                "conditions": {
                    "box_top": {"mixture.steam": None},
                    "box_bottom": {"heat": {"kind": "heat flux", "flux": "500 W/m2"}},
                },
                "stages": {"go": {"mode": "steady", "until": None}},
                "readouts": {
                    "out": {
                        "kind": "mean",
                        "field": "temperature",
                        "place": "outlet",
                        "weight": "flow",
                    }
                },
            },
        )
        run = uk.run(case)
        warmed = 350 + 500 * 0.04 / (0.1 * 0.01 * 1.2 * 1500)
        self.assertAlmostEqual(run.readouts["out"].value, warmed, delta=1e-3)
        self.assertLess(run.balance["heat"]["relative"], 1e-6)


if __name__ == "__main__":
    unittest.main()
