"""What passes from one conductor to another where they touch, by the voltage between them.

Laws are told per area of the surface: i (A/m2) at an overvoltage (V), positive from the first
conductor into the second, and how i rises with it (S/m2).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.quantities.constants import FARADAY, GAS

Array = np.ndarray

STEEP = 60.0  # exponents beyond which a law goes on as its tangent, so that nothing overflows
TURNS, CLOSE = 100, 1e-13  # of the search behind a resistance, and of the voltage across both


def _rises(z: Array) -> tuple[Array, Array]:
    """exp(z) and its slope, along the tangent beyond `STEEP`."""
    bounded = np.exp(np.minimum(z, STEEP))
    return bounded * (1.0 + np.maximum(z - STEEP, 0.0)), bounded


def butler_volmer(
    eta: Array, exchange: Any, anodic: Any, cathodic: Any, temperature: Any
) -> tuple[Array, Array]:
    """i = i0 (exp(aa F eta/RT) - exp(-ac F eta/RT)), and di/deta."""
    f = FARADAY / (GAS * temperature)
    up, up_slope = _rises(anodic * f * eta)
    down, down_slope = _rises(-cathodic * f * eta)
    return exchange * (up - down), exchange * f * (anodic * up_slope + cathodic * down_slope)


def with_matter(
    eta: Array,
    exchange: Any,
    anodic: Any,
    cathodic: Any,
    temperature: Any,
    reduced: Any,
    oxidised: Any,
    bring_reduced: Any,
    bring_oxidised: Any,
) -> tuple[Array, Array, Array, Array]:
    """i = i0 (r exp(aa F eta/RT) - o exp(-ac F eta/RT)) with what is left of both forms at the surface,
    di/deta, and what i rises by with `reduced` and with `oxidised`: how much there is of each away from
    it, over what the exchange current was told at. bring_* : A/m2 that as much as that could bring
    there; infinite where nothing stands before it. As what comes rises in a line with what is used up,
    no search is needed.
    """
    f = FARADAY / (GAS * temperature)
    up, up_slope = _rises(anodic * f * eta)
    down, down_slope = _rises(-cathodic * f * eta)
    under = 1.0 + exchange * (up / bring_reduced + down / bring_oxidised)
    i = exchange * (reduced * up - oxidised * down) / under
    rises, falls = anodic * up_slope, cathodic * down_slope  # of both exponentials, less f
    both = rises * down + falls * up
    alone = reduced * rises + oxidised * falls
    crossed = exchange * both * (reduced / bring_oxidised + oxidised / bring_reduced)
    slope = exchange * f * (alone + crossed) / under**2
    return i, slope, exchange * up / under, -exchange * down / under


def linear(eta: Array, resistance: Any) -> tuple[Array, Array]:
    """i = eta/R for a resistance of so many ohm m2."""
    return eta / resistance, np.ones(np.shape(eta)) / resistance


@dataclass(frozen=True)
class Across:
    """What a surface lets pass: its kinetics (V) -> (A/m2, S/m2), and what it stores.

    stores, stored : of (V), what a step in time takes to charge it: `stores` x voltage - `stored`.
    balanced : the voltage that it is told over. rests : at which no reaction goes either way, where
    that is another.
    """

    kinetics: Callable[[Array], tuple[Array, Array]] | None
    balanced: Any = 0.0
    stores: float = 0.0
    stored: Any = 0.0
    rests: Any = None

    def passes(self, across: Array) -> tuple[Array, Array]:
        """A/m2 and S/m2 at a voltage from the first conductor to the second."""
        i, slope = self.stores * across - self.stored, np.full(np.shape(across), self.stores)
        if self.kinetics is not None:
            more, steeper = self.kinetics(across - self.balanced)
            i, slope = i + more, slope + steeper
        return i, slope

    def behind(self, voltage: Array, resistance: Array) -> tuple[Array, Array, Array]:
        """The same where a resistance (ohm m2) stands before the surface, and the voltage across the
        surface alone: Newton's method, within what is known to lie on either side.
        """
        rests = self.balanced if self.rests is None else self.rests
        known = [voltage, np.broadcast_to(rests, voltage.shape)]
        if self.stores:
            known.append(np.broadcast_to(self.stored / self.stores, voltage.shape))
        low, high = np.minimum.reduce(known), np.maximum.reduce(known)
        x, scale = np.array(voltage, float), np.maximum(np.abs(low), np.abs(high)) + 1e-3
        for _ in range(TURNS):
            i, slope = self.passes(x)
            off = x + resistance * i - voltage
            high, low = np.where(off > 0, x, high), np.where(off <= 0, x, low)
            new = x - off / (1.0 + resistance * slope)
            new = np.where((new < low) | (new > high), 0.5 * (low + high), new)
            done = np.abs(new - x) <= CLOSE * scale
            x = new
            if done.all():
                break
        i, slope = self.passes(x)
        return i, slope / (1.0 + resistance * slope), x
