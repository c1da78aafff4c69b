"""What is worth questioning about a hydrogen cell before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.contract.questions import across
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR_CATALYST,
    AIR_FED,
    AIR_HERE,
    BRINGS,
    CATALYSTS,
    DRAWN,
    DRAWS,
    FED,
    FUEL_CATALYST,
    FUEL_FED,
    FUEL_HERE,
    GASES,
    HELD,
    HERE,
    IONOMER,
    LEAVES,
    ME,
    MEMBRANE,
    SIDES,
    TERMINALS,
    edges_of,
    zones_of,
)
from underkettle.phenomena.hydrogen_cell.papers import drawn_density, fed_current, limiting
from underkettle.phenomena.hydrogen_cell.touching import cells_of, faces_of, sides

FEWEST = 4  # cells across what a potential or water falls in
HOTTEST, COLDEST = 373.15, 273.15  # K, of water as a liquid at 1 atm


class Reach(NamedTuple):
    """What edges touch: the sides of gas, and of solids; where gas, and solids, reach both sides."""

    gas: dict[str, set[int]]
    solid: dict[str, set[int]]
    gas_joined: bool
    solid_joined: bool
    wet: bool  # whether a membrane touches both catalysts


def reach(facts: Facts) -> Reach:
    mesh = facts.mesh
    faces, pieces = faces_of(mesh), mesh.pieces

    def cells(*kinds: str) -> np.ndarray:
        return cells_of(mesh, zones_of(facts, *kinds))

    solids = [
        z
        for z in facts.zones()
        if facts.kind(z, ME) and isinstance(facts.values(z, ME).get("conducts"), float)
    ]
    catalysts = [cells(kind) for kind in CATALYSTS]
    gas, gas_both = sides(faces, cells(*GASES), catalysts)
    solid, solid_both = sides(faces, cells_of(mesh, solids), catalysts)
    found: tuple[dict[str, set[int]], dict[str, set[int]]] = {}, {}
    for edge in facts.edges():
        rows = pieces.of(mesh.edge_index(edge)) if edge in mesh.edges else np.zeros(0, int)
        number = mesh.number[pieces.j[rows], pieces.i[rows]]
        number = number[number >= 0]
        for own, side in zip(found, (gas, solid), strict=True):
            own[edge] = set(side[number].tolist()) - {-1}
    wet = all(faces.where(cells(MEMBRANE), own).a.size for own in catalysts)
    return Reach(*found, bool(gas_both.any()), bool(solid_both.any()), wet)


def _is_whole(facts: Facts) -> bool:
    return all(zones_of(facts, kind) for kind in (MEMBRANE, *CATALYSTS))


def _parts(facts: Facts) -> Iterator[Finding]:
    """A cell has a membrane and a catalyst on either side."""
    for kind, words in (
        (MEMBRANE, "a membrane"),
        (FUEL_CATALYST, "a catalyst for fuel"),
        (AIR_CATALYST, "a catalyst for air"),
    ):
        if not zones_of(facts, kind):
            free = [z for z in facts.zones() if not facts.kind(z, ME)]
            place = free[0] if free else ""
            yield Finding(
                "stops",
                f"The cell lacks {words}.",
                "Say which zone it is.",
                place,
                ME,
                cure=((f"conditions/{place}/{ME}", {"kind": kind}),) if place else (),
                cure_label=f"Take {place.replace('_', ' ')}" if place else "",
            )


def _apart(facts: Facts) -> Iterator[Finding]:
    """What must not touch, and what must."""
    if not _is_whole(facts):
        return
    found = reach(facts)
    if found.gas_joined:
        yield Finding(
            "contradiction",
            "Both gases meet.",
            "Gas passes from one catalyst to the other beside the membrane.",
            column=ME,
        )
    if found.solid_joined:
        yield Finding(
            "contradiction",
            "The electrodes are joined.",
            "Solids lead from one catalyst to the other, so that all current stays inside.",
            column=ME,
        )
    if not found.wet:
        yield Finding(
            "contradiction",
            "No proton passes.",
            "The membrane does not touch both catalysts.",
            column=ME,
        )


def _gases(facts: Facts) -> Iterator[Finding]:
    """Both gases come, and have a way out."""
    if not _is_whole(facts):
        return
    found = reach(facts)
    for side, words in enumerate(SIDES):
        beside = [e for e in facts.edges() if side in found.gas[e]]
        kinds = {facts.kind(e, ME) for e in beside}
        closed = [e for e in beside if facts.kind(e, ME) not in (*FED, *HERE, LEAVES)]
        come = {k for k, of in BRINGS.items() if of == side}
        if not kinds & come:
            place = closed[0] if closed else ""
            here = (FUEL_HERE, AIR_HERE)[side]
            yield Finding(
                "stops",
                f"No {words} comes to the cell.",
                f"No edge feeds the side of the {words} catalyst or is open to {words}.",
                place,
                ME,
                cure=((f"conditions/{place}/{ME}", {"kind": here}),) if place else (),
                cure_label=f"Open {facts.edge_label(place)} to {words}" if place else "",
            )
        elif not kinds & {LEAVES, *HERE}:
            place = closed[0] if closed else ""
            yield Finding(
                "stops",
                f"The rest of the {words} cannot leave.",
                "It is fed, and no edge lets gas out there.",
                place,
                ME,
                cure=((f"conditions/{place}/{ME}", {"kind": LEAVES}),) if place else (),
                cure_label=f"Let gas leave by {facts.edge_label(place)}" if place else "",
            )
        for edge in beside:
            brings = BRINGS.get(facts.kind(edge, ME))
            if brings is not None and brings != side:
                other = {FUEL_FED: AIR_FED, AIR_FED: FUEL_FED, FUEL_HERE: AIR_HERE}.get(
                    facts.kind(edge, ME), FUEL_HERE
                )
                yield Finding(
                    "contradiction",
                    f"{facts.edge_label(edge)} brings {SIDES[brings]} to the {words}.",
                    f"It opens to the side of the {words} catalyst.",
                    edge,
                    ME,
                    cure=((f"conditions/{edge}/{ME}", {"kind": other}),),
                    cure_label=f"Bring {words}",
                )


def _terminals(facts: Facts) -> Iterator[Finding]:
    """Each electrode reaches an edge, and one of them is held."""
    edges = edges_of(facts, *TERMINALS)
    if edges and not edges_of(facts, HELD):
        yield Finding(
            "stops",
            "The potential is fixed nowhere.",
            "Currents only tell differences: hold the edge of one electrode.",
            edges[0],
            ME,
            cure=((f"conditions/{edges[0]}/{ME}", {"kind": HELD, "value": "0 V"}),),
            cure_label=f"Hold {facts.edge_label(edges[0])} at 0 V",
        )
    if not _is_whole(facts):
        return
    found = reach(facts)
    for side, words in enumerate(SIDES):
        beside = [e for e in facts.edges() if side in found.solid[e]]
        if any(facts.kind(e, ME) in TERMINALS for e in beside):
            continue
        free = [e for e in beside if facts.kind(e, ME) not in (*FED, *HERE, LEAVES)]
        place = max(free, key=facts.edge_area, default="")
        volts = ("0 V", "0.65 V")[side]
        yield Finding(
            "stops",
            f"No current leaves the {words} electrode.",
            "No edge that its solids reach is held or draws a current.",
            place,
            ME,
            cure=((f"conditions/{place}/{ME}", {"kind": HELD, "value": volts}),) if place else (),
            cure_label=f"Hold {facts.edge_label(place)} at {volts}" if place else "",
        )


def _too_little(facts: Facts) -> Iterator[Finding]:
    """As much is fed as is used at the current it is told for."""
    for edge in edges_of(facts, *FED):
        times = facts.values(edge, ME).get("times")
        if isinstance(times, float) and times < 1.0:
            yield Finding(
                "stops",
                f"{facts.edge_label(edge)} feeds less than is used.",
                f"It feeds {times:g} times what that current uses: part of the cell would go without.",
                edge,
                ME,
                cure=((f"conditions/{edge}/{ME}/times", "1.2"),),
                cure_label="Feed 1.2 times as much",
            )


def _too_humid(facts: Facts) -> Iterator[Finding]:
    """Gas that is brought holds no more vapour than it can."""
    for edge in edges_of(facts, *FED, *HERE):
        humid = facts.values(edge, ME).get("humidity")
        if isinstance(humid, float) and humid > 1.0:
            yield Finding(
                "contradiction",
                f"{facts.edge_label(edge)} brings more vapour than gas holds.",
                f"{100 * humid:g} % of saturation: the rest would be drops, which are not followed.",
                edge,
                ME,
                cure=((f"conditions/{edge}/{ME}/humidity", "1"),),
                cure_label="Saturate it",
            )


def _too_much(facts: Facts) -> Iterator[Finding]:
    """No more is drawn than feeds hold, or than can come through layers."""
    per = drawn_density(facts)
    if per is None:
        return
    place = edges_of(facts, *DRAWN)[0]
    key = "current" if facts.kind(place, ME) == DRAWS else "density"
    most = fed_current(facts)
    path = f"conditions/{place}/{ME}/{key}"
    typed = facts.values(place, ME)[key]
    for figure, words in (
        (most, "is all that is fed"),
        (limiting(facts), "is what air brings through its layer, by its spreading alone"),
    ):
        if figure is not None and per > figure:
            unit = "A" if key == "current" else "A/m2"
            yield Finding(
                "stops" if figure is most else "doubt",
                "More current is drawn than gas can come for.",
                f"{per:.4g} A/m2 of the membrane are asked, and {figure:.4g} A/m2 {words}.",
                place,
                ME,
                cure=((path, f"{0.8 * typed * figure / per:.4g} {unit}"),),
                cure_label="Draw four fifths of that",
            )
            return


def _heat_range(facts: Facts) -> Iterator[Finding]:
    """The membrane's laws hold where water is a liquid."""
    t = facts.settings(ME)["temperature"]
    if isinstance(t, float) and not COLDEST <= t <= HOTTEST:
        yield Finding(
            "doubt",
            "The membrane is too hot or too cold for its laws.",
            f"{t - 273.15:.4g} degC; they were found between 30 and 80 degC, with water as a liquid.",
            column=ME,
            cure=((f"phenomena/{ME}/temperature", "80 degC"),),
            cure_label="Take 80 degC",
        )


