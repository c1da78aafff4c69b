"""A battery cell as a circuit: a rest voltage over its charge level, a resistance, and two more that
each take time; and what these are, found from records of pulses of current at several levels.

Currents are positive where they charge. A level is the share of the charge that is left, 0 to 1.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
from numba import njit

from underkettle.quantities import dimension_of, find_unit
from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

Array = np.ndarray

COLUMNS = {"level": "number", "time": "time", "current": "current", "voltage": "voltage"}
UNITS = "", "s", "A", "V"
NAMES = "rest", "at_once", "fast", "fast_time", "slow", "slow_time"  # of a circuit's columns
ROWS = 401  # of a circuit's table, from empty to full
SURE = 1.96  # standard deviations that a confidence of 95 % takes
LOW, HIGH = 0.2, 10.0  # V that one cell may have
FEWEST = 8  # rows of a pulse
STIR = 1e-3  # of the largest current, by which it must change to be a step
SAME = 1e-6  # of a level
GAP = 0.05  # of a record, between it and the next in a picture
OVER_TIME = "time, pulse after pulse", "time"
NEAR = 1e-3  # of a level, within which it is known
SPREAD = 0.3, 3.0, 3.0, 3.0, 3.0, 3.0  # V and logs, within which a fit may move what it begins with


@dataclass(frozen=True)
class Circuit:
    """levels (L) and, at each, what `NAMES` says (L, 6): V, ohm, ohm, s, ohm, s; resistances may be
    per area, ohm m2.
    """

    levels: Array
    values: Array

    @cached_property
    def rows(self) -> Array:
        """The same at `ROWS` levels from 0 to 1 (ROWS, 6): curves that rise and fall where they do,
        resistances and times in logs; beyond what is known the rest voltage goes on straight.
        """
        at = np.linspace(0.0, 1.0, ROWS)
        return over_levels(self.levels, self.values, at)

    def scaled(self, by: float) -> Circuit:
        """With resistances so many times as large."""
        return Circuit(self.levels, self.values * np.array([1.0, by, by, 1.0, by, 1.0]))


def over_levels(levels: Array, values: Array, at: Array) -> Array:
    """Columns of a circuit at other levels (n, 6)."""
    kept = _in_logs(values)
    if len(levels) == 1:
        found = np.repeat(kept, at.size, axis=0)
    else:
        from scipy.interpolate import PchipInterpolator

        curves = PchipInterpolator(levels, kept, axis=0)
        inside = np.clip(at, levels[0], levels[-1])
        found = np.asarray(curves(inside))
        ends = np.where(at < levels[0], levels[0], levels[-1])
        slope = np.asarray(curves(ends, 1))[:, 0]
        found[:, 0] += np.maximum(slope, 0.0) * (at - inside)
    return _out_of_logs(found)


def _in_logs(values: Array) -> Array:
    """Resistances and times in logs, voltages as they are."""
    return np.concatenate([values[:, :1], np.log(values[:, 1:])], axis=1)


def _out_of_logs(values: Array) -> Array:
    return np.concatenate([values[:, :1], np.exp(values[:, 1:])], axis=1)


@njit(cache=True)
def look_up(rows: Array, level: float, column: int) -> float:
    """A column of a circuit's table at a level; straight on beyond its ends."""
    last = rows.shape[0] - 1
    at = level * last
    k = min(max(int(np.floor(at)), 0), last - 1)
    if column > 0:
        at = min(max(at, 0.0), float(last))
    return float(rows[k, column] + (at - k) * (rows[k + 1, column] - rows[k, column]))


@njit(cache=True)
def look_up_each(rows: Array, levels: Array, column: int) -> Array:
    """The same at several levels."""
    found = np.empty(levels.size)
    for k in range(levels.size):
        found[k] = look_up(rows, levels[k], column)
    return found


