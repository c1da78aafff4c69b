"""Pressure drop and losses in ducts, orifices and packings. Arguments and results in SI; constants
are from memory of the named source.
"""

from __future__ import annotations

from math import log10, pi, sqrt

from underkettle.paper.flow import plane_poiseuille_drop, reynolds
from underkettle.paper.relation import (
    DENSITY,
    DIAMETER,
    GAP,
    GRAVITY,
    LENGTH,
    REYNOLDS,
    SPEED,
    VISCOSITY,
    Relation,
    Takes,
)

FLOW = Takes("flow", "volume flow", "volume flow")
TURBULENT = 4000.0
LAMINAR = 2100.0


def pipe_drop(viscosity: float, flow: float, length: float, diameter: float) -> float:
    """Pressure drop (Pa) of developed laminar pipe flow: 128 mu Q L / (pi d^4)."""
    return 128 * viscosity * flow * length / (pi * diameter**4)


def rectangle_friction(aspect: float) -> float:
    """Fanning factor times Reynolds number on D_h of a rectangular duct, developed laminar flow.

    aspect : shorter over longer side. Shah & London 1978, their polynomial.
    """
    a = aspect
    return 24 * (1 - 1.3553 * a + 1.9467 * a**2 - 1.7012 * a**3 + 0.9564 * a**4 - 0.2537 * a**5)


def rectangle_drop(
    viscosity: float, speed: float, length: float, width: float, height: float
) -> float:
    """Pressure drop (Pa) of developed laminar flow in a rectangular duct: 2 (f Re) mu U L / D_h^2."""
    short, long = sorted((width, height))
    hydraulic = hydraulic_diameter(width * height, 2 * (width + height))
    return 2 * rectangle_friction(short / long) * viscosity * speed * length / hydraulic**2


def hydraulic_diameter(area: float, perimeter: float) -> float:
    """Four times area over wetted perimeter (m)."""
    return 4 * area / perimeter


def friction_factor(reynolds: float, roughness: float = 0.0) -> float:
    """Darcy's friction factor of a pipe: 64/Re below 2100, Colebrook 1939 above.

    roughness : height of roughness over diameter.
    """
    if reynolds < LAMINAR:
        return 64 / reynolds
    root = 8.0  # one over the root of the factor
    for _ in range(60):
        root = -2 * log10(roughness / 3.7 + 2.51 * root / reynolds)
    return 1 / root**2


def friction_drop(
    density: float, speed: float, length: float, diameter: float, factor: float
) -> float:
    """Darcy & Weisbach: f (L/d) rho U^2 / 2 (Pa)."""
    return factor * length / diameter * density * speed**2 / 2


def pipe_entrance(diameter: float, reynolds: float) -> float:
    """Length (m) until pipe flow is developed to 99 % at the centre: 0.056 Re d; Shah & London
    1978.
    """
    return 0.056 * reynolds * diameter


def borda_carnot(density: float, speed: float, area_ratio: float) -> float:
    """Loss (Pa) at a sudden widening: rho/2 (U1 - U2)^2; area_ratio : narrow over wide."""
    return density / 2 * (speed * (1 - area_ratio)) ** 2


def contraction_loss(density: float, speed: float, area_ratio: float) -> float:
    """Loss (Pa) at a sudden narrowing, on the speed in the narrow part: 0.5 (1 - A2/A1) rho U^2/2.

    Idelchik's handbook, sharp edge.
    """
    return 0.5 * (1 - area_ratio) * density * speed**2 / 2


def orifice_flow(density: float, drop: float, diameter: float, discharge: float = 0.61) -> float:
    """Volume flow (m3/s) through a small sharp hole: C_d A sqrt(2 dp / rho)."""
    return discharge * pi / 4 * diameter**2 * sqrt(2 * drop / density)


def outflow_speed(gravity: float, height: float) -> float:
    """Torricelli: sqrt(2 g h) (m/s)."""
    return sqrt(2 * gravity * height)


def stagnation(density: float, speed: float) -> float:
    """Rise of pressure (Pa) where a stream is brought to rest: rho U^2 / 2."""
    return density * speed**2 / 2


