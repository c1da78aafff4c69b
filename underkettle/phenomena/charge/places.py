"""What places do for conductors, and for the surfaces where current passes from one to another."""

from __future__ import annotations

from dataclasses import replace

from underkettle.engine.contract import Applied, Condition, Param
from underkettle.phenomena.charge.plates import fit_shown
from underkettle.phenomena.charge.sweeping import applied

CONDUCTOR, PASSAGE, CELL = "conductor", "passage", "cell"
ASKED, NONE = "asked where no pulses tell it", "none"
TEMPERATURE = Param(
    "temperature",
    "temperature",
    "formula",
    default="298.15 K",
    label="temperature",
    why="25 degC, where data are told at",
    above=0.0,
    law="old",
    symbol="T",
)
_ALONG = Param("along", "conductivity", "formula", label="conductivity", above=0.0, law="old")
_ACROSS = replace(
    _ALONG,
    name="across",
    label="conductivity in y",
    optional=True,
    why="the same in every direction unless given",
)
_NOWHERE = Condition("nowhere", "zone", "not here", label="not here", tex="i=0")
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
        "at a rate",
        "edge",
        "{rate} of what its cells hold in",
        (
            Param(
                "rate",
                "rate",
                "formula",
                label="share of what cells hold that it brings in, per time",
                live=True,
                law="old",
            ),
        ),
        label="carries a share of what cells hold, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=<rate>\,Q,\ \varphi=\varphi_e",
    ),
    Condition(
        "at a power",
        "edge",
        "brings {power} in against {value}",
        (
            Param("power", "power", "formula", label="power into the vessel", live=True, law="old"),
            replace(
                _POTENTIAL,
                label="potential it is measured against",
                default="0 V",
                why="the other edge is held at 0 V",
            ),
        ),
        label="brings a power in, at one potential",
        tex=r"\textstyle(\varphi_e-<value>)\int\kappa\,\partial\varphi/\partial n\,dA=<power>",
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
        (_ALONG, _ACROSS),
        label="conducts otherwise here",
        tex=r"\kappa=<along>",
    ),
    Condition(
        "a foil",
        "zone",
        "a foil of {thickness}, conducting {along}",
        (
            Param("thickness", "length", label="thickness of the foil", above=0.0),
            replace(_ALONG, label="conductivity of the foil"),
            replace(_ACROSS, label="conductivity of the foil in y"),
        ),
        label="is a foil, thinner than the sheet is deep",
        tex=r"\kappa=<along>\,<thickness>/d",
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
_IN_PORES = Condition(
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
)
_SHARE = Param(
    "share",
    "number",
    "formula",
    default="1",
    label="surface, over the wall's own, times",
    why="it is smooth",
    above=0.0,
)
_OF_PASSAGES = (
    Condition("none", "edge", "nothing passes", label="not on this wall", tex="i=0"),
    Condition(
        "on the wall",
        "edge",
        "on the wall, {share} times",
        (_SHARE,),
        label="on the wall, between its potential and what conducts before it",
        tex=r"-\kappa\,\partial\varphi/\partial n=-<share>\,i(\varphi_e-\varphi)",
    ),
    Condition("apart", "between", "nothing passes", label="not where these meet", tex="i=0"),
    Condition(
        "where they meet",
        "between",
        "where they meet, {share} times",
        (replace(_SHARE, label="surface, over that of where they meet, times"),),
        label="where these meet, between what conducts on either side",
        tex=r"-\kappa_1\,\partial\varphi_1/\partial n=<share>\,i(\varphi_1-\varphi_2)"
        r"=-\kappa_2\,\partial\varphi_2/\partial n",
    ),
    _NOWHERE,
    _IN_PORES,
    Condition(
        "start",
        "start",
        "{value} across",
        (Param("value", "voltage", "formula", label="voltage across it"),),
        label="at the start",
        tex=r"\varphi_1-\varphi_2\,(t{=}0)=<value>",
    ),
)

_OF_CELLS = (
    _NOWHERE,
    Condition(
        "over the sheet",
        "zone",
        "once over the sheet",
        label="once over the area of the sheet",
        tex="a=1/d",
    ),
    Condition(
        "charged",
        "start",
        "charged to {value}",
        (Param("value", "number", "formula", label="share of a full charge", least=0.0, most=1.0),),
        label="charged to a share, and rested",
        tex=r"s(t{=}0)=<value>",
    ),
    _IN_PORES,
)

CONDITIONS = tuple(
    replace(c, kinds=(kind,))
    for kind, many in ((CONDUCTOR, _OF_CONDUCTORS), (PASSAGE, _OF_PASSAGES), (CELL, _OF_CELLS))
    for c in many
)

# what a battery cell is told
CELLS = (
    Param(
        "out_of",
        kind="text",
        label="its negative electrode is on",
        optional=True,
        why="the first conductor",
    ),
    Param(
        "into",
        kind="text",
        label="its positive electrode is on",
        optional=True,
        why="the last conductor",
    ),
    Param(
        "holds",
        "charge per area",
        default="30 A h/m2",
        label="charge of a full cell",
        above=0.0,
        why="a plate of middling load (common practice)",
        symbol="Q",
    ),
    Param(
        "pulses",
        kind="file",
        label="records of pulses",
        optional=True,
        why="told by tables instead: level, time, current (positive charges), voltage",
        shows=fit_shown,
    ),
    Param(
        "tested",
        "area",
        default="1 m2",
        label="area of the cell that was pulsed",
        why="so that currents count per m2",
        above=0.0,
    ),
    *(
        Param(
            name,
            dimension,
            "table",
            label=label,
            over="number",
            optional=True,
            above=above,
            why=why,
            symbol=symbol,
        )
        for name, dimension, label, above, why, symbol in (
            ("rest", "voltage", "voltage at rest over the level", None, ASKED, "E(s)"),
            ("at_once", "area resistance", "resistance felt at once", 0.0, ASKED, "R_0"),
            ("fast", "area resistance", "resistance felt soon", 0.0, NONE, "R_1"),
            ("fast_time", "time", "and how soon", 0.0, "1 s", r"\tau_1"),
            ("slow", "area resistance", "resistance felt later", 0.0, NONE, "R_2"),
            ("slow_time", "time", "and how late", 0.0, "1 s", r"\tau_2"),
        )
    ),
    TEMPERATURE,
    Param(
        "activation",
        "molar energy",
        default="0 J/mol",
        label="activation of its resistances",
        why="as large at every temperature unless said",
        least=0.0,
        symbol="E_a",
    ),
    Param(
        "told_at",
        "temperature",
        default="298.15 K",
        label="temperature they were told at",
        why="25 degC, where cells are tested",
        above=0.0,
        symbol="T_0",
    ),
    Param(
        "entropic",
        "voltage per temperature",
        default="0 V/K",
        label="rise of its rest voltage with temperature",
        why="no heat turns with the current unless said",
    ),
)
