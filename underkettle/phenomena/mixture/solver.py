"""Components as carried things that go with the stream's mass, and the heat of all of them."""

from __future__ import annotations

from functools import partial
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
    Source,
    StepFailed,
    Temperature,
    Ties,
    Warmth,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.diffusion import total
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport import Carried, Times, Told, TransportSolver
from underkettle.engine.transport.solver import row_of
from underkettle.phenomena.mixture.gases import (
    ENTHALPY,
    HEAT,
    PRESSURE,
    SPREADS,
    TEMPERATURE,
    blend_of,
    heat_capacity,
    molar_mass,
    own_heat,
    rest_name,
    told,
)
from underkettle.phenomena.mixture.warm import AsEnthalpy
from underkettle.quantities.constants import GAS

Array = np.ndarray

ME = "mixture"
AHEAD = 800.0  # K, over which it is seen how a capacity rises
PRESSINGS, PRESSED = 40, 1e-13  # tries at a pressure, and of it what two may differ by
STEEP = 0.9


def _met(tried: list[tuple[float, float]]) -> float:
    """Where what is tried and what is found of it would be the same, by the last two."""
    (x, y), (then, had) = tried[-1], tried[-2] if len(tried) > 1 else tried[-1]
    slope = (y - had) / (x - then) if x != then else 0.0
    return y if not abs(slope) < STEEP else x + (y - x) / (1.0 - slope)


def _tamed(plain: Array, warming: Array) -> Array:
    """How much of what temperature does to rates may count in each cell, so that nothing grows by
    itself: both (m, m, ...) per unit of every value.
    """
    falls, rises = -np.einsum("iijk->jk", plain), np.einsum("iijk->jk", warming)
    share = np.divide(falls, rises, out=np.ones_like(rises), where=rises > 0)
    return np.clip(share, 0.0, 1.0)


