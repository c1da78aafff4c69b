"""How long a step an interface lets be."""

from __future__ import annotations

import math

WAVE = 0.7  # of the time in which the shortest wave passes half a cell


def wave_time(density: tuple[float, float], tension: float, size: float) -> float:
    """s: `WAVE` sqrt((rho1 + rho2) h^3/(4 pi sigma)), infinite without tension (Brackbill et al.
    1992).
    """
    if not tension > 0.0:  # or nobody knows it yet
        return math.inf
    return WAVE * math.sqrt(sum(density) * size**3 / (4.0 * math.pi * tension))
