"""Hand relations for laminar flow. Arguments and results in SI."""

from __future__ import annotations

from collections.abc import Sequence
from math import log, pi


def reynolds(density: float, speed: float, size: float, viscosity: float) -> float:
    """Inertia over viscous forces, density speed size / viscosity."""
    return density * speed * size / viscosity


def passing_time(volume: float, volume_flow: float) -> float:
    """Mean stay (s) of a stream: volume over volume flow."""
    return volume / volume_flow


def spin_time(radius: float, kinematic: float) -> float:
    """Time (s) in which a turning stream in a still pipe loses all but 1/e of its swirl.

    The slowest mode of the heat equation for angular speed; 3.8317 is the first zero of J1
    (standard; from memory). kinematic : viscosity over density (m2/s).
    """
    return radius**2 / (3.8317**2 * kinematic)


def plane_poiseuille_drop(
    viscosity: float, flow_per_depth: float, length: float, gap: float
) -> float:
    """Pressure drop (Pa) of developed flow between plates: 12 mu Q' L / h^3.

    Source: Poiseuille's solution between parallel plates; Shah & London 1978, f Re = 24.
    """
    return 12.0 * viscosity * flow_per_depth * length / gap**3


def plane_conductance(depth: float, gap: float) -> float:
    """Volume flow (m3/s) between plates per pressure gradient over viscosity: depth h^3 / 12."""
    return depth * gap**3 / 12.0


def round_conductance(inner: float, outer: float) -> float:
    """The same for a pipe (inner = 0) or an annulus, radii in m.

    Source: Hagen-Poiseuille, pi R^4 / 8; Lamb's solution for the annulus (standard; from memory).
    """
    if inner <= 1e-9 * outer:
        return pi * outer**4 / 8.0
    squares = outer**2 - inner**2
    return pi / 8.0 * (outer**4 - inner**4 - squares**2 / log(outer / inner))


def channel_drop(
    viscosity: float, volume_flow: float, step: float, columns: Sequence[Sequence[float]]
) -> float:
    """Pressure drop (Pa) along a channel of changing width; openings side by side share the flow.

    columns : for each stretch of length `step` (m), the conductances (m4) of what is open there.
    """
    total = 0.0
    for openings in columns:
        conductance = sum(openings)
        if conductance <= 0.0:
            raise ValueError("the channel is closed somewhere")
        total += viscosity * volume_flow * step / conductance
    return total


def entrance_length(gap: float, reynolds_gap: float) -> float:
    """Length (m) until the stream between plates is developed to 99 % at the centre.

    From memory: Shah & London 1978, L / D_h = 0.011 Re_Dh, with D_h = 2 gap.
    """
    return 0.011 * (2.0 * reynolds_gap) * 2.0 * gap
