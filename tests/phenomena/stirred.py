"""A small duct that turbulence is solved in, and what makes each of its audit rules speak."""

from tests.phenomena.vessels import box, nozzles

DUCT = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {
        "parts": {
            "box": box(),
            "spoke": {
                "shape": "circle",
                "does": "cut",
                "x": "15 mm",
                "y": "9 mm",
                "radius": "2 mm",
            },
        },
        "nozzles": nozzles("20 mm"),
    },
    "grid": {"size": "1 mm"},
    "phenomena": {
        "flow": {"density": "1.2 kg/m3", "viscosity": "18 uPa s"},
        "turbulence": {},
        "heat": {
            "density": "1.2 kg/m3",
            "heat_capacity": "1000 J/(kg K)",
            "conductivity": "26 mW/(m K)",
        },
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "speed": "6 m/s"},
            "heat": {"kind": "carried in", "value": "300 K"},
        },
        "outlet": {"flow": {"kind": "outflow"}},
        "box_top": {
            "turbulence": {"kind": "rough wall", "grain": "0.1 mm"},
            "heat": {"kind": "held temperature", "value": "350 K"},
        },
        "spoke": {"heat": {"kind": "film", "film": "200 W/(m2 K)", "ambient": "350 K"}},
    },
    "stages": {
        "go": {"solve": ["flow", "turbulence", "heat"], "mode": "transient", "until": "2 ms"}
    },
}

TRIPS = {
    "hardly turbulent": {"conditions": {"inlet": {"flow": {"speed": "1 m/s"}}}},
    "first cell": {"conditions": {"inlet": {"flow": {"speed": "300 m/s"}}}},
    "k-epsilon near walls": {"phenomena": {"turbulence": {"model": "k-epsilon"}}},
    "nothing stirs": {
        "conditions": {
            "inlet": {"flow": {"kind": "outflow", "speed": None}, "heat": None},
        }
    },
    "coarse grains": {"conditions": {"box_top": {"turbulence": {"grain": "3 mm"}}}},
    "solids": {
        "vessel": {"parts": {"spoke": {"does": "zone"}}},
        "conditions": {
            "spoke": {
                "flow": {"kind": "solid"},
                "heat": {
                    "kind": "solid",
                    "conductivity": "1 W/(m K)",
                    "density": "2000 kg/m3",
                    "heat_capacity": "800 J/(kg K)",
                    "film": None,
                    "ambient": None,
                },
            }
        },
    },
}
