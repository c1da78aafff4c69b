"""The realizable k-epsilon model (Shih, Liou, Shabbir, Yang & Zhu 1995; constants from memory): how
viscous eddies are falls where they are strained or turned quickly, so that no normal stress comes out
below nought, and what they lose grows with the strain itself. Here written for omega = epsilon /
(.09 k), term by term:

    D omega/Dt = omega (C1 S - P / k) - (C2 f - 1) .09 omega^2 + 2 a / k grad k . grad omega
                 + div(a grad omega) + omega / k div((a - b) grad k),   f = k / (k + sqrt(nu epsilon))

a, b : what spreads epsilon and k. Of the fourth term the viscosity of the fluid is left out, which
counts beside walls only, where the law holds. f is no less than FADED: eddies half as viscous as the
fluid have it, and of weaker ones k would fall to nought in finite time while omega grew without bound.
Kernels for the plane.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.wall_law import BETA_STAR
from underkettle.phenomena.turbulence.equations import held_energy, held_rate

A0 = 4.04
C2 = 1.9
LEAST_C1, STRAINED = 0.43, 5.0
FADED = 0.7
SPREADS = 1.0 / 1.2  # of nu_t, what spreads epsilon; all of it spreads k


@kernel
def turning(u, v, up, along, share_u, share_v, hx, hy, live, radius, round_, spin, third, ny, nx):
    """spin : how fast the stream turns, squared (1/s2), and third : the trace of its rate of strain
    cubed (1/s3), in cells; arguments as of `equations.strain`.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            ux, vy = (u[j, i + 1] - u[j, i]) / hx[i], (v[j + 1, i] - v[j, i]) / hy[j]
            uy = up[j, i] * (u[j, i] - u[j - 1, i]) + up[j, i + 1] * (u[j, i + 1] - u[j - 1, i + 1])
            uy += up[j + 1, i] * (u[j + 1, i] - u[j, i])
            uy += up[j + 1, i + 1] * (u[j + 1, i + 1] - u[j, i + 1])
            vx = along[j, i] * (v[j, i] - v[j, i - 1])
            vx += along[j + 1, i] * (v[j + 1, i] - v[j + 1, i - 1])
            vx += along[j, i + 1] * (v[j, i + 1] - v[j, i])
            vx += along[j + 1, i + 1] * (v[j + 1, i + 1] - v[j + 1, i])
            uy *= share_u[j, i]
            vx *= share_v[j, i]
            around = 0.5 * (v[j, i] + v[j + 1, i]) / radius[j] if round_ else 0.0
            mixed = 0.5 * (uy + vx)
            spin[j, i] = live[j, i] * (vx - uy) ** 2
            third[j, i] = live[j, i] * (ux**3 + vy**3 + around**3 + 3.0 * mixed * mixed * (ux + vy))


@numba.njit(inline="always")
def _share(w, square, spin, third):
    """C_mu over .09."""
    strained = np.sqrt(0.5 * square)
    sixth = np.sqrt(6.0)
    cube = strained * strained * strained
    skew = sixth * third / cube if cube > 1e-30 else 0.0
    leans = sixth * np.cos(np.arccos(min(max(skew, -1.0), 1.0)) / 3.0)
    quick = np.sqrt(0.5 * (square + spin))
    return 1.0 / (BETA_STAR * A0 + leans * quick / w)


@kernel
def stirred(live, first, k, w, square, spin, third, law_nt, eddy, ny, nx):
    """eddy : nu_t (m2/s), see `look`."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                eddy[j, i] = 0.0
            elif first[j, i]:
                eddy[j, i] = law_nt[j, i]
            else:
                ww = w[j, i]
                eddy[j, i] = _share(ww, square[j, i], spin[j, i], third[j, i]) * k[j, i] / ww


@kernel
def look(
    live,
    first,
    stirs,
    k,
    w,
    square,
    spin,
    third,
    nu,
    law_nt,
    law_made,
    free,
    eddy,
    mix,
    made,
    grows,
    ny,
    nx,
):
    """From k, omega and how the stream is strained and turned: eddy (nu_t, m2/s), mix (f), made
    (production of k, m2/s3), grows (omega (C1 S - P / k), 1/s2). In cells `first` beside a wall nu_t
    and production are those of its law. stirs : 0 where matter lets no eddies arise.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                eddy[j, i], mix[j, i], made[j, i], grows[j, i] = 0.0, 1.0, 0.0, 0.0
                continue
            kk, ww, s2 = k[j, i], w[j, i], square[j, i]
            lost = BETA_STAR * kk * ww
            mix[j, i] = max(kk / (kk + np.sqrt(nu[j, i] * lost)), FADED)
            if first[j, i]:
                nt, p = law_nt[j, i], law_made[j, i]
            else:
                nt = _share(ww, s2, spin[j, i], third[j, i]) * kk / ww
                p = nt * s2
            p *= stirs[j, i]
            s = np.sqrt(s2)
            rises = max(LEAST_C1, s / (s + STRAINED * BETA_STAR * ww)) * s * stirs[j, i]
            eddy[j, i], made[j, i] = nt, p
            grows[j, i] = free[j, i] * ww * (rises - p / kk)


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
    """What holds and makes k and omega in cells, and what spreads them (Pa s), see `sst.hold`."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                hold_k[j, i], made_k[j, i], hold_w[j, i], made_w[j, i] = 0.0, 0.0, 0.0, 0.0
                continue
            kk, ww = k[j, i], w[j, i]
            m = rho[j, i] * volume[j, i]
            mut = rho[j, i] * eddy[j, i]
            spread_k[j, i] = mu[j, i] + mut
            spread_w[j, i] = mu[j, i] + SPREADS * mut
            r = rate[j, i]
            hold_k[j, i], made_k[j, i] = held_energy(ww, kk, m, made[j, i], r)
            if free[j, i] == 0.0:
                hold_w[j, i], made_w[j, i] = 0.0, 0.0
                continue
            fades = C2 * mix[j, i] * BETA_STAR
            more = grows[j, i] + BETA_STAR * ww * ww
            more += 2.0 * SPREADS * eddy[j, i] / kk * crossing[j, i]
            hold_w[j, i], made_w[j, i] = held_rate(ww, m, fades, 0.0, more, r)


@kernel
def spread_apart(live, free, k, w, eddy, rho, spread_k, vw, ve, vs, vn, hold_w, made_w, ny, nx):
    """What k spreads otherwise than epsilon, omega / k div((a - b) grad k), onto hold_w and made_w.
    vw, ve, vs, vn : what spreads k (kg/s), by `spread_k`.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i] or free[j, i] == 0.0:
                continue
            kk = k[j, i]
            came = vw[j, i] * (k[j, i - 1] - kk) + ve[j, i] * (k[j, i + 1] - kk)
            came += vs[j, i] * (k[j - 1, i] - kk) + vn[j, i] * (k[j + 1, i] - kk)
            part = (SPREADS - 1.0) * rho[j, i] * eddy[j, i] / spread_k[j, i]
            more = part * came / kk
            made_w[j, i] += max(more, 0.0) * w[j, i]
            hold_w[j, i] += max(-more, 0.0)