@njit(cache=True)
def respond(t: Array, current: Array, begins: float, charge: float, rows: Array) -> Array:
    """V at times (s) of a cell that has rested at a level, with currents (A) that each hold until the
    next time; charge (C) : what it holds when full. Steps are exact where its table does not change.
    """
    found = np.empty(t.size)
    level, fast, slow = begins, 0.0, 0.0
    for k in range(t.size):
        if k > 0:
            dt, i = t[k] - t[k - 1], current[k - 1]
            middle = level + 0.5 * i * dt / charge
            a = np.exp(-dt / look_up(rows, middle, 3))
            b = np.exp(-dt / look_up(rows, middle, 5))
            fast = fast * a + look_up(rows, middle, 2) * i * (1.0 - a)
            slow = slow * b + look_up(rows, middle, 4) * i * (1.0 - b)
            level += i * dt / charge
        found[k] = look_up(rows, level, 0) + look_up(rows, level, 1) * current[k] + fast + slow
    return found


# ---------------------------------------------------------------------------- records of pulses


class Mistaken(SumError):
    """Records that would be right if a column were so many times as large."""

    def __init__(self, words: str, column: str, times: float) -> None:
        super().__init__(words)
        self.column, self.times = column, times


@dataclass(frozen=True)
class Pulse:
    """One record: a cell that has rested at a level, times (n, s), currents (n, A) and voltages
    (n, V).
    """

    level: float
    time: Array
    current: Array
    voltage: Array


def read_pulses(text: str) -> list[Pulse]:
    """Records out of a table: a head such as "level, time [s], current [A], voltage [V]", and rows
    apart by commas, semicolons, tabs or blanks; a level stands in each of its rows, or in the first.
    Without a head, columns come in that order and in SI. Raises SumError.
    """
    return _apart(_read(text))


def corrected(text: str, column: str, times: float) -> str:
    """The same table with a column so many times as large, in SI and with a head. Raises SumError."""
    data = _read(text)
    data[:, list(COLUMNS).index(column)] *= times
    head = ", ".join(f"{n} [{u}]" if u else n for n, u in zip(COLUMNS, UNITS, strict=True))
    rows = [", ".join(f"{v + 0.0:.12g}" for v in row) for row in data]
    return "\n".join([head, *rows]) + "\n"


def _read(text: str) -> Array:
    """`COLUMNS` (n, 4) in SI. Raises SumError."""
    lines = [line.strip() for line in text.splitlines()]
    lines = [line for line in lines if line and not line.startswith("#")]
    if not lines:
        raise SumError("the table of pulses is empty: paste level, time, current and voltage")
    columns, units = _head(lines[0])
    if columns:
        lines = lines[1:]
    else:
        columns, units = list(COLUMNS), list(UNITS)
    lacking = [name for name in COLUMNS if name not in columns]
    if lacking:
        raise SumError(
            f"the table of pulses has no column {lacking[0]}: its head reads, for instance, "
            "'level, time [s], current [A], voltage [V]'"
        )
    data = _numbers(lines, columns)
    for name, dimension in COLUMNS.items():
        k = columns.index(name)
        unit = units[k]
        if unit:
            found = find_unit(unit)
            if found is None or found.dimension != dimension_of(dimension):
                raise SumError(f"the column {name} is in '{unit}', which is no {dimension}")
            data[:, k] = data[:, k] * found.factor + found.offset
    return data[:, [columns.index(name) for name in COLUMNS]]


def _head(line: str) -> tuple[list[str], list[str]]:
    """Names and units of columns; nothing where a line holds numbers only."""
    if not re.search(r"[A-Za-z]", re.sub(r"[\d.]+[eE][-+]?\d+", "", line)):
        return [], []
    columns, units = [], []
    for cell in re.split(r"[,;\t]+", line) if re.search(r"[,;\t]", line) else [line]:
        found = re.match(r"\s*([A-Za-z ]+?)\s*(?:[\[(]\s*([^\])]*)[\])])?\s*$", cell)
        words = found.group(1).lower() if found else cell.strip().lower()
        own = next((name for name in COLUMNS if name in words), words)
        columns.append(own)
        units.append((found.group(2) or "").strip() if found else "")
    return columns, units


