"""What is worth questioning about two fluids before a run."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.interface.cuts import split_cells
from underkettle.engine.mesh import Mesh
from underkettle.paper.surfaces import bond
from underkettle.phenomena.two_fluids.limits import wave_time
from underkettle.phenomena.two_fluids.naming import (
    HOLDS,
    LETS_IN,
    ME,
    WALL,
    fluids,
    pair,
)

Array = np.ndarray

GRAVITY, TENSION = 9.81, 0.03  # m/s2; N/m, of oils and watery soaps
PULLS, WEIGHS = 100.0, 0.1  # Bond numbers below which tension counts, above which weight does
ACROSS = 12  # cells that a drop wants
UNLIKE = 1000.0  # ratio of densities that was tried
MANY = 200_000  # steps


def _fluids(facts: Facts) -> Iterator[Finding]:
    """There are two."""
    names = list(fluids(facts.settings(ME)))
    if len(names) > 2:
        yield Finding(
            "stops",
            f"There are {len(names)} fluids.",
            f"Two are followed, {names[0]} and {names[1]}.",
            column=ME,
            cure=tuple((f"phenomena/{ME}/members/{name}", None) for name in names[2:]),
            cure_label=f"Leave out {' and '.join(names[2:])}",
        )


def _at_rest(facts: Facts) -> Iterator[Finding]:
    """An interface is followed through time."""
    if {"steady", "series"} & set(facts.modes(ME)):
        flow = facts.inflow()
        long = facts.stream_volume() / flow if flow > 0.0 else 1.0
        yield Finding(
            "stops",
            "A stage at rest follows no interface.",
            "Where two fluids end up depends on how they came there: let the stage go through time.",
            column=ME,
            cure=tuple(
                (f"stages/{name}/{key}", value)
                for name in facts.stages(ME)
                for key, value in (("mode", "transient"), ("until", f"{long:.2g} s"))
            ),
            cure_label=f"Through time, for {long:.2g} s"
            + (": what fills the vessel" if flow > 0.0 else ""),
        )


def _cut(facts: Facts) -> Iterator[Finding]:
    """Walls are as thick as a cell, and leave one opening of each."""
    mesh = facts.mesh
    pieces, thin = mesh.pieces, _two_sided(mesh)
    split = np.zeros(mesh.shape[1:], bool)
    for j, i in split_cells(mesh):
        split[j, i] = True
    for found, does in (
        (thin, "has no thickness"),
        (split[pieces.j, pieces.i], "leaves two openings of a cell, or ends within it"),
    ):
        if found.any():
            edge = mesh.edges[pieces.edge[np.flatnonzero(found)[0]]]
            yield Finding(
                "stops",
                f"{facts.edge_label(edge)} {does}.",
                "An interface is followed where each cell has one opening, beside walls that are as "
                "thick as a cell.",
                edge,
                ME,
                cure=() if found is thin else (("grid/size", f"{0.5 * facts.cell_size():.4g} m"),),
                cure_label="Take cells half as wide",
            )


def _two_sided(mesh: Mesh) -> Array:
    """Which pieces on the grid's lines have another one behind them, as plates of no thickness do."""
    p, found = mesh.pieces, np.zeros(mesh.pieces.j.size, bool)
    faces: dict[tuple[int, int, int], list[int]] = {}
    for k in np.flatnonzero(p.axis >= 0):
        faces.setdefault((int(p.axis[k]), int(p.face_j[k]), int(p.face_i[k])), []).append(int(k))
    for mine in faces.values():
        for a, b in itertools.combinations(mine, 2):
            apart = abs(p.x[a] - p.x[b]) + abs(p.y[a] - p.y[b])
            facing = p.nx[a] * p.nx[b] + p.ny[a] * p.ny[b] < 0.0
            if facing and apart < 0.49 * (p.length[a] + p.length[b]):
                found[[a, b]] = True
    return found


