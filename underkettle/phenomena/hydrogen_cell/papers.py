"""Hand estimates for a hydrogen cell."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.questions import across
from underkettle.paper import cells, charge
from underkettle.phenomena.hydrogen_cell import matter
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR,
    AIR_CATALYST,
    AIR_FED,
    AIR_HERE,
    CATALYSTS,
    DRAWN,
    DRAWS,
    FED,
    FUEL_FED,
    FUEL_HERE,
    GASES,
    LAYER,
    ME,
    MEMBRANE,
    edges_of,
    zones_of,
)
from underkettle.phenomena.hydrogen_cell.touching import cells_of, faces_of, sides
from underkettle.quantities.constants import GAS


def _thick(facts: Facts, zone: str) -> float:
    """m."""
    return across(facts, zone)[0]


def _area(facts: Facts) -> float:
    """m2 of the membrane, by its volume."""
    zones = zones_of(facts, MEMBRANE)
    return sum(facts.zone_volume(z) / _thick(facts, z) for z in zones)


def drawn_density(facts: Facts) -> float | None:
    """A/m2 of the membrane that is drawn, where that is told and no water is split by it."""
    edges = edges_of(facts, *DRAWN)
    if len(edges) != 1 or not zones_of(facts, MEMBRANE):
        return None
    given = facts.values(edges[0], ME)
    if facts.kind(edges[0], ME) == DRAWS:
        current = given.get("current")
        per = current / _area(facts) if isinstance(current, float) else 0.0
    else:
        density = given.get("density")
        per = density if isinstance(density, float) else 0.0
    return per if per > 0 else None


def fed_current(facts: Facts) -> float | None:
    """A/m2 of the membrane for which all that is fed would be used, of what is fed least."""
    found = []
    for kind in FED:
        given = [facts.values(e, ME) for e in edges_of(facts, kind)]
        if given and all(isinstance(v.get(n), float) for v in given for n in ("times", "at")):
            found.append(sum(v["times"] * v["at"] for v in given))
    return min(found) if found else None


def _brought(facts: Facts, *kinds: str) -> tuple[float, float] | None:
    """Shares of what reacts and of vapour, of the one edge that brings gas; None for several."""
    edges, settings = edges_of(facts, *kinds), facts.settings(ME)
    if len(edges) != 1 or not isinstance(settings["temperature"], float):
        return None
    given = facts.values(edges[0], ME)
    if not all(isinstance(given.get(n), float) for n in ("dry", "humidity")):
        return None
    full = float(matter.saturation(settings["temperature"])) / float(settings["pressure"])
    vapour = given["humidity"] * full
    return given["dry"] * (1.0 - vapour), vapour


def _rests(facts: Facts) -> float | None:
    """V of balance with gases as they are brought."""
    fuel, air = _brought(facts, FUEL_FED, FUEL_HERE), _brought(facts, AIR_FED, AIR_HERE)
    if fuel is None or air is None:
        return None
    settings = facts.settings(ME)
    t, p = settings["temperature"], float(settings["pressure"])
    wet = air[1] * p / float(matter.saturation(t))
    return cells.balance(t, fuel[0] * p, air[0] * p, max(wet, 0.02))


def limiting(facts: Facts) -> float | None:
    """A/m2 at which no oxygen is left behind the air's porous layer."""
    air, settings = _brought(facts, AIR_FED, AIR_HERE), facts.settings(ME)
    if air is None:
        return None
    mesh = facts.mesh
    catalysts = [cells_of(mesh, zones_of(facts, kind)) for kind in CATALYSTS]
    side, _ = sides(faces_of(mesh), cells_of(mesh, zones_of(facts, *GASES)), catalysts)
    layers = [z for z in zones_of(facts, LAYER) if (side[cells_of(mesh, [z])] == AIR).all()]
    if len(layers) != 1:
        return None
    told = facts.values(layers[0], ME)
    t, p = settings["temperature"], float(settings["pressure"])
    rest = 1.0 - sum(air)
    free = matter.mixed(
        air[1], rest, matter.spreads("O2", "H2O", t, p), matter.spreads("O2", "N2", t, p)
    )
    passes = told.get("passes")
    share = passes if isinstance(passes, float) else float(told["porosity"]) ** 1.5
    c = p / (GAS * t)
    return cells.limiting(4.0, c * air[0], float(free) * share, _thick(facts, layers[0]))


