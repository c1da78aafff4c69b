"""Hand relations of turbulent streams in ducts."""

from __future__ import annotations

import numpy as np

TURNS = 60


def hydraulic_reynolds(speed: float, diameter: float, kinematic: float) -> float:
    """Re on the hydraulic diameter. speed m/s, diameter m, kinematic m2/s."""
    return speed * diameter / kinematic


def friction_factor(reynolds: float, roughness: float = 0.0) -> float:
    """Darcy's factor of a turbulent duct: Colebrook 1939, roughness over diameter."""
    factor = 0.02
    for _ in range(TURNS):
        root = float(np.sqrt(factor))
        factor = (-2 * float(np.log10(roughness / 3.7 + 2.51 / (reynolds * root)))) ** -2
    return factor


def friction_speed(speed: float, factor: float) -> float:
    """Square root of wall stress over density (m/s), from the mean speed (m/s)."""
    return speed * float(np.sqrt(factor / 8))


def duct_drop(density: float, speed: float, length: float, diameter: float, factor: float) -> float:
    """Fall of pressure (Pa) over a length (m) of a duct: Darcy & Weisbach."""
    return factor * length / diameter * 0.5 * density * speed**2
