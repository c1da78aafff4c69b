"""What is worth questioning about species before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.quantities.words import headed

LAYER_CELLS = 2.0
LIQUID = 300.0  # kg/m3: a stream denser than this is a liquid
FASTEST_IN_LIQUID = 1e-5  # m2/s
ODD = 10.0


def _name(column: str) -> str:
    return headed(column.partition(".")[2])


def _sources(facts: Facts, column: str) -> list[str]:
    found = []
    for edge in facts.edges():
        kind, values = facts.kind(edge, column), facts.values(edge, column)
        if kind in ("held value", "carried in") and values.get("value", 0.0) != 0.0:
            found.append(edge)
        if kind == "flux" and values.get("flux", 0.0) != 0.0:
            found.append(edge)
    found += [z for z in facts.zones() if facts.values(z, column).get("source", 0.0) != 0.0]
    return found


def _never_enters(facts: Facts) -> Iterator[Finding]:
    for column in facts.columns("species"):
        unsaid = [e for e in facts.edges() if facts.state(e, column) == "missing"]
        started = any(facts.start(z, column).get("value", 0.0) != 0.0 for z in facts.zones())
        if facts.given(column):
            continue
        if not _sources(facts, column) and not started and not unsaid:
            yield Finding(
                "doubt",
                f"{_name(column)} never enters.",
                "No edge brings it, nothing makes it and none is there at the start.",
                column=column,
            )


def _cannot_leave(facts: Facts) -> Iterator[Finding]:
    if "steady" not in facts.modes("species"):
        return
    for column in facts.columns("species"):
        leaves = any(
            facts.kind(e, column) in ("held value", "carried out", "reacting wall")
            for e in facts.edges()
        )
        lost = any(facts.values(z, column).get("loss", 0.0) > 0 for z in facts.zones())
        if not leaves and not lost and not facts.given(column):
            yield Finding(
                "stops",
                f"{_name(column)} enters but cannot leave.",
                "A steady state needs an edge that carries it out or holds its value, "
                "or a loss in a zone.",
                column=column,
            )


def _closed_carrier(facts: Facts) -> Iterator[Finding]:
    for column in facts.columns("species"):
        for edge in facts.edges():
            kind = facts.kind(edge, column)
            if kind in ("carried in", "carried out") and facts.through(edge) == "":
                yield Finding(
                    "doubt",
                    f"{facts.edge_label(edge)} is closed, yet {_name(column)} is {kind} there.",
                    "No stream passes it, so nothing will be carried.",
                    edge,
                    column,
                )


def _slow(facts: Facts) -> Iterator[Finding]:
    until = facts.until("species")
    if until is None or facts.carried():
        return
    for name, settings in facts.settings("species")["members"].items():
        if settings["diffusivity"] > 0:
            span = min(facts.size()) ** 2 / settings["diffusivity"]
            if span > until:
                yield Finding(
                    "doubt",
                    f"{headed(name)} has no time to cross the vessel.",
                    f"It takes about {span:.3g} s to spread that far and the run ends "
                    f"after {until:.3g} s.",
                    column=f"species.{name}",
                )


def _thin_layer(facts: Facts) -> Iterator[Finding]:
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
                    "doubt",
                    f"The layer of {_name(column)} on {facts.edge_label(edge)} is thin.",
                    f"By hand it is about {thick * 1e3:.2g} mm thick and the cells there are "
                    f"{size * 1e3:.2g} mm; {LAYER_CELLS:g} cells through it are usual (common "
                    "practice), fewer overstate the transfer.",
                    edge,
                    column,
                )


def _negative(facts: Facts) -> Iterator[Finding]:
    for column in facts.columns("species"):
        places = [(e, facts.values(e, column)) for e in (*facts.edges(), *facts.zones())]
        places += [(z, facts.start(z, column)) for z in facts.zones()]
        for place, values in places:
            if values.get("value", 0.0) < 0 or values.get("ambient", 0.0) < 0:
                yield Finding(
                    "stops",
                    f"{facts.edge_label(place)} has less than no {_name(column).lower()}.",
                    "A concentration cannot be negative.",
                    place,
                    column,
                )


def _unlikely(facts: Facts) -> Iterator[Finding]:
    dense = [s["density"] for s in map(facts.settings, facts.carriers())]
    for name, s in facts.settings("species")["members"].items():
        if dense and dense[0] > LIQUID and s["diffusivity"] > FASTEST_IN_LIQUID:
            yield Finding(
                "doubt",
                f"{headed(name)} spreads faster than in any liquid.",
                f"{s['diffusivity']:.3g} m2/s in a stream of {dense[0]:.4g} kg/m3; in "
                "water it is mostly near 1e-9 m2/s.",
                column=f"species.{name}",
            )


def _fast_loss(facts: Facts) -> Iterator[Finding]:
    """Used up within less than a cell of where it comes from."""
    members = facts.settings("species")["members"]
    for column in facts.columns("species"):
        spread = members[column.partition(".")[2]]["diffusivity"]
        for zone in facts.zones():
            loss = facts.values(zone, column).get("loss", 0.0)
            depth = (spread / loss) ** 0.5 if loss > 0 else float("inf")
            if spread > 0 and depth < facts.cell_size() and not facts.carried():
                yield Finding(
                    "doubt",
                    f"{_name(column)} is used up within a cell.",
                    f"It reaches about {depth * 1e3:.2g} mm and cells are "
                    f"{facts.cell_size() * 1e3:.2g} mm.",
                    zone,
                    column,
                )


def _odd_start(facts: Facts) -> Iterator[Finding]:
    """A start beyond ten times anything that enters or is held."""
    if "transient" not in facts.modes("species"):
        return
    for column in facts.columns("species"):
        known = [abs(facts.values(e, column).get("value", 0.0)) for e in facts.edges()]
        most = max(known, default=0.0)
        for zone in facts.zones():
            begins = abs(facts.start(zone, column).get("value", 0.0))
            if most > 0 and begins > ODD * most:
                yield Finding(
                    "doubt",
                    f"{_name(column)} starts far above all that enters.",
                    f"{begins:.3g} mol/m3 at the start and at most {most:.3g} mol/m3 on any edge.",
                    zone,
                    column,
                )


def _no_flow_yet(facts: Facts) -> Iterator[Finding]:
    """Carried by a stream that no stage has solved."""
    for carrier in facts.carriers():
        if not facts.modes(carrier) and facts.modes("species"):
            yield Finding(
                "doubt",
                "Nothing carries what is dissolved.",
                f"No stage solves {carrier}: the stream stands still.",
                column="species",
            )


RULES = (
    AuditRule("less than nothing", _negative),
    AuditRule("unlikely spreading", _unlikely),
    AuditRule("used up within a cell", _fast_loss),
    AuditRule("odd start", _odd_start),
    AuditRule("stream not solved", _no_flow_yet),
    AuditRule("layer thinner than the cells", _thin_layer),
    AuditRule("never enters", _never_enters),
    AuditRule("cannot leave", _cannot_leave),
    AuditRule("carried through a closed edge", _closed_carrier),
    AuditRule("no time to spread", _slow),
)
