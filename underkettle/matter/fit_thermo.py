"""Makes thermo.json: heat capacities as polynomials, with formation enthalpy and standard entropy.

Run by hand when species are added (python -m underkettle.matter.fit_thermo); needs the packages of
requirements-data.txt, which nothing else does. What it writes is reviewed and kept.

Sources in this order. Heat capacity: JANAF tables; NIST webbook for H2, O2, N2, Ar; TRC tables
(Frenkel et al. 1994). Formation enthalpy at 298.15 K: ATcT. Entropy: JANAF, else Yaws or CRC. All
as carried by the libraries `chemicals` and `thermo`.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.quantities.constants import GAS

FILE = Path(__file__).with_name("thermo.json")
LOW, MIDDLE, HIGH = 200.0, 1000.0, 5000.0
STANDARD = 298.15
SPECIES = {
    "H2": "1333-74-0",
    "O2": "7782-44-7",
    "N2": "7727-37-9",
    "Ar": "7440-37-1",
    "H2O": "7732-18-5",
    "CO": "630-08-0",
    "CO2": "124-38-9",
    "OH": "3352-57-6",
    "H": "12385-13-6",
    "O": "17778-80-2",
    "N": "17778-88-0",
    "NO": "10102-43-9",
    "NO2": "10102-44-0",
    "N2O": "10024-97-2",
    "NH3": "7664-41-7",
    "HCN": "74-90-8",
    "CH4": "74-82-8",
    "C2H2": "74-86-2",
    "C2H4": "74-85-1",
    "C2H6": "74-84-0",
    "C3H8": "74-98-6",
    "CH3OH": "67-56-1",
    "C2H5OH": "64-17-5",
    "HO2": "3170-83-0",
    "H2O2": "7722-84-1",
}
ATOMS = {"C2H5OH": {"C": 2, "H": 6, "O": 1}, "CH3OH": {"C": 1, "H": 4, "O": 1}, "Ar": {"Ar": 1}}
GRAPHITE, GRAPHITE_ENTROPY = "7440-44-0", 5.74  # J/(mol K), from memory of JANAF


def atoms_of(formula: str) -> dict[str, int]:
    import re

    if formula in ATOMS:
        return ATOMS[formula]
    found: dict[str, int] = {}
    for element, count in re.findall(r"([A-Z][a-z]?)(\d*)", formula):
        found[element] = found.get(element, 0) + int(count or 1)
    return found


def fitted(temperature: np.ndarray, ratio: np.ndarray, top: float) -> tuple[Any, Any, float]:
    """Cp/R as a quartic below and above 1000 K (a straight line where data end early), of one value
    and slope there; and the largest relative error.
    """
    degree = 4 if top > 2000 else 1
    low = temperature <= MIDDLE
    columns = 5 + degree + 1
    a = np.zeros((temperature.size, columns))
    scaled = temperature / MIDDLE
    a[low, :5] = scaled[low, None] ** np.arange(5)
    a[~low, 5:] = scaled[~low, None] ** np.arange(degree + 1)
    join = np.zeros((2, columns))
    join[0, :5], join[0, 5:] = 1.0, -1.0
    join[1, :5], join[1, 5:] = np.arange(5), -np.arange(degree + 1)
    weight = 1.0 / ratio
    normal = np.block(
        [[(a * weight[:, None]).T @ (a * weight[:, None]), join.T], [join, np.zeros((2, 2))]]
    )
    right = np.concatenate([(a * weight[:, None]).T @ np.ones(ratio.size), np.zeros(2)])
    found = np.linalg.solve(normal, right)[:columns]
    error = float(np.abs(a @ found / ratio - 1).max())
    powers = MIDDLE ** -np.arange(5.0)
    upper = np.zeros(5)
    upper[: degree + 1] = found[5:]
    return found[:5] * powers, upper * powers, error


def one(name: str, cas: str, solid: bool = False) -> dict[str, Any]:
    from chemicals import reaction
    from thermo import HeatCapacityGas, HeatCapacitySolid

    heat = (HeatCapacitySolid if solid else HeatCapacityGas)(CASRN=cas)
    method = next(m for m in ("JANAF", "WEBBOOK_SHOMATE", "TRCIG") if m in heat.all_methods)
    if name in ("H2", "O2", "N2", "Ar"):
        method = "WEBBOOK_SHOMATE"
    bottom, top = heat.T_limits[method]
    at = np.linspace(max(LOW, bottom), min(HIGH, top), 200)
    ratio = np.array([heat.calculate(float(t), method) for t in at]) / GAS
    low, high, error = fitted(at, ratio, top)
    if solid:
        formation, entropy, where = 0.0, GRAPHITE_ENTROPY, "JANAF, from memory"
    else:
        formation = float(reaction.Hfg(cas, method="ATCT_G"))
        methods = reaction.S0g_methods(cas)
        where = next(m for m in ("JANAF", "YAWS", "CRC") if m in methods)
        entropy = float(reaction.S0g(cas, method=where))
    said = {"JANAF": "JANAF tables", "WEBBOOK_SHOMATE": "NIST webbook", "TRCIG": "TRC tables"}
    return {
        "atoms": {"C": 1} if solid else atoms_of(name),
        "formation": formation,
        "entropy": entropy,
        "low": [float(f"{v:.9e}") for v in low],
        "high": [float(f"{v:.9e}") for v in high],
        "top": float(min(HIGH, top)),
        "fit_error": float(f"{error:.2g}"),
        "source": f"heat capacity: {said[method]}; formation: ATcT; entropy: {where}",
    }


def main() -> None:
    found = {name: one(name, cas) for name, cas in SPECIES.items()}
    found["C(s)"] = one("C(s)", GRAPHITE, solid=True)
    FILE.write_text(json.dumps(found, indent=1) + "\n")
    for name, entry in found.items():
        print(f"{name:7s} {entry['fit_error']:8.2g}  {entry['source']}")


if __name__ == "__main__":
    main()
