"""Hand relations for heat, in SI; constants are from memory of the named source."""

from __future__ import annotations


def prandtl(viscosity: float, heat_capacity: float, conductivity: float) -> float:
    """Spreading of momentum over spreading of heat."""
    return viscosity * heat_capacity / conductivity


def rayleigh(
    gravity: float,
    expansion: float,
    difference: float,
    size: float,
    kinematic_viscosity: float,
    diffusivity: float,
) -> float:
    """Buoyancy over what holds it back."""
    return gravity * expansion * difference * size**3 / (kinematic_viscosity * diffusivity)


def warmed_stream(inlet: float, power: float, capacity_flow: float) -> float:
    """Mixing-cup temperature (K) of a stream that takes up `power` (W); capacity flow in W/K."""
    return inlet + power / capacity_flow


def towards_wall(inlet: float, wall: float, conductance: float, capacity_flow: float) -> float:
    """Outlet temperature (K) of a stream along a wall of constant temperature.

    conductance : coefficient times area (W/K). Source: heat balance along the wall (exact).
    """
    from math import exp

    return wall + (inlet - wall) * exp(-conductance / capacity_flow)


def in_series(inner: float, outer: float) -> float:
    """One coefficient for two films in series (W/(m2 K))."""
    return inner * outer / (inner + outer) if inner + outer > 0 else 0.0


def nusselt_pipe(graetz: float) -> float:
    """Mean Nusselt number of developed laminar pipe flow, constant wall temperature.

    Hausen 1943: 3.66 + .0668 Gz / (1 + .04 Gz^(2/3)), Gz = Re Pr d / L. Any length.
    """
    return float(3.66 + 0.0668 * graetz / (1 + 0.04 * graetz ** (2 / 3)))


def nusselt_plates(graetz: float) -> float:
    """The same between plates, on D_h = 2 gap. Stephan 1959, from memory (Shah & London 1978):
    7.55 + .024 Gz^1.14 / (1 + .0358 Gz^.64 Pr^.17); here without the small factor of Pr.
    """
    return float(7.55 + 0.024 * graetz**1.14 / (1 + 0.0358 * graetz**0.64))


def nusselt_square(rayleigh: float) -> float:
    """Mean Nusselt number of a side-heated square, Pr near 0.7.

    A power law through de Vahl Davis 1983's values 2.243 at 1e4 and 8.800 at 1e6; range 1e4 - 1e6.
    """
    return float(2.243 * (rayleigh / 1e4) ** 0.2969)