class MixtureSolver(TransportSolver):
    """Solves for mass fractions, and for enthalpy where the mixture keeps account of its heat.
    Spreading reckons with the gas's density, or with what is given.
    """

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        self.density = float(s["density"])
        self.warm = own_heat(s)
        self.blend = blend_of(s)
        self.rest = None if self.warm else heat_capacity(s)  # J/(kg K); None: nobody asks
        self.tells = told(s)
        self.masses = {name: molar_mass(s, name) for name in s["members"]}  # kg/mol
        dense = "mixture.gas_density" if self.tells else ""
        carried = [
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
                warmth=0.0 if self.rest is None else (heat_capacity(s, name) or 0.0) - self.rest,
            )
            for name, member in s["members"].items()
        ]
        if self.warm:
            assert self.blend is not None
            carried.append(
                Carried(
                    HEAT,
                    HEAT,
                    ENTHALPY,
                    *(2 * (Told(f"mixture.{SPREADS}"),)),
                    capacity=self.density,
                    unit="J/kg",
                    amount="J",
                    density=self.density,
                    called=ENTHALPY,
                    in_pores="dissolved",
                    follows=(ME, self._spread),
                )
            )
            super().__init__(AsEnthalpy(problem, self.blend, list(s["members"])), carried)
        else:
            super().__init__(problem, carried)
        self.key = problem.state_name("warm_before")
        self.presses, self.weighs = problem.state_name(PRESSURE), problem.state_name("mass")
        self.shut = self.warm and not any(
            given.through for given in problem.edge_conditions(HEAT).values()
        )

    def start(self, state: State) -> None:
        super().start(state)
        if self.warm:
            self._fill(state, float(self.problem.settings()["pressure"]))
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

    # ------------------------------------------------------------ heat that goes with what spreads

    def _spread(self, state: State) -> Source:
        """What components take along of heat as they spread, beyond what spreads as heat does: they
        differ from the rest in what a kilogram holds, and their links from those of heat.
        """
        assert self.blend is not None
        *components, heat = self.members
        warm = self.problem.known(state, [f"mixture.{TEMPERATURE}"])
        each = self.blend.enthalpies(warm[f"mixture.{TEMPERATURE}"])
        found = np.zeros(self.mesh.shape)
        for axis, way in ((1, "x"), (0, "y")):
            passes = np.zeros(found[0].shape)
            for k, member in enumerate(components):
                c, more = self.carrying.acted(state, member), each[k] - each[-1]
                links = getattr(heat, f"link_{way}") - getattr(member, f"link_{way}")
                passes += 0.5 * links * (more + roll(more, 1, axis)) * (c - roll(c, 1, axis))
            found[0] += passes - roll(passes, -1, axis)
        return Source(np.where(self.carrying.live, self.density * found, 0.0))

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        if self.rest is not None:
            self._weigh(state, inputs.get(Carrier, FLUID))
        work = super().advance(state, t0, t1, inputs)
        stream = inputs.get(Carrier, FLUID) if self.shut else None
        if stream is not None and stream.mass is not None:
            self._press(state)
        return work

    # ------------------------------------------------------------ in a vessel that nothing leaves

    def _fill(self, state: State, pressure: float) -> None:
        """Take what fills the vessel at a pressure (Pa) for what it holds."""
        state.fields[self.presses] = np.full(self.mesh.shape, pressure)
        dense = self.problem.known(state, ["mixture.gas_density"], "new")["mixture.gas_density"]
        state.numbers[self.weighs] = float(total(dense, self.mesh.volume[0]))

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        super().go_on_from(state, kept, mesh)
        if self.warm and self.presses in kept.fields:
            self._fill(state, float(kept.fields[self.presses].max()))

    def _press(self, state: State) -> None:
        """The pressure at which the gas fills the vessel, and what it is warmed by as that rises: each
        cell by its volume times the rise.
        """
        assert self.blend is not None
        pressure, heat = state.fields[self.presses][0], self.members[-1]
        live, volume = self.carrying.live, self.mesh.volume[0]
        h, before = self.carrying.of(state, heat), float(pressure[live][0])
        parts = [p[live] for p in self._shares(state)]
        heavy, room, held = self.blend.molar_mass(parts), volume[live], h[live]
        mass, dense = state.numbers[self.weighs], np.zeros(0)
        now, tried = before, []
        for _ in range(PRESSINGS):
            more = 0.0 if not dense.size else (now - before) / dense
            per_pressure = heavy / (GAS * self.blend.temperature(parts, held + more))
            found = mass / float((room * per_pressure).sum())
            dense = found * per_pressure
            tried.append((now, found))
            if abs(found - now) < PRESSED * found and len(tried) > 2:
                break
            now = _met(tried)
        else:
            raise StepFailed(
                ME, "the whole vessel", "no pressure is found at which the gas fills it"
            )
        h[live] += (now - before) / dense
        self.mesh.grid.wrap(h)
        pressure[:] = now
        budget = self.carrying.budgets[heat.what.words]
        given = float(((now - before) / dense * heat.store[live]).sum()) * heat.what.capacity
        budget.give(ME, given)
        budget.stored += given

    # ------------------------------------------------------------ at rest, bound by what reacts

    guessed = False  # where turns with a stream lead is not extrapolated
    patient = 400  # turns that may pass without progress

    def tied(self, ties: Ties, state: State) -> Array:
        """What rises with temperature rises with enthalpy, too, and falls with what components hold."""
        found = super().tied(ties, state)
        if not self.warm:
            return found
        assert self.blend is not None
        asked = [f"mixture.{TEMPERATURE}"]
        warm = self.problem.known(state, asked, "new")[asked[0]]
        parts = self._shares(state)
        capacity = self.blend.enthalpy(parts, warm)[1]
        each, in_kg = self.blend.enthalpies(warm), self.blend.moles.sum(axis=1)
        heavy = self.blend.molar_mass(parts)
        names, heat = list(self.masses), len(self.members) - 1
        warming = np.zeros_like(found)  # what temperature does, as it follows from all
        for i, member in enumerate(self.members[:-1]):
            row = row_of(member, ties)
            if row is None:
                continue
            rows = ties.rises[row] / member.what.capacity
            warms = rows[-1] / capacity
            if (
                self.tells
            ):  # the gas thins as it warms, and as what is light takes the place of the rest
                thins = sum(
                    rises * parts[names.index(n)]
                    for n, rises in zip(ties.names, rows[:-1], strict=True)
                    if n in self.masses
                )
                warms = warms - thins / (warm * capacity)
                for k in range(heat):
                    found[i, k] -= thins * heavy * (in_kg[k] - in_kg[-1])
            warming[i, heat] = warms
            for k in range(heat):
                warming[i, k] = -warms * (each[k] - each[-1])
        return found + _tamed(found, warming) * warming

    # ------------------------------------------------------------ answers

    def _shares(self, state: State) -> list[Array]:
        """Mass fractions of the components, the rest last."""
        own = [self.carrying.of(state, m) for m in self.members if m.what.name in self.masses]
        return [*own, 1.0 - np.asarray(sum(own))]

    def _composition(self, state: State) -> Composition:
        """Amounts of components, from the gas's own density where it is told."""
        asked = ["mixture.gas_density"] if self.tells else []
        asked += [f"mixture.{TEMPERATURE}"] if self.warm else []
        known, dense = (
            self.problem.known(state, asked, "new"),
            np.full(self.mesh.shape, self.density),
        )
        if self.tells:
            dense[0] = known["mixture.gas_density"]
        shares = np.stack(self._shares(state))
        settings = self.problem.settings()
        masses = np.array([*self.masses.values(), molar_mass(settings)])
        rises = dense / masses[:, None, None]
        amounts, each = shares * rises, None
        rises[-1] = 0.0  # it follows from the others
        if self.warm:
            assert self.blend is not None
            each = self.blend.enthalpies(known[f"mixture.{TEMPERATURE}"])
            each = each * masses[:, None, None]
        names, kept = (*self.masses, rest_name(settings)), slice(None)
        if names[-1] in self.masses:  # one of that name is balanced already
            names, kept = names[:-1], slice(-1)
        return Composition(
            names,
            amounts[kept],
            rises[kept],
            tuple(map(float, masses[kept])),
            None if each is None else each[kept],
            amounts.sum(axis=0),
            partial(self._of_substance, dense[0] * shares) if self.tells else None,
            partial(self._films, len(names), state),
        )

    def _films(self, count: int, state: State) -> Array:
        """Of the components; the rest follows them, and comes as fast as the slowest."""
        found = self.films(self.members[: len(self.masses)], state)
        slowest = found.min(axis=0, keepdims=True)
        return np.concatenate([found, slowest])[:count]

    def _of_substance(self, kilograms: Array, substance: str) -> Array:
        """mol/m3 of a substance in so many kg/m3 of each component and of the rest."""
        assert self.blend is not None
        if substance not in self.blend.names:
            return np.zeros(self.mesh.shape[1:])
        shares = self.blend.moles[:, self.blend.names.index(substance)]
        return np.asarray(np.tensordot(shares, kilograms, 1))

    def _temperature(self, state: State) -> Temperature:
        """How warm it is, and what it takes to warm it."""
        assert self.blend is not None
        known = self.problem.known(state, ["mixture.gas_density", f"mixture.{TEMPERATURE}"], "new")
        warm, dense = known[f"mixture.{TEMPERATURE}"], known["mixture.gas_density"]
        parts = self._shares(state)
        now, later = (self.blend.enthalpy(parts, warm + by)[1] for by in (0.0, AHEAD))
        return Temperature(
            self.mesh.grid.wrapped(np.where(self.carrying.live, warm, 0.0)[None]),
            (dense * now)[None],
            (dense * (later - now) / AHEAD)[None],
            self.carrying.of(state, self.members[-1])[None],
            (1.0 / now)[None],
        )

    def offer(self, what: Provides, state: State) -> Offer | None:
        """How much there is of each component; how warm all are; or what they take along beyond what
        the rest would, and the rest's own warmth.
        """
        if what.kind is Composition:
            return self._composition(state)
        if what.kind is Temperature:
            return self._temperature(state)
        if self.rest is None:
            return None
        flows, made = self.warm_stream(state)
        return Warmth(flows, made, state.fields[self.key], float(self.rest), self.density)
