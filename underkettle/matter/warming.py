"""What gases hold of heat, formation included, and how warm they are by it; compiled.

data : see `gibbs`. moles : of each substance in a kilogram (substances, n). Energies in J/kg.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.matter.gibbs import MIDDLE, POWERS
from underkettle.quantities.constants import GAS

COLDEST, HOTTEST = 50.0, 6000.0  # K, between which a temperature is looked for
MOST = 60  # steps
FINE = 1e-12  # of the temperature


@numba.njit(inline="always")
def _one(t, data, k):
    """Enthalpy over R (K) and heat capacity over R of a substance."""
    return _fitted(t, data[k, 0 if t <= MIDDLE else 1])


@numba.njit(inline="always")
def _fitted(t, a):
    """The same by coefficients of a fit."""
    h, c, power = a[POWERS], 0.0, 1.0
    for m in range(POWERS):
        c += a[m] * power
        power *= t
        h += a[m] * power / (m + 1.0)
    return h, c


@numba.njit
def _all(t, data, moles, p):
    h, c = 0.0, 0.0
    for k in range(moles.shape[0]):
        if moles[k, p] != 0.0:
            own, rises = _one(t, data, k)
            h += moles[k, p] * own
            c += moles[k, p] * rises
    return GAS * h, GAS * c


@kernel
def held_at(moles, temperatures, data, enthalpy, capacity):
    """enthalpy (n,; J/kg) and capacity (n,; J/(kg K)) at temperatures (n,; K)."""
    for p in range(temperatures.size):
        enthalpy[p], capacity[p] = _all(temperatures[p], data, moles, p)


@kernel
def each_at(temperatures, data, out):
    """Enthalpy (J/mol) of every substance (substances, n) at temperatures (n,; K)."""
    for k in range(out.shape[0]):
        for p in range(temperatures.size):
            out[k, p] = GAS * _one(temperatures[p], data, k)[0]


@kernel
def temperatures_of(moles, enthalpy, data, out):
    """Temperatures (n,; K) at which so much is held (n,; J/kg): Newton's method between bounds. out
    holds guesses; beyond what is looked for, the nearest bound.
    """
    fit, within = np.zeros(POWERS + 1), -1
    for p in range(enthalpy.size):
        low, high, within = COLDEST, HOTTEST, -1
        t = min(max(out[p], low), high)
        for _ in range(MOST):
            side = 0 if t <= MIDDLE else 1
            if side != within:  # the whole gas as one substance
                fit[:] = 0.0
                for k in range(moles.shape[0]):
                    many = GAS * moles[k, p]
                    if many != 0.0:
                        for m in range(POWERS + 1):
                            fit[m] += many * data[k, side, m]
                within = side
            h, c = _fitted(t, fit)
            if h > enthalpy[p]:
                high = t
            else:
                low = t
            next_ = t - (h - enthalpy[p]) / c if c > 0.0 else 0.5 * (low + high)
            if not (low < next_ < high):
                next_ = 0.5 * (low + high)
            moved = abs(next_ - t)
            t = next_
            if moved < FINE * t:
                break
        out[p] = t
