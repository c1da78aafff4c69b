"""A small duct into which gas and air flow and burn, and what makes each of its audit rules speak."""

from tests.phenomena.vessels import box, nozzles

BURNER = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {"parts": {"box": box()}, "nozzles": nozzles("20 mm")},
    "grid": {"size": "1.25 mm"},
    "phenomena": {
        "flow": {"density": "burnt_density", "viscosity": "burnt_viscosity"},
        "flame": {
            "fuel": "0.3 CO + 0.1 H2 + 0.6 N2",
            "radiates": True,
            "nitric_oxide": True,
        },
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "mass_flow": "5 g/s"},
            "flame": {"kind": "carried in", "value": "0.5 + y/(40 mm)", "unmixed": "0.1"},
        },
        "outlet": {"flow": {"kind": "outflow"}},
    },
    "start": {"space": {"flame": {"value": "0.75"}}},
    "stages": {
        "go": {
            "solve": ["flow", "flame"],
            "mode": "transient",
            "until": "5 ms",
        }
    },
}
_PLAIN = {"flow": {"density": "1 kg/m3", "viscosity": "30 uPa s"}}
TRIPS = {
    "two that do not burn": {"phenomena": {"flame": {"oxidiser": "N2"}}},
    "share of fuel that cannot be": {"conditions": {"inlet": {"flame": {"value": "1.5"}}}},
    "fuel or air missing": {
        "conditions": {"inlet": {"flame": {"value": "0"}}},
        "start": {"space": {"flame": {"value": "0"}}},
    },
    "stream does not feel the flame": {"phenomena": _PLAIN},
    "flame of one density": {"phenomena": {**_PLAIN, "flame": {"density": "2 kg/m3"}}},
    "two temperatures": {
        "phenomena": {
            "heat": {
                "density": "1 kg/m3",
                "heat_capacity": "1100 J/(kg K)",
                "conductivity": "50 mW/(m K)",
            }
        },
        "conditions": {"inlet": {"heat": {"kind": "carried in", "value": "300 K"}}},
        "stages": {"go": {"solve": ["flow", "flame", "heat"]}},
    },
    "rich side of a flame": {"phenomena": {"flame": {"fuel": "CH4"}}},
    "NO in a flame that loses nothing": {"phenomena": {"flame": {"radiates": False}}},
}
