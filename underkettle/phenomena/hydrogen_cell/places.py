"""What edges and zones of a hydrogen cell do."""

from __future__ import annotations

from dataclasses import replace

from underkettle.engine.contract import Condition, Param
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR_CATALYST,
    AIR_FED,
    AIR_HERE,
    CHANNEL,
    CLOSED,
    COLLECTOR,
    DRAWS,
    DRAWS_PER,
    FUEL_CATALYST,
    FUEL_FED,
    FUEL_HERE,
    HELD,
    LAYER,
    LEAVES,
    MEMBRANE,
)

_CONTACT = Param(
    "contact",
    "area resistance",
    default="0 ohm m2",
    label="resistance of the contact times area",
    why="the solid touches the edge without a gap unless said",
    least=0.0,
)
_DRY = Param("dry", "number", "formula", label="share of hydrogen in dry gas", above=0.0, most=1.0)
_FUEL = replace(_DRY, default="1", why="hydrogen alone unless said")
_AIR = replace(_DRY, label="share of oxygen in dry gas", default="0.2095", why="dry air")
_HUMID = Param(
    "humidity",
    "number",
    "formula",
    label="humidity, of saturation at the cell's temperature",
    default="0.5",
    why="half of what it could hold (common practice)",
    least=0.0,
    live=True,
)
_TIMES = Param(
    "times",
    "number",
    "formula",
    label="fed, times what is used at that current",
    default="1.5",
    why="half more than is used (common practice)",
    above=0.0,
    live=True,
)
_AT = Param(
    "at",
    "current density",
    "formula",
    label="at a current density of",
    default="1e4 A/m2",
    why="1 A/cm2, a cell under load",
    above=0.0,
    live=True,
)
_CONDUCTS = Param("conducts", "conductivity", label="conductivity of its solid", above=0.0)
_POROSITY = Param("porosity", label="share of it that gas fills", above=0.0, most=1.0)
_PASSES = Param(
    "passes",
    label="share of its free spreading that gas keeps",
    optional=True,
    why="porosity^1.5 (Bruggeman 1935)",
    above=0.0,
    most=1.0,
)
_PERMEABILITY = Param("permeability", "area", label="permeability", above=0.0)
_CATALYST = (
    replace(_CONDUCTS, default="300 S/m", why="carbon powder, pressed (common practice)"),
    replace(_POROSITY, default="0.3", why="a coat as thin as its grains (common practice)"),
    _PASSES,
    replace(_PERMEABILITY, default="1e-13 m2", why="pores of a micrometre (common practice)"),
    Param(
        "ionomer",
        label="share of it that ionomer fills",
        default="0.3",
        why="as much as gas (common practice)",
        above=0.0,
        most=1.0,
    ),
)
_EXCHANGE = Param(
    "exchange",
    "current source",
    label="exchange current in its volume, at 1 atm of gas",
    above=0.0,
)


def _current(name: str, dimension: str, label: str) -> Param:
    return Param(name, dimension, "formula", label=label, live=True, law="old")


