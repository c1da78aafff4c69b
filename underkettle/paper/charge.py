"""Potentials, currents and what surfaces store and pass. Arguments and results in SI."""

from __future__ import annotations

from math import exp, log, pi, sqrt

from underkettle.paper.relation import TIME, Relation, Takes
from underkettle.quantities.constants import FARADAY, GAS, VACUUM

ROOM = 298.15  # K


def plate(conductivity: float, length: float, area: float) -> float:
    """Resistance (ohm) of what is as wide all along: L/(kappa A) (Ohm 1827)."""
    return length / (conductivity * area)


def ring(conductivity: float, inner: float, outer: float, height: float) -> float:
    """Resistance (ohm) of a ring, from its inner to its outer face: ln(r2/r1)/(2 pi kappa h)."""
    return log(outer / inner) / (2.0 * pi * conductivity * height)


def disc(conductivity: float, radius: float) -> float:
    """Resistance (ohm) from a disc in a wall to what is far away: 1/(4 kappa a) (Newman 1966)."""
    return 1.0 / (4.0 * conductivity * radius)


def thermal_voltage(temperature: float) -> float:
    """RT/F (V)."""
    return GAS * temperature / FARADAY


def tafel(current: float, exchange: float, coefficient: float, temperature: float) -> float:
    """Overvoltage (V) at a current density far beyond that of exchange: RT/(alpha F) ln(i/i0)
    (Tafel 1905).
    """
    return thermal_voltage(temperature) / coefficient * log(current / exchange)


def charge_resistance(exchange: float, both: float, temperature: float) -> float:
    """Resistance times area (ohm m2) of a reaction near balance: RT/((aa + ac) F i0)."""
    return thermal_voltage(temperature) / (both * exchange)


def wagner(conductivity: float, resistance: float, length: float) -> float:
    """How evenly current spreads: kappa R/L, the surface's resistance over that of what conducts
    (Wagner 1951).
    """
    return conductivity * resistance / length


def plates_hold(permittivity: float, area: float, apart: float) -> float:
    """Capacitance (F) of two plates: eps0 eps A/d."""
    return VACUUM * permittivity * area / apart


def tubes_hold(permittivity: float, inner: float, outer: float, length: float) -> float:
    """Capacitance (F) of a tube in another: 2 pi eps0 eps L/ln(r2/r1)."""
    return 2.0 * pi * VACUUM * permittivity * length / log(outer / inner)


def spheres_hold(permittivity: float, inner: float, outer: float) -> float:
    """Capacitance (F) of a sphere in another: 4 pi eps0 eps/(1/r1 - 1/r2)."""
    return 4.0 * pi * VACUUM * permittivity / (1.0 / inner - 1.0 / outer)


def pore_delay(solid: float, liquid: float, thickness: float, capacity: float) -> float:
    """Time (s) in which a porous electrode charges through: a C L2 (1/sigma + 1/kappa), capacity that
    of a volume (F/m3) (de Levie 1963).
    """
    return capacity * thickness**2 * (1.0 / solid + 1.0 / liquid)


def membrane(water: float, temperature: float) -> float:
    """Conductivity (S/m) of a perfluorinated membrane with so many water molecules an acid group:
    (.5139 lambda - .326) exp(1268 (1/303 - 1/T)) S/m (Springer, Zawodzinski & Gottesfeld 1991).
    """
    return (0.5139 * water - 0.326) * exp(1268.0 * (1.0 / 303.0 - 1.0 / temperature))


def cottrell(electrons: float, concentration: float, diffusivity: float, time: float) -> float:
    """Current density (A/m2) after a step to where all that arrives reacts: n F c sqrt(D/(pi t))
    (Cottrell 1903).
    """
    return electrons * FARADAY * concentration * sqrt(diffusivity / (pi * time))


def randles(
    electrons: float, concentration: float, diffusivity: float, rate: float, temperature: float
) -> float:
    """Peak current density (A/m2) of a reversible sweep: .4463 n F c sqrt(n F v D/(R T))
    (Randles 1948, Sevcik 1948).
    """
    carried = electrons * FARADAY
    return (
        0.4463 * carried * concentration * sqrt(carried * rate * diffusivity / (GAS * temperature))
    )


CONDUCTIVITY = Takes("conductivity", "conductivity", "conductivity")
TEMPERATURE = Takes("temperature", "temperature", "temperature", "298.15 K")
PERMITTIVITY = Takes("permittivity", "number", "relative permittivity", "1")
EXCHANGE = Takes("exchange", "current density", "exchange current density")
GROUP = "charge"

