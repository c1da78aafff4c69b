"""The colour scales of the application, made in OKLab so that lightness rises evenly."""

from __future__ import annotations

import numpy as np

Array = np.ndarray


def _oklch(lightness: Array, chroma: Array, hue: Array) -> Array:
    """sRGB (n, 3) in 0 to 255; the matrices are those of B. Ottosson's OKLab (from memory)."""
    a, b = chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue))
    long = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
    middle = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
    short = (lightness - 0.0894841775 * a - 1.291485548 * b) ** 3
    linear = np.stack(
        [
            4.0767416621 * long - 3.3077115913 * middle + 0.2309699292 * short,
            -1.2684380046 * long + 2.6097574011 * middle - 0.3413193965 * short,
            -0.0041960863 * long - 0.7034186147 * middle + 1.707614701 * short,
        ],
        axis=1,
    )
    c = np.clip(linear, 0.0, 1.0)
    return np.asarray(
        np.round(255 * np.where(c <= 0.0031308, 12.92 * c, 1.055 * c ** (1 / 2.4) - 0.055)),
        np.uint8,
    )


def amount(t: Array) -> Array:
    """Soot to copper to cream, t from 0 to 1; (n, 3) in 0 to 255."""
    return _oklch(0.2 + 0.75 * t, 0.014 + 0.118 * np.sin(np.pi * t**0.88) ** 1.15, 26 + 62 * t)


def difference(t: Array) -> Array:
    """Verdigris to pale to copper, about the middle."""
    s = np.abs(2 * t - 1)
    return _oklch(
        0.95 - 0.53 * s,
        0.012 + 0.105 * s**0.9,
        np.where(t < 0.5, 178 - 26 * (1 - s), 48 + 46 * (1 - s)),
    )


def scale(steps: int = 256, is_reversed: bool = False, centred: bool = False) -> Array:
    """256 colours (256, 3) in order, in flat bands where steps are fewer."""
    t = np.arange(256) / 255
    if steps < 256:
        t = np.minimum(steps - 1, np.floor(t * steps)) / max(1, steps - 1)
    return (difference if centred else amount)(1 - t if is_reversed else t)
