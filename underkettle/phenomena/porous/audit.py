"""What is worth questioning about porous matter before a run."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding, Given
from underkettle.paper.flow import reynolds
from underkettle.phenomena.porous.matter import Held, held
from underkettle.quantities import NOWHERE
from underkettle.quantities.words import upper_first
from underkettle.sums.sum import SumError

FEW_CELLS = 3
PACKED = (0.3, 0.6)  # porosities that grains can be packed to; common practice
MATS = (0.7, 0.994)  # that Davies measured
SLOWEST_PORES = 1.0  # Reynolds number on the root of permeability above which inertia is felt
AIR_PRESSURE, LIGHT, GAS_SHARE = 101325.0, 50.0, 0.1
BOUNDED = ("porosity", "grain", "thread", "permeability", "across")
HIGHEST = 1e8  # Pa, more than a process vessel is built for; common practice


def beds(facts: Facts) -> list[str]:
    """Zones in which matter stands."""
    return [z for z in facts.zones() if facts.kind(z, "porous") not in ("", "open")]


def resists(facts: Facts, zone: str) -> Held | None:
    """What a zone holds back, formulas as their mean; None where it cannot be told."""
    values = facts.values(zone, "porous")
    try:
        return held(Given(facts.kind(zone, "porous"), values), NOWHERE)
    except (SumError, ZeroDivisionError, KeyError):
        return None


def stream_speed(facts: Facts) -> float | None:
    """The mean speed (m/s) of what is let in, over the widest opening; None where nothing says."""
    total = facts.inflow()
    if total <= 0:
        return None
    return total / max(facts.edge_area(e) for e in facts.edges() if facts.stream(e))


def _nowhere(facts: Facts) -> Iterator[Finding]:
    if not beds(facts):
        yield Finding(
            "doubt",
            "Porous matter stands nowhere.",
            "Every zone is open: say which one is filled, or leave porous matter out.",
            column="porous",
            cure=(("phenomena/porous", None),),
            cure_label="Leave it out",
        )


def _no_stream(facts: Facts) -> Iterator[Finding]:
    if beds(facts) and not facts.carried() and not facts.held_back():
        yield Finding(
            "doubt",
            "Nothing flows through the porous matter.",
            "It holds back a stream and spreads what one carries; none is switched on.",
            beds(facts)[0],
            "porous",
        )


def _beyond(facts: Facts) -> Iterator[Finding]:
    for zone in beds(facts):
        kind, open_ = facts.kind(zone, "porous"), facts.values(zone, "porous").get("porosity", 1.0)
        low, high = {"grains": PACKED, "fibres": MATS}.get(kind, (0.0, 1.0))
        if low <= open_ <= high:
            continue
        source = "Ergun's" if kind == "grains" else "Davies'"
        nearest = min((low, high), key=lambda v: abs(v - open_))
        yield Finding(
            "doubt",
            f"{facts.edge_label(zone)} is {100 * open_:.3g} % open, beyond what {source} relation "
            "was made for.",
            f"It holds from {low:g} to {high:g}.",
            zone,
            "porous",
            cure=((f"conditions/{zone}/porous/porosity", nearest),),
            cure_label=f"Take {nearest:g}",
        )


def _out_of_bounds(facts: Facts) -> Iterator[Finding]:
    """Formulas that leave what a number must lie within, somewhere in their zone."""
    for zone in beds(facts):
        for name, value in facts.values(zone, "porous").items():
            most = 1.0 if name == "porosity" else np.inf
            if name not in BOUNDED or not isinstance(value, float):
                continue
            low, high = facts.span(zone, "porous", name)
            if low <= high and not (low > 0 and high <= most):
                wrong = low if low <= 0 else high
                yield Finding(
                    "stops",
                    f"The {name} of {facts.edge_label(zone)} comes to {wrong:.3g} somewhere.",
                    "It lies above 0 everywhere" + (", and not above 1." if most == 1 else "."),
                    zone,
                    "porous",
                )


def _thin(facts: Facts) -> Iterator[Finding]:
    mesh = facts.mesh
    for zone in beds(facts):
        cells = mesh.zone_cells(zone)[0]
        if not cells.any():
            continue
        across = [int(cells.sum(axis=axis).max()) for axis in (0, 1)]
        if min(across) < FEW_CELLS:
            size = facts.cell_size() * min(across) / (FEW_CELLS + 1)
            yield Finding(
                "doubt",
                f"{facts.edge_label(zone)} is only {min(across)} cell(s) thick.",
                f"What holds back is then smeared over its neighbours; {FEW_CELLS} or more show it.",
                zone,
                "porous",
                cure=(("grid/size", f"{size * 1e3:.3g} mm"),),
                cure_label="Refine the grid",
            )


def _fast_pores(facts: Facts) -> Iterator[Finding]:
    speed, medium = stream_speed(facts), facts.medium()
    if speed is None or medium is None:
        return
    density, viscosity = medium
    for zone in beds(facts):
        found = resists(facts, zone)
        if found is None or facts.kind(zone, "porous") not in ("permeable", "fibres"):
            continue
        if any(found.fast):
            continue
        number = reynolds(density, speed, float(1 / np.sqrt(found.slow[0])), viscosity)
        if number > SLOWEST_PORES:
            yield Finding(
                "doubt",
                f"{facts.edge_label(zone)} is passed too quickly for Darcy's law alone.",
                f"The Reynolds number on the root of its permeability is {number:.2g}; above "
                f"{SLOWEST_PORES:g} inertia is felt, and no inertial resistance is given.",
                zone,
                "porous",
            )


def _too_tight(facts: Facts) -> Iterator[Finding]:
    """The drop of what is let in, if all of it had to pass a layer as thick as the zone is thin."""
    speed, medium = stream_speed(facts), facts.medium()
    if speed is None or medium is None:
        return
    density, viscosity = medium
    for zone in beds(facts):
        found = resists(facts, zone)
        cells = facts.mesh.zone_cells(zone)[0]
        if found is None or not cells.any() or not _fills(facts, zone):
            continue
        thick = min(int(cells.sum(axis=a).max()) for a in (0, 1)) * facts.cell_size()
        slow, fast = min(found.slow), min(found.fast)
        drop = (viscosity * slow + density * fast * speed) * speed * thick
        gas = density < LIGHT
        most = GAS_SHARE * AIR_PRESSURE if gas else HIGHEST
        if drop > most:
            yield Finding(
                "doubt" if gas else "contradiction",
                f"{facts.edge_label(zone)} would take a drop of {drop:.2g} Pa.",
                "A gas would swell on its way by more than is reckoned with."
                if gas
                else "No process vessel is built for that; look at its permeability and the inflow.",
                zone,
                "porous",
            )


def _fills(facts: Facts, zone: str) -> bool:
    """Whether a zone leaves no way round it: cut out, it parts the vessel."""
    from scipy.ndimage import label

    mesh = facts.mesh
    rest = mesh.live[0] & ~mesh.zone_cells(zone)[0]
    return int(label(rest)[1]) != 1


def _measured(facts: Facts) -> Iterator[Finding]:
    """Layers that cannot be, by what was measured of them or how they are woven."""
    for zone in beds(facts):
        kind, values = facts.kind(zone, "porous"), facts.values(zone, "porous")
        if kind not in ("measured drop", "meshes"):
            continue
        try:
            held(Given(kind, values), NOWHERE)
        except SumError as error:
            yield Finding(
                "stops",
                f"{facts.edge_label(zone)}: no layer is like that.",
                f"{upper_first(str(error))}.",
                zone,
                "porous",
            )


def _cold_solid(facts: Facts) -> Iterator[Finding]:
    if not facts.temperatures():
        return
    for zone in beds(facts):
        values = facts.values(zone, "porous")
        if values.get("porosity", 1.0) < 1 and not (
            values.get("solid_heat") and values.get("solid_density")
        ):
            yield Finding(
                "doubt",
                f"The solid of {facts.edge_label(zone)} holds no heat.",
                "Its heat capacity and density are not given, so it warms at once; at rest that is "
                "all the same.",
                zone,
                "porous",
                cure=(
                    (f"conditions/{zone}/porous/solid_heat", "800 J/(kg K)"),
                    (f"conditions/{zone}/porous/solid_density", "2500 kg/m3"),
                ),
                cure_label="Take those of glass (common practice)",
            )


RULES = (
    AuditRule("stands nowhere", _nowhere),
    AuditRule("no stream", _no_stream),
    AuditRule("beyond the relation", _beyond),
    AuditRule("out of bounds", _out_of_bounds),
    AuditRule("few cells", _thin),
    AuditRule("inertia left out", _fast_pores),
    AuditRule("drop too large", _too_tight),
    AuditRule("measured drop", _measured),
    AuditRule("solid without heat", _cold_solid),
)
