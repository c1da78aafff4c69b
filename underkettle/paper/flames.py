"""Plane flames that burn their way into fresh gas, everything spreading as heat does."""

from __future__ import annotations

import math

import numpy as np

Array = np.ndarray

START = 1e-6  # of the way, begun behind
CLOSE = 1e-6  # of the mass flux, to which it is found
NOUGHT = 1e-11  # of all that is made, as half the square of q
SLOWEST, FASTEST = 1e-2, 1e2  # over the root of all that is made


def burning_flux(progress: Array, makes: Array) -> float:
    """Mass flux (kg/(m2 s)) at which a plane flame burns.

    makes : what is made of the progress c, 0 to 1, times what spreads it (kg2/(m4 s2)). The flux q of
    progress, dq/dc = m - makes / q, vanishes at both ends for one m alone (Zeldovich &
    Frank-Kamenetskii 1938): half its square is followed from what is burnt to what is fresh, where a
    flame that is taken for too fast runs out of it on the way.
    """
    from scipy.integrate import solve_ivp  # loads slowly, and is seldom wanted

    whole = float(np.trapezoid(makes, progress))
    behind, share = 1.0 - progress[::-1], makes[::-1] / whole

    def runs_out(gone: float, y: Array) -> float:
        return float(y[0]) - NOUGHT

    runs_out.terminal, runs_out.direction = True, -1.0  # type: ignore[attr-defined]
    first = [START * float(np.interp(START, behind, share))]

    def too_fast(flux: float) -> bool:
        def slope(gone: float, y: Array) -> list[float]:
            fresh = np.interp(gone, behind, share)
            return [float(fresh) - flux * math.sqrt(2.0 * max(float(y[0]), 0.0))]

        ends = (START, 1.0)
        found = solve_ivp(slope, ends, first, "LSODA", rtol=1e-7, atol=1e-14, events=runs_out)
        return bool(found.status == 1)

    slow, fast = SLOWEST, FASTEST
    while fast > (1.0 + CLOSE) * slow:
        middle = math.sqrt(slow * fast)
        slow, fast = (slow, middle) if too_fast(middle) else (middle, fast)
    return slow * math.sqrt(whole)
