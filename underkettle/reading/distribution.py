"""How a field is distributed over the open volume."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray

BINS = 40
QUANTILES = (0.1, 0.5, 0.9)


@dataclass(frozen=True)
class Distribution:
    """ends : of the bins, one more than `share` (of the volume in each, summing to one).

    below : share of the volume at or below each end. quantiles : values with 10, 50 and 90 % of the
    volume below them.
    """

    ends: Array
    share: Array
    below: Array
    mean: float
    deviation: float
    quantiles: tuple[float, ...]
    volume: float


def by_volume(values: Array, volume: Array, bins: int = BINS) -> Distribution:
    """values : (ny, nx), NaN where closed; volume : (ny, nx) in m3. Raises ValueError where nothing
    is open.
    """
    here = np.isfinite(values) & (volume > 0)
    if not here.any():
        raise ValueError("nothing is open here")
    v, w = values[here], volume[here]
    total = float(w.sum())
    low, high = float(v.min()), float(v.max())
    if high <= low:
        low, high = low - 0.5 * (abs(low) or 1.0), high + 0.5 * (abs(high) or 1.0)
    share, ends = np.histogram(v, bins=bins, range=(low, high), weights=w / total)
    mean = float((v * w).sum()) / total
    order = np.argsort(v, kind="stable")
    grown = (np.cumsum(w[order]) - 0.5 * w[order]) / total
    quantiles = tuple(float(np.interp(q, grown, v[order])) for q in QUANTILES)
    return Distribution(
        ends,
        share,
        np.concatenate([[0.0], np.cumsum(share)]),
        mean,
        float(((v - mean) ** 2 * w).sum() / total) ** 0.5,
        quantiles,
        total,
    )
