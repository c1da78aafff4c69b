"""Flexible GMRES (Saad 1993): a linear system known by what it does, preconditioned by anything."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray

AGAIN = 0.7  # of its length left after one round of orthogonalisation asks for a second


BLOCK = 2048  # numbers that stay near while all directions pass by


# by our own loops: a library's threads would fight over the cores with other runs


@kernel
def _take_off(basis, count, w, share):
    """share = components of w along the first `count` directions, which are taken off it."""
    size = w.size
    for k in range(count):
        share[k] = 0.0
    for first in range(0, size, BLOCK):
        last = min(first + BLOCK, size)
        here = w[first:last]
        for k in range(count):
            one, total = basis[k, first:last], 0.0
            for m in range(last - first):
                total += one[m] * here[m]
            share[k] += total
    for first in range(0, size, BLOCK):
        last = min(first + BLOCK, size)
        here = w[first:last]
        for k in range(count):
            one, by = basis[k, first:last], share[k]
            for m in range(last - first):
                here[m] -= by * one[m]


@kernel
def _length(w):
    total = 0.0
    for m in range(w.size):
        total += w[m] * w[m]
    return np.sqrt(total)


@kernel
def _combined(steps, weights, out):
    size = out.size
    for first in range(0, size, BLOCK):
        last = min(first + BLOCK, size)
        here = out[first:last]
        here[:] = 0.0
        for k in range(weights.size):
            one, by = steps[k, first:last], weights[k]
            for m in range(last - first):
                here[m] += by * one[m]


@dataclass
class Found:
    """A solution, the iterations it took, and what is left over what there was."""

    solution: Array
    iterations: int
    left: float


class Gmres:
    """Room for systems of `size` unknowns and `most` directions; used again for every system."""

    def __init__(self, size: int, most: int) -> None:
        self.most = most
        self.basis = np.empty((most + 1, size))
        self.steps = np.empty((most, size), np.float32)  # what preconditioning made of each
        self.h = np.zeros((most + 1, most))
        self.share, self.more = np.zeros(most + 1), np.zeros(most + 1)

    def solve(
        self,
        apply: Callable[[Array], Array],
        precondition: Callable[[Array], Array],
        right: Array,
        aim: float,
    ) -> Found:
        """x with |right - A x| <= aim |right|, or as near as `most` directions come.

        apply, precondition : vectors to vectors; what they return may be changed afterwards.
        """
        length = float(_length(right))
        if length == 0.0 or not np.isfinite(length):
            return Found(np.zeros_like(right), 0, 0.0 if length == 0.0 else np.inf)
        v, z, h = self.basis, self.steps, self.h
        h[:] = 0.0
        turns = np.zeros((2, self.most))
        left = np.zeros(self.most + 1)
        left[0] = length
        np.divide(right, length, out=v[0])
        k = 0
        while k < self.most:
            z[k] = precondition(v[k])
            w = apply(z[k].astype(np.float64))
            before = float(_length(w))
            share = self.share
            _take_off(v, k + 1, w, share)
            after = float(_length(w))
            if after < AGAIN * before:
                _take_off(v, k + 1, w, self.more)
                share[: k + 1] += self.more[: k + 1]
                after = float(_length(w))
            if not np.isfinite(after):
                break
            h[: k + 1, k], h[k + 1, k] = share[: k + 1], after
            for i in range(k):
                c, s = turns[:, i]
                h[i, k], h[i + 1, k] = c * h[i, k] + s * h[i + 1, k], c * h[i + 1, k] - s * h[i, k]
            long = float(np.hypot(h[k, k], h[k + 1, k]))
            if long == 0.0:
                break
            turns[:, k] = h[k, k] / long, h[k + 1, k] / long
            h[k, k], h[k + 1, k] = long, 0.0
            left[k + 1], left[k] = -turns[1, k] * left[k], turns[0, k] * left[k]
            k += 1
            if abs(left[k]) <= aim * length or after == 0.0:
                break
            np.divide(w, after, out=v[k])
        if k == 0:
            return Found(np.zeros_like(right), 0, 1.0)
        weights = np.linalg.solve(np.triu(h[:k, :k]), left[:k])
        solution = np.empty(right.size)
        _combined(z, weights, solution)
        return Found(solution, k, abs(left[k]) / length)