def begins(facts: Facts) -> dict[str, Mapping[str, Any]]:
    """What zones are told to begin with."""
    return {zone: told for zone in facts.zones() if (told := facts.start(zone, ME))}


def drops(facts: Facts) -> dict[str, Mapping[str, Any]]:
    """Those that begin with a drop."""
    return {zone: told for zone, told in begins(facts).items() if "radius" in told}


def _one_only(facts: Facts) -> Iterator[Finding]:
    """Both fluids are somewhere, or come in."""
    told = begins(facts)
    enters = [facts.values(e, ME) for e in facts.edges() if facts.kind(e, ME) == LETS_IN]
    # whatever is no one number may be both
    first, *others = [values.get("value") for values in (*told.values(), *enters)] or [None]
    if first not in (0.0, 1.0) or any(share != first for share in others) or not told:
        return
    zone, name = next(iter(told)), list(fluids(facts.settings(ME)))[int(first == 1.0)]
    low, high = facts.size_box()[1], facts.size_box()[3]
    yield Finding(
        "doubt",
        f"There is nothing but {name.replace('_', ' ')}.",
        "The other fluid is nowhere at the start, and nothing brings it in.",
        zone,
        ME,
        cure=(
            (
                f"start/{zone}/{ME}",
                {"kind": "up to a level", "level": f"{0.5 * (low + high):.6g} m"},
            ),
        ),
        cure_label="Fill the lower half with the first",
    )


def smallest(facts: Facts) -> float:
    """The size (m) that counts: of the smallest drop at the start, or of the vessel's shorter side."""
    sizes = [2.0 * float(told["radius"]) for told in drops(facts).values()]
    return min(sizes or facts.size())


def _slack(facts: Facts) -> Iterator[Finding]:
    """Surface tension is off where it counts."""
    settings = facts.settings(ME)
    size, densities = smallest(facts), pair(settings, "density")
    if float(settings["tension"]) != 0.0:
        return
    number = bond(abs(densities[0] - densities[1]), GRAVITY, size, TENSION)
    if number < PULLS:
        yield Finding(
            "doubt",
            "The interface has no tension.",
            f"On {1e3 * size:.3g} mm it counts: weight is {number:.2g} times as strong as tension of "
            f"{1e3 * TENSION:g} mN/m would be.",
            column=ME,
            cure=((f"phenomena/{ME}/tension", f"{1e3 * TENSION:g} mN/m"),),
            cure_label=f"Take {1e3 * TENSION:g} mN/m, as of oil on water (common practice)",
        )


def _weightless(facts: Facts) -> Iterator[Finding]:
    """Weight is off where it counts."""
    settings = facts.settings(ME)
    size, tension = smallest(facts), float(settings["tension"])
    one, two = pair(settings, "density")
    if facts.gravity() or one == two or math.isnan(tension):
        return
    number = bond(abs(one - two), GRAVITY, size, tension) if tension > 0 else math.inf
    if number > WEIGHS:
        yield Finding(
            "doubt",
            "Neither fluid weighs anything.",
            f"On {1e3 * size:.3g} mm weight would be {number:.2g} times as strong "
            "as tension: say gravity along y where the stream is set, or that the sheet lies flat.",
            column=ME,
        )


def _angles(facts: Facts) -> Iterator[Finding]:
    """Angles that nobody has given, where tension makes them count."""
    if float(facts.settings(ME)["tension"]) == 0.0:
        return
    assumed = [
        e
        for e in facts.edges()
        if facts.kind(e, ME) == WALL and facts.assumed(e, ME) and not facts.slips(e)
    ]
    if assumed:
        named = ", ".join(facts.edge_label(e) for e in assumed)
        told = {"kind": WALL, "angle": "90 deg"}
        yield Finding(
            "doubt",
            f"Contact angles are assumed: {named}.",
            "Walls are taken to be wetted by neither fluid more than by the other, 90 degrees.",
            assumed[0],
            ME,
            cure=tuple((f"conditions/{e}/{ME}", told) for e in assumed),
            cure_label="It is 90 degrees",
        )


