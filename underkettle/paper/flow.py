"""Hand relations for laminar flow. Arguments and results in SI."""

from __future__ import annotations

from collections.abc import Sequence


def reynolds(density: float, speed: float, size: float, viscosity: float) -> float:
    """Inertia over viscous forces, density speed size / viscosity."""
    return density * speed * size / viscosity


def passing_time(volume: float, volume_flow: float) -> float:
    """Mean stay (s) of a stream: volume over volume flow."""
    return volume / volume_flow


def plane_poiseuille_drop(viscosity: float, flow_per_depth: float, length: float,
                          gap: float) -> float:
    """Pressure drop (Pa) of developed flow between plates: 12 mu Q' L / h^3.

    Source: Poiseuille's solution between parallel plates; Shah & London 1978, f Re = 24.
    """
    return 12.0 * viscosity * flow_per_depth * length / gap**3


def channel_drop(viscosity: float, flow_per_depth: float, step: float,
                 columns: Sequence[Sequence[float]]) -> float:
    """The same summed along a channel whose open gaps (m) vary; gaps side by side share the flow.

    columns : for each stretch of length `step`, the gaps open there.
    """
    total = 0.0
    for gaps in columns:
        conductance = sum(g**3 for g in gaps)
        if conductance <= 0.0:
            raise ValueError("the channel is closed somewhere")
        total += 12.0 * viscosity * flow_per_depth * step / conductance
    return total


def entrance_length(gap: float, reynolds_gap: float) -> float:
    """Length (m) until the stream between plates is developed to 99 % at the centre.

    From memory: Shah & London 1978, L / D_h = 0.011 Re_Dh, with D_h = 2 gap.
    """
    return 0.011 * (2.0 * reynolds_gap) * 2.0 * gap
