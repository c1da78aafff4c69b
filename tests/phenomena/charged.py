"""A small cell that is swept, reacts on one wall and charges in pores, and what makes each of its audit
rules speak.
"""

from tests.phenomena import batteries

CELL = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {
        "depth": "10 mm",
        "parts": {
            "cell": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "0.6 mm",
                "height": "0.4 mm",
                "edges": {"left": "earthed", "right": "driven", "top": "side", "bottom": "side"},
            },
            "felt": {
                "shape": "rectangle",
                "does": "zone",
                "x": "0.4 mm",
                "y": "0 mm",
                "width": "0.2 mm",
                "height": "0.4 mm",
            },
        },
    },
    "grid": {"size": "0.05 mm"},
    "phenomena": {
        "charge": {
            "members": {
                "carbon": {"conductivity": "50 S/m"},
                "salt": {"conductivity": "5 S/m", "conductivity_y": "2 S/m"},
            },
            "passages": {
                "layer": {
                    "law": "as a resistance",
                    "resistance": "0.1 ohm m2",
                    "capacity": "0.1 F/m2",
                },
                "reaction": {
                    "law": "Butler-Volmer",
                    "exchange": "20 A/m2",
                    "capacity": "0.2 F/m2",
                    "balanced": "0.1 V",
                },
            },
        }
    },
    "conditions": {
        "earthed": {
            "charge.salt": {"kind": "held", "value": "0 V"},
            "charge.reaction": {"kind": "on the wall"},
        },
        "driven": {
            "charge.carbon": {
                "kind": "swept",
                "low": "0 V",
                "high": "0.2 V",
                "rate": "1 V/s",
                "begins": "0.05 V",
            }
        },
        "space": {"charge.carbon": {"kind": "not here"}},
        "felt": {
            "charge.carbon": {"kind": "conducts"},
            "charge.salt": {"kind": "conducts otherwise", "along": "2 S/m"},
            "charge.layer": {"kind": "in pores", "area": "1e6 1/m"},
        },
        "space-felt": {
            "charge.salt": {"kind": "contact", "resistance": "0.01 mohm m2"},
            "charge.reaction": {"kind": "where they meet", "share": "2"},
        },
    },
    "start": {"felt": {"charge.layer": {"value": "0.01 V"}}},
    "stages": {"go": {"solve": ["charge"], "mode": "transient", "until": "0.5 s"}},
    "readouts": {
        "current": {"kind": "through", "quantity": "carbon", "place": "driven", "counts": "in"},
        "passed": {"kind": "through", "quantity": "salt", "place": "earthed"},
        "voltage": {"kind": "on", "field": "carbon_terminal", "place": "driven"},
    },
}

_REST = {"go": {"mode": "steady", "until": None}}

TRIPS = {
    "potential fixed nowhere": {
        "conditions": {
            "driven": {"charge.carbon": None},
            "earthed": {"charge.salt": {"kind": "floats", "value": None}},
        }
    },
    "conductor or surface nowhere": {
        "conditions": {"felt": {"charge.layer": None}, "earthed": {"charge.reaction": None}}
    },
    "surface where no two conductors meet": {
        "conditions": {"felt": {"charge.carbon": {"kind": "not here"}}}
    },
    "surface leads nowhere": {"phenomena": {"charge": {"passages": {"layer": {"into": "brine"}}}}},
    "surface in pores of one conductor": {
        "conditions": {"space": {"charge.layer": {"kind": "in pores", "area": "1e6 1/m"}}}
    },
    "surface on a wall without potential": {
        "conditions": {"side": {"charge.reaction": {"kind": "on the wall"}}}
    },
    "surface without its number": {
        "phenomena": {"charge": {"passages": {"reaction": {"exchange": None}}}}
    },
    "turned by nobody's account": {
        "phenomena": {"charge": {"passages": {"reaction": {"reduced": "ferro"}}}}
    },
    "taken up by nobody's account": {
        "phenomena": {"charge": {"passages": {"layer": {"takes": "ghost"}}}}
    },
    "sweep that is none": {"conditions": {"driven": {"charge.carbon": {"low": "0.5 V"}}}},
    "cycles that are none": {
        "conditions": {
            "driven": {
                "charge.carbon": {
                    "kind": "cycled",
                    "current": "1 mA",
                    "low": "0.3 V",
                    "rate": None,
                    "begins": None,
                }
            }
        }
    },
    "sweep cut short": {"stages": {"go": {"until": "0.3 s"}}},
    "swing that nobody sees": {"phenomena": {"charge": {"swings": "driven", "frequency": "2 1/s"}}},
    "swing that is not told": {"phenomena": {"charge": {"swings": "driven"}}},
    "current that warms nothing": {
        "phenomena": {
            "heat": {
                "density": "1000 kg/m3",
                "heat_capacity": "4000 J/(kg K)",
                "conductivity": "1 W/(m K)",
            }
        },
        "stages": {"go": {"solve": ["charge", "heat"]}},
    },
    "charged only, at rest": {
        "phenomena": {"charge": {"passages": {"layer": {"law": "charging only"}}}},
        "stages": _REST,
    },
    **batteries.TRIPS,
}
