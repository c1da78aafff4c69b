"""What is worth questioning about species before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from underkettle.engine.contract import AuditRule, Finding

LAYER_CELLS = 2.0


def _name(column: str) -> str:
    return column.partition(".")[2].replace("_", " ").capitalize()


def _sources(facts: Any, column: str) -> list[str]:
    found = []
    for edge in facts.edges():
        kind, values = facts.kind(edge, column), facts.values(edge, column)
        if kind in ("held value", "carried in") and values.get("value", 0.0) != 0.0:
            found.append(edge)
        if kind == "flux" and values.get("flux", 0.0) != 0.0:
            found.append(edge)
    found += [z for z in facts.zones() if facts.values(z, column).get("source", 0.0) != 0.0]
    return found


def _never_enters(facts: Any) -> Iterator[Finding]:
    for column in facts.columns("species"):
        unsaid = [e for e in facts.edges() if facts.state(e, column) == "missing"]
        started = any(facts.start(z, column).get("value", 0.0) != 0.0 for z in facts.zones())
        if not _sources(facts, column) and not started and not unsaid:
            yield Finding("doubt", f"{_name(column)} never enters.",
                          "No edge brings it, nothing makes it and none is there at the start.",
                          column=column)


def _cannot_leave(facts: Any) -> Iterator[Finding]:
    if "steady" not in facts.modes("species"):
        return
    for column in facts.columns("species"):
        leaves = any(facts.kind(e, column) in ("held value", "carried out", "reacting wall")
                     for e in facts.edges())
        lost = any(facts.values(z, column).get("loss", 0.0) > 0 for z in facts.zones())
        if not leaves and not lost:
            yield Finding("stops", f"{_name(column)} enters but cannot leave.",
                          "A steady state needs an edge that carries it out or holds its value, "
                          "or a loss in a zone.", column=column)


def _closed_carrier(facts: Any) -> Iterator[Finding]:
    for column in facts.columns("species"):
        for edge in facts.edges():
            kind = facts.kind(edge, column)
            if kind in ("carried in", "carried out") and facts.through(edge) == "":
                yield Finding("doubt", f"{facts.edge_label(edge)} is closed, yet {_name(column)} "
                              f"is {kind} there.", "No stream passes it, so nothing will be "
                              "carried.", edge, column)


def _slow(facts: Any) -> Iterator[Finding]:
    until = facts.until("species")
    if until is None or facts.carried():
        return
    for name, settings in facts.settings("species")["members"].items():
        if settings["diffusivity"] > 0:
            span = min(facts.size()) ** 2 / settings["diffusivity"]
            if span > until:
                yield Finding("doubt", f"{name.capitalize()} has no time to cross the vessel.",
                              f"It takes about {span:.3g} s to spread that far and the run ends "
                              f"after {until:.3g} s.", column=f"species.{name}")


def _thin_layer(facts: Any) -> Iterator[Finding]:
    """The layer at a wall with a held value, by hand, against the cells that must show it."""
    from underkettle.phenomena.species.papers import layer_thickness

    for column in facts.columns("species"):
        for edge in facts.edges():
            thick = layer_thickness(facts, column.partition(".")[2], edge)
            if thick is None:
                continue
            size = facts.edge_cell_size(edge)
            if thick < LAYER_CELLS * size:
                yield Finding(
                    "doubt", f"The layer of {_name(column)} on {facts.edge_label(edge)} is thin.",
                    f"By hand it is about {thick * 1e3:.2g} mm thick and the cells there are "
                    f"{size * 1e3:.2g} mm; {LAYER_CELLS:g} cells through it are usual (common "
                    "practice), fewer overstate the transfer.", edge, column)


RULES = (
    AuditRule("layer thinner than the cells", _thin_layer),
    AuditRule("never enters", _never_enters),
    AuditRule("cannot leave", _cannot_leave),
    AuditRule("carried through a closed edge", _closed_carrier),
    AuditRule("no time to spread", _slow),
)
