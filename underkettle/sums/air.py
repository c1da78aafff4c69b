"""What a gas holds: composition on every basis, humid air, streams that mix, exhaust returned."""

from __future__ import annotations

import numpy as np

from underkettle.quantities.constants import GAS
from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

Array = np.ndarray

BASES = ("mole fraction", "ppm by volume", "mass fraction", "mol/m3", "g/m3")


def composition(
    amount: float,
    basis: str,
    molar_mass: float,
    carrier_mass: float,
    temperature: float,
    pressure: float,
) -> dict[str, float]:
    """A trace or share of one gas in another on every basis; ideal gas.

    amount : the number as it stands on its `basis`. molar masses in kg/mol, K, Pa.
    """
    positive(
        molar_mass=molar_mass, carrier_mass=carrier_mass, temperature=temperature, pressure=pressure
    )
    total = pressure / (GAS * temperature)  # mol/m3
    if basis == "mass fraction":
        if not 0 <= amount <= 1:
            raise SumError("a mass fraction lies between 0 and 1")
        moles, rest = amount / molar_mass, (1 - amount) / carrier_mass
        share = moles / (moles + rest)
    else:
        scale = {
            "mole fraction": 1.0,
            "ppm by volume": 1e-6,
            "mol/m3": 1 / total,
            "g/m3": 1e-3 / molar_mass / total,
        }[basis]
        share = amount * scale
    if not 0 <= share <= 1:
        raise SumError("that is more than there is room for at this pressure")
    mean = share * molar_mass + (1 - share) * carrier_mass
    return {
        "mole_fraction": share,
        "ppm": 1e6 * share,
        "mass_fraction": share * molar_mass / mean,
        "concentration": share * total,
        "mass_concentration": share * total * molar_mass,
        "density": total * mean,
    }


def humid_air(temperature: float, pressure: float, humidity: float) -> dict[str, float]:
    """Humid air at a relative humidity (0 to 1), from CoolProp's humid-air equation."""
    from CoolProp.CoolProp import HAPropsSI

    if not 0 <= humidity <= 1:
        raise SumError("a relative humidity lies between 0 and 1")

    def ask(name: str) -> float:
        try:
            return float(HAPropsSI(name, "T", temperature, "P", pressure, "R", humidity))
        except ValueError as error:
            raise SumError("the library knows no humid air at this state") from error

    water = ask("psi_w")
    return {
        "humidity_ratio": ask("W"),
        "mole_fraction": water,
        "dew_point": ask("D") if humidity > 0 else float("nan"),
        "wet_bulb": ask("B"),
        "density": 1.0 / ask("Vha"),
        "vapour_pressure": water * pressure,
        "vapour": water * pressure / (GAS * temperature),
    }


def _dew_curve(temperature: float, pressure: float, humidity: float) -> Curve:
    from CoolProp.CoolProp import HAPropsSI

    at = np.linspace(0.05, 1.0, 20)
    dew, here = (
        np.array([HAPropsSI("D", "T", temperature, "P", pressure, "R", float(h)) for h in row])
        for row in (at, [max(humidity, 1e-3)])
    )
    return Curve(
        at,
        dew,
        "relative humidity",
        "number",
        "dew point",
        "temperature",
        [(humidity, float(here[0]))],
    )


def mixed(streams: Array) -> dict[str, float]:
    """Streams of equal heat capacity that mix: rows of mass flow (kg/s), temperature (K), share."""
    flow = streams[:, 0]
    if (flow < 0).any() or flow.sum() <= 0:
        raise SumError("each stream has a mass flow of nought or more, and one has some")
    weight = flow / flow.sum()
    return {
        "flow": float(flow.sum()),
        "temperature": float(weight @ streams[:, 1]),
        "share": float(weight @ streams[:, 2]),
    }


def exhaust_start(
    carbon: float,
    hydrogen: float,
    oxygen: float,
    equivalence: float,
    returned: float,
    fresh: float,
    exhaust: float,
    pressure: float,
) -> dict[str, float]:
    """A closed volume of fresh mixture and returned exhaust of the same fuel C_x H_y O_z.

    equivalence : fuel over what the air can burn, at most 1. returned : mole share of exhaust.
    Temperatures mix by moles with equal molar heat capacities (common practice).
    """
    positive(
        carbon=carbon + hydrogen,
        equivalence=equivalence,
        fresh=fresh,
        exhaust=exhaust,
        pressure=pressure,
    )
    if equivalence > 1 or not 0 <= returned < 1:
        raise SumError("the equivalence ratio is at most 1, and the returned share below 1")
    need = carbon + hydrogen / 4 - oxygen / 2
    if need <= 0:
        raise SumError("this fuel needs no air")
    air = {"O2": need / equivalence, "N2": 3.773 * need / equivalence}
    inlet = {"fuel": 1.0, "O2": air["O2"], "N2": air["N2"], "CO2": 0.0, "H2O": 0.0}
    burnt = {
        "fuel": 0.0,
        "O2": air["O2"] - need,
        "N2": air["N2"],
        "CO2": carbon,
        "H2O": hydrogen / 2,
    }
    found = {}
    for name in inlet:
        found[name] = (1 - returned) * inlet[name] / sum(inlet.values()) + returned * burnt[
            name
        ] / sum(burnt.values())
    mass = {
        "fuel": 0.0120107 * carbon + 0.00100794 * hydrogen + 0.0159994 * oxygen,
        "O2": 0.0319988,
        "N2": 0.0280134,
        "CO2": 0.0440095,
        "H2O": 0.01801528,
    }
    mean = sum(found[n] * mass[n] for n in found)
    temperature = (1 - returned) * fresh + returned * exhaust
    return {
        **{n.lower(): v for n, v in found.items()},
        "temperature": temperature,
        "molar_mass": mean,
        "density": pressure * mean / (GAS * temperature),
        "air_per_fuel": (air["O2"] * mass["O2"] + air["N2"] * mass["N2"]) / mass["fuel"],
    }


