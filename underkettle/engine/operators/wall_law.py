"""The law of turbulent speeds beside a wall, from the wall itself to where logarithms hold.

Speed and distance count in wall units: U+ = U / u, y+ = y u / nu with the friction speed
u = sqrt(stress / density). One closed form joins the viscous layer to the logarithm,

    (U+ / y+)^2 + (U+ / L)^4 = 1,   L = ln(1 + E y+ / (1 + ROUGH ks+)) / KARMAN,

so that the treatment of a wall becomes the laminar one as the first cell gets thin. Constants are
those of smooth walls (Karman's .41, intercept 5.2) and of sand grains of height ks (Nikuradse 1933:
8.5 above grains, which ROUGH gives once they reach beyond the viscous layer).
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray

KARMAN, INTERCEPT = 0.41, 5.2
E = float(np.exp(KARMAN * INTERCEPT))
ROUGH = float(E / np.exp(KARMAN * 8.5))
BETA_1, BETA_STAR = 0.075, 0.09  # of k-omega models: near walls, and of what dissipates
ENERGY = float(np.sqrt(BETA_STAR))  # friction speed squared over energy in the logarithmic layer
TINY = 1e-30
TURNS = 40  # of Newton's method, far more than it takes
STILL = 1e-13
HEATED = 48  # stretches of the integral of the law of heat
PRANDTL, PRANDTL_WALL = 0.85, 0.7  # Kays 1994: turbulent Prandtl number .85 + .7 / (Pr nu_t / nu)


@numba.njit(inline="always")
def logarithm(yp, grain):
    """L and its slope over y+; grain : ks+."""
    share = E / (1.0 + ROUGH * grain)
    return np.log1p(share * yp) / KARMAN, share / (KARMAN * (1.0 + share * yp))


@numba.njit(inline="always")
def speed(yp, grain):
    """U+ and dU+/dy+ at y+."""
    y = max(yp, 1e-6)
    length, slope = logarithm(y, grain)
    c = (y / length) ** 4
    # y sqrt(2 / (1 + sqrt(1 + 4 c))): the closed form, without cancellation
    u = y * np.sqrt(2.0 / (1.0 + np.sqrt(1.0 + 4.0 * c)))
    a, b = u / (y * y * y), 2.0 * u * u * u * slope / length**5
    return u, u * (a + b) / (u / (y * y) + 2.0 * u * u * u / length**4)


@numba.njit(inline="always")
def stirring(yp, grain):
    """nu_t / nu at y+ where stress is the same throughout, and production over u^4 / nu."""
    slope = speed(yp, grain)[1]
    nt = max(1.0 / slope - 1.0, 0.0)
    return nt, nt / ((1.0 + nt) * (1.0 + nt))


@numba.njit(inline="always")
def turnover(y, friction, scale, nu):
    """omega (1/s) at a distance y (m). friction : friction speed; scale : what takes its place in
    the logarithmic part, where a stream comes to rest at the wall while eddies do not (m/s).
    """
    rises = 1.0 - np.exp(-((y * scale / (6.9 * nu)) ** 2))
    return 6.0 * nu / (BETA_1 * y * y) + scale / (ENERGY * KARMAN * y) * rises


@kernel
def friction_speeds(speeds, distances, weights, nu, grain, out):
    """Friction speed (m/s) of every row: sum of weights x u U+(distance u / nu) = speed.

    speeds : (n,) seen along the wall, weighted as the law is. distances, weights : (n, m), m and
    numbers that sum to one. nu : (n,) m2/s. grain : (n,) m. out : (n,), its values begin it.
    """
    for k in range(speeds.size):
        aim = abs(speeds[k])
        if aim < TINY:
            out[k] = 0.0
            continue
        u = max(out[k], TINY)
        nearest = 0.0
        for m in range(weights.shape[1]):
            nearest += weights[k, m] * distances[k, m]
        if out[k] <= 0.0:
            u = np.sqrt(nu[k] * aim / max(nearest, TINY))
        for _ in range(TURNS):
            found, slope = 0.0, 0.0
            for m in range(weights.shape[1]):
                if weights[k, m] != 0.0:
                    yp = distances[k, m] * u / nu[k]
                    up, rise = speed(yp, grain[k] * u / nu[k])
                    found += weights[k, m] * u * up
                    slope += weights[k, m] * (up + yp * rise)
            step = (aim - found) / slope
            step = max(step, -0.5 * u)
            u += step
            if abs(step) <= STILL * u:
                break
        out[k] = u


@kernel
def wall_viscosities(speeds, distances, friction, nu, grain, low, high, out):
    """What conducts momentum (m2/s) between a wall and a velocity beside it, so that its stress is that
    of the friction speed: u^2 y / U, within `low` to `high` of what the law makes of it.

    speeds : (n,) m/s beside the wall; distances : (n,) m; low : (n,); friction : (n,) m/s;
    grain : (n,) m.
    """
    for k in range(speeds.size):
        u, y = friction[k], distances[k]
        if u <= 0.0:
            out[k] = nu[k]
            continue
        up, _ = speed(y * u / nu[k], grain[k] * u / nu[k])
        law = u * y / up
        raw = u * u * y / max(abs(speeds[k]), TINY)
        out[k] = min(max(raw, low[k] * law), high * law)


@numba.njit(inline="always")
def _spalding(u):
    """y+ of U+, and nu_t / nu there (Spalding 1961)."""
    q = KARMAN * u
    e = np.exp(q)
    nt = KARMAN / E * (e - 1.0 - q - 0.5 * q * q)
    return u + (e - 1.0 - q - 0.5 * q * q - q * q * q / 6.0) / E, nt


@numba.njit(inline="always")
def turbulent_prandtl(stirred, prandtl):
    """Kays 1994; stirred : nu_t / nu."""
    return PRANDTL + PRANDTL_WALL / max(prandtl * stirred, 1e-9)


@numba.njit(inline="always")
def warmth(yp, prandtl):
    """T+ at y+: the integral of (1 + n) / (1 / Pr + n / Pr_t) over U+, n = nu_t / nu of Spalding's
    law, Pr_t by Kays. prandtl : that of the fluid, or the Schmidt number.
    """
    low, high = 0.0, min(yp, 60.0)
    for _ in range(60):
        middle = 0.5 * (low + high)
        if _spalding(middle)[0] > yp:
            high = middle
        else:
            low = middle
    total, step = 0.0, low / HEATED
    for k in range(HEATED):
        nt = _spalding((k + 0.5) * step)[1]
        total += (1.0 + nt) / (1.0 / prandtl + nt / turbulent_prandtl(nt, prandtl))
    return total * step


@kernel
def warmths(yp, prandtl, out):
    """T+ of every row; (n,) each."""
    for k in range(yp.size):
        out[k] = warmth(yp[k], prandtl[k])