def _numbers(lines: list[str], columns: list[str]) -> Array:
    rows, level = [], None
    at = columns.index("level")
    for number, line in enumerate(lines, 1):
        cells = re.split(r"\s*[,;\t]\s*", line) if re.search(r"[,;\t]", line) else line.split()
        if len(cells) == len(columns) and cells[at] == "" and level is not None:
            cells[at] = level
        try:
            rows.append([float(cell) for cell in cells])
        except ValueError as fault:
            raise SumError(
                f"row {number} of the pulses, '{line}', holds what is no number"
            ) from fault
        if len(cells) != len(columns):
            raise SumError(
                f"row {number} of the pulses has {len(cells)} entries instead of {len(columns)}"
            )
        level = cells[at]
    found = np.array(rows)
    if not np.isfinite(found).all():
        raise SumError("the pulses hold what is no finite number")
    return found


def _apart(data: Array) -> list[Pulse]:
    """A pulse wherever the level changes or time begins again. Raises SumError."""
    level, time, current, voltage = data.T
    if (level < -SAME).any() or (level > 1.0 + SAME).any():
        worst = level[np.argmax(np.abs(level - 0.5))]
        raise SumError(
            f"a charge level of {worst:g} is none: give shares from 0 to 1, or 'level [%]' above them"
        )
    if (voltage < LOW).any() or (voltage > HIGH).any():
        worst = voltage[np.argmax(np.abs(np.log(np.maximum(voltage, 1e-9))))]
        words = (
            f"{worst:g} V is not the voltage of one cell: say the column's unit, as in 'voltage [mV]', "
            "or divide it by the cells in series"
        )
        in_millivolts = (voltage > 1e3 * LOW).all() and (voltage < 1e3 * HIGH).all()
        raise Mistaken(words, "voltage", 1e-3) if in_millivolts else SumError(words)
    new = (np.abs(np.diff(level)) > SAME) | (np.diff(time) < 0)
    cuts = [0, *(np.flatnonzero(new) + 1).tolist(), level.size]
    pulses = []
    for a, b in pairwise(cuts):
        pulses.append(Pulse(float(level[a]), time[a:b] - time[a], current[a:b], voltage[a:b]))
    levels = [p.level for p in pulses]
    for p in pulses:
        where = f"the pulse at a level of {p.level:g}"
        if levels.count(p.level) > 1:
            raise SumError(f"{where} is there twice: keep one of them")
        if p.time.size < FEWEST:
            raise SumError(f"{where} has {p.time.size} rows: {FEWEST} at least tell what it does")
        steps = _steps(p)
        if not steps.size:
            raise SumError(f"{where} has no step of current: a pulse begins after a rest")
        same = np.diff(p.voltage)[steps] * np.diff(p.current)[steps]
        if same[np.argmax(np.abs(same))] < 0:
            raise Mistaken(
                f"{where}: voltage falls where current rises, so currents have the other sign: "
                "what charges is positive here; change the sign of the column",
                "current",
                -1.0,
            )
    if len(pulses) < 2:
        raise SumError(
            "pulses at one charge level only: what the rest voltage does needs two levels at least"
        )
    return sorted(pulses, key=lambda p: p.level)


def _steps(p: Pulse) -> Array:
    """Rows after which the current is another at once."""
    moved = np.abs(np.diff(p.current))
    return np.flatnonzero(moved > STIR * max(np.abs(p.current).max(), 1e-300))


# ---------------------------------------------------------------------------- finding the circuit


