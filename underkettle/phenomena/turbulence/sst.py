"""The shear-stress-transport model of eddies (Menter, Kuntz & Langtry 2003): strain-rate production,
limited to ten times what is dissipated. Constants and blending as published there (from memory).
Without blending and limit by shear it is the standard k-epsilon model (Launder & Spalding 1974) as
Menter writes it for omega, walls by their law.

Kernels for the plane.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.wall_law import BETA_1, BETA_STAR
from underkettle.phenomena.turbulence.equations import held_energy, held_rate

Array = np.ndarray

A1 = 0.31
BETA_2 = 0.0828
GROWS_1, GROWS_2 = 5.0 / 9.0, 0.44  # of omega by production
K_1, K_2 = 0.85, 1.0  # of nu_t, what spreads k, near walls and far from them
W_1, W_2 = 0.5, 0.856  # and omega
LIMIT = 10.0  # of what is dissipated, by which production is limited


@numba.njit(inline="always")
def _tanh(x):
    """Of what is not below nought, without the work where it is as good as x or 1."""
    if x > 20.0:
        return 1.0
    return np.tanh(x) if x > 1e-5 else x


@numba.njit(inline="always")
def _stirs(kk, ww, strain, q1, q2):
    """nu_t (m2/s), limited by shear. q1, q2 : arguments of blending; strain : 1/s."""
    g = min(max(2.0 * q1, q2), 10.0)
    return A1 * kk / max(A1 * ww, strain * _tanh(g * g))


@kernel
def stirred(live, first, k, w, square, y, nu, law_nt, plain, eddy, ny, nx):
    """eddy : nu_t (m2/s) of k, omega and strain, see `look`."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                eddy[j, i] = 0.0
            elif first[j, i]:
                eddy[j, i] = law_nt[j, i]
            elif plain:
                eddy[j, i] = k[j, i] / w[j, i]
            else:
                kk, ww, yy = k[j, i], w[j, i], y[j, i]
                over = 1.0 / (ww * yy)
                q1, q2 = np.sqrt(kk) * over / BETA_STAR, 500.0 * nu[j, i] * over / yy
                eddy[j, i] = _stirs(kk, ww, np.sqrt(square[j, i]), q1, q2)


@kernel
def look(
    live,
    first,
    stirs,
    k,
    w,
    square,
    crossing,
    y,
    nu,
    law_nt,
    law_made,
    free,
    eddy,
    mix,
    made,
    grows,
    plain,
    ny,
    nx,
):
    """From k, omega and strain: eddy (nu_t, m2/s), mix (1 near walls, 0 far from them), made
    (production of k, m2/s3), grows (the same over nu_t, 1/s2, for omega).

    square : strain squared; crossing : grad k . grad omega. In cells `first` beside a wall nu_t and
    production are those of its law (law_nt, law_made). stirs : 0 where matter lets no eddies arise.
    plain : k-epsilon.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                eddy[j, i], mix[j, i], made[j, i], grows[j, i] = 0.0, 1.0, 0.0, 0.0
                continue
            kk, ww, yy, n, s2 = k[j, i], w[j, i], y[j, i], nu[j, i], square[j, i]
            cd = max(2.0 * W_2 * crossing[j, i] / ww, 1e-10)
            over = 1.0 / (ww * yy)
            q1, q2 = np.sqrt(kk) * over / BETA_STAR, 500.0 * n * over / yy
            g1 = min(min(max(q1, q2), 4.0 * W_2 * kk / (cd * yy * yy)), 10.0)
            g1 *= g1
            mix[j, i] = _tanh(g1 * g1)
            nt = _stirs(kk, ww, np.sqrt(s2), q1, q2)
            if plain:
                mix[j, i], nt = 0.0, kk / ww
            if first[j, i]:
                nt = law_nt[j, i]
                p = law_made[j, i]
            else:
                p = min(nt * s2, LIMIT * BETA_STAR * kk * ww)
            p *= stirs[j, i]
            eddy[j, i], made[j, i] = nt, p
            grows[j, i] = free[j, i] * min(p / max(nt, 1e-30), s2 * stirs[j, i])


@kernel
def hold(
    live,
    free,
    k,
    w,
    mix,
    crossing,
    made,
    grows,
    eddy,
    mu,
    rho,
    volume,
    rate,
    spread_k,
    spread_w,
    hold_k,
    made_k,
    hold_w,
    made_w,
    ny,
    nx,
):
    """What holds and makes k and omega in cells, and what spreads them (Pa s).

    rate : of a mass term (1/s). Where omega is not free it is left to the caller.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                hold_k[j, i], made_k[j, i], hold_w[j, i], made_w[j, i] = 0.0, 0.0, 0.0, 0.0
                continue
            kk, ww, f = k[j, i], w[j, i], mix[j, i]
            m = rho[j, i] * volume[j, i]
            mut = rho[j, i] * eddy[j, i]
            spread_k[j, i] = mu[j, i] + (f * K_1 + (1.0 - f) * K_2) * mut
            spread_w[j, i] = mu[j, i] + (f * W_1 + (1.0 - f) * W_2) * mut
            r = rate[j, i]
            hold_k[j, i], made_k[j, i] = held_energy(ww, kk, m, made[j, i], r)
            if free[j, i] == 0.0:
                hold_w[j, i], made_w[j, i] = 0.0, 0.0
                continue
            beta = f * BETA_1 + (1.0 - f) * BETA_2
            alpha = f * GROWS_1 + (1.0 - f) * GROWS_2
            cd = (1.0 - f) * 2.0 * W_2 * crossing[j, i] / ww
            hold_w[j, i], made_w[j, i] = held_rate(ww, m, beta, alpha * grows[j, i], cd, r)
