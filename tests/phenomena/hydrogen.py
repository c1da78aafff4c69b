"""A small hydrogen cell between two channels, and what makes each of its audit rules speak."""

ME = "hydrogen_cell"


def slab(x, width, **more):
    return {
        "shape": "rectangle",
        "does": "zone",
        "x": x,
        "y": "0 mm",
        "width": width,
        "height": "4 mm",
        **more,
    }


def does(kind, **values):
    return {ME: {"kind": kind, **values}}


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
                "width": "1 mm",
                "height": "4 mm",
                "edges": {
                    "left": "fuel_plate",
                    "right": "air_plate",
                    "top": "far",
                    "bottom": "near",
                },
            },
            "fuel_channel": slab("0 mm", "0.2 mm"),
            "fuel_layer": slab("0.2 mm", "0.2 mm"),
            "fuel_coat": slab("0.4 mm", "0.04 mm"),
            "air_coat": slab("0.5 mm", "0.06 mm"),
            "air_layer": slab("0.56 mm", "0.24 mm"),
            "air_channel": slab("0.8 mm", "0.2 mm"),
        },
        "nozzles": {
            "fuel_in": {"part": "cell", "side": "bottom", "at": "0.1 mm", "bore": "0.2 mm"},
            "fuel_out": {"part": "cell", "side": "top", "at": "0.1 mm", "bore": "0.2 mm"},
            "air_in": {"part": "cell", "side": "top", "at": "0.9 mm", "bore": "0.2 mm"},
            "air_out": {"part": "cell", "side": "bottom", "at": "0.9 mm", "bore": "0.2 mm"},
        },
    },
    "grid": {
        "size": "1 mm",
        "refine": {
            "gas": {"box": ["0 mm", "0 mm", "1 mm", "4 mm"], "size": "0.1 mm", "axis": "x"},
            "wet": {"box": ["0.4 mm", "0 mm", "0.56 mm", "4 mm"], "size": "0.01 mm", "axis": "x"},
        },
    },
    "phenomena": {ME: {}},
    "conditions": {
        "space": does("membrane"),
        "fuel_channel": does("a channel", width="0.2 mm", conducts="1e4 S/m"),
        "air_channel": does("a channel", width="0.2 mm", conducts="1e4 S/m"),
        "fuel_layer": does("a porous layer"),
        "air_layer": does("a porous layer", passes="0.4"),
        "fuel_coat": does("fuel catalyst"),
        "air_coat": does("air catalyst"),
        "fuel_plate": does("held", value="0 V"),
        "air_plate": does("held", value="0.6 V", contact="1 mohm cm2"),
        "fuel_in": does("fuel fed"),
        "air_in": does("air fed", times="2.5"),
        "fuel_out": does("gas leaves"),
        "air_out": does("gas leaves"),
        "air_layer-air_channel": does("contact", resistance="2 mohm cm2"),
    },
    "stages": {"go": {"solve": [ME], "mode": "transient", "until": "2 s"}},
    "readouts": {
        "current": {
            "kind": "through",
            "quantity": "cell_charge",
            "place": "air_plate",
            "counts": "out",
        },
        "voltage": {"kind": "on", "field": "cell_terminal", "place": "air_plate"},
        "balance": {"kind": "on", "field": "cell_reversible", "place": "air_plate"},
        **{
            cause: {"kind": "on", "field": f"lost_to_{cause}", "place": "air_plate"}
            for cause in ("oxygen", "hydrogen", "protons", "electrons", "supply")
        },
        "used": {"kind": "on", "field": "cell_used", "place": "fuel_in"},
        "heat": {"kind": "total", "field": "cell_heat", "place": "air_coat"},
    },
}

_BRIDGE = {
    "vessel": {"parts": {"bridge": slab("0.4 mm", "0.16 mm", y="3 mm", height="1 mm")}},
    "conditions": {"bridge": does("a porous layer")},
}

TRIPS = {
    "part of a cell missing": {"conditions": {"air_coat": None}},
    "cell joined wrongly": _BRIDGE,
    "cell without gas": {"conditions": {"air_in": None, "air_out": None}},
    "cell without terminals": {"conditions": {"fuel_plate": None}},
    "fed less than is used": {"conditions": {"fuel_in": {ME: {"times": "0.9"}}}},
    "more vapour than gas holds": {"conditions": {"air_in": {ME: {"humidity": "1.2"}}}},
    "more current than gas": {
        "conditions": {
            "air_plate": {ME: {"kind": "draws per area", "density": "4 A/cm2", "value": None}}
        }
    },
    "membrane out of its range": {"phenomena": {ME: {"temperature": "130 degC"}}},
    "few cells across a cell's parts": {"grid": {"refine": {"wet": {"size": "0.03 mm"}}}},
    "cell that warms nothing": {
        "phenomena": {
            "heat": {
                "density": "2000 kg/m3",
                "heat_capacity": "1000 J/(kg K)",
                "conductivity": "20 W/(m K)",
            }
        },
        "stages": {"go": {"solve": [ME, "heat"]}},
    },
}
