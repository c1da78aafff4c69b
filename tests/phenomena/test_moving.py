"""Parts of the vessel that move: what they displace, drag along, open and close."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, GATE
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.contract import Budget
from underkettle.engine.marching.march import RunFailed
from underkettle.engine.mesh import build_mesh
from underkettle.engine.operators.velocity import EdgeRole, relaid, velocity_nodes

PLATE = {"shape": "plate", "x": "20 mm", "y": "0 mm", "length": "8 mm", "along": "y"}


def with_part(part, **gate):
    """GATE with another part that slides."""
    bare = merge_patch(GATE, {"vessel": {"parts": {"slide": None}}})
    told = {"part": "slide", "along_x": None, "along_y": None, **gate}
    return merge_patch(bare, {"vessel": {"parts": {"slide": part}}, "phenomena": {"gate": told}})


SLIDING = with_part(PLATE, along_y="6 mm*(1 - cos(5*pi*t/1 s))")
# a block as high as the duct, slippery, pushed ever faster
PISTON = {
    "format": "under-kettle case 1",
    "name": "piston",
    "vessel": {
        "parts": {
            "box": {**BOX, "height": "10 mm"},
            "block": {
                "shape": "rectangle",
                "does": "cut",
                "x": "10.3 mm",
                "y": "-1 mm",
                "width": "4 mm",
                "height": "12 mm",
            },
        },
        "nozzles": {
            n: {"part": "box", "side": s, "at": "5 mm", "bore": "10 mm"}
            for n, s in (("inlet", "left"), ("outlet", "right"))
        },
    },
    "grid": {"size": "1 mm"},
    "phenomena": {
        "flow": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
        "gate": {"part": "block", "along_x": "1 m/s2*t^2"},
    },
    "conditions": {
        **{n: {"flow": {"kind": "outflow"}} for n in ("inlet", "outlet")},
        **{
            e: {"flow": {"kind": "slip wall"}}
            for e in ("box_top", "box_bottom", "block_left", "block_right")
        },
    },
    "stages": {"go": {"solve": ["gate", "flow"], "mode": "transient", "until": "0.1 s"}},
    "readouts": {
        "leaves": {"kind": "through", "quantity": "mass", "place": "outlet"},
        "comes": {"kind": "through", "quantity": "mass", "place": "inlet", "counts": "in"},
        "push": {"kind": "mean", "field": "pressure", "place": "block_right"},
    },
}


class Layouts(unittest.TestCase):
    def test_a_window_laid_out_anew_is_what_the_whole_would_be(self):
        chance = np.random.default_rng(3)
        disc = {"shape": "circle", "does": "cut", "x": "22 mm", "y": "10 mm", "radius": "4 mm"}
        block = GATE["vessel"]["parts"]["slide"]
        for part, dimension in ((PLATE, "plane"), (disc, "axisymmetric"), (block, "plane")):
            case = Case({**with_part(part), "dimension": dimension})
            for _ in range(4):
                x = 0.0 if part is PLATE else chance.uniform(-0.017, 0.013)
                moved = case.moved({"slide": (x, chance.uniform(-0.004, 0.008))})
                mesh = moved.mesh
                whole = build_mesh(case.grid, moved.built.outline, moved.built.zones)
                for name in ("open_x", "open_y", "volume", "zone"):
                    np.testing.assert_allclose(
                        getattr(mesh, name), getattr(whole, name), rtol=1e-12, atol=1e-18
                    )
                roles = {e: EdgeRole("out" if e == "outlet" else "wall") for e in mesh.edges}
                for axis in (0, 1):
                    full = velocity_nodes(whole, axis, roles)
                    mine = relaid(mesh, velocity_nodes(case.mesh, axis, roles), roles)
                    for name in ("active", "link_x", "link_y", "volume", "carried", "side"):
                        np.testing.assert_allclose(
                            getattr(mine, name), getattr(full, name), rtol=1e-12, atol=1e-18
                        )
                    pulls = [np.zeros(full.active.shape) for _ in range(2)]
                    for pull, nodes in zip(pulls, (full, mine), strict=True):
                        legs = nodes.legs
                        np.add.at(pull, (legs.row, legs.column), legs.factor * (1 + legs.edge))
                    np.testing.assert_allclose(*pulls, rtol=1e-12)


class Moves(unittest.TestCase):
    def test_mass_and_what_it_carries_close_while_a_plate_slides(self):
        run = uk.run(merge_patch(SLIDING, {"stages": {"go": {"until": "0.2 s"}}}))
        for quantity in ("mass", "salt"):
            self.assertLess(run.balance[quantity]["relative"], 1e-10)
        for k, low in ((0, 0), (1, 6), (2, 12)):  # mm: where the plate begins at 0, 0.1, 0.2 s
            across = np.abs(run.field("velocity_x", k)[:, 19:21]).mean(axis=1)
            rows = np.arange(20)
            shut = (rows > low) & (rows < low + 7)
            if k:
                self.assertLess(across[shut].mean(), 0.4 * across[~shut].mean())

    def test_a_uniform_value_stays_uniform_whatever_moves_through_it(self):
        start = {"start": {"space": {"species.salt": {"value": "1 mol/m3"}}}}
        run = uk.run(merge_patch(GATE, start))
        for k in range(len(run.frames)):
            salt = run.field("salt", k)
            self.assertLess(float(np.nanmax(np.abs(salt - 1.0))), 1e-6)
        closed = [np.isnan(run.field("speed", k)) for k in range(len(run.frames))]
        self.assertTrue(all(c.any() for c in closed))
        self.assertTrue((closed[0] != closed[1]).any())
        self.assertEqual(run.frames[0].far, {})
        x, y = run.frames[1].far["slide"]
        self.assertAlmostEqual(x, 2e-3 * np.sin(0.5 * np.pi), places=9)
        self.assertAlmostEqual(y, 3e-3, places=9)

    def test_what_a_piston_displaces_leaves_and_presses(self):
        """All moves as one: rho V out, and rho a times what is left ahead of it (exact). What leaves
        is a mean over the last step, of first order; the aim falls with the grid's steps.
        """
        left, pressed = [], []
        for grid in (0.5, 1.0, 2.0):
            run = uk.run(PISTON, grid=grid)
            told = {n: r.value for n, r in run.readouts.items()}
            speed, ahead = 0.2, 0.04 - 0.0143 - 0.01
            left.append(1.0 - told["leaves"] / (1000 * speed * 0.01))
            pressed.append(told["push"] / (1000 * 2.0 * ahead) - 1.0)
            self.assertAlmostEqual(told["leaves"] / told["comes"], 1.0, places=8)
            self.assertLess(run.balance["mass"]["relative"], 1e-9)
        self.assertTrue(0 < left[2] < left[1] < left[0] < 0.01, left)
        self.assertLess(abs(pressed[2]), 0.01)
        self.assertLess(abs(pressed[2]), abs(pressed[0]))

    def test_it_drags_the_stream_along(self):
        """Beside a plate that slides at an even pace the stream goes as fast, and less further off."""
        still = {
            "conditions": {
                n: {"flow": {"kind": "wall", "speed": None}} for n in ("inlet", "outlet")
            },
            "phenomena": {"species": None, "gate": {"along_y": "10 mm/s*t"}},
        }
        bare = merge_patch(SLIDING, {"conditions": {"inlet": None, "outlet": None}})
        stages = {"go": {"solve": ["gate", "flow"], "until": "0.4 s", "frame_every": None}}
        run = uk.run(merge_patch(bare, {**still, "stages": stages}))
        along = run.field("velocity_y")[9, 20:26]  # half way up, from the plate on
        self.assertGreater(float(along[0]) / 0.01, 0.6)
        self.assertTrue((np.diff(along) < 0).all(), along)

    def test_after_a_series_parts_go_on_from_where_they_stand(self):
        """Through time, at rest for two inflows, and through time again: parts stand still for the
        series, and the solvers that it made follow when they move on.
        """
        stages = {
            "go": {"until": "0.05 s", "frame_every": None},
            "sweep": {
                "solve": ["gate", "flow", "species"],
                "mode": "series",
                "control": "speed",
                "values": ["5 mm/s", "10 mm/s"],
                "aim": 1e-3,
            },
            "on": {"solve": ["gate", "flow", "species"], "mode": "transient", "until": "0.05 s"},
        }
        case = merge_patch(
            GATE,
            {
                "parameters": {"speed": "10 mm/s"},
                "grid": {"size": "2 mm"},
                "conditions": {"inlet": {"flow": {"speed": "speed"}}},
                "stages": stages,
            },
        )
        run = uk.run(case)
        far = [f.far.get("slide", (0.0, 0.0)) for f in run.frames]
        at = {f.stage: d for f, d in zip(run.frames, far, strict=True)}
        self.assertEqual(at["sweep"], far[1])  # as the first stage left it
        self.assertAlmostEqual(at["on"][1], 3e-3 * (1 - np.cos(0.5 * np.pi)), places=9)
        self.assertLess(run.balance["mass"]["relative"], 1e-9)

    def test_a_plate_slides_along_itself_only(self):
        case = Case(with_part(PLATE, along_x="1 mm/s*t"))
        march = build_march(case)
        with self.assertRaises(RunFailed) as caught:
            march.run()
        self.assertIn("only slide along itself", str(caught.exception))

    def test_a_step_taken_back_is_taken_again_from_the_same_vessel(self):
        march = build_march(Case(GATE))
        flow, failed = march.solvers["flow"], []
        advance = flow.advance

        def balky(state, t0, t1, inputs):
            work = advance(state, t0, t1, inputs)
            if state.step == 4 and not failed:
                failed.append(t1 - t0)
                from underkettle.engine.contract import StepFailed

                raise StepFailed("flow", "here", "it balks")
            return work

        flow.advance = balky
        march.run()
        self.assertTrue(failed)
        for quantity, plain in march.state.memory.budgets["go"].items():
            with self.subTest(quantity):
                self.assertLess(Budget(**plain).relative, 1e-9)


class Said(unittest.TestCase):
    def rules(self, patch):
        return {f.rule: f for f in audit(Case(merge_patch(GATE, patch)))}

    def test_what_cannot_move_is_told(self):
        self.assertIn(
            "moves what is not drawn", self.rules({"phenomena": {"gate": {"part": "door"}}})
        )
        found = self.rules({"vessel": {"parts": {"slide": {"does": "zone"}}}})
        self.assertEqual(found["moves what cannot move"].grade, "contradiction")
        warm = {"phenomena": {"warmth": {"spread": "1e-6 m2/s"}}}
        found = self.rules({**warm, "stages": {"go": {"solve": ["gate", "flow", "warmth"]}}})
        self.assertIn("warmth cannot follow", found["cannot follow what moves"].sentence)
        self.assertFalse(
            {"moves what is not drawn", "moves what cannot move", "cannot follow what moves"}
            & set(self.rules({}))
        )


if __name__ == "__main__":
    unittest.main()
