"""Stay, spread and conversion in vessels. Arguments and results in SI; Danckwerts 1953 and
Levenspiel's book, from memory.
"""

from __future__ import annotations

from math import exp

from underkettle.paper.flow import passing_time, spin_time
from underkettle.paper.relation import DIFFUSIVITY, LENGTH, SPEED, TIME, Relation, Takes
from underkettle.paper.transfer import damkoehler, decay_left, mixing_cup


def tanks_variance(stay: float, tanks: float) -> float:
    """Variance (s2) of the stay in n equal tanks in series: tau^2 / n."""
    return stay**2 / tanks


def dispersion_variance(stay: float, peclet: float) -> float:
    """Variance (s2) of the stay with axial dispersion in a vessel closed at both ends:
    tau^2 (2/Pe - 2/Pe^2 (1 - exp(-Pe))), Pe = u L / D.
    """
    return stay**2 * (2 / peclet - 2 / peclet**2 * (1 - exp(-peclet)))


def first_out(stay: float) -> float:
    """Time (s) at which the first of a step leaves a laminar pipe: half the mean stay."""
    return stay / 2


def pipe_step(stay: float, time: float) -> float:
    """Share of a step at the end of a laminar pipe without diffusion: 1 - (tau / 2t)^2."""
    return 0.0 if time <= stay / 2 else 1 - (stay / (2 * time)) ** 2


def tank_step(stay: float, time: float) -> float:
    """Share of a step at the outlet of a stirred tank: 1 - exp(-t / tau)."""
    return 1 - exp(-time / stay)


def taylor_dispersion(diffusivity: float, speed: float, radius: float) -> float:
    """Axial dispersion (m2/s) of a laminar pipe: D (1 + Pe^2 / 48), Pe on the radius. Taylor 1953,
    Aris 1956.
    """
    return diffusivity * (1 + (speed * radius / diffusivity) ** 2 / 48)


def plate_dispersion(diffusivity: float, speed: float, gap: float) -> float:
    """The same between plates: D (1 + Pe^2 / 210), Pe on the gap."""
    return diffusivity * (1 + (speed * gap / diffusivity) ** 2 / 210)


def tank_conversion(rate: float, stay: float, order: float) -> float:
    """Conversion of a reaction of any order in a stirred tank.

    rate : k with r = k c_0 (c / c_0)^n, so that it is 1/s for every order.
    """
    low, high = 0.0, 1.0
    for _ in range(80):
        middle = 0.5 * (low + high)
        if rate * stay * (1 - middle) ** order > middle:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def tube_conversion(rate: float, stay: float, order: float) -> float:
    """Conversion of a reaction of any order in plug flow; rate as in `tank_conversion`."""
    if order == 1:
        return 1 - exp(-rate * stay)
    left = 1 + (order - 1) * rate * stay
    return 1 - left ** (1 / (1 - order)) if left > 0 else 1.0


def settling_share(speed: float, area: float, flow: float) -> float:
    """Share of grains that an ideal basin keeps: settling speed over flow per area, at most 1.
    Hazen 1904.
    """
    return min(1.0, speed * area / flow)


_STAY = Takes("stay", "time", "mean stay")
_RATE = Takes("rate", "rate", "rate constant")
_ORDER = Takes("order", "number", "order", "1")

