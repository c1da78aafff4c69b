"""Heat that a thin gas gives off to what is around it.

Planck-mean absorption of CO2, H2O, CO and CH4: fits in common use for laboratory flames (Barlow,
Karpetis, Frank & Chen 2001, Combust. Flame 127, from memory), 300 to 2500 K. Nothing that is given off
is taken up again: an upper bound where flames are larger than some decimetres.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

Array = np.ndarray

STEFAN = 5.670374419e-8  # W/(m2 K4)
ATMOSPHERE = 101325.0  # Pa
COLDEST, HOTTEST = 300.0, 2500.0  # K
# 1/(m atm) by powers of 1000 K over the temperature
_BY_COLD = {
    "H2O": (-0.23093, -1.12390, 9.41530, -2.99880, 0.51382, -1.86840e-5),
    "CO2": (18.741, -121.310, 273.500, -194.050, 56.310, -5.8169),
}
_METHANE = (6.6334, -0.0035686, 1.6682e-08, 2.5611e-10, -2.6558e-14)  # by powers of K
_MONOXIDE = (
    (4.7869, -0.06953, 2.95775e-4, -4.25732e-7, 2.02894e-10),  # up to 750 K
    (10.09, -0.01183, 4.7753e-6, -5.87209e-10, -2.5334e-14),
)


def absorption(shares: Mapping[str, Array], warm: Array, pressure: float) -> Array:
    """Planck-mean absorption coefficient (1/m) of gases by their mole fractions; warm : K."""
    t = np.clip(warm, COLDEST, HOTTEST)
    cold = 1000.0 / t
    power = np.polynomial.polynomial.polyval
    found = np.zeros(np.shape(warm))
    for name, share in shares.items():
        if name in _BY_COLD:
            found = found + share * np.maximum(power(cold, _BY_COLD[name]), 0.0)
        elif name == "CH4":
            found = found + share * np.maximum(power(t, _METHANE), 0.0)
        elif name == "CO":
            low, high = (power(t, a) for a in _MONOXIDE)
            found = found + share * np.maximum(np.where(t <= 750.0, low, high), 0.0)
    return np.asarray(found * pressure / ATMOSPHERE)


def given_off(shares: Mapping[str, Array], warm: Array, pressure: float, around: float) -> Array:
    """W/m3 that a thin gas radiates to what is around at a temperature (K)."""
    return 4.0 * STEFAN * absorption(shares, warm, pressure) * (warm**4 - around**4)


# three grey parts of a gas: absorption (1/(atm m)) of each, and its share of what a black body gives
# off, by powers of temperature (K); by how much of both H2O and CO2 is H2O. Smith, Shen & Friedman
# 1982, J. Heat Transfer 104, 602, from memory; 600 to 2400 K, .001 to 10 atm m
_PARTS = {
    0.0: (
        (0.3966, (4.334e-2, 2.620e-4, -1.560e-7, 2.565e-11)),
        (15.64, (-4.814e-2, 2.822e-4, -1.794e-7, 3.274e-11)),
        (394.3, (5.492e-2, 1.087e-5, -3.500e-8, 9.123e-12)),
    ),
    0.5: (
        (0.4303, (5.150e-1, -2.303e-4, 9.779e-8, -1.494e-11)),
        (7.055, (7.749e-2, 3.399e-4, -2.297e-7, 3.770e-11)),
        (178.1, (1.907e-1, -1.824e-4, 5.608e-8, -5.122e-12)),
    ),
    2.0 / 3.0: (
        (0.4201, (6.508e-1, -5.551e-4, 3.029e-7, -5.353e-11)),
        (6.516, (-2.504e-2, 6.112e-4, -3.882e-7, 6.528e-11)),
        (131.9, (2.718e-1, -3.118e-4, 1.221e-7, -1.612e-11)),
    ),
    1.0: (
        (0.4098, (5.977e-1, -5.119e-4, 3.042e-7, -5.564e-11)),
        (6.325, (5.677e-2, 3.333e-4, -1.967e-7, 2.718e-11)),
        (120.5, (1.800e-1, -2.334e-4, 1.008e-7, -1.454e-11)),
    ),
}
COOLEST, WARMEST = 600.0, 2400.0  # K
GASES = "H2O", "CO2"  # that absorb by themselves
BEAM = 3.6  # times volume over walls: mean path through a gas (Hottel, from memory)


def emissivity(water: Array, dioxide: Array, warm: Array, path: float) -> Array:
    """Of a layer of gas that holds so much H2O and CO2 (partial pressures, Pa), at temperatures (K),
    over a mean path (m); ratios between those of the source by a line.
    """
    t = np.clip(warm, COOLEST, WARMEST)
    both = np.maximum(water, 0.0) + np.maximum(dioxide, 0.0)
    thick = both / ATMOSPHERE * path
    wet = np.divide(np.maximum(water, 0.0), both, out=np.zeros(np.shape(both)), where=both > 0)
    known, found = list(_PARTS), np.zeros(np.shape(both))
    for parts, alone in zip(_PARTS.values(), np.eye(len(known)), strict=True):
        here = np.interp(wet, known, alone)
        for k, b in parts:
            share = np.maximum(np.polynomial.polynomial.polyval(t, b), 0.0)
            found = found - here * share * np.expm1(-k * thick)
    return np.asarray(np.minimum(found, 1.0 - 1e-12))


def grey(water: Array, dioxide: Array, warm: Array, path: float) -> Array:
    """Absorption coefficient (1/m) of a grey gas that gives off as much as this one over a path (m)."""
    return np.asarray(-np.log1p(-emissivity(water, dioxide, warm, path)) / path)
