"""Hand relations for mass transfer, in SI; constants are from memory of the named source."""

from __future__ import annotations


def schmidt(viscosity: float, density: float, diffusivity: float) -> float:
    """Spreading of momentum over spreading of matter."""
    return viscosity / (density * diffusivity)


def peclet(speed: float, size: float, diffusivity: float) -> float:
    """Carrying over spreading."""
    return speed * size / diffusivity


def shared_out(amount: float, partition: float, first: float, second: float) -> tuple[float, float]:
    """Concentrations (mol/m3) in volumes of two fluids at rest with each other; partition : of that in
    the first over that in the second. Nernst 1891.
    """
    low = amount / (partition * first + second)
    return partition * low, low


def ball_left(diffusivity: float, radius: float, time: float) -> float:
    """Share of what it held that is left in a still ball whose surface is kept clean (Newman 1931)."""
    from math import exp, pi

    spread = pi**2 * diffusivity * time / radius**2
    if spread < 0.05:  # the series is slow: what it loses through a layer that is thin
        depth = (spread / pi**3) ** 0.5
        return 1.0 - 6.0 * depth + 3.0 * spread / pi**2
    return 6.0 / pi**2 * sum(exp(-(n**2) * spread) / n**2 for n in range(1, 60))


def damkoehler(rate: float, time: float) -> float:
    """First-order rate (1/s) times the stay (s)."""
    return rate * time


def reacts(damkoehler: float) -> str:
    """What a Damkoehler number says in words."""
    if damkoehler < 0.1:
        return "hardly reacts"
    return "nearly all reacts" if damkoehler > 10 else "reacts in part"


def sherwood_cylinder(reynolds: float, schmidt: float) -> float:
    """Mean Sherwood number of a cylinder across a stream, on its diameter.

    Churchill & Bernstein 1977, J. Heat Transfer 99, for heat; used for matter by analogy.
    Range: Re Sc > 0.2.
    """
    spread = 0.62 * reynolds**0.5 * schmidt ** (1 / 3) / (1 + (0.4 / schmidt) ** (2 / 3)) ** 0.25
    return 0.3 + spread * (1 + (reynolds / 282000.0) ** 0.625) ** 0.8


def sherwood_leveque_plates(
    reynolds_dh: float, schmidt: float, hydraulic: float, length: float
) -> float:
    """Mean Sherwood number on D_h over a wall of `length` in developed flow between plates.

    Leveque 1928 for plane flow: 1.849 (Re Sc D_h / L)^(1/3). Range: Re Sc D_h / L > 200.
    """
    return float(1.849 * (reynolds_dh * schmidt * hydraulic / length) ** (1 / 3))


def sherwood_leveque_pipe(reynolds: float, schmidt: float, diameter: float, length: float) -> float:
    """Mean Sherwood number over a wall of `length` in developed pipe flow.

    Leveque 1928: 1.615 (Re Sc d / L)^(1/3). Range: Re Sc d / L > 200.
    """
    return float(1.615 * (reynolds * schmidt * diameter / length) ** (1 / 3))


def plate_coefficient(
    speed: float, kinematic_viscosity: float, diffusivity: float, start: float, end: float
) -> float:
    """Mean transfer coefficient (m/s) of a plate from `start` to `end` (m behind its leading edge)
    in an open laminar stream that was idle before `start`.

    Pohlhausen 1921: Sh_x = .332 Re_x^(1/2) Sc^(1/3), with the factor (1 - (start/x)^(3/4))^(-1/3)
    for an idle stretch (Eckert, from memory). Range: Re below 5e5, Sc above 0.6.
    """
    import numpy as np

    s = (np.arange(400) + 0.5) / 400
    x = start + (end - start) * s**2  # close to where it begins, where the integrand is steep
    sc = kinematic_viscosity / diffusivity
    local = 0.332 * np.sqrt(speed / (kinematic_viscosity * x)) * sc ** (1 / 3) * diffusivity
    idle = np.where(start > 0, (1 - (start / x) ** 0.75) ** (-1 / 3), 1.0)
    return float((local * idle * 2 * s).mean())


def mixing_cup(amount_flow: float, volume_flow: float) -> float:
    """Flow-weighted mean (mol/m3) of a stream that carries amount_flow (mol/s)."""
    return amount_flow / volume_flow


def decay_left(rate: float, time: float) -> float:
    """Share left after a first-order loss in plug flow."""
    from math import exp

    return exp(-rate * time)
