"""A small tray: a drop, an inlet, a rim and what is dissolved; and what makes audit rules speak."""

from underkettle.case.model import merge_patch

BOX = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "12 mm", "height": "8 mm"}
WATER = {"density": "1000 kg/m3", "viscosity": "1 mPa s"}
OIL = {"density": "850 kg/m3", "viscosity": "20 mPa s"}
WETS = {"kind": "wall", "angle": "60 deg"}

TRAY = {
    "format": "under-kettle case 1",
    "name": "small tray",
    "vessel": {
        "depth": "10 mm",
        "parts": {
            "tray": {
                **BOX,
                "edges": {"left": "side", "right": "far", "bottom": "floor", "top": "lid"},
            }
        },
        "nozzles": {
            "spout": {"part": "tray", "side": "left", "at": "1.5 mm", "bore": "1 mm"},
            "rim": {"part": "tray", "side": "top", "at": "9 mm", "bore": "4 mm"},
        },
    },
    "grid": {"size": "0.4 mm"},
    "phenomena": {
        "flow": {**WATER, "gravity_y": "-9.81 m/s2"},
        "two_fluids": {"members": {"water": WATER, "oil": OIL}, "tension": "20 mN/m"},
    },
    "conditions": {
        "spout": {
            "flow": {"kind": "inflow", "speed": "20 mm/s"},
            "two_fluids": {"kind": "carried in", "value": "1"},
        },
        "rim": {"flow": {"kind": "open edge"}, "two_fluids": {"kind": "carried out", "value": "0"}},
        **{e: {"two_fluids": WETS} for e in ("side", "far", "floor", "lid")},
    },
    "start": {
        "space": {
            "two_fluids": {"kind": "a drop", "x": "7 mm", "y": "3 mm", "radius": "2.5 mm"},
        }
    },
    "stages": {"go": {"solve": ["flow", "two_fluids"], "mode": "transient", "until": "20 ms"}},
    "readouts": {
        "water": {"kind": "total", "field": "water", "place": "space"},
        "fastest": {"kind": "max", "field": "speed", "place": "space"},
    },
}

_SHUT = {
    "vessel": {"nozzles": None},
    "conditions": {"spout": None, "rim": None},
}
TRIPS = {
    "more than two fluids": {"phenomena": {"two_fluids": {"members": {"mercury": WATER}}}},
    "no interface at rest": {"stages": {"go": {"mode": "steady", "until": None}}},
    "walls thinner than cells": {
        "vessel": {
            "parts": {
                "baffle": {
                    "shape": "polygon",
                    "does": "cut",
                    "points": [
                        ["2 mm", "4 mm"],
                        ["6 mm", "5 mm"],
                        ["6 mm", "5.1 mm"],
                        ["2 mm", "4.1 mm"],
                    ],
                }
            }
        }
    },
    "only one fluid": {
        **_SHUT,
        "start": {
            "space": {
                "two_fluids": {"kind": "filled", "value": "1", "x": None, "y": None, "radius": None}
            }
        },
    },
    "interface without tension": {"phenomena": {"two_fluids": {"tension": "0 N/m"}}},
    "fluids without weight": {"phenomena": {"flow": {"gravity_y": None}}},
    "contact angles assumed": {"conditions": {"floor": {"two_fluids": None}}},
    "angles the wrong way round": {
        "conditions": {
            "floor": {
                "two_fluids": {
                    "kind": "wall that holds",
                    "angle": None,
                    "receding": "110 deg",
                    "advancing": "70 deg",
                }
            }
        }
    },
    "few cells in a drop": {"grid": {"size": "1 mm"}},
    "densities far apart": {
        "phenomena": {"two_fluids": {"members": {"oil": {"density": "0.5 kg/m3"}}}}
    },
    "very many steps": {"stages": {"go": {"until": "600 s"}}},
}

_DYE = {"diffusivity": "1e-4 m2/s", "diffusivity_second": "4e-4 m2/s", "partition": "3"}
SHARED = merge_patch(
    TRAY,
    {
        "grid": {"size": "0.5 mm"},
        "phenomena": {
            "solutes": {"members": {"dye": _DYE, "salt": {**_DYE, "lives_in": "the first"}}}
        },
        "conditions": {
            "spout": {
                "solutes.dye": {"kind": "carried in", "value": "2 mol/m3"},
                "solutes.salt": {"kind": "carried in", "value": "1 mol/m3"},
            },
            "lid": {"solutes.dye": {"kind": "held value", "value": "0.2 mol/m3"}},
            "space": {"solutes.dye": {"kind": "used up", "first": "2 1/s", "second": "1 1/s"}},
        },
        "start": {
            "space": {
                "two_fluids": {"radius": "3 mm"},
                "solutes.dye": {"kind": "start", "second": "1 mol/m3"},
                "solutes.salt": {"kind": "start", "value": "1 mol/m3"},
            }
        },
        "stages": {"go": {"solve": ["flow", "two_fluids", "solutes"]}},
        "readouts": {"dye": {"kind": "mean", "field": "dye_in_first", "place": "space"}},
    },
)
SHARED_TRIPS = {
    "nothing dissolved": {
        "conditions": {
            "spout": {"solutes.salt": {"value": "0 mol/m3"}},
        },
        "start": {"space": {"solutes.salt": {"value": "0 mol/m3"}}},
    },
    "in the wrong fluid": {"start": {"space": {"solutes.salt": {"second": "1 mol/m3"}}}},
    "does not cross": {
        "phenomena": {"solutes": {"members": {"dye": {"diffusivity_second": "0 m2/s"}}}}
    },
    "crosses within a cell": {
        "phenomena": {"solutes": {"members": {"dye": {"diffusivity": "1e-9 m2/s"}}}}
    },
    "unlikely in a fluid": {
        "phenomena": {"solutes": {"members": {"dye": {"diffusivity": "1e-2 m2/s"}}}}
    },
}