_T = Entry("temperature", "temperature", "temperature", "20 degC")
_P = Entry("pressure", "pressure", "pressure", "1 atm")

SUMS = (
    SideSum(
        "composition",
        "One gas in another, every basis",
        "gases",
        "From ppm, a fraction or an amount per volume to all the others.",
        "ideal gas",
        (
            Entry("amount", "amount", "number", "400"),
            Entry("basis", "counted in", "number", "ppm by volume", "choice", BASES),
            Entry("molar_mass", "its molar mass", "molar mass", "44.01 g/mol"),
            Entry("carrier_mass", "molar mass of the rest", "molar mass", "28.97 g/mol"),
            _T,
            _P,
        ),
        (
            Gives("mole_fraction", "number", "mole fraction"),
            Gives("ppm", "number", "ppm by volume"),
            Gives("mass_fraction", "number", "mass fraction"),
            Gives("concentration", "concentration", "amount per volume"),
            Gives("mass_concentration", "density", "mass per volume"),
            Gives("density", "density", "density of the mixture"),
        ),
        composition,
    ),
    SideSum(
        "humid_air",
        "Humid air",
        "gases",
        "Dew point, wet bulb and vapour from a relative humidity.",
        "CoolProp's humid air (Bell et al. 2014)",
        (_T, _P, Entry("humidity", "relative humidity", "number", "0.5")),
        (
            Gives("vapour", "concentration", "vapour per volume"),
            Gives("humidity_ratio", "number", "kg vapour per kg dry air"),
            Gives("mole_fraction", "number", "mole fraction of vapour"),
            Gives("dew_point", "temperature", "dew point"),
            Gives("wet_bulb", "temperature", "wet bulb"),
            Gives("vapour_pressure", "pressure", "vapour pressure"),
            Gives("density", "density", "density"),
        ),
        humid_air,
        _dew_curve,
    ),
    SideSum(
        "mixed",
        "Streams that mix",
        "gases",
        "Flow, temperature and share after streams of one heat capacity have mixed.",
        "balances of mass, heat and species",
        (
            Entry(
                "streams",
                "streams",
                kind="table",
                default="0.02 kg/s, 180 degC, 0.1\n0.01 kg/s, 20 degC, 0",
                columns=(
                    ("mass flow", "mass flow"),
                    ("temperature", "temperature"),
                    ("share", "number"),
                ),
            ),
        ),
        (
            Gives("flow", "mass flow", "mass flow"),
            Gives("temperature", "temperature", "mixing-cup temperature"),
            Gives("share", "number", "mixing-cup share"),
        ),
        mixed,
    ),
    SideSum(
        "exhaust_start",
        "Returned exhaust at the start",
        "gases",
        "Composition and temperature of a closed volume of fresh mixture and exhaust.",
        "element balance; equal molar heat capacities (common practice)",
        (
            Entry("carbon", "C atoms of the fuel", default="1"),
            Entry("hydrogen", "H atoms", default="4"),
            Entry("oxygen", "O atoms", default="0"),
            Entry("equivalence", "fuel over what air can burn", default="1"),
            Entry("returned", "share of exhaust", default="0.15"),
            Entry("fresh", "fresh mixture", "temperature", "320 K"),
            Entry("exhaust", "exhaust", "temperature", "800 K"),
            _P,
        ),
        (
            Gives("temperature", "temperature", "temperature"),
            Gives("fuel", "number", "mole fraction of fuel"),
            Gives("o2", "number", "of O2"),
            Gives("n2", "number", "of N2"),
            Gives("co2", "number", "of CO2"),
            Gives("h2o", "number", "of H2O"),
            Gives("molar_mass", "molar mass", "molar mass"),
            Gives("density", "density", "density"),
            Gives("air_per_fuel", "number", "kg air per kg fuel"),
        ),
        exhaust_start,
    ),
)
