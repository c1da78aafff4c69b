"""A small duct of hot gas that radiates to its walls, and what makes each of its audit rules speak."""

from tests.phenomena.vessels import box, nozzles

DUCT = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {"parts": {"box": box()}, "nozzles": nozzles("20 mm")},
    "grid": {"size": "2 mm"},
    "phenomena": {
        "flow": {"density": "0.3 kg/m3", "viscosity": "50 uPa s"},
        "heat": {
            "density": "0.3 kg/m3",
            "heat_capacity": "1200 J/(kg K)",
            "conductivity": "80 mW/(m K)",
        },
        "radiation": {"absorption": "20 1/m"},
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "speed": "0.5 m/s"},
            "heat": {"kind": "carried in", "value": "1300 K"},
        },
        "outlet": {"flow": {"kind": "outflow"}},
        "box_top": {
            "heat": {"kind": "held temperature", "value": "600 K"},
            "radiation": {"kind": "wall", "temperature": "600 K", "emissivity": 0.7},
        },
        "box_bottom": {"heat": {"kind": "held temperature", "value": "600 K"}},
    },
    "start": {"space": {"heat": {"value": "1300 K"}}},
    "stages": {
        "go": {"solve": ["flow", "heat", "radiation"], "mode": "transient", "until": "0.1 s"}
    },
}

TRIPS = {
    "nothing absorbs": {"phenomena": {"radiation": {"absorption": "0 1/m"}}},
    "thin to radiation": {"phenomena": {"radiation": {"absorption": "2 1/m"}}},
    "no wall takes radiation": {
        "conditions": {
            e: {"radiation": {"kind": "sends back", "temperature": None, "emissivity": None}}
            for e in ("inlet", "outlet", "box_top", "box_bottom")
        }
    },
    "a wall of two temperatures": {
        "conditions": {"box_top": {"radiation": {"temperature": "700 K"}}}
    },
    "nothing is hot": {
        "conditions": {
            "inlet": {"heat": {"value": "400 K"}},
            "box_top": {"heat": {"value": "350 K"}, "radiation": {"temperature": "350 K"}},
            "box_bottom": {"heat": {"value": "350 K"}},
        },
        "start": {"space": {"heat": {"value": "400 K"}}},
    },
    "radiation outside its range": {
        "phenomena": {"species": {"members": {"CO2": {"diffusivity": "2e-4 m2/s"}}}},
        "conditions": {
            "inlet": {
                "heat": {"value": "2600 K"},
                "species.CO2": {"kind": "carried in", "value": "1 mol/m3"},
            }
        },
        "stages": {"go": {"solve": ["flow", "heat", "species", "radiation"]}},
    },
}
