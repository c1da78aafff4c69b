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
