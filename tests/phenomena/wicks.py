"""A small wick: a front in one zone, a curve in another, liquid from one side; what trips its audit."""

FRONT = {"kind": "wet front", "draws": "2 kPa", "swelling": 0.2}
CURVED = {"kind": "curved", "drawn": "1 kPa", "shape": 2.0, "residual": 0.05}
FELT = {"kind": "permeable", "permeability": "1e-10 m2", "porosity": 0.6}

WICK = {
    "format": "under-kettle case 1",
    "name": "small wick",
    "vessel": {
        "parts": {
            "strip": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "40 mm",
                "height": "20 mm",
            },
            "core": {
                "shape": "circle",
                "does": "zone",
                "x": "14 mm",
                "y": "10 mm",
                "radius": "5 mm",
            },
        },
        "nozzles": {
            "spout": {"part": "strip", "side": "right", "at": "10 mm", "bore": "6 mm"},
        },
    },
    "grid": {"size": "1 mm"},
    "phenomena": {
        "porous": {},
        "wicking": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
    },
    "conditions": {
        "space": {"porous": FELT, "wicking": FRONT},
        "core": {"porous": {**FELT, "across": "5e-11 m2"}, "wicking": CURVED},
        "strip_left": {"wicking": {"kind": "wetted"}},
        "spout": {"wicking": {"kind": "drips"}},
    },
    "start": {"core": {"wicking": {"wetness": "0.3"}}},
    "stages": {"soak": {"solve": ["porous", "wicking"], "mode": "transient", "until": "2 s"}},
}

TRIPS = {
    "no liquid": {
        "conditions": {"strip_left": {"wicking": {"kind": "sealed"}}},
        "start": {"core": {"wicking": {"wetness": "0"}}},
    },
    "does not draw": {
        "conditions": {"space": {"wicking": {"draws": None, "pore": "50 um"}}},
        "phenomena": {"wicking": {"contact_angle": "120 deg"}},
    },
    "no pores": {"conditions": {"core": {"porous": None}}},
    "cannot fill": {"conditions": {"space": {"wicking": {"draws": "50 Pa"}}}},
    "cells too tall": {"conditions": {"core": {"wicking": {"drawn": "3 Pa"}}}},
    "begins too dry": {"start": {"core": {"wicking": {"wetness": "0"}}}},
}
