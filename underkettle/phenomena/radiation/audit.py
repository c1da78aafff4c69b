"""What is worth questioning about radiation before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.matter.radiation import COOLEST, WARMEST
from underkettle.phenomena.radiation.papers import about, absorbs, held, path

ME = "radiation"
THIN = 0.2  # of a mean way to where it is taken up, over the path
SAME = 1.0  # K
WEAK = 500.0  # K, below which convection carries most (common practice)


def _nothing_absorbs(facts: Facts) -> Iterator[Finding]:
    """Without anything that absorbs, walls would see each other only."""
    if absorbs(facts) == 0.0:
        yield Finding(
            "doubt",
            "Nothing absorbs radiation.",
            "No water or carbon dioxide is followed in the gas, and nothing else is told to absorb. "
            "What only passes from wall to wall is not followed here.",
            column=ME,
            cure=((f"phenomena/{ME}/absorption", "0.2 1/m"),),
            cure_label="Take 0.2 1/m, as of flue gas some metres wide (common practice)",
        )


def _thin(facts: Facts) -> Iterator[Finding]:
    """The first moments of intensity take it to come from all sides."""
    found = about(facts)
    if found and found * path(facts) < THIN:
        yield Finding(
            "doubt",
            "The gas is thin to radiation.",
            f"Absorption over the mean path is {found * path(facts):.2g}: what walls and corners "
            "shade is not seen, and walls get up to a third too much or too little (common practice).",
            column=ME,
        )


def _no_walls(facts: Facts) -> Iterator[Finding]:
    """Something must take it."""
    kinds = [facts.kind(e, ME) for e in facts.edges()]
    if kinds and all(k == "sends back" for k in kinds):
        yield Finding(
            "doubt",
            "No wall takes radiation.",
            "All edges send it back, so it only evens out temperatures inside.",
            column=ME,
        )


def _two_temperatures(facts: Facts) -> Iterator[Finding]:
    """A wall is as warm to heat as to radiation."""
    for edge in facts.edges():
        mine, theirs = facts.values(edge, ME).get("temperature"), held(edge, facts)
        if facts.kind(edge, ME) != "wall" or mine is None or theirs is None:
            continue
        if facts.through(edge) == "" and abs(float(mine) - theirs) > SAME:
            yield Finding(
                "contradiction",
                f"{facts.edge_label(edge)} has two temperatures.",
                f"Radiation has it at {float(mine) - 273.15:.4g} degC, heat at "
                f"{theirs - 273.15:.4g} degC.",
                edge,
                ME,
                cure=((f"conditions/{edge}/{ME}/temperature", f"{theirs:.6g} K"),),
                cure_label="Take that of heat",
            )


def _temperatures(facts: Facts) -> list[float]:
    found = [t for e in facts.edges() if (t := held(e, facts)) is not None]
    return found + facts.begins_warm()


def _weak(facts: Facts) -> Iterator[Finding]:
    """Where nothing is hot it hardly counts."""
    warm = _temperatures(facts)
    if warm and max(warm) < WEAK and absorbs(facts) is not None:
        yield Finding(
            "doubt",
            "Nothing is hot enough to radiate much.",
            f"The warmest that is told is {max(warm) - 273.15:.4g} degC; below some 230 degC the "
            "stream carries nearly all (common practice).",
            column=ME,
        )


def _out_of_range(facts: Facts) -> Iterator[Finding]:
    """Fits of gases hold between their ends."""
    warm = _temperatures(facts)
    if absorbs(facts) is None and warm and max(warm) > WARMEST:
        yield Finding(
            "doubt",
            "The gas is hotter than what is known of its radiation.",
            f"Smith, Shen & Friedman give it from {COOLEST:g} to {WARMEST:g} K; the warmest told is "
            f"{max(warm):.4g} K. Beyond, it stays as at the end.",
            column=ME,
        )


RULES = (
    AuditRule("nothing absorbs", _nothing_absorbs),
    AuditRule("thin to radiation", _thin),
    AuditRule("no wall takes radiation", _no_walls),
    AuditRule("a wall of two temperatures", _two_temperatures),
    AuditRule("nothing is hot", _weak),
    AuditRule("radiation outside its range", _out_of_range),
)
