"""Ideal reactors: plug flow and the stirred vessel, with any reactions at one temperature."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from underkettle.engine.operators.kinetics import (
    UNSTIRRED,
    Rates,
    by_itself,
    carry_through,
    rates_in,
)

Array = np.ndarray

FAINT = 1e-6  # of the largest concentration that comes in
UNMIXED, NOBODY = np.full(1, UNSTIRRED), np.zeros(1)
STAYS = 60.0  # of the mean stay, after which a stirred vessel has settled


def _faint(comes: Array) -> Array:
    return np.full(comes.size, max(FAINT * float(comes.max(initial=0.0)), 1e-12))


def made_in(
    rates: Rates, shares: Array, temperature: float, faint: Array
) -> Callable[[Array], Array]:
    """What reactions make in one place (mol/(m3 s)), of concentrations there (mol/m3)."""
    out, slopes = np.zeros((len(rates.made), 1)), np.zeros((*rates.made.shape, 1))
    share, warm = np.array(shares, float)[:, None], np.array([temperature])

    def made(c: Array) -> Array:
        around = (UNMIXED, NOBODY, faint)
        rates_in(np.ascontiguousarray(c[:, None]), warm, share, *rates, *around, out, slopes)
        return np.asarray(rates.made.T @ out[:, 0])

    return made


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
        UNMIXED,
        NOBODY,
        _faint(c[:, 0]),
        np.full(1, 1e-6 * stay),
        run,
        parts,
        *by_itself(many, c.shape[0]),
    )
    return np.asarray(c[:, 0])


def stirred(rates: Rates, comes: Array, shares: Array, temperature: float, stay: float) -> Array:
    """What a stirred vessel holds and lets go (mol/m3), from what comes in on."""
    from scipy.integrate import solve_ivp  # loads slowly, and is seldom wanted

    comes = np.array(comes, float)
    made = made_in(rates, shares, temperature, _faint(comes))
    scale = max(float(comes.max(initial=0.0)), 1e-12)
    found = solve_ivp(
        lambda _, c: (comes - c) / stay + made(c),
        (0.0, STAYS * stay),
        comes,
        method="LSODA",
        rtol=1e-8,
        atol=1e-10 * scale,
    )
    return np.asarray(found.y[:, -1])
