"""Components as carried things that go with the stream's mass."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Carrier,
    Composition,
    Inputs,
    Offer,
    Problem,
    Provides,
    Warmth,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.transport import Carried, Times, TransportSolver
from underkettle.phenomena.mixture.gases import heat_capacity, molar_mass, told


class MixtureSolver(TransportSolver):
    """Solves for mass fractions. Spreading reckons with the gas's density, or with what is given."""

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        self.density = float(s["density"])
        self.rest = heat_capacity(s)  # J/(kg K); None: nobody asks
        self.tells = told(s)
        self.masses = {name: molar_mass(s, name) for name in s["members"]}  # kg/mol
        dense = "mixture.gas_density" if self.tells else ""
        super().__init__(
            problem,
            [
                Carried(
                    name,
                    name.replace("_", " "),
                    f"{name}.share",
                    *(2 * (Times(member["diffusivity"], self.density, dense),)),
                    capacity=self.density,
                    unit="",
                    amount="kg",
                    density=self.density,
                    called=name,
                    in_pores="dissolved",
                    warmth=(heat_capacity(s, name) or 0.0) - (self.rest or 0.0),
                )
                for name, member in s["members"].items()
            ],
        )
        self.key = problem.state_name("warm_before")

    def start(self, state: State) -> None:
        super().start(state)
        if self.rest is not None:
            state.fields[self.key] = np.zeros(self.mesh.shape)
            self._weigh(state, None)

    def _weigh(self, state: State, carrier: Carrier | None) -> None:
        """What the mixture holds per kelvin (J/(m3 K)) before a step."""
        held: Any = self.rest
        for member in self.members:
            held = held + member.what.warmth * self.carrying.of(state, member)
        density = None if carrier is None else carrier.density_before
        state.fields[self.key][0] = (self.density if density is None else density[0]) * held

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        if self.rest is not None:
            self._weigh(state, inputs.get(Carrier, FLUID))
        return super().advance(state, t0, t1, inputs)

    def _composition(self, state: State) -> Composition:
        """Amounts of components, from the gas's own density where it is told."""
        name, dense = "mixture.gas_density", np.full(self.mesh.shape, self.density)
        if self.tells:
            dense[0] = self.problem.known(state, [name], "new")[name]
        names = tuple(member.what.name for member in self.members)
        masses = np.array([self.masses[name] for name in names])
        rises = dense / masses[:, None, None]
        shares = np.stack([self.carrying.of(state, member) for member in self.members])
        return Composition(names, shares * rises, rises, tuple(map(float, masses)))

    def offer(self, what: Provides, state: State) -> Offer | None:
        """How much there is of each component; or what they take along beyond what the rest would, and
        the rest's own warmth.
        """
        if what.kind is Composition:
            return self._composition(state)
        if self.rest is None:
            return None
        flows, made = self.warm_stream(state)
        return Warmth(flows, made, state.fields[self.key], float(self.rest), self.density)