def _few_cells(facts: Facts) -> Iterator[Finding]:
    """Potentials and water bend within membrane and catalysts."""
    for zone in zones_of(facts, *IONOMER):
        _, many = across(facts, zone)
        if many < FEWEST:
            yield Finding(
                "doubt",
                f"{facts.edge_label(zone)} is {many} cell{'s' if many > 1 else ''} thick.",
                f"What bends within it asks for {FEWEST} at least: refine it across.",
                zone,
                ME,
            )


def _warms(facts: Facts) -> Iterator[Finding]:
    """Its heat goes where temperatures are solved for."""
    if facts.temperatures() and not facts.settings(ME)["warms"]:
        yield Finding(
            "doubt",
            "The cell warms nothing.",
            "Temperatures are solved for, and the heat it makes is not given to them.",
            column=ME,
            cure=((f"phenomena/{ME}/warms", True),),
            cure_label="Let it warm what it is made of",
        )


RULES = (
    AuditRule("part of a cell missing", _parts),
    AuditRule("cell joined wrongly", _apart),
    AuditRule("cell without gas", _gases),
    AuditRule("cell without terminals", _terminals),
    AuditRule("fed less than is used", _too_little),
    AuditRule("more vapour than gas holds", _too_humid),
    AuditRule("more current than gas", _too_much),
    AuditRule("membrane out of its range", _heat_range),
    AuditRule("few cells across a cell's parts", _few_cells),
    AuditRule("cell that warms nothing", _warms),
)