RELATIONS = (
    Relation(
        "passing_time",
        "Mean stay",
        "stay",
        r"\tau=V/Q",
        "mass balance",
        "any",
        (
            Takes("volume", "volume", "open volume"),
            Takes("volume_flow", "volume flow", "volume flow"),
        ),
        "time",
        passing_time,
    ),
    Relation(
        "spin_time",
        "Time to lose its swirl",
        "stay",
        r"t=R^2/(3.8317^2\nu)",
        "slowest mode, J1",
        "still pipe",
        (
            Takes("radius", "length", "radius"),
            Takes("kinematic", "area per time", "kinematic viscosity"),
        ),
        "time",
        spin_time,
    ),
    Relation(
        "tanks_variance",
        "Spread of tanks in series",
        "stay",
        r"\sigma^2=\tau^2/n",
        "Levenspiel",
        "any number",
        (_STAY, Takes("tanks", "number", "number of tanks")),
        "s^2",
        tanks_variance,
    ),
    Relation(
        "dispersion_variance",
        "Spread by axial dispersion",
        "stay",
        r"\sigma^2=\tau^2\left(\frac{2}{Pe}-\frac{2}{Pe^2}(1-e^{-Pe})\right)",
        "Danckwerts 1953",
        "closed at both ends",
        (_STAY, Takes("peclet", "number", "Peclet number, u L / D")),
        "s^2",
        dispersion_variance,
    ),
    Relation(
        "first_out",
        "First of a step, laminar pipe",
        "stay",
        r"t_1=\tau/2",
        "parabolic profile",
        "without diffusion",
        (_STAY,),
        "time",
        first_out,
    ),
    Relation(
        "pipe_step",
        "Step through a laminar pipe",
        "stay",
        r"F=1-(\tau/2t)^2",
        "Danckwerts 1953",
        "without diffusion",
        (_STAY, TIME),
        "number",
        pipe_step,
    ),
    Relation(
        "tank_step",
        "Step through a stirred tank",
        "stay",
        r"F=1-e^{-t/\tau}",
        "Danckwerts 1953",
        "ideally stirred",
        (_STAY, TIME),
        "number",
        tank_step,
    ),
    Relation(
        "taylor_dispersion",
        "Dispersion in a pipe",
        "stay",
        r"D_{ax}=D(1+Pe_R^2/48)",
        "Taylor 1953, Aris 1956",
        "pipe longer than it takes to spread across",
        (DIFFUSIVITY, SPEED, Takes("radius", "length", "radius")),
        "area per time",
        taylor_dispersion,
    ),
    Relation(
        "plate_dispersion",
        "Dispersion between plates",
        "stay",
        r"D_{ax}=D(1+Pe_h^2/210)",
        "Taylor 1953, for plates",
        "longer than it takes to spread across",
        (DIFFUSIVITY, SPEED, Takes("gap", "length", "gap")),
        "area per time",
        plate_dispersion,
    ),
    Relation(
        "damkoehler",
        "Damkoehler number",
        "stay",
        r"Da=k\tau",
        "definition",
        "below 0.1 little, above 10 nearly all reacts",
        (_RATE, TIME),
        "number",
        damkoehler,
    ),
    Relation(
        "decay_left",
        "Left after a first-order loss",
        "stay",
        r"c/c_0=e^{-kt}",
        "plug flow",
        "first order",
        (_RATE, TIME),
        "number",
        decay_left,
    ),
    Relation(
        "tank_conversion",
        "Conversion in a stirred tank",
        "stay",
        r"X=k\tau(1-X)^n",
        "Levenspiel",
        "ideally stirred",
        (_RATE, _STAY, _ORDER),
        "number",
        tank_conversion,
    ),
    Relation(
        "tube_conversion",
        "Conversion in plug flow",
        "stay",
        r"X=1-(1+(n-1)k\tau)^{1/(1-n)}",
        "Levenspiel",
        "plug flow",
        (_RATE, _STAY, _ORDER),
        "number",
        tube_conversion,
    ),
    Relation(
        "mixing_cup",
        "Mixing-cup mean",
        "stay",
        r"\bar c=\dot n/Q",
        "mass balance",
        "any",
        (
            Takes("amount_flow", "amount flow", "amount flow"),
            Takes("volume_flow", "volume flow", "volume flow"),
        ),
        "concentration",
        mixing_cup,
    ),
    Relation(
        "settling_share",
        "Share a basin keeps",
        "stay",
        r"\eta=v_sA/Q",
        "Hazen 1904",
        "ideal basin",
        (
            Takes("speed", "speed", "settling speed"),
            Takes("area", "area", "plan area"),
            Takes("flow", "volume flow", "volume flow"),
        ),
        "number",
        settling_share,
    ),
    Relation(
        "path_time",
        "Time along a path",
        "stay",
        r"t=L/U",
        "definition",
        "any",
        (LENGTH, SPEED),
        "time",
        lambda length, speed: length / speed,
    ),
)
