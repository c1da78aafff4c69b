"""Surfaces, drops and grains. Arguments and results in SI; constants are from memory of the named
source.
"""

from __future__ import annotations

from math import cos, sqrt

from underkettle.paper.relation import (
    DENSITY,
    DIAMETER,
    GRAVITY,
    SPEED,
    TENSION,
    TIME,
    VISCOSITY,
    Relation,
    Takes,
)

BOLTZMANN = 1.380649e-23  # J/K, exact


def weber(density: float, speed: float, size: float, tension: float) -> float:
    """Inertia over surface tension."""
    return density * speed**2 * size / tension


def capillary(viscosity: float, speed: float, tension: float) -> float:
    """Viscous forces over surface tension."""
    return viscosity * speed / tension


def bond(difference: float, gravity: float, size: float, tension: float) -> float:
    """Weight over surface tension; difference : of the two densities (kg/m3)."""
    return difference * gravity * size**2 / tension


def laplace(tension: float, radius: float) -> float:
    """Pressure (Pa) inside a sphere above that outside: 2 sigma / R."""
    return 2 * tension / radius


def jurin(tension: float, angle: float, density: float, gravity: float, radius: float) -> float:
    """Rise (m) in a tube: 2 sigma cos(theta) / (rho g r)."""
    return 2 * tension * cos(angle) / (density * gravity * radius)


def washburn(tension: float, angle: float, viscosity: float, radius: float, time: float) -> float:
    """Length (m) filled by suction in a tube: sqrt(sigma cos(theta) r t / (2 mu)). 1921."""
    return sqrt(tension * cos(angle) * radius * time / (2 * viscosity))


def landau_levich(
    viscosity: float, speed: float, tension: float, density: float, gravity: float
) -> float:
    """Film (m) left on a plate drawn out: 0.944 Ca^2/3 sqrt(sigma / (rho g)). 1942."""
    return float(
        0.944
        * capillary(viscosity, speed, tension) ** (2 / 3)
        * sqrt(tension / (density * gravity))
    )


def drawn_speed(rises: float, radius: float, viscosity: float, within: float) -> float:
    """Speed (m/s) at which a drop swims towards less tension, that rises evenly by so much (N/m2) along
    it: 2/3 b R / (2 mu + 3 mu'), creeping. Young, Goldstein & Block 1959.
    """
    return 2 / 3 * rises * radius / (2 * viscosity + 3 * within)


def stokes_speed(difference: float, gravity: float, diameter: float, viscosity: float) -> float:
    """Settling speed (m/s) of a small sphere: d^2 drho g / (18 mu)."""
    return difference * gravity * diameter**2 / (18 * viscosity)


def sphere_drag(reynolds: float) -> float:
    """Drag coefficient: 24/Re (1 + 0.15 Re^0.687), 0.44 above 1000. Schiller & Naumann 1933."""
    return float(24 / reynolds * (1 + 0.15 * reynolds**0.687)) if reynolds < 1000 else 0.44


def settling_speed(
    difference: float, gravity: float, diameter: float, viscosity: float, density: float
) -> float:
    """Settling speed (m/s) of a sphere with Schiller & Naumann's drag; a fixed point."""
    speed = stokes_speed(difference, gravity, diameter, viscosity)
    for _ in range(200):
        number = max(density * speed * diameter / viscosity, 1e-12)
        onward = sqrt(4 * difference * gravity * diameter / (3 * density * sphere_drag(number)))
        speed = sqrt(speed * onward)
    return speed


def richardson_zaki(speed: float, solids: float, exponent: float = 4.65) -> float:
    """Settling speed (m/s) among many: v (1 - phi)^n. 1954; n = 4.65 at low Re."""
    return float(speed * (1 - solids) ** exponent)


def archimedes(
    density: float, difference: float, gravity: float, diameter: float, viscosity: float
) -> float:
    """rho drho g d^3 / mu^2."""
    return density * difference * gravity * diameter**3 / viscosity**2


