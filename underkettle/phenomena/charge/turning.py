"""Substances that currents turn into each other or take up: what there is of them, and what others are
given.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from underkettle.engine.contract import FLUID, Composition, Inputs, Problem, Source
from underkettle.engine.marching.state import State
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.naming import DRIVEN, forms
from underkettle.phenomena.charge.network import Passing
from underkettle.phenomena.charge.surfaces import Held, Surface

Array = np.ndarray


class Turning:
    """names : of the substances. In time, what cells get is what passes, and surfaces count with what
    the step takes out of them; at rest it is taken along its tangent, unless an edge is told its
    current: that does not fall as what it uses up does, its potential answers for it.
    """

    def __init__(
        self,
        problem: Problem,
        settings: Mapping[str, Any],
        conductors: Sequence[Conductor],
        surfaces: Sequence[Surface],
    ) -> None:
        self.problem, self.surfaces, self.names = problem, surfaces, list(forms(settings))
        self.shape = problem.mesh.shape
        self.driven = any(g.kind in DRIVEN for c in conductors for g in c.edges.values())
        self.span, self.step = 0.0, (np.nan, np.nan)  # s of the step made, 0 at rest; which it is
        self.sent = self._none()  # mol/s that others took over last
        self.among = self._none()  # mol/m3 that currents were found among
        self.made, self.falls = self._none(), self._none()  # mol, m3 over the step

    def _none(self) -> dict[str, Array]:
        return {name: np.zeros(self.shape[1:]) for name in self.names}

    def _of(self, state: State, array: str, name: str) -> Array:
        return state.fields[self.problem.state_name(f"{array}.{name}")]

    def start(self, state: State) -> None:
        for name in self.names:
            for array in ("made", "falls", "among"):
                state.fields[self.problem.state_name(f"{array}.{name}")] = np.zeros(self.shape)

    def begin(self, state: State, t0: float, t1: float) -> None:
        """A step in time, or the same once more; at rest t0 = t1."""
        self.span = t1 - t0
        if self.span and self.step != (t0, t1):
            self.step = t0, t1
            self.sent = {name: self._of(state, "made", name)[0].copy() for name in self.names}

    def take(self, inputs: Inputs) -> None:
        """Let surfaces know what there is."""
        if not self.names:
            return
        told = inputs.get(Composition, FLUID)
        for s in self.surfaces:
            s.set_matter(told, self.problem.whole, self.span, self.sent)
        self.among = self._none()
        if told is not None:
            followed = [name for name in self.names if name in told.names]
            self.among |= {n: told.amounts[told.names.index(n)].copy() for n in followed}

    def clear(self) -> None:
        """Nothing has been turned yet."""
        self.made, self.falls = self._none(), self._none()

    def add(self, passing: Passing, span: float) -> None:
        """Add what passes over a time (s)."""
        tangent = not self.driven and not self.span
        for s, *across in zip(self.surfaces, passing.across, passing.wall_across, strict=True):
            for name, made, falls in s.turns(*across):
                self.made[name] += span * made
                if tangent:
                    self.falls[name] += span * falls

    def take_up(self, before: Sequence[Held], after: Sequence[Held]) -> None:
        """Add what double layers have taken up from one charge to another."""
        for s, old, new in zip(self.surfaces, before, after, strict=True):
            if s.takes:
                self.made[s.takes] += s.stored(old) - s.stored(new)

    def tell(self, state: State, span: float) -> None:
        """Keep what cells got, on average over a time (s)."""
        for name in self.names:
            self._of(state, "made", name)[0] = self.made[name] / span
            self._of(state, "falls", name)[0] = self.falls[name] / span
            self._of(state, "among", name)[0] = self.among[name]

    def offer(self, state: State, name: str) -> Source:
        made, falls, among = (self._of(state, array, name) for array in ("made", "falls", "among"))
        self.sent[name] = made[0].copy()
        return Source(made + falls * among, falls)
