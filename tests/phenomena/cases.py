"""Small sound cases, one per phenomenon, and the patches that trip their audit rules."""

from tests.phenomena import (
    burning,
    charged,
    flames,
    fluids,
    hydrogen,
    radiant,
    reacting,
    statics,
    stirred,
    wicks,
)
from tests.phenomena.vessels import box, nozzles

BOX = box()
NOZZLES = nozzles("10 mm")
FLOWING = {
    "inlet": {"flow": {"kind": "inflow", "speed": "10 mm/s"}},
    "outlet": {"flow": {"kind": "outflow"}},
}


def base(**more):
    return {
        "format": "under-kettle case 1",
        "name": "small",
        "parameters": {"applied": "0.1 V"},
        "vessel": {"parts": {"box": BOX}, "nozzles": NOZZLES},
        "grid": {"size": "1 mm"},
        "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "10 mPa s"}},
        "conditions": FLOWING,
        "stages": {"go": {"solve": ["flow"], "mode": "transient", "until": "0.3 s"}},
        **more,
    }


FLOW = base()
SPECIES = base(
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "species.salt": {"kind": "carried in", "value": "1 mol/m3"}},
        "outlet": FLOWING["outlet"],
        "box_top": {"species.salt": {"kind": "held value", "value": "3 mol/m3"}},
        "space": {"species.salt": {"kind": "made", "loss": "0.1 1/s"}},
    },
    grid={"size": "0.5 mm"},
    stages={"go": {"solve": ["flow", "species"], "mode": "transient", "until": "0.3 s"}},
)
WARMTH = base(
    vessel={
        "parts": {
            "box": BOX,
            "ember": {
                "shape": "circle",
                "does": "zone",
                "x": "20 mm",
                "y": "10 mm",
                "radius": "4 mm",
            },
        },
        "nozzles": NOZZLES,
    },
    phenomena={"flow": FLOW["phenomena"]["flow"], "warmth": {"spread": "1e-6 m2/s"}},
    conditions={
        **FLOWING,
        "box_top": {"warmth": {"kind": "cooled", "film": "1 mm/s"}},
        "ember": {"warmth": {"glow": "5 K/s"}},
    },
    stages={"go": {"solve": ["flow", "warmth"], "mode": "transient", "until": "0.5 s"}},
    readouts={
        "hottest": {"kind": "max", "field": "warmth", "place": "ember"},
        "lost": {"kind": "through", "quantity": "warmth", "place": "box_top"},
    },
)
HOT = {"density": "1000 kg/m3", "heat_capacity": "4000 J/(kg K)", "conductivity": "5 W/(m K)"}
FINES = base(
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "fines": {"response": "20 ms", "wetting": "0.1 mg/s", "burning": "0.2 W"},
        "heat": HOT,
    },
    conditions={
        "inlet": {
            **FLOWING["inlet"],
            "fines": {"kind": "releases", "rate": "200 1/s"},
            "heat": {"kind": "carried in", "value": "300 K"},
        },
        "outlet": FLOWING["outlet"],
    },
    stages={"go": {"solve": ["flow", "fines", "heat"], "mode": "transient", "until": "1 s"}},
    start={"space": {"heat": {"value": "300 K"}}},
)
LIQUIDS = base(
    vessel={"parts": {"box": BOX}},
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "liquids": {"heavy": "1100 kg/m3", "light": "1000 kg/m3", "thick": "10 mPa s"},
    },
    conditions={},
    start={"space": {"liquids": {"share": "if(x < 20 mm, 1, 0)"}}},
    stages={
        "go": {
            "solve": ["flow", "liquids"],
            "mode": "transient",
            "until": "0.2 s",
            "longest_step": "10 ms",
        }
    },
)
HEAT = base(
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "heat": {
            "density": "1000 kg/m3",
            "heat_capacity": "4000 J/(kg K)",
            "conductivity": "5 W/(m K)",
        },
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "heat": {"kind": "carried in", "value": "300 K"}},
        "outlet": FLOWING["outlet"],
        "box_top": {"heat": {"kind": "film", "film": "200 W/(m2 K)", "ambient": "350 K"}},
        "box_bottom": {"heat": {"kind": "heat flux", "flux": "3 kW/m2"}},
        "space": {"heat": {"kind": "made", "source": "10 kW/m3"}},
    },
    stages={"go": {"solve": ["flow", "heat"], "mode": "transient", "until": "0.3 s"}},
)
BUOYANCY = base(
    vessel={"parts": {"box": BOX}},
    phenomena={**HEAT["phenomena"], "buoyancy": {"density": "1000 kg/m3", "expansion": "3e-4 1/K"}},
    conditions={
        "box_left": {"heat": {"kind": "held temperature", "value": "300 K"}},
        "box_right": {"heat": {"kind": "held temperature", "value": "290 K"}},
    },
    stages={
        "go": {
            "solve": ["flow", "heat", "buoyancy"],
            "mode": "transient",
            "until": "2 s",
            "longest_step": "0.2 s",
        }
    },
)
SHEET = {
    "shape": "plate",
    "does": "screen",
    "x": "24 mm",
    "y": "0 mm",
    "length": "20 mm",
    "along": "y",
}
GRILLE = base(
    vessel={"parts": {"box": BOX, "cloth": SHEET}, "nozzles": NOZZLES},
    phenomena={"flow": FLOW["phenomena"]["flow"], "grille": {"density": "1000 kg/m3"}},
    conditions={**FLOWING, "cloth": {"grille": {"kind": "holds", "loss": 4}}},
    stages={"go": {"solve": ["flow", "grille"], "mode": "transient", "until": "0.3 s"}},
    readouts={"cloth_passes": {"kind": "through", "quantity": "mass", "place": "cloth"}},
)
GATE = base(
    vessel={
        "parts": {
            "box": BOX,
            "slide": {
                "shape": "rectangle",
                "does": "cut",
                "x": "20.3 mm",
                "y": "4.3 mm",
                "width": "3 mm",
                "height": "6 mm",
            },
        },
        "nozzles": NOZZLES,
    },
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
        "gate": {
            "part": "slide",
            "along_x": "2 mm*sin(5*pi*t/1 s)",
            "along_y": "3 mm*(1 - cos(5*pi*t/1 s))",
        },
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "species.salt": {"kind": "carried in", "value": "1 mol/m3"}},
        "outlet": FLOWING["outlet"],
    },
    stages={
        "go": {
            "solve": ["gate", "flow", "species"],
            "mode": "transient",
            "until": "0.3 s",
            "frame_every": "0.1 s",
        }
    },
)
PLATES = base(
    vessel={
        "parts": {
            "box": BOX,
            "far": {**BOX, "does": "zone", "x": "24 mm", "width": "16 mm"},
        },
        "nozzles": NOZZLES,
    },
    phenomena={"plates": {"conducts": "10 S/m"}},
    conditions={
        "box_left": {"plates": {"kind": "held", "value": "applied"}},
        "inlet": {"plates": {"kind": "held", "value": "applied"}},
        "box_right": {"plates": {"kind": "reacts", "exchange": "2 A/m2"}},
        "space-far": {"plates": {"kind": "drops", "drop": "20 mV"}},
    },
    stages={
        "sweep": {
            "solve": ["plates"],
            "mode": "series",
            "control": "applied",
            "values": ["0.1 V", "0.3 V", "0.5 V"],
            "aim": 1e-9,
        }
    },
    readouts={
        "current": {"kind": "through", "quantity": "charge", "place": "box_right"},
        "crosses": {"kind": "through", "quantity": "charge", "place": "space-far"},
    },
)

