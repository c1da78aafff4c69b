"""A small battery plate, records of pulses of a known cell, and what makes rules for cells speak."""

import numpy as np

from underkettle.sums.pulses import Circuit, respond

AREA = 0.06 * 0.04  # m2
HOLDS = 30 * 3600.0  # C/m2
LEVELS = np.array([0.0, 0.2, 0.4, 0.6, 0.8, 1.0])
KNOWN = Circuit(  # of an area: V, ohm m2, ohm m2, s, ohm m2, s
    LEVELS,
    np.array(
        [
            [3.0, 2.2e-3, 9e-4, 4.0, 1.5e-3, 50.0],
            [3.4, 2.0e-3, 8e-4, 4.2, 1.4e-3, 52.0],
            [3.55, 1.9e-3, 8e-4, 4.4, 1.3e-3, 54.0],
            [3.7, 1.8e-3, 7e-4, 4.6, 1.2e-3, 56.0],
            [3.9, 1.8e-3, 7e-4, 4.8, 1.2e-3, 58.0],
            [4.15, 1.8e-3, 7e-4, 5.0, 1.2e-3, 60.0],
        ]
    ),
)
AMPS = 0.18


def records(levels=(0.3, 0.5, 0.7, 0.9), noise=0.0, sign=1.0, millivolts=False, seed=3):
    """Rows of pulses of that cell: AMPS drawn for 30 s after 10 s of rest, and 200 s of rest."""
    rng = np.random.default_rng(seed)
    rows = Circuit(KNOWN.levels, KNOWN.scaled(1 / AREA).values).rows
    t = np.concatenate([[0, 5], np.arange(10, 61, 1.0), np.arange(66, 241, 6.0)])
    i = np.where((t >= 10) & (t < 40), -AMPS, 0.0)
    unit, scale = ("mV", 1.0) if millivolts else ("V", 1.0)
    lines = [f"level, time [s], current [A], voltage [{unit}]"]
    for level in levels:
        volts = respond(t, i, level, HOLDS * AREA, rows) + noise * rng.standard_normal(t.size)
        lines += [
            f"{level:g}, {a:g}, {sign * b:g}, {scale * v:.6f}"
            for a, b, v in zip(t, i, volts, strict=True)
        ]
    return "\n".join(lines) + "\n"


def table(column, unit):
    rows = zip(LEVELS, KNOWN.values[:, column], strict=True)
    return {"table": [[f"{s:g}", f"{v:.8g} {unit}"] for s, v in rows]}


TOLD = {
    "rest": table(0, "V"),
    "at_once": table(1, "ohm m2"),
    "fast": table(2, "ohm m2"),
    "fast_time": table(3, "s"),
    "slow": table(4, "ohm m2"),
    "slow_time": table(5, "s"),
}


def plate(drive=None, **stage):
    """A plate of 60 x 40 mm, of foils that hardly resist."""
    return {
        "format": "under-kettle case 1",
        "name": "plate",
        "vessel": {
            "depth": "0.2 mm",
            "parts": {
                "plate": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "60 mm",
                    "height": "40 mm",
                    "edges": {"left": "near", "right": "far", "top": "rim", "bottom": "rim"},
                }
            },
            "nozzles": {
                "minus": {"part": "plate", "side": "left", "at": "30 mm", "bore": "10 mm"},
                "plus": {"part": "plate", "side": "right", "at": "30 mm", "bore": "10 mm"},
            },
        },
        "grid": {"size": "5 mm"},
        "phenomena": {
            "charge": {
                "members": {
                    "copper": {"conductivity": "5.8e7 S/m"},
                    "aluminium": {"conductivity": "3.5e7 S/m"},
                },
                "cells": {"cell": {"holds": "30 A h/m2", "tested": "24 cm2", **TOLD}},
            }
        },
        "conditions": {
            "minus": {"charge.copper": {"kind": "held", "value": "0 V"}},
            "plus": {"charge.aluminium": drive or {"kind": "at a rate", "rate": "-2 1/h"}},
            "space": {
                "charge.copper": {"kind": "a foil", "thickness": "10 um", "along": "5.8e7 S/m"},
                "charge.aluminium": {"kind": "a foil", "thickness": "15 um", "along": "3.5e7 S/m"},
                "charge.cell": {"kind": "over the sheet"},
            },
        },
        "start": {"space": {"charge.cell": {"value": "0.8"}}},
        "stages": {"go": {"solve": ["charge"], "mode": "transient", "until": "300 s", **stage}},
        "keep": {"watch_every": 1},
        "readouts": {
            "voltage": {"kind": "on", "field": "aluminium_terminal", "place": "plus"},
            "current": {
                "kind": "through",
                "quantity": "aluminium",
                "place": "plus",
                "counts": "in",
            },
            "level": {"kind": "mean", "field": "cell_level", "place": "space"},
            "drawn": {"kind": "mean", "field": "cell_density", "place": "space"},
            "heat": {"kind": "total", "field": "current_heat", "place": "space"},
        },
    }


def pulsed(text):
    return {"name": "pulses.csv", "text": text}


def _stack(**more):
    """What puts a cell beside what there is: between carbon and salt, in the felt."""
    own = {"holds": "30 A h/m2", **TOLD, **more}
    return {
        "phenomena": {"charge": {"cells": {"stack": own}}},
        "conditions": {"felt": {"charge.stack": {"kind": "over the sheet"}}},
    }


def _with(patch, **sections):
    for section, entries in sections.items():
        for key, value in entries.items():
            patch.setdefault(section, {}).setdefault(key, {}).update(value)
    return patch


# on the small cell of `charged.py`
TRIPS = {
    "cell that nothing tells": {"phenomena": {"charge": {"cells": {"stack": {}}}}},
    "pulses that cannot be used": _stack(pulses=pulsed("level, time, current\n0.5, 0, 0\n")),
    "circuit in doubt": _stack(rest={"table": [["0", "4 V"], ["0.5", "3.6 V"], ["1", "3 V"]]}),
    "cell without its tabs": _with(
        _stack(), conditions={"earthed": {"charge.salt": None, "charge.reaction": None}}
    ),
    "foil without a sheet": {
        "conditions": {
            "felt": {"charge.carbon": {"kind": "a foil", "thickness": "20 mm", "along": "1 S/m"}}
        }
    },
    "load that is none": {
        "conditions": {
            "driven": {
                "charge.carbon": {
                    "kind": "at a rate",
                    "low": None,
                    "high": None,
                    "begins": None,
                    "rate": "1 1/h",
                }
            }
        }
    },
    "drawn beyond its charge": _with(
        _stack(),
        conditions={
            "driven": {
                "charge.carbon": {
                    "kind": "at a rate",
                    "low": None,
                    "high": None,
                    "begins": None,
                    "rate": "-5000 1/h",
                }
            }
        },
    ),
    "shapes for what bends": {"phenomena": {"charge": {"way": "by shapes"}}},
}
