"""Hand estimates for species."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper import transfer
from underkettle.paper.exchange import spreading_time


def _stream(facts: Facts) -> tuple[float, float, float] | None:
    """Volume flow (m3/s), density and viscosity of the stream, when one is given."""
    columns = facts.carriers()
    total = facts.inflow()
    found = facts.settings(columns[0]) if columns else None
    if found is None or total <= 0:
        return None
    return total, float(found["density"]), float(found["viscosity"])


def _peclet(facts: Facts, readout: Any) -> Estimate | None:
    stream = _stream(facts)
    if stream is None:
        return None
    name, settings = next(iter(facts.settings("species")["members"].items()))
    gap = min(facts.size())
    if settings["diffusivity"] <= 0:
        return None
    if facts.round():
        gap *= 2
    speed = stream[0] / facts.section(0.0, min(facts.size()))
    return Estimate(
        transfer.peclet(speed, gap, settings["diffusivity"]),
        note=f"{name} across the vessel's shorter side",
    )


def _schmidt(facts: Facts, readout: Any) -> Estimate | None:
    stream = _stream(facts)
    settings = next(iter(facts.settings("species")["members"].values()))
    if stream is None or settings["diffusivity"] <= 0:
        return None
    return Estimate(transfer.schmidt(stream[2], stream[1], settings["diffusivity"]))


def _released(facts: Facts, member: str, only: str = "") -> Estimate | None:
    """Release (mol/s) by edges held at a value, each by the relation that fits its shape: a plate
    in an open stream, a wall of a channel or pipe, a body in the stream.
    """
    if facts.stirred():
        return None  # relations here are those of laminar streams
    stream = _stream(facts)
    settings = facts.settings("species")["members"].get(member)
    if stream is None or settings is None or settings["diffusivity"] <= 0:
        return None
    flow, density, viscosity = stream
    diffusivity, column = settings["diffusivity"], f"species.{member}"
    sc = transfer.schmidt(viscosity, density, diffusivity)
    total, inside, used = 0.0, True, False
    arriving = _carried_in(facts, member) / flow
    for edge in facts.edges():
        if facts.kind(edge, column) != "held value" or (only and edge != only):
            continue
        length, bounds = facts.edge_length(edge), facts.edge_bounds(edge)
        gaps = facts.wall_column(0.5 * (bounds[0] + bounds[2]))
        gaps = [
            g
            for g in gaps  # what lies within the part is dead water
            if not (bounds[1] < g[0] and g[1] < bounds[3])
        ]
        gap = sum(high - low for low, high in gaps)
        if gap <= 0:
            return None
        speed = flow / sum(facts.section(*g) for g in gaps)
        if facts.edge_is_straight(edge) and facts.open_stream() and bounds[1] == bounds[3]:
            start = facts.size_box()[0]
            coefficient = transfer.plate_coefficient(
                speed, viscosity / density, diffusivity, bounds[0] - start, bounds[2] - start
            )
            inside &= density * speed * (bounds[2] - start) / viscosity < 5e5 and sc > 0.6
        elif facts.edge_is_straight(edge):
            re = density * speed * 2 * gap / viscosity
            pipe = facts.round() and len(gaps) == 1 and gaps[0][0] <= 0
            relation = transfer.sherwood_leveque_pipe if pipe else transfer.sherwood_leveque_plates
            number = relation(re, sc, 2 * gap, length)
            inside &= re * sc * 2 * gap / length > 200
            coefficient = number * diffusivity / (2 * gap)
        else:
            size = length / np.pi
            re = density * speed * size / viscosity
            number = transfer.sherwood_cylinder(re, sc)
            inside &= re * sc > 0.2
            coefficient = number * diffusivity / size
        value = facts.values(edge, column)["value"] - arriving
        total += coefficient * facts.edge_area(edge) * value
        used = True
    note = "into the stream as it comes, each place by itself"
    return Estimate(total, inside, note) if used else None


def layer_thickness(facts: Facts, member: str, edge: str) -> float | None:
    """Diffusivity over transfer coefficient (m) on an edge held at a value, None elsewhere."""
    settings = facts.settings("species")["members"][member]
    values = facts.values(edge, f"species.{member}")
    if facts.kind(edge, f"species.{member}") != "held value" or not values.get("value"):
        return None
    released = _released(facts, member, edge)
    if released is None or released.value == 0:
        return None
    area = facts.edge_area(edge)
    return float(settings["diffusivity"] * area * values["value"] / released.value)


def _carried_in(facts: Facts, member: str) -> float:
    column = f"species.{member}"
    return sum(
        (facts.stream(edge) or 0.0) * facts.values(edge, column)["value"]
        for edge in facts.edges()
        if facts.kind(edge, column) == "carried in"
    )


def _through(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "through" or readout.place not in facts.edges():
        return None
    if readout.quantity is None:
        return None
    held = facts.kind(readout.place, f"species.{readout.quantity}") == "held value"
    if held and readout.counts == "in":
        return _released(facts, readout.quantity, readout.place)
    if facts.through(readout.place) != "out" or readout.counts != "out":
        return None
    if sum(facts.through(e) == "out" for e in facts.edges()) > 1:
        return None  # what leaves by which way is more than a balance can tell
    released = _released(facts, readout.quantity)
    if released is None:
        return None
    return Estimate(
        released.value + _carried_in(facts, readout.quantity), released.inside, released.note
    )


def _transfer(facts: Facts, readout: Any) -> Estimate | None:
    """The coefficient, or Sherwood number, of an edge held at a value."""
    if readout.kind != "transfer" or readout.place not in facts.edges():
        return None
    settings = facts.settings("species")["members"].get(readout.quantity)
    released = _released(facts, readout.quantity, readout.place)
    stream = _stream(facts)
    if settings is None or released is None or stream is None:
        return None
    held = facts.values(readout.place, f"species.{readout.quantity}")["value"]
    reference = _carried_in(facts, readout.quantity) / stream[0]
    if readout.reference is not None:
        reference = facts.measure(readout.reference, "concentration")
    if held == reference:
        return None
    value = released.value / (facts.edge_area(readout.place) * (held - reference))
    if readout.length is not None:
        value *= facts.measure(readout.length, "length") / settings["diffusivity"]
    return Estimate(value, released.inside, released.note)


def _mean(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "mean" or readout.weight != "flow" or readout.field is None:
        return None
    stream = _stream(facts)
    released = _released(facts, readout.field)
    if released is None or stream is None or facts.through(readout.place or "") != "out":
        return None
    amount = released.value + _carried_in(facts, readout.field)
    return Estimate(transfer.mixing_cup(amount, stream[0]), released.inside, released.note)


def _loss(facts: Facts, member: str) -> float:
    """First-order loss (1/s) where it is the same in every zone, else nought."""
    rates = {facts.values(z, f"species.{member}").get("loss", 0.0) for z in facts.zones()}
    return float(rates.pop()) if len(rates) == 1 else 0.0


def _reacted(facts: Facts, readout: Any) -> Estimate | None:
    """Outlet mean after a first-order loss on the way, in plug flow."""
    if readout.kind != "mean" or readout.weight != "flow" or readout.field is None:
        return None
    member, stream = readout.field, _stream(facts)
    if stream is None or facts.through(readout.place or "") != "out":
        return None
    rate = _loss(facts, member)
    if rate <= 0 or any(facts.kind(e, f"species.{member}") == "held value" for e in facts.edges()):
        return None
    number = transfer.damkoehler(rate, facts.stream_volume() / stream[0])
    entering = _carried_in(facts, member) / stream[0]
    return Estimate(
        entering * transfer.decay_left(number, 1.0),
        number < 1.0,
        f"plug flow; a stirred vessel leaves {entering / (1 + number):.3g} mol/m3",
    )


def _da(facts: Facts, readout: Any) -> Estimate | None:
    stream = _stream(facts)
    members = facts.settings("species")["members"]
    rates = {m: _loss(facts, m) for m in members}
    name = max(rates, key=lambda m: rates[m])
    if stream is None or rates[name] <= 0:
        return None
    return Estimate(
        transfer.damkoehler(rates[name], facts.stream_volume() / stream[0]),
        note=f"{name}, on the mean stay",
    )


def _across(facts: Facts, readout: Any) -> Estimate | None:
    """Time to spread across the shorter side."""
    name, settings = next(iter(facts.settings("species")["members"].items()))
    if settings["diffusivity"] <= 0:
        return None
    return Estimate(
        spreading_time(min(facts.size()), settings["diffusivity"]),
        note=f"{name}, across the vessel's shorter side",
    )


PAPERS = (
    Paper(
        "Plug flow with a first-order loss",
        r"\bar c=c_{in}\,e^{-k\tau}",
        "Levenspiel, from memory",
        "Da below 1, where the stirred vessel hardly differs",
        "concentration",
        _reacted,
    ),
    Paper(
        "Damkoehler number",
        r"Da=k\tau",
        "ratio of stay to reaction time",
        "first order",
        "number",
        _da,
        regime="Da",
        verdict=transfer.reacts,
    ),
    Paper(
        "Time to spread across",
        r"t=L^2/D",
        "scaling",
        "order of size",
        "time",
        _across,
        regime="L2/D",
    ),
    Paper(
        "Peclet number",
        r"Pe=u h/D",
        "ratio of carrying to spreading",
        "any",
        "number",
        _peclet,
        regime="Pe",
        verdict=lambda v: "carried, not spread" if v > 100 else "spreading matters",
    ),
    Paper(
        "Schmidt number",
        r"Sc=\mu/(\rho D)",
        "ratio of spreading of momentum and matter",
        "any",
        "number",
        _schmidt,
        regime="Sc",
    ),
    Paper(
        "Plate, channel wall or body in the stream",
        r"\dot n=\textstyle\sum Sh\,D/d\;A\,c",
        "Churchill & Bernstein 1977 by analogy; Leveque 1928",
        "Re Sc above 0.2; Re Sc D_h / L above 200",
        "amount flow",
        _through,
    ),
    Paper(
        "Plate, channel wall or body in the stream",
        r"Sh=\beta d/D",
        "Churchill & Bernstein 1977 by analogy; Leveque 1928; Pohlhausen 1921",
        "Re Sc above 0.2; Re Sc D_h / L above 200; Re_x below 5e5",
        "number",
        _transfer,
    ),
    Paper(
        "Release over volume flow",
        r"\bar c=\dot n/Q",
        "mixing-cup mean",
        "as the release",
        "concentration",
        _mean,
    ),
)
