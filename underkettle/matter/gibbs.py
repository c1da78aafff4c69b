"""The smallest Gibbs energy of ideal gases with graphite, compiled.

A reduced Newton method on ln n, element potentials and ln N with limited steps, after Gordon & McBride
1994, NASA RP-1311 (from memory). Amounts are moles for one mole of atoms; energies come over RT.

data : of each substance (substances, 2, 7), below and above the middle temperature: five coefficients
of the heat capacity over R, then the constants of enthalpy over R (K) and entropy over R. The last one
is graphite; gases are all before it.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

MIDDLE = 1000.0  # K, where one polynomial goes over into the other
POWERS = 5
MOST = 300  # Newton steps
CLOSE = 1e-11
TRACE = -18.420681  # ln of 1e-8: below it a substance counts as a trace
FAINTEST = -95.0  # ln of the least moles that are told from none
RIDGE = 1e-13
HOT, COMING_DOWN = 3000.0, 14
LEAST = 1e-13  # of an element: less is told from none, but not by what it forms
FINE = 1e-7  # K, to which a temperature is found
HALVINGS = 80
MUCH = 0.2  # of all atoms: with more carbon, graphite is looked for first


@numba.njit
def _energies(t, data, k):
    """Enthalpy over RT and entropy over R of one substance at 1 bar."""
    a = data[k, 0 if t <= MIDDLE else 1]
    h, s, power = 0.0, a[0] * np.log(t), 1.0
    for m in range(POWERS):
        h += a[m] * power / (m + 1.0)
        if m > 0:
            s += a[m] * power / m
        power *= t
    return h + a[POWERS] / t, s + a[POWERS + 1]


@numba.njit
def _eliminate(m, right, n):
    """Solve in place by rows, the largest pivot first; False where there is none."""
    for k in range(n):
        at = k
        for i in range(k + 1, n):
            if abs(m[i, k]) > abs(m[at, k]):
                at = i
        if abs(m[at, k]) < 1e-300:
            return False
        if at != k:
            for c in range(n):
                m[k, c], m[at, c] = m[at, c], m[k, c]
            right[k], right[at] = right[at], right[k]
        for i in range(k + 1, n):
            factor = m[i, k] / m[k, k]
            if factor != 0.0:
                for c in range(k + 1, n):
                    m[i, c] -= factor * m[k, c]
                right[i] -= factor * right[k]
    for i in range(n - 1, -1, -1):
        for c in range(i + 1, n):
            right[i] -= m[i, c] * right[c]
        right[i] /= m[i, i]
    return True


@numba.njit
def _limit(log_n, log_total, change, d_total):
    """How much of a Newton step is taken, so that nothing grows by more than it can bear."""
    largest, room = max(5.0 * abs(d_total), 1e-300), 1e300
    for k in range(log_n.size):
        share = log_n[k] - log_total
        if share > TRACE:
            largest = max(largest, abs(change[k]))
        elif change[k] > 0.0:
            # below it, a trace may rise to 1e-4 at most
            room = min(room, abs((-share - 9.2103404) / (change[k] - d_total)))
    return max(min(1.0, 2.0 / largest, room), 1e-4)


@numba.njit
def _newton(a, b, bare, solid, carbon, settled, log_n, moles, found, potentials):
    """Take log_n (in place) to where the energy is smallest. found : moles of graphite (in place).

    a : atoms (elements, gases); b : of each element; bare : energies over RT at this pressure; carbon :
    which element graphite is of. False where it does not come to an end, or graphite comes out below 0.
    """
    elements, gases = a.shape
    size = elements + (2 if settled else 1)
    m, right, scale, change = (
        np.zeros((size, size)),
        np.zeros(size),
        np.ones(size),
        np.zeros(gases),
    )
    total = 0.0
    for k in range(gases):
        total += np.exp(log_n[k])
    log_total = np.log(total)
    for _ in range(MOST):
        total = np.exp(log_total)
        summed, held = 0.0, 0.0
        m[:, :] = 0.0
        for i in range(elements):
            right[i] = b[i]
        for k in range(gases):
            n = np.exp(log_n[k])
            moles[k] = n
            level = bare[k] + log_n[k] - log_total
            summed += n
            held += n * level
            for i in range(elements):
                if a[i, k] != 0.0:
                    here = a[i, k] * n
                    right[i] += here * (level - 1.0)
                    m[i, size - 1] += here
                    for j in range(i + 1):
                        m[i, j] += here * a[j, k]
        for i in range(elements):
            m[size - 1, i] = m[i, size - 1]
            for j in range(i):
                m[j, i] = m[i, j]
        m[size - 1, size - 1] = summed - total
        right[size - 1] = total - summed + held
        if settled:
            m[carbon, elements] = m[elements, carbon] = 1.0
            right[carbon] -= found[0]
            right[elements] = solid
        for i in range(elements):
            scale[i] = np.sqrt(max(abs(m[i, i]), 1e-30))
        for i in range(size):
            right[i] /= scale[i]
            for j in range(size):
                m[i, j] /= scale[i] * scale[j]
        for i in range(elements):
            m[i, i] += RIDGE
        if not _eliminate(m, right, size):
            return False
        for i in range(size):
            right[i] /= scale[i]
        d_total = right[size - 1]
        for k in range(gases):
            rise = d_total - (bare[k] + log_n[k] - log_total)
            for i in range(elements):
                rise += a[i, k] * right[i]
            change[k] = rise
        step = _limit(log_n, log_total, change, d_total)
        error = abs(d_total)
        for k in range(gases):
            error = max(error, moles[k] * abs(change[k]) / summed)
            log_n[k] = min(max(log_n[k] + step * change[k], FAINTEST), 3.0)
        log_total = min(3.0, max(-20.0, log_total + step * d_total))
        if settled:
            error = max(error, abs(right[elements]))
            found[0] += step * right[elements]
        if not error < 1e300:
            return False
        if step == 1.0 and error < CLOSE:
            for i in range(elements):
                potentials[i] = right[i]
            for k in range(gases):
                moles[k] = np.exp(log_n[k])
            return found[0] >= 0.0
    return False


@numba.njit
def _levels(t, log_pressure, data, bare):
    """Energies over RT of all gases at this pressure, in place; returns that of graphite."""
    for k in range(bare.size):
        h, s = _energies(t, data, k)
        bare[k] = h - s + log_pressure
    h, s = _energies(t, data, bare.size)
    return h - s


@numba.njit
def _even(log_n, found, b, carbon, settled):
    log_n[:] = np.log(0.1 / log_n.size)
    found[0] = 0.1 * b[carbon] if settled else 0.0


@numba.njit
def _with(case, t, settled, warm, room):
    """At a temperature with or without graphite: from what is there, from an even gas, or down to it
    from where nothing is scarce. case : atoms, elements, ln of the pressure, data, which is carbon;
    room : ln of moles, moles, graphite, energies, potentials, as they are found.
    """
    a, b, log_pressure, data, carbon = case
    log_n, moles, found, bare, potentials = room
    solid = _levels(t, log_pressure, data, bare)
    there = warm and (found[0] > 0.0) == settled
    if there and _newton(a, b, bare, solid, carbon, settled, log_n, moles, found, potentials):
        return True
    _even(log_n, found, b, carbon, settled)
    if _newton(a, b, bare, solid, carbon, settled, log_n, moles, found, potentials):
        return True
    _even(log_n, found, b, carbon, settled)
    kept, coke, last = log_n.copy(), found[0], False
    for k in range(COMING_DOWN):
        here = max(HOT, t) * (t / max(HOT, t)) ** (k / (COMING_DOWN - 1.0))
        solid = _levels(here, log_pressure, data, bare)
        last = _newton(a, b, bare, solid, carbon, settled, log_n, moles, found, potentials)
        if last:
            for i in range(log_n.size):
                kept[i] = max(log_n[i], -69.0)
            coke = found[0]
        log_n[:] = kept
        found[0] = coke
    return last


@numba.njit
def _solve(case, t, graphite, warm, room):
    """At a temperature, with graphite where the gas would hold more carbon than that lets it."""
    b, data, carbon, found, potentials = case[1], case[3], case[4], room[2], room[4]
    much = graphite and (b[carbon] > MUCH or (warm and found[0] > 0.0))
    if much and _with(case, t, True, warm, room):
        return True
    found[0] = 0.0
    fine = _with(case, t, False, warm, room)
    if not graphite:
        return fine
    h, s = _energies(t, data, room[1].size)
    if fine and potentials[carbon] <= h - s + 1e-9:
        return True
    return _with(case, t, True, False, room)


@numba.njit
def _held(t, data, moles, coke):
    """Enthalpy over R (K) of what there is."""
    total = 0.0
    for k in range(moles.size):
        total += moles[k] * _energies(t, data, k)[0]
    return t * (total + coke * _energies(t, data, moles.size)[0])


@kernel
def enthalpies(gas, temperatures, data, out):
    """Over R (K), of gases (gases, n; moles) at temperatures (n,; K)."""
    for p in range(out.size):
        out[p] = _held(temperatures[p], data, gas[:, p], 0.0)


@numba.njit
def _begun(a):
    """Room for a feed's elements, and for what is found of it; see `_with`."""
    elements, gases = a.shape
    room = (np.zeros(gases), np.zeros(gases), np.zeros(1), np.zeros(gases), np.zeros(elements))
    return np.zeros(elements), room


