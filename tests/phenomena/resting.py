"""Solvers of small phenomena in tests that have nothing of their own to solve."""

import numpy as np

from underkettle.engine.contract import Absent, Phenomenon, Work


class Quiet(Phenomenon):
    """Shows nothing, and asks nothing of any place."""

    def fields(self, settings):
        return []

    def default(self, place, on, member, facts):
        return Absent()


class Rests:
    """Nothing evolves, nothing is booked; what it offers is its own to say."""

    def start(self, state):
        """It has no arrays."""

    def limit(self, state, inputs):
        return np.inf, "it rests"

    def advance(self, state, t0, t1, inputs):
        return self.relax(state, inputs)

    def relax(self, state, inputs):
        return Work()

    def balance(self, state, t0, t1):
        return {}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {}
