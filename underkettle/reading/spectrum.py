"""What a history repeats: amplitude against frequency."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray

FEWEST_PERIODS = 8


@dataclass(frozen=True)
class Spectrum:
    """frequency (Hz) and amplitude (as the history's unit, of a sine); the highest peak, read
    between lines, and how many of its periods were seen.
    """

    frequency: Array
    amplitude: Array
    peak: float
    height: float
    periods: float
    mean: float
    window: str = "Hann, after the mean was taken off"


def spectrum(time: Array, value: Array, since: float = 0.0) -> Spectrum:
    """Of a history from `since` (s) on, put on even times. Raises ValueError where it is too short."""
    from scipy.signal import periodogram  # loads slowly, and is seldom wanted

    keep = (time >= since) & np.isfinite(value)
    time, value = np.asarray(time, float)[keep], np.asarray(value, float)[keep]
    if time.size < 16 or time[-1] <= time[0]:
        raise ValueError("the history has fewer than sixteen points")
    count = int(min(65536, 4 * time.size))
    even = np.linspace(time[0], time[-1], count)
    signal = np.interp(even, time, value)
    mean = float(signal.mean())
    frequency, power = periodogram(
        signal, 1.0 / (even[1] - even[0]), "hann", detrend="constant", scaling="spectrum"
    )
    spectrum_ = np.sqrt(2.0 * power)  # of a sine
    k = int(np.argmax(spectrum_[1:])) + 1
    peak, height = float(frequency[k]), float(spectrum_[k])
    if 0 < k < spectrum_.size - 1 and spectrum_[k] > 0:
        a, b, c = np.log(np.maximum(spectrum_[k - 1 : k + 2], 1e-300))
        bend = a - 2 * b + c
        if bend < 0:
            shift = 0.5 * (a - c) / bend
            peak += shift * (frequency[1] - frequency[0])
            height = float(np.exp(b - 0.25 * (a - c) * shift))
    return Spectrum(frequency, spectrum_, peak, height, peak * float(time[-1] - time[0]), mean)
