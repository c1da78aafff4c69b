"""Readouts that were silent or wrong: peaks, mixing cups, what histories tell, series."""

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

import underkettle as uk
from tests.phenomena.cases import CASES
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.exporting import exported
from underkettle.reading.peaks import peak
from underkettle.reading.readouts import problems

CHANNEL = {
    "format": "under-kettle case 1",
    "name": "channel",
    "parameters": {"speed": "10 mm/s"},
    "vessel": {
        "depth": "1 m",
        "parts": {
            "box": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "20 mm",
                "height": "10 mm",
            }
        },
        "nozzles": {
            "inlet": {"part": "box", "side": "left", "at": "5 mm", "bore": "10 mm"},
            "outlet": {"part": "box", "side": "right", "at": "5 mm", "bore": "10 mm"},
        },
    },
    "grid": {"size": "0.5 mm"},
    "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "0.1 Pa s"}},
    "conditions": {
        "inlet": {"flow": {"kind": "inflow", "speed": "speed", "profile": "developed"}},
        "outlet": {"flow": {"kind": "outflow"}},
    },
    "stages": {"go": {"solve": ["flow"], "mode": "steady"}},
    "readouts": {
        "area": {
            "kind": "mean",
            "field": "velocity_x",
            "line": ["12 mm", "0 mm", "12 mm", "10 mm"],
        },
        "cup": {
            "kind": "mean",
            "field": "velocity_x",
            "weight": "flow",
            "line": ["12 mm", "0 mm", "12 mm", "10 mm"],
        },
        "fastest": {"kind": "max", "field": "velocity_x", "place": "space"},
        "flows": {"kind": "through", "quantity": "mass", "place": "outlet"},
        "twice": {"kind": "formula", "formula": "2*speed + 0*flows/(1 kg/m)"},
    },
}

MORE = {
    "readouts": {
        "uneven": {
            "kind": "unevenness",
            "field": "velocity_x",
            "weight": "flow",
            "line": ["12 mm", "0 mm", "12 mm", "10 mm"],
        },
        "uneven_out": {
            "kind": "unevenness",
            "field": "velocity_x",
            "weight": "flow",
            "place": "outlet",
        },
        "deviates_out": {
            "kind": "spread",
            "field": "velocity_x",
            "weight": "flow",
            "place": "outlet",
        },
        "cup_in": {"kind": "mean", "field": "velocity_x", "weight": "flow", "place": "inlet"},
        "fastest_out": {"kind": "max", "field": "velocity_x", "place": "outlet"},
        "lost": {
            "kind": "difference",
            "field": "total_pressure",
            "weight": "flow",
            "place": "inlet",
            "to": "outlet",
        },
        "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"},
    }
}


