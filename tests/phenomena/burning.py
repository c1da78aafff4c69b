"""A small duct of gas that keeps account of its heat as it burns; what makes its rules speak."""

from tests.phenomena.vessels import box, nozzles
from underkettle.case.solve import build_solvers
from underkettle.engine.marching.state import State

SHARES = {"CO": "0.06", "O2": "0.2", "CO2": "0.02"}
BURNING = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {"parts": {"box": box()}, "nozzles": nozzles("20 mm")},
    "grid": {"size": "1.25 mm"},
    "phenomena": {
        "flow": {"density": "gas_density", "viscosity": "gas_viscosity"},
        "mixture": {
            "density": "0.35 kg/m3",
            "rest": "N2",
            "rest_gas": "N2",
            "own_heat": True,
            "members": {
                "CO": {"diffusivity": "1.2*heat_spreading/gas_density", "gas": "CO"},
                "O2": {"diffusivity": "2 cm2/s", "gas": "O2"},
                "CO2": {"diffusivity": "1.4 cm2/s", "gas": "CO2"},
            },
        },
        "reactions": {
            "reactions": {
                "burning": {
                    "written": "CO + 0.5 O2 -> CO2",
                    "constant": "2e6 (m3/mol)^0.5/s",
                    "activation": "120 kJ/mol",
                }
            }
        },
    },
    "conditions": {
        "inlet": {
            "flow": {"kind": "inflow", "mass_flow": "2 g/s"},
            **{f"mixture.{n}": {"kind": "carried in", "value": v} for n, v in SHARES.items()},
            "mixture.heat": {"kind": "enters warm", "value": "900 K + 200 K*y/(20 mm)"},
        },
        "outlet": {"flow": {"kind": "outflow"}},
        "box_top": {
            "mixture.heat": {"kind": "heat film", "film": "40 W/(m2 K)", "ambient": "400 K"}
        },
        "box_bottom": {"mixture.heat": {"kind": "held temperature", "value": "800 K"}},
        "space": {"mixture.heat": {"kind": "heat made", "source": "50 kW/m3"}},
    },
    "start": {
        "space": {
            **{f"mixture.{n}": {"value": v} for n, v in SHARES.items()},
            "mixture.heat": {"value": "1000 K"},
        }
    },
    "stages": {
        "go": {"solve": ["flow", "mixture", "reactions"], "mode": "transient", "until": "5 ms"}
    },
}
# what turns a mixture of vapour and smoke that heat warms into one that keeps account itself
OWN = {
    "phenomena": {
        "heat": None,
        "mixture": {
            "own_heat": True,
            "members": {"vapour": {"gas": "H2O"}, "smoke": {"gas": "N2 + CO2"}},
        },
    },
    "conditions": {
        "inlet": {"heat": None, "mixture.heat": {"kind": "enters warm", "value": "500 K"}}
    },
    "stages": {"go": {"solve": ["flow", "mixture"]}},
}
_REACTS = {
    "written": "vapour -> vapour",
    "constant": "1 1/s",
    "heat": "1 kJ/mol",
}
TRIPS = {
    "heat of what is not told": {"phenomena": {"mixture": {"own_heat": True}}},
    "matter without its heat": OWN,
    "temperature outside the fits": {
        **OWN,
        "conditions": {
            "inlet": {"heat": None, "mixture.heat": {"kind": "enters warm", "value": "7000 K"}}
        },
    },
    "flame that nothing lights": {
        **OWN,
        "phenomena": {**OWN["phenomena"], "reactions": {"reactions": {"turning": _REACTS}}},
        "stages": {
            "go": {"solve": ["flow", "mixture", "reactions"], "mode": "steady", "until": None}
        },
    },
}


def started(case):
    """Solvers of a case and the state that they begin with."""
    solvers, state = build_solvers(case), State()
    for solver in solvers.values():
        solver.start(state)
    return solvers, state
