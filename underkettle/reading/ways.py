"""Two ways through a vessel, told from an exit age with two peaks: each as tanks in series."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray

RISES = 0.04  # of the highest exit age, that a peak stands above the valley beside it
FEWEST = 12  # points that a fit needs
MOST_TANKS = 2000.0  # narrower than any history can show
POINTS = 400  # of the history, that are fitted


@dataclass(frozen=True)
class Way:
    """What goes one way: its share of what came, its mean stay (s), its peak (s), and how many tanks in
    series spread it so.
    """

    share: float
    mean: float
    peak: float
    tanks: float


@dataclass(frozen=True)
class Ways:
    """misfit : the largest difference of the cumulative curves. exit_age : what is fitted, 1/s, at
    the times of the history.
    """

    ways: tuple[Way, ...]
    misfit: float
    exit_age: Array


def two_ways(time: Array, cumulative: Array, exit_age: Array) -> Ways | None:
    """The quicker and the slower of two ways, by least squares on the cumulative curve, or None where
    the exit age has not two peaks. cumulative : share of what came, of 0 to 1.
    """
    from scipy.optimize import least_squares
    from scipy.signal import find_peaks
    from scipy.special import gammainc

    top = float(exit_age.max(initial=0.0))
    if time.size < FEWEST or top <= 0:
        return None
    padded = np.concatenate([[0.0], exit_age, [0.0]])
    peaks = find_peaks(padded, prominence=RISES * top)[0] - 1
    if peaks.size < 2:
        return None
    one, two = sorted(sorted(peaks, key=lambda k: -exit_age[k])[:2])
    valley = one + int(np.argmin(exit_age[one : two + 1]))
    share = float(np.clip(cumulative[valley], 0.02, 0.98))
    middle = 0.5 * (time[1:] + time[:-1])
    rows = np.unique(np.linspace(0, time.size - 1, POINTS).astype(int))
    at, seen = time[rows], cumulative[rows]

    def curve(x: Array, t: Array) -> Array:
        part = 1.0 / (1.0 + np.exp(-x[0]))
        first, second = (
            gammainc(np.exp(x[k + 1]), np.exp(x[k + 1]) * t / np.exp(x[k])) for k in (1, 3)
        )
        return np.asarray(part * first + (1.0 - part) * second)

    begin = [
        np.log(share / (1.0 - share)),
        *(np.log(max(v, 1e-300)) for v in (_at(middle, one), _tanks(exit_age, time, one))),
        *(np.log(max(v, 1e-300)) for v in (_at(middle, two), _tanks(exit_age, time, two))),
    ]
    wide, many = np.log(time[-1] / max(time[1] - time[0], 1e-300)) + 1.0, np.log(MOST_TANKS)
    low = [-6.0, begin[1] - wide, 0.0, begin[3] - wide, 0.0]
    high = [6.0, begin[1] + wide, many, begin[3] + wide, many]
    found = least_squares(
        lambda x: curve(x, at) - seen, np.clip(begin, low, high), bounds=(low, high)
    )
    x = found.x
    part = float(1.0 / (1.0 + np.exp(-x[0])))
    ways = []
    for k, of in ((1, part), (3, 1.0 - part)):
        mean, tanks = float(np.exp(x[k])), float(np.exp(x[k + 1]))
        ways.append(Way(of, mean, mean * (1.0 - 1.0 / tanks), tanks))
    fitted = np.gradient(curve(x, time), time)
    return Ways(
        tuple(sorted(ways, key=lambda w: w.mean)),
        float(np.abs(curve(x, time) - cumulative).max()),
        fitted,
    )


def _at(middle: Array, k: int) -> float:
    return float(middle[min(k, middle.size - 1)])


def _tanks(age: Array, time: Array, peak: int) -> float:
    """From how wide a peak is where it is three fifths as high."""
    low = high = peak
    while low > 0 and age[low] > 0.6 * age[peak]:
        low -= 1
    while high < age.size - 1 and age[high] > 0.6 * age[peak]:
        high += 1
    half = 0.5 * max(float(time[high] - time[low]), 1e-300)
    return float(np.clip((time[peak] / half) ** 2, 1.5, 0.5 * MOST_TANKS))