def wen_yu(
    density: float, difference: float, gravity: float, diameter: float, viscosity: float
) -> float:
    """Minimum fluidisation speed (m/s). Wen & Yu 1966: Re = sqrt(33.7^2 + .0408 Ar) - 33.7."""
    number = archimedes(density, difference, gravity, diameter, viscosity)
    return (sqrt(33.7**2 + 0.0408 * number) - 33.7) * viscosity / (density * diameter)


def stokes_number(
    grain_density: float, diameter: float, speed: float, viscosity: float, size: float
) -> float:
    """Time a grain takes to follow over the time the stream gives it: rho d^2 U / (18 mu L)."""
    return grain_density * diameter**2 * speed / (18 * viscosity * size)


def einstein(temperature: float, viscosity: float, diameter: float) -> float:
    """Diffusivity (m2/s) of a particle: k T / (3 pi mu d). Einstein 1905."""
    from math import pi

    return BOLTZMANN * temperature / (3 * pi * viscosity * diameter)


def rayleigh_collapse(radius: float, density: float, drop: float) -> float:
    """Time (s) in which an empty bubble collapses: 0.915 R sqrt(rho / dp). Rayleigh 1917."""
    return 0.915 * radius * sqrt(density / drop)


def cavitation(pressure: float, vapour: float, density: float, speed: float) -> float:
    """(p - p_v) / (rho U^2 / 2)."""
    return (pressure - vapour) / (density * speed**2 / 2)


_DROP = Takes("difference", "density", "density difference")
_ANGLE = Takes("angle", "number", "contact angle", "0 deg")
_RADIUS = Takes("radius", "length", "radius")
_SIZE = Takes("size", "length", "size")

