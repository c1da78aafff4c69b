"""Porous resistance from what was measured, and woven cloth from its threads."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from underkettle.quantities.curve import Curve
from underkettle.quantities.table import Table
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

Array = np.ndarray


def from_drop(
    measured: Array, thickness: float, viscosity: float, density: float
) -> dict[str, float]:
    """Permeability (m2) and inertial resistance (1/m) of a layer from pairs of speed (m/s) and
    pressure drop (Pa): least squares of dp/U = mu L / k + beta rho L U, neither below nought.
    """
    positive(thickness=thickness, viscosity=viscosity, density=density)
    speed, drop = measured[:, 0], measured[:, 1]
    if (speed <= 0).any() or (drop <= 0).any():
        raise SumError("speeds and pressure drops are above nought")
    ratio = drop / speed
    slope, level = np.polyfit(speed, ratio, 1) if len(speed) > 1 else (0.0, ratio[0])
    if slope < 0:
        slope, level = 0.0, float(np.mean(ratio))
    if level <= 0:
        raise SumError("the drop grows with more than the square of the speed: no layer does that")
    fitted = (level + slope * speed) * speed
    return {
        "permeability": viscosity * thickness / level,
        "inertia": slope / (density * thickness),
        "misfit": float(np.abs(fitted / drop - 1).max()),
    }


def from_table(
    table: Table, thickness: float, viscosity: float, density: float
) -> tuple[float, float]:
    """Permeability and inertial resistance that fit a table of drops over speed; see `from_drop`."""
    measured = np.column_stack([table.points, table.values])
    found = from_drop(measured, thickness, viscosity, density)
    return found["permeability"], found["inertia"]


def _fit(measured: Array, thickness: float, viscosity: float, density: float) -> Curve:
    found = from_drop(measured, thickness, viscosity, density)
    u = np.linspace(0.0, 1.1 * measured[:, 0].max(), 41)
    drop = (
        viscosity * thickness / found["permeability"] + found["inertia"] * density * thickness * u
    ) * u
    return Curve(
        u,
        drop,
        "speed",
        "speed",
        "pressure drop",
        "pressure",
        [tuple(r) for r in measured[:, :2].tolist()],
    )


WOVEN = (60.0, 600.0)  # Reynolds numbers of a thread that Wieghardt measured


@lru_cache(maxsize=1)
def _straightened() -> tuple[float, float]:
    """a Re + b Re^2 that comes nearest to Re^(5/3) over what was measured (within 9 %)."""
    re = np.geomspace(*WOVEN, 41)
    target = re ** (5 / 3)
    rows = np.stack([re, re**2], axis=1) / target[:, None]
    a, b = np.linalg.lstsq(rows, np.ones(re.size), rcond=None)[0]
    return float(a), float(b)


def woven(thread: float, pitch: float) -> tuple[float, float]:
    """Of a square weave: K = 6 (1 - b)/b^2 Re^(-1/3), Re = U d/(b nu), straightened; b : open share.
    Wieghardt 1953, from memory.
    """
    if thread >= pitch:
        raise SumError("the threads touch: the pitch must exceed the thread")
    open_ = (1 - thread / pitch) ** 2
    loss = 3 * (1 - open_) / open_**2
    a, b = _straightened()
    return loss * a * open_ / thread, loss * b


def weave(
    thread: float, pitch: float, speed: float, density: float, viscosity: float
) -> dict[str, float]:
    """Loss of a square-woven cloth: K = 6 (1 - b) / b^2 Re^(-1/3), Re = U d / (b nu).

    Wieghardt 1953, from memory; b : open share of area. Range Re 60 to 600.
    """
    positive(thread=thread, pitch=pitch, speed=speed, density=density, viscosity=viscosity)
    if thread >= pitch:
        raise SumError("the threads touch: the pitch must exceed the thread")
    open_ = (1 - thread / pitch) ** 2
    reynolds = density * speed * thread / (open_ * viscosity)
    loss = 6 * (1 - open_) / open_**2 * reynolds ** (-1 / 3)
    return {
        "open_area": open_,
        "loss": loss,
        "drop": loss * density * speed**2 / 2,
        "reynolds": reynolds,
    }


def _weave_fits(
    thread: float, pitch: float, speed: float, density: float, viscosity: float
) -> bool:
    return 60 <= weave(thread, pitch, speed, density, viscosity)["reynolds"] <= 600


def duct_inlet(
    area: float, perimeter: float, speed: float, density: float, viscosity: float
) -> dict[str, float]:
    """Hydraulic diameter and what turbulence to expect at the end of a long duct.

    Intensity 0.16 Re^-1/8, mixing length 0.07 D_h (common practice); dissipation 0.09^(3/4)
    k^(3/2) / l.
    """
    positive(area=area, perimeter=perimeter, speed=speed, density=density, viscosity=viscosity)
    hydraulic = 4 * area / perimeter
    reynolds = density * speed * hydraulic / viscosity
    intensity = 0.16 * reynolds ** (-1 / 8)
    energy, length = 1.5 * (speed * intensity) ** 2, 0.07 * hydraulic
    return {
        "hydraulic_diameter": hydraulic,
        "reynolds": reynolds,
        "intensity": intensity,
        "length": length,
        "energy": energy,
        "dissipation": 0.09**0.75 * energy**1.5 / length,
    }


_RHO = Entry("density", "density", "density", "1.2 kg/m3")
_MU = Entry("viscosity", "viscosity", "viscosity", "18 uPa*s")

SUMS = (
    SideSum(
        "from_drop",
        "Porous layer from a measured drop",
        "porous",
        "Permeability and inertial resistance that fit pairs of speed and pressure drop.",
        "Darcy & Forchheimer, least squares",
        (
            Entry(
                "measured",
                "measured",
                kind="table",
                default="0.1 m/s, 12 Pa\n0.2 m/s, 26 Pa\n0.4 m/s, 60 Pa",
                columns=(("speed", "speed"), ("pressure drop", "pressure")),
            ),
            Entry("thickness", "thickness", "length", "2 mm"),
            _MU,
            _RHO,
        ),
        (
            Gives("permeability", "area", "permeability"),
            Gives("inertia", "1/m", "inertial resistance"),
            Gives("misfit", "number", "largest relative misfit"),
        ),
        from_drop,
        _fit,
    ),
    SideSum(
        "weave",
        "Woven cloth from its threads",
        "porous",
        "Open area and loss of a square weave.",
        "Wieghardt 1953, from memory",
        (
            Entry("thread", "thread", "length", "0.3 mm"),
            Entry("pitch", "pitch", "length", "0.8 mm"),
            Entry("speed", "speed", "speed", "3 m/s"),
            _RHO,
            _MU,
        ),
        (
            Gives("open_area", "number", "open share of area"),
            Gives("loss", "number", "loss coefficient"),
            Gives("drop", "pressure", "pressure drop"),
            Gives("reynolds", "number", "Re of a thread"),
        ),
        weave,
        range="Re 60 to 600",
        fits=_weave_fits,
    ),
    SideSum(
        "duct_inlet",
        "Duct inlet",
        "ducts",
        "Hydraulic diameter, and the turbulence a long duct brings with it.",
        "common practice",
        (
            Entry("area", "open area", "area", "100 cm^2"),
            Entry("perimeter", "wetted perimeter", "length", "40 cm"),
            Entry("speed", "mean speed", "speed", "10 m/s"),
            _RHO,
            _MU,
        ),
        (
            Gives("hydraulic_diameter", "length", "hydraulic diameter"),
            Gives("reynolds", "number", "Reynolds number"),
            Gives("intensity", "number", "turbulence intensity"),
            Gives("length", "length", "mixing length"),
            Gives("energy", "m^2/s^2", "turbulent energy"),
            Gives("dissipation", "m^2/s^3", "dissipation"),
        ),
        duct_inlet,
        range="turbulent, Re above 4000",
    ),
)
