"""What a mixture tells of itself: the rest, its molar mass, and where every gas is known, the rest."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import Field
from underkettle.matter.gases import Blend, Gas
from underkettle.quantities import Place

# what others call it, and the field that tells it
NAMES = {
    "density": "gas_density",
    "viscosity": "gas_viscosity",
    "conductivity": "gas_conductivity",
    "heat capacity": "gas_heat_capacity",
}
_SEEN = {
    "gas_density": (r"\rho", "density", "Density of the gas"),
    "gas_viscosity": (r"\mu", "viscosity", "Viscosity of the gas"),
    "gas_conductivity": (r"\lambda", "heat conductivity", "Conductivity of the gas"),
    "gas_heat_capacity": ("c_p", "heat capacity", "Heat capacity of the gas"),
}


def told(settings: Mapping[str, Any]) -> bool:
    """Whether every component says what it is made of."""
    members = settings.get("members", {})
    return bool(members) and all(m.get("gas") is not None for m in members.values())


def molar_mass(settings: Mapping[str, Any], member: str = "") -> float:
    """Of a component, or of the rest (kg/mol)."""
    rest = settings.get("rest_molar_mass") or settings["rest_gas"].molar_mass
    if not member:
        return float(rest)
    mine = settings["members"][member]
    gas = mine.get("gas")
    return float(mine.get("molar_mass") or (rest if gas is None else gas.molar_mass))


def heat_capacity(settings: Mapping[str, Any], member: str = "") -> float | None:
    """Of a component, or of the rest (J/(kg K)); None where nobody tells the rest's."""
    rest = settings.get("rest_heat_capacity")
    if rest is None and told(settings):
        rest = settings["rest_gas"].heat_capacity(settings["capacity_at"])
    if not member or rest is None:
        return None if rest is None else float(rest)
    mine = settings["members"][member]
    gas = mine.get("gas")
    own = rest if gas is None else gas.heat_capacity(settings["capacity_at"])
    return float(mine.get("heat_capacity") or own)


def made_of_it(settings: Mapping[str, Any]) -> list[Field]:
    """Fields of the whole mixture."""
    names = list(settings.get("members", {}))
    shares = tuple(f"mixture.{n}" for n in names)

    def rest(place: Place, known: Mapping[str, Any]) -> Any:
        return 1.0 - sum(known[n] for n in shares)

    def mean(place: Place, known: Mapping[str, Any]) -> Any:
        moles = rest(place, known) / molar_mass(settings)
        for name, share in zip(names, shares, strict=True):
            moles = moles + known[share] / molar_mass(settings, name)
        return 1.0 / moles

    found = [
        Field(
            "rest",
            "Y_0",
            "number",
            reads=shares,
            made=rest,
            label=str(settings.get("rest", "rest")).capitalize(),
        ),
        Field(
            "mean_molar_mass",
            "M",
            "molar mass",
            reads=shares,
            made=mean,
            label="Mean molar mass",
        ),
    ]
    if not told(settings):
        return found
    law = settings.get("temperature")
    reads = (*shares, *getattr(law, "reads", ()))
    for name, (symbol, dimension, label) in _SEEN.items():
        found.append(
            Field(name, symbol, dimension, reads=reads, made=_property(settings, name), label=label)
        )
    return found


def _property(settings: Mapping[str, Any], name: str) -> Any:
    names = list(settings["members"])
    gases = [settings["members"][n].get("gas") for n in names]
    if "rest_gas" not in settings or not all(isinstance(g, Gas) for g in gases):
        return None  # not read yet
    blend = Blend([*gases, settings["rest_gas"]])
    law, pressure = settings["temperature"], float(settings["pressure"])

    def made(place: Place, known: Mapping[str, Any]) -> Any:
        parts = [known[f"mixture.{n}"] for n in names]
        shape = np.shape(parts[0])
        fractions = [*parts, 1.0 - sum(parts)]
        warm = np.broadcast_to(np.asarray(law.at(place, known), float), shape)
        if name == "gas_density":
            return blend.density(fractions, warm, pressure)
        work = {
            "gas_viscosity": blend.viscosity,
            "gas_conductivity": blend.conductivity,
            "gas_heat_capacity": blend.heat_capacity,
        }
        return work[name](fractions, warm)

    return made
