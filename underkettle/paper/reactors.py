"""Ideal reactors: plug flow and the stirred vessel, with any reactions at one temperature."""

from __future__ import annotations

import numpy as np

from underkettle.engine.operators.kinetics import Rates, carry_through, rates_in

Array = np.ndarray

FAINT = 1e-6  # of the largest concentration that comes in
STAYS = 60.0  # of the mean stay, after which a stirred vessel has settled


def _faint(comes: Array) -> Array:
    return np.full(comes.size, max(FAINT * float(comes.max(initial=0.0)), 1e-12))


def plug_flow(rates: Rates, comes: Array, shares: Array, temperature: float, stay: float) -> Array:
    """What leaves (mol/m3) after a stay (s). comes : mol/m3 (n,); shares : of each reaction."""
    c = np.array(comes, float)[:, None].copy()
    many = shares.size
    run, parts = np.zeros((many, 1)), np.zeros(1, np.int64)
    carry_through(
        c,
        np.array([temperature]),
        np.array(shares, float)[:, None],
        stay,
        *rates,
        _faint(c[:, 0]),
        np.full(1, 1e-6 * stay),
        run,
        parts,
    )
    return np.asarray(c[:, 0])


def stirred(rates: Rates, comes: Array, shares: Array, temperature: float, stay: float) -> Array:
    """What a stirred vessel holds and lets go (mol/m3), from what comes in on."""
    from scipy.integrate import solve_ivp  # loads slowly, and is seldom wanted

    comes, n = np.array(comes, float), comes.size
    out, falls = np.zeros((shares.size, 1)), np.zeros((n, 1))
    share, warm, faint = np.array(shares, float)[:, None], np.array([temperature]), _faint(comes)

    def slope(_: float, c: Array) -> Array:
        here = np.ascontiguousarray(c[:, None])
        rates_in(here, warm, share, *rates, faint, out, falls)
        return np.asarray((comes - c) / stay + rates.made.T @ out[:, 0])

    scale = max(float(comes.max(initial=0.0)), 1e-12)
    found = solve_ivp(
        slope, (0.0, STAYS * stay), comes, method="LSODA", rtol=1e-8, atol=1e-10 * scale
    )
    return np.asarray(found.y[:, -1])