def _turned_round(facts: Facts) -> Iterator[Finding]:
    """What a wall lets recede at the larger angle it holds nowhere."""
    for edge in facts.edges():
        if facts.kind(edge, ME) != HOLDS:
            continue
        told = facts.values(edge, ME)
        low, high = told.get("receding"), told.get("advancing")
        if isinstance(low, float) and isinstance(high, float) and low > high:
            yield Finding(
                "stops",
                f"{facts.edge_label(edge)} lets the first fluid recede at {math.degrees(low):.4g} and "
                f"advance at {math.degrees(high):.4g} degrees.",
                "A wall holds it between the angle it recedes at and a larger one.",
                edge,
                ME,
                cure=(
                    (
                        f"conditions/{edge}/{ME}",
                        {
                            "kind": HOLDS,
                            "receding": f"{math.degrees(high):.6g} deg",
                            "advancing": f"{math.degrees(low):.6g} deg",
                        },
                    ),
                ),
                cure_label="Take them the other way round",
            )


def _cell_at(mesh: Mesh, x: float, y: float) -> float:
    """The wider side (m) of the cell at a point."""
    wide = []
    for axis, value in enumerate((x, y)):
        faces = mesh.grid.faces(axis)[1:-2]
        at = int(np.clip(np.searchsorted(faces, value, "right") - 1, 0, faces.size - 2))
        wide.append(float(faces[at + 1] - faces[at]))
    return max(wide)


def _coarse(facts: Facts) -> Iterator[Finding]:
    """A drop wants so many cells across."""
    for zone, told in drops(facts).items():
        size = 2.0 * float(told["radius"])
        many = size / _cell_at(facts.mesh, float(told["x"]), float(told["y"]))
        if many < ACROSS * (1.0 - 1e-9):
            yield Finding(
                "doubt",
                f"The drop is {many:.3g} cells across.",
                f"It wants {ACROSS}: its pressure is else more than 2 % off.",
                zone,
                ME,
                cure=(("grid/size", f"{size / ACROSS:.4g} m"),),
                cure_label=f"Take cells of {1e3 * size / ACROSS:.3g} mm",
            )


def _unlike(facts: Facts) -> Iterator[Finding]:
    """Densities further apart than was tried."""
    one, two = pair(facts.settings(ME), "density")
    ratio = max(one, two) / min(one, two)
    if ratio > 1.3 * UNLIKE:
        yield Finding(
            "doubt",
            f"One fluid is {ratio:.3g} times as heavy as the other.",
            f"It was tried up to {UNLIKE:g} times.",
            column=ME,
        )


def _slow(facts: Facts) -> Iterator[Finding]:
    """Tension lets steps be only so long."""
    settings, until = facts.settings(ME), facts.until(ME)
    if until is None:
        return
    step = wave_time(pair(settings, "density"), float(settings["tension"]), facts.mesh.grid.finest)
    if until > MANY * step:
        yield Finding(
            "doubt",
            f"Tension asks for {until / step:.2g} steps.",
            f"The shortest wave lets a step be {step:.2g} s; cells twice as wide take 2.8 times fewer "
            "steps, each four times quicker.",
            column=ME,
        )


RULES = (
    AuditRule("more than two fluids", _fluids),
    AuditRule("no interface at rest", _at_rest),
    AuditRule("walls thinner than cells", _cut),
    AuditRule("only one fluid", _one_only),
    AuditRule("interface without tension", _slack),
    AuditRule("fluids without weight", _weightless),
    AuditRule("contact angles assumed", _angles),
    AuditRule("angles the wrong way round", _turned_round),
    AuditRule("few cells in a drop", _coarse),
    AuditRule("densities far apart", _unlike),
    AuditRule("very many steps", _slow),
)
