"""Hand estimates for heat."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Paper
from underkettle.paper import heat, transfer


def _capacity_flow(facts: Any) -> tuple[float, float] | None:
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


def _viscosity(facts: Any) -> float | None:
    for column in facts.carrier_columns():
        return float(facts.settings(column)["viscosity"])
    return None


def _pr(facts: Any, readout: Any) -> Estimate | None:
    s, viscosity = facts.settings("heat"), _viscosity(facts)
    if viscosity is None or s["conductivity"] <= 0:
        return None
    return Estimate(heat.prandtl(viscosity, s["heat_capacity"], s["conductivity"]))


def _outlet(facts: Any, readout: Any) -> Estimate | None:
    """Outlet temperature: fluxes and sources, then approach to held walls with a Nusselt number."""
    if readout.kind != "mean" or readout.field != "temperature" or readout.weight != "flow":
        return None
    stream, s = _capacity_flow(facts), facts.settings("heat")
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
        kind = facts.kind(edge, "heat")
        if kind not in ("held temperature", "film") or not facts.edge_is_straight(edge):
            continue
        values = facts.values(edge, "heat")
        length, bounds = facts.edge_length(edge), facts.edge_bounds(edge)
        gaps = facts.wall_column(0.5 * (bounds[0] + bounds[2]))
        gap = sum(high - low for low, high in gaps)
        area = sum(facts.section(*g) for g in gaps)
        if gap <= 0 or bounds[0] == bounds[2]:
            return None
        diffusivity = s["conductivity"] / (s["density"] * s["heat_capacity"])
        speed = flow / (s["density"] * s["heat_capacity"]) / area
        pipe = facts.round() and gaps[0][0] <= 0
        size = 2 * gap
        graetz = transfer.peclet(speed, size, diffusivity) * size / length
        number = heat.nusselt_pipe(graetz) if pipe else heat.nusselt_plates(graetz)
        coefficient = number * s["conductivity"] / size
        if kind == "film":
            coefficient = heat.in_series(coefficient, values["film"])
        wall = values["value"] if kind == "held temperature" else values["ambient"]
        temperature = heat.towards_wall(temperature, wall, coefficient * facts.edge_area(edge),
                                        flow)
        inside &= pipe or len(gaps) == 1
    return Estimate(temperature, inside, "heat balance; developed laminar flow at held walls")


PAPERS = (
    Paper("Prandtl number", r"Pr=\mu c_p/\lambda", "ratio of spreading of momentum and heat", "any",
          "number", _pr, regime="Pr"),
    Paper("Heat balance and Nusselt number", r"T_{out}=T_w+(T_{in}-T_w)e^{-\alpha A/\dot C},\;"
          r"Nu(Gz)", "Hausen 1943 (pipe), Stephan 1959 (plates), from memory",
          "developed laminar flow", "temperature", _outlet),
)
