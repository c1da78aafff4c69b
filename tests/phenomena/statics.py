"""A rod with a charge between a plate and an earth, and what makes its audit rules speak."""

BOX = {
    "format": "under-kettle case 1",
    "name": "small",
    "vessel": {
        "depth": "100 mm",
        "parts": {
            "box": {
                "shape": "rectangle",
                "x": "0 mm",
                "y": "0 mm",
                "width": "20 mm",
                "height": "10 mm",
            },
            "glass": {
                "shape": "rectangle",
                "does": "zone",
                "x": "14 mm",
                "y": "0 mm",
                "width": "6 mm",
                "height": "10 mm",
            },
            "rod": {"shape": "circle", "does": "cut", "x": "7 mm", "y": "5 mm", "radius": "2 mm"},
        },
    },
    "grid": {"size": "1 mm"},
    "phenomena": {"electrostatics": {}},
    "conditions": {
        "box_left": {"electrostatics": {"kind": "held", "value": "0 V"}},
        "box_right": {"electrostatics": {"kind": "held", "value": "1 kV"}},
        "box_top": {"electrostatics": {"kind": "charged", "surface": "1e-7 C/m2"}},
        "rod": {"electrostatics": {"kind": "floats", "charge": "1 nC"}},
        "glass": {
            "electrostatics": {"kind": "other matter", "permittivity": "5", "density": "1e-5 C/m3"}
        },
    },
    "stages": {"go": {"solve": ["electrostatics"], "mode": "transient", "until": "1 s"}},
    "readouts": {
        "on_rod": {"kind": "through", "quantity": "electric_flux", "place": "rod", "counts": "in"},
        "floats_at": {"kind": "on", "field": "conductor_potential", "place": "rod"},
        "energy": {"kind": "total", "field": "field_energy", "place": "space"},
    },
}

TRIPS = {
    "electric potential fixed nowhere": {
        "conditions": {
            e: {"electrostatics": {"kind": "no field", "value": None}}
            for e in ("box_left", "box_right")
        }
    },
    "no field at all": {
        "conditions": {
            "box_right": {"electrostatics": {"value": "0 V"}},
            "box_top": {"electrostatics": None},
            "rod": {"electrostatics": None},
            "glass": {"electrostatics": None},
        }
    },
    "field that air does not stand": {
        "conditions": {"box_right": {"electrostatics": {"value": "100 kV"}}}
    },
}
