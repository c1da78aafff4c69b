"""What a hand relation is: a formula with its source, its range, and what it takes and gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Takes:
    """One thing a relation needs; `default` as people type it, "" where there is none."""

    name: str
    dimension: str
    label: str
    default: str = ""


@dataclass(frozen=True)
class Relation:
    """`compute` takes SI values by name and gives one in SI of `dimension`.

    `fits` says, of the same values, whether they lie inside the range told in words.
    """

    name: str
    label: str
    group: str
    tex: str
    source: str
    range: str
    takes: tuple[Takes, ...]
    dimension: str
    compute: Callable[..., float]
    fits: Callable[..., bool] = lambda **values: True


DENSITY = Takes("density", "density", "density")
VISCOSITY = Takes("viscosity", "viscosity", "viscosity")
SPEED = Takes("speed", "speed", "mean speed")
LENGTH = Takes("length", "length", "length")
DIAMETER = Takes("diameter", "length", "diameter")
GAP = Takes("gap", "length", "gap")
REYNOLDS = Takes("reynolds", "number", "Reynolds number")
PRANDTL = Takes("prandtl", "number", "Prandtl number")
SCHMIDT = Takes("schmidt", "number", "Schmidt number")
DIFFUSIVITY = Takes("diffusivity", "area per time", "diffusivity")
TENSION = Takes("tension", "surface tension", "surface tension")
GRAVITY = Takes("gravity", "acceleration", "gravity", "9.81 m/s2")
TIME = Takes("time", "time", "time")
