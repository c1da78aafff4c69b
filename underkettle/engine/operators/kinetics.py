"""How fast reactions run in cells, and where each cell goes in a step by them alone.

A reaction runs at  share k(T) (product of c^order - product of c^order' / K(T)),  mol/(m3 s), with
k = A T^n exp(-E / R T) and K from a table of T ln K, which hardly bends. An order below one is taken
as a line below a faint concentration, so that nothing is used up that is not there. Where any other
molecule must help, k is times how many there are (mol/m3), or falls off to that when there are few
(Lindemann, broadened by Gilbert, Luther & Troe 1983, Ber. Bunsenges. Phys. Chem. 87, 169; from memory).

Stiff cells are carried through a step by Rodas3 (Sandu et al. 1997, Atmos. Environ. 31, 3459; of
third order, stiffly accurate), each with steps of its own; where what reacts warms itself, temperature
is one more unknown of each. Numbers of cells are kept along the last axis; nothing here knows how they
lie.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.threads import beside

Array = np.ndarray

RELATIVE = 1e-4  # of what there is, by which a step of its own may err
MOST = 2000  # steps of its own of one cell
GROWS, SHRINKS, SAFE = 5.0, 0.1, 0.9
COLD = 1e-9  # of what there is: a cell that changes by less in a step only takes its rates
COLDEST, HOTTEST = 100.0, 6000.0  # K, within which laws are asked
ALONE, HELPED, FALLS_OFF = (
    0,
    1,
    2,
)  # whether others must help a reaction: no, yes, when they are few
NUMBERS = 7  # that tell how fast a reaction runs at a temperature, see `_constants` and `_warmed`
FEWEST = 1e-30  # mol/m3 of others
WORTH = 400  # cells that are worth a thread of their own


class Rates(NamedTuple):
    """Reactions as numbers, one row each; columns are what is followed.

    made : moles made (negative: used up). forward, back : orders. laws : ln A (A in mol, m3, s),
    exponent of temperature, E / R (K), 1 where it runs back. logs : T ln K (K) at temperatures
    `first` + k `step` (K). limits : where eddies must mix first what reacts, no more runs than that
    many times what they mix (Magnussen & Hjertager 1976); 0 where nothing waits for them. bodies :
    times that each counts among those who help. falls : whether others must help (`ALONE`, `HELPED`,
    `FALLS_OFF`); then of the law where they are few: ln A, exponent, E / R (K), and what broadens the
    fall: a, T3, T1, T2 (K) of (1 - a) e^(-T/T3) + a e^(-T/T1) + e^(-T2/T).
    """

    made: Array
    forward: Array
    back: Array
    laws: Array
    logs: Array
    first: float
    step: float
    limits: Array
    bodies: Array
    falls: Array


UNSTIRRED = -1.0  # how fast eddies mix (1/s) where nobody asks: nothing waits for them


def unwarmed(many: int) -> tuple[Array, Array]:
    """For `carry_through` of so many reactions: cells stay as warm as they are."""
    return np.zeros((many, 0)), np.zeros((2, 0))


def by_itself(many: int, substances: int) -> tuple[Array, Array, Array]:
    """The same, where nothing comes by other ways either."""
    return *unwarmed(many), np.zeros((substances + 1, 0))


@numba.njit(inline="always")
def _powered(c, order, faint):
    """c^order and its slope; a line below `faint` where the order is below one."""
    if order == 0.0:
        return (1.0, 0.0) if c >= faint else (max(c, 0.0) / faint, 1.0 / faint)
    if order == 1.0:
        return max(c, 0.0), 1.0
    if order == 2.0:
        return max(c, 0.0) ** 2, 2.0 * max(c, 0.0)
    if c <= 0.0:
        return 0.0, (faint ** (order - 1.0) if order < 1.0 and faint > 0.0 else 0.0)
    if order < 1.0 and c < faint:
        slope = faint ** (order - 1.0)
        return slope * c, slope
    value = c**order
    return value, order * value / c


@numba.njit(inline="always")
def _constants(laws, logs, first, step, temperature, j):
    """k and k / K of one reaction, and what their logarithms rise by per kelvin."""
    k = np.exp(laws[j, 0] + laws[j, 1] * np.log(temperature) - laws[j, 2] / temperature)
    rises = (laws[j, 1] + laws[j, 2] / temperature) / temperature
    if laws[j, 3] == 0.0:
        return k, 0.0, rises, 0.0
    at = (temperature - first) / step
    low = min(max(int(at), 0), logs.shape[1] - 2)
    rise = logs[j, low + 1] - logs[j, low]
    balance = (logs[j, low] + (at - low) * rise) / temperature  # ln K
    return k, k * np.exp(-balance), rises, rises - (rise / step - balance) / temperature


@numba.njit
def _few(laws, falls, temperature, j, k):
    """Of a reaction that falls off: ln of k where others are few over k, log10 of what broadens the
    fall, and what the first rises by per kelvin.
    """
    over = laws[j, 0] + laws[j, 1] * np.log(temperature) - laws[j, 2] / temperature
    few = falls[j, 1] + falls[j, 2] * np.log(temperature) - falls[j, 3] / temperature
    a = falls[j, 4]
    wide = (1.0 - a) * np.exp(-temperature / falls[j, 5]) + a * np.exp(-temperature / falls[j, 6])
    wide += np.exp(-falls[j, 7] / temperature)
    k[4], k[5] = few - over, np.log10(max(wide, 1e-30))
    k[6] = (falls[j, 2] - laws[j, 1] + (falls[j, 3] - laws[j, 2]) / temperature) / temperature


@numba.njit(forceinline=True)
def _helped(kind, k, others):
    """Times that a reaction runs among so many others (mol/m3), what the logarithm of that rises by
    per mol/m3 of them, and per kelvin, what broadens the fall left as it is.
    """
    m = max(others, FEWEST)
    if kind == HELPED:
        return m, 1.0 / m, 0.0
    ratio = np.exp(k[4]) * m
    times, rises = ratio / (1.0 + ratio), 1.0 / (1.0 + ratio)
    if k[5] != 0.0:
        shift, width = -0.4 - 0.67 * k[5], 0.75 - 1.27 * k[5]
        u = (k[4] + np.log(m)) / np.log(10.0) + shift
        x = u / (width - 0.14 * u)
        flat = 1.0 + x * x
        times *= 10.0 ** (k[5] / flat)
        rises -= k[5] * 2.0 * x / flat**2 * width / (width - 0.14 * u) ** 2
    return times, rises / m, rises * k[6]


@numba.njit(forceinline=True)
def _product(k, c, orders, bends, who, but):
    """k times the product of powers of concentrations, one of them left out. bends : faint
    concentrations (mol/m3), 0 where an order does not bend; without either nobody counts. who : see
    `_taking`.
    """
    found = k
    for q in range(1, who[0] + 1):
        i = who[q]
        if i != but and (orders[i] != 0.0 or bends[i] > 0.0):
            found *= _powered(c[i], orders[i], bends[i])[0]
    return found


@numba.njit(forceinline=True)
def _one_way(k, c, orders, bends, who, sign, slopes):
    """How fast one way of a reaction runs (mol/(m3 s)); `sign` times its slope over each concentration
    is added to slopes (1/s), where there is room for them.
    """
    rate = _product(k, c, orders, bends, who, -1)
    if slopes.size == 0:
        return rate
    for q in range(1, who[0] + 1):
        i = who[q]
        if orders[i] != 0.0 or bends[i] > 0.0:
            value, slope = _powered(c[i], orders[i], bends[i])
            if value > 0.0:
                slopes[i] += sign * rate / value * slope
            elif slope > 0.0:
                slopes[i] += sign * slope * _product(k, c, orders, bends, who, i)
    return rate


@numba.njit(forceinline=True)
def _mixed(c, made, who, mixes):
    """What eddies mix of what a reaction uses up (mol/(m3 s)), and which of it there is least of."""
    least, scarce = np.inf, -1
    for q in range(1, who[0] + 1):
        i = who[q]
        if made[i] < 0.0 and max(c[i], 0.0) / -made[i] < least:
            least, scarce = max(c[i], 0.0) / -made[i], i
    return mixes * least, scarce


@numba.njit(forceinline=True)
def _run(k, k_back, c, forward, back, bends, never, made, who, mixes, slopes):
    """How fast one reaction runs each way (mol/(m3 s)), its slope over each concentration (1/s, where
    there is room for them), and whether temperature sets it. bends : of what is used up, which alone
    bends; never : as many noughts. who : see `_taking`. mixes : how fast eddies mix it (1/s), below
    nought where it does not wait for them.
    """
    slopes[:] = 0.0
    ahead, returned = _one_way(k, c, forward, bends, who, 1.0, slopes), 0.0
    if k_back != 0.0:
        returned = _one_way(k_back, c, back, never, who, -1.0, slopes)
    if mixes >= 0.0 and ahead > 0.0:
        most, scarce = _mixed(c, made, who, mixes)
        if most < ahead:  # both ways wait alike, so that it stands still where it would
            share = most / ahead
            if slopes.size > 0:
                slopes[:] = 0.0
                slopes[scarce] = mixes / -made[scarce] * (1.0 - returned / ahead)
            return most, share * returned, 0.0
    return ahead, returned, 1.0


@numba.njit
def _bends(made, faint):
    """Of every reaction and substance: faint where it is used up, else 0."""
    found = np.zeros(made.shape)
    for j in range(made.shape[0]):
        for i in range(made.shape[1]):
            found[j, i] = faint[i] if made[j, i] < 0.0 else 0.0
    return found


@numba.njit
def _taking(made, forward, back):
    """Who takes part in each reaction: how many, and then which (reactions, substances + 1)."""
    many, n = made.shape
    found = np.zeros((many, n + 1), np.int64)
    for j in range(many):
        for i in range(n):
            if made[j, i] != 0.0 or forward[j, i] != 0.0 or back[j, i] != 0.0:
                found[j, 0] += 1
                found[j, found[j, 0]] = i
    return found


@numba.njit
def _rates(c, k, forward, back, bends, never, made, who, mixes, bodies, falls, more, r, slopes):
    """How fast all run (mol/(m3 s)), and their slopes over concentrations, where there is room for
    them: (reactions, substances), or (reactions, 0). k : of each reaction (reactions, NUMBERS), see
    `_warmed`; temperature, where it is one of what c holds, is the last. who : see `_taking`. mixes :
    see `_run`, of each reaction. more : mol/m3 of others that c leaves out.
    """
    n = forward.shape[1]
    steep = slopes.shape[1] > 0
    for j in range(r.size):
        if k[j, 0] == 0.0:
            r[j] = 0.0
            slopes[j, :] = 0.0
        else:
            times, by_others, by_warmth = 1.0, 0.0, 0.0
            if falls[j, 0] != ALONE:
                others = more
                for i in range(n):
                    others += bodies[j, i] * max(c[i], 0.0)
                times, by_others, by_warmth = _helped(falls[j, 0], k[j], others)
            ahead, returned, free = _run(
                times * k[j, 0],
                times * k[j, 1],
                c[:n],
                forward[j],
                back[j],
                bends[j],
                never,
                made[j],
                who[j],
                mixes[j],
                slopes[j, :n],
            )
            r[j] = ahead - returned
            if steep and by_others != 0.0:
                for i in range(n):
                    slopes[j, i] += free * r[j] * by_others * bodies[j, i]
            if steep and c.size > n:
                slopes[j, n] = free * (ahead * k[j, 2] - returned * k[j, 3] + r[j] * by_warmth)


@numba.njit
def _warmed(k, laws, logs, first, step, falls, temperature, share, p):
    """Constants of all reactions in a cell, at a temperature, and of their falls."""
    within = min(max(temperature, COLDEST), HOTTEST)
    for j in range(k.shape[0]):
        if share[j, p] == 0.0:
            k[j, :] = 0.0
        else:
            ahead, returned, rises, back_rises = _constants(laws, logs, first, step, within, j)
            k[j, 0], k[j, 1] = share[j, p] * ahead, share[j, p] * returned
            k[j, 2], k[j, 3] = rises, back_rises
            if falls[j, 0] == FALLS_OFF:
                _few(laws, falls, within, j, k[j])


@numba.njit
def _waits(limits, eddies, p, mixes):
    """How fast eddies mix each reaction in a cell (1/s); below nought where it waits for none."""
    for j in range(limits.size):
        mixes[j] = limits[j] * eddies[p] if limits[j] > 0.0 else -1.0


@kernel
def rates_in(
    c,
    temperature,
    share,
    made,
    forward,
    back,
    laws,
    logs,
    first,
    step,
    limits,
    bodies,
    falls,
    eddies,
    more,
    faint,
    out,
    slopes,
):
    """out : how fast each reaction runs in each cell, (reactions, cells), mol/(m3 s). slopes : what
    that rises by per concentration of each substance (1/s), and last, where there is room for it,
    per kelvin (mol/(m3 s K)), (reactions, substances or one more, cells).

    c : (substances, cells) mol/m3; temperature : (cells,) K; share : (reactions, cells). eddies :
    (cells,) how fast they mix (1/s), or `UNSTIRRED`. more : (cells,) mol/m3 of what c leaves out.
    """
    n, count = c.shape
    many, size = made.shape[0], slopes.shape[1]
    here, never, r, mixes = np.zeros(size), np.zeros(n), np.zeros(many), np.zeros(many)
    k, rises = np.zeros((many, NUMBERS)), np.zeros((many, size))
    bends, who = _bends(made, faint), _taking(made, forward, back)
    for p in range(count):
        for i in range(n):
            here[i] = c[i, p]
        _warmed(k, laws, logs, first, step, falls, temperature[p], share, p)
        _waits(limits, eddies, p, mixes)
        _rates(
            here, k, forward, back, bends, never, made, who, mixes, bodies, falls, more[p], r, rises
        )
        for j in range(many):
            out[j, p] = r[j]
            for i in range(size):
                slopes[j, i, p] = rises[j, i]


def used_up(made: Array, slopes: Array) -> Array:
    """What each substance is used up by per concentration of itself (substances, cells), 1/s, never
    negative, by slopes of `rates_in`.
    """
    found = np.zeros((made.shape[1], slopes.shape[2]))
    for j, i in np.argwhere(
        made < 0.0
    ):  # what only helps may rise without bounds where there is none
        found[i] += np.maximum(-made[j, i] * slopes[j, i], 0.0)
    return found


@numba.njit
def _risen(heat, capacity, rise):
    """By how much (K) a heat (J/m3) warms what holds `capacity`, and `rise` more for each kelvin."""
    below = capacity * capacity + 2.0 * rise * heat
    if below <= 0.0:
        return heat / capacity
    return 2.0 * heat / (capacity + np.sqrt(below))


@numba.njit(forceinline=True)
def _eliminate(a, n):
    """LU without pivots (what decays stands on the diagonal), in place."""
    for k in range(n):
        for i in range(k + 1, n):
            if a[i, k] != 0.0:
                a[i, k] /= a[k, k]
                for m in range(k + 1, n):
                    a[i, m] -= a[i, k] * a[k, m]


@numba.njit(forceinline=True)
def _solve(a, b, n):
    for i in range(n):
        for k in range(i):
            b[i] -= a[i, k] * b[k]
    for i in range(n - 1, -1, -1):
        for k in range(i + 1, n):
            b[i] -= a[i, k] * b[k]
        b[i] /= a[i, i]


@numba.njit(forceinline=True)
def _stage(r, slopes, made, feed, times, a, h, x, extent):
    """One stage: x = (2 / h - J)^-1 (made' r + times feed) in place, and how far each reaction gets
    by it.
    """
    many, n = made.shape
    for i in range(n):
        total = times * feed[i]
        for j in range(many):
            total += made[j, i] * r[j]
        x[i] = total
    _solve(a, x, n)
    for j in range(many):
        total = r[j]
        for i in range(n):
            total += slopes[j, i] * x[i]
        extent[j] = 0.5 * h * total


def carry_through(c: Array, *args: Any) -> None:
    """See `_carry_through`; every other cell in a thread of its own, where a run may use two."""
    beside(
        c.shape[1],
        lambda: _carry_through(c, *args, 0),
        lambda: _carry_through(c, *args, 1),
        worth=WORTH,
    )


@kernel
def _carry_through(
    c,
    temperature,
    share,
    span,
    made,
    forward,
    back,
    laws,
    logs,
    first,
    step,
    limits,
    bodies,
    falls,
    eddies,
    more,
    faint,
    begin,
    run,
    parts,
    heats,
    holds,
    feed,
    turn,
):
    """Take every cell through `span` (s) by its reactions, among what comes by other ways meanwhile; c
    in place, by what has reacted alone.

    more : (cells,) mol/m3 of what c leaves out. begin : (cells,) the step of its own each begins
    with (s), and ends with; 0 for none yet. run :
    (reactions, cells), how far each has run (mol/m3), so that what c has changed by is made of whole
    reactions. parts : (cells,) how many steps it took; -1 where it did not get through. heats :
    (reactions, cells) J that a mole of each gives off, which warm the cell (temperature in place);
    (reactions, 0) where it stays as warm as it is. holds : (2, cells) J/(m3 K) that it holds, and what
    that rises by per kelvin. feed : (substances + 1, cells) what comes of each (mol/(m3 s)) and how it
    is warmed (K/s) by other ways; (substances + 1, 0) for nothing. turn : 0 for even cells, 1 for odd.
    """
    n, count = c.shape
    many, follows = made.shape[0], heats.shape[1] > 0
    size = n + 1 if follows else n
    here, next_ = np.zeros(size), np.zeros(size)
    k, r, own = np.zeros((many, NUMBERS)), np.zeros(many), np.zeros(many)
    later, mixes = np.zeros((many, NUMBERS)), np.zeros(many)
    slopes, flat = np.zeros((many, size)), np.zeros((many, 0))
    gives, fed = np.zeros((many, size)), np.zeros(size)
    gives[:, :n] = made
    a = np.zeros((size, size))
    x1, x2, x3, x4 = np.zeros(size), np.zeros(size), np.zeros(size), np.zeros(size)
    e1, e2, e3, e4 = np.zeros(many), np.zeros(many), np.zeros(many), np.zeros(many)
    bends, never, who = _bends(made, faint), np.zeros(n), _taking(made, forward, back)
    for p in range(turn, count, 2):
        parts[p] = 0
        runs = 0.0
        for j in range(many):
            run[j, p] = 0.0
            runs += share[j, p]
        if runs == 0.0:
            continue
        _waits(limits, eddies, p, mixes)
        total = 0.0
        for i in range(n):
            here[i] = c[i, p]
            total += abs(here[i])
        if follows:
            here[n] = temperature[p]
        if feed.shape[1] > 0:
            for i in range(size):
                fed[i] = feed[i, p]
        h = min(begin[p], span) if begin[p] > 0.0 else span
        done, taken, factor = 0.0, 0, 1.0
        while done < span * (1.0 - 1e-12):
            if follows:
                hold = holds[0, p] + holds[1, p] * (here[n] - temperature[p])
                for j in range(many):
                    gives[j, n] = heats[j, p] / hold
            if follows or taken == 0:
                _warmed(
                    k,
                    laws,
                    logs,
                    first,
                    step,
                    falls,
                    here[n] if follows else temperature[p],
                    share,
                    p,
                )
            _rates(
                here,
                k,
                forward,
                back,
                bends,
                never,
                made,
                who,
                mixes,
                bodies,
                falls,
                more[p],
                r,
                slopes,
            )
            if taken == 0:
                fastest = 0.0
                for j in range(many):
                    fastest = max(fastest, abs(r[j]))
                if fastest * span < COLD * total:
                    for j in range(many):
                        run[j, p] = span * r[j]
                    h = span
                    break
            while True:
                h = min(h, span - done)
                a[:] = 0.0
                for i in range(size):
                    a[i, i] = 2.0 / h
                for j in range(many):
                    for i in range(size):
                        if gives[j, i] != 0.0:
                            for m in range(size):
                                a[i, m] -= gives[j, i] * slopes[j, m]
                _eliminate(a, size)
                _stage(r, slopes, gives, fed, 1.0, a, h, x1, e1)
                for j in range(many):
                    own[j] = r[j] + 4.0 / h * e1[j]
                _stage(own, slopes, gives, fed, 3.0, a, h, x2, e2)
                for i in range(size):
                    next_[i] = here[i] + 2.0 * x1[i]
                if follows:
                    _warmed(later, laws, logs, first, step, falls, next_[n], share, p)
                _rates(
                    next_,
                    later if follows else k,
                    forward,
                    back,
                    bends,
                    never,
                    made,
                    who,
                    mixes,
                    bodies,
                    falls,
                    more[p],
                    own,
                    flat,
                )
                for j in range(many):
                    own[j] += (e1[j] - e2[j]) / h
                _stage(own, slopes, gives, fed, 0.0, a, h, x3, e3)
                for i in range(size):
                    next_[i] = here[i] + 2.0 * x1[i] + x3[i]
                if follows:
                    _warmed(later, laws, logs, first, step, falls, next_[n], share, p)
                _rates(
                    next_,
                    later if follows else k,
                    forward,
                    back,
                    bends,
                    never,
                    made,
                    who,
                    mixes,
                    bodies,
                    falls,
                    more[p],
                    own,
                    flat,
                )
                for j in range(many):
                    own[j] += (e1[j] - e2[j] - 8.0 / 3.0 * e3[j]) / h
                _stage(own, slopes, gives, fed, 0.0, a, h, x4, e4)
                error = 0.0
                for i in range(size):
                    next_[i] = here[i] + 2.0 * x1[i] + x3[i] + x4[i]
                    wide = RELATIVE * max(abs(here[i]), abs(next_[i])) + 1e-3 * RELATIVE * total
                    error = max(error, abs(x4[i]) / (wide + 1e-300))
                taken += 1
                finite = error < 1e300
                factor = SAFE / max(error, 1e-9) ** (1.0 / 3.0) if finite else SHRINKS
                factor = min(max(factor, SHRINKS), GROWS)
                if (finite and error <= 1.0) or taken >= MOST:
                    break
                h *= factor
            if taken >= MOST:
                break
            done += h
            given = 0.0
            for j in range(many):
                run[j, p] += 2.0 * e1[j] + e3[j] + e4[j]
                if follows:
                    given += run[j, p] * heats[j, p]
            for i in range(size):
                here[i] = next_[i]
            if follows:  # by all that has run, whatever a step of its own made of it
                warmed = _risen(given, holds[0, p], holds[1, p])
                here[n] = temperature[p] + warmed + done * fed[n]
            h *= factor
        parts[p] = taken if taken < MOST else -1
        begin[p] = h
        for i in range(n):
            for j in range(many):
                c[i, p] += made[j, i] * run[j, p]
        if follows:
            temperature[p] = here[n]
