"""What settings may follow, what zones may be, and walls of no thickness: against closed forms."""

import copy
import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import FLOWING, HEAT, SPECIES, base
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch

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
        molar = 1 / (0.4 / 18e-3 + 0.6 / 28.97e-3)
        np.testing.assert_allclose(run.field("mean_molar_mass"), molar, rtol=1e-4)

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
