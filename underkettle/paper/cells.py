"""Cells that turn hydrogen into current. Arguments and results in SI."""

from __future__ import annotations

from math import log, sqrt

from underkettle.paper.relation import Relation, Takes
from underkettle.quantities.constants import FARADAY, GAS

STANDARD = 101325.0  # Pa
HEAT = 285.8e3  # J/mol of hydrogen that burns to water as a liquid, 298.15 K (CRC)


def balance(temperature: float, hydrogen: float, oxygen: float, activity: float) -> float:
    """Voltage (V) of balance of hydrogen and oxygen, of pressures, with water of some activity:
    1.229 - 8.46e-4 (T - 298.15) + RT/2F ln(pH sqrt(pO)/a) (Nernst; NIST data).
    """
    gases = hydrogen / STANDARD * sqrt(oxygen / STANDARD) / activity
    shift = GAS * temperature / (2.0 * FARADAY) * log(gases)
    return 1.229 - 8.46e-4 * (temperature - 298.15) + shift


def limiting(electrons: float, concentration: float, diffusivity: float, thickness: float) -> float:
    """Current density (A/m2) at which nothing is left behind a layer: n F c D/L."""
    return electrons * FARADAY * concentration * diffusivity / thickness


def efficiency(voltage: float) -> float:
    """What a cell makes into current of all that hydrogen gives where it burns to water as a liquid, at
    a voltage: 2 F V/dH, 1.481 V for one.
    """
    return 2.0 * FARADAY * voltage / HEAT


GROUP = "charge"
RELATIONS = (
    Relation(
        "cell_balance",
        "Voltage of balance of hydrogen and oxygen",
        GROUP,
        r"E=1.229-8.46{\cdot}10^{-4}(T-298.15)+\frac{RT}{2F}\ln\frac{p_{H_2}\sqrt{p_{O_2}}}{a}",
        "Nernst; NIST data",
        "0 to 100 degC, pressures over 1 atm",
        (
            Takes("temperature", "temperature", "temperature", "80 degC"),
            Takes("hydrogen", "pressure", "pressure of hydrogen", "1 bar"),
            Takes("oxygen", "pressure", "pressure of oxygen", "0.21 bar"),
            Takes("activity", "number", "activity of water", "1"),
        ),
        "voltage",
        balance,
        lambda temperature, **others: 273.15 <= temperature <= 373.15,
    ),
    Relation(
        "limiting_current",
        "Current at which nothing is left behind a layer",
        GROUP,
        r"i_L=nFcD/L",
        "Nernst 1904",
        "diffusion straight through one layer",
        (
            Takes("electrons", "number", "electrons", "4"),
            Takes("concentration", "concentration", "concentration before it"),
            Takes("diffusivity", "area per time", "diffusivity in the layer"),
            Takes("thickness", "length", "thickness"),
        ),
        "current density",
        limiting,
    ),
    Relation(
        "cell_efficiency",
        "Efficiency of a hydrogen cell",
        GROUP,
        r"\eta=2FV/\Delta H",
        "first law; CRC for the heat of burning",
        "all hydrogen used, water as a liquid",
        (Takes("voltage", "voltage", "voltage", "0.65 V"),),
        "number",
        efficiency,
    ),
)