class Told(unittest.TestCase):
    def test_peaks_lie_between_cells_too(self):
        x = np.linspace(0, 1, 11)
        middle = 0.5 * (x[1:] + x[:-1])
        top = -((middle[None, :] - 0.43) ** 2) - 2 * (middle[:, None] - 0.61) ** 2
        self.assertAlmostEqual(peak(top, x, x, 1.0), 0.0, places=12)
        self.assertAlmostEqual(peak(-top, x, x, -1.0), 0.0, places=12)
        flat = np.array([[0.0, 10.0, 10.0, 9.0]])
        self.assertEqual(peak(flat, np.arange(5.0), np.arange(2.0), 1.0), 10.0)
        self.assertIsNone(peak(np.full((2, 2), np.nan), np.arange(3.0), np.arange(3.0), 1.0))

    def test_a_mixing_cup_mean_on_an_inner_section(self):
        """Between plates the mean of u by flow is 6/5 of the mean speed, its peak 3/2."""
        told = uk.run(CHANNEL).readouts
        self.assertAlmostEqual(told["area"].value, 0.010, delta=1e-4)
        self.assertAlmostEqual(told["cup"].value, 0.012, delta=1e-4)
        self.assertAlmostEqual(told["fastest"].value, 0.015, delta=1e-4)

    def test_how_uneven_and_how_high_what_leaves_is(self):
        """Between plates, weighed by flow: the mean of u is 6/5 of the mean speed, of its square
        54/35, so that it deviates by .3207 of the mean speed, .2673 of its own mean.
        """
        told = uk.run(merge_patch(CHANNEL, MORE)).readouts
        for name in ("uneven", "uneven_out"):
            self.assertAlmostEqual(told[name].value, 0.26726, delta=6e-3)  # 20 cells
            self.assertEqual(told[name].unit, "")
        self.assertAlmostEqual(told["deviates_out"].value, 3.207e-3, delta=4e-5)
        self.assertAlmostEqual(told["cup_in"].value, 0.012, delta=1e-4)
        self.assertAlmostEqual(told["fastest_out"].value, 0.015, delta=1e-4)

    def test_what_is_lost_of_the_total_pressure(self):
        """Where the same profile enters and leaves it is the drop: 12 mu U L / h2."""
        told = uk.run(merge_patch(CHANNEL, MORE)).readouts
        self.assertAlmostEqual(told["lost"].value / told["drop"].value, 1.0, delta=0.06)
        self.assertAlmostEqual(told["drop"].value, 12 * 0.1 * 0.01 * 0.02 / 1e-4, delta=0.05)

    def test_a_mean_that_ranks_nothing_is_told(self):
        """Two streams that meet, in two arrangements: what leaves is on average what came."""
        data = merge_patch(
            CASES["species"],
            {
                "vessel": {
                    "nozzles": {
                        "second": {"part": "box", "side": "top", "at": "20 mm", "bore": "4 mm"}
                    }
                },
                "conditions": {
                    "second": {
                        "flow": {"kind": "inflow", "speed": "10 mm/s"},
                        "species.salt": {"kind": "carried in", "value": "0 mol/m3"},
                    },
                    "box_top": {"species.salt": None},
                    "space": None,
                },
                "variants": {"slow": {"conditions": {"second": {"flow": {"speed": "5 mm/s"}}}}},
                "readouts": {
                    "out": {"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"}
                },
            },
        )
        found = [f for f in audit(Case(data)) if f.rule == "mean that ranks nothing"]
        self.assertEqual(len(found), 1)
        ((path, cure),) = found[0].cure
        cured = merge_patch(data, {"readouts": {path.split("/")[1]: cure}})
        for other in (
            cured,
            merge_patch(data, {"variants": None}),
            merge_patch(
                data,
                {"conditions": {"box_top": {"species.salt": {"kind": "held value", "value": "0"}}}},
            ),
        ):
            self.assertFalse([f for f in audit(Case(other)) if f.rule == "mean that ranks nothing"])

    def test_what_cannot_be_weighted_is_told_beforehand(self):
        for patch in (
            {"kind": "max", "line": None, "place": "space"},
            {"line": None, "box": ["0 mm", "0 mm", "1 mm", "1 mm"]},
        ):
            case = Case(merge_patch(CHANNEL, {"readouts": {"cup": patch}}))
            self.assertTrue(problems(case, "cup"))
            self.assertTrue(
                any("cup" in f.sentence.lower() and f.grade == "stops" for f in audit(case))
            )

    def test_a_formula_of_what_a_history_tells(self):
        data = merge_patch(
            CASES["species"],
            {
                "readouts": {
                    "held": {"kind": "mean", "field": "salt", "place": "space"},
                    "most": {"kind": "history", "of": "held", "tells": "high"},
                    "double": {"kind": "formula", "formula": "2*most"},
                    "four": {"kind": "formula", "formula": "2*double"},
                }
            },
        )
        run = uk.run(data)
        self.assertAlmostEqual(run.readouts["four"].value, 4 * run.readouts["most"].value)

    def test_histories_go_out_as_a_table(self):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "run.sqlite"
            run = uk.run(CASES["species"], out=path)
            rows = exported(path, "histories").decode().strip().splitlines()
            self.assertEqual(len(rows), 1 + len(run.file.watches(most=10**9)))
            self.assertTrue(rows[0].startswith("stage,step,time [s]"))

    def test_nothing_is_left_behind(self):
        run = uk.run(CHANNEL)
        folder = run.file.path.parent
        self.assertTrue(folder.exists())
        del run
        self.assertFalse(folder.exists())


class Series(unittest.TestCase):
    """Up and down again: every frame is kept, and told of the value applied."""

    DATA = merge_patch(
        CHANNEL,
        {
            "parameters": {"thick": "0.1 Pa s"},
            "phenomena": {"flow": {"viscosity": "thick"}},
            "derived": {"share": {"formula": "velocity_x/speed"}},
            "stages": {
                "go": {
                    "mode": "series",
                    "control": "speed",
                    "values": ["10 mm/s", "20 mm/s", "10 mm/s"],
                }
            },
        },
    )

    def test_frames_and_formulas_follow_the_value(self):
        run = uk.run(self.DATA)
        self.assertEqual([round(f.value, 6) for f in run.frames], [0.01, 0.02, 0.01])
        self.assertEqual([round(f.readouts["twice"], 9) for f in run.frames], [0.02, 0.04, 0.02])
        peaks = [float(np.nanmax(run.field("share", k))) for k in range(3)]
        for value in peaks:
            self.assertAlmostEqual(value, peaks[0], delta=1e-6 * peaks[0])
        self.assertAlmostEqual(run.readouts["twice"].value, 0.02)

    def test_what_was_set_holds_in_every_value(self):
        drops = {}
        for thick in ("0.1 Pa s", "0.2 Pa s"):
            data = merge_patch(
                self.DATA,
                {
                    "readouts": {
                        "drop": {
                            "kind": "difference",
                            "field": "pressure",
                            "place": "inlet",
                            "to": "outlet",
                        }
                    }
                },
            )
            drops[thick] = uk.run(data, set={"thick": thick}).frames[1].readouts["drop"]
        self.assertAlmostEqual(drops["0.2 Pa s"] / drops["0.1 Pa s"], 2.0, delta=0.1)

    def test_what_comes_after_is_the_case_as_it_is(self):
        data = merge_patch(self.DATA, {"stages": {"rest": {"solve": ["flow"], "mode": "steady"}}})
        run = uk.run(data)
        self.assertAlmostEqual(run.readouts["flows"].value, 0.1, delta=1e-3)
        self.assertAlmostEqual(run.readouts["twice"].value, 0.02)


if __name__ == "__main__":
    unittest.main()