RELATIONS = (
    Relation(
        "plate_resistance",
        "Resistance of a plate or a bar",
        GROUP,
        r"R=L/(\kappa A)",
        "Ohm 1827",
        "as wide all along",
        (CONDUCTIVITY, Takes("length", "length", "length"), Takes("area", "area", "section")),
        "electric resistance",
        plate,
    ),
    Relation(
        "ring_resistance",
        "Resistance of a ring",
        GROUP,
        r"R=\ln(r_2/r_1)/(2\pi\kappa h)",
        "exact",
        "from its inner to its outer face",
        (
            CONDUCTIVITY,
            Takes("inner", "length", "inner radius"),
            Takes("outer", "length", "outer radius"),
            Takes("height", "length", "height"),
        ),
        "electric resistance",
        ring,
        lambda inner, outer, **rest: outer > inner,
    ),
    Relation(
        "disc_resistance",
        "Resistance before a disc electrode",
        GROUP,
        r"R=1/(4\kappa a)",
        "Newman 1966",
        "flush with a wall, the other electrode far away",
        (CONDUCTIVITY, Takes("radius", "length", "radius")),
        "electric resistance",
        disc,
    ),
    Relation(
        "plate_capacitance",
        "Capacitance of two plates",
        GROUP,
        r"C=\varepsilon_0\varepsilon A/d",
        "Gauss's law",
        "a gap much narrower than the plates",
        (
            PERMITTIVITY,
            Takes("area", "area", "area"),
            Takes("apart", "length", "gap"),
        ),
        "capacitance",
        plates_hold,
    ),
    Relation(
        "tube_capacitance",
        "Capacitance of a tube in another",
        GROUP,
        r"C=2\pi\varepsilon_0\varepsilon L/\ln(r_2/r_1)",
        "exact",
        "much longer than wide",
        (
            PERMITTIVITY,
            Takes("inner", "length", "inner radius"),
            Takes("outer", "length", "outer radius"),
            Takes("length", "length", "length"),
        ),
        "capacitance",
        tubes_hold,
        lambda inner, outer, **rest: outer > inner,
    ),
    Relation(
        "sphere_capacitance",
        "Capacitance of a sphere in another",
        GROUP,
        r"C=4\pi\varepsilon_0\varepsilon/(1/r_1-1/r_2)",
        "exact",
        "one middle",
        (
            PERMITTIVITY,
            Takes("inner", "length", "inner radius"),
            Takes("outer", "length", "outer radius"),
        ),
        "capacitance",
        spheres_hold,
        lambda inner, outer, **rest: outer > inner,
    ),
    Relation(
        "tafel",
        "Overvoltage far from balance",
        GROUP,
        r"\eta=\frac{RT}{\alpha F}\ln\frac{i}{i_0}",
        "Tafel 1905",
        "ten times the exchange current density and more",
        (
            Takes("current", "current density", "current density"),
            EXCHANGE,
            Takes("coefficient", "number", "transfer coefficient", "0.5"),
            TEMPERATURE,
        ),
        "voltage",
        tafel,
        lambda current, exchange, **rest: current >= 10.0 * exchange,
    ),
    Relation(
        "pore_delay",
        "How long a porous electrode takes to charge through",
        GROUP,
        r"\tau=aCL^2(1/\sigma+1/\kappa)",
        "de Levie 1963",
        "a straight electrode, both ends drawn from in full",
        (
            Takes("solid", "conductivity", "conductivity of the solid"),
            Takes("liquid", "conductivity", "conductivity of the liquid, in the pores"),
            Takes("thickness", "length", "thickness"),
            Takes("capacity", "capacitance per volume", "capacity of a volume"),
        ),
        "time",
        pore_delay,
    ),
    Relation(
        "membrane_conductivity",
        "Conductivity of a wet membrane",
        GROUP,
        r"\kappa=(0.5139\lambda-0.326)\,e^{1268(1/303-1/T)}",
        "Springer, Zawodzinski & Gottesfeld 1991",
        "water 1 to 22 molecules an acid group, 30 to 80 degC",
        (Takes("water", "number", "water molecules an acid group"), TEMPERATURE),
        "conductivity",
        membrane,
        lambda water, temperature: 1 <= water <= 22 and 303 <= temperature <= 353.5,
    ),
    Relation(
        "cottrell",
        "Current after a step to the limit",
        GROUP,
        r"i=nFc\sqrt{D/(\pi t)}",
        "Cottrell 1903",
        "a flat electrode in a still liquid, all that arrives reacts",
        (
            Takes("electrons", "number", "electrons", "1"),
            Takes("concentration", "concentration", "concentration"),
            Takes("diffusivity", "area per time", "diffusivity"),
            TIME,
        ),
        "current density",
        cottrell,
    ),
    Relation(
        "randles",
        "Peak of a reversible sweep",
        GROUP,
        r"i_p=0.4463\,nFc\sqrt{nFvD/(RT)}",
        "Randles 1948, Sevcik 1948",
        "a flat electrode in a still liquid, kinetics that keep up",
        (
            Takes("electrons", "number", "electrons", "1"),
            Takes("concentration", "concentration", "concentration"),
            Takes("diffusivity", "area per time", "diffusivity"),
            Takes("rate", "voltage per time", "rate"),
            TEMPERATURE,
        ),
        "current density",
        randles,
    ),
)
