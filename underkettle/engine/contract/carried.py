"""What places may do to what a stream carries, in the words of every case; heat as all ask for it."""

from __future__ import annotations

from underkettle.engine.contract.declared import Condition, Param


def taken_along(
    symbol: str, phrase: str, comes: tuple[Param, ...], *back: Param
) -> tuple[Condition, Condition]:
    """What comes in and goes out with a stream. symbol : of its value, as tex; comes : what is said of
    what enters, `value` among it; back : of what comes back through where it leaves.
    """
    return (
        Condition(
            "carried in",
            "edge",
            phrase,
            comes,
            label="carried in",
            carries="in",
            tex=f"{symbol}=<value>",
        ),
        Condition(
            "carried out",
            "edge",
            "carried out",
            back,
            label="carried out",
            carries="out",
            tex=rf"\partial {symbol}/\partial n=0",
        ),
    )


_VALUE = Param("value", "temperature", "formula", label="temperature", live=True, law="old")
HEAT_MADE = Param("source", "heat source", "formula", label="heat made", live=True, law="old")
_BACK = Param(
    "value",
    "temperature",
    "formula",
    default="293.15 K",
    label="of what comes back",
    why="what lies behind the outlet is taken to be at 20 degC",
    live=True,
)
# of edges, zones and the start
WARMED = (
    Condition(
        "lagged",
        "edge",
        "no loss",
        label="lagged, no loss",
        tex=r"\lambda\,\partial T/\partial n=0",
    ),
    Condition(
        "held temperature",
        "edge",
        "held at {value}",
        (_VALUE,),
        label="held at a temperature",
        tex="T=<value>",
    ),
    Condition(
        "heat flux",
        "edge",
        "{flux} in",
        (
            Param(
                "flux",
                "heat flux",
                "formula",
                label="heat flux into the vessel",
                live=True,
                law="old",
            ),
        ),
        label="given heat flux",
        tex=r"\lambda\,\partial T/\partial n=<flux>",
    ),
    Condition(
        "film",
        "edge",
        "{film} to {ambient}",
        (
            Param(
                "film",
                "heat transfer coefficient",
                "formula",
                label="coefficient",
                live=True,
                least=0.0,
                law="old",
            ),
            Param("ambient", "temperature", "formula", label="surroundings", live=True, law="old"),
        ),
        label="coefficient and surroundings",
        tex=r"\lambda\,\partial T/\partial n=<film>\,(<ambient>-T)",
    ),
    *taken_along("T", "enters at {value}", (_VALUE,), _BACK),
    Condition("nothing made", "zone", "none made", label="nothing made", tex="q=0"),
    Condition("made", "zone", "{source} made", (HEAT_MADE,), label="heat made", tex="q=<source>"),
    Condition("start", "start", "{value}", (_VALUE,), label="at the start", tex="T(t{=}0)=<value>"),
)