@dataclass(frozen=True)
class Found:
    """A circuit found from pulses. sure : by how much (95 %) its values may be off, V, ohm, s, as
    `Circuit.values`. off : V by which the fit misses on average (root of the mean square), worst : at
    most. fits : V, record by record.
    """

    pulses: list[Pulse]
    circuit: Circuit
    sure: Array
    off: float
    worst: float
    fits: list[Array]

    def curve(self) -> Curve:
        """Records one after the other, and the fit as lines over them."""
        x, y, points, begins = [], [], [], 0.0
        for pulse, fit in zip(self.pulses, self.fits, strict=True):
            at = begins + pulse.time
            points += list(zip(at.tolist(), pulse.voltage.tolist(), strict=True))
            x += [*at.tolist(), float(at[-1])]
            y += [*fit.tolist(), np.nan]
            begins = float(at[-1]) + GAP * float(pulse.time[-1])
        return Curve(np.array(x), np.array(y), *OVER_TIME, "voltage", "voltage", points)

    def left(self) -> Curve:
        """What records are above the fit, in the same row."""
        line, none = self.curve(), np.zeros(0)
        fitted = line.y[np.isfinite(line.y)]
        rest = [(t, v - fit) for (t, v), fit in zip(line.points, fitted, strict=True)]
        return Curve(none, none, *OVER_TIME, "record less fit", "voltage", rest)


@lru_cache(maxsize=16)
def identified(text: str, charge: float) -> Found:
    """The circuit of a cell that holds a charge (C) when full, from records of pulses: each pulse by
    itself first, where only the two times are not linear (variable projection, Golub & Pereyra 1973),
    then all of them together by least squares, in logs. A level that pulses reach beyond those they
    begin at has a rest voltage of its own and else what the nearest has. Raises SumError.
    """
    return identify(read_pulses(text), charge)


def identify(pulses: list[Pulse], charge: float) -> Found:
    """See `identified`. Raises SumError."""
    from scipy.optimize import least_squares

    positive(charge=charge)
    levels = np.array([p.level for p in pulses])
    rest = np.array([p.voltage[0] for p in pulses])
    slopes = np.gradient(rest, levels)
    alone = np.array([_alone(p, slope / charge) for p, slope in zip(pulses, slopes, strict=True)])
    beyond = _beyond(pulses, charge)
    own = _in_logs(alone)
    ends = [own[k, 0] + slopes[k] * (level - levels[k]) for k, level in beyond]
    measured = np.concatenate([p.voltage for p in pulses])

    def whole(x: Array) -> Circuit:
        values = _out_of_logs(x[: own.size].reshape(own.shape))
        return _with_ends(levels, values, beyond, x[own.size :])

    def told(x: Array) -> list[Array]:
        rows = whole(x).rows
        return [respond(p.time, p.current, p.level, charge, rows) for p in pulses]

    begin = np.concatenate([own.ravel(), ends])
    spread = np.concatenate([np.tile(SPREAD, len(pulses)), np.full(len(ends), SPREAD[0])])
    fit = least_squares(
        lambda x: np.concatenate(told(x)) - measured,
        begin,
        bounds=(begin - spread, begin + spread),
        x_scale=spread / 30.0,
        xtol=1e-10,
        ftol=1e-12,
    )
    variance = 2.0 * fit.cost / max(measured.size - fit.x.size, 1)
    spans = SURE * np.sqrt(variance * np.diag(np.linalg.pinv(fit.jac.T @ fit.jac)))
    circuit = whole(fit.x)
    sure = spans[: own.size].reshape(own.shape)
    sure = _with_ends(levels, sure, beyond, spans[own.size :]).values
    sure[:, 1:] *= circuit.values[:, 1:]
    swaps = circuit.values[:, 3] > circuit.values[:, 5]
    for table in (circuit.values, sure):
        table[swaps] = table[swaps][:, [0, 1, 4, 5, 2, 3]]
    off, worst = float(np.sqrt(np.mean(fit.fun**2))), float(np.abs(fit.fun).max())
    return Found(pulses, circuit, sure, off, worst, told(fit.x))


