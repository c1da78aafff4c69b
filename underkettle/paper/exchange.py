"""Heat and mass between walls, bodies and streams. Arguments and results in SI; constants are from
memory of the named source. Mass transfer follows by the analogy Nu to Sh, Pr to Sc.
"""

from __future__ import annotations

from math import erfc, exp, log, pi, sqrt

from underkettle.paper.ducts import friction_factor
from underkettle.paper.heat import (
    in_series,
    nusselt_pipe,
    nusselt_plates,
    prandtl,
    rayleigh,
    towards_wall,
    warmed_stream,
)
from underkettle.paper.relation import (
    DENSITY,
    DIFFUSIVITY,
    GRAVITY,
    LENGTH,
    PRANDTL,
    REYNOLDS,
    SCHMIDT,
    SPEED,
    TIME,
    VISCOSITY,
    Relation,
    Takes,
)
from underkettle.paper.transfer import (
    ball_left,
    peclet,
    schmidt,
    sherwood_cylinder,
    sherwood_leveque_pipe,
    sherwood_leveque_plates,
)


def dittus_boelter(reynolds: float, prandtl: float) -> float:
    """Nusselt number of turbulent pipe flow that is heated: 0.023 Re^0.8 Pr^0.4. 1930."""
    return float(0.023 * reynolds**0.8 * prandtl**0.4)


def gnielinski(reynolds: float, prandtl: float, roughness: float = 0.0) -> float:
    """Nusselt number of turbulent pipe flow. Gnielinski 1976."""
    f = friction_factor(reynolds, roughness) / 8
    return float(f * (reynolds - 1000) * prandtl / (1 + 12.7 * sqrt(f) * (prandtl ** (2 / 3) - 1)))


def ranz_marshall(reynolds: float, prandtl: float) -> float:
    """Nusselt number of a sphere: 2 + 0.6 Re^1/2 Pr^1/3. Ranz & Marshall 1952."""
    return float(2 + 0.6 * sqrt(reynolds) * prandtl ** (1 / 3))


def plate_mean(reynolds: float, prandtl: float) -> float:
    """Mean Nusselt number of a plate in a laminar stream: 0.664 Re^1/2 Pr^1/3. Pohlhausen 1921."""
    return float(0.664 * sqrt(reynolds) * prandtl ** (1 / 3))


def slug_plate(reynolds: float, schmidt: float) -> float:
    """Mean Sherwood number of a plate in a uniform stream: 2 (Re Sc / pi)^1/2; penetration."""
    return 2 * sqrt(reynolds * schmidt / pi)


def churchill_chu(rayleigh: float, prandtl: float) -> float:
    """Mean Nusselt number of an upright plate, natural convection. Churchill & Chu 1975, laminar
    form; range Ra below 1e9.
    """
    return float(0.68 + 0.670 * rayleigh**0.25 / (1 + (0.492 / prandtl) ** (9 / 16)) ** (4 / 9))


def side_heated(rayleigh: float, prandtl: float, aspect: float) -> float:
    """Mean Nusselt number between upright walls, aspect : height over gap.

    Catton 1978 after Berkovsky & Polevikov: 0.18 (Pr Ra / (0.2 + Pr))^0.29 from 1 to 2,
    0.22 (...)^0.28 aspect^-1/4 from 2 to 10.
    """
    group = prandtl * rayleigh / (0.2 + prandtl)
    return float(0.18 * group**0.29 if aspect < 2 else 0.22 * group**0.28 * aspect**-0.25)


def grashof_share(
    gravity: float, expansion: float, difference: float, size: float, speed: float
) -> float:
    """Buoyancy over inertia: Gr / Re^2 = g beta dT L / U^2."""
    return gravity * expansion * difference * size / speed**2


def biot(coefficient: float, size: float, conductivity: float) -> float:
    """Resistance inside over resistance outside."""
    return coefficient * size / conductivity


def lumped(
    start: float,
    ambient: float,
    coefficient: float,
    area: float,
    mass: float,
    heat_capacity: float,
    time: float,
) -> float:
    """Temperature (K) of a body that is as warm everywhere, after a time."""
    return ambient + (start - ambient) * exp(-coefficient * area * time / (mass * heat_capacity))


