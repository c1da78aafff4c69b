"""What a flame tells of itself: properties and make-up by the share that came with the fuel."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import Field
from underkettle.matter.burnt import Burnt, Streams, burnt
from underkettle.matter.gases import Blend, Gas
from underkettle.matter.thermo import ThermoError, substances
from underkettle.quantities import Place

SHARE, VARIANCE, LOST, NITRIC = "flame.fuel", "flame.variance", "flame.heat_lost", "flame.NO"
# what others call it: field, symbol, dimension, label
TOLD: dict[str, tuple[str, str, str, str]] = {
    "density": ("burnt_density", r"\rho", "density", "Density of the gas"),
    "viscosity": ("burnt_viscosity", r"\mu", "viscosity", "Viscosity of the gas"),
    "heat capacity": ("burnt_heat_capacity", "c_p", "heat capacity", "Heat capacity of the gas"),
}
ALWAYS = ("CO2", "H2O", "O2", "N2", "CO", "H2", "OH")
FAINT = 1e-9


def streams_of(settings: Mapping[str, Any]) -> Streams | None:
    """What mixes; None while settings are not read yet."""
    fuel, oxidiser = settings.get("fuel"), settings.get("oxidiser")
    if not isinstance(fuel, Gas) or not isinstance(oxidiser, Gas):
        return None
    return Streams(
        fuel,
        oxidiser,
        float(settings["fuel_temperature"]),
        float(settings["oxidiser_temperature"]),
        float(settings["pressure"]),
        float(settings.get("richest") or 0.0),
        float(settings["around"]),
    )


def table_of(settings: Mapping[str, Any]) -> Burnt | None:
    """Its table; None where there is none yet, or none can be."""
    streams = streams_of(settings)
    try:
        return None if streams is None else burnt(streams)
    except ThermoError:
        return None


def _unburnt(streams: Streams) -> dict[str, float]:
    """What the oxidiser is like by itself, where it burns nothing: the audit says so."""
    gas, warm = streams.oxidiser, np.array(streams.oxidiser_temperature)
    blend, whole = Blend([gas]), [np.array(1.0)]
    capacity = float(blend.heat_capacity(whole, warm))
    return {
        "volume": 1.0 / float(blend.density(whole, warm, streams.pressure)),
        "temperature": float(warm),
        "viscosity": float(blend.viscosity(whole, warm)),
        "spreading": float(blend.conductivity(whole, warm)) / capacity,
        "capacity": capacity,
    }


def carries(settings: Mapping[str, Any]) -> list[str]:
    """What else than fuel is carried."""
    more = [VARIANCE]
    if settings.get("radiates"):
        more.append(LOST)
    if settings.get("nitric_oxide"):
        more.append(NITRIC)
    return more


def unmixed_of(share: Any, variance: Any) -> Any:
    """The variance by the largest there can be."""
    most = share * (1.0 - share)
    found = np.divide(variance, most, out=np.zeros(np.shape(most)), where=most > FAINT)
    return np.clip(found, 0.0, 1.0)


def within(known: Mapping[str, Any]) -> tuple[Any, Any, Any]:
    """Where to look in a table: the share that is fuel, how far from mixed it is, what it has lost."""
    share = np.clip(np.asarray(known[SHARE], float), 0.0, 1.0)
    variance = np.asarray(known.get(VARIANCE, 0.0))
    lost = np.asarray(known.get(LOST, 0.0))
    return share, unmixed_of(share, np.broadcast_to(variance, share.shape)), lost


def tells(settings: Mapping[str, Any]) -> list[str]:
    """Substances whose mole fractions are shown: what burns, what comes of it."""
    gases = [settings.get(n) for n in ("fuel", "oxidiser")]
    own = [s for g in gases if isinstance(g, Gas) for s, _ in g.moles]
    elements = {e for s in own for e in substances()[s].atoms}
    shown = dict.fromkeys((*own, *ALWAYS))
    return [s for s in shown if set(substances()[s].atoms) <= elements]


def fields_of(settings: Mapping[str, Any]) -> list[Field]:
    """Fields of what has burnt."""
    table = table_of(settings)
    streams = streams_of(settings)
    reads = (SHARE, *(n for n in carries(settings) if n != NITRIC))
    plain = {} if streams is None or table is not None else _unburnt(streams)

    def one(row: str, work: Any = None) -> Any:
        if table is None and row not in plain:
            return None

        def made(place: Place, known: Mapping[str, Any]) -> Any:
            if table is None:
                found: Any = np.full(np.shape(known[SHARE]), plain[row])
            else:
                found = table.look([row], *within(known))[0]
            return found if work is None else work(found)

        return made

    def made_of(*names: str, work: Any) -> Any:
        if table is None:
            return None
        return lambda place, known: work(table.look(names, *within(known)), known)

    found = [
        Field(
            "gas_temperature",
            "T",
            "temperature",
            reads=reads,
            made=one("temperature"),
            label="Temperature",
            chief=True,
        )
    ]
    rows = {"density": "volume", "viscosity": "viscosity", "heat capacity": "capacity"}
    for called, (name, symbol, dimension, label) in TOLD.items():
        made = one(rows[called], np.reciprocal if called == "density" else None)
        found.append(Field(name, symbol, dimension, reads=reads, made=made, label=label))
    found.append(
        Field(
            "spreading",
            r"\rho D",
            "viscosity",
            reads=reads,
            made=one("spreading"),
            label="What spreads in it",
        )
    )
    needs = None if table is None else table.streams.needs()
    found.append(
        Field(
            "air_ratio",
            r"\lambda",
            "number",
            reads=(SHARE,),
            made=None
            if needs is None
            else lambda place, known: (
                (1.0 - np.asarray(known[SHARE])) / (needs * np.maximum(known[SHARE], 1e-6))
            ),
            label="Air over what is needed",
        )
    )
    if table is None:
        return found
    for substance in tells(settings):
        made = made_of(substance, "moles", work=lambda rows, _: rows[0] / rows[1])
        found.append(
            Field(
                substance,
                f"x_{substance}",
                "number",
                reads=reads,
                made=made,
                label=f"{substance}, by moles",
            )
        )
    if settings.get("radiates"):
        given = made_of("radiates", "volume", work=lambda rows, _: rows[0] / rows[1])
        found.append(
            Field(
                "radiated",
                "q_r",
                "heat source",
                reads=reads,
                made=given,
                label="Radiated heat",
            )
        )
    if settings.get("nitric_oxide"):
        mass = substances()["NO"].molar_mass
        made = made_of("moles", work=lambda rows, known: known[NITRIC] / mass / rows[0])
        found.append(
            Field(
                "NO_by_moles",
                "x_{NO}",
                "number",
                reads=(*reads, NITRIC),
                made=made,
                label="NO, by moles",
                unit="ppm",
            )
        )
    return found