def _balance(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "on" or readout.field != "cell_reversible":
        return None
    found = _rests(facts)
    return None if found is None else Estimate(found)


def _membrane(facts: Facts, readout: Any) -> Estimate | None:
    """V that a membrane takes which is as moist as its gases."""
    if readout.kind != "on" or readout.field != "lost_to_protons":
        return None
    per = drawn_density(facts)
    told = [_brought(facts, *k) for k in ((FUEL_FED, FUEL_HERE), (AIR_FED, AIR_HERE))]
    zones = zones_of(facts, MEMBRANE)
    if per is None or None in told or len(zones) != 1:
        return None
    settings = facts.settings(ME)
    t, p = settings["temperature"], float(settings["pressure"])
    damp = 0.5 * sum(b[1] for b in told if b is not None) * p / float(matter.saturation(t))
    water = float(matter.sorbed(damp))
    return Estimate(
        per * _thick(facts, zones[0]) / charge.membrane(water, t),
        inside=water >= 1.0,
        note=f"{water:.2g} water per site, as moist as its gases; catalysts apart",
    )


def _tafel(facts: Facts, readout: Any) -> Estimate | None:
    """V that oxygen takes where protons and gas come everywhere."""
    if readout.kind != "on" or readout.field != "lost_to_oxygen":
        return None
    per, air, rests = drawn_density(facts), _brought(facts, AIR_FED, AIR_HERE), _rests(facts)
    zones = zones_of(facts, AIR_CATALYST)
    if per is None or air is None or rests is None or len(zones) != 1:
        return None
    settings, told = facts.settings(ME), facts.values(zones[0], ME)
    t, p, cathodic = (
        settings["temperature"],
        float(settings["pressure"]),
        float(settings["air_cathodic"]),
    )
    # what reacts at the voltage of balance, forth as back
    order = float(settings["air_order"]) - 0.25 * cathodic
    at_rest = float(told["exchange"]) * (air[0] * p / matter.STANDARD) ** order
    crosses = float(settings["crossover"]) * p / 1e5
    return Estimate(
        charge.tafel(per + crosses, at_rest * _thick(facts, zones[0]), cathodic, t),
        note="as if protons and gas came everywhere",
    )


def _used(facts: Facts, readout: Any) -> Estimate | None:
    """Share of fuel or air that is used, by the current."""
    if readout.kind != "on" or readout.field != "cell_used":
        return None
    per, place = drawn_density(facts), readout.place or ""
    if per is None or place not in edges_of(facts, *FED):
        return None
    given = facts.values(place, ME)
    if not all(isinstance(given.get(n), float) for n in ("times", "at")):
        return None
    return Estimate(per / (given["times"] * given["at"]), note="what crosses the membrane apart")


def _supply(facts: Facts, readout: Any) -> Estimate | None:
    per, most = drawn_density(facts), limiting(facts)
    return None if per is None or most is None else Estimate(per / most)


def _decade(facts: Facts, readout: Any) -> Estimate | None:
    """V that ten times the current takes of oxygen's reaction."""
    settings = facts.settings(ME)
    if not isinstance(settings["temperature"], float) or not zones_of(facts, AIR_CATALYST):
        return None
    per = charge.thermal_voltage(settings["temperature"]) / float(settings["air_cathodic"])
    return Estimate(per * 2.302585092994046 * 1e3)


PAPERS = (
    Paper(
        "Voltage of balance",
        r"E_0(T)+\frac{RT}{2F}\ln\frac{p_{H_2}\sqrt{p_{O_2}}}{a_w}",
        "Nernst; NIST data",
        "gases as they are brought, one edge each",
        "voltage",
        _balance,
    ),
    Paper(
        "Voltage a moist membrane takes",
        r"i\,\delta/\sigma(\lambda)",
        "Springer, Zawodzinski & Gottesfeld 1991",
        "a current that is told, a membrane in balance with its gases",
        "voltage",
        _membrane,
    ),
    Paper(
        "Voltage oxygen takes",
        r"\frac{RT}{\alpha F}\ln\frac{i+i_x}{i_0\delta}",
        "Tafel 1905",
        "a current that is told, far beyond exchange, a coat used evenly",
        "voltage",
        _tafel,
    ),
    Paper(
        "Share that is used",
        r"i/(s\,i_s)",
        "Faraday's law",
        "a current that is told, one edge that feeds",
        "number",
        _used,
    ),
    Paper(
        "Current over what can come",
        r"i\big/\frac{4FcDx}{\delta}",
        "diffusion through one layer",
        "a current that is told, one porous layer before the air's catalyst",
        "number",
        _supply,
        regime="i/iL",
        verdict=lambda v: (
            "beyond what comes" if v > 1 else "gas begins to lack" if v > 0.6 else "gas abounds"
        ),
    ),
    Paper(
        "Voltage of a decade, in mV",
        r"\frac{RT}{\alpha F}\ln 10",
        "Tafel 1905",
        "oxygen far from balance",
        "number",
        _decade,
        regime="mV/dec",
        verdict=lambda v: "slow" if v > 100 else "as on platinum",
    ),
)