def semi_infinite(
    start: float, wall: float, depth: float, diffusivity: float, time: float
) -> float:
    """Temperature (K) at a depth below a wall that was suddenly set: wall + (start - wall) erf."""
    return wall + (start - wall) * (1 - erfc(depth / (2 * sqrt(diffusivity * time))))


def wall_resistance(conductivity: float, thickness: float) -> float:
    """Coefficient (W/(m2 K)) of a slab: conductivity over thickness."""
    return conductivity / thickness


def log_mean(first: float, second: float) -> float:
    """Logarithmic mean of two differences."""
    return first if first == second else (first - second) / log(first / second)


def effectiveness(units: float) -> float:
    """Share of the way to the wall's temperature that a stream goes: 1 - exp(-NTU)."""
    return 1 - exp(-units)


def spreading_time(length: float, diffusivity: float) -> float:
    """Time (s) to spread over a length: L^2 / D."""
    return length**2 / diffusivity


def layer_flux(diffusivity: float, difference: float, thickness: float) -> float:
    """Fick through a still layer: D dc / L (mol/(m2 s))."""
    return diffusivity * difference / thickness


def penetration(diffusivity: float, time: float) -> float:
    """Mean coefficient (m/s) of a surface renewed every `time`: 2 sqrt(D / (pi t)). Higbie 1935."""
    return 2 * sqrt(diffusivity / (pi * time))


def thiele(length: float, rate: float, diffusivity: float) -> float:
    """L sqrt(k / D) of a first-order reaction in a slab of half thickness L."""
    return length * sqrt(rate / diffusivity)


def slab_effectiveness(thiele: float) -> float:
    """Share of the rate that a porous slab keeps: tanh(phi) / phi."""
    from math import tanh

    return tanh(thiele) / thiele if thiele > 0 else 1.0


_RA = Takes("rayleigh", "number", "Rayleigh number")
_COEFFICIENT = Takes("coefficient", "heat transfer coefficient", "transfer coefficient")
_CONDUCTS = Takes("conductivity", "heat conductivity", "heat conductivity")
_CAPACITY = Takes("heat_capacity", "heat capacity", "heat capacity")
_EXPANSION = Takes("expansion", "thermal expansion", "thermal expansion")
_DIFFERENCE = Takes("difference", "temperature", "temperature difference", "10 K")
_SIZE = Takes("size", "length", "size")
_WARM = Takes("diffusivity", "area per time", "heat diffusivity")
_START = Takes("start", "temperature", "temperature at the start")
_WALL = Takes("wall", "temperature", "wall temperature")
_INLET = Takes("inlet", "temperature", "inlet temperature")
_CAPACITY_FLOW = Takes("capacity_flow", "kg m^2/(s^3 K)", "mass flow times heat capacity")
_GZ = Takes("graetz", "number", "Graetz number, Re Pr d / L")