@kernel
def at_temperatures(a, feeds, temperatures, log_pressure, data, carbon, graphite, gas, coke, fine):
    """Each feed (elements, n; moles of atoms that sum to one) at its temperature (K): gas (gases, n)
    and graphite (n,) in moles. fine : whether each came to an end. Each starts from the one before it.
    """
    b, room = _begun(a)
    moles, found = room[1], room[2]
    case, warm = (a, b, log_pressure, data, carbon), False
    for p in range(feeds.shape[1]):
        b[:] = np.maximum(feeds[:, p], LEAST)
        warm = fine[p] = _solve(case, temperatures[p], graphite, warm, room)
        gas[:, p] = moles
        coke[p] = found[0]


@kernel
def at_enthalpies(
    a, feeds, brought, ends, log_pressure, data, carbon, graphite, gas, coke, temperatures, fine
):
    """Each feed at the enthalpy over R (K) that it brings. temperatures : what was found. ends : the
    coldest and the hottest (K) looked at; what holds less or more stays there. fine : as above.
    """
    b, room = _begun(a)
    moles, found = room[1], room[2]
    case, warm = (a, b, log_pressure, data, carbon), False
    for p in range(feeds.shape[1]):
        b[:] = np.maximum(feeds[:, p], LEAST)
        low, high = ends
        t = 0.5 * (low + high)
        before, surplus_before, ok = 0.0, 0.0, False
        for _ in range(HALVINGS):
            ok = _solve(case, t, graphite, warm, room)
            warm = ok
            if not ok:
                break
            surplus = _held(t, data, moles, found[0]) - brought[p]
            if surplus > 0.0:
                high = min(high, t)
            else:
                low = max(low, t)
            slope = 4.0 * moles.sum()  # about 4 R of each mole, without what reacts
            if before > 0.0 and t != before:
                slope = max((surplus - surplus_before) / (t - before), slope)
            before, surplus_before = t, surplus
            next_ = t - surplus / slope
            if not low < next_ < high:
                next_ = 0.5 * (low + high)
            if abs(next_ - t) < FINE or high - low < FINE:
                break
            t = next_
        temperatures[p] = t
        fine[p] = ok
        gas[:, p] = moles
        coke[p] = found[0]