SWIRL = base(
    dimension="axisymmetric",
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "swirl": {"density": "1000 kg/m3", "viscosity": "10 mPa s"},
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "swirl": {"kind": "carried in", "value": "5 1/s"}},
        "outlet": FLOWING["outlet"],
        "box_right": {"swirl": {"kind": "turning wall", "value": "2 1/s"}},
    },
    stages={"go": {"solve": ["flow", "swirl"], "mode": "transient", "until": "0.3 s"}},
)
MIXTURE = base(
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "heat": {
            "density": "1000 kg/m3",
            "heat_capacity": "4000 J/(kg K)",
            "conductivity": "5 W/(m K)",
        },
        "mixture": {
            "density": "1000 kg/m3",
            "rest_heat_capacity": "4 kJ/(kg K)",
            "members": {
                "vapour": {
                    "diffusivity": "1e-6 m2/s*(1 + vapour)",
                    "molar_mass": "18 g/mol",
                    "heat_capacity": "2 kJ/(kg K)",
                },
                "smoke": {"diffusivity": "2e-6 m2/s"},
            },
        },
    },
    conditions={
        "inlet": {
            **FLOWING["inlet"],
            "mixture.vapour": {"value": "0.1", "kind": "carried in"},
            "heat": {"kind": "carried in", "value": "320 K"},
            "mixture.smoke": {"value": "0.2", "kind": "carried in"},
        },
        "outlet": FLOWING["outlet"],
        "box_top": {"mixture.vapour": {"kind": "film", "film": "1 kg/(m2 s)", "ambient": "0.3"}},
        "space": {"mixture.smoke": {"kind": "made", "source": "-3 kg/(m3 s)*smoke^2"}},
    },
    stages={"go": {"solve": ["flow", "heat", "mixture"], "mode": "transient", "until": "0.3 s"}},
)
SCALAR = base(
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "scalar": {"members": {"age": {"spread": "1e-6 m2/s", "carried": "2", "storage": "3"}}},
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "scalar.age": {"kind": "carried in", "value": "0"}},
        "outlet": FLOWING["outlet"],
        "box_top": {"scalar.age": {"kind": "film", "film": "1 mm/s", "ambient": "0.2"}},
        "space": {
            "scalar.age": {"kind": "made", "source": "1 1/s - 0.5 1/s*age", "loss": "0.1 1/s"}
        },
    },
    stages={"go": {"solve": ["flow", "scalar"], "mode": "transient", "until": "0.3 s"}},
)