def dean(reynolds: float, diameter: float, bend: float) -> float:
    """Dean number of a bent pipe: Re sqrt(d / (2 R)); bend : radius of its middle line (m)."""
    return reynolds * sqrt(diameter / (2 * bend))


def darcy_drop(viscosity: float, speed: float, length: float, permeability: float) -> float:
    """Pressure drop (Pa) through porous matter: mu U L / k."""
    return viscosity * speed * length / permeability


def forchheimer_drop(
    density: float,
    viscosity: float,
    speed: float,
    length: float,
    permeability: float,
    inertia: float,
) -> float:
    """The same with inertia: mu U L / k + beta rho U^2 L; inertia : beta (1/m)."""
    slow = darcy_drop(viscosity, speed, length, permeability)
    return slow + inertia * density * speed**2 * length


def ergun_drop(
    density: float, viscosity: float, speed: float, length: float, grain: float, voidage: float
) -> float:
    """Pressure drop (Pa) of a packed bed at superficial speed. Ergun 1952."""
    solid = 1 - voidage
    return length * (
        150 * viscosity * solid**2 * speed / (voidage**3 * grain**2)
        + 1.75 * density * solid * speed**2 / (voidage**3 * grain)
    )


def carman_permeability(grain: float, voidage: float) -> float:
    """Permeability (m2) of packed grains: e^3 d^2 / (150 (1 - e)^2); the viscous part of Ergun."""
    return voidage**3 * grain**2 / (150 * (1 - voidage) ** 2)


def fibre_permeability(thread: float, voidage: float) -> float:
    """Permeability (m2) of a mat of fibres: d^2 / (64 a^1.5 (1 + 56 a^3)), a = 1 - e. Davies 1952."""
    solid = 1 - voidage
    return thread**2 / (64 * solid**1.5 * (1 + 56 * solid**3))


def cylinder_drag(reynolds: float) -> float:
    """Drag coefficient of a cylinder across a wide stream, on its diameter and frontal area.

    Sucker & Brauer 1975; range 1e-4 to 2e5.
    """
    r = reynolds
    return 1.18 + 6.8 / r**0.89 + 1.96 / r**0.5 - 0.0004 * r / (1 + 3.64e-7 * r * r)


def shedding_frequency(speed: float, diameter: float, reynolds: float) -> float:
    """Frequency (Hz) of eddies behind a cylinder: St U / d, St = 0.212 (1 - 21.2/Re). Roshko 1954;
    range 50 to 150.
    """
    return 0.212 * (1 - 21.2 / reynolds) * speed / diameter


def plate_friction(reynolds: float) -> float:
    """Mean friction coefficient of a plate along a laminar stream: 1.328 Re^-1/2. Blasius 1908."""
    return 1.328 / sqrt(reynolds)


def layer_thickness(length: float, reynolds: float) -> float:
    """Thickness (m) at which a laminar layer has 99 % of the stream's speed: 4.91 x Re_x^-1/2."""
    return 4.91 * length / sqrt(reynolds)


_ROUGH = Takes("roughness", "number", "roughness over diameter", "0")
_RATIO = Takes("area_ratio", "number", "narrow over wide area")
_GRAIN = Takes("grain", "length", "grain size")
_VOID = Takes("voidage", "number", "voidage", "0.4")
_PERMEABLE = Takes("permeability", "area", "permeability")


def _laminar(reynolds: float, **rest: float) -> bool:
    return reynolds < LAMINAR