RELATIONS = (
    Relation(
        "weber",
        "Weber number",
        "surfaces",
        r"We=\rho U^2L/\sigma",
        "definition",
        "any",
        (DENSITY, SPEED, _SIZE, TENSION),
        "number",
        weber,
    ),
    Relation(
        "capillary",
        "Capillary number",
        "surfaces",
        r"Ca=\mu U/\sigma",
        "definition",
        "any",
        (VISCOSITY, SPEED, TENSION),
        "number",
        capillary,
    ),
    Relation(
        "bond",
        "Bond number",
        "surfaces",
        r"Bo=\Delta\rho gL^2/\sigma",
        "definition",
        "any",
        (_DROP, GRAVITY, _SIZE, TENSION),
        "number",
        bond,
    ),
    Relation(
        "laplace",
        "Pressure in a drop",
        "surfaces",
        r"\Delta p=2\sigma/R",
        "Laplace",
        "sphere",
        (TENSION, _RADIUS),
        "pressure",
        laplace,
    ),
    Relation(
        "jurin",
        "Rise in a tube",
        "surfaces",
        r"h=\frac{2\sigma\cos\theta}{\rho gr}",
        "Jurin 1718",
        "Bo on the radius below 1",
        (TENSION, _ANGLE, DENSITY, GRAVITY, _RADIUS),
        "length",
        jurin,
    ),
    Relation(
        "washburn",
        "Filling by suction",
        "surfaces",
        r"x=\sqrt{\sigma\cos\theta\,rt/2\mu}",
        "Washburn 1921",
        "viscous, level tube",
        (TENSION, _ANGLE, VISCOSITY, _RADIUS, TIME),
        "length",
        washburn,
    ),
    Relation(
        "landau_levich",
        "Film on a plate drawn out",
        "surfaces",
        r"\delta=0.944Ca^{2/3}\sqrt{\sigma/\rho g}",
        "Landau & Levich 1942",
        "Ca below 0.01",
        (VISCOSITY, SPEED, TENSION, DENSITY, GRAVITY),
        "length",
        landau_levich,
        lambda viscosity, speed, tension, **rest: viscosity * speed / tension < 0.01,
    ),
    Relation(
        "drawn_speed",
        "Drop drawn along by tension",
        "surfaces",
        r"v=\tfrac23\,bR/(2\mu+3\mu')",
        "Young, Goldstein & Block 1959, from memory",
        "Re and Ca below 0.1, no wall within 5 radii",
        (
            Takes("rises", "pressure", "rise of tension per length"),
            _RADIUS,
            VISCOSITY,
            Takes("within", "viscosity", "viscosity within the drop"),
        ),
        "speed",
        drawn_speed,
    ),
    Relation(
        "stokes_speed",
        "Settling of a small sphere",
        "grains",
        r"v=\Delta\rho gd^2/18\mu",
        "Stokes 1851",
        "Re below 0.1",
        (_DROP, GRAVITY, DIAMETER, VISCOSITY),
        "speed",
        stokes_speed,
    ),
    Relation(
        "settling_speed",
        "Settling of a sphere",
        "grains",
        r"v=\sqrt{\frac{4\Delta\rho gd}{3\rho C_D}}",
        "Schiller & Naumann 1933",
        "Re below 1000",
        (_DROP, GRAVITY, DIAMETER, VISCOSITY, DENSITY),
        "speed",
        settling_speed,
    ),
    Relation(
        "sphere_drag",
        "Drag coefficient of a sphere",
        "grains",
        r"C_D=\frac{24}{Re}(1+0.15Re^{0.687})",
        "Schiller & Naumann 1933",
        "Re below 1000",
        (Takes("reynolds", "number", "Reynolds number"),),
        "number",
        sphere_drag,
        lambda reynolds: reynolds < 1000,
    ),
    Relation(
        "richardson_zaki",
        "Settling among many",
        "grains",
        r"v=v_0(1-\phi)^n",
        "Richardson & Zaki 1954",
        "n = 4.65 at low Re",
        (
            Takes("speed", "speed", "settling speed of one"),
            Takes("solids", "number", "fraction of solids"),
            Takes("exponent", "number", "exponent", "4.65"),
        ),
        "speed",
        richardson_zaki,
        lambda solids, **rest: 0 <= solids < 0.6,
    ),
    Relation(
        "wen_yu",
        "Minimum fluidisation",
        "grains",
        r"Re_{mf}=\sqrt{33.7^2+0.0408Ar}-33.7",
        "Wen & Yu 1966",
        "grains of one size",
        (DENSITY, _DROP, GRAVITY, DIAMETER, VISCOSITY),
        "speed",
        wen_yu,
    ),
    Relation(
        "stokes_number",
        "Stokes number",
        "grains",
        r"St=\rho_pd^2U/18\mu L",
        "definition",
        "below 0.1 a grain follows the stream",
        (Takes("grain_density", "density", "grain density"), DIAMETER, SPEED, VISCOSITY, _SIZE),
        "number",
        stokes_number,
    ),
    Relation(
        "einstein",
        "Diffusivity of a particle",
        "grains",
        r"D=kT/3\pi\mu d",
        "Einstein 1905",
        "larger than the molecules around",
        (Takes("temperature", "temperature", "temperature"), VISCOSITY, DIAMETER),
        "area per time",
        einstein,
    ),
    Relation(
        "rayleigh_collapse",
        "Collapse of a bubble",
        "surfaces",
        r"t=0.915R\sqrt{\rho/\Delta p}",
        "Rayleigh 1917",
        "empty bubble",
        (_RADIUS, DENSITY, Takes("drop", "pressure", "pressure outside")),
        "time",
        rayleigh_collapse,
    ),
    Relation(
        "cavitation",
        "Cavitation number",
        "surfaces",
        r"\sigma=\frac{p-p_v}{\rho U^2/2}",
        "definition",
        "below about 1.5 it cavitates",
        (
            Takes("pressure", "pressure", "pressure"),
            Takes("vapour", "pressure", "vapour pressure"),
            DENSITY,
            SPEED,
        ),
        "number",
        cavitation,
    ),
)