BREW = base(
    vessel={
        "parts": {
            "box": BOX,
            "mash": {
                "shape": "rectangle",
                "does": "zone",
                "x": "10 mm",
                "y": "5 mm",
                "width": "10 mm",
                "height": "10 mm",
            },
        }
    },
    phenomena={
        "heat": HOT,
        "brew": {
            "tank": "mash",
            "vigour": {"table": [["280 K", "0"], ["300 K", "1"], ["400 K", "3"]]},
            "record": {"name": "strength.csv", "text": "0,1\n1,2\n"},
            "shares": "1, 0.5",
            "reactions": {
                "malt": {"heat": "2 MW/m3"},
                "hops": {
                    "heat": {
                        "table": [["300 K", "1 MW/m3"], ["310 K", "0 W/m3"]],
                        "over": "temperature",
                    }
                },
            },
            "pairs": {"malt-hops": {"hinders": 2}},
        },
    },
    conditions={},
    start={n: {"heat": {"value": "300 K"}} for n in ("space", "mash")},
    stages={
        "go": {
            "solve": ["heat", "brew"],
            "mode": "transient",
            "until": "1 s",
            "longest_step": "0.1 s",
        }
    },
    readouts={"warmest": {"kind": "max", "field": "temperature", "place": "mash"}},
)

GRAINS = base(
    vessel={
        "parts": {
            "box": BOX,
            "left": {**BOX, "does": "zone", "width": "20 mm"},
            "right": {**BOX, "does": "zone", "x": "20 mm", "width": "20 mm"},
        },
        "nozzles": NOZZLES,
    },
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "grains": {
            "liquids": {"water": {}},
            "members": {"sand": {}, "mud": {}},
            "pairs": {"water-sand": {"drag": 0.25}},
        },
        "tint": {"of": "sand"},
        "coat": {"zone": "left", "viscosity": "20 mPa s"},
        "paste": {"zone": "right", "viscosity": "10 mPa s"},
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "tint": {"kind": "in", "value": "1"}},
        "outlet": FLOWING["outlet"],
    },
    stages={
        "go": {
            "solve": ["coat", "paste", "flow", "grains", "tint"],
            "mode": "transient",
            "until": "0.3 s",
        }
    },
)