RELATIONS = (
    Relation(
        "reynolds",
        "Reynolds number",
        "ducts",
        r"Re=\rho U d/\mu",
        "ratio of inertia to viscous forces",
        "any",
        (DENSITY, SPEED, Takes("size", "length", "size"), VISCOSITY),
        "number",
        reynolds,
    ),
    Relation(
        "plane_drop",
        "Drop between plates",
        "ducts",
        r"\Delta p=12\mu Q'L/h^3",
        "Poiseuille; Shah & London 1978, f Re = 24",
        "developed laminar flow",
        (VISCOSITY, Takes("flow_per_depth", "area per time", "flow per depth"), LENGTH, GAP),
        "pressure",
        plane_poiseuille_drop,
    ),
    Relation(
        "pipe_drop",
        "Drop in a pipe",
        "ducts",
        r"\Delta p=\frac{128\mu QL}{\pi d^4}",
        "Hagen & Poiseuille",
        "developed laminar flow, Re below 2100",
        (VISCOSITY, FLOW, LENGTH, DIAMETER),
        "pressure",
        pipe_drop,
    ),
    Relation(
        "rectangle_drop",
        "Drop in a rectangular duct",
        "ducts",
        r"\Delta p=2(fRe)\mu UL/D_h^2",
        "Shah & London 1978",
        "developed laminar flow",
        (
            VISCOSITY,
            SPEED,
            LENGTH,
            Takes("width", "length", "width"),
            Takes("height", "length", "height"),
        ),
        "pressure",
        rectangle_drop,
    ),
    Relation(
        "hydraulic_diameter",
        "Hydraulic diameter",
        "ducts",
        "D_h=4A/P",
        "definition",
        "any",
        (Takes("area", "area", "open area"), Takes("perimeter", "length", "wetted perimeter")),
        "length",
        hydraulic_diameter,
    ),
    Relation(
        "friction_factor",
        "Friction factor of a pipe",
        "ducts",
        r"\frac{1}{\sqrt f}=-2\lg\left(\frac{k}{3.7d}+\frac{2.51}{Re\sqrt f}\right)",
        "Colebrook 1939; 64/Re below 2100",
        "Re below 2100 or above 4000",
        (REYNOLDS, _ROUGH),
        "number",
        friction_factor,
        lambda reynolds, roughness: reynolds < LAMINAR or reynolds > TURBULENT,
    ),
    Relation(
        "friction_drop",
        "Drop by friction",
        "ducts",
        r"\Delta p=f\frac{L}{d}\frac{\rho U^2}{2}",
        "Darcy & Weisbach",
        "developed flow",
        (DENSITY, SPEED, LENGTH, DIAMETER, Takes("factor", "number", "friction factor")),
        "pressure",
        friction_drop,
    ),
    Relation(
        "pipe_entrance",
        "Entrance length of a pipe",
        "ducts",
        r"L=0.056\,Re\,d",
        "Shah & London 1978",
        "laminar, Re above 100",
        (DIAMETER, REYNOLDS),
        "length",
        pipe_entrance,
        lambda reynolds, **rest: 100 < reynolds < LAMINAR,
    ),
    Relation(
        "borda_carnot",
        "Loss at a widening",
        "ducts",
        r"\Delta p=\rho(U_1-U_2)^2/2",
        "Borda & Carnot",
        "sudden, turbulent",
        (DENSITY, SPEED, _RATIO),
        "pressure",
        borda_carnot,
        lambda area_ratio, **rest: 0 < area_ratio <= 1,
    ),
    Relation(
        "contraction_loss",
        "Loss at a narrowing",
        "ducts",
        r"\Delta p=0.5(1-A_2/A_1)\rho U_2^2/2",
        "Idelchik's handbook",
        "sharp edge, turbulent",
        (DENSITY, SPEED, _RATIO),
        "pressure",
        contraction_loss,
        lambda area_ratio, **rest: 0 < area_ratio <= 1,
    ),
    Relation(
        "orifice_flow",
        "Flow through a hole",
        "ducts",
        r"Q=C_dA\sqrt{2\Delta p/\rho}",
        "sharp-edged orifice, C_d 0.61 (common practice)",
        "hole much smaller than the duct",
        (
            DENSITY,
            Takes("drop", "pressure", "pressure drop"),
            DIAMETER,
            Takes("discharge", "number", "discharge coefficient", "0.61"),
        ),
        "volume flow",
        orifice_flow,
    ),
    Relation(
        "outflow_speed",
        "Speed out of a tank",
        "ducts",
        r"U=\sqrt{2gh}",
        "Torricelli",
        "without friction",
        (GRAVITY, Takes("height", "length", "level above the hole")),
        "speed",
        outflow_speed,
    ),
    Relation(
        "stagnation",
        "Pressure of a stagnant point",
        "ducts",
        r"\Delta p=\rho U^2/2",
        "Bernoulli",
        "without friction",
        (DENSITY, SPEED),
        "pressure",
        stagnation,
    ),
    Relation(
        "dean",
        "Dean number",
        "ducts",
        r"De=Re\sqrt{d/2R}",
        "Dean 1927",
        "bent pipes",
        (REYNOLDS, DIAMETER, Takes("bend", "length", "radius of the bend")),
        "number",
        dean,
    ),
    Relation(
        "darcy_drop",
        "Drop through porous matter",
        "porous",
        r"\Delta p=\mu UL/k",
        "Darcy 1856",
        "slow: Re on the pores below 1",
        (VISCOSITY, SPEED, LENGTH, _PERMEABLE),
        "pressure",
        darcy_drop,
    ),
    Relation(
        "forchheimer_drop",
        "Drop with inertia",
        "porous",
        r"\Delta p=\frac{\mu UL}{k}+\beta\rho U^2L",
        "Forchheimer 1901",
        "any speed",
        (
            DENSITY,
            VISCOSITY,
            SPEED,
            LENGTH,
            _PERMEABLE,
            Takes("inertia", "1/m", "inertial resistance"),
        ),
        "pressure",
        forchheimer_drop,
    ),
    Relation(
        "ergun_drop",
        "Drop of a packed bed",
        "porous",
        r"\frac{\Delta p}{L}=\frac{150\mu(1-\varepsilon)^2U}{\varepsilon^3d^2}"
        r"+\frac{1.75\rho(1-\varepsilon)U^2}{\varepsilon^3d}",
        "Ergun 1952",
        "voidage .35 to .5",
        (DENSITY, VISCOSITY, SPEED, LENGTH, _GRAIN, _VOID),
        "pressure",
        ergun_drop,
        lambda voidage, **rest: 0.35 <= voidage <= 0.5,
    ),
    Relation(
        "carman_permeability",
        "Permeability of packed grains",
        "porous",
        r"k=\frac{\varepsilon^3d^2}{150(1-\varepsilon)^2}",
        "Carman 1937; Ergun 1952",
        "voidage .35 to .5",
        (_GRAIN, _VOID),
        "area",
        carman_permeability,
        lambda voidage, **rest: 0.35 <= voidage <= 0.5,
    ),
    Relation(
        "fibre_permeability",
        "Permeability of a mat of fibres",
        "porous",
        r"k=\frac{d^2}{64\,a^{3/2}(1+56a^3)},\ a=1-\varepsilon",
        "Davies 1952",
        "voidage .7 to .994",
        (Takes("thread", "length", "fibre diameter"), _VOID),
        "area",
        fibre_permeability,
        lambda voidage, **rest: 0.7 <= voidage <= 0.994,
    ),
    Relation(
        "cylinder_drag",
        "Drag coefficient of a cylinder",
        "bodies",
        r"C_D=1.18+\frac{6.8}{Re^{0.89}}+\frac{1.96}{\sqrt{Re}}-\dots",
        "Sucker & Brauer 1975, from memory",
        "Re 1e-4 to 2e5",
        (REYNOLDS,),
        "number",
        cylinder_drag,
        lambda reynolds: 1e-4 < reynolds < 2e5,
    ),
    Relation(
        "shedding_frequency",
        "Frequency of eddies",
        "bodies",
        r"f=0.212(1-21.2/Re)\,U/d",
        "Roshko 1954",
        "Re 50 to 150",
        (SPEED, DIAMETER, REYNOLDS),
        "rate",
        shedding_frequency,
        lambda reynolds, **rest: 50 <= reynolds <= 150,
    ),
    Relation(
        "plate_friction",
        "Friction of a plate",
        "bodies",
        r"\bar C_f=1.328\,Re_L^{-1/2}",
        "Blasius 1908",
        "laminar, Re below 5e5",
        (REYNOLDS,),
        "number",
        plate_friction,
        lambda reynolds: 1e3 < reynolds < 5e5,
    ),
    Relation(
        "layer_thickness",
        "Thickness of the layer on a plate",
        "bodies",
        r"\delta=4.91\,x\,Re_x^{-1/2}",
        "Blasius 1908",
        "laminar, Re below 5e5",
        (LENGTH, REYNOLDS),
        "length",
        layer_thickness,
        lambda reynolds, **rest: 1e3 < reynolds < 5e5,
    ),
)
