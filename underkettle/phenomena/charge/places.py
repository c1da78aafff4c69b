"""What places do for conductors, and for the surfaces where current passes from one to another."""

from __future__ import annotations

from dataclasses import replace

from underkettle.engine.contract import Applied, Condition, Param
from underkettle.phenomena.charge.sweeping import applied

CONDUCTOR, PASSAGE = "conductor", "passage"
_POTENTIAL = Param("value", "voltage", "formula", label="potential", live=True, law="old")
_RESISTANCE = Param(
    "resistance",
    "area resistance",
    "formula",
    label="resistance times area",
    live=True,
    above=0.0,
    law="old",
)
_CURRENT = Param(
    "current", "current", "formula", label="current into the vessel", live=True, law="old"
)

_OF_CONDUCTORS = (
    Condition(
        "insulated",
        "edge",
        "no current passes",
        label="insulated",
        tex=r"\kappa\,\partial\varphi/\partial n=0",
    ),
    Condition(
        "held",
        "edge",
        "held at {value}",
        (_POTENTIAL,),
        label="held at a potential",
        tex=r"\varphi=<value>",
    ),
    Condition(
        "swept",
        "edge",
        "swept from {low} to {high} and back at {rate}",
        (
            Param("low", "voltage", label="low end"),
            Param("high", "voltage", label="high end"),
            Param("rate", "voltage per time", label="rate", above=0.0),
            Param(
                "begins",
                "voltage",
                label="begins at",
                optional=True,
                why="the low end, going up",
            ),
        ),
        label="swept up and down",
        applies=Applied("voltage", applied),
        tex=r"\varphi=<low>\ldots<high>,\ |\dot\varphi|=<rate>",
    ),
    Condition(
        "carries",
        "edge",
        "carries {current} in",
        (_CURRENT,),
        label="carries a current in all, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=<current>,\ \varphi=\varphi_e",
    ),
    Condition(
        "cycled",
        "edge",
        "{current} in up to {high}, out down to {low}",
        (
            replace(_CURRENT, label="current, in and out", above=0.0),
            Param("low", "voltage", label="down to"),
            Param("high", "voltage", label="up to"),
        ),
        label="cycled at a current, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=\pm<current>,\ "
        r"<low>\le\varphi_e\le<high>",
    ),
    Condition(
        "through a load",
        "edge",
        "{load} before {value}",
        (
            Param(
                "load",
                "electric resistance",
                "formula",
                label="resistance of the load",
                live=True,
                above=0.0,
                law="old",
            ),
            replace(
                _POTENTIAL,
                label="potential beyond it",
                default="0 V",
                why="the load is joined to what is held at 0 V",
            ),
        ),
        label="through a load, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=(<value>-\varphi_e)/<load>",
    ),
    Condition(
        "floats",
        "edge",
        "floats at one potential",
        label="floats: one potential, no current in all",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=0,\ \varphi=\varphi_e",
    ),
    Condition(
        "current density",
        "edge",
        "{flux} in",
        (
            Param(
                "flux",
                "current density",
                "formula",
                label="current density into the vessel",
                live=True,
                law="old",
            ),
        ),
        label="given current density",
        tex=r"\kappa\,\partial\varphi/\partial n=<flux>",
    ),
    Condition(
        "through a resistance",
        "edge",
        "{resistance} before {value}",
        (
            _RESISTANCE,
            _POTENTIAL,
        ),
        label="held behind a resistance",
        tex=r"\kappa\,\partial\varphi/\partial n=(<value>-\varphi)/<resistance>",
    ),
    Condition("conducts", "zone", "conducts", label="conducts", tex=r"\kappa"),
    Condition(
        "conducts otherwise",
        "zone",
        "conducts {along}",
        (
            Param(
                "along",
                "conductivity",
                "formula",
                label="conductivity",
                above=0.0,
                law="old",
            ),
            Param(
                "across",
                "conductivity",
                "formula",
                label="conductivity in y",
                optional=True,
                above=0.0,
                law="old",
                why="the same in every direction unless given",
            ),
        ),
        label="conducts otherwise here",
        tex=r"\kappa=<along>",
    ),
    Condition("not here", "zone", "not here", label="is not here", tex=r"\kappa=0"),
    Condition("joined", "between", "joined", label="joined without a gap", tex=r"[\varphi]=0"),
    Condition(
        "contact",
        "between",
        "contact of {resistance}",
        (_RESISTANCE,),
        label="contact with a resistance",
        tex=r"\kappa\,\partial\varphi/\partial n=[\varphi]/<resistance>",
    ),
)
_OF_PASSAGES = (
    Condition("none", "edge", "nothing passes", label="not on this wall", tex="i=0"),
    Condition(
        "on the wall",
        "edge",
        "on the wall, {share} times",
        (
            Param(
                "share",
                "number",
                "formula",
                default="1",
                label="surface, over the wall's own, times",
                why="a smooth wall",
                above=0.0,
            ),
        ),
        label="on the wall, between its potential and what conducts before it",
        tex=r"-\kappa\,\partial\varphi/\partial n=-<share>\,i(\varphi_e-\varphi)",
    ),
    Condition("nowhere", "zone", "not here", label="not here", tex="i=0"),
    Condition(
        "in pores",
        "zone",
        "on {area} of surface",
        (
            Param(
                "area",
                "area per volume",
                "formula",
                label="surface in a volume of the zone",
                above=0.0,
            ),
        ),
        label="on the surface of pores",
        tex=r"a=<area>",
    ),
    Condition(
        "start",
        "start",
        "{value} across",
        (Param("value", "voltage", "formula", label="voltage across it"),),
        label="at the start",
        tex=r"\varphi_1-\varphi_2\,(t{=}0)=<value>",
    ),
)

CONDITIONS = tuple(
    replace(c, kinds=(kind,))
    for kind, many in ((CONDUCTOR, _OF_CONDUCTORS), (PASSAGE, _OF_PASSAGES))
    for c in many
)
