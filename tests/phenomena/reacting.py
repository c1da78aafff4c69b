"""A small duct in which things react, and what makes each of its audit rules speak."""

from tests.phenomena.vessels import box, nozzles

BURNT = {"kind": "carried in", "value": "0 mol/m3"}

DUCT = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {
        "parts": {
            "box": box(),
            "bed": {
                "shape": "rectangle",
                "does": "zone",
                "x": "15 mm",
                "y": "0 mm",
                "width": "15 mm",
                "height": "20 mm",
            },
        },
        "nozzles": nozzles("20 mm"),
    },
    "grid": {"size": "1 mm"},
    "phenomena": {
        "flow": {"density": "0.6 kg/m3", "viscosity": "30 uPa s"},
        "species": {
            "members": {n: {"diffusivity": "8e-5 m2/s"} for n in ("CO", "O2", "CO2", "H2O", "H2")}
        },
        "heat": {
            "density": "0.6 kg/m3",
            "heat_capacity": "1100 J/(kg K)",
            "conductivity": "50 mW/(m K)",
        },
        "reactions": {
            "reactions": {
                "burning": {
                    "written": "CO + 0.5 O2 -> CO2",
                    "constant": "4e6 (m3/mol)^0.5/s",
                    "activation": "80 kJ/mol",
                    "coldest": "400 K",
                    "hottest": "1500 K",
                },
                "shift": {
                    "written": "CO + H2O -> CO2 + H2",
                    "constant": "1 m3/(mol s)",
                    "activation": "30 kJ/mol",
                    "reverses": True,
                },
            }
        },
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "speed": "0.5 m/s"},
            "heat": {"kind": "carried in", "value": "600 K"},
            "species.CO": {"kind": "carried in", "value": "0.2 mol/m3"},
            "species.O2": {"kind": "carried in", "value": "1 mol/m3"},
            "species.H2O": {"kind": "carried in", "value": "1 mol/m3"},
            "species.CO2": BURNT,
            "species.H2": BURNT,
        },
        "outlet": {"flow": {"kind": "outflow"}},
        "space": {"reactions.burning": {"kind": "rests"}, "reactions.shift": {"kind": "rests"}},
        "bed": {
            "reactions.burning": {"kind": "in grains", "grain": "2 mm", "inside": "2e-6 m2/s"},
            "reactions.shift": {"kind": "runs"},
        },
    },
    "start": {"space": {"heat": {"value": "600 K"}}},
    "stages": {
        "go": {
            "solve": ["flow", "species", "heat", "reactions"],
            "mode": "transient",
            "until": "0.05 s",
        }
    },
}


def _of(reaction, **values):
    return {"phenomena": {"reactions": {"reactions": {reaction: values}}}}


STIRRED = {
    "phenomena": {"turbulence": {}},
    "stages": {"go": {"solve": ["flow", "turbulence", "species", "heat", "reactions"]}},
}
TRIPS = {
    "waits for eddies that are not there": _of("burning", mixing=4),
    "does not wait for eddies": STIRRED,
    "waits for eddies that mix faster": {
        **STIRRED,
        "phenomena": {
            "turbulence": {},
            "reactions": {
                "reactions": {"burning": {"mixing": 4, "constant": "1e-6 (m3/mol)^0.5/s"}}
            },
        },
        "conditions": {"space": {"reactions.burning": {"kind": "runs"}}},
    },
    "reaction that cannot be read": _of("burning", written="CO + O2"),
    "nobody follows it": _of("burning", written="CO + 0.5 O2 -> CO2 + soot"),
    "elements are not kept": _of("burning", written="CO + O2 -> CO2"),
    "unit of a rate constant": _of("burning", constant="4e6 1/s"),
    "who helps a reaction": _of("shift", written="CO + H2O + M -> CO2 + H2 + M", counts="N2 2"),
    "no temperature for a law": {
        "phenomena": {"heat": None},
        "conditions": {"inlet": {"heat": None}},
        "start": {"space": {"heat": None}},
        "stages": {"go": {"solve": ["flow", "species", "reactions"]}},
    },
    "law outside its range": {"conditions": {"inlet": {"heat": {"value": "1600 K"}}}},
    "reactant that never comes": {"conditions": {"inlet": {"species.O2": {"value": "0 mol/m3"}}}},
    "reaction that runs nowhere": {
        "conditions": {
            "bed": {"reactions.shift": {"kind": "rests"}},
        }
    },
    "wall that holds what reacts on it": {
        "phenomena": {"reactions": {"reactions": {"shift": {"constant": "1 m4/(mol s)"}}}},
        "conditions": {
            "bed": {"reactions.shift": {"kind": "rests"}},
            "box_top": {
                "reactions.shift": {"kind": "on the wall"},
                "species.CO": {"kind": "held value", "value": "0.1 mol/m3"},
            },
        },
    },
    "heat of reaction left out": {
        "phenomena": {"heat": None, "reactions": {"temperature": "600 K"}},
        "conditions": {"inlet": {"heat": None}},
        "start": {"space": {"heat": None}},
        "stages": {"go": {"solve": ["flow", "species", "reactions"]}},
    },
    "heat of a reaction not told": {
        "phenomena": {
            "species": {"members": {"terpene": {"diffusivity": "8e-5 m2/s"}}},
            "reactions": {
                "reactions": {
                    "shift": {"written": "terpene -> CO2", "reverses": False, "constant": "1 1/s"}
                }
            },
        },
        "conditions": {"inlet": {"species.terpene": {"kind": "carried in", "value": "1 mol/m3"}}},
    },
}
