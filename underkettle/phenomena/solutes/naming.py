"""How a case names what is dissolved in two fluids."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

ME = "solutes"
SEALED, HELD, LETS_IN, LETS_OUT = "sealed", "held value", "carried in", "carried out"
INERT, USED = "inert", "used up"
BOTH, FIRST, SECOND = "both", "the first", "the second"
SIDES = "first", "second"  # as arrays and fields are named after either fluid
DIFFUSIVITIES = "diffusivity", "diffusivity_second"
VALUES = "value", "second"  # what places tell of a solute in either


def solutes(settings: Mapping[str, Any]) -> dict[str, Mapping[str, Any]]:
    """All, by name."""
    return dict(settings.get("members", {}))


def crosses(solute: Mapping[str, Any]) -> bool:
    """Whether it can be in both fluids, and come from one into the other."""
    return bool(solute["lives_in"] == BOTH)


def ratio(solute: Mapping[str, Any]) -> float:
    """Of its concentration in the first to that in the second at rest."""
    return float(solute["partition"])
