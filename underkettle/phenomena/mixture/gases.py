"""What a mixture tells of itself: the rest, its molar mass, and where every gas is known, the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from underkettle.engine.contract import Field
from underkettle.engine.contract.laws import Told
from underkettle.matter.gases import Blend, Gas
from underkettle.quantities import Place
from underkettle.quantities.words import headed

HEAT = "heat"  # the member that nobody names, and what it is balanced as
ENTHALPY, TEMPERATURE, SPREADS = "enthalpy", "mixture_temperature", "heat_spreading"
PRESSURE = "gas_pressure"
REST = "rest"
TRACE = 1e-9  # of all moles, that what is dry counts as at least
# what others call it, and the field that tells it
NAMES = {
    "density": "gas_density",
    "viscosity": "gas_viscosity",
    "conductivity": "gas_conductivity",
    "heat capacity": "gas_heat_capacity",
}
# each field's symbol and dimension, and what of a blend it is
_SEEN: dict[str, tuple[str, str, Any]] = {
    "gas_density": (r"\rho", "density", Blend.density),
    "gas_viscosity": (r"\mu", "viscosity", Blend.viscosity),
    "gas_conductivity": (r"\lambda", "heat conductivity", Blend.conductivity),
    "gas_heat_capacity": ("c_p", "heat capacity", Blend.heat_capacity),
}


def told(settings: Mapping[str, Any]) -> bool:
    """Whether every component says what it is made of."""
    members = settings.get("members", {})
    return bool(members) and all(m.get("gas") is not None for m in members.values())


def own_heat(settings: Mapping[str, Any]) -> bool:
    """Whether it keeps account of its heat by enthalpy; it must then know what all is made of."""
    return bool(settings.get("own_heat"))


def molar_mass(settings: Mapping[str, Any], member: str = "") -> float:
    """Of a component, or of the rest (kg/mol)."""
    rest = settings.get("rest_molar_mass") or settings["rest_gas"].molar_mass
    if not member:
        return float(rest)
    mine = settings["members"][member]
    gas = mine.get("gas")
    return float(mine.get("molar_mass") or (rest if gas is None else gas.molar_mass))


def made_of(gas: Any) -> tuple[str, ...]:
    """Substances in a gas; none where it is not told or not read yet."""
    return tuple(substance for substance, _ in getattr(gas, "moles", ()))


def rest_name(settings: Mapping[str, Any]) -> str:
    """What the rest is called among substances: by its formula where it is one, else as told."""
    found = made_of(settings.get("rest_gas"))
    return str(found[0] if len(found) == 1 else settings.get("rest") or "rest")


def rest_label(settings: Mapping[str, Any]) -> str:
    """What the rest is called where it is read."""
    return headed(str(settings.get("rest", REST)))


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
            REST,
            "Y_0",
            "number",
            reads=shares,
            made=rest,
            label=rest_label(settings),
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
    found += _by_moles(settings, shares)
    if not told(settings):
        return found
    warm = (*shares, *getattr(_warm(settings), "reads", ()))
    for called, name in NAMES.items():
        symbol, dimension, work = _SEEN[name]
        made, label = _property(settings, shares, work), f"{headed(called)} of the gas"
        pressed = work is Blend.density and own_heat(settings)
        reads = (*warm, f"mixture.{PRESSURE}") if pressed else warm
        found.append(Field(name, symbol, dimension, reads=reads, made=made, label=label))
    if own_heat(settings):
        found += _of_heat(settings, shares)
    return found


def _by_moles(settings: Mapping[str, Any], shares: tuple[str, ...]) -> list[Field]:
    """Shares as analysers tell them: of all moles, and of those left once water has condensed."""
    names = [*settings.get("members", {}), ""]
    words = [settings["members"][n].get("label") or n if n else rest_label(settings) for n in names]
    wet = [water_in(settings, n) for n in names]

    def moles(known: Mapping[str, Any]) -> list[Any]:
        parts = _parts(known, shares)
        return [p / molar_mass(settings, n) for p, n in zip(parts, names, strict=True)]

    def of_all(k: int) -> Any:
        def made(place: Place, known: Mapping[str, Any]) -> Any:
            each = moles(known)
            return each[k] / sum(each)

        return made

    def of_dry(k: int) -> Any:
        def made(place: Place, known: Mapping[str, Any]) -> Any:
            each = moles(known)
            dry = [m * (1.0 - w) for m, w in zip(each, wet, strict=True)]
            return dry[k] / np.maximum(sum(dry), TRACE * sum(each))

        return made

    ways = [("by_moles", "by moles", of_all)]
    if any(wet):
        ways.append(("dry", "by moles, dry", of_dry))
    return [
        Field(
            f"{name or REST}_{end}",
            rf"x_{{{word}}}" if end == "by_moles" else rf"x_{{{word},dry}}",
            "number",
            reads=shares,
            made=way(k),
            label=f"{word}, {told_as}",
        )
        for end, told_as, way in ways
        for k, (name, word) in enumerate(zip(names, words, strict=True))
        if end == "by_moles" or wet[k] < 1.0
    ]


def water_in(settings: Mapping[str, Any], member: str) -> float:
    """Share of water in the moles of a component, or of the rest; none while that is not told."""
    of = settings["members"][member] if member else {"gas": settings.get("rest_gas")}
    moles = dict(getattr(of.get("gas"), "moles", ()))
    return float(moles.get("H2O", 0.0) / sum(moles.values())) if moles else 0.0


def _warm(settings: Mapping[str, Any]) -> Any:
    """The law of its temperature."""
    return Told(f"mixture.{TEMPERATURE}") if own_heat(settings) else settings.get("temperature")


def blend_of(settings: Mapping[str, Any]) -> Blend | None:
    """All gases, the rest last; None while settings are not read yet."""
    gases = [m.get("gas") for m in settings.get("members", {}).values()]
    gases.append(settings.get("rest_gas"))
    return Blend(gases) if all(isinstance(g, Gas) for g in gases) else None


def _parts(known: Mapping[str, Any], shares: Sequence[str]) -> list[Any]:
    """Mass fractions of the components, by their fields, and of the rest."""
    own = [np.asarray(known[n], float) for n in shares]
    return [*own, 1.0 - sum(own)]


def _of_heat(settings: Mapping[str, Any], shares: tuple[str, ...]) -> list[Field]:
    """What it holds, how warm that makes it, and what spreads it."""
    blend = blend_of(settings)
    pressure = settings.get("pressure")  # text as long as settings are not read
    conducts, holds = (f"mixture.{NAMES[n]}" for n in ("conductivity", "heat capacity"))

    def temperature(place: Place, known: Mapping[str, Any]) -> Any:
        assert blend is not None
        return blend.temperature(_parts(known, shares), known[f"mixture.{ENTHALPY}"])

    def spreads(place: Place, known: Mapping[str, Any]) -> Any:
        return known[conducts] / known[holds]

    return [
        Field(
            ENTHALPY,
            "h",
            "specific energy",
            arrays=(f"mixture.{ENTHALPY}",),
            label="Enthalpy, formation included",
        ),
        Field(
            TEMPERATURE,
            "T",
            "temperature",
            reads=(*shares, f"mixture.{ENTHALPY}"),
            made=None if blend is None else temperature,
            label="Temperature",
            chief=True,
            member=HEAT,
        ),
        Field(
            PRESSURE,
            "p_0",
            "pressure",
            arrays=(f"mixture.{PRESSURE}",),
            label="Pressure of the gas",
            begins=pressure if isinstance(pressure, float) else None,
        ),
        Field(
            SPREADS,
            r"\lambda/c_p",
            "viscosity",
            reads=(conducts, holds),
            made=None if blend is None else spreads,
            label="What spreads heat",
        ),
    ]


def _property(settings: Mapping[str, Any], shares: Sequence[str], work: Any) -> Any:
    """How a property is made of shares and temperature; None while settings are not read yet."""
    blend, law = blend_of(settings), _warm(settings)
    if blend is None:
        return None

    def made(place: Place, known: Mapping[str, Any]) -> Any:
        parts = _parts(known, shares)
        warm = np.broadcast_to(np.asarray(law.at(place, known), float), np.shape(parts[0]))
        if work is not Blend.density:
            return work(blend, parts, warm)
        return work(blend, parts, warm, known.get(f"mixture.{PRESSURE}", settings["pressure"]))

    return made