RELATIONS = (
    Relation(
        "prandtl",
        "Prandtl number",
        "heat",
        r"Pr=\mu c_p/\lambda",
        "definition",
        "any",
        (VISCOSITY, _CAPACITY, _CONDUCTS),
        "number",
        prandtl,
    ),
    Relation(
        "rayleigh",
        "Rayleigh number",
        "heat",
        r"Ra=g\beta\Delta T L^3/(\nu a)",
        "definition",
        "any",
        (
            GRAVITY,
            _EXPANSION,
            _DIFFERENCE,
            _SIZE,
            Takes("kinematic_viscosity", "area per time", "kinematic viscosity"),
            _WARM,
        ),
        "number",
        rayleigh,
    ),
    Relation(
        "grashof_share",
        "Buoyancy over inertia",
        "heat",
        r"Gr/Re^2=g\beta\Delta T L/U^2",
        "definition",
        "matters from about 0.1",
        (GRAVITY, _EXPANSION, _DIFFERENCE, _SIZE, SPEED),
        "number",
        grashof_share,
    ),
    Relation(
        "biot",
        "Biot number",
        "heat",
        r"Bi=\alpha L/\lambda",
        "definition",
        "below 0.1 a body is as warm everywhere",
        (_COEFFICIENT, _SIZE, _CONDUCTS),
        "number",
        biot,
    ),
    Relation(
        "nusselt_pipe",
        "Nusselt number, laminar pipe",
        "heat",
        r"Nu=3.66+\frac{0.0668Gz}{1+0.04Gz^{2/3}}",
        "Hausen 1943",
        "laminar, wall at one temperature",
        (_GZ,),
        "number",
        nusselt_pipe,
    ),
    Relation(
        "nusselt_plates",
        "Nusselt number, laminar plates",
        "heat",
        r"Nu=7.55+\frac{0.024Gz^{1.14}}{1+0.0358Gz^{0.64}}",
        "Stephan 1959",
        "laminar, walls at one temperature, on D_h",
        (_GZ,),
        "number",
        nusselt_plates,
    ),
    Relation(
        "dittus_boelter",
        "Nusselt number, turbulent pipe",
        "heat",
        r"Nu=0.023Re^{0.8}Pr^{0.4}",
        "Dittus & Boelter 1930",
        "Re above 1e4, Pr 0.7 to 120, heated",
        (REYNOLDS, PRANDTL),
        "number",
        dittus_boelter,
        lambda reynolds, prandtl: reynolds > 1e4 and 0.7 <= prandtl <= 120,
    ),
    Relation(
        "gnielinski",
        "Nusselt number, pipe in transition and beyond",
        "heat",
        r"Nu=\frac{(f/8)(Re-1000)Pr}{1+12.7\sqrt{f/8}(Pr^{2/3}-1)}",
        "Gnielinski 1976",
        "Re 3000 to 5e6, Pr 0.5 to 2000",
        (REYNOLDS, PRANDTL, Takes("roughness", "number", "roughness over diameter", "0")),
        "number",
        gnielinski,
        lambda reynolds, prandtl, roughness: 3e3 <= reynolds <= 5e6 and 0.5 <= prandtl <= 2000,
    ),
    Relation(
        "churchill_bernstein",
        "Nusselt number, cylinder across",
        "heat",
        r"Nu=0.3+\frac{0.62Re^{1/2}Pr^{1/3}}{(1+(0.4/Pr)^{2/3})^{1/4}}(\dots)^{4/5}",
        "Churchill & Bernstein 1977",
        "Re Pr above 0.2",
        (REYNOLDS, PRANDTL),
        "number",
        lambda reynolds, prandtl: sherwood_cylinder(reynolds, prandtl),
        lambda reynolds, prandtl: reynolds * prandtl > 0.2,
    ),
    Relation(
        "ranz_marshall",
        "Nusselt number, sphere",
        "heat",
        r"Nu=2+0.6Re^{1/2}Pr^{1/3}",
        "Ranz & Marshall 1952",
        "Re below 200",
        (REYNOLDS, PRANDTL),
        "number",
        ranz_marshall,
        lambda reynolds, prandtl: reynolds <= 200,
    ),
    Relation(
        "plate_mean",
        "Nusselt number, plate along",
        "heat",
        r"\overline{Nu}="
        r"0.664Re^{1/2}Pr^{1/3}",
        "Pohlhausen 1921",
        "Re below 5e5, Pr above 0.6",
        (REYNOLDS, PRANDTL),
        "number",
        plate_mean,
        lambda reynolds, prandtl: reynolds < 5e5 and prandtl > 0.6,
    ),
    Relation(
        "churchill_chu",
        "Nusselt number, upright plate",
        "heat",
        r"\overline{Nu}=0.68+\frac{0.67Ra^{1/4}}{(1+(0.492/Pr)^{9/16})^{4/9}}",
        "Churchill & Chu 1975",
        "Ra below 1e9",
        (_RA, PRANDTL),
        "number",
        churchill_chu,
        lambda rayleigh, prandtl: rayleigh < 1e9,
    ),
    Relation(
        "side_heated",
        "Nusselt number, between upright walls",
        "heat",
        r"\overline{Nu}=0.18\left(\tfrac{Pr\,Ra}{0.2+Pr}\right)^{0.29}",
        "Catton 1978",
        "height over gap 1 to 10, Ra Pr/(0.2+Pr) above 1e3",
        (_RA, PRANDTL, Takes("aspect", "number", "height over gap", "1")),
        "number",
        side_heated,
        lambda rayleigh, prandtl, aspect: (
            1 <= aspect <= 10 and rayleigh * prandtl / (0.2 + prandtl) > 1e3
        ),
    ),
    Relation(
        "warmed_stream",
        "Stream that takes up heat",
        "heat",
        r"T_{out}=T_{in}+P/\dot C",
        "heat balance",
        "any",
        (_INLET, Takes("power", "power", "power"), _CAPACITY_FLOW),
        "temperature",
        warmed_stream,
    ),
    Relation(
        "towards_wall",
        "Stream along a warm wall",
        "heat",
        r"T_{out}=T_w+(T_{in}-T_w)e^{-\alpha A/\dot C}",
        "heat balance",
        "wall at one temperature",
        (
            _INLET,
            _WALL,
            Takes("conductance", "kg m^2/(s^3 K)", "coefficient times area"),
            _CAPACITY_FLOW,
        ),
        "temperature",
        towards_wall,
    ),
    Relation(
        "in_series",
        "Two films in series",
        "heat",
        r"\alpha=\frac{\alpha_1\alpha_2}{\alpha_1+\alpha_2}",
        "resistances add",
        "any",
        (
            Takes("inner", "heat transfer coefficient", "first coefficient"),
            Takes("outer", "heat transfer coefficient", "second coefficient"),
        ),
        "heat transfer coefficient",
        in_series,
    ),
    Relation(
        "wall_resistance",
        "Coefficient of a slab",
        "heat",
        r"\alpha=\lambda/s",
        "conduction",
        "any",
        (_CONDUCTS, Takes("thickness", "length", "thickness")),
        "heat transfer coefficient",
        wall_resistance,
    ),
    Relation(
        "lumped",
        "Body that cools",
        "heat",
        r"T=T_a+(T_0-T_a)e^{-\alpha At/mc}",
        "lumped heat balance",
        "Bi below 0.1",
        (
            _START,
            Takes("ambient", "temperature", "surroundings"),
            _COEFFICIENT,
            Takes("area", "area", "area"),
            Takes("mass", "mass", "mass"),
            _CAPACITY,
            TIME,
        ),
        "temperature",
        lumped,
    ),
    Relation(
        "semi_infinite",
        "Below a wall that was set",
        "heat",
        r"T=T_w+(T_0-T_w)\,\mathrm{erf}\frac{x}{2\sqrt{at}}",
        "conduction, exact",
        "until the far side feels it",
        (_START, _WALL, Takes("depth", "length", "depth"), _WARM, TIME),
        "temperature",
        semi_infinite,
    ),
    Relation(
        "effectiveness",
        "Share of the way to the wall",
        "heat",
        r"\eta=1-e^{-NTU}",
        "heat balance",
        "wall at one temperature",
        (Takes("units", "number", "number of transfer units"),),
        "number",
        effectiveness,
    ),
    Relation(
        "log_mean",
        "Logarithmic mean",
        "heat",
        r"\Delta_m=\frac{\Delta_1-\Delta_2}{\ln(\Delta_1/\Delta_2)}",
        "definition",
        "differences of one sign",
        (
            Takes("first", "number", "first difference"),
            Takes("second", "number", "second difference"),
        ),
        "number",
        log_mean,
        lambda first, second: first * second > 0,
    ),
    Relation(
        "schmidt",
        "Schmidt number",
        "matter",
        r"Sc=\mu/(\rho D)",
        "definition",
        "any",
        (VISCOSITY, DENSITY, DIFFUSIVITY),
        "number",
        schmidt,
    ),
    Relation(
        "peclet",
        "Peclet number",
        "matter",
        "Pe=UL/D",
        "definition",
        "any",
        (SPEED, _SIZE, DIFFUSIVITY),
        "number",
        peclet,
    ),
    Relation(
        "leveque_plates",
        "Sherwood number, entrance between plates",
        "matter",
        r"\overline{Sh}=1.849(Re\,Sc\,D_h/L)^{1/3}",
        "Leveque 1928",
        "Re Sc D_h/L above 200",
        (
            Takes("reynolds_dh", "number", "Reynolds number on D_h"),
            SCHMIDT,
            Takes("hydraulic", "length", "hydraulic diameter"),
            LENGTH,
        ),
        "number",
        sherwood_leveque_plates,
        lambda reynolds_dh, schmidt, hydraulic, length: (
            reynolds_dh * schmidt * hydraulic / length > 200
        ),
    ),
    Relation(
        "leveque_pipe",
        "Sherwood number, entrance of a pipe",
        "matter",
        r"\overline{Sh}=1.615(Re\,Sc\,d/L)^{1/3}",
        "Leveque 1928",
        "Re Sc d/L above 200",
        (REYNOLDS, SCHMIDT, Takes("diameter", "length", "diameter"), LENGTH),
        "number",
        sherwood_leveque_pipe,
        lambda reynolds, schmidt, diameter, length: reynolds * schmidt * diameter / length > 200,
    ),
    Relation(
        "sherwood_cylinder",
        "Sherwood number, cylinder across",
        "matter",
        r"Sh=0.3+\frac{0.62Re^{1/2}Sc^{1/3}}{\dots}",
        "Churchill & Bernstein 1977 by analogy",
        "Re Sc above 0.2",
        (REYNOLDS, SCHMIDT),
        "number",
        sherwood_cylinder,
        lambda reynolds, schmidt: reynolds * schmidt > 0.2,
    ),
    Relation(
        "slug_plate",
        "Sherwood number, plate in a uniform stream",
        "matter",
        r"\overline{Sh}=2(Re\,Sc/\pi)^{1/2}",
        "penetration",
        "uniform stream",
        (REYNOLDS, SCHMIDT),
        "number",
        slug_plate,
    ),
    Relation(
        "spreading_time",
        "Time to spread",
        "matter",
        "t=L^2/D",
        "scaling",
        "order of size",
        (LENGTH, DIFFUSIVITY),
        "time",
        spreading_time,
    ),
    Relation(
        "ball_left",
        "Share left in a still ball",
        "matter",
        r"\frac{6}{\pi^2}\sum_n\frac{1}{n^2}e^{-n^2\pi^2Dt/R^2}",
        "Newman 1931",
        "surface kept clean, nothing turns inside",
        (DIFFUSIVITY, Takes("radius", "length", "radius"), TIME),
        "number",
        ball_left,
    ),
    Relation(
        "layer_flux",
        "Flux through a still layer",
        "matter",
        r"j=D\Delta c/L",
        "Fick 1855",
        "steady",
        (
            DIFFUSIVITY,
            Takes("difference", "concentration", "concentration difference"),
            Takes("thickness", "length", "thickness"),
        ),
        "amount flux",
        layer_flux,
    ),
    Relation(
        "penetration",
        "Coefficient of a renewed surface",
        "matter",
        r"\beta=2\sqrt{D/\pi t}",
        "Higbie 1935",
        "short contact",
        (DIFFUSIVITY, TIME),
        "speed",
        penetration,
    ),
    Relation(
        "thiele",
        "Thiele modulus",
        "matter",
        r"\phi=L\sqrt{k/D}",
        "Thiele 1939",
        "first order",
        (LENGTH, Takes("rate", "rate", "rate constant"), DIFFUSIVITY),
        "number",
        thiele,
    ),
    Relation(
        "slab_effectiveness",
        "Effectiveness of a porous slab",
        "matter",
        r"\eta=\tanh\phi/\phi",
        "Thiele 1939",
        "first order, slab",
        (Takes("thiele", "number", "Thiele modulus"),),
        "number",
        slab_effectiveness,
    ),
)