BED = {
    "shape": "rectangle",
    "does": "zone",
    "x": "15 mm",
    "y": "0 mm",
    "width": "12 mm",
    "height": "20 mm",
}
POROUS = base(
    vessel={"parts": {"box": BOX, "bed": BED}, "nozzles": NOZZLES},
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "porous": {},
        "species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
        "heat": HOT,
    },
    conditions={
        "inlet": {
            **FLOWING["inlet"],
            "species.salt": {"kind": "carried in", "value": "1 mol/m3"},
            "heat": {"kind": "carried in", "value": "300 K"},
        },
        "outlet": FLOWING["outlet"],
        "box_top": {"heat": {"kind": "film", "film": "200 W/(m2 K)", "ambient": "350 K"}},
        "space": {"species.salt": {"kind": "made", "loss": "0.1 1/s"}},
        "bed": {
            "porous": {
                "kind": "permeable",
                "permeability": "1e-7 m2",
                "across": "2e-8 m2",
                "turned": "25 deg",
                "inertia": "2000 1/m",
                "porosity": 0.5,
                "shear": 2,
                "spread_along": "1 mm",
                "spread_across": "0.1 mm",
                "solid_heat": "800 J/(kg K)",
                "solid_density": "2500 kg/m3",
                "solid_conductivity": "1 W/(m K)",
            }
        },
    },
    stages={
        "go": {
            "solve": ["flow", "porous", "species", "heat"],
            "mode": "transient",
            "until": "0.3 s",
        }
    },
    start={"space": {"heat": {"value": "300 K"}}, "bed": {"heat": {"value": "310 K"}}},
)
_BED = {"kind": "permeable", "porosity": 0.4}
PERCOLATION = base(
    vessel={"parts": {"box": BOX, "bed": BED}, "nozzles": NOZZLES},
    phenomena={
        "percolation": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
        "porous": {},
        "species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}},
    },
    conditions={
        "inlet": {
            "percolation": {"kind": "inflow", "speed": "(1 + sin(6 * t / 1 s)) * 1 mm/s"},
            "species.salt": {"kind": "carried in", "value": "1 mol/m3"},
        },
        "outlet": {"percolation": {"kind": "drains"}},
        "space": {"porous": {**_BED, "permeability": "1e-9 m2"}},
        "bed": {
            "porous": {
                **_BED,
                "permeability": "1e-10 m2",
                "across": "1e-11 m2",
                "turned": "30 deg",
                "inertia": "1e5 1/m",
            }
        },
    },
    stages={
        "go": {
            "solve": ["percolation", "porous", "species"],
            "mode": "transient",
            "until": "2 s",
            "longest_step": "0.2 s",
        }
    },
)
AGE = base(
    phenomena={"flow": FLOW["phenomena"]["flow"], "age": {"diffusivity": "1e-6 m2/s"}},
    stages={"go": {"solve": ["flow", "age"], "mode": "transient", "until": "0.3 s"}},
)
CLOTH = base(
    vessel={
        "parts": {
            "box": BOX,
            "sock": {
                "shape": "plate",
                "does": "screen",
                "x": "16 mm",
                "y": "0 mm",
                "length": "16 mm",
                "along": "y",
                "turned": "-20 deg",
            },
        },
        "nozzles": NOZZLES,
    },
    phenomena={
        "flow": FLOW["phenomena"]["flow"],
        "cloth": {"catches": {"dust": {"share": 0.9}}},
        "species": {"members": {"dust": {"diffusivity": "1e-7 m2/s"}}},
    },
    conditions={
        "inlet": {**FLOWING["inlet"], "species.dust": {"kind": "carried in", "value": "1 mol/m3"}},
        "outlet": FLOWING["outlet"],
        "sock": {"cloth": {"kind": "layer", "thickness": "1 mm", "permeability": "1e-9 m2"}},
    },
    stages={"go": {"solve": ["flow", "cloth", "species"], "mode": "transient", "until": "2 s"}},
)
_LAYER = ("thickness", "permeability")
CASES = {
    "turbulence": stirred.DUCT,
    "reactions": reacting.DUCT,
    "radiation": radiant.DUCT,
    "charge": charged.CELL,
    "electrostatics": statics.BOX,
    "hydrogen_cell": hydrogen.CELL,
    "two_fluids": fluids.TRAY,
    "solutes": fluids.SHARED,
    "flame": flames.BURNER,
    "wicking": wicks.WICK,
    "cloth": CLOTH,
    "age": AGE,
    "porous": POROUS,
    "percolation": PERCOLATION,
    "brew": BREW,
    "grille": GRILLE,
    "gate": GATE,
    **dict.fromkeys(("grains", "tint", "coat", "paste"), GRAINS),
    "swirl": SWIRL,
    "mixture": MIXTURE,
    "scalar": SCALAR,
    "flow": FLOW,
    "species": SPECIES,
    "warmth": WARMTH,
    "fines": FINES,
    "liquids": LIQUIDS,
    "plates": PLATES,
    "heat": HEAT,
    "buoyancy": BUOYANCY,
}
# what it takes for a case above to raise no doubt at all
SOUND = {"heat": {"conditions": {"inlet": {"flow": {"speed": "0.12 m/s"}}}}}
GASES = (("vapour", "H2O"), ("smoke", "N2 + CO2"))
NO_WAY_OUT = {"conditions": {"outlet": {"flow": {"kind": "wall"}}}}
_ONLY = ("permeability", "across", "turned", "inertia")  # of what is known by its permeability
_PACKED = {"kind": "grains", "grain": "1 mm", "porosity": 0.8, **dict.fromkeys(_ONLY)}
TRIPS = {
    "turbulence": stirred.TRIPS,
    "reactions": reacting.TRIPS,
    "radiation": radiant.TRIPS,
    "charge": charged.TRIPS,
    "electrostatics": statics.TRIPS,
    "hydrogen_cell": hydrogen.TRIPS,
    "two_fluids": fluids.TRIPS,
    "solutes": fluids.SHARED_TRIPS,
    "flame": flames.TRIPS,
    "wicking": wicks.TRIPS,
    "porous": {
        "stands nowhere": {"conditions": {"bed": {"porous": None}}},
        "no stream": {
            "phenomena": {"flow": None},
            "conditions": {edge: {"flow": None} for edge in ("inlet", "outlet")},
            "stages": {"go": {"solve": ["porous", "species", "heat"]}},
        },
        "beyond the relation": {"conditions": {"bed": {"porous": _PACKED}}},
        "out of bounds": {"conditions": {"bed": {"porous": {"porosity": "0.2 + 40 1/m * x"}}}},
        "few cells": {"vessel": {"parts": {"bed": {"width": "2 mm"}}}},
        "inertia left out": {
            "conditions": {
                "inlet": {"flow": {"speed": "1 m/s"}},
                "bed": {"porous": {"inertia": "0 1/m"}},
            }
        },
        "drop too large": {
            "conditions": {"bed": {"porous": {"permeability": "1e-17 m2", "across": None}}}
        },
        "measured drop": {
            "conditions": {
                "bed": {
                    "porous": {
                        "kind": "measured drop",
                        "measured": {"table": [["0.1 m/s", "1 Pa"], ["0.2 m/s", "9 Pa"]]},
                        "thickness": "12 mm",
                        **dict.fromkeys(_ONLY),
                    }
                }
            }
        },
        "solid without heat": {"conditions": {"bed": {"porous": {"solid_heat": None}}}},
    },
    "cloth": {
        "no cloth": {"conditions": {"sock": None}},
        "catches nothing": {"phenomena": {"cloth": {"catches": {"smoke": {"share": 0.5}}}}},
        "impossible cloth": {
            "conditions": {
                "sock": {
                    "cloth": {
                        "kind": "weave",
                        "thread": "1 mm",
                        "pitch": "0.5 mm",
                        **dict.fromkeys(_LAYER),
                    }
                }
            }
        },
        "quicker than measured": {
            "conditions": {
                "sock": {
                    "cloth": {
                        "kind": "measured drop",
                        "measured": {"table": [["1 mm/s", "1 Pa"], ["2 mm/s", "2.1 Pa"]]},
                        **dict.fromkeys(_LAYER),
                    }
                }
            }
        },
    },
    "age": {
        "nothing flows": {
            "phenomena": {"flow": None},
            "conditions": {edge: {"flow": None} for edge in ("inlet", "outlet")},
            "stages": {"go": {"solve": ["age"]}},
        },
        "no way out": {
            "stages": {"go": {"mode": "steady", "until": None}},
            "conditions": {"outlet": {"flow": {"kind": "wall"}}},
        },
        "never renewed": {
            "stages": {"go": {"mode": "steady", "until": None}},
            "phenomena": {"age": {"diffusivity": "0 m2/s"}},
        },
    },
    "percolation": {
        "nothing stands there": {"conditions": {"space": {"porous": None}}},
        "no way through": {"conditions": {"outlet": {"percolation": {"kind": "tight"}}}},
        "nothing drives": {
            "conditions": {
                "inlet": {"percolation": {"kind": "tight", "speed": None}},
                "outlet": {"percolation": {"kind": "tight"}},
            }
        },
        "flows that do not balance": {
            "conditions": {"outlet": {"percolation": {"kind": "drawn off", "speed": "2 mm/s"}}}
        },
        "one pressure everywhere": {
            "conditions": {
                "inlet": {"percolation": {"kind": "fed", "pressure": "0 Pa", "speed": None}}
            }
        },
        "too high a pressure": {
            "conditions": {
                "inlet": {"percolation": {"kind": "fed", "pressure": "1 GPa", "speed": None}}
            }
        },
    },
    "flow": {
        "nothing leaves": NO_WAY_OUT,
        "nothing drives": {"conditions": {"inlet": {"flow": {"kind": "wall", "speed": None}}}},
        "slanted nozzle": {
            "vessel": {
                "parts": {
                    "box": {
                        "shape": "polygon",
                        "x": None,
                        "y": None,
                        "width": None,
                        "height": None,
                        "points": [
                            ["0 mm", "0 mm"],
                            ["40 mm", "0 mm"],
                            ["30 mm", "20 mm"],
                            ["0 mm", "20 mm"],
                        ],
                    }
                },
                "nozzles": {"inlet": {"side": "4"}, "outlet": {"side": "2"}},
            }
        },
        "profile of another stream": {
            "conditions": {"inlet": {"flow": {"profile": "developed, turbulent"}}}
        },
        "above the laminar range": {"conditions": {"inlet": {"flow": {"speed": "3 m/s"}}}},
        "idle wall": {
            "conditions": {
                "inlet": {"flow": {"kind": "wall", "speed": None}},
                "outlet": {"flow": {"kind": "wall"}},
            }
        },
        "lid beyond the laminar range": {
            "conditions": {
                "box_top": {
                    "flow": {"kind": "moving wall", "x_speed": "40 m/s", "y_speed": "0 m/s"}
                }
            }
        },
        "wake that sways": {
            "vessel": {
                "parts": {
                    "post": {
                        "shape": "circle",
                        "does": "cut",
                        "x": "20 mm",
                        "y": "10 mm",
                        "radius": "3 mm",
                    }
                }
            },
            "conditions": {"inlet": {"flow": {"speed": "0.5 m/s"}}},
            "stages": {"go": {"mode": "steady", "until": None}},
        },
        "few cells across a nozzle": {"grid": {"size": "3 mm"}},
        "flows that do not balance": {
            "conditions": {"outlet": {"flow": {"kind": "drawn off", "volume_flow": "1 l/s"}}}
        },
        "something on the axis": {
            "dimension": "axisymmetric",
            "conditions": {"box_bottom": {"flow": {"kind": "wall"}}},
        },
        "swells in a closed vessel": {
            "phenomena": {
                "flow": {"density": "1000 kg/m3/(1 + dye)"},
                "scalar": {"members": {"dye": {"spread": "1e-6 m2/s"}}},
            },
            "conditions": {
                "inlet": {"flow": {"kind": "wall", "speed": None}},
                "outlet": {"flow": {"kind": "wall"}},
            },
        },
        "gravity on an even density": {"phenomena": {"flow": {"gravity_y": "-9.81 m/s2"}}},
        "pressure without a level": {
            "conditions": {
                "inlet": {"flow": {"kind": "wall", "speed": None}},
                "outlet": {"flow": {"kind": "wall"}},
                "box_top": {"flow": {"kind": "moving wall", "x_speed": "1 mm/s"}},
            },
            "readouts": {"push": {"kind": "mean", "field": "pressure", "place": "box_top"}},
        },
        "same surroundings everywhere": {
            "conditions": {
                "inlet": {"flow": {"kind": "total pressure", "speed": None}},
                "outlet": {"flow": {"kind": "total pressure"}},
            }
        },
        "pocket without an outlet": {
            "vessel": {
                "parts": {
                    "dam": {
                        "shape": "rectangle",
                        "does": "cut",
                        "x": "20 mm",
                        "y": "0 mm",
                        "width": "4 mm",
                        "height": "20 mm",
                    }
                }
            }
        },
        "outlet close to a change": {
            "vessel": {
                "nozzles": {"outlet": {"bore": "20 mm"}},
                "parts": {
                    "sill": {
                        "shape": "rectangle",
                        "does": "cut",
                        "x": "20 mm",
                        "y": "0 mm",
                        "width": "4 mm",
                        "height": "5 mm",
                    }
                },
            }
        },
        "unlikely stream": {"phenomena": {"flow": {"density": "1 kg/m3"}}},
        "fast gas": {
            "phenomena": {"flow": {"density": "1.2 kg/m3", "viscosity": "18 uPa s"}},
            "conditions": {"inlet": {"flow": {"speed": "180 m/s"}}},
        },
        "wall that moves into the stream": {
            "conditions": {"box_top": {"flow": {"kind": "moving wall", "y_speed": "-1 mm/s"}}}
        },
        "ends before it has passed": {"stages": {"go": {"until": "1 ms"}}},
        "what comes back in": {
            "phenomena": {"scalar": {"members": {"age": {"spread": "1e-6 m2/s"}}}},
            "conditions": {"outlet": {"flow": {"kind": "open edge"}}},
        },
        "inflow that does not flow in": {"conditions": {"inlet": {"flow": {"speed": "-1 mm/s"}}}},
    },
    "species": {
        "less than nothing": {"conditions": {"inlet": {"species.salt": {"value": "-1 mol/m3"}}}},
        "unlikely spreading": {
            "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-3 m2/s"}}}}
        },
        "used up within a cell": {
            "phenomena": {"flow": None},
            "stages": {"go": {"solve": ["species"]}},
            "conditions": {
                "inlet": None,
                "outlet": None,
                "space": {"species.salt": {"loss": "1000 1/s"}},
            },
        },
        "odd start": {"start": {"space": {"species.salt": {"value": "500 mol/m3"}}}},
        "stream not solved": {"stages": {"go": {"solve": ["species"]}}},
        "layer thinner than the cells": {
            "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
            "grid": {"size": "2 mm"},
        },
        "never enters": {
            "conditions": {"inlet": {"species.salt": {"value": "0 mol/m3"}}, "box_top": None}
        },
        "cannot leave": {
            "stages": {"go": {"mode": "steady"}},
            "conditions": {
                "box_top": None,
                "space": None,
                "outlet": {"species.salt": {"kind": "sealed"}},
            },
        },
        "carried through a closed edge": {
            "conditions": {
                "box_bottom": {"species.salt": {"kind": "carried in", "value": "1 mol/m3"}}
            }
        },
        "no time to spread": {
            "phenomena": {"flow": None},
            "conditions": {"inlet": {"species.salt": {"kind": "sealed", "value": None}}},
            "stages": {"go": {"solve": ["species"]}},
        },
    },
    "heat": {
        "mistaken unit": {"conditions": {"box_top": {"heat": {"ambient": "20 K"}}}},
        "same properties over a wide span": {
            "conditions": {"box_top": {"heat": {"ambient": "500 K"}}}
        },
        "nothing rises": {"conditions": {"inlet": {"flow": {"speed": "0.1 mm/s"}}}},
        "unlikely Prandtl number": {"phenomena": {"heat": {"conductivity": "1e-6 W/(m K)"}}},
        "every wall lagged": {"conditions": {"box_top": None, "box_bottom": None, "space": None}},
        "nowhere to settle": {
            "stages": {"go": {"mode": "steady"}},
            "conditions": {"box_top": None, "outlet": {"heat": {"kind": "lagged"}}},
        },
        "two densities": {"phenomena": {"heat": {"density": "900 kg/m3"}}},
        "solid to heat only": {
            "conditions": {
                "space": {
                    "heat": {
                        "kind": "solid",
                        "conductivity": "1 W/(m K)",
                        "density": "1000 kg/m3",
                        "heat_capacity": "500 J/(kg K)",
                        "source": None,
                    }
                }
            }
        },
        "carried through a closed edge": {
            "conditions": {"box_left": {"heat": {"kind": "carried in", "value": "300 K"}}}
        },
        "below absolute zero": {"conditions": {"box_top": {"heat": {"ambient": "-5 K"}}}},
        "contact hardly felt": {
            "vessel": {"parts": {"far": {**BOX, "does": "zone", "x": "24 mm", "width": "16 mm"}}},
            "conditions": {"space-far": {"heat": {"kind": "contact", "film": "1e9 W/(m2 K)"}}},
        },
        "no time to cross": {
            "phenomena": {"flow": None},
            "stages": {"go": {"solve": ["heat"]}},
            "conditions": {"inlet": {"heat": {"kind": "lagged", "value": None}}},
        },
    },
    "swirl": {
        "no axis": {"dimension": "plane"},
        "two streams": {"phenomena": {"swirl": {"density": "900 kg/m3"}}},
        "nothing turns": {
            "conditions": {"inlet": {"swirl": {"value": "0 1/s"}}, "box_right": None}
        },
    },
    "mixture": {
        "composition does not sum to one": {
            "conditions": {"inlet": {"mixture.smoke": {"value": "0.95"}}}
        },
        **burning.TRIPS,
        "two densities": {"phenomena": {"mixture": {"density": "900 kg/m3"}}},
        "two heat capacities": {"phenomena": {"heat": {"heat_capacity": "3900 J/(kg K)"}}},
        "stream unaware of its mixture": {
            "phenomena": {"mixture": {"members": {n: {"gas": g} for n, g in GASES}}}
        },
        "gas does not feel the heat": {
            "phenomena": {"mixture": {"members": {n: {"gas": g} for n, g in GASES}}}
        },
    },
    "scalar": {
        "goes nowhere": {
            "phenomena": {"scalar": {"members": {"age": {"spread": "0 m2/s", "carried": "0"}}}},
            "conditions": {"space": None},
        }
    },
    "buoyancy": {
        "density changes too much": {"phenomena": {"buoyancy": {"expansion": "0.02 1/K"}}}
    },
    "warmth": {"nowhere to go": {"conditions": {"box_top": None}}},
    "brew": {
        "nothing brews": {
            "phenomena": {
                "brew": {"reactions": {"malt": {"heat": "0 W/m3"}, "hops": None}, "pairs": None}
            }
        }
    },
    "grains": {
        "no grain goes along": {
            "phenomena": {"grains": {"pairs": {f"water-{g}": {"drag": 0} for g in ("sand", "mud")}}}
        }
    },
    "tint": {"no colour": {"conditions": {"inlet": {"tint": None}}}},
    "coat": {},
    "paste": {},
    "gate": {
        "never moves": {"stages": {"go": {"mode": "steady", "until": None, "frame_every": None}}}
    },
    "grille": {"does nothing": {"conditions": {"cloth": None}}},
    "fines": {"never released": {"conditions": {"inlet": {"fines": None}}}},
    "liquids": {"both alike": {"phenomena": {"liquids": {"light": "1100 kg/m3"}}}},
    "plates": {
        "fixed nowhere": {"conditions": {"box_left": None, "inlet": None, "box_right": None}}
    },
}