def _beyond(pulses: list[Pulse], charge: float) -> list[tuple[int, float]]:
    """Levels below the first and above the last that pulses reach, and beside which pulse."""
    gone = [np.cumsum(np.diff(p.time) * p.current[:-1]) / charge for p in pulses]
    low = min(p.level + g.min() for p, g in zip(pulses, gone, strict=True))
    high = max(p.level + g.max() for p, g in zip(pulses, gone, strict=True))
    found = []
    if low < pulses[0].level - NEAR:
        found.append((0, float(low)))
    if high > pulses[-1].level + NEAR:
        found.append((len(pulses) - 1, float(high)))
    return found


def _with_ends(
    levels: Array, values: Array, beyond: list[tuple[int, float]], rest: Array
) -> Circuit:
    """A circuit with levels beyond those that pulses begin at, and rest voltages (V) there."""
    for (k, level), voltage in zip(beyond, rest, strict=True):
        row = values[[0 if k == 0 else -1]].copy()
        row[0, 0] = voltage
        levels = np.concatenate([[level], levels] if k == 0 else [levels, [level]])
        values = np.concatenate([row, values] if k == 0 else [values, row])
    return Circuit(levels, values)


def _alone(p: Pulse, falls: float) -> Array:
    """One pulse's rest voltage, resistances and times. falls : V per C that the rest voltage changes
    by as it is charged.
    """
    from scipy.optimize import least_squares

    dt = np.diff(p.time)
    gone = np.concatenate([[0.0], np.cumsum(p.current[:-1] * dt)])
    rest = p.voltage - falls * gone
    span = float(p.time[-1])
    short = max(float(np.min(dt[dt > 0], initial=span)), span * 1e-4)

    def lines(times: Array) -> Array:
        cols = [np.ones(p.time.size), p.current, *(_lagged(p.time, p.current, t) for t in times)]
        return np.stack(cols, axis=1)

    def misses(logs: Array) -> Array:
        a = lines(np.exp(logs))
        return np.asarray(a @ np.linalg.lstsq(a, rest, rcond=None)[0] - rest)

    best = None
    tried = np.geomspace(2.0 * short, 0.5 * span, 5)
    low, high = np.log(0.5 * short), np.log(3.0 * span)
    for k, quick in enumerate(tried[:-1]):
        for slow in tried[k + 1 :]:
            found = least_squares(
                misses, np.log([quick, slow]), bounds=(low, high), max_nfev=60, xtol=1e-8
            )
            if best is None or found.cost < best.cost:
                best = found
    assert best is not None
    times = np.exp(np.sort(best.x))
    level, at_once, fast, slow = np.linalg.lstsq(lines(times), rest, rcond=None)[0]
    least = 1e-3 * max(abs(at_once), abs(fast), abs(slow), 1e-12)
    many = np.maximum([at_once, fast, slow], least)
    return np.array([level, many[0], many[1], times[0], many[2], times[1]])


@njit(cache=True)
def _lagged(t: Array, current: Array, time: float) -> Array:
    """What follows a current with a delay (s), from rest."""
    found = np.zeros(t.size)
    for k in range(1, t.size):
        a = np.exp(-(t[k] - t[k - 1]) / time)
        found[k] = found[k - 1] * a + current[k - 1] * (1.0 - a)
    return found


# ---------------------------------------------------------------------------- by hand

