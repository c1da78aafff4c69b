"""What is worth questioning about turbulence before it is run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.operators.ducts import developed_duct
from underkettle.engine.operators.wall_law import BETA_STAR
from underkettle.paper.ducts import friction_factor
from underkettle.paper.flow import reynolds
from underkettle.phenomena.turbulence.entering import SAID, by_intensity

MODELS = ("shear-stress transport", "k-epsilon", "realizable k-epsilon")
SHEAR_STRESS, K_EPSILON, REALIZABLE = MODELS
BEGINS = 20.0  # y+ below which k-epsilon does not hold (common practice: 30)
STIRRED = 4000.0  # on the hydraulic diameter: from here on ducts are turbulent (common practice)
REACH = 150.0  # y+ to which the treatment of walls was checked
FITS = 50.0  # y+ of a first cell that is sure to lie in the logarithmic layer
LOOSE = 1.25  # times the y+ that is wanted may pass
FLAT = 1e-6  # of its length: what an edge that runs along an axis may stray from it


def opening_diameter(facts: Facts, edge: str) -> float:
    """Hydraulic diameter (m) of an opening: twice its width in a plane vessel; of a pipe or ring where
    the vessel is axisymmetric.
    """
    low, high = facts.edge_bounds(edge)[1::2]
    if facts.round() and high > low:
        return 2 * high if low <= 1e-9 * high else 2 * (high - low)
    return 2 * facts.edge_length(edge)


class Duct(NamedTuple):
    """What the strongest stream that enters is like: through which edge, its speed (m/s), hydraulic
    diameter (m) and kinematic viscosity (m2/s), and its Reynolds number.
    """

    edge: str
    speed: float
    wide: float
    kinematic: float
    number: float

    @property
    def friction(self) -> float:
        """Friction speed (m/s) in a duct of that width: root of wall stress over density."""
        return self.speed * float(np.sqrt(friction_factor(self.number) / 8))

    def reach(self, size: float) -> float:
        """y+ of the middle of a cell of this size (m) beside a wall."""
        return 0.5 * size * self.friction / self.kinematic


def strongest(facts: Facts) -> Duct | None:
    """The stream of the largest Reynolds number that enters; None where none is told."""
    medium, found = facts.medium(), []
    if medium is None or medium[0] <= 0:
        return None
    density, viscosity = medium
    for edge in facts.edges():
        flow = facts.stream(edge)
        if flow is not None and flow > 0:
            speed, wide = flow / facts.edge_area(edge), opening_diameter(facts, edge)
            number = reynolds(density, speed, wide, viscosity)
            found.append(Duct(edge, speed, wide, viscosity / density, number))
    return max(found, key=lambda duct: duct.number, default=None)


def mixing_time(facts: Facts) -> float | None:
    """k over epsilon (s) of what comes in with the strongest stream; None where that is not told."""
    duct = strongest(facts)
    if duct is None:
        return None
    kind, values = facts.kind(duct.edge, "turbulence"), facts.values(duct.edge, "turbulence")
    if kind == "developed":
        low, high = facts.edge_bounds(duct.edge)[1::2]
        pipe = facts.round() and low <= FLAT * high
        rate = developed_duct(duct.number, pipe).rate[-1]
        return float(duct.wide / (2 if pipe else 4) / (BETA_STAR * rate * duct.speed))
    said = {name: float(values[name]) for name in SAID if values.get(name)}
    if "intensity" not in said or len(said) < 2:
        return None
    return float(1.0 / (BETA_STAR * by_intensity(said, duct.speed, duct.kinematic)[1]))


def _laminar(facts: Facts) -> Iterator[Finding]:
    duct = strongest(facts)
    if duct is not None and duct.number < STIRRED:
        yield Finding(
            "doubt",
            "The stream is hardly turbulent.",
            f"Re is {duct.number:.3g} on the hydraulic diameter of {facts.edge_label(duct.edge)}, "
            f"{duct.wide * 1e3:.3g} mm; ducts are turbulent from about {STIRRED:.0f} on, and laminar "
            "below 2100 (common practice).",
            duct.edge,
            "turbulence",
            cure=(("phenomena/turbulence", None),),
            cure_label="Leave turbulence out",
        )


def reaches(facts: Facts, duct: Duct) -> dict[str, float]:
    """y+ of the middle of the first cell, by a duct's friction, at every edge that the stream rubs
    against.
    """
    return {
        e: duct.reach(facts.edge_cell_depth(e))
        for e in facts.edges()
        if facts.kind(e, "turbulence") in ("wall", "rough wall")
    }


def _first_cell(facts: Facts) -> Iterator[Finding]:
    duct = strongest(facts)
    if duct is None or duct.number < STIRRED:
        return
    wanted = facts.settings("turbulence").get("first_cell")
    limit, fits = (REACH, FITS) if wanted is None else (LOOSE * wanted, wanted)
    reached = reaches(facts, duct)
    far = [e for e, reach in reached.items() if reach > limit]
    if not far:
        return
    size = 2 * fits * duct.kinematic / duct.friction
    worst = max(far, key=lambda e: reached[e])
    checked = (
        f"walls were checked to y+ {REACH:.0f}" if wanted is None else f"y+ {wanted:.3g} is wanted"
    )
    yield Finding(
        "doubt",
        "The first cell at walls reaches far into the stream.",
        f"At {facts.edge_label(worst)} its middle lies at about y+ {reached[worst]:.3g}, by the "
        f"friction of a duct as wide as {facts.edge_label(duct.edge)}; {checked}. Cells of "
        f"{size * 1e3:.3g} mm lie at y+ {fits:.3g}.",
        worst,
        "turbulence",
        cure=tuple((f"grid/refine/near_{e}", _thin(facts, e, size)) for e in far),
        cure_label=f"Refine at {len(far)} wall{'s' if len(far) > 1 else ''}",
    )


def _within_the_viscous_layer(facts: Facts) -> Iterator[Finding]:
    duct = strongest(facts)
    if facts.settings("turbulence")["model"] == SHEAR_STRESS or duct is None:
        return
    reached = reaches(facts, duct)
    near = min(reached, key=lambda e: reached[e], default="")
    if near and reached[near] < BEGINS:
        yield Finding(
            "doubt",
            "k-epsilon does not hold in the viscous layer.",
            f"At {facts.edge_label(near)} the first cell lies at about y+ {reached[near]:.3g}; cells "
            f"from y+ {BEGINS:.0f} on leave that layer to the law of the wall.",
            near,
            "turbulence",
            cure=(("phenomena/turbulence/model", SHEAR_STRESS),),
            cure_label="Take shear-stress transport",
        )


def _thin(facts: Facts, edge: str, deep: float) -> dict[str, str]:
    """Cells beside an edge that are so deep (m); thin across it only, where it runs along an axis."""
    low_x, low_y, high_x, high_y = facts.edge_bounds(edge)
    long = max(high_x - low_x, high_y - low_y)
    for axis, wide in (("x", high_x - low_x), ("y", high_y - low_y)):
        if wide <= FLAT * long:
            return {"place": edge, "size": f"{deep * 1e3:.3g} mm", "axis": axis}
    square = deep * facts.edge_cell_size(edge) / facts.edge_cell_depth(edge)
    return {"place": edge, "size": f"{square * 1e3:.3g} mm"}


def _nothing_stirs(facts: Facts) -> Iterator[Finding]:
    zones = facts.zones()
    enters = any(facts.through(e) == "in" for e in facts.edges())
    if enters or all(facts.start(z, "turbulence").get("energy", 0.0) > 0.0 for z in zones):
        return
    zone = zones[0]
    yield Finding(
        "stops",
        "Nothing says how strong eddies are at the start.",
        "No stream enters that would bring them; say it at the start.",
        zone,
        "turbulence",
        cure=(
            (
                f"start/{zone}/turbulence",
                {"kind": "given", "energy": "0.01 J/kg", "ratio": "10"},
            ),
        ),
        cure_label="Begin with weak ones",
    )


def _coarse_grains(facts: Facts) -> Iterator[Finding]:
    for edge in facts.edges():
        grain = facts.values(edge, "turbulence").get("grain", 0.0)
        if facts.kind(edge, "turbulence") == "rough wall" and grain > facts.cell_size():
            yield Finding(
                "doubt",
                f"The grains of {facts.edge_label(edge)} are larger than a cell.",
                f"They are {grain * 1e3:.3g} mm high; what lies between them is not told by a law for "
                "a wall seen from afar. Draw them, or take larger cells.",
                edge,
                "turbulence",
                cure=(("grid/size", f"{2 * grain * 1e3:.3g} mm"),),
                cure_label="Take larger cells",
            )


def _held_in_solids(facts: Facts) -> Iterator[Finding]:
    if facts.temperatures() and any(facts.blocked(z) for z in facts.zones()):
        zone = next(z for z in facts.zones() if facts.blocked(z))
        yield Finding(
            "doubt",
            "Heat between a turbulent stream and a solid is overrated.",
            "Walls that hold a temperature, a film or a flux pass heat by their law; between the "
            "stream and a zone that conducts, cells beside it are taken to be mixed as their middle "
            "is, unless the first cell is thin (y+ about 1).",
            zone,
            "turbulence",
        )


RULES = (
    AuditRule("hardly turbulent", _laminar),
    AuditRule("first cell", _first_cell),
    AuditRule("k-epsilon near walls", _within_the_viscous_layer),
    AuditRule("nothing stirs", _nothing_stirs),
    AuditRule("coarse grains", _coarse_grains),
    AuditRule("solids", _held_in_solids),
)