CONDITIONS = (
    Condition(CLOSED, "edge", "nothing passes", label="closed", tex="N=0,\\ i=0"),
    Condition(
        HELD,
        "edge",
        "held at {value}",
        (_current("value", "voltage", "potential"), _CONTACT),
        label="its solid is held at a potential",
        tex=r"\varphi_s=<value>",
    ),
    Condition(
        DRAWS,
        "edge",
        "draws {current}",
        (_current("current", "current", "current out of the vessel"), _CONTACT),
        label="draws a current from its solid, at one potential",
        tex=r"\textstyle\int i\,dA=<current>",
    ),
    Condition(
        DRAWS_PER,
        "edge",
        "draws {density} of the membrane",
        (
            _current("density", "current density", "current over the membrane's area"),
            _CONTACT,
        ),
        label="draws a current per area of membrane, at one potential",
        tex=r"\textstyle\int i\,dA=<density>\,A_m",
    ),
    Condition(
        FUEL_FED,
        "edge",
        "fuel, {times} times what {at} uses",
        (_TIMES, _AT, _FUEL, _HUMID),
        label="fuel is fed, by what a current uses",
        tex=r"N=<times>\,<at>\,A_m/(2Fx)",
    ),
    Condition(
        AIR_FED,
        "edge",
        "air, {times} times what {at} uses",
        (
            replace(_TIMES, default="2", why="twice what is used (common practice)"),
            _AT,
            _AIR,
            _HUMID,
        ),
        label="air is fed, by what a current uses",
        tex=r"N=<times>\,<at>\,A_m/(4Fx)",
    ),
    Condition(LEAVES, "edge", "gas leaves", label="gas leaves", tex="p=0"),
    Condition(
        FUEL_HERE,
        "edge",
        "open to fuel, {humidity} humid",
        (_FUEL, _HUMID),
        label="open to as much fuel as is wanted",
        tex=r"x=<dry>\,(1-x_w)",
    ),
    Condition(
        AIR_HERE,
        "edge",
        "open to air, {humidity} humid",
        (_AIR, _HUMID),
        label="open to as much air as is wanted",
        tex=r"x=<dry>\,(1-x_w)",
    ),
    Condition(
        CHANNEL,
        "zone",
        "a channel {width} wide",
        (
            Param("width", "length", label="gap that gas streams through", above=0.0),
            replace(
                _CONDUCTS,
                optional=True,
                label="conductivity of ribs beside it",
                why="gas does not conduct; ribs beside it may, where the sheet lies along them",
            ),
        ),
        label="a channel that gas streams through",
        tex=r"K=<width>^2/12",
    ),
    Condition(
        LAYER,
        "zone",
        "porous, {porosity} open",
        (
            replace(_POROSITY, default="0.7", why="carbon paper (common practice)"),
            replace(
                _CONDUCTS, default="1000 S/m", why="carbon paper, through it (common practice)"
            ),
            _PASSES,
            replace(_PERMEABILITY, default="1e-12 m2", why="carbon paper (common practice)"),
        ),
        label="a porous layer that gas and electrons pass",
        tex=r"\varepsilon=<porosity>,\ \sigma=<conducts>",
    ),
    Condition(
        FUEL_CATALYST,
        "zone",
        "fuel reacts, {exchange}",
        (
            replace(_EXCHANGE, default="1e9 A/m3", why="fast beside all else (common practice)"),
            *_CATALYST,
        ),
        label="a catalyst where hydrogen gives its electrons",
        tex=r"i_0=<exchange>",
    ),
    Condition(
        AIR_CATALYST,
        "zone",
        "air reacts, {exchange}",
        (
            replace(
                _EXCHANGE,
                default="4000 A/m3",
                why="platinum on carbon, with a transfer coefficient of one (tried out: a middling "
                "cell)",
            ),
            *_CATALYST,
        ),
        label="a catalyst where oxygen takes electrons",
        tex=r"i_0=<exchange>",
    ),
    Condition(MEMBRANE, "zone", "membrane", label="a membrane", tex=r"\sigma(\lambda)"),
    Condition(
        COLLECTOR,
        "zone",
        "conducts {conducts}",
        (
            replace(
                _CONDUCTS,
                label="conductivity",
                default="2e4 S/m",
                why="graphite and resin (common practice)",
            ),
        ),
        label="a collector that only electrons pass",
        tex=r"\sigma=<conducts>",
    ),
    Condition("not here", "zone", "not here", label="is not here", tex="N=0,\\ i=0"),
    Condition("joined", "between", "joined", label="joined without a gap", tex=r"[\varphi_s]=0"),
    Condition(
        "contact",
        "between",
        "contact of {resistance}",
        (
            Param(
                "resistance",
                "area resistance",
                "formula",
                label="resistance times area, for electrons",
                above=0.0,
            ),
        ),
        label="contact with a resistance",
        tex=r"i=[\varphi_s]/<resistance>",
    ),
)