# two invented pulses, without noise: 20 A drawn for half a minute from a cell of 40 A h
EXAMPLE = """
0.4, 0 s, 0 A, 3.44415 V
0.4, 10 s, -20 A, 3.40329 V
0.4, 11 s, -20 A, 3.39936 V
0.4, 12 s, -20 A, 3.39605 V
0.4, 14 s, -20 A, 3.39086 V
0.4, 17 s, -20 A, 3.38551 V
0.4, 20 s, -20 A, 3.38192 V
0.4, 25 s, -20 A, 3.37790 V
0.4, 30 s, -20 A, 3.37502 V
0.4, 35 s, -20 A, 3.37263 V
0.4, 40 s, 0 A, 3.41139 V
0.4, 41 s, 0 A, 3.41492 V
0.4, 43 s, 0 A, 3.42024 V
0.4, 46 s, 0 A, 3.42529 V
0.4, 50 s, 0 A, 3.42894 V
0.4, 60 s, 0 A, 3.43238 V
0.4, 80 s, 0 A, 3.43469 V
0.4, 110 s, 0 A, 3.43666 V
0.4, 150 s, 0 A, 3.43814 V
0.4, 200 s, 0 A, 3.43902 V
0.7, 0 s, 0 A, 3.75583 V
0.7, 10 s, -20 A, 3.71699 V
0.7, 11 s, -20 A, 3.71339 V
0.7, 12 s, -20 A, 3.71035 V
0.7, 14 s, -20 A, 3.70558 V
0.7, 17 s, -20 A, 3.70065 V
0.7, 20 s, -20 A, 3.69734 V
0.7, 25 s, -20 A, 3.69363 V
0.7, 30 s, -20 A, 3.69095 V
0.7, 35 s, -20 A, 3.68874 V
0.7, 40 s, 0 A, 3.72560 V
0.7, 41 s, 0 A, 3.72883 V
0.7, 43 s, 0 A, 3.73371 V
0.7, 46 s, 0 A, 3.73834 V
0.7, 50 s, 0 A, 3.74169 V
0.7, 60 s, 0 A, 3.74485 V
0.7, 80 s, 0 A, 3.74698 V
0.7, 110 s, 0 A, 3.74881 V
0.7, 150 s, 0 A, 3.75018 V
0.7, 200 s, 0 A, 3.75099 V
""".strip()


def _of_pulses(pulses: Array, charge: float, level: float) -> dict[str, float]:
    found = identify(_apart(pulses), charge)
    circuit = found.circuit
    if not circuit.levels[0] <= level <= circuit.levels[-1]:
        raise SumError(
            f"pulses tell levels from {circuit.levels[0]:.3g} to {circuit.levels[-1]:.3g} only"
        )
    values = over_levels(circuit.levels, circuit.values, np.array([level]))[0]
    return {**dict(zip(NAMES, values.tolist(), strict=True)), "off": found.off}


SUMS = (
    SideSum(
        "cell_from_pulses",
        "Battery cell from pulses",
        "batteries",
        "What resists in a cell, and how fast, from pulses of current at two charge levels or more.",
        "least squares over a circuit with two delays; variable projection, Golub & Pereyra 1973",
        (
            Entry(
                "pulses",
                "records",
                kind="table",
                default=EXAMPLE,
                columns=(
                    ("level", "number"),
                    ("time", "time"),
                    ("current, positive charges", "current"),
                    ("voltage", "voltage"),
                ),
            ),
            Entry("charge", "charge of the full cell", "charge", "40 A h"),
            Entry("level", "at a level of", "number", "0.5"),
        ),
        (
            Gives("rest", "voltage", "voltage at rest"),
            Gives("at_once", "electric resistance", "resistance felt at once"),
            Gives("fast", "electric resistance", "resistance felt soon"),
            Gives("fast_time", "time", "and how soon"),
            Gives("slow", "electric resistance", "resistance felt later"),
            Gives("slow_time", "time", "and how late"),
            Gives("off", "voltage", "fit off on average by"),
        ),
        _of_pulses,
        lambda pulses, charge, level: identify(_apart(pulses), charge).curve(),
        r"V=E(s)+R_0i+\textstyle\sum_kv_k,\quad\tau_k\dot v_k=R_ki-v_k",
        "records that begin at rest; two levels or more",
    ),
)
