"""Thin cloths: the drop they take at any angle, what passes and what leaks round them."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import CLOTH, FLOW, NOZZLES
from tests.phenomena.test_steady import misfit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.sums.porous import woven

ACROSS = {n: {**v, "bore": "20 mm"} for n, v in NOZZLES.items()}
SLIPS = {f"box_{s}": {"flow": {"kind": "slip wall"}} for s in ("top", "bottom")}
LAYER = {"kind": "layer", "thickness": "1 mm", "permeability": "1e-10 m2"}
SPEED, DENSITY, VISCOSITY, HIGH = 0.01, 1000.0, 0.01, 20e-3


def spanned(cloth, angle=0.0, mode="steady", **more):
    """A duct of 20 mm, all across which a cloth is stretched at an angle (deg), passed at 10 mm/s."""
    turn = np.radians(angle)
    shift = 20.0 * np.tan(turn)
    sheet = {
        "shape": "plate",
        "does": "screen",
        "along": "y",
        "x": f"{20 + 0.5 * shift} mm",
        "y": "0 mm",
        "length": f"{20 / np.cos(turn)} mm",
        "turned": f"{angle} deg",
    }
    return merge_patch(
        FLOW,
        {
            "vessel": {"nozzles": ACROSS, "parts": {"cloth": sheet}},
            "phenomena": {"cloth": {}},
            "conditions": {**SLIPS, "cloth": {"cloth": cloth}},
            "stages": {
                "go": {
                    "solve": ["cloth", "flow"],
                    "mode": mode,
                    "until": "2 s" if mode == "transient" else None,
                }
            },
            "readouts": {
                "drop": {
                    "kind": "difference",
                    "field": "pressure",
                    "place": "inlet",
                    "to": "outlet",
                },
                "across": {"kind": "across", "field": "pressure", "place": "cloth"},
                "passes": {"kind": "through", "quantity": "mass", "place": "cloth"},
            },
            **more,
        },
    )


def told(data):
    return {n: r.value for n, r in uk.run(data).readouts.items()}


class Cloths(unittest.TestCase):
    def test_the_flow_through_a_line_is_right_at_any_angle(self):
        """mu d/K u_n, u_n = u cos a: two per cent are asked for, on 20 cells across."""
        for angle in (0.0, 17.0, -30.0, 45.0):
            with self.subTest(angle):
                found = told(spanned(LAYER, angle))
                exact = VISCOSITY * 1e-3 / 1e-10 * SPEED * np.cos(np.radians(angle))
                self.assertAlmostEqual(found["drop"] / exact, 1.0, delta=2e-3)
                self.assertAlmostEqual(found["across"] / exact, 1.0, delta=2e-3)
                self.assertAlmostEqual(found["passes"], DENSITY * SPEED * HIGH, delta=1e-9)

    def test_every_kind_takes_the_drop_of_its_law(self):
        table = {"table": [["5 mm/s", "5 Pa"], ["10 mm/s", "12 Pa"], ["20 mm/s", "32 Pa"]]}
        slow, fast = woven(0.3e-3, 0.8e-3)
        cases = {
            "loss": ({"kind": "loss", "heads": 4}, 0.2),
            "measured drop": (
                {
                    "kind": "measured drop",
                    "measured": table,
                    "measured_viscosity": "10 mPa s",
                    "measured_density": "1000 kg/m3",
                },
                12.0,
            ),
            "weave": (
                {"kind": "weave", "thread": "0.3 mm", "pitch": "0.8 mm"},
                (VISCOSITY * slow + DENSITY * fast * SPEED) * SPEED,
            ),
        }
        for kind, (cloth, drop) in cases.items():
            with self.subTest(kind):
                data = spanned(cloth)
                self.assertAlmostEqual(told(data)["across"] / drop, 1.0, delta=1e-6)
                rows = {r.readout: r.value for r in paper_check(Case(data)).rows}
                self.assertAlmostEqual(rows["across"] / drop, 1.0, delta=1e-9)

    def test_a_straightened_weave_stays_near_its_relation(self):
        """Re 60 to 600 of a thread: 6 (1 - b)/b^2 Re^(-1/3) rho u^2/2 within 9 %."""
        thread, pitch, viscosity, density = 0.3e-3, 0.8e-3, 1.8e-5, 1.2
        open_ = (1 - thread / pitch) ** 2
        slow, fast = woven(thread, pitch)
        for re in (60.0, 150.0, 600.0):
            u = re * open_ * viscosity / (density * thread)
            exact = 6 * (1 - open_) / open_**2 * re ** (-1 / 3) * density * u**2 / 2
            self.assertAlmostEqual(
                (viscosity * slow + density * fast * u) * u / exact, 1.0, delta=0.1
            )

    def test_newton_knows_it_exactly_and_time_agrees(self):
        quick = {**LAYER, "inertia": "1e6 1/m"}
        self.assertLess(misfit(spanned(quick, 30.0)), 1e-9)
        rest, time = (told(spanned(quick, 30.0, mode))["drop"] for mode in ("steady", "transient"))
        self.assertAlmostEqual(time / rest, 1.0, delta=1e-4)

    def caught(self, angle, mode="steady", share=0.9):
        """Budget of dust that comes evenly and spreads by next to nothing."""
        data = merge_patch(
            spanned(LAYER, angle),
            {
                "phenomena": {
                    "cloth": {"catches": {"dust": {"share": share}}},
                    "species": {"members": {"dust": {"diffusivity": "1e-13 m2/s"}}},
                },
                "conditions": {
                    "inlet": {"species.dust": {"kind": "carried in", "value": "1 mol/m3"}}
                },
                "stages": {
                    "dust": {
                        "solve": ["cloth", "species"],
                        "hold": ["flow"],
                        "mode": mode,
                        **({"until": "40 s"} if mode == "transient" else {}),
                    }
                },
                "readouts": {
                    "out": {"kind": "through", "quantity": "dust", "place": "outlet"},
                    "in": {
                        "kind": "through",
                        "quantity": "dust",
                        "place": "inlet",
                        "counts": "in",
                    },
                },
            },
        )
        return uk.run(data)

    def test_what_it_holds_back_at_any_angle_at_rest_and_in_time(self):
        for angle, mode in ((0.0, "steady"), (30.0, "steady"), (0.0, "transient")):
            with self.subTest(angle=angle, mode=mode):
                run = self.caught(angle, mode)
                left = run.readouts["out"].value / run.readouts["in"].value
                self.assertAlmostEqual(left, 0.1, delta=1e-5)
                self.assertLess(run.balance["dust"]["relative"], 1e-9)
                self.assertLess(run.balance["dust"]["given"]["thin cloths"], 0.0)

    def test_one_that_holds_back_all(self):
        run = self.caught(0.0, share=1.0)
        self.assertAlmostEqual(run.readouts["out"].value, 0.0, delta=1e-9)

    def test_a_bent_cloth_takes_what_each_of_its_parts_does(self):
        """Two parts at 45 degrees each way: mu d/K u cos 45 again."""
        bent = {
            "shape": "line",
            "points": [["15 mm", "0 mm"], ["25 mm", "10 mm"], ["15 mm", "20 mm"]],
        }
        data = spanned(LAYER)
        data["vessel"]["parts"]["cloth"] = bent
        found = told(data)
        exact = VISCOSITY * 1e-3 / 1e-10 * SPEED * np.cos(np.pi / 4)
        self.assertAlmostEqual(found["drop"] / exact, 1.0, delta=0.02)
        self.assertAlmostEqual(found["passes"], DENSITY * SPEED * HIGH, delta=1e-9)
        self.assertAlmostEqual(found["across"] / exact, 1.0, delta=0.02)

    def test_a_bow_stands_for_its_own_length_and_lets_pass_what_comes(self):
        for radius, begin, end in (("10 mm", "-90 deg", "90 deg"), ("13 mm", "-30 deg", "45 deg")):
            bow = {"shape": "bow", "x": "18 mm", "y": "10 mm", "radius": radius}
            data = spanned(LAYER)
            data["vessel"]["parts"]["cloth"] = {**bow, "begin": begin, "end": end}
            case = Case(data)
            faces = case.mesh.divide("cloth")
            turn = np.radians(float(end.split()[0]) - float(begin.split()[0]))
            length = float(radius.split()[0]) * 1e-3 * turn
            self.assertAlmostEqual(float(faces.true_area.sum()) / length, 1.0, delta=1e-5)
        # the first reaches from wall to wall, so that all has to pass it
        data["vessel"]["parts"]["cloth"] = {
            **bow,
            "radius": "10 mm",
            "begin": "-90 deg",
            "end": "90 deg",
        }
        found = told(data)
        self.assertAlmostEqual(found["passes"], DENSITY * SPEED * HIGH, delta=1e-9)
        self.assertGreater(found["drop"], 0.3 * VISCOSITY * 1e-3 / 1e-10 * SPEED)

    def test_a_bow_all_the_way_round(self):
        bow = {"shape": "bow", "x": "20 mm", "y": "10 mm", "radius": "6 mm", "end": "360 deg"}
        data = spanned(LAYER)
        data["vessel"]["parts"]["cloth"] = bow
        data["readouts"] = {"net": {"kind": "through", "quantity": "mass", "place": "cloth"}}
        run = uk.run(data)
        self.assertEqual(run.status, "finished")
        self.assertAlmostEqual(run.readouts["net"].value, 0.0, delta=1e-9)  # in and out again

    def test_bends_that_cannot_be(self):
        for points, says in (
            ([["15 mm", "0 mm"]], "two points"),
            (
                [["10 mm", "2 mm"], ["20 mm", "18 mm"], ["20 mm", "2 mm"], ["10 mm", "18 mm"]],
                "itself",
            ),
        ):
            data = spanned(LAYER)
            data["vessel"]["parts"]["cloth"] = {"shape": "line", "points": points}
            with self.assertRaises(CaseError) as caught:
                _ = Case(data).built
            self.assertIn(says, str(caught.exception))

    def test_what_does_not_pass_leaks_round_its_end(self):
        data = merge_patch(
            CLOTH,
            {
                "stages": {"go": {"mode": "steady", "until": None}},
                "readouts": {
                    "passes": {"kind": "through", "quantity": "mass", "place": "sock"},
                    "all": {"kind": "through", "quantity": "mass", "place": "outlet"},
                },
            },
        )
        loose, tight = (
            told(merge_patch(data, {"conditions": {"sock": {"cloth": {"permeability": k}}}}))
            for k in ("1e-7 m2", "1e-11 m2")
        )
        self.assertAlmostEqual(loose["all"], tight["all"], delta=1e-9)
        self.assertGreater(loose["passes"], 0.4 * loose["all"])
        self.assertLess(tight["passes"], 0.05 * tight["all"])

    def test_the_hand_estimate_speaks_only_where_all_has_to_pass(self):
        def estimate(data):
            rows = paper_check(Case(data)).rows
            return next(r.value for r in rows if r.readout == "across")

        # mu d/K u = .01 x 1e-3/1e-10 x .01 Pa
        self.assertAlmostEqual(estimate(spanned(LAYER)), 1000.0)
        across = {"kind": "across", "field": "pressure", "place": "sock"}
        self.assertIsNone(estimate(merge_patch(CLOTH, {"readouts": {"across": across}})))

    def test_left_out_in_a_variant_nothing_else_is_lost(self):
        data = {**spanned(LAYER), "variants": {"bare": {"vessel": {"parts": {"cloth": None}}}}}
        data["readouts"] = {"drop": data["readouts"]["drop"]}
        bare = uk.run(data, variant="bare")
        self.assertEqual(bare.status, "finished")
        self.assertAlmostEqual(bare.readouts["drop"].value, 0.0, delta=1e-6)

    def test_a_cloth_within_a_bed_that_percolates(self):
        """mu u (L/K + d/k) = .01 x .01 x (.04/1e-9 + 1e-3/1e-11) Pa."""
        data = merge_patch(
            spanned({**LAYER, "permeability": "1e-11 m2"}),
            {
                "phenomena": {
                    "flow": None,
                    "porous": {},
                    "percolation": {"density": "1000 kg/m3", "viscosity": "10 mPa s"},
                },
                "conditions": {
                    "inlet": {"flow": None, "percolation": {"kind": "inflow", "speed": "10 mm/s"}},
                    "outlet": {"flow": None, "percolation": {"kind": "drains"}},
                    "box_top": None,
                    "box_bottom": None,
                    "space": {
                        "porous": {
                            "kind": "permeable",
                            "permeability": "1e-9 m2",
                            "porosity": 0.4,
                        }
                    },
                },
                "stages": {"go": {"solve": ["cloth", "porous", "percolation"]}},
            },
        )
        exact = 1e-4 * (0.04 / 1e-9 + 1e-3 / 1e-11)
        self.assertAlmostEqual(told(data)["drop"] / exact, 1.0, delta=1e-6)


class Refused(unittest.TestCase):
    def refuse(self, patch, words):
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(spanned(LAYER), patch)).built  # noqa: B018
        self.assertIn(words, str(caught.exception))

    def test_a_screen_that_touches_nothing_or_lies_on_a_wall(self):
        self.refuse({"vessel": {"parts": {"cloth": {"x": "90 mm"}}}}, "outside the vessel")
        on_wall = {"x": "0 mm", "y": "0 mm", "along": "x"}
        self.refuse({"vessel": {"parts": {"cloth": on_wall}}}, "lies on a wall")

    def test_a_wall_of_no_thickness_is_not_turned(self):
        self.refuse(
            {
                "vessel": {"parts": {"cloth": {"does": "cut", "turned": "20 deg"}}},
                "conditions": {"cloth": None},
                "readouts": None,
            },
            "runs along x or y",
        )

    def test_bad_numbers_are_named(self):
        with self.assertRaisesRegex(CaseError, "permeability must be positive"):
            Case(spanned({**LAYER, "permeability": "0 m2"}))


if __name__ == "__main__":
    unittest.main()
