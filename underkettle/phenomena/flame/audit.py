"""What is worth questioning about a flame before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.contract.questions import asked
from underkettle.matter.burnt import burnt
from underkettle.matter.thermo import ThermoError, substances
from underkettle.phenomena.flame.seen import TOLD, streams_of, table_of
from underkettle.quantities.words import upper_first

ME = "flame"
ROUNDING = 1e-9
MUCH = 0.05  # of a fuel's moles that hold carbon and hydrogen: then its rich side matters
RICHEST = "0.5"
FAR = 1e-2  # of a density


def _cannot_burn(facts: Facts) -> Iterator[Finding]:
    """The two streams must be a fuel and something that burns it."""
    streams = streams_of(facts.settings(ME))
    try:
        if streams is not None:
            streams.needs()
            burnt(streams)
    except ThermoError as error:
        yield Finding(
            "stops",
            "These two do not burn.",
            f"{upper_first(str(error))}.",
            column=ME,
        )


def _shares(facts: Facts) -> Iterator[Finding]:
    """The share that came with the fuel lies between none and all."""
    for place, label, values in asked(facts):
        value = values(place, ME).get("value")
        if value is not None and not -ROUNDING <= value <= 1 + ROUNDING:
            yield Finding(
                "stops",
                f"{label} has a share of fuel that cannot be.",
                f"It is {value:g}; 0 is all air, 1 all fuel.",
                place,
                ME,
                cure=((f"conditions/{place}/{ME}/value", "1" if value > 1 else "0"),)
                if place in facts.edges()
                else (),
                cure_label="Take all fuel" if value > 1 else "Take all air",
            )


def _one_is_missing(facts: Facts) -> Iterator[Finding]:
    """A flame wants both."""
    brought = [
        facts.values(e, ME).get("value", 0.0) for e in facts.edges() if facts.through(e) == "in"
    ]
    if not brought or any(facts.state(e, ME) == "missing" for e in facts.edges()):
        return
    started = [facts.start(z, ME).get("value") or 0.0 for z in facts.zones()]
    for what, there in (
        ("fuel", any(v > 0 for v in (*brought, *started))),
        ("air", any(v < 1 for v in (*brought, *started))),
    ):
        if not there:
            yield Finding(
                "doubt",
                f"No {what} comes to the flame.",
                f"No edge brings any, and none is there at the start: nothing burns without {what}.",
                column=ME,
            )


def _unaware(facts: Facts) -> Iterator[Finding]:
    """What carries a flame swells as it burns."""
    settings = facts.settings(ME)
    if settings.get("density"):
        return
    cures, lacks = [], []
    for other in facts.carriers():
        for setting in ("density", "viscosity"):
            if setting in facts.settings(other) and not facts.law(other, setting):
                cures.append((f"phenomena/{other}/{setting}", TOLD[setting][0]))
                lacks.append(setting)
    if cures:
        yield Finding(
            "contradiction",
            "The stream does not feel the flame.",
            f"The flame tells density and viscosity of what burns; {' and '.join(lacks)} "
            f"{'is' if len(lacks) == 1 else 'are'} one number.",
            column=ME,
            cure=tuple(cures),
            cure_label="Take them from the flame",
        )


def _two_densities(facts: Facts) -> Iterator[Finding]:
    own = facts.settings(ME).get("density")
    if not own:
        return
    for column in facts.carriers():
        if facts.law(column, "density"):
            yield Finding(
                "contradiction",
                "The flame reckons with one density, and the stream with what burns.",
                f"{own:g} kg/m3 is given for a stream that keeps its density.",
                column=ME,
                cure=((f"phenomena/{ME}/density", None),),
                cure_label="Take that of what burns",
            )
            continue
        stream = facts.settings(column).get("density")
        if stream is not None and abs(stream / own - 1) > FAR:
            yield Finding(
                "contradiction",
                "The stream has two densities.",
                f"The flame reckons with {own:g} kg/m3 and {column} with {stream:g} kg/m3.",
                column=ME,
                cure=((f"phenomena/{ME}/density", f"{stream:g} kg/m3"),),
                cure_label=f"Take {stream:g} kg/m3",
            )


def _two_temperatures(facts: Facts) -> Iterator[Finding]:
    others = [c for c in facts.temperatures() if c != ME]
    for other in others:
        yield Finding(
            "contradiction",
            "There are two temperatures.",
            f"The flame tells how warm what burns is; {other} solves for another temperature of the "
            "same stream.",
            column=other,
        )


def _rich_side(facts: Facts) -> Iterator[Finding]:
    """Hydrocarbons without enough air do not come to equilibrium in a flame."""
    settings = facts.settings(ME)
    streams = streams_of(settings)
    if streams is None or settings.get("richest") or table_of(settings) is None:
        return
    held = sum(n for s, n in streams.fuel.moles if {"C", "H"} <= set(substances()[s].atoms))
    if held > MUCH:
        yield Finding(
            "doubt",
            "The rich side of the flame is taken to equilibrium.",
            f"{100 * held:.3g} % of the fuel are hydrocarbons. With less than about half the air they "
            "need, they crack more slowly than a flame lasts; taken to equilibrium, they give too much "
            "CO and H2 (common practice).",
            column=ME,
            cure=((f"phenomena/{ME}/richest", RICHEST),),
            cure_label="Nothing reacts with less than half the air it needs",
        )


def _too_hot_for_nitric(facts: Facts) -> Iterator[Finding]:
    settings: Any = facts.settings(ME)
    if settings.get("nitric_oxide") and not settings.get("radiates"):
        yield Finding(
            "doubt",
            "NO is made in a flame that loses no heat.",
            "About 30 K more at 2200 K make half as much again; radiation takes away more than that.",
            column=ME,
            cure=((f"phenomena/{ME}/radiates", True),),
            cure_label="Let it radiate",
        )


RULES = (
    AuditRule("two that do not burn", _cannot_burn),
    AuditRule("share of fuel that cannot be", _shares),
    AuditRule("fuel or air missing", _one_is_missing),
    AuditRule("stream does not feel the flame", _unaware),
    AuditRule("flame of one density", _two_densities),
    AuditRule("two temperatures", _two_temperatures),
    AuditRule("rich side of a flame", _rich_side),
    AuditRule("NO in a flame that loses nothing", _too_hot_for_nitric),
)
