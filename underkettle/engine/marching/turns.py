"""Phenomena that act on each other, solved in turn: each with what the others left.

What the first one of a group finds follows from what it reads of the others. The repetition is a
fixed point in their unknowns, and the last few repetitions tell where it leads (Anderson 1965).
The guess is made at the start of a sweep, so that what a sweep leaves is always solved for.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from underkettle.engine.marching.state import State

Array = np.ndarray

DEPTH = 5  # sweeps that are remembered
PLAIN = 3  # sweeps before the first guess
KEPT = "turn:"  # state arrays: what sweeps began with and what they left
FLAT = 1e-10  # directions this much weaker than the strongest are not followed


def guess(state: State, names: Sequence[str]) -> None:
    """Replace the arrays `names` by where the remembered sweeps lead; remember what it begins with."""
    count = state.memory.group.turns
    if count > PLAIN and names:
        slots = [k % DEPTH for k in range(max(0, count - DEPTH), count)]
        begun, left = (np.stack([_gather(state, names, part, k) for k in slots]) for part in "bl")
        scale = _scale(state, names)
        misfit = (left - begun) / scale
        steps = np.diff(misfit, axis=0)
        weights = np.linalg.lstsq(steps.T, misfit[-1], rcond=FLAT)[0]
        new = left[-1] - weights @ np.diff(left, axis=0)
        if np.isfinite(new).all():
            _scatter(state, names, new)
    _keep(state, names, "b", count % DEPTH)


def remember(state: State, names: Sequence[str]) -> None:
    """Keep what the sweep has left."""
    count = state.memory.group.turns
    _keep(state, names, "l", count % DEPTH)
    state.memory.group.turns = count + 1


def forget(state: State) -> None:
    state.memory.group.turns = 0
    for name in [n for n in state.fields if n.startswith(KEPT)]:
        del state.fields[name]


def _keep(state: State, names: Sequence[str], part: str, slot: int) -> None:
    for name in names:
        state.fields[f"{KEPT}{part}{slot}:{name}"] = state.fields[name].copy()


def _gather(state: State, names: Sequence[str], part: str, slot: int) -> Array:
    return np.concatenate([state.fields[f"{KEPT}{part}{slot}:{n}"].ravel() for n in names])


def _scatter(state: State, names: Sequence[str], values: Array) -> None:
    first = 0
    for name in names:
        array = state.fields[name]
        array[...] = values[first : first + array.size].reshape(array.shape)
        first += array.size


def _scale(state: State, names: Sequence[str]) -> Array:
    """The largest value of each array, for every entry of it."""
    return np.concatenate(
        [
            np.full(state.fields[n].size, max(float(np.abs(state.fields[n]).max()), 1e-300))
            for n in names
        ]
    )
