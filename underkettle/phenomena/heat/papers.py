"""Hand estimates for heat."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper import exchange, heat, transfer


def _capacity_flow(facts: Facts) -> tuple[float, float] | None:
    """Capacity flow (W/K) of all that enters and its mixing-cup temperature (K)."""
    s = facts.settings("heat")
    flow, warmth = 0.0, 0.0
    for edge in facts.edges():
        if facts.through(edge) != "in" or facts.kind(edge, "heat") != "carried in":
            continue
        volume = facts.stream(edge) or 0.0
        flow += volume
        warmth += volume * facts.values(edge, "heat")["value"]
    if flow <= 0:
        return None
    return flow * s["density"] * s["heat_capacity"], warmth / flow


def _viscosity(facts: Facts) -> float | None:
    for column in facts.carriers():
        return float(facts.settings(column)["viscosity"])
    return None


def _pr(facts: Facts, readout: Any) -> Estimate | None:
    s, viscosity = facts.settings("heat"), _viscosity(facts)
    if viscosity is None or s["conductivity"] <= 0:
        return None
    return Estimate(heat.prandtl(viscosity, s["heat_capacity"], s["conductivity"]))


def _coefficient(facts: Facts, edge: str, flow: float) -> tuple[float, bool] | None:
    """Mean coefficient (W/(m2 K)) of a straight wall along x, its film included, for a stream of
    this capacity flow (W/K); and whether the relation fits.
    """
    bounds, s = facts.edge_bounds(edge), facts.settings("heat")
    gaps = facts.wall_column(0.5 * (bounds[0] + bounds[2]))
    gap = sum(high - low for low, high in gaps)
    area = sum(facts.section(*g) for g in gaps)
    if gap <= 0 or bounds[0] == bounds[2] or not facts.edge_is_straight(edge):
        return None
    diffusivity = s["conductivity"] / (s["density"] * s["heat_capacity"])
    speed = flow / (s["density"] * s["heat_capacity"]) / area
    pipe = facts.round() and gaps[0][0] <= 0
    mirrored = any(
        facts.slips(e) and facts.edge_bounds(e)[1] == facts.edge_bounds(e)[3]
        for e in facts.edges()
        if e != edge
    )
    size = 4 * gap if mirrored and not pipe else 2 * gap
    graetz = transfer.peclet(speed, size, diffusivity) * size / facts.edge_length(edge)
    number = heat.nusselt_pipe(graetz) if pipe else heat.nusselt_plates(graetz)
    medium = facts.medium()
    if facts.stirred() and medium is not None:
        kinematic = medium[1] / medium[0]
        number = exchange.gnielinski(speed * size / kinematic, kinematic / diffusivity)
    coefficient = number * s["conductivity"] / size
    if facts.kind(edge, "heat") == "film":
        coefficient = heat.in_series(coefficient, facts.values(edge, "heat")["film"])
    return coefficient, pipe or len(gaps) == 1


def _transfer(facts: Facts, readout: Any) -> Estimate | None:
    """Coefficient, or Nusselt number, of a held wall, on the difference to what enters."""
    if readout.kind != "transfer" or readout.quantity != "heat":
        return None
    place, stream = readout.place or "", _capacity_flow(facts)
    if stream is None or facts.kind(place, "heat") != "held temperature":
        return None
    flow, entering = stream
    found = _coefficient(facts, place, flow)
    held = facts.values(place, "heat")["value"]
    if found is None or held == entering:
        return None
    reference = entering
    if readout.reference is not None:
        reference = facts.measure(readout.reference, "temperature")
    elif facts.through(readout.to or "") != "in":
        return None
    area = facts.edge_area(place)
    warmed = heat.towards_wall(entering, held, found[0] * area, flow)
    value = flow * (warmed - entering) / (area * (held - reference))
    if readout.length is not None:
        value *= facts.measure(readout.length, "length") / facts.settings("heat")["conductivity"]
    return Estimate(value, found[1], "developed laminar flow, on the entering stream")


def _outlet(facts: Facts, readout: Any) -> Estimate | None:
    """Outlet temperature: fluxes and sources, then approach to held walls with a Nusselt number."""
    if readout.kind != "mean" or readout.field != "temperature" or readout.weight != "flow":
        return None
    stream = _capacity_flow(facts)
    if stream is None or facts.through(readout.place or "") != "out":
        return None
    flow, temperature = stream
    power, inside = 0.0, True
    for edge in facts.edges():
        if facts.kind(edge, "heat") == "heat flux":
            power += facts.values(edge, "heat")["flux"] * facts.edge_area(edge)
    for zone in facts.zones():
        if facts.kind(zone, "heat") == "made":
            power += facts.values(zone, "heat")["source"] * facts.open_volume()
    temperature = heat.warmed_stream(temperature, power, flow)
    for edge in facts.edges():
        if facts.kind(edge, "heat") not in ("held temperature", "film"):
            continue
        found = _coefficient(facts, edge, flow)
        if found is None:
            return None
        values = facts.values(edge, "heat")
        wall = values["value"] if "value" in values else values["ambient"]
        temperature = heat.towards_wall(temperature, wall, found[0] * facts.edge_area(edge), flow)
        inside &= found[1]
    return Estimate(temperature, inside, "heat balance; developed laminar flow at held walls")


def _given_up(facts: Facts, readout: Any) -> Estimate | None:
    """Heat through a wall held at a temperature, or through its film, by the stream it warms."""
    if readout.kind != "through" or readout.quantity != "heat":
        return None
    place, stream = readout.place or "", _capacity_flow(facts)
    if (
        stream is None
        or place not in facts.edges()
        or (facts.kind(place, "heat") not in ("held temperature", "film"))
    ):
        return None
    flow, entering = stream
    found = _coefficient(facts, place, flow)
    if found is None:
        return None
    values = facts.values(place, "heat")
    warmed = heat.towards_wall(
        entering,
        values.get("value", values.get("ambient")),
        found[0] * facts.edge_area(place),
        flow,
    )
    outward = {"out": -1.0, "in": 1.0}[readout.counts]
    return Estimate(
        outward * flow * (warmed - entering), found[1], "developed laminar flow, this wall alone"
    )


def _graetz(facts: Facts, readout: Any) -> Estimate | None:
    stream, s = _capacity_flow(facts), facts.settings("heat")
    if stream is None or s["conductivity"] <= 0 or facts.open_stream():
        return None
    if facts.stirred():
        return None
    size, length = sorted(facts.size())
    if facts.round():
        size *= 2
    area = facts.section(0.0, min(facts.size()))
    speed = stream[0] / (s["density"] * s["heat_capacity"]) / area
    diffusivity = s["conductivity"] / (s["density"] * s["heat_capacity"])
    return Estimate(
        transfer.peclet(speed, size, diffusivity) * size / length,
        note="on the shorter side and the whole length",
    )


def _side_heated(facts: Facts, readout: Any) -> Estimate | None:
    """Nusselt number, or coefficient, between two upright walls of a closed vessel."""
    if readout.kind != "transfer" or readout.quantity != "heat" or _capacity_flow(facts):
        return None
    walls = [
        e
        for e in facts.edges()
        if facts.kind(e, "heat") == "held temperature"
        and facts.edge_bounds(e)[0] == facts.edge_bounds(e)[2]
    ]
    pull = facts.weight()
    if len(walls) != 2 or pull is None or readout.place not in walls or pull[0] != 0:
        return None
    warm = [facts.values(w, "heat")["value"] for w in walls]
    s, viscosity = facts.settings("heat"), _viscosity(facts)
    gap, height = facts.size()
    if viscosity is None or warm[0] == warm[1]:
        return None
    diffusivity = s["conductivity"] / (s["density"] * s["heat_capacity"])
    number = heat.rayleigh(
        abs(pull[1]), pull[2], abs(warm[0] - warm[1]), gap, viscosity / s["density"], diffusivity
    )
    prandtl = heat.prandtl(viscosity, s["heat_capacity"], s["conductivity"])
    nusselt = exchange.side_heated(number, prandtl, height / gap)
    value = nusselt if readout.length is not None else nusselt * s["conductivity"] / gap
    return Estimate(
        value,
        1 <= height / gap <= 10 and number * prandtl / (0.2 + prandtl) > 1e3,
        "closed vessel, upright walls held, the others without loss",
    )


PAPERS = (
    Paper(
        "Graetz number",
        r"Gz=Pe\,d/L",
        "ratio of warming time to stay",
        "laminar",
        "number",
        _graetz,
        regime="Gz",
        verdict=lambda v: (
            "warmed through" if v < 1 else "warm only near walls" if v > 100 else "warmed in part"
        ),
    ),
    Paper(
        "Heat balance of a held wall",
        r"\dot Q=\dot C(T_w-T_{in})(1-e^{-\alpha A/\dot C})",
        "Hausen 1943 (pipe), Stephan 1959 (plates); Gnielinski 1976 where eddies stir; from memory",
        "developed flow",
        "power",
        _given_up,
    ),
    Paper(
        "Between upright walls",
        r"Nu=0.18\left(\tfrac{Pr\,Ra}{0.2+Pr}\right)^{0.29}",
        "Catton 1978, from memory",
        "height over gap 1 to 10",
        "number",
        _side_heated,
    ),
    Paper(
        "Prandtl number",
        r"Pr=\mu c_p/\lambda",
        "ratio of spreading of momentum and heat",
        "any",
        "number",
        _pr,
        regime="Pr",
    ),
    Paper(
        "Heat balance and Nusselt number",
        r"T_{out}=T_w+(T_{in}-T_w)e^{-\alpha A/\dot C},\;"
        r"Nu(Gz)",
        "Hausen 1943 (pipe), Stephan 1959 (plates); Gnielinski 1976 where eddies stir; from memory",
        "developed flow",
        "temperature",
        _outlet,
    ),
    Paper(
        "Nusselt number on the entering stream",
        r"Nu_{in}=\frac{\dot C d}{A\lambda}\left(1-e^{-\alpha A/\dot C}\right)",
        "Hausen 1943 (pipe), Stephan 1959 (plates); Gnielinski 1976 where eddies stir; from memory",
        "developed flow",
        "number",
        _transfer,
    ),
)
