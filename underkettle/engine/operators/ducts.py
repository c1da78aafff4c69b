"""What a stream is like that comes from a long turbulent duct: its speed and its eddies from wall to
middle, between plates or in a pipe.

Stress falls evenly from wall to middle; how viscous eddies are follows from how far off the wall and
how wide the duct is (Cess 1958, in the form of Reynolds & Tiederman 1967, from memory). What they hold
is made by shear, spreads as momentum does and wears away by .09 k^2 / nu_t: one equation across the
duct, solved by Newton's method.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from underkettle.engine.operators.wall_law import BETA_STAR, ENERGY, KARMAN

Array = np.ndarray

DAMPED = 25.4  # y+ over which eddies are damped: with it the logarithm's intercept is 5.2
ROWS = 240  # from wall to middle
FIRST = 0.3  # y+ of the first
LEAST = 60.0  # half a duct in wall units: below it no duct is turbulent
LEAST_STIRS = 1e-9
TURNS, STILL = 60, 1e-10
DIGITS = 3  # of a Reynolds number that tell profiles apart


class Developed(NamedTuple):
    """Rows from wall to middle. away : distance from the wall over half the duct; speed : over the
    mean; energy : of eddies, over the mean speed squared; rate : omega times half the duct over the
    mean speed. friction : friction speed over the mean.
    """

    away: Array
    speed: Array
    energy: Array
    rate: Array
    friction: float


def developed_duct(reynolds: float, round_: bool) -> Developed:
    """Of a Reynolds number on the hydraulic diameter: twice the gap between plates, or the pipe's."""
    digits = DIGITS - 1 - int(np.floor(np.log10(max(reynolds, 1.0))))
    return _developed(round(reynolds, digits), round_)


@lru_cache(maxsize=512)
def _developed(reynolds: float, round_: bool) -> Developed:
    turns = 2 if round_ else 4  # Reynolds number over mean speed and half a duct in wall units
    half = max(0.05 * reynolds / turns, LEAST)
    for _ in range(TURNS):
        away, speed, mean = _speeds(half, round_)
        missed = reynolds / (turns * mean * half)
        if abs(missed - 1.0) < STILL or (half <= LEAST and missed < 1.0):
            break
        half = max(half * missed**0.9, LEAST)
    stirs, energy = _eddies(away, half, round_)
    rate = energy / stirs * half
    return Developed(away, speed / mean, energy / mean**2, rate / mean, 1.0 / mean)


def _mixing(away: Array, half: float) -> tuple[Array, Array]:
    """Slope of the speed in wall units (1), and nu_t over nu."""
    middle = (1.0 - away) ** 2
    mixes = KARMAN / 3.0 * half * (1.0 - middle) * (1.0 + 2.0 * middle)
    mixes = mixes * (1.0 - np.exp(-away * half / DAMPED))
    stirs = np.maximum(0.5 * np.sqrt(1.0 + mixes**2) - 0.5, LEAST_STIRS)
    return (1.0 - away) / (1.0 + stirs), stirs


def _speeds(half: float, round_: bool) -> tuple[Array, Array, float]:
    """Rows, U+ there and its mean over the duct."""
    away = np.concatenate([[0.0], np.geomspace(min(FIRST / half, 1e-3), 1.0, ROWS)])
    gaps, middles = np.diff(away), 0.5 * (away[1:] + away[:-1])
    slope, _ = _mixing(middles, half)
    speed = np.concatenate([[0.0], np.cumsum(slope * gaps * half)])
    weight = 2.0 * (1.0 - middles) if round_ else np.ones(middles.size)
    mean = float((0.5 * (speed[1:] + speed[:-1]) * weight * gaps).sum())
    return away[1:], speed[1:], mean


def _eddies(away: Array, half: float, round_: bool) -> tuple[Array, Array]:
    """nu_t over nu, and energy over friction speed squared."""
    from scipy.linalg import solve_banded

    slope, stirs = _mixing(away, half)
    nodes = np.concatenate([[0.0], away])
    faces = 0.5 * (nodes[1:] + nodes[:-1])
    area = (1.0 - faces) if round_ else np.ones(faces.size)
    links = area * (1.0 + _mixing(faces, half)[1]) / np.diff(nodes) / half**2
    ends = np.append(faces, 1.0)
    sizes = np.diff(ends) if not round_ else 0.5 * ((1 - ends[:-1]) ** 2 - (1 - ends[1:]) ** 2)
    made = stirs * slope**2 * sizes
    wears = BETA_STAR * sizes / stirs
    energy = np.maximum(stirs * slope / ENERGY, 1e-9)
    above = np.append(links[1:], 0.0)
    for _ in range(TURNS):
        spread = -(links + above) * energy
        spread[1:] += links[1:] * energy[:-1]
        spread[:-1] += above[:-1] * energy[1:]
        left = made + spread - wears * energy**2
        bands = np.zeros((3, away.size))
        bands[0, 1:], bands[2, :-1] = -above[:-1], -links[1:]
        bands[1] = links + above + 2.0 * wears * energy
        change = solve_banded((1, 1), bands, left)
        energy = np.maximum(energy + change, 0.1 * energy)
        if float(np.abs(change).max()) <= STILL * float(energy.max()):
            break
    return stirs, energy
